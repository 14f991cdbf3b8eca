//! Each run is computed in a process of its own, which may take so much memory and no more: a run that breaks it, or is broken off,
//! fails alone.

mod child;
mod memory;
mod messages;

pub(crate) use child::main;
pub(crate) use memory::share;

use crate::recorded::whole_pieces;
use crate::store::{Begun, Finish, RunState, Store};
use circuit::{Supply, resolve};
use messages::{Asked, Ended, Task, Told, receive, send};
use recording::Column;
use std::io;
use std::os::unix::process::ExitStatusExt;
use std::process::{ExitStatus, Stdio};
use std::sync::atomic::{AtomicU64, Ordering};
use std::time::Duration;
use tokio::io::AsyncReadExt;
use tokio::process::{Child, ChildStdin, ChildStdout, Command};
use tokio::sync::{Notify, mpsc, oneshot, watch};
use traces::Packed;
use uuid::Uuid;

/// How long a run that was asked to stop may go on without looking up, as in the midst of reducing a large configuration.
const GRACE: Duration = Duration::from_secs(3);
/// What is kept of what a process that breaks off has to say, bytes.
const LAST_WORDS: usize = 4096;

/// What a run may take.
#[derive(Clone, Copy, Debug)]
pub(crate) struct Limits {
    /// Memory, bytes.
    pub(crate) memory: u64,
    /// Least duration of a run of the longest study, for trying out progress and stopping.
    pub(crate) slow_down: Option<Duration>,
}

/// How far a run is, and the wish to stop it.
#[derive(Debug, Default)]
pub(crate) struct Course {
    /// Bits of the simulated time.
    time: AtomicU64,
    stop: watch::Sender<bool>,
}

impl Course {
    /// Simulated time reached, s.
    pub(crate) fn time(&self) -> f64 {
        f64::from_bits(self.time.load(Ordering::Relaxed))
    }

    pub(crate) fn stop(&self) {
        self.stop.send_replace(true);
    }

    async fn stopping(&self) {
        let mut wish = self.stop.subscribe();
        // The sender lives as long as this.
        let _ = wish.wait_for(|stop| *stop).await;
    }
}

/// Where rows go, with the nodes so far.
pub(crate) type Rows = mpsc::Sender<(Vec<Packed>, i64)>;

/// How a run ended, with the last of its rows and its nodes.
pub(crate) type Computed = (Finish, Vec<Packed>, Option<i64>);

/// Computes a run; what is recorded goes out as it comes. An error if no process can be started for it.
pub(crate) async fn compute(
    limits: Limits,
    store: &Store,
    run: Uuid,
    begun: Begun,
    course: &Course,
    rows: Rows,
) -> io::Result<Computed> {
    // The program as it was when it started, whatever stands in its place by now.
    let mut command = Command::new("/proc/self/exe");
    let piped = command.arg("compute").stdin(Stdio::piped()).stdout(Stdio::piped()).stderr(Stdio::piped());
    let mut child = piped.kill_on_drop(true).spawn()?;
    let gone = || io::Error::other("the process for the run has no pipes");
    let (to, from) = (child.stdin.take().ok_or_else(gone)?, child.stdout.take().ok_or_else(gone)?);
    let ((tell_begun, told_begun), heard) = (oneshot::channel(), Notify::new());
    let asking = ask(limits, store, run, &begun, to, (told_begun, &heard), course);
    let ended = tokio::select! {
        ended = hear(from, (tell_begun, &heard), course, rows) => ended,
        broken = asking => broken,
    };
    match ended {
        Heard::Ended(computed) => Ok(*computed),
        Heard::Replaced(message) => Ok((Finish::failed(message), Vec::new(), None)),
        Heard::Abandoned => Ok((Finish::stopped(), Vec::new(), None)),
        Heard::Gone => Ok((Finish::failed(broke_off(run, &mut child, limits).await?), Vec::new(), None)),
    }
}

/// How the conversation ended.
enum Heard {
    Ended(Box<Computed>),
    /// What was to be gone on from cannot be read.
    Replaced(String),
    /// It did not look up when it was asked to stop, or nobody waits for the rest.
    Abandoned,
    Gone,
}

