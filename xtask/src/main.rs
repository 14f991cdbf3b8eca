//! The project's commands: `cargo xtask demo | test | campaign | lint | bench | corpus | shots | types`.

use anyhow::{Context, Result, bail};
use clap::{Parser, Subcommand};
use std::net::TcpListener;
use std::path::Path;
use std::process::Command;
use std::sync::mpsc;
use xtask::services::free_port;
use xtask::{Postgres, Server, install, paths};

/// Does what the project needs done, and installs what is missing for it.
#[derive(Parser)]
#[command(name = "cargo xtask")]
struct Cli {
    #[command(subcommand)]
    command: Action,
}

#[derive(Clone, Subcommand)]
enum Action {
    /// Builds and serves the application with the demo supplies
    Demo,
    /// Runs every test, browser tests included
    Test,
    /// Runs the random tests from fresh seeds, for as long as asked
    Campaign {
        /// How long, minutes
        #[arg(long, default_value_t = 60)]
        minutes: u64,
        /// A suite, such as changes or topologies; may be given several times; all random ones if left out
        #[arg(long)]
        suite: Vec<String>,
    },
    /// Checks format, lints, types and documentation
    Lint,
    /// Runs the benchmarks
    Bench,
    /// Runs the engine's corpus of hard circuits and prints how each went
    Corpus,
    /// Retakes docs/screenshots with the demo supplies
    Shots,
    /// Makes the interface's types from the API again
    Types,
}

/// The port people will remember; another one if it is taken.
const PORT: u16 = 4610;

fn main() -> Result<()> {
    match Cli::parse().command {
        Action::Demo => demo(),
        Action::Test => test(),
        Action::Campaign { minutes, suite } => {
            ready_for_browser()?;
            xtask::campaign::run(minutes, &suite)
        }
        Action::Lint => lint(),
        Action::Bench => bench(),
        Action::Corpus => cargo(&["test", "--workspace", "--test", "corpus", "--", "--nocapture"]),
        Action::Shots => shots(),
        Action::Types => types(),
    }
}

fn demo() -> Result<()> {
    install::postgres()?;
    install::node()?;
    // The server carries the interface inside it; what it rests on is built meanwhile.
    let interface = std::thread::spawn(build_interface);
    step("Building the server");
    cargo(&["build", "--package", "mellow-features", "--package", "mellow-design", "--package", "mellow-studies"])?;
    interface.join().map_err(|_| anyhow::anyhow!("building the interface broke off"))??;
    cargo(&["build", "--package", "mellow-server", "--bin", "mellow-coil"])?;
    step("Starting PostgreSQL");
    let postgres = Postgres::lasting()?;
    Server::prepare(&postgres.url(), &["--run"])?;
    let port = if TcpListener::bind(("127.0.0.1", PORT)).is_ok() { PORT } else { free_port()? };
    let mut server = Server::start(&postgres.url(), port, &[])?;
    println!("\nMellow Coil is at {}\nPress Ctrl-C to end it.", server.address());
    let (sender, receiver) = mpsc::channel();
    ctrlc::set_handler(move || {
        let _ = sender.send(());
    })?;
    while receiver.recv_timeout(std::time::Duration::from_millis(500)).is_err() {
        if server.ended() {
            bail!("the server ended by itself");
        }
    }
    Ok(())
}

fn test() -> Result<()> {
    step("Building");
    ready_for_browser()?;
    step("Running the tests");
    // Random tests draw the same every time here; `cargo xtask campaign` draws afresh. One that fails hides none behind it.
    let mut tests = Command::new("cargo");
    tests.args(["test", "--workspace", "--no-fail-fast"]).env("PROPTEST_RNG_SEED", SEED);
    in_folder(&mut tests, &paths::root())
}

const SEED: &str = "20260917";

const BUILD_ALL: [&str; 3] = ["test", "--workspace", "--no-run"];

fn bench() -> Result<()> {
    cargo(&["bench", "--workspace"])?;
    ready_for_browser()?;
    cargo(&["test", "--workspace", "--test", "answer", "--", "--ignored", "--nocapture"])
}

