use crate::span::Span;
use crate::waveform::Waveform;

/// Time a signal spends at each of many levels between its lowest and highest value. In each half the level at which it
/// stays longest is a state level (IEEE 181-2011, 5.2.1: histogram mode, bimodal).
#[derive(Clone, Debug, Default)]
pub(crate) struct Histogram {
    low: f64,
    high: f64,
    times: Vec<f64>,
    /// Integrals of the signal while it is at each.
    integrals: Vec<f64>,
}

/// Levels told apart.
const LEVELS: usize = 256;
/// A stretch that passes over one level is cut in as many pieces.
const FINE: f64 = 4.0;

impl Histogram {
    /// Begins it, once it is known where the signal goes.
    pub(crate) fn begin(&mut self, (low, high): (f64, f64)) {
        *self = Histogram { low, high, times: vec![0.0; LEVELS], integrals: vec![0.0; LEVELS] };
    }

    pub(crate) fn is_begun(&self) -> bool {
        !self.times.is_empty()
    }

    /// Adds a waveform that comes so many times.
    pub(crate) fn take(&mut self, wave: Waveform<'_>, span: Span, times: f64) {
        let width = (self.high - self.low) / LEVELS as f64;
        for piece in wave.pieces(span) {
            let (a, b) = piece.within(span);
            let over =
                piece.turns((a, b)).chain([b]).map(|s| (piece.at(s) - piece.at(a)).abs()).fold(0.0, f64::max) / width;
            let parts = if over.is_finite() { (FINE * over).ceil().clamp(1.0, FINE * LEVELS as f64) } else { 1.0 };
            let each = times * piece.lasts(a, b) / parts;
            for k in 0..parts as usize {
                let value = piece.at(a + (b - a) * (k as f64 + 0.5) / parts);
                let place = ((value - self.low) / width).clamp(0.0, LEVELS as f64 - 1.0);
                let place = if place.is_nan() { 0 } else { place as usize };
                self.times[place] += each;
                self.integrals[place] += each * value;
            }
        }
    }

    /// The lower and the upper state level: the mean while it is at the level.
    pub(crate) fn levels(&self) -> (f64, f64) {
        let longest = |from: usize, to: usize| {
            let found = (from..to).max_by(|a, b| self.times[*a].total_cmp(&self.times[*b])).unwrap_or(from);
            if self.times[found] > 0.0 { self.integrals[found] / self.times[found] } else { self.low }
        };
        (longest(0, LEVELS / 2), longest(LEVELS / 2, LEVELS))
    }
}
