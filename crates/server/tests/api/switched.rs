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
    let (status, supply) = client.post("/api/supplies", &json!({ "document": buck() }));
    assert_eq!(status, 200, "{supply}");
    let path = format!("/api/supplies/{}/runs", supply["id"].as_str().unwrap());
    let run = client.post(&path, &json!({ "study": "settled" })).1["id"].as_str().unwrap().to_owned();
    let done = client.finished(&run);
    let outcome = &done["outcome"];
    assert_eq!(done["state"], "done", "{done}");
    assert!(outcome["health"]["simulated"].as_str().unwrap().starts_with("by switching"), "{outcome}");
    assert_eq!(outcome["verdicts"][0]["standing"], "met", "{outcome}");
    // A hundred periods at most are kept of half a second, and none is gone on with.
    let recorded: [f64; 2] = serde_json::from_value(done["recorded"].clone()).unwrap();
    assert!((recorded[1] - recorded[0] - 1e-3).abs() < 1e-9, "{recorded:?}");
    assert_eq!(done["goes_on"], false);
    // The picture shows the same level as the reading.
    let (_, values) = client.trace(&run, "out.v", recorded[0], recorded[1], 800);
    let mean = outcome["readings"][0]["value"].as_f64().unwrap();
    assert!(values.iter().all(|v| (v - mean).abs() < 0.1) && values.len() > 100, "{mean} {values:?}");
    // Without its clock nothing repeats, and the run says so.
    let mut still = buck();
    still["parts"][1]["parameters"]["period"] = json!("0");
    let (_, supply) = client.post("/api/supplies", &json!({ "document": still }));
    let path = format!("/api/supplies/{}/runs", supply["id"].as_str().unwrap());
    let run = client.post(&path, &json!({ "study": "settled" })).1["id"].as_str().unwrap().to_owned();
    let failed = client.finished(&run);
    assert_eq!(failed["state"], "failed");
    assert!(failed.to_string().contains("nothing repeats"), "{failed}");
}
