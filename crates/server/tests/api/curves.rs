//! Curves over frequency, and figures of runs, over HTTP.

use crate::client::{Client, database, serve};
use serde_json::{Value, json};

const REGULATOR: &str = include_str!("../../../../demo/sensor-rail-regulator.json");

/// The regulator's document, put into the library.
fn regulator(client: &Client) -> String {
    let document: Value = serde_json::from_str(REGULATOR).unwrap();
    let (status, made) = client.post("/api/supplies", &json!({ "document": document }));
    assert_eq!(status, 200, "{made}");
    made["id"].as_str().unwrap().to_owned()
}

fn ran(client: &Client, supply: &str, study: &str) -> Value {
    let (status, run) = client.post(&format!("/api/supplies/{supply}/runs"), &json!({ "study": study }));
    assert_eq!(status, 200, "{run}");
    let run = client.finished(run["id"].as_str().unwrap());
    assert_eq!(run["state"], "done", "{run}");
    run
}

/// A file as text.
fn file(client: &Client, path: &str, body: &Value) -> (u16, String) {
    let address = format!("{}{path}", client.address);
    let mut answer = client.agent.post(address).send_json(body).unwrap();
    (answer.status().as_u16(), answer.body_mut().read_to_string().unwrap())
}

#[test]
fn curves_are_asked_for_by_name_and_formula_and_saved() {
    let (_server, client) = serve(&database(), &[]);
    let supply = regulator(&client);
    let run = ran(&client, &supply, "frequency");
    assert!(run["over_frequency"] == true && run["outcome"]["curves"].is_null(), "{run}");
    let run = run["id"].as_str().unwrap();
    let formulas = json!(["loop", "zout * (1 + loop)", "nothing", "zout + loop"]);
    let (status, found) = client.post(&format!("/api/runs/{run}/curves"), &json!({ "formulas": formulas }));
    assert_eq!(status, 200, "{found}");
    let count = found["frequencies"].as_array().unwrap().len();
    let curves = found["curves"].as_array().unwrap();
    assert!(count > 100 && curves[..2].iter().all(|c| c["re"].as_array().unwrap().len() == count));
    assert!(curves[0]["asks"] == "loop_gain" && curves[1]["unit"] == "ohm", "{:?}", curves[1]["unit"]);
    // The margin that is marked is the margin that is read.
    let marked = curves[0]["crossovers"][0]["phase_margin"].as_f64().unwrap();
    assert!((marked - 4.957).abs() < 0.01, "{marked}");
    assert!(curves[2]["problem"].as_str().unwrap().contains("nothing named nothing"), "{}", curves[2]["problem"]);
    assert!(curves[3]["problem"].as_str().unwrap().contains("cannot be added"), "{}", curves[3]["problem"]);
    assert_eq!(found["masks"][0]["formula"], "zout");
    // Between two frequencies; outside of what was asked it says so.
    let span = |from: f64, to: f64| {
        let body = json!({ "formulas": ["zout"], "from": from, "to": to });
        client.post(&format!("/api/runs/{run}/curve-span"), &body)
    };
    let (_, inside) = span(1e3, 1e6);
    let largest = inside[0]["span"]["largest"].as_array().unwrap();
    assert!((largest[1].as_f64().unwrap() - 2.05).abs() < 0.05 && (largest[0].as_f64().unwrap() - 90e3).abs() < 2e3);
    assert!(span(1.0, 1e3).1[0]["problem"].as_str().unwrap().contains("the study covers"));
    assert_eq!(span(1e3, 1e3).0, 422);
    // What is saved holds the same numbers.
    let path = format!("/api/runs/{run}/curve-file");
    let (status, csv) = file(&client, &path, &json!({ "formulas": ["zout"] }));
    assert!(status == 200 && csv.lines().count() == count + 1 && csv.starts_with("f [Hz],"), "{csv:.80}");
    let (_, whole) = client.post(&format!("/api/runs/{run}/curves"), &json!({ "formulas": ["zout"] }));
    let (status, port) = file(&client, &path, &json!({ "formulas": ["zout"], "format": "touchstone" }));
    let rows: Vec<Vec<f64>> = port
        .lines()
        .filter(|line| line.starts_with(|c: char| c.is_ascii_digit()))
        .map(|line| line.split_whitespace().map(|number| number.parse().unwrap()).collect())
        .collect();
    assert!(status == 200 && port.contains("# Hz Z RI R 1") && rows.len() == count, "{port:.200}");
    for (k, row) in rows.iter().enumerate() {
        let wanted = [&whole["frequencies"][k], &whole["curves"][0]["re"][k], &whole["curves"][0]["im"][k]];
        assert_eq!(*row, wanted.map(|value| value.as_f64().unwrap()));
    }
    let (status, refused) = file(&client, &path, &json!({ "formulas": ["loop"], "format": "touchstone" }));
    assert!(status == 422 && refused.contains("no impedance"), "{refused}");
}

#[test]
fn figures_of_a_run_stand_in_the_drawing_of_its_supply() {
    let (_server, client) = serve(&database(), &[]);
    let supply = regulator(&client);
    let run = ran(&client, &supply, "load_step");
    let run = run["id"].as_str().unwrap();
    let of = |how: &str, from: Value, to: Value| {
        client.post(&format!("/api/runs/{run}/figures"), &json!({ "how": how, "from": from, "to": to }))
    };
    let at = |shown: &Value| {
        let nets = shown["drawing"]["nets"].as_array().unwrap();
        nets.iter().find(|net| net["net"] == "sensor").unwrap()["figure"].as_str().unwrap().to_owned()
    };
    assert_eq!(at(&of("mean", Value::Null, Value::Null).1), "5\u{2009}V");
    assert_eq!(at(&of("rms", Value::Null, Value::Null).1), "5\u{2009}V RMS");
    // At its deepest, some 3 µs behind the step, it is not at its mean.
    let (_, deep) = of("at_a", json!(103e-6), json!(200e-6));
    assert!(at(&deep).starts_with("4.9"), "{}", at(&deep));
    let line = |shown: &Value| {
        let parts = shown["drawing"]["parts"].as_array().unwrap();
        parts.iter().find(|part| part["id"] == "I1").unwrap()["label"].as_array().unwrap().last().unwrap().clone()
    };
    assert!(line(&deep).as_str().unwrap().starts_with("120\u{2009}mA"), "{}", line(&deep));
    assert_eq!(of("mean", json!(1.0), json!(2.0)).0, 422);
    // A run over time has no curves, and one over frequency no figures.
    let body = json!({ "formulas": ["loop"] });
    let (status, refused) = client.post(&format!("/api/runs/{run}/curves"), &body);
    assert!(status == 422 && refused.to_string().contains("only runs of frequency studies"), "{refused}");
    // What cannot step is refused before it is queued.
    let (_, shown) = client.get(&format!("/api/supplies/{supply}"));
    let mut document = shown["document"].clone();
    document["studies"][1]["step"]["part"] = json!("I7");
    let save = json!({ "document": document, "revision": shown["revision"] });
    assert_eq!(client.send("PUT", &format!("/api/supplies/{supply}"), &save.to_string()).0, 200);
    let start = |study: &str| client.post(&format!("/api/supplies/{supply}/runs"), &json!({ "study": study }));
    let (status, refused) = start("load_step");
    assert!(status == 422 && refused.to_string().contains("no part I7"), "{refused}");
    assert_eq!(start("operating_point").0, 200);
}
