//! Device models, one per file, each with its equations and their source.
//!
//! A model owns no state: it says which unknowns and matrix entries it needs ([`Layout`]),
//! stamps what never changes once, and is asked for the rest at every iteration.

mod amplifier;
mod bipolar;
mod capacitor;
mod comparator;
mod controlled;
mod core_transformer;
mod coupled_windings;
mod dc_source;
mod device;
mod diode;
mod hysteretic_core;
mod ideal_transformer;
mod inductor;
mod junction;
mod loads;
mod lossy;
mod mosfet;
mod pulse_source;
mod real;
mod regulators;
mod resistor;
mod sine_source;
mod switches;
mod thermistor;
mod three_windings;
mod timed_switch;
mod trip;
mod voltage_branch;
mod waveform_sources;

#[cfg(test)]
mod tests;

use crate::equations::{Constants, Layout, Stamps};
use circuit::{KindId, ResolvedPart};
pub(crate) use device::Exponential;

/// Where the unknowns stand: their values and the time in seconds.
#[derive(Clone, Copy)]
pub(crate) struct Point<'a> {
    pub(crate) x: &'a [f64],
    pub(crate) t: f64,
}

/// What flows into a part.
#[derive(Clone, Copy, Debug, Default)]
pub(crate) struct Flow {
    /// Current into the first pin, A.
    pub(crate) current: f64,
    /// Power absorbed at the pins, W.
    pub(crate) power: f64,
}

impl Flow {
    /// Of a part with two pins.
    fn along(voltage: f64, current: f64) -> Self {
        Flow { current, power: voltage * current }
    }
}

