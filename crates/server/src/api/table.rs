//! Traces as files in open formats.

use super::address::{RunPath, documented};
use super::app::App;
use super::errors::{ApiError, Body, few};
use crate::recorded::{Drawable, Traces};
use aide::OperationOutput;
use aide::generate::GenContext;
use aide::openapi::{self, Operation};
use axum::extract::{Path, State};
use axum::http::header::CONTENT_TYPE;
use axum::response::{IntoResponse, Response};
use formats::{Column, Table};
use schemars::JsonSchema;
use serde::Deserialize;
use std::ops::ControlFlow;

/// Signals, or formulas of them, over a stretch of a run.
#[derive(Deserialize, JsonSchema)]
pub(crate) struct Stretch {
    signals: Vec<String>,
    /// First time, s.
    from: f64,
    /// Last time, s.
    to: f64,
    #[serde(default)]
    format: Format,
    /// Samples a second, evenly spaced from the first time on, of the recorded course; every node the engine recorded if
    /// left out.
    #[serde(default)]
    rate: Option<f64>,
}

/// An open format.
#[derive(Clone, Copy, Default, Deserialize, JsonSchema)]
#[serde(rename_all = "snake_case")]
enum Format {
    /// RFC 4180.
    #[default]
    Csv,
    /// Apache Arrow IPC file.
    Arrow,
    /// Apache Parquet.
    Parquet,
    /// IEEE C37.111-2013 in one file.
    Comtrade,
}

impl Format {
    fn media(self) -> &'static str {
        match self {
            Format::Csv => "text/csv; charset=utf-8",
            Format::Arrow => "application/vnd.apache.arrow.file",
            Format::Parquet => "application/vnd.apache.parquet",
            Format::Comtrade => "application/octet-stream",
        }
    }
}

/// A file with its media type.
pub(crate) struct File(pub(super) &'static str, pub(super) Vec<u8>);

impl IntoResponse for File {
    fn into_response(self) -> Response {
        ([(CONTENT_TYPE, self.0)], self.1).into_response()
    }
}

impl OperationOutput for File {
    type Inner = ();

    fn operation_response(_: &mut GenContext, _: &mut Operation) -> Option<openapi::Response> {
        Some(documented("application/octet-stream", "the file, CSV unless another format is asked for"))
    }
}

/// Cells a table may have.
const MOST_CELLS: usize = 5_000_000;

/// Traces over a stretch of a run, exactly as recorded or at evenly spaced times: the time first, with units.
pub(crate) async fn table(
    State(app): State<App>,
    Path(RunPath { run }): Path<RunPath>,
    Body(Stretch { signals, from, to, format, rate }): Body<Stretch>,
) -> Result<File, ApiError> {
    if signals.is_empty() || from.is_nan() || to.is_nan() || from > to {
        return Err(ApiError::unusable("a table needs a signal, a start and a later end, in seconds"));
    }
    few("signals", &signals)?;
    let circuit = app.circuit_of(run).await?;
    let traces = Traces { store: &app.store, run, circuit: &circuit };
    let drawables: Vec<_> = signals.iter().map(|name| Drawable::read(&circuit, name)).collect::<Result<_, _>>()?;
    let (times, values) = match rate {
        Some(rate) => {
            let times = evenly((from, to), rate, signals.len())?;
            let span = traces.within(from, to).await?;
            let values = traces.at_instants(&drawables, span, &times).await?;
            (times, values)
        }
        None => nodes(&traces, &drawables, (from, to)).await?,
    };
    if times.is_empty() {
        let message = format!("nothing was recorded between {from} s and {to} s; choose a longer span, or a rate");
        return Err(ApiError::unusable(message));
    }
    let column = |((name, drawable), values): ((String, &Drawable), Vec<f64>)| {
        let unit = drawable.unit().symbol().to_owned();
        Column { name, unit, values }
    };
    let columns = signals.into_iter().zip(&drawables).zip(values).map(column).collect();
    let table = Table { times, columns };
    let written = move || match format {
        Format::Csv => formats::csv(&table),
        Format::Arrow => formats::arrow(&table),
        Format::Parquet => formats::parquet(&table),
        Format::Comtrade => formats::comtrade("simulated", &table),
    };
    let bytes = app.think(written).await?.map_err(|error| ApiError::unusable(error.to_string()))?;
    Ok(File(format.media(), bytes))
}

fn too_large(rows: f64, signals: usize) -> ApiError {
    let message = format!(
        "the table would have {:.3e} cells, more than {MOST_CELLS}; choose fewer traces, a shorter span or another rate",
        rows * (signals + 1) as f64
    );
    ApiError::unusable(message)
}

/// Instants from the first time on, so many a second.
fn evenly((from, to): (f64, f64), rate: f64, signals: usize) -> Result<Vec<f64>, ApiError> {
    let count = ((to - from) * rate * (1.0 + 1e-12)).floor() + 1.0;
    if !(rate > 0.0 && count >= 2.0) {
        let message = format!("{rate} samples a second over {} s are fewer than two; choose another rate", to - from);
        return Err(ApiError::unusable(message));
    }
    if count * (signals + 1) as f64 > MOST_CELLS as f64 {
        return Err(too_large(count, signals));
    }
    Ok((0..count as usize).map(|k| from + k as f64 / rate).collect())
}

/// Every node recorded between two times, and the values there.
async fn nodes(
    traces: &Traces<'_>,
    drawables: &[Drawable],
    (from, to): (f64, f64),
) -> Result<(Vec<f64>, Vec<Vec<f64>>), ApiError> {
    let (mut times, mut values) = (Vec::new(), vec![Vec::new(); drawables.len()]);
    let cells = |rows: usize| rows * (drawables.len() + 1);
    let take = |at: &[f64], of: &[Vec<f64>]| {
        for (k, t) in at.iter().enumerate() {
            // What one piece repeats of the one before is there already.
            if (from..=to).contains(t) && times.last().is_none_or(|last| t > last) {
                times.push(*t);
                values.iter_mut().zip(of).for_each(|(values, of)| values.push(of[k]));
            }
        }
        if cells(times.len()) > MOST_CELLS { ControlFlow::Break(()) } else { ControlFlow::Continue(()) }
    };
    let span = traces.within(from, to).await?;
    traces.pass(drawables, span, take).await?;
    if cells(times.len()) > MOST_CELLS {
        return Err(too_large(times.len() as f64, drawables.len()));
    }
    Ok((times, values))
}
