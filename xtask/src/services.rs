//! PostgreSQL, the server and ChromeDriver as children that end with the process that started
//! them, however it ends.

use crate::{install, paths};
use anyhow::{Context, Result, bail};
use std::net::{TcpListener, TcpStream};
use std::path::{Path, PathBuf};
use std::process::{Child, Command, Stdio};
use std::sync::mpsc;
use std::time::{Duration, Instant};

/// A free port on loopback.
///
/// # Errors
/// If there is none.
pub fn free_port() -> Result<u16> {
    Ok(TcpListener::bind("127.0.0.1:0")?.local_addr()?.port())
}

/// A child process that is ended when this is dropped.
#[derive(Debug)]
struct Guarded {
    child: Child,
    signal: &'static str,
}

impl Guarded {
    /// Starts a program that gets `signal` when this process ends, and when it is dropped.
    fn start(mut command: Command, signal: &'static str, user: Option<&str>) -> Result<Self> {
        let mut guarded = Command::new("setpriv");
        guarded.args(["--pdeathsig", signal]);
        if let Some(user) = user {
            guarded.args(["--reuid", user, "--regid", user, "--clear-groups"]);
        }
        guarded.arg("--").arg(command.get_program()).args(command.get_args());
        for (key, value) in command.get_envs() {
            match value {
                Some(value) => guarded.env(key, value),
                None => guarded.env_remove(key),
            };
        }
        guarded.stdin(Stdio::null());
        command = guarded;
        // The signal comes when the *thread* ends that started the child, so that thread has to
        // outlive every test; it sleeps until the process ends.
        let (sender, receiver) = mpsc::channel();
        command.stdout(Stdio::null()).stderr(Stdio::null());
        if let Some(log) = std::env::var_os("MELLOW_COIL_TEST_LOG") {
            let open = || std::fs::OpenOptions::new().create(true).append(true).open(&log);
            command.stdout(open()?).stderr(open()?);
        }
        std::thread::spawn(move || {
            let _ = sender.send(command.spawn());
            loop {
                std::thread::park();
            }
        });
        let child = receiver.recv()?.context("setpriv cannot be started; it comes with util-linux")?;
        Ok(Guarded { child, signal })
    }

    fn ended(&mut self) -> bool {
        !matches!(self.child.try_wait(), Ok(None))
    }

    fn end(&mut self, signal: &str) {
        let id = self.child.id().to_string();
        let _ = Command::new("kill").args(["-s", signal, &id]).stderr(Stdio::null()).status();
        let deadline = Instant::now() + Duration::from_secs(10);
        while !self.ended() && Instant::now() < deadline {
            std::thread::sleep(Duration::from_millis(20));
        }
        let _ = self.child.kill();
        let _ = self.child.wait();
    }
}

impl Drop for Guarded {
    fn drop(&mut self) {
        self.end(self.signal);
    }
}

fn wait_for_port(port: u16, process: &mut Guarded, what: &str) -> Result<()> {
    let deadline = Instant::now() + Duration::from_secs(60);
    while TcpStream::connect(("127.0.0.1", port)).is_err() {
        if process.ended() {
            bail!("{what} ended right after its start");
        }
        if Instant::now() > deadline {
            bail!("{what} does not answer");
        }
        std::thread::sleep(Duration::from_millis(30));
    }
    Ok(())
}

/// A PostgreSQL server on loopback with a data directory of its own.
#[derive(Debug)]
pub struct Postgres {
    process: Option<Guarded>,
    data: PathBuf,
    port: u16,
    lasting: bool,
    _folder: Option<tempfile::TempDir>,
}

impl Postgres {
    /// Starts a server whose data vanishes with it.
    ///
    /// # Errors
    /// If PostgreSQL is not installed or does not start.
    pub fn temporary() -> Result<Self> {
        let folder = tempfile::Builder::new().prefix("mellow-coil-").tempdir()?;
        let data = folder.path().join("data");
        Self::start(data, false, Some(folder))
    }

    /// Starts a server on the project's lasting data directory.
    ///
    /// # Errors
    /// If PostgreSQL is not installed or does not start.
    pub fn lasting() -> Result<Self> {
        let folder = paths::root().join(".local");
        std::fs::create_dir_all(&folder)?;
        Self::start(folder.join("postgres"), true, None)
    }

    fn start(data: PathBuf, lasting: bool, folder: Option<tempfile::TempDir>) -> Result<Self> {
        let port = free_port()?;
        let mut postgres = Postgres { process: None, data, port, lasting, _folder: folder };
        postgres.initialise()?;
        postgres.restart()?;
        Ok(postgres)
    }

