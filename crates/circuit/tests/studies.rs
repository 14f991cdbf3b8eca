//! Studies by kind: what a document may say of each, and what a study makes step.

use mellow_circuit as circuit;
use mellow_circuit::kinds::KINDS;
use mellow_circuit::{Asks, Begins, KindId, Part, StudyKind, StudySettings, Supply, as_run, check, decisive, resolve};

use proptest::prelude::*;

/// A divider fed by a source, with a study.
fn document(study: &str) -> String {
    format!(
        r#"{{ "mellow_coil": 1, "title": "t", "parts": [
            {{ "id": "V1", "kind": "dc_source", "pins": {{ "plus": "in", "minus": "gnd" }}, "parameters": {{ "voltage": "12" }} }},
            {{ "id": "R1", "kind": "resistor", "pins": {{ "a": "in", "b": "out" }}, "parameters": {{ "resistance": "1" }} }},
            {{ "id": "R2", "kind": "resistor", "pins": {{ "a": "out", "b": "gnd" }}, "parameters": {{ "resistance": "10" }} }},
            {{ "id": "I1", "kind": "current_load", "pins": {{ "plus": "out", "minus": "gnd" }},
               "parameters": {{ "current": "200m" }} }} ],
          "studies": [{study}] }}"#
    )
}

fn read(study: &str) -> Result<Supply, String> {
    Supply::from_json(&document(study)).map_err(|error| error.to_string())
}

/// What earlier versions wrote is read as it was meant, and written again in the same words.
#[test]
fn documents_of_earlier_versions_are_read_as_before() {
    let text = r#"{ "id": "on", "kind": "switch_on", "title": "On", "duration": "10m", "suggested": true, "record_from": "1m",
                    "max_step": "1u", "tolerance": "1e-4", "engine": "switched", "strips": [["out.v"]] }"#;
    let supply = read(text).unwrap();
    let StudySettings::SwitchOn(course) = &supply.studies[0].settings else { panic!("{:?}", supply.studies) };
    assert_eq!((course.duration.as_str(), course.record_from.as_deref(), course.begins), ("10m", Some("1m"), None));
    assert_eq!(Supply::from_json(&supply.to_json()).unwrap(), supply);
    let old: serde_json::Value = serde_json::from_str(text).unwrap();
    let new = serde_json::to_value(&supply.studies[0]).unwrap();
    for (key, value) in old.as_object().unwrap().iter().filter(|(key, _)| *key != "strips") {
        assert_eq!(new.get(key), Some(value), "{key}");
    }
    for kind in ["load_step", "settled"] {
        let study = format!(r#"{{ "id": "s", "kind": "{kind}", "title": "s", "duration": "1m", "record_from": "0" }}"#);
        let circuit = resolve(&read(&study).unwrap()).unwrap();
        assert_eq!((circuit.studies[0].begins, circuit.studies[0].step.clone()), (Begins::Settled, None));
    }
}

