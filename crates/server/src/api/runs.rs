use super::address::{RunPath, SupplyPath};
use super::app::App;
use super::errors::{ApiError, Body};
use super::look::{Picture, read};
use crate::recorded::Measured;
use crate::store::{KEPT_DELETED, NewRun, RunRow, RunState};
use axum::Json;
use axum::extract::{Path, Query, State};
use chrono::{DateTime, Utc};
use circuit::{Supply, as_run, resolve};
use quantity::{Unit, parse};
use schemars::JsonSchema;
use serde::{Deserialize, Serialize};
use serde_json::Value;
use std::collections::HashMap;
use studies::Outcome;
use tokio::task::block_in_place;
use uuid::Uuid;

/// Which study to run.
#[derive(Deserialize, JsonSchema)]
pub(crate) struct StartRun {
    study: String,
    /// Values tried in passing, on the way to one that is kept: the supply stays as it is, and the run is gone with the
    /// next of its study.
    #[serde(default)]
    tried: Vec<Tried>,
}

/// A value of a part that is tried.
#[derive(Deserialize, JsonSchema)]
pub(crate) struct Tried {
    part: String,
    parameter: String,
    text: String,
}

impl Tried {
    fn set(self, document: &mut Supply) -> Result<(), ApiError> {
        let Tried { part, parameter, text } = self;
        let found = document.parts.iter_mut().find(|p| p.id == part);
        let found = found.ok_or_else(|| ApiError::unusable(format!("there is no part {part} to try a value of")))?;
        found.parameters.insert(parameter, text);
        Ok(())
    }
}

/// A run and what came of it.
#[derive(Serialize, JsonSchema)]
pub(crate) struct RunShown {
    pub(crate) id: Uuid,
    supply: Uuid,
    /// The revision of the supply it is of.
    revision: i32,
    study: String,
    engine_version: String,
    /// Times it was taken up by a worker.
    attempt: i32,
    pub(crate) state: RunState,
    /// Whether it has been asked to stop.
    stopping: bool,
    /// Simulated time reached, s.
    pub(crate) simulated_time: f64,
    /// Simulated time to be covered, s.
    duration: f64,
    /// Nodes stored; grows while it runs.
    pub(crate) node_count: i64,
    /// First and last time recorded, s.
    recorded: Option<(f64, f64)>,
    /// Whether it found curves over frequency.
    over_frequency: bool,
    outcome: Option<Outcome>,
    /// Why it failed.
    message: Option<String>,
    created_at: DateTime<Utc>,
    started_at: Option<DateTime<Utc>>,
    finished_at: Option<DateTime<Utc>>,
    /// Whether it is kept however many follow.
    marked: bool,
    /// Whether it is on the way to another, and gone with that.
    passing: bool,
    /// What is written beside it.
    note: String,
    /// Room it takes, bytes; known when it has ended.
    bytes: i64,
    /// What it is of, in short: a supply of the same essence gives the same numbers.
    essence: Option<Uuid>,
    /// Whether it can be gone on with from where it ended.
    goes_on: bool,
    /// The run it went on from.
    goes_on_from: Option<Uuid>,
    /// The run it is a second opinion on.
    second_opinion_on: Option<Uuid>,
    /// Where it came from, if it was measured.
    measured: Option<Measured>,
    /// When its room is given free; none if it is not deleted.
    gone_at: Option<DateTime<Utc>>,
}

pub(super) async fn shown(app: &App, row: RunRow) -> Result<RunShown, ApiError> {
    let recorded = if row.node_count > 0 { app.store.recorded_spans(&[row.id]).await? } else { HashMap::new() };
    let span = recorded.get(&row.id).copied();
    Ok(with_span(row, span))
}

fn with_span(mut row: RunRow, recorded: Option<(f64, f64)>) -> RunShown {
    // Curves over frequency are asked for by themselves.
    let outcome = row.outcome.take().and_then(|value| serde_json::from_value::<Outcome>(value).ok());
    RunShown {
        state: row.state(),
        measured: Measured::of(&row),
        goes_on: row.has_kept && row.state().is_final() && studies::is_current(&row.engine_version),
        id: row.id,
        supply: row.supply_id,
        revision: row.revision,
        study: row.study,
        engine_version: row.engine_version,
        attempt: row.attempt,
        stopping: row.stop_requested,
        simulated_time: row.simulated_time,
        duration: row.duration,
        node_count: row.node_count,
        goes_on_from: row.goes_on_from,
        second_opinion_on: row.second_opinion_on,
        recorded,
        over_frequency: outcome.as_ref().is_some_and(|outcome| outcome.curves.is_some()),
        outcome: outcome.map(|outcome| Outcome { curves: None, stresses: Vec::new(), ..outcome }),
        message: row.message,
        created_at: row.created_at,
        started_at: row.started_at,
        finished_at: row.finished_at,
        marked: row.marked,
        note: row.note,
        passing: row.passing,
        bytes: row.bytes,
        essence: row.essence,
        gone_at: row.deleted_at.map(|at| at + KEPT_DELETED),
    }
}

