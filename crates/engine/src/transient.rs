//! The course of everything in time, by TR-BDF2 with a controlled step.
//!
//! One step of length h from `(t, x)`, with γ = 2 − √2 and d = γ/2:
//!
//! 1. trapezoidal rule to `t + γh`: `q_γ − q = −d·h·(f + f_γ)`;
//! 2. second-order backward differences to `t + h`: `q₁ = a·q_γ − b·q − d·h·f₁` with
//!    `a = 1/(γ(2 − γ))`, `b = (1 − γ)²/(γ(2 − γ))`.
//!
//! Rows without charge or flux are solved as `f = 0` in both, so constraints hold at every
//! node. Both stages share the matrix `∂q/∂x/(d·h) + ∂f/∂x`. Before the first step, and wherever
//! nothing is known about derivatives, a backward Euler step of negligible length finds values
//! consistent with the charges.
//!
//! The local error is estimated from divided differences of f (third order), passed through the
//! inverse of the matrix so that stiff parts do not inflate it, and held against the full scale
//! of each net voltage and state. Beside it the third divided difference of each net voltage
//! bounds what its quadratic leaves out between the nodes, which matters where a voltage follows
//! a source without any state in between.
//!
//! Bank et al., *Transient simulation of silicon devices and circuits*, IEEE Trans. CAS 32,
//! 1985; Hosea & Shampine, *Analysis and implementation of TR-BDF2*, Appl. Numer. Math. 20, 1996.

use crate::EngineError;
use crate::equations::{Conditions, Equations};
use crate::health::{EnergyBalance, Health};
use crate::models::Point;
use crate::operating_point::GMIN;
use crate::recording::{Chunk, Command, Observer, Progress, STAGE, chunk_nodes};
use crate::sparse::Lu;

/// What a transient shall cover and how accurately.
#[derive(Clone, Debug, PartialEq)]
pub struct Settings {
    /// End of the simulated time, s.
    pub end: f64,
    /// Time from which nodes are recorded, s.
    pub record_from: f64,
    /// Longest step, s.
    pub max_step: f64,
    /// Accuracy aimed at, relative to full scale, over some tens of periods or time constants.
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

const D: f64 = STAGE / 2.0;
const A: f64 = 1.0 / (STAGE * (2.0 - STAGE));
const B: f64 = (1.0 - STAGE) * (1.0 - STAGE) / (STAGE * (2.0 - STAGE));
/// Error constant of Bank et al., (−3γ² + 4γ − 2)/(12(2 − γ)).
const K: f64 = (-3.0 * STAGE * STAGE + 4.0 * STAGE - 2.0) / (12.0 * (2.0 - STAGE));
/// Weights of the method's own quadrature over the unit step: the change of a charge is exactly
/// this sum of currents, so energies add up even where a current alternates between nodes.
const W_START: f64 = std::f64::consts::SQRT_2 / 4.0;
const W_MIDDLE: f64 = W_START;
const W_END: f64 = D;

const CONDITIONS: Conditions = Conditions { source_scale: 1.0, gmin: GMIN, shunt: 0.0 };
/// A sharp exponential is descended by one of its slopes per iteration, so allow many.
const MOST_ITERATIONS: u32 = 40;
/// Iterations stop when the error left, by the rate of convergence (Hairer & Wanner, *Solving
/// Ordinary Differential Equations II*, IV.8), is below this part of the allowed error.
const SETTLED: f64 = 0.05;
/// Allowed error between nodes, relative to the accuracy wanted; it does not add up from step to
/// step, so it may be larger than the local error.
const BETWEEN_NODES: f64 = 0.1;
/// Largest |s(s − γ)(s − 1)| over the step.
const CUBIC_PEAK: f64 = 0.0631;
/// Current that may be missing at a net, relative to the accuracy wanted and the largest current.
const CURRENT_LAW: f64 = 1e-2;
/// Smallest full scale of a quantity, relative to the largest of its kind.
const SMALLEST_SCALE: f64 = 1e-3;

/// Allowed error of one step relative to full scale, for a wanted accuracy of the result.
///
/// A second-order method with local error ε takes ε^(−1/3) steps and ends with a global error
/// in proportion to ε^(2/3); so ε ∝ τ^(3/2) makes the result's error proportional to τ. The
/// factor makes ten periods of an undamped LC circuit end within τ.
fn local_tolerance(tolerance: f64) -> f64 {
    0.02 * tolerance.powf(1.5)
}

/// Simulates from rest (charges and fluxes as the parts' initial conditions say) to the end.
///
/// # Errors
/// [`EngineError::Singular`] if something is undetermined, [`EngineError::Stuck`] if even the
/// shortest step cannot be solved. Everything recorded until then has been handed to the
/// observer.
pub fn transient(
    equations: &Equations,
    settings: &Settings,
    observer: &mut dyn Observer,
    health: &mut Health,
) -> Result<Ended, EngineError> {
    Run::new(equations, settings).simulate(observer, health)
}

/// State of the system at one node.
#[derive(Clone)]
struct Node {
    t: f64,
    x: Vec<f64>,
    f: Vec<f64>,
    q: Vec<f64>,
    /// Current into the first pin of each part.
    currents: Vec<f64>,
}

impl Node {
    fn new(size: usize, parts: usize) -> Self {
        let zero = vec![0.0; size];
        Node { t: 0.0, x: zero.clone(), f: zero.clone(), q: zero, currents: vec![0.0; parts] }
    }
}

struct Run<'a> {
    equations: &'a Equations,
    settings: &'a Settings,
    local: f64,
    lu: Lu,
    jacobian: Vec<f64>,
    right: Vec<f64>,
    correction: Vec<f64>,
    start: Node,
    middle: Node,
    end: Node,
    /// Start and inner node of the step before and its length, for extrapolation; no length
    /// where it must not be extrapolated.
    before: Vec<f64>,
    before_middle: Vec<f64>,
    before_length: Option<f64>,
    /// Estimated ratio of error left to last correction in Newton's method.
    contraction: f64,
    /// Current that may be missing at a net, A.
    current_allowed: f64,
    /// Largest magnitude of each unknown so far.
    scale: Vec<f64>,
    weight: Vec<f64>,
    /// The unknown that was worst in the last failure.
    worst: usize,
    /// Recorded nodes not yet handed over: times, and rows of all columns.
    times: Vec<f64>,
    rows: Vec<f64>,
    chunk_nodes: usize,
    node_count: usize,
    losses: Vec<f64>,
    loss_at_start: Vec<f64>,
}

