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
mod control_symbols;
mod drawn;
mod frame;
mod labels;
mod picture;
mod place;
mod route;
mod svg;
mod symbols;

use circuit::Supply;
use std::collections::BTreeSet;

pub use arrange::arrange;
pub use drawn::{Drawing, DrawnNet, DrawnNote, DrawnPart, Figures, Lettering, PlacedText, Spot};
pub use picture::{Shape, Symbol};
pub use svg::svg;
pub use symbols::symbol;

/// Draws a supply. Parts without a place are arranged ([`arrange()`]); beyond 1500 parts no wires are drawn.
pub fn draw(supply: &Supply) -> Drawing {
    figured(supply, &Figures::default())
}

/// The same with figures beside parts and nets, which stand where there is room for them as all texts do.
pub fn figured(supply: &Supply, figures: &Figures) -> Drawing {
    let placed = placed(supply);
    let supply = placed.as_ref().unwrap_or(supply);
    let mut parts = place::parts(supply);
    let mut nets = route::nets(supply, &parts);
    for part in &mut parts {
        part.label.extend(figures.parts.get(&part.id).into_iter().flatten().cloned());
    }
    let mut left = figures.nets.clone();
    for net in &mut nets {
        net.figure = left.remove(&net.net);
    }
    labels::place(&mut parts, &mut nets);
    let notes: Vec<DrawnNote> = supply
        .texts
        .iter()
        .map(|n| DrawnNote { lines: n.text.lines().map(str::to_owned).collect(), at: Spot { x: n.x, y: n.y } })
        .collect();
    let frame = frame::Frame::of(&parts, &nets).around(notes.iter().map(labels::room_of));
    let texts = parts.iter().map(labels::text_of).chain(nets.iter().filter_map(labels::name_of));
    let (from, to) = frame.around(texts).corners();
    let lettering = labels::LARGER.iter().map(|size| labels::lettering(&parts, &nets, *size, frame)).collect();
    Drawing { from, to, parts, nets, notes, lettering }
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
