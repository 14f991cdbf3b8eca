//! Executes runs: the engine on a blocking thread, its chunks into the store as they come.

use crate::recorded::{Spool, TraceError, whole_pieces};
use crate::store::{Begun, Finish, Result, RunState, Store, StoreError};
use circuit::{Circuit, Severity, Supply, resolve};
use recording::{Chunk, Chunks, Column, Command, Observer, Parter, Piece, Progress, Unreadable};
use std::sync::Arc;
use std::sync::atomic::{AtomicBool, AtomicU64, Ordering};
use std::time::{Duration, Instant};
use studies::{End, Ran};
use tokio::runtime::Handle;
use tokio::sync::{mpsc, oneshot};
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
    let Some(begun) = patiently(|| store.begin_run(run)).await? else { return Ok(()) };
    let attempt = begun.attempt;
    if attempt > ATTEMPTS {
        let message = format!(
            "the run ended the program that computed it {ATTEMPTS} times and is not tried again; it may need more memory \
             than there is: shorten the study, record from a later time, or loosen its tolerance"
        );
        let finish = Finish::failed(message);
        return patiently(|| store.finish_run(run, attempt, &finish, &[], None)).await;
    }
    if begun.stops {
        let finish = Finish::stopped();
        return patiently(|| store.finish_run(run, attempt, &finish, &[], None)).await;
    }
    let stored = match simulate(worker, run, begun).await {
        Ok((finish, rows, nodes)) => patiently(|| store.finish_run(run, attempt, &finish, &rows, nodes)).await,
        Err(error) => Err(error),
    };
    match stored {
        // What the database will not take now it will not take later.
        Err(error) if !error.passing() => {
            let message = format!("what the run recorded could not be stored: {error}");
            let finish = Finish::failed(message);
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
    Begun { document, study, attempt, before, .. }: Begun,
) -> Result<(Finish, Vec<Packed>, Option<i64>)> {
    let (sender, receiver) = mpsc::channel(AHEAD);
    let shared = Arc::new(Shared::default());
    let slow_down = worker.slow_down;
    let (store, handle) = (worker.store.clone(), Handle::current());
    let computing = behind_requests({
        let shared = Arc::clone(&shared);
        move || {
            let circuit = prepare(&document)?;
            let columns = recording::columns(&circuit);
            let builder = TraceBuilder::new(&circuit, &columns);
            let spool = Spool::default();
            let mut reporter =
                Reporter { builder, spool, rows: sender, shared, started: Instant::now(), from: None, slow_down };
            // What cannot be gone on with is computed from its beginning.
            let from = before.and_then(|before| {
                let kept: studies::Kept = ciborium::from_reader(before.kept.as_slice()).ok()?;
                kept.fits(&circuit).ok().map(|()| (before.run, kept))
            });
            if let Some((earlier, _)) = &from {
                let replayed = replay(&handle, &store, *earlier, &columns, &mut reporter);
                replayed.map_err(|error| format!("what was recorded before cannot be read: {error}"))?;
            }
            let ran = studies::go_on(&circuit, &study, from.as_ref().map(|(_, kept)| kept), &mut reporter);
            let last = reporter.builder.finish();
            let ran = ran.map_err(|error| error.to_string());
            Ok::<_, String>((ran, last, reporter.builder.nodes()))
        }
    });
    let noting = note(&worker.store, run, attempt, Arc::clone(&shared));
    // Progress is not waited for: when all is stored it is dropped where it stands.
    let mut rows = tokio::select! {
        left = keep(&worker.store, run, attempt, receiver, &shared) => left?,
        () = noting => Vec::new(),
    };
    Ok(match computing.await {
        Ok(Ok((ran, last, nodes))) => {
            rows.extend(last);
            (ran.map_or_else(|message| Ok(Finish::failed(message)), |ran| finish(&ran))?, rows, Some(nodes))
        }
        Ok(Err(message)) => (Finish::failed(message), rows, None),
        Err(_) => {
            tracing::error!("run {run} broke off");
            let message = "the simulation broke off because of a defect in Mellow Coil".to_owned();
            (Finish::failed(message), rows, None)
        }
    })
}

/// How far behind the threads that answer requests a computing one stands.
const NICE: i32 = 10;

/// Computes on a thread of its own that gives way to those which answer requests; an error if the work broke off.
fn behind_requests<T: Send + 'static>(work: impl FnOnce() -> T + Send + 'static) -> oneshot::Receiver<T> {
    let (tell, told) = oneshot::channel();
    let begun = std::thread::Builder::new().name("run".to_owned()).spawn(move || {
        // Where that is not allowed it is no reason not to compute.
        let _ = rustix::process::nice(NICE);
        let _ = tell.send(work());
    });
    if let Err(error) = begun {
        tracing::error!("no thread to compute on: {error}");
    }
    told
}

/// Passes what an earlier run recorded on, as if it had been computed anew.
fn replay(
    handle: &Handle,
    store: &Store,
    earlier: Uuid,
    columns: &[Column],
    reporter: &mut Reporter,
) -> std::result::Result<(), TraceError> {
    let mut parter = Parter::default();
    let mut after = -1;
    loop {
        let pieces = handle.block_on(whole_pieces(store, earlier, columns, after))?;
        let Some((last, _)) = pieces.last() else { return Ok(()) };
        after = *last;
        pieces.into_iter().for_each(|(_, piece)| reporter.record(parter.part(&piece)));
    }
}

fn finish(Ran { outcome, kept }: &Ran) -> Result<Finish> {
    let mut bytes = Vec::new();
    let kept = kept.as_ref().and_then(|kept| {
        ciborium::into_writer(kept, &mut bytes).ok()?;
        Some((kept.time(), bytes))
    });
    let (state, message) = match &outcome.end {
        End::Done => (RunState::Done, None),
        End::Stopped { .. } => (RunState::Stopped, None),
        End::Failed { message } => (RunState::Failed, Some(message.clone())),
    };
    let engine_version = Some(outcome.health.engine_version.clone());
    Ok(Finish { state, outcome: Some(serde_json::to_value(outcome)?), message, engine_version, kept })
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
    /// Simulated time of the first step, s.
    from: Option<f64>,
    slow_down: Option<Duration>,
}

impl Observer for Reporter {
    fn progress(&mut self, progress: &Progress<'_>) -> Command {
        self.shared.time.store(progress.time.to_bits(), Ordering::Relaxed);
        if let Some(whole) = self.slow_down {
            let from = *self.from.get_or_insert(progress.time);
            let due = whole.mul_f64(((progress.time - from) / progress.end).clamp(0.0, 1.0));
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
    fn folded(
        &self,
        from: f64,
        to: f64,
        columns: &[usize],
        take: &mut dyn FnMut(Piece<'_>),
    ) -> std::result::Result<(), Unreadable> {
        self.spool.folded(from, to, columns, take)
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
