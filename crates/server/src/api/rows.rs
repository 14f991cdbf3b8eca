//! Traces in figures, for reading.

use super::address::RunPath;
use super::app::App;
use super::errors::{ApiError, Body};
use crate::recorded::{Drawable, Traces};
use axum::Json;
use axum::extract::{Path, State};
use quantity::Unit;
use readings::Waveform;
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
    let circuit = app.circuit_of(run).await?;
    let traces = Traces { store: &app.store, run, circuit: &circuit };
    let span = traces.within(body.from, body.to).await?;
    let drawables: Vec<_> = body.signals.iter().map(|text| Drawable::read(&circuit, text)).collect::<Result<_, _>>()?;
    let most = body.most.clamp(2, MOST_ROWS);
    let (mut times, mut values) = (Vec::new(), vec![Vec::new(); drawables.len()]);
    let mut too_many = false;
    let every = |at: &[f64], of: &[Vec<f64>]| {
        for (k, t) in at.iter().enumerate() {
            // What one piece repeats of the one before is there already.
            if (span.from..=span.to).contains(t) && times.last().is_none_or(|last| t > last) {
                times.push(*t);
                values.iter_mut().zip(of).for_each(|(values, of)| values.push(of[k]));
            }
        }
        too_many = times.len() > most;
        if too_many { ControlFlow::Break(()) } else { ControlFlow::Continue(()) }
    };
    traces.pass(&drawables, span, every).await?;
    if too_many {
        times = (0..most).map(|k| span.from + (span.to - span.from) * k as f64 / (most - 1) as f64).collect();
        let mut even = vec![vec![f64::NAN; most]; drawables.len()];
        let sampled = |at: &[f64], of: &[Vec<f64>]| {
            let whole = Waveform::new(at, at).whole();
            for (k, t) in times.iter().enumerate().filter(|(_, t)| (whole.from..=whole.to).contains(*t)) {
                for (even, of) in even.iter_mut().zip(of) {
                    even[k] = Waveform::new(at, of).at(*t).unwrap_or(f64::NAN);
                }
            }
            ControlFlow::Continue(())
        };
        traces.pass(&drawables, span, sampled).await?;
        values = even;
    }
    let columns = body.signals.into_iter().zip(&drawables).zip(values).map(|((signal, drawable), values)| RowsColumn {
        signal,
        unit: drawable.unit(),
        values: values.into_iter().map(|v| v.is_finite().then_some(v)).collect(),
    });
    Ok(Json(Rows { every_node: !too_many, times, columns: columns.collect() }))
}
