//! Traces in figures, for reading.

use super::address::RunPath;
use super::app::App;
use super::errors::{ApiError, Body, few};
use crate::recorded::{Drawable, Traces};
use axum::Json;
use axum::extract::{Path, State};
use quantity::Unit;
use readings::Span;
use schemars::JsonSchema;
use serde::{Deserialize, Serialize};
use std::ops::ControlFlow;

/// Rows of a table at most.
const MOST_ROWS: usize = 1000;

/// Signals in figures over a stretch.
#[derive(Deserialize, JsonSchema)]
pub(crate) struct RowsOf {
    signals: Vec<String>,
    /// First time, s.
    from: f64,
    /// Last time, s.
    to: f64,
    /// Rows at most.
    most: usize,
    /// Instants to read the signals at, s, increasing, in place of those of the run: as another run's table has them.
    #[serde(default)]
    instants: Option<Vec<f64>>,
}

/// A table of traces: times down, signals across.
#[derive(Serialize, JsonSchema)]
pub(crate) struct Rows {
    /// Whether there is a row for every instant the engine computed; otherwise they are evenly spaced.
    every_node: bool,
    times: Vec<f64>,
    columns: Vec<RowsColumn>,
}

/// A column of such a table.
#[derive(Serialize, JsonSchema)]
pub(crate) struct RowsColumn {
    signal: String,
    unit: Unit,
    values: Vec<Option<f64>>,
}

/// Traces in figures: every instant computed if there are few enough, evenly spaced ones otherwise.
pub(crate) async fn rows(
    State(app): State<App>,
    Path(RunPath { run }): Path<RunPath>,
    Body(body): Body<RowsOf>,
) -> Result<Json<Rows>, ApiError> {
    few("signals", &body.signals)?;
    let circuit = app.circuit_of(run).await?;
    let traces = Traces { store: &app.store, run, circuit: &circuit };
    let span = traces.within(body.from, body.to).await?;
    let drawables: Vec<_> = body.signals.iter().map(|text| Drawable::read(&circuit, text)).collect::<Result<_, _>>()?;
    let most = body.most.clamp(2, MOST_ROWS);
    let (every_node, times, values) = match body.instants {
        Some(times) => {
            if times.len() > MOST_ROWS || !times.is_sorted_by(|a, b| a < b) {
                let message = format!("“instants” must be {MOST_ROWS} increasing times at most; ask for fewer");
                return Err(ApiError::unusable(message));
            }
            let values = traces.at_instants(&drawables, span, &times).await?;
            (false, times, values)
        }
        None => match every_node(&traces, &drawables, span, most).await? {
            Some((times, values)) => (true, times, values),
            None => {
                let step = (span.to - span.from) / (most - 1) as f64;
                let times: Vec<f64> = (0..most).map(|k| span.from + step * k as f64).collect();
                let values = traces.at_instants(&drawables, span, &times).await?;
                (false, times, values)
            }
        },
    };
    let columns = body.signals.into_iter().zip(&drawables).zip(values).map(|((signal, drawable), values)| RowsColumn {
        signal,
        unit: drawable.unit(),
        values: values.into_iter().map(|v| v.is_finite().then_some(v)).collect(),
    });
    Ok(Json(Rows { every_node, times, columns: columns.collect() }))
}

/// Times and, per signal, values of every instant computed; nothing if they are more than asked for.
async fn every_node(
    traces: &Traces<'_>,
    drawables: &[Drawable],
    span: Span,
    most: usize,
) -> Result<Option<(Vec<f64>, Vec<Vec<f64>>)>, ApiError> {
    let (mut times, mut values) = (Vec::new(), vec![Vec::new(); drawables.len()]);
    let every = |at: &[f64], of: &[Vec<f64>]| {
        for (k, t) in at.iter().enumerate() {
            // What one piece repeats of the one before is there already.
            if (span.from..=span.to).contains(t) && times.last().is_none_or(|last| t > last) {
                times.push(*t);
                values.iter_mut().zip(of).for_each(|(values, of)| values.push(of[k]));
            }
        }
        if times.len() > most { ControlFlow::Break(()) } else { ControlFlow::Continue(()) }
    };
    traces.pass(drawables, span, every).await?;
    Ok((times.len() <= most).then_some((times, values)))
}
