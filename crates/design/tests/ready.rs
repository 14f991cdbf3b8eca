//! Ready-made readings of every demo supply: each can be taken, and gives what other ways give.

use circuit::{Reading, ReadingMeasure, Supply, resolve};
use mellow_design::ready_made;
use recording::Recording;
use studies::run;

fn demos() -> Vec<Supply> {
    let files = std::fs::read_dir(concat!(env!("CARGO_MANIFEST_DIR"), "/../../demo")).unwrap();
    let mut paths: Vec<_> = files.map(|file| file.unwrap().path()).collect();
    paths.sort();
    paths.iter().map(|path| Supply::from_json(&std::fs::read_to_string(path).unwrap()).unwrap()).collect()
}

#[test]
fn what_is_ready_made_can_be_taken_of_every_demo() {
    let (mut titles, mut regulated) = (Vec::new(), 0);
    for mut supply in demos() {
        supply.requirements.clear();
        supply.readings.clear();
        let study = supply.studies[0].id.clone();
        for ready in ready_made(&supply, &study) {
            assert!(!ready.readings.is_empty() && ready.help.ends_with('.'), "{ready:?}");
            for set in &ready.settings {
                let part = supply.parts.iter_mut().find(|p| p.id == set.part).unwrap();
                part.parameters.insert(set.parameter.clone(), set.value.clone());
            }
            supply.studies.extend(ready.study);
            let new = |r: &Reading| !supply.readings.iter().any(|other| other.id == r.id);
            let added: Vec<Reading> = ready.readings.iter().filter(|r| new(r)).cloned().collect();
            supply.readings.extend(added);
            titles.push(ready.title);
        }
        let circuit = resolve(&supply).unwrap_or_else(|findings| panic!("{}: {findings:#?}", supply.title));
        let wrong: Vec<_> = circuit.readings.iter().filter_map(|r| Some((&r.id, r.problem.as_ref()?))).collect();
        assert!(wrong.is_empty(), "{}: {wrong:?}", supply.title);
        let studies = supply.studies.iter().map(|s| &s.id).filter(|id| **id == study || *id == "line_dip");
        let outcomes: Vec<_> = studies.map(|id| run(&circuit, id, &mut Recording::default()).unwrap()).collect();
        let value = |id: &str| {
            let mut found = outcomes.iter().flat_map(|o| &o.readings).filter(|r| r.id == id);
            let problems: Vec<_> = found.clone().map(|r| &r.problem).collect();
            found.find_map(|r| r.value).unwrap_or_else(|| panic!("{}, {id}: {problems:?}", supply.title))
        };
        for reading in &supply.readings {
            let found = value(&reading.id);
            let within = match reading.measure {
                ReadingMeasure::Efficiency => 0.02..1.0,
                ReadingMeasure::PowerFactor | ReadingMeasure::DistortionFactor => 0.05..1.000_001,
                // A tenth off the line, or as much as its demand allows, and a regulator that holds.
                ReadingMeasure::Formula if reading.id.contains("_regulation_") => {
                    regulated += 1;
                    -1e-3..0.05
                }
                ReadingMeasure::Formula => 0.01..1.0,
                _ => f64::MIN..f64::MAX,
            };
            assert!(within.contains(&found), "{}: {} is {found}", supply.title, reading.title);
        }
        // The factors at the mains are those of the powers (IEEE 1459).
        for source in supply.parts.iter().filter(|p| p.kind == circuit::KindId::SineSource) {
            let of = |name: &str| value(&format!("{}_{name}", source.id.to_lowercase()));
            let (real, apparent) = (of("real_power"), of("apparent_power"));
            assert!((of("power_factor") - real / apparent).abs() < 1e-9);
            assert!((of("nonactive_power").hypot(real) / apparent - 1.0).abs() < 1e-9);
        }
    }
    assert!(regulated >= 3, "{regulated}");
    let has = |start: &str| titles.iter().any(|title| title.starts_with(start));
    for start in ["Powers and harmonics of V1", "Efficiency", "Utilisation of T1"] {
        assert!(has(start), "{start} of {titles:?}");
    }
}

/// Around a step there is regulation to be read, and across an integrated regulator a margin.
#[test]
fn steps_and_regulators_have_readings_of_their_own() {
    let document = serde_json::json!({ "mellow_coil": 1, "title": "regulated",
        "stages": [
            { "id": "in", "kind": "source", "title": "In", "joints": [{ "joint": "dc", "plus": "raw", "minus": "gnd" }] },
            { "id": "reg", "kind": "regulator", "title": "Regulator", "after": "in", "output": "out",
              "joints": [{ "joint": "dc", "plus": "out", "minus": "gnd" }] }],
        "parts": [
            { "id": "V1", "kind": "dc_source", "pins": { "plus": "raw", "minus": "gnd" }, "parameters": { "voltage": "12" } },
            { "id": "U1", "kind": "regulator", "stage": "reg", "pins": { "in": "raw", "out": "out", "com": "gnd" },
              "parameters": { "dropout": "1.7" } },
            { "id": "C1", "kind": "capacitor", "stage": "reg", "pins": { "plus": "out", "minus": "gnd" },
              "parameters": { "capacitance": "10u" } },
            { "id": "I1", "kind": "stepped_load", "pins": { "plus": "out", "minus": "gnd" },
              "parameters": { "low": "10m", "high": "400m", "delay": "5m", "width": "1" } }],
        "studies": [{ "id": "step", "kind": "load_step", "title": "Step", "duration": "20m" }] });
    let supply = Supply::from_json(&document.to_string()).unwrap_or_else(|error| panic!("{error}"));
    let ready = ready_made(&supply, "step");
    let of = |start: &str| ready.iter().find(|r| r.title.starts_with(start)).unwrap_or_else(|| panic!("{ready:#?}"));
    let mut added = supply.clone();
    added.readings = [&of("Load regulation").readings[..], &of("Dropout margin of U1").readings[..]].concat();
    let circuit = resolve(&added).unwrap_or_else(|findings| panic!("{findings:#?}"));
    let outcome = run(&circuit, "step", &mut Recording::default()).unwrap();
    let value = |k: usize| outcome.readings[k].value.unwrap_or_else(|| panic!("{:?}", outcome.readings[k]));
    assert_eq!(added.readings[1].numbers["need"], "1.7");
    // Seven volts stand across it less what a step of the load makes of them.
    assert!((0.0..0.05).contains(&value(0)), "{}", value(0));
    assert!((4.0..6.0).contains(&value(1)), "{}", value(1));
}
