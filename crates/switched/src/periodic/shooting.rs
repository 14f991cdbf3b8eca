//! Shooting for a periodic state: Newton's method on the map from one period's beginning to the next, whose derivative is
//! the exact product of propagators, entries and the shifts of events in time (saltation matrices; M. A. Aizerman & F. R.
//! Gantmakher, *On the stability of periodic motions*, J. Appl. Math. Mech. 22, 1958, from memory).

use crate::error::SwitchedError;
use crate::periodic::monodromy::Differences;
use crate::periodic::period::Round;
use crate::stepping::machine::Stand;
use crate::stepping::walker::Walker;
use linear::{Matrix, to_periodic};
use recording::{Command, Health, Observer, Progress};

/// Cycles run forward before a search from rest begins, and when one is lost.
pub(crate) const FORWARD: usize = 4;
/// Cycles run forward at most.
const MOST_FORWARD: usize = 64;
/// Periods tried of the map at most.
const MOST_PERIODS: u32 = 2000;
/// Distance from the periodic state that counts as none, relative to the largest each state has been.
const CLOSED: f64 = 1e-11;
/// Distance at which one more step is not worth its period.
const EXACT: f64 = 1e-14;
/// Distance that is good enough where rounding allows no better.
const NEARLY: f64 = 1e-8;
/// Part of the largest a state has ever been that is of no interest, such as of an error that has been corrected.
const FLOOR: f64 = 1e-3;
/// Shortest step of the search before cycles are run forward instead.
const SHORTEST: f64 = 0.1;
/// Full steps in a row that are taken although they look worse, and how much worse they may look.
const DARES: u32 = 3;
const TOO_LONG: f64 = 10.0;
/// Distance at which a search cannot have strayed.
const NEAR: f64 = 1e-3;
/// Periods run on in a row until what controls keep comes round.
const APART: u32 = 6;
/// How closely a period must do what the derivative says for a leap, relative to what a period changes, and the shortest leap.
const AS_SAID: f64 = 0.1;
const LEAST_LEAP: f64 = 1e-3;
/// Steps in a row that do not halve the distance after which a search is lost the first time; then one more each time.
const LOST: u32 = 1;
/// What a period changes of a difference below this is nothing: the difference stays, whatever its size.
const STAYS: f64 = 1e-12;

pub(crate) struct Search<'a> {
    pub(crate) walker: Walker,
    observer: &'a mut dyn Observer,
    health: Health,
    round: Round,
    /// Periods walked, and steps of Newton's method.
    pub(crate) tried: u32,
    pub(crate) steps: u32,
    /// Largest each state has been since the search began.
    ever: Vec<f64>,
}

/// A periodic state.
pub(crate) struct Found {
    /// What a period makes of small differences at its beginning.
    pub(crate) leaves: Matrix,
    /// Distance that is left, relative.
    pub(crate) residual: f64,
    /// Length, s.
    pub(crate) period: f64,
}

/// A period.
struct Cycle {
    /// How long it lasts, s.
    length: f64,
    begins: Stand,
    ends: Stand,
    /// Whether what controls decided and keep is at the end what it was at the beginning, such as a latch's.
    repeats: bool,
    /// What it changes of each state.
    change: Vec<f64>,
    /// `∂end/∂beginning` of the states.
    leaves: Matrix,
    /// Sizes of the states: the largest each has been in it, but no less than a small part of the largest ever.
    scale: Vec<f64>,
}

impl Cycle {
    /// Size of a difference of states, relative to the largest each has been.
    fn size(&self, difference: &[f64]) -> f64 {
        difference.iter().zip(&self.scale).map(|(d, scale)| d.abs() / scale).fold(0.0, f64::max)
    }

    /// States a share of a difference further.
    fn beyond(&self, share: f64, difference: &[f64]) -> Vec<f64> {
        self.begins.z.iter().zip(difference).map(|(z, d)| z + share * d).collect()
    }
}

/// Where Newton's method points from a cycle: `(1 − ∂end/∂beginning)⁻¹`, without the directions in which a difference stays as it
/// is, such as an amplifier's own state at its limit: there the derivative says nothing.
struct Newton<'a> {
    of: &'a Cycle,
    inverse: Matrix,
}

impl<'a> Newton<'a> {
    fn new(of: &'a Cycle) -> Self {
        let inverse = to_periodic(&of.scale, |r, c| of.leaves[(r, c)], STAYS);
        Newton { of, inverse }
    }

