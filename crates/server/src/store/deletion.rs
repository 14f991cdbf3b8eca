//! Deleting, having back, and giving room free.

use super::schema::{accounts, runs, supplies};
use super::state::RunState;
use super::{Result, Store};
use chrono::{DateTime, Utc};
use diesel::prelude::*;
use diesel::sql_types::{BigInt, Integer, Nullable, Text, Timestamptz};
use diesel_async::{AsyncConnection, AsyncPgConnection, RunQueryDsl};
use uuid::Uuid;

/// Room used by an account, in bytes.
#[derive(Debug, QueryableByName)]
pub(crate) struct Room {
    /// Finished runs with their traces, and all versions of supplies; without what is deleted.
    #[diesel(sql_type = BigInt)]
    pub(crate) used: i64,
    #[diesel(sql_type = BigInt)]
    pub(crate) runs: i64,
    /// What is deleted and can still be had back.
    #[diesel(sql_type = BigInt)]
    pub(crate) deleted: i64,
    #[diesel(sql_type = Integer)]
    pub(crate) keep_runs: i32,
}

/// A deleted supply that can still be had back.
#[derive(Debug, QueryableByName)]
pub(crate) struct DeletedSupply {
    #[diesel(sql_type = diesel::sql_types::Uuid)]
    pub(crate) id: Uuid,
    #[diesel(sql_type = Text)]
    pub(crate) title: String,
    #[diesel(sql_type = Timestamptz)]
    pub(crate) deleted_at: DateTime<Utc>,
    #[diesel(sql_type = BigInt)]
    pub(crate) runs: i64,
}

const ROOM: &str = "
    WITH kept AS (
        SELECT s.deleted_at, pg_column_size(v.document)::bigint AS bytes, 0 AS runs
        FROM supply_revisions v JOIN supplies s ON s.id = v.supply_id WHERE s.account_id = $1
        UNION ALL SELECT deleted_at, bytes, 1 FROM runs WHERE account_id = $1
    )
    SELECT coalesce(sum(bytes) FILTER (WHERE deleted_at IS NULL), 0)::bigint AS used,
        coalesce(sum(runs) FILTER (WHERE deleted_at IS NULL), 0)::bigint AS runs,
        coalesce(sum(bytes) FILTER (WHERE deleted_at IS NOT NULL), 0)::bigint AS deleted,
        (SELECT keep_runs FROM accounts WHERE id = $1) AS keep_runs
    FROM kept";

const DELETED: &str = "
    SELECT id, title, deleted_at,
        (SELECT count(*) FROM runs r WHERE r.supply_id = s.id AND r.deleted_at = s.deleted_at) AS runs
    FROM supplies s WHERE account_id = $1 AND deleted_at IS NOT NULL ORDER BY deleted_at DESC";

/// Ended runs beyond the newest of their study, of one supply or of all.
const RETIRE: &str = "
    UPDATE runs SET deleted_at = now() WHERE id IN (
        SELECT id FROM (
            SELECT r.id, r.marked, a.keep_runs, r.finished_at,
                row_number() OVER (PARTITION BY r.supply_id, r.study, r.second_opinion_on IS NULL ORDER BY r.created_at DESC) AS place
            FROM runs r JOIN accounts a ON a.id = r.account_id
            WHERE r.account_id = $1 AND r.deleted_at IS NULL AND ($2 IS NULL OR r.supply_id = $2)
        ) ranked
        WHERE place > keep_runs AND NOT marked AND finished_at IS NOT NULL)";

/// A run had back from beyond the newest of its study would be deleted again by the next.
const MARK_IF_OLD: &str = "
    UPDATE runs r SET marked = TRUE FROM accounts a
    WHERE r.id = $1 AND a.id = r.account_id AND a.keep_runs <= (
        SELECT count(*) FROM runs n WHERE n.supply_id = r.supply_id AND n.study = r.study
            AND (n.second_opinion_on IS NULL) = (r.second_opinion_on IS NULL)
            AND n.deleted_at IS NULL AND n.created_at > r.created_at)";

