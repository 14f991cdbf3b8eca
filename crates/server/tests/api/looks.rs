//! Traces looked at otherwise than over time: the same recording, whichever way.

use crate::client::{database, serve};
use serde_json::{Value, json};

fn numbers(of: &Value) -> Vec<f64> {
    // Where a line is broken there is no number.
    of.as_array().unwrap().iter().filter_map(Value::as_f64).collect()
}

#[test]
fn spectra_planes_crossings_and_rows_agree_with_what_is_measured() {
    let (_server, client) = serve(&database(), &[]);
    let run = client.start(&client.demo());
    client.finished(&run);
    let ask = |what: &str, body: Value| client.post(&format!("/api/runs/{run}/{what}"), &body);
    let told = |what: &str, body: Value| {
        let (status, answer) = ask(what, body);
        assert!((400..500).contains(&status), "{status} {answer}");
        answer["message"].as_str().unwrap().to_owned()
    };
    let (from, to) = (0.4, 0.5);
    let signals = json!(["bus.v", "V1.v", "bus.v * R1.i"]);
    let formulas = json!([
        "sqrt(rms ^ 2 - mean ^ 2)",
        "peak_to_peak / mean",
        "(at_b - at_a) / dt",
        "mean + dt",
        "1 / (dt - dt)",
        "mean * nothing"
    ]);
    let (status, measured) = ask(
        "measure",
        json!({ "signals": signals, "from": from, "to": to, "more": ["alternating_rms"], "formulas": formulas }),
    );
    assert_eq!(status, 200, "{measured}");
    for of in measured.as_array().unwrap() {
        let value = |name: &str| of[name].as_f64().unwrap();
        // Lines over whole periods hold all that alternates: the sum of their squares is the square of its RMS (Parseval).
        let asked = json!({ "signal": of["signal"], "from": from, "to": to, "taper": "none", "up_to": 100_000.0 });
        let (status, lines) = ask("spectrum", asked);
        assert_eq!(status, 200, "{lines}");
        let rms = numbers(&lines["rms"]);
        assert!((lines["spacing"].as_f64().unwrap() - 10.0).abs() < 1e-6 && lines["fundamental"] == 50.0);
        assert!((rms[0] - value("mean")).abs() < 1e-6 * value("rms"));
        let all: f64 = rms[1..].iter().map(|r| r * r).sum::<f64>().sqrt();
        let alternating = of["more"][0]["value"].as_f64().unwrap();
        assert!((all / alternating - 1.0).abs() < 1e-3, "{all} {alternating}");
        // What formulas of the span come to is what the measures say; what cannot be is said.
        let worked = |k: usize| of["worked"][k]["value"].as_f64();
        assert!((worked(0).unwrap() / alternating - 1.0).abs() < 1e-6);
        assert_eq!(of["more"].as_array().unwrap().len(), 1, "a measure used in a formula has no column");
        if of["signal"] != "V1.v" {
            assert!((worked(1).unwrap() - (value("max") - value("min")) / value("mean")).abs() < 1e-9);
        }
        assert!((worked(2).unwrap() - (value("at_to") - value("at_from")) / (to - from)).abs() < 1e-6);
        for (k, text) in [(3, "cannot be added"), (4, "zero"), (5, "there is no nothing here")] {
            assert!(of["worked"][k]["problem"].as_str().unwrap().contains(text), "{of}");
        }
        // Rows are points of the trace; few enough instants are all there are.
        let asked = json!({ "signals": [of["signal"]], "from": from, "to": to, "most": 40 });
        let (_, even) = ask("rows", asked);
        let (times, values) = (numbers(&even["times"]), numbers(&even["columns"][0]["values"]));
        assert!(even["every_node"] == false && times.len() == 40 && times[0] == from && (times[39] - to).abs() < 1e-12);
        assert!((values[0] - value("at_from")).abs() < 1e-9 && (values[39] - value("at_to")).abs() < 1e-9);
        assert!(values.iter().all(|v| (value("min") - 1e-9..=value("max") + 1e-9).contains(v)));
        let (_, exact) =
            ask("rows", json!({ "signals": [of["signal"]], "from": from, "to": from + 2e-4, "most": 1000 }));
        assert!(exact["every_node"] == true && numbers(&exact["times"]).is_sorted_by(|a, b| a < b), "{exact}");
    }
    // Crossings one after the other stand where the trace has that level, and the way back leads over the same.
    let next = |at: f64, direction: &str, backwards: bool, level: f64| {
        let asked =
            json!({ "signal": "V1.v", "level": level, "direction": direction, "at": at, "backwards": backwards });
        ask("crossing", asked).1["time"].as_f64()
    };
    let sine = |t: f64| 325.269_119 * (100.0 * std::f64::consts::PI * t).sin();
    for level in [-200.0, 0.0, 17.3, 320.0] {
        let mut at = 0.003_21;
        let mut passed = Vec::new();
        while let Some(found) = next(at, "rising", false, level) {
            assert!((sine(found) - level).abs() < 0.7, "{level} at {found}: {}", sine(found));
            assert!(found > at);
            passed.push(found);
            at = found;
        }
        assert!((24..=26).contains(&passed.len()), "{level}: {passed:?}");
        let mut at = 0.499_99;
        let mut back = Vec::new();
        while let Some(found) = next(at, "rising", true, level) {
            back.push(found);
            at = found;
        }
        back.reverse();
        let later: Vec<f64> = back.into_iter().filter(|t| *t > 0.003_21).collect();
        let until: Vec<f64> = passed.into_iter().filter(|t| *t < 0.499_99).collect();
        assert_eq!(later.len(), until.len(), "{level}");
        assert!(later.iter().zip(&until).all(|(a, b)| (a - b).abs() < 1e-9), "{level}: {later:?} {until:?}");
    }
    assert_eq!(next(0.0, "either", false, 400.0), None);
    // A voltage against itself is a straight line.
    let (_, plane) = ask("against", json!({ "x": "V1.v", "y": "V1.v", "from": from, "to": to }));
    let (x, y) = (numbers(&plane["x"]), numbers(&plane["y"]));
    assert!(x.len() > 500 && x == y);
    assert!(x.iter().copied().fold(0.0, f64::max) > 325.0);
    // What cannot be says why.
    assert!(
        told("spectrum", json!({ "signal": "bus.v", "from": 0.7, "to": 0.8, "taper": "hann" })).contains("not covered")
    );
    assert!(
        told("spectrum", json!({ "signal": "bus.v", "from": 0.0, "to": 0.5, "taper": "hann", "up_to": 1e9 }))
            .contains("shorter span")
    );
    assert!(told("against", json!({ "x": "bus.v", "y": "lost.v", "from": 0.0, "to": 0.5 })).contains("named lost"));
    assert!(
        told("crossing", json!({ "signal": "bus.v +", "level": 1.0, "direction": "either", "at": 0.0 }))
            .contains("cannot be read")
    );
    assert!(
        told("rows", json!({ "signals": ["R1.v * C1.v"], "from": 0.0, "to": 0.5, "most": 9 }))
            .contains("without a name")
    );
}