/// Asks for the run, hands over what it goes on from, and later the wish to stop; returns if the run is to be broken off.
async fn ask(
    limits: Limits,
    store: &Store,
    run: Uuid,
    begun: &Begun,
    mut to: ChildStdin,
    (told_begun, heard): (oneshot::Receiver<bool>, &Notify),
    course: &Course,
) -> Heard {
    let task = Task {
        document: begun.document.to_string(),
        study: begun.study.clone(),
        kept: begun.before.as_ref().map(|before| before.kept.clone()),
        slow_down: limits.slow_down.map(|least| least.as_secs_f64()),
        memory: limits.memory,
    };
    // Where the process is gone, that is noticed where it is heard.
    let _ = send(&mut to, &Asked::Compute(task)).await;
    let overdue = async {
        course.stopping().await;
        tokio::time::sleep(GRACE).await;
    };
    // What is gone on from is handed over whole, even if the run is stopped meanwhile: the run stands for both.
    let wants = tokio::select! {
        wants = told_begun => wants.unwrap_or(false),
        () = overdue => return Heard::Abandoned,
    };
    if wants && let Err(message) = replay(store, begun, &mut to).await {
        return Heard::Replaced(format!("what was recorded before cannot be read: {message}"));
    }
    course.stopping().await;
    let _ = send(&mut to, &Asked::Stop).await;
    if tokio::time::timeout(GRACE, heard.notified()).await.is_err() {
        tracing::info!("run {run} did not look up when it was asked to stop, and is ended");
        return Heard::Abandoned;
    }
    std::future::pending().await
}

/// Hands over what an earlier run recorded, as if it were computed anew.
async fn replay(store: &Store, begun: &Begun, to: &mut ChildStdin) -> Result<(), String> {
    let Some(before) = &begun.before else { return Ok(()) };
    let columns = columns(&begun.document.to_string());
    let mut after = -1;
    loop {
        let pieces = whole_pieces(store, before.run, &columns, after).await.map_err(|error| error.to_string())?;
        let Some((last, _)) = pieces.last() else { break };
        after = *last;
        for (_, piece) in pieces {
            let _ = send(to, &Asked::from(piece)).await;
        }
    }
    let _ = send(to, &Asked::Begin).await;
    Ok(())
}

fn columns(document: &str) -> Vec<Column> {
    let circuit = Supply::from_json(document).ok().and_then(|supply| resolve(&supply).ok());
    circuit.map(|circuit| recording::columns(&circuit)).unwrap_or_default()
}

/// Hears what the process has to tell, to its end.
async fn hear(
    mut from: ChildStdout,
    (begun, heard): (oneshot::Sender<bool>, &Notify),
    course: &Course,
    rows: Rows,
) -> Heard {
    let mut begun = Some(begun);
    loop {
        match receive(&mut from).await {
            Ok(Told::Begun { wants }) => {
                begun.take().map(|begun| begun.send(wants));
            }
            Ok(Told::Reached(time)) => course.time.store(time.to_bits(), Ordering::Relaxed),
            Ok(Told::Stopping) => heard.notify_one(),
            // Storing has failed for good; nobody waits for the rest.
            Ok(Told::Rows(packed, nodes)) => {
                if rows.send((packed, nodes)).await.is_err() {
                    return Heard::Abandoned;
                }
            }
            Ok(Told::Ended { last, nodes, ran }) => {
                let finish = ran.map_or_else(Finish::failed, finish);
                return Heard::Ended(Box::new((finish, last, Some(nodes))));
            }
            Ok(Told::Refused(message)) => {
                return Heard::Ended(Box::new((Finish::failed(message), Vec::new(), None)));
            }
            Err(_) => return Heard::Gone,
        }
    }
}

fn finish(Ended { outcome, stopped, message, engine_version, kept }: Ended) -> Finish {
    let state = match (&message, stopped) {
        (Some(_), _) => RunState::Failed,
        (None, true) => RunState::Stopped,
        (None, false) => RunState::Done,
    };
    Finish { state, outcome: serde_json::from_str(&outcome).ok(), message, engine_version: Some(engine_version), kept }
}

/// Why a process ended without having told how its run did, in words.
async fn broke_off(run: Uuid, child: &mut Child, limits: Limits) -> io::Result<String> {
    let mut words = Vec::new();
    if let Some(errors) = &mut child.stderr {
        let _ = errors.take(LAST_WORDS as u64).read_to_end(&mut words).await;
    }
    let words = String::from_utf8_lossy(&words);
    let status = child.wait().await?;
    tracing::error!("run {run} broke off with {status}: {words}");
    Ok(reason(status, &words, limits.memory))
}

fn reason(status: ExitStatus, words: &str, memory: u64) -> String {
    const KILLED: i32 = 9;
    let remedy = "shorten the study, record from a later time, or make the circuit smaller";
    if words.contains("memory allocation") {
        let gigabytes = memory as f64 / f64::from(1 << 30);
        format!("the run needs more than the {gigabytes:.2} GiB of memory a run may take; {remedy}")
    } else if status.signal() == Some(KILLED) {
        format!("the run was ended from outside, as happens where memory runs out; {remedy}")
    } else {
        "the simulation broke off because of a defect in Mellow Coil".to_owned()
    }
}
