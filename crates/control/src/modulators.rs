//! What makes pulses of a control voltage: by a carrier, by a current, by time.

use crate::automaton::{Automaton, Clock, Guard, Mode, Of, Sum, Transition};
use crate::compensators::held_type_2;
use crate::inputs::{Levels, guard, level};
use circuit::ResolvedPart;

/// Marks closer than that are one, as parts of a turn.
const APART: f64 = 1e-9;

/// How far a part's clock has turned at time zero, 0 to 1.
pub(crate) fn turned(part: &ResolvedPart) -> f64 {
    let turned = (part.value("phase") / 360.0).rem_euclid(1.0);
    if turned > 1.0 - APART { 0.0 } else { turned }
}

/// A clock with marks where they are wanted within a turn, and where each of those is among them.
fn clock(part: &ResolvedPart, wanted: &[f64]) -> (Clock, Vec<Option<usize>>) {
    let mut marks = vec![0.0];
    marks.extend(wanted.iter().copied().filter(|at| *at > APART && *at < 1.0 - APART));
    marks.sort_by(f64::total_cmp);
    marks.dedup_by(|b, a| *b - *a < APART);
    let place = |at: &f64| marks.iter().position(|mark| (mark - at).abs() < APART).filter(|place| *place > 0);
    let places = wanted.iter().map(place).collect();
    (Clock { frequency: part.value("frequency"), phase: turned(part), marks }, places)
}

/// A mode with what happens at a mark, if there is one.
fn at(mode: Mode, mark: Option<usize>, to: usize) -> Mode {
    match mark {
        Some(mark) => mode.marked(mark, Transition::to(to)),
        None => mode,
    }
}

fn holds(sum: Sum, to: usize) -> Guard {
    guard(sum, Transition::to(to))
}

/// One output with one clock.
fn clocked(part: &ResolvedPart, clock: Clock, modes: Vec<Mode>) -> Automaton {
    let com = part.pins.len() - 1;
    Automaton { clock: Some(clock), outputs: vec![Levels::new(part).output(0, com)], modes, ..Automaton::default() }
}

/// Pulses by a carrier. A pulse is wanted while the control is above it.
pub(crate) fn pulse(part: &ResolvedPart) -> Automaton {
    by_carrier(part, &Sum::across(1, 2))
}

/// Pulses by a carrier of which the control is what a compensator makes of the programmed and the sensed current, held between the
/// carrier's ends. Modes: those of the one for each of the other.
pub(crate) fn average_current(part: &ResolvedPart) -> Automaton {
    let first = held_type_2(part, ["ramp_low", "ramp_high"]);
    let pulses: Vec<Automaton> = first.modes.iter().map(|mode| by_carrier(part, &mode.outputs[0])).collect();
    let each = pulses[0].modes.len();
    let moved = |then: &Transition, by: usize| Transition { to: by + then.to, sets: then.sets.clone() };
    let mode = |place: usize, mode: usize| {
        let (amplifier, pulse) = (&first.modes[place], &pulses[place].modes[mode]);
        let of_amplifier = amplifier
            .guards
            .iter()
            .map(|guard| Guard { then: Transition::to(each * guard.then.to + mode), ..guard.clone() });
        let of_pulse =
            pulse.guards.iter().map(|guard| Guard { then: moved(&guard.then, each * place), ..guard.clone() });
        Mode {
            name: pulse.name,
            outputs: pulse.outputs.clone(),
            rates: amplifier.rates.clone(),
            guards: of_pulse.chain(of_amplifier).collect(),
            marks: pulse.marks.iter().map(|(mark, then)| (*mark, moved(then, each * place))).collect(),
        }
    };
    let modes = (0..first.modes.len()).flat_map(|place| (0..each).map(move |m| (place, m))).map(|(p, m)| mode(p, m));
    Automaton { states: first.states.clone(), modes: modes.collect(), ..pulses[0].clone() }
}

fn by_carrier(part: &ResolvedPart, control: &Sum) -> Automaton {
    let levels = Levels::new(part);
    let (low, high) = (part.value("ramp_low"), part.value("ramp_high"));
    let (height, natural) = (high - low, part.value("sampling") > 0.5);
    let least = (part.value("least_on_time") * part.value("frequency")).min(1.0);
    let most = part.value("max_duty");
    // Holds while the control is above a carrier that begins at a voltage and goes so far up in a turn.
    let above = |from: f64, rise: f64| control.clone().and(-from).plus(-rise, Of::Phase);
    let below = |from: f64, rise: f64| above(from, rise).times(-1.0);
    let mode = |on: bool| Mode::new(level(on), levels.drive(on));
    match part.value("carrier").round() as usize {
        0 => rising(part, [least, most], natural, &mode, [above(low, height), below(low, height), above(low, 0.0)]),
        1 => falling(part, [least, most], natural, &mode, [above(high, -height), below(high, -height)]),
        _ => {
            let [first, second] = [(high, -2.0 * height), (low - height, 2.0 * height)];
            let carriers = [first, second].map(|(from, rise)| [above(from, rise), below(from, rise)]);
            triangle(part, [least, most], natural, &mode, carriers)
        }
    }
}

