//! The queue of runs, kept by `apalis` in the same database.

use apalis::prelude::{
    BackendExt, BoxDynError, Data, TaskBuilder, TaskSink, WorkerBuilder, WorkerBuilderExt, WorkerContext,
};
use apalis_postgres::{Config, PostgresStorage, Pubsub};
use futures::{Stream, StreamExt};
use serde::{Deserialize, Serialize};
use sqlx::PgPool;
use std::pin::Pin;
use std::task::{Context, Poll};
use std::time::Duration;
use uuid::Uuid;

use crate::store::{Store, Stranded};
use crate::worker::{Worker, execute};

/// How often a worker says that it is alive.
const HEARTBEAT: Duration = Duration::from_secs(2);
/// Heartbeats a worker may miss before its runs are taken up by others.
const MISSED: usize = 4;
const QUEUE: &str = "runs";
/// Times a run is tried before it is given up.
const ATTEMPTS: usize = 5;
/// The turn of a run whose supply has no others waiting: each that waits puts the next one back by one, so that supplies
/// take turns.
const FIRST: i64 = 1_000_000;
/// How often runs are looked for that nobody has in hand.
const LOOK_EVERY: Duration = Duration::from_secs(10);

/// A run to be executed.
#[derive(Clone, Debug, Serialize, Deserialize)]
pub(crate) struct Job {
    pub(crate) run: Uuid,
}

/// Runs a worker computes at once.
pub(crate) fn at_once() -> usize {
    std::thread::available_parallelism().map_or(1, usize::from)
}

/// A handle on the queue; cheap to clone.
#[derive(Clone)]
pub(crate) struct Queue {
    pool: PgPool,
}

impl Queue {
    /// Prepares a pool; connections are made when needed.
    pub(crate) fn new(url: &str) -> anyhow::Result<Self> {
        let pool = sqlx::postgres::PgPoolOptions::new().max_connections(6).connect_lazy(url)?;
        Ok(Queue { pool })
    }

    /// Creates the queue's own tables.
    pub(crate) async fn migrate(&self) -> anyhow::Result<()> {
        Ok(PostgresStorage::<()>::setup(&self.pool).await?)
    }

    fn storage(&self) -> PostgresStorage<Job> {
        let config =
            Config::default().queue(QUEUE).batch_size(1).heartbeat_interval(HEARTBEAT).missed_heartbeats(MISSED);
        PostgresStorage::new(&self.pool).with_config(config)
    }

    /// Puts a run into the queue, behind those of other supplies if its own has `waiting` of them; a second time has no
    /// effect.
    pub(crate) async fn push(&self, run: Uuid, waiting: i64) -> anyhow::Result<()> {
        self.put(run, run.to_string(), waiting).await
    }

    async fn put(&self, run: Uuid, name: String, waiting: i64) -> anyhow::Result<()> {
        let turn = usize::try_from(FIRST - waiting.clamp(0, FIRST)).unwrap_or_default();
        let task = TaskBuilder::new(Job { run }).idempotency_key(name).max_attempts(ATTEMPTS).priority(turn).build();
        let mut storage = self.storage();
        match storage.push_task(task).await {
            Err(error) if error.to_string().contains("idempotency") => Ok(()),
            result => Ok(result.map_err(|error| anyhow::anyhow!("{error}"))?),
        }
    }

    /// Forgets runs that left the queue before a time.
    pub(crate) async fn forget(&self, before: chrono::DateTime<chrono::Utc>) -> anyhow::Result<()> {
        let text = "DELETE FROM apalis.jobs WHERE status IN ('Done', 'Killed') AND done_at < to_timestamp($1)";
        sqlx::query(text).bind(before.timestamp() as f64).execute(&self.pool).await?;
        Ok(())
    }

    /// Executes runs until the program ends; starts again when the database comes back.
    pub(crate) async fn work(&self, worker: Worker) {
        loop {
            // A fresh name each time: a dead worker's runs are recognised by its name.
            let name = format!("worker-{}", Uuid::now_v7());
            let told = Gathered(Pubsub::new(self.pool.clone(), QUEUE.to_owned()));
            let executor = WorkerBuilder::new(name.as_str())
                .backend(self.storage().poll_with_stream(told))
                .concurrency(at_once())
                .data(worker.clone())
                .build(perform);
            if let Err(error) = executor.run().await {
                tracing::warn!("worker {name} stopped: {error}; starting another");
            }
            tokio::time::sleep(Duration::from_secs(1)).await;
        }
    }

    /// Puts runs back that nobody has in hand, for as long as the program runs: stored without having reached the queue,
    /// or lost with their worker and its database.
    pub(crate) async fn find_stranded(&self, store: &Store) {
        let mut due = tokio::time::interval(LOOK_EVERY);
        loop {
            due.tick().await;
            let stranded = store.stranded_runs().await.unwrap_or_else(|error| {
                tracing::debug!("stranded runs are not looked for: {error}");
                Vec::new()
            });
            for Stranded { id: run, jobs, attempt, .. } in stranded {
                tracing::info!("run {run} was in nobody's hands and is queued");
                // Whoever else finds it at the same time gives the job the same name, and it is put in once.
                let name = if jobs > 0 { format!("{run} {attempt}.{jobs}") } else { run.to_string() };
                if let Err(error) = self.put(run, name, 0).await {
                    tracing::warn!("run {run} could not be queued: {error}");
                }
            }
        }
    }
}

/// News of queued runs, however many have come in, as one item. Whoever takes one item at a time would
/// not be woken for the others.
struct Gathered(Pubsub);

impl Stream for Gathered {
    type Item = ();

    fn poll_next(mut self: Pin<&mut Self>, cx: &mut Context<'_>) -> Poll<Option<()>> {
        let mut any = false;
        loop {
            match self.0.poll_next_unpin(cx) {
                Poll::Ready(Some(_)) => any = true,
                Poll::Ready(None) => return Poll::Ready(any.then_some(())),
                Poll::Pending if any => return Poll::Ready(Some(())),
                Poll::Pending => return Poll::Pending,
            }
        }
    }
}

async fn perform(job: Job, worker: Data<Worker>, _context: WorkerContext) -> Result<(), BoxDynError> {
    execute(&worker, job.run).await.map_err(|error| error.into())
}
