//! What the span ruler reads.

use super::address::RunPath;
use super::app::App;
use super::errors::{ApiError, Body, few};
use crate::recorded::{Drawable, Traces};
use axum::Json;
use axum::extract::{Path, State};
use circuit::expression::{names_in, work_out};
use circuit::{Dimensioned, MEASURES, Quantity, ReadingMeasure, Subject};
use quantity::Unit;
use readings::{Question, Span, Survey, Ticket, Waveform};
use schemars::JsonSchema;
use serde::{Deserialize, Serialize};
use std::collections::BTreeMap;

/// Signals to be measured over a span.
#[derive(Deserialize, JsonSchema)]
pub(crate) struct MeasureSpan {
    /// Measures taken beside the usual ones.
    #[serde(default)]
    more: Vec<ReadingMeasure>,
    /// Formulas of what is measured: `(max - min) / mean`, `at_b - at_a`, `mean * dt`.
    #[serde(default)]
    formulas: Vec<String>,
    signals: Vec<String>,
    /// Start of the span, s.
    from: f64,
    /// End of the span, s.
    to: f64,
}

/// Measures of one signal over a span, from every recorded step.
#[derive(Serialize, JsonSchema)]
pub(crate) struct SpanMeasures {
    signal: String,
    unit: Unit,
    at_from: Option<f64>,
    at_to: Option<f64>,
    mean: Option<f64>,
    rms: Option<f64>,
    min: Option<f64>,
    max: Option<f64>,
    frequency: Option<f64>,
    /// The measures asked for beside these, in their order.
    more: Vec<MoreMeasured>,
    /// What the formulas come to, in their order.
    worked: Vec<Worked>,
    /// Times of peaks, troughs and crossings of the mean near the ends of the span, s.
    features_near_from: Vec<f64>,
    features_near_to: Vec<f64>,
}

/// What a formula of a span's measures comes to.
#[derive(Serialize, JsonSchema)]
pub(crate) struct Worked {
    formula: String,
    unit: Unit,
    value: Option<f64>,
    /// Why there is no value.
    problem: Option<String>,
}

/// A measure over a span.
#[derive(Serialize, JsonSchema)]
pub(crate) struct MoreMeasured {
    measure: ReadingMeasure,
    unit: Unit,
    value: Option<f64>,
    /// Why there is no value.
    problem: Option<String>,
}

/// Signals measured at once.
const MOST_SIGNALS: usize = 64;

/// Formulas worked out at once, and characters of each.
const MOST_FORMULAS: usize = 12;
const LONGEST_FORMULA: usize = 500;

/// Features given for each end of a span.
const FEATURES: usize = 12;

/// Measures signals over a span, with places the ends can snap to.
pub(crate) async fn measure(
    State(app): State<App>,
    Path(RunPath { run }): Path<RunPath>,
    Body(body): Body<MeasureSpan>,
) -> Result<Json<Vec<SpanMeasures>>, ApiError> {
    few("measures", &body.more)?;
    if body.signals.len() > MOST_SIGNALS {
        let message =
            format!("up to {MOST_SIGNALS} signals are measured at once; ask for {} in parts", body.signals.len());
        return Err(ApiError::unusable(message));
    }
    if body.formulas.len() > MOST_FORMULAS || body.formulas.iter().any(|text| text.len() > LONGEST_FORMULA) {
        let message = format!(
            "over a span up to {MOST_FORMULAS} formulas of {LONGEST_FORMULA} characters are worked out at once; shorten them"
        );
        return Err(ApiError::unusable(message));
    }
    let of_a_signal = |m: &ReadingMeasure| m.measure().of == Subject::Signal;
    if body.more.len() > MEASURES.len() || !body.more.iter().all(of_a_signal) {
        return Err(ApiError::unusable("over a span only measures of one signal are taken, each once".to_owned()));
    }
    let shown = body.more.len();
    let mut body = body;
    for measure in body.formulas.iter().flat_map(|text| names_in(text)).filter_map(measure_named) {
        if !body.more.contains(&measure) {
            body.more.push(measure);
        }
    }
    let circuit = app.circuit_of(run).await?;
    let traces = Traces { store: &app.store, run, circuit: &circuit };
    let whole = traces.whole().await?;
    let span = whole.part_of(Span { from: body.from, to: body.to }, whole.to <= whole.from);
    let mut survey = Survey::default();
    let mut asked = Vec::new();
    let mut derived = BTreeMap::new();
    for text in &body.signals {
        let drawable = Drawable::read(&circuit, text)?;
        let Drawable::Signal(recipe, quantity) = &drawable else {
            let (from, to) = (body.from.max(whole.from), body.to.min(whole.to));
            let (times, values) = traces.values(&drawable, from, to).await?;
            let (text, more, unit) = (text.clone(), body.more.clone(), drawable.unit());
            let measure = move || of_formula(&text, unit, &more, Waveform::new(&times, &values), (from, to));
            let measures = app.think(measure).await?;
            derived.insert(measures.signal.clone(), measures);
            continue;
        };
        let mut ask = |measure: ReadingMeasure| {
            let span = span.map_err(|error| error.to_string())?;
            let question = Question::new(measure, &[], span, None).map_err(|error| error.to_string())?;
            Ok::<_, String>(survey.ask_within(vec![recipe.clone()], span, question))
        };
        let ticket = ask(ReadingMeasure::Frequency).ok();
        let more: Vec<_> = body.more.iter().map(|measure| (*measure, ask(*measure))).collect();
        asked.push((text, *quantity, drawable, ticket, more));
    }
    traces.survey(&mut survey).await?;
    let mut measured = Vec::new();
    for (text, quantity, drawable, ticket, more) in asked {
        let figures = ticket.map(|ticket| survey.figures(ticket));
        let near = async |t: f64| {
            let (times, values) = traces.values(&drawable, t, t).await?;
            app.think(move || near(Waveform::new(&times, &values), t)).await
        };
        let ((at_from, features_near_from), (at_to, features_near_to)) = (near(body.from).await?, near(body.to).await?);
        measured.push(SpanMeasures {
            signal: text.clone(),
            unit: quantity.unit(),
            at_from,
            at_to,
            mean: figures.map(|f| f.mean()),
            rms: figures.map(|f| f.rms()),
            min: figures.map(|f| f.extremes().0),
            max: figures.map(|f| f.extremes().1),
            frequency: ticket.and_then(|ticket| survey.answer(ticket).ok()),
            more: more.into_iter().map(|(measure, ticket)| measured_more(&survey, quantity, measure, ticket)).collect(),
            worked: Vec::new(),
            features_near_from,
            features_near_to,
        });
    }
    // In the order asked for.
    let place = |signal: &str| body.signals.iter().position(|s| s == signal);
    measured.extend(derived.into_values());
    measured.sort_by_key(|m| place(&m.signal));
    for m in &mut measured {
        m.worked = body.formulas.iter().map(|formula| m.worked_out(formula, body.to - body.from)).collect();
        m.more.truncate(shown);
    }
    Ok(Json(measured))
}

