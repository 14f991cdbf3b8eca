//! Numbers of a waveform over a span, accumulated while it passes.

use crate::waveform::{MeasureError, Span, Waveform};
use circuit::ReadingMeasure;

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
        self.largest = wave.values().iter().fold(self.largest, |largest, value| largest.max(value.abs()));
        for piece in wave.pieces(self.span) {
            let bounds = piece.within(self.span);
            self.integral += piece.integral(bounds);
            self.square += piece.integral_of_square(bounds);
            for s in [Some(bounds.0), Some(bounds.1), piece.vertex(bounds)].into_iter().flatten() {
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
        (self.square / self.length()).max(0.0).sqrt()
    }

    /// Smallest and largest value.
    pub fn extremes(&self) -> (f64, f64) {
        (self.min, self.max)
    }

    /// Largest less smallest value; none where they differ by rounding only. The whole waveform must have been taken,
    /// for what is rounding follows from its largest value.
    pub fn swing(&self) -> f64 {
        let swing = self.max - self.min;
        if swing > (STEADY * self.largest).max(LEAST) { swing } else { 0.0 }
    }

    /// One of the measures that a single pass gives; none for a frequency.
    pub fn measure(&self, measure: ReadingMeasure) -> Option<f64> {
        match measure {
            ReadingMeasure::Mean => Some(self.mean()),
            ReadingMeasure::Rms => Some(self.rms()),
            ReadingMeasure::Min => Some(self.min),
            ReadingMeasure::Max => Some(self.max),
            ReadingMeasure::PeakToPeak => Some(self.swing()),
            ReadingMeasure::Frequency => None,
        }
    }
}

/// Upward crossings of the mid level over a span, for which a second pass is needed. Wiggles smaller than a fifth of
/// peak-to-peak around the mid level do not count.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct Crossings {
    span: Span,
    level: f64,
    guard: f64,
    armed: bool,
    first: Option<f64>,
    last: f64,
    count: u32,
}

impl Crossings {
    /// Nothing yet, of a waveform with these figures.
    ///
    /// # Errors
    /// [`MeasureError::NotPeriodic`] if it does not move.
    pub fn of(figures: &Figures) -> Result<Self, MeasureError> {
        if figures.swing() == 0.0 {
            return Err(MeasureError::NotPeriodic);
        }
        let (min, max) = figures.extremes();
        let (level, guard) = (0.5 * (min + max), 0.1 * (max - min));
        Ok(Crossings { span: figures.span, level, guard, armed: false, first: None, last: 0.0, count: 0 })
    }

    /// Adds a waveform that follows what was taken before.
    pub fn take(&mut self, wave: Waveform<'_>) {
        for piece in wave.pieces(self.span) {
            let (a, b) = piece.within(self.span);
            let low = |s: f64| piece.at(s) < self.level - self.guard;
            for s in [Some(a), piece.vertex((a, b))].into_iter().flatten() {
                self.armed |= low(s);
            }
            if !self.armed {
                self.armed = low(b);
                continue;
            }
            let upward = |s: &f64| piece.slope(*s) > 0.0 && (a..=b).contains(s);
            if let Some(s) = piece.crossings(self.level).find(upward) {
                self.last = piece.time(s);
                self.first.get_or_insert(self.last);
                self.count += 1;
                self.armed = low(b);
            }
        }
    }

    /// Reciprocal of the mean time between crossings, Hz.
    ///
    /// # Errors
    /// [`MeasureError::NotPeriodic`] with fewer than two.
    pub fn frequency(&self) -> Result<f64, MeasureError> {
        match self.first {
            Some(first) if self.count > 1 => Ok(f64::from(self.count - 1) / (self.last - first)),
            _ => Err(MeasureError::NotPeriodic),
        }
    }
}

impl Waveform<'_> {
    /// Takes one measure over a span.
    ///
    /// # Errors
    /// [`MeasureError`] if the span is not covered, or the signal does not repeat and its
    /// frequency is asked for.
    pub fn measure(&self, measure: ReadingMeasure, span: Span) -> Result<f64, MeasureError> {
        let figures = self.figures(span)?;
        figures.measure(measure).map_or_else(|| self.repeats(&figures), Ok)
    }

    /// Integrals and extremes over a span.
    ///
    /// # Errors
    /// [`MeasureError`] if the span is not covered.
    pub fn figures(&self, span: Span) -> Result<Figures, MeasureError> {
        let mut figures = Figures::over(self.covered(span)?);
        figures.take(*self);
        Ok(figures)
    }

    fn repeats(&self, figures: &Figures) -> Result<f64, MeasureError> {
        let mut crossings = Crossings::of(figures)?;
        crossings.take(*self);
        crossings.frequency()
    }

    /// Time average.
    ///
    /// # Errors
    /// See [`Waveform::measure`].
    pub fn mean(&self, span: Span) -> Result<f64, MeasureError> {
        Ok(self.figures(span)?.mean())
    }

    /// Root mean square.
    ///
    /// # Errors
    /// See [`Waveform::measure`].
    pub fn rms(&self, span: Span) -> Result<f64, MeasureError> {
        Ok(self.figures(span)?.rms())
    }

    /// Reciprocal of the mean time between upward crossings of the mid level, Hz; see [`Crossings`].
    ///
    /// # Errors
    /// See [`Waveform::measure`].
    pub fn frequency(&self, span: Span) -> Result<f64, MeasureError> {
        self.repeats(&self.figures(span)?)
    }

    /// Smallest and largest value.
    ///
    /// # Errors
    /// See [`Waveform::measure`].
    pub fn extremes(&self, span: Span) -> Result<(f64, f64), MeasureError> {
        Ok(self.figures(span)?.extremes())
    }
}
