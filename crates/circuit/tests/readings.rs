//! Readings of every kind, resolved, and what is said of those that cannot be.

use mellow_circuit::{
    Dimensioned, Finding, Place, ReadingOf, ResolvedEvent, ResolvedWindow, Strip, Supply, check, expression::work_out,
    resolve,
};
use proptest::prelude::*;
use quantity::Unit;
use serde_json::{Value, json};

/// A mains supply with a stepped load and one reading, which a test replaces.
fn supply(readings: Value) -> Supply {
    let document = json!({ "mellow_coil": 1, "title": "readings",
        "values": [{ "name": "v_rail", "value": "5", "unit": "volt" }],
        "parts": [
            { "id": "V1", "kind": "sine_source", "pins": { "plus": "line", "minus": "gnd" },
              "parameters": { "amplitude": "12", "frequency": "50" } },
            { "id": "R1", "kind": "resistor", "pins": { "a": "line", "b": "out" }, "parameters": { "resistance": "10" } },
            { "id": "I1", "kind": "stepped_load", "pins": { "plus": "out", "minus": "gnd" },
              "parameters": { "delay": "30m" } }],
        "studies": [{ "id": "on", "kind": "switch_on", "title": "On", "duration": "100m" }],
        "readings": readings });
    Supply::from_json(&document.to_string()).unwrap_or_else(|error| panic!("{error}"))
}

fn reading(more: &Value) -> Value {
    let mut reading = json!({ "id": "r", "title": "R", "study": "on", "window": "whole_run" });
    reading.as_object_mut().unwrap().extend(more.as_object().unwrap().clone());
    reading
}

#[test]
fn readings_are_resolved_with_units_numbers_and_windows() {
    let supply = supply(json!([
        reading(&json!({ "id": "settles", "measure": "settling_time", "signal": "out.v",
            "numbers": { "end": "v_rail", "band": "0.01" }, "window": { "around_step": { "before": "1m", "after": "20m" } } })),
        reading(&json!({ "id": "charge", "measure": "integral", "signal": "R1.i" })),
        reading(&json!({ "id": "pf", "measure": "power_factor", "signal": "V1.v", "current": "-V1.i" })),
        reading(&json!({ "id": "loss", "measure": "loss" })),
        reading(
            &json!({ "id": "limits", "measure": "harmonic_use", "signal": "V1.v", "current": "-V1.i", "numbers": { "class": "D" } })
        ),
        reading(&json!({ "id": "each", "measure": "formula", "formula": "loss / charge * settles ^ 2 * 3" })),
        reading(
            &json!({ "id": "late", "measure": "mean", "signal": "out.v", "window": { "around_step": { "of": "I1" } } })
        ),
    ]));
    let circuit = resolve(&supply).unwrap_or_else(|findings| panic!("{findings:#?}"));
    let units: Vec<Unit> = circuit.readings.iter().map(|r| r.unit).collect();
    // W/C·s² = V·A/(A·s)·s² = V·s.
    let expected = [Unit::Second, Unit::Coulomb, Unit::One, Unit::Watt, Unit::Share, Unit::VoltSecond, Unit::Volt];
    assert_eq!(units, expected);
    assert_eq!(circuit.readings[0].numbers, [None, Some(5.0), Some(0.01), Some(0.0), None]);
    let ResolvedWindow::Between(from, to) = circuit.readings[0].window else { panic!() };
    assert!((from - 0.029).abs() < 1e-12 && (to - 0.05).abs() < 1e-12);
    assert_eq!(circuit.readings[6].window, ResolvedWindow::From(0.03));
    assert_eq!(circuit.readings[4].numbers, [Some(3.0), None]);
    assert_eq!(circuit.readings[3].of, ReadingOf::Stage(None));
    // A source's own current counts as it delivers, with or without the sign; another part's as it is written.
    let port = |current: &str| {
        let of = reading(&json!({ "id": "p", "measure": "real_power", "signal": "V1.v", "current": current }));
        let ReadingOf::Port { current, .. } = resolve(&self::supply(json!([of]))).unwrap().readings[0].of.clone()
        else {
            panic!()
        };
        current.to_string()
    };
    assert_eq!(["V1.i", "-V1.i", "R1.i", "V1.i + R1.i"].map(port), ["-V1.i", "-V1.i", "R1.i", "V1.i + R1.i"]);
    // The stepped load is no periodic source, so the mains' frequency is the fundamental.
    assert_eq!(circuit.readings[2].fundamental, Some(50.0));
    // What is written is read again to the byte.
    let text = supply.to_json();
    assert_eq!(Supply::from_json(&text).unwrap().to_json(), text);
}

