use super::address::SupplyPath;
use super::app::App;
use super::compose::ask;
use super::errors::{ApiError, Body};
use axum::Json;
use axum::extract::{Path, State};
use circuit::{Supply, design_values, expression};
use quantity::{Series, Unit, entry, show};
use schemars::JsonSchema;
use serde::{Deserialize, Serialize};

/// A text in a value field.
#[derive(Deserialize, JsonSchema)]
pub(crate) struct Entry {
    text: String,
    unit: Unit,
    /// Step to the neighbouring preferred value (E12) before answering.
    step: Option<Step>,
}

#[derive(Deserialize, JsonSchema)]
#[serde(rename_all = "snake_case")]
pub(crate) enum Step {
    Up,
    Down,
}

/// What the text means, or what is wrong with it.
#[derive(Serialize, JsonSchema)]
pub(crate) struct EntryMeaning {
    /// Value in SI base units.
    value: Option<f64>,
    /// The value as shown to people, with unit.
    shown: Option<String>,
    /// The text for the field: as typed, or the stepped value.
    text: String,
    /// What is accepted instead.
    problem: Option<String>,
    /// Offset of the offending character.
    at: Option<usize>,
}

/// Reads a value field in the light of a supply's design values.
pub(crate) async fn evaluate(
    State(app): State<App>,
    Path(SupplyPath { supply }): Path<SupplyPath>,
    Body(body): Body<Entry>,
) -> Result<Json<EntryMeaning>, ApiError> {
    ask(&app, supply, move |document| meaning(document, body)).await.map(Json)
}

fn meaning(document: &Supply, body: Entry) -> EntryMeaning {
    let values = design_values(document);
    match expression::evaluate(&body.text, body.unit, &|name| values.get(name).copied()) {
        Ok(value) => {
            let stepped = match body.step {
                Some(Step::Up) => Series::E12.next(value),
                Some(Step::Down) => Series::E12.previous(value),
                None => None,
            };
            let value = stepped.unwrap_or(value);
            EntryMeaning {
                value: Some(value),
                shown: Some(show(value, body.unit, 5)),
                text: stepped.map_or(body.text, entry),
                problem: None,
                at: None,
            }
        }
        Err(error) => EntryMeaning {
            value: None,
            shown: None,
            text: body.text,
            problem: Some(error.to_string()),
            at: Some(error.at),
        },
    }
}
