//! When in a step a guard gives way first, and what runs then.
//!
//! Where the whole step is one power series, so is each guard, and its zero is a polynomial's. Elsewhere a zero is guessed by the
//! polynomial of degree 6 through what was seen of it at the step's nodes and how it changes at both ends; about the guess the guard
//! is a power series again, and mostly the zero is so near that this is the last word.

use crate::configuration::compiled::Compiled;
use crate::stepping::guard::{BISECTED, Course, MOST_ROUNDS, polynomial, zero};
use crate::stepping::propagator::Series;
use crate::stepping::slope::Slope;
use crate::transient::recorder::Nodes;
use linear::dot;
use recording::PLACES;

/// A dip between nodes that is none, relative to the largest there is of its guard in the step.
const SHALLOW: f64 = 1e-12;
/// Parts a step is cut into for one guard at most, and the shortest, relative to the step.
const MOST_PARTS: u32 = 512;
const SHORTEST: f64 = 1e-12;
/// Rounding in a slope, relative to what it is made of.
const NOISE: f64 = 1e-12;
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

/// A guard, what it is counted from, and what counts as zero then.
#[derive(Clone, Copy, Debug)]
struct Counted {
    guard: usize,
    base: f64,
    least: f64,
}

/// A part of a step: where it begins and how long it is, s, what a guard is at the places of nodes in it, and how it changes at
/// its ends, 1/s.
#[derive(Clone, Copy, Debug)]
struct Part {
    from: f64,
    length: f64,
    levels: [f64; 5],
    slopes: [f64; 2],
}

impl Part {
    /// The guard's course in it; none if it stays above zero in any case.
    fn course(&self) -> Option<Course> {
        Course::that_may_fall(self.levels, self.slopes.map(|slope| self.length * slope))
    }

    /// By how much more the guard changes at the ends than the quartic through its nodes.
    fn misses(&self) -> f64 {
        let [begins, ends] = Slope::of(self.levels).off(self.length * self.slopes[0], self.length * self.slopes[1]);
        begins.abs().max(ends.abs())
    }
}

/// Where a guard falls below zero: in which part, its course there, and a time at which it is below, s.
#[derive(Clone, Copy, Debug)]
struct Fall {
    part: Part,
    course: Course,
    upper: f64,
}