#[test]
fn what_is_wrong_with_a_reading_is_named_with_its_remedy() {
    let cases = [
        (json!({ "measure": "mean" }), "unreadable-signal", "Signal “”"),
        (json!({ "measure": "power_factor", "signal": "V1.v" }), "unreadable-signal", "reading r"),
        (
            json!({ "measure": "power_factor", "signal": "V1.i", "current": "V1.i" }),
            "unreadable-signal",
            "takes a voltage",
        ),
        (
            json!({ "measure": "real_power", "signal": "V1.v", "current": "R1.v" }),
            "unreadable-signal",
            "takes a current",
        ),
        (json!({ "measure": "real_power", "signal": "V1.v", "current": "R9.i" }), "unknown-signal", "R9"),
        (json!({ "measure": "efficiency", "stage": "bridge" }), "unknown-stage", "bridge"),
        (json!({ "measure": "efficiency", "signal": "out.v" }), "superfluous", "a signal"),
        (json!({ "measure": "mean", "signal": "out.v", "current": "R1.i" }), "superfluous", "a current"),
        (json!({ "measure": "mean", "signal": "out.v", "formula": "1" }), "superfluous", "a formula"),
        (json!({ "measure": "mean", "signal": "out.v", "stage": "x" }), "superfluous", "a stage"),
        (json!({ "measure": "mean", "signal": "out.v", "numbers": { "level": "1" } }), "unknown-number", "level"),
        (
            json!({ "measure": "duty", "signal": "out.v", "numbers": { "level": "1 A" } }),
            "unreadable-value",
            "Level of reading r",
        ),
        (
            json!({ "measure": "harmonic", "signal": "out.v", "numbers": { "order": "0" } }),
            "out-of-range",
            "Order of reading r",
        ),
        (
            json!({ "measure": "harmonic_use", "signal": "V1.v", "current": "V1.i", "numbers": { "class": "E" } }),
            "unknown-choice",
            "“E”",
        ),
        (json!({ "measure": "formula", "formula": "twice * 2" }), "unreadable-formula", "no reading named twice"),
        (json!({ "measure": "formula" }), "unreadable-formula", "ends too early"),
        (json!({ "measure": "formula", "formula": "first + second" }), "unreadable-formula", "V and s cannot be added"),
        (json!({ "measure": "formula", "formula": "sqrt(first)" }), "unit", "V^0.5"),
        (json!({ "measure": "formula", "formula": "exp(first)" }), "unreadable-formula", "exp takes a plain number"),
        (json!({ "measure": "formula", "formula": "r" }), "unreadable-formula", "before this one"),
        (
            json!({ "measure": "mean", "signal": "out.v", "window": { "around_step": { "of": "R1" } } }),
            "unknown-step",
            "R1 does not change",
        ),
    ];
    for (more, rule, named) in cases {
        let before = [
            reading(&json!({ "id": "first", "measure": "mean", "signal": "out.v" })),
            reading(&json!({ "id": "second", "measure": "rise_time", "signal": "out.v" })),
        ];
        let supply = supply(json!([before[0], before[1], reading(&more)]));
        let all: Vec<Finding> = check(&supply);
        let found = all.iter().find(|f| f.rule == rule && f.message.contains(named));
        let found = found.unwrap_or_else(|| panic!("{more}: {all:#?}"));
        assert!(found.remedy.len() > 8 && found.place == Place::Reading { reading: "r".into() }, "{found}");
        // It is no reason not to run; the reading alone has no value, and says why.
        let circuit = resolve(&supply).unwrap_or_else(|findings| panic!("{more}: {findings:#?}"));
        let problems: Vec<bool> = circuit.readings.iter().map(|r| r.problem.is_some()).collect();
        assert_eq!(problems, [false, false, true], "{more}");
    }
}

