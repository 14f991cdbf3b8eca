//! What would be found if something were added, before it is.

use super::address::SupplyPath;
use super::app::App;
use super::compose::ask;
use super::errors::{ApiError, Body, few};
use axum::Json;
use axum::extract::{Path, State};
use circuit::{Finding, Place, Reading, Requirement, Supply, check};
use schemars::JsonSchema;
use serde::Deserialize;

/// Readings and requirements as they would be, new or in place of those of the same names.
#[derive(Deserialize, JsonSchema)]
pub(crate) struct WouldBe {
    #[serde(default)]
    readings: Vec<Reading>,
    #[serde(default)]
    requirements: Vec<Requirement>,
}

/// What would be wrong with readings and requirements; nothing is changed.
pub(crate) async fn would_be(
    State(app): State<App>,
    Path(SupplyPath { supply }): Path<SupplyPath>,
    Body(body): Body<WouldBe>,
) -> Result<Json<Vec<Finding>>, ApiError> {
    few("readings", &body.readings)?;
    few("requirements", &body.requirements)?;
    ask(&app, supply, move |supply| found(supply, body)).await.map(Json)
}

fn found(supply: &Supply, WouldBe { readings, requirements }: WouldBe) -> Vec<Finding> {
    let mut supply = supply.clone();
    let of: Vec<String> =
        readings.iter().map(|r| r.id.clone()).chain(requirements.iter().map(|r| r.id.clone())).collect();
    supply.readings.retain(|known| readings.iter().all(|new| new.id != known.id));
    supply.requirements.retain(|known| requirements.iter().all(|new| new.id != known.id));
    supply.readings.extend(readings);
    supply.requirements.extend(requirements);
    let ours = |finding: &Finding| match &finding.place {
        Place::Reading { reading: id } | Place::Requirement { requirement: id } => of.contains(id),
        _ => false,
    };
    check(&supply).into_iter().filter(ours).collect()
}
