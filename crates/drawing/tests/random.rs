//! Whatever a circuit is and wherever its parts stand, what is drawn is that circuit: every pin is joined to its net and to no
//! other, and nothing can be read two ways.

use circuit::kinds::KINDS;
use circuit::{Part, Placement, Supply, Turn};
use mellow_drawing::{Drawing, DrawnNet, Figures, Spot, draw, figured, svg, symbol};
use proptest::prelude::*;
use std::collections::{BTreeMap, BTreeSet};

/// Distance of places, in squares: no part is larger.
const APART: i32 = 14;

type Pick = prop::sample::Index;

#[derive(Clone, Debug)]
struct Placed {
    kind: Pick,
    /// A net for each pin.
    nets: Vec<Pick>,
    turn: Pick,
    mirror: bool,
    /// How far from its place on a wide raster, squares.
    off: (i32, i32),
    /// Whether it has a place at all.
    has: bool,
}

fn part() -> impl Strategy<Value = Placed> {
    let nets = prop::collection::vec(any::<Pick>(), 12);
    (any::<Pick>(), nets, any::<Pick>(), any::<bool>(), (-1..2i32, -1..2i32), prop::bool::weighted(0.8))
        .prop_map(|(kind, nets, turn, mirror, off, has)| Placed { kind, nets, turn, mirror, off, has })
}

/// A supply of such parts with so many nets, its places in rows of four.
fn supply(parts: &[Placed], nets: usize) -> Supply {
    let mut supply = Supply::new("Anything");
    for (n, placed) in parts.iter().enumerate() {
        let kind = placed.kind.get(KINDS);
        let name = |pick: &Pick| match pick.index(nets) {
            0 => "gnd".to_owned(),
            net => format!("n{net}"),
        };
        // Some pins are joined to nothing yet.
        let joined = kind.pins.iter().zip(&placed.nets).filter(|(_, pick)| pick.index(9) > 0);
        let pins = joined.map(|(pin, pick)| (pin.id.to_owned(), name(pick)));
        let mut part = Part::new(format!("P{n}"), kind.id, pins.collect());
        let turn = *placed.turn.get(&[Turn::None, Turn::Quarter, Turn::Half, Turn::ThreeQuarters]);
        let (x, y) = (n as i32 % 4 * APART + placed.off.0, n as i32 / 4 * APART + placed.off.1);
        part.at = placed.has.then_some(Placement { x, y, turn, mirror: placed.mirror, by_hand: true });
        supply.parts.push(part);
    }
    supply
}

fn squares((a, b): (Spot, Spot)) -> impl Iterator<Item = Spot> {
    let (xs, ys) = ((a.x.min(b.x), a.x.max(b.x)), (a.y.min(b.y), a.y.max(b.y)));
    (xs.0..=xs.1).flat_map(move |x| (ys.0..=ys.1).map(move |y| Spot { x, y }))
}

/// Squares of a piece of net, and which of them are joined to the first, if it is in one piece.
fn is_in_one_piece(net: &DrawnNet) -> bool {
    let mut left: Vec<BTreeSet<Spot>> = net.wires.iter().map(|wire| squares(*wire).collect()).collect();
    let Some(mut joined) = left.pop() else { return true };
    while let Some(next) = left.iter().position(|wire| !wire.is_disjoint(&joined)) {
        joined.extend(left.swap_remove(next));
    }
    left.is_empty()
}

