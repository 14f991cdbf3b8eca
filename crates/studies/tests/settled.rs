//! Settled states at device level: the demo supplies straight to where their switch-on leads, and steps that begin there.

use circuit::{Circuit, Course, Engine, Study, StudyKind, StudySettings, Supply, Window, resolve};
use mellow_studies::{End, Outcome, engine_for, run};
use recording::{Chunks, Recording};

const DEMOS: [&str; 4] = [
    include_str!("../../../demo/tide-gauge-mains-supply.json"),
    include_str!("../../../demo/signal-lamp-supply.json"),
    include_str!("../../../demo/hydrophone-split-rails.json"),
    include_str!("../../../demo/sensor-rails.json"),
];

/// The supply with its first study made one of another kind and length, all readings over its last two periods.
fn with(supply: &Supply, kind: StudyKind, duration: &str, record_from: &str) -> Circuit {
    let mut supply = supply.clone();
    supply.requirements.clear();
    let study: &mut Study = &mut supply.studies[0];
    let record_from = (kind != StudyKind::Settled).then(|| record_from.to_owned());
    study.settings = StudySettings::over_time(kind, Course { record_from, ..Course::lasting(duration) });
    let last = || Window::LastPeriods { count: 2, period_of: None };
    supply.readings.iter_mut().for_each(|reading| reading.window = last());
    resolve(&supply).unwrap_or_else(|findings| panic!("{findings:#?}"))
}

fn done(circuit: &Circuit) -> (Outcome, Recording) {
    let mut kept = Recording::default();
    let outcome = run(circuit, &circuit.studies[0].id, &mut kept).unwrap();
    assert_eq!(outcome.end, End::Done, "{outcome:#?}");
    (outcome, kept)
}

/// Means, ripples, peaks and powers of a settled run are those of the last cycles of a long switch-on, for every demo supply; it is
/// found in a third of the steps of a second and a half at most, and whole periods are recorded.
#[test]
fn every_demo_supply_settles_to_where_its_switch_on_leads() {
    for text in DEMOS {
        let supply = Supply::from_json(text).unwrap();
        let straight = with(&supply, StudyKind::Settled, "40m", "0");
        let (engine, why) = engine_for(&straight, &straight.studies[0]);
        assert!(engine == Engine::DeviceLevel, "{why}");
        let (settled, kept) = done(&straight);
        let (from, to) = kept.whole();
        assert!((to - from - 0.04).abs() < 1e-9, "{from} to {to}");
        let (waited, _) = done(&with(&supply, StudyKind::SwitchOn, "1.5", "1.46"));
        let mut compared = 0;
        for (a, b) in settled.readings.iter().zip(&waited.readings) {
            let (Some(a), Some(b)) = (a.value, b.value) else { continue };
            assert!((a - b).abs() < 3e-3 * b.abs().max(1e-3), "{}, {:?}: {a} for {b}", supply.title, settled.readings);
            compared += 1;
        }
        let steps = [&settled, &waited].map(|outcome| outcome.health.engine.steps);
        println!("{}: {compared} readings, {steps:?} steps", supply.title);
        assert!(compared > 1 && 3 * steps[0] < steps[1], "{}: {compared}, {steps:?}", supply.title);
        assert!(settled.health.warnings.is_empty(), "{:?}", settled.health.warnings);
    }
}

/// Readings that look back over more periods than the study lasts have them: they are all alike.
#[test]
fn as_many_periods_are_recorded_as_readings_look_back_over() {
    for (engine, duration) in [(Engine::DeviceLevel, "20m"), (Engine::Switched, "45m")] {
        let mut supply = Supply::from_json(DEMOS[0]).unwrap();
        supply.studies[0].settings = StudySettings::Settled(Course::lasting(duration));
        supply.studies[0].engine = Some(engine);
        let circuit = resolve(&supply).unwrap();
        let (outcome, kept) = done(&circuit);
        let (from, to) = kept.whole();
        assert!((to - from - 0.1).abs() < 1e-9, "{from} to {to}");
        let mean = outcome.readings.iter().find(|reading| reading.id == "bus_mean").unwrap();
        assert!((mean.value.unwrap() - 14.57).abs() < 0.1, "{mean:?}");
    }
}

/// A source that begins only after a study of a step has ended leaves nothing to see, and that is said.
#[test]
fn a_study_too_short_for_its_sources_is_refused() {
    let text = r#"{ "mellow_coil": 1, "title": "late", "parts": [
        { "id": "V1", "kind": "pulse_source", "pins": { "plus": "a", "minus": "gnd" },
          "parameters": { "delay": "5m", "period": "1m", "width": "0.5m" } },
        { "id": "R1", "kind": "resistor", "pins": { "a": "a", "b": "b" } },
        { "id": "C1", "kind": "capacitor", "pins": { "plus": "b", "minus": "gnd" } } ],
      "studies": [{ "id": "s", "kind": "load_step", "title": "Step", "duration": "2m" }] }"#;
    let circuit = resolve(&Supply::from_json(text).unwrap()).unwrap_or_else(|findings| panic!("{findings:#?}"));
    let outcome = run(&circuit, "s", &mut Recording::default()).unwrap();
    let End::Failed { message } = outcome.end else { panic!("{:?}", outcome.end) };
    let begins = quantity::show(5e-3, quantity::Unit::Second, 3);
    assert!(message.contains(&begins) && message.contains("lengthen"), "{message}");
}

/// A step of the load on a mains supply begins in its settled state, at the mains' own zero: before the step the bus stands where it
/// stands in the settled study.
#[test]
fn a_step_at_device_level_begins_in_the_settled_state() {
    let mut supply = Supply::from_json(DEMOS[0]).unwrap();
    let load = supply.parts.iter_mut().find(|part| part.id == "R1" || part.id.starts_with("RL")).unwrap();
    let (id, net) = (load.id.clone(), load.pins["a"].clone());
    let stepped = format!(
        r#"{{ "id": "IS1", "kind": "stepped_load", "pins": {{ "plus": "{net}", "minus": "gnd" }},
            "parameters": {{ "low": "1m", "high": "200m", "delay": "30m", "width": "1" }} }}"#
    );
    supply.parts.push(serde_json::from_str(&stepped).unwrap());
    let (_, settled) = done(&with(&supply, StudyKind::Settled, "20m", "0"));
    let circuit = with(&supply, StudyKind::LoadStep, "60m", "0");
    let (_, step) = done(&circuit);
    let bus = recording::columns(&circuit).iter().position(|column| column.of == net).unwrap();
    let at = |run: &Recording, t: f64| {
        let after = run.times.partition_point(|time| *time < t).clamp(1, run.times.len() - 1);
        let (t0, t1) = (run.times[after - 1], run.times[after]);
        let values = &run.columns[bus];
        values[after - 1] + (values[after] - values[after - 1]) * (t - t0) / (t1 - t0)
    };
    let (first, _) = step.whole();
    assert_eq!(first, 0.0);
    for t in [1e-3, 7e-3, 13e-3, 19e-3] {
        let (a, b) = (at(&step, t), at(&settled, t));
        assert!((a - b).abs() < 5e-3 * b.abs(), "{id}: {a} for {b} at {t}");
    }
    assert!(at(&step, 59e-3) < 0.99 * at(&step, 19e-3), "the step is felt");
}
