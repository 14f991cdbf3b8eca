//! Sources of voltage and current.

use super::describe::*;
use quantity::Unit;

pub(super) const SINE_SOURCE: Kind = Kind {
    id: KindId::SineSource,
    name: "Sine source",
    letter: "V",
    help: "A sine voltage from time zero, with an optional offset. Its amplitude is given as RMS, peak or peak-to-peak.",
    pins: &PLUS_MINUS,
    parameters: &[
        headline(Parameter {
            id: "amplitude",
            name: "Amplitude",
            help: "Size of the sine, meant as chosen beside it.",
            form: Form::Quantity {
                unit: Unit::Volt,
                default: "230",
                min: 0.0,
                max: 1e6,
                meant_as: Some("amplitude_as"),
            },
            headline: false,
            sought: None,
        }),
        Parameter {
            id: "amplitude_as",
            name: "Amplitude as",
            help: "Mains voltages are quoted in RMS; the peak is √2 times that.",
            form: Form::Choice {
                options: &[("rms", "RMS"), ("peak", "peak"), ("peak_to_peak", "peak-to-peak")],
                default: "rms",
            },
            headline: false,
            sought: None,
        },
        headline(quantity("frequency", "Frequency", Unit::Hertz, "50", (1e-6, 1e9), "Cycles per second.")),
        quantity("phase", "Phase", Unit::Degree, "0", (-360.0, 360.0), "Angle of the sine at time zero."),
        quantity("offset", "Offset", Unit::Volt, "0", (-1e6, 1e6), "Constant voltage added to the sine."),
        quantity(
            "changes_to",
            "Changes to",
            Unit::Share,
            "100 %",
            (0.0, 10.0),
            "Amplitude after the change, of the amplitude before: 90 % for a dip of the mains to nine tenths, 0 for an interruption.",
        ),
        quantity("changes_at", "Changes at", Unit::Second, "0", (0.0, ANY), "When the amplitude changes, within 5 µs."),
    ],
    ratings: &[],
    dc_paths: ONE_PATH,
    fixes_voltage: true,
};

pub(super) const DC_SOURCE: Kind = Kind {
    id: KindId::DcSource,
    name: "DC source",
    letter: "V",
    help: "A constant voltage.",
    pins: &PLUS_MINUS,
    parameters: &[headline(quantity("voltage", "Voltage", Unit::Volt, "12", (-1e6, 1e6), "Voltage of + against −."))],
    ratings: &[],
    dc_paths: ONE_PATH,
    fixes_voltage: true,
};

pub(super) const PULSE_SOURCE: Kind = Kind {
    id: KindId::PulseSource,
    name: "Pulse source",
    letter: "V",
    help: "A voltage that steps between two levels with straight edges, once or periodically.",
    pins: &PLUS_MINUS,
    parameters: &[
        quantity("low", "Low level", Unit::Volt, "0", (-1e6, 1e6), "Voltage before and between pulses."),
        headline(quantity("high", "High level", Unit::Volt, "5", (-1e6, 1e6), "Voltage during a pulse.")),
        quantity("delay", "Delay", Unit::Second, "0", (0.0, ANY), "Time of the first rising edge."),
        quantity("rise", "Rise time", Unit::Second, "100n", (1e-12, ANY), "Duration of the rising edge."),
        quantity("fall", "Fall time", Unit::Second, "100n", (1e-12, ANY), "Duration of the falling edge."),
        quantity("width", "Width", Unit::Second, "10u", (0.0, ANY), "Time at the high level, without edges."),
        headline(quantity(
            "period",
            "Period",
            Unit::Second,
            "20u",
            (0.0, ANY),
            "Time from pulse to pulse; 0 for a single pulse.",
        )),
    ],
    ratings: &[],
    dc_paths: ONE_PATH,
    fixes_voltage: true,
};

pub(super) const CURRENT_SOURCE: Kind = Kind {
    id: KindId::CurrentSource,
    name: "Current source",
    letter: "I",
    help: "A constant current that flows through the source from a to b.",
    pins: &TWO_ENDS,
    parameters: &[headline(quantity(
        "current",
        "Current",
        Unit::Ampere,
        "1m",
        (-1e6, 1e6),
        "Current from a through the source to b.",
    ))],
    ratings: &[],
    dc_paths: &[],
    fixes_voltage: false,
};

pub(super) const PIECEWISE_SOURCE: Kind = Kind {
    id: KindId::PiecewiseSource,
    name: "Piecewise-linear source",
    letter: "V",
    help: "A voltage given by points in time, joined by straight lines; constant before the first and after the last.",
    pins: &PLUS_MINUS,
    parameters: &[headline(Parameter {
        id: "points",
        name: "Points",
        help: "Times and voltages in pairs, separated by commas, such as 0 0, 1m 5, 2m 5.",
        form: Form::Points { x: Unit::Second, y: Unit::Volt, default: "0 0, 1m 5" },
        headline: false,
        sought: None,
    })],
    ratings: &[],
    dc_paths: ONE_PATH,
    fixes_voltage: true,
};

