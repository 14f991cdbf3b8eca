//! What follows an event: which control decides what, which diode conducts, and what then jumps.
//!
//! All that happens at one instant is decided before anything jumps. Controls that fail are changed while what ran before the
//! event stays as it was, signals first and what they turn last, all at once; for each of their sets the diodes are found that
//! go with it (`complementarity.rs`). Only the configuration that lasts is entered. So a gap of no duration between two switches
//! takes no current away, and the order of parts plays no role. Where deciding comes round to where it was, controls depend on
//! what their own decision makes jump: then the states jump first, and controls are decided one by one.

mod companion;
mod complementarity;

use crate::configuration::{By, Jump, Watched};
use crate::error::SwitchedError;
use crate::network::Changes;
use crate::stepping::machine::{Change, Machine, ROUNDING};
use linear::dot;

/// Rounding from which on a pulse is one.
const PULSE: f64 = 1e3;
/// Resolution of time where a guard has just given way, relative to the time.
const RESOLUTION: f64 = 32.0 * f64::EPSILON;
/// Decisions at one instant, at most; after how many ten times as much counts as rounding, and powers of ten at most.
const MOST_ROUNDS: usize = 200;
const PATIENT: usize = 25;
const MOST_SLACK: usize = 5;

/// How controls that fail are changed.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
enum Deciding {
    Together,
    OneByOne,
}

/// Decisions while nothing has jumped.
struct Decisions {
    how: Deciding,
    /// Regions of what is controlled that have been tried.
    tried: Vec<Vec<u8>>,
}

impl Machine {
    /// Whether a guard holds from now on: the first that is not rounding of the pulse, the value and its derivatives decides;
    /// `unsure` is what may be rounding in each of what runs.
    fn holds(guard: &Watched, unsure: &[f64], before: &[f64], after: &[f64]) -> bool {
        let sign = |row: &[f64], z: &[f64], sizes: &[f64]| {
            let value = dot(row, z);
            let rounding = sizes.iter().zip(unsure).map(|(size, unsure)| (size * unsure).abs()).sum::<f64>();
            if value.abs() <= rounding { 0.0 } else { value }
        };
        let pulse = guard.pulse.iter().map(|row| sign(row, before, row));
        let levels = guard.levels.iter().zip(&guard.made_of);
        let levels = levels.map(|(level, sizes)| sign(level, after, sizes));
        pulse.chain(levels).find(|s| *s != 0.0).is_none_or(|s| s > 0.0)
    }

    /// Guards of a configuration that fail behind an entry into it, at most one of each element, of elements that change so.
    fn failing(
        &self,
        configuration: usize,
        [before, after]: [&[f64]; 2],
        changes: impl Fn(Changes) -> bool,
    ) -> Vec<usize> {
        let guards = &self.compiled[configuration].of.guards;
        let rounding = |(scale, unsure): (&f64, &f64)| self.slack * ROUNDING * scale + unsure;
        let unsure: Vec<f64> = self.scale.iter().zip(&self.unsure).map(rounding).collect();
        let of_those = guards.iter().enumerate().filter(|(_, g)| changes(self.network.elements[g.element].changes));
        let mut failing: Vec<usize> =
            of_those.filter(|(_, g)| !Machine::holds(g, &unsure, before, after)).map(|(place, _)| place).collect();
        failing.dedup_by_key(|place| guards[*place].element);
        failing
    }

    /// Values right behind an entry into a configuration.
    fn entered(&self, configuration: usize, before: &[f64]) -> Vec<f64> {
        match &self.compiled[configuration].of.entry {
            Some(jump) => {
                let mut after = vec![0.0; before.len()];
                jump.apply(before, &mut after);
                after
            }
            None => before.to_vec(),
        }
    }

    /// Finds the configuration that follows, beginning at some regions, and enters it; `passed` is whether a guard has given way,
    /// whose time is known as closely as times are told apart, and so is what moves.
    ///
    /// # Errors
    /// [`SwitchedError::Restless`] if controls undo each other without end, [`SwitchedError::Unresolved`] and
    /// [`SwitchedError::Impossible`] if what is not controlled has no state.
    pub(crate) fn commutate(
        &mut self,
        regions: Vec<u8>,
        passed: bool,
        jumps: Vec<Jump>,
    ) -> Result<Change, SwitchedError> {
        let slack = self.slack;
        self.unsure.fill(0.0);
        if passed {
            let resolution = RESOLUTION * self.t;
            self.unsure = self.rates().iter().map(|rate| resolution * rate.abs()).collect();
        }
        let change = self.decide(regions, jumps);
        self.slack = slack;
        change
    }

