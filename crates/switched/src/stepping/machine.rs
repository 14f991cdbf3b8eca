//! Where a switched circuit stands, and how it comes to stand elsewhere: configurations as they are met, times that pass, and
//! what an event begins with; which configuration follows is found in `commutation`.

use crate::configuration::compiled::Compiled;
use crate::configuration::{By, Jump};
use crate::error::SwitchedError;
use crate::network::Network;
use crate::network::course::Course;
use linear::dot;
use serde::{Deserialize, Serialize};
use std::collections::HashMap;

/// Rounding in a guard, relative to the largest its terms have been.
pub(crate) const ROUNDING: f64 = 1e-11;

/// What became of a machine at an event.
#[derive(Debug)]
pub(crate) struct Change {
    /// Energy that pulses took from what was stored, J.
    pub(crate) taken: f64,
    /// What has happened to what runs, the last of which is that it entered where it is.
    pub(crate) jumps: Vec<Jump>,
    /// What went through parts at once: part, whether a flux, C or V·s.
    pub(crate) pulses: Vec<(usize, bool, f64)>,
}

pub(crate) struct Machine {
    pub(crate) network: Network,
    pub(crate) compiled: Vec<Compiled>,
    known: HashMap<Vec<u8>, usize>,
    /// The configuration it is in.
    pub(crate) at: usize,
    pub(crate) t: f64,
    pub(crate) z: Vec<f64>,
    /// Largest each component has been.
    pub(crate) scale: Vec<f64>,
    /// Corners of each course that have passed.
    passed: Vec<usize>,
    /// Changes of each element at times that have passed.
    changed: Vec<usize>,
    /// Whether what happens once happens no more.
    frozen: bool,
    /// How much more than rounding counts as none: one, but where events do not end at an instant.
    pub(crate) slack: f64,
    /// How closely each component is known at the event at hand, beside rounding.
    pub(crate) unsure: Vec<f64>,
}

/// Where a machine stands, to come back to.
#[derive(Clone, Debug)]
pub(crate) struct Stand {
    pub(crate) t: f64,
    pub(crate) z: Vec<f64>,
    at: usize,
    passed: Vec<usize>,
}

/// Where a machine stands, without what it has been made of: what runs, the regions, corners and changes that have passed, the largest
/// each component has been.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
pub(crate) struct Placed {
    z: Vec<f64>,
    regions: Vec<u8>,
    passed: Vec<usize>,
    changed: Vec<usize>,
    scale: Vec<f64>,
}

impl Placed {
    /// Whether a network has as many of everything.
    pub(crate) fn fits(&self, network: &Network) -> bool {
        let elements = network.elements.len();
        let regions = self.regions.iter().zip(&network.elements).all(|(at, e)| usize::from(*at) < e.regions.len());
        [self.z.len(), self.scale.len()] == [network.running(); 2]
            && [self.regions.len(), self.changed.len()] == [elements; 2]
            && self.passed.len() == network.courses.len()
            && regions
    }
}

impl Machine {
    /// Where it stands.
    pub(crate) fn placed(&self) -> Placed {
        Placed {
            z: self.z.clone(),
            regions: self.regions().to_vec(),
            passed: self.passed.clone(),
            changed: self.changed.clone(),
            scale: self.scale.clone(),
        }
    }

    /// Stands at a time where another stood.
    ///
    /// # Errors
    /// [`SwitchedError::Impossible`], which it was not when it was left.
    pub(crate) fn place(&mut self, t: f64, placed: &Placed) -> Result<(), SwitchedError> {
        self.t = t;
        let at = self.configuration(&placed.regions)?;
        self.stand_in(at);
        self.z.copy_from_slice(&placed.z);
        self.scale.copy_from_slice(&placed.scale);
        self.passed.copy_from_slice(&placed.passed);
        self.changed.copy_from_slice(&placed.changed);
        Ok(())
    }

    /// At time zero with the states as the parts say, nothing decided yet.
    pub(crate) fn new(network: Network) -> Self {
        let mut z: Vec<f64> = network.states.iter().map(|(initial, _)| *initial).collect();
        z.resize(network.running(), 0.0);
        let (courses, elements) = (network.courses.len(), network.elements.len());
        Machine {
            compiled: Vec::new(),
            known: HashMap::new(),
            at: usize::MAX,
            t: 0.0,
            scale: vec![0.0; z.len()],
            unsure: vec![0.0; z.len()],
            z,
            passed: vec![0; courses],
            changed: vec![0; elements],
            frozen: false,
            slack: 1.0,
            network,
        }
    }

