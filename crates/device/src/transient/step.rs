//! One step of TR-BDF2: both stages, their iteration and the estimate of the error.

use super::accuracy::Accuracy;
use super::stand::Stand;
use crate::EngineError;
use crate::contract::GMIN;
use crate::contract::{Flow, Point};
use crate::equations::{Conditions, Equations};
use crate::stamps::Matrix;
use linear::Lu;
use recording::Health;
use recording::STAGE;

pub(super) const D: f64 = STAGE / 2.0;
pub(super) const A: f64 = 1.0 / (STAGE * (2.0 - STAGE));
pub(super) const B: f64 = (1.0 - STAGE) * (1.0 - STAGE) / (STAGE * (2.0 - STAGE));
/// Error constant of Bank et al., (−3γ² + 4γ − 2)/(12(2 − γ)).
const K: f64 = (-3.0 * STAGE * STAGE + 4.0 * STAGE - 2.0) / (12.0 * (2.0 - STAGE));

/// Part of the twice filtered error in the correction: the largest that leaves the method stable
/// for every oscillation and decay, found by scanning the left half-plane.
const DAMPING: f64 = 0.85;

pub(super) const CONDITIONS: Conditions = Conditions { source_scale: 1.0, gmin: GMIN, shunt: 0.0, resting: false };
/// A sharp exponential is descended by one of its slopes per iteration, so allow many.
const MOST_ITERATIONS: u32 = 60;
/// Iterations stop when the error left, by the rate of convergence, is below this part of the
/// allowed error.
const SETTLED: f64 = 0.1;
/// Corrections below this part of the allowed error need no second look.
const PLAIN: f64 = 0.02;
/// A correction so many times the allowed error came from an iterate that had strayed, beyond a
/// junction's exponential perhaps; that the next is smaller tells nothing of convergence.
const STRAYED: f64 = 100.0;
/// Rates of convergence are trusted so much less each time they are not measured anew.
const DOUBT: f64 = 1.2;
/// Largest |s(s − γ)(s − 1)| over the step.
const CUBIC_PEAK: f64 = 0.0631;
/// Trial steps that are taken to find the instant of a trip.
const MOST_TRIALS: usize = 60;
/// Weight of the deviation from a straight line over the first step behind a corner.
const FIRST_STEP: f64 = 0.25 * 0.1;
/// Current that may be missing at a net, relative to the accuracy wanted and the largest current.
const CURRENT_LAW: f64 = 1e-2;
/// Golden section: its multiples spread evenly and without a pattern.
const GOLDEN: f64 = 0.618_033_988_749_895;
/// Voltages and currents beyond this are no circuit's; their products would leave the range of numbers.
const LARGEST: f64 = 1e100;

/// State of the system at one node.
#[derive(Clone)]
pub(super) struct Node {
    pub(super) t: f64,
    pub(super) x: Vec<f64>,
    pub(super) f: Vec<f64>,
    pub(super) q: Vec<f64>,
    /// What flows into each part.
    pub(super) flows: Vec<Flow>,
}

impl Node {
    pub(super) fn new(size: usize, parts: usize) -> Self {
        let zero = vec![0.0; size];
        Node { t: 0.0, x: zero.clone(), f: zero.clone(), q: zero, flows: vec![Flow::default(); parts] }
    }

    fn point(&self) -> Point<'_> {
        Point { x: &self.x, t: self.t }
    }

    /// Currents out of nets and the like, and charges and fluxes.
    pub(super) fn rates(&self) -> (&[f64], &[f64]) {
        (&self.f, &self.q)
    }
}

/// Why a step could not be solved.
pub(super) enum Failure {
    Unsettled,
    Singular(usize),
}

/// Which stage is solved.
#[derive(Clone, Copy, PartialEq, Eq)]
enum Stage {
    /// One that stands by itself: with matrices of its own and everything evaluated at its end.
    Inner,
    /// The second of a step, which may begin with the matrix of the first and is corrected
    /// afterwards.
    End,
}

