//! Exact propagation within a configuration: `z(t + h) = e^(A·h)·z(t)` for any h.
//!
//! The exponential is kept for multiples of a short time by powers of a base, so that any time is a few products and a
//! remainder over which a short Taylor series is exact to rounding.

use linear::{Kernel, Matrix, exponential};

/// Steps of each level of the ladder.
const BASE: usize = 16;
/// Size of `A·h` at the foot of the ladder, in balanced units; the series below it needs few terms.
const FOOT: f64 = 0.05;
/// Terms of the series: what is left, 0.05¹⁰/10!, is below rounding whatever the units.
const TERMS: usize = 9;
/// A term that is no more than this beside what it is added to ends the series.
const NOTHING: f64 = 1e-18;

/// What it takes to propagate within a configuration.
#[derive(Debug)]
pub(crate) struct Ladder {
    rates: Kernel,
    /// Rates times the lowest level's step, and the exponential of a step of the level that comes next.
    first: Matrix,
    next: Option<Matrix>,
    /// Time of a step of the lowest level, s.
    foot: f64,
    /// Of each level, exponentials of one to fifteen steps; made when they are first needed.
    levels: Vec<Vec<Kernel>>,
    spare: [Vec<f64>; 2],
}

impl Ladder {
    pub(crate) fn new(rates: &Matrix) -> Self {
        let n = rates.rows();
        let size = spectral(rates);
        let foot = if size > 0.0 { FOOT / size } else { f64::INFINITY };
        let first = rates.clone().scaled(if foot.is_finite() { foot } else { 0.0 });
        Ladder {
            rates: Kernel::new(rates),
            first,
            next: None,
            foot,
            levels: Vec::new(),
            spare: [vec![0.0; n], vec![0.0; n]],
        }
    }

    /// Moves z on by a time, s.
    pub(crate) fn advance(&mut self, z: &mut Vec<f64>, h: f64) {
        let mut left = h;
        if self.foot.is_finite() && left >= self.foot {
            let mut whole = (left / self.foot) as u64;
            left = (left - whole as f64 * self.foot).max(0.0);
            let mut level = 0;
            while whole > 0 {
                let steps = (whole % BASE as u64) as usize;
                if steps > 0 {
                    self.climb(level);
                    let step = &self.levels[level][steps - 1];
                    step.apply(z, &mut self.spare[0]);
                    std::mem::swap(z, &mut self.spare[0]);
                }
                whole /= BASE as u64;
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
        for k in 1..=TERMS {
            self.rates.apply(term, next);
            let factor = h / k as f64;
            let mut counts = false;
            for (z, next) in z.iter_mut().zip(next.iter_mut()) {
                *next *= factor;
                counts |= next.abs() > NOTHING * z.abs();
                *z += *next;
            }
            if !counts {
                break;
            }
            std::mem::swap(term, next);
        }
    }

    fn climb(&mut self, level: usize) {
        while self.levels.len() <= level {
            let one = self.next.take().unwrap_or_else(|| exponential(&self.first));
            let (mut steps, mut power) = (vec![Kernel::new(&one)], one.clone());
            for _ in 1..BASE - 1 {
                power = power.times(&one);
                steps.push(Kernel::new(&power));
            }
            self.next = Some(power.times(&one));
            self.levels.push(steps);
        }
    }
}

/// How fast anything moves at most, 1/s: `‖A^k‖^(1/k)` bounds it for every k and comes nearer as k grows, whatever the units of
/// the states.
fn spectral(rates: &Matrix) -> f64 {
    let a2 = rates.times(rates);
    let a4 = a2.times(&a2);
    let a8 = a4.times(&a4);
    [rates.norm(), a2.norm().powf(0.5), a4.norm().powf(0.25), a8.norm().powf(0.125)]
        .into_iter()
        .fold(f64::INFINITY, f64::min)
}
