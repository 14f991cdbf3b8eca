//! The drawing of a circuit: symbols, places, wires.
//!
//! [`draw()`] takes a supply document and returns geometry in grid squares; screens scale and
//! colour it. [`symbol()`] holds the IEC 60617 symbol of every part kind. Wires are routed
//! automatically at right angles around the parts.
//!
//! ```
//! use circuit::{KindId, Part, Supply};
//! use mellow_drawing::{draw, svg};
//! let mut supply = Supply::new("One resistor");
//! let pins = [("a".to_owned(), "in".to_owned()), ("b".to_owned(), "gnd".to_owned())].into();
//! supply.parts.push(Part::new("R1", KindId::Resistor, pins));
//! let drawing = draw(&supply);
//! assert_eq!(drawing.parts[0].label[0], "R1");
//! assert!(svg(&drawing).contains("R1"));
//! ```

mod arrange;
mod bands;
mod drawn;
mod labels;
mod place;
mod route;
mod svg;
mod symbols;

use circuit::Supply;
use std::collections::BTreeSet;

pub use arrange::arrange;
pub use drawn::{Drawing, DrawnNet, DrawnNote, DrawnPart, Spot};
pub use svg::svg;
pub use symbols::{Shape, Symbol, symbol};

/// Draws a supply. Parts without a place are arranged ([`arrange()`]); beyond 1500 parts no wires are drawn.
pub fn draw(supply: &Supply) -> Drawing {
    let placed = placed(supply);
    let supply = placed.as_ref().unwrap_or(supply);
    let mut parts = place::parts(supply);
    let mut nets = route::nets(supply, &parts);
    labels::place(&mut parts, &mut nets);
    let spots = parts
        .iter()
        .flat_map(|p| p.pins.iter().map(|(_, s)| *s).chain([p.at]))
        .chain(nets.iter().flat_map(|n| n.wires.iter().flat_map(|(a, b)| [*a, *b])));
    let (mut from, mut to) = (Spot { x: i32::MAX, y: i32::MAX }, Spot { x: i32::MIN, y: i32::MIN });
    for spot in spots {
        from = Spot { x: from.x.min(spot.x), y: from.y.min(spot.y) };
        to = Spot { x: to.x.max(spot.x), y: to.y.max(spot.y) };
    }
    if parts.is_empty() {
        (from, to) = (Spot { x: 0, y: 0 }, Spot { x: 20, y: 10 });
    }
    let notes: Vec<DrawnNote> = supply
        .texts
        .iter()
        .map(|n| DrawnNote { lines: n.text.lines().map(str::to_owned).collect(), at: Spot { x: n.x, y: n.y } })
        .collect();
    let texts = parts.iter().map(labels::text_of).chain(nets.iter().filter_map(labels::name_of));
    let texts = texts.chain(notes.iter().map(labels::room_of));
    for (left, top, right, bottom) in texts {
        from = Spot { x: from.x.min(left.floor() as i32), y: from.y.min(top.floor() as i32) };
        to = Spot { x: to.x.max(right.ceil() as i32), y: to.y.max(bottom.ceil() as i32) };
    }
    // The reference symbol hangs beneath the lowest wire.
    let from = Spot { x: from.x - 2, y: from.y - 2 };
    let to = Spot { x: to.x + 2, y: to.y + 4 };
    Drawing { from, to, parts, nets, notes }
}

/// The supply with every part in a place; none if that is so already.
pub fn placed(supply: &Supply) -> Option<Supply> {
    let mut places = arrange(supply, &BTreeSet::new());
    if places.is_empty() {
        return None;
    }
    let mut placed = supply.clone();
    for part in placed.parts.iter_mut().filter(|p| p.at.is_none()) {
        part.at = places.remove(&part.id);
    }
    Some(placed)
}