    /// PostgreSQL refuses to run as root.
    fn user() -> Option<&'static str> {
        install::is_root().then_some("postgres")
    }

    fn initialise(&self) -> Result<()> {
        if self.data.join("PG_VERSION").exists() {
            return Ok(());
        }
        std::fs::create_dir_all(&self.data)?;
        if let (Some(user), Some(folder)) = (Self::user(), self.data.parent()) {
            let mine = if self.lasting { &self.data } else { folder };
            run(Command::new("chown").args(["-R", user]).arg(mine))?;
        }
        let programs = install::postgres_programs().context("PostgreSQL is not installed")?;
        let mut command = as_user(Self::user(), &programs.join("initdb"));
        command.arg("-D").arg(&self.data).args(["-U", "mellow", "-A", "trust", "-E", "UTF8", "--locale=C", "-N"]);
        run(&mut command)
    }

    /// Starts the server again on the same data and port, after [`Postgres::stop`] or a crash.
    ///
    /// # Errors
    /// If it does not start.
    pub fn restart(&mut self) -> Result<()> {
        self.stop();
        let programs = install::postgres_programs().context("PostgreSQL is not installed")?;
        let mut command = Command::new(programs.join("postgres"));
        command.arg("-D").arg(&self.data).args(["-h", "127.0.0.1", "-p", &self.port.to_string(), "-k", ""]);
        if !self.lasting {
            command.args(["-c", "fsync=off", "-c", "full_page_writes=off"]);
        }
        let mut process = Guarded::start(command, "INT", Self::user())?;
        wait_for_port(self.port, &mut process, "PostgreSQL")?;
        self.process = Some(process);
        self.wait_until_it_answers()
    }

    fn wait_until_it_answers(&self) -> Result<()> {
        let programs = install::postgres_programs().context("PostgreSQL is not installed")?;
        let deadline = Instant::now() + Duration::from_secs(60);
        loop {
            let mut command = Command::new(programs.join("pg_isready"));
            command.args(["-q", "-h", "127.0.0.1", "-p", &self.port.to_string()]);
            if command.status().is_ok_and(|status| status.success()) {
                return Ok(());
            }
            if Instant::now() > deadline {
                bail!("PostgreSQL does not answer");
            }
            std::thread::sleep(Duration::from_millis(50));
        }
    }

    /// Ends the server, cutting every connection.
    pub fn stop(&mut self) {
        self.process = None;
    }

    /// The connection URL.
    pub fn url(&self) -> String {
        format!("postgres://mellow@127.0.0.1:{}/postgres", self.port)
    }
}

fn as_user(user: Option<&str>, program: &Path) -> Command {
    match user {
        Some(user) => {
            let mut command = Command::new("setpriv");
            command.args(["--reuid", user, "--regid", user, "--clear-groups", "--"]).arg(program);
            command
        }
        None => Command::new(program),
    }
}

fn run(command: &mut Command) -> Result<()> {
    let output = command.stdin(Stdio::null()).output().with_context(|| format!("{command:?} cannot be started"))?;
    if !output.status.success() {
        bail!("{command:?} failed: {}", String::from_utf8_lossy(&output.stderr));
    }
    Ok(())
}

/// A running `mellow-coil serve` or `mellow-coil worker`.
#[derive(Debug)]
pub struct Server {
    process: Guarded,
    port: u16,
}

impl Server {
    /// Migrates the database and loads the demo supplies that are missing, with further arguments for
    /// loading them.
    ///
    /// # Errors
    /// If any of that fails.
    pub fn prepare(database: &str, arguments: &[&str]) -> Result<()> {
        run(Command::new(paths::program()).args(["migrate", "--database-url", database]))?;
        run(Command::new(paths::program()).args(["load-demo", "--database-url", database]).args(arguments))
    }

    /// Prepares the database and serves.
    ///
    /// # Errors
    /// If any of that fails.
    pub fn start(database: &str, port: u16, arguments: &[&str]) -> Result<Self> {
        Self::prepare(database, &[])?;
        let mut command = Command::new(paths::program());
        command.args(["serve", "--database-url", database, "--listen", &format!("127.0.0.1:{port}")]).args(arguments);
        let mut process = Guarded::start(command, "TERM", None)?;
        wait_for_port(port, &mut process, "Mellow Coil")?;
        Ok(Server { process, port })
    }

    /// Starts a worker of its own; it listens nowhere.
    ///
    /// # Errors
    /// If it does not start.
    pub fn worker(database: &str, arguments: &[&str]) -> Result<Self> {
        let mut command = Command::new(paths::program());
        command.args(["worker", "--database-url", database]).args(arguments);
        Ok(Server { process: Guarded::start(command, "TERM", None)?, port: 0 })
    }

    /// The address to open.
    pub fn address(&self) -> String {
        format!("http://127.0.0.1:{}", self.port)
    }

    /// Ends it without any chance to tidy up.
    pub fn kill(mut self) {
        self.process.end("KILL");
    }

    /// Ends the processes it has started without any chance to tidy up; how many there were.
    ///
    /// # Errors
    /// If the system does not tell of them.
    pub fn kill_children(&self) -> Result<usize> {
        let mut children = Vec::new();
        for thread in std::fs::read_dir(format!("/proc/{}/task", self.process.child.id()))? {
            let told = std::fs::read_to_string(thread?.path().join("children"))?;
            children.extend(told.split_whitespace().map(str::to_owned));
        }
        for child in &children {
            run(Command::new("kill").args(["-s", "KILL", child]))?;
        }
        Ok(children.len())
    }

    /// Whether it has ended by itself.
    pub fn ended(&mut self) -> bool {
        self.process.ended()
    }
}

/// A running ChromeDriver.
#[derive(Debug)]
pub struct ChromeDriver {
    _process: Guarded,
    port: u16,
}

impl ChromeDriver {
    /// Starts ChromeDriver on a free port.
    ///
    /// # Errors
    /// If it is not installed or does not start.
    pub fn start() -> Result<Self> {
        let port = free_port()?;
        let mut command = Command::new("/usr/bin/chromedriver");
        command.arg(format!("--port={port}"));
        let mut process = Guarded::start(command, "TERM", None)?;
        wait_for_port(port, &mut process, "ChromeDriver")?;
        Ok(ChromeDriver { _process: process, port })
    }

    /// The address of the WebDriver service.
    pub fn address(&self) -> String {
        format!("http://127.0.0.1:{}", self.port)
    }
}
