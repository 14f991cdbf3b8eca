//! The command line.

/// Prints a line; ends quietly if nobody reads any more, as when a pipe is closed.
macro_rules! say {
    ($($text:tt)*) => {{
        use std::io::Write;
        if writeln!(std::io::stdout(), $($text)*).is_err() {
            std::process::exit(0);
        }
    }};
}

mod files;
mod small_signal;

use crate::api::{self, App, Hosts};
use crate::computing::{self, Limits};
use crate::news::News;
use crate::queue::{Queue, at_once};
use crate::recorded::{Bench, Channel, Measured, keep};
use crate::store::{DEMO_ACCOUNT, NewRun, Store, StoreError, migrate};
use crate::worker::Worker;
use anyhow::Context;
use circuit::Supply;
use clap::{Args, Parser, Subcommand};
use std::net::SocketAddr;
use std::path::PathBuf;
use std::process::ExitCode;
use std::time::Duration;

/// Simulates power supplies and judges them by what they must do.
#[derive(Parser)]
#[command(name = "mellow-coil", version)]
struct Cli {
    #[command(subcommand)]
    command: Action,
}

#[derive(Subcommand)]
enum Action {
    /// Serves the application, with one worker inside unless told otherwise
    Serve {
        #[command(flatten)]
        database: Database,
        /// Address to listen on
        #[arg(long, default_value = "127.0.0.1:4610")]
        listen: SocketAddr,
        /// A name under which browsers may ask for it, beside those of loopback; may be given several times
        #[arg(long)]
        host: Vec<String>,
        /// Leave the runs to workers of their own
        #[arg(long)]
        no_worker: bool,
        #[command(flatten)]
        pace: Pace,
    },
    /// Executes queued runs
    Worker {
        #[command(flatten)]
        database: Database,
        #[command(flatten)]
        pace: Pace,
    },
    /// Computes one run for a worker, which starts it
    #[command(hide = true)]
    Compute,
    /// Brings the database up to date
    Migrate {
        #[command(flatten)]
        database: Database,
    },
    /// Puts the demo supplies into the library, unless they are there
    LoadDemo {
        #[command(flatten)]
        database: Database,
        /// Queue a run of every study of what is put in
        #[arg(long)]
        run: bool,
    },
    /// Runs a study of a supply document, without a database; exits with 0 if it is done, 1 if the run
    /// failed or its traces cannot be written, 2 for bad input
    Run {
        /// The supply document
        file: PathBuf,
        /// The study; the first if left out
        #[arg(long)]
        study: Option<String>,
        /// Folder for the traces, one CSV file
        #[arg(long)]
        out: Option<PathBuf>,
        /// Print JSON instead of text
        #[arg(long)]
        json: bool,
    },
    /// Checks a supply document; exits with 2 if it has errors
    Check {
        /// The supply document
        file: PathBuf,
        /// Print JSON instead of text
        #[arg(long)]
        json: bool,
    },
    /// Finds the operating point: voltages, currents, powers, and what each device is doing
    OperatingPoint {
        /// The supply document
        file: PathBuf,
        /// Print JSON instead of text
        #[arg(long)]
        json: bool,
    },
    /// Response of a signal to a small sinusoid in series with a voltage source, over frequency
    Response {
        #[command(flatten)]
        sweep: small_signal::Sweep,
        /// The source, such as V1
        #[arg(long)]
        source: String,
        /// The signal, such as out.v or L1.i
        #[arg(long)]
        signal: String,
    },
    /// Small-signal impedance between two nets, over frequency
    Impedance {
        #[command(flatten)]
        sweep: small_signal::Sweep,
        /// The net looked into
        #[arg(long)]
        net: String,
        /// The net the current returns by
        #[arg(long, default_value = circuit::GND)]
        back: String,
    },
    /// Loop gain at a pin, measured without opening the loop, with its margins
    LoopGain {
        #[command(flatten)]
        sweep: small_signal::Sweep,
        /// The pin the loop passes through, such as U1.inp
        #[arg(long)]
        pin: String,
        /// By switching: cut the loop at the pin instead of injecting into the closed one
        #[arg(long)]
        cut: bool,
    },
    /// Lists what a reading can measure, with units, numbers and definitions
    Measures,
    /// Prints the JSON Schema of the supply document
    Schema,
    /// Prints the OpenAPI document of the server
    Openapi,
}

