use super::essence::{essence, judged_by, verdicts};
use super::schema::{runs, supplies, trace_chunks};
use super::state::RunState;
use super::{Result, Store};
use chrono::{DateTime, Utc};
use circuit::Supply;
use diesel::prelude::*;
use diesel::sql_types;
use diesel_async::{AsyncConnection, RunQueryDsl};
use serde_json::Value;
use traces::Packed;
use uuid::Uuid;

/// A run as stored, without the document it is of.
#[derive(Clone, Debug, Queryable, Selectable)]
#[diesel(table_name = runs)]
pub(crate) struct RunRow {
    pub(crate) id: Uuid,
    pub(crate) supply_id: Uuid,
    pub(crate) revision: i32,
    pub(crate) study: String,
    pub(crate) engine_version: String,
    pub(crate) state: String,
    pub(crate) attempt: i32,
    pub(crate) stop_requested: bool,
    pub(crate) duration: f64,
    pub(crate) simulated_time: f64,
    pub(crate) node_count: i64,
    pub(crate) outcome: Option<Value>,
    pub(crate) message: Option<String>,
    pub(crate) created_at: DateTime<Utc>,
    pub(crate) started_at: Option<DateTime<Utc>>,
    pub(crate) finished_at: Option<DateTime<Utc>>,
    pub(crate) deleted_at: Option<DateTime<Utc>>,
    pub(crate) marked: bool,
    pub(crate) bytes: i64,
    pub(crate) essence: Option<Uuid>,
    /// Whether it can be gone on with.
    #[diesel(select_expression = runs::kept.is_not_null())]
    pub(crate) has_kept: bool,
    pub(crate) goes_on_from: Option<Uuid>,
    pub(crate) measured: Option<Value>,
    pub(crate) note: String,
    /// Whether it is gone with the next of its study.
    pub(crate) passing: bool,
    /// The run it is a second opinion on.
    pub(crate) second_opinion_on: Option<Uuid>,
}

impl RunRow {
    pub(crate) fn state(&self) -> RunState {
        let all = [RunState::Queued, RunState::Running, RunState::Done, RunState::Stopped];
        all.into_iter().find(|s| s.name() == self.state).unwrap_or(RunState::Failed)
    }
}

/// How a run ended.
pub(crate) struct Finish {
    pub(crate) state: RunState,
    pub(crate) outcome: Option<Value>,
    pub(crate) message: Option<String>,
    /// The engine that ran it, by its version.
    pub(crate) engine_version: Option<String>,
    /// Simulated time reached, s, and what it takes to go on from there, as bytes.
    pub(crate) kept: Option<(f64, Vec<u8>)>,
}

impl Finish {
    /// Of a run that could not go on and leaves nothing to go on with.
    pub(crate) fn failed(message: String) -> Self {
        Finish { state: RunState::Failed, outcome: None, message: Some(message), engine_version: None, kept: None }
    }

    /// Of a run that was stopped before it began.
    pub(crate) fn stopped() -> Self {
        Finish { state: RunState::Stopped, outcome: None, message: None, engine_version: None, kept: None }
    }
}

/// Where another run ended.
pub(crate) struct Before {
    pub(crate) run: Uuid,
    /// What it takes to go on from there, as bytes.
    pub(crate) kept: Vec<u8>,
}

/// A run taken up by a worker.
pub(crate) struct Begun {
    /// The supply as the study runs it.
    pub(crate) document: Value,
    pub(crate) study: String,
    /// Counts up each time the run is taken up.
    pub(crate) attempt: i32,
    /// What it goes on from; none if that is gone or the run starts by itself.
    pub(crate) before: Option<Before>,
    /// Whether it was asked to stop, by whichever worker it has outlived.
    pub(crate) stops: bool,
}

/// A run to be stored.
pub(crate) struct NewRun<'a> {
    /// The supply and its revision.
    pub(crate) supply: (Uuid, i32),
    /// The supply as the study runs it.
    pub(crate) document: &'a Supply,
    pub(crate) study: &'a str,
    /// Simulated time, s.
    pub(crate) duration: f64,
    /// The engine that will run it, by its version.
    pub(crate) engine_version: String,
    /// The run it goes on from, and what that is of, in short.
    pub(crate) goes_on_from: Option<(Uuid, Option<Uuid>)>,
    /// Whether it is on the way to another, and gone with that.
    pub(crate) passing: bool,
    /// The run it is a second opinion on.
    pub(crate) second_opinion_on: Option<Uuid>,
}

