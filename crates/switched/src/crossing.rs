//! When in a step a guard gives way first, and what runs then.
//!
//! Where the whole step is one power series, so is each guard, and its zero is a polynomial's. Elsewhere a zero is guessed by the
//! polynomial of degree 6 through what was seen of it at the step's nodes and how it changes at both ends; about the guess the guard
//! is a power series again, and mostly the zero is so near that this is the last word.

use crate::compiled::Compiled;
use crate::propagate::Series;
use crate::recorder::Nodes;
use crate::slope::{Slope, sextic, strays};
use linear::dot;
use recording::{PLACES, quartic};

/// Rounds of a search; each makes the bracket smaller.
const MOST_ROUNDS: usize = 200;
/// In so many rounds one is a bisection, in case one end of the bracket does not move.
const BISECTED: usize = 4;
/// Places a course is looked at to see whether it dips below a level.
const LOOKS: usize = 24;
/// A dip between nodes that is none, relative to the largest there is of its guard in the step.
const SHALLOW: f64 = 1e-12;
/// Times the stretch about a lowest place is halved.
const NARROWED: u32 = 20;
/// How far a quartic may pass what it goes through, relative to its range (Lebesgue's constant of the nodes is 1.64).
const BEYOND: f64 = 0.32;

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

/// A step that has been looked at, without regard to what happens within.
pub(crate) struct Looked<'a> {
    /// s.
    pub(crate) length: f64,
    /// What runs behind its beginning.
    pub(crate) series: &'a Series,
    /// What was seen at its nodes.
    pub(crate) seen: Nodes<'a>,
    /// Time that cannot be told apart, s.
    pub(crate) resolution: f64,
}

/// A guard within a step of length one, as the polynomial through all that is known of it.
#[derive(Clone, Copy, Debug)]
struct Course {
    powers: [f64; 7],
}

/// What is needed to look for crossings, kept from one to the next.
#[derive(Debug, Default)]
pub(crate) struct Watch {
    probe: Vec<f64>,
    near: Series,
    powers: Vec<f64>,
    found: Vec<f64>,
    /// What runs at the first crossing.
    pub(crate) end: Vec<f64>,
}

impl Watch {
    /// The first guard to give way and when, s from the step's beginning; `least` is what counts as zero of a row.
    pub(crate) fn first(
        &mut self,
        compiled: &mut Compiled,
        step: &Looked<'_>,
        least: impl Fn(&[f64]) -> f64,
    ) -> Option<(f64, usize)> {
        let (seen, h) = (compiled.seen(), step.length);
        let mut first: Option<(f64, usize)> = None;
        for index in 0..compiled.of.guards.len() {
            let levels = step.seen.map(|at| seen.guard(at, index));
            let slopes = [step.seen[0], step.seen[4]].map(|at| h * seen.slope(at, index));
            let Some(course) = Course::that_may_fall(levels, slopes) else { continue };
            let least = -least(&compiled.of.guards[index].levels[0]);
            // What the resolution of time left below zero at an event counts from there.
            let base = levels[0].min(0.0);
            let course = course.above(base);
            let below = PLACES.into_iter().chain([1.0]).zip(&levels[1..]).find(|(_, level)| **level - base < least);
            let below = below.map(|(place, _)| place);
            // Before that it may have been below as well, by more than what its own size leaves of rounding.
            let deep = least - SHALLOW * levels.iter().fold(0.0, |most: f64, level| most.max(level.abs()));
            let dips = course.below(deep).filter(|at| below.is_none_or(|below| *at < below));
            let dips = dips.filter(|at| self.level(compiled, step, (index, base), at * h).0 < deep);
            let bracket = match dips.or(below) {
                Some(place) => Some(place * h),
                None if slopes[0] < 0.0 && slopes[1] > 0.0 => self.dip(compiled, step, (index, base), least),
                None => None,
            };
            let Some(mut upper) = bracket else { continue };
            // Nothing beyond the first crossing so far is of interest.
            if let Some((before, _)) = first
                && before < upper
            {
                if self.level(compiled, step, (index, base), before).0 >= least {
                    continue;
                }
                upper = before;
            }
            first = Some((self.zero(compiled, step, (index, base), course, upper), index));
            std::mem::swap(&mut self.found, &mut self.end);
        }
        first
    }

    /// What runs a time behind a step's beginning, s.
    fn place(&mut self, compiled: &mut Compiled, step: &Looked<'_>, time: f64) {
        compiled.ladder.place(step.series, time, &mut self.probe);
    }

    /// A guard above its base, and how it changes.
    fn level(
        &mut self,
        compiled: &mut Compiled,
        step: &Looked<'_>,
        (guard, base): (usize, f64),
        time: f64,
    ) -> (f64, f64) {
        self.place(compiled, step, time);
        let [value, slope, _] = &compiled.of.guards[guard].levels;
        (dot(value, &self.probe) - base, dot(slope, &self.probe))
    }

