//! Second opinions: a run's study once more by the other engine or more accurately, and how far both are apart.

use super::address::RunPath;
use super::app::App;
use super::errors::ApiError;
use super::look::read;
use super::runs::{RunShown, queue, ready};
use crate::recorded::Traces;
use crate::store::{NewRun, RunRow};
use axum::Json;
use axum::extract::{Path, State};
use circuit::{Circuit, Engine, Signal, Supply, as_run, resolve};
use quantity::Unit;
use readings::{Span, Survey};
use schemars::JsonSchema;
use serde::Serialize;
use studies::{Bands, CurveParted, Outcome, Parted, SecondOpinion, second_opinion};
use tokio::task::block_in_place;

/// Queues the study of a run once more, by the other engine where every part has a form for it, more accurately otherwise.
pub(crate) async fn ask(
    State(app): State<App>,
    Path(RunPath { run }): Path<RunPath>,
) -> Result<Json<RunShown>, ApiError> {
    let row = app.store.run(app.account(), run).await?.ok_or_else(ApiError::no_run)?;
    if row.measured.is_some() || row.second_opinion_on.is_some() || !row.state().is_final() {
        return Err(ApiError::unusable("a second opinion is asked on a run of this program that has ended"));
    }
    let document = app.store.run_document(app.account(), run).await?.ok_or_else(ApiError::no_run)?;
    let (study, version) = (row.study.clone(), row.engine_version.clone());
    let made = move || {
        let mut document = read(&document)?;
        ask_otherwise(&mut document, &study, &version)?;
        ready(&document, study)
    };
    let ready = app.think(made).await??;
    let new = NewRun { second_opinion_on: Some(row.id), ..ready.run((row.supply_id, row.revision), None) };
    queue(&app, new).await.map(Json)
}

/// Sets a document's study to what gives a second opinion on it.
fn ask_otherwise(document: &mut Supply, study: &str, version: &str) -> Result<(), ApiError> {
    let circuit = resolve(&as_run(document, Some(study))).map_err(ApiError::blocked)?;
    let gone = || ApiError::unusable(format!("the run has no study named {study}"));
    let resolved = circuit.studies.iter().find(|s| s.id == study).ok_or_else(gone)?;
    let by = studies::engine_of(version).unwrap_or(Engine::DeviceLevel);
    // What the other engine would take may need a trial.
    let asks = block_in_place(|| second_opinion(&circuit, resolved, by)).map_err(ApiError::unusable)?;
    let own = document.studies.iter_mut().find(|s| s.id == study).ok_or_else(gone)?;
    match asks {
        SecondOpinion::Other(engine) => own.engine = Some(engine),
        SecondOpinion::Tighter(tolerance) => {
            own.engine = Some(by);
            own.course_mut().ok_or_else(gone)?.tolerance = Some(tolerance.to_string());
        }
    }
    Ok(())
}

/// How far a run and a second opinion on it are apart.
#[derive(Serialize, JsonSchema)]
pub(crate) struct OpinionShown {
    /// The second opinion, with how it stands.
    run: RunShown,
    /// How it was come by, in words.
    by: String,
    readings: Vec<ReadBoth>,
    /// What the study's strips show, what is farthest apart first.
    signals: Vec<SignalParted>,
    curves: Vec<CurveParted>,
}

/// A reading of both.
#[derive(Serialize, JsonSchema)]
struct ReadBoth {
    reading: String,
    unit: Unit,
    first: Option<f64>,
    second: Option<f64>,
    /// Relative to the larger of both.
    difference: Option<f64>,
}

/// A signal of both.
#[derive(Serialize, JsonSchema)]
struct SignalParted {
    signal: String,
    unit: Unit,
    #[serde(flatten)]
    parted: Parted,
}

/// The newest second opinion on a run, and how far both are apart; none if none was asked.
pub(crate) async fn show(
    State(app): State<App>,
    Path(RunPath { run }): Path<RunPath>,
) -> Result<Json<Option<OpinionShown>>, ApiError> {
    let first = app.store.run(app.account(), run).await?.ok_or_else(ApiError::no_run)?;
    let Some(second) = app.store.second_opinion(app.account(), run).await? else { return Ok(Json(None)) };
    let [one, other] = [outcome(&first), outcome(&second)];
    let (mut readings, mut signals, mut curves, mut by) = (Vec::new(), Vec::new(), Vec::new(), String::new());
    if let (Some(one), Some(other)) = (&one, &other) {
        readings = both(one, other);
        by = told(one, other);
        curves = one.curves.as_ref().zip(other.curves.as_ref()).map_or_else(Vec::new, |(one, other)| one.parted(other));
        if first.node_count > 0 && second.node_count > 0 && second.state().is_final() {
            signals = parted(&app, &first, &second).await?;
        }
    }
    let run = super::runs::shown(&app, second).await?;
    Ok(Json(Some(OpinionShown { run, by, readings, signals, curves })))
}

