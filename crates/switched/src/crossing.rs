//! When in a step a guard gives way first, and what runs then.
//!
//! Where the whole step is one power series, so is each guard, and its zero is a polynomial's. Elsewhere a zero is guessed by the
//! polynomial of degree 6 through what was seen of it at the step's nodes and how it changes at both ends; about the guess the guard
//! is a power series again, and mostly the zero is so near that this is the last word.

use crate::compiled::Compiled;
use crate::falling::{BISECTED, Course, MOST_ROUNDS, polynomial, zero};
use crate::propagate::Series;
use crate::recorder::Nodes;
use linear::dot;
use recording::PLACES;

/// A dip between nodes that is none, relative to the largest there is of its guard in the step.
const SHALLOW: f64 = 1e-12;
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