/// Installs and builds what a browser in front of the application needs.
fn ready_for_browser() -> Result<()> {
    install::postgres()?;
    install::node()?;
    install::browser()?;
    build_interface()?;
    cargo(&BUILD_ALL)
}

fn shots() -> Result<()> {
    ready_for_browser()?;
    cargo(&["test", "--workspace", "--test", "shots", "--", "--ignored", "--nocapture"])
}

fn lint() -> Result<()> {
    install::node()?;
    step("Rust: format, lints, documentation");
    cargo(&["fmt", "--all", "--check"])?;
    xtask::features::check()?;
    build_interface()?;
    cargo(&["clippy", "--workspace", "--all-targets", "--", "-D", "warnings"])?;
    in_folder(
        Command::new("cargo").args(["doc", "--workspace", "--no-deps", "--quiet"]).env("RUSTDOCFLAGS", "-D warnings"),
        &paths::root(),
    )?;
    step("Interface: format, lints, types");
    let web = paths::root().join("web");
    npm(&["run", "lint"], &web)?;
    step("Types of the interface against the API");
    let before = std::fs::read_to_string(web.join(TYPES)).unwrap_or_default();
    types()?;
    if std::fs::read_to_string(web.join(TYPES))? != before {
        bail!("web/{TYPES} was out of date and has been made again; commit it");
    }
    Ok(())
}

const TYPES: &str = "src/api/schema.ts";

fn types() -> Result<()> {
    install::node()?;
    let web = paths::root().join("web");
    install_packages(&web)?;
    cargo(&BUILD_ALL)?;
    let output = Command::new(paths::program()).arg("openapi").output()?;
    let document = paths::root().join("target/openapi.json");
    std::fs::write(&document, output.stdout)?;
    let document = document.to_string_lossy().into_owned();
    npm(&["exec", "--", "openapi-typescript", &document, "--output", TYPES], &web)?;
    npm(&["exec", "--", "prettier", "--write", "--log-level", "warn", TYPES], &web)
}

/// Builds `web/dist` if its sources are newer.
fn build_interface() -> Result<()> {
    let web = paths::root().join("web");
    install_packages(&web)?;
    let built = modified(&web.join("dist/index.html"));
    let sources = ["src", "public", "index.html", "package-lock.json", "vite.config.ts"];
    let newest = sources.iter().filter_map(|name| newest(&web.join(name))).max();
    if built.is_some() && built >= newest {
        return Ok(());
    }
    step("Building the interface");
    npm(&["run", "build"], &web)
}

fn install_packages(web: &Path) -> Result<()> {
    let installed = modified(&web.join("node_modules/.package-lock.json"));
    if installed.is_some() && installed >= modified(&web.join("package-lock.json")) {
        return Ok(());
    }
    step("Installing the interface's packages");
    npm(&["ci", "--no-audit", "--no-fund"], web)?;
    // npm keeps the lock file's time; what counts here is that it was installed.
    let stamp = std::fs::File::options().append(true).open(web.join("node_modules/.package-lock.json"))?;
    Ok(stamp.set_modified(std::time::SystemTime::now())?)
}

fn modified(path: &Path) -> Option<std::time::SystemTime> {
    std::fs::metadata(path).ok()?.modified().ok()
}

/// Latest change of a file or anything in a folder.
fn newest(path: &Path) -> Option<std::time::SystemTime> {
    if !path.is_dir() {
        return modified(path);
    }
    let entries = std::fs::read_dir(path).ok()?;
    entries.filter_map(|entry| newest(&entry.ok()?.path())).chain(modified(path)).max()
}

fn step(text: &str) {
    println!("— {text}");
}

fn cargo(arguments: &[&str]) -> Result<()> {
    in_folder(Command::new("cargo").args(arguments), &paths::root())
}

fn npm(arguments: &[&str], folder: &Path) -> Result<()> {
    in_folder(Command::new("npm").args(arguments), folder)
}

fn in_folder(command: &mut Command, folder: &Path) -> Result<()> {
    let status = command.current_dir(folder).status().with_context(|| format!("{command:?} cannot be started"))?;
    if !status.success() {
        bail!("{command:?} failed");
    }
    Ok(())
}
