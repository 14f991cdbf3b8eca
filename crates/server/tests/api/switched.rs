//! A converter through the API: its settled state simulated by switching, looked at, measured, and said why.

use crate::client::{database, serve};
use serde_json::{Value, json};

fn part(id: &str, kind: &str, pins: Value, parameters: Value) -> Value {
    json!({ "id": id, "kind": kind, "pins": pins, "parameters": parameters })
}

fn buck() -> Value {
    json!({ "mellow_coil": 1, "title": "Lamp driver",
        "parts": [
            part("V1", "dc_source", json!({ "plus": "in", "minus": "gnd" }), json!({ "voltage": "24" })),
            part("VG", "pulse_source", json!({ "plus": "g", "minus": "x" }),
                json!({ "high": "10", "rise": "20n", "fall": "20n", "width": "4.976u", "period": "10u" })),
            part("Q1", "mosfet_n", json!({ "d": "in", "g": "g", "s": "x" }), json!({ "threshold": "4" })),
            part("D1", "schottky", json!({ "a": "gnd", "k": "x" }), json!({})),
            part("L1", "inductor", json!({ "a": "x", "b": "out" }), json!({ "inductance": "47u" })),
            part("C1", "capacitor", json!({ "plus": "out", "minus": "gnd" }),
                json!({ "capacitance": "100u", "esr": "20m" })),
            part("R1", "resistor", json!({ "a": "out", "b": "gnd" }), json!({ "resistance": "6" })),
        ],
        "studies": [
            { "id": "settled", "kind": "settled", "title": "Settled", "duration": "0.5" }],
        "readings": [{ "id": "out", "title": "Output", "study": "settled", "signal": "out.v", "measure": "mean",
            "window": "whole_run" }],
        "requirements": [{ "id": "out", "title": "Output", "reading": "out", "at_least": "11", "at_most": "12.5" }] })
}

#[test]
fn a_converter_settles_and_says_how_it_was_simulated() {
    let (_server, client) = serve(&database(), &[]);
    let done = client.ran(&buck(), "settled");
    let run = done["id"].as_str().unwrap();
    let outcome = &done["outcome"];
    assert_eq!(done["state"], "done", "{done}");
    assert!(outcome["health"]["simulated"].as_str().unwrap().starts_with("by switching"), "{outcome}");
    assert_eq!(outcome["verdicts"][0]["standing"], "met", "{outcome}");
    // A hundred periods at most are kept of half a second, and none is gone on with.
    let recorded: [f64; 2] = serde_json::from_value(done["recorded"].clone()).unwrap();
    assert!((recorded[1] - recorded[0] - 1e-3).abs() < 1e-9, "{recorded:?}");
    assert_eq!(done["goes_on"], false);
    // The picture shows the same level as the reading.
    let (_, values) = client.trace(run, "out.v", recorded[0], recorded[1], 800);
    let mean = outcome["readings"][0]["value"].as_f64().unwrap();
    assert!(values.iter().all(|v| (v - mean).abs() < 0.1) && values.len() > 100, "{mean} {values:?}");
    // Without its clock nothing repeats, and the run says so.
    let mut still = buck();
    still["parts"][1]["parameters"]["period"] = json!("0");
    let failed = client.ran(&still, "settled");
    assert_eq!(failed["state"], "failed");
    assert!(failed.to_string().contains("nothing repeats"), "{failed}");
}

