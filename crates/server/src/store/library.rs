//! The library: what is listed of supplies and of their latest runs stands ready, so that no document and no outcome is read
//! for it.

use super::essence::{essence, judged_by, verdicts};
use super::schema::{runs, supplies};
use super::{Result, Store};
use chrono::{DateTime, Utc};
use circuit::{Supply, as_run};
use diesel::prelude::*;
use diesel_async::{AsyncPgConnection, RunQueryDsl};
use schemars::JsonSchema;
use serde::{Deserialize, Serialize};
use serde_json::{Map, Value};
use std::collections::{BTreeMap, HashMap};
use uuid::Uuid;

/// Characters of the notes that the library lists.
const LISTED_NOTES: usize = 400;

/// What the library lists of a document.
#[derive(Clone, Debug, Default, Serialize, Deserialize)]
pub(crate) struct Summary {
    /// The beginning of its notes.
    pub(crate) notes: String,
    /// Titles of the stages in order.
    pub(crate) stages: Vec<String>,
    /// Its requirements.
    pub(crate) requirements: Vec<String>,
    /// Of each study, what decides its numbers and what it is judged by, in short.
    pub(crate) studies: BTreeMap<String, (Uuid, Uuid)>,
}

impl Summary {
    pub(crate) fn of(document: &Supply) -> Self {
        let short = |study: &str| (essence(document, study), judged_by(&as_run(document, Some(study))));
        Summary {
            notes: document.notes.chars().take(LISTED_NOTES).collect(),
            stages: document.stages.iter().map(|s| s.title.clone()).collect(),
            requirements: document.requirements.iter().map(|r| r.id.clone()).collect(),
            studies: document.studies.iter().map(|s| (s.id.clone(), short(&s.id))).collect(),
        }
    }
}

/// A supply as the library lists it.
#[derive(Clone, Debug, Queryable, Selectable)]
#[diesel(table_name = supplies)]
pub(crate) struct SupplySummary {
    pub(crate) id: Uuid,
    pub(crate) title: String,
    pub(crate) revision: i32,
    pub(crate) changed_at: DateTime<Utc>,
    pub(crate) tags: Vec<String>,
    pub(crate) summary: Option<Value>,
}

/// The latest ended run of a supply.
#[derive(Clone, Debug, Queryable, Selectable)]
#[diesel(table_name = runs)]
pub(crate) struct LatestRun {
    id: Uuid,
    supply_id: Uuid,
    pub(crate) revision: i32,
    pub(crate) study: String,
    pub(crate) essence: Option<Uuid>,
    pub(crate) verdicts: Option<Value>,
    pub(crate) judged_by: Option<Uuid>,
}

/// In which order supplies are listed.
#[derive(Clone, Copy, Debug, Default, Deserialize, JsonSchema)]
#[serde(rename_all = "snake_case")]
pub(crate) enum Order {
    /// Latest change first.
    #[default]
    Changed,
    /// By title.
    Title,
    /// Latest begun first.
    Begun,
}