#[derive(Args)]
struct Database {
    /// PostgreSQL connection URL
    #[arg(long, env = "DATABASE_URL")]
    database_url: String,
}

#[derive(Args)]
struct Pace {
    /// Memory a run may take, MiB; three quarters of the machine's, shared by those computed at once, if left out
    #[arg(long)]
    run_memory: Option<u64>,
    /// Let every run last at least this many milliseconds, to try out progress and stopping
    #[arg(long, hide = true)]
    slow_down: Option<u64>,
}

/// The last one stands first in the library.
const DEMOS: [&str; 6] = [
    include_str!("../../../../demo/sensor-rail-regulator.json"),
    include_str!("../../../../demo/beacon-lamp-boost.json"),
    include_str!("../../../../demo/signal-lamp-supply.json"),
    include_str!("../../../../demo/hydrophone-split-rails.json"),
    include_str!("../../../../demo/sensor-rails.json"),
    include_str!("../../../../demo/tide-gauge-mains-supply.json"),
];

/// Runs the command line.
pub async fn main() -> ExitCode {
    match Cli::parse().command {
        Action::Run { file, study, out, json } => files::run(&file, study.as_deref(), out.as_deref(), json),
        Action::Check { file, json } => files::check(&file, json),
        Action::OperatingPoint { file, json } => small_signal::operating_point_of(&file, json),
        Action::Response { sweep, source, signal } => small_signal::response(&sweep, &source, &signal),
        Action::Impedance { sweep, net, back } => small_signal::impedance(&sweep, &net, &back),
        Action::LoopGain { sweep, pin, cut } => small_signal::loop_gain_at(&sweep, &pin, cut),
        Action::Compute => computing::main(),
        Action::Measures => files::measures(),
        Action::Schema => print_json(&Supply::schema()),
        Action::Openapi => print_json(&api::document()),
        action => {
            let filter = tracing_subscriber::EnvFilter::try_from_default_env();
            let filter = filter.unwrap_or_else(|_| "info,apalis=warn,sqlx=warn".into());
            tracing_subscriber::fmt().with_env_filter(filter).with_writer(std::io::stderr).init();
            match serve(action).await {
                Ok(()) => ExitCode::SUCCESS,
                Err(error) => {
                    eprintln!("mellow-coil: {error:#}");
                    ExitCode::FAILURE
                }
            }
        }
    }
}

fn print_json(value: &impl serde::Serialize) -> ExitCode {
    say!("{}", serde_json::to_string_pretty(value).unwrap_or_default());
    ExitCode::SUCCESS
}

async fn serve(action: Action) -> anyhow::Result<()> {
    match action {
        Action::Serve { database, listen, host, no_worker, pace } => {
            let store = Store::new(&database.database_url)?;
            // A database that is away for a moment is waited for; one without its tables is not.
            if let Err(error @ StoreError::Unmigrated) = store.ping().await {
                return Err(error.into());
            }
            let queue = Queue::new(&database.database_url)?;
            if !no_worker {
                let (queue, worker) = (queue.clone(), worker(&store, &pace));
                tokio::spawn(async move { queue.work(worker).await });
            }
            let (looking, runs) = (queue.clone(), store.clone());
            tokio::spawn(async move { looking.find_stranded(&runs).await });
            tokio::spawn(crate::tidy::keep_tidy(store.clone(), queue.clone()));
            let listener =
                tokio::net::TcpListener::bind(listen).await.with_context(|| format!("cannot listen on {listen}"))?;
            println!("Mellow Coil is at http://{}", listener.local_addr()?);
            let news = News::listen(database.database_url);
            let router = api::router(App::new(store, queue, news), Hosts::new(host));
            crate::serving::serve(listener, router, asked_to_end()).await;
        }
        Action::Worker { database, pace } => {
            let store = Store::new(&database.database_url)?;
            let queue = Queue::new(&database.database_url)?;
            tokio::select! {
                () = queue.work(worker(&store, &pace)) => {}
                () = queue.find_stranded(&store) => {}
                () = asked_to_end() => {}
            }
        }
        Action::Migrate { database } => {
            migrate(&database.database_url).await.context("the database cannot be migrated")?;
            Queue::new(&database.database_url)?.migrate().await.context("the queue's tables cannot be created")?;
        }
        Action::LoadDemo { database, run } => load_demo(&Store::new(&database.database_url)?, run).await?,
        // The others need no database and were done before.
        _ => {}
    }
    Ok(())
}

