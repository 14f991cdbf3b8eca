//! Executes runs: the engine on a blocking thread, its chunks into the store as they come.

use crate::recorded::Spool;
use crate::store::{Begun, Finish, Result, RunState, Store, StoreError};
use circuit::{Circuit, Severity, Supply, resolve};
use device::Equations;
use recording::{Chunk, Chunks, Command, Observer, Piece, Progress, Unreadable};
use std::sync::Arc;
use std::sync::atomic::{AtomicBool, AtomicU64, Ordering};
use std::time::{Duration, Instant};
use studies::{End, Outcome};
use tokio::sync::mpsc;
use traces::{Packed, TraceBuilder};
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
/// Chunks encoded ahead of what is stored.
const AHEAD: usize = 16;

/// Times a run is taken up before it is given up; a run that needs more memory than there is ends its
/// worker each time.
const ATTEMPTS: i32 = 5;

/// Executes one run from its beginning to a final state.
///
/// An error means the run is not finished and shall be tried again.
pub(crate) async fn execute(worker: &Worker, run: Uuid) -> Result<()> {
    let store = &worker.store;
    let Some(Begun { document, study, attempt }) = patiently(|| store.begin_run(run)).await? else { return Ok(()) };
    if attempt > ATTEMPTS {
        let message = format!(
            "the run ended the program that computed it {ATTEMPTS} times and is not tried again; it may need more memory \
             than there is: shorten the study, record from a later time, or loosen its tolerance"
        );
        let finish = Finish { state: RunState::Failed, outcome: None, message: Some(message) };
        return patiently(|| store.finish_run(run, attempt, &finish, &[], None)).await;
    }
    let stored = match simulate(worker, run, attempt, document, study).await {
        Ok((finish, rows, nodes)) => patiently(|| store.finish_run(run, attempt, &finish, &rows, nodes)).await,
        Err(error) => Err(error),
    };
    match stored {
        // What the database will not take now it will not take later.
        Err(error) if !error.passing() => {
            let message = format!("what the run recorded could not be stored: {error}");
            let finish = Finish { state: RunState::Failed, outcome: None, message: Some(message) };
            patiently(|| store.finish_run(run, attempt, &finish, &[], None)).await?;
        }
        stored => stored?,
    }
    patiently(|| store.retire_beside(run)).await
}

fn prepare(document: &serde_json::Value) -> std::result::Result<Circuit, String> {
    let supply = Supply::from_json(&document.to_string()).map_err(|error| error.to_string())?;
    resolve(&supply).map_err(|findings| {
        let errors = findings.iter().filter(|f| f.severity == Severity::Error);
        errors.map(|f| format!("{}. {}.", f.message, f.remedy)).collect::<Vec<_>>().join(" ")
    })
}

/// Simulates and stores chunks as they come; the last of them are left for the end of the run, so that
/// outcome and traces appear together.
async fn simulate(
    worker: &Worker,
    run: Uuid,
    attempt: i32,
    document: serde_json::Value,
    study: String,
) -> Result<(Finish, Vec<Packed>, Option<i64>)> {
    let (sender, receiver) = mpsc::channel(AHEAD);
    let shared = Arc::new(Shared::default());
    let slow_down = worker.slow_down;
    let computing = tokio::task::spawn_blocking({
        let shared = Arc::clone(&shared);
        move || {
            let circuit = prepare(&document)?;
            let builder = TraceBuilder::new(&circuit, Equations::new(&circuit).columns());
            let spool = Spool::default();
            let mut reporter = Reporter { builder, spool, rows: sender, shared, started: Instant::now(), slow_down };
            let outcome = studies::run(&circuit, &study, &mut reporter);
            let last = reporter.builder.finish();
            let outcome = outcome.map_err(|error| error.to_string());
            Ok::<_, String>((outcome, last, reporter.builder.nodes()))
        }
    });
    let noting = note(&worker.store, run, attempt, Arc::clone(&shared));
    // Progress is not waited for: when all is stored it is dropped where it stands.
    let mut rows = tokio::select! {
        left = keep(&worker.store, run, attempt, receiver, &shared) => left?,
        () = noting => Vec::new(),
    };
    let failed = |message: String| Finish { state: RunState::Failed, outcome: None, message: Some(message) };
    Ok(match computing.await {
        Ok(Ok((outcome, last, nodes))) => {
            rows.extend(last);
            (outcome.map_or_else(|message| Ok(failed(message)), |outcome| finish(&outcome))?, rows, Some(nodes))
        }
        Ok(Err(message)) => (failed(message), rows, None),
        Err(error) => {
            tracing::error!("run {run}: {error}");
            let message = "the simulation broke off because of a defect in Mellow Coil".to_owned();
            (failed(message), rows, None)
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
    /// Bits of the simulated time.
    time: AtomicU64,
}

/// Encodes chunks on the computing thread, hands them over to be stored, and keeps them until the run is judged.
struct Reporter {
    builder: TraceBuilder,
    spool: Spool,
    rows: mpsc::Sender<(Vec<Packed>, i64)>,
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
        if self.shared.stop.load(Ordering::Relaxed) || self.spool.trouble().is_some() {
            Command::Stop
        } else {
            Command::Continue
        }
    }

    fn record(&mut self, chunk: Chunk) {
        self.spool.push(&chunk);
        let rows = self.builder.push(&chunk);
        // A closed channel means storing has failed for good; stop computing.
        if self.rows.blocking_send((rows, self.builder.nodes())).is_err() {
            self.shared.stop.store(true, Ordering::Relaxed);
        }
    }
}

impl Chunks for Reporter {
    fn whole(&self) -> (f64, f64) {
        self.spool.whole()
    }
    fn pieces(
        &self,
        from: f64,
        to: f64,
        columns: &[usize],
        take: &mut dyn FnMut(Piece<'_>),
    ) -> std::result::Result<(), Unreadable> {
        self.spool.pieces(from, to, columns, take)
    }
}

/// Stores chunks until the computing thread is done; what has come in meanwhile goes out together. Returns
/// what is left at the end, with the count of nodes.
async fn keep(
    store: &Store,
    run: Uuid,
    attempt: i32,
    mut encoded: mpsc::Receiver<(Vec<Packed>, i64)>,
    shared: &Shared,
) -> Result<Vec<Packed>> {
    while let Some((mut rows, mut nodes)) = encoded.recv().await {
        loop {
            match encoded.try_recv() {
                Ok((more, latest)) => {
                    rows.extend(more);
                    nodes = latest;
                }
                Err(mpsc::error::TryRecvError::Empty) => break,
                Err(mpsc::error::TryRecvError::Disconnected) => return Ok(rows),
            }
        }
        if let Err(error) = patiently(|| store.add_chunks(run, attempt, &rows, nodes)).await {
            shared.stop.store(true, Ordering::Relaxed);
            return Err(error);
        }
    }
    Ok(Vec::new())
}

/// Notes progress and looks up whether to stop, until it is dropped.
async fn note(store: &Store, run: Uuid, attempt: i32, shared: Arc<Shared>) {
    loop {
        tokio::time::sleep(NOTE_EVERY).await;
        let time = f64::from_bits(shared.time.load(Ordering::Relaxed));
        match store.note_progress(run, attempt, time).await {
            Ok(true) => shared.stop.store(true, Ordering::Relaxed),
            Ok(false) => {}
            // Progress is a courtesy; storing decides whether the run can go on.
            Err(error) => tracing::debug!("progress of {run} not noted: {error}"),
        }
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
