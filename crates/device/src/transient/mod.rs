//! The course of everything in time, by TR-BDF2 with a controlled step.
//!
//! One step of length h from `(t, x)`, with γ = 2 − √2 and d = γ/2:
//!
//! 1. trapezoidal rule to `t + γh`: `q_γ − q = −d·h·(f + f_γ)`;
//! 2. second-order backward differences to `t + h`: `q₁ = a·q_γ − b·q − d·h·f₁` with
//!    `a = 1/(γ(2 − γ))`, `b = (1 − γ)²/(γ(2 − γ))`;
//! 3. the estimated error of these two is taken off the end, filtered so that the whole is
//!    L-stable, and of third order.
//!
//! Rows without charge or flux are solved as `f = 0` in both, so constraints hold at every
//! node. All three share the matrix `∂q/∂x/(d·h) + ∂f/∂x`. Before the first step, and wherever
//! nothing is known about derivatives, a backward Euler step of negligible length finds values
//! consistent with the charges.
//!
//! The local error is estimated from divided differences of f (third order), passed through the
//! inverse of the matrix so that stiff parts do not inflate it, and held against the full scale
//! of each net voltage and winding current. Beside it the third divided difference of each net voltage
//! bounds what its quadratic leaves out between the nodes, which matters where a voltage follows
//! a source without any state in between.
//!
//! Bank et al., *Transient simulation of silicon devices and circuits*, IEEE Trans. CAS 32,
//! 1985; Hosea & Shampine, *Analysis and implementation of TR-BDF2*, Appl. Numer. Math. 20, 1996.
//! The third stage is our own: its stability function stays below one in the whole left half-plane
//! and vanishes at infinity.

mod accuracy;
mod conduction;
mod kept;
mod recorder;
mod sensitivities;
mod stand;
mod step;

use crate::EngineError;
use crate::contract::Point;
use crate::equations::Equations;
use crate::operating_point::operating_point;
pub(crate) use accuracy::Accuracy;
pub(crate) use conduction::Holdings;
pub use kept::Kept;
use recorder::Recorder;
use recording::{Command, Observer, Progress};
use recording::{EnergyBalance, Health};
pub(crate) use sensitivities::Sensitivities;
pub(crate) use stand::Stand;
use step::{Failure, Stepper};

/// What a transient shall cover and how accurately.
#[derive(Clone, Debug, PartialEq)]
pub struct Settings {
    /// End of the simulated time, s.
    pub end: f64,
    /// Time from which nodes are recorded, s.
    pub record_from: f64,
    /// Longest step, s.
    pub max_step: f64,
    /// Shortest step, s; 0 for what the resolution of time allows. Where a shorter one were needed
    /// the run stops.
    pub min_step: f64,
    /// Where it starts from.
    pub start: Start,
    /// Accuracy aimed at, relative to full scale, over some tens of periods or time constants.
    pub tolerance: f64,
}

/// Where a transient starts from.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq)]
pub enum Start {
    /// Charges and fluxes as the parts' initial conditions say: switch-on.
    #[default]
    Rest,
    /// The operating point.
    OperatingPoint,
}

/// How a transient ended.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Ended {
    /// At its end.
    Done,
    /// Because the observer said so.
    Stopped,
}

/// Simulates from the start the settings say to the end.
///
/// # Errors
/// [`EngineError::Singular`] if something is undetermined, [`EngineError::Stuck`] if even the
/// shortest step cannot be solved, [`EngineError::Chatter`] if switches trip without end.
/// Everything recorded until then has been handed to the observer.
pub fn transient(
    equations: &Equations,
    settings: &Settings,
    observer: &mut dyn Observer,
    health: &mut Health,
) -> Result<Ended, EngineError> {
    Transient::new(equations, settings, health)?.advance(observer, health)
}

/// Length of the step that finds first values, relative to the whole run.
const FIRST_INSTANT: f64 = 1e-13;
/// Shortest step in units of the rounding of the time.
const SHORTEST: f64 = 32.0;

/// Energy that may be missing in a step, relative to all turned over and the tolerance.
const ENERGY: f64 = 0.015;
/// Times in a row a step is shortened for its energy.
const PATIENCE: u32 = 4;
/// Lengths of a leap over what cannot be resolved, in units of the shortest step.
const LEAPS: [f64; 5] = [1e3, 1e4, 1e5, 1e6, 1e7];

