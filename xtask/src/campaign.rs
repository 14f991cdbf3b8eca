//! Random tests from fresh seeds, for as long as asked.

use crate::paths;
use anyhow::{Result, bail};
use std::fs;
use std::path::Path;
use std::process::Command;
use std::time::{Duration, Instant, SystemTime};

/// Variables random tests take their seed from.
const SEEDS: [&str; 2] = ["MELLOW_COIL_FROM", "PROPTEST_RNG_SEED"];
/// What a file with a random test has in it.
const SIGNS: [&str; 2] = ["proptest!", "MELLOW_COIL_FROM"];

/// A suite of tests: the crate's folder and the suite's name.
#[derive(Clone, Debug, PartialEq, Eq, PartialOrd, Ord)]
pub struct Suite {
    /// The folder of its crate.
    pub folder: String,
    /// What Cargo calls it.
    pub name: String,
}

/// Every suite with a random test in it.
///
/// # Errors
/// If the sources cannot be read.
pub fn random_suites() -> Result<Vec<Suite>> {
    let root = paths::root();
    let crates = fs::read_dir(root.join("crates"))?.flatten().map(|entry| entry.path());
    let mut suites = Vec::new();
    for folder in crates.chain([root.join("e2e")]) {
        for entry in fs::read_dir(folder.join("tests")).into_iter().flatten().flatten() {
            let (path, whole) = (entry.path(), entry.path().join("main.rs"));
            // What a folder without a main file holds belongs to others.
            let alone = path.extension().is_some_and(|ending| ending == "rs");
            if (alone || whole.exists()) && is_random(&path)? {
                let name = path.file_stem().unwrap_or_default().to_string_lossy().into_owned();
                let folder = folder.strip_prefix(&root)?.to_string_lossy().into_owned();
                suites.push(Suite { folder, name });
            }
        }
    }
    suites.sort();
    Ok(suites)
}

fn is_random(path: &Path) -> Result<bool> {
    if path.is_dir() {
        let inside = fs::read_dir(path)?.flatten();
        return inside.map(|entry| is_random(&entry.path())).try_fold(false, |any, one| Ok(any || one?));
    }
    let text = fs::read_to_string(path)?;
    Ok(SIGNS.iter().any(|sign| text.contains(sign)))
}

/// Runs the random suites, or those named, one after the other, each round from another seed, until so many minutes have passed.
///
/// # Errors
/// If one failed, with what repeats it.
pub fn run(minutes: u64, only: &[String]) -> Result<()> {
    let suites: Vec<Suite> =
        random_suites()?.into_iter().filter(|s| only.is_empty() || only.contains(&s.name)).collect();
    if suites.is_empty() {
        let names: Vec<String> = random_suites()?.into_iter().map(|suite| suite.name).collect();
        bail!("there is no such suite; those with random tests are {}", names.join(", "));
    }
    let (begun, mut failed, mut count) = (Instant::now(), Vec::new(), 0);
    let seconds = 60 * minutes;
    while begun.elapsed() < Duration::from_secs(seconds) {
        let seed = SystemTime::now().duration_since(SystemTime::UNIX_EPOCH)?.as_millis() as u32;
        for Suite { folder, name } in &suites {
            let manifest = format!("{folder}/Cargo.toml");
            let arguments = ["test", "--quiet", "--no-fail-fast", "--manifest-path", &manifest, "--test", name];
            let mut command = Command::new("cargo");
            command.current_dir(paths::root()).args(arguments).envs(SEEDS.map(|name| (name, seed.to_string())));
            count += 1;
            if !command.status()?.success() {
                let seeds = SEEDS.map(|name| format!("{name}={seed}")).join(" ");
                failed.push(format!("{seeds} cargo {}", arguments.join(" ")));
            }
            if begun.elapsed() >= Duration::from_secs(seconds) {
                break;
            }
        }
    }
    println!("{count} suites run, {} failed", failed.len());
    if !failed.is_empty() {
        bail!("run again what failed with\n{}", failed.join("\n"));
    }
    Ok(())
}
