//! What control parts with inputs of two levels have in common.

use crate::automaton::{Guard, Mode, Output, Set, Sum, Transition};
use circuit::ResolvedPart;

/// An output of two levels, and the thresholds of inputs.
pub(crate) struct Levels {
    high: f64,
    threshold: f64,
    hysteresis: f64,
    resistance: f64,
    response: f64,
}

impl Levels {
    pub(crate) fn new(part: &ResolvedPart) -> Self {
        let value = |name: &str| part.value(name);
        // Not every part has inputs of two levels, or an output of two.
        let known = |name: &str| if part.kind.kind().parameter(name).is_some() { value(name) } else { 0.0 };
        Levels {
            high: known("level"),
            threshold: known("threshold"),
            hysteresis: known("hysteresis"),
            resistance: value("output_resistance"),
            response: value("response_time"),
        }
    }

    pub(crate) fn output(&self, pin: usize, against: usize) -> Output {
        Output { pin, against, resistance: self.resistance, response: self.response }
    }

    /// What an output is driven to.
    pub(crate) fn drive(&self, high: bool) -> Sum {
        Sum::constant(if high { self.high } else { 0.0 })
    }

    /// Holds as long as an input stays high, or low.
    fn stays(&self, input: &Sum, high: bool) -> Sum {
        let half = 0.5 * self.hysteresis;
        if high {
            input.clone().and(half - self.threshold)
        } else {
            input.clone().times(-1.0).and(half + self.threshold)
        }
    }

    /// Guards that hold inputs to their bits, and what follows where one changes.
    pub(crate) fn guards(&self, inputs: &[Sum], bits: usize, then: impl Fn(usize) -> Transition) -> Vec<Guard> {
        let guard = |(k, input): (usize, &Sum)| Guard {
            holds: self.stays(input, (bits >> k) & 1 == 1),
            then: then(bits ^ (1 << k)),
        };
        inputs.iter().enumerate().map(guard).collect()
    }
}

/// Name of a mode by the level of its output.
pub(crate) fn level(high: bool) -> &'static str {
    if high { "high" } else { "low" }
}

/// A guard that gives way where a sum falls below zero.
pub(crate) fn guard(holds: Sum, then: Transition) -> Guard {
    Guard { holds, then }
}

impl Mode {
    pub(crate) fn new(name: &'static str, output: Sum) -> Self {
        Mode { name, outputs: vec![output], ..Mode::default() }
    }

    pub(crate) fn rate(mut self, rates: Vec<Sum>) -> Self {
        self.rates = rates;
        self
    }

    pub(crate) fn guarded(mut self, guards: impl IntoIterator<Item = Guard>) -> Self {
        self.guards.extend(guards);
        self
    }

    pub(crate) fn marked(mut self, mark: usize, then: Transition) -> Self {
        self.marks.push((mark, then));
        self
    }
}

impl Set {
    pub(crate) fn in_steps(mut self, step: f64) -> Self {
        self.step = step;
        self
    }
}