/// Leaps in a row after which there is no getting on.
const MOST_LEAPS: u32 = 100;

/// Error of rounding, as a part of the allowed one, that counts: steps short enough for it are leapt over.
const NOISE: f64 = 0.05;
/// Steps shorter than this part of the longest are looked at for it, if their error is above that.
const DROWNING: f64 = 1e-6;
const STRAINED: f64 = 0.3;

/// Attempts after which a run must have covered this part of its time, or it counts as crawling.
const WATCH: u64 = 10_000;
const HEADWAY: f64 = 1e-7;

/// How closely the time of a trip is found, s and relative to the time.
const TRIP: (f64, f64) = (1e-12, 1e-9);
/// Trips of a device at one instant from which on they count as endless.
const MOST_TRIPS: usize = 32;

/// A transient under way, which can be taken up again where it stopped.
///
/// If it stops on an error or because its observer says so, nothing it has reached is lost: what it takes to go on is
/// [`kept`](Self::kept), and [`resume`](Self::resume) goes on from there, with another tolerance or to another end.
pub struct Transient<'a> {
    stepper: Stepper<'a>,
    recorder: Recorder<'a>,
    settings: Settings,
    pace: Pace,
    /// The next corner of a source or switch, s.
    corner: f64,
    stored_first: f64,
    /// Leaps since the last step of ordinary kind.
    leaps_in_a_row: u32,
    /// What becomes of small differences, where that is asked for.
    pub(crate) differences: Option<Sensitivities>,
    /// What parts with windings hold, likewise.
    pub(crate) holdings: Option<Holdings>,
}

impl<'a> Transient<'a> {
    /// Finds the values a transient starts from.
    ///
    /// # Errors
    /// As [`transient()`].
    pub fn new(equations: &'a Equations, settings: &Settings, health: &mut Health) -> Result<Self, EngineError> {
        health.unknowns = equations.n as u64;
        health.shortest_step = f64::INFINITY;
        let mut stepper = Stepper::new(equations, settings.tolerance);
        let mut recorder = Recorder::new(equations, settings.record_from);
        if settings.start == Start::OperatingPoint {
            let point = operating_point(equations)?;
            let tried = &point.methods[..point.methods.len().saturating_sub(1)];
            health.fallbacks = tried.iter().map(ToString::to_string).collect();
            stepper.start_from(&point.unknowns);
        }
        stepper.make_consistent(FIRST_INSTANT * settings.end, health)?;
        for _ in 0..MOST_TRIPS * equations.trips() {
            if stepper.trip().is_none() {
                break;
            }
            stepper.begin_anew(FIRST_INSTANT * settings.end, health);
        }
        recorder.begin(&stepper.start);
        Ok(Transient {
            stored_first: recorder.stored,
            stepper,
            recorder,
            settings: settings.clone(),
            pace: Pace::new((1e-6 * settings.end).min(settings.max_step), settings.max_step),
            corner: equations.next_corner(0.0).unwrap_or(f64::INFINITY),
            leaps_in_a_row: 0,
            differences: None,
            holdings: None,
        })
    }

    /// A transient that begins where another stood, perhaps with other charges and fluxes.
    pub(crate) fn begin_at(equations: &'a Equations, settings: &Settings, at: &Stand, health: &mut Health) -> Self {
        health.unknowns = equations.n as u64;
        health.shortest_step = f64::INFINITY;
        let span = settings.end - at.t;
        let mut stepper = Stepper::new(equations, settings.tolerance);
        stepper.stand(at, FIRST_INSTANT * span, health);
        let mut recorder = Recorder::new(equations, settings.record_from);
        recorder.begin(&stepper.start);
        Transient {
            stored_first: recorder.stored,
            stepper,
            recorder,
            settings: settings.clone(),
            pace: Pace::new((1e-6 * span).min(settings.max_step), settings.max_step),
            corner: equations.next_corner(at.t).unwrap_or(f64::INFINITY),
            leaps_in_a_row: 0,
            differences: None,
            holdings: None,
        }
    }

    /// Where it stands.
    pub(crate) fn stand(&self) -> Stand {
        let node = &self.stepper.start;
        let scales = self.stepper.full_scales().to_vec();
        Stand { t: node.t, x: node.x.clone(), q: node.q.clone(), scales }
    }

