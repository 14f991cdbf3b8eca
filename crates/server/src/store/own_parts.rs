use super::schema::own_parts;
use super::{Result, Store};
use chrono::Utc;
use design::Entry;
use diesel::prelude::*;
use diesel_async::RunQueryDsl;
use serde_json::Value;
use uuid::Uuid;

impl Store {
    /// The parts an account keeps, latest first.
    pub(crate) async fn own_parts(&self, account: Uuid) -> Result<Vec<(Uuid, Entry)>> {
        let mut connection = self.connection().await?;
        let rows: Vec<(Uuid, Value)> = own_parts::table
            .filter(own_parts::account_id.eq(account))
            .order(own_parts::changed_at.desc())
            .select((own_parts::id, own_parts::entry))
            .load(&mut connection)
            .await?;
        rows.into_iter().map(|(id, entry)| Ok((id, serde_json::from_value(entry)?))).collect()
    }

    /// Keeps a part beside the built-in ones.
    pub(crate) async fn keep_part(&self, account: Uuid, entry: &Entry) -> Result<Uuid> {
        let value = serde_json::to_value(entry)?;
        let id = Uuid::now_v7();
        let mut connection = self.connection().await?;
        diesel::insert_into(own_parts::table)
            .values((
                own_parts::id.eq(id),
                own_parts::account_id.eq(account),
                own_parts::entry.eq(value),
                own_parts::changed_at.eq(Utc::now()),
            ))
            .execute(&mut connection)
            .await?;
        Ok(id)
    }

    /// Drops an own part; false if there is none.
    pub(crate) async fn drop_part(&self, account: Uuid, id: Uuid) -> Result<bool> {
        let mut connection = self.connection().await?;
        let mine = own_parts::account_id.eq(account).and(own_parts::id.eq(id));
        Ok(diesel::delete(own_parts::table.filter(mine)).execute(&mut connection).await? > 0)
    }
}
