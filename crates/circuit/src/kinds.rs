//! The one table of part kinds.
//!
//! Pins, parameters, ranges, defaults and help are defined here and nowhere else; the API, the
//! value fields, the checks and the documentation are made from this table. Symbols live in the
//! drawing crate, equations in the engine, one file each.

use quantity::Unit;
use schemars::JsonSchema;
use serde::{Deserialize, Serialize};

/// Identifies a part kind in documents.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Hash, PartialOrd, Ord, Serialize, Deserialize, JsonSchema)]
#[serde(rename_all = "snake_case")]
#[allow(missing_docs)]
pub enum KindId {
    SineSource,
    DcSource,
    PulseSource,
    Resistor,
    Capacitor,
    Inductor,
    IdealTransformer,
    CoupledWindings,
    Diode,
    TimedSwitch,
}

/// What is known of a part kind.
#[derive(Debug, Serialize, JsonSchema)]
pub struct Kind {
    /// Identifier in documents.
    pub id: KindId,
    /// Name shown.
    pub name: &'static str,
    /// Designator letter (IEC 81346-2 / IEEE 315).
    pub letter: &'static str,
    /// One sentence on what it models.
    pub help: &'static str,
    /// Pins; a part's current is the one into the first.
    pub pins: &'static [Pin],
    /// Parameters, in the order shown.
    pub parameters: &'static [Parameter],
    /// Pairs of pins between which direct current can flow.
    #[serde(skip)]
    pub dc_paths: &'static [(usize, usize)],
    /// Whether the part fixes the voltage between its first two pins.
    #[serde(skip)]
    pub fixes_voltage: bool,
}

/// A pin of a part kind.
#[derive(Debug, Serialize, JsonSchema)]
pub struct Pin {
    /// Identifier in documents.
    pub id: &'static str,
    /// Name shown.
    pub name: &'static str,
}

/// A parameter of a part kind.
#[derive(Debug, Serialize, JsonSchema)]
pub struct Parameter {
    /// Identifier in documents.
    pub id: &'static str,
    /// Name shown.
    pub name: &'static str,
    /// What it means, in a sentence.
    pub help: &'static str,
    /// What may be entered.
    pub form: Form,
    /// Whether the value stands beside the symbol.
    pub headline: bool,
}

/// What may be entered for a parameter.
#[derive(Debug, Serialize, JsonSchema)]
#[serde(tag = "form", rename_all = "snake_case")]
pub enum Form {
    /// A number with a unit.
    Quantity {
        /// The unit.
        unit: Unit,
        /// Value when the document gives none, as typed.
        default: &'static str,
        /// Smallest allowed value.
        min: f64,
        /// Largest allowed value.
        max: f64,
        /// The choice parameter that says how this amplitude is meant, if it is one.
        meant_as: Option<&'static str>,
    },
    /// One of a list.
    Choice {
        /// Identifiers and names.
        options: &'static [(&'static str, &'static str)],
        /// Identifier when the document gives none.
        default: &'static str,
    },
}

impl Kind {
    /// Index of a pin by its identifier.
    pub fn pin(&self, id: &str) -> Option<usize> {
        self.pins.iter().position(|p| p.id == id)
    }

    /// Index of a parameter by its identifier.
    pub fn parameter(&self, id: &str) -> Option<usize> {
        self.parameters.iter().position(|p| p.id == id)
    }
}

impl KindId {
    /// The table row of this kind.
    pub fn kind(self) -> &'static Kind {
        // The table is in the order of the enum; a test holds it to that.
        &KINDS[self as usize]
    }

    /// The identifier as written in documents.
    pub fn name(self) -> &'static str {
        match self {
            KindId::SineSource => "sine_source",
            KindId::DcSource => "dc_source",
            KindId::PulseSource => "pulse_source",
            KindId::Resistor => "resistor",
            KindId::Capacitor => "capacitor",
            KindId::Inductor => "inductor",
            KindId::IdealTransformer => "ideal_transformer",
            KindId::CoupledWindings => "coupled_windings",
            KindId::Diode => "diode",
            KindId::TimedSwitch => "timed_switch",
        }
    }
}

