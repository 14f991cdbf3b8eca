//! Control parts: what each does, as modes between events, once for both engines.
//!
//! ```
//! use circuit::{Supply, resolve};
//! use mellow_control::{Of, automaton};
//! let supply = Supply::from_json(
//!     r#"{"format": "mellow-coil-supply", "version": 1, "name": "latch", "circuit": {"parts": [
//!         {"id": "U1", "kind": "latch", "pins": {"out": "q", "s": "set", "r": "gnd", "com": "gnd"}}]}}"#,
//! );
//! ```

mod automaton;
mod inputs;
mod logic;

pub use automaton::{Automaton, Clock, Guard, Mode, Of, Output, Set, Sum, Through, Transition};

use circuit::{KindId, ResolvedPart};

/// Whether a kind of part is a control part.
pub fn is_control(kind: KindId) -> bool {
    matches!(
        kind,
        KindId::AndGate | KindId::OrGate | KindId::XorGate | KindId::Inverter | KindId::Latch | KindId::Delay
    )
}

/// What a control part does; of any other part nothing.
pub fn automaton(part: &ResolvedPart) -> Automaton {
    match part.kind {
        KindId::AndGate | KindId::OrGate | KindId::XorGate | KindId::Inverter => logic::gate(part),
        KindId::Latch => logic::latch(part),
        KindId::Delay => logic::delay(part),
        _ => Automaton::default(),
    }
}
