//! What comes again and again: figures of it follow from one turn and how many there are.

use crate::span::Span;
use crate::waveform::Waveform;
use recording::{covered, times_of, turns};
use std::ops::Range;

/// Turns that are passed over one by one, where there are no more.
const FEW: u64 = 4;
/// Part of a turn by which a time may miss its beginning or end for rounding.
const NEAR: f64 = 1e-6;

/// Waves that come so many times more, of which some turns are looked at.
#[derive(Clone, Debug)]
pub struct Turns<'a> {
    times: &'a [f64],
    values: Vec<&'a [f64]>,
    again: u64,
    looked_at: Range<u64>,
}

impl<'a> Turns<'a> {
    /// All turns of waves at the same nodes, which come so many times more.
    pub(crate) fn new(times: &'a [f64], values: Vec<&'a [f64]>, again: u64) -> Self {
        Turns { times, values, again, looked_at: 0..again + 1 }
    }

    /// How many there are.
    pub fn count(&self) -> u64 {
        self.looked_at.end - self.looked_at.start
    }

    /// How long one takes, s.
    pub fn period(&self) -> f64 {
        let (first, last) = covered(self.times, self.again);
        (last - first) / (self.again + 1) as f64
    }

    /// When the first begins and the last ends, s.
    pub fn span(&self) -> Span {
        let (from, _) = covered(self.times, self.again);
        let at = |turn: u64| from + turn as f64 * self.period();
        Span { from: at(self.looked_at.start), to: at(self.looked_at.end) }
    }

    /// Hands over the waves of one of them, counted from 0.
    pub fn hand(&self, turn: u64, take: &mut dyn FnMut(&[Waveform<'_>])) {
        let times = times_of(self.times, self.again, self.looked_at.start + turn);
        let waves: Vec<Waveform<'_>> = self.values.iter().map(|values| Waveform::new(&times, values)).collect();
        take(&waves);
    }

    /// The same of the last.
    pub fn hand_last(&self, take: &mut dyn FnMut(&[Waveform<'_>])) {
        self.hand(self.count() - 1, take);
    }

    /// The turns that touch a span, in order: those with a mark inside and the few between two of them one by one, the others together.
    pub(crate) fn parted(&self, span: Span, marks: &[f64]) -> Vec<Turns<'a>> {
        let (first, last) = covered(self.times, self.again);
        let (from, to) = turns((first, last), self.again, (span.from, span.to));
        let period = self.period();
        let place = |time: f64| ((time - first) / period).clamp(-1.0, (self.again + 1) as f64);
        let marked =
            marks.iter().chain([&span.from, &span.to]).flat_map(|mark| [-NEAR, NEAR].map(|by| place(*mark) + by));
        let marked = marked.map(f64::floor).filter(|turn| *turn >= from as f64 && *turn <= to as f64);
        let mut marked: Vec<u64> = marked.map(|turn| turn as u64).collect();
        marked.sort_unstable();
        marked.dedup();
        let (mut parts, mut next) = (Vec::new(), from);
        for turn in marked.into_iter().map(Some).chain([None]) {
            let until = turn.unwrap_or(to + 1);
            if until - next <= FEW {
                parts.extend((next..until).map(|turn| turn..turn + 1));
            } else {
                parts.push(next..until);
            }
            parts.extend(turn.map(|turn| turn..turn + 1));
            next = turn.map_or(until, |turn| turn + 1);
        }
        parts.into_iter().map(|looked_at| Turns { looked_at, ..self.clone() }).collect()
    }
}
