//! What error is allowed, and how large a given one is beside it.

use crate::equations::Equations;
use crate::stamps::Unknown;

/// Allowed error of a step relative to full scale, as a part of the accuracy wanted of the
/// result. Both the estimate and what errors add up to go with the third power of the step, so
/// they are in proportion; ten periods of an undamped LC circuit end within the tolerance.
const LOCAL: f64 = 0.15;
/// The same for the error between nodes, which does not add up from step to step.
const BETWEEN_NODES: f64 = 0.1;
/// Smallest full scale of a quantity, relative to the largest of its kind.
const SMALLEST_SCALE: f64 = 1e-3;
/// Full scale is not taken smaller than this, V or A.
const SMALLEST: f64 = 1e-6;
/// Full scale of currents is not taken smaller than this while first values are found, A.
const FIRST_CURRENT: f64 = 1e-3;
/// The same for what is neither, such as a temperature in K.
const SMALLEST_OTHER: f64 = 1e-2;

/// Full scales met so far and the weights that follow from them.
pub(crate) struct Accuracy {
    /// Of each unknown: 0 for voltages, 1 for currents, 2 for what is neither.
    sort: Vec<usize>,
    local: f64,
    largest_current: f64,
    lifted: bool,
    /// Largest magnitude of each unknown; of the first, which is `gnd`, the largest voltage any
    /// part imposes.
    scale: Vec<f64>,
    /// Reciprocals of the allowed errors, of all unknowns and of those alone whose error is
    /// controlled.
    weight: Vec<f64>,
    controlled: Vec<f64>,
}

impl Accuracy {
    pub(super) fn new(equations: &Equations, tolerance: f64) -> Self {
        let size = equations.n + 1;
        let mut accuracy = Accuracy {
            sort: equations.unknowns.iter().map(sort).collect(),
            local: LOCAL * tolerance,
            largest_current: 0.0,
            lifted: false,
            scale: vec![0.0; size],
            weight: vec![0.0; size],
            controlled: equations.controlled.iter().map(|controlled| f64::from(u8::from(*controlled))).collect(),
        };
        accuracy.scale[0] = equations.models.iter().map(|m| m.imposed_voltage()).fold(0.0, f64::max);
        accuracy.update_weights();
        accuracy
    }

    /// One that tells sizes relative to these full scales.
    pub(crate) fn relative(equations: &Equations, scales: &[f64]) -> Self {
        let mut accuracy = Accuracy::new(equations, 1.0 / LOCAL);
        accuracy.resume(scales);
        accuracy
    }

    /// Takes note of values reached.
    pub(super) fn note(&mut self, x: &[f64]) {
        let mut grown = std::mem::take(&mut self.lifted);
        for (scale, x) in self.scale[1..].iter_mut().zip(&x[1..]) {
            if x.abs() > *scale {
                (*scale, grown) = (x.abs(), true);
            }
        }
        if grown {
            self.update_weights();
        }
    }

    /// Lets values not yet accepted count for full scale until the next are taken note of: behind
    /// a corner a current can jump to a size it never had.
    pub(super) fn lift(&mut self, x: &[f64]) {
        let scale = self.scale.clone();
        for (scale, x) in self.scale[1..].iter_mut().zip(&x[1..]) {
            *scale = scale.max(x.abs());
        }
        self.update_weights();
        self.scale = scale;
        self.lifted = true;
    }

    fn update_weights(&mut self) {
        let mut floors = [SMALLEST, SMALLEST, 0.0];
        for (scale, sort) in self.scale.iter().zip(&self.sort).filter(|(_, sort)| **sort < 2) {
            floors[*sort] = scale.max(floors[*sort]);
        }
        self.largest_current = floors[1];
        let floors = [SMALLEST_SCALE * floors[0], SMALLEST_SCALE * floors[1], SMALLEST_OTHER];
        for ((weight, scale), sort) in self.weight.iter_mut().zip(&self.scale).zip(&self.sort) {
            *weight = 1.0 / (self.local * scale.max(floors[*sort]));
        }
    }

    /// Largest current met, A.
    pub(super) fn largest_current(&self) -> f64 {
        self.largest_current
    }

    /// The largest part of a correction to the unknowns in units of what is allowed; infinite where
    /// the correction is not a number.
    pub(super) fn of_all(&self, correction: &[f64]) -> f64 {
        largest(correction.iter().zip(&self.weight).map(|(error, weight)| error * weight))
    }

    /// The same for the error of a step, looking at what is controlled.
    pub(crate) fn of_step(&self, error: &[f64]) -> f64 {
        let sizes = error.iter().zip(&self.weight).zip(&self.controlled);
        largest(sizes.map(|((error, weight), controlled)| error * weight * controlled))
    }

    /// The same for an error between nodes.
    pub(super) fn between_nodes(&self, error: &[f64]) -> f64 {
        LOCAL / BETWEEN_NODES * self.of_step(error)
    }

    /// The unknown whose error is the largest, or not a number.
    pub(super) fn worst(&self, error: &[f64]) -> usize {
        let size = |i: &usize| (error[*i] * self.weight[*i]).abs();
        let order = |a: &usize, b: &usize| size(a).total_cmp(&size(b));
        (1..error.len()).max_by(order).unwrap_or(0)
    }

    /// Largest magnitude of each unknown so far.
    pub(super) fn scales(&self) -> &[f64] {
        &self.scale
    }

    /// Takes full scales met before.
    pub(super) fn resume(&mut self, scales: &[f64]) {
        self.scale.copy_from_slice(scales);
        self.update_weights();
    }

    /// Forgets all full scales.
    pub(super) fn forget(&mut self) {
        self.scale[1..].fill(0.0);
    }

    /// Takes these values alone for full scale.
    pub(super) fn restart(&mut self, x: &[f64]) {
        for ((scale, x), sort) in self.scale[1..].iter_mut().zip(&x[1..]).zip(&self.sort[1..]) {
            *scale = x.abs().max(if *sort == 1 { FIRST_CURRENT } else { 0.0 });
        }
        self.update_weights();
    }
}

fn sort(unknown: &Unknown) -> usize {
    match unknown {
        Unknown::Net(_) | Unknown::Inner(_) => 0,
        Unknown::Branch(_) => 1,
        Unknown::Other(_) => 2,
    }
}

/// The largest size; infinite where one is not a number. The first, which is `gnd`'s, does not count.
fn largest(sizes: impl Iterator<Item = f64>) -> f64 {
    let (mut largest, mut sum) = (0.0f64, 0.0f64);
    for size in sizes.skip(1) {
        largest = if size.abs() > largest { size.abs() } else { largest };
        sum += size;
    }
    if sum.is_finite() { largest } else { f64::INFINITY }
}