enum Failure {
    Unsettled,
    Singular(usize),
}

impl<'a> Run<'a> {
    fn new(equations: &'a Equations, settings: &'a Settings) -> Self {
        let size = equations.n + 1;
        let node = Node::new(size, equations.models.len());
        let imposed = equations.models.iter().map(|m| m.imposed_voltage()).fold(0.0, f64::max);
        let mut scale = vec![0.0; size];
        scale[0] = imposed;
        Run {
            equations,
            settings,
            local: local_tolerance(settings.tolerance),
            lu: equations.factors(),
            jacobian: equations.matrix(),
            right: vec![0.0; size],
            correction: vec![0.0; size],
            start: node.clone(),
            middle: node.clone(),
            end: node,
            before: vec![0.0; size],
            before_middle: vec![0.0; size],
            before_length: None,
            contraction: 1.0,
            current_allowed: 0.0,
            scale,
            weight: vec![0.0; size],
            worst: 0,
            times: Vec::new(),
            rows: Vec::new(),
            chunk_nodes: chunk_nodes(equations.columns().len()),
            node_count: 0,
            losses: vec![0.0; equations.models.len()],
            loss_at_start: vec![0.0; equations.models.len()],
        }
    }

    fn simulate(&mut self, observer: &mut dyn Observer, health: &mut Health) -> Result<Ended, EngineError> {
        let Settings { end, record_from, max_step, .. } = *self.settings;
        let shortest = 1e-15 * end;
        health.unknowns = self.equations.n as u64;
        health.shortest_step = f64::INFINITY;
        self.make_consistent(shortest, health)?;
        let stored_first = self.stored();
        let mut length = (1e-6 * end).min(max_step);
        let mut corner = self.equations.next_corner(0.0).unwrap_or(f64::INFINITY);
        let mut error_before: f64 = 1.0;
        let mut rejected_before = false;
        let mut ended = Ended::Done;
        let result = loop {
            let left = end - self.start.t;
            if left <= shortest {
                break Ok(());
            }
            // Never step over a corner, and do not leave a sliver before one.
            let target = corner.min(end);
            let to_target = target - self.start.t;
            let lands = length >= to_target * (1.0 - 1e-9);
            let h = if lands {
                to_target
            } else if length > 0.5 * to_target {
                0.5 * to_target
            } else {
                length
            };
            match self.step(h, health) {
                Ok(error) if error <= 1.0 => {
                    if lands {
                        self.end.t = target;
                    }
                    self.accept(h, record_from, observer, health);
                    // PI control (Gustafsson, ACM TOMS 1991); no growth right after a rejection.
                    let error = error.max(1e-4);
                    let factor = (0.9 * error.powf(-0.7 / 3.0) * error_before.powf(0.4 / 3.0)).clamp(0.2, 4.0);
                    length = (h * if rejected_before { factor.min(1.0) } else { factor }).min(max_step);
                    error_before = error;
                    rejected_before = false;
                    if lands && target < end {
                        corner = self.equations.next_corner(self.start.t).unwrap_or(f64::INFINITY);
                        self.before_length = None;
                        self.contraction = 1.0;
                        error_before = 1.0;
                        length = length.min(0.1 * (corner.min(end) - self.start.t));
                    }
                    let progress = Progress { time: self.start.t, end, health };
                    if observer.progress(&progress) == Command::Stop {
                        ended = Ended::Stopped;
                        break Ok(());
                    }
                }
                Ok(error) => {
                    health.rejected += 1;
                    rejected_before = true;
                    length = h * (0.9 * error.powf(-1.0 / 3.0)).clamp(0.1, 0.9);
                }
                Err(failure) => {
                    health.unsettled += 1;
                    rejected_before = true;
                    length = 0.125 * h;
                    if let (Failure::Singular(unknown), true) = (&failure, length < shortest) {
                        break Err(EngineError::Singular { unknown: self.equations.name(*unknown) });
                    }
                }
            }
            if length < shortest.max(8.0 * f64::EPSILON * self.start.t) && end - self.start.t > shortest {
                break Err(EngineError::Stuck {
                    time: self.start.t,
                    step: length,
                    unknown: self.equations.name(self.worst),
                    part: self.equations.part_at(self.worst),
                });
            }
        };
        self.flush(observer);
        health.energy = EnergyBalance::new(&self.losses, stored_first, self.stored());
        health.fill = self.lu.fill() as u64;
        if !health.shortest_step.is_finite() {
            health.shortest_step = 0.0;
        }
        result.map(|()| ended)
    }

