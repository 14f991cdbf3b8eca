//! From event to event: how far the next step goes, and what happens at its end.

use crate::crossing::{Looked, Watch};
use crate::error::SwitchedError;
use crate::machine::{Change, Machine, Stand};
use crate::propagate::Series;
use recording::STAGE;

/// Largest of `s·(s − γ)·(s − 1)/6` over the unit step: what a quadratic leaves of a cubic.
const CUBIC: f64 = 0.0105;
/// The same of a quartic, with a bound on the further factor.
const QUARTIC: f64 = CUBIC / 4.0;
/// First step, relative to what is to be covered: nothing is known yet of how large anything gets.
const FIRST: f64 = 1e-4;
/// Rounding of a sum, relative to its terms.
const NOISE: f64 = 1e-12;
/// Part of the largest voltage or current that is of no interest.
const NEXT_TO_NOTHING: f64 = 1e-3;
/// Error beyond which a step is tried again shorter, relative to what is allowed.
const TOO_FAR: f64 = 4.0;
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
    /// Longest step, s, how closely quadratics follow, relative to full scale, and how long the whole walk is, s.
    max_step: f64,
    tolerance: f64,
    whole: f64,
    /// Largest magnitude of each recorded row.
    full: Vec<f64>,
    /// What is seen where it stands, at the inner node and at the end of the step at hand.
    here: Vec<f64>,
    inside: Vec<f64>,
    there: Vec<f64>,
    /// Whether `here` is of where it stands.
    looked: bool,
    /// Whether a step has been taken.
    begun: bool,
    /// Steps of walks that nobody records.
    pub(crate) walked: u64,
    events_at_once: u32,
    /// The element that changed last.
    changed: usize,
    /// The step at hand: what runs at its inner node and at its end.
    pub(crate) middle: Vec<f64>,
    pub(crate) last: Vec<f64>,
    probe: Vec<f64>,
    between: Vec<f64>,
    /// Where what runs is within the step, if that is short.
    series: Series,
    watch: Watch,
    /// What an error in each recorded row may come to, and in each of what moves.
    allowed: Vec<f64>,
    allowed_moving: Vec<f64>,
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
        let size = machine.z.len();
        Walker {
            machine,
            max_step,
            tolerance,
            whole,
            full: vec![0.0; linear],
            here: Vec::new(),
            inside: Vec::new(),
            there: Vec::new(),
            looked: false,
            begun: false,
            walked: 0,
            events_at_once: 0,
            changed: 0,
            middle: vec![0.0; size],
            last: vec![0.0; size],
            probe: vec![0.0; size],
            between: Vec::new(),
            series: Series::default(),
            watch: Watch::default(),
            allowed: Vec::new(),
            allowed_moving: Vec::new(),
        }
    }

    /// What has been seen: the largest magnitude of each recorded row so far, and everything where it stands, if it has looked there.
    pub(crate) fn sight(&self) -> (Vec<f64>, Option<Vec<f64>>) {
        (self.full.clone(), self.looked.then(|| self.here.clone()))
    }

    /// Goes on from where the machine stands with that.
    pub(crate) fn resume(&mut self, (full, here): (Vec<f64>, Option<Vec<f64>>), begun: bool) {
        (self.full, self.begun, self.looked) = (full, begun, here.is_some());
        self.here = here.unwrap_or_default();
    }

    /// Goes back to where the machine stood.
    pub(crate) fn stand_at(&mut self, stand: &Stand) {
        self.machine.stand_at(stand);
        self.machine.slack = 1.0;
        (self.looked, self.events_at_once) = (false, 0);
    }

    /// Sets the states where it stands.
    ///
    /// # Errors
    /// As [`Machine::settle`].
    pub(crate) fn move_to(&mut self, states: &[f64]) -> Result<(), SwitchedError> {
        self.looked = false;
        self.machine.move_to(states)
    }

    /// Finds the next step towards a time; its nodes are in `middle` and `last`.
    pub(crate) fn find(&mut self, target: f64) -> Step {
        if !self.looked {
            self.look();
        }
        self.series.forget();
        self.allow();
        let left = target - self.machine.t;
        if left <= 0.0 {
            // An event came at the very time.
            self.nodes(0.0);
            return Step { length: 0.0, ends: Ends::Target };
        }
        let (pace, blind) = self.pace();
        let mut h = pace.min(left);
        let mut ends = Ends::Open;
        // Equal steps up to the target rather than a sliver before it.
        let steps = (left / h).ceil();
        if steps <= EQUAL {
            h = left / steps;
            if steps <= 1.0 {
                ends = Ends::Target;
            }
        }
        loop {
            self.nodes(h);
            let mut error = self.error(h);
            if blind && error <= TOO_FAR {
                error = self.strays(h);
            }
            if error <= TOO_FAR {
                break;
            }
            (h, ends) = (h * (0.8 * error.powf(-1.0 / 3.0)).clamp(0.1, 0.8), Ends::Open);
        }
        if let Some((at, guard)) = self.first_crossing(h) {
            (h, ends) = (at, Ends::Guard(guard));
            std::mem::swap(&mut self.last, &mut self.watch.end);
            self.look_along(h);
        }
        Step { length: h, ends }
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
        machine.z.copy_from_slice(&self.last);
        machine.set_inputs();
        // Where one step ends the next begins.
        std::mem::swap(&mut self.here, &mut self.there);
        (self.looked, self.begun) = (true, true);
        let mut bounded = true;
        let seen = machine.compiled[machine.at].seen();
        for (full, value) in self.full.iter_mut().zip(seen.values(&self.here)) {
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
        let values = self.machine.compiled[self.machine.at].seen().values(&self.here);
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
    /// As [`Machine::settle`].
    pub(crate) fn happen(&mut self, step: Step) -> Result<Option<Change>, SwitchedError> {
        if step.ends == Ends::Open {
            return Ok(None);
        }
        self.looked = false;
        let change = match step.ends {
            Ends::Guard(guard) => self.machine.give_way(guard),
            Ends::Open | Ends::Target => self.machine.corner(),
        };
        change.map(Some)
    }

    /// Looks around where it stands.
    fn look(&mut self) {
        let compiled = &self.machine.compiled[self.machine.at];
        compiled.look(&self.machine.z, &mut self.here);
        let values = compiled.seen().values(&self.here);
        self.full.iter_mut().zip(values).for_each(|(full, value)| *full = full.max(value.abs()));
        self.looked = true;
    }

    /// What is seen where it stands, at the inner node and at the end of the step at hand.
    pub(crate) fn seen(&self) -> [&[f64]; 3] {
        [&self.here, &self.inside, &self.there]
    }

    /// Whether anything recorded has jumped since the end of the last step.
    pub(crate) fn jumped(&mut self) -> bool {
        self.there.clone_from(&self.here);
        self.look();
        let seen = self.machine.compiled[self.machine.at].seen();
        let mut jumped = false;
        for ((full, was), is) in self.full.iter_mut().zip(&self.there).zip(seen.values(&self.here)) {
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
        let floors = [&self.full[..nets], &self.full[nets..]].map(|rows| NEXT_TO_NOTHING * largest(rows));
        let allowed = |(row, full): (usize, &f64)| {
            let full = full.max(floors[usize::from(row >= nets)]);
            if full > 0.0 { self.tolerance * full } else { f64::INFINITY }
        };
        self.allowed.clear();
        self.allowed.extend(self.full.iter().enumerate().map(allowed));
        let compiled = &self.machine.compiled[self.machine.at];
        compiled.allowed_of_moving(&self.allowed, &mut self.allowed_moving);
    }

    /// How long a step may be, from what the course is like where it begins; and whether rounding hides some of that.
    fn pace(&self) -> (f64, bool) {
        let compiled = &self.machine.compiled[self.machine.at];
        let (seen, z) = (compiled.seen(), &self.machine.z);
        let (third, fourth) = (seen.third(&self.here), seen.fourth(&self.here));
        let longest = if self.begun { self.max_step } else { self.max_step.min(FIRST * self.whole) };
        let mut blind = false;
        // How much shorter than one the cube and the fourth power of the length have to be.
        let mut worst = [longest.powi(-3), longest.powi(-4)];
        for (row, allowed) in self.allowed_moving.iter().enumerate() {
            for (k, (derivative, left)) in [(third[row], CUBIC), (fourth[row], QUARTIC)].into_iter().enumerate() {
                // Only where it would be shortened is the rounding worth knowing.
                if left * derivative.abs() > worst[k] * allowed {
                    let size = left * (derivative.abs() - noise(compiled.derivatives[k].row(row), z)) / allowed;
                    blind |= size <= 0.0;
                    worst[k] = worst[k].max(size);
                }
            }
        }
        (worst[0].cbrt().recip().min(worst[1].sqrt().sqrt().recip()), blind)
    }

    /// How far the quadratics through a step's nodes are from the course between them, relative to what is allowed: looked up
    /// where derivatives tell nothing, because something very fast is about.
    fn strays(&mut self, h: f64) -> f64 {
        let mut probe = std::mem::take(&mut self.probe);
        let mut seen = std::mem::take(&mut self.between);
        let (mut most, g) = (0.0f64, STAGE);
        for s in [0.5 * g, 0.5 * (1.0 + g)] {
            self.place(s * h, &mut probe);
            self.machine.compiled[self.machine.at].look_inside(&probe, &mut seen);
            // Lagrange's weights of the nodes at 0, γ and 1.
            let weights = [(s - g) * (s - 1.0) / g, s * (s - 1.0) / (g * (g - 1.0)), s * (s - g) / (1.0 - g)];
            for (row, allowed) in self.allowed.iter().enumerate() {
                let [here, inside, there] = [&self.here, &self.inside, &self.there].map(|at| at[row]);
                let curve = weights[0] * here + weights[1] * inside + weights[2] * there;
                most = most.max((curve - seen[row]).abs() / allowed);
            }
        }
        (self.probe, self.between) = (probe, seen);
        most
    }

    /// Error of the quadratics through a step's nodes as seen from its end, relative to what is allowed.
    fn error(&self, h: f64) -> f64 {
        let compiled = &self.machine.compiled[self.machine.at];
        let third = compiled.seen().third(&self.there);
        let factor = CUBIC * h * h * h;
        self.allowed_moving.iter().enumerate().fold(0.0, |most: f64, (row, allowed)| {
            let size = third[row].abs();
            if size * factor <= most * allowed {
                return most;
            }
            most.max((size - noise(compiled.derivatives[0].row(row), &self.last)) * factor / allowed)
        })
    }

    fn nodes(&mut self, h: f64) {
        let machine = &mut self.machine;
        let ladder = &machine.compiled[machine.at].ladder;
        if h > 0.0 && !self.series.is_known() && ladder.is_short(h) {
            self.series.about(&machine.z, h, ladder);
        }
        let mut last = std::mem::take(&mut self.last);
        self.place(h, &mut last);
        self.last = last;
        self.look_along(h);
    }

    /// Looks along a step whose end is known.
    fn look_along(&mut self, h: f64) {
        let mut middle = std::mem::take(&mut self.middle);
        self.place(STAGE * h, &mut middle);
        self.middle = middle;
        let compiled = &self.machine.compiled[self.machine.at];
        compiled.look_inside(&self.middle, &mut self.inside);
        compiled.look(&self.last, &mut self.there);
    }

    /// What runs a time behind where it stands, s.
    fn place(&mut self, time: f64, into: &mut Vec<f64>) {
        if self.series.is_known() {
            return self.series.at(time, into);
        }
        let machine = &mut self.machine;
        into.copy_from_slice(&machine.z);
        machine.compiled[machine.at].ladder.advance(into, time);
    }

    /// What runs at places within a step, given as parts of its length.
    pub(crate) fn between(&mut self, h: f64, places: [f64; 3], into: &mut [Vec<f64>; 3]) {
        let size = self.machine.z.len();
        for (place, into) in places.into_iter().zip(into) {
            into.resize(size, 0.0);
            self.place(place * h, into);
        }
    }

    /// When in a step the first guard gives way, and which.
    fn first_crossing(&mut self, h: f64) -> Option<(f64, usize)> {
        let machine = &mut self.machine;
        let step = Looked {
            length: h,
            z: &machine.z,
            series: &self.series,
            seen: [&self.here, &self.inside, &self.there],
            resolution: 4.0 * f64::EPSILON * machine.t + 1e-15 * h,
        };
        let (scale, slack) = (&machine.scale, machine.slack);
        self.watch.first(&mut machine.compiled[machine.at], &step, |row| Machine::rounding_of(scale, slack, row))
    }
}

/// What rounding may make of a sum of products. A derivative that is no more is none: where something is very fast, the
/// derivatives of what has settled long ago are large numbers that cancel.
fn noise(row: &[f64], z: &[f64]) -> f64 {
    NOISE * row.iter().zip(z).map(|(factor, z)| (factor * z).abs()).sum::<f64>()
}
