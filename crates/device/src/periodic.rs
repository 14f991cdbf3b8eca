//! The periodic steady state by shooting: Newton's method on the map from one period's beginning to the next, in charges and
//! fluxes (T. J. Aprille & T. N. Trick, *Steady-state analysis of nonlinear circuits with periodic inputs*, Proc. IEEE 60, 1972).

use crate::transient::{Accuracy, Ended, Holdings, Sensitivities, Settings, Stand, Start, Transient};
use crate::{EngineError, Equations};
use circuit::{Circuit, ResolvedPart, common_period, quiet_time};
use linear::{Matrix, eigenvalues, to_periodic, untold};
use nalgebra::{DMatrix, DVector};
use recording::{Chunk, Command, Complex64, Conduction, Health, Observer, Progress};

/// Periods run forward before the search begins, and where it does not lead on.
const FORWARD: u32 = 1;
/// Periods at most.
const MOST_PERIODS: u32 = 300;
/// Distance from the periodic state that counts as none, and one that is good enough where the search no longer comes nearer,
/// relative to the tolerance.
const CLOSED: f64 = 0.1;
const NEARLY: f64 = 0.3;
/// Tolerance of the search in units of the one wanted: a slow state is found no closer than what steps leave of a period, divided
/// by the part of it that a period brings back.
const TIGHTER: f64 = 0.1;
/// Distance at which that is worth its time.
const NEAR: f64 = 0.05;
/// Steps in a row that do not halve the distance after which it is taken for what the tolerance allows.
const STALLED: u32 = 3;
/// Shortest step of the search before periods are run forward instead.
const SHORTEST: f64 = 0.25;
/// What a period changes of a difference below this is nothing: the difference stays, whatever its size.
const STAYS: f64 = 1e-9;

/// A circuit in its periodic steady state.
pub struct Settled {
    begins: Stand,
    /// Period, s.
    pub period: f64,
    /// Steps of Newton's method it took.
    pub iterations: u32,
    /// Periods simulated in all.
    pub periods: u32,
    /// How far the state still is from the periodic one, relative to full scale.
    pub residual: f64,
    /// What a period leaves of small disturbances, largest first (Floquet multipliers).
    pub multipliers: Vec<Complex64>,
    /// Conduction of each part with windings.
    pub windings: Vec<Conduction>,
}

impl Settled {
    /// Finds it. What happens once, such as the step of a load, does not happen. The observer is asked whether to go on; nothing
    /// is recorded.
    ///
    /// # Errors
    /// [`EngineError::NotPeriodic`] if nothing repeats or periods have no common multiple; [`EngineError::NotSettling`] if none
    /// is found; [`EngineError::Stopped`]; and what can go wrong in a transient.
    pub fn find(
        circuit: &Circuit,
        settings: &Settings,
        observer: &mut dyn Observer,
        health: &mut Health,
    ) -> Result<Self, EngineError> {
        Self::from(circuit, settings, Start::Rest, observer, health)
    }

    /// The same, looked for from where a transient starts.
    ///
    /// # Errors
    /// As [`Settled::find`].
    pub fn from(
        circuit: &Circuit,
        settings: &Settings,
        start: Start,
        observer: &mut dyn Observer,
        health: &mut Health,
    ) -> Result<Self, EngineError> {
        let equations = Equations::new(&circuit.without_what_happens_once());
        let period = period(circuit, &equations)?;
        let rows = (1..=equations.n).filter(|row| equations.dynamic[*row]).collect();
        let max_step = settings.max_step.min(period);
        let wanted = settings.tolerance;
        let settings = Settings { max_step, start, record_from: f64::INFINITY, ..settings.clone() };
        let (equations, tried, steps) = (&equations, 0, 0);
        let mut search = Search { equations, settings, wanted, period, rows, observer, health, tried, steps };
        let from = circuit.parts.iter().filter_map(ResolvedPart::repeats_from).fold(0.0, f64::max);
        let (cycle, residual) = search.run(quiet(equations, from, period))?;
        let begins = search.origin(&cycle, from)?;
        let (iterations, periods) = (search.steps, search.tried);
        let multipliers = eigenvalues(cycle.leaves.nrows(), |r, c| cycle.leaves[(r, c)]).unwrap_or_else(untold);
        let windings = search.conduction(Holdings::new(circuit), &begins)?;
        Ok(Settled { begins, period, iterations, periods, residual, multipliers, windings })
    }

    /// Time from which on it is settled, s: when everything that repeats has begun.
    pub fn begins(&self) -> f64 {
        self.begins.t
    }

    /// A transient that begins in the settled state; what happens once happens now. The equations are those of the circuit.
    pub fn go_on<'a>(&self, equations: &'a Equations, settings: &Settings, health: &mut Health) -> Transient<'a> {
        Transient::begin_at(equations, settings, &self.begins, health)
    }
}

