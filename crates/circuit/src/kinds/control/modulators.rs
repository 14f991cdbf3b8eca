//! What makes pulses of a control voltage.

use super::super::describe::*;
use super::compensators::corner;
use super::{COM, LEVEL, OUT, OUTPUT_RESISTANCE, RESPONSE_TIME, choice, control};
use quantity::Unit;

const CONTROL: Pin = listens("c", "control");
const BY_SENSE: &[Pin] = &[OUT, CONTROL, listens("s", "sense"), COM];
const FREQUENCY: Parameter =
    headline(quantity("frequency", "Switching frequency", Unit::Hertz, "100k", (1e-3, 1e9), "Pulses per second."));
const MAX_DUTY: Parameter =
    quantity("max_duty", "Maximum duty", Unit::Share, "95 %", (1e-3, 1.0), "Longest pulse, as a part of the period.");
const PHASE: Parameter = quantity(
    "phase",
    "Phase",
    Unit::Degree,
    "0",
    (-360.0, 360.0),
    "How far the clock has turned at time zero; give phases of an interleaved converter theirs here.",
);

const fn time(id: &'static str, name: &'static str, default: &'static str, help: &'static str) -> Parameter {
    quantity(id, name, Unit::Second, default, (0.0, 1e6), help)
}

const CARRIER: Parameter = choice(
    "carrier",
    "Carrier",
    &[
        ("rising", "rising: the trailing edge moves"),
        ("falling", "falling: the leading edge moves"),
        ("triangle", "triangle: both edges move"),
    ],
    "rising",
    "Course of the carrier over a period.",
);
const SAMPLING: Parameter = choice(
    "sampling",
    "Comparison",
    &[("latched", "latched: one pulse a period"), ("natural", "natural: as often as they cross")],
    "latched",
    "Whether a pulse that has ended may begin again within its period.",
);
const RAMP_LOW: Parameter =
    quantity("ramp_low", "Carrier valley", Unit::Volt, "0", (-1e4, 1e4), "Control voltage for no duty.");
const RAMP_HIGH: Parameter =
    quantity("ramp_high", "Carrier peak", Unit::Volt, "2", (-1e4, 1e4), "Control voltage for full duty.");
const LEAST_ON_TIME: Parameter = time(
    "least_on_time",
    "Minimum on-time",
    "0",
    "What would be shorter is this long; without any control there is no pulse.",
);

pub(in super::super) const PULSE_MODULATOR: Kind = control(
    KindId::PulseModulator,
    "Pulse-width modulator",
    "High while the control voltage is above a carrier: a sawtooth, so that one edge moves, or a triangle, so that both do.",
    &[OUT, CONTROL, COM],
    &[
        FREQUENCY,
        CARRIER,
        SAMPLING,
        RAMP_LOW,
        RAMP_HIGH,
        MAX_DUTY,
        LEAST_ON_TIME,
        PHASE,
        LEVEL,
        OUTPUT_RESISTANCE,
        RESPONSE_TIME,
    ],
);

pub(in super::super) const CURRENT_MODULATOR: Kind = control(
    KindId::CurrentModulator,
    "Current-mode modulator",
    "A clock begins the pulse and the sensed current ends it where with the slope compensation it reaches the control voltage \
     (peak); or the clock ends it and the current begins it where it has fallen to that (valley).",
    BY_SENSE,
    &[
        FREQUENCY,
        choice(
            "mode",
            "Control mode",
            &[("peak", "peak current"), ("valley", "valley current")],
            "peak",
            "Which end of the ripple it holds.",
        ),
        quantity(
            "slope",
            "Slope compensation",
            Unit::VoltPerSecond,
            "0",
            (0.0, 1e12),
            "How fast the control voltage is lowered from the clock on (peak), or raised (valley).",
        ),
        quantity(
            "limit",
            "Current limit",
            Unit::Volt,
            "1",
            (1e-6, 1e6),
            "Sensed voltage that ends a pulse whatever is asked for (peak), or above which none begins (valley).",
        ),
        time("blanking", "Blanking", "100n", "Time from the clock in which the sensed current is not looked at."),
        MAX_DUTY,
        PHASE,
        LEVEL,
        OUTPUT_RESISTANCE,
        RESPONSE_TIME,
    ],
);

