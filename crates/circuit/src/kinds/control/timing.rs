//! What keeps time: drivers with dead time, pulses of a length, counts.

use super::super::describe::*;
use super::{COM, HYSTERESIS, LEVEL, OUT, OUTPUT_RESISTANCE, RESPONSE_TIME, THRESHOLD, choice, control};
use quantity::Unit;

pub(in super::super) const HALF_BRIDGE_DRIVER: Kind = Kind {
    dc_paths: &[(0, 1), (2, 3)],
    ..control(
        KindId::HalfBridgeDriver,
        "Half-bridge driver",
        "Turns the upper switch on while the input is high and the lower while it is low, never both: each comes on a dead time \
         after the other has gone off. The upper output rides on its own return, and needs no supply.",
        &[
            drives("ho", "upper output"),
            pin("hs", "upper return"),
            drives("lo", "lower output"),
            COM,
            listens("in", "input"),
        ],
        &[
            headline(quantity(
                "dead_time",
                "Dead time",
                Unit::Second,
                "50n",
                (1e-12, 1e6),
                "Time in which neither switch is on.",
            )),
            LEVEL,
            THRESHOLD,
            HYSTERESIS,
            OUTPUT_RESISTANCE,
            RESPONSE_TIME,
        ],
    )
};

pub(in super::super) const MONOSTABLE: Kind = control(
    KindId::Monostable,
    "Monostable",
    "Goes high for a time where its input goes high.",
    &[OUT, listens("a", "input"), COM],
    &[
        headline(quantity("pulse_width", "Pulse width", Unit::Second, "1u", (1e-12, 1e6), "How long it is high.")),
        choice(
            "retriggers",
            "Another edge",
            &[("no", "is ignored while it is high"), ("yes", "begins the time anew")],
            "no",
            "What an edge does that comes while the output is high.",
        ),
        LEVEL,
        THRESHOLD,
        HYSTERESIS,
        OUTPUT_RESISTANCE,
        RESPONSE_TIME,
    ],
);

pub(in super::super) const COUNTER: Kind = control(
    KindId::Counter,
    "Counter",
    "Counts where its input goes high and begins anew at its modulus; high in the second half of the count, so that it divides a \
     frequency. Held at zero by its reset.",
    &[OUT, listens("a", "input"), listens("r", "reset"), COM],
    &[
        headline(quantity("modulus", "Modulus", Unit::One, "2", (2.0, 1e6), "Edges of a whole count.")),
        LEVEL,
        THRESHOLD,
        HYSTERESIS,
        OUTPUT_RESISTANCE,
        RESPONSE_TIME,
    ],
);
