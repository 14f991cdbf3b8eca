use circuit::ReadingMeasure;

/// What changes by less is steady, relative to the largest value there ever was and at all (in V, A or W): no run
/// is as exact as that, and what moves is rounding.
const STEADY: f64 = 1e-9;
const LEAST: f64 = 1e-13;

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
    /// Fewer than three swings that grow less or more in order.
    #[error("the signal does not ring within the window")]
    NotRinging,
    /// Fewer than two upward crossings of the mid level.
    #[error("the signal does not repeat within the window, so it has no frequency there")]
    NotPeriodic,
}

/// One step as `c0 + c1·s + c2·s²`, s from 0 to 1.
#[derive(Clone, Copy)]
struct Piece {
    start: f64,
    length: f64,
    c: [f64; 3],
}

impl Piece {
    fn at(&self, s: f64) -> f64 {
        self.c[0] + s * (self.c[1] + s * self.c[2])
    }

    /// The parts of the step that lie within a span, as bounds of s.
    fn within(&self, span: Span) -> (f64, f64) {
        let s = |t: f64| ((t - self.start) / self.length).clamp(0.0, 1.0);
        (s(span.from), s(span.to))
    }

    fn integral(&self, (a, b): (f64, f64)) -> f64 {
        let p = |s: f64| s * (self.c[0] + s * (self.c[1] / 2.0 + s * self.c[2] / 3.0));
        self.length * (p(b) - p(a))
    }

    fn integral_of_square(&self, (a, b): (f64, f64)) -> f64 {
        let [c0, c1, c2] = self.c;
        let p = |s: f64| {
            s * (c0 * c0
                + s * (c0 * c1 + s * ((c1 * c1 + 2.0 * c0 * c2) / 3.0 + s * (c1 * c2 / 2.0 + s * c2 * c2 / 5.0))))
        };
        self.length * (p(b) - p(a))
    }

    /// Place of the vertex if it lies inside the bounds.
    fn vertex(&self, (a, b): (f64, f64)) -> Option<f64> {
        let s = -self.c[1] / (2.0 * self.c[2]);
        (s > a && s < b).then_some(s)
    }

