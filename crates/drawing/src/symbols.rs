//! Symbols of IEC 60617, drawn on a grid whose square is the unit.
//!
//! Two-pin symbols stand upright, first pin above.

use crate::Spot;
use circuit::KindId;
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

/// A path in SVG path syntax, in grid squares.
#[derive(Clone, Debug, PartialEq, Serialize, JsonSchema)]
pub struct Shape {
    /// SVG path data.
    pub path: &'static str,
    /// Filled instead of stroked.
    pub filled: bool,
}

const fn line(path: &'static str) -> Shape {
    Shape { path, filled: false }
}

const fn filled(path: &'static str) -> Shape {
    Shape { path, filled: true }
}

const UPRIGHT: &[(i32, i32)] = &[(0, -2), (0, 2)];
const CROSSWISE: &[(i32, i32)] = &[(-2, -3), (-2, 3), (2, -3), (2, 3)];
const CIRCLE: &str = "M0 -1.3 A1.3 1.3 0 0 1 0 1.3 A1.3 1.3 0 0 1 0 -1.3";
const LEADS_TO_CIRCLE: &str = "M0 -2 V-1.3 M0 1.3 V2";
/// The marks of the + pin, clear of the lead.
const PLUS: &str = "M-1.5 -1.7 H-0.9 M-1.2 -2 V-1.4";
const PRIMARY: &str = "M-2 -3 H-1.1 V-2 A0.5 0.5 0 0 1 -1.1 -1 A0.5 0.5 0 0 1 -1.1 0 A0.5 0.5 0 0 1 -1.1 1 \
                       A0.5 0.5 0 0 1 -1.1 2 V3 H-2";
const SECONDARY: &str = "M2 -3 H1.1 V-2 A0.5 0.5 0 0 0 1.1 -1 A0.5 0.5 0 0 0 1.1 0 A0.5 0.5 0 0 0 1.1 1 \
                         A0.5 0.5 0 0 0 1.1 2 V3 H2";
/// Dots at the winding starts.
const STARTS: &str = "M-1.75 -2.2 a0.16 0.16 0 1 0 0.32 0 a0.16 0.16 0 1 0 -0.32 0 \
                      M1.43 -2.2 a0.16 0.16 0 1 0 0.32 0 a0.16 0.16 0 1 0 -0.32 0";

/// The symbol of a part kind.
pub fn symbol(kind: KindId) -> Symbol {
    let (pins, body, shapes): (&'static [(i32, i32)], _, _) = match kind {
        KindId::SineSource => (
            UPRIGHT,
            (1, 1),
            vec![
                line(CIRCLE),
                line(LEADS_TO_CIRCLE),
                line("M-0.75 0 C-0.4 -1 -0.2 -0.6 0 0 S0.4 1 0.75 0"),
                line(PLUS),
            ],
        ),
        KindId::DcSource => (UPRIGHT, (1, 1), vec![line(CIRCLE), line("M0 -2 V2"), line(PLUS)]),
        KindId::PulseSource => (
            UPRIGHT,
            (1, 1),
            vec![line(CIRCLE), line(LEADS_TO_CIRCLE), line("M-0.8 0.5 H-0.4 V-0.5 H0.4 V0.5 H0.8"), line(PLUS)],
        ),
        KindId::Resistor => {
            (UPRIGHT, (1, 1), vec![line("M0 -2 V-1.4 M0 1.4 V2"), line("M-0.5 -1.4 H0.5 V1.4 H-0.5 Z")])
        }
        KindId::Capacitor => (
            UPRIGHT,
            (1, 1),
            vec![
                line("M0 -2 V-0.25 M0 0.25 V2"),
                line("M-1 -0.25 H1 M-1 0.25 H1"),
                line("M-1.2 -0.9 H-0.6 M-0.9 -1.2 V-0.6"),
            ],
        ),
        KindId::Inductor => (
            UPRIGHT,
            (1, 1),
            vec![line("M0 -2 A0.5 0.5 0 0 1 0 -1 A0.5 0.5 0 0 1 0 0 A0.5 0.5 0 0 1 0 1 A0.5 0.5 0 0 1 0 2")],
        ),
        KindId::IdealTransformer => (CROSSWISE, (2, 2), vec![line(PRIMARY), line(SECONDARY), filled(STARTS)]),
        KindId::CoupledWindings => {
            (CROSSWISE, (2, 2), vec![line(PRIMARY), line(SECONDARY), line("M0 -2.3 V2.3"), filled(STARTS)])
        }
        KindId::Diode => (UPRIGHT, (1, 1), vec![line("M0 -2 V2"), line("M-0.9 -0.8 H0.9 L0 0.8 Z M-0.9 0.8 H0.9")]),
        KindId::TimedSwitch => (UPRIGHT, (1, 1), vec![line("M0 -2 V-0.9 M0 0.9 V2"), line("M0 0.9 L-0.9 -0.8")]),
    };
    Symbol { kind: kind.name(), pins, body, shapes }
}

/// Where a point of a symbol lands when the part is mirrored, turned and put in its place.
pub(crate) fn transform((x, y): (i32, i32), at: Spot, turn: i32, mirror: bool) -> Spot {
    let x = if mirror { -x } else { x };
    let (x, y) = match turn {
        90 => (-y, x),
        180 => (-x, -y),
        270 => (y, -x),
        _ => (x, y),
    };
    Spot { x: at.x + x, y: at.y + y }
}