impl Store {
    /// A page of the supplies of an account in which a text is found: in titles, notes, stages or tags.
    pub(crate) async fn library(
        &self,
        account: Uuid,
        search: &str,
        order: Order,
        (skip, most): (i64, i64),
    ) -> Result<Vec<(SupplySummary, Option<LatestRun>)>> {
        let mut connection = self.connection().await?;
        let mine = supplies::account_id.eq(account).and(supplies::deleted_at.is_null());
        let mut query = supplies::table.filter(mine).select(SupplySummary::as_select()).into_boxed();
        for word in search.split_whitespace() {
            let like = format!("%{}%", word.replace('\\', "\\\\").replace('%', "\\%").replace('_', "\\_"));
            let told = "coalesce(summary ->> 'notes', '') || ' ' || coalesce(summary ->> 'stages', '') || ' ' || \
                        array_to_string(tags, ' ')";
            let told = diesel::dsl::sql::<diesel::sql_types::Text>(told);
            query = query.filter(supplies::title.ilike(like.clone()).or(told.ilike(like)));
        }
        query = match order {
            Order::Changed => query.order((supplies::changed_at.desc(), supplies::id.desc())),
            Order::Title => query.order((supplies::title.asc(), supplies::id.desc())),
            Order::Begun => query.order(supplies::id.desc()),
        };
        let mut rows: Vec<SupplySummary> = query.offset(skip).limit(most).load(&mut connection).await?;
        sum_up(&mut connection, &mut rows).await?;
        let ids: Vec<Uuid> = rows.iter().map(|row| row.id).collect();
        let ended = runs::outcome.is_not_null().and(runs::deleted_at.is_null());
        let ended =
            ended.and(runs::measured.is_null()).and(runs::second_opinion_on.is_null()).and(runs::passing.eq(false));
        let mut latest: Vec<LatestRun> = runs::table
            .filter(runs::supply_id.eq_any(ids).and(ended))
            .distinct_on(runs::supply_id)
            .order((runs::supply_id, runs::created_at.desc()))
            .select(LatestRun::as_select())
            .load(&mut connection)
            .await?;
        sum_up_runs(&mut connection, &mut latest).await?;
        let mut latest: HashMap<Uuid, LatestRun> = latest.into_iter().map(|run| (run.supply_id, run)).collect();
        Ok(rows.into_iter().map(|row| (latest.remove(&row.id), row)).map(|(run, row)| (row, run)).collect())
    }

    /// Says what a supply is sorted under; false if there is none.
    pub(crate) async fn tag(&self, account: Uuid, id: Uuid, tags: &[String]) -> Result<bool> {
        let mut connection = self.connection().await?;
        let mine = supplies::account_id.eq(account).and(supplies::id.eq(id)).and(supplies::deleted_at.is_null());
        let told = diesel::update(supplies::table.filter(mine)).set(supplies::tags.eq(tags));
        Ok(told.execute(&mut connection).await? > 0)
    }

    /// Every title there is.
    pub(crate) async fn titles(&self, account: Uuid) -> Result<Vec<String>> {
        let mut connection = self.connection().await?;
        let mine = supplies::account_id.eq(account).and(supplies::deleted_at.is_null());
        Ok(supplies::table.filter(mine).select(supplies::title).load(&mut connection).await?)
    }
}

/// Sums up what was stored by a program that did not; what cannot be read stays without.
async fn sum_up(connection: &mut AsyncPgConnection, rows: &mut [SupplySummary]) -> Result<()> {
    for row in rows.iter_mut().filter(|row| row.summary.is_none()) {
        let document: Value = supplies::table.find(row.id).select(supplies::document).first(connection).await?;
        let Ok(document) = Supply::from_json(&document.to_string()) else { continue };
        let summary = serde_json::to_value(Summary::of(&document))?;
        let same = supplies::id.eq(row.id).and(supplies::revision.eq(row.revision));
        diesel::update(supplies::table.filter(same)).set(supplies::summary.eq(&summary)).execute(connection).await?;
        row.summary = Some(summary);
    }
    Ok(())
}

/// The same for runs; what cannot be read has no verdicts.
async fn sum_up_runs(connection: &mut AsyncPgConnection, latest: &mut [LatestRun]) -> Result<()> {
    for run in latest.iter_mut().filter(|run| run.verdicts.is_none()) {
        let (document, outcome): (Value, Option<Value>) =
            runs::table.find(run.id).select((runs::document, runs::outcome)).first(connection).await?;
        run.verdicts = Some(outcome.as_ref().and_then(verdicts).unwrap_or_else(|| Value::Object(Map::new())));
        run.judged_by = Supply::from_json(&document.to_string()).ok().map(|document| judged_by(&document));
        diesel::update(runs::table.find(run.id))
            .set((runs::verdicts.eq(&run.verdicts), runs::judged_by.eq(run.judged_by)))
            .execute(connection)
            .await?;
    }
    Ok(())
}
