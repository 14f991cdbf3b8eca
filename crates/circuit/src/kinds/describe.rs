//! What is said of a part kind, and how the table says it.

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
    CurrentSource,
    PiecewiseSource,
    ExponentialSource,
    ThreePhaseSource,
    VoltageControlledVoltage,
    VoltageControlledCurrent,
    CurrentControlledVoltage,
    CurrentControlledCurrent,
    Resistor,
    Capacitor,
    Inductor,
    Thermistor,
    IdealTransformer,
    CoupledWindings,
    CoreTransformer,
    HystereticTransformer,
    ThreeWindings,
    Diode,
    Schottky,
    Led,
    Zener,
    MosfetN,
    MosfetP,
    Npn,
    Pnp,
    Amplifier,
    Comparator,
    AndGate,
    OrGate,
    XorGate,
    Inverter,
    Latch,
    Delay,
    PiController,
    #[serde(rename = "type_2_compensator")]
    Type2Compensator,
    #[serde(rename = "type_3_compensator")]
    Type3Compensator,
    VoltageSensor,
    CurrentSensor,
    PulseModulator,
    CurrentModulator,
    AverageCurrentModulator,
    OnTimeModulator,
    CriticalModulator,
    HystereticModulator,
    HalfBridgeDriver,
    Monostable,
    Counter,
    SoftStart,
    UndervoltageLockout,
    BurstController,
    HiccupLimiter,
    SampledController,
    Multiplier,
    ShuntReference,
    SeriesReference,
    Regulator,
    TimedSwitch,
    ControlledSwitch,
    CurrentSwitch,
    CurrentLoad,
    PowerLoad,
    SteppedLoad,
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
    /// What a specimen may be rated for.
    pub ratings: &'static [Rating],
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
    /// What it does with its net.
    #[serde(skip)]
    pub role: Role,
}

/// What a pin does with its net.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq)]
pub enum Role {
    /// Carries current like any other.
    #[default]
    Conducts,
    /// Puts its net where the part wants it.
    Drives,
    /// Only looks, and wants to be driven.
    Listens,
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
    /// How it is looked for in the parts catalogue, if it is.
    pub sought: Option<Sought>,
}

/// How one looks for a value when choosing a part.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Serialize, JsonSchema)]
#[serde(rename_all = "snake_case")]
pub enum Sought {
    /// The more the better.
    AtLeast,
    /// The less the better.
    AtMost,
    /// Between two limits.
    Between,
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
    /// Pairs of numbers separated by commas, ascending in the first.
    Points {
        /// The unit of the first of each pair.
        x: Unit,
        /// The unit of the second.
        y: Unit,
        /// What the document's silence means.
        default: &'static str,
    },
    /// One of a list.
    Choice {
        /// Identifiers and names.
        options: &'static [(&'static str, &'static str)],
        /// Identifier when the document gives none.
        default: &'static str,
    },
}

/// Something a part may be rated for.
#[derive(Debug, Serialize, JsonSchema)]
pub struct Rating {
    /// Identifier in documents.
    pub id: &'static str,
    /// Name shown.
    pub name: &'static str,
    /// The unit.
    pub unit: Unit,
    /// What must stay below it.
    pub stress: Stress,
    /// Pins between which a voltage is taken, the first against the second.
    #[serde(skip)]
    pub pins: (usize, usize),
}

/// What of a part is held against a rating.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Serialize, JsonSchema)]
#[serde(rename_all = "snake_case")]
pub enum Stress {
    /// Largest voltage between two pins, either way.
    Voltage,
    /// Largest voltage of a pin below another.
    ReverseVoltage,
    /// Mean current into the first pin.
    MeanCurrent,
    /// RMS current into the first pin.
    RmsCurrent,
    /// Largest current into the first pin, either way.
    PeakCurrent,
    /// Mean power absorbed.
    Power,
}

impl Kind {
    /// Whether power comes from it.
    pub fn feeds(&self) -> bool {
        matches!(
            self.id,
            KindId::DcSource
                | KindId::SineSource
                | KindId::PulseSource
                | KindId::PiecewiseSource
                | KindId::ExponentialSource
                | KindId::ThreePhaseSource
                | KindId::CurrentSource
        )
    }

    /// Whether it stands for what a supply is there for.
    pub fn takes(&self) -> bool {
        matches!(self.id, KindId::CurrentLoad | KindId::PowerLoad | KindId::SteppedLoad)
    }

