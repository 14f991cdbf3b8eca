//! Curves over frequency of a run, and formulas of them.

use super::address::RunPath;
use super::app::App;
use super::errors::{ApiError, Body, few};
use super::table::File;
use crate::recorded::in_columns;
use axum::Json;
use axum::extract::{Path, State};
use circuit::{AskKind, ReadingMeasure, ReadingOf, ResolvedReading, Supply};
use quantity::Unit;
use recording::{Complex64, LoopGain, phase, resonances};
use schemars::JsonSchema;
use serde::{Deserialize, Serialize};
use studies::{CurveSpan, CurveTones, Curves, Outcome, ToneRead, group_delay};
use uuid::Uuid;

/// Curves that are wanted.
#[derive(Deserialize, JsonSchema)]
pub(crate) struct CurvesOf {
    /// Names of questions, or formulas of them: `loop`, `zout / (1 + loop)`.
    formulas: Vec<String>,
}

/// Curves over the same frequencies.
#[derive(Serialize, JsonSchema)]
pub(crate) struct CurvesShown {
    /// Hz, ascending.
    frequencies: Vec<f64>,
    /// Half the switching frequency, Hz, at which curves end; none about an operating point.
    half: Option<f64>,
    /// Every question of the study, by its curve's name.
    questions: Vec<QuestionShown>,
    /// One for each formula asked.
    curves: Vec<CurveShown>,
    /// The masks that readings of the study hold curves against, as the supply states them now.
    masks: Vec<MaskShown>,
}

/// A limit over frequency.
#[derive(Serialize, JsonSchema)]
pub(crate) struct MaskShown {
    /// The reading.
    reading: String,
    /// The curve, or the formula of curves, that it limits.
    formula: String,
    /// Whether curves are to stay beneath it.
    upper: bool,
    /// Hz and magnitude in the curve's unit, joined by straight lines on logarithmic scales.
    points: Vec<(f64, f64)>,
}

/// A question of the study.
#[derive(Serialize, JsonSchema)]
pub(crate) struct QuestionShown {
    id: String,
    asks: AskKind,
    unit: Unit,
    problem: Option<String>,
}

/// A curve, or a formula of several.
#[derive(Default, Serialize, JsonSchema)]
pub(crate) struct CurveShown {
    formula: String,
    /// What was asked, if it is the answer to one question.
    asks: Option<AskKind>,
    unit: Option<Unit>,
    re: Vec<f64>,
    im: Vec<f64>,
    /// Without jumps, degrees.
    phase: Vec<f64>,
    /// s.
    group_delay: Vec<f64>,
    /// Where its magnitude passes one.
    crossovers: Vec<Crossing>,
    /// Where its phase passes −180°, Hz, and how far below one it is there, dB.
    phase_crossover: Option<f64>,
    gain_margin: Option<f64>,
    /// Its peaks.
    peaks: Vec<Peak>,
    /// What tones gave of it, if it is the answer to one question that was measured with them.
    tones: Vec<ToneShown>,
    /// What is to be said of the tones, in words.
    tones_said: Option<String>,
    /// Why there is nothing, in words.
    problem: Option<String>,
}

/// A point measured with a tone.
#[derive(Serialize, JsonSchema)]
pub(crate) struct ToneShown {
    /// Hz.
    frequency: f64,
    /// In the curve's unit.
    magnitude: f64,
    /// Degrees, on the same turn as the curve's own.
    phase: f64,
    /// How far it may be off, relative to its magnitude.
    error: f64,
    /// Of the tone, peak, V or A.
    amplitude: f64,
    /// Whether a tenth of the amplitude gives another answer.
    doubtful: bool,
}

/// Where a magnitude passes one.
#[derive(Serialize, JsonSchema)]
pub(crate) struct Crossing {
    /// Hz.
    frequency: f64,
    /// Degrees.
    phase_margin: f64,
}

/// A peak of a magnitude.
#[derive(Serialize, JsonSchema)]
pub(crate) struct Peak {
    /// Hz.
    frequency: f64,
    /// In the curve's unit.
    magnitude: f64,
    quality: Option<f64>,
}

/// Two frequencies between which curves are looked at.
#[derive(Deserialize, JsonSchema)]
pub(crate) struct SpanOf {
    formulas: Vec<String>,
    /// Hz.
    from: f64,
    /// Hz.
    to: f64,
}