/// Which runs to list.
#[derive(Deserialize, JsonSchema)]
pub(crate) struct WhichRuns {
    /// Those that are deleted and can be had back, instead of those that are not.
    #[serde(default)]
    deleted: bool,
}

/// The latest runs of a supply, newest first.
pub(crate) async fn list(
    State(app): State<App>,
    Path(SupplyPath { supply }): Path<SupplyPath>,
    Query(WhichRuns { deleted }): Query<WhichRuns>,
) -> Result<Json<Vec<RunShown>>, ApiError> {
    let rows = app.store.runs_of(app.account(), supply, deleted).await?;
    let ids: Vec<Uuid> = rows.iter().map(|row| row.id).collect();
    let recorded = app.store.recorded_spans(&ids).await?;
    let shown = rows.into_iter().map(|row| {
        let span = recorded.get(&row.id).copied();
        with_span(row, span)
    });
    Ok(Json(shown.collect()))
}

/// Queues a study of the supply as it is stored now.
pub(crate) async fn start(
    State(app): State<App>,
    Path(SupplyPath { supply }): Path<SupplyPath>,
    Body(body): Body<StartRun>,
) -> Result<Json<RunShown>, ApiError> {
    let row = app.store.supply(app.account(), supply).await?;
    let row = row.ok_or_else(|| ApiError::not_found("there is no such supply in the library"))?;
    let look = app.look(&row).await?;
    let StartRun { study, tried } = body;
    let passing = !tried.is_empty();
    let made = move || {
        let mut document = look.document.clone();
        tried.into_iter().try_for_each(|value| value.set(&mut document))?;
        ready(&document, study)
    };
    let ready = app.think(made).await??;
    let run = NewRun { passing, ..ready.run((row.id, row.revision), None) };
    queue(&app, run).await.map(Json)
}

/// What is to run, before it is stored.
pub(super) struct Ready {
    document: Supply,
    study: String,
    duration: f64,
    engine_version: String,
}

impl Ready {
    pub(super) fn run(&self, supply: (Uuid, i32), goes_on_from: Option<(Uuid, Option<Uuid>)>) -> NewRun<'_> {
        let Ready { document, study, duration, engine_version } = self;
        let engine_version = engine_version.clone();
        NewRun {
            supply,
            document,
            study,
            duration: *duration,
            engine_version,
            goes_on_from,
            passing: false,
            second_opinion_on: None,
        }
    }
}

pub(super) async fn queue(app: &App, new: NewRun<'_>) -> Result<RunShown, ApiError> {
    let waiting = app.store.waiting_of(new.supply.0).await?;
    let (run, new) = app.store.create_run(app.account(), new).await?;
    if new && let Err(error) = app.queue.push(run.id, waiting).await {
        // The run is stored; who looks for stranded ones puts it into the queue.
        tracing::warn!("run {} could not be queued: {error}", run.id);
    }
    shown(app, run).await
}

/// The document as a study runs it, how long that lasts, s, and which engine runs it.
pub(super) fn ready(document: &Supply, study: String) -> Result<Ready, ApiError> {
    let document = as_run(document, Some(&study));
    let circuit = resolve(&document).map_err(ApiError::blocked)?;
    let found = circuit.studies.iter().find(|s| s.id == study);
    let found = found.ok_or_else(|| ApiError::unusable(format!("the supply has no study named {study}")))?;
    if let Some(problem) = &found.problem {
        return Err(ApiError::unusable(problem.clone()));
    }
    // Which engine it is may take a trial.
    let engine_version = block_in_place(|| studies::version_for(&circuit, found));
    let duration = found.duration;
    Ok(Ready { document, study, duration, engine_version })
}

