//! From event to event: how far the next step goes, and what happens at its end.

use crate::configuration::compiled::Compiled;
use crate::error::SwitchedError;
use crate::stepping::event::{Looked, Watch};
use crate::stepping::machine::{Change, Machine, Stand};
use crate::stepping::step::Stretch;
use serde::{Deserialize, Serialize};

/// First step, relative to what is to be covered: nothing is known yet of how large anything gets.
const FIRST: f64 = 1e-4;
/// Part of the largest voltage or current that is of no interest.
const NEXT_TO_NOTHING: f64 = 1e-3;
/// Error beyond which a step is tried again shorter, relative to what is allowed.
const TOO_FAR: f64 = 4.0;
/// How much longer the next step may be, and the error below which that much is.
const GROWS: f64 = 4.0;
const CLOSE: f64 = 1.0 / 1024.0;
/// Events at one instant that count as endless.
const MOST_AT_ONCE: u32 = 1000;
/// Events at one instant after which ten times as much counts as rounding, and powers of ten at most.
const PATIENT: u32 = 20;
const MOST_SLACK: f64 = 5.0;
/// Size beyond which numbers count as unbounded.
const UNBOUNDED: f64 = 1e30;
/// Steps up to a corner that are made of equal length.
const EQUAL: f64 = 4.0;

/// Walks a machine through time.
pub(crate) struct Walker {
    pub(crate) machine: Machine,
    /// Longest step, s, how closely quartics follow, relative to full scale, and how long the whole walk is, s.
    max_step: f64,
    tolerance: f64,
    whole: f64,
    /// Largest magnitude of each recorded row, and the same with the step at hand.
    full: Vec<f64>,
    reaches: Vec<f64>,
    /// Whether what is allowed was raised by a step that was too long.
    raised: bool,
    pub(crate) stretch: Stretch,
    /// Whether what is seen at the beginning of the step at hand is of where it stands.
    looked: bool,
    /// How long the next step may be, s, where it goes on from the one before.
    pace: Option<f64>,
    /// The same behind an event, of configurations a run that is gone on with has been in, by their regions.
    paces: Paces,
    /// Whether a step has been taken.
    begun: bool,
    /// Steps of walks that nobody records.
    pub(crate) walked: u64,
    events_at_once: u32,
    /// The element that changed last.
    changed: usize,
    watch: Watch,
    /// What an error in each recorded row may come to.
    allowed: Vec<f64>,
}

/// How long a step behind an event may be, s, by the regions of the configuration.
type Paces = Vec<(Vec<u8>, f64)>;

/// What a walk has seen, which is kept when it is gone on with later.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
pub(crate) struct Sight {
    /// The largest magnitude of each recorded row so far.
    pub(crate) full: Vec<f64>,
    /// Everything where it stands, if it has looked there.
    here: Option<Vec<f64>>,
    /// How long the next step may be, s, and steps behind events.
    pace: Option<f64>,
    paces: Paces,
}

/// A step that has been found.
#[derive(Clone, Copy, Debug)]
pub(crate) struct Step {
    pub(crate) length: f64,
    pub(crate) ends: Ends,
}

/// What is at the end of a step.
#[derive(Clone, Copy, Debug, PartialEq)]
pub(crate) enum Ends {
    /// Nothing.
    Open,
    /// The time it was to go to.
    Target,
    /// A guard that gives way, by its place in the configuration.
    Guard(usize),
}

impl Walker {
    pub(crate) fn new(machine: Machine, max_step: f64, tolerance: f64, whole: f64) -> Self {
        let linear = machine.network.nets.len() - 1 + machine.network.parts.len();
        Walker {
            machine,
            max_step,
            tolerance,
            whole,
            full: vec![0.0; linear],
            reaches: Vec::new(),
            raised: false,
            stretch: Stretch::default(),
            looked: false,
            pace: None,
            paces: Vec::new(),
            begun: false,
            walked: 0,
            events_at_once: 0,
            changed: 0,
            watch: Watch::default(),
            allowed: Vec::new(),
        }
    }

    /// What has been seen.
    pub(crate) fn sight(&self) -> Sight {
        let of = |c: &Compiled| c.pace.map(|pace| (c.of.regions.clone(), pace));
        let mut paces: Paces = self.machine.compiled.iter().filter_map(of).collect();
        paces.extend_from_slice(&self.paces);
        let here = self.looked.then(|| self.stretch.here.clone());
        Sight { full: self.full.clone(), here, pace: self.pace, paces }
    }

    /// Goes on from where the machine stands with that.
    pub(crate) fn resume(&mut self, sight: Sight, begun: bool) {
        (self.full, self.begun, self.looked) = (sight.full, begun, sight.here.is_some());
        self.stretch.here = sight.here.unwrap_or_default();
        (self.pace, self.paces) = (sight.pace, sight.paces);
    }