/// The shortest time in which everything that repeats comes round, s.
fn period(circuit: &Circuit, equations: &Equations) -> Result<f64, EngineError> {
    let clocks = equations.models.iter().filter_map(|model| model.period());
    let periods: Vec<f64> = circuit.parts.iter().filter_map(ResolvedPart::period).chain(clocks).collect();
    let found = common_period(&periods).map_err(|why| format!("{why}; give them periods that fit, or run a switch-on"));
    let found = found.and_then(|period| {
        period.ok_or_else(|| "nothing in the circuit repeats; what it settles to is its operating point".to_owned())
    });
    found.map_err(|why| EngineError::NotPeriodic { why })
}

/// A time at which nothing is known to happen in a period that begins at a time, s.
fn quiet(equations: &Equations, from: f64, period: f64) -> f64 {
    quiet_time(|t| equations.next_corner(t), from, period)
}

/// A period.
struct Cycle {
    begins: Stand,
    ends: Stand,
    /// What it changes of each charge and flux.
    change: DVector<f64>,
    /// `∂end/∂beginning` of these.
    leaves: DMatrix<f64>,
    /// What a charge or flux makes of the unknowns where it begins.
    reaches: Vec<Vec<f64>>,
    accuracy: Accuracy,
}

impl Cycle {
    /// Size of a difference in charges and fluxes: the largest it makes of any unknown that is looked at, relative to its full
    /// scale.
    fn size(&self, difference: &DVector<f64>) -> f64 {
        let mut unknowns = vec![0.0; self.begins.x.len()];
        for (reach, size) in self.reaches.iter().zip(difference.iter()) {
            unknowns.iter_mut().zip(reach).for_each(|(sum, reach)| *sum += size * reach);
        }
        self.accuracy.of_step(&unknowns)
    }
}

/// Where Newton's method points from a cycle, without the directions in which a difference stays as it is.
struct Newton<'a> {
    of: &'a Cycle,
    inverse: Matrix,
}

impl<'a> Newton<'a> {
    fn new(of: &'a Cycle) -> Self {
        let n = of.change.len();
        // Each in units that make as much of the unknowns.
        let reach = |k: usize| of.accuracy.of_step(&of.reaches[k]);
        let sizes: Vec<f64> = (0..n).map(reach).map(|reach| if reach > 0.0 { 1.0 / reach } else { 1.0 }).collect();
        let inverse = to_periodic(&sizes, |r, c| of.leaves[(r, c)], STAYS);
        Newton { of, inverse }
    }

    /// The step that would undo what a period changes.
    fn step(&self, change: &DVector<f64>) -> DVector<f64> {
        let mut step = DVector::zeros(change.len());
        self.inverse.apply(change.as_slice(), step.as_mut_slice());
        step
    }

    /// How far the periodic state is from where a period changes so much.
    fn distance(&self, change: &DVector<f64>) -> f64 {
        self.of.size(&self.step(change)).max(self.of.size(change))
    }
}

struct Search<'a> {
    equations: &'a Equations,
    settings: Settings,
    /// What is wanted, relative to full scale.
    wanted: f64,
    period: f64,
    /// Rows with charges or fluxes.
    rows: Vec<usize>,
    observer: &'a mut dyn Observer,
    health: &'a mut Health,
    tried: u32,
    steps: u32,
}

/// Passes on whether to go on, and nothing else.
struct Asked<'a>(&'a mut dyn Observer);

impl Observer for Asked<'_> {
    fn progress(&mut self, progress: &Progress<'_>) -> Command {
        self.0.progress(&Progress { time: 0.0, end: f64::INFINITY, health: progress.health })
    }
    fn record(&mut self, _chunk: Chunk) {}
}