pub(super) const COUNT_BYTES: &str = "
    UPDATE runs SET bytes = pg_column_size(document) + coalesce(pg_column_size(outcome), 0)
        + (SELECT coalesce(sum(octet_length(data)), 0) FROM trace_chunks WHERE run_id = $1)
    WHERE id = $1";

/// A run that was cut short is all in the one that went on from it, unless that was broken off itself.
const GONE_ON_WITH: &str = "
    UPDATE runs SET deleted_at = now()
    WHERE id = (SELECT goes_on_from FROM runs WHERE id = $1 AND node_count > 0 AND outcome IS NOT NULL)
        AND state IN ('stopped', 'failed') AND NOT marked AND deleted_at IS NULL";

/// Runs that wait or go on, of which the queue knows nothing (any more). A job is called by its run, and what comes behind a blank
/// tells one from the other.
const STRANDED: &str = "
    SELECT id, stop_requested, (SELECT count(*) FROM jobs WHERE run = r.id::text) AS jobs,
        attempt FROM runs r
    WHERE state IN ('queued', 'running')
        AND NOT EXISTS (SELECT 1 FROM jobs WHERE run = r.id::text AND alive)
        AND (coalesce(noted_at, created_at) < now() - interval '15 seconds'
            OR NOT EXISTS (SELECT 1 FROM jobs WHERE run = r.id::text))
    ORDER BY created_at";
const JOBS: &str = "
    WITH jobs AS (
        SELECT split_part(j.idempotency_key, ' ', 1) AS run,
            j.status = 'Pending' OR (j.status = 'Failed' AND j.attempts < j.max_attempts)
                OR (j.status IN ('Queued', 'Running') AND w.last_seen > now() - interval '60 seconds') AS alive
        FROM apalis.jobs j LEFT JOIN apalis.workers w ON w.id = j.lock_by
    )";

/// A run in nobody's hands.
#[derive(QueryableByName)]
pub(crate) struct Stranded {
    #[diesel(sql_type = sql_types::Uuid)]
    pub(crate) id: Uuid,
    #[diesel(sql_type = sql_types::Bool)]
    stop_requested: bool,
    /// How many jobs there were of it, and how often it was taken up.
    #[diesel(sql_type = sql_types::BigInt)]
    pub(crate) jobs: i64,
    #[diesel(sql_type = sql_types::Integer)]
    pub(crate) attempt: i32,
}

impl Store {
    /// A new run of a study that covers `duration` seconds, and whether it is new: going on from a run in the same way
    /// is done once. Passing runs of the study are over with it.
    pub(crate) async fn create_run(&self, account: Uuid, run: NewRun<'_>) -> Result<(RunRow, bool)> {
        let NewRun { supply: (supply, revision), document, study, duration, .. } = run;
        let NewRun { engine_version, goes_on_from, passing, second_opinion_on, .. } = run;
        // How long a run is and how accurate does not change what it is of.
        let essence = goes_on_from.map_or_else(|| Some(essence(document, study)), |(_, essence)| essence);
        let judged_by = judged_by(document);
        let document = serde_json::to_value(document)?;
        let earlier = goes_on_from.map(|(run, _)| run);
        let mut connection = self.connection().await?;
        connection
            .transaction::<_, super::StoreError, _>(async |connection| {
                if let Some(earlier) = earlier {
                    // Whoever asks for the same meanwhile waits here.
                    let held = runs::table.find(earlier).select(runs::id).for_update();
                    held.first::<Uuid>(connection).await.optional()?;
                    let waits = [RunState::Queued.name(), RunState::Running.name()];
                    let known: Option<RunRow> = runs::table
                        .filter(runs::goes_on_from.eq(earlier).and(runs::duration.eq(duration)))
                        .filter(runs::document.eq(&document).and(runs::state.eq_any(waits)))
                        .filter(runs::deleted_at.is_null())
                        .select(RunRow::as_select())
                        .first(connection)
                        .await
                        .optional()?;
                    if let Some(known) = known {
                        return Ok((known, false));
                    }
                }
                super::deletion::end_passing(connection, supply, study).await?;
                let row = diesel::insert_into(runs::table)
                    .values((
                        runs::id.eq(Uuid::now_v7()),
                        runs::account_id.eq(account),
                        runs::supply_id.eq(supply),
                        runs::revision.eq(revision),
                        runs::goes_on_from.eq(earlier),
                        runs::study.eq(study),
                        runs::duration.eq(duration),
                        runs::document.eq(&document),
                        runs::essence.eq(essence),
                        runs::engine_version.eq(engine_version),
                        runs::state.eq(RunState::Queued.name()),
                        runs::passing.eq(passing),
                        runs::second_opinion_on.eq(second_opinion_on),
                        runs::judged_by.eq(judged_by),
                    ))
                    .returning(RunRow::as_returning())
                    .get_result(connection)
                    .await?;
                Ok((row, true))
            })
            .await
    }