/// What the engine asks of a device.
///
/// Sign conventions: a current counts into the pin, power counts as absorbed.
pub(crate) trait Model: Send + Sync {
    /// Stamps the entries that depend on neither time nor unknowns.
    fn constants(&self, _constants: &mut Constants<'_>) {}
    /// Whether [`Model::stamp`] has anything to add.
    fn varies(&self) -> bool {
        false
    }
    /// Whether the varying part depends on the unknowns, so that iteration is needed.
    fn nonlinear(&self) -> bool {
        false
    }
    /// Adds currents, charges and derivatives that depend on time or unknowns.
    fn stamp(&self, at: Point<'_>, _stamps: &mut Stamps<'_>) -> Flow {
        self.flow(at)
    }
    /// Sets the charges and fluxes held at switch-on.
    fn initial(&self, _charges: &mut [f64]) {}
    /// What flows into it at this point.
    fn flow(&self, at: Point<'_>) -> Flow;
    /// Power absorbed and not stored, W, given what flows; negative for what a source delivers.
    fn loss(&self, _at: Point<'_>, flow: Flow) -> f64 {
        flow.power
    }
    /// Energy stored, J.
    fn stored(&self, _at: Point<'_>) -> f64 {
        0.0
    }
    /// The first time after `t` at which a waveform has a corner, s.
    fn next_corner(&self, _t: f64) -> Option<f64> {
        None
    }
    /// Whether the device trips between two states, one of which is an unknown of its own.
    fn trips(&self) -> bool {
        false
    }
    /// How far it is from tripping, relative to its thresholds; negative beyond.
    fn margin(&self, _x: &[f64]) -> f64 {
        f64::INFINITY
    }
    /// Goes over to the other state.
    fn trip(&self, _x: &mut [f64]) {}
    /// What the device is doing, in the trade's words.
    fn region(&self, _at: Point<'_>) -> Option<&'static str> {
        None
    }
    /// The unknown that is the current into the first pin, if there is one.
    fn current_unknown(&self) -> Option<usize> {
        None
    }
    /// The row in which a voltage source's voltage stands.
    fn voltage_row(&self) -> Option<usize> {
        None
    }
    /// The largest voltage the device imposes, V; sets the scale errors are judged by.
    fn imposed_voltage(&self) -> f64 {
        0.0
    }
}

/// Builds the model of a part.
pub(crate) fn build(part: &ResolvedPart, layout: &mut Layout) -> Box<dyn Model> {
    macro_rules! wrapped {
        ($device:expr) => {
            device::wrap($device, part, layout)
        };
    }
    let value = |name: &str| part.value(name);
    match part.kind {
        KindId::SineSource => Box::new(sine_source::new(part, layout)),
        KindId::DcSource => Box::new(dc_source::new(part, layout)),
        KindId::PulseSource => Box::new(pulse_source::new(part, layout)),
        KindId::PiecewiseSource => Box::new(waveform_sources::piecewise(part, layout)),
        KindId::ExponentialSource => Box::new(waveform_sources::exponential(part, layout)),
        KindId::CurrentSource => wrapped!(controlled::CurrentSource { current: value("current") }),
        KindId::ThreePhaseSource => wrapped!(controlled::ThreePhase::new(part)),
        KindId::VoltageControlledVoltage => wrapped!(controlled::Controlled::<true, false> { factor: value("gain") }),
        KindId::VoltageControlledCurrent => {
            wrapped!(controlled::Controlled::<false, false> { factor: value("transconductance") })
        }
        KindId::CurrentControlledVoltage => {
            wrapped!(controlled::Controlled::<true, true> { factor: value("transresistance") })
        }
        KindId::CurrentControlledCurrent => wrapped!(controlled::Controlled::<false, true> { factor: value("gain") }),
        KindId::Resistor => Box::new(resistor::Resistor::new(part, layout)),
        KindId::Capacitor if value("esl") > 0.0 || value("leakage") > 0.0 => wrapped!(lossy::LossyCapacitor::new(part)),
        KindId::Capacitor => Box::new(capacitor::Capacitor::new(part, layout)),
        KindId::Inductor if value("saturation_current") > 0.0 => wrapped!(lossy::SaturableInductor::new(part)),
        KindId::Inductor => Box::new(inductor::Inductor::new(part, layout)),
        KindId::Thermistor => wrapped!(thermistor::Thermistor::new(part)),
        KindId::IdealTransformer => Box::new(ideal_transformer::IdealTransformer::new(part, layout)),
        KindId::CoupledWindings => Box::new(coupled_windings::CoupledWindings::new(part, layout)),
        KindId::ThreeWindings => wrapped!(three_windings::ThreeWindings::new(part)),
        KindId::HystereticTransformer => wrapped!(hysteretic_core::HystereticTransformer::new(part)),
        KindId::CoreTransformer => wrapped!(core_transformer::CoreTransformer::new(part)),
        KindId::Diode | KindId::Schottky | KindId::Led => diode::new(part, layout),
        KindId::Zener => diode::zener(part, layout),
        KindId::MosfetN | KindId::MosfetP => wrapped!(mosfet::Mosfet::new(part)),
        KindId::Npn | KindId::Pnp => wrapped!(bipolar::Bipolar::new(part)),
        KindId::Amplifier => wrapped!(amplifier::Amplifier::new(part)),
        KindId::Comparator if value("hysteresis") > 0.0 => wrapped!(comparator::Comparator::<true>::new(part)),
        KindId::Comparator => wrapped!(comparator::Comparator::<false>::new(part)),
        KindId::ShuntReference => wrapped!(regulators::ShuntReference::new(part)),
        KindId::SeriesReference => wrapped!(regulators::Regulator::reference(part)),
        KindId::Regulator => wrapped!(regulators::Regulator::new(part)),
        KindId::TimedSwitch => Box::new(timed_switch::TimedSwitch::new(part, layout)),
        KindId::ControlledSwitch if value("behaviour") > 0.5 => wrapped!(switches::TrippingSwitch::<false>::new(part)),
        KindId::ControlledSwitch => wrapped!(switches::SmoothSwitch::<false>::new(part)),
        KindId::CurrentSwitch if value("behaviour") > 0.5 => wrapped!(switches::TrippingSwitch::<true>::new(part)),
        KindId::CurrentSwitch => wrapped!(switches::SmoothSwitch::<true>::new(part)),
        KindId::CurrentLoad | KindId::SteppedLoad => wrapped!(loads::CurrentLoad::new(part)),
        KindId::PowerLoad => wrapped!(loads::PowerLoad::new(part)),
    }
}