fn worker(store: &Store, pace: &Pace) -> Worker {
    let memory = pace.run_memory.map_or_else(|| computing::share(at_once()), |mebibytes| mebibytes << 20);
    let limits = Limits { memory, slow_down: pace.slow_down.map(Duration::from_millis) };
    Worker { store: store.clone(), limits }
}

/// Puts in what is missing; its runs wait for the next server or worker that starts.
async fn load_demo(store: &Store, run: bool) -> anyhow::Result<()> {
    let present = store.titles(DEMO_ACCOUNT).await?;
    for text in DEMOS {
        let supply = Supply::from_json(text)?;
        if !present.contains(&supply.title) {
            let row = store.create_supply(DEMO_ACCOUNT, &supply).await?;
            for study in supply.studies.iter().filter(|_| run) {
                let document = circuit::as_run(&supply, Some(&study.id));
                let Ok(circuit) = circuit::resolve(&document) else { continue };
                let Some(resolved) = circuit.studies.iter().find(|s| s.id == study.id) else { continue };
                let new = NewRun {
                    supply: (row.id, row.revision),
                    document: &document,
                    study: &study.id,
                    duration: resolved.duration,
                    engine_version: studies::version_for(&circuit, resolved),
                    goes_on_from: None,
                    second_opinion_on: None,
                    passing: false,
                };
                store.create_run(DEMO_ACCOUNT, new).await?;
            }
            if run && supply.title == MEASURED_OF {
                load_measured(store, (row.id, row.revision), &supply).await?;
            }
        }
    }
    Ok(())
}

/// The demo supply that was measured on the bench (invented), and what its recorder wrote.
const MEASURED_OF: &str = "Tide gauge mains supply";
const MEASURED: (&str, &str) = ("tide-gauge-berth-2.csv", include_str!("../../../../measured/tide-gauge-berth-2.csv"));

async fn load_measured(store: &Store, row: (uuid::Uuid, i32), supply: &Supply) -> anyhow::Result<()> {
    let (study, (file, text)) = ("switch_on", MEASURED);
    let document = circuit::as_run(supply, Some(study));
    let circuit = circuit::resolve(&document).map_err(|_| anyhow::anyhow!("{MEASURED_OF} cannot be run"))?;
    // A divider of ten and a current probe of 10 mV/A; the recorder began 20 ms before switch-on.
    let channel = |column: usize, signal: &str, scale: f64| Channel { column, signal: signal.to_owned(), scale };
    let channels = vec![channel(1, "bus.v", 1e-2), channel(2, "D1.i", 0.1)];
    let mut bench = Bench::new(&circuit, &formats::read(file, text.as_bytes())?, 0, 1e-3, &channels)?;
    let delay = -20e-3;
    bench.delay(delay)?;
    let measured = Measured {
        title: "Berth 2".to_owned(),
        file: file.to_owned(),
        channels,
        delay,
        aligned: "delayed by −20 ms".to_owned(),
    };
    let packing = bench.packed(&circuit, study)?;
    keep(store, DEMO_ACCOUNT, row, (&document, study), &measured, &packing).await?;
    Ok(())
}

async fn asked_to_end() {
    let terminated = async {
        match tokio::signal::unix::signal(tokio::signal::unix::SignalKind::terminate()) {
            Ok(mut signal) => {
                signal.recv().await;
            }
            Err(_) => std::future::pending().await,
        }
    };
    tokio::select! {
        _ = tokio::signal::ctrl_c() => {}
        () = terminated => {}
    }
    // Streams of events would keep a graceful end waiting for ever.
    tokio::spawn(async {
        tokio::time::sleep(Duration::from_secs(2)).await;
        std::process::exit(0);
    });
}
