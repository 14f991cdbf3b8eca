//! Readings on their way: what is asked of a recording, and what comes of it.

use crate::outcome::ReadingResult;
use crate::power_path::Powers;
use circuit::expression::work_out;
use circuit::{Circuit, Dimensioned, ReadingMeasure, ReadingOf, ResolvedReading, ResolvedWindow, Signal, Term};
use readings::{MeasureError, Question, Recipe, Span, Survey, Ticket};
use recording::Column;

/// A recording as readings need to know it.
pub(crate) struct Recorded<'a> {
    pub(crate) circuit: &'a Circuit,
    pub(crate) columns: &'a [Column],
    /// The study it is of.
    pub(crate) study: usize,
    /// Whether the run reached its end.
    pub(crate) complete: bool,
    pub(crate) whole: Span,
}

impl Recorded<'_> {
    /// How a signal is made of columns, all of which were recorded.
    fn recipe(&self, signal: &Signal) -> Result<Recipe, String> {
        let recipe = Recipe::new(self.circuit, signal).map_err(|error| error.to_string())?;
        match recipe.columns().into_iter().find(|key| !self.columns.contains(key)) {
            Some(key) => Err(format!("{} was not recorded", key.of)),
            None => Ok(recipe),
        }
    }

    fn span(&self, window: ResolvedWindow) -> Result<Span, String> {
        let whole = self.whole;
        Ok(match window {
            ResolvedWindow::WholeRun => whole,
            ResolvedWindow::Between(from, to) => Span { from, to },
            ResolvedWindow::From(from) => Span { from, to: whole.to },
            // "The last periods" of a run cut short are not the ones meant.
            ResolvedWindow::Last(_) if !self.complete => return Err("the run did not reach its end".to_owned()),
            ResolvedWindow::Last(length) => Span { from: whole.to - length, to: whole.to },
        })
    }
}

/// A span within a recording; a recording of no length holds nothing.
pub(crate) fn covering(whole: Span, span: Span) -> Result<Span, MeasureError> {
    whole.covering(span, whole.to <= whole.from)
}

/// A reading on its way.
pub(crate) struct Asked<'a> {
    reading: &'a ResolvedReading,
    found: Result<(Source, Span), String>,
}

/// Where its number comes from.
enum Source {
    Survey(Ticket),
    Stage(Powers, Option<usize>),
    Formula,
}

impl<'a> Asked<'a> {
    pub(crate) fn new(of: &Recorded<'_>, reading: &'a ResolvedReading, survey: &mut Survey) -> Self {
        let found = Self::ask(of, reading, survey);
        Asked { reading, found }
    }

    fn ask(of: &Recorded<'_>, reading: &ResolvedReading, survey: &mut Survey) -> Result<(Source, Span), String> {
        if reading.study != of.study {
            return Err("taken from another study".to_owned());
        }
        let span = of.span(reading.window)?;
        let covered = covering(of.whole, span).map_err(|error| error.to_string())?;
        let signals = match &reading.of {
            ReadingOf::Signal(signal) => vec![of.recipe(signal)?],
            ReadingOf::Port { voltage, current } => vec![of.recipe(voltage)?, of.recipe(current)?],
            ReadingOf::Stage(stage) => {
                let mut ask = |terms: Vec<Term>| {
                    let recipe = of.recipe(&Signal { terms }).ok()?;
                    Some(survey.ask_within(vec![recipe], covered, Question::Figures))
                };
                return Ok((Source::Stage(Powers::new(of.circuit, &mut ask), *stage), span));
            }
            ReadingOf::Formula(_) => return Ok((Source::Formula, span)),
        };
        let question = Question::new(reading.measure, &reading.numbers, covered, reading.fundamental);
        let question = question.map_err(|error| error.to_string())?;
        Ok((Source::Survey(survey.ask(signals, covered, question)), span))
    }

    fn value(&self, source: &Source, survey: &Survey, before: &[ReadingResult]) -> Result<f64, String> {
        match (source, &self.reading.of) {
            (Source::Survey(ticket), _) => survey.answer(*ticket).map_err(|error| error.to_string()),
            (Source::Stage(powers, stage), _) => {
                let (arriving, passed) = powers.through(*stage, survey)?;
                match self.reading.measure {
                    ReadingMeasure::Loss => Ok(arriving - passed),
                    _ if arriving > 0.0 => Ok(passed / arriving),
                    _ => Err("no power arrives".to_owned()),
                }
            }
            (Source::Formula, ReadingOf::Formula(text)) => {
                let known = |name: &str| {
                    let found = before.iter().find(|r| r.id == name);
                    let found = found.ok_or_else(|| format!("there is no reading named {name} before this one"))?;
                    let value = found.value.ok_or_else(|| format!("{name} has no value"))?;
                    Ok(Dimensioned::new(value, found.unit))
                };
                let value = work_out(text, &known).map_err(|error| error.message)?.value;
                if value.is_finite() { Ok(value) } else { Err("it divides by zero".to_owned()) }
            }
            (Source::Formula, _) => Err("it has no formula".to_owned()),
        }
    }

    fn result(&self, survey: &Survey, before: &[ReadingResult]) -> ReadingResult {
        let found = match &self.found {
            Ok((source, span)) => self.value(source, survey, before).map(|value| (value, (span.from, span.to))),
            Err(problem) => Err(problem.clone()),
        };
        let (value, window, problem) = match found {
            Ok((value, window)) => (Some(value), Some(window), None),
            Err(problem) => (None, None, Some(problem)),
        };
        ReadingResult { id: self.reading.id.clone(), unit: self.reading.unit, value, problem, window }
    }
}

/// What came of each, in order; a formula uses those before it.
pub(crate) fn answers(asked: Vec<Asked<'_>>, survey: &Survey) -> Vec<ReadingResult> {
    asked.into_iter().fold(Vec::new(), |mut results, asked| {
        let result = asked.result(survey, &results);
        results.push(result);
        results
    })
}