/// What is needed to look for crossings, kept from one to the next.
#[derive(Debug, Default)]
pub(crate) struct Watch {
    probe: Vec<f64>,
    near: Series,
    powers: Vec<f64>,
    found: Vec<f64>,
    /// Parts the step at hand was cut into for a guard.
    parts: u32,
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
            let slopes = [step.seen[0], step.seen[4]].map(|at| seen.slope(at, index));
            let whole = Part { from: 0.0, length: h, levels, slopes };
            let Some(course) = whole.course() else { continue };
            let least = -least(&compiled.of.guards[index].levels[0]);
            // What the resolution of time left below zero at an event counts from there.
            let guard = Counted { guard: index, base: levels[0].min(0.0), least };
            self.parts = 0;
            let Some(mut fall) = self.falls(compiled, step, guard, whole, course) else { continue };
            // Nothing beyond the first crossing so far is of interest.
            if let Some((before, _)) = first
                && before < fall.upper
            {
                if before <= fall.part.from || self.level(compiled, step, guard, before).0 >= least {
                    continue;
                }
                fall.upper = before;
            }
            first = Some((self.zero(compiled, step, guard, &fall), index));
            std::mem::swap(&mut self.found, &mut self.end);
        }
        first
    }

    /// Where in a part of a step a guard first falls below what counts as zero. A part whose
    /// polynomial does not do what the guard does is halved: how long steps are follows from what is recorded, and a guard may move by
    /// little beside that.
    fn falls(
        &mut self,
        compiled: &mut Compiled,
        step: &Looked<'_>,
        guard: Counted,
        part: Part,
        course: Course,
    ) -> Option<Fall> {
        let Counted { base, least, .. } = guard;
        let trusted = course.is_close() || self.parts >= MOST_PARTS || part.length <= SHORTEST * step.length;
        let misses = if trusted { 0.0 } else { part.misses() };
        if misses > -least && misses > NOISE * part.length * self.steepness(compiled, step, guard, part) {
            self.parts += 1;
            for half in self.halves(compiled, step, guard, part) {
                let falls = half.course().and_then(|course| self.falls(compiled, step, guard, half, course));
                if falls.is_some() {
                    return falls;
                }
            }
            return None;
        }
        let course = course.above(base);
        let time = |place: f64| part.from + place * part.length;
        let below = PLACES.into_iter().chain([1.0]).zip(&part.levels[1..]).find(|(_, level)| **level - base < least);
        let below = below.map(|(place, _)| place);
        // Before that it may have been below as well, by more than what its own size leaves of rounding.
        let deep = least - SHALLOW * part.levels.iter().fold(0.0, |most: f64, level| most.max(level.abs()));
        let dips = course.below(deep).filter(|at| below.is_none_or(|below| *at < below));
        let dips = dips.filter(|at| self.level(compiled, step, guard, time(*at)).0 < deep);
        let upper = match dips.or(below) {
            Some(place) => Some(time(place)),
            None if part.slopes[0] < 0.0 && part.slopes[1] > 0.0 => self.dip(compiled, step, guard, part),
            None => None,
        };
        upper.map(|upper| Fall { part, course, upper })
    }

    /// What a guard's slope is made of where a part ends, 1/s: rounding in that is rounding in the slope.
    fn steepness(&mut self, compiled: &mut Compiled, step: &Looked<'_>, of: Counted, part: Part) -> f64 {
        self.place(compiled, step, part.from + part.length);
        let row = &compiled.of.guards[of.guard].levels[1];
        row.iter().zip(&self.probe).map(|(factor, z)| (factor * z).abs()).sum()
    }

    /// The halves of a part.
    fn halves(&mut self, compiled: &mut Compiled, step: &Looked<'_>, guard: Counted, part: Part) -> [Part; 2] {
        let length = 0.5 * part.length;
        let middle = self.at(compiled, step, guard, part.from + length);
        let mut inner = |from: f64| PLACES.map(|place| self.at(compiled, step, guard, from + place * length).0);
        let ([a, b, c], [d, e, f]) = (inner(part.from), inner(part.from + length));
        let [begins, ends] = part.slopes;
        let earlier = [part.levels[0], a, b, c, middle.0];
        let later = [middle.0, d, e, f, part.levels[4]];
        [
            Part { from: part.from, length, levels: earlier, slopes: [begins, middle.1] },
            Part { from: part.from + length, length, levels: later, slopes: [middle.1, ends] },
        ]
    }

    /// What runs a time behind a step's beginning, s.
    fn place(&mut self, compiled: &mut Compiled, step: &Looked<'_>, time: f64) {
        compiled.ladder.place(step.series, time, &mut self.probe);
    }

    /// A guard, and how it changes, 1/s.
    fn at(&mut self, compiled: &mut Compiled, step: &Looked<'_>, of: Counted, time: f64) -> (f64, f64) {
        self.place(compiled, step, time);
        let [value, slope, _] = &compiled.of.guards[of.guard].levels;
        (dot(value, &self.probe), dot(slope, &self.probe))
    }

    /// The same above its base.
    fn level(&mut self, compiled: &mut Compiled, step: &Looked<'_>, of: Counted, time: f64) -> (f64, f64) {
        let (value, slope) = self.at(compiled, step, of, time);
        (value - of.base, slope)
    }

    /// A time at which a guard that falls first and rises at the end of a part counts as below zero, if it does anywhere.
    fn dip(&mut self, compiled: &mut Compiled, step: &Looked<'_>, guard: Counted, part: Part) -> Option<f64> {
        let (mut a, mut b) = (part.from, part.from + part.length);
        while b - a > 1e-6 * part.length {
            let middle = 0.5 * (a + b);
            let (level, slope) = self.level(compiled, step, guard, middle);
            if level < guard.least {
                return Some(middle);
            }
            if slope < 0.0 { a = middle } else { b = middle }
        }
        None
    }

    /// Where a guard that is at or above its base at a time comes to it before another, at which it is below; what runs then is
    /// `found`.
    fn zero(
        &mut self,
        compiled: &mut Compiled,
        step: &Looked<'_>,
        Counted { guard, base, .. }: Counted,
        &Fall { part, course, upper }: &Fall,
    ) -> f64 {
        let lower = part.from;
        let resolution = step.resolution;
        if step.series.covers(upper) {
            step.series.along(&compiled.of.guards[guard].levels[0], &mut self.powers);
            self.powers[0] -= base;
            let span = step.series.span();
            let time = span * zero(&self.powers, (lower / span, upper / span), resolution / span);
            step.series.at(time, &mut self.found);
            return time;
        }
        let reach = compiled.ladder.near();
        let (mut a, mut b) = (lower, upper);
        let mut x = lower + course.zero(part.length, upper - lower);
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