    /// Simulated time reached, s.
    pub fn time(&self) -> f64 {
        self.stepper.start.t
    }

    /// Goes on to the end.
    ///
    /// # Errors
    /// As [`transient()`].
    pub fn advance(&mut self, observer: &mut dyn Observer, health: &mut Health) -> Result<Ended, EngineError> {
        let result = self.walk(observer, health);
        self.recorder.flush(observer);
        let Recorder { delivered, dissipated, stored, .. } = self.recorder;
        health.energy = EnergyBalance::new(delivered, dissipated, [self.stored_first, stored]);
        health.fill = self.stepper.fill() as u64;
        if !health.shortest_step.is_finite() {
            health.shortest_step = 0.0;
        }
        result
    }

    /// Steps to the end, choosing each length.
    fn walk(&mut self, observer: &mut dyn Observer, health: &mut Health) -> Result<Ended, EngineError> {
        let Settings { end, tolerance, min_step, .. } = self.settings;
        let equations = self.stepper.equations;
        let (mut attempts, mut since) = (0u64, self.time());
        loop {
            attempts += 1;
            if attempts % WATCH == 0 {
                if self.time() - since < HEADWAY * end {
                    return Err(self.stepper.crawling(WATCH));
                }
                since = self.time();
            }
            // Shorter steps than this would drown in the rounding of the time.
            let resolved = SHORTEST * f64::EPSILON * self.time().max(1e-9 * end);
            let shortest = resolved.max(min_step);
            if end - self.time() <= resolved {
                return Ok(Ended::Done);
            }
            // Never step over a corner, and do not leave a sliver before one.
            // Recording begins at a node.
            let records = Some(self.settings.record_from).filter(|from| *from - self.time() > resolved);
            let target = self.corner.min(end).min(records.unwrap_or(f64::INFINITY));
            self.trip(resolved, target, observer, health)?;
            let reached = self.time();
            let to_target = target - reached;
            let mut lands = self.pace.length >= to_target * (1.0 - 1e-9);
            let mut h = if lands { to_target } else { self.pace.length.min(0.5 * to_target) };
            let mut tried = self.stepper.step(h, health);
            if matches!(tried, Ok(error) if error <= 1.0) && self.stepper.trips() {
                (tried, h) = self.stepper.find_trip(h, TRIP.0 + TRIP.1 * reached, health);
                lands &= h == to_target;
            }
            let tried = tried.map(|error| {
                if error > 1.0 {
                    return error;
                }
                // A pulse of current that no controlled quantity shows is seen in the energy it brings.
                let missing = self.recorder.weigh(self.stepper.nodes());
                if self.pace.failures < PATIENCE { error.max(missing / (ENERGY * tolerance)) } else { error }
            });
            let strained = match &tried {
                Ok(error) => *error > STRAINED,
                Err(Failure::Unsettled) => true,
                // There are no factors to ask.
                Err(Failure::Singular(_)) => false,
            };
            match tried {
                Ok(error) if error <= 1.0 => {
                    if lands {
                        self.stepper.end.t = target;
                    }
                    if h < health.shortest_step {
                        (health.shortest_step, health.shortest_at) = (h, reached);
                    }
                    self.accept(false, observer, health);
                    self.pace.accepted(h, error);
                    self.leaps_in_a_row = 0;
                    if lands && target < end {
                        self.corner = equations.next_corner(target).unwrap_or(f64::INFINITY);
                        self.stepper.forget();
                        self.pace.restart(self.corner.min(end) - target);
                    }
                    let progress = Progress { time: self.time(), end, health };
                    if observer.progress(&progress) == Command::Stop {
                        return Ok(Ended::Stopped);
                    }
                }
                Ok(error) => {
                    health.rejected += 1;
                    self.pace.rejected(h, error);
                }
                Err(failure) => {
                    health.unsettled += 1;
                    self.pace.unsettled(h);
                    if let (Failure::Singular(unknown), true) = (&failure, self.pace.length < shortest) {
                        return Err(EngineError::Singular { unknown: equations.name(*unknown) });
                    }
                }
            }
            if self.pace.failures > 0 && self.pace.failures.is_multiple_of(FAILURES) {
                self.stepper.settle_start(1e-3 * self.pace.length, health);
            }
            // Nor shorter ones than those whose error is that of rounding.
            let drowned = if self.pace.length < DROWNING * self.settings.max_step && strained {
                h * self.stepper.noise(h) / NOISE
            } else {
                0.0
            };
            let shortest = shortest.max(drowned);
            if self.pace.length < shortest && end - self.time() > shortest {
                self.leaps_in_a_row += 1;
                let hopeless = min_step > resolved || self.leaps_in_a_row > MOST_LEAPS;
                if hopeless || !self.leap(resolved.max(0.01 * drowned), target, observer, health) {
                    return Err(self.stepper.stuck(self.pace.length));
                }
                health.leaps += 1;
            }
        }
    }

