//! Reading, evaluating and checking supply documents.

use mellow_circuit::{Finding, Place, Severity, Supply, check, expression::evaluate, fit, kinds::KINDS, resolve};
use proptest::prelude::*;
use quantity::Unit;
use serde_json::{Value, json};

fn demo() -> Value {
    serde_json::from_str(include_str!("../../../demo/tide-gauge-mains-supply.json")).unwrap()
}

fn read(document: &Value) -> Supply {
    Supply::from_json(&document.to_string()).unwrap()
}

/// A minimal healthy supply: a source, a resistor and a capacitor.
fn healthy() -> Value {
    json!({
        "mellow_coil": 1, "title": "t",
        "parts": [
            { "id": "V1", "kind": "dc_source", "pins": { "plus": "in", "minus": "gnd" } },
            { "id": "R1", "kind": "resistor", "pins": { "a": "in", "b": "out" } },
            { "id": "C1", "kind": "capacitor", "pins": { "plus": "out", "minus": "gnd" } },
        ],
        "studies": [{ "id": "s", "kind": "switch_on", "title": "s", "duration": "1m" }],
        "readings": [{
            "id": "r", "title": "r", "study": "s", "measure": "max", "signal": "out.v", "window": "whole_run"
        }],
        "requirements": [{ "id": "q", "title": "q", "reading": "r", "at_most": "1" }],
    })
}

#[test]
fn the_demo_round_trips_and_is_clean() {
    let supply = read(&demo());
    assert_eq!(Supply::from_json(&supply.to_json()).unwrap(), supply);
    assert_eq!(check(&supply), []);
    assert_eq!(check(&read(&healthy())), []);
    let circuit = resolve(&supply).unwrap();
    // An expression of design values: 14.5 V over 260 mA.
    let load = &circuit.parts[circuit.part("R1").unwrap()];
    assert!((load.value("resistance") - 14.5 / 0.26).abs() < 1e-12);
}

#[test]
fn the_table_is_in_the_order_of_its_identifiers() {
    for kind in KINDS {
        assert_eq!(kind.id.kind().id, kind.id);
        assert_eq!(json!(kind.id), json!(kind.id.name()));
    }
}

#[test]
fn damaged_documents_are_refused_with_their_place() {
    let text = demo().to_string();
    let message = |text: &str| Supply::from_json(text).unwrap_err().to_string();
    let with = |change: &dyn Fn(&mut Value)| {
        let mut document = demo();
        change(&mut document);
        message(&document.to_string())
    };
    insta::assert_snapshot!(
        [
            message(&text[..200]),
            message("[]"),
            with(&|d| d["parts"][2]["colour"] = "red".into()),
            with(&|d| d["parts"][0]["kind"] = "tube".into()),
            with(&|d| d["parts"][0]["pins"]["plus"] = 7.into()),
            with(&|d| d["readings"][0]["window"] = json!({ "last_periods": { "count": -1 } })),
            with(&|d| d["mellow_coil"] = 2.into()),
            with(&|d| d["mellow_coil"] = 0.into()),
        ]
        .join("\n")
    );
}

