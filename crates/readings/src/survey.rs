use crate::figures::{Crossings, Figures};
use crate::recipe::Recipe;
use crate::waveform::{MeasureError, Span, Waveform};
use circuit::ReadingMeasure;
use recording::{Chunks, Column, Piece, Unreadable};

/// Figures of many signals, taken together while a recording passes once; twice where a frequency is asked for.
///
/// What is kept does not grow with the recording. Pieces can be given one by one ([`Survey::take`]), or all that a
/// recording has ([`Survey::pass`]).
#[derive(Debug, Default)]
pub struct Survey {
    signals: Vec<Signal>,
    asked: Vec<Asked>,
    second: bool,
}

#[derive(Debug)]
struct Signal {
    recipe: Recipe,
    asked: Vec<usize>,
}

#[derive(Debug)]
struct Asked {
    span: Span,
    measure: Option<ReadingMeasure>,
    /// Whether what is rounding is judged by the span's own values, and nothing outside is looked at.
    within: bool,
    figures: Figures,
    crossings: Option<Result<Crossings, MeasureError>>,
}

impl Asked {
    /// Whether values outside the span matter.
    fn of_whole(&self) -> bool {
        !self.within && matches!(self.measure, None | Some(ReadingMeasure::PeakToPeak | ReadingMeasure::Frequency))
    }

    fn concerns(&self, second: bool, times: &[f64]) -> bool {
        let inside =
            times.last().is_some_and(|t| *t >= self.span.from) && times.first().is_some_and(|t| *t <= self.span.to);
        if second { inside && matches!(self.crossings, Some(Ok(_))) } else { inside || self.of_whole() }
    }
}

/// Where an answer is found.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub struct Ticket(usize);

impl Survey {
    /// Asks for a measure of a signal over a span, which must lie within the recording ([`Span::covering`]); without
    /// one, for its figures.
    pub fn ask(&mut self, recipe: Recipe, span: Span, measure: Option<ReadingMeasure>) -> Ticket {
        self.add(recipe, span, measure, false)
    }

    /// As [`Survey::ask`], but nothing outside the span is looked at: what is rounding, and neither swings nor has a
    /// frequency, is judged by the values around the span.
    pub fn ask_within(&mut self, recipe: Recipe, span: Span, measure: Option<ReadingMeasure>) -> Ticket {
        self.add(recipe, span, measure, true)
    }

    fn add(&mut self, recipe: Recipe, span: Span, measure: Option<ReadingMeasure>, within: bool) -> Ticket {
        let index = self.asked.len();
        self.asked.push(Asked { span, measure, within, figures: Figures::over(span), crossings: None });
        match self.signals.iter_mut().find(|s| s.recipe == recipe) {
            Some(signal) => signal.asked.push(index),
            None => self.signals.push(Signal { recipe, asked: vec![index] }),
        }
        Ticket(index)
    }

    /// The columns needed, each once.
    pub fn columns(&self) -> Vec<Column> {
        let mut columns = Vec::new();
        for column in self.signals.iter().flat_map(|s| s.recipe.columns()) {
            if !columns.contains(column) {
                columns.push(column.clone());
            }
        }
        columns
    }

    /// The stretch of the recording this pass needs, s; none if nothing is asked.
    pub fn needs(&self) -> Option<Span> {
        let open = |a: &&Asked| !self.second || matches!(a.crossings, Some(Ok(_)));
        let reach = |a: &Asked| match a.of_whole() && !self.second {
            true => Span { from: f64::NEG_INFINITY, to: f64::INFINITY },
            false => a.span,
        };
        let spans = self.asked.iter().filter(open).map(reach);
        spans.reduce(|a, b| Span { from: a.from.min(b.from), to: a.to.max(b.to) })
    }

    /// Takes the next piece of the recording; `columns` says what its columns are.
    pub fn take(&mut self, piece: &Piece<'_>, columns: &[Column]) {
        let column = |key: &Column| columns.iter().position(|c| c == key).and_then(|k| piece.columns.get(k).copied());
        for signal in &self.signals {
            let concerned = |k: &&usize| self.asked[**k].concerns(self.second, piece.times);
            let concerned: Vec<usize> = signal.asked.iter().filter(concerned).copied().collect();
            if concerned.is_empty() {
                continue;
            }
            let values = signal.recipe.evaluate(piece.times.len(), column);
            let wave = Waveform::new(piece.times, &values);
            for k in concerned {
                let asked = &mut self.asked[k];
                match &mut asked.crossings {
                    Some(Ok(crossings)) if self.second => crossings.take(wave),
                    _ => asked.figures.take(wave),
                }
            }
        }
    }

    /// Ends a pass over the recording; whether another is needed.
    pub fn again(&mut self) -> bool {
        if self.second {
            return false;
        }
        self.second = true;
        for asked in self.asked.iter_mut().filter(|a| a.measure == Some(ReadingMeasure::Frequency)) {
            asked.crossings = Some(Crossings::of(&asked.figures));
        }
        self.asked.iter().any(|a| matches!(a.crossings, Some(Ok(_))))
    }

    /// Passes over a recording as often as need be; `known` says what its columns are.
    ///
    /// # Errors
    /// [`Unreadable`] if it cannot be read back.
    pub fn pass(&mut self, chunks: &dyn Chunks, known: &[Column]) -> Result<(), Unreadable> {
        let columns: Vec<Column> = self.columns().into_iter().filter(|c| known.contains(c)).collect();
        let places: Vec<usize> = columns.iter().filter_map(|c| known.iter().position(|k| k == c)).collect();
        loop {
            if let Some(Span { from, to }) = self.needs() {
                chunks.pieces(from, to, &places, &mut |piece| self.take(&piece, &columns))?;
            }
            if !self.again() {
                return Ok(());
            }
        }
    }

    /// The figures taken.
    pub fn figures(&self, ticket: Ticket) -> Figures {
        self.asked[ticket.0].figures
    }

    /// The measure that was asked for; the mean if none was.
    ///
    /// # Errors
    /// [`MeasureError::NotPeriodic`] for the frequency of what does not repeat.
    pub fn measured(&self, ticket: Ticket) -> Result<f64, MeasureError> {
        let asked = &self.asked[ticket.0];
        match (asked.figures.measure(asked.measure.unwrap_or(ReadingMeasure::Mean)), asked.crossings) {
            (Some(value), _) => Ok(value),
            (None, Some(crossings)) => crossings?.frequency(),
            (None, None) => Err(MeasureError::NotPeriodic),
        }
    }
}
