//! Readings and verdicts on their way: what is asked of a recording, and what comes of it.

use crate::outcome::{ReadingResult, Standing, Verdict};
use crate::power_path::Powers;
use crate::recorded::{Recorded, covering};
use crate::stored::Stored;
use crate::stress::Stressing;
use circuit::expression::work_out;
use circuit::{
    Circuit, Dimensioned, ReadingMeasure, ReadingOf, ResolvedPart, ResolvedReading, ResolvedRequirement, Signal, Term,
};
use readings::{Question, Span, Survey, Ticket};

/// A run being judged: what its readings ask of a survey, and what comes of it.
///
/// The same for a run that has just ended and for one whose recording lies in the store.
pub struct Judging<'a> {
    circuit: &'a Circuit,
    asked: Vec<Asked<'a>>,
}

impl<'a> Judging<'a> {
    /// Asks for everything the circuit's readings need, in the windows found for them ([`crate::Windows`]).
    pub fn new(of: Recorded<'a, '_>, windows: Vec<Result<Span, String>>, survey: &mut Survey) -> Self {
        let readings = of.circuit.readings.iter().zip(windows);
        let asked = readings.map(|(reading, window)| Asked::new(&of, reading, window, survey)).collect();
        Judging { circuit: of.circuit, asked }
    }

    /// Readings and verdicts, in the order of the document, once the survey has passed over the recording. Formulas may use
    /// what was read `elsewhere`, in runs of other studies.
    pub fn found(self, survey: &Survey, elsewhere: &[ReadingResult]) -> (Vec<ReadingResult>, Vec<Verdict>) {
        // A formula uses the readings before it.
        let readings = self.asked.into_iter().fold(Vec::new(), |mut results, asked| {
            let result = asked.result(survey, &results, elsewhere);
            results.push(result);
            results
        });
        let verdicts = self.circuit.requirements.iter().map(|r| verdict(self.circuit, r, &readings)).collect();
        (readings, verdicts)
    }
}

/// What is said of a reading that another study's runs give.
const ELSEWHERE: &str = "taken from another study";

/// A reading on its way.
struct Asked<'a> {
    circuit: &'a Circuit,
    reading: &'a ResolvedReading,
    found: Result<(Source, Span), String>,
}

/// Where its number comes from.
enum Source {
    Survey(Ticket),
    Stage(Powers, Stored, Option<usize>),
    Stress(Stressing),
    Curve(f64),
    Formula,
}

impl<'a> Asked<'a> {
    fn new(
        of: &Recorded<'a, '_>,
        reading: &'a ResolvedReading,
        window: Result<Span, String>,
        survey: &mut Survey,
    ) -> Self {
        let found = Self::ask(of, reading, window, survey);
        Asked { circuit: of.circuit, reading, found }
    }

    fn ask(
        of: &Recorded<'_, '_>,
        reading: &ResolvedReading,
        window: Result<Span, String>,
        survey: &mut Survey,
    ) -> Result<(Source, Span), String> {
        if let Some(problem) = &reading.problem {
            return Err(problem.clone());
        }
        if reading.study != of.study {
            return Err(ELSEWHERE.to_owned());
        }
        if let ReadingOf::Curve(text) = &reading.of {
            let curves = of.curves.ok_or("it was not asked over frequency")?;
            let upper = reading.measure == ReadingMeasure::MaskUse;
            if upper || reading.measure == ReadingMeasure::MaskRest {
                // The frequency that decides stands where readings over time have their window.
                let (value, at) = curves.against(text, &reading.mask, upper)?;
                return Ok((Source::Curve(value), Span { from: at, to: at }));
            }
            let value = curves.read(text, reading.measure, &reading.numbers)?;
            return Ok((Source::Curve(value), of.whole));
        }
        let span = window?;
        if of.curves.is_some() && matches!(reading.of, ReadingOf::Formula(_)) {
            return Ok((Source::Formula, span));
        }
        let covered = covering(of.whole, span).map_err(|error| error.to_string())?;
        let signals = match &reading.of {
            ReadingOf::Signal(signal) => vec![of.recipe(signal)?],
            ReadingOf::Port { voltage, current } => vec![of.recipe(voltage)?, of.recipe(current)?],
            ReadingOf::Stage(stage) if reading.measure == ReadingMeasure::RatingUse => {
                let wanted = |part: &ResolvedPart| {
                    part.ratings.iter().any(Option::is_some) && (stage.is_none() || part.stage == *stage)
                };
                return Ok((Source::Stress(Stressing::new(of, covered, wanted, survey)), span));
            }
            ReadingOf::Stage(stage) => {
                let mut ask = |terms: Vec<Term>| {
                    let recipe = of.recipe(&Signal { terms }).ok()?;
                    Some(survey.ask_within(vec![recipe], covered, Question::Figures))
                };
                let powers = Powers::new(of.circuit, &mut ask);
                let stored = Stored::new(of, &powers, covered, survey);
                return Ok((Source::Stage(powers, stored, *stage), span));
            }
            ReadingOf::Formula(_) | ReadingOf::Curve(_) => return Ok((Source::Formula, span)),
        };
        let question = Question::new(reading.measure, &reading.numbers, covered, reading.fundamental);
        let question = question.map_err(|error| error.to_string())?;
        Ok((Source::Survey(survey.ask(signals, covered, question)), span))
    }

