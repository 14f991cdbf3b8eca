//! Installs what a fresh machine lacks.

use anyhow::{Context, Result, bail};
use std::path::{Path, PathBuf};
use std::process::{Command, Stdio};

/// The folder of PostgreSQL's programs, the newest version installed.
pub fn postgres_programs() -> Option<PathBuf> {
    let versions = std::fs::read_dir("/usr/lib/postgresql").ok()?;
    let version = |path: &Path| path.file_name()?.to_str()?.parse::<u32>().ok();
    versions
        .filter_map(|entry| Some(entry.ok()?.path()))
        .filter(|path| path.join("bin/initdb").exists())
        .max_by_key(|path| version(path))
        .map(|path| path.join("bin"))
}

/// Whether this process may do everything.
pub fn is_root() -> bool {
    let output = Command::new("id").arg("-u").output();
    output.is_ok_and(|output| output.stdout == b"0\n")
}

/// PostgreSQL's server.
///
/// # Errors
/// If it is missing and cannot be installed.
pub fn postgres() -> Result<()> {
    if postgres_programs().is_some() {
        return Ok(());
    }
    apt(&["postgresql-common"])?;
    // Debian would create and start a cluster of its own, which nobody asked for.
    let settings = Path::new("/etc/postgresql-common/createcluster.d");
    if is_root() && settings.is_dir() {
        std::fs::write(settings.join("mellow-coil.conf"), "create_main_cluster = false\n")?;
    }
    apt(&["postgresql"])
}

/// Chromium and its driver.
///
/// # Errors
/// If they are missing and cannot be installed.
pub fn browser() -> Result<()> {
    let found = |path: &str| Path::new(path).exists();
    if found("/usr/bin/chromium") && found("/usr/bin/chromedriver") {
        Ok(())
    } else {
        apt(&["chromium", "chromium-driver"])
    }
}

/// Node.js and npm.
///
/// # Errors
/// If they are missing and cannot be installed.
pub fn node() -> Result<()> {
    let works = |program: &str| {
        let mut command = Command::new(program);
        command.arg("--version").stdout(Stdio::null()).stderr(Stdio::null()).status().is_ok_and(|s| s.success())
    };
    if works("node") && works("npm") { Ok(()) } else { apt(&["nodejs", "npm"]) }
}

fn apt(packages: &[&str]) -> Result<()> {
    println!("Installing {}", packages.join(", "));
    let run = |arguments: &[&str]| -> Result<()> {
        let mut command = if is_root() {
            Command::new("apt-get")
        } else {
            let mut command = Command::new("sudo");
            command.args(["-n", "apt-get"]);
            command
        };
        let status = command
            .env("DEBIAN_FRONTEND", "noninteractive")
            .args(["-y", "-qq", "-o", "Dpkg::Use-Pty=0"])
            .args(arguments)
            .stdout(Stdio::null())
            .status()
            .context("apt-get cannot be started")?;
        if !status.success() {
            bail!(
                "these Debian packages are missing and could not be installed: {}; install them and try again",
                packages.join(", ")
            );
        }
        Ok(())
    };
    run(&["update"])?;
    let mut arguments = vec!["install", "--no-install-recommends"];
    arguments.extend(packages);
    run(&arguments)
}
