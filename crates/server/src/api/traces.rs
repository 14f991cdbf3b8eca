use super::address::RunPath;
use super::app::App;
use super::errors::{ApiError, Body};
use crate::recorded::{TraceError, Traces};
use ::traces::Points;
use aide::OperationOutput;
use aide::generate::GenContext;
use aide::openapi::{self, Operation};
use arrow_array::{ArrayRef, BooleanArray, Float64Array, RecordBatch};
use arrow_ipc::writer::StreamWriter;
use arrow_schema::{DataType, Field, Schema};
use axum::extract::{Path, Query, State};
use axum::http::header;
use axum::response::{IntoResponse, Response};
use quantity::Unit;
use schemars::JsonSchema;
use serde::Deserialize;
use std::collections::HashMap;
use std::sync::Arc;
use uuid::Uuid;

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

/// An Arrow IPC stream with the columns `t` and `y`, and `node` where the engine computed the instant; its metadata say the
/// unit.
pub(crate) struct ArrowStream(Vec<u8>);

pub(super) const ARROW: &str = "application/vnd.apache.arrow.stream";

impl IntoResponse for ArrowStream {
    fn into_response(self) -> Response {
        ([(header::CONTENT_TYPE, ARROW)], self.0).into_response()
    }
}

impl OperationOutput for ArrowStream {
    type Inner = Vec<u8>;

    fn operation_response(_: &mut GenContext, _: &mut Operation) -> Option<openapi::Response> {
        Some(super::address::documented(ARROW, "Arrow IPC stream with the columns t, y and node"))
    }
}

/// A window of a trace, thinned to a few points a pixel.
pub(crate) async fn window(
    State(app): State<App>,
    Path(RunPath { run }): Path<RunPath>,
    Query(Window { signal, from, to, width }): Query<Window>,
) -> Result<ArrowStream, ApiError> {
    let mut drawn = drawn(&app, run, &[signal], (from, to), width).await?;
    let (points, unit) = drawn.swap_remove(0)?;
    let told = HashMap::from([("unit".to_owned(), named(unit))]);
    arrow(vec![points], told).map(ArrowStream).map_err(|error| ApiError::unusable(error.to_string()))
}

/// A stretch of several signals, or formulas of them, to be drawn.
#[derive(Deserialize, JsonSchema)]
pub(crate) struct Windows {
    signals: Vec<String>,
    /// Start, s.
    from: f64,
    /// End, s.
    to: f64,
    /// Width of the plot, pixels.
    width: usize,
}

/// Signals drawn at once.
const MOST_DRAWN: usize = 200;

/// The same window of several traces, one record batch each. The metadata are lists in JSON: `units`, `rows` of each, and
/// `problems` of those that cannot be drawn, whose batches are empty.
pub(crate) async fn windows(
    State(app): State<App>,
    Path(RunPath { run }): Path<RunPath>,
    Body(Windows { signals, from, to, width }): Body<Windows>,
) -> Result<ArrowStream, ApiError> {
    if signals.len() > MOST_DRAWN {
        let message = format!("up to {MOST_DRAWN} signals are drawn at once; ask for {} in parts", signals.len());
        return Err(ApiError::unusable(message));
    }
    let (mut all, mut units, mut problems) = (Vec::new(), Vec::new(), Vec::new());
    for drawn in drawn(&app, run, &signals, (from, to), width).await? {
        let (points, unit, problem) = match drawn {
            Ok((points, unit)) => (points, Some(named(unit)), None),
            Err(error) => (Points::default(), None, Some(ApiError::from(error).message().to_owned())),
        };
        all.push(points);
        units.push(unit);
        problems.push(problem);
    }
    let list = |list: &[Option<String>]| serde_json::to_string(list).unwrap_or_default();
    let rows: Vec<usize> = all.iter().map(|points: &Points| points.t.len()).collect();
    let told = HashMap::from([
        ("units".to_owned(), list(&units)),
        ("problems".to_owned(), list(&problems)),
        ("rows".to_owned(), serde_json::to_string(&rows).unwrap_or_default()),
    ]);
    arrow(all, told).map(ArrowStream).map_err(|error| ApiError::unusable(error.to_string()))
}

type Drawn = Vec<Result<(Points, Unit), TraceError>>;

async fn drawn(
    app: &App,
    run: Uuid,
    signals: &[String],
    (from, to): (f64, f64),
    width: usize,
) -> Result<Drawn, ApiError> {
    if !(from.is_finite() && to.is_finite() && from < to) {
        return Err(ApiError::unusable("a window needs a start and a later end, in seconds"));
    }
    let circuit = app.circuit_of(run).await?;
    let traces = Traces { store: &app.store, run, circuit: &circuit };
    Ok(traces.windows(signals, (from, to), width.clamp(1, WIDEST)).await?)
}

fn named(unit: Unit) -> String {
    serde_json::to_value(unit).ok().and_then(|name| name.as_str().map(str::to_owned)).unwrap_or_default()
}

fn arrow(all: Vec<Points>, told: HashMap<String, String>) -> Result<Vec<u8>, arrow_schema::ArrowError> {
    let numbers = |name| Field::new(name, DataType::Float64, false);
    let fields = vec![numbers("t"), numbers("y"), Field::new("node", DataType::Boolean, false)];
    let schema = Arc::new(Schema::new_with_metadata(fields, told));
    let mut writer = StreamWriter::try_new(Vec::new(), &schema)?;
    for points in all {
        let [t, y] = [points.t, points.y].map(|values| Arc::new(Float64Array::from(values)) as ArrayRef);
        let node = Arc::new(BooleanArray::from(points.node));
        writer.write(&RecordBatch::try_new(Arc::clone(&schema), vec![t, y, node])?)?;
    }
    writer.into_inner()
}
