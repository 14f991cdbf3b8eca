use super::address::RunPath;
use super::app::App;
use super::errors::{ApiError, Body};
use crate::recorded::Traces;
use ::traces::Points;
use aide::OperationOutput;
use aide::generate::GenContext;
use aide::openapi::{self, Operation};
use arrow_array::{ArrayRef, Float64Array, RecordBatch};
use arrow_ipc::writer::StreamWriter;
use arrow_schema::{DataType, Field, Schema};
use axum::Json;
use axum::extract::{Path, Query, State};
use axum::http::header;
use axum::response::{IntoResponse, Response};
use circuit::{MEASURES, Quantity, ReadingMeasure, Signal, Subject};
use quantity::Unit;
use readings::{Derived, Question, Recipe, Span, Survey, Ticket, Waveform};
use schemars::JsonSchema;
use serde::{Deserialize, Serialize};
use std::collections::{BTreeMap, HashMap};
use std::sync::Arc;

/// Widest plot served, pixels.
const WIDEST: usize = 8192;

/// A stretch of a signal to be drawn.
#[derive(Deserialize, JsonSchema)]
pub(crate) struct Window {
    signal: String,
    /// Start, s.
    from: f64,
    /// End, s.
    to: f64,
    /// Width of the plot, pixels.
    width: usize,
}

/// An Arrow IPC stream with the columns `t` and `y`; its metadata say the unit.
pub(crate) struct ArrowStream(Vec<u8>);

const ARROW: &str = "application/vnd.apache.arrow.stream";

impl IntoResponse for ArrowStream {
    fn into_response(self) -> Response {
        ([(header::CONTENT_TYPE, ARROW)], self.0).into_response()
    }
}

impl OperationOutput for ArrowStream {
    type Inner = Vec<u8>;

    fn operation_response(_: &mut GenContext, _: &mut Operation) -> Option<openapi::Response> {
        Some(super::address::documented(ARROW, "Arrow IPC stream with the columns t and y"))
    }
}

/// A window of a trace, thinned to a few points a pixel.
pub(crate) async fn window(
    State(app): State<App>,
    Path(RunPath { run }): Path<RunPath>,
    Query(window): Query<Window>,
) -> Result<ArrowStream, ApiError> {
    let Window { signal, from, to, width } = window;
    if !(from.is_finite() && to.is_finite() && from < to) {
        return Err(ApiError::unusable("a window needs a start and a later end, in seconds"));
    }
    let circuit = app.circuit_of(run).await?;
    let traces = Traces { store: &app.store, run, circuit: &circuit };
    let (points, unit) = traces.window(&signal, from, to, width.clamp(1, WIDEST)).await?;
    let bytes = arrow(points, unit).map_err(|error| ApiError::unusable(error.to_string()))?;
    Ok(ArrowStream(bytes))
}

fn arrow(points: Points, unit: Unit) -> Result<Vec<u8>, arrow_schema::ArrowError> {
    let field = |name| Field::new(name, DataType::Float64, false);
    let unit = serde_json::to_value(unit).ok().and_then(|name| name.as_str().map(str::to_owned)).unwrap_or_default();
    let told = HashMap::from([("unit".to_owned(), unit)]);
    let schema = Arc::new(Schema::new_with_metadata(vec![field("t"), field("y")], told));
    let columns = [points.t, points.y].map(|values| Arc::new(Float64Array::from(values)) as ArrayRef);
    let batch = RecordBatch::try_new(Arc::clone(&schema), columns.to_vec())?;
    let mut writer = StreamWriter::try_new(Vec::new(), &schema)?;
    writer.write(&batch)?;
    writer.into_inner()
}

/// Signals to be measured over a span.
#[derive(Deserialize, JsonSchema)]
pub(crate) struct MeasureSpan {
    /// Measures taken beside the usual ones.
    #[serde(default)]
    more: Vec<ReadingMeasure>,
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
    /// Times of peaks, troughs and crossings of the mean near the ends of the span, s.
    features_near_from: Vec<f64>,
    features_near_to: Vec<f64>,
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

/// Features given for each end of a span.
const FEATURES: usize = 12;

/// Measures signals over a span, with places the ends can snap to.
pub(crate) async fn measure(
    State(app): State<App>,
    Path(RunPath { run }): Path<RunPath>,
    Body(body): Body<MeasureSpan>,
) -> Result<Json<Vec<SpanMeasures>>, ApiError> {
    if body.signals.len() > MOST_SIGNALS {
        let message =
            format!("up to {MOST_SIGNALS} signals are measured at once; ask for {} in parts", body.signals.len());
        return Err(ApiError::unusable(message));
    }
    let of_a_signal = |m: &ReadingMeasure| m.measure().of == Subject::Signal;
    if body.more.len() > MEASURES.len() || !body.more.iter().all(of_a_signal) {
        return Err(ApiError::unusable("over a span only measures of one signal are taken, each once".to_owned()));
    }
    let circuit = app.circuit_of(run).await?;
    let traces = Traces { store: &app.store, run, circuit: &circuit };
    let whole = traces.whole().await?;
    let span =
        whole.covering(Span { from: body.from.max(whole.from), to: body.to.min(whole.to) }, whole.to <= whole.from);
    let mut survey = Survey::default();
    let mut asked = Vec::new();
    let mut derived = BTreeMap::new();
    for text in &body.signals {
        let Ok(signal) = Signal::parse(text) else {
            let formula = Derived::parse(&circuit, text).map_err(|error| ApiError::unusable(error.to_string()))?;
            let (from, to) = (body.from.max(whole.from), body.to.min(whole.to));
            let (times, values) = traces.derived(&formula, from, to).await?;
            let (text, more) = (text.clone(), body.more.clone());
            let measure = move || of_formula(&text, formula.unit(), &more, Waveform::new(&times, &values), (from, to));
            let measures = app.think(measure).await?;
            derived.insert(measures.signal.clone(), measures);
            continue;
        };
        let recipe = Recipe::new(&circuit, &signal).map_err(|error| ApiError::unusable(error.to_string()))?;
        let mut ask = |measure: ReadingMeasure| {
            let span = span.map_err(|error| error.to_string())?;
            let question = Question::new(measure, &[], span, None).map_err(|error| error.to_string())?;
            Ok::<_, String>(survey.ask_within(vec![recipe.clone()], span, question))
        };
        let ticket = ask(ReadingMeasure::Frequency).ok();
        let more: Vec<_> = body.more.iter().map(|measure| (*measure, ask(*measure))).collect();
        asked.push((text, signal.quantity(), recipe, ticket, more));
    }
    traces.survey(&mut survey).await?;
    let mut measured = Vec::new();
    for (text, quantity, recipe, ticket, more) in asked {
        let figures = ticket.map(|ticket| survey.figures(ticket));
        let near = async |t: f64| {
            let (times, values) = traces.nodes(&recipe, t, t).await?;
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
            features_near_from,
            features_near_to,
        });
    }
    // In the order asked for.
    let place = |signal: &str| body.signals.iter().position(|s| s == signal);
    measured.extend(derived.into_values());
    measured.sort_by_key(|m| place(&m.signal));
    Ok(Json(measured))
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