proptest! {
    /// Units follow the numbers: what a formula's value is when all units are changed by powers of ten follows from its unit.
    #[test]
    fn units_scale_as_the_values_do(volts in 0.1f64..10.0, amperes in 0.1f64..10.0, seconds in 0.1f64..10.0, which in 0usize..7) {
        let formula = ["v * i", "v / i", "v * i * t", "i * t / v", "v * t / i", "sqrt(v * v) + v", "max(v, 2 * v) / t"][which];
        let at = |scales: [f64; 3]| {
            let values = [(volts * scales[0], Unit::Volt), (amperes * scales[1], Unit::Ampere), (seconds * scales[2], Unit::Second)];
            let lookup = |name: &str| Ok(["v", "i", "t"].iter().position(|n| *n == name).map(|k| Dimensioned::new(values[k].0, values[k].1)).unwrap());
            work_out(formula, &lookup).unwrap()
        };
        let unit = at([1.0; 3]).unit().unwrap();
        let by_unit = |k: usize| {
            let mut scales = [1.0; 3];
            scales[k] = 10.0;
            let (before, after) = (at([1.0; 3]).value, at(scales).value);
            (after / before).log10()
        };
        let expected: [f64; 3] = match unit {
            Unit::Watt => [1.0, 1.0, 0.0],
            Unit::Ohm => [1.0, -1.0, 0.0],
            Unit::Joule => [1.0, 1.0, 1.0],
            Unit::Farad => [-1.0, 1.0, 1.0],
            Unit::Henry => [1.0, -1.0, 1.0],
            Unit::Volt => [1.0, 0.0, 0.0],
            Unit::VoltPerSecond => [1.0, 0.0, -1.0],
            other => panic!("{other:?}"),
        };
        for (k, power) in expected.into_iter().enumerate() {
            prop_assert!((by_unit(k) - power).abs() < 1e-9, "{} in {:?}", formula, unit);
        }
    }
}

/// Strips show signals and formulas of them; both follow a net's new name, and neither keeps a supply from being run.
#[test]
fn strips_with_formulas_follow_their_nets() {
    let mut supply = supply(json!([]));
    let texts = ["out.v * -R1.i", "db(out.v / line.v)", "mean(out.v - line.v, 20m)", "line.v - out.v", "outer.v"];
    supply.studies[0].strips = vec![Strip::of(texts)];
    let warned: Vec<String> = check(&supply).into_iter().map(|f| f.message).collect();
    assert!(warned.len() == 1 && warned[0].contains("named outer"), "{warned:?}");
    assert!(resolve(&supply).is_ok());
    supply.rename_net("out", "rail_2");
    let expected =
        ["rail_2.v * -R1.i", "db(rail_2.v / line.v)", "mean(rail_2.v - line.v, 20m)", "line.v - rail_2.v", "outer.v"];
    assert_eq!(supply.studies[0].strips, [Strip::of(expected)]);
    // What shows a part that is gone goes with it.
    let before = supply.clone();
    supply.parts.retain(|p| p.id != "R1");
    supply.forget_gone(&before);
    assert_eq!(supply.studies[0].strips, [Strip::of(expected.into_iter().skip(1))]);
}

