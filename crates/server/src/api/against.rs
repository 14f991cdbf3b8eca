//! One signal against another.

use super::address::RunPath;
use super::app::App;
use super::errors::{ApiError, Body};
use crate::recorded::{Drawable, Traces};
use ::traces::Against;
use axum::Json;
use axum::extract::{Path, State};
use quantity::Unit;
use readings::{Figures, Waveform};
use schemars::JsonSchema;
use serde::{Deserialize, Serialize};
use std::ops::ControlFlow;

/// One signal against another.
#[derive(Deserialize, JsonSchema)]
pub(crate) struct AgainstOf {
    /// Along the horizontal axis.
    x: String,
    /// Along the vertical axis.
    y: String,
    /// Start of the span, s.
    from: f64,
    /// End of the span, s.
    to: f64,
}

/// A line in a plane; broken where neither coordinate is a number.
#[derive(Serialize, JsonSchema)]
pub(crate) struct Plane {
    x_unit: Unit,
    y_unit: Unit,
    x: Vec<Option<f64>>,
    y: Vec<Option<f64>>,
}

/// A signal against another over a span; what passes the same places again is drawn once.
pub(crate) async fn against(
    State(app): State<App>,
    Path(RunPath { run }): Path<RunPath>,
    Body(body): Body<AgainstOf>,
) -> Result<Json<Plane>, ApiError> {
    let circuit = app.circuit_of(run).await?;
    let traces = Traces { store: &app.store, run, circuit: &circuit };
    let span = traces.within(body.from, body.to).await?;
    let both = [Drawable::read(&circuit, &body.x)?, Drawable::read(&circuit, &body.y)?];
    let (x_unit, y_unit) = (both[0].unit(), both[1].unit());
    let mut figures = [Figures::over(span), Figures::over(span)];
    let measured = |times: &[f64], values: &[Vec<f64>]| {
        figures.iter_mut().zip(values).for_each(|(figures, values)| figures.take(Waveform::new(times, values)));
        ControlFlow::Continue(())
    };
    traces.pass(&both, span, measured).await?;
    let mut line = Against::new(figures[0].extremes(), figures[1].extremes());
    let drawn = |times: &[f64], values: &[Vec<f64>]| {
        line.take(times, &values[0], &values[1], (span.from, span.to));
        ControlFlow::Continue(())
    };
    traces.pass(&both, span, drawn).await?;
    let (x, y) = line.finish();
    let finite = |values: Vec<f64>| values.into_iter().map(|v| v.is_finite().then_some(v)).collect();
    Ok(Json(Plane { x_unit, y_unit, x: finite(x), y: finite(y) }))
}