/// A curve at two frequencies and between them, or why there is nothing.
#[derive(Serialize, JsonSchema)]
pub(crate) struct CurveSpanShown {
    formula: String,
    unit: Option<Unit>,
    span: Option<CurveSpan>,
    problem: Option<String>,
}

/// What curves of a run are at two frequencies and between them.
pub(crate) async fn span(
    State(app): State<App>,
    Path(RunPath { run }): Path<RunPath>,
    Body(SpanOf { formulas, from, to }): Body<SpanOf>,
) -> Result<Json<Vec<CurveSpanShown>>, ApiError> {
    few("curves", &formulas)?;
    if !(from > 0.0 && to > from) {
        return Err(ApiError::unusable(format!("from {from} to {to} Hz is no span; the second lies above the first")));
    }
    let found = found(&app, run).await?;
    let of = move |formula: String| match found.between(&formula, from, to) {
        Ok(span) => CurveSpanShown { unit: found.unit(&formula).ok(), formula, span: Some(span), problem: None },
        Err(problem) => CurveSpanShown { formula, unit: None, span: None, problem: Some(problem) },
    };
    app.think(move || formulas.into_iter().map(of).collect()).await.map(Json)
}

/// Curves as a file.
#[derive(Deserialize, JsonSchema)]
pub(crate) struct CurveFile {
    formulas: Vec<String>,
    #[serde(default)]
    format: CurveFormat,
}

/// An open format for what stands over frequency.
#[derive(Clone, Copy, Default, Deserialize, JsonSchema)]
#[serde(rename_all = "snake_case")]
pub(crate) enum CurveFormat {
    /// RFC 4180: real and imaginary parts.
    #[default]
    Csv,
    /// Touchstone 2.0: one impedance.
    Touchstone,
}

/// Curves of a run in an open format.
pub(crate) async fn file(
    State(app): State<App>,
    Path(RunPath { run }): Path<RunPath>,
    Body(CurveFile { formulas, format }): Body<CurveFile>,
) -> Result<File, ApiError> {
    few("curves", &formulas)?;
    let curves = found(&app, run).await?;
    app.think(move || written(&curves, &formulas, format)).await?
}

fn written(curves: &Curves, formulas: &[String], format: CurveFormat) -> Result<File, ApiError> {
    let unusable = |problem: String| ApiError::unusable(problem);
    match (format, formulas) {
        (CurveFormat::Touchstone, [formula]) => {
            if curves.unit(formula).map_err(unusable)? != Unit::Ohm {
                return Err(ApiError::unusable(format!("{formula} is no impedance; a Touchstone file holds one")));
            }
            let values = curves.formula(formula).map_err(unusable)?;
            let parts: Vec<(f64, f64)> = values.iter().map(|z| (z.re, z.im)).collect();
            let bytes = formats::touchstone(formula, &curves.frequencies, &parts);
            Ok(File("text/plain; charset=utf-8", bytes))
        }
        (CurveFormat::Touchstone, _) => {
            Err(ApiError::unusable("a Touchstone file holds one impedance; name one curve"))
        }
        (CurveFormat::Csv, _) => {
            let table = in_columns(curves, formulas).map_err(unusable)?;
            let bytes = formats::csv_over_frequency(&table).map_err(|error| unusable(error.to_string()))?;
            Ok(File("text/csv; charset=utf-8", bytes))
        }
    }
}

/// The curves of a run.
async fn found(app: &App, run: Uuid) -> Result<Curves, ApiError> {
    let row = app.store.run(app.account(), run).await?.ok_or_else(ApiError::no_run)?;
    let outcome = row.outcome.and_then(|value| serde_json::from_value::<Outcome>(value).ok());
    let none = || ApiError::unusable("the run found nothing over frequency; only runs of frequency studies do");
    outcome.and_then(|outcome| outcome.curves).ok_or_else(none)
}

/// What a run of a frequency study found, by name and by formula.
pub(crate) async fn curves(
    State(app): State<App>,
    Path(RunPath { run }): Path<RunPath>,
    Body(CurvesOf { formulas }): Body<CurvesOf>,
) -> Result<Json<CurvesShown>, ApiError> {
    few("curves", &formulas)?;
    let curves = found(&app, run).await?;
    let row = app.store.run(app.account(), run).await?.ok_or_else(ApiError::no_run)?;
    let supply = app.store.supply(app.account(), row.supply_id).await?;
    let look = match supply {
        Some(supply) => Some(app.look(&supply).await?),
        None => None,
    };
    let shown = move || {
        let masks = look.map_or_else(Vec::new, |look| masks(&look.document, &row.study));
        CurvesShown { masks, ..shown(curves, formulas) }
    };
    app.think(shown).await.map(Json)
}

