use crate::figures::Figures;
use crate::question::{Asked, Question};
use crate::recipe::Recipe;
use crate::span::{MeasureError, Span};
use crate::turns::Turns;
use crate::waveform::Waveform;
use recording::{Chunks, Column, Piece, Unreadable, covered};

/// Answers to many questions about many signals, taken together while a recording passes once, or as often as one of
/// them needs.
///
/// What is kept does not grow with the recording, and what comes again is passed over once, however often it comes.
/// Pieces can be given one by one ([`Survey::take`]), or all that a recording has ([`Survey::pass`]).
#[derive(Debug, Default)]
pub struct Survey {
    signals: Vec<Recipe>,
    entries: Vec<Entry>,
    later: bool,
}

#[derive(Debug)]
struct Entry {
    asked: Asked,
    /// Places of its signals.
    signals: Vec<usize>,
    /// Whether what is rounding is judged by the span's own values, and nothing outside is looked at.
    within: bool,
}

impl Entry {
    /// Whether values outside the span matter.
    fn of_whole(&self) -> bool {
        !self.within && self.asked.weighs_rounding()
    }

    /// Whether it has to do with what was recorded from one time to another, s.
    fn concerns(&self, later: bool, (first, last): (f64, f64)) -> bool {
        let Span { from, to } = self.asked.span;
        self.asked.is_open() && ((last >= from && first <= to) || (!later && self.of_whole()))
    }
}

/// Where an answer is found.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub struct Ticket(usize);

impl Survey {
    /// Asks a question of signals over a span, which must lie within the recording ([`Span::covering`]).
    pub fn ask(&mut self, signals: Vec<Recipe>, span: Span, question: Question) -> Ticket {
        self.add(signals, span, question, false)
    }

    /// As [`Survey::ask`], but nothing outside the span is looked at: what is rounding, and neither swings nor has a
    /// frequency, is judged by the values around the span.
    pub fn ask_within(&mut self, signals: Vec<Recipe>, span: Span, question: Question) -> Ticket {
        self.add(signals, span, question, true)
    }

    fn add(&mut self, signals: Vec<Recipe>, span: Span, question: Question, within: bool) -> Ticket {
        let mut place = |recipe: Recipe| match self.signals.iter().position(|r| *r == recipe) {
            Some(place) => place,
            None => {
                self.signals.push(recipe);
                self.signals.len() - 1
            }
        };
        let signals = signals.into_iter().map(&mut place).collect();
        self.entries.push(Entry { asked: Asked::new(span, question), signals, within });
        Ticket(self.entries.len() - 1)
    }

    /// The columns needed, each once.
    pub fn columns(&self) -> Vec<Column> {
        let mut columns = Vec::new();
        for column in self.signals.iter().flat_map(Recipe::columns) {
            if !columns.contains(column) {
                columns.push(column.clone());
            }
        }
        columns
    }

    /// The stretch of the recording this pass needs, s; none if nothing is asked.
    pub fn needs(&self) -> Option<Span> {
        let reach = |e: &Entry| match e.of_whole() && !self.later {
            true => Span { from: f64::NEG_INFINITY, to: f64::INFINITY },
            false => e.asked.span,
        };
        let spans = self.entries.iter().filter(|e| e.asked.is_open()).map(reach);
        spans.reduce(|a, b| Span { from: a.from.min(b.from), to: a.to.max(b.to) })
    }

    /// Takes the next piece of the recording; `columns` says what its columns are.
    pub fn take(&mut self, piece: &Piece<'_>, columns: &[Column]) {
        let column = |key: &Column| columns.iter().position(|c| c == key).and_then(|k| piece.columns.get(k).copied());
        let mut evaluated: Vec<Option<Vec<f64>>> = vec![None; self.signals.len()];
        let lasts = match piece.times {
            [] => return,
            [first, .., last] if piece.again == 0 => (*first, *last),
            times => covered(times, piece.again),
        };
        for entry in self.entries.iter_mut().filter(|e| e.concerns(self.later, lasts)) {
            for place in &entry.signals {
                evaluated[*place].get_or_insert_with(|| self.signals[*place].evaluate(piece.times.len(), column));
            }
            let values: Vec<&[f64]> =
                entry.signals.iter().map(|place| evaluated[*place].as_deref().unwrap_or_default()).collect();
            if piece.again > 0 {
                let first = values[0];
                entry.asked.take_turns(&Turns::new(piece.times, values, piece.again), first);
            } else {
                let waves: Vec<Waveform<'_>> = values.iter().map(|values| Waveform::new(piece.times, values)).collect();
                entry.asked.take(&waves);
            }
        }
    }

    /// Ends a pass over the recording; whether another is needed.
    pub fn again(&mut self) -> bool {
        self.later = true;
        self.entries.iter_mut().for_each(|e| e.asked.again());
        self.entries.iter().any(|e| e.asked.is_open())
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
                chunks.folded(from, to, &places, &mut |piece| self.take(&piece, &columns))?;
            }
            if !self.again() {
                return Ok(());
            }
        }
    }

    /// The figures taken.
    pub fn figures(&self, ticket: Ticket) -> Figures {
        self.entries[ticket.0].asked.figures
    }

    /// The answer; the mean if figures were asked for.
    ///
    /// # Errors
    /// [`MeasureError`] if there is none.
    pub fn answer(&self, ticket: Ticket) -> Result<f64, MeasureError> {
        self.entries[ticket.0].asked.answer()
    }
}