    /// Books the step just solved and makes its end the next start.
    fn accept(&mut self, leapt: bool, observer: &mut dyn Observer, health: &mut Health) {
        health.steps += 1;
        if let Some(differences) = &mut self.differences {
            differences.step(self.stepper.equations, self.stepper.nodes(), leapt);
        }
        if let Some(holdings) = &mut self.holdings {
            let [start, _, end] = self.stepper.nodes();
            holdings.step(self.stepper.equations, end.t - start.t, Point { x: &end.x, t: end.t });
        }
        self.recorder.step(self.stepper.nodes(), observer);
        self.stepper.accept();
    }

    /// Leaps over what time cannot resolve; false if that cannot be solved either.
    fn leap(&mut self, shortest: f64, target: f64, observer: &mut dyn Observer, health: &mut Health) -> bool {
        let room = 0.5 * (target - self.time());
        // Right before a corner what room there is must do.
        let lengths = LEAPS.map(|factor| factor * shortest).into_iter().filter(|length| *length < room).chain([room]);
        let Some(length) = lengths.into_iter().find(|length| self.stepper.leap(*length, health)) else {
            return false;
        };
        self.recorder.weigh(self.stepper.nodes());
        self.accept(true, observer, health);
        self.stepper.forget();
        self.pace = Pace::new(length, self.settings.max_step);
        true
    }

    /// Trips what has to trip at the start of the next step, and what trips because of that.
    fn trip(
        &mut self,
        resolved: f64,
        target: f64,
        observer: &mut dyn Observer,
        health: &mut Health,
    ) -> Result<(), EngineError> {
        let mut last = None;
        for _ in 0..=MOST_TRIPS * self.stepper.equations.trips() {
            let Some(tripped) = self.stepper.trip() else { return Ok(()) };
            health.trips += 1;
            last = Some(tripped);
            if !self.leap(resolved, target, observer, health) {
                return Err(self.stepper.stuck(resolved));
            }
        }
        let part = last.map(|model| self.stepper.equations.part(model)).unwrap_or_default();
        Err(EngineError::Chatter { time: self.time(), part })
    }
}

/// Chooses step lengths from estimated errors: PI control (Gustafsson, ACM TOMS 1991).
struct Pace {
    /// Length of the next step, s.
    length: f64,
    max_step: f64,
    error_before: f64,
    /// Steps failed since the last accepted one.
    failures: u32,
}

/// After so many failures in a row the start of the step is looked at again.
const FAILURES: u32 = 8;

/// Error aimed at, as a part of the allowed one.
const AIM: f64 = 0.7;

impl Pace {
    fn new(length: f64, max_step: f64) -> Self {
        Pace { length, max_step, error_before: 1.0, failures: 0 }
    }

    fn accepted(&mut self, h: f64, error: f64) {
        let error = error.max(1e-4);
        let factor = ((AIM / error).powf(0.7 / 3.0) * (self.error_before / AIM).powf(0.4 / 3.0)).clamp(0.2, 4.0);
        // No growth right after a rejection.
        self.length = (h * if self.failures > 0 { factor.min(1.0) } else { factor }).min(self.max_step);
        self.error_before = error;
        self.failures = 0;
    }

    /// Starts anew behind a corner, with so much time before the next.
    fn restart(&mut self, left: f64) {
        self.error_before = 1.0;
        self.length = self.length.min(0.1 * left);
    }

    fn rejected(&mut self, h: f64, error: f64) {
        self.failures += 1;
        self.length = h * (0.9 * error.powf(-1.0 / 3.0)).clamp(0.1, 0.9);
    }

    fn unsettled(&mut self, h: f64) {
        self.failures += 1;
        self.length = 0.125 * h;
    }
}
