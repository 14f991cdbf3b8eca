//! Control parts: within a mode `dx/dt` of each state is a sum, each output is driven through its resistance to a sum, or to what
//! follows it with a time constant; where a guard gives way or a mark of the clock has come, states are set and another mode follows.
//! What a part does is said once for both engines, in the crate of control parts.

use crate::contract::{Flow, Model, Point};
use crate::stamps::{Constants, Entry, Layout, Stamps};
use circuit::ResolvedPart;
use control::{Automaton, Clock, Of, Output, Sum, Through, Transition};
use std::collections::HashMap;

/// Slope of the rows of what only events change, 1/s; nothing beside any run's length.
const HOLDING: f64 = 1e-9;
/// How closely time is told at a mark, relative to a turn and to the time.
const RESOLUTION: f64 = 1e-12;

/// A sum over unknowns.
struct Terms {
    terms: Vec<(Entry, usize, f64)>,
    /// The same in the row of what an output is driven against, if that takes part.
    against: Vec<(Entry, f64)>,
    phase: f64,
    constant: f64,
}

impl Terms {
    fn value(&self, x: &[f64], phase: f64) -> f64 {
        self.terms.iter().map(|(_, at, factor)| factor * x[*at]).sum::<f64>() + self.phase * phase + self.constant
    }

    /// Whether it is the same whatever the circuit does.
    fn runs_by_itself(&self) -> bool {
        self.terms.is_empty()
    }
}

struct Mode {
    drives: Vec<Terms>,
    rates: Vec<Terms>,
}

/// Where an output is driven.
struct Driven {
    pin: usize,
    against: usize,
    conductance: f64,
    /// What follows with a time constant, and its speed, 1/s.
    follows: Option<(usize, f64)>,
    /// Rows of pin and of what it is driven against, by themselves and each other, and by what follows.
    between: [Entry; 4],
    by_follower: Option<[Entry; 2]>,
}

/// Unknowns beside the pins: what follows for each output, the current through, the states, the mode, and with a clock the marks
/// that have passed.
pub(super) struct Controlled {
    automaton: Automaton,
    pins: Vec<usize>,
    outputs: Vec<Driven>,
    through: Option<(Through, usize, [Entry; 4], Entry)>,
    states: Vec<usize>,
    mode: usize,
    marks: Option<usize>,
    modes: Vec<Mode>,
    /// Diagonals of the states, the mode, the marks.
    held: Vec<(usize, Entry)>,
    followers: Vec<(usize, Entry)>,
}

/// Hands out entries, each once.
struct Places<'a> {
    layout: &'a mut Layout,
    known: HashMap<(usize, usize), Entry>,
}

impl Places<'_> {
    fn at(&mut self, row: usize, column: usize) -> Entry {
        let layout = &mut *self.layout;
        *self.known.entry((row, column)).or_insert_with(|| layout.entry(row, column))
    }
}

impl Controlled {
    pub(super) fn new(automaton: Automaton, part: &ResolvedPart, layout: &mut Layout) -> Self {
        let pins = part.pins.clone();
        let follower = |layout: &mut Layout, output: &Output| (output.response > 0.0).then(|| layout.other(&part.id));
        let followers: Vec<_> = automaton.outputs.iter().map(|output| follower(layout, output)).collect();
        let current = automaton.through.map(|through| (through, layout.branch(&part.id)));
        let states: Vec<usize> = automaton.states.iter().map(|_| layout.other(&part.id)).collect();
        let mode = layout.other(&part.id);
        let marks = automaton.clock.as_ref().map(|_| layout.other(&part.id));
        let unknown = |of: Of| match of {
            Of::Pin(pin) => Some(pins[pin]),
            Of::Through => current.map(|(_, current)| current),
            Of::State(state) => Some(states[state]),
            Of::Phase | Of::One => None,
        };
        let mut places = Places { layout, known: HashMap::new() };
        let outputs: Vec<Driven> = automaton
            .outputs
            .iter()
            .zip(&followers)
            .map(|(output, follower)| {
                let (pin, against) = (pins[output.pin], pins[output.against]);
                let ends = [(pin, pin), (against, against), (pin, against), (against, pin)];
                Driven {
                    pin,
                    against,
                    conductance: 1.0 / output.resistance,
                    follows: follower.map(|y| (y, 1.0 / output.response)),
                    between: ends.map(|(row, column)| places.at(row, column)),
                    by_follower: follower.map(|y| [places.at(pin, y), places.at(against, y)]),
                }
            })
            .collect();
        let through = current.map(|(through, i)| {
            let (from, to) = (pins[through.from], pins[through.to]);
            (through, i, places.layout.incidence(from, to, i), places.at(i, i))
        });
        let mut terms = |row: usize, against: Option<usize>, sum: &Sum| {
            let mut made = Terms { terms: Vec::new(), against: Vec::new(), phase: 0.0, constant: 0.0 };
            for (of, factor) in &sum.0 {
                match (of, unknown(*of)) {
                    (Of::Phase, _) => made.phase += factor,
                    (_, None) => made.constant += factor,
                    (_, Some(at)) => {
                        made.terms.push((places.at(row, at), at, *factor));
                        made.against.extend(against.map(|row| (places.at(row, at), *factor)));
                    }
                }
            }
            made
        };
        let modes = automaton.modes.iter().map(|mode| Mode {
            drives: mode
                .outputs
                .iter()
                .zip(&outputs)
                .map(|(sum, driven)| terms(driven.row(), driven.row_against(), sum))
                .collect(),
            rates: mode.rates.iter().zip(&states).map(|(sum, state)| terms(*state, None, sum)).collect(),
        });
        let modes = modes.collect();
        let mut diagonal = |at: usize| (at, places.at(at, at));
        let held = states.iter().copied().chain([mode]).chain(marks).map(&mut diagonal).collect();
        let followers = followers.into_iter().flatten().map(&mut diagonal).collect();
        Controlled { automaton, pins, outputs, through, states, mode, marks, modes, held, followers }
    }

