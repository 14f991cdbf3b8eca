//! What a document and an outcome come to, in short.

use circuit::{ReadingMeasure, Supply};
use serde_json::Value;
use std::collections::BTreeMap;
use studies::{Outcome, Standing};
use uuid::Uuid;

/// Stands for all in a supply that decides the result of a study: where it is the same, so are the numbers.
pub(crate) fn essence(supply: &Supply, study: &str) -> Uuid {
    let text = serde_json::to_vec(&circuit::decisive(supply, study)).unwrap_or_default();
    Uuid::new_v5(&Uuid::NAMESPACE_OID, &text)
}

/// Stands for what a document, as it is run, reads and requires, and for what its parts are rated for where that is read.
pub(crate) fn judged_by(document: &Supply) -> Uuid {
    let mut text = serde_json::to_vec(&(&document.readings, &document.requirements)).unwrap_or_default();
    if document.readings.iter().any(|reading| reading.measure == ReadingMeasure::RatingUse) {
        let rated: Vec<_> = document.parts.iter().map(|part| (&part.id, &part.ratings)).collect();
        text.extend(serde_json::to_vec(&(rated, &document.derating)).unwrap_or_default());
    }
    Uuid::new_v5(&Uuid::NAMESPACE_OID, &text)
}

/// Where each requirement stands after a run.
pub(crate) fn verdicts(outcome: &Value) -> Option<Value> {
    let outcome: Outcome = serde_json::from_value(outcome.clone()).ok()?;
    let standings: BTreeMap<String, Standing> = outcome.verdicts.into_iter().map(|v| (v.id, v.standing)).collect();
    serde_json::to_value(standings).ok()
}
