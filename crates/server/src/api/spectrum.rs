//! The line spectrum of a span.

use super::address::RunPath;
use super::app::App;
use super::errors::{ApiError, Body};
use crate::recorded::{Drawable, Traces};
use axum::Json;
use axum::extract::{Path, State};
use circuit::{ReadingMeasure, Taper};
use quantity::Unit;
use readings::{Lines, Question, Span, Survey, Waveform};
use schemars::JsonSchema;
use serde::{Deserialize, Serialize};
use std::ops::ControlFlow;

/// Lines of a spectrum at most.
const MOST_LINES: usize = 16_384;
/// Lines of a spectrum if no highest frequency is asked for.
const USUAL_LINES: usize = 400;

/// A signal, or a formula, whose spectrum over a span is wanted.
#[derive(Deserialize, JsonSchema)]
pub(crate) struct SpectrumOf {
    signal: String,
    /// Start of the span, s.
    from: f64,
    /// End of the span, s.
    to: f64,
    taper: Taper,
    /// Highest frequency, Hz.
    #[serde(default)]
    up_to: Option<f64>,
}

/// Lines at whole multiples of one over the span's length.
#[derive(Serialize, JsonSchema)]
pub(crate) struct LineSpectrum {
    unit: Unit,
    /// Hz from one line to the next.
    spacing: f64,
    /// RMS of each line from zero on; at zero the mean, with its sign.
    rms: Vec<f64>,
    /// Hz, by which harmonics are named: what the signal repeats with, or the only periodic source; none if neither is.
    fundamental: Option<f64>,
}

/// The line spectrum of a span, integrated over every recorded step.
pub(crate) async fn spectrum(
    State(app): State<App>,
    Path(RunPath { run }): Path<RunPath>,
    Body(body): Body<SpectrumOf>,
) -> Result<Json<LineSpectrum>, ApiError> {
    let circuit = app.circuit_of(run).await?;
    let traces = Traces { store: &app.store, run, circuit: &circuit };
    let span = traces.within(body.from, body.to).await?;
    let drawable = Drawable::read(&circuit, &body.signal)?;
    let spacing = 1.0 / (span.to - span.from);
    let wanted = body.up_to.map_or(USUAL_LINES, |highest| (highest / spacing).ceil() as usize);
    if wanted > MOST_LINES {
        let message = format!(
            "lines {spacing:.3} Hz apart would be {wanted} up to there, and {MOST_LINES} are drawn at most; \
             choose a shorter span or a lower frequency"
        );
        return Err(ApiError::unusable(message));
    }
    let mut lines = Lines::new(span, wanted.max(1)).map_err(|error| ApiError::unusable(error.to_string()))?;
    let unit = drawable.unit();
    let fundamental = circuit.fundamental().or(repeats(&traces, &drawable, span).await?);
    let take = |times: &[f64], values: &[Vec<f64>]| {
        lines.take(Waveform::new(times, &values[0]));
        ControlFlow::Continue(())
    };
    traces.pass(&[drawable], span, take).await?;
    let rms = app.think(move || lines.rms(body.taper)).await?;
    Ok(Json(LineSpectrum { unit, spacing, rms, fundamental }))
}

/// How often a signal repeats within a span, Hz.
async fn repeats(traces: &Traces<'_>, drawable: &Drawable, span: Span) -> Result<Option<f64>, ApiError> {
    let (Drawable::Signal(recipe, _), Ok(question)) =
        (drawable, Question::new(ReadingMeasure::Frequency, &[], span, None))
    else {
        return Ok(None);
    };
    let mut survey = Survey::default();
    let ticket = survey.ask_within(vec![recipe.clone()], span, question);
    traces.survey(&mut survey).await?;
    Ok(survey.answer(ticket).ok())
}
