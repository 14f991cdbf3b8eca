use super::gauge::Gauge;
use crate::figures::Figures;
use crate::span::{MeasureError, Span};
use crate::turns::Turns;
use crate::waveform::Waveform;

/// Which way from zero.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
#[allow(missing_docs)]
pub enum Way {
    Above,
    Below,
    Either,
}

impl Way {
    fn distance(self, value: f64) -> f64 {
        match self {
            Way::Above => value,
            Way::Below => -value,
            Way::Either => value.abs(),
        }
    }

    /// How far the figures go this way, in the signal's unit.
    pub fn of(self, figures: &Figures) -> f64 {
        let (min, max) = figures.extremes();
        self.distance(min).max(self.distance(max))
    }
}

/// When a signal is farthest from zero, s; the first time of several.
#[derive(Clone, Debug)]
pub(crate) struct Farthest {
    span: Span,
    way: Way,
    found: Option<(f64, f64)>,
}

impl Farthest {
    /// Nothing yet.
    pub(crate) fn new(span: Span, way: Way) -> Self {
        Farthest { span, way, found: None }
    }
}

impl Gauge for Farthest {
    fn take(&mut self, waves: &[Waveform<'_>]) {
        for piece in waves[0].pieces(self.span) {
            let bounds = piece.within(self.span);
            for s in [bounds.0, bounds.1].into_iter().chain(piece.turns(bounds)) {
                let far = self.way.distance(piece.at(s));
                if self.found.is_none_or(|(most, _)| far > most) {
                    self.found = Some((far, piece.time(s)));
                }
            }
        }
    }

    fn take_again(&mut self, turns: &Turns<'_>) {
        turns.hand(0, &mut |waves| self.take(waves));
    }

    fn again(&mut self, _: &Figures) -> Result<bool, MeasureError> {
        Ok(false)
    }

    fn value(&self, _: &Figures) -> Result<f64, MeasureError> {
        self.found.map(|(_, at)| at).ok_or(MeasureError::Empty)
    }
}
