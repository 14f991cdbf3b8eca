//! What is kept of a run is enough to go on with it: over the whole corpus, stopped at random, kept as bytes and taken up
//! by another engine, it ends where one that was never stopped does.

use circuit::{Begins, Circuit, Supply, resolve};
use mellow_device::{Ended, Equations, Kept, Settings, Start, Transient};
use recording::Unfit;
use recording::{Chunk, Command, Health, Observer, Progress, Recording};
use std::path::Path;

struct StopsAt {
    time: f64,
    steps: u64,
    recording: Recording,
}

/// Steps after which a run counts as far enough.
const STEPS: u64 = 6_000;

impl Observer for StopsAt {
    fn progress(&mut self, progress: &Progress<'_>) -> Command {
        self.steps += 1;
        if progress.time >= self.time || self.steps >= STEPS { Command::Stop } else { Command::Continue }
    }
    fn record(&mut self, chunk: Chunk) {
        self.recording.record(chunk);
    }
}

fn settings(circuit: &Circuit) -> Settings {
    let study = &circuit.studies[0];
    Settings {
        end: study.duration,
        record_from: 0.0,
        min_step: 0.0,
        max_step: circuit.longest_step(study),
        start: if study.begins == Begins::Rest { Start::Rest } else { Start::OperatingPoint },
        tolerance: study.tolerance,
    }
}

fn corpus() -> Vec<(String, Circuit)> {
    let folder = Path::new(env!("CARGO_MANIFEST_DIR")).join("tests/circuits");
    let mut files: Vec<_> = std::fs::read_dir(folder).unwrap().map(|entry| entry.unwrap().path()).collect();
    files.sort();
    let read = |file: &std::path::PathBuf| {
        let supply = Supply::from_json(&std::fs::read_to_string(file).unwrap()).unwrap();
        let name = file.file_stem().unwrap().to_string_lossy().into_owned();
        Some((name, resolve(&supply).ok()?))
    };
    let all: Vec<_> = files.iter().filter_map(read).collect();
    assert!(all.len() > 60);
    all
}

/// Bytes and back, as a store keeps it.
fn stored(kept: &Kept) -> Kept {
    let mut bytes = Vec::new();
    ciborium::into_writer(kept, &mut bytes).unwrap();
    ciborium::from_reader(bytes.as_slice()).unwrap()
}

#[test]
fn every_circuit_goes_on_from_what_was_kept() {
    let (mut part, mut compared) = (0.37f64, 0);
    for (name, circuit) in corpus().into_iter().filter(|(name, _)| name != "long_ladder") {
        let equations = Equations::new(&circuit);
        let settings = settings(&circuit);
        part = (part + 0.618).fract();
        let stops = |share: f64| StopsAt { time: share * settings.end, steps: 0, recording: Recording::default() };
        let mut health = Health::default();
        let Ok(mut stopped) = Transient::new(&equations, &settings, &mut health) else { continue };
        let mut observer = stops(0.05 + 0.6 * part);
        if stopped.advance(&mut observer, &mut health) != Ok(Ended::Stopped) {
            continue;
        }
        let kept = stored(&stopped.kept(&health));
        assert_eq!((kept.time, kept.clone()), (stopped.time(), stopped.kept(&health)), "{name}");

        // Another engine knows nothing but what was kept, and comes to the same each time.
        let recorded = observer.recording;
        let resume = || {
            let other = Equations::new(&circuit);
            let mut health = Health::default();
            let mut observer = StopsAt { recording: recorded.clone(), ..stops(2.0) };
            let mut resumed = Transient::resume(&other, &settings, &kept, &mut health).unwrap();
            let ended = resumed.advance(&mut observer, &mut health);
            (ended, observer.recording, health)
        };
        let (ended, again, books) = resume();
        assert_eq!((&ended, &again), (&resume().0, &resume().1), "{name}");
        assert!(again.times.windows(2).all(|t| t[0] < t[1]), "{name}: times do not grow across the stop");
        let mut whole = stops(2.0);
        let mut health = Health::default();
        let mut never = Transient::new(&equations, &settings, &mut health).unwrap();
        let expected = never.advance(&mut whole, &mut health);
        let whole = whole.recording;
        // What is cut off by its steps ends at another time.
        if (ended, expected) == (Ok(Ended::Done), Ok(Ended::Done)) {
            let apart = apart(&whole, &again) / settings.tolerance;
            assert!(apart < 1.0, "{name}: {apart} of the tolerance apart");
            assert!(books.energy.relative < 2.0 * health.energy.relative + 1e-5, "{name}: {books:?} {health:?}");
            compared += 1;
        }
    }
    assert!(compared > 60, "{compared}");
}

/// Largest difference of last values, relative to full scale.
fn apart(a: &Recording, b: &Recording) -> f64 {
    let columns = a.columns.iter().zip(&b.columns).map(|(a, b)| {
        let scale = a.iter().fold(0.0f64, |s, v| s.max(v.abs())).max(1e-6);
        (a.last().unwrap() - b.last().unwrap()).abs() / scale
    });
    columns.fold(0.0, f64::max)
}

#[test]
fn what_is_of_another_circuit_is_refused() {
    let all = corpus();
    let (one, other) = (&all[0].1, &all[1].1);
    let equations = Equations::new(one);
    let mut health = Health::default();
    let transient = Transient::new(&equations, &settings(one), &mut health).unwrap();
    let kept = transient.kept(&health);
    let others = Equations::new(other);
    let refused = Transient::resume(&others, &settings(other), &kept, &mut health);
    assert_eq!(refused.err(), Some(Unfit::Circuit));
}
