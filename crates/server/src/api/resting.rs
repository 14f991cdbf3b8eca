//! Where a supply rests, and its drawing with that beside nets and parts.

use super::address::SupplyPath;
use super::app::App;
use super::errors::ApiError;
use super::figures::{Beside, BesidePart};
use axum::Json;
use axum::extract::{Path, State};
use circuit::resolve;
use drawing::{Drawing, figured};
use schemars::JsonSchema;
use serde::Serialize;
use studies::{Resting, resting};

/// The operating point of a supply as it stands.
#[derive(Serialize, JsonSchema)]
pub(crate) struct RestingShown {
    /// The revision it is of.
    revision: i32,
    resting: Resting,
    /// The circuit with the figures in it.
    drawing: Drawing,
}

/// Finds the operating point; nothing is stored.
pub(crate) async fn operating_point(
    State(app): State<App>,
    Path(SupplyPath { supply }): Path<SupplyPath>,
) -> Result<Json<RestingShown>, ApiError> {
    let row = app.store.supply(app.account(), supply).await?.ok_or_else(ApiError::no_supply)?;
    let look = app.look(&row).await?;
    let revision = row.revision;
    let found = move || {
        let circuit = resolve(&look.document).map_err(ApiError::blocked)?;
        let resting = resting(&circuit).map_err(|error| ApiError::unusable(error.to_string()))?;
        let drawing = figured(&look.document, &beside(&resting).in_words());
        Ok(Json(RestingShown { revision, resting, drawing }))
    };
    app.think(found).await?
}

fn beside(Resting { nets, parts, .. }: &Resting) -> Beside {
    let part = |part: &studies::RestingPart| BesidePart {
        part: part.part.clone(),
        current: part.current,
        power: Some(part.power),
        delivers: part.delivers,
        does: part.region.clone(),
    };
    Beside {
        nets: nets.iter().map(|net| (net.net.clone(), net.voltage)).collect(),
        parts: parts.iter().map(part).collect(),
        meant: "",
    }
}