    /// The newest run of a study that reached its end and is of an essence.
    pub(crate) async fn newest_done(
        &self,
        account: Uuid,
        supply: Uuid,
        study: &str,
        essence: Uuid,
    ) -> Result<Option<RunRow>> {
        let mut connection = self.connection().await?;
        let own = runs::account_id.eq(account).and(runs::supply_id.eq(supply)).and(runs::study.eq(study));
        let judges = runs::measured.is_null().and(runs::second_opinion_on.is_null()).and(runs::deleted_at.is_null());
        let newest = runs::table
            .filter(own.and(runs::essence.eq(essence)).and(judges))
            .filter(runs::state.eq(RunState::Done.name()))
            .order(runs::created_at.desc())
            .select(RunRow::as_select());
        Ok(newest.first(&mut connection).await.optional()?)
    }

    /// The newest second opinion on a run.
    pub(crate) async fn second_opinion(&self, account: Uuid, on: Uuid) -> Result<Option<RunRow>> {
        let mut connection = self.connection().await?;
        let own = runs::account_id.eq(account).and(runs::second_opinion_on.eq(on)).and(runs::deleted_at.is_null());
        let newest = runs::table.filter(own).order(runs::created_at.desc()).select(RunRow::as_select());
        Ok(newest.first(&mut connection).await.optional()?)
    }

    /// How many runs of a supply wait.
    pub(crate) async fn waiting_of(&self, supply: Uuid) -> Result<i64> {
        let mut connection = self.connection().await?;
        let waits = runs::supply_id.eq(supply).and(runs::state.eq(RunState::Queued.name()));
        Ok(runs::table.filter(waits).count().get_result(&mut connection).await?)
    }

    pub(crate) async fn run(&self, account: Uuid, id: Uuid) -> Result<Option<RunRow>> {
        let mut connection = self.connection().await?;
        Ok(runs::table
            .filter(runs::account_id.eq(account).and(runs::id.eq(id)).and(runs::deleted_at.is_null()))
            .select(RunRow::as_select())
            .first(&mut connection)
            .await
            .optional()?)
    }

    /// The document a run is of.
    pub(crate) async fn run_document(&self, account: Uuid, id: Uuid) -> Result<Option<Value>> {
        let mut connection = self.connection().await?;
        Ok(runs::table
            .filter(runs::account_id.eq(account).and(runs::id.eq(id)).and(runs::deleted_at.is_null()))
            .select(runs::document)
            .first(&mut connection)
            .await
            .optional()?)
    }

    /// The latest runs of a supply, newest first; or those deleted one by one.
    pub(crate) async fn runs_of(&self, account: Uuid, supply: Uuid, deleted: bool) -> Result<Vec<RunRow>> {
        let mut connection = self.connection().await?;
        let alive = supplies::table.filter(supplies::deleted_at.is_null()).select(supplies::id);
        Ok(runs::table
            .filter(runs::account_id.eq(account).and(runs::supply_id.eq(supply)).and(runs::supply_id.eq_any(alive)))
            .filter(runs::deleted_at.is_not_null().eq(deleted))
            .filter(runs::passing.eq(false).or(runs::deleted_at.is_null()))
            .order(runs::created_at.desc())
            .limit(50)
            .select(RunRow::as_select())
            .load(&mut connection)
            .await?)
    }

    /// Asks a run to stop; one that still waits is stopped on the spot.
    pub(crate) async fn request_stop(&self, account: Uuid, id: Uuid) -> Result<()> {
        let mut connection = self.connection().await?;
        let mine = runs::account_id.eq(account).and(runs::id.eq(id));
        diesel::update(runs::table.filter(mine)).set(runs::stop_requested.eq(true)).execute(&mut connection).await?;
        diesel::update(runs::table.filter(mine.and(runs::state.eq(RunState::Queued.name()))))
            .set((runs::state.eq(RunState::Stopped.name()), runs::finished_at.eq(Utc::now())))
            .execute(&mut connection)
            .await?;
        Ok(())
    }

