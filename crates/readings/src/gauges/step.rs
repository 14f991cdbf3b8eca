use super::gauge::Gauge;
use crate::figures::Figures;
use crate::gauges::histogram::Histogram;
use crate::span::{MeasureError, Span};
use crate::turns::Turns;
use crate::waveform::Waveform;

/// What is asked about a change from one level to another.
#[derive(Clone, Copy, Debug, PartialEq)]
pub(crate) enum Change {
    /// Time from 10 % to 90 % of the way, upwards, s.
    Rise,
    /// The same, downwards, s.
    Fall,
    /// Time from the window's beginning to half of the way, s.
    Delay,
    /// How far the level after is exceeded, relative to the change.
    Overshoot,
    /// How far it falls below the lower level.
    Undershoot,
    /// How far it rises above the higher level.
    RiseAbove,
    /// Time until it stays within a band about the level after; the band is relative to the change.
    Settles(f64),
    /// The same with a band in the signal's own unit.
    SettlesWithin(f64),
    /// How far the level after lies from the level before, relative to it.
    Regulation,
}

/// Part of the window, at its end, whose mean is the level after unless one is stated.
const TAIL: f64 = 0.1;

/// A signal that goes from one level to another. Levels that are not stated are the value at the window's beginning and
/// the mean over its last tenth, or the two levels at which it stays longest (IEC 60469 leaves the method open; it must be
/// said).
#[derive(Clone, Debug)]
pub(crate) struct Step {
    span: Span,
    asked: Change,
    start: Option<f64>,
    end: Option<f64>,
    seen: Option<f64>,
    tail: f64,
    ready: bool,
    /// Time spent at each level, if levels are found by it.
    histogram: Option<Histogram>,
    /// Times at which 10 % of the way was passed last before half of it was, when that was first, and at which 90 % was first behind it
    /// (IEEE 181: the crossings next to the 50 % instant).
    passed: [Option<f64>; 3],
    /// When the band was left last; none while it has always been within.
    outside: Option<f64>,
    settled: bool,
}

impl Step {
    /// Nothing yet; `start` and `end` are the levels, if stated.
    pub(crate) fn new(span: Span, start: Option<f64>, end: Option<f64>, asked: Change) -> Self {
        Step {
            span,
            asked,
            start,
            end,
            seen: None,
            tail: 0.0,
            ready: false,
            histogram: None,
            passed: [None; 3],
            outside: None,
            settled: true,
        }
    }

    /// The same, with levels that are not stated found by where it stays longest.
    pub(crate) fn by_histogram(self) -> Self {
        Step { histogram: Some(Histogram::default()), ..self }
    }

    /// Takes the lower and the upper level of the histogram for those that are not stated.
    fn take_levels(&mut self, (low, high): (f64, f64)) {
        let tail = self.tail();
        let mean = self.tail / (tail.to - tail.from);
        let rises = match self.asked {
            Change::Rise => true,
            Change::Fall => false,
            _ => (mean - high).abs() < (mean - low).abs(),
        };
        let (start, end) = if rises { (low, high) } else { (high, low) };
        self.start.get_or_insert(start);
        self.end.get_or_insert(end);
    }

    fn tail(&self) -> Span {
        let length = TAIL * (self.span.to - self.span.from);
        Span { from: self.span.to - length, ..self.span }
    }

    fn levels(&self) -> (f64, f64) {
        (self.start.unwrap_or(f64::NAN), self.end.unwrap_or(f64::NAN))
    }

    fn find_levels(&mut self, wave: Waveform<'_>, times: f64) {
        let tail = self.tail();
        for piece in wave.pieces(self.span) {
            let (a, _) = piece.within(self.span);
            self.seen.get_or_insert(piece.at(a));
        }
        for piece in wave.pieces(tail) {
            self.tail += times * piece.integral(piece.within(tail));
        }
    }

