//! Numbers of a waveform over a span, accumulated while it passes.

use crate::span::{MeasureError, Span};
use crate::turns::Turns;
use crate::waveform::Waveform;

/// What changes by less is steady, relative to the largest value there ever was and at all (in V, A or W): no run
/// is as exact as that, and what moves is rounding.
const STEADY: f64 = 1e-9;
const LEAST: f64 = 1e-13;

/// Integrals and extremes over a span, of all that has been taken so far.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct Figures {
    span: Span,
    integral: f64,
    square: f64,
    min: f64,
    max: f64,
    /// Largest magnitude, inside the span or outside.
    largest: f64,
}

impl Figures {
    /// Nothing yet, of a span.
    pub fn over(span: Span) -> Self {
        Figures { span, integral: 0.0, square: 0.0, min: f64::INFINITY, max: f64::NEG_INFINITY, largest: 0.0 }
    }

    /// Adds a waveform that follows what was taken before.
    pub fn take(&mut self, wave: Waveform<'_>) {
        self.sees(wave.values());
        self.add(wave, 1.0);
    }

    /// Adds one of which every turn lies within the span.
    pub(crate) fn take_again(&mut self, turns: &Turns<'_>) {
        turns.hand(0, &mut |waves| self.add(waves[0], turns.count() as f64));
    }

    /// Notes values inside the span or outside.
    pub(crate) fn sees(&mut self, values: &[f64]) {
        self.largest = values.iter().fold(self.largest, |largest, value| largest.max(value.abs()));
    }

    fn add(&mut self, wave: Waveform<'_>, times: f64) {
        for piece in wave.pieces(self.span) {
            let bounds = piece.within(self.span);
            self.integral += times * piece.integral(bounds);
            self.square += times * piece.integral_of_square(bounds);
            for s in [bounds.0, bounds.1].into_iter().chain(piece.turns(bounds)) {
                let y = piece.at(s);
                self.min = self.min.min(y);
                self.max = self.max.max(y);
            }
        }
    }

    fn length(&self) -> f64 {
        self.span.to - self.span.from
    }

    /// Time average.
    pub fn mean(&self) -> f64 {
        self.integral / self.length()
    }

    /// Root mean square.
    pub fn rms(&self) -> f64 {
        root(self.square / self.length())
    }

    /// Smallest and largest value.
    pub fn extremes(&self) -> (f64, f64) {
        (self.min, self.max)
    }

    /// Whether there is no number anywhere in what has been taken.
    pub(crate) fn is_no_number(&self) -> bool {
        self.min > self.max
    }

    /// Largest less smallest value; none where they differ by rounding only. The whole waveform must have been taken,
    /// for what is rounding follows from its largest value.
    pub fn swing(&self) -> f64 {
        let swing = self.max - self.min;
        if swing > self.rounding() { swing } else { 0.0 }
    }

    /// What is rounding at most, in the signal's unit, as [`Figures::swing`] takes it.
    pub fn rounding(&self) -> f64 {
        (STEADY * self.largest).max(LEAST)
    }

    /// RMS of what is left without the mean.
    pub fn alternating(&self) -> f64 {
        let mean = self.mean();
        let left = root(self.square / self.length() - mean * mean);
        if left > self.rounding() { left } else { 0.0 }
    }

    /// One of the averages and extremes.
    pub fn take_out(&self, average: Average) -> f64 {
        match average {
            Average::Mean => self.mean(),
            Average::Rms => self.rms(),
            Average::Min => self.min,
            Average::Max => self.max,
            Average::PeakToPeak => self.swing(),
        }
    }
}

/// Root of what rounding may have left below zero; of what is no number none.
fn root(square: f64) -> f64 {
    if square < 0.0 { 0.0 } else { square.sqrt() }
}

/// What integrals and extremes give at once.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
#[allow(missing_docs)]
pub enum Average {
    Mean,
    Rms,
    Min,
    Max,
    PeakToPeak,
}

impl Waveform<'_> {
    /// Integrals and extremes over a span.
    ///
    /// # Errors
    /// [`MeasureError`] if the span is not covered.
    pub fn figures(&self, span: Span) -> Result<Figures, MeasureError> {
        let mut figures = Figures::over(self.covered(span)?);
        figures.take(*self);
        Ok(figures)
    }

    /// Time average.
    ///
    /// # Errors
    /// See [`Waveform::figures`].
    pub fn mean(&self, span: Span) -> Result<f64, MeasureError> {
        Ok(self.figures(span)?.mean())
    }

    /// Root mean square.
    ///
    /// # Errors
    /// See [`Waveform::figures`].
    pub fn rms(&self, span: Span) -> Result<f64, MeasureError> {
        Ok(self.figures(span)?.rms())
    }

    /// Smallest and largest value.
    ///
    /// # Errors
    /// See [`Waveform::figures`].
    pub fn extremes(&self, span: Span) -> Result<(f64, f64), MeasureError> {
        Ok(self.figures(span)?.extremes())
    }
}
