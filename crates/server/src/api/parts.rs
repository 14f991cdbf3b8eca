use super::address::SupplyPath;
use super::app::App;
use super::compose::{ask, refused};
use super::errors::{ApiError, Body};
use super::supplies::SupplyShown;
use aide::OperationOutput;
use aide::generate::GenContext;
use aide::openapi::{self, Operation};
use axum::Json;
use axum::extract::{Path, State};
use axum::http::StatusCode;
use axum::http::header::CONTENT_TYPE;
use axum::response::{IntoResponse, Response};
use design::{
    BomRow, Entry, Joining, Reading, Search, TEMPLATES, Template, bom, bom_csv, catalogue, joining, read_line, slug,
};
use schemars::JsonSchema;
use serde::{Deserialize, Serialize};
use std::collections::BTreeMap;
use uuid::Uuid;

/// An entry of the parts catalogue.
#[derive(Serialize, JsonSchema)]
pub(crate) struct EntryListed {
    entry: Entry,
    /// Identifier of an own part; none for a built-in one.
    own: Option<Uuid>,
    /// Its ratings and the values it is chosen by, as shown, by their identifiers.
    figures: BTreeMap<String, String>,
}

impl EntryListed {
    fn new(entry: Entry, own: Option<Uuid>) -> Self {
        EntryListed { figures: entry.figures(), entry, own }
    }
}

/// What the parts catalogue has of what is looked for, own parts first.
pub(crate) async fn entries(
    State(app): State<App>,
    Body(search): Body<Search>,
) -> Result<Json<Vec<EntryListed>>, ApiError> {
    let own = app.store.own_parts(app.account()).await?;
    let own = own.into_iter().map(|(id, entry)| EntryListed::new(entry, Some(id)));
    let built_in = catalogue().iter().map(|entry| EntryListed::new(entry.clone(), None));
    let mut found = Vec::new();
    for listed in own.chain(built_in) {
        if search.finds(&listed.entry).map_err(ApiError::unusable)? {
            found.push(listed);
        }
    }
    Ok(Json(found))
}

/// Keeps a part in the catalogue; its identifier is made from its title.
pub(crate) async fn keep(State(app): State<App>, Body(entry): Body<Entry>) -> Result<Json<EntryListed>, ApiError> {
    let title = entry.title.trim().to_owned();
    if title.is_empty() {
        return Err(ApiError::unusable("the part needs a title by which to find it again"));
    }
    let kind = entry.kind.kind();
    if let Some(name) = entry.parameters.keys().find(|name| kind.parameter(name).is_none()) {
        return Err(ApiError::unusable(format!("a {} has no parameter {name}", kind.name.to_lowercase())));
    }
    if let Some(name) = entry.ratings.keys().find(|name| kind.rating(name).is_none()) {
        return Err(ApiError::unusable(format!("a {} has no rating {name}", kind.name.to_lowercase())));
    }
    let entry = Entry { id: slug(&title), title, ..entry };
    let own = app.store.keep_part(app.account(), &entry).await?;
    Ok(Json(EntryListed::new(entry, Some(own))))
}

/// An own part in an address.
#[derive(Deserialize, JsonSchema)]
pub(crate) struct OwnPath {
    part: Uuid,
}

/// Drops an own part from the catalogue; supplies that use it keep its values.
pub(crate) async fn drop_own(
    State(app): State<App>,
    Path(OwnPath { part }): Path<OwnPath>,
) -> Result<StatusCode, ApiError> {
    if app.store.drop_part(app.account(), part).await? {
        Ok(StatusCode::NO_CONTENT)
    } else {
        Err(ApiError::not_found("there is no such part of your own"))
    }
}

/// Two nets that may become one.
#[derive(Deserialize, JsonSchema)]
pub(crate) struct AskJoining {
    from: String,
    to: String,
}

/// What becomes of two nets if they are joined; nothing is changed.
pub(crate) async fn ask_joining(
    State(app): State<App>,
    Path(SupplyPath { supply }): Path<SupplyPath>,
    Body(body): Body<AskJoining>,
) -> Result<Json<Joining>, ApiError> {
    ask(&app, supply, move |s| joining(s, &body.from, &body.to)).await.map(Json)
}

/// A phrase of the add line.
#[derive(Deserialize, JsonSchema)]
pub(crate) struct AskLine {
    text: String,
}

/// What is understood of a phrase, and how it may go on; nothing is changed.
pub(crate) async fn line(
    State(app): State<App>,
    Path(SupplyPath { supply }): Path<SupplyPath>,
    Body(body): Body<AskLine>,
) -> Result<Json<Reading>, ApiError> {
    ask(&app, supply, move |s| read_line(s, &body.text)).await.map(Json)
}

/// What a supply is made of.
pub(crate) async fn materials(
    State(app): State<App>,
    Path(SupplyPath { supply }): Path<SupplyPath>,
) -> Result<Json<Vec<BomRow>>, ApiError> {
    ask(&app, supply, bom).await.map(Json)
}

/// A table as a file.
pub(crate) struct Csv(pub(super) String);

impl IntoResponse for Csv {
    fn into_response(self) -> Response {
        ([(CONTENT_TYPE, "text/csv; charset=utf-8")], self.0).into_response()
    }
}

impl OperationOutput for Csv {
    type Inner = ();

    fn operation_response(_: &mut GenContext, _: &mut Operation) -> Option<openapi::Response> {
        Some(super::address::documented("text/csv", "the table"))
    }
}

/// What a supply is made of, as comma-separated values.
pub(crate) async fn materials_csv(
    State(app): State<App>,
    Path(SupplyPath { supply }): Path<SupplyPath>,
) -> Result<Csv, ApiError> {
    ask(&app, supply, bom_csv).await.map(Csv)
}

/// Supplies to begin with.
pub(crate) async fn templates() -> Json<&'static [Template]> {
    Json(TEMPLATES)
}

/// A template in an address.
#[derive(Deserialize, JsonSchema)]
pub(crate) struct TemplatePath {
    template: String,
}

/// Adds a supply made from a template to the library.
pub(crate) async fn begin(
    State(app): State<App>,
    Path(TemplatePath { template }): Path<TemplatePath>,
) -> Result<Json<SupplyShown>, ApiError> {
    let found = TEMPLATES.iter().find(|t| t.id == template);
    let found = found.ok_or_else(|| ApiError::not_found("there is no such template"))?;
    let supply = app.think(|| found.supply()).await?.map_err(refused)?;
    let row = app.store.create_supply(app.account(), &supply).await?;
    super::supplies::shown(&app, row).await.map(Json)
}
