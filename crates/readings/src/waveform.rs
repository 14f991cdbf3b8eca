use recording::STAGE;

/// Length of a step, relative to the time at hand, below which times do not tell the place of its inner node.
const TELLS: f64 = 1e-9;

/// A waveform over nodes: ends of steps at even places, one inner node at odd ones.
///
/// Over each step the waveform is the quadratic through start, inner node and end.
#[derive(Clone, Copy, Debug)]
pub struct Waveform<'a> {
    times: &'a [f64],
    values: &'a [f64],
}

/// A stretch of time, s.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct Span {
    /// Start.
    pub from: f64,
    /// End.
    pub to: f64,
}

impl Span {
    /// A span within this one, cut to it if it overshoots by rounding only.
    ///
    /// # Errors
    /// [`MeasureError::Empty`] if there is nothing, [`MeasureError::NotCovered`] if it reaches outside.
    pub fn covering(self, span: Span, empty: bool) -> Result<Span, MeasureError> {
        if empty {
            return Err(MeasureError::Empty);
        }
        let slack = 1e-9 * (self.to - self.from);
        let cut = Span { from: span.from.max(self.from), to: span.to.min(self.to) };
        if span.from < self.from - slack || span.to > self.to + slack || cut.from >= cut.to || span.from.is_nan() {
            let Span { from, to } = span;
            return Err(MeasureError::NotCovered { from, to, first: self.from, last: self.to });
        }
        Ok(cut)
    }
}

/// Why a measurement could not be made.
#[derive(Clone, Copy, Debug, PartialEq, thiserror::Error)]
pub enum MeasureError {
    /// Nothing was recorded.
    #[error("nothing was recorded")]
    Empty,
    /// The window reaches outside what was recorded, all in s.
    #[error(
        "the window from {from:.4e} s to {to:.4e} s is not covered by the run, recorded from {first:.4e} s to {last:.4e} s"
    )]
    NotCovered {
        /// Window start.
        from: f64,
        /// Window end.
        to: f64,
        /// Recording start.
        first: f64,
        /// Recording end.
        last: f64,
    },
    /// A level that is not crossed as asked.
    #[error("the signal does not cross the level so often within the window")]
    NotCrossed,
    /// No change from one level to another.
    #[error("the signal does not go from one level to another within the window as asked")]
    NoStep,
    /// Still outside its band at the end.
    #[error("the signal has not settled within the window")]
    NotSettled,
    /// A window too short for what is asked.
    #[error("the window is too short: {needed:.3e} s are needed at least")]
    TooShort {
        /// Least length, s.
        needed: f64,
    },
    /// Nothing periodic to take the fundamental from.
    #[error("it is not stated what the fundamental is, and there is not exactly one periodic source; state it")]
    NoFundamental,
    /// A ratio to next to nothing.
    #[error("there is nothing to relate it to within the window")]
    NothingThere,
    /// Fewer than three swings that grow less or more in order.
    #[error("the signal does not ring within the window")]
    NotRinging,
    /// Fewer than two upward crossings of the mid level.
    #[error("the signal does not repeat within the window, so it has no frequency there")]
    NotPeriodic,
}

/// One step as `c0 + c1·s + c2·s²`, s from 0 to 1.
#[derive(Clone, Copy)]
pub(crate) struct Piece {
    start: f64,
    length: f64,
    c: [f64; 3],
}

impl Piece {
    pub(crate) fn at(&self, s: f64) -> f64 {
        self.c[0] + s * (self.c[1] + s * self.c[2])
    }

    /// Change per step length.
    pub(crate) fn slope(&self, s: f64) -> f64 {
        self.c[1] + 2.0 * self.c[2] * s
    }

    /// Change of the slope per step length.
    pub(crate) fn curvature(&self) -> f64 {
        2.0 * self.c[2]
    }

    /// Time between two places, s.
    pub(crate) fn lasts(&self, from: f64, to: f64) -> f64 {
        (to - from) * self.length
    }

    /// Place of a time.
    pub(crate) fn place(&self, time: f64) -> f64 {
        (time - self.start) / self.length
    }

    /// The stretches on either side of a level, in order: from, to, whether above.
    pub(crate) fn stretches(&self, (a, b): (f64, f64), level: f64) -> impl Iterator<Item = (f64, f64, bool)> + use<> {
        let piece = *self;
        let mut places = vec![a, b];
        places.extend(self.crossings(level).filter(|s| *s > a && *s < b));
        places.sort_by(f64::total_cmp);
        (1..places.len()).map(move |k| {
            let (from, to) = (places[k - 1], places[k]);
            (from, to, piece.at(0.5 * (from + to)) > level)
        })
    }

