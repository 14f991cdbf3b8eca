//! A circuit as it is drawn, in grid squares.

use circuit::{GND, KindId};
use schemars::JsonSchema;
use serde::Serialize;
use std::collections::BTreeMap;

/// A place on the grid; x grows to the right, y downwards.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Hash, PartialOrd, Ord, Serialize, JsonSchema)]
#[allow(missing_docs)]
pub struct Spot {
    pub x: i32,
    pub y: i32,
}

/// A drawn circuit.
#[derive(Clone, Debug, PartialEq, Serialize, JsonSchema)]
pub struct Drawing {
    /// Top left corner of all there is, with a margin.
    pub from: Spot,
    /// Bottom right corner.
    pub to: Spot,
    /// Every part, in document order.
    pub parts: Vec<DrawnPart>,
    /// Every net that has a wire or a label.
    pub nets: Vec<DrawnNet>,
    /// Notes, in document order.
    pub notes: Vec<DrawnNote>,
    /// Places of all texts when they are larger, smallest size first: for wherever the drawing stands so small
    /// that they could not be read.
    pub lettering: Vec<Lettering>,
}

/// Places of the texts of parts and nets at another size than the usual one.
#[derive(Clone, Debug, PartialEq, Serialize, JsonSchema)]
pub struct Lettering {
    /// Times the usual size.
    pub size: f64,
    /// Top left corner of all there is with these texts, with a margin.
    pub from: Spot,
    /// Bottom right corner.
    pub to: Spot,
    /// Text of each part, in the order of the parts; none where there is no room.
    pub parts: Vec<Option<PlacedText>>,
    /// Where the name of each net stands, in grid squares, in the order of the nets.
    pub nets: Vec<Option<(f64, f64)>>,
    /// Nets, by their place, whose name stands without its figure for want of room.
    pub bare: Vec<usize>,
}

/// A part's text in its place.
#[derive(Clone, Debug, PartialEq, Serialize, JsonSchema)]
pub struct PlacedText {
    /// Where the first line stands, in grid squares.
    pub at: (f64, f64),
    /// Lines of the text that are shown.
    pub lines: usize,
}

/// A note in its place.
#[derive(Clone, Debug, PartialEq, Serialize, JsonSchema)]
pub struct DrawnNote {
    /// Its text, line by line.
    pub lines: Vec<String>,
    /// Where the first line begins.
    pub at: Spot,
}

/// A part in its place.
#[derive(Clone, Debug, PartialEq, Serialize, JsonSchema)]
pub struct DrawnPart {
    /// Designator.
    pub id: String,
    /// Part kind, which names the symbol.
    pub kind: KindId,
    /// Stage the part belongs to.
    pub stage: Option<String>,
    /// Where the symbol's origin lies.
    pub at: Spot,
    /// Clockwise turn in degrees.
    pub turn: i32,
    /// Mirrored left to right before turning.
    pub mirror: bool,
    /// Pin identifiers and places.
    pub pins: Vec<(String, Spot)>,
    /// Lines of text beside the symbol: designator, then headline values.
    pub label: Vec<String>,
    /// Where the first line stands, in grid squares.
    pub label_at: (f64, f64),
}

/// A net's wires.
#[derive(Clone, Debug, PartialEq, Serialize, JsonSchema)]
pub struct DrawnNet {
    /// Name.
    pub net: String,
    /// A figure that stands behind the name.
    pub figure: Option<String>,
    /// Whether the name stands without its figure for want of room.
    pub bare: bool,
    /// Straight pieces of wire.
    pub wires: Vec<(Spot, Spot)>,
    /// Places where three or more wires meet.
    pub junctions: Vec<Spot>,
    /// Where the name stands, in grid squares; none for `gnd`, which has its symbol instead.
    pub label_at: Option<(f64, f64)>,
    /// Where the symbol of the reference net hangs.
    pub ground_at: Option<Spot>,
}

impl DrawnNet {
    /// What stands at it: its name, and its figure if it has one and there is room for it.
    pub fn text(&self) -> String {
        self.lettered(self.bare)
    }

    pub(crate) fn lettered(&self, bare: bool) -> String {
        match &self.figure {
            Some(figure) if !bare => format!("{} {figure}", self.net),
            _ => self.net.clone(),
        }
    }
}

/// Figures that stand beside parts and nets, as they are read.
#[derive(Clone, Debug, Default, PartialEq, Eq)]
pub struct Figures {
    /// Further lines of a part's text, by designator.
    pub parts: BTreeMap<String, Vec<String>>,
    /// What stands behind a net's name, by name; once, where it is drawn in several pieces.
    pub nets: BTreeMap<String, String>,
}

/// Whether a net is the reference.
pub(crate) fn is_ground(net: &str) -> bool {
    net == GND
}