fn outcome(row: &RunRow) -> Option<Outcome> {
    serde_json::from_value(row.outcome.clone()?).ok()
}

fn told(one: &Outcome, other: &Outcome) -> String {
    let (first, second) = (&one.health, &other.health);
    let engine = studies::engine_of(&second.engine_version);
    match engine.filter(|engine| studies::engine_of(&first.engine_version) != Some(*engine)) {
        Some(Engine::Switched) => "by switching, with diodes of straight lines".to_owned(),
        Some(Engine::DeviceLevel) => "at device level, with diodes that follow their curves".to_owned(),
        None => format!("with a tolerance of {:e} instead of {:e}", second.tolerance, first.tolerance),
    }
}

fn both(one: &Outcome, other: &Outcome) -> Vec<ReadBoth> {
    let read = one.readings.iter().filter_map(|first| {
        let second = other.readings.iter().find(|second| second.id == first.id)?;
        let difference = first.value.zip(second.value).map(|(first, second)| {
            let largest = first.abs().max(second.abs());
            if largest > 0.0 { (second - first) / largest } else { 0.0 }
        });
        let of_study = first.value.is_some() || second.value.is_some();
        let (reading, unit) = (first.id.clone(), first.unit);
        of_study.then_some(ReadBoth { reading, unit, first: first.value, second: second.value, difference })
    });
    read.collect()
}

/// How far what the strips show is apart in two runs.
async fn parted(app: &App, first: &RunRow, second: &RunRow) -> Result<Vec<SignalParted>, ApiError> {
    let circuits = [app.circuit_of(first.id).await?, app.circuit_of(second.id).await?];
    let document = app.store.run_document(app.account(), first.id).await?.ok_or_else(ApiError::no_run)?;
    let study = first.study.clone();
    let shown = app.think(move || read(&document).map(|document| shown_in(&document, &study))).await??;
    let known = |signal: &&Signal| circuits.iter().all(|circuit| knows(circuit, signal));
    let shown: Vec<&Signal> = shown.iter().filter(known).collect();
    let mut spans = Vec::new();
    for (row, circuit) in [first, second].into_iter().zip(&circuits) {
        spans.push(Traces { store: &app.store, run: row.id, circuit }.whole().await?);
    }
    let span = Span { from: spans[0].from.max(spans[1].from), to: spans[0].to.min(spans[1].to) };
    if span.to <= span.from {
        return Ok(Vec::new());
    }
    let mut filled = Vec::new();
    for (row, circuit) in [first, second].into_iter().zip(&circuits) {
        let mut survey = Survey::default();
        let bands = shown.iter().map(|signal| Bands::new(circuit, signal, span, &mut survey));
        let bands: Vec<Bands> = bands.collect::<Result<_, _>>().map_err(ApiError::unusable)?;
        Traces { store: &app.store, run: row.id, circuit }.survey(&mut survey).await?;
        filled.push(bands.into_iter().map(|bands| (bands.found(&survey), bands)).collect::<Vec<_>>());
    }
    let pairs = shown.iter().zip(&filled[0]).zip(&filled[1]);
    let mut signals: Vec<SignalParted> = pairs
        .filter_map(|((signal, (one, bands)), (other, _))| {
            let parted = bands.parted(one, other)?;
            Some(SignalParted { signal: signal.to_string(), unit: signal.quantity().unit(), parted })
        })
        .collect();
    let far = |signal: &SignalParted| signal.parted.distance / signal.parted.scale.max(f64::MIN_POSITIVE);
    signals.sort_by(|a, b| far(b).total_cmp(&far(a)));
    Ok(signals)
}

/// The plain signals that a study's strips show, each once.
fn shown_in(document: &Supply, study: &str) -> Vec<Signal> {
    let strips = document.studies.iter().filter(|s| s.id == study).flat_map(|s| &s.strips);
    let mut signals: Vec<Signal> = Vec::new();
    for signal in strips.flat_map(|strip| strip.texts()).filter_map(|text| Signal::parse(text).ok()) {
        if !signals.contains(&signal) {
            signals.push(signal);
        }
    }
    signals
}

fn knows(circuit: &Circuit, signal: &Signal) -> bool {
    readings::Recipe::new(circuit, signal).is_ok()
}