/// Windows that are found in the run: their signals follow a net's new name and go with a part that is gone, shares are
/// written in per cent or as ratios, and what cannot be found is said before anything runs.
#[test]
fn windows_by_events_are_resolved_or_said() {
    let crossing = |signal: &str, level: &str, number: u32| json!({ "crossing": { "signal": signal, "level": level, "direction": "falling", "number": number } });
    let mean =
        |id: &str, window: Value| reading(&json!({ "id": id, "measure": "mean", "signal": "out.v", "window": window }));
    let mut supply = supply(json!([
        mean("own", json!({ "after_settled": {} })),
        mean("other", json!({ "after_settled": { "of": "R1.i", "band": "0.5 %" } })),
        mean(
            "dip",
            json!({ "between_events": { "from": crossing("out.v", "v_rail / 2", 2), "to": { "change": "I1" } } })
        ),
        mean(
            "timed",
            json!({ "between_events": { "from": { "time": "1m" }, "to": crossing("line.v - out.v", "0.25", 1) } })
        ),
    ]));
    let circuit = resolve(&supply).unwrap_or_else(|findings| panic!("{findings:#?}"));
    let windows: Vec<&ResolvedWindow> = circuit.readings.iter().map(|r| &r.window).collect();
    let ResolvedWindow::Settled { signal, band, period } = windows[0] else { panic!() };
    assert_eq!((signal.to_string().as_str(), *band, *period), ("out.v", 0.02, Some(0.02)));
    let ResolvedWindow::Settled { signal, band, .. } = windows[1] else { panic!() };
    assert_eq!((signal.to_string().as_str(), *band), ("R1.i", 0.005));
    let ResolvedWindow::Events(ResolvedEvent::Crossing { level, number, .. }, ResolvedEvent::At(to)) = windows[2]
    else {
        panic!()
    };
    assert_eq!((*level, *number, *to), (2.5, 2, 0.03));
    assert_eq!(Supply::from_json(&supply.to_json()).unwrap(), supply);
    supply.rename_net("out", "rail");
    let text = supply.to_json();
    assert!(text.contains("line.v - rail.v") && !text.contains("out.v"), "{text}");
    let before = supply.clone();
    supply.parts.retain(|p| p.id != "R1");
    supply.forget_gone(&before);
    let left: Vec<&str> = supply.readings.iter().map(|r| r.id.as_str()).collect();
    assert_eq!(left, ["own", "dip", "timed"], "what waits for the current of a part that is gone goes with it");
    for (window, wrong) in [
        (json!({ "after_settled": { "of": "out" } }), "cannot be read"),
        (json!({ "after_settled": { "band": "200 %" } }), "outside its range"),
        (json!({ "between_events": { "from": { "time": "2m" }, "to": { "time": "1m" } } }), "ends before it starts"),
        (json!({ "between_events": { "from": { "change": "R1" }, "to": { "time": "1m" } } }), "R1 does not change"),
        (json!({ "between_events": { "from": crossing("out.v", "1 A", 1), "to": { "time": "1" } } }), "cannot be read"),
        (json!({ "between_events": { "from": crossing("out.v", "1", 0), "to": { "time": "1" } } }), "crossing 0"),
    ] {
        let circuit = resolve(&self::supply(json!([mean("r", window.clone())]))).unwrap();
        let problem = circuit.readings[0].problem.clone().unwrap_or_default();
        assert!(problem.contains(wrong), "{window}: {problem}");
    }
}

/// What a meter showed is read in the reading's own unit; what cannot be read is said and leaves the reading alone.
#[test]
fn metered_values_stand_beside_readings() {
    let supply = supply(json!([
        reading(&json!({ "id": "a", "measure": "mean", "signal": "R1.i", "metered": "130m" })),
        reading(&json!({ "id": "b", "measure": "mean", "signal": "out.v", "metered": "v_rail * 1.02" })),
        reading(&json!({ "id": "c", "measure": "mean", "signal": "out.v", "metered": "a bit" })),
    ]));
    let circuit = resolve(&supply).unwrap_or_else(|findings| panic!("{findings:#?}"));
    let metered: Vec<Option<f64>> = circuit.readings.iter().map(|r| r.metered).collect();
    assert_eq!(metered, [Some(0.13), Some(5.1), None]);
    assert!(circuit.readings.iter().all(|r| r.problem.is_none()));
    let found = check(&supply);
    let said = |f: &Finding| f.message.contains("metered value of reading c");
    assert!(found.iter().any(said), "{found:#?}");
}

/// A window around a step begins where whatever is named changes first: every kind of source that can, at a time of its own.
#[test]
fn a_window_knows_every_source_that_changes() {
    let at = "7m";
    let sources = [
        ("pulse_source", json!({ "delay": at })),
        ("exponential_source", json!({ "rise_at": at })),
        ("piecewise_source", json!({ "points": "0 3, 7m 3, 9m 5, 20m 5" })),
        ("sine_source", json!({ "changes_to": "0.5", "changes_at": at })),
    ];
    for (kind, parameters) in sources {
        let mut supply = supply(json!([reading(
            &json!({ "measure": "mean", "signal": "out.v", "window": { "around_step": { "of": "V2", "before": "1m" } } })
        )]));
        let mut document = serde_json::to_value(&supply).unwrap();
        document["parts"].as_array_mut().unwrap().push(json!({ "id": "V2", "kind": kind,
            "pins": { "plus": "x", "minus": "gnd" }, "parameters": parameters }));
        document["parts"]
            .as_array_mut()
            .unwrap()
            .push(json!({ "id": "R2", "kind": "resistor", "pins": { "a": "x", "b": "out" } }));
        supply = Supply::from_json(&document.to_string()).unwrap();
        let circuit = resolve(&supply).unwrap_or_else(|findings| panic!("{findings:#?}"));
        let ResolvedWindow::From(from) = circuit.readings[0].window else {
            panic!("{kind}: {:?}", circuit.readings[0])
        };
        assert!((from - 6e-3).abs() < 1e-12, "{kind}: {from}");
    }
}
