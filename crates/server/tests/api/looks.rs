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
        // Asked for at another run's instants, the same trace has the same values; where it does not reach, none.
        let mut instants = numbers(&exact["times"]);
        instants.push(1e3);
        let asked = json!({ "signals": [of["signal"]], "from": 0, "to": 2e3, "most": 9, "instants": instants });
        let (_, there) = ask("rows", asked);
        let mut values = there["columns"][0]["values"].as_array().unwrap().clone();
        assert!(values.pop() == Some(Value::Null) && there["times"].as_array().unwrap().len() == instants.len());
        for (found, known) in values.iter().zip(numbers(&exact["columns"][0]["values"])) {
            assert!((found.as_f64().unwrap() - known).abs() <= 1e-12 * known.abs(), "{there}");
        }
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
        told("rows", json!({ "signals": ["bus.v"], "from": 0.0, "to": 0.5, "most": 9, "instants": [0.2, 0.1] }))
            .contains("increasing times")
    );
    assert!(
        told("rows", json!({ "signals": ["R1.v * C1.v"], "from": 0.0, "to": 0.5, "most": 9 }))
            .contains("without a name")
    );
}

/// Traces drawn together are those drawn one by one, whatever stretch is asked for: plain, of both signs, worked out, of a
/// part with three pins, and with one among them that cannot be drawn.
#[test]
fn traces_drawn_together_are_those_drawn_one_by_one() {
    let (_server, client) = serve(&database(), &[]);
    let run = client.start(&client.demo());
    client.finished(&run);
    let signals =
        ["bus.v", "-V1.i", "line.v - neutral.v", "V1.v * -V1.i", "mean(bus.v, 20m)", "T1.p", "lost.v", "D1.i"];
    for (from, to, width) in [(0.0, 0.5, 600), (0.1, 0.100_5, 600), (0.2, 0.3, 64), (0.4, 0.9, 1280), (0.7, 0.8, 100)] {
        let together = client.traces(&run, &json!({ "signals": signals, "from": from, "to": to, "width": width }));
        assert_eq!(together.len(), signals.len());
        for (signal, found) in signals.iter().zip(together) {
            match found {
                Ok(points) => assert_eq!(points, client.trace(&run, signal, from, to, width), "{signal} from {from}"),
                Err(problem) => assert!(*signal == "lost.v" && problem.contains("named lost"), "{signal}: {problem}"),
            }
        }
    }
    let ask = |body: Value| client.post(&format!("/api/runs/{run}/traces"), &body);
    let (status, answer) = ask(json!({ "signals": ["bus.v"], "from": 0.2, "to": 0.1, "width": 10 }));
    assert!(status == 422 && answer["message"].as_str().unwrap().contains("later end"), "{answer}");
    let many: Vec<String> = (0..201).map(|_| "bus.v".to_owned()).collect();
    let (status, answer) = ask(json!({ "signals": many, "from": 0.0, "to": 0.1, "width": 10 }));
    assert!(status == 422 && answer["message"].as_str().unwrap().contains("in parts"), "{answer}");
}