/// What can be read wrongly in a drawing.
fn faults(supply: &Supply, drawing: &Drawing) -> Vec<String> {
    let mut faults = Vec::new();
    let mut say = |fault: String| faults.push(fault);
    let covered: Vec<BTreeSet<Spot>> =
        drawing.nets.iter().map(|net| net.wires.iter().flat_map(|wire| squares(*wire)).collect()).collect();
    let mut pieces: BTreeMap<&str, usize> = BTreeMap::new();
    for (net, spots) in drawing.nets.iter().zip(&covered) {
        *pieces.entry(&net.net).or_default() += 1;
        if !is_in_one_piece(net) {
            say(format!("{} falls apart", net.net));
        }
        for (a, b) in &net.wires {
            if a.x != b.x && a.y != b.y {
                say(format!("{} runs askew from {a:?} to {b:?}", net.net));
            }
        }
        if let Some(lost) = net.junctions.iter().find(|spot| !spots.contains(spot)) {
            say(format!("{} has a dot beside its wires at {lost:?}", net.net));
        }
    }
    // Pieces of one net are told by their names, or by the symbol of the reference.
    for net in drawing.nets.iter().filter(|net| pieces[net.net.as_str()] > 1) {
        if net.label_at.is_none() && net.ground_at.is_none() {
            say(format!("a piece of {} says not what it is", net.net));
        }
    }
    for lettering in &drawing.lettering {
        let unnamed = |(net, at): &(&DrawnNet, &Option<_>)| {
            pieces[net.net.as_str()] > 1 && at.is_none() && net.ground_at.is_none()
        };
        if let Some((net, _)) = drawing.nets.iter().zip(&lettering.nets).find(unnamed) {
            say(format!("at size {} a piece of {} says not what it is", lettering.size, net.net));
        }
    }
    // No wire runs through a symbol: over its body, or across a lead on its way to a pin.
    for part in &drawing.parts {
        let (w, h) = symbol(part.kind).body;
        let (w, h) = if part.turn % 180 == 0 { (w, h) } else { (h, w) };
        let body = |s: &Spot| (s.x - part.at.x).abs() <= w && (s.y - part.at.y).abs() <= h;
        let lead = |s: &Spot| {
            part.pins.iter().any(|(_, pin)| {
                let level = s.y == pin.y && (pin.y - part.at.y).abs() <= h;
                let upright = s.x == pin.x && (pin.x - part.at.x).abs() <= w;
                let within = |s: i32, pin: i32, at: i32| if pin > at { at < s && s < pin } else { pin < s && s < at };
                level && within(s.x, pin.x, part.at.x) || upright && within(s.y, pin.y, part.at.y)
            })
        };
        for (net, spots) in drawing.nets.iter().zip(&covered) {
            if let Some(spot) = spots.iter().find(|spot| body(spot) || lead(spot)) {
                say(format!("{} runs through {} at {spot:?}", net.net, part.id));
            }
        }
    }
    // Where two nets meet one passes straight over the other.
    for (a, here) in drawing.nets.iter().zip(&covered) {
        for (b, there) in drawing.nets.iter().zip(&covered).filter(|(b, _)| b.net > a.net) {
            for spot in here.intersection(there) {
                let straight = |net: &DrawnNet, level: bool| {
                    let passes = |(p, q): &(Spot, Spot)| {
                        let inside = if level {
                            p.y == q.y && p.y == spot.y && p.x.min(q.x) < spot.x && spot.x < p.x.max(q.x)
                        } else {
                            p.x == q.x && p.x == spot.x && p.y.min(q.y) < spot.y && spot.y < p.y.max(q.y)
                        };
                        inside && !net.junctions.contains(spot)
                    };
                    net.wires.iter().filter(|wire| squares(**wire).any(|s| s == *spot)).all(passes)
                };
                if !(straight(a, true) && straight(b, false) || straight(a, false) && straight(b, true)) {
                    let at = |net: &DrawnNet| {
                        net.wires.iter().copied().filter(|wire| squares(*wire).any(|s| s == *spot)).collect::<Vec<_>>()
                    };
                    say(format!("{} and {} run together at {spot:?}: {:?} and {:?}", a.net, b.net, at(a), at(b)));
                }
            }
        }
    }
    let mut pins: BTreeMap<&str, usize> = BTreeMap::new();
    supply.parts.iter().flat_map(|part| part.pins.values()).for_each(|net| *pins.entry(net).or_default() += 1);
    for (part, drawn) in supply.parts.iter().zip(&drawing.parts) {
        for (pin, spot) in &drawn.pins {
            let nothing = String::new();
            let own = part.pins.get(pin).unwrap_or(&nothing);
            let nets = || drawing.nets.iter().zip(&covered);
            let mut on = nets().filter(|(net, spots)| spots.contains(spot) || net.ground_at == Some(*spot));
            if pins.get(own.as_str()).is_some_and(|count| *count > 1)
                && !nets().any(|(net, spots)| net.net == *own && (spots.contains(spot) || net.ground_at == Some(*spot)))
            {
                say(format!("{}.{pin} is not joined to {own}", part.id));
            }
            if let Some((other, _)) = on.find(|(net, _)| net.net != *own) {
                say(format!("{}.{pin} of {own} is joined to {}", part.id, other.net));
            }
        }
    }
    faults
}

proptest! {
    #![proptest_config(ProptestConfig { cases: 20, failure_persistence: None, ..ProptestConfig::default() })]

    #[test]
    fn what_is_drawn_is_the_circuit(parts in prop::collection::vec(part(), 1..13), nets in 1..14usize) {
        let supply = supply(&parts, nets);
        let drawing = draw(&supply);
        prop_assert_eq!(drawing.parts.len(), supply.parts.len());
        for (part, drawn) in supply.parts.iter().zip(&drawing.parts) {
            prop_assert_eq!((&drawn.id, drawn.kind, drawn.pins.len()), (&part.id, part.kind, part.kind.kind().pins.len()));
            // Each stands within what is said to be drawn.
            let spots = drawn.pins.iter().map(|(_, spot)| *spot).chain([drawn.at]);
            for spot in spots {
                let inside = (drawing.from.x..=drawing.to.x).contains(&spot.x) && (drawing.from.y..=drawing.to.y).contains(&spot.y);
                prop_assert!(inside, "{} stands outside at {spot:?}", part.id);
            }
        }
        let faults = faults(&supply, &drawing);
        prop_assert!(faults.is_empty(), "{faults:#?}");
        let picture = svg(&drawing);
        let named = supply.parts.iter().all(|part| picture.contains(&format!(">{}<", part.id)));
        prop_assert!(named, "a part has no name in the picture");
        prop_assert_eq!(draw(&supply), drawing.clone());
        // Figures beside it move no part and no wire, and stand once at each net and at every part.
        let figures = Figures {
            parts: supply.parts.iter().map(|part| (part.id.clone(), vec!["1.234 mA, 5.678 mW".to_owned()])).collect(),
            nets: drawing.nets.iter().map(|net| (net.net.clone(), "12.34 V".to_owned())).collect(),
        };
        let read = figured(&supply, &figures);
        for (plain, read) in drawing.parts.iter().zip(&read.parts) {
            prop_assert_eq!((plain.at, plain.turn, &plain.pins), (read.at, read.turn, &read.pins));
            prop_assert_eq!(read.label.len(), plain.label.len() + 1);
        }
        for (plain, read) in drawing.nets.iter().zip(&read.nets) {
            prop_assert_eq!((&plain.wires, &plain.junctions), (&read.wires, &read.junctions));
        }
        let faults = self::faults(&supply, &read);
        prop_assert!(faults.is_empty(), "with figures: {faults:#?}");
        let names: BTreeSet<&str> = read.nets.iter().map(|net| net.net.as_str()).collect();
        prop_assert_eq!(read.nets.iter().filter(|net| net.figure.is_some()).count(), names.len());
    }
}