    /// Finds values that agree with the initial charges by a backward Euler step so short that
    /// the charges do not change by it.
    fn make_consistent(&mut self, length: f64, health: &mut Health) -> Result<(), EngineError> {
        for model in &self.equations.models {
            model.initial(&mut self.start.q);
        }
        self.right.copy_from_slice(&self.start.q);
        self.update_weights();
        let mut outcome = Err(Failure::Unsettled);
        // From rest first; if that does not settle, with ever longer steps, which are better
        // conditioned.
        for exponent in [0, 2, 4, 6] {
            self.end.x.fill(0.0);
            let alpha = 1.0 / (length * 10f64.powi(exponent));
            outcome = self.iterate(0.0, alpha, 60, health);
            if outcome.is_ok() {
                break;
            }
        }
        match outcome {
            Ok(()) => {
                std::mem::swap(&mut self.start, &mut self.end);
                self.start.t = 0.0;
                let Node { x, currents, .. } = &self.start;
                for (m, model) in self.equations.models.iter().enumerate() {
                    self.loss_at_start[m] = model.loss(Point { x, t: 0.0 }, currents[m]);
                }
                self.note_scale();
                Ok(())
            }
            Err(Failure::Singular(unknown)) => Err(EngineError::Singular { unknown: self.equations.name(unknown) }),
            Err(Failure::Unsettled) => Err(EngineError::Stuck {
                time: 0.0,
                step: length,
                unknown: self.equations.name(self.worst),
                part: self.equations.part_at(self.worst),
            }),
        }
    }

    /// Tries a step of length h from `start` into `middle` and `end`; returns the estimated
    /// error relative to what is allowed.
    fn step(&mut self, h: f64, health: &mut Health) -> Result<f64, Failure> {
        let alpha = 1.0 / (D * h);
        let n = self.equations.n;
        self.update_weights();

        self.predict_middle(h);
        for i in 1..=n {
            self.right[i] = if self.equations.dynamic[i] { self.start.q[i] - D * h * self.start.f[i] } else { 0.0 };
        }
        let middle_time = self.start.t + STAGE * h;
        self.iterate(middle_time, alpha, MOST_ITERATIONS, health)?;
        std::mem::swap(&mut self.middle, &mut self.end);

        self.predict_end(h);
        for i in 1..=n {
            self.right[i] = if self.equations.dynamic[i] { A * self.middle.q[i] - B * self.start.q[i] } else { 0.0 };
        }
        self.iterate(self.start.t + h, alpha, MOST_ITERATIONS, health)?;
        Ok(self.error(alpha, h).max(self.error_between_nodes(h)))
    }

