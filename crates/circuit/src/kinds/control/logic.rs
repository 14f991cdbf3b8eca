//! Logic: what decides between two levels.

use super::super::describe::*;
use super::{COM, HYSTERESIS, LEVEL, OUT, OUTPUT_RESISTANCE, RESPONSE_TIME, THRESHOLD, control};
use quantity::Unit;

const TWO_INPUTS: &[Pin] = &[OUT, listens("a", "input"), listens("b", "second input"), COM];
const ONE_INPUT: &[Pin] = &[OUT, listens("a", "input"), COM];

const PARAMETERS: &[Parameter] = &[LEVEL, THRESHOLD, HYSTERESIS, OUTPUT_RESISTANCE, RESPONSE_TIME];

const fn decides(id: KindId, name: &'static str, help: &'static str, pins: &'static [Pin]) -> Kind {
    control(id, name, help, pins, PARAMETERS)
}

pub(in super::super) const AND_GATE: Kind = decides(
    KindId::AndGate,
    "AND gate",
    "High while both inputs are high. Inputs draw no current; the output needs no supply.",
    TWO_INPUTS,
);

pub(in super::super) const OR_GATE: Kind = decides(
    KindId::OrGate,
    "OR gate",
    "High while either input is high. Inputs draw no current; the output needs no supply.",
    TWO_INPUTS,
);

pub(in super::super) const XOR_GATE: Kind = decides(
    KindId::XorGate,
    "Exclusive-OR gate",
    "High while one input is high and the other low. Inputs draw no current; the output needs no supply.",
    TWO_INPUTS,
);

pub(in super::super) const INVERTER: Kind = decides(
    KindId::Inverter,
    "Inverter",
    "High while its input is low. The input draws no current; the output needs no supply.",
    ONE_INPUT,
);

pub(in super::super) const LATCH: Kind = decides(
    KindId::Latch,
    "Latch",
    "Goes high when it is set and low when it is reset, and stays; reset while both are high. Low at first. Inputs draw no \
     current; the output needs no supply.",
    &[OUT, listens("s", "set"), listens("r", "reset"), COM],
);

pub(in super::super) const DELAY: Kind = Kind {
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
