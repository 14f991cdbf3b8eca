//! The course of everything in time: from event to event, with as many nodes between as a recording needs.
//!
//! Nothing here has a tolerance but the recording: how far the quartic through five nodes may be from the exact course
//! decides how far apart nodes are, and what is recorded at them is exact.

pub(crate) mod kept;
pub(crate) mod recorder;
pub(crate) mod repeats;

use crate::error::SwitchedError;
use crate::parts;
use crate::periodic::monodromy;
use crate::stepping::machine::Machine;
use crate::stepping::walker::{Ends, Walker};
use crate::transient::recorder::{Recorder, Walked};
use crate::transient::repeats::Repeats;
use circuit::Circuit;
use recording::{Command, EnergyBalance, Health, Observer, Progress, Pulse};
use std::collections::BTreeMap;

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
    /// Whether every period is computed, also where nothing new happens.
    pub every_period: bool,
}

/// How a transient ended.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Ended {
    /// At its end.
    Done,
    /// Because the observer said so.
    Stopped,
}

/// Steps after which a run must have covered this part of its time, or it counts as getting nowhere (as at device level).
const WATCH: u64 = 10_000;
const HEADWAY: f64 = 1e-7;
/// How long what jumps takes in a recording, relative to all its time, so that times tell its ends wherever it comes again.
const INSTANT: f64 = 32.0 * f64::EPSILON;

/// A circuit ready to be simulated by switching.
pub struct Transient {
    pub(crate) walker: Walker,
    settings: Settings,
    pub(crate) recorder: Recorder,
    pub(crate) stored_first: f64,
    repeats: Option<Repeats>,
    /// The largest pulse of each part: whether a flux, its size, when.
    pulses: BTreeMap<(usize, bool), (f64, f64)>,
}

impl Transient {
    /// Brings a circuit into the form of this engine and finds where it begins.
    ///
    /// # Errors
    /// [`SwitchedError::NoForm`] for kinds that have none here; [`SwitchedError::Impossible`] and
    /// [`SwitchedError::Restless`] if it cannot begin.
    pub fn new(circuit: &Circuit, settings: &Settings) -> Result<Self, SwitchedError> {
        let mut machine = Machine::new(parts::network(circuit)?);
        let stored_first = machine.stored(&machine.z);
        let begun = machine.begin()?;
        let mut transient = Transient::of(machine, settings, stored_first);
        transient.strike(&begun.pulses);
        Ok(transient)
    }

    /// Goes on from where a machine stands.
    pub(crate) fn of(machine: Machine, settings: &Settings, stored_first: f64) -> Self {
        let network = &machine.network;
        let recorder = Recorder::new((settings.record_from, settings.end), network.order(), network.parts.len());
        let repeats = if settings.every_period { None } else { Repeats::new(&machine, settings.end) };
        let walker = Walker::new(machine, settings.max_step, settings.tolerance, settings.end);
        Transient { walker, settings: settings.clone(), recorder, stored_first, repeats, pulses: BTreeMap::new() }
    }

    /// Keeps the largest pulse of each part.
    fn strike(&mut self, pulses: &[(usize, bool, f64)]) {
        let t = self.walker.machine.t;
        for (part, flux, size) in pulses {
            let most = self.pulses.entry((*part, *flux)).or_insert((0.0, t));
            if size.abs() > most.0.abs() {
                *most = (*size, t);
            }
        }
    }

    /// Takes pulses that have been kept for the largest so far.
    pub(crate) fn strike_again(&mut self, pulses: &[Pulse]) {
        for pulse in pulses {
            let part = self.walker.machine.network.parts.iter().position(|part| part.id == pulse.part);
            self.pulses.extend(part.map(|part| ((part, pulse.flux), (pulse.size, pulse.at))));
        }
    }

