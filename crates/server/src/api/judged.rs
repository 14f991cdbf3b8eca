//! Stored runs judged by what their supply reads and requires now.

use super::address::RunPath;
use super::app::App;
use super::errors::ApiError;
use super::look::{Look, read};
use crate::recorded::{Measured, Traces};
use crate::store::{RunRow, essence};
use axum::Json;
use axum::extract::{Path, Query, State};
use circuit::expression::names_in;
use circuit::{Circuit, MEASURES, Reading, ReadingMeasure, Subject, Supply, changes, resolve};
use quantity::Unit;
use readings::{Span, Survey};
use schemars::JsonSchema;
use serde::{Deserialize, Serialize};
use std::sync::Arc;
use studies::{End, Judging, ReadingResult, Recorded, Verdict, Windows};
use uuid::Uuid;

/// What a run gives by the readings and requirements of its supply as it is now.
#[derive(Serialize, JsonSchema)]
pub(crate) struct Judged {
    readings: Vec<ReadingResult>,
    verdicts: Vec<Verdict>,
}

/// Judges a run by what its supply reads and requires now, from its recording.
pub(crate) async fn judge(
    State(app): State<App>,
    Path(RunPath { run }): Path<RunPath>,
) -> Result<Json<Judged>, ApiError> {
    let row = app.store.run(app.account(), run).await?.ok_or_else(ApiError::no_run)?;
    let supply = app.store.supply(app.account(), row.supply_id).await?;
    let supply = supply.ok_or_else(|| ApiError::not_found("there is no such supply in the library"))?;
    let look = app.look(&supply).await?;
    let elsewhere = elsewhere(&app, &row, &look).await?;
    judged(&app, &row, &look, &elsewhere).await.map(Json)
}

async fn judged(app: &App, row: &RunRow, now: &Arc<Look>, elsewhere: &[ReadingResult]) -> Result<Judged, ApiError> {
    let document = app.store.run_document(app.account(), row.id).await?.ok_or_else(ApiError::no_run)?;
    let look = Arc::clone(now);
    let circuit = app.think(move || regarded(&read(&document)?, &look.document)).await??;
    let outcome = row.outcome.clone().and_then(|value| serde_json::from_value::<studies::Outcome>(value).ok());
    let complete = outcome.as_ref().is_some_and(|outcome| outcome.end == End::Done);
    let curves = outcome.and_then(|outcome| outcome.curves);
    let traces = Traces { store: &app.store, run: row.id, circuit: &circuit };
    let whole = if curves.is_some() { Span { from: 0.0, to: 0.0 } } else { traces.whole().await? };
    let study = circuit.studies.iter().position(|s| s.id == row.study).unwrap_or(usize::MAX);
    let columns = match Measured::of(row) {
        Some(measured) => measured.columns(&circuit),
        None => recording::columns(&circuit),
    };
    let recorded = Recorded { circuit: &circuit, columns: &columns, study, complete, whole, curves: curves.as_ref() };
    let mut survey = Survey::default();
    let windows = Windows::new(recorded, &mut survey);
    // Over frequency there is no recording to pass over.
    if curves.is_none() {
        traces.survey(&mut survey).await?;
    }
    let windows = windows.found(&survey);
    let mut survey = Survey::default();
    let judging = Judging::new(recorded, windows, &mut survey);
    if curves.is_none() {
        traces.survey(&mut survey).await?;
    }
    let (readings, verdicts) = judging.found(&survey, elsewhere);
    Ok(Judged { readings, verdicts })
}

