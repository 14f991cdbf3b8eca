//! The periodic steady state and what it says of a circuit.

pub(crate) mod monodromy;
pub(crate) mod period;
pub(crate) mod shooting;

use crate::configuration::through;
use crate::error::SwitchedError;
use crate::network::Network;
use crate::network::course::Course;
use crate::parts;
use crate::periodic::monodromy::{Along, Event, walk};
use crate::periodic::period::Round;
use crate::periodic::shooting::Search;
use crate::stepping::machine::{Machine, Stand};
use crate::stepping::walker::Walker;
use crate::transient::{Ended, Settings, Transient};
use circuit::{Circuit, quiet_time, within_pause};
use linear::{eigenvalues, untold};
use recording::{Complex64, Conduction, Health, Observer};

/// A factor that counts as none, and growth as none, over a period.
const NOTHING: f64 = 1e-8;
/// How far walking may be from the course between its nodes, relative; nothing is recorded, and events are found where they are.
const LOOSE: f64 = 1e-2;
/// Longest step where no period is known, s; the course of what is looked at makes them as short as they have to be.
const UNKNOWN: f64 = 1.0;
/// Part of a free period at its end that is not looked at: the event it ends with is the one it began with.
const LAST: f64 = 1e-9;

/// A circuit in its periodic steady state.
pub struct Settled {
    walker: Walker,
    begins: Stand,
    /// Period, s.
    pub period: f64,
    /// The shortest period there is in it, s: that of the clock where there is one. Infinite if nothing repeats by time.
    pub clock: f64,
    /// Whether the period is the circuit's own: nothing in it repeats by time.
    pub free: bool,
    /// Steps of Newton's method it took.
    pub iterations: u32,
    /// Periods walked in all.
    pub periods: u32,
    /// How far the state still is from the periodic one, relative to the largest each state has been.
    pub residual: f64,
    /// What a period leaves of small disturbances, largest first (Floquet multipliers).
    pub multipliers: Vec<Complex64>,
    /// Conduction of each part with windings.
    pub windings: Vec<Conduction>,
}

impl Settled {
    /// Finds it. What happens once, such as the step of a load, does not happen. The observer is asked after every period
    /// whether to go on; nothing is recorded.
    ///
    /// # Errors
    /// [`SwitchedError::NotPeriodic`] if nothing repeats or periods have no common multiple;
    /// [`SwitchedError::NotSettling`] if none is found; [`SwitchedError::Stopped`]; and what can go wrong in a transient.
    pub fn find(circuit: &Circuit, observer: &mut dyn Observer) -> Result<Self, SwitchedError> {
        Settled::of(parts::network(circuit)?, circuit, None, observer)
    }

    /// The same of a network made of the circuit, looked for from where another periodic state of the same states passes.
    pub(crate) fn of(
        network: Network,
        circuit: &Circuit,
        near: Option<&mut Settled>,
        observer: &mut dyn Observer,
    ) -> Result<Self, SwitchedError> {
        let mut machine = Machine::new(network);
        let period = period::period_of(&machine)?;
        let clock = machine.network.courses.iter().filter_map(Course::period).fold(f64::INFINITY, f64::min);
        machine.begin()?;
        machine.freeze();
        let mut walker = Walker::new(machine, period.unwrap_or(UNKNOWN), LOOSE, period.unwrap_or(UNKNOWN));
        let mut forward = shooting::FORWARD;
        let round = match period {
            Some(period) => {
                let section = section(&walker.machine, period);
                walk(&mut walker, section, &mut ())?;
                if let Some(near) = near {
                    walker.move_to(&near.passes(section)?)?;
                    forward = 1;
                }
                Round::Clocked { period, section }
            }
            None => period::free(&mut walker)?,
        };
        let mut search = Search::new(walker, observer, round);
        let found = search.run(forward)?;
        let period = found.period;
        if let Round::Free { .. } = round {
            aside(&mut search.walker, period)?;
        }
        let n = found.leaves.rows();
        let multipliers = eigenvalues(n, |r, c| found.leaves[(r, c)]).unwrap_or_else(untold);
        let begins = search.walker.machine.stand();
        let mut settled = Settled {
            walker: search.walker,
            begins,
            period,
            clock,
            free: matches!(round, Round::Free { .. }),
            iterations: search.steps,
            periods: search.tried,
            residual: found.residual,
            multipliers,
            windings: Vec::new(),
        };
        settled.windings = settled.conduction(circuit)?;
        Ok(settled)
    }

    /// Whether small disturbances die out.
    pub fn is_stable(&self) -> bool {
        self.multipliers.iter().all(|m| m.norm() <= 1.0 + NOTHING)
    }

    /// Time at which the period that was found begins, s.
    pub fn begins(&self) -> f64 {
        self.begins.t
    }

