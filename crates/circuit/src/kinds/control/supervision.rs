//! What lets a converter start, and stops it in time.

use super::super::describe::*;
use super::{COM, HYSTERESIS, LEVEL, OUT, OUTPUT_RESISTANCE, RESPONSE_TIME, THRESHOLD, control};
use quantity::Unit;

const fn volts(id: &'static str, name: &'static str, default: &'static str, help: &'static str) -> Parameter {
    quantity(id, name, Unit::Volt, default, (-1e4, 1e4), help)
}

pub(in super::super) const SOFT_START: Kind = control(
    KindId::SoftStart,
    "Soft start",
    "A reference that rises in a straight line once it is enabled, and is taken back at once where it no longer is.",
    &[OUT, listens("en", "enable"), COM],
    &[
        headline(quantity("voltage", "Reference voltage", Unit::Volt, "2.5", (1e-6, 1e4), "Where it ends.")),
        headline(quantity("rise_time", "Rise time", Unit::Second, "5m", (1e-12, 1e6), "From zero to its end.")),
        THRESHOLD,
        HYSTERESIS,
        OUTPUT_RESISTANCE,
        RESPONSE_TIME,
    ],
);

pub(in super::super) const UNDERVOLTAGE_LOCKOUT: Kind = control(
    KindId::UndervoltageLockout,
    "Undervoltage lockout",
    "High from where its input has risen to the one voltage to where it has fallen to the other.",
    &[OUT, listens("in", "input"), COM],
    &[
        headline(volts("on_voltage", "On at", "10", "Input voltage from which on it is high.")),
        volts("off_voltage", "Off at", "8", "Input voltage at which it goes low again; below the other."),
        LEVEL,
        OUTPUT_RESISTANCE,
        RESPONSE_TIME,
    ],
);

pub(in super::super) const BURST_CONTROLLER: Kind = control(
    KindId::BurstController,
    "Burst controller",
    "Lets a modulator run, high, from where the control voltage has risen to the one level to where it has fallen to the other: at \
     light load in bursts.",
    &[OUT, listens("c", "control"), COM],
    &[
        headline(volts("run_above", "Runs from", "0.6", "Control voltage from which on it lets run.")),
        volts("stop_below", "Stops at", "0.5", "Control voltage at which it stops; below the other."),
        LEVEL,
        OUTPUT_RESISTANCE,
        RESPONSE_TIME,
    ],
);

pub(in super::super) const HICCUP_LIMITER: Kind = control(
    KindId::HiccupLimiter,
    "Hiccup limiter",
    "High as long as all is well. Once what is sensed has been above the limit for a time, going down again counting backwards, it \
     goes low for a pause and then tries again.",
    &[OUT, listens("s", "sense"), COM],
    &[
        headline(quantity("limit", "Limit", Unit::Volt, "0.5", (-1e4, 1e4), "Sensed voltage above which it counts.")),
        quantity(
            "overload_time",
            "Overload time",
            Unit::Second,
            "1m",
            (1e-12, 1e6),
            "Time above the limit that it bears.",
        ),
        quantity("pause", "Off-time", Unit::Second, "20m", (1e-12, 1e6), "How long it stays low."),
        LEVEL,
        OUTPUT_RESISTANCE,
        RESPONSE_TIME,
    ],
);
