//! Deleting, having back, and the room used.

use super::address::{RunPath, SupplyPath};
use super::app::App;
use super::errors::{ApiError, Body};
use crate::store::{DeletedSupply, KEPT_DELETED};
use axum::Json;
use axum::extract::{Path, State};
use axum::http::StatusCode;
use chrono::{DateTime, Utc};
use schemars::JsonSchema;
use serde::{Deserialize, Serialize};
use uuid::Uuid;

/// Most runs of a study that can be kept beside the marked ones.
const MOST_KEPT: i32 = 1000;

/// The room an account uses, and what it can have back.
#[derive(Serialize, JsonSchema)]
pub(crate) struct RoomShown {
    /// Supplies and runs, bytes.
    used: i64,
    /// Runs kept.
    runs: i64,
    /// What is deleted and not yet given free, bytes.
    deleted: i64,
    /// Newest runs of each study that are kept beside the marked ones.
    keep_runs: i32,
    /// Deleted supplies that can be had back, latest first.
    supplies: Vec<DeletedListed>,
}

/// A deleted supply.
#[derive(Serialize, JsonSchema)]
pub(crate) struct DeletedListed {
    id: Uuid,
    title: String,
    /// Runs that went with it.
    runs: i64,
    /// When its room is given free.
    gone_at: DateTime<Utc>,
}

/// How many runs are kept.
#[derive(Deserialize, JsonSchema)]
pub(crate) struct KeepRuns {
    /// Newest runs of each study, 1 to 1000; marked ones are kept beside them.
    keep_runs: i32,
}

/// What is said of a run; what is left out stays as it is.
#[derive(Deserialize, JsonSchema)]
pub(crate) struct Remark {
    /// Whether it is kept however many follow.
    #[serde(default)]
    marked: Option<bool>,
    /// What is written beside it.
    #[serde(default)]
    note: Option<String>,
}

/// Longest note beside a run, characters.
const LONGEST_NOTE: usize = 2000;

fn done(found: bool, missing: impl FnOnce() -> ApiError) -> Result<StatusCode, ApiError> {
    if found { Ok(StatusCode::NO_CONTENT) } else { Err(missing()) }
}

/// Deletes a supply with its runs; both can be had back for a day.
pub(crate) async fn delete_supply(
    State(app): State<App>,
    Path(SupplyPath { supply }): Path<SupplyPath>,
) -> Result<StatusCode, ApiError> {
    let deleted = app.store.delete_supply(app.account(), supply).await?;
    app.forget_circuits();
    done(deleted, ApiError::no_supply)
}

/// Has a deleted supply back, with the runs that went with it.
pub(crate) async fn undelete_supply(
    State(app): State<App>,
    Path(SupplyPath { supply }): Path<SupplyPath>,
) -> Result<StatusCode, ApiError> {
    let gone = || ApiError::not_found("there is no such deleted supply; its room may have been given free");
    done(app.store.undelete_supply(app.account(), supply).await?, gone)
}

/// Deletes a run; it can be had back for a day.
pub(crate) async fn delete_run(
    State(app): State<App>,
    Path(RunPath { run }): Path<RunPath>,
) -> Result<StatusCode, ApiError> {
    let deleted = app.store.delete_run(app.account(), run).await?;
    app.forget_circuits();
    done(deleted, ApiError::no_run)
}

/// Has a deleted run back.
pub(crate) async fn undelete_run(
    State(app): State<App>,
    Path(RunPath { run }): Path<RunPath>,
) -> Result<StatusCode, ApiError> {
    let gone = || ApiError::not_found("there is no such deleted run; its room may have been given free");
    done(app.store.undelete_run(app.account(), run).await?, gone)
}

/// Marks a run, so that it is kept however many follow, or takes the mark away; notes something beside it.
pub(crate) async fn remark(
    State(app): State<App>,
    Path(RunPath { run }): Path<RunPath>,
    Body(Remark { marked, note }): Body<Remark>,
) -> Result<StatusCode, ApiError> {
    let note = note.map(|note| note.trim().to_owned());
    if note.as_ref().is_some_and(|note| note.contains('\0')) {
        return Err(ApiError::unusable("the note contains the character NUL, which cannot be stored; remove it"));
    }
    let length = note.as_ref().map_or(0, |note| note.chars().count());
    if length > LONGEST_NOTE {
        let message = format!("the note has {length} characters; up to {LONGEST_NOTE} are kept beside a run");
        return Err(ApiError::unusable(message));
    }
    done(app.store.remark(app.account(), run, marked, note.as_deref()).await?, ApiError::no_run)
}

/// The room used, the rule for old runs, and what can be had back.
pub(crate) async fn room(State(app): State<App>) -> Result<Json<RoomShown>, ApiError> {
    let room = app.store.room(app.account()).await?;
    let supplies = app.store.deleted_supplies(app.account()).await?;
    let listed = |DeletedSupply { id, title, deleted_at, runs }| DeletedListed {
        id,
        title,
        runs,
        gone_at: deleted_at + KEPT_DELETED,
    };
    Ok(Json(RoomShown {
        used: room.used,
        runs: room.runs,
        deleted: room.deleted,
        keep_runs: room.keep_runs,
        supplies: supplies.into_iter().map(listed).collect(),
    }))
}

/// States how many runs of each study are kept; what is beyond is deleted at once and can be had back for a day.
pub(crate) async fn keep(
    State(app): State<App>,
    Body(KeepRuns { keep_runs }): Body<KeepRuns>,
) -> Result<Json<RoomShown>, ApiError> {
    if !(1..=MOST_KEPT).contains(&keep_runs) {
        let message = format!("keep_runs is {keep_runs}; 1 to {MOST_KEPT} runs of each study can be kept");
        return Err(ApiError::unusable(message));
    }
    app.store.keep_runs(app.account(), keep_runs).await?;
    app.forget_circuits();
    room(State(app)).await
}

/// Gives the room of all that is deleted free; it cannot be had back any more.
pub(crate) async fn give_free(State(app): State<App>) -> Result<Json<RoomShown>, ApiError> {
    app.store.purge(Some(app.account()), Utc::now()).await?;
    room(State(app)).await
}