    /// A time at which a guard that falls first and rises at the end is below a level, if it is anywhere.
    fn dip(&mut self, compiled: &mut Compiled, step: &Looked<'_>, guard: (usize, f64), least: f64) -> Option<f64> {
        let (mut a, mut b) = (0.0, step.length);
        while b - a > 1e-6 * step.length {
            let middle = 0.5 * (a + b);
            let (level, slope) = self.level(compiled, step, guard, middle);
            if level < least {
                return Some(middle);
            }
            if slope < 0.0 { a = middle } else { b = middle }
        }
        None
    }

    /// Where a guard that begins at or above its base comes to it before a time at which it is below; what runs then is `found`.
    fn zero(
        &mut self,
        compiled: &mut Compiled,
        step: &Looked<'_>,
        (guard, base): (usize, f64),
        course: Course,
        upper: f64,
    ) -> f64 {
        let resolution = step.resolution;
        if step.series.covers(upper) {
            step.series.along(&compiled.of.guards[guard].levels[0], &mut self.powers);
            self.powers[0] -= base;
            let span = step.series.span();
            let time = span * zero(&self.powers, (0.0, upper / span), resolution / span);
            step.series.at(time, &mut self.found);
            return time;
        }
        let reach = compiled.ladder.near();
        let (mut a, mut b) = (0.0, upper);
        let mut x = course.zero(step.length, upper);
        for round in 1..=MOST_ROUNDS {
            self.place(compiled, step, x);
            self.near.about(&self.probe, reach, &compiled.ladder);
            self.near.along(&compiled.of.guards[guard].levels[0], &mut self.powers);
            self.powers[0] -= base;
            let falls_later = self.powers[0] >= 0.0;
            let (end, edge) = if falls_later { (b - x, (b - x).min(reach)) } else { (a - x, (a - x).max(-reach)) };
            let (level, slope) = polynomial(&self.powers, edge / reach);
            // What it is at the ends of the bracket is known, whatever rounding makes of it: it may begin at zero and rise.
            if edge == end || falls_later != (level >= 0.0) {
                let bounds = if falls_later { (0.0, edge / reach) } else { (edge / reach, 0.0) };
                let off = reach * zero(&self.powers, bounds, resolution / reach);
                self.near.at(off, &mut self.found);
                return x + off;
            }
            x += edge;
            if falls_later {
                a = x
            } else {
                b = x
            }
            if b - a <= resolution {
                break;
            }
            let newton = x - level * reach / slope;
            x = if newton > a && newton < b && round % BISECTED != 0 { newton } else { 0.5 * (a + b) };
        }
        self.place(compiled, step, b);
        std::mem::swap(&mut self.found, &mut self.probe);
        b
    }
}

impl Course {
    /// A guard by what it is at the nodes and how it changes at both ends, over the whole step; none if it stays above zero in any case.
    fn that_may_fall(levels: [f64; 5], slopes: [f64; 2]) -> Option<Self> {
        let off = Slope::of(levels).off(slopes[0], slopes[1]);
        let (low, high) = levels.iter().fold((f64::INFINITY, f64::NEG_INFINITY), |(l, h), y| (y.min(l), y.max(h)));
        if low > BEYOND * (high - low) + strays(off[0]) + strays(off[1]) {
            return None;
        }
        Some(Course { powers: sextic(quartic(levels), off) })
    }

    /// The same, counted from a base.
    fn above(mut self, base: f64) -> Self {
        self.powers[0] -= base;
        self
    }

    fn at(&self, s: f64) -> f64 {
        polynomial(&self.powers, s).0
    }

    /// The first place found at which it is below a level.
    fn below(&self, level: f64) -> Option<f64> {
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
    fn zero(&self, h: f64, upper: f64) -> f64 {
        if self.at(upper / h) < 0.0 { h * zero(&self.powers, (0.0, upper / h), 1e-9) } else { upper }
    }
}

/// A polynomial by its coefficients from the lowest, and its derivative.
fn polynomial(powers: &[f64], s: f64) -> (f64, f64) {
    powers.iter().rev().fold((0.0, 0.0), |(value, slope), power| (value * s + power, slope * s + value))
}

/// Where a polynomial that is at or above zero at one bound and below at the other is zero: Newton's method held within a bracket
/// that each step makes smaller.
fn zero(powers: &[f64], (mut a, mut b): (f64, f64), resolution: f64) -> f64 {
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

    proptest! {
        /// A dip below a level is found wherever it is and however shallow, and nothing else is taken for one.
        #[test]
        fn dips_are_found(made in prop::array::uniform7(-3.0..3.0f64), depth in prop_oneof![-0.5..-1e-6f64, 1e-6..0.5f64], at in 0usize..1000) {
            let mut course = Course { powers: made };
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
