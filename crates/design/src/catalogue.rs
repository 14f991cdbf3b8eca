//! The parts catalogue: generic parts of each kind with values and ratings as data sheets of their class
//! have them. The tables are in `catalogue/`, one file for the kinds that share columns; a column named
//! `rated_…` is a rating, an empty cell leaves the kind's default.

use circuit::KindId;
use circuit::kinds::Form;
use quantity::{Unit, show};
use schemars::JsonSchema;
use serde::{Deserialize, Serialize};
use std::collections::BTreeMap;
use std::sync::LazyLock;

/// A part one can take from the catalogue.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
#[schemars(rename = "CatalogueEntry")]
pub struct Entry {
    /// Identifier, kept with the part that was taken.
    pub id: String,
    /// What it is, with its main figures.
    pub title: String,
    /// The part kind.
    pub kind: KindId,
    /// What it is for.
    #[serde(default)]
    pub note: String,
    /// Parameters that differ from the kind's defaults.
    #[serde(default)]
    pub parameters: BTreeMap<String, String>,
    /// What it is rated for.
    #[serde(default)]
    pub ratings: BTreeMap<String, String>,
}

impl Entry {
    /// Its ratings and the values it is chosen by, as shown, by their identifiers.
    pub fn figures(&self) -> BTreeMap<String, String> {
        let kind = self.kind.kind();
        let values = kind.parameters.iter().filter(|p| p.sought.is_some()).map(|p| p.id);
        let all = kind.ratings.iter().map(|r| r.id).chain(values);
        let shown = all.filter_map(|id| figure(self, id).map(|(unit, v)| (id.to_owned(), show(v, unit, 3))));
        shown.collect()
    }
}

const TABLES: [&str; 12] = [
    include_str!("../catalogue/resistors.csv"),
    include_str!("../catalogue/capacitors.csv"),
    include_str!("../catalogue/inductors.csv"),
    include_str!("../catalogue/thermistors.csv"),
    include_str!("../catalogue/transformers.csv"),
    include_str!("../catalogue/diodes.csv"),
    include_str!("../catalogue/zeners.csv"),
    include_str!("../catalogue/transistors.csv"),
    include_str!("../catalogue/bipolar.csv"),
    include_str!("../catalogue/amplifiers.csv"),
    include_str!("../catalogue/regulators.csv"),
    include_str!("../catalogue/references.csv"),
];

/// Every built-in entry, table by table.
pub fn catalogue() -> &'static [Entry] {
    static ENTRIES: LazyLock<Vec<Entry>> = LazyLock::new(|| TABLES.into_iter().flat_map(read).collect());
    &ENTRIES
}

/// What is looked for in the catalogue.
#[derive(Clone, Debug, Default, PartialEq, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
#[schemars(rename = "CatalogueSearch")]
pub struct Search {
    /// The kinds it may be; any if empty.
    #[serde(default)]
    pub kinds: Vec<KindId>,
    /// Words its title or note must have.
    #[serde(default)]
    pub text: String,
    /// Least values, as typed, of parameters and ratings by their identifiers.
    #[serde(default)]
    pub at_least: BTreeMap<String, String>,
    /// Largest values likewise.
    #[serde(default)]
    pub at_most: BTreeMap<String, String>,
}

impl Search {
    /// Whether an entry is what is looked for.
    ///
    /// # Errors
    /// A limit that cannot be read, in words.
    pub fn finds(&self, entry: &Entry) -> Result<bool, String> {
        let words = format!("{} {}", entry.title, entry.note).to_lowercase();
        let named = self.text.to_lowercase().split_whitespace().all(|word| words.contains(word));
        let kind = self.kinds.is_empty() || self.kinds.contains(&entry.kind);
        let within = |limits: &BTreeMap<String, String>, holds: fn(f64, f64) -> bool| {
            limits.iter().filter(|(_, text)| !text.trim().is_empty()).try_fold(true, |all, (name, text)| {
                let Some((unit, value)) = figure(entry, name) else { return Ok(false) };
                let limit = quantity::parse(text, unit).map_err(|error| format!("“{text}” cannot be read: {error}"))?;
                Ok::<bool, String>(all && holds(value, limit))
            })
        };
        let most = within(&self.at_most, |value, limit| value <= limit * (1.0 + 1e-9))?;
        let least = within(&self.at_least, |value, limit| value >= limit * (1.0 - 1e-9))?;
        Ok(kind && named && least && most)
    }
}

/// A figure of an entry by the identifier of a rating or a parameter, with its unit; none if it has none.
fn figure(entry: &Entry, name: &str) -> Option<(Unit, f64)> {
    let kind = entry.kind.kind();
    if let Some(rating) = kind.rating(name) {
        let value = quantity::parse(entry.ratings.get(name)?, rating.unit).ok()?;
        return Some((rating.unit, value));
    }
    let Form::Quantity { unit, default, .. } = &kind.parameters[kind.parameter(name)?].form else { return None };
    let text = entry.parameters.get(name).map_or(*default, String::as_str);
    Some((*unit, quantity::parse(text, *unit).ok()?))
}

/// The rows of a table. A row whose kind does not exist is left out; a test holds the tables to have none.
fn read(table: &'static str) -> Vec<Entry> {
    let mut reader = csv::ReaderBuilder::new().delimiter(b';').from_reader(table.as_bytes());
    let columns = reader.headers().cloned().unwrap_or_default();
    let entry = |row: csv::StringRecord| {
        let cells = || columns.iter().zip(row.iter()).filter(|(_, cell)| !cell.is_empty());
        let cell = |name: &str| cells().find(|(column, _)| *column == name).map_or("", |(_, cell)| cell);
        let kind = circuit::kinds::KINDS.iter().map(|k| k.id).find(|id| id.name() == cell("kind"))?;
        let values = cells().filter(|(column, _)| !matches!(*column, "kind" | "title" | "note"));
        let mut entry = Entry {
            id: slug(cell("title")),
            title: cell("title").to_owned(),
            kind,
            note: cell("note").to_owned(),
            parameters: BTreeMap::new(),
            ratings: BTreeMap::new(),
        };
        for (column, text) in values {
            match column.strip_prefix("rated_").filter(|_| kind.kind().parameter(column).is_none()) {
                Some(rating) => entry.ratings.insert(rating.to_owned(), text.to_owned()),
                None => entry.parameters.insert(column.to_owned(), text.to_owned()),
            };
        }
        Some(entry)
    };
    reader.records().filter_map(Result::ok).filter_map(entry).collect()
}

/// An identifier made of a title.
pub fn slug(title: &str) -> String {
    let spelt = title.replace('Ω', "ohm").replace('µ', "u").replace('−', "minus ").replace('+', "plus ");
    let letters =
        spelt.chars().map(|c| if c.is_ascii_alphanumeric() || c == '.' { c.to_ascii_lowercase() } else { ' ' });
    letters.collect::<String>().split_whitespace().collect::<Vec<_>>().join("_")
}
