//! What a symbol consists of.

use schemars::JsonSchema;
use serde::Serialize;

/// The picture of a part kind.
#[derive(Clone, Debug, PartialEq, Serialize, JsonSchema)]
pub struct Symbol {
    /// Part kind it belongs to.
    pub kind: &'static str,
    /// Places of the pins, in the order of the part table.
    pub pins: &'static [(i32, i32)],
    /// Half width and half height of what wires must keep clear of.
    pub body: (i32, i32),
    /// What is drawn.
    pub shapes: Vec<Shape>,
}

/// Places of the pins, what wires keep clear of, and what is drawn.
pub(crate) type Picture = (&'static [(i32, i32)], (i32, i32), Vec<Shape>);

/// A path in SVG path syntax, in grid squares.
#[derive(Clone, Debug, PartialEq, Serialize, JsonSchema)]
pub struct Shape {
    /// SVG path data.
    pub path: &'static str,
    /// Filled instead of stroked.
    pub filled: bool,
    /// Neither turned nor mirrored with the rest, because it is read.
    pub upright: bool,
}

pub(crate) const fn line(path: &'static str) -> Shape {
    Shape { path, filled: false, upright: false }
}

pub(crate) const fn filled(path: &'static str) -> Shape {
    Shape { path, filled: true, upright: false }
}

pub(crate) const fn read(path: &'static str) -> Shape {
    Shape { path, filled: false, upright: true }
}