pub(in super::super) const AVERAGE_CURRENT_MODULATOR: Kind = control(
    KindId::AverageCurrentModulator,
    "Average-current modulator",
    "Compares what an amplifier makes of programmed less sensed current, (ω_i/s)·(1 + s/ω_z)/(1 + s/ω_p), with a carrier, between \
     whose ends the amplifier is held without winding up.",
    BY_SENSE,
    &[
        FREQUENCY,
        corner(
            "unity_frequency",
            "Unity-gain frequency",
            "10k",
            "Frequency at which the gain of the amplifier's integrator alone is one.",
        ),
        corner("zero", "Zero", "5k", "Frequency from which on the amplifier's gain is flat."),
        corner("pole", "Pole", "100k", "Frequency from which on it falls again."),
        CARRIER,
        SAMPLING,
        RAMP_LOW,
        RAMP_HIGH,
        MAX_DUTY,
        LEAST_ON_TIME,
        PHASE,
        LEVEL,
        OUTPUT_RESISTANCE,
        RESPONSE_TIME,
    ],
);

pub(in super::super) const ON_TIME_MODULATOR: Kind = control(
    KindId::OnTimeModulator,
    "Constant on-time modulator",
    "A pulse of constant length begins where what is sensed has fallen to the control voltage.",
    BY_SENSE,
    &[
        headline(quantity("on_time", "On-time", Unit::Second, "1u", (1e-12, 1e6), "Length of a pulse.")),
        quantity(
            "least_off_time",
            "Minimum off-time",
            Unit::Second,
            "200n",
            (1e-12, 1e6),
            "Shortest pause between two pulses.",
        ),
        LEVEL,
        OUTPUT_RESISTANCE,
        RESPONSE_TIME,
    ],
);

pub(in super::super) const CRITICAL_MODULATOR: Kind = control(
    KindId::CriticalModulator,
    "Critical-conduction modulator",
    "A pulse ends where the sensed current reaches the control voltage, and the next begins where it has fallen to nothing.",
    BY_SENSE,
    &[
        headline(quantity(
            "zero",
            "Zero-current threshold",
            Unit::Volt,
            "5m",
            (-1e4, 1e4),
            "Sensed voltage that counts as no current.",
        )),
        quantity(
            "longest_on_time",
            "Maximum on-time",
            Unit::Second,
            "50u",
            (1e-9, 1e6),
            "After that a pulse ends whatever is sensed.",
        ),
        quantity(
            "restart_time",
            "Restart time",
            Unit::Second,
            "100u",
            (1e-9, 1e6),
            "A pause no longer than that, whatever is sensed.",
        ),
        quantity(
            "blanking",
            "Blanking",
            Unit::Second,
            "100n",
            (1e-12, 1e6),
            "Time after each edge in which the sensed current is not looked at.",
        ),
        LEVEL,
        OUTPUT_RESISTANCE,
        RESPONSE_TIME,
    ],
);

pub(in super::super) const HYSTERETIC_MODULATOR: Kind = control(
    KindId::HystereticModulator,
    "Hysteretic modulator",
    "High from where what is sensed has fallen half the hysteresis below the control voltage to where it is as far above.",
    BY_SENSE,
    &[
        headline(quantity("hysteresis", "Hysteresis", Unit::Volt, "20m", (1e-6, 1e4), "Width of the band.")),
        quantity("least_on_time", "Minimum on-time", Unit::Second, "100n", (1e-12, 1e6), "Shortest pulse."),
        quantity("least_off_time", "Minimum off-time", Unit::Second, "100n", (1e-12, 1e6), "Shortest pause."),
        LEVEL,
        OUTPUT_RESISTANCE,
        RESPONSE_TIME,
    ],
);
