use super::schema::{runs, trace_chunks};
use super::{Result, Store};
use diesel::pg::Pg;
use diesel::prelude::*;
use diesel::query_builder::{QueryFragment, QueryId};
use diesel::sql_types::{self, Array, BigInt, Binary, Double, Integer, SmallInt, Text};
use diesel_async::{AsyncConnection, AsyncPgConnection, RunQueryDsl};
use std::collections::{BTreeMap, HashMap};
use traces::Packed;
use uuid::Uuid;

/// How much there is of a level within a window.
#[derive(Clone, Debug, Default)]
pub(crate) struct LevelSpan {
    pub(crate) level: i16,
    /// Nodes or buckets of what comes once.
    pub(crate) count: i64,
    pub(crate) to_time: f64,
    /// What comes again.
    pub(crate) comes: Vec<Comes>,
}

/// A stretch of what comes again: how long it lasts within the window, its period, s, and nodes or buckets of one.
#[derive(Clone, Copy, Debug)]
pub(crate) struct Comes {
    pub(crate) within: f64,
    pub(crate) period: f64,
    pub(crate) count: i64,
}

impl LevelSpan {
    /// Nodes or buckets within the window, about.
    pub(crate) fn within(&self) -> f64 {
        let again = self.comes.iter().map(|comes| comes.count as f64 * (comes.within / comes.period).max(1.0));
        self.count as f64 + again.sum::<f64>()
    }

    /// Whether there are buckets enough for pixels of such a width, s, in a window: of what comes once, and of what comes again
    /// unless all of it is in every pixel.
    pub(crate) fn has_one_per(&self, pixel: f64, window: f64) -> bool {
        let again: f64 = self.comes.iter().map(|comes| comes.within).sum();
        self.count as f64 * pixel >= window - again
            && self.comes.iter().all(|comes| comes.count as f64 * pixel >= comes.period)
    }
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
        "INSERT INTO trace_chunks (run_id, signal, level, seq, from_time, to_time, count, data, again) \
         SELECT $1, * FROM unnest($2, $3, $4, $5, $6, $7, $8, $9) ON CONFLICT DO NOTHING",
    )
    .bind::<sql_types::Uuid, _>(run)
    .bind::<Array<Text>, _>(column!(signal))
    .bind::<Array<SmallInt>, _>(column!(level))
    .bind::<Array<Integer>, _>(column!(seq))
    .bind::<Array<Double>, _>(column!(from))
    .bind::<Array<Double>, _>(column!(to))
    .bind::<Array<Integer>, _>(column!(count))
    .bind::<Array<Binary>, _>(column!(data))
    .bind::<Array<BigInt>, _>(column!(again))
}

/// Stores chunks; ignores what is there already.
pub(super) async fn insert_all(connection: &mut AsyncPgConnection, run: Uuid, chunks: &[Packed]) -> Result<()> {
    for batch in chunks.chunks(BATCH) {
        insert(run, batch).execute(connection).await?;
    }
    Ok(())
}

type Row = (String, i16, i32, f64, f64, i32, Vec<u8>, i64);

/// The columns of a chunk, in the order of [`Row`].
const ROW: (
    trace_chunks::signal,
    trace_chunks::level,
    trace_chunks::seq,
    trace_chunks::from_time,
    trace_chunks::to_time,
    trace_chunks::count,
    trace_chunks::data,
    trace_chunks::again,
) = (
    trace_chunks::signal,
    trace_chunks::level,
    trace_chunks::seq,
    trace_chunks::from_time,
    trace_chunks::to_time,
    trace_chunks::count,
    trace_chunks::data,
    trace_chunks::again,
);

fn packed((signal, level, seq, from, to, count, data, again): Row) -> Packed {
    Packed { signal, level, seq, from, to, again, count, data }
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
        let of_run = trace_chunks::run_id.eq(run).and(trace_chunks::signal.eq(""));
        let touching = trace_chunks::from_time.le(to).and(trace_chunks::to_time.ge(from));
        let once: Vec<(i16, Option<i64>, Option<f64>)> = trace_chunks::table
            .filter(of_run.and(touching).and(trace_chunks::again.eq(0)))
            .group_by(trace_chunks::level)
            .select((
                trace_chunks::level,
                diesel::dsl::sum(trace_chunks::count),
                diesel::dsl::max(trace_chunks::to_time),
            ))
            .load(&mut connection)
            .await?;
        let again: Vec<(i16, f64, f64, i32, i64)> = trace_chunks::table
            .filter(of_run.and(touching).and(trace_chunks::again.gt(0)))
            .select((
                trace_chunks::level,
                trace_chunks::from_time,
                trace_chunks::to_time,
                trace_chunks::count,
                trace_chunks::again,
            ))
            .load(&mut connection)
            .await?;
        let mut levels: BTreeMap<i16, LevelSpan> = BTreeMap::new();
        for (level, count, to_time) in once {
            let (count, to_time) = (count.unwrap_or(0), to_time.unwrap_or(0.0));
            levels.insert(level, LevelSpan { level, count, to_time, comes: Vec::new() });
        }
        for (level, begins, ends, count, again) in again {
            let span = levels.entry(level).or_insert_with(|| LevelSpan { level, ..LevelSpan::default() });
            span.to_time = span.to_time.max(ends);
            let period = (ends - begins) / (again + 1) as f64;
            span.comes.push(Comes { within: ends.min(to) - begins.max(from), period, count: count.into() });
        }
        Ok(levels.into_values().collect())
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