    /// Goes on to the end.
    ///
    /// # Errors
    /// Those of [`SwitchedError`] that can happen under way. What was recorded until then has been handed over.
    pub fn advance(&mut self, observer: &mut dyn Observer, health: &mut Health) -> Result<Ended, SwitchedError> {
        health.unknowns = self.walker.machine.network.unknowns() as u64;
        if health.steps == 0 {
            health.shortest_step = f64::INFINITY;
        }
        let result = self.walk(observer, health);
        self.recorder.flush(observer);
        let machine = &self.walker.machine;
        let Recorder { delivered, dissipated, .. } = self.recorder;
        health.energy = EnergyBalance::new(delivered, dissipated, [self.stored_first, machine.stored(&machine.z)]);
        let pulse = |((part, flux), (size, at)): (&(usize, bool), &(f64, f64))| Pulse {
            part: machine.network.parts[*part].id.clone(),
            size: *size,
            flux: *flux,
            at: *at,
        };
        health.pulses = self.pulses.iter().map(pulse).collect();
        if !health.shortest_step.is_finite() {
            health.shortest_step = 0.0;
        }
        result
    }

    fn walk(&mut self, observer: &mut dyn Observer, health: &mut Health) -> Result<Ended, SwitchedError> {
        let end = self.settings.end;
        let (mut steps, mut since, mut pulses) = (0u64, self.walker.machine.t, Vec::new());
        while self.walker.machine.t < end {
            steps += 1;
            if steps.is_multiple_of(WATCH) {
                if self.walker.machine.t - since < HEADWAY * end {
                    return Err(self.walker.restless());
                }
                since = self.walker.machine.t;
            }
            let walker = &mut self.walker;
            // Recording begins at a node.
            let from = Some(self.settings.record_from).filter(|from| *from > walker.machine.t);
            let corner = walker.machine.next_corner().min(end).min(from.unwrap_or(f64::INFINITY));
            let target = self.repeats.as_ref().map_or(corner, |repeats| repeats.looks().min(corner));
            let step = walker.find(target);
            let t = walker.machine.t;
            if step.length > 0.0 {
                let Walker { machine, stretch, .. } = walker;
                let (at, compiled) = (machine.at, &machine.compiled[machine.at]);
                let close = self.recorder.weigh((at, compiled), t, step.length, stretch.nodes(machine));
                // Rates that are no more than rounding tell nothing.
                if !close || !compiled.ladder.rates_tell(step.length) {
                    let (compiled, h) = (&mut machine.compiled[at], step.length);
                    self.recorder.weigh_in_parts(h, compiled, |c, s, z| c.ladder.place(&stretch.series, s * h, z));
                }
                let walked = Walked { z: stretch.nodes(machine), seen: stretch.seen() };
                self.recorder.step(&machine.compiled[at], t, step.length, walked, observer);
                health.steps += 1;
                if step.length < health.shortest_step {
                    (health.shortest_step, health.shortest_at) = (step.length, t);
                }
            }
            if let Some(repeats) = &mut self.repeats {
                repeats.goes(&mut walker.machine, step.length);
            }
            walker.take(step, target)?;
            if let Some(repeats) = &mut self.repeats {
                repeats.sees(&walker.machine);
                if step.ends == Ends::Target && target < corner {
                    health.repeated += repeats.look(walker, &mut self.recorder, end, observer)?;
                    continue;
                }
            }
            let was = walker.machine.at;
            let change = match &mut self.repeats {
                Some(repeats) if repeats.derives() => monodromy::happen(walker, step)?.map(|(event, change)| {
                    repeats.passes(&walker.machine, event);
                    change
                }),
                _ => walker.happen(step)?,
            };
            if let Some(change) = change {
                self.recorder.event(change.taken);
                pulses = change.pulses;
                health.trips += u64::from(matches!(step.ends, Ends::Guard(_)));
                if walker.jumped() {
                    let machine = &walker.machine;
                    let instant = INSTANT * end;
                    let compiled = &machine.compiled[machine.at];
                    self.recorder.jump(compiled, machine.t, instant, (&machine.z, &walker.stretch.here), observer);
                }
                if let Some(repeats) = &mut self.repeats
                    && repeats.looks_behind(&walker.machine, was)
                {
                    health.repeated += repeats.look(walker, &mut self.recorder, end, observer)?;
                }
            }
            if !pulses.is_empty() {
                self.strike(&std::mem::take(&mut pulses));
            }
            let progress = Progress { time: self.walker.machine.t, end, health };
            if observer.progress(&progress) == Command::Stop {
                return Ok(Ended::Stopped);
            }
        }
        Ok(Ended::Done)
    }
}
