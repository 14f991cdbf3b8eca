//! Traces as files in open formats.

use super::address::{RunPath, documented};
use super::app::App;
use super::errors::{ApiError, Body};
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
    /// Samples a second, evenly spaced, along straight lines; every node the engine recorded if left out.
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
pub(crate) struct File(&'static str, Vec<u8>);

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
    let circuit = app.circuit_of(run).await?;
    let traces = Traces { store: &app.store, run, circuit: &circuit };
    let mut table = Table::default();
    for name in signals {
        let drawable = Drawable::read(&circuit, &name)?;
        let (at, values) = traces.values(&drawable, from, to).await?;
        // A formula may have read from before the stretch.
        let within = |t: &f64| (from..=to).contains(t);
        let values: Vec<f64> = at.iter().zip(values).filter(|(t, _)| within(t)).map(|(_, v)| v).collect();
        table.times = at.into_iter().filter(within).collect();
        if values.len() * (table.columns.len() + 2) > MOST_CELLS {
            let message =
                format!("the table would have more than {MOST_CELLS} cells; choose fewer traces or a shorter span");
            return Err(ApiError::unusable(message));
        }
        table.columns.push(Column { name, unit: drawable.unit().symbol().to_owned(), values });
    }
    let written = move || {
        let table = match rate {
            Some(rate) => table.resampled(rate)?,
            None => table,
        };
        match format {
            Format::Csv => formats::csv(&table),
            Format::Arrow => formats::arrow(&table),
            Format::Parquet => formats::parquet(&table),
            Format::Comtrade => formats::comtrade("simulated", &table),
        }
    };
    let bytes = app.think(written).await?.map_err(|error| ApiError::unusable(error.to_string()))?;
    Ok(File(format.media(), bytes))
}