/// Every check fires on its mistake, names the place, and is alone.
#[test]
fn each_check_fires_on_its_mistake() {
    let part = |id: &str| Place::Part { part: id.into() };
    let pin = |part: &str, pin: &str| Place::Pin { part: part.into(), pin: pin.into() };
    let parameter = |part: &str, parameter: &str| Place::Parameter { part: part.into(), parameter: parameter.into() };
    type Change<'a> = &'a dyn Fn(&mut Value);
    let cases: Vec<(&str, Place, Change<'_>)> = vec![
        ("no-parts", Place::Supply, &|d| {
            for list in ["parts", "readings", "requirements"] {
                d[list] = json!([]);
            }
        }),
        ("pin-open", pin("R1", "b"), &|d| {
            d["parts"][1]["pins"] = json!({ "a": "in" });
            d["parts"].as_array_mut().unwrap().push(json!({
                "id": "R2", "kind": "resistor", "pins": { "a": "in", "b": "out" }
            }));
        }),
        ("pin-dangling", pin("R2", "b"), &|d| {
            d["parts"].as_array_mut().unwrap().push(json!({
                "id": "R2", "kind": "resistor", "pins": { "a": "in", "b": "loose" }
            }));
        }),
        ("part-shorted", part("R2"), &|d| {
            d["parts"].as_array_mut().unwrap().push(json!({
                "id": "R2", "kind": "resistor", "pins": { "a": "in", "b": "in" }
            }));
        }),
        ("voltage-loop", part("V2"), &|d| {
            d["parts"].as_array_mut().unwrap().push(json!({
                "id": "V2", "kind": "sine_source", "pins": { "plus": "in", "minus": "gnd" }
            }));
        }),
        ("no-dc-path", Place::Net { net: "x".into() }, &|d| {
            for (id, plus, minus) in [("C2", "out", "x"), ("C3", "x", "gnd")] {
                d["parts"].as_array_mut().unwrap().push(json!({
                    "id": id, "kind": "capacitor", "pins": { "plus": plus, "minus": minus }
                }));
            }
        }),
        ("duplicate-name", part("R1"), &|d| d["parts"][2]["id"] = "R1".into()),
        ("name-clash", part("R1"), &|d| {
            for i in [1, 2] {
                let (at, pin) = if i == 1 { ("parts", "b") } else { ("parts", "plus") };
                d[at][i]["pins"][pin] = "R1".into();
            }
            d["readings"][0]["signal"] = "R1.i".into();
            d["requirements"][0]["at_most"] = "1".into();
        }),
        ("bad-name", part("1R"), &|d| d["parts"][1]["id"] = "1R".into()),
        ("unknown-pin", pin("R1", "gate"), &|d| d["parts"][1]["pins"]["gate"] = "in".into()),
        ("unknown-parameter", parameter("R1", "colour"), &|d| {
            d["parts"][1]["parameters"] = json!({ "colour": "red" });
        }),
        ("unreadable-value", parameter("C1", "capacitance"), &|d| {
            d["parts"][2]["parameters"] = json!({ "capacitance": "470 V" });
        }),
        ("out-of-range", parameter("C1", "capacitance"), &|d| {
            d["parts"][2]["parameters"] = json!({ "capacitance": "0" });
        }),
        ("unknown-stage", part("R1"), &|d| d["parts"][1]["stage"] = "nowhere".into()),
        ("unreadable-value", Place::Value { value: "a".into() }, &|d| {
            d["values"] = json!([{ "name": "a", "value": "a + 1", "unit": "ohm" }]);
        }),
        ("unknown-study", Place::Reading { reading: "r".into() }, &|d| d["readings"][0]["study"] = "x".into()),
        ("unknown-signal", Place::Reading { reading: "r".into() }, &|d| d["readings"][0]["signal"] = "x.v".into()),
        ("unreadable-signal", Place::Reading { reading: "r".into() }, &|d| {
            d["readings"][0]["signal"] = "out.v + R1.i".into();
        }),
        ("unknown-period", Place::Reading { reading: "r".into() }, &|d| {
            d["readings"][0]["window"] = json!({ "last_periods": { "count": 2 } });
        }),
        ("empty-window", Place::Reading { reading: "r".into() }, &|d| {
            d["readings"][0]["window"] = json!({ "between": { "from": "2m", "to": "1m" } });
        }),
        ("unknown-reading", Place::Requirement { requirement: "q".into() }, &|d| {
            d["requirements"][0]["reading"] = "x".into();
        }),
        ("out-of-range", parameter("T1", "coupling"), &|d| {
            d["parts"].as_array_mut().unwrap().push(json!({
                "id": "T1", "kind": "coupled_windings", "parameters": { "coupling": "1.2" },
                "pins": { "p1": "in", "p2": "gnd", "s1": "out", "s2": "gnd" }
            }));
        }),
        // Two windings that hardly see each other cannot both couple closely to a third.
        ("impossible-coupling", part("T1"), &|d| {
            d["parts"].as_array_mut().unwrap().push(json!({
                "id": "T1", "kind": "three_windings", "parameters": { "coupling_23": "0.1" },
                "pins": { "p1": "in", "p2": "gnd", "s1": "out", "s2": "gnd", "t1": "out", "t2": "gnd" }
            }));
        }),
        ("runaway-core", parameter("T1", "domain_coupling"), &|d| {
            d["parts"].as_array_mut().unwrap().push(json!({
                "id": "T1", "kind": "hysteretic_transformer",
                "parameters": { "material": "own", "domain_coupling": "1m" },
                "pins": { "p1": "in", "p2": "gnd", "s1": "out", "s2": "gnd" }
            }));
        }),
        ("unfit-points", parameter("D1", "measured"), &|d| {
            d["parts"].as_array_mut().unwrap().push(json!({
                "id": "D1", "kind": "diode", "parameters": { "measured": "0.7 1, 0.9 1.1, 1.2 1.2" },
                "pins": { "a": "in", "k": "out" }
            }));
        }),
        ("unfit-gate-charge", parameter("Q1", "gate_charge"), &|d| {
            d["parts"].as_array_mut().unwrap().push(json!({
                "id": "Q1", "kind": "mosfet_n", "parameters": { "gate_charge": "1n" },
                "pins": { "d": "in", "g": "out", "s": "gnd" }
            }));
        }),
        ("no-limit", Place::Requirement { requirement: "q".into() }, &|d| {
            d["requirements"][0] = json!({ "id": "q", "title": "q", "reading": "r" });
        }),
    ];
    for (rule, place, change) in cases {
        let mut document = healthy();
        change(&mut document);
        let findings = check(&read(&document));
        let found: Vec<&Finding> = findings.iter().filter(|f| f.rule == rule).collect();
        assert!(found.len() == 1 && found[0].place == place, "{rule} at {place:?}: {findings:#?}");
        // A reading that cannot be taken is no reason not to run.
        let of_reading = matches!(place, Place::Reading { .. });
        let severity = if of_reading { Severity::Warning } else { Severity::Error };
        assert!(findings.iter().all(|f| f.severity == severity && !f.remedy.is_empty()), "{findings:#?}");
        assert_eq!(resolve(&read(&document)).is_err(), !of_reading);
    }
}

