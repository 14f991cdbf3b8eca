//! The one table of part kinds.
//!
//! Pins, parameters, ranges, defaults and help are defined here and nowhere else; the API, the
//! value fields, the checks and the documentation are made from this table. Symbols live in the
//! drawing crate, equations in the engine, one file each.

mod blocks;
mod control;
mod describe;
mod loads;
mod magnetics;
mod passive;
mod semiconductors;
mod sources;
mod switches;
mod switching;
mod words;

pub use describe::{Form, Kind, KindId, Parameter, Pin, Rating, Role, Sought, Stress};
pub use words::{family, words};

impl KindId {
    /// The table row of this kind.
    pub fn kind(self) -> &'static Kind {
        // The table is in the order of the enum; a test holds it to that.
        &KINDS[self as usize]
    }

    /// Whether it is a control part: what it does is modes between events.
    pub fn is_control(self) -> bool {
        (KindId::AndGate..=KindId::Multiplier).contains(&self)
    }

    /// Whether it makes pulses by itself, of what it is told.
    pub fn is_modulator(self) -> bool {
        (KindId::PulseModulator..=KindId::HystereticModulator).contains(&self)
    }

    /// The identifier as written in documents.
    pub fn name(self) -> &'static str {
        match self {
            KindId::SineSource => "sine_source",
            KindId::DcSource => "dc_source",
            KindId::PulseSource => "pulse_source",
            KindId::CurrentSource => "current_source",
            KindId::PiecewiseSource => "piecewise_source",
            KindId::ExponentialSource => "exponential_source",
            KindId::ThreePhaseSource => "three_phase_source",
            KindId::VoltageControlledVoltage => "voltage_controlled_voltage",
            KindId::VoltageControlledCurrent => "voltage_controlled_current",
            KindId::CurrentControlledVoltage => "current_controlled_voltage",
            KindId::CurrentControlledCurrent => "current_controlled_current",
            KindId::Resistor => "resistor",
            KindId::Capacitor => "capacitor",
            KindId::Inductor => "inductor",
            KindId::Thermistor => "thermistor",
            KindId::IdealTransformer => "ideal_transformer",
            KindId::CoupledWindings => "coupled_windings",
            KindId::CoreTransformer => "core_transformer",
            KindId::HystereticTransformer => "hysteretic_transformer",
            KindId::ThreeWindings => "three_windings",
            KindId::Diode => "diode",
            KindId::Schottky => "schottky",
            KindId::Led => "led",
            KindId::Zener => "zener",
            KindId::MosfetN => "mosfet_n",
            KindId::MosfetP => "mosfet_p",
            KindId::Npn => "npn",
            KindId::Pnp => "pnp",
            KindId::Amplifier => "amplifier",
            KindId::Comparator => "comparator",
            KindId::AndGate => "and_gate",
            KindId::OrGate => "or_gate",
            KindId::XorGate => "xor_gate",
            KindId::Inverter => "inverter",
            KindId::Latch => "latch",
            KindId::Delay => "delay",
            KindId::PiController => "pi_controller",
            KindId::Type2Compensator => "type_2_compensator",
            KindId::Type3Compensator => "type_3_compensator",
            KindId::VoltageSensor => "voltage_sensor",
            KindId::CurrentSensor => "current_sensor",
            KindId::PulseModulator => "pulse_modulator",
            KindId::CurrentModulator => "current_modulator",
            KindId::AverageCurrentModulator => "average_current_modulator",
            KindId::OnTimeModulator => "on_time_modulator",
            KindId::CriticalModulator => "critical_modulator",
            KindId::HystereticModulator => "hysteretic_modulator",
            KindId::HalfBridgeDriver => "half_bridge_driver",
            KindId::Monostable => "monostable",
            KindId::Counter => "counter",
            KindId::SoftStart => "soft_start",
            KindId::UndervoltageLockout => "undervoltage_lockout",
            KindId::BurstController => "burst_controller",
            KindId::HiccupLimiter => "hiccup_limiter",
            KindId::SampledController => "sampled_controller",
            KindId::Multiplier => "multiplier",
            KindId::ShuntReference => "shunt_reference",
            KindId::SeriesReference => "series_reference",
            KindId::Regulator => "regulator",
            KindId::TimedSwitch => "timed_switch",
            KindId::ControlledSwitch => "controlled_switch",
            KindId::CurrentSwitch => "current_switch",
            KindId::CurrentLoad => "current_load",
            KindId::PowerLoad => "power_load",
            KindId::SteppedLoad => "stepped_load",
        }
    }
}

/// Every part kind.
pub const KINDS: &[Kind] = &[
    sources::SINE_SOURCE,
    sources::DC_SOURCE,
    sources::PULSE_SOURCE,
    sources::CURRENT_SOURCE,
    sources::PIECEWISE_SOURCE,
    sources::EXPONENTIAL_SOURCE,
    sources::THREE_PHASE_SOURCE,
    sources::VOLTAGE_CONTROLLED_VOLTAGE,
    sources::VOLTAGE_CONTROLLED_CURRENT,
    sources::CURRENT_CONTROLLED_VOLTAGE,
    sources::CURRENT_CONTROLLED_CURRENT,
    passive::RESISTOR,
    passive::CAPACITOR,
    passive::INDUCTOR,
    passive::THERMISTOR,
    magnetics::IDEAL_TRANSFORMER,
    magnetics::COUPLED_WINDINGS,
    magnetics::CORE_TRANSFORMER,
    magnetics::HYSTERETIC_TRANSFORMER,
    magnetics::THREE_WINDINGS,
    semiconductors::DIODE,
    semiconductors::SCHOTTKY,
    semiconductors::LED,
    semiconductors::ZENER,
    semiconductors::MOSFET_N,
    semiconductors::MOSFET_P,
    semiconductors::NPN,
    semiconductors::PNP,
    blocks::AMPLIFIER,
    blocks::COMPARATOR,
    control::logic::AND_GATE,
    control::logic::OR_GATE,
    control::logic::XOR_GATE,
    control::logic::INVERTER,
    control::logic::LATCH,
    control::logic::DELAY,
    control::compensators::PI_CONTROLLER,
    control::compensators::TYPE_2_COMPENSATOR,
    control::compensators::TYPE_3_COMPENSATOR,
    control::compensators::VOLTAGE_SENSOR,
    control::compensators::CURRENT_SENSOR,
    control::modulators::PULSE_MODULATOR,
    control::modulators::CURRENT_MODULATOR,
    control::modulators::AVERAGE_CURRENT_MODULATOR,
    control::modulators::ON_TIME_MODULATOR,
    control::modulators::CRITICAL_MODULATOR,
    control::modulators::HYSTERETIC_MODULATOR,
    control::timing::HALF_BRIDGE_DRIVER,
    control::timing::MONOSTABLE,
    control::timing::COUNTER,
    control::supervision::SOFT_START,
    control::supervision::UNDERVOLTAGE_LOCKOUT,
    control::supervision::BURST_CONTROLLER,
    control::supervision::HICCUP_LIMITER,
    control::compensators::SAMPLED_CONTROLLER,
    control::compensators::MULTIPLIER,
    blocks::SHUNT_REFERENCE,
    blocks::SERIES_REFERENCE,
    blocks::REGULATOR,
    switches::TIMED_SWITCH,
    switches::CONTROLLED_SWITCH,
    switches::CURRENT_SWITCH,
    loads::CURRENT_LOAD,
    loads::POWER_LOAD,
    loads::STEPPED_LOAD,
];
