use super::gauge::Gauge;
use crate::figures::Figures;
use crate::span::{MeasureError, Span};
use crate::turns::Turns;
use crate::waveform::Waveform;

/// From when on a signal does no longer change, s: its mean and RMS over each period stay within a band about those of the
/// last one; without a period, its value stays within a band about the mean of the window's last tenth. The band is
/// relative to the RMS of the last period, or to the largest magnitude there is.
#[derive(Clone, Debug)]
pub(crate) struct Settled {
    span: Span,
    band: f64,
    /// Length of what is compared, s, and whether it is a period.
    length: f64,
    periodic: bool,
    /// Integrals of the signal and of its square over what all else is held against.
    last: (f64, f64),
    ready: bool,
    /// The same of the period being passed, counted from the end.
    now: Option<(u64, f64, f64)>,
    /// When it was off last, s; the period in which it was, counted from the end.
    off: Option<(f64, u64)>,
    width: f64,
}

/// Part of the window, at its end, that a signal without a period is held against.
const TAIL: f64 = 0.1;

/// Part of a period by which turns may be off after all of them, where they are taken to be whole periods.
const FITS: f64 = 1e-6;

impl Settled {
    /// Nothing yet.
    ///
    /// # Errors
    /// [`MeasureError::TooShort`] if not two periods fit.
    pub(crate) fn new(span: Span, period: Option<f64>, band: f64) -> Result<Self, MeasureError> {
        let whole = span.to - span.from;
        let length = period.unwrap_or(TAIL * whole);
        if period.is_some_and(|period| 2.0 * period > whole * (1.0 + 1e-9)) {
            return Err(MeasureError::TooShort { needed: 2.0 * length });
        }
        Ok(Settled {
            span,
            band,
            length,
            periodic: period.is_some(),
            last: (0.0, 0.0),
            ready: false,
            now: None,
            off: None,
            width: 0.0,
        })
    }

    fn end(&self) -> Span {
        Span { from: self.span.to - self.length, to: self.span.to }
    }

    fn mean(&self) -> f64 {
        self.last.0 / self.length
    }

    /// Adds a stretch of one period, counted from the end.
    fn add(&mut self, period: u64, integral: f64, square: f64) {
        match &mut self.now {
            Some((now, a, b)) if *now == period => {
                *a += integral;
                *b += square;
            }
            _ => {
                self.close();
                self.now = Some((period, integral, square));
            }
        }
    }

    /// Holds the period that has passed against the last.
    fn close(&mut self) {
        let Some((period, integral, square)) = self.now.take() else { return };
        let rms = |square: f64| (square / self.length).max(0.0).sqrt();
        let off = (integral / self.length - self.mean()).abs().max((rms(square) - rms(self.last.1)).abs());
        if off > self.width {
            self.off = Some((self.span.to - period as f64 * self.length, period));
        }
    }

    fn pass_end(&mut self, wave: Waveform<'_>, times: f64) {
        let end = self.end();
        for piece in wave.pieces(end) {
            let bounds = piece.within(end);
            self.last.0 += times * piece.integral(bounds);
            self.last.1 += times * piece.integral_of_square(bounds);
        }
    }

    /// Of turns that are whole periods together, or of which several are one, all are as the second.
    fn pass_turns(&mut self, turns: &Turns<'_>) {
        let (count, ratio) = (turns.count(), self.length / turns.period());
        let fits = |ratio: f64| (ratio - ratio.round()).abs() * (count as f64) < FITS && ratio > 0.5;
        let together = if fits(ratio) { ratio.round() } else { 1.0 };
        let most = count as f64 / together;
        if most < 3.0 || !(fits(ratio) || fits(1.0 / ratio)) {
            (0..count).for_each(|turn| turns.hand(turn, &mut |waves| self.pass_periods(waves[0])));
            return;
        }
        let skipped = most.floor() - 2.0;
        let shown = count - (skipped * together) as u64;
        for turn in 0..shown - together as u64 {
            turns.hand(turn, &mut |waves| self.pass_periods(waves[0]));
        }
        let before = self.off.take();
        for turn in shown - together as u64..shown {
            turns.hand(turn, &mut |waves| self.pass_periods(waves[0]));
        }
        let periods = (skipped * together / ratio).round();
        let later = self.off.map(|(time, period)| (time + periods * self.length, period - periods as u64));
        self.off = later.or(before);
        if let Some((now, ..)) = &mut self.now {
            *now -= periods as u64;
        }
    }

