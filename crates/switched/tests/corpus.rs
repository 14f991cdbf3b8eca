//! Hard circuits and the demos by switching: each is balanced, or says by name what it cannot do; none panics or goes on for
//! ever, whatever its values.

use circuit::{Circuit, Supply, resolve};
use mellow_switched::{Ended, Settings, SwitchedError, Transient, without_form};
use recording::{Chunk, Command, Health, Observer, Progress};

/// Steps after which a run is stopped.
const MOST_STEPS: u64 = 20_000;
/// Parts of the largest circuit that is tried.
const MOST_PARTS: usize = 200;
/// Energy that may be missing, relative; of a circuit whose fastest transients, twelve decades from its slowest, carry a
/// hundredth of it and are over before a node can be put there.
const MISSING: f64 = 1e-6;
const TWELVE_DECADES: f64 = 0.02;

/// Circuits that flip by the feedback of transistors.
const FLIPS: [&str; 4] = ["astable", "bistable", "overvoltage_crowbar_pair", "schmitt"];

/// Keeps nothing, and stops what does not end.
struct Watch;

impl Observer for Watch {
    fn progress(&mut self, progress: &Progress<'_>) -> Command {
        if progress.health.steps > MOST_STEPS { Command::Stop } else { Command::Continue }
    }
    fn record(&mut self, chunk: Chunk) {
        assert!(chunk.times.is_sorted_by(|a, b| a < b), "times must go on");
        assert!(chunk.columns.iter().flatten().all(|value| value.is_finite()), "numbers must be numbers");
    }
}

fn documents() -> Vec<(String, Supply)> {
    let folders = ["../device/tests/circuits", "../../demo"];
    let mut all = Vec::new();
    for folder in folders {
        let path = std::path::Path::new(env!("CARGO_MANIFEST_DIR")).join(folder);
        for file in std::fs::read_dir(path).unwrap() {
            let path = file.unwrap().path();
            let text = std::fs::read_to_string(&path).unwrap();
            let Ok(supply) = Supply::from_json(&text) else { continue };
            all.push((path.file_stem().unwrap().to_string_lossy().into_owned(), supply));
        }
    }
    all.sort_by(|a, b| a.0.cmp(&b.0));
    all
}

fn tried(circuit: &Circuit) -> Result<(Ended, Health), SwitchedError> {
    let study = circuit.studies.iter().find(|study| study.kind.takes_time());
    let end = study.map_or(1e-3, |s| s.duration);
    let settings = Settings { end, record_from: 0.0, max_step: end, every_period: false, tolerance: 1e-5 };
    let mut health = Health::default();
    let ended = Transient::new(circuit, &settings)?.advance(&mut Watch, &mut health)?;
    Ok((ended, health))
}

#[test]
fn the_corpus_is_balanced_or_says_why_not() {
    let (mut balanced, mut refused, mut busy) = (0, Vec::new(), Vec::new());
    for (name, supply) in documents() {
        let Ok(circuit) = resolve(&supply) else { continue };
        // Reducing a configuration takes time with the third power of the parts: seconds for the largest.
        if circuit.parts.len() > MOST_PARTS {
            continue;
        }
        let without = without_form(&circuit);
        match tried(&circuit) {
            Err(SwitchedError::NoForm { parts }) => {
                assert!(!without.is_empty() && parts == without.join(", "), "{name}")
            }
            // What flips by its own feedback through transistors has no state next to the one it leaves.
            Err(SwitchedError::Restless { parts, .. } | SwitchedError::Unresolved { parts, .. })
                if FLIPS.contains(&name.as_str()) && parts.contains('Q') => {}
            Err(error) => refused.push(format!("{name}: {error}")),
            Ok((Ended::Stopped, _)) => busy.push(name),
            Ok((Ended::Done, health)) => {
                let allowed = if name == "twelve_decades" { TWELVE_DECADES } else { MISSING };
                assert!(health.energy.relative < allowed, "{name}: {:?}", health.energy);
                balanced += 1;
            }
        }
    }
    assert!(refused.is_empty(), "{refused:#?}");
    // What would be switched without end, such as a pass device between off and on, is refused at once; an amplifier of megahertz
    // beside the mains takes many steps.
    assert!(balanced >= 40 && busy.iter().all(|name| name == "sensor-rails"), "{balanced} {busy:?}");
}
