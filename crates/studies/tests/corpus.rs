//! No value makes a run crawl: every demo and every circuit of the corpus is run with its
//! parameters varied at random within ±30 %, one at a time and all together, and its steps are
//! held against those of the unvaried run.
//!
//! `cargo xtask corpus` prints the distribution; `MELLOW_COIL_VARIED` sets the runs per document.

use circuit::kinds::Form;
use circuit::{Circuit, Supply, resolve};
use device::{Ended, EngineError, Equations, transient};
use mellow_studies::settings;
use recording::{Chunk, Command, Health, Observer, Progress};
use std::path::{Path, PathBuf};
use std::sync::Mutex;
use std::sync::atomic::{AtomicUsize, Ordering};

/// Varied runs of each document, unless the environment says otherwise.
const RUNS: usize = 24;
/// Steps against the unvaried run from which on a run counts as crawling, if it does not say so.
const CRAWLING: f64 = 50.0;
/// Steps that are never too many, however few the unvaried run takes.
const FREE: f64 = 2000.0;
/// Largest change of a parameter.
const SPREAD: f64 = 0.3;

struct Counter {
    most: u64,
}

impl Observer for Counter {
    fn progress(&mut self, progress: &Progress<'_>) -> Command {
        if progress.health.steps + progress.health.rejected < self.most { Command::Continue } else { Command::Stop }
    }
    fn record(&mut self, _: Chunk) {}
}

/// Numbers that look random and are the same every time (Steele et al., OOPSLA 2014: splitmix64).
struct Random(u64);

impl Random {
    fn next(&mut self) -> f64 {
        self.0 = self.0.wrapping_add(0x9e37_79b9_7f4a_7c15);
        let mut z = self.0;
        z = (z ^ (z >> 30)).wrapping_mul(0xbf58_476d_1ce4_e5b9);
        z = (z ^ (z >> 27)).wrapping_mul(0x94d0_49bb_1331_11eb);
        ((z ^ (z >> 31)) >> 11) as f64 / (1u64 << 53) as f64
    }
    fn below(&mut self, count: usize) -> usize {
        ((self.next() * count as f64) as usize).min(count - 1)
    }
}

/// Runs the first study in which time goes on.
fn run(circuit: &Circuit, most: u64) -> (Result<Ended, EngineError>, Health) {
    let equations = Equations::new(circuit);
    let mut health = Health::default();
    let study = circuit.studies.iter().find(|study| study.kind.takes_time()).expect("a study over time");
    let settings = settings(circuit, study);
    (transient(&equations, &settings, &mut Counter { most }, &mut health), health)
}

/// The parameters that can be varied: part and its parameter, with the value and its range.
fn free(circuit: &Circuit) -> Vec<(usize, usize, f64, (f64, f64))> {
    let parts = circuit.parts.iter().enumerate();
    let all = parts.flat_map(|(p, part)| {
        part.kind.kind().parameters.iter().enumerate().filter_map(move |(k, parameter)| match parameter.form {
            Form::Quantity { min, max, .. } if part.values[k] != 0.0 => Some((p, k, part.values[k], (min, max))),
            _ => None,
        })
    });
    all.collect()
}

/// The supply with one parameter varied, or all; and what was varied.
fn vary(supply: &Supply, circuit: &Circuit, all: bool, random: &mut Random) -> (Supply, String) {
    let mut varied = supply.clone();
    let free = free(circuit);
    let chosen = if all { 0..free.len() } else { random.below(free.len()).into_range() };
    let mut what = if all { format!("all by seed {}", random.0) } else { String::new() };
    for (p, k, value, (min, max)) in free[chosen].iter().copied() {
        let id = &circuit.parts[p].id;
        let parameter = circuit.parts[p].kind.kind().parameters[k].id;
        let value = (value * (1.0 + SPREAD * (2.0 * random.next() - 1.0))).clamp(min, max);
        let part = varied.parts.iter_mut().find(|part| part.id == *id).unwrap();
        part.parameters.insert(parameter.to_owned(), format!("{value:e}"));
        if !all {
            what = format!("{id}.{parameter} = {value:e}");
        }
    }
    (varied, what)
}

trait IntoRange {
    fn into_range(self) -> std::ops::Range<usize>;
}

impl IntoRange for usize {
    fn into_range(self) -> std::ops::Range<usize> {
        self..self + 1
    }
}

