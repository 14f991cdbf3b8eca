//! What shapes an error: integrator, zeros and poles in a row, held between limits.
//!
//! What the integrator and its zero make, u, is held between the limits first, and what it would be beyond them is taken back from
//! the integrator, `dx/dt = ω_i·e − ω_z·(u − held)`, so that it does not wind up (back-calculation: K. J. Åström & T. Hägglund, *PID
//! Controllers*, 1995, section 3.5, from memory). Where a zero behind it makes more of that, the output is held once more.

use crate::automaton::{Automaton, Guard, Mode, Of, Output, Sum, Transition};
use crate::inputs::guard;
use circuit::ResolvedPart;
use std::f64::consts::TAU;

const OUT: usize = 0;
const COM: usize = 3;

/// Where a sum stands between limits: within, or held at the upper or the lower one.
const WITHIN: usize = 0;
const UPPER: usize = 1;
const LOWER: usize = 2;

struct Limits([f64; 2]);

/// How far within its limit, as a part of the room between both, an output is let go again: what settles at a limit must not come and
/// go with its rounding.
const LET_GO: f64 = 1e-6;

impl Limits {
    fn new(part: &ResolvedPart, [low, high]: [&str; 2]) -> Self {
        let low = part.value(low);
        Limits([low, part.value(high).max(low)])
    }

    fn held(&self, sum: &Sum, place: usize) -> Sum {
        match place {
            UPPER => Sum::constant(self.0[1]),
            LOWER => Sum::constant(self.0[0]),
            _ => sum.clone(),
        }
    }

    /// What is left of a sum beyond its limit.
    fn beyond(&self, sum: &Sum, place: usize) -> Sum {
        sum.clone().plus(-1.0, self.held(sum, place))
    }

    /// What must hold for it to stay there, and where it goes otherwise.
    fn guards(&self, sum: &Sum, place: usize, to: impl Fn(usize) -> usize) -> Vec<Guard> {
        let ([low, high], to) = (self.0, |place| Transition::to(to(place)));
        let (over, under) = (sum.clone().and(-high), sum.clone().times(-1.0).and(low));
        let room = LET_GO * (high - low);
        match place {
            UPPER => vec![guard(over.and(room), to(WITHIN))],
            LOWER => vec![guard(under.and(room), to(WITHIN))],
            _ => vec![guard(over.times(-1.0), to(UPPER)), guard(under.times(-1.0), to(LOWER))],
        }
    }
}

fn named(place: usize) -> &'static str {
    ["linear", "at its upper limit", "at its lower limit"][place]
}

fn driving(part: &ResolvedPart, states: usize, modes: Vec<Mode>) -> Automaton {
    let output = Output { pin: OUT, against: COM, resistance: part.value("output_resistance"), response: 0.0 };
    Automaton { states: vec![0.0; states], outputs: vec![output], modes, ..Automaton::default() }
}

fn error() -> Sum {
    Sum::across(1, 2)
}

/// `K·(1 + ω_z/s)`.
pub(crate) fn pi(part: &ResolvedPart) -> Automaton {
    let (gain, zero, limits) = (part.value("gain"), TAU * part.value("zero"), Limits::new(part, ["low", "high"]));
    let sum = Sum::of(Of::State(0)).plus(gain, error());
    let mode = |place: usize| {
        let rate = error().times(gain * zero).plus(-zero, limits.beyond(&sum, place));
        Mode::new(named(place), limits.held(&sum, place)).rate(vec![rate]).guarded(limits.guards(&sum, place, |to| to))
    };
    driving(part, 1, (0..3).map(mode).collect())
}

/// `(ω_i/s)·(1 + s/ω_z)/(1 + s/ω_p)`.
pub(crate) fn type_2(part: &ResolvedPart) -> Automaton {
    held_type_2(part, ["low", "high"])
}

/// The same, between limits that these parameters state.
pub(crate) fn held_type_2(part: &ResolvedPart, limits: [&str; 2]) -> Automaton {
    in_a_row(part, &Limits::new(part, limits), &[part.value("zero")], &[part.value("pole")])
}

/// `(ω_i/s)·(1 + s/ω_z1)·(1 + s/ω_z2)/((1 + s/ω_p1)·(1 + s/ω_p2))`.
pub(crate) fn type_3(part: &ResolvedPart) -> Automaton {
    let zeros = ["zero_1", "zero_2"].map(|name| part.value(name));
    let poles = ["pole_1", "pole_2"].map(|name| part.value(name));
    in_a_row(part, &Limits::new(part, ["low", "high"]), &zeros, &poles)
}

/// An integrator with the first zero; then each pole with the zero behind it, if there is one: `dx/dt = ω_p·(u − x)`, out of which
/// comes `x + (ω_p/ω_z)·(u − x)`. Frequencies in Hz. Modes: where what the first makes stands, and where the output does.
fn in_a_row(part: &ResolvedPart, limits: &Limits, zeros: &[f64], poles: &[f64]) -> Automaton {
    let (unity, zero) = (TAU * part.value("unity_frequency"), TAU * zeros[0]);
    let first = Sum::of(Of::State(0)).plus(unity / zero, error());
    let places = if zeros.len() > 1 { 9 } else { 3 };
    let mode = |mode: usize| {
        let (place, out) = (mode % 3, mode / 3);
        let mut rates = vec![error().times(unity).plus(-zero, limits.beyond(&first, place))];
        let mut section = limits.held(&first, place);
        // A pole without a zero comes last, so that the output follows continuously.
        for (k, pole) in poles.iter().enumerate() {
            let state = Of::State(k + 1);
            let lag = section.plus(-1.0, state);
            section = match zeros.get(k + 1) {
                Some(zero) => Sum::of(state).plus(pole / zero, lag.clone()),
                None => Sum::of(state),
            };
            rates.push(lag.times(TAU * pole));
        }
        let mode = Mode::new(named(if out > 0 { out } else { place }), limits.held(&section, out)).rate(rates);
        let mode = mode.guarded(limits.guards(&first, place, |to| 3 * out + to));
        // Without a zero of its own what follows a sum between its limits stays there too.
        if places > 3 { mode.guarded(limits.guards(&section, out, |to| 3 * to + place)) } else { mode }
    };
    driving(part, poles.len() + 1, (0..places).map(mode).collect())
}