    /// Begins: inputs and timed elements as they are at time zero, everything else as it then must be.
    pub(crate) fn begin(&mut self) -> Result<Change, SwitchedError> {
        let mut regions: Vec<u8> = self.network.elements.iter().map(|e| e.first as u8).collect();
        self.pass_corners(&mut regions);
        let first = self.commutate(regions, false, Vec::new())?;
        // What a clock does at time zero it does to a circuit that has begun.
        let second = self.corner()?;
        Ok(Change { pulses: first.pulses.into_iter().chain(second.pulses).collect(), ..second })
    }

    /// Lets happen what happens by time alone.
    ///
    /// # Errors
    /// As [`Machine::commutate`].
    pub(crate) fn corner(&mut self) -> Result<Change, SwitchedError> {
        let mut regions = self.regions().to_vec();
        let jumps = self.pass_corners(&mut regions);
        self.commutate(regions, false, jumps)
    }

    /// Lets a guard give way, by its place in the configuration.
    ///
    /// # Errors
    /// As [`Machine::commutate`].
    pub(crate) fn give_way(&mut self, guard: usize) -> Result<Change, SwitchedError> {
        let mut regions = self.regions().to_vec();
        let of = &self.compiled[self.at].of;
        let (element, to) = (of.guards[guard].element, of.guards[guard].to);
        regions[element] = to as u8;
        let mut jumps = Vec::new();
        if !of.guards[guard].sets.is_empty() {
            let set = Jump::Set { at: self.at, by: vec![By::Guard(guard)], entering: false };
            set.happen(of, &mut self.z, &mut []);
            jumps.push(set);
        }
        self.commutate(regions, true, jumps)
    }

    pub(crate) fn regions(&self) -> &[u8] {
        &self.compiled[self.at].of.regions
    }

    /// Regions of what controls decide, which may depend on what was before.
    pub(crate) fn decided(&self) -> Vec<u8> {
        let elements = self.network.elements.iter().zip(self.regions());
        elements.filter(|(element, _)| element.changes.is_controlled()).map(|(_, region)| *region).collect()
    }

    /// Lets nothing happen any more that happens only once.
    pub(crate) fn freeze(&mut self) {
        self.frozen = true;
    }

    /// Lets it happen again.
    pub(crate) fn thaw(&mut self) {
        self.frozen = false;
    }

    pub(crate) fn stand(&self) -> Stand {
        Stand { t: self.t, z: self.z.clone(), at: self.at, passed: self.passed.clone() }
    }

    pub(crate) fn stand_at(&mut self, stand: &Stand) {
        (self.t, self.at) = (stand.t, stand.at);
        self.z.copy_from_slice(&stand.z);
        self.passed.copy_from_slice(&stand.passed);
    }

    /// Forgets how large anything has been before: what is rounding now is not told by where a search has strayed.
    pub(crate) fn rescale(&mut self) {
        self.scale.iter_mut().zip(&self.z).for_each(|(scale, z)| *scale = z.abs());
    }

    /// Sets the states where it stands.
    ///
    /// # Errors
    /// As [`Machine::commutate`].
    pub(crate) fn move_to(&mut self, states: &[f64]) -> Result<(), SwitchedError> {
        self.z[..states.len()].copy_from_slice(states);
        self.commutate(self.regions().to_vec(), false, Vec::new()).map(|_| ())
    }

    /// Sets the time back by a period of everything, so that it does not grow however many are tried.
    pub(crate) fn back(&mut self, period: f64, to: f64) {
        self.turn(-1, period, to);
    }

    /// Stands so many periods of everything later, at a time, as if it had gone through them.
    pub(crate) fn turn(&mut self, periods: i64, period: f64, to: f64) {
        for (course, passed) in self.network.courses.iter().zip(&mut self.passed) {
            if let Some(own) = course.period() {
                let corners = periods * (period / own).round() as i64 * course.corners_per_period() as i64;
                *passed = passed.saturating_add_signed(corners as isize);
            }
        }
        self.t = to;
        self.set_inputs();
    }

    /// How fast what runs moves where it stands.
    pub(crate) fn rates(&self) -> Vec<f64> {
        let mut rates = vec![0.0; self.z.len()];
        self.compiled[self.at].of.rates.apply(&self.z, &mut rates);
        rates
    }

    /// The first time behind another, s, at which something is known to happen that happens again and again.
    pub(crate) fn corner_behind(&self, t: f64) -> Option<f64> {
        self.network.courses.iter().filter_map(|course| course.corner_behind(t)).min_by(f64::total_cmp)
    }

    /// Whether the corners of a course still count.
    fn counts(&self, course: &Course) -> bool {
        !self.frozen || course.corners_per_period() > 0
    }

    /// The next time something is known to happen, s.
    pub(crate) fn next_corner(&self) -> f64 {
        let courses = self.network.courses.iter().zip(&self.passed).filter(|(course, _)| self.counts(course));
        let courses = courses.filter_map(|(course, n)| course.corner(*n));
        courses.chain(self.next_timed()).fold(f64::INFINITY, f64::min)
    }

