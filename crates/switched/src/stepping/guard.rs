//! A guard within a step as a polynomial: whether it falls, how low, and where it is zero.

use crate::stepping::slope::{Slope, sextic, strays};
use linear::dot;
use recording::quartic;

/// Rounds of a search; each makes the bracket smaller.
pub(crate) const MOST_ROUNDS: usize = 200;
/// In so many rounds one is a bisection, in case one end of the bracket does not move.
pub(crate) const BISECTED: usize = 4;
/// Places a course is looked at to see whether it dips below a level.
const LOOKS: usize = 24;
/// Times the stretch about a lowest place is halved.
const NARROWED: u32 = 20;
/// How far a quartic may pass what it goes through, relative to its range (Lebesgue's constant of the nodes is 1.64).
const BEYOND: f64 = 0.32;
/// How far the quartic may be from a guard's course where the polynomial of degree 6 is trusted, relative to how much the guard moves.
const CLOSE: f64 = 0.05;

/// Bernstein's coefficients of a polynomial of degree 6 by those of its powers: `C(i, j)/C(6, j)`. It goes nowhere below the least of
/// them.
const BERNSTEIN: [[f64; 7]; 7] = {
    let (mut table, mut i) = ([[0.0; 7]; 7], 0);
    while i < 7 {
        table[i][0] = 1.0;
        let mut j = 1;
        while j <= i {
            table[i][j] = table[i][j - 1] * (i + 1 - j) as f64 / (7 - j) as f64;
            j += 1;
        }
        i += 1;
    }
    table
};

/// A guard within a step of length one, as the polynomial through all that is known of it.
#[derive(Clone, Copy, Debug)]
pub(crate) struct Course {
    powers: [f64; 7],
    /// How far it may be from the guard, relative to how much that moves.
    strays: f64,
}

impl Course {
    /// A guard by what it is at the nodes and how it changes at both ends, over the whole step; none if it stays above zero in any case.
    pub(crate) fn that_may_fall(levels: [f64; 5], slopes: [f64; 2]) -> Option<Self> {
        let off = Slope::of(levels).off(slopes[0], slopes[1]);
        let (low, high) = levels.iter().fold((f64::INFINITY, f64::NEG_INFINITY), |(l, h), y| (y.min(l), y.max(h)));
        if low > BEYOND * (high - low) + strays(off[0]) + strays(off[1]) {
            return None;
        }
        let strays = (strays(off[0]) + strays(off[1])) / (high - low).max(f64::MIN_POSITIVE);
        Some(Course { powers: sextic(quartic(levels), off), strays })
    }

    /// Whether it does what the guard does, as far as is known of that.
    pub(crate) fn is_close(&self) -> bool {
        self.strays <= CLOSE
    }

    /// The same, counted from a base.
    pub(crate) fn above(mut self, base: f64) -> Self {
        self.powers[0] -= base;
        self
    }

    fn at(&self, s: f64) -> f64 {
        polynomial(&self.powers, s).0
    }

    /// The first place found at which it is below a level.
    pub(crate) fn below(&self, level: f64) -> Option<f64> {
        if BERNSTEIN.iter().all(|row| dot(row, &self.powers) >= level) {
            return None;
        }
        let place = |k: usize| k as f64 / LOOKS as f64;
        let seen: [f64; LOOKS + 1] = std::array::from_fn(|k| self.at(place(k)));
        (0..=LOOKS).find_map(|k| {
            if k > 0 && seen[k] < level {
                return Some(place(k));
            }
            let (before, behind) = (k.saturating_sub(1), (k + 1).min(LOOKS));
            let turns = seen[k] <= seen[before] && seen[k] <= seen[behind];
            turns.then(|| self.lowest(place(before), place(behind))).filter(|lowest| self.at(*lowest) < level)
        })
    }

    /// Where it is lowest between two places, where it falls first and rises last.
    fn lowest(&self, mut a: f64, mut b: f64) -> f64 {
        for _ in 0..NARROWED {
            let middle = 0.5 * (a + b);
            if polynomial(&self.powers, middle).1 < 0.0 {
                a = middle;
            } else {
                b = middle;
            }
        }
        0.5 * (a + b)
    }