/// Nothing new happens in most of a long run: a few of its nodes are kept, and everything is seen as often as it comes, in pictures
/// of any length, when it is measured, judged and gone on with.
#[test]
fn what_comes_again_is_kept_once_and_seen_throughout() {
    let (_server, client) = serve(&database(), &[]);
    let mut long = buck();
    long["studies"] =
        json!([{ "id": "long", "kind": "switch_on", "engine": "switched", "title": "Long", "duration": "2" }]);
    long["readings"][0]["study"] = json!("long");
    long["readings"][0]["window"] = json!({ "between": { "from": "1", "to": "2" } });
    let done = client.ran(&long, "long");
    let run = done["id"].as_str().unwrap();
    assert_eq!(done["state"], "done", "{done}");
    let (health, nodes) = (&done["outcome"]["health"]["engine"], done["node_count"].as_u64().unwrap());
    let repeated = health["repeated"].as_u64().unwrap();
    assert!(repeated > 190_000 && nodes < 200_000, "{repeated} periods, {nodes} nodes");
    assert_eq!(done["outcome"]["verdicts"][0]["standing"], "met", "{done}");
    assert_eq!(done["recorded"], json!([0.0, 2.0]));
    // The whole: the switch-on at its left, the level throughout.
    let mean = done["outcome"]["readings"][0]["value"].as_f64().unwrap();
    let (times, values) = client.trace(run, "out.v", 0.0, 2.0, 800);
    assert!(values[0] < 1.0 && times.len() <= 2 * 802, "{} points", times.len());
    let level = times.iter().zip(&values).filter(|(t, _)| **t > 0.1);
    assert!(level.clone().count() > 1500 && level.clone().all(|(_, v)| (v - mean).abs() < 0.1), "{mean}");
    // Three periods deep within it, as they are recorded; and as they were before anything was left out.
    let current = |from: f64| client.trace(run, "L1.i", from, from + 30e-6, 800);
    let (at, i) = current(1.5);
    let reach = |i: &[f64]| i.iter().fold((f64::MAX, f64::MIN), |(low, high), v| (low.min(*v), high.max(*v)));
    let swing = reach(&i).1 - reach(&i).0;
    assert!(
        swing > 1.0 && at.windows(2).all(|t| t[0] <= t[1]) && at[0] <= 1.5 && at[at.len() - 1] >= 1.50003,
        "{swing}"
    );
    let rises = i.windows(2).map(|pair| pair[1] > pair[0]).collect::<Vec<_>>();
    assert_eq!(rises.windows(2).filter(|pair| !pair[0] && pair[1]).count(), 3, "{i:?}");
    assert!(reach(&current(0.05).1).0 - reach(&i).0 < 1e-3 * swing);
    // A formula, which no level holds, over all of it.
    let (_, power) = client.trace(run, "out.v*L1.i", 0.0, 2.0, 800);
    assert!(power.len() > 1500 && power.iter().all(|p| p.is_finite()));
    // Measured over half a second, some 50,000 periods.
    let body = json!({ "signals": ["out.v", "L1.i"], "from": 1.2, "to": 1.7 });
    let (status, measured) = client.post(&format!("/api/runs/{run}/measure"), &body);
    let figure = |signal: usize, name: &str| measured[signal][name].as_f64().unwrap();
    assert_eq!(status, 200, "{measured}");
    assert!((figure(0, "mean") - mean).abs() < 1e-6 * mean, "{measured}");
    assert!((figure(1, "max") - figure(1, "min") - swing).abs() < 1e-3 * swing, "{measured}");
    // Gone on with, what was kept once is kept once again.
    let (_, next) = client.post(&format!("/api/runs/{run}/go_on"), &json!({ "for": "500m" }));
    let next = client.finished(next["id"].as_str().unwrap());
    assert_eq!((&next["state"], &next["recorded"]), (&json!("done"), &json!([0.0, 2.5])));
    assert!(next["node_count"].as_u64().unwrap() < 2 * nodes, "{next}");
    let (_, late) = client.trace(next["id"].as_str().unwrap(), "out.v", 0.0, 2.5, 800);
    assert!(late.len() > 1500 && late[late.len() / 8..].iter().all(|v| (v - mean).abs() < 0.1));
    // A coil's mean current is the load's.
    assert!((figure(1, "mean") - mean / 6.0).abs() < 1e-4, "{measured}");
}
