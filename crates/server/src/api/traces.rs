use super::address::RunPath;
use super::app::App;
use super::errors::ApiError;
use crate::recorded::Traces;
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
    let field = |name, kind| Field::new(name, kind, false);
    let unit = serde_json::to_value(unit).ok().and_then(|name| name.as_str().map(str::to_owned)).unwrap_or_default();
    let told = HashMap::from([("unit".to_owned(), unit)]);
    let numbers = |name| field(name, DataType::Float64);
    let fields = vec![numbers("t"), numbers("y"), field("node", DataType::Boolean)];
    let schema = Arc::new(Schema::new_with_metadata(fields, told));
    let [t, y] = [points.t, points.y].map(|values| Arc::new(Float64Array::from(values)) as ArrayRef);
    let batch = RecordBatch::try_new(Arc::clone(&schema), vec![t, y, Arc::new(BooleanArray::from(points.node))])?;
    let mut writer = StreamWriter::try_new(Vec::new(), &schema)?;
    writer.write(&batch)?;
    writer.into_inner()
}
