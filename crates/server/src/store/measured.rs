use super::runs::{COUNT_BYTES, RunRow};
use super::schema::runs;
use super::{Result, RunState, Store};
use chrono::Utc;
use diesel::prelude::*;
use diesel::sql_types;
use diesel_async::{AsyncConnection, RunQueryDsl};
use serde_json::Value;
use traces::Packed;
use uuid::Uuid;

/// A measured recording to be stored.
pub(crate) struct NewMeasured<'a> {
    /// The supply and its revision.
    pub(crate) supply: (Uuid, i32),
    /// The supply as it stands when the recording comes.
    pub(crate) document: &'a Value,
    pub(crate) study: &'a str,
    /// Last time of it, s.
    pub(crate) end: f64,
    /// What it is called and where its traces come from.
    pub(crate) measured: &'a Value,
    pub(crate) outcome: &'a Value,
    pub(crate) chunks: &'a [Packed],
    pub(crate) nodes: i64,
}

impl Store {
    /// Stores a measured recording beside the runs of its study, kept however many follow.
    pub(crate) async fn add_measured(&self, account: Uuid, new: NewMeasured<'_>) -> Result<RunRow> {
        let mut connection = self.connection().await?;
        let id = Uuid::now_v7();
        connection
            .transaction::<_, super::StoreError, _>(async |connection| {
                let (supply, revision) = new.supply;
                let row = (
                    runs::id.eq(id),
                    runs::account_id.eq(account),
                    runs::supply_id.eq(supply),
                    runs::revision.eq(revision),
                    runs::study.eq(new.study),
                    runs::duration.eq(new.end),
                    runs::simulated_time.eq(new.end),
                    runs::document.eq(new.document),
                    runs::engine_version.eq(studies::MEASURED),
                    runs::state.eq(RunState::Done.name()),
                    runs::measured.eq(new.measured),
                    runs::outcome.eq(new.outcome),
                    runs::node_count.eq(new.nodes),
                    runs::marked.eq(true),
                    runs::finished_at.eq(Utc::now()),
                );
                diesel::insert_into(runs::table).values(row).execute(connection).await?;
                super::chunks::insert_all(connection, id, new.chunks).await?;
                diesel::sql_query(COUNT_BYTES).bind::<sql_types::Uuid, _>(id).execute(connection).await?;
                Ok(runs::table.find(id).select(RunRow::as_select()).first(connection).await?)
            })
            .await
    }
}