/// What belongs to another kind is refused by name, not left out without a word.
#[test]
fn settings_of_another_kind_are_refused() {
    for (study, said) in [
        (r#"{ "id": "s", "kind": "operating_point", "title": "s", "duration": "1m" }"#, "a course of time"),
        (
            r#"{ "id": "s", "kind": "frequency", "title": "s", "from": "1", "to": "1k", "tolerance": "1" }"#,
            "a course of time",
        ),
        (r#"{ "id": "s", "kind": "switch_on", "title": "s", "duration": "1", "from": "1" }"#, "only a frequency study"),
        (
            r#"{ "id": "s", "kind": "settled", "title": "s", "duration": "1", "step": { "part": "R2", "to": "1", "at": "0" } }"#,
            "only a load step",
        ),
        (r#"{ "id": "s", "kind": "settled", "title": "s", "duration": "1", "begins": "rest" }"#, "it is settled"),
        (r#"{ "id": "s", "kind": "switch_on", "title": "s" }"#, "missing field `duration`"),
        (r#"{ "id": "s", "kind": "frequency", "title": "s", "from": "1" }"#, "missing field `to`"),
        (r#"{ "id": "s", "kind": "switch_on", "title": "s", "duration": "1", "durations": "1" }"#, "durations"),
    ] {
        let error = read(study).unwrap_err();
        assert!(error.contains(said), "{study}: {error}");
    }
}

fn stepping(kind: &str, step: &str) -> String {
    format!(r#"{{ "id": "s", "kind": "{kind}", "title": "s", "duration": "10m", "step": {{ {step} }} }}"#)
}

/// The study makes the step; the document keeps its part, and other studies see nothing of it.
#[test]
fn a_study_makes_a_load_or_a_source_step() {
    let step = r#""part": "R2", "from": "100m", "to": "1", "at": "2m", "slew": "1k", "stays": "3m""#;
    let supply = read(&stepping("load_step", step)).unwrap();
    let run = as_run(&supply, Some("s"));
    assert_eq!(as_run(&run, Some("s")), run, "done twice it changes nothing more");
    let circuit = resolve(&run).unwrap();
    let part = &circuit.parts[circuit.part("R2").unwrap()];
    let values = ["low", "high", "delay", "width", "period", "slew"].map(|name| part.value(name));
    assert_eq!((part.kind, values), (KindId::SteppedLoad, [0.1, 1.0, 2e-3, 3e-3, 0.0, 1e3]));
    assert_eq!(circuit.nets[part.pins[0]], "out");
    assert_eq!(resolve(&supply).unwrap().studies[0].step, Some(("R2".to_owned(), 2e-3)));
    assert_eq!(as_run(&supply, None).part("R2").unwrap().kind, KindId::Resistor);
    assert_ne!(
        decisive(&supply, "s"),
        decisive(&read(&stepping("load_step", &step.replace("\"1\"", "\"2\""))).unwrap(), "s")
    );
    let source = read(&stepping("line_step", r#""part": "V1", "to": "9", "at": "1m""#)).unwrap();
    let circuit = resolve(&as_run(&source, Some("s"))).unwrap();
    let part = &circuit.parts[circuit.part("V1").unwrap()];
    assert_eq!((part.kind, part.value("low"), part.value("high")), (KindId::PulseSource, 12.0, 9.0));
    // 3 V at a volt a microsecond.
    assert!((part.value("rise") - 3e-6).abs() < 1e-12 && part.value("width") > 1e6);
}

/// A step that cannot be made says of what and why, and keeps the study from nothing else than that.
#[test]
fn a_step_that_cannot_be_made_is_said_in_words() {
    for (step, said) in [
        (r#""part": "R9", "to": "1", "at": "0""#, "there is no part R9"),
        (r#""part": "R2", "to": "1", "at": "0""#, "say from which it steps"),
        (r#""part": "I1", "to": "-1", "at": "0""#, "no negative current"),
        (r#""part": "I1", "to": "x", "at": "0""#, "cannot be read"),
        (r#""part": "I1", "to": "1", "at": "0", "slew": "0""#, "give one above zero"),
        (r#""part": "I1", "to": "1", "at": "0", "every": "1m""#, "how long it stays"),
        (r#""part": "I1", "to": "1", "at": "0", "every": "1m", "stays": "1m""#, "leave a pause"),
        (r#""part": "I1", "to": "1", "at": "20m""#, "outside its range"),
    ] {
        let findings = check(&read(&stepping("load_step", step)).unwrap());
        assert!(findings.iter().any(|f| f.message.contains(said)), "{step}: {findings:?}");
    }
}

/// Whatever part steps, to whatever: it is said, or a circuit comes of it with the same nets and designators.
#[test]
fn any_part_steps_or_says_why_not() {
    let numbers = prop::sample::select(vec!["0", "1", "-3", "4k7", "", "1e300", "x", "2 * 3"]);
    let strategy = (0..KINDS.len(), prop::collection::vec(numbers, 5));
    let config = ProptestConfig { cases: 1500, failure_persistence: None, ..ProptestConfig::default() };
    proptest!(config, |((kind, texts) in strategy)| {
        let text = |k: usize| Some(texts[k]).filter(|t| !t.is_empty()).map(str::to_owned);
        let mut supply = Supply::from_json(&document("")).unwrap();
        let kind = &KINDS[kind];
        let pins = kind.pins.iter().enumerate().map(|(k, pin)| (pin.id.to_owned(), ["out", "gnd", "in"][k % 3].to_owned()));
        supply.parts.push(Part::new("X1", kind.id, pins.collect()));
        let step = circuit::Step {
            part: "X1".into(), from: text(0), to: texts[1].to_owned(), at: "1m".into(), slew: text(2), stays: text(3), every: text(4),
        };
        let course = circuit::Course::lasting("10m");
        let stepped = circuit::Stepped { course, step: Some(step) };
        supply.studies.push(circuit::Study::new("s", "s", StudySettings::LoadStep(stepped)));
        let refused = check(&supply).iter().any(|f| f.rule == "no-step");
        let run = as_run(&supply, Some("s"));
        let (before, after) = (supply.part("X1").unwrap(), run.part("X1").unwrap());
        prop_assert_eq!(refused, before == after, "{:?}", after);
        prop_assert_eq!(before.pins.values().collect::<std::collections::BTreeSet<_>>(), after.pins.values().collect());
    });
}

/// Questions over frequency: what they name is looked up, and one that names nothing leaves the others alone.
#[test]
fn questions_say_what_is_not_there() {
    let study = r#"{ "id": "f", "kind": "frequency", "title": "f", "from": "10", "to": "1M", "questions": [
        { "id": "zout", "asks": { "output_impedance": { "net": "out" } } },
        { "id": "h", "asks": { "response": { "source": "V1", "signal": "R1.i" } } },
        { "id": "psrr", "asks": { "line_rejection": { "source": "V9", "signal": "out.v" } } },
        { "id": "p", "asks": { "response": { "source": "V1", "signal": "R1.p" } } },
        { "id": "l", "asks": { "loop_gain": { "pin": "R1" } } },
        { "id": "m", "asks": { "loop_gain": { "pin": "R1.c" } } },
        { "id": "n", "asks": { "output_impedance": { "net": "nowhere" } } },
        { "id": "r", "asks": { "input_impedance": { "source": "R1" } } } ] }"#;
    let mut supply = read(study).unwrap();
    let circuit = resolve(&supply).unwrap();
    let [study] = &circuit.studies[..] else { panic!() };
    assert_eq!(
        (study.kind, study.grid.from, study.grid.to, study.grid.per_decade),
        (StudyKind::Frequency, 10.0, 1e6, 20.0)
    );
    let units: Vec<_> = study.questions.iter().map(|q| q.unit).collect();
    assert_eq!(units[..2], [quantity::Unit::Ohm, quantity::Unit::Siemens]);
    let wrong: Vec<String> = study.questions.iter().filter_map(|q| q.asks.clone().err()).collect();
    for (told, said) in wrong.iter().zip(["V9", "power", "no pin", "no pin c", "no net nowhere", "not a source"]) {
        assert!(told.contains(said), "{told}");
    }
    assert_eq!(wrong.len(), 6);
    // A net's new name is followed.
    supply.rename_net("out", "rail");
    let Asks::OutputImpedance { net, .. } = &supply.studies[0].questions()[0].asks else { panic!() };
    assert_eq!(net, "rail");
}