    fn value(
        &self,
        source: &Source,
        survey: &Survey,
        before: &[ReadingResult],
        elsewhere: &[ReadingResult],
    ) -> Result<f64, String> {
        match (source, &self.reading.of) {
            (Source::Curve(value), _) => Ok(*value),
            (Source::Survey(ticket), _) => survey.answer(*ticket).map_err(|error| error.to_string()),
            (Source::Stress(stressing), _) => stressing.most_used(self.circuit, survey),
            (Source::Stage(powers, stored, stage), _) => {
                let (arriving, passed) = powers.through(*stage, stored.power(*stage, survey), survey)?;
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
                    let read = || elsewhere.iter().find(|r| r.id == name)?.value;
                    let value = found.value.or_else(read);
                    let why = || match &found.problem {
                        Some(problem) if problem == ELSEWHERE => {
                            format!("{name} is read in another study, which has not been run since its circuit changed")
                        }
                        _ => format!("{name} has no value"),
                    };
                    Ok(Dimensioned::new(value.ok_or_else(why)?, found.unit))
                };
                let value = work_out(text, &known).map_err(|error| error.message)?.value;
                if value.is_finite() { Ok(value) } else { Err("it divides by zero".to_owned()) }
            }
            (Source::Formula, _) => Err("it has no formula".to_owned()),
        }
    }

    fn result(&self, survey: &Survey, before: &[ReadingResult], elsewhere: &[ReadingResult]) -> ReadingResult {
        let found = match &self.found {
            Ok((source, span)) => {
                self.value(source, survey, before, elsewhere).map(|value| (value, (span.from, span.to)))
            }
            Err(problem) => Err(problem.clone()),
        };
        let (value, window, problem) = match found {
            Ok((value, window)) => (Some(value), Some(window), None),
            Err(problem) => (None, None, Some(problem)),
        };
        let ResolvedReading { id, unit, metered, .. } = self.reading;
        ReadingResult { id: id.clone(), unit: *unit, value, problem, window, metered: *metered }
    }
}

/// Margin, relative to the limit, below which a requirement counts as close.
const CLOSE: f64 = 0.1;

fn verdict(circuit: &Circuit, requirement: &ResolvedRequirement, readings: &[ReadingResult]) -> Verdict {
    let reading = &readings[requirement.reading];
    let limits = [requirement.at_least.map(|limit| (limit, 1.0)), requirement.at_most.map(|limit| (limit, -1.0))];
    // What is no number meets nothing.
    let margin = reading.value.filter(|value| value.is_finite()).and_then(|value| {
        let margins = limits.into_iter().flatten().map(|(limit, direction)| {
            let distance = direction * (value - limit);
            let scale = match (requirement.at_least, requirement.at_most) {
                // Within a band the margin is of its half: in the middle it is whole.
                (Some(low), Some(high)) => 0.5 * (high - low),
                // A limit of zero has no relative margin; the value itself sets the scale.
                _ if limit == 0.0 => value.abs(),
                _ => limit.abs(),
            };
            if scale > 0.0 { distance / scale } else { 0.0 }
        });
        margins.min_by(f64::total_cmp)
    });
    let standing = match margin {
        None => Standing::NotTried,
        Some(m) if m < 0.0 => Standing::Missed,
        Some(m) if m < CLOSE => Standing::Close,
        Some(_) => Standing::Met,
    };
    debug_assert_eq!(circuit.readings[requirement.reading].id, reading.id);
    Verdict {
        id: requirement.id.clone(),
        standing,
        margin,
        value: reading.value,
        unit: reading.unit,
        at_least: requirement.at_least,
        at_most: requirement.at_most,
    }
}