/// What came of the varied runs of one document.
struct Row {
    name: String,
    steps: u64,
    /// Steps of each varied run against the unvaried, ascending.
    ratios: Vec<f64>,
    /// Runs that ended early and said why.
    said: usize,
    /// Variations no circuit can have, such as couplings above 1.
    impossible: usize,
    wrong: Vec<String>,
}

fn campaign(file: &Path, runs: usize) -> Row {
    let name = file.file_stem().unwrap().to_string_lossy().into_owned();
    let supply = Supply::from_json(&std::fs::read_to_string(file).unwrap()).unwrap();
    let circuit = resolve(&supply).unwrap();
    let (ended, health) = run(&circuit, u64::MAX);
    let steps = health.steps + health.rejected;
    let mut row = Row { name, steps, ratios: Vec::new(), said: 0, impossible: 0, wrong: Vec::new() };
    if let Err(error) = ended {
        row.wrong.push(format!("unvaried: {error}"));
    }
    let most = (CRAWLING * steps as f64 + FREE) as u64;
    let seed = row.name.bytes().fold(7u64, |seed, byte| seed.wrapping_mul(31).wrapping_add(u64::from(byte)));
    let mut random = Random(seed);
    for k in 0..runs {
        let (varied, what) = vary(&supply, &circuit, k % 4 == 3, &mut random);
        let Ok(circuit) = resolve(&varied) else {
            row.impossible += 1;
            continue;
        };
        let (ended, health) = run(&circuit, most);
        row.ratios.push((health.steps + health.rejected) as f64 / steps as f64);
        match ended {
            Ok(Ended::Done) => {}
            Ok(Ended::Stopped) => {
                row.wrong.push(format!("{what}: crawls, shortest step {:.1e} s", health.shortest_step))
            }
            Err(error) => {
                row.said += 1;
                println!("{}: {what}: {error}", row.name);
            }
        }
    }
    row.ratios.sort_by(f64::total_cmp);
    row
}

fn documents() -> Vec<PathBuf> {
    let root = Path::new(env!("CARGO_MANIFEST_DIR")).join("../..");
    let mut files = Vec::new();
    for folder in ["demo", "crates/device/tests/circuits"] {
        let entries = std::fs::read_dir(root.join(folder)).unwrap();
        files.extend(
            entries.map(|entry| entry.unwrap().path()).filter(|path| path.extension().is_some_and(|e| e == "json")),
        );
    }
    files.sort();
    files
}

#[test]
fn no_value_makes_a_run_crawl() {
    let runs = std::env::var("MELLOW_COIL_VARIED").ok().and_then(|text| text.parse().ok()).unwrap_or(RUNS);
    let only = std::env::var("MELLOW_COIL_ONLY").ok();
    let mut files = documents();
    files.retain(|f| only.as_ref().is_none_or(|o| f.to_string_lossy().contains(o.as_str())));
    let (next, rows) = (AtomicUsize::new(0), Mutex::new(Vec::new()));
    std::thread::scope(|scope| {
        for _ in 0..std::thread::available_parallelism().map_or(1, usize::from) {
            scope.spawn(|| {
                while let Some(file) = files.get(next.fetch_add(1, Ordering::Relaxed)) {
                    let row = campaign(file, runs);
                    rows.lock().unwrap().push(row);
                }
            });
        }
    });
    let mut rows = rows.into_inner().unwrap();
    rows.sort_by(|a, b| a.name.cmp(&b.name));
    println!(
        "{:28} {:>8} {:>6} {:>7} {:>7} {:>7} {:>7} {:>5} {:>5}",
        "steps against the unvaried", "steps", "runs", "least", "median", "95 %", "most", "said", "skip"
    );
    for row in &rows {
        let at = |share: f64| {
            row.ratios.get(((row.ratios.len() as f64 - 1.0) * share).round() as usize).copied().unwrap_or(f64::NAN)
        };
        println!(
            "{:28} {:8} {:6} {:7.2} {:7.2} {:7.2} {:7.2} {:5} {:5}",
            row.name,
            row.steps,
            row.ratios.len(),
            at(0.0),
            at(0.5),
            at(0.95),
            at(1.0),
            row.said,
            row.impossible
        );
    }
    let wrong: Vec<String> =
        rows.iter().flat_map(|r| r.wrong.iter().map(move |w| format!("{}: {w}", r.name))).collect();
    assert!(wrong.is_empty(), "{}", wrong.join("\n"));
}