    fn find_passages(&mut self, wave: Waveform<'_>) {
        let (start, end) = self.levels();
        for piece in wave.pieces(self.span) {
            let (a, b) = piece.within(self.span);
            let onward = |s: &f64| (a..=b).contains(s) && piece.slope(*s) * (end - start) > 0.0;
            let of =
                |k: usize, part: f64| piece.crossings(start + part * (end - start)).filter(onward).map(move |s| (s, k));
            let mut crossings: Vec<(f64, usize)> = of(0, 0.1).chain(of(1, 0.5)).chain(of(2, 0.9)).collect();
            crossings.sort_by(|x, y| x.0.total_cmp(&y.0));
            for (s, k) in crossings {
                let [_, half, behind] = self.passed;
                if match k {
                    0 | 1 => half.is_none(),
                    _ => half.is_some() && behind.is_none(),
                } {
                    self.passed[k] = Some(piece.time(s));
                }
            }
        }
    }

    fn find_settling(&mut self, wave: Waveform<'_>, width: f64) {
        let (_, end) = self.levels();
        for piece in wave.pieces(self.span) {
            let (a, b) = piece.within(self.span);
            let outside = |s: f64| (piece.at(s) - end).abs() > width;
            let edges = [end - width, end + width];
            let mut places: Vec<f64> = edges.into_iter().flat_map(|level| piece.crossings(level)).collect();
            places.extend([a, b]);
            places.retain(|s| (a..=b).contains(s));
            places.sort_by(f64::total_cmp);
            for stretch in places.windows(2) {
                if outside(0.5 * (stretch[0] + stretch[1])) {
                    self.outside = Some(piece.time(stretch[1]));
                    self.settled = stretch[1] < b;
                } else {
                    self.settled = true;
                }
            }
        }
    }
}

