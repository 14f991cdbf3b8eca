//! Exact propagation within a configuration: `z(t + h) = e^(A·h)·z(t)` for any h.
//!
//! What the exponential changes, `e^(A·h) − 1`, is kept for multiples of a short time by powers of a base, so that any time is a
//! few products and a remainder over which a short Taylor series is exact to rounding. Without the one in it what is slow beside
//! something fast is known as closely as that.

use linear::{Kernel, Matrix, dot, exponential_less_one, one_after_the_other};

/// Steps of each level of the ladder.
const BASE: usize = 16;
/// Size of `A·h` at the foot of the ladder, in balanced units; the series below it needs few terms.
const FOOT: f64 = 0.05;
/// Terms of the series: what is left, 0.05¹⁰/10!, is below rounding whatever the units.
const TERMS: usize = 9;
/// A term that is no more than this beside what it is added to ends the series.
const NOTHING: f64 = 1e-18;

/// Size of `A·h` up to which one series serves a whole step, and terms of it at most: what is left of it, 1/22!, is rounding.
const SHORT: f64 = 1.0;
const MOST_TERMS: usize = 22;

/// Size of `A·h` of a series about where something is expected.
const NEAR: f64 = 0.25;

/// Size of `A·h` beyond which a rate over a step is lost in rounding.
const MOST_ROUNDED: f64 = 1e5;

/// Where what runs is a short time behind a beginning: `z + h·A·z·s + …` with s from 0 to 1. Where a step is as short as that, what is
/// looked at within it costs no products; where it is longer, the same series is the remainder of all that is looked at.
#[derive(Debug, Default)]
pub(crate) struct Series {
    terms: Vec<Vec<f64>>,
    count: usize,
    /// The time that s counts, s; zero where there is no series.
    span: f64,
}

impl Series {
    pub(crate) fn forget(&mut self) {
        self.span = 0.0;
    }

    pub(crate) fn is_known(&self) -> bool {
        self.span > 0.0
    }

    /// Whether it reaches so far, s.
    pub(crate) fn covers(&self, time: f64) -> bool {
        time <= self.span
    }

    /// The time that s counts, s; zero where there is no series.
    pub(crate) fn span(&self) -> f64 {
        self.span
    }

    /// About something, for times that are short.
    pub(crate) fn about(&mut self, z: &[f64], h: f64, ladder: &Ladder) {
        self.terms.resize_with(MOST_TERMS, Vec::new);
        self.terms[0].clear();
        self.terms[0].extend_from_slice(z);
        self.count = 1;
        while self.count < MOST_TERMS {
            let (before, after) = self.terms.split_at_mut(self.count);
            let (last, next) = (&before[self.count - 1], &mut after[0]);
            next.resize(z.len(), 0.0);
            ladder.rates.apply(last, next);
            let factor = h / self.count as f64;
            let mut counts = false;
            for (next, z) in next.iter_mut().zip(z) {
                *next *= factor;
                counts |= next.abs() > NOTHING * z.abs();
            }
            self.count += 1;
            if !counts {
                break;
            }
        }
        self.span = h;
    }

    /// A row over what runs, as coefficients of the powers of s.
    pub(crate) fn along(&self, row: &[f64], powers: &mut Vec<f64>) {
        powers.clear();
        powers.extend(self.terms[..self.count].iter().map(|term| dot(row, term)));
    }

    /// What runs a time behind the beginning, s.
    pub(crate) fn at(&self, time: f64, into: &mut Vec<f64>) {
        let s = time / self.span;
        let (last, others) = self.terms[..self.count].split_last().unwrap_or((&self.terms[0], &[]));
        into.clear();
        into.extend_from_slice(last);
        for term in others.iter().rev() {
            into.iter_mut().zip(term).for_each(|(sum, term)| *sum = *sum * s + term);
        }
    }
}

