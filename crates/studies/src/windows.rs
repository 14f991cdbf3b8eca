//! Windows that are found in a run before readings are taken in them.

use crate::recorded::{Recorded, covering};
use circuit::{ResolvedEvent, ResolvedWindow, Signal};
use readings::{MeasureError, Question, Span, Survey, Ticket};

/// The windows of a circuit's readings, in their order, on their way.
pub struct Windows {
    whole: Span,
    sought: Vec<Sought>,
}

/// What a window waits for.
enum Sought {
    Known(Result<Span, String>),
    Settled { signal: String, from: Result<Ticket, String> },
    Between(Instant, Instant),
}

/// An instant that may have to be found.
enum Instant {
    At(f64),
    Crossing { said: String, found: Result<Ticket, String> },
}

impl Windows {
    /// Asks a survey for everything the windows of the readings of one study wait for.
    pub fn new(of: Recorded<'_, '_>, survey: &mut Survey) -> Self {
        let readings = of.circuit.readings.iter();
        let sought = readings.map(|reading| match &reading.window {
            _ if reading.study != of.study || reading.problem.is_some() => Sought::Known(Ok(of.whole)),
            // A run cut short may have been on its way still.
            ResolvedWindow::Settled { .. } if !of.complete => {
                Sought::Known(Err("the run did not reach its end".to_owned()))
            }
            ResolvedWindow::Settled { signal, band, period } => {
                let question = |span| Question::settled(span, *period, *band);
                Sought::Settled { signal: signal.to_string(), from: of.ask(signal, survey, question) }
            }
            ResolvedWindow::Events(from, to) => Sought::Between(of.instant(from, survey), of.instant(to, survey)),
            window => Sought::Known(of.span(window)),
        });
        Windows { whole: of.whole, sought: sought.collect() }
    }

    /// The windows, once the survey has passed over the recording; why there is none, in words.
    pub fn found(self, survey: &Survey) -> Vec<Result<Span, String>> {
        let whole = self.whole;
        let sought = self.sought.into_iter();
        let window = |sought| match sought {
            Sought::Known(span) => span,
            Sought::Settled { signal, from } => {
                let from = from.and_then(|ticket| survey.answer(ticket).map_err(|error| error.to_string()));
                let from = from.map_err(|problem| format!("its window begins when {signal} has settled: {problem}"))?;
                Ok(Span { from, to: whole.to })
            }
            Sought::Between(from, to) => {
                let (from, to) = (from.time(survey)?, to.time(survey)?);
                if from < to {
                    return Ok(Span { from, to });
                }
                Err(format!("its window ends at {to:.4e} s, before it begins at {from:.4e} s"))
            }
        };
        sought.map(window).collect()
    }
}

impl Instant {
    fn time(self, survey: &Survey) -> Result<f64, String> {
        match self {
            Instant::At(time) => Ok(time),
            Instant::Crossing { said, found } => {
                let found = found.and_then(|ticket| survey.answer(ticket).map_err(|error| error.to_string()));
                found.map_err(|problem| format!("its window waits for {said}: {problem}"))
            }
        }
    }
}

impl Recorded<'_, '_> {
    fn ask(
        &self,
        signal: &Signal,
        survey: &mut Survey,
        question: impl Fn(Span) -> Result<Question, MeasureError>,
    ) -> Result<Ticket, String> {
        let recipe = self.recipe(signal)?;
        let span = covering(self.whole, self.whole).map_err(|error| error.to_string())?;
        let question = question(span).map_err(|error| error.to_string())?;
        Ok(survey.ask(vec![recipe], span, question))
    }

    fn instant(&self, event: &ResolvedEvent, survey: &mut Survey) -> Instant {
        match event {
            ResolvedEvent::At(time) => Instant::At(*time),
            ResolvedEvent::Crossing { signal, level, direction, number } => {
                let question = |span| Ok(Question::crossing(span, *level, *number, *direction));
                let said = format!("crossing {number} of {level} by {signal}");
                Instant::Crossing { said, found: self.ask(signal, survey, question) }
            }
        }
    }
}