    fn at_mode(&self, x: &[f64]) -> usize {
        count(x[self.mode]).min(self.modes.len() - 1)
    }

    /// How much of the turn that has begun has passed.
    fn phase(&self, x: &[f64], t: f64) -> f64 {
        let (Some(clock), Some(marks)) = (&self.automaton.clock, self.marks) else { return 0.0 };
        clock.turned(t, count(x[marks]))
    }

    fn value(&self, sum: &Sum, x: &[f64], t: f64) -> f64 {
        sum.value(|of| match of {
            Of::Pin(pin) => x[self.pins[pin]],
            Of::Through => self.through.as_ref().map_or(0.0, |(_, i, ..)| x[*i]),
            Of::State(state) => x[self.states[state]],
            Of::Phase => self.phase(x, t),
            Of::One => 1.0,
        })
    }

    /// The values of the guards, each with what follows where it gives way.
    fn guards(&self, at: Point<'_>) -> impl Iterator<Item = (f64, &Transition)> {
        let guards = &self.automaton.modes[self.at_mode(at.x)].guards;
        guards.iter().map(move |guard| (self.value(&guard.holds, at.x, at.t), &guard.then))
    }

    fn follow(&self, transition: &Transition, x: &mut [f64], t: f64) {
        for set in &transition.sets {
            let value = self.value(&set.value, x, t);
            let factor = set.factor.as_ref().map(|(operation, factor)| (operation, self.value(factor, x, t)));
            let value = factor.map_or(value, |(operation, factor)| operation.of(value, factor));
            x[self.states[set.state]] = set.becomes(value);
        }
        x[self.mode] = transition.to as f64;
    }

    fn flow_of(&self, x: &[f64], currents: impl Iterator<Item = f64>) -> Flow {
        let mut flow = Flow::default();
        let mut first = self.through.is_none();
        if let Some((through, i, ..)) = &self.through {
            flow.current = x[*i];
            flow.power = through.resistance * x[*i] * x[*i];
        }
        for (driven, current) in self.outputs.iter().zip(currents) {
            flow.power += (x[driven.pin] - x[driven.against]) * current;
            if std::mem::take(&mut first) {
                flow.current = current;
            }
        }
        flow
    }

    /// What an output is driven to, V.
    fn drive(&self, nth: usize, at: Point<'_>) -> f64 {
        match self.outputs[nth].follows {
            Some((y, _)) => at.x[y],
            None => self.modes[self.at_mode(at.x)].drives[nth].value(at.x, self.phase(at.x, at.t)),
        }
    }

    /// Current into an output, A.
    fn current(&self, nth: usize, at: Point<'_>) -> f64 {
        let driven = &self.outputs[nth];
        driven.conductance * (at.x[driven.pin] - at.x[driven.against] - self.drive(nth, at))
    }
}

impl Driven {
    /// Row in which stands what it is driven to.
    fn row(&self) -> usize {
        self.follows.map_or(self.pin, |(y, _)| y)
    }

    /// Row in which it stands too.
    fn row_against(&self) -> Option<usize> {
        self.follows.is_none().then_some(self.against)
    }
}

/// A whole number among the unknowns.
fn count(x: f64) -> usize {
    x.round().max(0.0) as usize
}

/// Time in which a mark counts as having come at `t`, s.
fn resolution(clock: &Clock, t: f64) -> f64 {
    RESOLUTION * t.abs().max(1.0 / clock.frequency)
}

/// Marks that have passed before a clock is looked at first.
fn passed_before(clock: &Clock) -> f64 {
    (0..clock.marks.len()).filter(|n| clock.mark(*n) < -resolution(clock, 0.0)).count() as f64
}

impl Model for Controlled {
    fn constants(&self, constants: &mut Constants<'_>) {
        self.held.iter().chain(&self.followers).for_each(|(_, entry)| constants.c(*entry, 1.0));
        for driven in &self.outputs {
            constants.conductance(driven.between, driven.conductance);
            if let (Some([pin, against]), Some((y, speed))) = (driven.by_follower, driven.follows) {
                constants.g(pin, -driven.conductance);
                constants.g(against, driven.conductance);
                if let Some((_, entry)) = self.followers.iter().find(|(at, _)| *at == y) {
                    constants.g(*entry, speed);
                }
            }
        }
        if let Some((through, _, incidence, own)) = &self.through {
            constants.incidence(*incidence);
            constants.g(*own, -through.resistance);
        }
    }