/// What the newest runs of the other studies read, as long as what decides their numbers is as it was; nothing if no
/// formula uses it.
async fn elsewhere(app: &App, row: &RunRow, now: &Arc<Look>) -> Result<Vec<ReadingResult>, ApiError> {
    let supply = &now.document;
    let crosses = |reading: &Reading| {
        let names = reading.formula.as_deref().into_iter().flat_map(names_in);
        let of = |name: &str| supply.readings.iter().find(|r| r.id == name);
        names.filter_map(of).any(|other| other.study != reading.study)
    };
    if !supply.readings.iter().any(crosses) {
        return Ok(Vec::new());
    }
    let mut found = Vec::new();
    let runs = app.store.runs_of(app.account(), row.supply_id, false).await?;
    for study in supply.studies.iter().filter(|s| s.id != row.study) {
        let of_study = |r: &&RunRow| {
            r.study == study.id && r.measured.is_none() && r.second_opinion_on.is_none() && r.state().is_final()
        };
        let fresh = |r: &&RunRow| r.essence == Some(essence(supply, &study.id));
        if let Some(run) = runs.iter().find(of_study).filter(fresh) {
            found.extend(judged(app, run, now, &[]).await?.readings.into_iter().filter(|r| r.value.is_some()));
        }
    }
    Ok(found)
}

/// The circuit that ran, with the readings and requirements of another version of its supply, as far as they are of
/// what it had; the others are left out by name of what is gone.
fn regarded(ran: &Supply, now: &Supply) -> Result<Circuit, ApiError> {
    let mut supply = ran.clone();
    supply.readings.clone_from(&now.readings);
    supply.requirements.clone_from(&now.requirements);
    supply.derating.clone_from(&now.derating);
    for part in &mut supply.parts {
        let same = now.part(&part.id).filter(|same| same.kind == part.kind);
        part.ratings = same.map_or_else(Default::default, |same| same.ratings.clone());
    }
    supply.forget_gone(now);
    resolve(&supply).map_err(ApiError::blocked)
}

/// Another run.
#[derive(Deserialize, JsonSchema)]
pub(crate) struct Since {
    /// The run compared with.
    since: Uuid,
}

/// What is different in a run's circuit from that of another, a phrase each.
pub(crate) async fn changed_since(
    State(app): State<App>,
    Path(RunPath { run }): Path<RunPath>,
    Query(Since { since }): Query<Since>,
) -> Result<Json<Vec<String>>, ApiError> {
    let [after, before] = [
        app.store.run_document(app.account(), run).await?.ok_or_else(ApiError::no_run)?,
        app.store.run_document(app.account(), since).await?.ok_or_else(ApiError::no_run)?,
    ];
    app.think(move || Ok(Json(changes(&read(&before)?, &read(&after)?)))).await?
}

/// A measure a reading can take.
#[derive(Serialize, JsonSchema)]
pub(crate) struct MeasureShown {
    /// Identifier in documents.
    id: ReadingMeasure,
    /// Name shown.
    name: &'static str,
    /// How it is defined.
    help: &'static str,
    /// What it is taken of.
    of: Subject,
    /// Its unit for a voltage, a current and a power.
    units: [Unit; 3],
    /// Its numbers.
    numbers: Vec<NumberShown>,
}

/// A number a measure takes.
#[derive(Serialize, JsonSchema)]
pub(crate) struct NumberShown {
    id: &'static str,
    name: &'static str,
    help: &'static str,
    units: [Unit; 3],
    /// What is taken if it is left out; none if the measure finds one itself.
    default: Option<&'static str>,
    /// The words it is chosen from, if it is a choice.
    options: &'static [&'static str],
}

/// Every measure a reading can take, with its numbers and help.
pub(crate) async fn measures() -> Json<Vec<MeasureShown>> {
    let number = |n: &circuit::MeasureNumber| NumberShown {
        id: n.id,
        name: n.name,
        help: n.help,
        units: n.unit.units(),
        default: n.default,
        options: n.options,
    };
    let shown = MEASURES.iter().map(|m| MeasureShown {
        id: m.id,
        name: m.name,
        help: m.help,
        of: m.of,
        units: m.unit.units(),
        numbers: m.numbers.iter().map(number).collect(),
    });
    Json(shown.collect())
}
