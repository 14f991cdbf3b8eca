//! What shapes an error, and what senses.

use super::super::describe::*;
use super::{COM, OUT, OUTPUT_RESISTANCE, choice, control};
use quantity::Unit;

const ERROR: &[Pin] = &[OUT, listens("ref", "reference"), listens("fb", "feedback"), COM];
const LOW: Parameter = quantity("low", "Lower limit", Unit::Volt, "0", (-1e4, 1e4), "Least output voltage.");
const HIGH: Parameter = quantity("high", "Upper limit", Unit::Volt, "5", (-1e4, 1e4), "Largest output voltage.");
const UNITY: Parameter = headline(quantity(
    "unity_frequency",
    "Integrator unity-gain frequency",
    Unit::Hertz,
    "1k",
    (1e-6, 1e9),
    "Frequency at which the integrator by itself, without zeros and poles, has a gain of one.",
));

pub(super) const fn corner(
    id: &'static str,
    name: &'static str,
    default: &'static str,
    help: &'static str,
) -> Parameter {
    quantity(id, name, Unit::Hertz, default, (1e-6, 1e10), help)
}

pub(in super::super) const PI_CONTROLLER: Kind = control(
    KindId::PiController,
    "PI controller",
    "Drives its output with the error, reference less feedback, and its integral: gain·(1 + ω/s). Held between limits, where it \
     does not wind up.",
    ERROR,
    &[
        headline(quantity("gain", "Gain", Unit::One, "10", (1e-6, 1e9), "Gain to an error well above the zero.")),
        headline(corner("zero", "Zero", "1k", "Frequency below which it integrates.")),
        LOW,
        HIGH,
        OUTPUT_RESISTANCE,
    ],
);

pub(in super::super) const TYPE_2_COMPENSATOR: Kind = control(
    KindId::Type2Compensator,
    "Type 2 compensator",
    "Integrates the error, reference less feedback, with one zero and one pole above it. Held between limits, where it does not \
     wind up.",
    ERROR,
    &[
        UNITY,
        corner("zero", "Zero", "1k", "Frequency of the zero, which lifts the phase."),
        corner("pole", "Pole", "100k", "Frequency of the pole, above which the gain falls again."),
        LOW,
        HIGH,
        OUTPUT_RESISTANCE,
    ],
);

pub(in super::super) const TYPE_3_COMPENSATOR: Kind = control(
    KindId::Type3Compensator,
    "Type 3 compensator",
    "Integrates the error, reference less feedback, with two zeros and two poles above it. Held between limits, where it does not \
     wind up.",
    ERROR,
    &[
        UNITY,
        corner("zero_1", "First zero", "1k", "Frequency of one zero."),
        corner("zero_2", "Second zero", "1k", "Frequency of the other zero."),
        corner("pole_1", "First pole", "100k", "Frequency of one pole."),
        corner("pole_2", "Second pole", "100k", "Frequency of the other pole."),
        LOW,
        HIGH,
        OUTPUT_RESISTANCE,
    ],
);

pub(in super::super) const SAMPLED_CONTROLLER: Kind = control(
    KindId::SampledController,
    "Sampled controller",
    "Samples the error e, reference less feedback, with a clock and computes u = b0·e + b1·e₋₁ + b2·e₋₂ + a1·u₋₁ + a2·u₋₂, which \
     comes out a computation delay later and is held. Between its limits, of which the u that is kept knows too.",
    ERROR,
    &[
        headline(quantity("frequency", "Sampling frequency", Unit::Hertz, "100k", (1e-3, 1e9), "Samples per second.")),
        quantity("b0", "b0", Unit::One, "1", (-1e9, 1e9), "Weight of the newest error."),
        quantity("b1", "b1", Unit::One, "-0.9", (-1e9, 1e9), "Weight of the error a sample before."),
        quantity("b2", "b2", Unit::One, "0", (-1e9, 1e9), "Weight of the error two samples before."),
        quantity("a1", "a1", Unit::One, "1", (-1e3, 1e3), "Weight of the result a sample before; one integrates."),
        quantity("a2", "a2", Unit::One, "0", (-1e3, 1e3), "Weight of the result two samples before."),
        quantity(
            "delay",
            "Computation delay",
            Unit::Share,
            "50 %",
            (0.0, 0.99),
            "From sample to output, as a part of the time between samples.",
        ),
        quantity("phase", "Phase", Unit::Degree, "0", (-360.0, 360.0), "How far the clock has turned at time zero."),
        quantity(
            "input_step",
            "Input quantisation",
            Unit::Volt,
            "0",
            (0.0, 1e3),
            "Samples are rounded to whole steps; 0 for none.",
        ),
        quantity(
            "output_step",
            "Output quantisation",
            Unit::Volt,
            "0",
            (0.0, 1e3),
            "The output is rounded to whole steps; 0 for none.",
        ),
        LOW,
        HIGH,
        OUTPUT_RESISTANCE,
    ],
);

pub(in super::super) const MULTIPLIER: Kind = control(
    KindId::Multiplier,
    "Multiplier",
    "Samples both inputs with a clock and holds their product x·y over a scale, or their quotient x over y times the scale, between \
     its limits. Both inputs on one net square it.",
    &[OUT, listens("x", "x"), listens("y", "y"), COM],
    &[
        headline(quantity(
            "scale",
            "Scale",
            Unit::Volt,
            "1",
            (1e-9, 1e9),
            "The other input at which one comes out as it is.",
        )),
        choice(
            "operation",
            "Operation",
            &[("product", "product: x·y over the scale"), ("quotient", "quotient: the scale times x over y")],
            "product",
            "What comes out.",
        ),
        quantity("frequency", "Sampling frequency", Unit::Hertz, "100k", (1e-3, 1e9), "Samples per second."),
        quantity("phase", "Phase", Unit::Degree, "0", (-360.0, 360.0), "How far the clock has turned at time zero."),
        LOW,
        HIGH,
        OUTPUT_RESISTANCE,
    ],
);

const BANDWIDTH: Parameter = quantity(
    "bandwidth",
    "Bandwidth",
    Unit::Hertz,
    "1M",
    (1.0, 1e11),
    "Frequency at which the response has fallen by 3 dB.",
);
const OFFSET: Parameter =
    quantity("offset", "Offset", Unit::Volt, "0", (-1e3, 1e3), "Output voltage where nothing is sensed.");

pub(in super::super) const VOLTAGE_SENSOR: Kind = control(
    KindId::VoltageSensor,
    "Voltage sensor",
    "A voltage in proportion to the difference of its inputs, through one pole.",
    &[OUT, listens("inp", "input +"), listens("inn", "input −"), COM],
    &[
        headline(quantity("gain", "Gain", Unit::One, "0.1", (-1e6, 1e6), "Volts per volt sensed.")),
        BANDWIDTH,
        OFFSET,
        OUTPUT_RESISTANCE,
    ],
);

pub(in super::super) const CURRENT_SENSOR: Kind = Kind {
    dc_paths: &[(0, 1), (2, 3)],
    ..control(
        KindId::CurrentSensor,
        "Current sensor",
        "A voltage in proportion to the current from a to b, through one pole.",
        &[pin("a", "a"), pin("b", "b"), OUT, COM],
        &[
            headline(quantity(
                "transresistance",
                "Transresistance",
                Unit::Ohm,
                "0.1",
                (-1e6, 1e6),
                "Volts per ampere sensed.",
            )),
            quantity("resistance", "Resistance", Unit::Ohm, "1m", (0.0, 1e6), "Resistance between a and b."),
            BANDWIDTH,
            OFFSET,
            OUTPUT_RESISTANCE,
        ],
    )
};