    /// The step that would undo what a period changes.
    fn step(&self, change: &[f64]) -> Vec<f64> {
        let mut step = vec![0.0; change.len()];
        self.inverse.apply(change, &mut step);
        step
    }

    /// How far the periodic state is from where a period changes so much. States that are slow to move may be far away with
    /// little left over; where the derivative says nothing what is left over must vanish too.
    fn distance(&self, change: &[f64]) -> f64 {
        self.of.size(&self.step(change)).max(self.of.size(change))
    }
}

impl<'a> Search<'a> {
    /// A search from where a walker stands, at a time from the first period on.
    pub(crate) fn new(walker: Walker, observer: &'a mut dyn Observer, round: Round) -> Self {
        Search { walker, observer, health: Health::default(), round, tried: 0, steps: 0, ever: Vec::new() }
    }

    /// Runs so many periods from where it stands.
    fn forward(&mut self, periods: usize) -> Result<(), SwitchedError> {
        for _ in 0..periods {
            self.round.walk(&mut self.walker, &mut Differences(Vec::new()))?;
            self.walked()?;
        }
        Ok(())
    }

    /// Counts a period, sets the time back by it, and asks whether to go on.
    fn walked(&mut self) -> Result<(), SwitchedError> {
        self.tried += 1;
        self.round.back(&mut self.walker.machine);
        let progress = Progress { time: 0.0, end: f64::INFINITY, health: &self.health };
        if self.observer.progress(&progress) == Command::Stop { Err(SwitchedError::Stopped) } else { Ok(()) }
    }

    /// One period from where it stands; it then stands at the end, its time set back.
    fn cycle(&mut self) -> Result<Cycle, SwitchedError> {
        let begins = self.walker.machine.stand();
        let decided = self.walker.machine.decided();
        let n = self.walker.machine.network.states.len();
        let mut differences = Differences::of_states(&self.walker.machine);
        self.walker.machine.rescale();
        let length = self.round.walk(&mut self.walker, &mut differences)?;
        self.walked()?;
        let leaves = differences.leaves(n);
        let machine = &self.walker.machine;
        let change = machine.z[..n].iter().zip(&begins.z).map(|(end, begin)| end - begin).collect();
        self.ever.resize(n, 0.0);
        let sizes = self.ever.iter_mut().zip(&machine.scale).map(|(ever, now)| {
            *ever = ever.max(*now);
            now.max(FLOOR * *ever)
        });
        let scale = sizes.map(|size| if size > 0.0 { size } else { 1.0 }).collect();
        let repeats = machine.decided() == decided;
        Ok(Cycle { length, begins, ends: machine.stand(), repeats, change, leaves, scale })
    }

    /// A period that begins where another did, but with other states; none where there is none.
    fn from(&mut self, stand: &Stand, states: &[f64]) -> Result<Option<Cycle>, SwitchedError> {
        self.walker.stand_at(stand);
        let n = self.walker.machine.network.states.len();
        match self.walker.move_to(&states[..n]).and_then(|()| self.cycle()) {
            Ok(cycle) => Ok(Some(cycle)),
            Err(SwitchedError::Stopped) => Err(SwitchedError::Stopped),
            Err(_) => Ok(None),
        }
    }

    /// Newton's method after so many cycles, shortened where it would lead away, and cycles run forward where that does not help; it
    /// ends standing at the beginning of the period found.
    pub(crate) fn run(&mut self, forward: usize) -> Result<Found, SwitchedError> {
        self.forward(forward)?;
        let mut cycle = self.cycle()?;
        // Where the circuit itself has led.
        let mut honest = cycle.begins.clone();
        let (mut best, mut stalled, mut dares, mut patience, mut forward) = (f64::INFINITY, 0, DARES, LOST, FORWARD);
        let (mut apart, mut nearest) = (0, f64::INFINITY);
        while self.tried < MOST_PERIODS {
            if !cycle.repeats && apart < APART {
                // The derivative knows nothing of what is kept: the circuit itself has to lead there.
                apart += 1;
                self.walker.stand_at(&cycle.ends);
                cycle = self.cycle()?;
                continue;
            }
            apart = 0;
            let newton = Newton::new(&cycle);
            let mut long = newton.distance(&cycle.change);
            if !cycle.repeats {
                long = long.max(1.0);
            }
            if long <= CLOSED || (stalled > 2 && long <= NEARLY) {
                let nearer = self.nearer(&newton, long)?;
                let (cycle, long) = nearer.unwrap_or((cycle, long));
                self.walker.stand_at(&cycle.begins);
                return Ok(Found { leaves: cycle.leaves, residual: long, period: cycle.length });
            }
            stalled = if long < 0.5 * best { 0 } else { stalled + 1 };
            best = best.min(long);
            nearest = best.min(nearest);
            self.steps += 1;
            let next = if stalled > patience { None } else { self.step(&newton, long, &mut dares)? };
            if let Some(next) = next {
                cycle = next;
                continue;
            }
            // On from where the search stands, if that is near, or else from where the circuit itself has led.
            patience += 1;
            if long <= NEAR {
                self.walker.stand_at(&cycle.begins);
                self.forward(FORWARD)?;
                cycle = self.cycle()?;
            } else {
                self.walker.stand_at(&honest);
                let passed = self.leap()?;
                forward = if passed > (2 * FORWARD) as f64 { FORWARD } else { (2 * forward).min(MOST_FORWARD) };
                self.forward(forward)?;
                cycle = self.cycle()?;
                honest = cycle.begins.clone();
                (stalled, best) = (0, f64::INFINITY);
            }
        }
        Err(SwitchedError::NotSettling { periods: self.tried, residual: nearest })
    }

