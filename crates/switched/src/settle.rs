//! Which configuration follows an event: the one in which every guard holds.

use crate::configuration::{By, Jump, Watched};
use crate::error::SwitchedError;
use crate::machine::{Change, Machine};
use crate::network::Changes;
use linear::dot;

/// Rounding from which on a pulse is one.
const PULSE: f64 = 1e3;
/// Resolution of time where an element has just passed a level, relative to the time.
const RESOLUTION: f64 = 32.0 * f64::EPSILON;
/// Rounds in which elements are changed together before they are changed one by one.
const TOGETHER: usize = 4;
/// Changes one after another at one instant, at most; after how many ten times as much counts as rounding, and powers of ten
/// at most.
const MOST_ROUNDS: usize = 200;
const PATIENT: usize = 25;
const MOST_SLACK: usize = 5;

impl Machine {
    /// Whether a guard holds from now on: the first that is not rounding of the pulse, the value and its derivatives decides.
    /// Right where an element has just passed a level, the value is what the resolution of time makes of zero.
    fn holds(&self, guard: &Watched, passed: bool, before: &[f64], after: &[f64]) -> bool {
        let resolved = if passed { RESOLUTION * self.t * dot(&guard.levels[1], after).abs() } else { 0.0 };
        let sign = |row: &[f64], z: &[f64], sizes: &[f64], more: f64| {
            let value = dot(row, z);
            if value.abs() <= Machine::rounding_of(&self.scale, self.slack, sizes) + more { 0.0 } else { value }
        };
        let levels = guard.levels.iter().zip(&guard.made_of).enumerate();
        let levels = levels.map(|(k, (level, sizes))| sign(level, after, sizes, if k == 0 { resolved } else { 0.0 }));
        std::iter::once(sign(&guard.pulse, before, &guard.pulse, 0.0))
            .chain(levels)
            .find(|s| *s != 0.0)
            .is_none_or(|s| s > 0.0)
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

    /// Finds the configuration that follows, beginning the search at some regions, and enters it; `passed` is the element that
    /// has just passed a level.
    ///
    /// What changes continuously is decided together: elements that do not hold are changed, all at once as long as that makes
    /// fewer of them, otherwise the last one alone (principal pivoting as in J. Júdice & F. Pires, *A block principal pivoting
    /// algorithm for large-scale strictly monotone linear complementarity problems*, Comput. Oper. Res. 21, 1994). Then one
    /// control after the other.
    pub(crate) fn settle(
        &mut self,
        regions: Vec<u8>,
        passed: Option<usize>,
        jumps: Vec<Jump>,
    ) -> Result<Change, SwitchedError> {
        let slack = self.slack;
        let settled = self.search(regions, passed, jumps);
        self.slack = slack;
        settled
    }

    fn search(
        &mut self,
        mut regions: Vec<u8>,
        passed: Option<usize>,
        mut jumps: Vec<Jump>,
    ) -> Result<Change, SwitchedError> {
        let slack = self.slack;
        let (mut before, mut pulses) = (self.z.clone(), Vec::new());
        let (mut fewest, mut patience) = (usize::MAX, TOGETHER);
        for round in 0..MOST_ROUNDS {
            // A search that does not end hangs on what rounding made; ever larger numbers count as that.
            self.slack = slack * 10f64.powi((round / PATIENT).min(MOST_SLACK) as i32);
            let configuration = self.configuration(&regions)?;
            let after = self.entered(configuration, &before);
            let guards = &self.compiled[configuration].of.guards;
            let failing = |changes: &dyn Fn(Changes) -> bool| -> Vec<usize> {
                let all = guards.iter().enumerate();
                let mut failing: Vec<usize> = all
                    .filter(|(_, g)| changes(self.network.elements[g.element].changes))
                    .filter(|(_, g)| !self.holds(g, passed == Some(g.element), &before, &after))
                    .map(|(place, _)| place)
                    .collect();
                failing.dedup_by_key(|place| guards[*place].element);
                failing
            };
            let together = failing(&|changes| changes == Changes::Continuously);
            if together.is_empty() {
                let first = failing(&|changes| changes == Changes::ByControl).first().copied();
                jumps.push(Jump::Entered(configuration));
                for (part, flux, row) in &self.compiled[configuration].of.pulses {
                    let size = dot(row, &before);
                    if size.abs() > PULSE * Machine::rounding_of(&self.scale, self.slack, row) {
                        pulses.push((*part, *flux, size));
                    }
                }
                let Some(place) = first else {
                    let strikes = jumps.iter().any(|jump| self.compiled[jump.of()].of.entry.is_some());
                    let taken = if strikes { self.stored(&self.z) - self.stored(&after) } else { 0.0 };
                    self.at = configuration;
                    self.z = after;
                    self.scale.iter_mut().zip(&self.z).for_each(|(scale, z)| *scale = scale.max(z.abs()));
                    return Ok(Change { taken, jumps, pulses });
                };
                let guard = &guards[place];
                regions[guard.element] = guard.to as u8;
                before = after;
                if !guard.sets.is_empty() {
                    let set = Jump::Set(configuration, vec![By::Guard(place)]);
                    set.happen(&self.compiled[configuration].of, &mut before, &mut []);
                    jumps.push(set);
                }
                (fewest, patience) = (usize::MAX, TOGETHER);
                continue;
            }
            if together.len() < fewest {
                (fewest, patience) = (together.len(), TOGETHER);
            } else {
                patience = patience.saturating_sub(1);
            }
            let changed = if patience > 0 { &together[..] } else { &together[together.len() - 1..] };
            changed.iter().for_each(|place| regions[guards[*place].element] = guards[*place].to as u8);
        }
        Err(self.restless(&regions))
    }

    fn restless(&self, regions: &[u8]) -> SwitchedError {
        let changing = self.network.elements.iter().zip(regions).zip(self.regions_or(regions));
        let mut parts: Vec<&str> = changing
            .filter(|((element, region), was)| element.changes != Changes::AtTimes && region != was)
            .map(|((element, _), _)| self.network.parts[element.part].id.as_str())
            .collect();
        parts.dedup();
        let parts = if parts.is_empty() { "the switches".to_owned() } else { parts.join(", ") };
        SwitchedError::Restless { time: self.t, parts }
    }

    fn regions_or<'a>(&'a self, other: &'a [u8]) -> &'a [u8] {
        self.compiled.get(self.at).map_or(other, |c| &c.of.regions)
    }

    /// Part whose guard changes over and over.
    pub(crate) fn restless_at(&self, element: usize) -> SwitchedError {
        let part = self.network.elements.get(element).map(|element| &self.network.parts[element.part].id);
        let parts = part.cloned().unwrap_or_else(|| "the sources".to_owned());
        SwitchedError::Restless { time: self.t, parts }
    }
}
