//! Control parts: what decides, shapes and keeps time between what is sensed and what switches.
//!
//! Inputs draw no current and outputs need no supply; what each does is said in the crate of control parts.

pub(super) mod compensators;
pub(super) mod logic;
pub(super) mod modulators;
pub(super) mod supervision;
pub(super) mod timing;

use super::describe::*;
use quantity::Unit;

const OUT: Pin = drives("out", "output");
const COM: Pin = pin("com", "common");

const LEVEL: Parameter = quantity(
    "level",
    "High level",
    Unit::Volt,
    "5",
    (1e-3, 1e4),
    "Voltage of the output against its common when it is high; low is zero.",
);
const THRESHOLD: Parameter = quantity(
    "threshold",
    "Threshold",
    Unit::Volt,
    "2.5",
    (-1e4, 1e4),
    "Voltage of an input against the common in the middle between low and high.",
);
const HYSTERESIS: Parameter = quantity(
    "hysteresis",
    "Hysteresis",
    Unit::Volt,
    "0.5",
    (1e-6, 1e4),
    "Width between the two thresholds of an input.",
);
const OUTPUT_RESISTANCE: Parameter =
    quantity("output_resistance", "Output resistance", Unit::Ohm, "50", (1e-3, 1e6), "Resistance of the output.");
const RESPONSE_TIME: Parameter = quantity(
    "response_time",
    "Response time",
    Unit::Second,
    "10n",
    (1e-12, 1.0),
    "Time constant of the output's edges. Simulated by switching there is none.",
);

const fn control(
    id: KindId,
    name: &'static str,
    help: &'static str,
    pins: &'static [Pin],
    parameters: &'static [Parameter],
) -> Kind {
    Kind {
        id,
        name,
        letter: "U",
        help,
        pins,
        parameters,
        ratings: &[],
        dc_paths: match pins.len() {
            3 => &[(0, 2)],
            _ => &[(0, 3)],
        },
        fixes_voltage: false,
    }
}

const fn choice(
    id: &'static str,
    name: &'static str,
    options: &'static [(&'static str, &'static str)],
    default: &'static str,
    help: &'static str,
) -> Parameter {
    Parameter { id, name, help, form: Form::Choice { options, default }, headline: false, sought: None }
}