/// What it takes to propagate within a configuration.
#[derive(Debug, Default)]
pub(crate) struct Ladder {
    rates: Kernel,
    /// Rates times the lowest level's step, and what a step of the level that comes next changes.
    first: Matrix,
    next: Option<Matrix>,
    /// Time of a step of the lowest level, s.
    foot: f64,
    /// Of each level, what one to fifteen steps change; made when they are first needed.
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
    pub(crate) fn advance(&mut self, z: &mut [f64], h: f64) {
        let mut left = h;
        if self.foot.is_finite() && left >= self.foot {
            let whole = (left / self.foot) as u64;
            left = (left - whole as f64 * self.foot).max(0.0);
            self.feet(z, whole);
        }
        self.series(z, left);
    }

    /// What becomes of z over a time, s, less z.
    pub(crate) fn change(&mut self, z: &[f64], h: f64) -> Vec<f64> {
        let (mut change, mut left, mut there) = (vec![0.0; z.len()], h, z.to_vec());
        let mut add = |there: &mut Vec<f64>, more: &[f64]| {
            change.iter_mut().zip(more).for_each(|(change, more)| *change += more);
            there.iter_mut().zip(z).zip(&change).for_each(|((there, z), change)| *there = z + change);
        };
        if self.foot.is_finite() && left >= self.foot {
            let mut whole = (left / self.foot) as u64;
            left = (left - whole as f64 * self.foot).max(0.0);
            let mut level = 0;
            while whole > 0 {
                let steps = (whole % BASE as u64) as usize;
                if steps > 0 {
                    self.climb(level);
                    self.levels[level][steps - 1].apply(&there, &mut self.spare[0]);
                    add(&mut there, &self.spare[0]);
                }
                whole /= BASE as u64;
                level += 1;
            }
        }
        let mut term = there.clone();
        for k in 1..=TERMS {
            self.rates.apply(&term, &mut self.spare[0]);
            self.spare[0].iter_mut().for_each(|next| *next *= left / k as f64);
            term.copy_from_slice(&self.spare[0]);
            add(&mut there, &term);
        }
        change
    }

    /// Moves z on by so many steps of the lowest level.
    fn feet(&mut self, z: &mut [f64], mut whole: u64) {
        let mut level = 0;
        while whole > 0 {
            let steps = (whole % BASE as u64) as usize;
            if steps > 0 {
                self.climb(level);
                self.levels[level][steps - 1].apply(z, &mut self.spare[0]);
                z.iter_mut().zip(&self.spare[0]).for_each(|(z, change)| *z += change);
            }
            whole /= BASE as u64;
            level += 1;
        }
    }

    /// A series about z from which all of a step of a length, s, is found by [`Ladder::place`].
    pub(crate) fn begin(&self, z: &[f64], h: f64, series: &mut Series) {
        let span = if h > 0.0 && self.is_short(h) { h } else { self.foot.min(f64::MAX) };
        series.about(z, span, self);
    }

    /// What runs a time, s, behind the beginning of such a series: whole steps of the lowest level, and what the series says of the rest.
    pub(crate) fn place(&mut self, series: &Series, time: f64, into: &mut Vec<f64>) {
        if series.covers(time) {
            return series.at(time, into);
        }
        let whole = (time / self.foot) as u64;
        series.at((time - whole as f64 * self.foot).max(0.0), into);
        self.feet(into, whole);
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

    /// A time beside which a series takes few terms, s.
    pub(crate) fn near(&self) -> f64 {
        NEAR / FOOT * self.foot
    }

    /// Whether a time, s, is short beside everything that moves, so that one series serves all of it.
    pub(crate) fn is_short(&self, h: f64) -> bool {
        h * FOOT <= SHORT * self.foot
    }

    /// Whether rates over a time, s, are more than rounding: `‖A‖·h` is as many times what is there.
    pub(crate) fn rates_tell(&self, h: f64) -> bool {
        h * FOOT <= MOST_ROUNDED * self.foot
    }

    fn climb(&mut self, level: usize) {
        while self.levels.len() <= level {
            let one = self.next.take().unwrap_or_else(|| exponential_less_one(&self.first));
            let (mut steps, mut power) = (vec![Kernel::new(&one)], one.clone());
            for _ in 1..BASE - 1 {
                power = one_after_the_other(&one, &power);
                steps.push(Kernel::new(&power));
            }
            self.next = Some(one_after_the_other(&one, &power));
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