    /// Goes back to where the machine stood.
    pub(crate) fn stand_at(&mut self, stand: &Stand) {
        self.machine.stand_at(stand);
        self.machine.slack = 1.0;
        (self.looked, self.pace, self.events_at_once) = (false, None, 0);
    }

    /// Sets the states where it stands.
    ///
    /// # Errors
    /// As [`Machine::commutate`].
    pub(crate) fn move_to(&mut self, states: &[f64]) -> Result<(), SwitchedError> {
        (self.looked, self.pace) = (false, None);
        self.machine.move_to(states)
    }

    /// Finds the next step towards a time; its nodes are in `stretch`.
    pub(crate) fn find(&mut self, target: f64) -> Step {
        if !self.looked {
            self.look();
        }
        self.reaches.clone_from(&self.full);
        self.raised = false;
        self.stretch.begin();
        self.allow();
        let left = target - self.machine.t;
        if left <= 0.0 {
            // An event came at the very time.
            self.stretch.reach(&mut self.machine, 0.0);
            return Step { length: 0.0, ends: Ends::Target };
        }
        let pace = self.pace();
        let longest = if self.begun { self.max_step } else { self.max_step.min(FIRST * self.whole) };
        let mut h = pace.min(longest).min(left);
        let mut ends = Ends::Open;
        // Equal steps up to the target rather than a sliver before it.
        let steps = (left / h).ceil();
        if steps <= EQUAL {
            h = left / steps;
            if steps <= 1.0 {
                ends = Ends::Target;
            }
        }
        let errors = loop {
            self.reaches.clone_from(&self.full);
            self.stretch.reach(&mut self.machine, h);
            // What has been nothing until now is held against what it becomes.
            let rises = self.rises();
            if rises || self.raised {
                self.allow();
            }
            self.raised = rises;
            let mut errors = self.stretch.error(&self.machine, h);
            if errors[0].max(errors[1]) > TOO_FAR {
                let between = self.stretch.error_between(&mut self.machine, h);
                errors = errors.map(|error| error.min(between));
            }
            let most = errors[0].max(errors[1]);
            if most <= TOO_FAR || h <= f64::EPSILON * self.machine.t {
                break errors;
            }
            (h, ends) = (h * (0.8 * most.powf(-0.2)).clamp(0.1, 0.8), Ends::Open);
        };
        self.learn(pace, h, errors);
        if let Some((at, guard)) = self.first_crossing(h) {
            (h, ends) = (at, Ends::Guard(guard));
            std::mem::swap(&mut self.stretch.last, &mut self.watch.end);
            self.stretch.look_along(&mut self.machine, h);
        }
        Step { length: h, ends }
    }

    /// How long a step may be, as the one before has shown, or the last one behind an event in this configuration.
    fn pace(&mut self) -> f64 {
        let compiled = &mut self.machine.compiled[self.machine.at];
        if compiled.pace.is_none() {
            let known = self.paces.iter().position(|(regions, _)| *regions == compiled.of.regions);
            compiled.pace = known.map(|known| self.paces.swap_remove(known).1);
        }
        self.pace.or(compiled.pace).unwrap_or(f64::INFINITY)
    }

    /// Takes from a step's errors how long the next one may be, and how long the first of its like.
    fn learn(&mut self, pace: f64, h: f64, [begins, ends]: [f64; 2]) {
        // A step that went much closer than it had to, because something else ended it, tells nothing of a longer one.
        let next = |error: f64| if error < CLOSE { pace.max(GROWS * h) } else { h * error.powf(-0.2) };
        if self.pace.replace(next(ends)).is_none() {
            self.machine.compiled[self.machine.at].pace = Some(next(begins.max(ends)));
        }
    }

    /// Goes to the end of the step that was found.
    ///
    /// # Errors
    /// [`SwitchedError::Unbounded`], [`SwitchedError::Restless`] if events follow each other without time passing.
    pub(crate) fn take(&mut self, step: Step, target: f64) -> Result<(), SwitchedError> {
        let machine = &mut self.machine;
        if let Ends::Guard(guard) = step.ends {
            // Time that cannot be told apart does not pass.
            let passes = machine.t + step.length > machine.t;
            self.events_at_once = if passes { 1 } else { self.events_at_once + 1 };
            self.changed = machine.compiled[machine.at].of.guards[guard].element;
            // Events that do not end hang on what rounding made; ever larger numbers count as that.
            machine.slack = 10f64.powf((f64::from(self.events_at_once / PATIENT)).min(MOST_SLACK));
            if self.events_at_once > MOST_AT_ONCE {
                return Err(self.restless());
            }
        }
        machine.t = if step.ends == Ends::Target { target } else { machine.t + step.length };
        machine.z.copy_from_slice(&self.stretch.last);
        machine.set_inputs();
        // Where one step ends the next begins.
        std::mem::swap(&mut self.stretch.here, &mut self.stretch.there);
        (self.looked, self.begun) = (true, true);
        let mut bounded = true;
        let seen = machine.compiled[machine.at].seen();
        for (full, value) in self.full.iter_mut().zip(seen.values(&self.stretch.here)) {
            *full = full.max(value.abs());
            bounded &= value.abs() < UNBOUNDED;
        }
        if bounded { Ok(()) } else { Err(self.unbounded()) }
    }

