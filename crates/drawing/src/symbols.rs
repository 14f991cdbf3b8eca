//! Symbols of IEC 60617, drawn on a grid whose square is the unit.
//!
//! Two-pin symbols stand upright, first pin above.

use crate::control_symbols::control;
use crate::drawn::Spot;
use crate::picture::{Picture, Symbol, filled, line};
use circuit::KindId;

const UPRIGHT: &[(i32, i32)] = &[(0, -2), (0, 2)];
const CROSSWISE: &[(i32, i32)] = &[(-2, -3), (-2, 3), (2, -3), (2, 3)];
const TRANSISTOR: &[(i32, i32)] = &[(0, -2), (-2, 0), (0, 2)];
const AMPLIFIER: &[(i32, i32)] = &[(3, 0), (-3, 1), (-3, -1), (0, -3), (0, 3)];
const CONTROLLED: &[(i32, i32)] = &[(2, -3), (2, 3), (-2, -3), (-2, 3)];
/// Gate and broken channel, drain above, source below with the substrate.
const MOSFET: &str = "M-2 0 H-1.3 M-1.3 -1 V1 M-0.9 -1.2 V-0.6 M-0.9 -0.3 V0.3 M-0.9 0.6 V1.2 M-0.9 -0.9 H0 V-2 \
                      M-0.9 0.9 H0 V2 M-0.9 0 H0 V0.9";
/// Base, collector above, emitter below.
const BIPOLAR: &str = "M-2 0 H-1 M-1 -1 V1 M-1 -0.4 L0 -1.2 V-2 M-1 0.4 L0 1.2 V2";
const TRIANGLE: &str = "M-2 -2 L2 0 L-2 2 Z M2 0 H3 M-3 1 H-2 M-3 -1 H-2 M0 -3 V-1 M0 1 V3";
const INPUT_MARKS: &str = "M-1.7 1 H-1.1 M-1.4 0.7 V1.3 M-1.7 -1 H-1.1";
const DIAMOND: &str = "M2 -1.4 L3.2 0 L2 1.4 L0.8 0 Z";
const CONTROL: &str = "M-2 -3 V-1 M-2 1 V3 M-2.4 -1.6 H-1.6";
/// An arrow beside the circle, pointing down.
const DOWN: &str = "M-1.7 -0.8 V0.8 M-2 0.4 L-1.7 0.8 L-1.4 0.4";
const LOAD: &str = "M0 -2 V-1.2 M0 1.2 V2 M-0.9 -1.2 H0.9 V1.2 H-0.9 Z";
const CIRCLE: &str = "M0 -1.3 A1.3 1.3 0 0 1 0 1.3 A1.3 1.3 0 0 1 0 -1.3";
const LEADS_TO_CIRCLE: &str = "M0 -2 V-1.3 M0 1.3 V2";
/// The marks of the + pin, clear of the lead.
const PLUS: &str = "M-1.5 -1.7 H-0.9 M-1.2 -2 V-1.4";
const PRIMARY: &str = "M-2 -3 H-1.1 V-2 A0.5 0.5 0 0 1 -1.1 -1 A0.5 0.5 0 0 1 -1.1 0 A0.5 0.5 0 0 1 -1.1 1 \
                       A0.5 0.5 0 0 1 -1.1 2 V3 H-2";
const SECONDARY: &str = "M2 -3 H1.1 V-2 A0.5 0.5 0 0 0 1.1 -1 A0.5 0.5 0 0 0 1.1 0 A0.5 0.5 0 0 0 1.1 1 \
                         A0.5 0.5 0 0 0 1.1 2 V3 H2";
/// One winding above the other.
const TWO_SECONDARIES: &str = "M2 -6 H1.1 V-5.5 A0.5 0.5 0 0 0 1.1 -4.5 A0.5 0.5 0 0 0 1.1 -3.5 \
     A0.5 0.5 0 0 0 1.1 -2.5 A0.5 0.5 0 0 0 1.1 -1.5 V-1 H2 M2 1 H1.1 V1.5 A0.5 0.5 0 0 0 1.1 2.5 \
     A0.5 0.5 0 0 0 1.1 3.5 A0.5 0.5 0 0 0 1.1 4.5 A0.5 0.5 0 0 0 1.1 5.5 V6 H2";