/// Takes steps and remembers what the next one needs of the last.
pub(super) struct Stepper<'a> {
    pub(super) equations: &'a Equations,
    accuracy: Accuracy,
    tolerance: f64,
    lu: Lu,
    matrix: Matrix,
    right: Vec<f64>,
    missing: Vec<f64>,
    correction: Vec<f64>,
    change: Vec<f64>,
    /// Beginning of the step, its inner node and its end.
    pub(super) start: Node,
    pub(super) middle: Node,
    pub(super) end: Node,
    /// Nodes before the start, latest first, and how many of them may be extrapolated.
    past: [(f64, Vec<f64>); 3],
    known: usize,
    /// Newton's method, converging quadratically, leaves so much of an error times its square.
    curvature: f64,
    /// The first iteration of an end stage, with the matrix of the inner stage, leaves this part.
    kept_contraction: f64,
    /// Whether values are being found for the first time.
    starting: bool,
    starting_at_rest: bool,
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
            matrix: equations.matrix(),
            right: vec![0.0; size],
            missing: vec![0.0; size],
            correction: vec![0.0; size],
            change: vec![0.0; size],
            start: node.clone(),
            middle: node.clone(),
            end: node,
            past: std::array::from_fn(|_| (0.0, vec![0.0; size])),
            known: 0,
            curvature: f64::INFINITY,
            kept_contraction: 1.0,
            starting: true,
            starting_at_rest: true,
            worst: 0,
        }
    }

    /// Entries in the matrix factors.
    pub(super) fn fill(&self) -> usize {
        self.lu.fill()
    }

    /// Beginning, inner node and end of the step at hand.
    pub(super) fn nodes(&self) -> [&Node; 3] {
        [&self.start, &self.middle, &self.end]
    }

    /// Whether something trips within the step just solved.
    pub(super) fn trips(&self) -> bool {
        self.equations.margin(self.end.point()) < 0.0
    }

    /// Shortens the step of length h until it ends just behind the first trip in it; returns its
    /// error and length. The margin is followed through all three nodes of each trial (regula falsi,
    /// Illinois variant: Dowell & Jarratt, BIT 11, 1971).
    pub(super) fn find_trip(&mut self, h: f64, within: f64, health: &mut Health) -> (Result<f64, Failure>, f64) {
        let margin = |node: &Node| self.equations.margin(node.point());
        let (mut low, mut high) = ((0.0, margin(&self.start)), (h, margin(&self.end)));
        let middle = (STAGE * h, margin(&self.middle));
        if middle.1 < 0.0 {
            high = middle
        } else {
            low = middle
        }
        let (mut tried, mut error) = (h, Ok(0.0));
        let mut side = 0;
        for _ in 0..MOST_TRIALS {
            if high.0 - low.0 <= within {
                break;
            }
            let share = (low.1 / (low.1 - high.1)).clamp(0.01, 0.99);
            tried = low.0 + share * (high.0 - low.0);
            error = self.step(tried, health);
            if !matches!(error, Ok(error) if error <= 1.0) {
                return (error, tried);
            }
            let margin = self.equations.margin(self.end.point());
            if margin < 0.0 {
                high = (tried, margin);
                low.1 *= if side == 1 { 0.5 } else { 1.0 };
                side = 1;
            } else {
                low = (tried, margin);
                high.1 *= if side == -1 { 0.5 } else { 1.0 };
                side = -1;
            }
        }
        if tried != high.0 {
            (tried, error) = (high.0, self.step(high.0, health));
        }
        (error, tried)
    }

    /// Trips the first device that is past its threshold at the start; returns its index.
    pub(super) fn trip(&mut self) -> Option<usize> {
        let Stepper { equations, start, .. } = self;
        let tripped = equations.trip(&mut start.x, start.t)?;
        let Node { x, f, q, flows, t } = start;
        equations.evaluate(Point { x, t: *t }, CONDITIONS, f, q, flows, None);
        equations.fill_flows(Point { x, t: *t }, flows);
        Some(tripped)
    }

    /// Takes values found before, and their charges, for the initial ones.
    pub(super) fn start_from(&mut self, x: &[f64]) {
        self.starting_at_rest = false;
        let Node { x: own, f, q, flows, t } = &mut self.start;
        own.copy_from_slice(x);
        self.equations.evaluate(Point { x: own, t: *t }, CONDITIONS, f, q, flows, None);
    }

    /// Full scales met so far, by unknown.
    pub(super) fn full_scales(&self) -> &[f64] {
        self.accuracy.scales()
    }

    /// Stands where another stepper stood: at a time with unknowns, their rates and charges, and the full scales met.
    pub(super) fn resume(&mut self, time: f64, [x, f, q]: [&[f64]; 3], scales: &[f64]) {
        (self.starting, self.starting_at_rest) = (false, false);
        self.accuracy.resume(scales);
        let Node { t, x: own, f: own_f, q: own_q, flows } = &mut self.start;
        *t = time;
        own.copy_from_slice(x);
        self.equations.evaluate(Point { x, t: time }, CONDITIONS, own_f, own_q, flows, None);
        self.equations.fill_flows(Point { x, t: time }, flows);
        // As the last step left them, to the bit.
        own_f.copy_from_slice(f);
        own_q.copy_from_slice(q);
    }

    /// Stands at a time with these charges; unknowns near these are found from them by a backward Euler step of this length.
    pub(super) fn stand(&mut self, at: &Stand, length: f64, health: &mut Health) {
        let f = vec![0.0; at.x.len()];
        self.resume(at.t, [&at.x, &f, &at.q], &at.scales);
        let Node { t, x, f, q, flows } = &mut self.start;
        self.equations.evaluate(Point { x, t: *t }, CONDITIONS, f, q, flows, None);
        q.copy_from_slice(&at.q);
        self.settle_start(length, health);
    }

    /// Finds values that agree with the initial charges by a backward Euler step so short that
    /// the charges do not change by it.
    pub(super) fn make_consistent(&mut self, length: f64, health: &mut Health) -> Result<(), EngineError> {
        if self.starting_at_rest {
            for model in &self.equations.models {
                model.initial(&mut self.start.q);
            }
        }
        self.right.copy_from_slice(&self.start.q);
        let mut outcome = Err(Failure::Unsettled);
        // From what is known first; if that does not settle, with ever longer steps, which are better
        // conditioned.
        for exponent in [0, 2, 4] {
            self.end.x.copy_from_slice(&self.start.x);
            let alpha = 1.0 / (length * 10f64.powi(exponent));
            outcome = self.iterate(0.0, alpha, Stage::Inner, health);
            if outcome.is_ok() {
                break;
            }
        }
        match outcome {
            Ok(()) => {
                std::mem::swap(&mut self.start, &mut self.end);
                self.starting = false;
                self.accuracy.forget();
                self.accuracy.note(&self.start.x);
                Ok(())
            }
            Err(Failure::Singular(unknown)) => Err(EngineError::Singular { unknown: self.equations.name(unknown) }),
            Err(Failure::Unsettled) => Err(self.stuck(length)),
        }
    }

    /// Finds the first values anew, behind what has tripped at the very beginning.
    pub(super) fn begin_anew(&mut self, length: f64, health: &mut Health) {
        self.settle_start(length, health);
        self.accuracy.forget();
        self.accuracy.note(&self.start.x);
    }

    /// Finds the start anew from its charges, by a backward Euler step of a length that is nothing
    /// beside the steps that fail. Where a step was accepted on the edge of a device's switching,
    /// voltages can be left that do not agree with the charges, and no step from there is short
    /// enough.
    pub(super) fn settle_start(&mut self, length: f64, health: &mut Health) {
        self.forget();
        self.right.copy_from_slice(&self.start.q);
        self.end.x.copy_from_slice(&self.start.x);
        if self.iterate(self.start.t, 1.0 / length, Stage::Inner, health).is_ok() {
            std::mem::swap(&mut self.start, &mut self.end);
        }
    }

    /// Steps over a change that is too fast for the resolution of time: backward Euler, which
    /// keeps charges and fluxes, over a length that is nothing beside everything else.
    pub(super) fn leap(&mut self, length: f64, health: &mut Health) -> bool {
        self.forget();
        let rows = self.right.iter_mut().zip(&self.start.q).zip(&self.equations.dynamic);
        for ((right, q), dynamic) in rows {
            *right = if *dynamic { *q } else { 0.0 };
        }
        self.end.x.copy_from_slice(&self.start.x);
        if self.iterate(self.start.t + length, 1.0 / length, Stage::Inner, health).is_err() {
            return false;
        }
        // Nothing is known of the way between.
        self.middle.clone_from(&self.end);
        self.middle.t = self.start.t + STAGE * length;
        true
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

    /// The error that names what keeps steps so short that so many make no headway.
    pub(super) fn crawling(&self, steps: u64) -> EngineError {
        EngineError::Crawling {
            time: self.start.t,
            steps,
            unknown: self.equations.name(self.worst),
            part: self.equations.part_at(self.worst),
        }
    }

    /// Forgets the steps before: what follows must not be extrapolated from them.
    pub(super) fn forget(&mut self) {
        self.known = 0;
        self.curvature = f64::INFINITY;
    }

    /// Tries a step of length h from `start` into `middle` and `end`; returns the estimated
    /// error relative to what is allowed.
    pub(super) fn step(&mut self, h: f64, health: &mut Health) -> Result<f64, Failure> {
        let alpha = 1.0 / (D * h);
        self.predict(self.start.t + STAGE * h, false);
        let rows = self.right.iter_mut().zip(&self.start.q).zip(&self.start.f).zip(&self.equations.dynamic);
        for (((right, q), f), dynamic) in rows {
            *right = if *dynamic { q - D * h * f } else { 0.0 };
        }
        self.iterate(self.start.t + STAGE * h, alpha, Stage::Inner, health)?;
        std::mem::swap(&mut self.middle, &mut self.end);

        self.predict(self.start.t + h, true);
        for ((right, q), middle) in self.right.iter_mut().zip(&self.start.q).zip(&self.middle.q) {
            *right = A * middle - B * q;
        }
        self.iterate(self.start.t + h, alpha, Stage::End, health)?;
        let error = self.error(alpha, h).max(self.error_between_nodes(h));
        if error <= 1.0 {
            self.correct(alpha, health)?;
        }
        Ok(error)
    }

    /// Takes the estimated error off the end of the step, which makes the method third order.
    ///
    /// The estimate e, in `right`, has passed through the matrix once. With every further pass,
    /// `M = (alpha·∂q/∂x + ∂f/∂x)⁻¹·alpha·∂q/∂x`, stiff parts are damped more and oscillations
    /// lose more. `(1 + μ)·M·e − μ·M²·e` keeps the method L-stable and all but free of loss.
    /// So this solves `alpha·(q(x) − q₁ + ∂q/∂x·v) + f(x) − f₁ = 0` with
    /// `v = (1 + μ)·e − μ·M·e`; all rows without charge `f(x) = 0`.
    fn correct(&mut self, alpha: f64, health: &mut Health) -> Result<(), Failure> {
        let Stepper { equations, accuracy, end, right, correction, change, matrix, lu, .. } = self;
        equations.charges_of(matrix, right, change);
        for ((once, change), dynamic) in correction.iter_mut().zip(change.iter()).zip(&equations.dynamic) {
            *once = if *dynamic { alpha * change } else { 0.0 };
        }
        lu.solve(&mut correction[1..]);
        for (v, once) in right.iter_mut().zip(correction.iter()) {
            *v += DAMPING * (*v - once);
        }
        equations.charges_of(matrix, right, change);
        let rows = right.iter_mut().zip(correction.iter_mut()).zip(end.q.iter().zip(&end.f)).zip(change.iter());
        for ((((right, correction), (q, f)), change), dynamic) in rows.zip(&equations.dynamic) {
            (*right, *correction) = if *dynamic { (q - change + f / alpha, alpha * change) } else { (0.0, 0.0) };
        }
        // The matrix of the last iteration serves.
        lu.solve(&mut correction[1..]);
        subtract(&mut end.x, correction);
        let size = accuracy.of_all(correction);
        let settled = size * (self.curvature * size).min(1.0) < SETTLED || !equations.nonlinear;
        if settled && self.obeys_current_law(alpha) {
            return Ok(());
        }
        let t = self.end.t;
        self.iterate(t, alpha, Stage::Inner, health)
    }

    /// Evaluates everything at `end.x`, and tells whether the currents at every net add up.
    ///
    /// A voltage can be close enough and the current of a sharp diode still far off, so
    /// Kirchhoff's current law is looked at by itself.
    fn obeys_current_law(&mut self, alpha: f64) -> bool {
        let Stepper { equations, accuracy, end, right, correction, .. } = self;
        let Node { x, f, q, flows, t } = end;
        let allowed = CURRENT_LAW * self.tolerance * accuracy.largest_current();
        equations.evaluate(Point { x, t: *t }, CONDITIONS, f, q, flows, None);
        residual(correction, alpha, q, right, f);
        if !correction[1..equations.nets].iter().all(|current| current.abs() <= allowed) {
            return false;
        }
        equations.fill_flows(Point { x, t: *t }, flows);
        true
    }

    /// Whether the next correction would be as small as the rate of convergence promised for the one just
    /// made, given what is missing at its end. Down an exponential each correction is one of its slopes,
    /// and a rate measured elsewhere says nothing of that.
    fn stays(&mut self) -> bool {
        if !self.lu.ready() {
            return false;
        }
        self.missing.copy_from_slice(&self.correction);
        self.lu.solve(&mut self.correction[1..]);
        // The currents of charges are differences over the step, and the shorter it is the rounder; what counts is
        // what they leave of voltages.
        self.accuracy.of_step(&self.correction) < SETTLED
    }

    /// What rounding alone makes of the error of a step of length h, relative to what is allowed: a rate of
    /// change is a difference of charges or fluxes over the step, and the shorter the step the less of it
    /// is left.
    pub(super) fn noise(&mut self, h: f64) -> f64 {
        let Stepper { equations, accuracy, start, matrix, change, lu, .. } = self;
        equations.charge_sizes(matrix, &start.x, change);
        // Rows are rounded each by itself; alike, they would cancel in tight windings.
        for (row, size) in change.iter_mut().enumerate() {
            *size *= (2.0 * (row as f64 * GOLDEN).fract() - 1.0) * f64::EPSILON / (D * h);
        }
        // Where the last matrix had no factors nothing is known of it.
        if !lu.ready() {
            return 0.0;
        }
        lu.solve(&mut change[1..]);
        accuracy.of_step(change)
    }

    /// Makes the step just tried the one before.
    pub(super) fn accept(&mut self) {
        self.past.swap(0, 2);
        for (past, node) in self.past.iter_mut().zip([&mut self.middle, &mut self.start]) {
            past.0 = node.t;
            std::mem::swap(&mut past.1, &mut node.x);
        }
        self.known = if self.known == 0 { 2 } else { 3 };
        std::mem::swap(&mut self.start, &mut self.end);
        self.accuracy.note(&self.start.x);
    }

    /// Extrapolates the last nodes to a time, into `end.x`; the inner node of the present step
    /// counts among them if it is solved.
    fn predict(&mut self, t: f64, inner_solved: bool) {
        let Stepper { past, known, start, middle, end, .. } = self;
        let inner = inner_solved.then_some((middle.t, &middle.x));
        let past = past[..*known].iter().map(|(t, x)| (*t, x));
        let nodes = inner.into_iter().chain([(start.t, &start.x)]).chain(past);
        let mut times = [0.0; 4];
        let mut values: [&[f64]; 4] = [&start.x; 4];
        let mut count = 0;
        for (node, (time, x)) in nodes.take(4).enumerate() {
            (times[node], values[node], count) = (time, x, node + 1);
        }
        let weights: [f64; 4] = std::array::from_fn(|i| {
            let others = (0..count).filter(|j| *j != i);
            if i < count { others.map(|j| (t - times[j]) / (times[i] - times[j])).product() } else { 0.0 }
        });
        let [a, b, c, d] = values;
        for (x, (((a, b), c), d)) in end.x.iter_mut().zip(a.iter().zip(b).zip(c).zip(d)) {
            *x = weights[0] * a + weights[1] * b + weights[2] * c + weights[3] * d;
        }
    }

    /// Newton on `alpha·(q(x) − right) + f(x) = 0` from `end.x`; leaves x, f, q in `end`.
    fn iterate(&mut self, t: f64, alpha: f64, stage: Stage, health: &mut Health) -> Result<(), Failure> {
        self.end.t = t;
        // What earlier iterations showed of the rates still counts, with growing doubt.
        self.curvature *= DOUBT;
        self.kept_contraction *= DOUBT;
        let mut before: Option<f64> = None;
        for iteration in 0..MOST_ITERATIONS {
            let kept = iteration == 0 && stage == Stage::End;
            let Stepper { equations, accuracy, end, right, matrix, lu, correction, missing, .. } = self;
            let Node { x, f, q, flows, .. } = end;
            matrix.alpha = alpha;
            matrix.limited = false;
            equations.evaluate(Point { x, t }, CONDITIONS, f, q, flows, (!kept).then_some(&mut *matrix));
            health.iterations += 1;
            if !kept {
                lu.factor(&matrix.values).map_err(|singular| Failure::Singular(singular.column + 1))?;
            }
            residual(missing, alpha, q, right, f);
            correction.copy_from_slice(missing);
            lu.solve(&mut correction[1..]);
            subtract(x, correction);
            if self.starting {
                // Nothing is known of full scales yet but what is being found.
                accuracy.restart(x);
            } else if self.known == 0 {
                accuracy.lift(x);
            }
            let size = accuracy.of_all(correction);
            if !size.is_finite() {
                break;
            }
            // Error left, as a part of the correction just made.
            let mut left = if kept { self.kept_contraction } else { self.curvature * size };
            if let Some(before) = before {
                let theta = size / before;
                if iteration == 1 && stage == Stage::End {
                    self.kept_contraction = theta;
                } else if before > STRAYED {
                    left = f64::INFINITY;
                } else {
                    self.curvature = theta / before;
                    left = if theta < 1.0 { theta / (1.0 - theta) } else { f64::INFINITY };
                }
            }
            before = Some(size.max(f64::MIN_POSITIVE));
            let settled = size * left.min(1.0) < SETTLED && !self.matrix.limited || !self.equations.nonlinear;
            if settled && self.finish(alpha, stage, size) {
                return Ok(());
            }
        }
        self.curvature = f64::INFINITY;
        self.worst = self.accuracy.worst(&self.correction);
        Err(Failure::Unsettled)
    }

    /// Brings charges and currents up to the last correction; false if the currents do not add
    /// up yet, or if a correction of this size was not the last one needed.
    fn finish(&mut self, alpha: f64, stage: Stage, size: f64) -> bool {
        if !self.end.x.iter().all(|v| v.abs() < LARGEST) {
            return false;
        }
        let doubtful = size > PLAIN && self.equations.nonlinear;
        if (stage == Stage::Inner || doubtful) && !self.obeys_current_law(alpha) {
            return false;
        }
        if doubtful {
            if !self.stays() {
                return false;
            }
            // It is known, so it is made.
            subtract(&mut self.end.x, &self.correction);
        } else if stage == Stage::Inner {
            return true;
        }
        // The correction that follows evaluates everything, so what the iteration solved for is
        // enough here: charges to first order, and currents that agree with them.
        let Stepper { equations, end, correction, missing, change, matrix, .. } = self;
        equations.charges_of(matrix, correction, change);
        let rows = end.q.iter_mut().zip(&mut end.f).zip(change.iter().zip(missing.iter()));
        for ((q, f), (change, missing)) in rows {
            *q -= change;
            // What the matrix says without its part in the charges, which would cancel badly.
            *f -= missing - alpha * change;
        }
        true
    }

    /// Largest estimated error of the step relative to what is allowed.
    fn error(&mut self, alpha: f64, h: f64) -> f64 {
        let factor = 2.0 * K * h * alpha;
        let weights = [1.0 / STAGE, -1.0 / (STAGE * (1.0 - STAGE)), 1.0 / (1.0 - STAGE)].map(|w| factor * w);
        let nodes = self.start.f.iter().zip(&self.middle.f).zip(&self.end.f);
        for ((right, ((start, middle), end)), dynamic) in self.right.iter_mut().zip(nodes).zip(&self.equations.dynamic)
        {
            *right = if *dynamic { weights[0] * start + weights[1] * middle + weights[2] * end } else { 0.0 };
        }
        self.lu.solve(&mut self.right[1..]);
        let size = self.accuracy.of_step(&self.right);
        if size > 1.0 {
            self.worst = self.accuracy.worst(&self.right);
        }
        size
    }

    /// Largest error of what is controlled between nodes relative to what is allowed.
    fn error_between_nodes(&mut self, h: f64) -> f64 {
        let [before, start, middle, end] = if self.known > 0 {
            // Weights of the third divided difference at −p, 0, γ and 1, in units of this step.
            let p = (self.start.t - self.past[0].0) / h;
            [
                -CUBIC_PEAK / (p * (p + STAGE) * (p + 1.0)),
                CUBIC_PEAK / (p * STAGE),
                -CUBIC_PEAK / ((STAGE + p) * STAGE * (1.0 - STAGE)),
                CUBIC_PEAK / ((1.0 + p) * (1.0 - STAGE)),
            ]
        } else {
            // Behind a corner the quadratic itself must be small beside the line, or something
            // fast has been stepped over: its middle would stand anywhere.
            [0.0, FIRST_STEP / STAGE, -FIRST_STEP / (STAGE * (1.0 - STAGE)), FIRST_STEP / (1.0 - STAGE)]
        };
        let nodes = self.past[0].1.iter().zip(&self.start.x).zip(&self.middle.x).zip(&self.end.x);
        for (cubic, (((x_before, x_start), x_middle), x_end)) in self.correction.iter_mut().zip(nodes) {
            *cubic = before * x_before + start * x_start + middle * x_middle + end * x_end;
        }
        self.accuracy.between_nodes(&self.correction)
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