/// What is written beside a run stays with it; the circuit of a run is the one that ran, however the supply changed since.
#[test]
fn notes_and_circuits_stay_with_their_runs() {
    let (_server, client) = serve(&database(), &[]);
    let supply = client.demo();
    let run = client.start(&supply);
    client.finished(&run);
    let remark = |body: Value| client.post(&format!("/api/runs/{run}/remark"), &body);
    let shown = || client.get(&format!("/api/runs/{run}")).1;
    assert_eq!((shown()["note"].as_str(), shown()["marked"].as_bool()), (Some(""), Some(false)));
    assert_eq!(remark(json!({ "note": "  first try, bus a little low \n" })).0, 204);
    assert_eq!(
        (shown()["note"].as_str(), shown()["marked"].as_bool()),
        (Some("first try, bus a little low"), Some(false))
    );
    assert_eq!(remark(json!({ "marked": true })).0, 204);
    assert_eq!(remark(json!({})).0, 204);
    assert_eq!(
        (shown()["note"].as_str(), shown()["marked"].as_bool()),
        (Some("first try, bus a little low"), Some(true))
    );
    for (note, said) in [("x".repeat(2001), "2000"), ("a\0b".to_owned(), "NUL")] {
        let (status, answer) = remark(json!({ "note": note }));
        assert!(status == 422 && answer["message"].as_str().unwrap().contains(said), "{answer}");
    }
    let nobody = "/api/runs/00000000-0000-0000-0000-000000000000";
    for what in ["remark", "document", "drawing.svg"] {
        let path = format!("{nobody}/{what}");
        let status = if what == "remark" { client.post(&path, &json!({ "note": "x" })).0 } else { client.get(&path).0 };
        assert_eq!(status, 404, "{what}");
    }
    let id = supply["id"].as_str().unwrap();
    let mut changed = supply["document"].clone();
    changed["title"] = json!("Changed");
    changed["parts"].as_array_mut().unwrap().retain(|p| p["id"] != "C1");
    let body = json!({ "document": changed, "revision": supply["revision"] });
    assert_eq!(client.send("PUT", &format!("/api/supplies/{id}"), &body.to_string()).0, 200);
    let (status, document) = client.get(&format!("/api/runs/{run}/document"));
    assert_eq!((status, &document["parts"]), (200, &supply["document"]["parts"]), "as it ran");
    let picture = client.text(&format!("/api/runs/{run}/drawing.svg"));
    assert!(picture.starts_with("<svg") && picture.contains(">C1<"), "{}", &picture[..200.min(picture.len())]);
    // A copy of it is a supply of its own.
    let (status, copy) = client.post("/api/supplies", &json!({ "document": document }));
    assert!(status == 200 && copy["id"] != supply["id"] && copy["revision"] == 1, "{copy}");
}

/// A table at a rate begins where it is asked to, has the rows it is asked for, follows the recorded course and not its chords, and is
/// refused where it would hold too much or nothing.
#[test]
fn tables_at_a_rate_follow_what_was_recorded() {
    let (_server, client) = serve(&database(), &[]);
    let run = client.start(&client.demo());
    client.finished(&run);
    let rows = |body: Value| {
        let text = String::from_utf8(client.table(&run, &body)).unwrap();
        let lines = text.lines().skip(1).map(|line| line.split(',').map(|cell| cell.parse().ok()).collect());
        lines.collect::<Vec<Vec<Option<f64>>>>()
    };
    for (from, to, rate) in [(0.1, 0.1 + 3e-3, 1e5), (0.123_456_7, 0.2, 3333.0), (0.499, 0.501, 1e4)] {
        let body = json!({ "signals": ["V1.v"], "from": from, "to": to, "rate": rate });
        let found = rows(body);
        assert_eq!(found.len(), ((to - from) * rate * (1.0 + 1e-12)) as usize + 1, "{from} {to} {rate}");
        for (k, row) in found.iter().enumerate() {
            let t = from + k as f64 / rate;
            assert!((row[0].unwrap() - t).abs() < 1e-12, "{row:?}");
            let sine = 325.269_119 * (100.0 * std::f64::consts::PI * t).sin();
            match row.get(1).copied().flatten() {
                // Some 160 steps a period: a chord would be 60 mV off, a polynomial is not.
                Some(value) => assert!((value - sine).abs() < 0.05, "{t}: {value} for {sine}"),
                None => assert!(t > 0.5, "nothing at {t}"),
            }
        }
    }
    let refused = |body: Value| {
        let (status, answer) = client.post(&format!("/api/runs/{run}/table"), &body);
        assert_eq!(status, 422, "{answer}");
        answer["message"].as_str().unwrap().to_owned()
    };
    let table = |from: f64, to: f64, rate: f64| json!({ "signals": ["V1.v"], "from": from, "to": to, "rate": rate });
    assert!(refused(table(0.0, 0.5, 1e9)).contains("cells"));
    assert!(refused(table(0.0, 0.5, 1.0)).contains("fewer than two"));
    assert!(refused(json!({ "signals": ["V1.v"], "from": 0.1, "to": 0.1 + 1e-9 })).contains("nothing was recorded"));
    assert!(refused(json!({ "signals": vec!["V1.v"; 101], "from": 0, "to": 1 })).contains("up to 100"));
    let long = vec!["V1.v"; 500].join(" + ");
    assert!(refused(json!({ "signals": [long], "from": 0, "to": 1 })).contains("2000 characters"));
}