    /// The next time something happens that happens once, or for the first time, s.
    pub(crate) fn next_once(&self) -> f64 {
        let courses = self.network.courses.iter().zip(&self.passed).filter(|(course, _)| self.counts(course));
        let courses = courses.filter(|(course, passed)| course.corners_per_period() == 0 || **passed == 0);
        let courses = courses.filter_map(|(course, passed)| course.corner(*passed));
        courses.chain(self.next_timed()).fold(f64::INFINITY, f64::min)
    }

    /// The next time of each element that changes at known times, s.
    fn next_timed(&self) -> impl Iterator<Item = f64> {
        let elements = self.network.elements.iter().zip(&self.changed).filter(|_| !self.frozen);
        elements.filter_map(|(element, n)| element.times.get(*n).map(|(at, _)| *at))
    }

    /// Passes what happens until now by time alone; what is set by it.
    fn pass_corners(&mut self, regions: &mut [u8]) -> Vec<Jump> {
        let frozen = self.frozen;
        let begun = self.compiled.get(self.at);
        let mut set = Vec::new();
        for (index, (course, passed)) in self.network.courses.iter().zip(&mut self.passed).enumerate() {
            let counts = !frozen || course.corners_per_period() > 0;
            let clock = matches!(course, Course::Turn(_));
            // Before anything has begun a clock passes what lies before time zero, and nothing comes of it.
            let until = if clock && begun.is_none() { -f64::MIN_POSITIVE } else { self.t };
            while counts && course.corner(*passed).is_some_and(|at| at <= until) {
                if let (true, Some(begun)) = (clock, begun) {
                    let mark = *passed % course.corners_per_period();
                    let elements = &self.network.elements;
                    let here = begun
                        .of
                        .marks
                        .iter()
                        .enumerate()
                        .filter(|(_, marked)| marked.mark == mark && elements[marked.element].clock == Some(index));
                    for (place, marked) in here {
                        regions[marked.element] = marked.to as u8;
                        if !marked.sets.is_empty() {
                            set.push(By::Mark(place));
                        }
                    }
                }
                *passed += 1;
            }
        }
        let mut jumps = Vec::new();
        if let (Some(begun), false) = (begun, set.is_empty()) {
            let set = Jump::Set { at: self.at, by: set, entering: false };
            set.happen(&begun.of, &mut self.z, &mut []);
            jumps.push(set);
        }
        for ((element, changed), region) in self.network.elements.iter().zip(&mut self.changed).zip(regions) {
            if frozen {
                break;
            }
            while let Some((_, to)) = element.times.get(*changed).filter(|(at, _)| *at <= self.t) {
                *region = *to as u8;
                *changed += 1;
            }
        }
        self.set_inputs();
        jumps
    }

    /// Puts every input exactly where it is now, so that nothing drifts.
    pub(crate) fn set_inputs(&mut self) {
        let mut first = self.network.states.len();
        for (course, passed) in self.network.courses.iter().zip(&self.passed) {
            course.at(self.t, *passed, &mut self.z[first..first + course.size()]);
            first += course.size();
        }
        self.scale.iter_mut().zip(&self.z).for_each(|(scale, z)| *scale = scale.max(z.abs()));
    }

    /// The configuration of regions, made if it is met for the first time.
    pub(crate) fn configuration(&mut self, regions: &[u8]) -> Result<usize, SwitchedError> {
        if let Some(known) = self.known.get(regions) {
            return Ok(*known);
        }
        let made = Compiled::new(&self.network, regions)
            .map_err(|contradiction| self.network.impossible(&contradiction, regions, self.t))?;
        self.compiled.push(made);
        self.known.insert(regions.to_vec(), self.compiled.len() - 1);
        Ok(self.compiled.len() - 1)
    }

    /// Is in a configuration from now on.
    pub(crate) fn stand_in(&mut self, configuration: usize) {
        self.compiled[configuration].prepare(&self.network);
        self.at = configuration;
    }

    /// Energy stored in all parts, J.
    pub(crate) fn stored(&self, z: &[f64]) -> f64 {
        let stores = self.network.parts.iter().flat_map(|part| &part.stores);
        let value = |store: &crate::network::Store| {
            let (mut none, mut row) = (vec![0.0; self.network.unknowns()], vec![0.0; z.len()]);
            self.network.spread(store.of(), &mut none, &mut row);
            store.energy(dot(&row, z))
        };
        stores.map(value).sum()
    }

    /// How much rounding may make of a row whose components have been so large.
    pub(crate) fn rounding_of(scale: &[f64], slack: f64, row: &[f64]) -> f64 {
        slack * ROUNDING * row.iter().zip(scale).map(|(factor, scale)| (factor * scale).abs()).sum::<f64>()
    }
}
