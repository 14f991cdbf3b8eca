//! Where a supply rests, and its drawing with that beside nets and parts.

use super::address::SupplyPath;
use super::app::App;
use super::errors::ApiError;
use axum::Json;
use axum::extract::{Path, State};
use circuit::resolve;
use drawing::{Drawing, Figures, figured};
use quantity::{Unit, show};
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

/// Parts of the largest figure of its kind below which one is nothing but rounding.
const NOTHING: f64 = 1e-12;
const DIGITS: usize = 4;

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
        let drawing = figured(&look.document, &figures(&resting));
        Ok(Json(RestingShown { revision, resting, drawing }))
    };
    app.think(found).await?
}

fn figures(Resting { nets, parts, .. }: &Resting) -> Figures {
    let largest = |values: &mut dyn Iterator<Item = f64>| values.fold(0.0, |most: f64, value| most.max(value.abs()));
    let [volts, amperes, watts] = [
        largest(&mut nets.iter().map(|net| net.voltage)),
        largest(&mut parts.iter().filter_map(|part| part.current)),
        largest(&mut parts.iter().map(|part| part.power)),
    ];
    let read =
        |value: f64, most: f64, unit: Unit| show(if value.abs() <= NOTHING * most { 0.0 } else { value }, unit, DIGITS);
    let lines = |part: &studies::RestingPart| {
        let power = read(part.power, watts, Unit::Watt);
        let power = if part.delivers { format!("{power} delivered") } else { power };
        let flows =
            part.current.map_or_else(|| power.clone(), |i| format!("{}, {power}", read(i, amperes, Unit::Ampere)));
        [Some(flows), part.region.clone()].into_iter().flatten().collect()
    };
    Figures {
        parts: parts.iter().map(|part| (part.part.clone(), lines(part))).collect(),
        nets: nets.iter().map(|net| (net.net.clone(), read(net.voltage, volts, Unit::Volt))).collect(),
    }
}
