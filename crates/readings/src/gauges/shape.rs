use super::gauge::Gauge;
use crate::figures::Figures;
use crate::ringing::{Ringing, TurningPoints};
use crate::span::{MeasureError, Span};
use crate::turns::Turns;
use crate::waveform::Waveform;

/// What is asked about the shape of a signal.
#[derive(Clone, Copy, Debug, PartialEq)]
pub(crate) enum Shape {
    /// Smallest value less a number.
    Margin(f64),
    /// RMS of what is left without the mean.
    Alternating,
    /// Integral over time.
    Integral,
    /// Largest magnitude over RMS.
    Crest,
    /// RMS over the mean of the magnitude.
    Form,
    /// RMS of the alternating part over the mean.
    Ripple,
}

/// Ratios of averages.
#[derive(Clone, Debug)]
pub(crate) struct Shaped {
    span: Span,
    asked: Shape,
    magnitude: f64,
}

impl Shaped {
    /// Nothing yet.
    pub(crate) fn new(span: Span, asked: Shape) -> Self {
        Shaped { span, asked, magnitude: 0.0 }
    }

    fn add(&mut self, wave: Waveform<'_>, times: f64) {
        if self.asked == Shape::Form {
            for piece in wave.pieces(self.span) {
                let parts = piece.stretches(piece.within(self.span), 0.0);
                self.magnitude += times * parts.map(|(from, to, _)| piece.integral((from, to)).abs()).sum::<f64>();
            }
        }
    }
}

impl Gauge for Shaped {
    fn take(&mut self, waves: &[Waveform<'_>]) {
        self.add(waves[0], 1.0);
    }

    fn take_again(&mut self, turns: &Turns<'_>) {
        turns.hand(0, &mut |waves| self.add(waves[0], turns.count() as f64));
    }

    fn again(&mut self, _: &Figures) -> Result<bool, MeasureError> {
        Ok(false)
    }

    fn value(&self, figures: &Figures) -> Result<f64, MeasureError> {
        let (mean, rms) = (figures.mean(), figures.rms());
        let alternating = figures.alternating();
        let over = |of: f64, by: f64| {
            if by.abs() > figures.rounding() { Ok(of / by) } else { Err(MeasureError::NothingThere) }
        };
        match self.asked {
            Shape::Margin(needed) => Ok(figures.extremes().0 - needed),
            Shape::Alternating => Ok(alternating),
            Shape::Integral => Ok(mean * (self.span.to - self.span.from)),
            Shape::Crest => {
                let (min, max) = figures.extremes();
                over(max.abs().max(min.abs()), rms)
            }
            Shape::Form => over(rms, self.magnitude / (self.span.to - self.span.from)),
            Shape::Ripple => over(alternating, mean.abs()),
        }
    }
}

/// Frequency or decay of what rings.
#[derive(Clone, Debug)]
pub(crate) struct RingingOf {
    points: TurningPoints,
    decay: bool,
}

impl RingingOf {
    /// Nothing yet; the rate of decay instead of the frequency if `decay`.
    pub(crate) fn new(span: Span, decay: bool) -> Self {
        RingingOf { points: TurningPoints::within(span), decay }
    }
}

impl Gauge for RingingOf {
    fn take(&mut self, waves: &[Waveform<'_>]) {
        self.points.take(waves[0]);
    }

    fn take_again(&mut self, turns: &Turns<'_>) {
        self.points.take_again(turns);
    }

    fn again(&mut self, _: &Figures) -> Result<bool, MeasureError> {
        Ok(false)
    }

    fn value(&self, _: &Figures) -> Result<f64, MeasureError> {
        let found = Ringing::of(self.points.found())?;
        Ok(if self.decay { found.decay } else { found.frequency })
    }
}
