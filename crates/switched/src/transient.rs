//! The course of everything in time: from event to event, with as many nodes between as a recording needs.
//!
//! Nothing here has a tolerance but the recording: how far the quadratic through three nodes may be from the exact course
//! decides how far apart nodes are, and what is recorded at them is exact.

use crate::error::SwitchedError;
use crate::machine::Machine;
use crate::network::Network;
use crate::parts;
use crate::recorder::Recorder;
use circuit::Circuit;
use linear::dot;
use recording::{Column, Command, EnergyBalance, Health, Observer, Progress, STAGE};

/// What a transient shall cover.
#[derive(Clone, Debug, PartialEq)]
pub struct Settings {
    /// End of the simulated time, s.
    pub end: f64,
    /// Time from which nodes are recorded, s.
    pub record_from: f64,
    /// Longest distance of nodes, s.
    pub max_step: f64,
    /// How closely a recording follows the course between its nodes, relative to full scale.
    pub tolerance: f64,
}

/// How a transient ended.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Ended {
    /// At its end.
    Done,
    /// Because the observer said so.
    Stopped,
}

/// Largest of `s·(s − γ)·(s − 1)/6` over the unit step: what a quadratic leaves of a cubic.
const CUBIC: f64 = 0.0105;
/// The same of a quartic, with a bound on the further factor.
const QUARTIC: f64 = CUBIC / 4.0;
/// How much longer a step may be than the one before.
const GROWTH: f64 = 4.0;
/// First step, relative to what is to be covered.
const FIRST: f64 = 1e-4;
/// Error beyond which a step is tried again shorter, relative to what is allowed.
const TOO_FAR: f64 = 4.0;
/// Events at one instant that count as endless.
const MOST_AT_ONCE: u32 = 1000;
/// Size beyond which numbers count as unbounded.
const UNBOUNDED: f64 = 1e30;

/// A circuit ready to be simulated by switching.
pub struct Transient {
    machine: Machine,
    settings: Settings,
    recorder: Recorder,
    columns: Vec<Column>,
    /// Largest magnitude of each recorded row.
    full: Vec<f64>,
    stored_first: f64,
    /// Length of the step before, s.
    before: f64,
    events_at_once: u32,
    scratch: Vec<f64>,
}

impl Transient {
    /// Brings a circuit into the form of this engine and finds where it begins.
    ///
    /// # Errors
    /// [`SwitchedError::NoForm`] for kinds that have none here; [`SwitchedError::Impossible`] and
    /// [`SwitchedError::Restless`] if it cannot begin.
    pub fn new(circuit: &Circuit, settings: &Settings) -> Result<Self, SwitchedError> {
        let mut network = Network::new(&circuit.nets);
        let without: Vec<&str> =
            circuit.parts.iter().filter(|part| !parts::add(part, &mut network)).map(|part| part.id.as_str()).collect();
        if !without.is_empty() {
            return Err(SwitchedError::NoForm { parts: without.join(", ") });
        }
        let columns = network.columns();
        let linear = network.nets.len() - 1 + network.parts.len();
        let (mut order, mut currents, mut powers) = (Vec::new(), network.nets.len() - 1, linear);
        order.extend(0..network.nets.len() - 1);
        for part in &network.parts {
            order.push(currents);
            currents += 1;
            if part.pins > 2 {
                order.push(powers);
                powers += 1;
            }
        }
        let recorder = Recorder::new(settings.record_from, order, network.parts.len());
        let mut machine = Machine::new(network);
        let stored_first = machine.stored(&machine.z);
        machine.begin()?;
        Ok(Transient {
            machine,
            settings: settings.clone(),
            recorder,
            columns,
            full: vec![0.0; linear],
            stored_first,
            before: FIRST * settings.end,
            events_at_once: 0,
            scratch: vec![0.0; linear],
        })
    }

    /// What the recording holds.
    pub fn columns(&self) -> &[Column] {
        &self.columns
    }

    /// Simulated time reached, s.
    pub fn time(&self) -> f64 {
        self.machine.t
    }

    /// Goes on to the end.
    ///
    /// # Errors
    /// Those of [`SwitchedError`] that can happen under way. What was recorded until then has been handed over.
    pub fn advance(&mut self, observer: &mut dyn Observer, health: &mut Health) -> Result<Ended, SwitchedError> {
        health.unknowns = self.machine.network.unknowns() as u64;
        health.shortest_step = f64::INFINITY;
        let result = self.walk(observer, health);
        self.recorder.flush(observer);
        let stored = self.machine.stored(&self.machine.z);
        let Recorder { delivered, dissipated, .. } = self.recorder;
        health.energy = EnergyBalance::new(delivered, dissipated, [self.stored_first, stored]);
        if !health.shortest_step.is_finite() {
            health.shortest_step = 0.0;
        }
        result
    }