    fn varies(&self) -> bool {
        true
    }

    fn nonlinear(&self) -> bool {
        true
    }

    fn stamp(&self, at: Point<'_>, stamps: &mut Stamps<'_>) -> Flow {
        let (mode, phase) = (&self.modes[self.at_mode(at.x)], self.phase(at.x, at.t));
        for (driven, terms) in self.outputs.iter().zip(&mode.drives) {
            let value = terms.value(at.x, phase);
            match driven.follows {
                Some((y, speed)) => {
                    stamps.current(y, -speed * value);
                    terms.terms.iter().for_each(|(entry, _, factor)| stamps.slope(*entry, -speed * factor));
                }
                None => {
                    stamps.current(driven.pin, -driven.conductance * value);
                    stamps.current(driven.against, driven.conductance * value);
                    for (entry, _, factor) in &terms.terms {
                        stamps.slope(*entry, -driven.conductance * factor);
                    }
                    for (entry, factor) in &terms.against {
                        stamps.slope(*entry, driven.conductance * factor);
                    }
                }
            }
        }
        let still = |terms: Option<&Terms>| stamps.resting && terms.is_none_or(Terms::runs_by_itself);
        let holds: Vec<bool> = (0..self.states.len()).map(|k| still(mode.rates.get(k))).collect();
        for ((terms, state), held) in mode.rates.iter().zip(&self.states).zip(&holds) {
            if !held {
                stamps.current(*state, -terms.value(at.x, phase));
                terms.terms.iter().for_each(|(entry, _, factor)| stamps.slope(*entry, -factor));
            }
        }
        for (nth, (_, entry)) in self.held.iter().enumerate() {
            if holds.get(nth).copied().unwrap_or(stamps.resting) {
                stamps.slope(*entry, HOLDING);
            }
        }
        self.flow(at)
    }

    fn guess(&self, x: &mut [f64]) {
        self.states.iter().zip(&self.automaton.states).for_each(|(at, first)| x[*at] = *first);
        x[self.mode] = 0.0;
        if let (Some(clock), Some(marks)) = (&self.automaton.clock, self.marks) {
            x[marks] = passed_before(clock);
        }
    }

    /// Held by constant capacitances of one.
    fn initial(&self, charges: &mut [f64]) {
        self.guess(charges);
    }

    fn flow(&self, at: Point<'_>) -> Flow {
        self.flow_of(at.x, (0..self.outputs.len()).map(|nth| self.current(nth, at)))
    }

    fn next_corner(&self, t: f64) -> Option<f64> {
        let clock = self.automaton.clock.as_ref()?;
        let each = clock.marks.len();
        let first = ((t * clock.frequency + clock.phase).floor() - 1.0).max(0.0) as usize * each;
        let after = t + resolution(clock, t);
        (first..=first + 3 * each).map(|n| clock.mark(n)).find(|at| *at > after)
    }

    fn trips(&self) -> bool {
        true
    }

    fn margin(&self, at: Point<'_>) -> f64 {
        self.guards(at).map(|(value, _)| value).fold(f64::INFINITY, f64::min)
    }

    fn due(&self, at: Point<'_>) -> bool {
        match (&self.automaton.clock, self.marks) {
            (Some(clock), Some(marks)) => clock.mark(count(at.x[marks])) <= at.t + resolution(clock, at.t),
            _ => false,
        }
    }

    fn pass(&self, x: &mut [f64], t: f64) {
        let (Some(clock), Some(marks)) = (&self.automaton.clock, self.marks) else { return };
        let which = count(x[marks]) % clock.marks.len();
        let then = self.automaton.modes[self.at_mode(x)].marks.iter().find(|(mark, _)| *mark == which);
        if let Some((_, then)) = then {
            self.follow(then, x, t);
        }
        x[marks] = x[marks].round() + 1.0;
    }

    fn period(&self) -> Option<f64> {
        self.automaton.clock.as_ref().map(|clock| clock.frequency.recip())
    }

    fn back(&self, x: &mut [f64], time: f64) {
        if let (Some(clock), Some(marks)) = (&self.automaton.clock, self.marks) {
            x[marks] -= (time * clock.frequency).round() * clock.marks.len() as f64;
        }
    }

    fn trip(&self, x: &mut [f64], t: f64) {
        let gives_way = self.guards(Point { x, t }).find(|(value, _)| *value < 0.0).map(|(_, then)| then.clone());
        if let Some(then) = gives_way {
            self.follow(&then, x, t);
        }
    }

    fn region(&self, at: Point<'_>) -> Option<&'static str> {
        Some(self.automaton.modes[self.at_mode(at.x)].name)
    }

    fn current_unknown(&self) -> Option<usize> {
        self.through.as_ref().map(|(_, i, ..)| *i)
    }
}