/// Names a formula of a span's measures may use.
const NAMES: &str = "at_a, at_b, dt, mean, rms, min, max, frequency, and every other measure, such as peak_to_peak";

/// The measure of one signal with a name.
fn measure_named(name: &str) -> Option<ReadingMeasure> {
    let found: ReadingMeasure = serde_json::from_value(name.into()).ok()?;
    (found.measure().of == Subject::Signal).then_some(found)
}

impl SpanMeasures {
    /// What a formula comes to over a span of `dt`, s.
    fn worked_out(&self, formula: &str, dt: f64) -> Worked {
        let known = |name: &str| {
            let (value, unit) = match name {
                "dt" => (Some(dt), Unit::Second),
                "at_a" => (self.at_from, self.unit),
                "at_b" => (self.at_to, self.unit),
                "mean" => (self.mean, self.unit),
                "rms" => (self.rms, self.unit),
                "min" => (self.min, self.unit),
                "max" => (self.max, self.unit),
                "frequency" => (self.frequency, Unit::Hertz),
                _ => {
                    let found = self.more.iter().find(|m| Some(m.measure) == measure_named(name));
                    let found = found.ok_or_else(|| format!("there is no {name} here; there are {NAMES}"))?;
                    (found.value, found.unit)
                }
            };
            value.map(|value| Dimensioned::new(value, unit)).ok_or_else(|| format!("{name} has no value here"))
        };
        let found = work_out(formula, &known).map_err(|error| error.to_string()).and_then(|found| {
            let unit =
                found.unit().ok_or_else(|| format!("it comes out in {}, a unit without a name", found.symbol()))?;
            let finite = found.value.is_finite().then_some((found.value, unit));
            finite.ok_or_else(|| "it divides by zero".to_owned())
        });
        let (value, unit, problem) = match found {
            Ok((value, unit)) => (Some(value), unit, None),
            Err(problem) => (None, Unit::One, Some(problem)),
        };
        Worked { formula: formula.to_owned(), unit, value, problem }
    }
}

/// Measures of a formula, from its nodes around a span.
fn of_formula(
    text: &str,
    unit: Unit,
    more: &[ReadingMeasure],
    wave: Waveform<'_>,
    (from, to): (f64, f64),
) -> SpanMeasures {
    let span = Span { from, to };
    let figures = wave.figures(span).ok();
    let ((at_from, features_near_from), (at_to, features_near_to)) = (near(wave, from), near(wave, to));
    let more = more.iter().map(|measure| {
        let named = measure.measure().unit.for_unit(unit);
        let found = wave.measure(*measure, span).map_err(|error| error.to_string());
        let found =
            found.and_then(|value| named.map(|_| value).ok_or("it comes out in a unit without a name".to_owned()));
        let (value, problem) = found.map_or_else(|problem| (None, Some(problem)), |value| (Some(value), None));
        MoreMeasured { measure: *measure, unit: named.unwrap_or(Unit::One), value, problem }
    });
    SpanMeasures {
        signal: text.to_owned(),
        unit,
        at_from,
        at_to,
        mean: figures.map(|f| f.mean()),
        rms: figures.map(|f| f.rms()),
        min: figures.map(|f| f.extremes().0),
        max: figures.map(|f| f.extremes().1),
        frequency: wave.frequency(span).ok(),
        more: more.collect(),
        worked: Vec::new(),
        features_near_from,
        features_near_to,
    }
}

fn measured_more(
    survey: &Survey,
    quantity: Quantity,
    measure: ReadingMeasure,
    ticket: Result<Ticket, String>,
) -> MoreMeasured {
    let found = ticket.and_then(|ticket| survey.answer(ticket).map_err(|error| error.to_string()));
    let (value, problem) = found.map_or_else(|problem| (None, Some(problem)), |value| (Some(value), None));
    MoreMeasured { measure, unit: measure.unit(quantity), value, problem }
}

/// The value at a time, and the nearest places where something stands out, within the chunks around it.
fn near(wave: Waveform<'_>, t: f64) -> (Option<f64>, Vec<f64>) {
    let mut nearest = wave.features(wave.whole()).unwrap_or_default();
    nearest.sort_by(|a, b| (a - t).abs().total_cmp(&(b - t).abs()));
    nearest.truncate(FEATURES);
    nearest.sort_by(f64::total_cmp);
    (wave.at(t).ok(), nearest)
}
