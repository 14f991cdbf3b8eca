//! What the parts of a supply bear in the newest runs of its studies, against what they are rated for.

use super::address::SupplyPath;
use super::app::App;
use super::errors::ApiError;
use super::look::Look;
use axum::Json;
use axum::extract::{Path, Query, State};
use circuit::{Circuit, Finding, Place, ResolvedPart, resolve};
use quantity::{Unit, show};
use schemars::JsonSchema;
use serde::{Deserialize, Serialize};
use studies::{Outcome, PartStress, RatingUsed};
use uuid::Uuid;

/// Which studies count.
#[derive(Deserialize, JsonSchema)]
pub(crate) struct Over {
    /// Their names with commas between; all if left out.
    #[serde(default)]
    studies: Option<String>,
}

/// What parts bear, at its worst over all studies that count.
#[derive(Serialize, JsonSchema)]
pub(crate) struct StressShown {
    revision: i32,
    /// The studies that count.
    studies: Vec<Counted>,
    /// The parts that can be rated, those that use most of a rating first.
    parts: Vec<PartShown>,
    /// What is borne beyond what may be used.
    findings: Vec<Finding>,
}

/// A study that counts, with the run it is judged by.
#[derive(Serialize, JsonSchema)]
struct Counted {
    study: String,
    /// None if it was not run to its end since what decides it changed.
    run: Option<Uuid>,
}

/// What a part bears.
#[derive(Serialize, JsonSchema)]
struct PartShown {
    part: String,
    /// V.
    voltage: Worst,
    /// A.
    current: Worst,
    /// A.
    rms_current: Worst,
    /// W.
    power: Worst,
    /// Against each rating it states, the most used first.
    ratings: Vec<Against>,
}

/// A value at its worst.
#[derive(Clone, Serialize, JsonSchema)]
struct Worst {
    value: f64,
    study: String,
    /// When it was first reached, s; none of what is meant over a period.
    at: Option<f64>,
}

/// What is held against a rating.
#[derive(Serialize, JsonSchema)]
struct Against {
    name: &'static str,
    unit: Unit,
    /// What shows it in a strip.
    signal: String,
    #[serde(flatten)]
    worst: Worst,
    /// What the part is rated for, in the unit.
    rated: f64,
    /// The share of that that may be used.
    allowed: f64,
    /// The share used of what may be used.
    share: f64,
}

/// What parts bear in the runs that are up to date.
pub(crate) async fn stress(
    State(app): State<App>,
    Path(SupplyPath { supply }): Path<SupplyPath>,
    Query(Over { studies }): Query<Over>,
) -> Result<Json<StressShown>, ApiError> {
    let row = app.store.supply(app.account(), supply).await?.ok_or_else(ApiError::no_supply)?;
    let look = app.look(&row).await?;
    let wanted: Option<Vec<&str>> = studies.as_deref().map(|list| list.split(',').collect());
    if let Some(unknown) = wanted.iter().flatten().find(|id| !look.essences.contains_key(**id)) {
        return Err(ApiError::unusable(format!("there is no study named {unknown} in this supply")));
    }
    let counts = |id: &str| wanted.as_ref().is_none_or(|wanted| wanted.contains(&id));
    let mut counted = Vec::new();
    let mut outcomes = Vec::new();
    for study in look.document.studies.iter().filter(|study| counts(&study.id)) {
        let newest = match look.essences.get(&study.id) {
            Some(essence) => app.store.newest_done(app.account(), supply, &study.id, *essence).await?,
            None => None,
        };
        counted.push(Counted { study: study.id.clone(), run: newest.as_ref().map(|run| run.id) });
        let outcome: Option<Outcome> = newest.and_then(|run| serde_json::from_value(run.outcome?).ok());
        outcomes.extend(outcome.map(|outcome| (study.id.clone(), outcome.stresses)));
    }
    let revision = row.revision;
    app.think(move || {
        let circuit = resolve(&look.document).map_err(ApiError::blocked)?;
        let parts = worst(&circuit, &outcomes);
        let over = |part: &PartShown| part.ratings.iter().filter(|of| of.share > 1.0).count();
        let all = parts.iter().flat_map(|part| part.ratings[..over(part)].iter().map(move |of| (part, of)));
        let findings = all.map(|(part, of)| beyond(&look, &part.part, of)).collect();
        Ok(Json(StressShown { revision, studies: counted, parts, findings }))
    })
    .await?
}