    /// Time of a place, s.
    pub(crate) fn time(&self, s: f64) -> f64 {
        self.start + s * self.length
    }

    /// The parts of the step that lie within a span, as bounds of s.
    pub(crate) fn within(&self, span: Span) -> (f64, f64) {
        let s = |t: f64| ((t - self.start) / self.length).clamp(0.0, 1.0);
        (s(span.from), s(span.to))
    }

    pub(crate) fn integral(&self, (a, b): (f64, f64)) -> f64 {
        let p = |s: f64| s * (self.c[0] + s * (self.c[1] / 2.0 + s * self.c[2] / 3.0));
        self.length * (p(b) - p(a))
    }

    pub(crate) fn integral_of_square(&self, (a, b): (f64, f64)) -> f64 {
        let [c0, c1, c2] = self.c;
        let p = |s: f64| {
            s * (c0 * c0
                + s * (c0 * c1 + s * ((c1 * c1 + 2.0 * c0 * c2) / 3.0 + s * (c1 * c2 / 2.0 + s * c2 * c2 / 5.0))))
        };
        self.length * (p(b) - p(a))
    }

    /// Place of the vertex if it lies inside the bounds.
    pub(crate) fn vertex(&self, (a, b): (f64, f64)) -> Option<f64> {
        let s = -self.c[1] / (2.0 * self.c[2]);
        (s > a && s < b).then_some(s)
    }

    /// Places where the piece passes `level`, ascending.
    pub(crate) fn crossings(&self, level: f64) -> impl Iterator<Item = f64> + use<> {
        let [c0, c1, c2] = self.c;
        let c0 = c0 - level;
        let discriminant = c1 * c1 - 4.0 * c2 * c0;
        let root = discriminant.max(0.0).sqrt();
        // The stable pair of roots of a quadratic.
        let q = -0.5 * (c1 + c1.signum() * root);
        let mut found = if discriminant < 0.0 { [f64::NAN; 2] } else { [q / c2, c0 / q] };
        found.sort_by(f64::total_cmp);
        found.into_iter().filter(|s| (0.0..=1.0).contains(s))
    }
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
        let piece = self.piece(self.step_at(t));
        Ok(piece.at(((t - piece.start) / piece.length).clamp(0.0, 1.0)))
    }

    /// The span cut to the recording if it overshoots by rounding only.
    pub(crate) fn covered(&self, span: Span) -> Result<Span, MeasureError> {
        self.whole().covering(span, self.times.len() < 3)
    }

    pub(crate) fn values(&self) -> &'a [f64] {
        self.values
    }

    /// Index of the step that holds a time inside the recording.
    fn step_at(&self, t: f64) -> usize {
        let steps = self.times.len() / 2;
        // Ends of steps stand at even places.
        let (mut low, mut high) = (0, steps);
        while low + 1 < high {
            let middle = (low + high) / 2;
            if self.times[2 * middle] <= t {
                low = middle;
            } else {
                high = middle;
            }
        }
        low
    }

    /// The steps that lie in a span, in order; none if all of them lie outside.
    pub(crate) fn pieces(&self, span: Span) -> impl Iterator<Item = Piece> + use<'a> {
        let wave = *self;
        let whole = self.whole();
        let outside = self.times.len() < 3 || whole.to <= span.from || whole.from > span.to;
        let steps = if outside { 0..0 } else { self.step_at(span.from)..self.step_at(span.to) + 1 };
        steps.map(move |step| wave.piece(step)).filter(|piece| piece.length > 0.0)
    }

    fn piece(&self, step: usize) -> Piece {
        let i = 2 * step;
        let (t, y) = (&self.times[i..i + 3], &self.values[i..i + 3]);
        let length = t[2] - t[0];
        // Of a jump, which takes next to no time, rounding would make a curve beyond both its ends.
        let g = if length < TELLS * t[2].abs() { STAGE } else { (t[1] - t[0]) / length };
        let whole = y[2] - y[0];
        let c2 = ((y[1] - y[0]) / g - whole) / (g - 1.0);
        let c2 = if c2.is_finite() { c2 } else { 0.0 };
        Piece { start: t[0], length, c: [y[0], whole - c2, c2] }
    }
}
