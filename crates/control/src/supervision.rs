//! What lets a converter start, and stops it in time.

use crate::automaton::{Automaton, Mode, Of, Sum, Transition};
use crate::inputs::{Levels, guard, level};
use circuit::ResolvedPart;

/// Modes: off, rising, risen.
pub(crate) fn soft_start(part: &ResolvedPart) -> Automaton {
    const OFF: usize = 0;
    const RISES: usize = 1;
    const RISEN: usize = 2;
    let levels = Levels::new(part);
    let inputs = [Sum::across(1, 2)];
    let end = part.value("voltage");
    let state = || Sum::of(Of::State(0));
    let stops = |_: usize| Transition::to(OFF).set(0, Sum::constant(0.0));
    let modes = vec![
        Mode::new("off", state()).guarded(levels.guards(&inputs, 0, |_| Transition::to(RISES))),
        Mode::new("rising", state())
            .rate(vec![Sum::constant(end / part.value("rise_time"))])
            .guarded(levels.guards(&inputs, 1, stops))
            .guarded([guard(state().times(-1.0).and(end), Transition::to(RISEN).set(0, Sum::constant(end)))]),
        Mode::new("risen", state()).guarded(levels.guards(&inputs, 1, stops)),
    ];
    Automaton { states: vec![0.0], outputs: vec![levels.output(0, 2)], modes, ..Automaton::default() }
}

/// High from one input voltage to another below it.
pub(crate) fn between_levels(part: &ResolvedPart, [on, off]: [&str; 2]) -> Automaton {
    let levels = Levels::new(part);
    let on = part.value(on);
    let off = part.value(off).min(on);
    let mode = |high: bool, holds: Sum, to: usize| {
        Mode::new(level(high), levels.drive(high)).guarded([guard(holds, Transition::to(to))])
    };
    let input = || Sum::across(1, 2);
    let modes = vec![mode(false, input().times(-1.0).and(on), 1), mode(true, input().and(-off), 0)];
    Automaton { outputs: vec![levels.output(0, 2)], modes, ..Automaton::default() }
}

/// The state is the part of what is borne that has been used up, and while it is off the part of the pause that has passed.
pub(crate) fn hiccup(part: &ResolvedPart) -> Automaton {
    const WELL: usize = 0;
    const RECOVERS: usize = 1;
    const OVER: usize = 2;
    const OFF: usize = 3;
    let levels = Levels::new(part);
    let mode = |name: &'static str, high: bool, rate: f64| Mode {
        name,
        ..Mode::new("", levels.drive(high)).rate(vec![Sum::constant(rate)])
    };
    let (used, zero) = (|| Sum::of(Of::State(0)), || Sum::constant(0.0));
    let below = || Sum::across(1, 2).times(-1.0).and(part.value("limit"));
    let speed = 1.0 / part.value("overload_time");
    let modes = vec![
        mode("running", true, 0.0).guarded([guard(below(), Transition::to(OVER))]),
        mode("running", true, -speed)
            .guarded([guard(below(), Transition::to(OVER)), guard(used(), Transition::to(WELL).set(0, zero()))]),
        mode("over its limit", true, speed).guarded([
            guard(used().times(-1.0).and(1.0), Transition::to(OFF).set(0, zero())),
            guard(below().times(-1.0), Transition::to(RECOVERS)),
        ]),
        mode("pausing", false, 1.0 / part.value("pause"))
            .guarded([guard(used().times(-1.0).and(1.0), Transition::to(WELL).set(0, zero()))]),
    ];
    Automaton { states: vec![0.0], outputs: vec![levels.output(0, 2)], modes, ..Automaton::default() }
}
