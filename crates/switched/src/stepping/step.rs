//! A step while it is looked for: what runs and what is seen at its nodes, and how far quartics through them are from the course.

use crate::configuration::compiled::Compiled;
use crate::stepping::machine::Machine;
use crate::stepping::propagator::Series;
use crate::stepping::slope::{Slope, strays};
use crate::transient::recorder::Nodes;
use linear::Matrix;
use recording::{PLACES, quartic};

/// Rounding of a sum, relative to its terms.
const NOISE: f64 = 1e-13;
/// Places about half way between the nodes, where a quartic is farthest from a course that bends one way.
const HALFWAY: [f64; 4] = [0.067, 0.335, 0.665, 0.933];

/// The step at hand.
#[derive(Debug, Default)]
pub(crate) struct Stretch {
    /// What runs at its inner nodes and at its end.
    inner: [Vec<f64>; 3],
    pub(crate) last: Vec<f64>,
    /// What is seen at its beginning, at its inner nodes and at its end.
    pub(crate) here: Vec<f64>,
    inside: [Vec<f64>; 3],
    pub(crate) there: Vec<f64>,
    /// What runs behind the beginning of the step.
    pub(crate) series: Series,
    probe: Vec<f64>,
    between: Vec<f64>,
    /// What an error in each of what moves may come to.
    allowed: Vec<f64>,
}

impl Stretch {
    /// Looks at where a machine stands.
    pub(crate) fn look(&mut self, machine: &Machine) {
        machine.compiled[machine.at].look(&machine.z, &mut self.here);
    }

    /// Begins another step.
    pub(crate) fn begin(&mut self) {
        self.series.forget();
    }

    /// What an error in each recorded row may come to.
    pub(crate) fn allow(&mut self, compiled: &Compiled, allowed: &[f64]) {
        compiled.allowed_of_moving(allowed, &mut self.allowed);
    }

    /// Makes the step one of a length, s.
    pub(crate) fn reach(&mut self, machine: &mut Machine, h: f64) {
        if !self.series.is_known() {
            machine.compiled[machine.at].ladder.begin(&machine.z, h, &mut self.series);
        }
        let mut last = std::mem::take(&mut self.last);
        self.place(machine, h, &mut last);
        self.last = last;
        self.look_along(machine, h);
    }

    /// Looks along a step whose end is known.
    pub(crate) fn look_along(&mut self, machine: &mut Machine, h: f64) {
        let mut inner = std::mem::take(&mut self.inner);
        for (place, inner) in PLACES.into_iter().zip(&mut inner) {
            self.place(machine, place * h, inner);
        }
        self.inner = inner;
        let compiled = &machine.compiled[machine.at];
        for (inner, inside) in self.inner.iter().zip(&mut self.inside) {
            compiled.look_inside(inner, inside);
        }
        compiled.look(&self.last, &mut self.there);
    }

    /// What runs a time behind the beginning, s.
    fn place(&self, machine: &mut Machine, time: f64, into: &mut Vec<f64>) {
        machine.compiled[machine.at].ladder.place(&self.series, time, into);
    }

    /// What is seen at the nodes.
    pub(crate) fn seen(&self) -> Nodes<'_> {
        let [a, b, c] = &self.inside;
        [&self.here, a, b, c, &self.there]
    }

    /// What runs at the nodes.
    pub(crate) fn nodes<'a>(&'a self, machine: &'a Machine) -> Nodes<'a> {
        let [a, b, c] = &self.inner;
        [&machine.z, a, b, c, &self.last]
    }

    /// How far the quartics through the nodes are from the course, relative to what is allowed, as the slopes tell where the step begins
    /// and where it ends.
    pub(crate) fn error(&self, machine: &Machine, h: f64) -> [f64; 2] {
        let compiled = &machine.compiled[machine.at];
        let (seen, nodes) = (compiled.seen(), self.seen());
        let (begins, ends) = (seen.slopes(&self.here), seen.slopes(&self.there));
        let mut most = [0.0f64; 2];
        for (k, (row, allowed)) in compiled.standing().zip(&self.allowed).enumerate() {
            let off = Slope::of(nodes.map(|at| at[row])).off(h * begins[k], h * ends[k]);
            for (most, off) in most.iter_mut().zip(off.map(strays)) {
                if off > *most * allowed {
                    *most = most.max((off - self.noise(compiled, k, h)) / allowed);
                }
            }
        }
        most
    }

    /// The same by what is really there half way between the nodes: where something very fast has died away, slopes tell nothing.
    pub(crate) fn error_between(&mut self, machine: &mut Machine, h: f64) -> f64 {
        let mut probe = std::mem::take(&mut self.probe);
        let mut seen = std::mem::take(&mut self.between);
        let mut most = 0.0f64;
        for s in HALFWAY {
            self.place(machine, s * h, &mut probe);
            let compiled = &machine.compiled[machine.at];
            compiled.look_inside(&probe, &mut seen);
            for (k, (row, allowed)) in compiled.standing().zip(&self.allowed).enumerate() {
                let course = quartic(self.seen().map(|at| at[row]));
                let off = (course.iter().rev().fold(0.0, |sum, c| sum * s + c) - seen[row]).abs();
                if off > most * allowed {
                    most = most.max((off - self.noise(compiled, k, 0.0)) / allowed);
                }
            }
        }
        (self.probe, self.between) = (probe, seen);
        most
    }

    /// What rounding may make of that: of the values, and of slopes over a step where something is so fast that they are large numbers
    /// that cancel.
    fn noise(&self, compiled: &Compiled, row: usize, h: f64) -> f64 {
        let [values, slopes] = &compiled.moving;
        let size =
            |rows: &Matrix| rows.row(row).iter().zip(&self.last).map(|(factor, z)| (factor * z).abs()).sum::<f64>();
        NOISE * (size(values) + if h > 0.0 { h * size(slopes) } else { 0.0 })
    }
}