impl Store {
    /// Deletes a supply with its runs; false if there is none.
    pub(crate) async fn delete_supply(&self, account: Uuid, id: Uuid) -> Result<bool> {
        let now = Utc::now();
        let mut connection = self.connection().await?;
        connection
            .transaction::<_, super::StoreError, _>(async |connection| {
                let mine = supplies::account_id.eq(account).and(supplies::id.eq(id));
                let deleted = diesel::update(supplies::table.filter(mine.and(supplies::deleted_at.is_null())))
                    .set(supplies::deleted_at.eq(now))
                    .execute(connection)
                    .await?;
                let theirs = runs::supply_id.eq(id).and(runs::deleted_at.is_null());
                if deleted > 0 {
                    end(connection, diesel::update(runs::table.filter(theirs)).into_boxed(), now).await?;
                }
                Ok(deleted > 0)
            })
            .await
    }

    /// Has a deleted supply back, with the runs that went with it; false if there is none.
    pub(crate) async fn undelete_supply(&self, account: Uuid, id: Uuid) -> Result<bool> {
        let mut connection = self.connection().await?;
        connection
            .transaction::<_, super::StoreError, _>(async |connection| {
                let mine = supplies::account_id.eq(account).and(supplies::id.eq(id));
                let when: Option<Option<DateTime<Utc>>> = supplies::table
                    .filter(mine)
                    .select(supplies::deleted_at)
                    .for_update()
                    .first(connection)
                    .await
                    .optional()?;
                let Some(Some(when)) = when else { return Ok(false) };
                let none = None::<DateTime<Utc>>;
                diesel::update(supplies::table.filter(mine))
                    .set(supplies::deleted_at.eq(none))
                    .execute(connection)
                    .await?;
                let theirs = runs::supply_id.eq(id).and(runs::deleted_at.eq(when));
                diesel::update(runs::table.filter(theirs)).set(runs::deleted_at.eq(none)).execute(connection).await?;
                Ok(true)
            })
            .await
    }

    /// Deletes a run; one that goes on is stopped. False if there is none.
    pub(crate) async fn delete_run(&self, account: Uuid, id: Uuid) -> Result<bool> {
        let mut connection = self.connection().await?;
        let mine = runs::account_id.eq(account).and(runs::id.eq(id)).and(runs::deleted_at.is_null());
        Ok(end(&mut connection, diesel::update(runs::table.filter(mine)).into_boxed(), Utc::now()).await? > 0)
    }

    /// Has a deleted run back; false if there is none, or if its supply is deleted.
    pub(crate) async fn undelete_run(&self, account: Uuid, id: Uuid) -> Result<bool> {
        let mut connection = self.connection().await?;
        connection
            .transaction::<_, super::StoreError, _>(async |connection| {
                let alive = supplies::table.filter(supplies::deleted_at.is_null()).select(supplies::id);
                let mine = runs::account_id.eq(account).and(runs::id.eq(id)).and(runs::deleted_at.is_not_null());
                let back = diesel::update(runs::table.filter(mine.and(runs::supply_id.eq_any(alive))))
                    .set(runs::deleted_at.eq(None::<DateTime<Utc>>))
                    .execute(connection)
                    .await?;
                if back > 0 {
                    diesel::sql_query(MARK_IF_OLD).bind::<diesel::sql_types::Uuid, _>(id).execute(connection).await?;
                }
                Ok(back > 0)
            })
            .await
    }

    /// Marks a run to be kept, or no longer, and notes something beside it; false if there is none.
    pub(crate) async fn remark(
        &self,
        account: Uuid,
        id: Uuid,
        marked: Option<bool>,
        note: Option<&str>,
    ) -> Result<bool> {
        let mut connection = self.connection().await?;
        let mine = runs::account_id.eq(account).and(runs::id.eq(id)).and(runs::deleted_at.is_null());
        let said = (marked.map(|marked| runs::marked.eq(marked)), note.map(|note| runs::note.eq(note)));
        if marked.is_none() && note.is_none() {
            let found = runs::table.filter(mine).count().get_result::<i64>(&mut connection).await?;
            return Ok(found > 0);
        }
        Ok(diesel::update(runs::table.filter(mine)).set(said).execute(&mut connection).await? > 0)
    }