    fn pass_periods(&mut self, wave: Waveform<'_>) {
        let (end, length) = (self.span.to, self.length);
        for piece in wave.pieces(self.span) {
            let (a, b) = piece.within(self.span);
            let mut from = a;
            while from < b {
                // Periods are counted back from the end; what is left over at the beginning is none.
                let middle = |to: f64| piece.time(0.5 * (from + to));
                let counted = ((end - piece.time(from)) / length - 1e-12).floor().max(0.0);
                let to = piece.place(end - counted * length).min(b);
                let to = if to > from { to } else { b };
                let period = ((end - middle(to)) / length).floor().max(0.0) as u64;
                self.add(period, piece.integral((from, to)), piece.integral_of_square((from, to)));
                from = to;
            }
        }
    }

    fn pass_values(&mut self, wave: Waveform<'_>) {
        let (mean, width) = (self.mean(), self.width);
        for piece in wave.pieces(self.span) {
            let bounds = piece.within(self.span);
            for level in [mean - width, mean + width] {
                for (from, to, above) in piece.stretches(bounds, level) {
                    let outside = if level > mean { above } else { !above && piece.at(0.5 * (from + to)) < level };
                    if outside {
                        let later = self.off.map_or(f64::MIN, |(t, _)| t).max(piece.time(to));
                        self.off = Some((later, 1));
                    }
                }
            }
        }
    }
}

impl Gauge for Settled {
    fn take(&mut self, waves: &[Waveform<'_>]) {
        if !self.ready {
            self.pass_end(waves[0], 1.0);
        } else if self.periodic {
            self.pass_periods(waves[0]);
        } else {
            self.pass_values(waves[0]);
        }
    }

    fn marks(&self) -> Vec<f64> {
        vec![self.end().from]
    }

    fn take_again(&mut self, turns: &Turns<'_>) {
        match (self.ready, self.periodic) {
            (false, _) => turns.hand(0, &mut |waves| self.pass_end(waves[0], turns.count() as f64)),
            (true, true) => self.pass_turns(turns),
            (true, false) => {
                turns.hand(0, &mut |waves| self.take(waves));
                turns.hand_last(&mut |waves| self.take(waves));
            }
        }
    }

    fn again(&mut self, figures: &Figures) -> Result<bool, MeasureError> {
        if self.ready {
            self.close();
            return Ok(false);
        }
        let (min, max) = figures.extremes();
        let size = if self.periodic { (self.last.1 / self.length).max(0.0).sqrt() } else { max.abs().max(min.abs()) };
        self.width = (self.band * size).max(figures.rounding());
        self.ready = true;
        Ok(true)
    }

    fn value(&self, _: &Figures) -> Result<f64, MeasureError> {
        // A last period that is like none before tells nothing.
        let from = match self.off {
            Some((_, period)) if self.periodic && period <= 1 => return Err(MeasureError::NotSettled),
            Some((time, _)) if time >= self.end().from && !self.periodic => return Err(MeasureError::NotSettled),
            Some((time, _)) => time,
            None if self.periodic => {
                let whole = ((self.span.to - self.span.from) / self.length * (1.0 + 1e-9)).floor();
                (self.span.to - whole * self.length).max(self.span.from)
            }
            None => self.span.from,
        };
        Ok(from)
    }
}