    fn decide(&mut self, mut regions: Vec<u8>, mut jumps: Vec<Jump>) -> Result<Change, SwitchedError> {
        let slack = self.slack;
        let (mut before, mut pulses) = (self.z.clone(), Vec::new());
        let mut decisions = Decisions { how: Deciding::Together, tried: vec![self.controlled(&regions)] };
        for round in 0..MOST_ROUNDS {
            // Decisions that do not end hang on what rounding made; ever larger numbers count as that.
            self.slack = slack * 10f64.powi((round / PATIENT).min(MOST_SLACK) as i32);
            let configuration = self.conducting(&mut regions, &before)?;
            let after = self.entered(configuration, &before);
            let both = [&before[..], &after[..]];
            let mut failing = self.failing(configuration, both, |c| c == Changes::Signals);
            if failing.is_empty() {
                failing = self.failing(configuration, both, |c| c == Changes::ByControl);
            }
            if failing.is_empty() {
                self.strike(configuration, &before, &mut pulses);
                jumps.push(Jump::Entered(configuration));
                let strikes = jumps.iter().any(|jump| self.compiled[jump.of()].of.entry.is_some());
                let taken = if strikes { self.stored(&self.z) - self.stored(&after) } else { 0.0 };
                self.stand_in(configuration);
                self.z = after;
                self.scale.iter_mut().zip(&self.z).for_each(|(scale, z)| *scale = scale.max(z.abs()));
                return Ok(Change { taken, jumps, pulses });
            }
            if decisions.how == Deciding::OneByOne {
                failing = vec![self.first_by_name(configuration, &failing)];
            }
            let guards = &self.compiled[configuration].of.guards;
            failing.iter().for_each(|place| regions[guards[*place].element] = guards[*place].to as u8);
            let sets: Vec<By> =
                failing.into_iter().filter(|place| !guards[*place].sets.is_empty()).map(By::Guard).collect();
            let controlled = self.controlled(&regions);
            let comes_round = sets.is_empty() && decisions.tried.contains(&controlled);
            if comes_round && decisions.how == Deciding::OneByOne {
                // What is decided hangs on what jumps.
                self.strike(configuration, &before, &mut pulses);
                jumps.push(Jump::Entered(configuration));
                before = after;
                decisions.tried.clear();
            } else if comes_round || !sets.is_empty() {
                decisions.tried.clear();
                if comes_round {
                    decisions.how = Deciding::OneByOne;
                }
            }
            decisions.tried.push(controlled);
            if !sets.is_empty() {
                let set = Jump::Set { at: configuration, by: sets, entering: true };
                set.happen(&self.compiled[configuration].of, &mut before, &mut []);
                jumps.push(set);
            }
        }
        Err(self.restless(&regions))
    }

    /// Regions of what is controlled.
    fn controlled(&self, regions: &[u8]) -> Vec<u8> {
        let elements = self.network.elements.iter().zip(regions);
        elements.filter(|(element, _)| element.changes.is_controlled()).map(|(_, region)| *region).collect()
    }

    /// The guard of the part that comes first by its designator, whatever the order of parts.
    fn first_by_name(&self, configuration: usize, failing: &[usize]) -> usize {
        let guards = &self.compiled[configuration].of.guards;
        let name = |place: &usize| &self.network.parts[self.network.elements[guards[*place].element].part].id;
        *failing.iter().min_by_key(|place| name(place)).unwrap_or(&failing[0])
    }

    /// What goes through parts at once where a configuration is entered.
    fn strike(&self, configuration: usize, before: &[f64], pulses: &mut Vec<(usize, bool, f64)>) {
        for (part, flux, row) in &self.compiled[configuration].of.pulses {
            let size = dot(row, before);
            if size.abs() > PULSE * Machine::rounding_of(&self.scale, self.slack, row) {
                pulses.push((*part, *flux, size));
            }
        }
    }

    fn restless(&self, regions: &[u8]) -> SwitchedError {
        let was = self.compiled.get(self.at).map_or(regions, |c| &c.of.regions);
        let changing = self.network.elements.iter().zip(regions).zip(was);
        let changing = changing.filter(|((element, region), was)| element.changes.is_controlled() && region != was);
        let mut elements: Vec<usize> = changing.map(|((element, _), _)| element.part).collect();
        if elements.is_empty() {
            let controlled = self.network.elements.iter().filter(|element| element.changes.is_controlled());
            elements.extend(controlled.map(|element| element.part));
        }
        SwitchedError::Restless { time: self.t, parts: self.named(&elements) }
    }

    /// Names of parts, each once.
    fn named(&self, parts: &[usize]) -> String {
        let mut names: Vec<&str> = parts.iter().map(|part| self.network.parts[*part].id.as_str()).collect();
        names.sort_unstable();
        names.dedup();
        names.join(", ")
    }

    /// Part whose guard changes over and over.
    pub(crate) fn restless_at(&self, element: usize) -> SwitchedError {
        let part = self.network.elements.get(element).map(|element| &self.network.parts[element.part].id);
        let parts = part.cloned().unwrap_or_else(|| "the sources".to_owned());
        match self.network.elements.get(element).is_some_and(|element| element.changes == Changes::Continuously) {
            true => SwitchedError::Unresolved { time: self.t, parts },
            false => SwitchedError::Restless { time: self.t, parts },
        }
    }
}
