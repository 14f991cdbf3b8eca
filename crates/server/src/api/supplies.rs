use super::address::SupplyPath;
use super::app::App;
use super::errors::{ApiError, Body};
use super::look::{Picture, read};
use crate::store::{Change, LatestRun, Order, Saved, Summary, SupplyRow, SupplySummary};
use aide::OperationIo;
use axum::Json;
use axum::extract::{Path, Query, State};
use axum::http::StatusCode;
use axum::response::{IntoResponse, Response};
use chrono::{DateTime, Utc};
use circuit::{Finding, Supply};
use drawing::Drawing;
use schemars::JsonSchema;
use serde::{Deserialize, Serialize};
use serde_json::Value;
use std::collections::BTreeMap;
use studies::Standing;
use uuid::Uuid;

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
    /// What it is sorted under.
    tags: Vec<String>,
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

/// Supplies listed at once, unless fewer are asked for, and at most.
const PAGE: i64 = 100;
const MOST: i64 = 500;

/// Which supplies to list.
#[derive(Deserialize, JsonSchema)]
pub(crate) struct WhichSupplies {
    /// Words that stand in titles, notes, stages or tags.
    #[serde(default)]
    search: String,
    #[serde(default)]
    order: Order,
    /// Those left out at the beginning, and those listed at most.
    #[serde(default)]
    skip: Option<i64>,
    #[serde(default)]
    most: Option<i64>,
}

/// A page of the library.
pub(crate) async fn list(
    State(app): State<App>,
    Query(WhichSupplies { search, order, skip, most }): Query<WhichSupplies>,
) -> Result<Json<Vec<SupplyListed>>, ApiError> {
    let page = (skip.unwrap_or(0).max(0), most.unwrap_or(PAGE).clamp(1, MOST));
    let rows = app.store.library(app.account(), &search, order, page).await?;
    let mut listed = Vec::new();
    for (row, run) in rows {
        listed.push(match row.summary.clone().and_then(|summary| serde_json::from_value(summary).ok()) {
            Some(summary) => known(row, &summary, run.as_ref()),
            // It cannot be read: named with what is wrong, it hides no other.
            None => match app.store.supply(app.account(), row.id).await? {
                Some(whole) => unread(row, &whole),
                None => continue,
            },
        });
    }
    Ok(Json(listed))
}

fn unread(row: SupplySummary, whole: &SupplyRow) -> SupplyListed {
    let problem = read(&whole.document).err().map(|error| error.message().to_owned());
    let title = whole.document["title"].as_str().unwrap_or("A supply that cannot be read").to_owned();
    let row = SupplySummary { title, ..row };
    SupplyListed { problem, ..known(row, &Summary::default(), None) }
}

fn known(row: SupplySummary, summary: &Summary, run: Option<&LatestRun>) -> SupplyListed {
    let Summary { notes, stages, requirements, studies } = summary;
    // A run gave what the supply as it is now would give, and was judged by the same.
    let of_now = |run: &LatestRun| {
        let now = studies.get(&run.study).map(|(essence, judged)| (Some(*essence), Some(*judged)));
        run.revision == row.revision || now == Some((run.essence, run.judged_by))
    };
    SupplyListed {
        id: row.id,
        title: row.title,
        notes: notes.clone(),
        revision: row.revision,
        changed_at: row.changed_at,
        stages: stages.clone(),
        tags: row.tags,
        tally: tally(requirements, run),
        changed_since_run: run.is_some_and(|run| !of_now(run)),
        problem: None,
    }
}

fn tally(requirements: &[String], run: Option<&LatestRun>) -> Tally {
    let verdicts = run.and_then(|run| run.verdicts.clone());
    let verdicts: BTreeMap<String, Standing> =
        verdicts.and_then(|value| serde_json::from_value(value).ok()).unwrap_or_default();
    let mut tally = Tally::default();
    for requirement in requirements {
        match verdicts.get(requirement).copied().unwrap_or(Standing::NotTried) {
            Standing::Met => tally.met += 1,
            Standing::Close => tally.close += 1,
            Standing::Missed => tally.missed += 1,
            Standing::NotTried => tally.not_tried += 1,
        }
    }
    tally
}

/// What a supply is sorted under.
#[derive(Deserialize, JsonSchema)]
pub(crate) struct Tags {
    tags: Vec<String>,
}

/// Tags of a supply, and characters of one, at most.
const MOST_TAGS: usize = 12;
const LONGEST_TAG: usize = 40;

/// Sorts a supply under tags, in place of those it had.
pub(crate) async fn tag(
    State(app): State<App>,
    Path(SupplyPath { supply }): Path<SupplyPath>,
    Body(Tags { tags }): Body<Tags>,
) -> Result<StatusCode, ApiError> {
    let mut tags: Vec<String> =
        tags.iter().map(|tag| tag.trim().to_lowercase()).filter(|tag| !tag.is_empty()).collect();
    tags.sort();
    tags.dedup();
    let bad = |tag: &String| tag.chars().count() > LONGEST_TAG || tag.contains('\0');
    if tags.len() > MOST_TAGS || tags.iter().any(bad) {
        let message = format!("a supply has up to {MOST_TAGS} tags of up to {LONGEST_TAG} characters");
        return Err(ApiError::unusable(message));
    }
    if app.store.tag(app.account(), supply, &tags).await? {
        Ok(StatusCode::NO_CONTENT)
    } else {
        Err(ApiError::no_supply())
    }
}

/// Adds a supply to the library.
pub(crate) async fn create(
    State(app): State<App>,
    Body(body): Body<CreateSupply>,
) -> Result<Json<SupplyShown>, ApiError> {
    let placed = |document: Supply| design::with_strips(drawing::placed(&document).unwrap_or(document));
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

/// Which version is drawn.
#[derive(Deserialize, JsonSchema)]
pub(crate) struct OfRevision {
    /// The revision it is thought to be of; then the picture can be kept as long as one likes.
    revision: Option<i32>,
}

/// The drawing of a supply as an SVG file.
pub(crate) async fn picture(
    State(app): State<App>,
    Path(SupplyPath { supply }): Path<SupplyPath>,
    Query(OfRevision { revision }): Query<OfRevision>,
) -> Result<Picture, ApiError> {
    let row = app.store.supply(app.account(), supply).await?.ok_or_else(ApiError::no_supply)?;
    let look = app.look(&row).await?;
    let lasting = revision == Some(row.revision);
    app.think(move || Picture::of(&look.drawing, lasting)).await
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
        Some(id) => app.store.knows_change(app.account(), supply, id).await?,
        None => false,
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