    /// Pins that do something with their nets, by index.
    pub fn pins_that(&self, role: Role) -> impl Iterator<Item = usize> {
        self.pins.iter().enumerate().filter(move |(_, pin)| pin.role == role).map(|(index, _)| index)
    }

    /// A rating by its identifier.
    pub fn rating(&self, id: &str) -> Option<&'static Rating> {
        self.ratings.iter().find(|r| r.id == id)
    }

    /// Index of a pin by its identifier.
    pub fn pin(&self, id: &str) -> Option<usize> {
        self.pins.iter().position(|p| p.id == id)
    }

    /// Index of a parameter by its identifier.
    pub fn parameter(&self, id: &str) -> Option<usize> {
        self.parameters.iter().position(|p| p.id == id)
    }
}

pub(super) const fn pin(id: &'static str, name: &'static str) -> Pin {
    Pin { id, name, role: Role::Conducts }
}

pub(super) const fn drives(id: &'static str, name: &'static str) -> Pin {
    Pin { id, name, role: Role::Drives }
}

pub(super) const fn listens(id: &'static str, name: &'static str) -> Pin {
    Pin { id, name, role: Role::Listens }
}

pub(super) const fn quantity(
    id: &'static str,
    name: &'static str,
    unit: Unit,
    default: &'static str,
    (min, max): (f64, f64),
    help: &'static str,
) -> Parameter {
    Parameter {
        id,
        name,
        help,
        form: Form::Quantity { unit, default, min, max, meant_as: None },
        headline: false,
        sought: None,
    }
}

pub(super) const fn headline(mut parameter: Parameter) -> Parameter {
    parameter.headline = true;
    parameter
}

pub(super) const fn sought(mut parameter: Parameter, how: Sought) -> Parameter {
    parameter.sought = Some(how);
    parameter
}

pub(super) const fn sought_least(parameter: Parameter) -> Parameter {
    sought(parameter, Sought::AtLeast)
}

pub(super) const fn sought_most(parameter: Parameter) -> Parameter {
    sought(parameter, Sought::AtMost)
}

pub(super) const fn sought_between(parameter: Parameter) -> Parameter {
    sought(parameter, Sought::Between)
}

pub(super) const fn rating(id: &'static str, name: &'static str, unit: Unit, stress: Stress) -> Rating {
    Rating { id, name, unit, stress, pins: (0, 1) }
}

pub(super) const fn between(mut rating: Rating, pins: (usize, usize)) -> Rating {
    rating.pins = pins;
    rating
}

pub(super) const VOLTAGE: Rating = rating("voltage", "Voltage", Unit::Volt, Stress::Voltage);
pub(super) const INPUT_VOLTAGE: Rating =
    rating("input_voltage", "Voltage between input and output", Unit::Volt, Stress::Voltage);
pub(super) const REVERSE_VOLTAGE: Rating =
    rating("reverse_voltage", "Reverse voltage", Unit::Volt, Stress::ReverseVoltage);
pub(super) const CURRENT: Rating = rating("current", "Mean current", Unit::Ampere, Stress::MeanCurrent);
pub(super) const RMS_CURRENT: Rating = rating("rms_current", "RMS current", Unit::Ampere, Stress::RmsCurrent);
pub(super) const RIPPLE_CURRENT: Rating =
    rating("ripple_current", "Ripple current, RMS", Unit::Ampere, Stress::RmsCurrent);
pub(super) const PEAK_CURRENT: Rating = rating("peak_current", "Peak current", Unit::Ampere, Stress::PeakCurrent);
pub(super) const POWER: Rating = rating("power", "Power", Unit::Watt, Stress::Power);
pub(super) const DIODE_RATINGS: &[Rating] = &[REVERSE_VOLTAGE, CURRENT, PEAK_CURRENT];

pub(super) const ANY: f64 = 1e12;
pub(super) const PLUS_MINUS: [Pin; 2] = [pin("plus", "+"), pin("minus", "−")];
pub(super) const TWO_ENDS: [Pin; 2] = [pin("a", "a"), pin("b", "b")];
pub(super) const WINDINGS: [Pin; 4] =
    [pin("p1", "primary start"), pin("p2", "primary end"), pin("s1", "secondary start"), pin("s2", "secondary end")];
pub(super) const ANODE_CATHODE: [Pin; 2] = [pin("a", "anode"), pin("k", "cathode")];
pub(super) const ONE_PATH: &[(usize, usize)] = &[(0, 1)];
pub(super) const TWO_PATHS: &[(usize, usize)] = &[(0, 1), (2, 3)];