impl Gauge for Step {
    fn take(&mut self, waves: &[Waveform<'_>]) {
        match (self.ready, self.asked) {
            (false, _) if self.histogram.as_ref().is_some_and(Histogram::is_begun) => {
                let span = self.span;
                self.histogram.iter_mut().for_each(|histogram| histogram.take(waves[0], span, 1.0));
            }
            (false, _) => self.find_levels(waves[0], 1.0),
            (true, Change::Settles(band)) => {
                let (start, end) = self.levels();
                self.find_settling(waves[0], band * (end - start).abs());
            }
            (true, Change::SettlesWithin(width)) => self.find_settling(waves[0], width),
            (true, _) => self.find_passages(waves[0]),
        }
    }

    fn marks(&self) -> Vec<f64> {
        vec![self.tail().from]
    }

    /// What is passed first is passed in the first turn or the second, what is passed last in the last.
    fn take_again(&mut self, turns: &Turns<'_>) {
        let times = turns.count() as f64;
        match (&mut self.histogram, self.ready) {
            (Some(histogram), false) if histogram.is_begun() => {
                turns.hand(0, &mut |waves| histogram.take(waves[0], self.span, times));
            }
            (_, false) => turns.hand(0, &mut |waves| self.find_levels(waves[0], times)),
            (_, true) => {
                turns.hand(0, &mut |waves| self.take(waves));
                turns.hand(1, &mut |waves| self.take(waves));
                turns.hand_last(&mut |waves| self.take(waves));
            }
        }
    }

    fn again(&mut self, figures: &Figures) -> Result<bool, MeasureError> {
        if self.ready {
            return Ok(false);
        }
        match &mut self.histogram {
            Some(histogram) if !histogram.is_begun() => {
                histogram.begin(figures.extremes());
                return Ok(true);
            }
            Some(histogram) => {
                let levels = histogram.levels();
                self.take_levels(levels);
            }
            None => {}
        }
        let tail = self.tail();
        self.start = self.start.or(self.seen);
        self.end.get_or_insert(self.tail / (tail.to - tail.from));
        self.ready = true;
        let (start, end) = self.levels();
        // A load step may leave the level where it was.
        let level = matches!(self.asked, Change::Undershoot | Change::RiseAbove | Change::Regulation);
        let bounded = level || matches!(self.asked, Change::SettlesWithin(_));
        if (end - start).abs() <= figures.rounding() && !bounded {
            return Err(MeasureError::NoStep);
        }
        Ok(!level && self.asked != Change::Overshoot)
    }

    fn value(&self, figures: &Figures) -> Result<f64, MeasureError> {
        let (start, end) = self.levels();
        let (min, max) = figures.extremes();
        let upward = end > start;
        match self.asked {
            Change::Rise | Change::Fall => match self.passed {
                [Some(from), _, Some(to)] if upward == (self.asked == Change::Rise) => Ok(to - from),
                _ => Err(MeasureError::NoStep),
            },
            Change::Delay => self.passed[1].map(|at| at - self.span.from).ok_or(MeasureError::NoStep),
            Change::Overshoot => {
                let beyond = if upward { max - end } else { end - min };
                Ok(beyond.max(0.0) / (end - start).abs())
            }
            Change::Regulation if start.abs() <= figures.rounding() => Err(MeasureError::NothingThere),
            Change::Regulation => Ok((end - start).abs() / start.abs()),
            Change::Undershoot => Ok((start.min(end) - min).max(0.0)),
            Change::RiseAbove => Ok((max - start.max(end)).max(0.0)),
            Change::Settles(_) | Change::SettlesWithin(_) if !self.settled => Err(MeasureError::NotSettled),
            Change::Settles(_) | Change::SettlesWithin(_) => Ok(self.outside.map_or(0.0, |time| time - self.span.from)),
        }
    }
}

/// Values at one time, or at both ends, and the steepest slope between.
#[derive(Clone, Debug)]
pub(crate) struct Slopes {
    span: Span,
    asked: Sloped,
    ends: Option<(f64, f64)>,
    at: Option<f64>,
    steepest: f64,
}

/// What is asked about values and slopes.
#[derive(Clone, Copy, Debug, PartialEq)]
pub(crate) enum Sloped {
    /// Value at a time, s.
    At(f64),
    /// Change over the span, over its length.
    Mean,
    /// Largest magnitude of the rate of change.
    Steepest,
}

impl Slopes {
    /// Nothing yet.
    pub(crate) fn new(span: Span, asked: Sloped) -> Self {
        Slopes { span, asked, ends: None, at: None, steepest: 0.0 }
    }
}

impl Gauge for Slopes {
    fn take(&mut self, waves: &[Waveform<'_>]) {
        for piece in waves[0].pieces(self.span) {
            let (a, b) = piece.within(self.span);
            let first = self.ends.map_or(piece.at(a), |ends| ends.0);
            self.ends = Some((first, piece.at(b)));
            if let Sloped::At(time) = self.asked {
                let s = piece.place(time);
                if (0.0..=1.0).contains(&s) {
                    self.at = Some(piece.at(s));
                }
            }
            let slopes = piece.steepest((a, b)).map(|s| (piece.slope(s) / piece.lasts(0.0, 1.0)).abs());
            self.steepest = slopes.fold(self.steepest, f64::max);
        }
    }

    fn marks(&self) -> Vec<f64> {
        match self.asked {
            Sloped::At(time) => vec![time],
            _ => Vec::new(),
        }
    }

    fn take_again(&mut self, turns: &Turns<'_>) {
        turns.hand(0, &mut |waves| self.take(waves));
        turns.hand_last(&mut |waves| self.take(waves));
    }

    fn again(&mut self, _: &Figures) -> Result<bool, MeasureError> {
        Ok(false)
    }

    fn value(&self, _: &Figures) -> Result<f64, MeasureError> {
        match (self.asked, self.ends, self.at) {
            (Sloped::At(time), _, Some(value)) if (self.span.from..=self.span.to).contains(&time) => Ok(value),
            (Sloped::At(time), ..) => {
                let Span { from, to } = self.span;
                Err(MeasureError::NotCovered { from: time, to: time, first: from, last: to })
            }
            (_, None, _) => Err(MeasureError::Empty),
            (Sloped::Mean, Some((first, last)), _) => Ok((last - first) / (self.span.to - self.span.from)),
            (Sloped::Steepest, ..) => Ok(self.steepest),
        }
    }
}
