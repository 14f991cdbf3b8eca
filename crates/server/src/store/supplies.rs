use super::schema::{runs, supplies, supply_revisions};
use super::{Result, Store};
use chrono::{DateTime, Utc};
use circuit::Supply;
use diesel::prelude::*;
use diesel_async::{AsyncConnection, RunQueryDsl};
use serde_json::Value;
use uuid::Uuid;

/// A supply as stored.
#[derive(Clone, Debug, Queryable, Selectable)]
#[diesel(table_name = supplies)]
pub(crate) struct SupplyRow {
    pub(crate) id: Uuid,
    pub(crate) revision: i32,
    pub(crate) document: Value,
    pub(crate) changed_at: DateTime<Utc>,
}

/// A version of a supply.
#[derive(Clone, Debug, Queryable, Selectable)]
#[diesel(table_name = supply_revisions)]
pub(crate) struct RevisionRow {
    pub(crate) revision: i32,
    pub(crate) document: Value,
    pub(crate) saved_at: DateTime<Utc>,
}

/// A supply as the library lists it.
pub(crate) struct SupplySummary {
    pub(crate) supply: SupplyRow,
    pub(crate) run: Option<LatestRun>,
}

/// The latest finished run of a supply.
#[derive(Clone, Debug, Queryable, Selectable)]
#[diesel(table_name = runs)]
pub(crate) struct LatestRun {
    supply_id: Uuid,
    pub(crate) revision: i32,
    pub(crate) study: String,
    pub(crate) essence: Option<Uuid>,
    pub(crate) outcome: Option<Value>,
    pub(crate) document: Value,
}

/// What became of a write.
pub(crate) enum Saved {
    /// Stored under a new revision.
    Stored(SupplyRow),
    /// Someone else was faster; this is what is stored.
    Stale(SupplyRow),
    /// There is no such supply.
    Missing,
}

impl Store {
    pub(crate) async fn supplies(&self, account: Uuid) -> Result<Vec<SupplySummary>> {
        let mut connection = self.connection().await?;
        let rows: Vec<SupplyRow> = supplies::table
            .filter(supplies::account_id.eq(account).and(supplies::deleted_at.is_null()))
            .order(supplies::changed_at.desc())
            .select(SupplyRow::as_select())
            .load(&mut connection)
            .await?;
        let ids: Vec<Uuid> = rows.iter().map(|r| r.id).collect();
        let ended = runs::outcome.is_not_null().and(runs::deleted_at.is_null()).and(runs::measured.is_null());
        let latest: Vec<LatestRun> = runs::table
            .filter(runs::account_id.eq(account).and(runs::supply_id.eq_any(ids)).and(ended))
            .distinct_on(runs::supply_id)
            .order((runs::supply_id, runs::created_at.desc()))
            .select(LatestRun::as_select())
            .load(&mut connection)
            .await?;
        Ok(rows
            .into_iter()
            .map(|supply| {
                let run = latest.iter().find(|run| run.supply_id == supply.id).cloned();
                SupplySummary { supply, run }
            })
            .collect())
    }

    pub(crate) async fn supply(&self, account: Uuid, id: Uuid) -> Result<Option<SupplyRow>> {
        let mut connection = self.connection().await?;
        Ok(supplies::table
            .filter(supplies::account_id.eq(account).and(supplies::id.eq(id)).and(supplies::deleted_at.is_null()))
            .select(SupplyRow::as_select())
            .first(&mut connection)
            .await
            .optional()?)
    }

    /// The latest versions of a supply, newest first.
    pub(crate) async fn revisions(&self, account: Uuid, supply: Uuid, most: i64) -> Result<Vec<RevisionRow>> {
        let mut connection = self.connection().await?;
        Ok(supply_revisions::table
            .filter(supply_revisions::supply_id.eq_any(owned(account, supply)))
            .order(supply_revisions::revision.desc())
            .limit(most)
            .select(RevisionRow::as_select())
            .load(&mut connection)
            .await?)
    }

    /// One version of a supply.
    pub(crate) async fn revision(&self, account: Uuid, supply: Uuid, revision: i32) -> Result<Option<RevisionRow>> {
        let mut connection = self.connection().await?;
        Ok(supply_revisions::table
            .filter(supply_revisions::supply_id.eq_any(owned(account, supply)))
            .filter(supply_revisions::revision.eq(revision))
            .select(RevisionRow::as_select())
            .first(&mut connection)
            .await
            .optional()?)
    }

    pub(crate) async fn create_supply(&self, account: Uuid, document: &Supply) -> Result<SupplyRow> {
        let value = serde_json::to_value(document)?;
        let title = document.title.clone();
        let mut connection = self.connection().await?;
        let row = connection
            .transaction::<_, super::StoreError, _>(async |connection| {
                let row: SupplyRow = diesel::insert_into(supplies::table)
                    .values((
                        supplies::id.eq(Uuid::now_v7()),
                        supplies::account_id.eq(account),
                        supplies::title.eq(title),
                        supplies::revision.eq(1),
                        supplies::document.eq(value),
                        supplies::changed_at.eq(Utc::now()),
                    ))
                    .returning(SupplyRow::as_returning())
                    .get_result(connection)
                    .await?;
                keep_revision(connection, &row).await?;
                Ok(row)
            })
            .await?;
        Ok(row)
    }

    /// Stores a new version if `revision` is still the newest.
    pub(crate) async fn save_supply(&self, account: Uuid, id: Uuid, revision: i32, document: &Supply) -> Result<Saved> {
        let value = serde_json::to_value(document)?;
        let title = document.title.clone();
        let mut connection = self.connection().await?;
        connection
            .transaction::<_, super::StoreError, _>(async |connection| {
                let mine =
                    supplies::account_id.eq(account).and(supplies::id.eq(id)).and(supplies::deleted_at.is_null());
                let stored: Option<SupplyRow> = diesel::update(supplies::table)
                    .filter(mine.and(supplies::revision.eq(revision)))
                    .set((
                        supplies::title.eq(title),
                        supplies::revision.eq(revision.saturating_add(1)),
                        supplies::document.eq(value),
                        supplies::changed_at.eq(Utc::now()),
                    ))
                    .returning(SupplyRow::as_returning())
                    .get_result(connection)
                    .await
                    .optional()?;
                if let Some(row) = stored {
                    keep_revision(connection, &row).await?;
                    return Ok(Saved::Stored(row));
                }
                let current: Option<SupplyRow> =
                    supplies::table.filter(mine).select(SupplyRow::as_select()).first(connection).await.optional()?;
                Ok(current.map_or(Saved::Missing, Saved::Stale))
            })
            .await
    }
}

/// The identifier of a supply, if it is the account's.
#[diesel::dsl::auto_type(no_type_alias)]
fn owned(account: Uuid, supply: Uuid) -> _ {
    let mine = supplies::account_id.eq(account).and(supplies::id.eq(supply)).and(supplies::deleted_at.is_null());
    supplies::table.filter(mine).select(supplies::id)
}

async fn keep_revision(connection: &mut diesel_async::AsyncPgConnection, row: &SupplyRow) -> Result<()> {
    diesel::insert_into(supply_revisions::table)
        .values((
            supply_revisions::supply_id.eq(row.id),
            supply_revisions::revision.eq(row.revision),
            supply_revisions::document.eq(&row.document),
        ))
        .execute(connection)
        .await?;
    Ok(())
}
