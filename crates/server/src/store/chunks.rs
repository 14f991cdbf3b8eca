use super::schema::{runs, trace_chunks};
use super::{Result, Store};
use diesel::pg::Pg;
use diesel::prelude::*;
use diesel::query_builder::{QueryFragment, QueryId};
use diesel::sql_types::{self, Array, Binary, Double, Integer, SmallInt, Text};
use diesel_async::{AsyncConnection, AsyncPgConnection, RunQueryDsl};
use std::collections::HashMap;
use traces::Packed;
use uuid::Uuid;

/// How much there is of a level within a window.
#[derive(Clone, Copy, Debug)]
pub(crate) struct LevelSpan {
    pub(crate) level: i16,
    pub(crate) count: i64,
    pub(crate) to_time: f64,
}

/// Rows per statement.
const BATCH: usize = 4096;

/// One statement for any number of chunks: a wide circuit has tens of thousands a stretch.
fn insert(run: Uuid, chunks: &[Packed]) -> impl QueryFragment<Pg> + QueryId + RunQueryDsl<AsyncPgConnection> + '_ {
    macro_rules! column {
        ($field:ident) => {
            chunks.iter().map(|chunk| chunk.$field.clone()).collect::<Vec<_>>()
        };
    }
    diesel::sql_query(
        "INSERT INTO trace_chunks (run_id, signal, level, seq, from_time, to_time, count, data) \
         SELECT $1, * FROM unnest($2, $3, $4, $5, $6, $7, $8) ON CONFLICT DO NOTHING",
    )
    .bind::<sql_types::Uuid, _>(run)
    .bind::<Array<Text>, _>(column!(signal))
    .bind::<Array<SmallInt>, _>(column!(level))
    .bind::<Array<Integer>, _>(column!(seq))
    .bind::<Array<Double>, _>(column!(from))
    .bind::<Array<Double>, _>(column!(to))
    .bind::<Array<Integer>, _>(column!(count))
    .bind::<Array<Binary>, _>(column!(data))
}

/// Stores chunks; ignores what is there already.
pub(super) async fn insert_all(connection: &mut AsyncPgConnection, run: Uuid, chunks: &[Packed]) -> Result<()> {
    for batch in chunks.chunks(BATCH) {
        insert(run, batch).execute(connection).await?;
    }
    Ok(())
}

type Row = (String, i16, i32, f64, f64, i32, Vec<u8>);

/// The columns of a chunk, in the order of [`Row`].
const ROW: (
    trace_chunks::signal,
    trace_chunks::level,
    trace_chunks::seq,
    trace_chunks::from_time,
    trace_chunks::to_time,
    trace_chunks::count,
    trace_chunks::data,
) = (
    trace_chunks::signal,
    trace_chunks::level,
    trace_chunks::seq,
    trace_chunks::from_time,
    trace_chunks::to_time,
    trace_chunks::count,
    trace_chunks::data,
);

fn packed((signal, level, seq, from, to, count, data): Row) -> Packed {
    Packed { signal, level, seq, from, to, count, data }
}

impl Store {
    /// Stores chunks and counts their nodes, all or nothing; ignores what is there already.
    pub(crate) async fn add_chunks(&self, run: Uuid, attempt: i32, chunks: &[Packed], nodes: i64) -> Result<()> {
        let mut connection = self.connection().await?;
        connection
            .transaction::<_, super::StoreError, _>(async |connection| {
                // Should the machine fail, the run is computed again anyway; its end is waited for.
                diesel::sql_query("SET LOCAL synchronous_commit = off").execute(connection).await?;
                let counted = diesel::update(runs::table)
                    .filter(runs::id.eq(run).and(runs::attempt.eq(attempt)))
                    .set(runs::node_count.eq(nodes))
                    .execute(connection)
                    .await?;
                if counted == 0 {
                    // A newer attempt has taken over.
                    return Ok(());
                }
                insert_all(connection, run, chunks).await
            })
            .await
    }

