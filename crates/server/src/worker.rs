//! Executes runs: the engine on a blocking thread, its chunks into the store as they come.

use crate::store::{ChunkRow, Finish, Result, RunState, Store, StoreError};
use crate::traces::TraceBuilder;
use circuit::{Circuit, Severity, Supply, resolve};
use engine::{Chunk, Command, Equations, Observer, Progress};
use std::sync::Arc;
use std::sync::atomic::{AtomicBool, AtomicU64, Ordering};
use std::time::{Duration, Instant};
use studies::{End, Outcome};
use tokio::sync::mpsc;
use uuid::Uuid;

/// What a worker needs.
#[derive(Clone)]
pub(crate) struct Worker {
    pub(crate) store: Store,
    /// Least duration of a run of the longest study, for trying out progress and stopping.
    pub(crate) slow_down: Option<Duration>,
}

/// How often progress is noted and the wish to stop is looked up.
const NOTE_EVERY: Duration = Duration::from_millis(200);
/// How long a write is tried again while the database is away.
const PATIENCE: Duration = Duration::from_secs(60);
/// Chunks computed ahead of what is stored.
const AHEAD: usize = 16;

/// Executes one run from its beginning to a final state.
///
/// An error means the run is not finished and shall be tried again.
pub(crate) async fn execute(worker: &Worker, run: Uuid) -> Result<()> {
    let store = &worker.store;
    let Some((document, study, attempt)) = patiently(|| store.begin_run(run)).await? else { return Ok(()) };
    let finish = match prepare(&document) {
        Ok(circuit) => simulate(worker, run, attempt, circuit, study).await?,
        Err(message) => Finish { state: RunState::Failed, outcome: None, message: Some(message) },
    };
    patiently(|| store.finish_run(run, attempt, &finish)).await
}

fn prepare(document: &serde_json::Value) -> std::result::Result<Circuit, String> {
    let supply = Supply::from_json(&document.to_string()).map_err(|error| error.to_string())?;
    resolve(&supply).map_err(|findings| {
        let errors = findings.iter().filter(|f| f.severity == Severity::Error);
        errors.map(|f| format!("{}. {}.", f.message, f.remedy)).collect::<Vec<_>>().join(" ")
    })
}

async fn simulate(worker: &Worker, run: Uuid, attempt: i32, circuit: Circuit, study: String) -> Result<Finish> {
    let (sender, receiver) = mpsc::channel(AHEAD);
    let shared = Arc::new(Shared::default());
    let observer =
        Reporter { chunks: sender, shared: Arc::clone(&shared), started: Instant::now(), slow_down: worker.slow_down };
    let builder = {
        let equations = Equations::new(&circuit);
        TraceBuilder::new(run, &circuit, equations.columns())
    };
    let computing = tokio::task::spawn_blocking(move || {
        let mut observer = observer;
        studies::run(&circuit, &study, &mut observer).map(|(_, outcome)| outcome)
    });
    let stored = tokio::join!(
        keep(&worker.store, run, attempt, builder, receiver, Arc::clone(&shared)),
        note(&worker.store, run, attempt, Arc::clone(&shared)),
    );
    stored.0?;
    let outcome = computing.await;
    Ok(match outcome {
        Ok(Ok(outcome)) => finish(&outcome)?,
        Ok(Err(error)) => Finish { state: RunState::Failed, outcome: None, message: Some(error.to_string()) },
        Err(error) => {
            tracing::error!("run {run}: {error}");
            let message = "the simulation broke off because of a defect in Mellow Coil".to_owned();
            Finish { state: RunState::Failed, outcome: None, message: Some(message) }
        }
    })
}

fn finish(outcome: &Outcome) -> Result<Finish> {
    let (state, message) = match &outcome.end {
        End::Done => (RunState::Done, None),
        End::Stopped { .. } => (RunState::Stopped, None),
        End::Failed { message } => (RunState::Failed, Some(message.clone())),
    };
    Ok(Finish { state, outcome: Some(serde_json::to_value(outcome)?), message })
}

/// What the computing thread and the storing tasks tell each other.
#[derive(Default)]
struct Shared {
    stop: AtomicBool,
    over: AtomicBool,
    /// Bits of the simulated time.
    time: AtomicU64,
}

struct Reporter {
    chunks: mpsc::Sender<Chunk>,
    shared: Arc<Shared>,
    started: Instant,
    slow_down: Option<Duration>,
}

impl Observer for Reporter {
    fn progress(&mut self, progress: &Progress<'_>) -> Command {
        self.shared.time.store(progress.time.to_bits(), Ordering::Relaxed);
        if let Some(whole) = self.slow_down {
            let due = whole.mul_f64((progress.time / progress.end).clamp(0.0, 1.0));
            let ahead = due.saturating_sub(self.started.elapsed());
            if ahead > Duration::from_millis(5) {
                std::thread::sleep(ahead);
            }
        }
        if self.shared.stop.load(Ordering::Relaxed) { Command::Stop } else { Command::Continue }
    }

    fn record(&mut self, chunk: Chunk) {
        // A closed channel means storing has failed for good; stop computing.
        if self.chunks.blocking_send(chunk).is_err() {
            self.shared.stop.store(true, Ordering::Relaxed);
        }
    }
}

/// Stores chunks until the computing thread is done.
async fn keep(
    store: &Store,
    run: Uuid,
    attempt: i32,
    mut builder: TraceBuilder,
    mut chunks: mpsc::Receiver<Chunk>,
    shared: Arc<Shared>,
) -> Result<()> {
    let result = async {
        while let Some(chunk) = chunks.recv().await {
            let rows = builder.push(&chunk);
            add(store, run, attempt, &rows, builder.nodes()).await?;
        }
        let rows = builder.finish();
        add(store, run, attempt, &rows, builder.nodes()).await
    }
    .await;
    shared.over.store(true, Ordering::Relaxed);
    if result.is_err() {
        shared.stop.store(true, Ordering::Relaxed);
    }
    result
}

async fn add(store: &Store, run: Uuid, attempt: i32, rows: &[ChunkRow], nodes: i64) -> Result<()> {
    patiently(|| store.add_chunks(run, attempt, rows, nodes)).await
}

/// Notes progress and looks up whether to stop.
async fn note(store: &Store, run: Uuid, attempt: i32, shared: Arc<Shared>) {
    while !shared.over.load(Ordering::Relaxed) {
        let time = f64::from_bits(shared.time.load(Ordering::Relaxed));
        match store.note_progress(run, attempt, time).await {
            Ok(true) => shared.stop.store(true, Ordering::Relaxed),
            Ok(false) => {}
            // Progress is a courtesy; storing decides whether the run can go on.
            Err(error) => tracing::debug!("progress of {run} not noted: {error}"),
        }
        tokio::time::sleep(NOTE_EVERY).await;
    }
}

/// Tries again while the database is away, for a minute.
async fn patiently<T, F: Future<Output = Result<T>>>(operation: impl Fn() -> F) -> Result<T> {
    let started = Instant::now();
    let mut pause = Duration::from_millis(100);
    loop {
        match operation().await {
            Err(error) if StoreError::passing(&error) && started.elapsed() < PATIENCE => {
                tracing::warn!("waiting for the database: {error}");
                tokio::time::sleep(pause).await;
                pause = (2 * pause).min(Duration::from_secs(2));
            }
            result => return result,
        }
    }
}