    fn walk(&mut self, observer: &mut dyn Observer, health: &mut Health) -> Result<Ended, SwitchedError> {
        let end = self.settings.end;
        let (mut middle, mut last) = (Vec::new(), Vec::new());
        while self.machine.t < end {
            let corner = self.machine.next_corner();
            let target = corner.min(end);
            let left = target - self.machine.t;
            let mut lands = false;
            let mut h = self.pace().min(left);
            // Equal steps up to the target rather than a sliver before it.
            let steps = (left / h).ceil();
            if steps <= 4.0 {
                h = left / steps;
                lands = steps <= 1.0;
            }
            loop {
                self.nodes(h, &mut middle, &mut last);
                let error = self.error(&last, h);
                if error <= TOO_FAR {
                    break;
                }
                (h, lands) = (h * (0.8 * error.powf(-1.0 / 3.0)).clamp(0.1, 0.8), false);
            }
            let crossing = self.first_crossing(h, &middle, &last);
            if let Some((at, _)) = &crossing {
                (h, lands) = (*at, false);
                self.nodes(h, &mut middle, &mut last);
            }
            self.accept(h, lands.then_some(target), [&middle, &last], observer, health)?;
            if let Some((_, changes)) = crossing {
                self.events_at_once = if h > 0.0 { 1 } else { self.events_at_once + 1 };
                if self.events_at_once > MOST_AT_ONCE {
                    return Err(self.machine.restless_at(changes[0].0));
                }
                let mut regions = self.machine.regions().to_vec();
                changes.iter().for_each(|(element, to)| regions[*element] = *to as u8);
                self.change(regions, observer, health)?;
            } else if lands && target == corner {
                let mut regions = self.machine.regions().to_vec();
                self.machine.pass_corners(&mut regions);
                self.change(regions, observer, health)?;
            }
            let progress = Progress { time: self.machine.t, end, health };
            if observer.progress(&progress) == Command::Stop {
                return Ok(Ended::Stopped);
            }
        }
        Ok(Ended::Done)
    }

    /// Takes the step whose nodes have been found.
    fn accept(
        &mut self,
        h: f64,
        target: Option<f64>,
        [middle, last]: [&Vec<f64>; 2],
        observer: &mut dyn Observer,
        health: &mut Health,
    ) -> Result<(), SwitchedError> {
        let machine = &mut self.machine;
        let t = machine.t;
        if h > 0.0 {
            let compiled = &machine.compiled[machine.at];
            self.recorder.step(compiled, t, h, [&machine.z, middle, last], observer);
            health.steps += 1;
            if h < health.shortest_step {
                (health.shortest_step, health.shortest_at) = (h, t);
            }
            self.before = h;
        }
        machine.t = target.unwrap_or(t + h);
        machine.z.clone_from(last);
        machine.set_inputs();
        let compiled = &machine.compiled[machine.at];
        compiled.recorded[0].apply(&machine.z, &mut self.scratch);
        self.full.iter_mut().zip(&self.scratch).for_each(|(full, value)| *full = full.max(value.abs()));
        if let Some(row) = self.scratch.iter().position(|value| !(value.abs() < UNBOUNDED)) {
            let nets = machine.network.nets.len() - 1;
            let unknown = if row < nets {
                machine.network.nets[row + 1].clone()
            } else {
                machine.network.parts[row - nets].id.clone()
            };
            return Err(SwitchedError::Unbounded { time: machine.t, unknown });
        }
        Ok(())
    }

    /// Enters the configuration that follows and records what jumps.
    fn change(
        &mut self,
        regions: Vec<u8>,
        observer: &mut dyn Observer,
        health: &mut Health,
    ) -> Result<(), SwitchedError> {
        let was = self.machine.at;
        let taken = self.machine.settle(regions)?;
        self.recorder.pulse(taken);
        health.trips += u64::from(was != self.machine.at);
        let compiled = &self.machine.compiled[self.machine.at];
        let values = &compiled.recorded[0];
        let jumps = (0..values.rows()).any(|row| {
            let value = dot(values.row(row), &self.machine.z);
            self.full[row] = self.full[row].max(value.abs());
            (value - self.scratch[row]).abs() > 1e-9 * self.full[row]
        });
        if jumps {
            let instant = (8.0 * f64::EPSILON * self.machine.t).max(1e-15 * self.settings.end);
            self.recorder.jump(compiled, self.machine.t, instant, &self.machine.z, observer);
        }
        Ok(())
    }