    /// That events follow each other and lead nowhere.
    pub(crate) fn restless(&self) -> SwitchedError {
        self.machine.restless_at(self.changed)
    }

    fn unbounded(&self) -> SwitchedError {
        let network = &self.machine.network;
        let values = self.machine.compiled[self.machine.at].seen().values(&self.stretch.here);
        let (row, nets) = (values.iter().position(|v| v.is_nan() || v.abs() >= UNBOUNDED), network.nets.len() - 1);
        let unknown = match row {
            Some(row) if row >= nets => network.parts[row - nets].id.clone(),
            row => network.nets[row.unwrap_or(0) + 1].clone(),
        };
        SwitchedError::Unbounded { time: self.machine.t, unknown }
    }

    /// Lets happen what happens at the end of a step; none if that is nothing.
    ///
    /// # Errors
    /// As [`Machine::commutate`].
    pub(crate) fn happen(&mut self, step: Step) -> Result<Option<Change>, SwitchedError> {
        if step.ends == Ends::Open {
            return Ok(None);
        }
        (self.looked, self.pace) = (false, None);
        let change = match step.ends {
            Ends::Guard(guard) => self.machine.give_way(guard),
            Ends::Open | Ends::Target => self.machine.corner(),
        };
        change.map(Some)
    }

    /// Looks around where it stands.
    fn look(&mut self) {
        self.stretch.look(&self.machine);
        let values = self.machine.compiled[self.machine.at].seen().values(&self.stretch.here);
        self.full.iter_mut().zip(values).for_each(|(full, value)| *full = full.max(value.abs()));
        self.looked = true;
    }

    /// Whether anything recorded has jumped since the end of the last step.
    pub(crate) fn jumped(&mut self) -> bool {
        self.stretch.there.clone_from(&self.stretch.here);
        self.look();
        let seen = self.machine.compiled[self.machine.at].seen();
        let mut jumped = false;
        for ((full, was), is) in self.full.iter_mut().zip(&self.stretch.there).zip(seen.values(&self.stretch.here)) {
            *full = full.max(is.abs());
            jumped |= (is - was).abs() > 1e-9 * *full;
        }
        jumped
    }

    /// What an error in a recorded row is held against: the largest it has been, but no less than what is next to nothing
    /// beside the largest voltage or current. Rows that have been nothing are not looked at.
    fn allow(&mut self) {
        let nets = self.machine.network.nets.len() - 1;
        let largest = |rows: &[f64]| rows.iter().copied().fold(0.0, f64::max);
        let floors = [&self.reaches[..nets], &self.reaches[nets..]].map(|rows| NEXT_TO_NOTHING * largest(rows));
        let allowed = |(row, full): (usize, &f64)| {
            let full = full.max(floors[usize::from(row >= nets)]);
            if full > 0.0 { self.tolerance * full } else { f64::INFINITY }
        };
        self.allowed.clear();
        self.allowed.extend(self.reaches.iter().enumerate().map(allowed));
        self.stretch.allow(&self.machine.compiled[self.machine.at], &self.allowed);
    }

    /// Takes what recorded rows reach within the step at hand; whether any of them goes beyond what it has been.
    fn rises(&mut self) -> bool {
        let seen = self.machine.compiled[self.machine.at].seen();
        let mut rises = false;
        for node in self.stretch.seen() {
            for (reaches, value) in self.reaches.iter_mut().zip(seen.values(node)) {
                rises |= value.abs() > *reaches;
                *reaches = reaches.max(value.abs());
            }
        }
        rises
    }

    /// When in a step the first guard gives way, and which.
    fn first_crossing(&mut self, h: f64) -> Option<(f64, usize)> {
        let machine = &mut self.machine;
        let step = Looked {
            length: h,
            series: &self.stretch.series,
            seen: self.stretch.seen(),
            // Within a step places are told apart more finely than times are, and what is left of a fast current depends on it.
            resolution: 4.0 * f64::EPSILON * h,
        };
        let (scale, slack) = (&machine.scale, machine.slack);
        self.watch.first(&mut machine.compiled[machine.at], &step, |row| Machine::rounding_of(scale, slack, row))
    }
}
