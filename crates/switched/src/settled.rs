//! The periodic steady state, straight away: Newton's method on the map from one period's beginning to the next, whose
//! derivative is the exact product of propagators, entries and the shifts of events in time (saltation matrices; M. A.
//! Aizerman & F. R. Gantmakher, *On the stability of periodic motions*, J. Appl. Math. Mech. 22, 1958, from memory).

use crate::configuration::through;
use crate::course::Course;
use crate::error::SwitchedError;
use crate::machine::{Machine, Stand};
use crate::parts;
use crate::transient::{Ended, Settings, Transient};
use crate::walker::{Ends, Walker};
use circuit::Circuit;
use linear::{Matrix, Ranked, dot};
use nalgebra::DMatrix;
use recording::{Command, Complex64, Health, Observer, Progress};

/// Cycles run forward before the search begins, and when it is lost.
const FORWARD: usize = 4;
/// Periods tried of the map at most.
const MOST_PERIODS: u32 = 200;
/// Distance from the periodic state that counts as none, relative to the largest each state has been.
const CLOSED: f64 = 1e-11;
/// Distance that is good enough where rounding allows no better.
const NEARLY: f64 = 1e-8;
/// Shortest step of the search before cycles are run forward instead.
const SHORTEST: f64 = 0.1;
/// Full steps in a row that are taken although they look worse, and how much worse they may look.
const DARES: u32 = 3;
const TOO_LONG: f64 = 10.0;
/// How far walking may be from the course between its nodes, relative; nothing is recorded.
const LOOSE: f64 = 1e-3;
/// Steps within one period from which on it does not end.
const MOST_STEPS: usize = 500_000;
/// Longest common period in units of the longest one, and how closely periods must fit into it.
const MOST_COMMON: usize = 1000;
const FITS: f64 = 1e-9;

/// How a part with windings carries its current over a period.
#[derive(Clone, Debug, PartialEq)]
pub struct Conduction {
    /// Designator.
    pub part: String,
    /// Part of the period in which no winding of it carries any current: zero in continuous conduction.
    pub idle: f64,
}

/// A circuit in its periodic steady state.
pub struct Settled {
    walker: Walker,
    begins: Stand,
    /// Period, s.
    pub period: f64,
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

/// One period and what it makes of small differences at its beginning.
struct Cycle {
    end: Vec<f64>,
    /// `∂end/∂beginning` of the states.
    leaves: Matrix,
}

impl Settled {
    /// Finds it. What happens once, such as the step of a load, does not happen. The observer is asked after every period
    /// whether to go on; nothing is recorded.
    ///
    /// # Errors
    /// [`SwitchedError::NotPeriodic`] if nothing repeats or periods have no common multiple;
    /// [`SwitchedError::NotSettling`] if none is found; [`SwitchedError::Stopped`]; and what can go wrong in a transient.
    pub fn find(circuit: &Circuit, observer: &mut dyn Observer) -> Result<Self, SwitchedError> {
        let mut machine = Machine::new(parts::network(circuit)?);
        let period = common_period(&machine)?;
        machine.begin()?;
        machine.freeze();
        let mut walker = Walker::new(machine, period, LOOSE, period);
        let section = section(&walker.machine, period);
        walk(&mut walker, section, None)?;
        let health = Health::default();
        let mut search = Search { walker, observer, health, period, section, tried: 0, steps: 0 };
        search.forward(FORWARD)?;
        let (cycle, residual) = search.run()?;
        let n = cycle.leaves.rows();
        let leaves = DMatrix::from_fn(n, n, |r, c| cycle.leaves[(r, c)]);
        let mut multipliers: Vec<Complex64> =
            leaves.complex_eigenvalues().iter().map(|m| Complex64::new(m.re, m.im)).collect();
        multipliers.sort_by(|a, b| b.norm().total_cmp(&a.norm()));
        let begins = search.walker.machine.stand();
        let mut settled = Settled {
            walker: search.walker,
            begins,
            period,
            iterations: search.steps,
            periods: search.tried,
            residual,
            multipliers,
            windings: Vec::new(),
        };
        settled.windings = settled.conduction(circuit)?;
        Ok(settled)
    }

