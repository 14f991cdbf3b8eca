//! The process that computes: one run, then it ends. It ends as well when its worker is gone.

use super::messages::{Asked, Ended, Task, Told, read, write};
use crate::recorded::Spool;
use circuit::{Circuit, Severity, Supply, resolve};
use recording::{Chunk, Chunks, Command, Observer, Parter, Piece, Progress, Unreadable};
use rustix::process::{Resource, Rlimit, nice, setrlimit};
use std::io::{self, BufReader, Stdin, Stdout};
use std::process::{ExitCode, exit};
use std::sync::Arc;
use std::sync::atomic::{AtomicBool, Ordering};
use std::time::{Duration, Instant};
use studies::{End, Kept, Ran};
use traces::TraceBuilder;

/// How far behind the threads that answer requests a computing process stands.
const NICE: i32 = 10;
/// How often the worker is told how far it is.
const TELL_EVERY: Duration = Duration::from_millis(100);

/// Computes what is asked over the standard input, and tells over the standard output.
pub(crate) fn main() -> ExitCode {
    let mut from = BufReader::new(io::stdin());
    let Ok(Asked::Compute(task)) = read(&mut from) else {
        eprintln!("mellow-coil: a worker starts this for itself");
        return ExitCode::from(2);
    };
    // Where that is not allowed it is no reason not to compute.
    let _ = nice(NICE);
    let most = |bytes| Rlimit { current: Some(bytes), maximum: Some(bytes) };
    let _ = setrlimit(Resource::Data, most(task.memory));
    let _ = setrlimit(Resource::Core, most(0));
    match compute(&task, from) {
        Ok(()) => ExitCode::SUCCESS,
        // Nobody is there to be told.
        Err(_) => ExitCode::FAILURE,
    }
}

fn prepare(document: &str) -> Result<Circuit, String> {
    let supply = Supply::from_json(document).map_err(|error| error.to_string())?;
    resolve(&supply).map_err(|findings| {
        let errors = findings.iter().filter(|f| f.severity == Severity::Error);
        errors.map(|f| format!("{}. {}.", f.message, f.remedy)).collect::<Vec<_>>().join(" ")
    })
}

fn compute(task: &Task, mut from: BufReader<Stdin>) -> io::Result<()> {
    let mut to = io::stdout();
    let circuit = match prepare(&task.document) {
        Ok(circuit) => circuit,
        Err(message) => return write(&mut to, &Told::Refused(message)),
    };
    // What cannot be gone on with is computed from its beginning.
    let kept = task.kept.as_deref().and_then(|bytes| {
        let kept: Kept = ciborium::from_reader(bytes).ok()?;
        kept.fits(&circuit).ok().map(|()| kept)
    });
    let stop = Arc::new(AtomicBool::new(false));
    let mut reporter = Reporter {
        builder: TraceBuilder::new(&circuit, &recording::columns(&circuit)),
        spool: Spool::default(),
        to,
        stop: Arc::clone(&stop),
        heard: false,
        started: Instant::now(),
        told: Instant::now(),
        from: None,
        slow_down: task.slow_down.map(Duration::from_secs_f64),
    };
    write(&mut reporter.to, &Told::Begun { wants: kept.is_some() })?;
    if kept.is_some() {
        let mut parter = Parter::default();
        while let Asked::Before { times, columns, again } = read(&mut from)? {
            reporter.record(parter.part(&Chunk { times, columns, again }));
        }
    }
    std::thread::spawn(move || listen(from, &stop));
    let ran = studies::go_on(&circuit, &task.study, kept.as_ref(), &mut reporter);
    let ran = ran.map_err(|error| error.to_string()).and_then(|ran| ended(&ran).map_err(|error| error.to_string()));
    let last = reporter.builder.finish();
    let nodes = reporter.builder.nodes();
    write(&mut reporter.to, &Told::Ended { last, nodes, ran })
}

/// Hears what the worker asks, until it is gone.
fn listen(mut from: BufReader<Stdin>, stop: &AtomicBool) {
    while read::<Asked>(&mut from).is_ok() {
        stop.store(true, Ordering::Relaxed);
    }
    exit(1);
}

fn ended(Ran { outcome, kept }: &Ran) -> serde_json::Result<Ended> {
    let mut bytes = Vec::new();
    let kept = kept.as_ref().and_then(|kept| {
        ciborium::into_writer(kept, &mut bytes).ok()?;
        Some((kept.time(), bytes))
    });
    let (stopped, message) = match &outcome.end {
        End::Done => (false, None),
        End::Stopped { .. } => (true, None),
        End::Failed { message } => (false, Some(message.clone())),
    };
    let engine_version = outcome.health.engine_version.clone();
    Ok(Ended { outcome: serde_json::to_string(outcome)?, stopped, message, engine_version, kept })
}

/// Packs chunks, hands them over to be stored, and keeps them until the run is judged.
struct Reporter {
    builder: TraceBuilder,
    spool: Spool,
    to: Stdout,
    stop: Arc<AtomicBool>,
    /// Whether the worker knows that the wish to stop is heard.
    heard: bool,
    started: Instant,
    /// When the worker was told last how far it is.
    told: Instant,
    /// Simulated time of the first step, s.
    from: Option<f64>,
    slow_down: Option<Duration>,
}

impl Reporter {
    fn tell(&mut self, message: &Told) {
        // Without the worker there is nobody to compute for.
        if write(&mut self.to, message).is_err() {
            exit(1);
        }
    }
}

impl Observer for Reporter {
    fn progress(&mut self, progress: &Progress<'_>) -> Command {
        if self.told.elapsed() >= TELL_EVERY {
            self.told = Instant::now();
            self.tell(&Told::Reached(progress.time));
        }
        if let Some(whole) = self.slow_down {
            let from = *self.from.get_or_insert(progress.time);
            let due = whole.mul_f64(((progress.time - from) / progress.end).clamp(0.0, 1.0));
            let ahead = due.saturating_sub(self.started.elapsed());
            if ahead > Duration::from_millis(5) {
                std::thread::sleep(ahead);
            }
        }
        let stops = self.stop.load(Ordering::Relaxed) || self.spool.trouble().is_some();
        if stops && !self.heard {
            self.heard = true;
            self.tell(&Told::Stopping);
        }
        if stops { Command::Stop } else { Command::Continue }
    }

    fn record(&mut self, chunk: Chunk) {
        self.spool.push(&chunk);
        let rows = self.builder.push(&chunk);
        let nodes = self.builder.nodes();
        self.tell(&Told::Rows(rows, nodes));
    }
}

impl Chunks for Reporter {
    fn whole(&self) -> (f64, f64) {
        self.spool.whole()
    }
    fn folded(&self, from: f64, to: f64, columns: &[usize], take: &mut dyn FnMut(Piece<'_>)) -> Result<(), Unreadable> {
        self.spool.folded(from, to, columns, take)
    }
}
