//! What samples with a clock of its own: a difference equation, whose result comes out later in the turn and is held; a product.

use crate::automaton::{Automaton, Clock, Mode, Of, Operation, Output, Set, Sum, Transition};
use crate::modulators::turned;
use circuit::ResolvedPart;

/// States: the newest error and the two before, the newest result and the one before, what is held at the output.
const ERRORS: [usize; 3] = [0, 1, 2];
const RESULTS: [usize; 2] = [3, 4];
const HELD: usize = 5;

pub(crate) fn controller(part: &ResolvedPart) -> Automaton {
    let low = part.value("low");
    let limits = (low, part.value("high").max(low));
    let state = |state: usize| Sum::of(Of::State(state));
    let set = Set::new;
    let weights = ["b0", "b1", "b2"].map(|name| part.value(name));
    let result =
        ERRORS.iter().zip(weights).fold(Sum::default(), |sum, (error, weight)| sum.plus(weight, Of::State(*error)));
    // Once what was is one place further on, the result before is in the second place.
    let result = result.plus(part.value("a1"), Of::State(RESULTS[1]));
    let (a2, kept) = (part.value("a2"), 6);
    let sets = vec![
        set(kept, state(RESULTS[1])),
        set(ERRORS[2], state(ERRORS[1])),
        set(ERRORS[1], state(ERRORS[0])),
        set(ERRORS[0], Sum::across(1, 2)).in_steps(part.value("input_step")),
        set(RESULTS[1], state(RESULTS[0])),
        Set { between: limits, ..set(RESULTS[0], result.plus(a2, Of::State(kept))) },
    ];
    let out = Set { between: limits, ..set(HELD, state(RESULTS[0])) }.in_steps(part.value("output_step"));
    let delay = part.value("delay");
    let mode = Mode::new("sampling", state(HELD));
    let (marks, mode) = if delay > 0.0 {
        (vec![0.0, delay], mode.marked(0, Transition { to: 0, sets }).marked(1, Transition { to: 0, sets: vec![out] }))
    } else {
        (vec![0.0], mode.marked(0, Transition { to: 0, sets: sets.into_iter().chain([out]).collect() }))
    };
    Automaton {
        states: vec![0.0; 7],
        clock: Some(Clock { frequency: part.value("frequency"), phase: turned(part), marks }),
        outputs: vec![Output { pin: 0, against: 3, resistance: part.value("output_resistance"), response: 0.0 }],
        modes: vec![mode],
        ..Automaton::default()
    }
}

/// `x·y/scale`, or `scale·x/y`, of what two inputs are at each turn.
pub(crate) fn multiplier(part: &ResolvedPart) -> Automaton {
    let (low, scale) = (part.value("low"), part.value("scale"));
    let (operation, scale) =
        if part.value("operation") > 0.5 { (Operation::Over, scale) } else { (Operation::Times, 1.0 / scale) };
    let result = Set {
        factor: Some((operation, Sum::across(2, 3))),
        between: (low, part.value("high").max(low)),
        ..Set::new(0, Sum::across(1, 3).times(scale))
    };
    let mode = Mode::new("sampling", Sum::of(Of::State(0))).marked(0, Transition { to: 0, sets: vec![result] });
    Automaton {
        states: vec![0.0],
        clock: Some(Clock { frequency: part.value("frequency"), phase: turned(part), marks: vec![0.0] }),
        outputs: vec![Output { pin: 0, against: 3, resistance: part.value("output_resistance"), response: 0.0 }],
        modes: vec![mode],
        ..Automaton::default()
    }
}
