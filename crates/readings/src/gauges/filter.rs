use super::gauge::Gauge;
use crate::figures::Figures;
use crate::waveform::{MeasureError, Span, Waveform};
use std::f64::consts::TAU;

/// Time constants a filter settles for before what it gives counts.
const SETTLING: f64 = 7.0;
/// Largest part of a time constant a parabola stands for what an exponential does.
const FINE: f64 = 0.25;
/// Parabolas a step is cut into at most; where it takes more, the filter is through with it long before the step ends.
const MOST_PIECES: f64 = 64.0;

/// Peak-to-peak of what filters of first order leave of a signal. Each follows the differential equation of an RC
/// circuit exactly for a parabola at its input.
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

    /// Passes a parabola of a length, over a place from 0 to 1, through the filters; what leaves them.
    fn passed(&mut self, parabola: [f64; 3], length: f64) -> [f64; 3] {
        let high = match self.above {
            None => parabola,
            Some(w) => {
                let slow = followed(parabola, length, w, &mut self.slow);
                [0, 1, 2].map(|k| parabola[k] - slow[k])
            }
        };
        match self.below {
            None => high,
            Some(w) => {
                let mut state = self.smooth.unwrap_or(high[0]);
                let smooth = followed(high, length, w, &mut state);
                self.smooth = Some(state);
                smooth
            }
        }
    }
}

/// What a low-pass of first order with an angular corner makes of a parabola; its state goes from beginning to end.
fn followed([p0, p1, p2]: [f64; 3], length: f64, corner: f64, state: &mut f64) -> [f64; 3] {
    let a = corner * length;
    // The solution of y' = a·(x − y). Where a is small its closed form cancels, and nine terms of its power series
    // leave nothing.
    let input = [p0, p1, p2, 0.0, 0.0, 0.0, 0.0, 0.0, 0.0];
    let mut series = [*state; 10];
    for k in 0..9 {
        series[k + 1] = a * (input[k] - series[k]) / (k + 1) as f64;
    }
    let first = p1 - 2.0 * p2 / a;
    let zeroth = p0 - first / a;
    let at = |s: f64| {
        if a <= FINE {
            series.iter().rev().fold(0.0, |sum, c| sum * s + c)
        } else {
            zeroth + s * (first + s * p2) + (*state - zeroth) * (-a * s).exp()
        }
    };
    let [from, middle, to] = [*state, at(0.5), at(1.0)];
    *state = to;
    // Through beginning, middle and end.
    let c2 = 2.0 * (to + from - 2.0 * middle);
    [from, to - from - c2, c2]
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
                let [c0, c1, c2] = self.passed(piece.parabola(bounds), piece.lasts(bounds.0, bounds.1));
                if piece.time(bounds.0) >= counts_from {
                    let turn = -c1 / (2.0 * c2);
                    for s in [0.0, 1.0, if turn > 0.0 && turn < 1.0 { turn } else { 0.0 }] {
                        let y = c0 + s * (c1 + s * c2);
                        (self.min, self.max) = (self.min.min(y), self.max.max(y));
                    }
                }
            }
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