    /// How many nodes or buckets each level has within a window, finest first.
    pub(crate) async fn levels(&self, run: Uuid, from: f64, to: f64) -> Result<Vec<LevelSpan>> {
        let mut connection = self.connection().await?;
        let rows: Vec<(i16, Option<i64>, Option<f64>)> = trace_chunks::table
            .filter(
                trace_chunks::run_id
                    .eq(run)
                    .and(trace_chunks::signal.eq(""))
                    .and(trace_chunks::from_time.le(to))
                    .and(trace_chunks::to_time.ge(from)),
            )
            .group_by(trace_chunks::level)
            .order(trace_chunks::level)
            .select((
                trace_chunks::level,
                diesel::dsl::sum(trace_chunks::count),
                diesel::dsl::max(trace_chunks::to_time),
            ))
            .load(&mut connection)
            .await?;
        Ok(rows
            .into_iter()
            .map(|(level, count, to_time)| LevelSpan {
                level,
                count: count.unwrap_or(0),
                to_time: to_time.unwrap_or(0.0),
            })
            .collect())
    }

    /// The chunks of some signals at a level that touch a window, by signal and time.
    pub(crate) async fn chunks(
        &self,
        run: Uuid,
        level: i16,
        signals: &[String],
        from: f64,
        to: f64,
    ) -> Result<Vec<Packed>> {
        let mut connection = self.connection().await?;
        let rows: Vec<Row> = trace_chunks::table
            .filter(
                trace_chunks::run_id
                    .eq(run)
                    .and(trace_chunks::level.eq(level))
                    .and(trace_chunks::signal.eq_any(signals))
                    .and(trace_chunks::from_time.le(to))
                    .and(trace_chunks::to_time.ge(from)),
            )
            .order((trace_chunks::signal, trace_chunks::seq))
            .select(ROW)
            .load(&mut connection)
            .await?;
        Ok(rows.into_iter().map(packed).collect())
    }

    /// The next chunks of level 0 behind one, of some signals, as far as they touch a span: by chunk, then signal.
    pub(crate) async fn chunks_after(
        &self,
        run: Uuid,
        signals: &[String],
        (from, to): (f64, f64),
        after: i32,
        count: i32,
    ) -> Result<Vec<Packed>> {
        let mut connection = self.connection().await?;
        let of_run = trace_chunks::run_id.eq(run).and(trace_chunks::level.eq(0i16));
        let touching = trace_chunks::from_time.le(to).and(trace_chunks::to_time.ge(from));
        let first: Option<i32> = trace_chunks::table
            .filter(of_run.and(touching).and(trace_chunks::seq.gt(after)))
            .select(diesel::dsl::min(trace_chunks::seq))
            .first(&mut connection)
            .await?;
        let Some(first) = first else { return Ok(Vec::new()) };
        let next = trace_chunks::seq.ge(first).and(trace_chunks::seq.lt(first + count));
        let rows: Vec<Row> = trace_chunks::table
            .filter(of_run.and(touching).and(next).and(trace_chunks::signal.eq_any(signals)))
            .order((trace_chunks::seq, trace_chunks::signal))
            .select(ROW)
            .load(&mut connection)
            .await?;
        Ok(rows.into_iter().map(packed).collect())
    }

    /// First and last time recorded, of each of these runs that has recorded any.
    pub(crate) async fn recorded_spans(&self, of: &[Uuid]) -> Result<HashMap<Uuid, (f64, f64)>> {
        let mut connection = self.connection().await?;
        let rows: Vec<(Uuid, Option<f64>, Option<f64>)> = trace_chunks::table
            .filter(trace_chunks::run_id.eq_any(of).and(trace_chunks::level.eq(0)).and(trace_chunks::signal.eq("")))
            .group_by(trace_chunks::run_id)
            .select((
                trace_chunks::run_id,
                diesel::dsl::min(trace_chunks::from_time),
                diesel::dsl::max(trace_chunks::to_time),
            ))
            .load(&mut connection)
            .await?;
        Ok(rows.into_iter().filter_map(|(run, from, to)| Some((run, from.zip(to)?))).collect())
    }
}
