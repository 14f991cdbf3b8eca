use super::gauge::Gauge;
use crate::figures::Figures;
use crate::polynomial::{Polynomial, roots, slopes, value};
use crate::span::{MeasureError, Span};
use crate::turns::Turns;
use crate::waveform::Waveform;
use nalgebra::{Matrix3, Vector3};
use recording::{PLACES, quartic};
use std::f64::consts::TAU;

/// Time constants a filter settles for before what it gives counts.
const SETTLING: f64 = 7.0;
/// Largest part of a time constant a quartic stands for what an exponential does.
const FINE: f64 = 0.25;
/// Pieces a step is cut into at most; where it takes more, the filter is through with it long before the step ends.
const MOST_PIECES: f64 = 64.0;

/// Peak-to-peak of what filters of first order leave of a signal. Each follows the differential equation of an RC
/// circuit exactly for a polynomial at its input.
#[derive(Clone, Debug)]
pub(crate) struct Filtered {
    span: Span,
    /// Angular corners, 1/s; none where nothing is removed.
    above: Option<f64>,
    below: Option<f64>,
    ready: bool,
    /// What is slower, and what is left of what is faster.
    slow: f64,
    smooth: Option<f64>,
    min: f64,
    max: f64,
}

impl Filtered {
    /// Nothing yet: what is slower than `above` and faster than `below`, Hz, is removed; 0 for neither.
    ///
    /// # Errors
    /// [`MeasureError::TooShort`] if the filters do not settle within the span.
    pub(crate) fn new(span: Span, above: f64, below: f64) -> Result<Self, MeasureError> {
        let corner = |frequency: f64| (frequency > 0.0).then_some(TAU * frequency);
        let (above, below) = (corner(above), corner(below));
        let settling = [above, below].into_iter().flatten().map(|w| SETTLING / w).fold(0.0, f64::max);
        if settling >= span.to - span.from {
            return Err(MeasureError::TooShort { needed: 2.0 * settling });
        }
        let (min, max) = (f64::INFINITY, f64::NEG_INFINITY);
        Ok(Filtered { span, above, below, ready: false, slow: 0.0, smooth: None, min, max })
    }

    fn counts_from(&self) -> f64 {
        self.span.from + [self.above, self.below].into_iter().flatten().map(|w| SETTLING / w).fold(0.0, f64::max)
    }

    /// Passes a polynomial of a length through the filters; what leaves them.
    fn passed(&mut self, course: Polynomial, length: f64) -> Polynomial {
        let high = match self.above {
            None => course,
            Some(w) => {
                let slow = followed(&course, length, w, &mut self.slow);
                std::array::from_fn(|k| course[k] - slow[k])
            }
        };
        match self.below {
            None => high,
            Some(w) => {
                let mut state = self.smooth.unwrap_or(high[0]);
                let smooth = followed(&high, length, w, &mut state);
                self.smooth = Some(state);
                smooth
            }
        }
    }
}

/// What a low-pass of first order with an angular corner makes of a polynomial; its state goes from beginning to end.
fn followed(course: &Polynomial, length: f64, corner: f64, state: &mut f64) -> Polynomial {
    let a = corner * length;
    // The solution of y' = a·(x − y). Where a is small its closed form cancels, and nine terms of its power series
    // leave nothing.
    let mut series = [*state; 10];
    for k in 0..9 {
        series[k + 1] = a * (course.get(k).copied().unwrap_or(0.0) - series[k]) / (k + 1) as f64;
    }
    // A polynomial that solves it, and what dies away.
    let mut steady = *course;
    (0..course.len() - 1).rev().for_each(|k| steady[k] -= (k + 1) as f64 / a * steady[k + 1]);
    let at = |s: f64| {
        if a <= FINE {
            series.iter().rev().fold(0.0, |sum, c| sum * s + c)
        } else {
            value(&steady, s) + (*state - steady[0]) * (-a * s).exp()
        }
    };
    let ([p, q, r], from, to) = (PLACES.map(at), *state, at(1.0));
    *state = to;
    quartic([from, p, q, r, to])
}

/// What a turn makes of what both filters hold, and of a one beside them.
type Turn = Matrix3<f64>;

impl Filtered {
    /// A turn is linear in what they hold; nothing counts meanwhile.
    fn turn(&self, turns: &Turns<'_>) -> Turn {
        let end = |slow: f64, smooth: f64| {
            let mut held = Filtered { slow, smooth: Some(smooth), ..self.clone() };
            turns.hand(0, &mut |waves| held.take(waves));
            [held.slow, held.smooth.unwrap_or(0.0)]
        };
        // In the measure of what there is, or what they hold would be lost beside it.
        let none = end(0.0, 0.0);
        let size = none.iter().fold(0.0, |most: f64, end| most.max(end.abs()));
        let size = if size > 0.0 { size } else { 1.0 };
        let (slow, smooth) = (end(size, 0.0), end(0.0, size));
        let of = |row: usize| [(slow[row] - none[row]) / size, (smooth[row] - none[row]) / size, none[row]];
        Turn::from_row_slice(&[of(0), of(1), [0.0, 0.0, 1.0]].concat())
    }
}

impl Gauge for Filtered {
    fn take(&mut self, waves: &[Waveform<'_>]) {
        if !self.ready {
            return;
        }
        let counts_from = self.counts_from();
        let fastest = [self.above, self.below].into_iter().flatten().fold(0.0, f64::max);
        for piece in waves[0].pieces(self.span) {
            let (a, b) = piece.within(self.span);
            let pieces = (fastest * piece.lasts(a, b) / FINE).ceil().clamp(1.0, MOST_PIECES);
            for k in 0..pieces as u32 {
                let place = |k: u32| a + (b - a) * f64::from(k) / pieces;
                let bounds = (place(k), place(k + 1));
                let passed = self.passed(piece.over(bounds), piece.lasts(bounds.0, bounds.1));
                if piece.time(bounds.0) >= counts_from {
                    let turns = roots(&slopes(&passed)).into_iter().filter(|s| !s.is_nan());
                    for y in turns.chain([0.0, 1.0]).map(|s| value(&passed, s)) {
                        (self.min, self.max) = (self.min.min(y), self.max.max(y));
                    }
                }
            }
        }
    }

    fn marks(&self) -> Vec<f64> {
        vec![self.counts_from()]
    }

    /// What is left of where the filters began dies away from turn to turn, so fewer and fewer of them are looked at, and the last.
    fn take_again(&mut self, turns: &Turns<'_>) {
        if !self.ready {
            return;
        }
        turns.hand(0, &mut |waves| self.take(waves));
        let (turn, count, counts) = (self.turn(turns), turns.count(), turns.span().from >= self.counts_from());
        let mut next = 1;
        while next < count {
            let to = if counts { (next + next / 16).min(count - 1) } else { count };
            let held = turn.pow((to - next) as u32) * Vector3::new(self.slow, self.smooth.unwrap_or(0.0), 1.0);
            self.slow = held.x;
            self.smooth = self.smooth.map(|_| held.y);
            if to < count {
                turns.hand(to, &mut |waves| self.take(waves));
            }
            next = to + 1;
        }
    }

    fn again(&mut self, figures: &Figures) -> Result<bool, MeasureError> {
        self.slow = figures.mean();
        Ok(!std::mem::replace(&mut self.ready, true))
    }

    fn value(&self, _: &Figures) -> Result<f64, MeasureError> {
        if self.max >= self.min { Ok(self.max - self.min) } else { Err(MeasureError::Empty) }
    }
}
