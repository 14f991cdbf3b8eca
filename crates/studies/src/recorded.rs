//! What was recorded, as readings need to know it.

use crate::curves::Curves;
use circuit::{Circuit, ResolvedPart, ResolvedWindow, Signal};
use readings::{MeasureError, Recipe, Span};
use recording::Column;

/// A recording as readings need to know it.
#[derive(Clone, Copy, Debug)]
pub struct Recorded<'a, 'c> {
    /// The circuit that ran, with the readings and requirements it is judged by.
    pub circuit: &'a Circuit,
    /// What was recorded.
    pub columns: &'c [Column],
    /// The study it is of, by its place.
    pub study: usize,
    /// Whether the run reached its end.
    pub complete: bool,
    /// First and last time recorded, s.
    pub whole: Span,
    /// What was found over frequency, by a frequency study.
    pub curves: Option<&'c Curves>,
}

impl Recorded<'_, '_> {
    /// How a signal is made of columns, all of which were recorded.
    pub(crate) fn recipe(&self, signal: &Signal) -> Result<Recipe, String> {
        let recipe = Recipe::new(self.circuit, signal).map_err(|error| error.to_string())?;
        match recipe.columns().into_iter().find(|key| !self.columns.contains(key)) {
            Some(key) => Err(format!("{} was not recorded", key.of)),
            None => Ok(recipe),
        }
    }

    /// The span of a window that has not to be searched for.
    pub(crate) fn span(&self, window: &ResolvedWindow) -> Result<Span, String> {
        let whole = self.whole;
        Ok(match window {
            ResolvedWindow::Between(from, to) => Span { from: *from, to: *to },
            ResolvedWindow::From(from) => Span { from: *from, to: whole.to },
            // "The last periods" of a run cut short are not the ones meant.
            ResolvedWindow::Last(_) if !self.complete => return Err("the run did not reach its end".to_owned()),
            ResolvedWindow::Last(length) => Span { from: whole.to - length, to: whole.to },
            _ => whole,
        })
    }
}

/// A span within a recording; a recording of no length holds nothing.
pub(crate) fn covering(whole: Span, span: Span) -> Result<Span, MeasureError> {
    whole.covering(span, whole.to <= whole.from)
}

/// The last whole period of the slowest source that repeats, or of the slowest clock where none does, if the run is long enough; else
/// the last tenth of it.
pub fn last_period(circuit: &Circuit, from: f64, end: f64) -> Span {
    let longest = |of: fn(&ResolvedPart) -> Option<f64>| circuit.parts.iter().filter_map(of).fold(0.0, f64::max);
    let sources = longest(ResolvedPart::period);
    let longest = if sources > 0.0 { sources } else { longest(ResolvedPart::clock) };
    let length = if longest > 0.0 && longest <= end - from { longest } else { 0.1 * (end - from) };
    Span { from: end - length, to: end }
}
