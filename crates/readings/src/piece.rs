//! One step of a waveform.

use crate::polynomial::{Polynomial, TERMS, roots, slope, slopes, squared, value};
use crate::span::Span;
use recording::{STAGE, quartic};

/// Length of a step, relative to the time at hand, below which times do not tell the place of its inner node.
const TELLS: f64 = 1e-9;

/// One step, as a polynomial of a place from 0 to 1.
#[derive(Clone, Copy)]
pub(crate) struct Piece {
    start: f64,
    length: f64,
    c: Polynomial,
}

impl Piece {
    /// The step through three nodes or five.
    pub(crate) fn new(times: &[f64], values: &[f64]) -> Self {
        let (start, end) = (times[0], times[times.len() - 1]);
        let length = end - start;
        let c = match values {
            [y0, y1, y2] => {
                // Of a jump, which takes next to no time, rounding would make a curve beyond both its ends.
                let g = if length < TELLS * end.abs() { STAGE } else { (times[1] - start) / length };
                let whole = y2 - y0;
                let c2 = ((y1 - y0) / g - whole) / (g - 1.0);
                let c2 = if c2.is_finite() { c2 } else { 0.0 };
                [*y0, whole - c2, c2, 0.0, 0.0]
            }
            [y0, y1, y2, y3, y4] => quartic([*y0, *y1, *y2, *y3, *y4]),
            _ => [f64::NAN; TERMS],
        };
        Piece { start, length, c }
    }

    /// s.
    pub(crate) fn length(&self) -> f64 {
        self.length
    }

    pub(crate) fn at(&self, s: f64) -> f64 {
        value(&self.c, s)
    }

    /// Change per step length.
    pub(crate) fn slope(&self, s: f64) -> f64 {
        slope(&self.c, s)
    }

    /// Time between two places, s.
    pub(crate) fn lasts(&self, from: f64, to: f64) -> f64 {
        (to - from) * self.length
    }

    /// Place of a time.
    pub(crate) fn place(&self, time: f64) -> f64 {
        (time - self.start) / self.length
    }

    /// Time of a place, s.
    pub(crate) fn time(&self, s: f64) -> f64 {
        self.start + s * self.length
    }

    /// The parts of the step that lie within a span, as bounds of s.
    pub(crate) fn within(&self, span: Span) -> (f64, f64) {
        let s = |t: f64| ((t - self.start) / self.length).clamp(0.0, 1.0);
        (s(span.from), s(span.to))
    }

    /// The stretches on either side of a level, in order: from, to, whether above.
    pub(crate) fn stretches(&self, bounds: (f64, f64), level: f64) -> impl Iterator<Item = (f64, f64, bool)> + use<> {
        let piece = *self;
        let stretches = parted(bounds, self.crossings(level));
        stretches.map(move |(from, to)| (from, to, piece.at(0.5 * (from + to)) > level))
    }

    pub(crate) fn integral(&self, (a, b): (f64, f64)) -> f64 {
        self.length * (integral_to(&self.c, b) - integral_to(&self.c, a))
    }

    pub(crate) fn integral_of_square(&self, (a, b): (f64, f64)) -> f64 {
        let squared = squared(&self.c);
        self.length * (integral_to(&squared, b) - integral_to(&squared, a))
    }

    /// Places inside the bounds where it turns from rising to falling or back, ascending.
    pub(crate) fn turns(&self, (a, b): (f64, f64)) -> impl Iterator<Item = f64> + use<> {
        roots(&slopes(&self.c)).into_iter().filter(move |s| *s > a && *s < b)
    }

    /// Where within the bounds its slope is largest or smallest: at both of them, and where it bends neither way.
    pub(crate) fn steepest(&self, (a, b): (f64, f64)) -> impl Iterator<Item = f64> + use<> {
        let bends = roots(&slopes(&slopes(&self.c)));
        [a, b].into_iter().chain(bends.into_iter().filter(move |s| *s > a && *s < b))
    }

    /// Places where the piece passes `level`, ascending.
    pub(crate) fn crossings(&self, level: f64) -> impl Iterator<Item = f64> + use<> {
        let [c0, others @ ..] = self.c;
        let [c1, c2, c3, c4] = others;
        let beyond = (c0 - level).abs() > others.iter().map(|c| c.abs()).sum::<f64>();
        let found = if beyond { [f64::NAN; TERMS - 1] } else { roots(&[c0 - level, c1, c2, c3, c4]) };
        found.into_iter().filter(|s| !s.is_nan())
    }

    /// What lies between two places, over a place of its own from 0 to 1.
    pub(crate) fn over(&self, (a, b): (f64, f64)) -> Polynomial {
        if (a, b) == (0.0, 1.0) {
            return self.c;
        }
        // Taylor's series about the first of them.
        let (mut derivative, mut factor) = (self.c, 1.0);
        std::array::from_fn(|k| {
            let term = factor * value(&derivative, a);
            derivative = slopes(&derivative);
            factor *= (b - a) / (k + 1) as f64;
            term
        })
    }
}

/// The stretches between places inside bounds.
fn parted((a, b): (f64, f64), places: impl Iterator<Item = f64>) -> impl Iterator<Item = (f64, f64)> {
    let mut from = a;
    let inside = places.filter(move |s| *s > a && *s < b);
    inside.chain([b]).map(move |to| (std::mem::replace(&mut from, to), to))
}

/// Integral of a polynomial from 0 on.
fn integral_to<const N: usize>(c: &[f64; N], s: f64) -> f64 {
    let terms = c.iter().enumerate().rev();
    s * terms.fold(0.0, |sum, (k, c)| sum * s + c / (k + 1) as f64)
}