    /// Runs that nobody has in hand: no job of the queue is about them, and no worker was heard
    /// of for a while. Those that were asked to stop are stopped with that.
    pub(crate) async fn stranded_runs(&self) -> Result<Vec<Stranded>> {
        let mut connection = self.connection().await?;
        let found: Vec<Stranded> = diesel::sql_query(format!("{JOBS} {STRANDED}")).load(&mut connection).await?;
        let (stops, waits): (Vec<_>, Vec<_>) = found.into_iter().partition(|run| run.stop_requested);
        let stops: Vec<Uuid> = stops.into_iter().map(|run| run.id).collect();
        if !stops.is_empty() {
            diesel::update(runs::table.filter(runs::id.eq_any(stops)))
                .set((runs::state.eq(RunState::Stopped.name()), runs::finished_at.eq(Utc::now())))
                .execute(&mut connection)
                .await?;
        }
        Ok(waits)
    }

    /// Takes a run up from its beginning; none if it is finished already.
    pub(crate) async fn begin_run(&self, id: Uuid) -> Result<Option<Begun>> {
        let mut connection = self.connection().await?;
        let begun: Option<(Value, String, i32, Option<Uuid>, bool)> = diesel::update(runs::table)
            .filter(runs::id.eq(id).and(runs::state.eq_any([RunState::Queued.name(), RunState::Running.name()])))
            .set((
                runs::state.eq(RunState::Running.name()),
                runs::attempt.eq(runs::attempt + 1),
                runs::started_at.eq(Utc::now()),
                runs::noted_at.eq(Utc::now()),
                runs::simulated_time.eq(0.0),
                runs::node_count.eq(0),
            ))
            .returning((runs::document, runs::study, runs::attempt, runs::goes_on_from, runs::stop_requested))
            .get_result(&mut connection)
            .await
            .optional()?;
        let Some((document, study, attempt, from, stops)) = begun else { return Ok(None) };
        if attempt > 1 {
            // What an earlier attempt left behind would mix with this one's.
            diesel::delete(trace_chunks::table.filter(trace_chunks::run_id.eq(id))).execute(&mut connection).await?;
        }
        let before = match from {
            Some(run) => {
                let kept = runs::table.find(run).select(runs::kept).first::<Option<Vec<u8>>>(&mut connection).await;
                kept.optional()?.flatten().map(|kept| Before { run, kept })
            }
            None => None,
        };
        Ok(Some(Begun { document, study, attempt, before, stops }))
    }

    /// Notes how far an attempt has come; tells whether it shall stop. A newer attempt stops the
    /// older one.
    pub(crate) async fn note_progress(&self, id: Uuid, attempt: i32, time: f64) -> Result<bool> {
        let mut connection = self.connection().await?;
        let stop: Option<bool> = diesel::update(runs::table)
            .filter(runs::id.eq(id).and(runs::attempt.eq(attempt)))
            .set((runs::simulated_time.eq(time), runs::noted_at.eq(Utc::now())))
            .returning(runs::stop_requested)
            .get_result(&mut connection)
            .await
            .optional()?;
        Ok(stop.unwrap_or(true))
    }

    /// Stores the last chunks of an attempt and how it ended, all or nothing; a newer attempt is left alone. Where
    /// the count of nodes is not known it stays as it was noted last.
    pub(crate) async fn finish_run(
        &self,
        id: Uuid,
        attempt: i32,
        finish: &Finish,
        chunks: &[Packed],
        nodes: Option<i64>,
    ) -> Result<()> {
        let mut connection = self.connection().await?;
        connection
            .transaction::<_, super::StoreError, _>(async |connection| {
                let finished = diesel::update(runs::table)
                    .filter(runs::id.eq(id).and(runs::attempt.eq(attempt)))
                    .set((
                        runs::state.eq(finish.state.name()),
                        runs::outcome.eq(&finish.outcome),
                        runs::verdicts.eq(finish.outcome.as_ref().and_then(verdicts)),
                        runs::message.eq(&finish.message),
                        finish.engine_version.as_ref().map(|version| runs::engine_version.eq(version)),
                        finish.kept.as_ref().map(|(time, kept)| (runs::simulated_time.eq(time), runs::kept.eq(kept))),
                        nodes.map(|nodes| runs::node_count.eq(nodes)),
                        runs::finished_at.eq(Utc::now()),
                    ))
                    .execute(connection)
                    .await?;
                if finished > 0 {
                    super::chunks::insert_all(connection, id, chunks).await?;
                    diesel::sql_query(COUNT_BYTES).bind::<sql_types::Uuid, _>(id).execute(connection).await?;
                    diesel::sql_query(GONE_ON_WITH).bind::<sql_types::Uuid, _>(id).execute(connection).await?;
                }
                Ok(())
            })
            .await
    }
}