impl Search<'_> {
    fn advance(&mut self, transient: &mut Transient<'_>) -> Result<(), EngineError> {
        match transient.advance(&mut Asked(&mut *self.observer), self.health)? {
            Ended::Done => Ok(()),
            Ended::Stopped => Err(EngineError::Stopped),
        }
    }

    /// One period from where it begins, with what becomes of differences in these rows.
    fn period(&mut self, begins: &Stand, rows: &[usize]) -> Result<(Stand, Sensitivities), EngineError> {
        let settings = Settings { end: begins.t + self.period, ..self.settings.clone() };
        let mut transient = Transient::begin_at(self.equations, &settings, begins, self.health);
        transient.differences = Some(Sensitivities::new(self.equations, rows));
        self.tried += 1;
        self.advance(&mut transient)?;
        let differences = transient.differences.take().unwrap_or_else(|| Sensitivities::new(self.equations, &[]));
        if let Some(unknown) = differences.singular {
            return Err(EngineError::Singular { unknown: self.equations.name(unknown) });
        }
        let mut ends = transient.stand();
        ends.back(self.equations, self.period);
        ends.t = begins.t;
        // What everything has been in this period alone, not while the supply came up.
        ends.scales.clone_from(&differences.largest);
        ends.scales[0] = begins.scales[0];
        Ok((ends, differences))
    }

    /// How windings carry their currents over a period from where it begins.
    fn conduction(&mut self, holdings: Holdings, begins: &Stand) -> Result<Vec<Conduction>, EngineError> {
        if holdings.are_none() {
            return Ok(Vec::new());
        }
        let settings = Settings { end: begins.t + self.period, ..self.settings.clone() };
        let mut transient = Transient::begin_at(self.equations, &settings, begins, self.health);
        transient.holdings = Some(holdings);
        self.advance(&mut transient)?;
        Ok(transient.holdings.map_or_else(Vec::new, |holdings| holdings.conduction(self.equations)))
    }

    /// Where the settled circuit stands once everything that repeats has begun, s.
    fn origin(&mut self, cycle: &Cycle, from: f64) -> Result<Stand, EngineError> {
        let settings = Settings { end: from + self.period, ..self.settings.clone() };
        let mut transient = Transient::begin_at(self.equations, &settings, &cycle.begins, self.health);
        self.advance(&mut transient)?;
        let mut origin = transient.stand();
        origin.back(self.equations, self.period);
        origin.t = from;
        origin.scales.clone_from(&cycle.ends.scales);
        Ok(origin)
    }

    /// Where it has come to after so many periods.
    fn forward(&mut self, mut at: Stand, periods: u32) -> Result<Stand, EngineError> {
        for _ in 0..periods {
            at = self.period(&at, &[])?.0;
        }
        Ok(at)
    }

    fn cycle(&mut self, begins: Stand) -> Result<Cycle, EngineError> {
        let rows = self.rows.clone();
        let (ends, differences) = self.period(&begins, &rows)?;
        let change = DVector::from_iterator(rows.len(), rows.iter().map(|row| ends.q[*row] - begins.q[*row]));
        let leaves = DMatrix::from_fn(rows.len(), rows.len(), |r, c| differences.charges(c)[rows[r]]);
        let accuracy = Accuracy::relative(self.equations, &ends.scales);
        Ok(Cycle { begins, ends, change, leaves, reaches: differences.reaches, accuracy })
    }

    /// Newton's method, shortened where it would lead away, and periods run forward where that does not help: how near is told
    /// by the step the old derivative would take next (P. Deuflhard, *Newton Methods for Nonlinear Problems*, 2004, chapter 3).
    fn run(&mut self, section: f64) -> Result<(Cycle, f64), EngineError> {
        let settings = Settings { end: section, ..self.settings.clone() };
        let mut transient = Transient::new(self.equations, &settings, self.health)?;
        self.advance(&mut transient)?;
        let at = self.forward(transient.stand(), FORWARD)?;
        let mut cycle = self.cycle(at)?;
        let (mut best, mut stalled) = (f64::INFINITY, 0);
        while self.tried < MOST_PERIODS {
            let newton = Newton::new(&cycle);
            let long = newton.distance(&cycle.change);
            stalled = if long < 0.5 * best { 0 } else { stalled + 1 };
            best = best.min(long);
            if long <= NEAR && self.settings.tolerance == self.wanted {
                self.settings.tolerance = TIGHTER * self.wanted;
                let begins = Stand { scales: cycle.ends.scales.clone(), ..cycle.begins };
                cycle = self.cycle(begins)?;
                (best, stalled) = (f64::INFINITY, 0);
                continue;
            }
            let close = if stalled > STALLED { NEARLY } else { CLOSED };
            if long <= close * self.wanted {
                return Ok((cycle, long));
            }
            self.steps += 1;
            cycle = match self.step(&newton, long)? {
                Step::To(next) => *next,
                Step::Astray => {
                    let change = cycle.size(&cycle.change);
                    return Ok((cycle, change));
                }
                Step::Nowhere => {
                    let at = self.forward(cycle.ends, FORWARD)?;
                    self.cycle(at)?
                }
            };
        }
        Err(EngineError::NotSettling { periods: self.tried, residual: best })
    }

    fn step(&mut self, newton: &Newton<'_>, long: f64) -> Result<Step, EngineError> {
        let from = newton.of;
        let goal = CLOSED * self.wanted;
        let step = newton.step(&from.change);
        let mut share = 1.0;
        while share >= SHORTEST {
            let mut begins = from.begins.clone();
            begins.scales.clone_from(&from.ends.scales);
            self.rows.iter().zip(step.iter()).for_each(|(row, step)| begins.q[*row] += share * step);
            match self.cycle(begins) {
                Ok(next) if from.size(&from.change) <= goal && from.size(&next.change) > goal => {
                    return Ok(Step::Astray);
                }
                Ok(next) if newton.distance(&next.change) < long * (1.0 - 0.25 * share) => {
                    return Ok(Step::To(Box::new(next)));
                }
                Err(EngineError::Stopped) => return Err(EngineError::Stopped),
                // What cannot be simulated is too far away.
                Ok(_) | Err(_) => share *= 0.5,
            }
        }
        Ok(Step::Nowhere)
    }
}

/// Where a step of Newton's method leads.
enum Step {
    /// Nearer.
    To(Box<Cycle>),
    /// Away from a period that repeats already, along a difference that stays all but as it is: a flux that nothing brings back.
    Astray,
    /// No nearer.
    Nowhere,
}
