//! Searching a trace for where it passes through a level.

use super::address::RunPath;
use super::app::App;
use super::errors::{ApiError, Body};
use crate::recorded::{Drawable, Traces};
use axum::Json;
use axum::extract::{Path, State};
use circuit::Direction;
use readings::{Passing, Span, Waveform};
use schemars::JsonSchema;
use serde::{Deserialize, Serialize};
use std::ops::ControlFlow;

/// Where a trace passes through a level next.
#[derive(Deserialize, JsonSchema)]
pub(crate) struct CrossingOf {
    signal: String,
    /// In the unit of the signal.
    level: f64,
    direction: Direction,
    /// From where, s.
    at: f64,
    /// Whether the last one before that is wanted, not the next one after.
    #[serde(default)]
    backwards: bool,
}

/// A crossing that was searched for.
#[derive(Serialize, JsonSchema)]
pub(crate) struct Crossing {
    /// When, s; none if it does not cross there again.
    time: Option<f64>,
}

/// Parts of a run looked through one after the other, from a place backwards.
const STRETCHES: f64 = 64.0;
/// How much later than where a search begins, over the length of the run, a crossing lies at least.
const APART: f64 = 1e-10;

/// The next time a trace passes through a level, or the one before.
pub(crate) async fn crossing(
    State(app): State<App>,
    Path(RunPath { run }): Path<RunPath>,
    Body(body): Body<CrossingOf>,
) -> Result<Json<Crossing>, ApiError> {
    let circuit = app.circuit_of(run).await?;
    let traces = Traces { store: &app.store, run, circuit: &circuit };
    let whole = traces.whole().await?;
    if !body.at.is_finite() || !body.level.is_finite() {
        return Err(ApiError::unusable("a search needs a level and a time to begin at"));
    }
    let drawable = [Drawable::read(&circuit, &body.signal)?];
    let (length, at) = (whole.to - whole.from, body.at.clamp(whole.from, whole.to));
    let apart = APART * length;
    let mut found = None;
    if body.backwards {
        // Stretches that grow, so that what lies near is found soon; they overlap, for a level reached at the very end of one
        // is passed in the next.
        let (mut to, mut reach) = (at, length / STRETCHES);
        while found.is_none() && to > whole.from {
            let from = (to - reach).max(whole.from);
            let mut passing = Passing::new(Span { from, to: (to + reach).min(at) }, body.level, body.direction);
            let take = |times: &[f64], values: &[Vec<f64>]| {
                let mut earlier =
                    passing.take(Waveform::new(times, &values[0])).into_iter().filter(|t| *t < at - apart);
                found = earlier.next_back().or(found);
                ControlFlow::Continue(())
            };
            traces.pass(&drawable, Span { from, to: (to + reach).min(at) }, take).await?;
            (to, reach) = (from, 2.0 * reach);
        }
    } else {
        let span = Span { from: at, to: whole.to };
        let mut passing = Passing::new(span, body.level, body.direction);
        let take = |times: &[f64], values: &[Vec<f64>]| {
            found = passing.take(Waveform::new(times, &values[0])).into_iter().find(|t| *t > at + apart);
            if found.is_some() { ControlFlow::Break(()) } else { ControlFlow::Continue(()) }
        };
        traces.pass(&drawable, span, take).await?;
    }
    Ok(Json(Crossing { time: found }))
}
