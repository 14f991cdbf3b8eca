use super::address::SupplyPath;
use super::app::App;
use super::errors::{ApiError, Body};
use super::look::read;
use super::supplies::{SaveAnswer, store};
use crate::store::{Change, RevisionRow};
use axum::Json;
use axum::extract::{Path, State};
use chrono::{DateTime, Utc};
use circuit::changes;
use schemars::JsonSchema;
use serde::{Deserialize, Serialize};
use uuid::Uuid;

/// Versions listed at once.
const LISTED: i64 = 100;

/// A version of a supply.
#[derive(Serialize, JsonSchema)]
pub(crate) struct RevisionListed {
    revision: i32,
    saved_at: DateTime<Utc>,
    /// What became different with it, a phrase each.
    changes: Vec<String>,
}

/// A version of a supply in an address.
#[derive(Deserialize, JsonSchema)]
pub(crate) struct RevisionPath {
    supply: Uuid,
    revision: i32,
}

/// What is restored over.
#[derive(Deserialize, JsonSchema)]
pub(crate) struct Restore {
    /// The revision that is stored now.
    revision: i32,
    /// What the change is called: sent again, it is not made twice.
    change: Option<Uuid>,
}

/// The latest versions of a supply, newest first, each with what it changed.
pub(crate) async fn list(
    State(app): State<App>,
    Path(SupplyPath { supply }): Path<SupplyPath>,
) -> Result<Json<Vec<RevisionListed>>, ApiError> {
    app.store.supply(app.account(), supply).await?.ok_or_else(ApiError::no_supply)?;
    // One more than is listed, so that the oldest listed has one before it to differ from.
    let rows = app.store.revisions(app.account(), supply, LISTED + 1).await?;
    app.think(move || described(&rows)).await?.map(Json)
}

fn described(rows: &[RevisionRow]) -> Result<Vec<RevisionListed>, ApiError> {
    let documents = rows.iter().map(|row| read(&row.document)).collect::<Result<Vec<_>, _>>()?;
    let listed = rows.iter().enumerate().take(LISTED as usize).map(|(k, row)| RevisionListed {
        revision: row.revision,
        saved_at: row.saved_at,
        changes: match documents.get(k + 1) {
            Some(before) => changes(before, &documents[k]),
            None => vec!["created".to_owned()],
        },
    });
    Ok(listed.collect())
}

/// Stores an earlier version again, as the newest.
pub(crate) async fn restore(
    State(app): State<App>,
    Path(RevisionPath { supply, revision }): Path<RevisionPath>,
    Body(body): Body<Restore>,
) -> Result<SaveAnswer, ApiError> {
    let row = app.store.revision(app.account(), supply, revision).await?;
    let row = row.ok_or_else(|| ApiError::not_found("the supply has no such revision"))?;
    let document = app.think(move || read(&row.document)).await??;
    store(&app, supply, Change { revision: body.revision, id: body.change }, &document).await
}
