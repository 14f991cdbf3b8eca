//! Executes runs: each computed in a process of its own, its chunks into the store as they come.

use crate::computing::{Course, Limits, compute};
use crate::store::{Begun, Finish, Result, Store, StoreError};
use std::time::{Duration, Instant};
use tokio::sync::mpsc;
use traces::Packed;
use uuid::Uuid;

/// What a worker needs.
#[derive(Clone)]
pub(crate) struct Worker {
    pub(crate) store: Store,
    pub(crate) limits: Limits,
}

/// How often progress is noted and the wish to stop is looked up.
const NOTE_EVERY: Duration = Duration::from_millis(200);
/// How long a write is tried again while the database is away.
const PATIENCE: Duration = Duration::from_secs(60);
/// Chunks encoded ahead of what is stored.
const AHEAD: usize = 16;

/// Times a run is taken up before it is given up; one that takes the machine down ends its worker each time.
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

/// Has the run computed and stores chunks as they come; the last of them are left for the end of the run, so that
/// outcome and traces appear together.
async fn simulate(worker: &Worker, run: Uuid, begun: Begun) -> Result<(Finish, Vec<Packed>, Option<i64>)> {
    let (sender, receiver) = mpsc::channel(AHEAD);
    let (course, attempt) = (Course::default(), begun.attempt);
    let computing = compute(worker.limits, &worker.store, run, begun, &course, sender);
    // Progress is not waited for: when all is stored it is dropped where it stands.
    let storing = async {
        tokio::select! {
            left = keep(&worker.store, run, attempt, receiver, &course) => left,
            () = note(&worker.store, run, attempt, &course) => Ok(Vec::new()),
        }
    };
    let (computed, rows) = tokio::join!(computing, storing);
    let mut rows = rows?;
    Ok(match computed {
        Ok((finish, last, nodes)) => {
            rows.extend(last);
            (finish, rows, nodes)
        }
        Err(error) => {
            let message = format!("no process could be started to compute the run: {error}; run it again in a moment");
            (Finish::failed(message), rows, None)
        }
    })
}

/// Stores chunks until the run is computed; what has come in meanwhile goes out together. Returns
/// what is left at the end, with the count of nodes.
async fn keep(
    store: &Store,
    run: Uuid,
    attempt: i32,
    mut encoded: mpsc::Receiver<(Vec<Packed>, i64)>,
    course: &Course,
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
            course.stop();
            return Err(error);
        }
    }
    Ok(Vec::new())
}

/// Notes progress and looks up whether to stop, until it is dropped.
async fn note(store: &Store, run: Uuid, attempt: i32, course: &Course) {
    loop {
        tokio::time::sleep(NOTE_EVERY).await;
        match store.note_progress(run, attempt, course.time()).await {
            Ok(true) => course.stop(),
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