    /// Whether small disturbances die out.
    pub fn is_stable(&self) -> bool {
        self.multipliers.iter().all(|m| m.norm() <= 1.0 + NEARLY)
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
        let settings = Settings { end, record_from: self.begins.t, max_step: self.period, tolerance };
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
        let parts: Vec<usize> = (0..circuit.parts.len()).filter(|k| wound(circuit.parts[*k].kind)).collect();
        let mut idle = vec![0.0; parts.len()];
        self.walker.machine.stand_at(&self.begins);
        let end = self.begins.t + self.period;
        while self.walker.machine.t < end {
            let target = self.walker.machine.next_corner().min(end);
            let step = self.walker.find(target);
            let machine = &self.walker.machine;
            let of = &machine.compiled[machine.at].of;
            for (idle, part) in idle.iter_mut().zip(&parts) {
                let ports = &machine.network.parts[*part].ports;
                // Zero whatever it was before this configuration was entered.
                let none = |row: Vec<f64>| {
                    let zero = |factor: &f64| factor.abs() < NEARLY;
                    let entered = of.entry.as_ref().map(|entry| through(&row, entry, vec![0.0; row.len()]));
                    entered.as_ref().unwrap_or(&row).iter().all(zero)
                };
                if ports.iter().all(|(_, i)| none(of.row(&machine.network, i))) {
                    *idle += step.length / self.period;
                }
            }
            self.walker.take(step, target)?;
            self.walker.happen(step)?;
        }
        let named =
            parts.iter().zip(idle).map(|(part, idle)| Conduction { part: circuit.parts[*part].id.clone(), idle });
        Ok(named.collect())
    }
}

/// The shortest time in which everything that repeats comes round, s.
fn common_period(machine: &Machine) -> Result<f64, SwitchedError> {
    let periods: Vec<f64> = machine.network.courses.iter().filter_map(Course::period).collect();
    let longest = periods.iter().copied().fold(0.0, f64::max);
    if longest == 0.0 {
        return Err(SwitchedError::NotPeriodic { why: "nothing repeats: no source has a period".to_owned() });
    }
    let fits = |whole: f64| {
        periods.iter().all(|period| {
            let times = whole / period;
            (times - times.round()).abs() <= FITS * times
        })
    };
    (1..=MOST_COMMON).map(|k| k as f64 * longest).find(|whole| fits(*whole)).ok_or_else(|| {
        let why = format!("the periods of its sources have no common multiple up to {MOST_COMMON} of the longest");
        SwitchedError::NotPeriodic { why }
    })
}

/// Where in a pause a period is said to begin: nowhere that symmetry would put an event.
const WITHIN: f64 = 0.381_966;

/// A time between two corners, in the longest pause of a period once everything that repeats has begun.
fn section(machine: &Machine, period: f64) -> f64 {
    let begun = machine.network.courses.iter().filter_map(|course| match course {
        Course::Lines { delay, period: Some(_), .. } => Some(*delay),
        _ => None,
    });
    let from = begun.fold(machine.t, f64::max);
    let mut corners: Vec<f64> = machine.corners_between(from, from + period);
    corners.extend([from, from + period]);
    corners.sort_by(f64::total_cmp);
    let longest = corners.windows(2).max_by(|a, b| (a[1] - a[0]).total_cmp(&(b[1] - b[0])));
    longest.map_or(from, |ends| ends[0] + WITHIN * (ends[1] - ends[0]))
}

/// Columns of differences that go along.
type Along<'a> = Option<&'a mut Vec<Vec<f64>>>;

/// Walks to a time; differences at the beginning become what they are at the end.
fn walk(walker: &mut Walker, end: f64, mut along: Along<'_>) -> Result<(), SwitchedError> {
    let mut steps = 0;
    while walker.machine.t < end {
        steps += 1;
        if steps > MOST_STEPS {
            return Err(walker.restless());
        }
        let target = walker.machine.next_corner().min(end);
        let step = walker.find(target);
        let was = walker.machine.at;
        if let Some(columns) = &mut along {
            let ladder = &mut walker.machine.compiled[was].ladder;
            columns.iter_mut().for_each(|column| ladder.advance(column, step.length));
        }
        walker.take(step, target)?;
        // What ends the walk happens in the next.
        if step.ends == Ends::Target && target == end && walker.machine.next_corner() > end {
            break;
        }
        let before = along.as_ref().map(|_| walker.machine.rates());
        let Some(change) = walker.happen(step)? else { continue };
        let (Some(columns), Some(before)) = (&mut along, before) else { continue };
        let guard = match step.ends {
            Ends::Guard(guard) => Some(walker.machine.compiled[was].of.guards[guard].levels[0].clone()),
            _ => None,
        };
        let after = walker.machine.rates();
        let falls = guard.as_ref().map(|guard| dot(guard, &before));
        for column in columns.iter_mut() {
            // How much later the event comes, and what has gone on until then.
            let later = match (&guard, falls) {
                (Some(guard), Some(falls)) if falls != 0.0 => -dot(guard, column) / falls,
                _ => 0.0,
            };
            column.iter_mut().zip(&before).for_each(|(c, rate)| *c += later * rate);
            for entered in &change.entered {
                if let Some(entry) = &walker.machine.compiled[*entered].of.entry {
                    let from = column.clone();
                    entry.apply(&from, column);
                }
            }
            column.iter_mut().zip(&after).for_each(|(c, rate)| *c -= later * rate);
        }
    }
    Ok(())
}

struct Search<'a> {
    walker: Walker,
    observer: &'a mut dyn Observer,
    health: Health,
    period: f64,
    section: f64,
    /// Periods walked, and steps of Newton's method.
    tried: u32,
    steps: u32,
}