/// One run.
pub(crate) async fn show(
    State(app): State<App>,
    Path(RunPath { run }): Path<RunPath>,
) -> Result<Json<RunShown>, ApiError> {
    let row = app.store.run(app.account(), run).await?.ok_or_else(ApiError::no_run)?;
    shown(&app, row).await.map(Json)
}

/// Asks a run to stop; what it has so far is kept.
pub(crate) async fn stop(
    State(app): State<App>,
    Path(RunPath { run }): Path<RunPath>,
) -> Result<Json<RunShown>, ApiError> {
    app.store.request_stop(app.account(), run).await?;
    show(State(app), Path(RunPath { run })).await
}

/// How to go on with a run.
#[derive(Deserialize, JsonSchema)]
pub(crate) struct GoOn {
    /// Simulated time from where it ended, such as `100m`, s; to the study's end if left out.
    #[serde(default, rename = "for")]
    more: Option<String>,
    /// Another tolerance from here on; as it was if left out.
    #[serde(default)]
    tolerance: Option<String>,
}

/// Queues a run that goes on from where another ended; its recording begins with that one's.
pub(crate) async fn go_on(
    State(app): State<App>,
    Path(RunPath { run }): Path<RunPath>,
    Body(body): Body<GoOn>,
) -> Result<Json<RunShown>, ApiError> {
    let row = app.store.run(app.account(), run).await?.ok_or_else(ApiError::no_run)?;
    if !row.state().is_final() {
        return Err(ApiError::unusable("the run has not ended; pause it first"));
    }
    if !row.has_kept {
        return Err(ApiError::unusable("the run left nothing to go on with; run the study again"));
    }
    if !studies::is_current(&row.engine_version) {
        let message = "the run is of another version of the engine, which cannot be gone on with; run the study again";
        return Err(ApiError::unusable(message));
    }
    let document = app.store.run_document(app.account(), run).await?.ok_or_else(ApiError::no_run)?;
    let (study, reached, done) = (row.study.clone(), row.simulated_time, row.state() == RunState::Done);
    let end = if done { row.duration } else { reached };
    let extended = move || extend(&read(&document)?, study, end, done, body);
    let ready = app.think(extended).await??;
    queue(&app, ready.run((row.supply_id, row.revision), Some((row.id, row.essence)))).await.map(Json)
}

/// A run's document with its study made longer or less accurate.
fn extend(
    document: &Supply,
    study: String,
    end: f64,
    done: bool,
    GoOn { more, tolerance }: GoOn,
) -> Result<Ready, ApiError> {
    let mut document = document.clone();
    let found = document.studies.iter_mut().find(|s| s.id == study);
    let found = found.ok_or_else(|| ApiError::unusable(format!("the run has no study named {study}")))?;
    let over = || ApiError::unusable("no time passes in such a study, so there is nothing to go on with");
    let course = found.course_mut().ok_or_else(over)?;
    match more {
        Some(more) => {
            let time = parse(&more, Unit::Second).map_err(|e| ApiError::unusable(format!("for how long: {e}")))?;
            if !(time > 0.0 && time.is_finite()) {
                return Err(ApiError::unusable(format!("for {more}: say how long to go on, such as 100 ms")));
            }
            (course.duration, course.suggested) = ((end + time).to_string(), false);
        }
        None if done => return Err(ApiError::unusable("the run has reached its end; say for how long to go on")),
        None => {}
    }
    if let Some(tolerance) = tolerance {
        course.tolerance = Some(tolerance);
    }
    let ready = ready(&document, study)?;
    if ready.duration <= end {
        return Err(ApiError::unusable("the run has gone beyond the study's end already; say for how long to go on"));
    }
    Ok(ready)
}

/// The supply as it stood when it ran.
pub(crate) async fn document(
    State(app): State<App>,
    Path(RunPath { run }): Path<RunPath>,
) -> Result<Json<Supply>, ApiError> {
    let document: Value = app.store.run_document(app.account(), run).await?.ok_or_else(ApiError::no_run)?;
    app.think(move || read(&document)).await?.map(Json)
}

/// The drawing of the circuit that ran, as an SVG file.
pub(crate) async fn picture(State(app): State<App>, Path(RunPath { run }): Path<RunPath>) -> Result<Picture, ApiError> {
    let document: Value = app.store.run_document(app.account(), run).await?.ok_or_else(ApiError::no_run)?;
    app.think(move || super::look::look(&document).map(|look| Picture::of(&look.drawing, true))).await?
}