pub(super) const EXPONENTIAL_SOURCE: Kind = Kind {
    id: KindId::ExponentialSource,
    name: "Exponential source",
    letter: "V",
    help: "A voltage that moves to a second level and back along exponentials.",
    pins: &PLUS_MINUS,
    parameters: &[
        quantity("low", "First level", Unit::Volt, "0", (-1e6, 1e6), "Voltage before the first change."),
        headline(quantity(
            "high",
            "Second level",
            Unit::Volt,
            "5",
            (-1e6, 1e6),
            "Voltage the first exponential tends to.",
        )),
        quantity("rise_at", "First change at", Unit::Second, "0", (0.0, ANY), "Time of the first change."),
        quantity(
            "rise_constant",
            "First time constant",
            Unit::Second,
            "1m",
            (1e-12, ANY),
            "Time constant of the first change.",
        ),
        quantity("fall_at", "Change back at", Unit::Second, "10m", (0.0, ANY), "Time of the change back."),
        quantity(
            "fall_constant",
            "Second time constant",
            Unit::Second,
            "1m",
            (1e-12, ANY),
            "Time constant of the change back.",
        ),
    ],
    ratings: &[],
    dc_paths: ONE_PATH,
    fixes_voltage: true,
};

pub(super) const THREE_PHASE_SOURCE: Kind = Kind {
    id: KindId::ThreePhaseSource,
    name: "Three-phase source",
    letter: "G",
    help: "Three sines 120° apart against a common neutral, L1 first.",
    pins: &[pin("l1", "L1"), pin("l2", "L2"), pin("l3", "L3"), pin("n", "neutral")],
    parameters: &[
        headline(quantity(
            "amplitude",
            "Phase voltage",
            Unit::Volt,
            "230",
            (0.0, 1e6),
            "RMS voltage of each phase against neutral; √3 times that between phases.",
        )),
        headline(quantity("frequency", "Frequency", Unit::Hertz, "50", (1e-6, 1e9), "Cycles per second.")),
        quantity("phase", "Phase", Unit::Degree, "0", (-360.0, 360.0), "Angle of L1 at time zero."),
    ],
    ratings: &[],
    dc_paths: &[(0, 3), (1, 3), (2, 3)],
    fixes_voltage: true,
};

pub(super) const VOLTAGE_CONTROLLED_VOLTAGE: Kind = Kind {
    id: KindId::VoltageControlledVoltage,
    name: "Voltage-controlled voltage",
    letter: "E",
    help: "A voltage in proportion to another.",
    pins: &[pin("plus", "+"), pin("minus", "−"), listens("cp", "control +"), listens("cn", "control −")],
    parameters: &[headline(quantity("gain", "Gain", Unit::One, "1", (-1e6, 1e6), "Volts per volt of control."))],
    ratings: &[],
    dc_paths: ONE_PATH,
    fixes_voltage: true,
};

pub(super) const VOLTAGE_CONTROLLED_CURRENT: Kind = Kind {
    id: KindId::VoltageControlledCurrent,
    name: "Voltage-controlled current",
    letter: "G",
    help: "A current from a to b in proportion to a voltage.",
    pins: &[pin("a", "a"), pin("b", "b"), listens("cp", "control +"), listens("cn", "control −")],
    parameters: &[headline(quantity(
        "transconductance",
        "Transconductance",
        Unit::Siemens,
        "1m",
        (-1e6, 1e6),
        "Amperes per volt of control.",
    ))],
    ratings: &[],
    dc_paths: &[],
    fixes_voltage: false,
};

pub(super) const CURRENT_CONTROLLED_VOLTAGE: Kind = Kind {
    id: KindId::CurrentControlledVoltage,
    name: "Current-controlled voltage",
    letter: "H",
    help: "A voltage in proportion to the current through its control path, which drops no voltage.",
    pins: &[pin("plus", "+"), pin("minus", "−"), pin("cp", "control +"), pin("cn", "control −")],
    parameters: &[headline(quantity(
        "transresistance",
        "Transresistance",
        Unit::Ohm,
        "1k",
        (-1e6, 1e6),
        "Volts per ampere of control.",
    ))],
    ratings: &[],
    dc_paths: TWO_PATHS,
    fixes_voltage: true,
};

pub(super) const CURRENT_CONTROLLED_CURRENT: Kind = Kind {
    id: KindId::CurrentControlledCurrent,
    name: "Current-controlled current",
    letter: "F",
    help: "A current from a to b in proportion to the current through its control path, which drops no voltage.",
    pins: &[pin("a", "a"), pin("b", "b"), pin("cp", "control +"), pin("cn", "control −")],
    parameters: &[headline(quantity("gain", "Gain", Unit::One, "1", (-1e6, 1e6), "Amperes per ampere of control."))],
    ratings: &[],
    dc_paths: &[(2, 3)],
    fixes_voltage: false,
};
