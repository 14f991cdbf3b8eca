//! Logic: what decides between two levels.

use super::describe::*;
use quantity::Unit;

const OUT: Pin = pin("out", "output");
const COM: Pin = pin("com", "common");
const TWO_INPUTS: &[Pin] = &[OUT, pin("a", "input"), pin("b", "second input"), COM];
const ONE_INPUT: &[Pin] = &[OUT, pin("a", "input"), COM];

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
const PARAMETERS: &[Parameter] = &[LEVEL, THRESHOLD, HYSTERESIS, OUTPUT_RESISTANCE, RESPONSE_TIME];

const fn decides(id: KindId, name: &'static str, help: &'static str, pins: &'static [Pin]) -> Kind {
    Kind {
        id,
        name,
        letter: "U",
        help,
        pins,
        parameters: PARAMETERS,
        ratings: &[],
        dc_paths: if pins.len() == 4 { &[(0, 3)] } else { &[(0, 2)] },
        fixes_voltage: false,
    }
}

pub(super) const AND_GATE: Kind = decides(
    KindId::AndGate,
    "AND gate",
    "High while both inputs are high. Inputs draw no current; the output needs no supply.",
    TWO_INPUTS,
);

pub(super) const OR_GATE: Kind = decides(
    KindId::OrGate,
    "OR gate",
    "High while either input is high. Inputs draw no current; the output needs no supply.",
    TWO_INPUTS,
);

pub(super) const XOR_GATE: Kind = decides(
    KindId::XorGate,
    "Exclusive-OR gate",
    "High while one input is high and the other low. Inputs draw no current; the output needs no supply.",
    TWO_INPUTS,
);

pub(super) const INVERTER: Kind = decides(
    KindId::Inverter,
    "Inverter",
    "High while its input is low. The input draws no current; the output needs no supply.",
    ONE_INPUT,
);

pub(super) const LATCH: Kind = decides(
    KindId::Latch,
    "Latch",
    "Goes high when it is set and low when it is reset, and stays; reset while both are high. Low at first. Inputs draw no \
     current; the output needs no supply.",
    &[OUT, pin("s", "set"), pin("r", "reset"), COM],
);

pub(super) const DELAY: Kind = Kind {
    parameters: &[
        headline(quantity(
            "rise_delay",
            "Delay of rising edges",
            Unit::Second,
            "100n",
            (1e-12, 1e6),
            "Time from where the input has gone high to where the output does.",
        )),
        headline(quantity(
            "fall_delay",
            "Delay of falling edges",
            Unit::Second,
            "100n",
            (1e-12, 1e6),
            "Time from where the input has gone low to where the output does.",
        )),
        LEVEL,
        THRESHOLD,
        HYSTERESIS,
        OUTPUT_RESISTANCE,
        RESPONSE_TIME,
    ],
    ..decides(
        KindId::Delay,
        "Delay",
        "Passes edges on later, rising and falling ones each by a time of their own; pulses shorter than that do not pass. \
         Two of them with different times make dead time. The input draws no current; the output needs no supply.",
        ONE_INPUT,
    )
};