    /// Records so many periods, from the beginning of the one found.
    ///
    /// # Errors
    /// What can go wrong in a transient.
    pub fn record(
        self,
        periods: u32,
        tolerance: f64,
        observer: &mut dyn Observer,
        health: &mut Health,
    ) -> Result<Ended, SwitchedError> {
        let end = self.begins.t + f64::from(periods) * self.period;
        let settings =
            Settings { end, record_from: self.begins.t, max_step: self.period, tolerance, every_period: false };
        self.stand(&settings).advance(observer, health)
    }

    /// A transient that begins in the settled state; what happens once happens now.
    pub fn go_on(mut self, settings: &Settings) -> Transient {
        self.walker.machine.thaw();
        self.stand(settings)
    }

    fn stand(self, settings: &Settings) -> Transient {
        let mut machine = self.walker.machine;
        machine.stand_at(&self.begins);
        let stored = machine.stored(&machine.z);
        Transient::of(machine, settings, stored)
    }

    /// Which windings carry no current for a part of the period.
    fn conduction(&mut self, circuit: &Circuit) -> Result<Vec<Conduction>, SwitchedError> {
        use circuit::KindId::{CoupledWindings, Inductor, ThreeWindings};
        let wound = |kind| matches!(kind, Inductor | CoupledWindings | ThreeWindings);
        let parts = (0..circuit.parts.len()).filter(|k| wound(circuit.parts[*k].kind)).map(|k| (k, 0.0)).collect();
        let mut idle = Idle(parts);
        self.again(&mut idle)?;
        let named =
            |(part, idle): (usize, f64)| Conduction { part: circuit.parts[part].id.clone(), idle: idle / self.period };
        Ok(idle.0.into_iter().map(named).collect())
    }

    /// Walks the period that was found.
    pub(crate) fn again(&mut self, along: &mut impl Along) -> Result<(), SwitchedError> {
        self.walker.stand_at(&self.begins);
        walk(&mut self.walker, self.begins.t + self.period, along)
    }

    /// Its states at the time of the period at which another time, s, comes round.
    fn passes(&mut self, time: f64) -> Result<Vec<f64>, SwitchedError> {
        self.walker.stand_at(&self.begins);
        walk(&mut self.walker, self.begins.t + (time - self.begins.t).rem_euclid(self.period), &mut ())?;
        let machine = &self.walker.machine;
        Ok(machine.z[..machine.network.states.len()].to_vec())
    }

    /// The circuit, where its period begins or where it was walked to last.
    pub(crate) fn machine(&self) -> &Machine {
        &self.walker.machine
    }
}

/// For how long parts carry no current in any of their windings, s.
struct Idle(Vec<(usize, f64)>);

impl Along for Idle {
    fn goes(&mut self, machine: &mut Machine, length: f64) {
        let of = &machine.compiled[machine.at].of;
        for (part, idle) in &mut self.0 {
            let ports = &machine.network.parts[*part].ports;
            // Zero whatever it was before this configuration was entered.
            let none = |row: Vec<f64>| {
                let zero = |factor: &f64| factor.abs() < NOTHING;
                let entered = of.entry.as_ref().map(|entry| through(&row, entry, vec![0.0; row.len()]));
                entered.as_ref().unwrap_or(&row).iter().all(zero)
            };
            if ports.iter().all(|(_, i)| none(of.row(&machine.network, i))) {
                *idle += length;
            }
        }
    }
    fn passes(&mut self, _: &Machine, _: Event) -> bool {
        true
    }
}

/// Goes from an event to where nothing happens for long, so that a period begins and ends there.
fn aside(walker: &mut Walker, period: f64) -> Result<(), SwitchedError> {
    let stand = walker.machine.stand();
    let mut pauses = Pauses { all: Vec::new(), since: 0.0 };
    walk(walker, stand.t + (1.0 - LAST) * period, &mut pauses)?;
    pauses.all.push(pauses.since);
    walker.stand_at(&stand);
    let ends = pauses.all.iter().scan(0.0, |end, pause| {
        *end += pause;
        Some((*end, *pause))
    });
    let longest = ends.max_by(|a, b| a.1.total_cmp(&b.1));
    let (end, pause) = longest.unwrap_or((period, period));
    walk(walker, stand.t + within_pause(end - pause, end), &mut ())
}

/// Times between events, s.
struct Pauses {
    all: Vec<f64>,
    since: f64,
}

impl Along for Pauses {
    fn goes(&mut self, _: &mut Machine, length: f64) {
        self.since += length;
    }
    fn passes(&mut self, _: &Machine, _: Event) -> bool {
        self.all.push(std::mem::take(&mut self.since));
        true
    }
}

/// A time between two corners, in the longest pause of a period once everything that repeats has begun.
fn section(machine: &Machine, period: f64) -> f64 {
    let begun = machine.network.courses.iter().filter_map(|course| match course {
        Course::Lines { delay, period: Some(_), .. } => Some(*delay),
        _ => None,
    });
    let from = begun.fold(machine.t, f64::max);
    quiet_time(|t| machine.corner_behind(t), from, period)
}
