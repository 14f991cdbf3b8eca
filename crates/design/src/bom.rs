//! The bill of materials: what has to be bought to build a supply.

use circuit::kinds::Form;
use circuit::{KindId, Part, StageKind, Supply, number_in};
use quantity::{Unit, show};
use schemars::JsonSchema;
use serde::Serialize;

/// Parts that are alike.
#[derive(Clone, Debug, PartialEq, Eq, Serialize, JsonSchema)]
pub struct BomRow {
    /// Their designators.
    pub parts: Vec<String>,
    /// What they are.
    pub kind: &'static str,
    /// Their main values.
    pub value: String,
    /// What they are rated for.
    pub ratings: String,
    /// The catalogue entry they were taken from.
    pub entry: String,
}

/// What a supply is made of, alike parts in one row, in the order of the document. Sources and loads stand
/// for what is outside and are left out, and so are bypassed stages.
pub fn bom(supply: &Supply) -> Vec<BomRow> {
    let outside = |part: &&Part| {
        let stage = part.stage.as_deref().and_then(|id| supply.stage(id));
        stage.is_some_and(|s| s.bypassed || matches!(s.kind, StageKind::Source | StageKind::Load))
            || stands_in(part.kind)
            || part.role.as_deref().is_some_and(|role| BEHAVIOUR.contains(&role))
    };
    let mut rows: Vec<BomRow> = Vec::new();
    for part in supply.parts.iter().filter(|p| !outside(p)) {
        let row = BomRow {
            parts: Vec::new(),
            kind: part.kind.kind().name,
            value: value(supply, part),
            ratings: ratings(supply, part),
            entry: part.generic.as_deref().map_or_else(String::new, |id| {
                crate::catalogue().iter().find(|e| e.id == id).map_or_else(|| id.to_owned(), |e| e.title.clone())
            }),
        };
        let same = |r: &&mut BomRow| {
            (r.kind, &r.value, &r.ratings, &r.entry) == (row.kind, &row.value, &row.ratings, &row.entry)
        };
        match rows.iter_mut().find(same) {
            Some(found) => found.parts.push(part.id.clone()),
            None => rows.push(BomRow { parts: vec![part.id.clone()], ..row }),
        }
    }
    rows
}

/// Roles of parts that stand for what another part does beside its work.
const BEHAVIOUR: [&str; 2] = ["insulation", "core_loss"];

/// Whether a kind stands for something outside the supply, or for behaviour rather than a part.
fn stands_in(kind: KindId) -> bool {
    use KindId::*;
    matches!(
        kind,
        SineSource
            | DcSource
            | PulseSource
            | CurrentSource
            | PiecewiseSource
            | ExponentialSource
            | ThreePhaseSource
            | VoltageControlledVoltage
            | VoltageControlledCurrent
            | CurrentControlledVoltage
            | CurrentControlledCurrent
            | CurrentLoad
            | PowerLoad
            | SteppedLoad
    )
}

fn value(supply: &Supply, part: &Part) -> String {
    let shown = part.kind.kind().parameters.iter().filter(|p| p.headline).filter_map(|p| match &p.form {
        Form::Quantity { unit, default, .. } => {
            let text = part.parameters.get(p.id).map_or(*default, String::as_str);
            let value = number_in(supply, text, *unit).map_or_else(|| text.to_owned(), |v| show(v, *unit, 4));
            // A pure number says nothing without its name.
            Some(if *unit == Unit::One { format!("{} {value}", uncapitalised(p.name)) } else { value })
        }
        _ => None,
    });
    shown.collect::<Vec<_>>().join(", ")
}

fn ratings(supply: &Supply, part: &Part) -> String {
    let shown = part.kind.kind().ratings.iter().filter_map(|rating| {
        let text = part.ratings.get(rating.id)?;
        let value = number_in(supply, text, rating.unit).map_or_else(|| text.clone(), |v| show(v, rating.unit, 3));
        Some(format!("{} {value}", uncapitalised(rating.name)))
    });
    shown.collect::<Vec<_>>().join(", ")
}

/// A name within a line; one that begins with an abbreviation keeps its capitals.
fn uncapitalised(name: &str) -> String {
    if name.chars().nth(1).is_some_and(char::is_uppercase) { name.to_owned() } else { name.to_lowercase() }
}

/// The bill of materials as comma-separated values (RFC 4180), with a line of headings.
pub fn bom_csv(supply: &Supply) -> String {
    let mut table = csv::WriterBuilder::new().terminator(csv::Terminator::CRLF).from_writer(Vec::new());
    // Writing into memory cannot fail, so what it returns says nothing.
    let _ = table.write_record(["Count", "Designators", "Part", "Value", "Rated for", "Catalogue entry"]);
    for row in bom(supply) {
        let (count, parts) = (row.parts.len().to_string(), row.parts.join(" "));
        let cells: [&str; 6] = [&count, &parts, row.kind, &row.value, &row.ratings, &row.entry];
        let _ = table.write_record(cells.map(inert));
    }
    table.into_inner().ok().and_then(|bytes| String::from_utf8(bytes).ok()).unwrap_or_default()
}

/// A cell that no table program takes for a formula (common practice: an apostrophe before it).
fn inert(cell: &str) -> String {
    let live = cell.starts_with(['=', '+', '-', '@', '\t', '\r']);
    if live { format!("'{cell}") } else { cell.to_owned() }
}
