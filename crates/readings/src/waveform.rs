use crate::piece::Piece;
use crate::span::{MeasureError, Span};
use recording::{end_of_step, step_at};

/// A waveform over nodes that begin with an end of a step.
///
/// Over each step the waveform is the quadratic or the quartic through start, inner nodes and end ([`recording::steps`]).
#[derive(Clone, Copy, Debug)]
pub struct Waveform<'a> {
    times: &'a [f64],
    values: &'a [f64],
}

impl<'a> Waveform<'a> {
    /// A waveform over nodes; an even count is cut to the last complete step.
    pub fn new(times: &'a [f64], values: &'a [f64]) -> Self {
        let n = times.len().min(values.len());
        let n = if n.is_multiple_of(2) { n.saturating_sub(1) } else { n };
        Waveform { times: &times[..n], values: &values[..n] }
    }

    /// The span recorded; empty at zero if there is nothing.
    pub fn whole(&self) -> Span {
        Span { from: self.times.first().copied().unwrap_or(0.0), to: self.times.last().copied().unwrap_or(0.0) }
    }

    /// The value at a time; the nearest recorded one outside the recording.
    ///
    /// # Errors
    /// [`MeasureError::Empty`] if nothing was recorded.
    pub fn at(&self, t: f64) -> Result<f64, MeasureError> {
        let whole = self.whole();
        if self.times.len() < 3 {
            return Err(MeasureError::Empty);
        }
        let t = t.clamp(whole.from, whole.to);
        let first = step_at(self.times, t);
        let piece = self.piece(first, end_of_step(self.times, first));
        Ok(piece.at(piece.place(t).clamp(0.0, 1.0)))
    }

    /// Where it turns between its nodes, in order: the node behind, the time, s, and the value.
    pub fn turns(&self) -> impl Iterator<Item = (usize, f64, f64)> + use<'a> {
        let times = self.times;
        self.steps(self.whole()).filter(|(.., piece)| piece.length() > 0.0).flat_map(move |(first, _, piece)| {
            piece.turns((0.0, 1.0)).map(move |s| {
                let (t, behind) = (piece.time(s), &times[first + 1..]);
                (first + 1 + behind.iter().take_while(|node| **node <= t).count(), t, piece.at(s))
            })
        })
    }

    /// The span cut to the recording if it overshoots by rounding only.
    pub(crate) fn covered(&self, span: Span) -> Result<Span, MeasureError> {
        self.whole().covering(span, self.times.len() < 3)
    }

    pub(crate) fn values(&self) -> &'a [f64] {
        self.values
    }

    /// The steps that lie in a span, in order; none if all of them lie outside.
    pub(crate) fn pieces(&self, span: Span) -> impl Iterator<Item = Piece> + use<'a> {
        self.steps(span).map(|(.., piece)| piece).filter(|piece| piece.length() > 0.0)
    }

    /// The same, each with its first node and its last; those without length too.
    pub(crate) fn steps(&self, span: Span) -> impl Iterator<Item = (usize, usize, Piece)> + use<'a> {
        let wave = *self;
        let whole = self.whole();
        let outside = self.times.len() < 3 || whole.to <= span.from || whole.from > span.to;
        let mut next = if outside { usize::MAX } else { step_at(self.times, span.from) };
        let last = if outside { 0 } else { step_at(self.times, span.to) };
        std::iter::from_fn(move || {
            let first = next;
            (first <= last).then(|| {
                next = end_of_step(wave.times, first);
                (first, next, wave.piece(first, next))
            })
        })
    }

    fn piece(&self, first: usize, end: usize) -> Piece {
        Piece::new(&self.times[first..=end], &self.values[first..=end])
    }
}
