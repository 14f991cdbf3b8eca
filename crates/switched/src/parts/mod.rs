//! What each kind of part is in the switched engine, one file per family.

mod amplifier;
mod automaton;
mod bipolar;
mod controlling;
mod diodes;
mod loads;
mod passive;
mod pieces;
mod regulators;
mod sources;
mod switches;
mod windings;

use crate::error::SwitchedError;
use crate::network::Network;
use circuit::{Circuit, KindId, ResolvedPart};

/// Brings a circuit into the form of this engine.
///
/// # Errors
/// [`SwitchedError::NoForm`] naming the parts that have none.
pub(crate) fn network(circuit: &Circuit) -> Result<Network, SwitchedError> {
    let (network, without) = tried(circuit);
    if without.is_empty() { Ok(network) } else { Err(SwitchedError::NoForm { parts: without.join(", ") }) }
}

/// Parts that have no form in this engine, or none where they stand, by designator.
pub fn without_form(circuit: &Circuit) -> Vec<&str> {
    tried(circuit).1
}

fn tried(circuit: &Circuit) -> (Network, Vec<&str>) {
    let mut network = Network::new(&circuit.nets);
    let linear = switches::between_off_and_on(circuit);
    let formless = |(place, part): &(usize, &ResolvedPart)| !add(part, &mut network) || linear.contains(place);
    let without = circuit.parts.iter().enumerate().filter(formless).map(|(_, part)| part.id.as_str()).collect();
    (network, without)
}

/// Adds a part to a network; false if its kind has no form here.
fn add(part: &ResolvedPart, n: &mut Network) -> bool {
    n.begin(&part.id, part.pins.len());
    match part.kind {
        KindId::Resistor => passive::resistor(part, n),
        KindId::Capacitor => passive::capacitor(part, n),
        KindId::Inductor => passive::inductor(part, n),
        KindId::IdealTransformer => windings::ideal(part, n),
        KindId::CoupledWindings => windings::two(part, n),
        KindId::ThreeWindings => windings::three(part, n),
        KindId::DcSource => sources::direct(part, n),
        KindId::SineSource => sources::sine(part, n),
        KindId::PulseSource => sources::pulse(part, n),
        KindId::PiecewiseSource => sources::points(part, n),
        KindId::ExponentialSource => sources::exponential(part, n),
        KindId::CurrentSource => sources::current(part, n),
        KindId::ThreePhaseSource => sources::three_phase(part, n),
        KindId::VoltageControlledVoltage
        | KindId::VoltageControlledCurrent
        | KindId::CurrentControlledVoltage
        | KindId::CurrentControlledCurrent => sources::controlled(part, n),
        KindId::Diode | KindId::Schottky | KindId::Led => diodes::diode(part, n),
        KindId::Zener => diodes::zener(part, n),
        KindId::CoreTransformer => windings::on_core(part, n),
        KindId::Npn | KindId::Pnp => bipolar::bipolar(part, n),
        KindId::ShuntReference => regulators::shunt_reference(part, n),
        KindId::SeriesReference => regulators::series_reference(part, n),
        KindId::Regulator => regulators::regulator(part, n),
        KindId::MosfetN | KindId::MosfetP => switches::mosfet(part, n),
        KindId::TimedSwitch => switches::timed(part, n),
        KindId::ControlledSwitch | KindId::CurrentSwitch => switches::controlled(part, n),
        KindId::Comparator => switches::comparator(part, n),
        KindId::Amplifier => amplifier::amplifier(part, n),
        KindId::CurrentLoad | KindId::SteppedLoad => loads::current(part, n),
        KindId::PowerLoad => loads::power(part, n),
        kind if kind.is_control() => automaton::automaton(part, &control::automaton(part), n),
        _ => return false,
    }
    true
}
