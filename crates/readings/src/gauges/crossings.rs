use super::gauge::Gauge;
use crate::figures::Figures;
use crate::piece::Piece;
use crate::span::{MeasureError, Span};
use crate::turns::Turns;
use crate::waveform::Waveform;
use circuit::Direction;

/// Wiggles that reach less far than this part of peak-to-peak beside the level are no swings.
const GUARD: f64 = 0.1;
/// The same of what there is beside the level, where that is less.
const NEAR: f64 = 0.5;

/// What is asked about the crossings of a level.
#[derive(Clone, Copy, Debug, PartialEq)]
pub(crate) enum Crossed {
    /// Reciprocal of the mean time between upward crossings, Hz.
    Frequency,
    /// Mean time between upward crossings, s.
    Period,
    /// How many upward crossings there are.
    Count,
    /// Time of the n-th crossing, s, counted from 1; wiggles count too.
    Time(u32, Direction),
}

/// Finds where a waveform passes through a level, piece by piece: where it has been beyond it on one side and then is on the other.
/// Touching it is not passing, and where it rests at the level it passes when it came there.
#[derive(Clone, Debug)]
pub struct Passing {
    span: Span,
    level: f64,
    direction: Direction,
    /// What it must be beyond the level by, below and above.
    guard: [f64; 2],
    /// Whether it was above when it was last beyond the level.
    above: Option<bool>,
    /// When it came to the level from there.
    came: Option<f64>,
}

impl Passing {
    /// Nothing seen yet of a span.
    pub fn new(span: Span, level: f64, direction: Direction) -> Self {
        Passing { span, level, direction, guard: [0.0; 2], above: None, came: None }
    }

    /// The same where what does not reach so far beyond the level is no swing.
    fn guarded(self, guard: [f64; 2]) -> Self {
        Passing { guard, ..self }
    }

    /// Adds a waveform that goes on where the last one ended; the times at which it passes, ascending.
    pub fn take(&mut self, wave: Waveform<'_>) -> Vec<f64> {
        let mut times = Vec::new();
        for piece in wave.pieces(self.span) {
            for (a, b, up) in piece.stretches(piece.within(self.span), self.level) {
                self.stretch(&piece, (a, b), up, &mut times);
            }
        }
        times
    }

    /// A stretch on one side of the level, or at it.
    fn stretch(&mut self, piece: &Piece, (a, b): (f64, f64), up: bool, times: &mut Vec<f64>) {
        let off = |s: f64| (piece.at(s) - self.level).abs();
        let reaches = piece.turns((a, b)).chain([a, 0.5 * (a + b), b]).map(off).fold(0.0, f64::max);
        if self.above != Some(up) || reaches == 0.0 {
            self.came.get_or_insert(piece.time(a));
        }
        if reaches <= self.guard[usize::from(up)] {
            return;
        }
        let came = self.came.take().unwrap_or(piece.time(a));
        let passed = self.above.replace(up).is_some_and(|before| before != up);
        let wanted = match self.direction {
            Direction::Either => true,
            Direction::Rising => up,
            Direction::Falling => !up,
        };
        if passed && wanted {
            times.push(came);
        }
    }

    /// So much time passes in which nothing new does.
    fn later(&mut self, time: f64) {
        self.came = self.came.map(|came| came + time);
    }
}

/// Crossings of a level; without one, of the middle between lowest and highest value.
#[derive(Clone, Debug)]
pub(crate) struct Crossings {
    span: Span,
    level: Option<f64>,
    asked: Crossed,
    passing: Option<Passing>,
    first: Option<f64>,
    last: f64,
    count: u64,
    time: Option<f64>,
}

impl Crossings {
    /// Nothing yet.
    pub(crate) fn new(span: Span, level: Option<f64>, asked: Crossed) -> Self {
        Crossings { span, level, asked, passing: None, first: None, last: 0.0, count: 0, time: None }
    }

    fn crossed(&mut self, time: f64) {
        self.last = time;
        self.first.get_or_insert(time);
        self.count += 1;
        if matches!(self.asked, Crossed::Time(number, _) if u64::from(number) == self.count) {
            self.time = Some(time);
        }
    }
}

