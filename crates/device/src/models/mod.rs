//! Device models, one per file, each with its equations and their source.
//!
//! A model owns no state: it says which unknowns and matrix entries it needs ([`Layout`]),
//! stamps what never changes once, and is asked for the rest at every iteration.

mod amplifier;
mod automaton;
mod bipolar;
mod capacitor;
mod comparator;
mod controlled;
mod core_transformer;
mod coupled_windings;
mod damping;
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

use crate::contract::Model;
use crate::stamps::Layout;
use circuit::{KindId, ResolvedPart};

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
        _ => Box::new(automaton::Controlled::new(control::automaton(part), part, layout)),
    }
}