    /// Extrapolates the last step's quadratic to the inner node of a step of h, into `end.x`.
    fn predict_middle(&mut self, h: f64) {
        let Some(last) = self.before_length else {
            self.end.x.copy_from_slice(&self.start.x);
            return;
        };
        let (w0, wm, w1) = lagrange(1.0 + STAGE * h / last);
        for i in 1..=self.equations.n {
            self.end.x[i] = w0 * self.before[i] + wm * self.before_middle[i] + w1 * self.start.x[i];
        }
    }

    /// Extrapolates from start and inner node, and the inner node before if there is one, to
    /// the end of the step, into `end.x`.
    fn predict_end(&mut self, h: f64) {
        let Some(last) = self.before_length else {
            for i in 1..=self.equations.n {
                self.end.x[i] = self.start.x[i] + (self.middle.x[i] - self.start.x[i]) / STAGE;
            }
            return;
        };
        // Nodes at −p, 0 and γ in units of this step, value wanted at 1.
        let p = (1.0 - STAGE) * last / h;
        let before = (1.0 - STAGE) / (p * (p + STAGE));
        let start = (1.0 + p) * (1.0 - STAGE) / (-p * STAGE);
        let middle = (1.0 + p) / (STAGE * (STAGE + p));
        for i in 1..=self.equations.n {
            self.end.x[i] = before * self.before_middle[i] + start * self.start.x[i] + middle * self.middle.x[i];
        }
    }

    /// Newton on `alpha·(q(x) − right) + f(x) = 0` from `end.x`; leaves x, f, q in `end`.
    fn iterate(&mut self, t: f64, alpha: f64, most: u32, health: &mut Health) -> Result<(), Failure> {
        let Run { equations, end, right, jacobian, lu, correction, weight, contraction, current_allowed, .. } = self;
        end.t = t;
        // What earlier iterations showed of the rate still counts, with growing doubt.
        let mut rate = contraction.max(1e-12).powf(0.8);
        let mut before: Option<f64> = None;
        for _ in 0..most {
            let Node { x, f, q, currents, .. } = end;
            equations.evaluate(Point { x, t }, CONDITIONS, alpha, f, q, currents, Some(jacobian));
            health.iterations += 1;
            lu.factor(jacobian).map_err(|singular| Failure::Singular(singular.column + 1))?;
            for i in 1..=equations.n {
                correction[i] = alpha * (q[i] - right[i]) + f[i];
            }
            lu.solve(&mut correction[1..]);
            let mut largest = 0.0;
            for i in 1..=equations.n {
                x[i] -= correction[i];
                let size = correction[i].abs() * weight[i];
                if size.is_nan() || size > largest {
                    (largest, self.worst) = (size, i);
                }
            }
            if !largest.is_finite() {
                break;
            }
            if let Some(before) = before {
                let theta = largest / before;
                rate = if theta < 1.0 { theta / (1.0 - theta) } else { f64::INFINITY };
            }
            before = Some(largest.max(f64::MIN_POSITIVE));
            if largest * rate.min(1.0) < SETTLED || !equations.nonlinear {
                *contraction = rate;
                equations.evaluate(Point { x, t }, CONDITIONS, alpha, f, q, currents, None);
                // A voltage can be close enough and the current of a sharp diode still far off,
                // so Kirchhoff's current law is looked at by itself.
                if f[1..equations.nets].iter().all(|current| current.abs() <= *current_allowed) {
                    equations.fill_currents(Point { x, t }, currents);
                    return Ok(());
                }
            }
        }
        *contraction = 1.0;
        Err(Failure::Unsettled)
    }

    /// Largest estimated error of the step relative to what is allowed.
    fn error(&mut self, alpha: f64, h: f64) -> f64 {
        let (w0, wm, w1) = (1.0 / STAGE, -1.0 / (STAGE * (1.0 - STAGE)), 1.0 / (1.0 - STAGE));
        for i in 1..=self.equations.n {
            self.right[i] = if self.equations.dynamic[i] {
                2.0 * K * h * alpha * (w0 * self.start.f[i] + wm * self.middle.f[i] + w1 * self.end.f[i])
            } else {
                0.0
            };
        }
        self.lu.solve(&mut self.right[1..]);
        let mut largest = 0.0;
        for i in (1..=self.equations.n).filter(|&i| self.equations.controlled[i]) {
            let size = self.right[i].abs() * self.weight[i];
            if size.is_nan() || size > largest {
                (largest, self.worst) = (size, i);
            }
        }
        if largest.is_nan() { f64::INFINITY } else { largest }
    }

