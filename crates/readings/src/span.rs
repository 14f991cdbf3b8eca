//! Stretches of time, and why nothing can be measured over one.

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
        span.is_forward()?;
        let slack = 1e-9 * (self.to - self.from);
        let cut = Span { from: span.from.max(self.from), to: span.to.min(self.to) };
        if span.from < self.from - slack || span.to > self.to + slack || cut.from >= cut.to || span.from.is_nan() {
            let Span { from, to } = span;
            return Err(MeasureError::NotCovered { from, to, first: self.from, last: self.to });
        }
        Ok(cut)
    }

    /// What of a span lies within this one.
    ///
    /// # Errors
    /// [`MeasureError::Empty`] if there is nothing, [`MeasureError::NotCovered`] if none of it does.
    pub fn part_of(self, span: Span, empty: bool) -> Result<Span, MeasureError> {
        span.is_forward()?;
        let cut = Span { from: span.from.max(self.from), to: span.to.min(self.to) };
        // What does not meet is told as it was asked for.
        self.covering(if cut.from < cut.to { cut } else { span }, empty)
    }

    fn is_forward(self) -> Result<(), MeasureError> {
        let Span { from, to } = self;
        if to <= from { Err(MeasureError::Backwards { from, to }) } else { Ok(()) }
    }
}

/// Why a measurement could not be made.
#[derive(Clone, Copy, Debug, PartialEq, thiserror::Error)]
pub enum MeasureError {
    /// Nothing was recorded.
    #[error("nothing was recorded")]
    Empty,
    /// The window ends where it begins, or before; s.
    #[error("the window ends at {to:.4e} s, which is not after its beginning at {from:.4e} s")]
    Backwards {
        /// Window start.
        from: f64,
        /// Window end.
        to: f64,
    },
    /// What is read is no number somewhere in the window.
    #[error("the signal is not a number everywhere in the window: a formula divides by nothing there")]
    NoNumber,
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