    /// How long a step may be, from what the course is like where it begins.
    fn pace(&self) -> f64 {
        let compiled = &self.machine.compiled[self.machine.at];
        let [_, third, fourth] = &compiled.recorded;
        let mut h = self.settings.max_step.min(GROWTH * self.before.max(1e-12 * self.settings.end));
        for (row, full) in self.full.iter().enumerate().filter(|(_, full)| **full > 0.0) {
            let allowed = self.settings.tolerance * full;
            let bends = [(third, CUBIC, 1.0 / 3.0), (fourth, QUARTIC, 0.25)];
            for (derivative, factor, root) in bends {
                let size = factor * dot(derivative.row(row), &self.machine.z).abs();
                // Only where it would be shortened is the root worth taking.
                if size * h.powf(1.0 / root) > allowed {
                    h = (allowed / size).powf(root);
                }
            }
        }
        h
    }

    /// Error of the quadratics through a step's nodes as seen from its end, relative to what is allowed.
    fn error(&self, last: &[f64], h: f64) -> f64 {
        let compiled = &self.machine.compiled[self.machine.at];
        let third = &compiled.recorded[1];
        let each = self.full.iter().enumerate().filter(|(_, full)| **full > 0.0).map(|(row, full)| {
            CUBIC * h * h * h * dot(third.row(row), last).abs() / (self.settings.tolerance * full)
        });
        each.fold(0.0, f64::max)
    }

    /// What runs at the inner node and at the end of a step.
    fn nodes(&mut self, h: f64, middle: &mut Vec<f64>, last: &mut Vec<f64>) {
        let ladder = &mut self.machine.compiled[self.machine.at].ladder;
        middle.clone_from(&self.machine.z);
        ladder.advance(middle, STAGE * h);
        last.clone_from(middle);
        ladder.advance(last, (1.0 - STAGE) * h);
    }

    /// When in a step the first guard gives way, and which elements change then to which regions.
    fn first_crossing(&mut self, h: f64, middle: &[f64], last: &[f64]) -> Option<(f64, Vec<(usize, usize)>)> {
        let machine = &mut self.machine;
        let mut first: Option<(f64, Vec<(usize, usize)>)> = None;
        let mut at = Vec::new();
        for index in 0..machine.compiled[machine.at].of.guards.len() {
            let guard = &machine.compiled[machine.at].of.guards[index];
            let [value, slope, _] = guard.levels.clone();
            let change = (guard.element, guard.to);
            let least = -machine.rounding(&value);
            let (begins, mid, ends) = (dot(&value, &machine.z), dot(&value, middle), dot(&value, last));
            let mut bracket = if mid < least {
                Some(STAGE * h)
            } else if ends < least {
                Some(h)
            } else {
                None
            };
            let ladder = &mut machine.compiled[machine.at].ladder;
            let z = &machine.z;
            let mut place = |time: f64, at: &mut Vec<f64>| {
                at.clone_from(z);
                ladder.advance(at, time);
                (dot(&value, at), dot(&slope, at))
            };
            // It may have dipped between the nodes and come back.
            if bracket.is_none() {
                let (falls, rises) = (dot(&slope, z), dot(&slope, last));
                if falls < 0.0 && rises > 0.0 && begins.min(mid).min(ends) < -0.5 * h * falls {
                    let (mut a, mut b) = (0.0, h);
                    for _ in 0..60 {
                        let middle = 0.5 * (a + b);
                        let (level, slope) = place(middle, &mut at);
                        if level < least {
                            bracket = Some(middle);
                            break;
                        }
                        if slope < 0.0 { a = middle } else { b = middle }
                        if b - a < 1e-6 * h {
                            break;
                        }
                    }
                }
            }
            let Some(upper) = bracket else { continue };
            // Nothing beyond the first crossing so far is of interest.
            let upper = match &first {
                Some((before, _)) if *before < upper => {
                    if place(*before, &mut at).0 >= least {
                        continue;
                    }
                    *before
                }
                _ => upper,
            };
            let root = root(&mut |time| place(time, &mut at), upper, 4.0 * f64::EPSILON * machine.t + 1e-15 * h);
            match &mut first {
                Some((before, changes)) if root >= *before => changes.push(change),
                _ => first = Some((root, vec![change])),
            }
        }
        first
    }
}

/// Where a function that begins at or above zero is zero before a time at which it is below: Newton's method held within a
/// bracket that each step makes smaller.
fn root(f: &mut dyn FnMut(f64) -> (f64, f64), upper: f64, resolution: f64) -> f64 {
    let (mut a, mut b) = (0.0, upper);
    let mut x = upper;
    for round in 0..200 {
        let (value, slope) = f(x);
        if value < 0.0 { b = x } else { a = x }
        if b - a <= resolution || value == 0.0 {
            break;
        }
        let newton = x - value / slope;
        // Bisection now and then, in case one end does not move.
        let inside = newton > a && newton < b && round % 4 != 3;
        let next = if inside { newton } else { 0.5 * (a + b) };
        if (next - x).abs() <= 0.25 * resolution {
            // On the far side of the root by no more than can be told apart.
            return next;
        }
        x = next;
    }
    b
}
