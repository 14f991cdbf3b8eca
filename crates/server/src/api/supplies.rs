use super::address::SupplyPath;
use super::app::App;
use super::errors::{ApiError, Body};
use super::look::{Picture, read};
use crate::store::{Change, LatestRun, Saved, SupplyRow, SupplySummary, essence};
use aide::OperationIo;
use axum::Json;
use axum::extract::{Path, State};
use axum::http::StatusCode;
use axum::response::{IntoResponse, Response};
use chrono::{DateTime, Utc};
use circuit::{Finding, Supply, as_run};
use drawing::Drawing;
use schemars::JsonSchema;
use serde::{Deserialize, Serialize};
use serde_json::Value;
use std::collections::BTreeMap;
use studies::{Outcome, Standing};
use uuid::Uuid;

/// Characters of the notes that the library lists.
const LISTED_NOTES: usize = 400;

/// A supply as the library lists it.
#[derive(Serialize, JsonSchema)]
pub(crate) struct SupplyListed {
    id: Uuid,
    title: String,
    /// The beginning of its notes.
    notes: String,
    revision: i32,
    changed_at: DateTime<Utc>,
    /// Titles of the stages in order.
    stages: Vec<String>,
    /// Requirements by standing in the latest run.
    tally: Tally,
    /// Whether something that decides its numbers or verdicts was changed after that run.
    changed_since_run: bool,
    /// Why it cannot be read.
    problem: Option<String>,
}

/// How many requirements stand where.
#[derive(Default, Serialize, JsonSchema)]
pub(crate) struct Tally {
    met: usize,
    close: usize,
    missed: usize,
    not_tried: usize,
}

/// A supply as the desk shows it.
#[derive(Serialize, JsonSchema)]
pub(crate) struct SupplyShown {
    id: Uuid,
    /// Counts up with every change.
    revision: i32,
    changed_at: DateTime<Utc>,
    document: Supply,
    /// What is wrong with it.
    findings: Vec<Finding>,
    /// Its picture.
    drawing: Drawing,
    /// The essence of each study as it would be run now: a run of another essence has old numbers.
    essences: BTreeMap<String, Uuid>,
}

/// A new version of a supply.
#[derive(Deserialize, JsonSchema)]
pub(crate) struct SaveSupply {
    /// The revision the change was made to.
    revision: i32,
    /// What the change is called: sent again, it is not made twice.
    change: Option<Uuid>,
    #[schemars(with = "Supply")]
    document: Value,
}

/// A supply to be added to the library.
#[derive(Deserialize, JsonSchema)]
pub(crate) struct CreateSupply {
    #[schemars(with = "Supply")]
    document: Value,
}

/// Someone else changed the supply in the meantime.
#[derive(Serialize, JsonSchema)]
pub(crate) struct Conflict {
    message: String,
    /// What is stored now; what was to be stored was not.
    current: SupplyShown,
}

/// The answer to a write.
#[derive(OperationIo)]
#[aide(output_with = "Json<SupplyShown>")]
pub(crate) enum SaveAnswer {
    Stored(Box<SupplyShown>),
    Conflict(Box<Conflict>),
}

impl IntoResponse for SaveAnswer {
    fn into_response(self) -> Response {
        match self {
            SaveAnswer::Stored(supply) => Json(supply).into_response(),
            SaveAnswer::Conflict(conflict) => (StatusCode::CONFLICT, Json(conflict)).into_response(),
        }
    }
}

pub(super) async fn shown(app: &App, row: SupplyRow) -> Result<SupplyShown, ApiError> {
    let look = app.look(&row).await?;
    Ok(SupplyShown {
        id: row.id,
        revision: row.revision,
        changed_at: row.changed_at,
        findings: look.findings.clone(),
        drawing: look.drawing.clone(),
        essences: look.essences.clone(),
        document: look.document.clone(),
    })
}

/// Every supply in the library, latest change first.
pub(crate) async fn list(State(app): State<App>) -> Result<Json<Vec<SupplyListed>>, ApiError> {
    let rows = app.store.supplies(app.account()).await?;
    Ok(Json(app.think(move || rows.into_iter().map(listed).collect()).await?))
}

/// A supply in the list; one that cannot be read is named with what is wrong, and hides no other.
fn listed(row: SupplySummary) -> SupplyListed {
    let mut listed = SupplyListed {
        id: row.supply.id,
        title: row.supply.document["title"].as_str().unwrap_or("A supply that cannot be read").to_owned(),
        notes: String::new(),
        revision: row.supply.revision,
        changed_at: row.supply.changed_at,
        stages: Vec::new(),
        tally: Tally::default(),
        changed_since_run: false,
        problem: None,
    };
    match read(&row.supply.document) {
        Ok(document) => {
            listed.stages = document.stages.iter().map(|s| s.title.clone()).collect();
            listed.notes = document.notes.chars().take(LISTED_NOTES).collect();
            listed.tally = tally(&document, row.run.as_ref());
            let of_now = |run: &LatestRun| run.revision == row.supply.revision || is_of(run, &document);
            listed.changed_since_run = row.run.as_ref().is_some_and(|run| !of_now(run));
        }
        Err(error) => listed.problem = Some(error.message().to_owned()),
    }
    listed
}

/// Whether a run gave what the supply as it is now would give, and was judged by the same.
fn is_of(run: &LatestRun, document: &Supply) -> bool {
    let now = as_run(document, Some(&run.study));
    let judged = |name: &str, now: Result<Value, serde_json::Error>| now.is_ok_and(|now| now == run.document[name]);
    run.essence == Some(essence(document, &run.study))
        && judged("readings", serde_json::to_value(&now.readings))
        && judged("requirements", serde_json::to_value(&now.requirements))
}

