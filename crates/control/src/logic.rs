//! Logic: each input is low or high by its own thresholds, with hysteresis, and the output follows from the bits and from what is
//! kept.

use crate::automaton::{Automaton, Mode, Of, Sum, Transition};
use crate::inputs::{Levels, guard, level};
use circuit::{KindId, ResolvedPart};

/// A gate of two inputs, or of one: modes are the bits, the first as the lowest.
pub(crate) fn gate(part: &ResolvedPart) -> Automaton {
    let levels = Levels::new(part);
    let com = part.pins.len() - 1;
    let inputs: Vec<Sum> = (1..com).map(|pin| Sum::across(pin, com)).collect();
    let mode = |bits: usize| {
        let high = match part.kind {
            KindId::AndGate => bits == 3,
            KindId::OrGate => bits > 0,
            KindId::XorGate => bits == 1 || bits == 2,
            _ => bits == 0,
        };
        Mode::new(level(high), levels.drive(high)).guarded(levels.guards(&inputs, bits, Transition::to))
    };
    Automaton {
        outputs: vec![levels.output(0, com)],
        modes: (0..1 << inputs.len()).map(mode).collect(),
        ..Automaton::default()
    }
}

/// Modes are the bits of set, reset and what is kept.
pub(crate) fn latch(part: &ResolvedPart) -> Automaton {
    let levels = Levels::new(part);
    let inputs = [Sum::across(1, 3), Sum::across(2, 3)];
    let mode = |bits: usize| {
        let then = |inputs: usize| {
            let kept = inputs & 2 == 0 && (inputs & 1 == 1 || bits & 4 == 4);
            Transition::to(inputs & 3 | if kept { 4 } else { 0 })
        };
        let high = bits & 4 == 4;
        Mode::new(level(high), levels.drive(high)).guarded(levels.guards(&inputs, bits, then))
    };
    Automaton { outputs: vec![levels.output(0, 3)], modes: (0..8).map(mode).collect(), ..Automaton::default() }
}

/// A clock between 0 and 1 runs up in the delay of rising edges while the input is high and down in that of falling ones while it is
/// low; at 1 the output goes high, at 0 low. Modes: the bits of the input and of what is passed on, and whether the clock runs.
pub(crate) fn delay(part: &ResolvedPart) -> Automaton {
    const RUNS: usize = 4;
    let levels = Levels::new(part);
    let inputs = [Sum::across(1, 2)];
    let [up, down] = ["rise_delay", "fall_delay"].map(|name| 1.0 / part.value(name));
    let clock = || Sum::of(Of::State(0));
    let mode = |state: usize| {
        let (input, passed, runs) = (state & 1 == 1, state & 2 == 2, state & RUNS == RUNS);
        let other = levels.guards(&inputs, state & 1, |bit| Transition::to(state & 2 | bit | RUNS));
        let mode = Mode::new(level(passed), levels.drive(passed)).guarded(other);
        if !runs {
            return mode;
        }
        let (left, end, rate) = if input { (clock().times(-1.0).and(1.0), 3, up) } else { (clock(), 0, -down) };
        let stands = Transition::to(end).set(0, Sum::constant(if input { 1.0 } else { 0.0 }));
        mode.rate(vec![Sum::constant(rate)]).guarded([guard(left, stands)])
    };
    Automaton {
        states: vec![0.0],
        outputs: vec![levels.output(0, 2)],
        modes: (0..8).map(mode).collect(),
        ..Automaton::default()
    }
}