    pub(crate) async fn room(&self, account: Uuid) -> Result<Room> {
        let mut connection = self.connection().await?;
        Ok(diesel::sql_query(ROOM).bind::<diesel::sql_types::Uuid, _>(account).get_result(&mut connection).await?)
    }

    /// The deleted supplies of an account, latest first.
    pub(crate) async fn deleted_supplies(&self, account: Uuid) -> Result<Vec<DeletedSupply>> {
        let mut connection = self.connection().await?;
        Ok(diesel::sql_query(DELETED).bind::<diesel::sql_types::Uuid, _>(account).load(&mut connection).await?)
    }

    /// States how many runs of each study are kept, and holds to it at once.
    pub(crate) async fn keep_runs(&self, account: Uuid, keep: i32) -> Result<()> {
        let mut connection = self.connection().await?;
        let mine = accounts::table.filter(accounts::id.eq(account));
        diesel::update(mine).set(accounts::keep_runs.eq(keep)).execute(&mut connection).await?;
        retire(&mut connection, account, None).await
    }

    /// Deletes the runs of a run's supply beyond the newest of each study, but for those that are marked.
    pub(crate) async fn retire_beside(&self, run: Uuid) -> Result<()> {
        let mut connection = self.connection().await?;
        let of: Option<(Uuid, Uuid)> = runs::table
            .find(run)
            .select((runs::account_id, runs::supply_id))
            .first(&mut connection)
            .await
            .optional()?;
        match of {
            Some((account, supply)) => retire(&mut connection, account, Some(supply)).await,
            None => Ok(()),
        }
    }

    /// Gives the room of what was deleted before a time free, for one account or for all.
    pub(crate) async fn purge(&self, account: Option<Uuid>, before: DateTime<Utc>) -> Result<usize> {
        let mut connection = self.connection().await?;
        let mut purged = 0;
        for table in ["supplies", "runs"] {
            let text = format!("DELETE FROM {table} WHERE deleted_at < $1 AND ($2 IS NULL OR account_id = $2)");
            purged += diesel::sql_query(text)
                .bind::<Timestamptz, _>(before)
                .bind::<Nullable<diesel::sql_types::Uuid>, _>(account)
                .execute(&mut connection)
                .await?;
        }
        Ok(purged)
    }
}

/// Deletes runs; those that wait or go on are stopped.
async fn end(
    connection: &mut AsyncPgConnection,
    chosen: diesel::query_builder::BoxedUpdateStatement<'_, diesel::pg::Pg, runs::table>,
    now: DateTime<Utc>,
) -> Result<usize> {
    let waiting = runs::state.eq(RunState::Queued.name());
    let state = diesel::dsl::case_when(waiting, RunState::Stopped.name().into_sql::<Text>()).otherwise(runs::state);
    let ended =
        diesel::dsl::case_when(waiting, Some(now).into_sql::<Nullable<Timestamptz>>()).otherwise(runs::finished_at);
    Ok(chosen
        .set((
            runs::deleted_at.eq(now),
            runs::stop_requested.eq(true),
            runs::state.eq(state),
            runs::finished_at.eq(ended),
        ))
        .execute(connection)
        .await?)
}

/// Ends the passing runs of a study: those that are over are gone, one that goes on is stopped and goes with the rest of
/// what is deleted.
pub(super) async fn end_passing(connection: &mut AsyncPgConnection, supply: Uuid, study: &str) -> Result<()> {
    let passing = runs::supply_id.eq(supply).and(runs::study.eq(study)).and(runs::passing);
    diesel::delete(runs::table.filter(passing.and(runs::finished_at.is_not_null()))).execute(connection).await?;
    let alive = passing.and(runs::deleted_at.is_null());
    end(connection, diesel::update(runs::table.filter(alive)).into_boxed(), Utc::now()).await?;
    Ok(())
}

async fn retire(connection: &mut AsyncPgConnection, account: Uuid, supply: Option<Uuid>) -> Result<()> {
    diesel::sql_query(RETIRE)
        .bind::<diesel::sql_types::Uuid, _>(account)
        .bind::<Nullable<diesel::sql_types::Uuid>, _>(supply)
        .execute(connection)
        .await?;
    Ok(())
}