fn tally(document: &Supply, run: Option<&LatestRun>) -> Tally {
    let outcome = run.and_then(|run| run.outcome.clone());
    let outcome: Option<Outcome> = outcome.and_then(|value| serde_json::from_value(value).ok());
    let mut tally = Tally::default();
    for requirement in &document.requirements {
        let verdict = outcome.as_ref().and_then(|o| o.verdicts.iter().find(|v| v.id == requirement.id));
        match verdict.map_or(Standing::NotTried, |v| v.standing) {
            Standing::Met => tally.met += 1,
            Standing::Close => tally.close += 1,
            Standing::Missed => tally.missed += 1,
            Standing::NotTried => tally.not_tried += 1,
        }
    }
    tally
}

/// Adds a supply to the library.
pub(crate) async fn create(
    State(app): State<App>,
    Body(body): Body<CreateSupply>,
) -> Result<Json<SupplyShown>, ApiError> {
    let placed = |document: Supply| drawing::placed(&document).unwrap_or(document);
    let document = app.arrange(move || read(&body.document).map(placed)).await??;
    let row = app.store.create_supply(app.account(), &document).await?;
    shown(&app, row).await.map(Json)
}

/// One supply with its findings and drawing.
pub(crate) async fn show(
    State(app): State<App>,
    Path(SupplyPath { supply }): Path<SupplyPath>,
) -> Result<Json<SupplyShown>, ApiError> {
    let row = app.store.supply(app.account(), supply).await?.ok_or_else(ApiError::no_supply)?;
    shown(&app, row).await.map(Json)
}

/// The drawing of a supply as an SVG file.
pub(crate) async fn picture(
    State(app): State<App>,
    Path(SupplyPath { supply }): Path<SupplyPath>,
) -> Result<Picture, ApiError> {
    let row = app.store.supply(app.account(), supply).await?.ok_or_else(ApiError::no_supply)?;
    let look = app.look(&row).await?;
    app.think(move || Picture::of(&look.drawing)).await
}

/// Stores a new version; answers 409 with what is stored if the supply has changed meanwhile.
pub(crate) async fn save(
    State(app): State<App>,
    Path(SupplyPath { supply }): Path<SupplyPath>,
    Body(body): Body<SaveSupply>,
) -> Result<SaveAnswer, ApiError> {
    let SaveSupply { revision, change, document } = body;
    let document = app.think(move || read(&document)).await??;
    store(&app, supply, Change { revision, id: change }, &document).await
}

/// Answers at once what needs no more work: a change that is stored already, and one made to what is no longer the newest.
/// Else the supply as it is.
pub(super) async fn still_to_make(
    app: &App,
    supply: Uuid,
    change: Change,
) -> Result<Result<SupplyRow, SaveAnswer>, ApiError> {
    let row = app.store.supply(app.account(), supply).await?.ok_or_else(ApiError::no_supply)?;
    let known = match change.id {
        Some(id) if row.revision != change.revision => app.store.knows_change(app.account(), supply, id).await?,
        _ => false,
    };
    if known {
        return Ok(Err(SaveAnswer::Stored(Box::new(shown(app, row).await?))));
    }
    if row.revision != change.revision {
        return Ok(Err(stale(app, row).await?));
    }
    Ok(Ok(row))
}

async fn stale(app: &App, row: SupplyRow) -> Result<SaveAnswer, ApiError> {
    let message = format!("the supply was changed elsewhere and is now at revision {}", row.revision);
    Ok(SaveAnswer::Conflict(Box::new(Conflict { message, current: shown(app, row).await? })))
}

/// Stores a document made from a revision, or answers with what has been stored meanwhile.
pub(super) async fn store(app: &App, supply: Uuid, change: Change, document: &Supply) -> Result<SaveAnswer, ApiError> {
    let saved = match app.store.save_supply(app.account(), supply, change, document).await {
        // The connection was lost: what was sent may have arrived.
        Err(error) if error.passing() => after_all(app, supply, change, document).await?,
        saved => saved?,
    };
    match saved {
        Saved::Stored(row) => Ok(SaveAnswer::Stored(Box::new(shown(app, row).await?))),
        Saved::Stale(row) => stale(app, row).await,
        Saved::Missing => Err(ApiError::no_supply()),
    }
}

/// What became of a write that was not answered.
async fn after_all(app: &App, supply: Uuid, change: Change, document: &Supply) -> Result<Saved, ApiError> {
    let unknown = |_| {
        let message = "the database was lost while the change was stored, and it is not known whether it was; look again \
                       in a moment";
        ApiError::new(StatusCode::SERVICE_UNAVAILABLE, message)
    };
    let current = app.store.supply(app.account(), supply).await.map_err(unknown)?;
    let Some(current) = current else { return Ok(Saved::Missing) };
    if let Some(id) = change.id
        && app.store.knows_change(app.account(), supply, id).await.map_err(unknown)?
    {
        return Ok(Saved::Stored(current));
    }
    let written =
        app.store.revision(app.account(), supply, change.revision.saturating_add(1)).await.map_err(unknown)?;
    let ours = serde_json::to_value(document).unwrap_or_default();
    match written {
        Some(written) if written.document == ours && current.revision == written.revision => Ok(Saved::Stored(current)),
        Some(_) => Ok(Saved::Stale(current)),
        None => {
            let message =
                "the database was lost before the change was stored; nothing was changed, try again in a moment";
            Err(ApiError::new(StatusCode::SERVICE_UNAVAILABLE, message))
        }
    }
}