fn worst(circuit: &Circuit, outcomes: &[(String, Vec<PartStress>)]) -> Vec<PartShown> {
    let mut parts: Vec<PartShown> = Vec::new();
    for part in &circuit.parts {
        let own = |(study, stresses): &'_ (String, Vec<PartStress>)| {
            Some((study.clone(), stresses.iter().find(|stress| stress.part == part.id)?.clone()))
        };
        let own: Vec<(String, PartStress)> = outcomes.iter().filter_map(own).collect();
        let most = |of: &dyn Fn(&PartStress) -> (f64, Option<f64>)| {
            let all = own.iter().map(|(study, stress)| {
                let (value, at) = of(stress);
                Worst { value, study: study.clone(), at }
            });
            all.max_by(|a, b| a.value.total_cmp(&b.value))
        };
        let peaks = (
            most(&|s| (s.voltage.value, Some(s.voltage.at))),
            most(&|s| (s.current.value, Some(s.current.at))),
            most(&|s| (s.rms_current, None)),
            most(&|s| (s.power, None)),
        );
        let (Some(voltage), Some(current), Some(rms_current), Some(power)) = peaks else { continue };
        let mut ratings: Vec<Against> = Vec::new();
        for (study, stress) in &own {
            for used in stress.used(circuit, part) {
                let against = against(circuit, part, study, &used);
                match ratings.iter_mut().find(|known| known.name == against.name) {
                    Some(known) if known.share >= against.share => {}
                    Some(known) => *known = against,
                    None => ratings.push(against),
                }
            }
        }
        ratings.sort_by(|a, b| b.share.total_cmp(&a.share));
        parts.push(PartShown { part: part.id.clone(), voltage, current, rms_current, power, ratings });
    }
    // What states nothing stands behind.
    let most = |part: &PartShown| part.ratings.first().map_or(f64::NEG_INFINITY, |against| against.share);
    parts.sort_by(|a, b| most(b).total_cmp(&most(a)));
    parts
}

fn against(circuit: &Circuit, part: &ResolvedPart, study: &str, used: &RatingUsed) -> Against {
    Against {
        name: used.rating.name,
        unit: used.rating.unit,
        signal: studies::borne_by(circuit, part, used.rating).to_string(),
        worst: Worst { value: used.value, study: study.to_owned(), at: used.at },
        rated: used.rated,
        allowed: used.allowed,
        share: used.share(),
    }
}

/// A part that bears more of something than it may, in words.
fn beyond(look: &Look, part: &str, Against { name, unit, worst, rated, allowed, .. }: &Against) -> Finding {
    const DIGITS: usize = 3;
    let study = look.document.studies.iter().find(|study| study.id == worst.study);
    let study = study.map_or(worst.study.as_str(), |study| study.title.as_str());
    let when = worst.at.map_or_else(String::new, |at| format!(" at {}", show(at, Unit::Second, DIGITS)));
    let may = if *allowed < 1.0 {
        format!(", of which {} may be used", show(*allowed, Unit::Share, DIGITS))
    } else {
        String::new()
    };
    let message = format!(
        "{name} of {part} is {}{when} in “{study}”, rated {}{may}",
        show(worst.value, *unit, DIGITS),
        show(*rated, *unit, DIGITS),
    );
    let remedy = "Take a part of a higher rating from the catalogue, or let it bear less";
    Finding::warning("overstressed", Place::Part { part: part.to_owned() }, message, remedy)
}
