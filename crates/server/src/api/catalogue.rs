use axum::Json;
use circuit::kinds::{KINDS, Parameter, Pin, Rating, family, words};
use drawing::{Symbol, symbol};
use schemars::JsonSchema;
use serde::Serialize;

/// A part kind with its symbol.
#[derive(Serialize, JsonSchema)]
pub(crate) struct PartKind {
    /// Identifier in documents.
    id: circuit::KindId,
    /// Name shown.
    name: &'static str,
    /// What it is sorted by in lists.
    family: &'static str,
    /// What else it is called.
    words: &'static [&'static str],
    /// Designator letter.
    letter: &'static str,
    /// What it models.
    help: &'static str,
    /// What it is where it is simulated by switching; none if it has no form there.
    by_switching: Option<&'static str>,
    /// Pins, the one its current flows into first.
    pins: &'static [Pin],
    /// Parameters in the order shown.
    parameters: &'static [Parameter],
    /// What a specimen may be rated for.
    ratings: &'static [Rating],
    /// What it looks like.
    symbol: Symbol,
}

/// Every part kind: pins, parameters, ranges, help, symbol.
pub(crate) async fn part_kinds() -> Json<Vec<PartKind>> {
    let kinds = KINDS.iter().map(|kind| PartKind {
        id: kind.id,
        name: kind.name,
        family: family(kind.id),
        words: words(kind.id),
        letter: kind.letter,
        help: kind.help,
        by_switching: kind.id.by_switching(),
        pins: kind.pins,
        parameters: kind.parameters,
        ratings: kind.ratings,
        symbol: symbol(kind.id),
    });
    Json(kinds.collect())
}
