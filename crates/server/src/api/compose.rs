use super::address::SupplyPath;
use super::app::App;
use super::errors::{ApiError, Body};
use super::supplies::{SaveAnswer, still_to_make, store};
use crate::store::Change;
use axum::Json;
use axum::extract::{Path, Query, State};
use circuit::{KindId, Part, Reading, Study, Supply};
use design::{
    Edit, FORMS, Form, Place, Proposal, ProposedStudy, ReadyMade, Setting, StudyDefault, apply, propose,
    ready_made as made_ready, size, studies_for, studies_proposed,
};
use schemars::JsonSchema;
use serde::{Deserialize, Serialize};
use std::collections::BTreeMap;
use uuid::Uuid;

/// The stage catalogue.
pub(crate) async fn forms() -> Json<&'static [Form]> {
    Json(FORMS)
}

/// A form at a place.
#[derive(Deserialize, JsonSchema)]
pub(crate) struct AskForm {
    form: String,
    place: Place,
    /// What was chosen, as typed.
    #[serde(default)]
    choices: BTreeMap<String, String>,
}

/// A stage to be sized again.
#[derive(Deserialize, JsonSchema)]
pub(crate) struct AskStage {
    stage: String,
    /// What was chosen, as typed; what is stored if left out.
    choices: Option<BTreeMap<String, String>>,
}

/// A change of the power path.
#[derive(Deserialize, JsonSchema)]
pub(crate) struct MakeEdit {
    /// The revision the change is made to.
    revision: i32,
    /// What the change is called: sent again, it is not made twice.
    change: Option<Uuid>,
    edit: Edit,
}

/// Asks something of a supply as it is stored.
pub(super) async fn ask<T: Send + 'static>(
    app: &App,
    supply: Uuid,
    question: impl FnOnce(&Supply) -> T + Send + 'static,
) -> Result<T, ApiError> {
    let row = app.store.supply(app.account(), supply).await?.ok_or_else(ApiError::no_supply)?;
    let look = app.look(&row).await?;
    app.think(move || question(&look.document)).await
}

/// What a form proposes at a place; nothing is changed.
pub(crate) async fn proposal(
    State(app): State<App>,
    Path(SupplyPath { supply }): Path<SupplyPath>,
    Body(body): Body<AskForm>,
) -> Result<Json<Proposal>, ApiError> {
    let proposed = ask(&app, supply, move |s| propose(s, &body.form, &body.place, &body.choices)).await?;
    proposed.map(Json).map_err(refused)
}

/// How a stage is sized; nothing is changed.
pub(crate) async fn sizing(
    State(app): State<App>,
    Path(SupplyPath { supply }): Path<SupplyPath>,
    Body(body): Body<AskStage>,
) -> Result<Json<Proposal>, ApiError> {
    let sized = ask(&app, supply, move |s| {
        let stored = s.stage(&body.stage).map(|s| s.choices.clone()).unwrap_or_default();
        size(s, &body.stage, &body.choices.unwrap_or(stored))
    });
    sized.await?.map(Json).map_err(refused)
}

/// Changes the power path and stores the result, as a save does.
pub(crate) async fn edit(
    State(app): State<App>,
    Path(SupplyPath { supply }): Path<SupplyPath>,
    Body(body): Body<MakeEdit>,
) -> Result<SaveAnswer, ApiError> {
    let MakeEdit { revision, change, edit } = body;
    let change = Change { revision, id: change };
    let row = match still_to_make(&app, supply, change).await? {
        Ok(row) => row,
        Err(answer) => return Ok(answer),
    };
    let look = app.look(&row).await?;
    // Tidying, and parts without places, have parts arranged.
    let arranges = matches!(edit, Edit::Tidy { .. }) || look.document.parts.iter().any(|part| part.at.is_none());
    let changed = move || apply(&look.document, &edit);
    let changed = if arranges { app.arrange(changed).await? } else { app.think(changed).await? };
    let changed = changed.map_err(refused)?;
    store(&app, supply, change, &changed).await
}

/// What studies of a supply can be set to.
#[derive(Serialize, JsonSchema)]
pub(crate) struct StudyOffers {
    /// How long and how finely it should simulate, with the reasons.
    #[serde(flatten)]
    defaults: StudyDefault,
    /// A study of every kind as it would suit the supply, the best first.
    proposed: Vec<ProposedStudy>,
    /// Pins that a loop passes through, such as `U1.inn`.
    loops: Vec<String>,
    /// Sources that can be asked about over frequency.
    sources: Vec<String>,
    /// Loads and sources that a study can make step.
    steps: Vec<String>,
}

/// What studies of this supply can be set to, with the reasons.
pub(crate) async fn study_defaults(
    State(app): State<App>,
    Path(SupplyPath { supply }): Path<SupplyPath>,
) -> Result<Json<StudyOffers>, ApiError> {
    ask(&app, supply, offers).await.map(Json)
}

fn offers(supply: &Supply) -> StudyOffers {
    let loops = circuit::resolve(supply).map(|circuit| circuit.pins_in_loops()).unwrap_or_default();
    let of =
        |fits: fn(&Part) -> bool| supply.parts.iter().filter(|part| fits(part)).map(|part| part.id.clone()).collect();
    StudyOffers {
        defaults: studies_for(supply),
        proposed: studies_proposed(supply),
        loops: loops.into_iter().map(|(part, pin)| format!("{part}.{pin}")).collect(),
        sources: of(|part| part.kind.kind().feeds() && part.kind != KindId::ThreePhaseSource),
        steps: of(circuit::can_step),
    }
}

/// Which study ready-made readings are wanted for.
#[derive(Deserialize, JsonSchema)]
pub(crate) struct ReadyFor {
    study: String,
}

/// Readings that belong together, ready to be added.
#[derive(Serialize, JsonSchema)]
pub(crate) struct ReadyMadeShown {
    title: String,
    /// How they are taken.
    help: String,
    /// What is set in the supply first.
    settings: Vec<Setting>,
    /// The study it needs, if that is a new one.
    study: Option<Study>,
    readings: Vec<Reading>,
}

/// Readings engineers take of nearly every supply, made for this one.
pub(crate) async fn ready_made(
    State(app): State<App>,
    Path(SupplyPath { supply }): Path<SupplyPath>,
    Query(ReadyFor { study }): Query<ReadyFor>,
) -> Result<Json<Vec<ReadyMadeShown>>, ApiError> {
    let made = move |supply: &Supply| {
        let ready = made_ready(supply, &study).into_iter();
        ready
            .map(|ReadyMade { title, help, settings, study, readings }| ReadyMadeShown {
                title,
                help,
                settings,
                study,
                readings,
            })
            .collect()
    };
    ask(&app, supply, made).await.map(Json)
}

pub(super) fn refused(error: design::ComposeError) -> ApiError {
    ApiError::unusable(error.to_string())
}