fn masks(supply: &Supply, study: &str) -> Vec<MaskShown> {
    let Ok(circuit) = circuit::resolve(supply) else { return Vec::new() };
    let of_study = circuit.readings.iter().filter(|reading| {
        circuit.studies.get(reading.study).is_some_and(|s| s.id == study) && !reading.mask.is_empty()
    });
    let mask = |reading: &ResolvedReading| match &reading.of {
        ReadingOf::Curve(formula) => Some(MaskShown {
            reading: reading.id.clone(),
            formula: formula.clone(),
            upper: reading.measure == ReadingMeasure::MaskUse,
            points: reading.mask.clone(),
        }),
        _ => None,
    };
    of_study.filter_map(mask).collect()
}

/// Tones beside a curve, each on the turn its phase is on there.
fn beside(frequencies: &[f64], phases: &[f64], tones: &CurveTones) -> Vec<ToneShown> {
    let tone = |tone: &ToneRead| {
        let ToneRead { frequency, amplitude, error, doubtful, .. } = *tone;
        let value = Complex64::new(tone.re, tone.im);
        let near = frequencies.partition_point(|f| *f < frequency).min(phases.len().saturating_sub(1));
        let own = value.arg().to_degrees();
        let turns = phases.get(near).map_or(0.0, |phase| ((phase - own) / 360.0).round());
        ToneShown { frequency, magnitude: value.norm(), phase: own + 360.0 * turns, error, amplitude, doubtful }
    };
    tones.points.iter().map(tone).collect()
}

fn shown(found: Curves, formulas: Vec<String>) -> CurvesShown {
    let curves = formulas.into_iter().map(|formula| {
        let asks = found.curves.iter().find(|curve| curve.id == formula).map(|curve| curve.asks);
        match found.formula(&formula).and_then(|values| Ok((values, found.unit(&formula)?))) {
            Ok((values, unit)) => {
                let shown = shown_of(&found.frequencies, values, unit);
                let own = found.curves.iter().find(|curve| curve.id == formula).and_then(|curve| curve.tones.as_ref());
                let tones = own.map_or_else(Vec::new, |tones| beside(&found.frequencies, &shown.phase, tones));
                let tones_said = own.and_then(|tones| tones.said.clone());
                CurveShown { formula, asks, tones, tones_said, ..shown }
            }
            Err(problem) => CurveShown { formula, asks, problem: Some(problem), ..CurveShown::default() },
        }
    });
    let curves = curves.collect();
    let questions = found.curves.into_iter();
    let questions = questions.map(|curve| QuestionShown {
        id: curve.id,
        asks: curve.asks,
        unit: curve.unit,
        problem: curve.problem,
    });
    CurvesShown {
        masks: Vec::new(),
        half: found.half,
        questions: questions.collect(),
        curves,
        frequencies: found.frequencies,
    }
}

fn shown_of(frequencies: &[f64], values: Vec<Complex64>, unit: Unit) -> CurveShown {
    // A formula may divide by nothing.
    let finite = |value: f64| if value.is_finite() { value } else { 0.0 };
    let points: Vec<_> = frequencies.iter().copied().zip(values.iter().copied()).collect();
    let phases = phase(values.iter().copied());
    let peaks = resonances(&points).into_iter();
    let peaks = peaks.map(|peak| Peak { frequency: peak.frequency, magnitude: peak.magnitude, quality: peak.quality });
    let margins = LoopGain { frequencies: frequencies.to_vec(), gain: values.clone() }.margins();
    let crossings = margins.crossovers.iter();
    let crossings = crossings.map(|c| Crossing { frequency: c.frequency, phase_margin: c.phase_margin });
    CurveShown {
        unit: Some(unit),
        re: values.iter().map(|z| finite(z.re)).collect(),
        im: values.iter().map(|z| finite(z.im)).collect(),
        group_delay: group_delay(frequencies, &phases).into_iter().map(finite).collect(),
        phase: phases.into_iter().map(|p| finite(p.to_degrees())).collect(),
        crossovers: crossings.collect(),
        phase_crossover: margins.phase_crossover,
        gain_margin: margins.gain_margin,
        peaks: peaks.collect(),
        ..CurveShown::default()
    }
}
