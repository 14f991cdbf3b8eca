//! One step of TR-BDF2: both stages, their iteration and the estimate of the error.

use super::accuracy::Accuracy;
use crate::EngineError;
use crate::equations::{Conditions, Equations};
use crate::health::Health;
use crate::models::Point;
use crate::operating_point::GMIN;
use crate::recording::STAGE;
use crate::sparse::Lu;

const D: f64 = STAGE / 2.0;
const A: f64 = 1.0 / (STAGE * (2.0 - STAGE));
const B: f64 = (1.0 - STAGE) * (1.0 - STAGE) / (STAGE * (2.0 - STAGE));
/// Error constant of Bank et al., (−3γ² + 4γ − 2)/(12(2 − γ)).
const K: f64 = (-3.0 * STAGE * STAGE + 4.0 * STAGE - 2.0) / (12.0 * (2.0 - STAGE));

const CONDITIONS: Conditions = Conditions { source_scale: 1.0, gmin: GMIN, shunt: 0.0 };
/// A sharp exponential is descended by one of its slopes per iteration, so allow many.
const MOST_ITERATIONS: u32 = 40;
/// Iterations stop when the error left, by the rate of convergence (Hairer & Wanner, *Solving
/// Ordinary Differential Equations II*, IV.8), is below this part of the allowed error.
const SETTLED: f64 = 0.05;
/// Largest |s(s − γ)(s − 1)| over the step.
const CUBIC_PEAK: f64 = 0.0631;
/// Current that may be missing at a net, relative to the accuracy wanted and the largest current.
const CURRENT_LAW: f64 = 1e-2;

/// State of the system at one node.
#[derive(Clone)]
pub(super) struct Node {
    pub(super) t: f64,
    pub(super) x: Vec<f64>,
    f: Vec<f64>,
    q: Vec<f64>,
    /// Current into the first pin of each part.
    pub(super) currents: Vec<f64>,
}

impl Node {
    fn new(size: usize, parts: usize) -> Self {
        let zero = vec![0.0; size];
        Node { t: 0.0, x: zero.clone(), f: zero.clone(), q: zero, currents: vec![0.0; parts] }
    }
}

/// Why a step could not be solved.
pub(super) enum Failure {
    Unsettled,
    Singular(usize),
}

/// Takes steps and remembers what the next one needs of the last.
pub(super) struct Stepper<'a> {
    pub(super) equations: &'a Equations,
    accuracy: Accuracy,
    tolerance: f64,
    lu: Lu,
    jacobian: Vec<f64>,
    right: Vec<f64>,
    correction: Vec<f64>,
    /// Beginning of the step, its inner node and its end.
    pub(super) start: Node,
    pub(super) middle: Node,
    pub(super) end: Node,
    /// Start and inner node of the step before and its length, for extrapolation; no length
    /// where it must not be extrapolated.
    before: Vec<f64>,
    before_middle: Vec<f64>,
    before_length: Option<f64>,
    /// Estimated ratio of error left to last correction in Newton's method.
    contraction: f64,
    /// The unknown that was worst in the last failure.
    pub(super) worst: usize,
}

impl<'a> Stepper<'a> {
    pub(super) fn new(equations: &'a Equations, tolerance: f64) -> Self {
        let size = equations.n + 1;
        let node = Node::new(size, equations.models.len());
        Stepper {
            equations,
            accuracy: Accuracy::new(equations, tolerance),
            tolerance,
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
            worst: 0,
        }
    }

    /// Entries in the matrix factors.
    pub(super) fn fill(&self) -> usize {
        self.lu.fill()
    }

    /// Energy stored at the beginning of the step, J.
    pub(super) fn stored(&self) -> f64 {
        let at = Point { x: &self.start.x, t: self.start.t };
        self.equations.models.iter().map(|m| m.stored(at)).sum()
    }

