//! Control parts: what each does, as modes between events, once for both engines.
//!
//! Within a mode everything is linear: what an output is driven to, how fast a state of the part's own runs. A mode lasts as long as
//! its guards hold, sums that must not be negative, or until a mark of the part's clock; states may be set where another follows.
//! How an engine walks through that is its own affair.
//!
//! ```
//! use circuit::{Supply, resolve};
//! let latch = r#"{ "mellow_coil": 1, "title": "latch", "parts": [
//!     { "id": "V1", "kind": "dc_source", "pins": { "plus": "s", "minus": "gnd" }, "parameters": { "voltage": "5" } },
//!     { "id": "R1", "kind": "resistor", "pins": { "a": "q", "b": "gnd" } },
//!     { "id": "U1", "kind": "latch", "pins": { "out": "q", "s": "s", "r": "gnd", "com": "gnd" } } ] }"#;
//! let circuit = resolve(&Supply::from_json(latch).unwrap()).unwrap();
//! let latch = mellow_control::automaton(&circuit.parts[2]);
//! // Reset and with both inputs low it is low, and stays until either input has passed its threshold.
//! assert_eq!(latch.modes[0].name, "low");
//! let set = &latch.modes[0].guards[0];
//! let at = |volts: f64| set.holds.value(|of| if of == mellow_control::Of::Pin(1) { volts } else { 0.0 });
//! assert!(at(0.0) > 0.0 && at(5.0) < 0.0);
//! assert_eq!(latch.modes[set.then.to].name, "high");
//! ```

mod automaton;
mod compensators;
mod inputs;
mod logic;
mod modulators;
mod sampled;
mod sensors;
mod supervision;
mod timing;

pub use automaton::{Automaton, Clock, Guard, Mode, Of, Operation, Output, Set, Sum, Through, Transition};

use circuit::{KindId, ResolvedPart};

/// What a control part does ([`KindId::is_control`]); any other part does nothing here.
pub fn automaton(part: &ResolvedPart) -> Automaton {
    match part.kind {
        KindId::AndGate | KindId::OrGate | KindId::XorGate | KindId::Inverter => logic::gate(part),
        KindId::Latch => logic::latch(part),
        KindId::Delay => logic::delay(part),
        KindId::PiController => compensators::pi(part),
        KindId::Type2Compensator => compensators::type_2(part),
        KindId::Type3Compensator => compensators::type_3(part),
        KindId::VoltageSensor => sensors::voltage(part),
        KindId::CurrentSensor => sensors::current(part),
        KindId::PulseModulator => modulators::pulse(part),
        KindId::CurrentModulator => modulators::current(part),
        KindId::AverageCurrentModulator => modulators::average_current(part),
        KindId::OnTimeModulator => modulators::on_time(part),
        KindId::CriticalModulator => modulators::critical(part),
        KindId::HystereticModulator => modulators::hysteretic(part),
        KindId::HalfBridgeDriver => timing::half_bridge(part),
        KindId::Monostable => timing::monostable(part),
        KindId::Counter => timing::counter(part),
        KindId::SoftStart => supervision::soft_start(part),
        KindId::UndervoltageLockout => supervision::between_levels(part, ["on_voltage", "off_voltage"]),
        KindId::BurstController => supervision::between_levels(part, ["run_above", "stop_below"]),
        KindId::HiccupLimiter => supervision::hiccup(part),
        KindId::SampledController => sampled::controller(part),
        KindId::Multiplier => sampled::multiplier(part),
        _ => Automaton::default(),
    }
}