/// The pulse begins with the turn and ends where the carrier passes the control.
fn rising(
    part: &ResolvedPart,
    [least, most]: [f64; 2],
    natural: bool,
    mode: &dyn Fn(bool) -> Mode,
    [above, below, any]: [Sum; 3],
) -> Automaton {
    const LATE: usize = 0;
    const BEGINS: usize = 1;
    const HELD: usize = 2;
    const ON: usize = 3;
    const OFF: usize = 4;
    let (clock, places) = clock(part, &[least.min(most), most]);
    let [held, late] = [places[0], places[1]];
    let begins = |mode: Mode| mode.marked(0, Transition::to(BEGINS));
    let again = natural.then(|| holds(below, ON));
    let modes = vec![
        begins(mode(false)),
        // Without any control there is no pulse, however long the least one is.
        mode(false).guarded([holds(any, OFF), holds(Sum::constant(-1.0), if held.is_some() { HELD } else { ON })]),
        at(begins(mode(true)), held, ON),
        at(begins(mode(true)).guarded([holds(above, OFF)]), late, LATE),
        at(begins(mode(false)).guarded(again), late, LATE),
    ];
    clocked(part, clock, modes)
}

/// The pulse begins where the carrier passes the control and ends with the turn.
fn falling(
    part: &ResolvedPart,
    [least, most]: [f64; 2],
    natural: bool,
    mode: &dyn Fn(bool) -> Mode,
    [above, below]: [Sum; 2],
) -> Automaton {
    const LATE: usize = 0;
    const EARLY: usize = 1;
    const OFF: usize = 2;
    const ON: usize = 3;
    let (clock, places) = clock(part, &[1.0 - most, 1.0 - least.min(most)]);
    let [begins, last] = [places[0], if least > 0.0 { places[1] } else { None }];
    let first = if begins.is_some() { EARLY } else { OFF };
    let turn = |mode: Mode| mode.marked(0, Transition::to(first));
    let again = natural.then(|| holds(above, OFF));
    let modes = vec![
        turn(mode(false)),
        at(mode(false), begins, OFF),
        at(turn(mode(false)).guarded([holds(below, ON)]), last, LATE),
        turn(mode(true)).guarded(again),
    ];
    clocked(part, clock, modes)
}

/// The carrier falls in the first half of a turn and rises in the second; the pulse lies around the middle.
fn triangle(
    part: &ResolvedPart,
    [least, most]: [f64; 2],
    natural: bool,
    mode: &dyn Fn(bool) -> Mode,
    [[above_1, below_1], [above_2, below_2]]: [[Sum; 2]; 2],
) -> Automaton {
    const LATE: usize = 0;
    const EARLY: usize = 1;
    const OFF: usize = 2;
    const ON: usize = 3;
    const WAITS: usize = 4;
    const HELD: usize = 5;
    const OVER: usize = 6;
    const SECOND: usize = 7;
    let least = least.min(most);
    let around = |width: f64| [0.5 - 0.5 * width, 0.5 + 0.5 * width];
    let ([begins, ends], [last, held]) = (around(most), around(least));
    let (clock, places) = clock(part, &[begins, last, held, ends]);
    let [begins, last, held, ends] = [places[0], places[1], places[2], places[3]];
    let first = if begins.is_some() { EARLY } else { OFF };
    let (off, on) = if last == held { (OVER, SECOND) } else { (WAITS, HELD) };
    let turn = |mode: Mode| mode.marked(0, Transition::to(first));
    let again = |sum: Sum, to| natural.then(|| holds(sum, to));
    let modes = vec![
        turn(mode(false)),
        at(mode(false), begins, OFF),
        at(mode(false).guarded([holds(below_1, ON)]), last, off),
        at(mode(true).guarded(again(above_1, OFF)), last, on),
        at(mode(false), held, OVER),
        at(mode(true), held, SECOND),
        at(turn(mode(false)).guarded(again(below_2, SECOND)), ends, LATE),
        at(turn(mode(true)).guarded([holds(above_2, OVER)]), ends, LATE),
    ];
    clocked(part, clock, modes)
}