    /// Finds values that agree with the initial charges by a backward Euler step so short that
    /// the charges do not change by it.
    pub(super) fn make_consistent(&mut self, length: f64, health: &mut Health) -> Result<(), EngineError> {
        for model in &self.equations.models {
            model.initial(&mut self.start.q);
        }
        self.right.copy_from_slice(&self.start.q);
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
                self.accuracy.note(&self.start.x);
                Ok(())
            }
            Err(Failure::Singular(unknown)) => Err(EngineError::Singular { unknown: self.equations.name(unknown) }),
            Err(Failure::Unsettled) => Err(self.stuck(length)),
        }
    }

    /// The error that names what would not settle.
    pub(super) fn stuck(&self, step: f64) -> EngineError {
        EngineError::Stuck {
            time: self.start.t,
            step,
            unknown: self.equations.name(self.worst),
            part: self.equations.part_at(self.worst),
        }
    }

    /// Forgets the steps before: what follows must not be extrapolated from them.
    pub(super) fn forget(&mut self) {
        self.before_length = None;
        self.contraction = 1.0;
    }

    /// Tries a step of length h from `start` into `middle` and `end`; returns the estimated
    /// error relative to what is allowed.
    pub(super) fn step(&mut self, h: f64, health: &mut Health) -> Result<f64, Failure> {
        let alpha = 1.0 / (D * h);
        self.predict_middle(h);
        let rows = self.right.iter_mut().zip(&self.start.q).zip(&self.start.f).zip(&self.equations.dynamic);
        for (((right, q), f), dynamic) in rows {
            *right = if *dynamic { q - D * h * f } else { 0.0 };
        }
        self.iterate(self.start.t + STAGE * h, alpha, MOST_ITERATIONS, health)?;
        std::mem::swap(&mut self.middle, &mut self.end);

        self.predict_end(h);
        for ((right, q), middle) in self.right.iter_mut().zip(&self.start.q).zip(&self.middle.q) {
            *right = A * middle - B * q;
        }
        self.iterate(self.start.t + h, alpha, MOST_ITERATIONS, health)?;
        let error = self.error(alpha, h).max(self.error_between_nodes(h));
        if error <= 1.0 {
            self.correct(alpha, health)?;
        }
        Ok(error)
    }

    /// Takes the estimated error e off the end of the step, which makes the method third order.
    ///
    /// Solves `alpha·(q(x) − q₁ + ∂q/∂x·e) + f(x) − f₁ = 0`, all rows without charge `f(x) = 0`.
    /// So the estimate passes through the matrix a second time, without which stiff parts would
    /// not be damped.
    fn correct(&mut self, alpha: f64, health: &mut Health) -> Result<(), Failure> {
        let Stepper { equations, end, right, correction, lu, .. } = self;
        equations.charges_of(right, correction);
        let rows = right.iter_mut().zip(correction.iter_mut()).zip(end.q.iter().zip(&end.f)).zip(&equations.dynamic);
        for (((right, change), (q, f)), dynamic) in rows {
            *right = if *dynamic { q - *change + f / alpha } else { 0.0 };
            *change *= alpha;
        }
        // The matrix of the last iteration serves.
        lu.solve(&mut correction[1..]);
        subtract(&mut end.x, correction);
        if self.obeys_current_law(alpha) {
            return Ok(());
        }
        let t = self.end.t;
        self.iterate(t, alpha, MOST_ITERATIONS, health)
    }

    /// Evaluates everything at `end.x`, and tells whether the currents at every net add up.
    ///
    /// A voltage can be close enough and the current of a sharp diode still far off, so
    /// Kirchhoff's current law is looked at by itself.
    fn obeys_current_law(&mut self, alpha: f64) -> bool {
        let Stepper { equations, accuracy, end, right, correction, .. } = self;
        let Node { x, f, q, currents, t } = end;
        let allowed = CURRENT_LAW * self.tolerance * accuracy.largest_current();
        equations.evaluate(Point { x, t: *t }, CONDITIONS, alpha, f, q, currents, None);
        residual(correction, alpha, q, right, f);
        if !correction[1..equations.nets].iter().all(|current| current.abs() <= allowed) {
            return false;
        }
        equations.fill_currents(Point { x, t: *t }, currents);
        true
    }

    /// Makes the step just tried the one before.
    pub(super) fn accept(&mut self, h: f64) {
        std::mem::swap(&mut self.before, &mut self.start.x);
        std::mem::swap(&mut self.before_middle, &mut self.middle.x);
        std::mem::swap(&mut self.start, &mut self.end);
        self.before_length = Some(h);
        self.accuracy.note(&self.start.x);
    }

    /// Extrapolates the last step's quadratic to the inner node of a step of h, into `end.x`.
    fn predict_middle(&mut self, h: f64) {
        let Some(last) = self.before_length else {
            self.end.x.copy_from_slice(&self.start.x);
            return;
        };
        let (w0, wm, w1) = lagrange(1.0 + STAGE * h / last);
        let nodes = self.before.iter().zip(&self.before_middle).zip(&self.start.x);
        for (x, ((before, middle), start)) in self.end.x.iter_mut().zip(nodes) {
            *x = w0 * before + wm * middle + w1 * start;
        }
    }

    /// Extrapolates from start and inner node, and the inner node before if there is one, to
    /// the end of the step, into `end.x`.
    fn predict_end(&mut self, h: f64) {
        let (before, start, middle) = match self.before_length {
            None => (0.0, 1.0 - 1.0 / STAGE, 1.0 / STAGE),
            Some(last) => {
                // Nodes at −p, 0 and γ in units of this step, value wanted at 1.
                let p = (1.0 - STAGE) * last / h;
                (
                    (1.0 - STAGE) / (p * (p + STAGE)),
                    (1.0 + p) * (1.0 - STAGE) / (-p * STAGE),
                    (1.0 + p) / (STAGE * (STAGE + p)),
                )
            }
        };
        let nodes = self.before_middle.iter().zip(&self.start.x).zip(&self.middle.x);
        for (x, ((x_before, x_start), x_middle)) in self.end.x.iter_mut().zip(nodes) {
            *x = before * x_before + start * x_start + middle * x_middle;
        }
    }

    /// Newton on `alpha·(q(x) − right) + f(x) = 0` from `end.x`; leaves x, f, q in `end`.
    fn iterate(&mut self, t: f64, alpha: f64, most: u32, health: &mut Health) -> Result<(), Failure> {
        self.end.t = t;
        // What earlier iterations showed of the rate still counts, with growing doubt.
        let mut rate = self.contraction.max(1e-12).powf(0.8);
        let mut before: Option<f64> = None;
        for _ in 0..most {
            let Stepper { equations, accuracy, end, right, jacobian, lu, correction, .. } = self;
            let Node { x, f, q, currents, .. } = end;
            equations.evaluate(Point { x, t }, CONDITIONS, alpha, f, q, currents, Some(jacobian));
            health.iterations += 1;
            lu.factor(jacobian).map_err(|singular| Failure::Singular(singular.column + 1))?;
            residual(correction, alpha, q, right, f);
            lu.solve(&mut correction[1..]);
            subtract(x, correction);
            let (size, worst) = accuracy.of_all(correction);
            self.worst = worst;
            if !size.is_finite() {
                break;
            }
            if let Some(before) = before {
                let theta = size / before;
                rate = if theta < 1.0 { theta / (1.0 - theta) } else { f64::INFINITY };
            }
            before = Some(size.max(f64::MIN_POSITIVE));
            if size * rate.min(1.0) < SETTLED || !equations.nonlinear {
                self.contraction = rate;
                if self.obeys_current_law(alpha) {
                    return Ok(());
                }
            }
        }
        self.contraction = 1.0;
        Err(Failure::Unsettled)
    }

    /// Largest estimated error of the step relative to what is allowed.
    fn error(&mut self, alpha: f64, h: f64) -> f64 {
        let factor = 2.0 * K * h * alpha;
        let weights = [1.0 / STAGE, -1.0 / (STAGE * (1.0 - STAGE)), 1.0 / (1.0 - STAGE)].map(|w| factor * w);
        let nodes = self.start.f.iter().zip(&self.middle.f).zip(&self.end.f);
        for ((right, ((start, middle), end)), dynamic) in self.right.iter_mut().zip(nodes).zip(&self.equations.dynamic) {
            *right = if *dynamic { weights[0] * start + weights[1] * middle + weights[2] * end } else { 0.0 };
        }
        self.lu.solve(&mut self.right[1..]);
        let (size, worst) = self.accuracy.of_step(&self.right);
        self.worst = worst;
        size
    }

    /// Largest error of the net voltages between nodes relative to what is allowed.
    fn error_between_nodes(&mut self, h: f64) -> f64 {
        let Some(last) = self.before_length else { return 0.0 };
        // Weights of the third divided difference at −p, 0, γ and 1, in units of this step.
        let p = (1.0 - STAGE) * last / h;
        let [before, start, middle, end] = [
            -CUBIC_PEAK / (p * (p + STAGE) * (p + 1.0)),
            CUBIC_PEAK / (p * STAGE),
            -CUBIC_PEAK / ((STAGE + p) * STAGE * (1.0 - STAGE)),
            CUBIC_PEAK / ((1.0 + p) * (1.0 - STAGE)),
        ];
        let nets = self.equations.nets;
        let nodes = self.before_middle.iter().zip(&self.start.x).zip(&self.middle.x).zip(&self.end.x);
        for (cubic, (((x_before, x_start), x_middle), x_end)) in self.correction[..nets].iter_mut().zip(nodes) {
            *cubic = before * x_before + start * x_start + middle * x_middle + end * x_end;
        }
        self.accuracy.between_nodes(&self.correction).0
    }
}

/// Takes a correction off the unknowns; the first, `gnd`, stays.
fn subtract(x: &mut [f64], correction: &[f64]) {
    for (x, correction) in x[1..].iter_mut().zip(&correction[1..]) {
        *x -= correction;
    }
}

/// What is missing in `alpha·(q − right) + f = 0`.
fn residual(missing: &mut [f64], alpha: f64, q: &[f64], right: &[f64], f: &[f64]) {
    for (((missing, q), right), f) in missing.iter_mut().zip(q).zip(right).zip(f) {
        *missing = alpha * (q - right) + f;
    }
}

/// Lagrange weights at `s` for nodes 0, γ, 1.
fn lagrange(s: f64) -> (f64, f64, f64) {
    let (g, m) = (STAGE, s - STAGE);
    (m * (s - 1.0) / g, s * (s - 1.0) / (g * (g - 1.0)), s * m / (1.0 - g))
}