impl Gauge for Crossings {
    fn take(&mut self, waves: &[Waveform<'_>]) {
        let passed = self.passing.as_mut().map(|passing| passing.take(waves[0]));
        passed.into_iter().flatten().for_each(|time| self.crossed(time));
    }

    /// The side it was on last when a turn ends does no longer change with the first, so the second is as all that follow.
    fn take_again(&mut self, turns: &Turns<'_>) {
        turns.hand(0, &mut |waves| self.take(waves));
        let (before, mut each) = (self.count, self.clone());
        turns.hand(1, &mut |waves| self.take(waves));
        let (found, later) = (self.count - before, turns.count() - 2);
        if found == 0 {
            return;
        }
        if let Crossed::Time(number, _) = self.asked
            && let Some(behind) = u64::from(number).checked_sub(self.count + 1)
            && behind < later * found
        {
            // The one that stands in its place in the second turn, and so many turns later.
            each.asked = Crossed::Time((before + 1 + behind % found) as u32, Direction::Either);
            turns.hand(1, &mut |waves| each.take(waves));
            self.time = each.time.map(|time| time + (1 + behind / found) as f64 * turns.period());
        }
        let lasts = later as f64 * turns.period();
        self.count += later * found;
        self.last += lasts;
        self.passing.iter_mut().for_each(|passing| passing.later(lasts));
    }

    fn again(&mut self, figures: &Figures) -> Result<bool, MeasureError> {
        if self.passing.is_some() {
            return Ok(false);
        }
        let (min, max) = figures.extremes();
        let each = matches!(self.asked, Crossed::Time(..));
        if figures.swing() == 0.0 {
            return Err(if each { MeasureError::NotCrossed } else { MeasureError::NotPeriodic });
        }
        let level = self.level.unwrap_or(0.5 * (min + max));
        let (guard, direction) = match self.asked {
            Crossed::Time(_, direction) => ([0.0; 2], direction),
            _ => (
                [level - min, max - level].map(|room| (GUARD * (max - min)).min(NEAR * room).max(0.0)),
                Direction::Rising,
            ),
        };
        self.passing = Some(Passing::new(self.span, level, direction).guarded(guard));
        Ok(true)
    }

    fn value(&self, _: &Figures) -> Result<f64, MeasureError> {
        let period = || match self.first {
            Some(first) if self.count > 1 => Ok((self.last - first, (self.count - 1) as f64)),
            _ => Err(MeasureError::NotPeriodic),
        };
        match self.asked {
            Crossed::Frequency => period().map(|(time, periods)| periods / time),
            Crossed::Period => period().map(|(time, periods)| time / periods),
            Crossed::Count => Ok(self.count as f64),
            Crossed::Time(..) => self.time.ok_or(MeasureError::NotCrossed),
        }
    }
}

/// Time above a level over the length of the span; without a level, above the middle.
#[derive(Clone, Debug)]
pub(crate) struct TimeAbove {
    span: Span,
    level: Option<f64>,
    ready: bool,
    above: f64,
}

impl TimeAbove {
    /// Nothing yet.
    pub(crate) fn new(span: Span, level: Option<f64>) -> Self {
        TimeAbove { span, level, ready: false, above: 0.0 }
    }

    fn add(&mut self, wave: Waveform<'_>, times: f64) {
        let (true, Some(level)) = (self.ready, self.level) else { return };
        for piece in wave.pieces(self.span) {
            let above = piece.stretches(piece.within(self.span), level).filter(|(_, _, above)| *above);
            self.above += times * above.map(|(from, to, _)| piece.lasts(from, to)).sum::<f64>();
        }
    }
}

impl Gauge for TimeAbove {
    fn take(&mut self, waves: &[Waveform<'_>]) {
        self.add(waves[0], 1.0);
    }

    fn take_again(&mut self, turns: &Turns<'_>) {
        turns.hand(0, &mut |waves| self.add(waves[0], turns.count() as f64));
    }

    fn again(&mut self, figures: &Figures) -> Result<bool, MeasureError> {
        let (min, max) = figures.extremes();
        self.level.get_or_insert(0.5 * (min + max));
        Ok(!std::mem::replace(&mut self.ready, true))
    }

    fn value(&self, _: &Figures) -> Result<f64, MeasureError> {
        Ok(self.above / (self.span.to - self.span.from))
    }
}