    /// One more step where there is room for one: what a large capacitor gains in a period is a small part of what it holds, and a
    /// larger one of what flows.
    fn nearer(&mut self, newton: &Newton<'_>, long: f64) -> Result<Option<(Cycle, f64)>, SwitchedError> {
        if long <= EXACT {
            return Ok(None);
        }
        let step = newton.step(&newton.of.change);
        let found = self.from(&newton.of.begins, &newton.of.beyond(1.0, &step))?;
        let found = found.filter(|cycle| cycle.repeats).map(|cycle| {
            let long = newton.distance(&cycle.change);
            (cycle, long)
        });
        Ok(found.filter(|(_, nearer)| *nearer < long))
    }

    /// The cycle at the end of a step, if there is one that leads nearer. How near is told by the step the old derivative would
    /// take next, whatever the units and however slow some states are (natural monotonicity; P. Deuflhard, *Newton Methods for
    /// Nonlinear Problems*, 2004, chapter 3).
    fn step(&mut self, newton: &Newton<'_>, long: f64, dares: &mut u32) -> Result<Option<Cycle>, SwitchedError> {
        let step = newton.step(&newton.of.change);
        let mut share = 1.0;
        while share >= SHORTEST {
            if let Some(cycle) = self.from(&newton.of.begins, &newton.of.beyond(share, &step))? {
                let next = newton.distance(&cycle.change);
                // What controls keep is another matter; it comes round when the circuit has run on.
                if !cycle.repeats && next < TOO_LONG * long {
                    return Ok(Some(cycle));
                }
                if next < long * (1.0 - 0.25 * share) || next <= CLOSED {
                    *dares = DARES;
                    return Ok(Some(cycle));
                }
                // A full step into another order of events often leads on although it looks worse at first.
                if share == 1.0 && *dares > 0 && next < TOO_LONG * long {
                    *dares -= 1;
                    return Ok(Some(cycle));
                }
            }
            share *= 0.5;
        }
        Ok(None)
    }

    /// Goes as far towards where Newton's method points as the circuit does there what the derivative says, which is past many
    /// periods in which the same happens again and again, such as those of a filter that is charged while an amplifier is at its
    /// limit; about how many it has passed.
    fn leap(&mut self) -> Result<f64, SwitchedError> {
        let cycle = self.cycle()?;
        let newton = Newton::new(&cycle);
        let step = newton.step(&cycle.change);
        let mut along = vec![0.0; step.len()];
        cycle.leaves.apply(&step, &mut along);
        let mut share = 1.0;
        while share > LEAST_LEAP {
            if let Some(there) = self.from(&cycle.begins, &cycle.beyond(share, &step))? {
                let said = step
                    .iter()
                    .zip(&along)
                    .zip(&cycle.change)
                    .map(|((step, along), change)| change + share * (along - step));
                let off: Vec<f64> = said.zip(&there.change).map(|(said, is)| is - said).collect();
                if cycle.size(&off) <= AS_SAID * share * cycle.size(&cycle.change) {
                    self.walker.stand_at(&there.begins);
                    return Ok(share * cycle.size(&step) / cycle.size(&cycle.change));
                }
            }
            share *= 0.5;
        }
        self.walker.stand_at(&cycle.begins);
        Ok(0.0)
    }
}
