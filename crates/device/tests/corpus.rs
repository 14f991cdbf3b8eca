//! Every circuit of `circuits/` is run: it must reach its end and account for its energy.
//!
//! `cargo xtask corpus` prints the table this makes.

use circuit::{Begins, Circuit, Severity, Supply, check, resolve};
use mellow_device::{Ended, EngineError, Equations, Settings, Start, operating_point, transient};
use recording::{Chunk, Command, Health, Observer, Progress};
use std::path::Path;
use std::time::Instant;

/// Steps after which a circuit counts as hanging.
const MOST_STEPS: u64 = 300_000;
/// Energy that may be missing, relative.
const ENERGY: f64 = 1e-3;

/// Counts what it is given and gives up in the end.
#[derive(Default)]
struct Counter {
    nodes: usize,
    not_numbers: usize,
    reached: f64,
}

impl Observer for Counter {
    fn progress(&mut self, progress: &Progress<'_>) -> Command {
        self.reached = progress.time;
        if progress.health.steps < MOST_STEPS { Command::Continue } else { Command::Stop }
    }
    fn record(&mut self, chunk: Chunk) {
        self.nodes += chunk.times.len();
        self.not_numbers += chunk.columns.iter().flatten().filter(|v| !v.is_finite()).count();
    }
}

struct Row {
    name: String,
    ended: Result<Ended, EngineError>,
    rest: Result<String, EngineError>,
    health: Health,
    counter: Counter,
    milliseconds: f64,
}

fn run(name: String, circuit: &Circuit) -> Row {
    let study = &circuit.studies[0];
    let shortest = circuit.parts.iter().filter_map(|p| p.period()).fold(f64::INFINITY, f64::min);
    let settings = Settings {
        end: study.duration,
        record_from: 0.0,
        min_step: 0.0,
        max_step: (shortest / 20.0).min(study.duration / 20.0),
        start: if study.begins == Begins::Rest { Start::Rest } else { Start::OperatingPoint },
        tolerance: study.tolerance,
    };
    let equations = Equations::new(circuit);
    let rest = operating_point(&equations).map(|point| {
        let methods: Vec<_> = point.methods.iter().map(ToString::to_string).collect();
        methods.join(", ")
    });
    let (mut counter, mut health) = (Counter::default(), Health::default());
    let started = Instant::now();
    let ended = transient(&equations, &settings, &mut counter, &mut health);
    Row { name, ended, rest, health, counter, milliseconds: started.elapsed().as_secs_f64() * 1e3 }
}

#[test]
fn every_circuit_reaches_its_end() {
    let folder = Path::new(env!("CARGO_MANIFEST_DIR")).join("tests/circuits");
    let mut files: Vec<_> = std::fs::read_dir(folder).unwrap().map(|entry| entry.unwrap().path()).collect();
    files.sort();
    assert!(files.len() >= 60);
    println!(
        "{:28} {:>8} {:>8} {:>9} {:>10} {:>9} {:>9}  operating point",
        "circuit", "unknowns", "steps", "rejected", "unsettled", "energy", "ms"
    );
    let mut wrong = Vec::new();
    for file in files {
        let name = file.file_stem().unwrap().to_string_lossy().into_owned();
        let supply = Supply::from_json(&std::fs::read_to_string(&file).unwrap()).unwrap();
        let errors: Vec<_> = check(&supply).into_iter().filter(|f| f.severity == Severity::Error).collect();
        if !errors.is_empty() {
            wrong.push(format!("{name}: {errors:?}"));
            continue;
        }
        let row = run(name, &resolve(&supply).unwrap());
        let Row { name, ended, rest, health, counter, milliseconds } = &row;
        println!(
            "{name:28} {:8} {:8} {:9} {:10} {:9.1e} {milliseconds:9.1}  {}",
            health.unknowns,
            health.steps,
            health.rejected,
            health.unsettled,
            health.energy.relative,
            rest.as_ref().map_or_else(ToString::to_string, Clone::clone),
        );
        match ended {
            Ok(Ended::Done) if health.energy.relative > ENERGY => {
                wrong.push(format!("{name}: energy {:.1e}", health.energy.relative));
            }
            Ok(Ended::Done) => {}
            Ok(Ended::Stopped) => {
                wrong.push(format!("{name}: only at {:e} s after {MOST_STEPS} steps", counter.reached))
            }
            Err(error) => wrong.push(format!("{name}: {error}")),
        }
        if counter.not_numbers > 0 || counter.nodes == 0 {
            wrong.push(format!("{name}: {} values are not numbers", counter.not_numbers));
        }
        // A winding straight across a source has no direct current to rest at, and what trips for ever has no
        // state of rest; both say so.
        if let Err(error) = rest
            && !matches!(error, EngineError::Singular { .. })
            && health.trips == 0
        {
            wrong.push(format!("{name}: {error}"));
        }
    }
    assert!(wrong.is_empty(), "{}", wrong.join("\n"));
}
