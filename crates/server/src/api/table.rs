//! Traces as a table.

use super::address::RunPath;
use super::app::App;
use super::errors::{ApiError, Body};
use super::parts::Csv;
use crate::recorded::Traces;
use axum::extract::{Path, State};
use circuit::Signal;
use quantity::Unit;
use readings::{Derived, Recipe};
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
}

/// Cells a table may have.
const MOST_CELLS: usize = 5_000_000;

/// Traces at every node the engine recorded within a stretch, as CSV (RFC 4180): the time first, units in the heads.
pub(crate) async fn csv(
    State(app): State<App>,
    Path(RunPath { run }): Path<RunPath>,
    Body(Stretch { signals, from, to }): Body<Stretch>,
) -> Result<Csv, ApiError> {
    if signals.is_empty() || from.is_nan() || to.is_nan() || from > to {
        return Err(ApiError::unusable("a table needs a signal, a start and a later end, in seconds"));
    }
    let circuit = app.circuit_of(run).await?;
    let traces = Traces { store: &app.store, run, circuit: &circuit };
    let mut times = Vec::new();
    let mut columns: Vec<(String, Unit, Vec<f64>)> = Vec::new();
    for text in signals {
        let (at, values, unit) = match Signal::parse(&text) {
            Ok(signal) => {
                let recipe = Recipe::new(&circuit, &signal).map_err(|error| ApiError::unusable(error.to_string()))?;
                let (at, values) = traces.nodes(&recipe, from, to).await?;
                (at, values, signal.quantity().unit())
            }
            Err(_) => {
                let formula = Derived::parse(&circuit, &text).map_err(|error| ApiError::unusable(error.to_string()))?;
                let (at, values) = traces.derived(&formula, from, to).await?;
                (at, values, formula.unit())
            }
        };
        // A formula may have read from before the stretch.
        let within = |t: &f64| (from..=to).contains(t);
        let values: Vec<f64> = at.iter().zip(values).filter(|(t, _)| within(t)).map(|(_, v)| v).collect();
        times = at.into_iter().filter(within).collect();
        if values.len() * (columns.len() + 2) > MOST_CELLS {
            let message =
                format!("the table would have more than {MOST_CELLS} cells; choose fewer traces or a shorter span");
            return Err(ApiError::unusable(message));
        }
        columns.push((text, unit, values));
    }
    app.think(move || written(&times, &columns)).await?.map(Csv).map_err(|error| ApiError::unusable(error.to_string()))
}

fn written(
    times: &[f64],
    columns: &[(String, Unit, Vec<f64>)],
) -> Result<String, Box<dyn std::error::Error + Send + Sync>> {
    let mut writer = csv::Writer::from_writer(Vec::new());
    // A head that begins with a sign would be worked out by a spreadsheet.
    let bare = |text: &str| if text.starts_with(['=', '+', '-', '@']) { format!("({text})") } else { text.to_owned() };
    let head = |(text, unit, _): &(String, Unit, Vec<f64>)| match unit.symbol() {
        "" => bare(text),
        symbol => format!("{} [{symbol}]", bare(text)),
    };
    writer.write_record(std::iter::once("t [s]".to_owned()).chain(columns.iter().map(head)))?;
    for (k, t) in times.iter().enumerate() {
        let cells = columns
            .iter()
            .map(|(_, _, values)| values.get(k).filter(|v| v.is_finite()).map_or(String::new(), |v| format!("{v:e}")));
        writer.write_record(std::iter::once(format!("{t:e}")).chain(cells))?;
    }
    Ok(String::from_utf8(writer.into_inner()?)?)
}
