//! Exact propagation within a configuration: `z(t + h) = e^(A·h)·z(t)` for any h.
//!
//! The exponential is kept for multiples of a short time by powers of a base, so that any time is a few products and a
//! remainder over which a short Taylor series is exact to rounding.

use linear::{Matrix, exponential};

/// Steps of each level of the ladder.
const BASE: usize = 16;
/// Size of `A·h` at the foot of the ladder, in balanced units; the series below it needs few terms.
const FOOT: f64 = 0.05;
/// Terms of the series: 0.05⁷/7! is below rounding.
const TERMS: usize = 7;
/// Levels at most; time beyond is gone in steps of the last.
const MOST_LEVELS: usize = 24;

/// What it takes to propagate within a configuration.
#[derive(Debug)]
pub(crate) struct Ladder {
    rates: Matrix,
    /// Time of a step of the lowest level, s.
    foot: f64,
    /// Of each level, exponentials of one to fifteen steps; made when they are first needed.
    levels: Vec<Vec<Matrix>>,
    spare: [Vec<f64>; 2],
}

impl Ladder {
    pub(crate) fn new(rates: &Matrix) -> Self {
        let n = rates.rows();
        let size = spectral(rates);
        let foot = if size > 0.0 { FOOT / size } else { f64::INFINITY };
        Ladder { rates: rates.clone(), foot, levels: Vec::new(), spare: [vec![0.0; n], vec![0.0; n]] }
    }

    /// Moves z on by a time, s.
    pub(crate) fn advance(&mut self, z: &mut Vec<f64>, h: f64) {
        let mut left = h;
        if self.foot.is_finite() && left >= self.foot {
            let mut whole = (left / self.foot).floor();
            left = (left - whole * self.foot).max(0.0);
            let mut level = 0;
            while whole >= 1.0 && level + 1 < MOST_LEVELS {
                let steps = (whole % BASE as f64) as usize;
                if steps > 0 {
                    self.climb(level);
                    let step = &self.levels[level][steps - 1];
                    step.apply(z, &mut self.spare[0]);
                    std::mem::swap(z, &mut self.spare[0]);
                }
                whole = (whole / BASE as f64).floor();
                level += 1;
            }
        }
        self.series(z, left);
    }

    /// The series for a time below the foot.
    fn series(&mut self, z: &mut [f64], h: f64) {
        if h == 0.0 {
            return;
        }
        let [term, next] = &mut self.spare;
        term.copy_from_slice(z);
        let reach = FOOT * h / self.foot;
        let mut size = 1.0;
        for k in 1..=TERMS {
            size *= reach / k as f64;
            if size < f64::EPSILON * f64::EPSILON.sqrt() {
                break;
            }
            self.rates.apply(term, next);
            let factor = h / k as f64;
            for (z, next) in z.iter_mut().zip(next.iter_mut()) {
                *next *= factor;
                *z += *next;
            }
            std::mem::swap(term, next);
        }
    }

    fn climb(&mut self, level: usize) {
        while self.levels.len() <= level {
            let one = match self.levels.last() {
                Some(below) => below[0].times(&below[BASE - 2]),
                None => exponential(&self.rates.clone().scaled(self.foot)),
            };
            let mut steps = vec![one];
            for k in 1..BASE - 1 {
                steps.push(steps[k - 1].times(&steps[0]));
            }
            self.levels.push(steps);
        }
    }
}

/// A bound on the fastest rate that does not depend on units: of the norms of powers, `‖A^k‖^(1/k)` after balancing would do;
/// here the smallest of the first few over norms weighed by rows.
fn spectral(rates: &Matrix) -> f64 {
    let a2 = rates.times(rates);
    let a4 = a2.times(&a2);
    let a8 = a4.times(&a4);
    [rates.norm(), a2.norm().powf(0.5), a4.norm().powf(0.25), a8.norm().powf(0.125)]
        .into_iter()
        .fold(f64::INFINITY, f64::min)
}
