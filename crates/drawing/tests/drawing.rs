//! Routing quality on the demo supply.

use circuit::Supply;
use mellow_drawing::{Drawing, Spot, draw, symbol};

fn demo() -> (Supply, Drawing) {
    let supply = Supply::from_json(include_str!("../../../demo/tide-gauge-mains-supply.json")).unwrap();
    let drawing = draw(&supply);
    (supply, drawing)
}

fn squares((a, b): (Spot, Spot)) -> impl Iterator<Item = Spot> {
    (a.x..=b.x).flat_map(move |x| (a.y..=b.y).map(move |y| Spot { x, y }))
}

#[test]
fn wires_are_square_and_pass_no_part() {
    let (supply, drawing) = demo();
    for net in &drawing.nets {
        for wire in &net.wires {
            assert!(wire.0.x == wire.1.x || wire.0.y == wire.1.y, "{} runs askew: {wire:?}", net.net);
            for spot in squares(*wire) {
                for (part, drawn) in supply.parts.iter().zip(&drawing.parts) {
                    let (w, h) = symbol(part.kind).body;
                    let (w, h) = if drawn.turn % 180 == 0 { (w, h) } else { (h, w) };
                    let inside = (spot.x - drawn.at.x).abs() <= w && (spot.y - drawn.at.y).abs() <= h;
                    assert!(!inside, "{} runs through {}", net.net, part.id);
                }
            }
        }
    }
}

#[test]
fn every_pin_is_reached_and_foreign_pins_are_not() {
    let (supply, drawing) = demo();
    for net in &drawing.nets {
        let covered: Vec<Spot> = net.wires.iter().flat_map(|w| squares(*w)).collect();
        for (part, drawn) in supply.parts.iter().zip(&drawing.parts) {
            for (pin, spot) in &drawn.pins {
                let ours = part.pins[pin] == net.net;
                assert_eq!(covered.contains(spot), ours, "{}.{pin} on {}", part.id, net.net);
            }
        }
    }
}

#[test]
fn crossings_stay_few() {
    let (_, drawing) = demo();
    let mut crossings = 0;
    for (i, a) in drawing.nets.iter().enumerate() {
        for b in &drawing.nets[i + 1..] {
            let covered: Vec<Spot> = a.wires.iter().flat_map(|w| squares(*w)).collect();
            crossings += b.wires.iter().flat_map(|w| squares(*w)).filter(|s| covered.contains(s)).count();
        }
    }
    // One winding end has to cross the other's branch of the bridge.
    assert!(crossings <= 1, "{crossings} crossings");
}