    /// Largest error of the net voltages between nodes relative to what is allowed.
    fn error_between_nodes(&mut self, h: f64) -> f64 {
        let Some(last) = self.before_length else { return 0.0 };
        // Weights of the third divided difference at −p, 0, γ and 1, in units of this step.
        let nodes = [-(1.0 - STAGE) * last / h, 0.0, STAGE, 1.0];
        let weights = [0, 1, 2, 3].map(|i| {
            let others = (0..4).filter(|&j| j != i);
            CUBIC_PEAK / others.map(|j| nodes[i] - nodes[j]).product::<f64>()
        });
        let allowed = self.local / (BETWEEN_NODES * self.settings.tolerance);
        let mut largest = 0.0;
        for i in 1..self.equations.nets {
            let cubic = weights[0] * self.before_middle[i]
                + weights[1] * self.start.x[i]
                + weights[2] * self.middle.x[i]
                + weights[3] * self.end.x[i];
            let size = cubic.abs() * self.weight[i] * allowed;
            if size > largest {
                (largest, self.worst) = (size, i);
            }
        }
        largest
    }

    fn accept(&mut self, h: f64, record_from: f64, observer: &mut dyn Observer, health: &mut Health) {
        health.steps += 1;
        if h < health.shortest_step {
            (health.shortest_step, health.shortest_at) = (h, self.start.t);
        }
        let middle = Point { x: &self.middle.x, t: self.middle.t };
        let end = Point { x: &self.end.x, t: self.end.t };
        for (m, model) in self.equations.models.iter().enumerate() {
            let at_end = model.loss(end, self.end.currents[m]);
            let in_between = model.loss(middle, self.middle.currents[m]);
            self.losses[m] += h * (W_START * self.loss_at_start[m] + W_MIDDLE * in_between + W_END * at_end);
            self.loss_at_start[m] = at_end;
        }
        if self.end.t >= record_from {
            if self.node_count == 0 {
                self.record(0, observer);
            }
            self.record(1, observer);
            self.record(2, observer);
        }
        // The step just done becomes the one before: start → before, end → start.
        std::mem::swap(&mut self.before, &mut self.start.x);
        std::mem::swap(&mut self.before_middle, &mut self.middle.x);
        std::mem::swap(&mut self.start, &mut self.end);
        self.before_length = Some(h);
        self.note_scale();
    }

    fn record(&mut self, which: u8, observer: &mut dyn Observer) {
        let node = [&self.start, &self.middle, &self.end][usize::from(which)];
        self.times.push(node.t);
        self.equations.record(Point { x: &node.x, t: node.t }, &node.currents, &mut self.rows);
        self.node_count += 1;
        if self.times.len() == self.chunk_nodes {
            self.flush(observer);
        }
    }

    fn flush(&mut self, observer: &mut dyn Observer) {
        if self.times.is_empty() {
            return;
        }
        let width = self.equations.columns().len();
        let column = |c: usize| self.rows.iter().skip(c).step_by(width).copied().collect();
        observer.record(Chunk { times: std::mem::take(&mut self.times), columns: (0..width).map(column).collect() });
        self.rows.clear();
    }

    fn stored(&self) -> f64 {
        let at = Point { x: &self.start.x, t: self.start.t };
        self.equations.models.iter().map(|m| m.stored(at)).sum()
    }

    fn note_scale(&mut self) {
        for (scale, x) in self.scale.iter_mut().zip(&self.start.x).skip(1) {
            *scale = scale.max(x.abs());
        }
    }

    /// Reciprocals of the allowed error of each unknown.
    fn update_weights(&mut self) {
        let nets = self.equations.nets;
        let largest = |scales: &[f64]| scales.iter().copied().fold(0.0, f64::max);
        // Element 0 holds the largest voltage any part imposes.
        let floors = [
            SMALLEST_SCALE * largest(&self.scale[..nets]).max(1e-6),
            SMALLEST_SCALE * largest(&self.scale[nets..]).max(1e-6),
        ];
        self.current_allowed = CURRENT_LAW * self.settings.tolerance * floors[1] / SMALLEST_SCALE;
        for (i, weight) in self.weight.iter_mut().enumerate() {
            let floor = floors[usize::from(i >= nets)];
            *weight = 1.0 / (self.local * self.scale[i].max(floor));
        }
    }
}

/// Lagrange weights at `s` for nodes 0, γ, 1.
fn lagrange(s: f64) -> (f64, f64, f64) {
    let (g, m) = (STAGE, s - STAGE);
    (m * (s - 1.0) / g, s * (s - 1.0) / (g * (g - 1.0)), s * m / (1.0 - g))
}
