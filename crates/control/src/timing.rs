//! What keeps time: drivers with dead time, pulses of a length, counts.

use crate::automaton::{Automaton, Mode, Of, Sum, Transition};
use crate::inputs::{Levels, guard, level};
use circuit::ResolvedPart;

fn elapsed(time: f64) -> Sum {
    Sum::of(Of::State(0)).times(-1.0).and(time)
}

fn zero() -> Sum {
    Sum::constant(0.0)
}

/// Modes: the input's bit, and whether neither switch is on until the dead time has passed.
pub(crate) fn half_bridge(part: &ResolvedPart) -> Automaton {
    const DEAD: usize = 2;
    let levels = Levels::new(part);
    let inputs = [Sum::across(4, 3)];
    let dead_time = part.value("dead_time");
    let mode = |state: usize| {
        let (high, dead) = (state & 1 == 1, state & DEAD == DEAD);
        let changed = levels.guards(&inputs, state & 1, |bit| Transition::to(bit | DEAD).set(0, zero()));
        let name = if dead { "dead time" } else { level(high) };
        let mode =
            Mode { name, outputs: vec![levels.drive(high && !dead), levels.drive(!high && !dead)], ..Mode::default() };
        let mode = mode.guarded(changed);
        if !dead {
            return mode;
        }
        mode.rate(vec![Sum::constant(1.0)])
            .guarded([guard(elapsed(dead_time), Transition::to(state & 1).set(0, zero()))])
    };
    // It begins with both off.
    let order = [DEAD, DEAD | 1, 0, 1];
    let place = |state: usize| order.iter().position(|it| *it == state).unwrap_or_default();
    Automaton {
        states: vec![0.0],
        outputs: vec![levels.output(0, 1), levels.output(2, 3)],
        modes: order.iter().map(|state| moved(mode(*state), place)).collect(),
        ..Automaton::default()
    }
}

/// A mode with the modes that follow it at other places.
fn moved(mut mode: Mode, place: impl Fn(usize) -> usize) -> Mode {
    mode.guards.iter_mut().for_each(|guard| guard.then.to = place(guard.then.to));
    mode
}

/// Modes: the bits of the input and of the output.
pub(crate) fn monostable(part: &ResolvedPart) -> Automaton {
    let levels = Levels::new(part);
    let inputs = [Sum::across(1, 2)];
    let (width, retriggers) = (part.value("pulse_width"), part.value("retriggers") > 0.5);
    let mode = |state: usize| {
        let high = state & 2 == 2;
        let changed = levels.guards(&inputs, state & 1, |bit| {
            let begins = bit == 1 && (!high || retriggers);
            let to = Transition::to(if begins { 3 } else { state & 2 | bit });
            if begins { to.set(0, zero()) } else { to }
        });
        let mode = Mode::new(level(high), levels.drive(high)).guarded(changed);
        if !high {
            return mode;
        }
        mode.rate(vec![Sum::constant(1.0)]).guarded([guard(elapsed(width), Transition::to(state & 1).set(0, zero()))])
    };
    Automaton {
        states: vec![0.0],
        outputs: vec![levels.output(0, 2)],
        modes: (0..4).map(mode).collect(),
        ..Automaton::default()
    }
}

/// Modes: the bits of input, reset and output; the count is a state.
pub(crate) fn counter(part: &ResolvedPart) -> Automaton {
    let levels = Levels::new(part);
    let inputs = [Sum::across(1, 3), Sum::across(2, 3)];
    let modulus = part.value("modulus").round();
    let count = || Sum::of(Of::State(0));
    // High from half of the modulus on, the middle of an odd one counting to the low half.
    let half = (0.5 * modulus).ceil();
    let mode = |state: usize| {
        let high = state & 4 == 4;
        let changed = levels.guards(&inputs, state & 3, |bits| {
            let (rises, reset) = (bits & 1 > state & 1, bits & 2 == 2);
            let to = Transition::to(if reset { bits } else { state & 4 | bits });
            match (reset, rises) {
                (true, _) => to.set(0, zero()),
                (false, true) => to.set(0, count().and(1.0)),
                (false, false) => to,
            }
        });
        let low = state & 3;
        let counts = if high {
            guard(count().times(-1.0).and(modulus - 0.5), Transition::to(low).set(0, zero()))
        } else {
            guard(count().times(-1.0).and(half - 0.5), Transition::to(low | 4))
        };
        Mode::new(level(high), levels.drive(high)).guarded(changed).guarded([counts])
    };
    Automaton {
        states: vec![0.0],
        outputs: vec![levels.output(0, 3)],
        modes: (0..8).map(mode).collect(),
        ..Automaton::default()
    }
}