    /// Where it is zero before a time, s, in a step of a length; that time if it is not.
    pub(crate) fn zero(&self, h: f64, upper: f64) -> f64 {
        if self.at(upper / h) < 0.0 { h * zero(&self.powers, (0.0, upper / h), 1e-9) } else { upper }
    }
}

/// A polynomial by its coefficients from the lowest, and its derivative.
pub(crate) fn polynomial(powers: &[f64], s: f64) -> (f64, f64) {
    powers.iter().rev().fold((0.0, 0.0), |(value, slope), power| (value * s + power, slope * s + value))
}

/// Where a polynomial that is at or above zero at one bound and below at the other is zero: Newton's method held within a bracket
/// that each step makes smaller.
pub(crate) fn zero(powers: &[f64], (mut a, mut b): (f64, f64), resolution: f64) -> f64 {
    let mut x = b;
    for round in 1..=MOST_ROUNDS {
        let (value, slope) = polynomial(powers, x);
        if value < 0.0 {
            b = x
        } else {
            a = x
        }
        if value == 0.0 {
            return x;
        }
        if b - a <= resolution {
            break;
        }
        let newton = x - value / slope;
        let inside = newton > a && newton < b && round % BISECTED != 0;
        let next = if inside { newton } else { 0.5 * (a + b) };
        if (next - x).abs() <= 0.25 * resolution {
            // On the far side of the root by no more than can be told apart.
            return next;
        }
        x = next;
    }
    b
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;
    use recording::PLACES;

    proptest! {
        /// A dip below a level is found wherever it is and however shallow, and nothing else is taken for one.
        #[test]
        fn dips_are_found(made in prop::array::uniform7(-3.0..3.0f64), depth in prop_oneof![-0.5..-1e-6f64, 1e-6..0.5f64], at in 0usize..1000) {
            let mut course = Course { powers: made, strays: 0.0 };
            let least = |course: &Course| (0..=1000).map(|k| course.at(f64::from(k) / 1000.0)).fold(f64::INFINITY, f64::min);
            // Its lowest place anywhere, or what it is at some place.
            let zero = if at < 500 { least(&course) } else { course.at(at as f64 / 1000.0) };
            course.powers[0] -= zero - depth;
            let (found, low) = (course.below(0.0), least(&course));
            prop_assert!(found.is_none_or(|at| course.at(at) < 0.0));
            // It begins above.
            prop_assert!(found.is_some() || low >= 0.0 || course.powers[0] <= 0.0, "{low:.1e} of {course:?}");
            prop_assert!(found.is_none() || low < 1e-5, "{low:.1e}");
        }

        /// A guard that begins at zero or above, rises or falls, and falls through zero later gives way later, whether it is followed
        /// as a polynomial or guessed from what is seen of it at a step's nodes.
        #[test]
        fn what_begins_at_zero_gives_way_where_it_falls(root in 0.01..0.95f64, start in prop_oneof![Just(0.0), 0.0..2.0f64], bend in 0.1..9.0f64) {
            // (s + start)·(root − s)·(bend + s²)
            let (lower, upper) = ([start * root, root - start, -1.0], [bend, 0.0, 1.0]);
            let mut powers = [0.0; 5];
            (0..9).for_each(|k| powers[k / 3 + k % 3] += lower[k / 3] * upper[k % 3]);
            prop_assert!((zero(&powers, (0.0, 1.0), 1e-14) - root).abs() < 1e-12);
            let h = 1e-6;
            let ([a, b, c], ends) = (PLACES.map(|s| polynomial(&powers, s)), [0.0, 1.0].map(|s| polynomial(&powers, s)));
            let course = Course::that_may_fall([ends[0].0, a.0, b.0, c.0, ends[1].0], ends.map(|end| end.1)).unwrap();
            prop_assert!((course.zero(h, h) / h - root).abs() < 1e-9, "{} for {}", course.zero(h, h) / h, root);
        }
    }
}
