use super::library::Summary;
use super::schema::{supplies, supply_revisions};
use super::{Result, Store};
use chrono::{DateTime, Utc};
use circuit::Supply;
use diesel::prelude::*;
use diesel_async::{AsyncConnection, RunQueryDsl};
use serde_json::Value;
use tokio::task::block_in_place;
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

/// A change on its way into the store.
#[derive(Clone, Copy, Debug)]
pub(crate) struct Change {
    /// The revision it was made to.
    pub(crate) revision: i32,
    /// What it is called: sent again, it is not made twice.
    pub(crate) id: Option<Uuid>,
}

/// What became of a write.
pub(crate) enum Saved {
    /// Stored under a new revision, now or when it was sent before; this is what is stored.
    Stored(SupplyRow),
    /// Someone else was faster; this is what is stored.
    Stale(SupplyRow),
    /// There is no such supply.
    Missing,
}

impl Store {
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
        let (value, summary) = block_in_place(|| {
            Ok::<_, super::StoreError>((serde_json::to_value(document)?, serde_json::to_value(Summary::of(document))?))
        })?;
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
                        supplies::summary.eq(summary),
                        supplies::changed_at.eq(Utc::now()),
                    ))
                    .returning(SupplyRow::as_returning())
                    .get_result(connection)
                    .await?;
                keep_revision(connection, &row, None).await?;
                Ok(row)
            })
            .await?;
        Ok(row)
    }

    /// Whether a change is stored.
    pub(crate) async fn knows_change(&self, account: Uuid, supply: Uuid, change: Uuid) -> Result<bool> {
        let mut connection = self.connection().await?;
        let known = supply_revisions::table
            .filter(supply_revisions::supply_id.eq_any(owned(account, supply)))
            .filter(supply_revisions::change.eq(change));
        Ok(diesel::select(diesel::dsl::exists(known)).get_result(&mut connection).await?)
    }

    /// Stores a new version if the revision it was made to is still the newest, and the change is not stored yet.
    pub(crate) async fn save_supply(
        &self,
        account: Uuid,
        id: Uuid,
        change: Change,
        document: &Supply,
    ) -> Result<Saved> {
        let (value, summary) = block_in_place(|| {
            Ok::<_, super::StoreError>((serde_json::to_value(document)?, serde_json::to_value(Summary::of(document))?))
        })?;
        let title = document.title.clone();
        let mut connection = self.connection().await?;
        connection
            .transaction::<_, super::StoreError, _>(async |connection| {
                let mine =
                    supplies::account_id.eq(account).and(supplies::id.eq(id)).and(supplies::deleted_at.is_null());
                let current: Option<SupplyRow> = supplies::table
                    .filter(mine)
                    .select(SupplyRow::as_select())
                    .for_no_key_update()
                    .first(connection)
                    .await
                    .optional()?;
                let Some(current) = current else { return Ok(Saved::Missing) };
                if let Some(change) = change.id {
                    let known = supply_revisions::table
                        .filter(supply_revisions::supply_id.eq(id).and(supply_revisions::change.eq(change)));
                    if diesel::select(diesel::dsl::exists(known)).get_result(connection).await? {
                        return Ok(Saved::Stored(current));
                    }
                }
                if current.revision != change.revision {
                    return Ok(Saved::Stale(current));
                }
                let row: SupplyRow = diesel::update(supplies::table)
                    .filter(mine)
                    .set((
                        supplies::title.eq(title),
                        supplies::revision.eq(current.revision.saturating_add(1)),
                        supplies::document.eq(value),
                        supplies::summary.eq(summary),
                        supplies::changed_at.eq(Utc::now()),
                    ))
                    .returning(SupplyRow::as_returning())
                    .get_result(connection)
                    .await?;
                keep_revision(connection, &row, change.id).await?;
                Ok(Saved::Stored(row))
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

async fn keep_revision(
    connection: &mut diesel_async::AsyncPgConnection,
    row: &SupplyRow,
    change: Option<Uuid>,
) -> Result<()> {
    diesel::insert_into(supply_revisions::table)
        .values((
            supply_revisions::supply_id.eq(row.id),
            supply_revisions::revision.eq(row.revision),
            supply_revisions::document.eq(&row.document),
            supply_revisions::change.eq(change),
        ))
        .execute(connection)
        .await?;
    Ok(())
}