/// The clock begins the pulse and the current ends it, or the other way round.
pub(crate) fn current(part: &ResolvedPart) -> Automaton {
    let levels = Levels::new(part);
    let mode = |on: bool| Mode::new(level(on), levels.drive(on));
    let (frequency, limit) = (part.value("frequency"), part.value("limit"));
    let (blanking, most) = ((part.value("blanking") * frequency).min(1.0), part.value("max_duty"));
    let ramp = part.value("slope") / frequency;
    let limited = Sum::across(2, 3).times(-1.0).and(limit);
    if part.value("mode") < 0.5 {
        const OFF: usize = 0;
        const BLIND: usize = 1;
        const ON: usize = 2;
        let (clock, places) = clock(part, &[blanking.min(most), most]);
        let [sees, ends] = [places[0], places[1]];
        let first = if sees.is_some() { BLIND } else { ON };
        let turn = |mode: Mode| mode.marked(0, Transition::to(first));
        let asked = Sum::across(1, 2).plus(-ramp, Of::Phase);
        let blind = if blanking < most { at(turn(mode(true)), sees, ON) } else { at(turn(mode(true)), ends, OFF) };
        let on = at(turn(mode(true)).guarded([holds(asked, OFF), holds(limited, OFF)]), ends, OFF);
        return clocked(part, clock, vec![turn(mode(false)), blind, on]);
    }
    const ON: usize = 0;
    const BLIND: usize = 1;
    const OFF: usize = 2;
    const OVER: usize = 3;
    let (clock, places) = clock(part, &[blanking.max(1.0 - most)]);
    let first = if places[0].is_some() { BLIND } else { OFF };
    let turn = |mode: Mode| mode.marked(0, Transition::to(first));
    let modes = vec![
        turn(mode(true)),
        at(turn(mode(false)), places[0], OFF),
        turn(mode(false)).guarded([holds(Sum::across(2, 1).plus(-ramp, Of::Phase), OVER)]),
        turn(mode(false)).guarded([holds(limited.times(-1.0), ON)]),
    ];
    clocked(part, clock, modes)
}

/// Time since the last edge runs in the only state.
struct Timed {
    levels: Levels,
}

impl Timed {
    fn new(part: &ResolvedPart) -> Self {
        Timed { levels: Levels::new(part) }
    }

    /// A mode in which time runs, for so long, s.
    fn lasts(&self, on: bool, time: f64, to: Transition) -> Mode {
        self.mode(on).guarded([guard(Sum::of(Of::State(0)).times(-1.0).and(time), to)])
    }

    fn mode(&self, on: bool) -> Mode {
        Mode::new(level(on), self.levels.drive(on)).rate(vec![Sum::constant(1.0)])
    }

    /// A mode in which no time has to run.
    fn waits(&self, on: bool) -> Mode {
        Mode::new(level(on), self.levels.drive(on))
    }

    fn with(self, modes: Vec<Mode>) -> Automaton {
        Automaton { states: vec![0.0], outputs: vec![self.levels.output(0, 3)], modes, ..Automaton::default() }
    }
}

/// To a mode with the time since the last edge at zero.
fn edge(to: usize) -> Transition {
    Transition::to(to).set(0, Sum::constant(0.0))
}

/// Pulses of one length.
pub(crate) fn on_time(part: &ResolvedPart) -> Automaton {
    const OFF: usize = 0;
    const ON: usize = 1;
    const PAUSE: usize = 2;
    let timed = Timed::new(part);
    let modes = vec![
        timed.waits(false).guarded([guard(Sum::across(2, 1), edge(ON))]),
        timed.lasts(true, part.value("on_time"), edge(PAUSE)),
        timed.lasts(false, part.value("least_off_time"), edge(OFF)),
    ];
    timed.with(modes)
}

/// From no current to the current asked for.
pub(crate) fn critical(part: &ResolvedPart) -> Automaton {
    const BLIND_OFF: usize = 0;
    const OFF: usize = 1;
    const BLIND_ON: usize = 2;
    const ON: usize = 3;
    let timed = Timed::new(part);
    let [blanking, restart, longest] = ["blanking", "restart_time", "longest_on_time"].map(|name| part.value(name));
    let until = |time: f64| Sum::of(Of::State(0)).times(-1.0).and(time);
    let modes = vec![
        timed.lasts(false, blanking.min(restart), Transition::to(OFF)),
        timed
            .lasts(false, restart, edge(BLIND_ON))
            .guarded([guard(Sum::across(2, 3).and(-part.value("zero")), edge(BLIND_ON))]),
        timed.lasts(true, blanking.min(longest), Transition::to(ON)),
        timed.mode(true).guarded([guard(until(longest), edge(BLIND_OFF)), guard(Sum::across(1, 2), edge(BLIND_OFF))]),
    ];
    timed.with(modes)
}

/// Within a band.
pub(crate) fn hysteretic(part: &ResolvedPart) -> Automaton {
    const OFF: usize = 0;
    const BLIND_ON: usize = 1;
    const ON: usize = 2;
    const BLIND_OFF: usize = 3;
    let timed = Timed::new(part);
    let half = 0.5 * part.value("hysteresis");
    let modes = vec![
        timed.waits(false).guarded([guard(Sum::across(2, 1).and(half), edge(BLIND_ON))]),
        timed.lasts(true, part.value("least_on_time"), edge(ON)),
        timed.waits(true).guarded([guard(Sum::across(1, 2).and(half), edge(BLIND_OFF))]),
        timed.lasts(false, part.value("least_off_time"), edge(OFF)),
    ];
    timed.with(modes)
}