    /// Places where the piece passes `level`, ascending.
    fn crossings(&self, level: f64) -> impl Iterator<Item = f64> + use<> {
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

    /// Takes one measure over a span.
    ///
    /// # Errors
    /// [`MeasureError`] if the span is not covered, or the signal does not repeat and its
    /// frequency is asked for.
    pub fn measure(&self, measure: ReadingMeasure, span: Span) -> Result<f64, MeasureError> {
        match measure {
            ReadingMeasure::Mean => self.mean(span),
            ReadingMeasure::Rms => self.rms(span),
            ReadingMeasure::Min => self.extremes(span).map(|(min, _)| min),
            ReadingMeasure::Max => self.extremes(span).map(|(_, max)| max),
            ReadingMeasure::PeakToPeak => self.swing(span),
            ReadingMeasure::Frequency => self.frequency(span),
        }
    }

    /// Largest less smallest value; none where they differ by rounding only.
    ///
    /// # Errors
    /// See [`Waveform::measure`].
    pub fn swing(&self, span: Span) -> Result<f64, MeasureError> {
        let (min, max) = self.extremes(span)?;
        let largest = self.values.iter().fold(0.0f64, |largest, value| largest.max(value.abs()));
        Ok(if max - min > (STEADY * largest).max(LEAST) { max - min } else { 0.0 })
    }

    /// Time average.
    ///
    /// # Errors
    /// See [`Waveform::measure`].
    pub fn mean(&self, span: Span) -> Result<f64, MeasureError> {
        let span = self.covered(span)?;
        let sum: f64 = self.pieces(span).map(|p| p.integral(p.within(span))).sum();
        Ok(sum / (span.to - span.from))
    }

    /// Root mean square.
    ///
    /// # Errors
    /// See [`Waveform::measure`].
    pub fn rms(&self, span: Span) -> Result<f64, MeasureError> {
        let span = self.covered(span)?;
        let sum: f64 = self.pieces(span).map(|p| p.integral_of_square(p.within(span))).sum();
        Ok((sum / (span.to - span.from)).max(0.0).sqrt())
    }

    /// Smallest and largest value.
    ///
    /// # Errors
    /// See [`Waveform::measure`].
    pub fn extremes(&self, span: Span) -> Result<(f64, f64), MeasureError> {
        let span = self.covered(span)?;
        let (mut min, mut max) = (f64::INFINITY, f64::NEG_INFINITY);
        for piece in self.pieces(span) {
            let (a, b) = piece.within(span);
            for s in [Some(a), Some(b), piece.vertex((a, b))].into_iter().flatten() {
                let y = piece.at(s);
                min = min.min(y);
                max = max.max(y);
            }
        }
        Ok((min, max))
    }

    /// Reciprocal of the mean time between upward crossings of the mid level. Wiggles smaller
    /// than a fifth of peak-to-peak around the mid level do not count.
    ///
    /// # Errors
    /// See [`Waveform::measure`].
    pub fn frequency(&self, span: Span) -> Result<f64, MeasureError> {
        let span = self.covered(span)?;
        if self.swing(span)? == 0.0 {
            return Err(MeasureError::NotPeriodic);
        }
        let (min, max) = self.extremes(span)?;
        let (level, guard) = (0.5 * (min + max), 0.1 * (max - min));
        let mut armed = false;
        let (mut first, mut last, mut count) = (None, 0.0, 0u32);
        for piece in self.pieces(span) {
            let (a, b) = piece.within(span);
            for s in [Some(a), piece.vertex((a, b))].into_iter().flatten() {
                armed |= piece.at(s) < level - guard;
            }
            if !armed {
                armed = piece.at(b) < level - guard;
                continue;
            }
            let upward = |s: &f64| piece.c[1] + 2.0 * piece.c[2] * s > 0.0 && (a..=b).contains(s);
            if let Some(s) = piece.crossings(level).find(upward) {
                last = piece.start + s * piece.length;
                first.get_or_insert(last);
                count += 1;
                armed = piece.at(b) < level - guard;
            }
        }
        match first {
            Some(first) if count > 1 && max > min => Ok(f64::from(count - 1) / (last - first)),
            _ => Err(MeasureError::NotPeriodic),
        }
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

    /// Times within a span where something stands out: peaks, troughs, and crossings of the mean
    /// over the span, ascending.
    ///
    /// # Errors
    /// See [`Waveform::measure`].
    pub fn features(&self, span: Span) -> Result<Vec<f64>, MeasureError> {
        let span = self.covered(span)?;
        let mean = self.mean(span)?;
        let mut found: Vec<f64> = self.turning_points(span)?.into_iter().map(|(t, _)| t).collect();
        for piece in self.pieces(span) {
            let bounds = piece.within(span);
            let inside = |s: &f64| *s > bounds.0 && *s < bounds.1;
            found.extend(piece.crossings(mean).filter(inside).map(|s| piece.start + s * piece.length));
        }
        found.sort_by(f64::total_cmp);
        found.dedup();
        Ok(found)
    }

    /// Peaks and troughs within a span, in order: time and value.
    ///
    /// # Errors
    /// See [`Waveform::measure`].
    pub fn turning_points(&self, span: Span) -> Result<Vec<(f64, f64)>, MeasureError> {
        let span = self.covered(span)?;
        let mut found = Vec::new();
        let mut slope_before = 0.0;
        for piece in self.pieces(span) {
            let bounds = piece.within(span);
            let slope_at = |s: f64| piece.c[1] + 2.0 * piece.c[2] * s;
            // An extreme inside the step, or a corner between two steps.
            let corner = (slope_before * slope_at(bounds.0) < 0.0).then_some(bounds.0);
            let places = corner.into_iter().chain(piece.vertex(bounds));
            found.extend(places.map(|s| (piece.start + s * piece.length, piece.at(s))));
            slope_before = slope_at(bounds.1);
        }
        Ok(found)
    }

    /// The span cut to the recording if it overshoots by rounding only.
    fn covered(&self, span: Span) -> Result<Span, MeasureError> {
        if self.times.len() < 3 {
            return Err(MeasureError::Empty);
        }
        let whole = self.whole();
        let slack = 1e-9 * (whole.to - whole.from);
        let cut = Span { from: span.from.max(whole.from), to: span.to.min(whole.to) };
        if span.from < whole.from - slack || span.to > whole.to + slack || cut.from >= cut.to || span.from.is_nan() {
            let Span { from, to } = span;
            return Err(MeasureError::NotCovered { from, to, first: whole.from, last: whole.to });
        }
        Ok(cut)
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

    fn pieces(&self, span: Span) -> impl Iterator<Item = Piece> + use<'a> {
        let wave = *self;
        let (first, last) = (self.step_at(span.from), self.step_at(span.to));
        (first..=last).map(move |step| wave.piece(step)).filter(|piece| piece.length > 0.0)
    }

    fn piece(&self, step: usize) -> Piece {
        let i = 2 * step;
        let (t, y) = (&self.times[i..i + 3], &self.values[i..i + 3]);
        let length = t[2] - t[0];
        let g = (t[1] - t[0]) / length;
        let whole = y[2] - y[0];
        let c2 = ((y[1] - y[0]) / g - whole) / (g - 1.0);
        // In steps so short that times coincide the quadratic is a line.
        let c2 = if c2.is_finite() { c2 } else { 0.0 };
        Piece { start: t[0], length, c: [y[0], whole - c2, c2] }
    }
}