/// Dots at the winding starts.
const THREE_STARTS: &str = "M-1.75 -2.2 a0.16 0.16 0 1 0 0.32 0 a0.16 0.16 0 1 0 -0.32 0 \
     M1.45 -5.4 a0.16 0.16 0 1 0 0.32 0 a0.16 0.16 0 1 0 -0.32 0 \
     M1.45 1.6 a0.16 0.16 0 1 0 0.32 0 a0.16 0.16 0 1 0 -0.32 0";
const STARTS: &str = "M-1.75 -2.2 a0.16 0.16 0 1 0 0.32 0 a0.16 0.16 0 1 0 -0.32 0 \
                      M1.43 -2.2 a0.16 0.16 0 1 0 0.32 0 a0.16 0.16 0 1 0 -0.32 0";

/// The symbol of a part kind.
pub fn symbol(kind: KindId) -> Symbol {
    let (pins, body, shapes): Picture = match kind {
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
        KindId::Schottky => (
            UPRIGHT,
            (1, 1),
            vec![line("M0 -2 V2"), line("M-0.9 -0.8 H0.9 L0 0.8 Z M-0.6 1.1 H-0.9 V0.8 H0.9 V0.5 H0.6")],
        ),
        KindId::Zener => {
            (UPRIGHT, (1, 1), vec![line("M0 -2 V2"), line("M-0.9 -0.8 H0.9 L0 0.8 Z M-0.9 1.2 V0.8 H0.9")])
        }
        KindId::Led => (
            UPRIGHT,
            (2, 1),
            vec![
                line("M0 -2 V2"),
                line("M-0.9 -0.8 H0.9 L0 0.8 Z M-0.9 0.8 H0.9"),
                line("M1 0.1 L1.7 -0.6 M1.3 -0.6 H1.7 V-0.2 M1 0.9 L1.7 0.2 M1.3 0.2 H1.7 V0.6"),
            ],
        ),
        KindId::MosfetN => (TRANSISTOR, (1, 1), vec![line(MOSFET), filled("M-0.5 0 L0.1 -0.35 V0.35 Z")]),
        KindId::MosfetP => (TRANSISTOR, (1, 1), vec![line(MOSFET), filled("M0.6 0 L0 -0.35 V0.35 Z")]),
        KindId::Npn => (TRANSISTOR, (1, 1), vec![line(BIPOLAR), filled("M0 1.1 L-0.55 1.05 L-0.2 0.5 Z")]),
        KindId::Pnp => (TRANSISTOR, (1, 1), vec![line(BIPOLAR), filled("M-0.8 0.4 L-0.25 0.45 L-0.6 1 Z")]),
        KindId::Amplifier => (AMPLIFIER, (2, 2), vec![line(TRIANGLE), line(INPUT_MARKS)]),
        KindId::Comparator => {
            (AMPLIFIER, (2, 2), vec![line(TRIANGLE), line(INPUT_MARKS), line("M0 0.4 H0.4 V-0.4 H0.8")])
        }
        KindId::ShuntReference => (
            &[(0, -2), (0, 2), (-2, 0)],
            (1, 1),
            vec![line("M0 -2 V2 M-2 0 H-0.45"), line("M-0.9 0.8 H0.9 L0 -0.8 Z M-1.2 -0.5 L-0.9 -0.8 H0.9 L1.2 -1.1")],
        ),
        KindId::SeriesReference => (
            &[(-3, 0), (3, 0), (0, 3)],
            (2, 2),
            vec![
                line("M-2 -2 H2 V2 H-2 Z"),
                line("M-3 0 H-2 M2 0 H3 M0 2 V3"),
                line("M-0.7 0.8 H0.7 L0 -0.4 Z M-1 -0.1 L-0.7 -0.4 H0.7 L1 -0.7"),
            ],
        ),
        KindId::Regulator => (
            &[(-3, 0), (3, 0), (0, 3)],
            (2, 2),
            vec![line("M-2 -2 H2 V2 H-2 Z"), line("M-3 0 H-2 M2 0 H3 M0 2 V3"), line("M-1 0.6 H-0.3 V-0.2 H1")],
        ),
        KindId::CurrentSource => {
            (UPRIGHT, (2, 1), vec![line(CIRCLE), line(LEADS_TO_CIRCLE), line("M-1.3 0 H1.3"), line(DOWN)])
        }
        KindId::PiecewiseSource => (
            UPRIGHT,
            (1, 1),
            vec![line(CIRCLE), line(LEADS_TO_CIRCLE), line("M-0.8 0.5 L-0.3 -0.5 L0.2 0.1 L0.8 -0.3"), line(PLUS)],
        ),
        KindId::ExponentialSource => (
            UPRIGHT,
            (1, 1),
            vec![
                line(CIRCLE),
                line(LEADS_TO_CIRCLE),
                line("M-0.8 0.5 C-0.7 -0.6 -0.3 -0.6 0 -0.6 C0.1 0.4 0.4 0.5 0.8 0.5"),
                line(PLUS),
            ],
        ),
        KindId::ThreePhaseSource => (
            &[(2, -3), (2, 0), (2, 3), (-2, 0)],
            (1, 3),
            vec![
                line("M-2 0 H-1.5 M2 -3 H1 L0 -1.5 M2 0 H1.5 M2 3 H1 L0 1.5"),
                line("M0 -1.5 A1.5 1.5 0 0 1 0 1.5 A1.5 1.5 0 0 1 0 -1.5"),
                line("M-0.9 0 C-0.5 -1 -0.3 -0.6 0 0 S0.5 1 0.9 0"),
            ],
        ),
        KindId::VoltageControlledVoltage | KindId::CurrentControlledVoltage => (
            CONTROLLED,
            (2, 2),
            vec![
                line(DIAMOND),
                line("M1 -3 H2 M2 -3 V-1.4 M2 1.4 V3"),
                line("M2 -1.4 V1.4"),
                line(CONTROL),
                line("M2.6 -1.9 H3.2 M2.9 -2.2 V-1.6"),
            ],
        ),
        KindId::VoltageControlledCurrent | KindId::CurrentControlledCurrent => (
            CONTROLLED,
            (2, 2),
            vec![
                line(DIAMOND),
                line("M2 -3 V-1.4 M2 1.4 V3"),
                line("M0.8 0 H3.2"),
                line(CONTROL),
                line("M3 1.7 V2.6 M2.7 2.2 L3 2.6 L3.3 2.2"),
            ],
        ),
        KindId::Thermistor => (
            UPRIGHT,
            (1, 1),
            vec![
                line("M0 -2 V-1.4 M0 1.4 V2"),
                line("M-0.5 -1.4 H0.5 V1.4 H-0.5 Z"),
                line("M-1.2 1.6 H-0.6 L1.1 -1.2"),
            ],
        ),
        KindId::CoreTransformer => (
            CROSSWISE,
            (2, 2),
            vec![line(PRIMARY), line(SECONDARY), line("M-0.2 -2.3 V2.3 M0.2 -2.3 V2.3"), filled(STARTS)],
        ),
        KindId::HystereticTransformer => (
            CROSSWISE,
            (2, 2),
            vec![
                line(PRIMARY),
                line(SECONDARY),
                line("M-0.2 -2.3 V2.3 M0.2 -2.3 V2.3"),
                line("M-0.6 3 H-0.2 C0.3 3 0 2.6 0.6 2.6 M0.6 2.6 H0.2 C-0.3 2.6 0 3 -0.6 3"),
                filled(STARTS),
            ],
        ),
        KindId::ThreeWindings => (
            &[(-2, -3), (-2, 3), (2, -6), (2, -1), (2, 1), (2, 6)],
            (1, 6),
            vec![line(PRIMARY), line(TWO_SECONDARIES), line("M0 -5.3 V5.3"), filled(THREE_STARTS)],
        ),
        KindId::ControlledSwitch | KindId::CurrentSwitch => (
            &[(2, -3), (2, 3), (-2, -3), (-2, 3)],
            (2, 2),
            vec![line("M2 -3 V-0.9 M2 0.9 V3"), line("M2 0.9 L1.1 -0.8"), line(CONTROL)],
        ),
        KindId::CurrentLoad => (UPRIGHT, (1, 1), vec![line(LOAD), line("M0 -0.8 V0.7 M-0.3 0.3 L0 0.8 L0.3 0.3")]),
        KindId::PowerLoad => {
            (UPRIGHT, (1, 1), vec![line(LOAD), line("M-0.25 0.8 V-0.8 H0.1 A0.4 0.4 0 0 1 0.1 0.05 H-0.25")])
        }
        KindId::SteppedLoad => (UPRIGHT, (1, 1), vec![line(LOAD), line("M-0.5 0.5 H0 V-0.5 H0.5")]),
        KindId::TimedSwitch => (UPRIGHT, (1, 1), vec![line("M0 -2 V-0.9 M0 0.9 V2"), line("M0 0.9 L-0.9 -0.8")]),
        _ => control(kind),
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