#[test]
fn a_supply_without_reference_is_told_so() {
    let text = healthy().to_string().replace("\"gnd\"", "\"return\"");
    let rules: Vec<String> = check(&Supply::from_json(&text).unwrap()).into_iter().map(|f| f.rule).collect();
    assert_eq!(rules, ["no-reference", "no-dc-path"]);
}

#[test]
fn expressions_follow_the_usual_rules() {
    let lookup = |name: &str| match name {
        "a" => Some(2.0),
        "V_line" => Some(230.0),
        _ => None,
    };
    let value = |text| evaluate(text, Unit::Ohm, &lookup);
    let cases = [
        ("4k7", 4700.0),
        ("a", 2.0),
        ("1 + 2 * 3", 7.0),
        ("-2^2", -4.0),
        ("2^3^2", 512.0),
        ("(1 + a) * 4k7", 14_100.0),
        ("10 - 3 - 2", 5.0),
        ("V_line * sqrt(2)", 230.0 * std::f64::consts::SQRT_2),
        ("min(a, 100n) / 1u", 0.1),
        ("2 * pi", std::f64::consts::TAU),
        ("max(0, 3 * a)", 6.0),
    ];
    for (text, wanted) in cases {
        assert!((value(text).unwrap() - wanted).abs() <= 1e-12 * wanted.abs(), "{text}");
    }
    let message = |text| value(text).unwrap_err().to_string();
    insta::assert_snapshot!(
        [
            message("b + 1"),
            message("(a"),
            message("a a"),
            message("1 / 0 + a"),
            message("sin(a)"),
            message("a +"),
            message("3 V")
        ]
        .join("\n")
    );
}

proptest! {
    #[test]
    fn no_text_makes_the_readers_panic(text in "\\PC{0,40}") {
        let _ = Supply::from_json(&text);
        let _ = mellow_circuit::Signal::parse(&text);
        if let Err(error) = evaluate(&text, Unit::Volt, &|_| None) {
            prop_assert!(error.at <= text.chars().count());
        }
    }

    #[test]
    fn deep_nesting_is_refused_not_overflowed(depth in 1usize..100_000) {
        let text = format!("a + {}1{}", "(".repeat(depth), ")".repeat(depth));
        let value = evaluate(&text, Unit::One, &|_| Some(1.0));
        prop_assert_eq!(value.is_ok(), depth < 64);
    }

    #[test]
    fn signals_read_back_as_printed(names in proptest::collection::vec(("[a-zA-Z][a-z0-9_]{0,5}", any::<bool>()), 1..5)) {
        let mut text = String::new();
        for (name, negative) in &names {
            text += &format!(" {} {name}.v", if *negative { "-" } else { "+" });
        }
        let signal = mellow_circuit::Signal::parse(&text).unwrap();
        prop_assert_eq!(&mellow_circuit::Signal::parse(&signal.to_string()).unwrap(), &signal);
    }
}

/// Points computed from the law come back as its parameters.
#[test]
fn a_diode_is_fitted_from_its_points() {
    let (saturation, slope, resistance) = (3e-9, 0.047, 0.04);
    let at = |i: f64| (resistance * i + slope * (i / saturation).ln(), i);
    let close = |found: f64, wanted: f64| (found / wanted - 1.0).abs() < 1e-9;
    let three = fit::diode(&[at(0.01), at(0.3), at(3.0)], 1.0).unwrap();
    assert!(
        close(three.saturation_current, saturation) && close(three.slope, slope) && close(three.resistance, resistance)
    );
    let two = fit::diode(&[at(0.01), at(3.0)], resistance).unwrap();
    assert!(close(two.saturation_current, saturation) && close(two.slope, slope));
    assert_eq!(fit::diode(&[at(0.01)], 1.0), None);
    assert_eq!(fit::diode(&[(0.7, -1.0), (0.9, 1.0)], 0.1), None);
}