const fn pin(id: &'static str, name: &'static str) -> Pin {
    Pin { id, name }
}

const fn quantity(
    id: &'static str,
    name: &'static str,
    unit: Unit,
    default: &'static str,
    (min, max): (f64, f64),
    help: &'static str,
) -> Parameter {
    Parameter { id, name, help, form: Form::Quantity { unit, default, min, max, meant_as: None }, headline: false }
}

const fn headline(mut parameter: Parameter) -> Parameter {
    parameter.headline = true;
    parameter
}

const ANY: f64 = 1e12;
const PLUS_MINUS: [Pin; 2] = [pin("plus", "+"), pin("minus", "−")];
const TWO_ENDS: [Pin; 2] = [pin("a", "a"), pin("b", "b")];
const WINDINGS: [Pin; 4] =
    [pin("p1", "primary start"), pin("p2", "primary end"), pin("s1", "secondary start"), pin("s2", "secondary end")];
const ONE_PATH: &[(usize, usize)] = &[(0, 1)];
const TWO_PATHS: &[(usize, usize)] = &[(0, 1), (2, 3)];

/// Every part kind.
pub const KINDS: &[Kind] = &[
    Kind {
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
            },
            headline(quantity("frequency", "Frequency", Unit::Hertz, "50", (1e-6, 1e9), "Cycles per second.")),
            quantity("phase", "Phase", Unit::Degree, "0", (-360.0, 360.0), "Angle of the sine at time zero."),
            quantity("offset", "Offset", Unit::Volt, "0", (-1e6, 1e6), "Constant voltage added to the sine."),
        ],
        dc_paths: ONE_PATH,
        fixes_voltage: true,
    },
    Kind {
        id: KindId::DcSource,
        name: "DC source",
        letter: "V",
        help: "A constant voltage.",
        pins: &PLUS_MINUS,
        parameters: &[headline(quantity(
            "voltage",
            "Voltage",
            Unit::Volt,
            "12",
            (-1e6, 1e6),
            "Voltage of + against −.",
        ))],
        dc_paths: ONE_PATH,
        fixes_voltage: true,
    },
    Kind {
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
        dc_paths: ONE_PATH,
        fixes_voltage: true,
    },
    Kind {
        id: KindId::Resistor,
        name: "Resistor",
        letter: "R",
        help: "An ohmic resistor.",
        pins: &TWO_ENDS,
        parameters: &[headline(quantity(
            "resistance",
            "Resistance",
            Unit::Ohm,
            "1k",
            (1e-9, ANY),
            "Resistance between the ends.",
        ))],
        dc_paths: ONE_PATH,
        fixes_voltage: false,
    },
    Kind {
        id: KindId::Capacitor,
        name: "Capacitor",
        letter: "C",
        help: "A linear capacitor with its equivalent series resistance.",
        pins: &PLUS_MINUS,
        parameters: &[
            headline(quantity(
                "capacitance",
                "Capacitance",
                Unit::Farad,
                "100u",
                (1e-18, 1e3),
                "Capacitance; must be above zero.",
            )),
            quantity("esr", "ESR", Unit::Ohm, "0", (0.0, 1e9), "Equivalent series resistance."),
            quantity(
                "initial_voltage",
                "Initial voltage",
                Unit::Volt,
                "0",
                (-1e6, 1e6),
                "Voltage across the capacitance when a switch-on study starts.",
            ),
        ],
        dc_paths: &[],
        fixes_voltage: false,
    },
    Kind {
        id: KindId::Inductor,
        name: "Inductor",
        letter: "L",
        help: "A linear inductor with its winding resistance.",
        pins: &TWO_ENDS,
        parameters: &[
            headline(quantity(
                "inductance",
                "Inductance",
                Unit::Henry,
                "1m",
                (1e-15, 1e6),
                "Inductance; must be above zero.",
            )),
            quantity("resistance", "Winding resistance", Unit::Ohm, "0", (0.0, 1e9), "Resistance of the winding."),
            quantity(
                "initial_current",
                "Initial current",
                Unit::Ampere,
                "0",
                (-1e6, 1e6),
                "Current from a to b when a switch-on study starts.",
            ),
        ],
        dc_paths: ONE_PATH,
        fixes_voltage: false,
    },
    Kind {
        id: KindId::IdealTransformer,
        name: "Ideal transformer",
        letter: "T",
        help: "A lossless transformer that passes everything, direct voltage included, at its turns ratio.",
        pins: &WINDINGS,
        parameters: &[headline(quantity(
            "ratio",
            "Turns ratio",
            Unit::One,
            "10",
            (1e-6, 1e6),
            "Primary turns per secondary turn.",
        ))],
        dc_paths: TWO_PATHS,
        fixes_voltage: false,
    },
    Kind {
        id: KindId::CoupledWindings,
        name: "Transformer",
        letter: "T",
        help: "Two magnetically coupled windings with their resistances: magnetising and leakage inductance follow from the coupling.",
        pins: &WINDINGS,
        parameters: &[
            headline(quantity(
                "primary_inductance",
                "Primary inductance",
                Unit::Henry,
                "10",
                (1e-12, 1e6),
                "Inductance of the primary with the secondary open.",
            )),
            headline(quantity(
                "secondary_inductance",
                "Secondary inductance",
                Unit::Henry,
                "30m",
                (1e-12, 1e6),
                "Inductance of the secondary with the primary open; primary over secondary is the turns ratio squared.",
            )),
            quantity(
                "coupling",
                "Coupling",
                Unit::One,
                "0.998",
                (-0.999_999_999, 0.999_999_999),
                "Coupling factor k; 1 − k² of the inductance is leakage. Below 1 in size.",
            ),
            quantity(
                "primary_resistance",
                "Primary resistance",
                Unit::Ohm,
                "0",
                (0.0, 1e9),
                "Resistance of the primary winding.",
            ),
            quantity(
                "secondary_resistance",
                "Secondary resistance",
                Unit::Ohm,
                "0",
                (0.0, 1e9),
                "Resistance of the secondary winding.",
            ),
        ],
        dc_paths: TWO_PATHS,
        fixes_voltage: false,
    },
    Kind {
        id: KindId::Diode,
        name: "Diode",
        letter: "D",
        help: "A junction diode: Shockley's exponential with series resistance. No breakdown, no stored charge.",
        pins: &[pin("a", "anode"), pin("k", "cathode")],
        parameters: &[
            quantity(
                "saturation_current",
                "Saturation current",
                Unit::Ampere,
                "5n",
                (1e-30, 1.0),
                "Current scale of the exponential.",
            ),
            quantity(
                "emission",
                "Emission coefficient",
                Unit::One,
                "1.8",
                (0.001, 10.0),
                "Slope of the exponential in thermal voltages; 1 to 2 for silicon.",
            ),
            quantity(
                "series_resistance",
                "Series resistance",
                Unit::Ohm,
                "50m",
                (1e-6, 1e6),
                "Resistance of bulk and leads.",
            ),
        ],
        dc_paths: ONE_PATH,
        fixes_voltage: false,
    },
    Kind {
        id: KindId::TimedSwitch,
        name: "Switch",
        letter: "S",
        help: "A resistance that changes between its open and closed values at given times.",
        pins: &TWO_ENDS,
        parameters: &[
            Parameter {
                id: "at_first",
                name: "At first",
                help: "State at time zero.",
                form: Form::Choice { options: &[("open", "open"), ("closed", "closed")], default: "open" },
                headline: false,
            },
            headline(quantity("changes_at", "Changes at", Unit::Second, "1m", (0.0, ANY), "Time of the first change.")),
            quantity(
                "changes_back_after",
                "Changes back after",
                Unit::Second,
                "0",
                (0.0, ANY),
                "Time from the first change to the change back; 0 for never.",
            ),
            quantity("on_resistance", "On-resistance", Unit::Ohm, "10m", (1e-9, ANY), "Resistance when closed."),
            quantity("off_resistance", "Off-resistance", Unit::Ohm, "10M", (1e-9, 1e15), "Resistance when open."),
            quantity("transition", "Transition time", Unit::Second, "1u", (1e-12, ANY), "Duration of a change."),
        ],
        dc_paths: ONE_PATH,
        fixes_voltage: false,
    },
];