impl Search<'_> {
    /// Runs so many periods from where it stands.
    fn forward(&mut self, periods: usize) -> Result<(), SwitchedError> {
        for _ in 0..periods {
            let end = self.walker.machine.t + self.period;
            walk(&mut self.walker, end, None)?;
            self.walked()?;
        }
        Ok(())
    }

    /// Counts a period, sets the time back by it, and asks whether to go on.
    fn walked(&mut self) -> Result<(), SwitchedError> {
        self.tried += 1;
        self.walker.machine.back(self.period, self.section);
        let progress = Progress { time: 0.0, end: self.period, health: &self.health };
        if self.observer.progress(&progress) == Command::Stop { Err(SwitchedError::Stopped) } else { Ok(()) }
    }

    /// One period from where it stands, with what it makes of differences; it then stands at the end, its time set back.
    fn cycle(&mut self) -> Result<Cycle, SwitchedError> {
        let (n, size) = (self.walker.machine.network.states.len(), self.walker.machine.z.len());
        let mut columns: Vec<Vec<f64>> = (0..n)
            .map(|k| {
                let mut column = vec![0.0; size];
                column[k] = 1.0;
                column
            })
            .collect();
        self.walker.machine.rescale();
        let end = self.walker.machine.t + self.period;
        walk(&mut self.walker, end, Some(&mut columns))?;
        self.walked()?;
        let mut leaves = Matrix::zeros(n, n);
        for (c, column) in columns.iter().enumerate() {
            (0..n).for_each(|r| leaves[(r, c)] = column[r]);
        }
        Ok(Cycle { end: self.walker.machine.z[..n].to_vec(), leaves })
    }

    /// Size of a difference of states, relative to the largest each has been.
    fn size(&self, step: &Matrix) -> f64 {
        let each = self.walker.machine.scale.iter().enumerate().take(step.rows());
        each.filter(|(_, scale)| **scale > 0.0).map(|(k, scale)| step[(k, 0)].abs() / scale).fold(0.0, f64::max)
    }

    /// Newton's method, shortened where it would lead away, and cycles run forward where that does not help; it ends standing
    /// at the beginning of the period found.
    fn run(&mut self) -> Result<(Cycle, f64), SwitchedError> {
        let n = self.walker.machine.network.states.len();
        let mut here = self.walker.machine.stand();
        let mut x = here.z[..n].to_vec();
        let mut cycle = self.cycle()?;
        let mut best = f64::INFINITY;
        let (mut stalled, mut dared) = (0, 0);
        while self.tried < MOST_PERIODS {
            let mut left = Matrix::identity(n);
            left.add_scaled(-1.0, &cycle.leaves);
            let mut right = Matrix::zeros(n, 1);
            (0..n).for_each(|k| right[(k, 0)] = cycle.end[k] - x[k]);
            let left = Ranked::new(&left);
            let step = left.solve(&right);
            // How far the periodic state is from here; states that are slow to move may be far away with little left over.
            let long = self.size(&step);
            if long <= CLOSED || (stalled > 2 && long <= NEARLY) {
                self.walker.machine.stand_at(&here);
                return Ok((cycle, long));
            }
            stalled = if long < 0.5 * best { 0 } else { stalled + 1 };
            best = best.min(long);
            self.steps += 1;
            let mut share = 1.0;
            let found = loop {
                if share < SHORTEST {
                    break None;
                }
                let next: Vec<f64> = (0..n).map(|k| x[k] + share * step[(k, 0)]).collect();
                self.walker.machine.stand_at(&here);
                let tried = self.walker.machine.move_to(&next).and_then(|()| {
                    let stand = self.walker.machine.stand();
                    self.cycle().map(|cycle| (stand, cycle))
                });
                if matches!(tried, Err(SwitchedError::Stopped)) {
                    return Err(SwitchedError::Stopped);
                }
                if let Ok((stand, cycle)) = tried {
                    // The step the old derivative would take next: it tells how far the goal still is, whatever the units and
                    // however slow some states are (natural monotonicity; P. Deuflhard, *Newton Methods for Nonlinear
                    // Problems*, 2004, chapter 3).
                    (0..n).for_each(|k| right[(k, 0)] = cycle.end[k] - stand.z[k]);
                    let next = self.size(&left.solve(&right));
                    if next < long * (1.0 - 0.25 * share) || next <= CLOSED {
                        dared = 0;
                        break Some((stand, cycle));
                    }
                    // A full step into another order of events often leads on although it looks worse at first.
                    if share == 1.0 && dared < DARES && next < TOO_LONG * long {
                        dared += 1;
                        break Some((stand, cycle));
                    }
                }
                share *= 0.5;
            };
            match found {
                Some((stand, next)) => (here, cycle) = (stand, next),
                None => {
                    self.walker.machine.stand_at(&here);
                    self.forward(FORWARD)?;
                    here = self.walker.machine.stand();
                    cycle = self.cycle()?;
                }
            }
            x = here.z[..n].to_vec();
        }
        Err(SwitchedError::NotSettling { periods: self.tried, residual: best })
    }
}
