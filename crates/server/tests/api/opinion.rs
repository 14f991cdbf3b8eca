//! Second opinions over HTTP.

use crate::client::{Client, database, serve, sql};
use serde_json::{Value, json};

fn put(client: &Client, document: &str) -> Value {
    let document: Value = serde_json::from_str(document).unwrap();
    let (status, made) = client.post("/api/supplies", &json!({ "document": document }));
    assert_eq!(status, 200, "{made}");
    made
}

fn ran(client: &Client, supply: &Value, study: &str) -> String {
    let id = supply["id"].as_str().unwrap();
    let (status, run) = client.post(&format!("/api/supplies/{id}/runs"), &json!({ "study": study }));
    assert_eq!(status, 200, "{run}");
    let run = client.finished(run["id"].as_str().unwrap());
    assert_eq!(run["state"], "done", "{run}");
    run["id"].as_str().unwrap().to_owned()
}

/// The second opinion on a run, once it has ended.
fn asked(client: &Client, run: &str) -> Value {
    let path = format!("/api/runs/{run}/second-opinion");
    assert!(client.get(&path).1.is_null());
    let (status, second) = client.post(&path, &json!({}));
    assert_eq!(status, 200, "{second}");
    client.finished(second["id"].as_str().unwrap());
    client.get(&path).1
}

#[test]
fn a_second_opinion_tells_how_far_both_are_apart_and_judges_nothing() {
    let url = database();
    let (_server, client) = serve(&url, &[]);
    // However few runs of a study are kept, a second opinion drives out no run.
    sql(&url, "UPDATE accounts SET keep_runs = 1");
    // A rectifier ran at device level; by switching its diodes are straight lines.
    let rectifier = client.demo();
    let run = ran(&client, &rectifier, "switch_on");
    let opinion = asked(&client, &run);
    assert!(opinion["by"].as_str().unwrap().contains("by switching"), "{}", opinion["by"]);
    let readings = opinion["readings"].as_array().unwrap();
    let of = |id: &str| readings.iter().find(|reading| reading["reading"] == id).unwrap();
    let apart = of("bus_mean")["difference"].as_f64().unwrap();
    assert!(apart != 0.0 && apart.abs() < 0.03, "{}", of("bus_mean"));
    let bus = opinion["signals"].as_array().unwrap().iter().find(|signal| signal["signal"] == "bus.v").unwrap();
    let share = bus["distance"].as_f64().unwrap() / bus["scale"].as_f64().unwrap();
    assert!(share > 0.0 && share < 0.05 && (0.0..=0.5).contains(&bus["at"].as_f64().unwrap()), "{bus}");
    assert!(client.get(&format!("/api/runs/{run}")).1["gone_at"].is_null());
    // The supply is judged by its own run as before.
    let page = client.get("/api/supplies").1;
    let listed = page.as_array().unwrap().iter().find(|supply| supply["id"] == rectifier["id"]).unwrap();
    assert!(!listed.to_string().contains("\"verdicts\":null"), "{listed}");
    let (status, answer) =
        client.post(&format!("/api/runs/{}/second-opinion", opinion["run"]["id"].as_str().unwrap()), &json!({}));
    assert_eq!(status, 422, "{answer}");
    // An amplifier between its rails has no other engine: the same ten times as accurate.
    let regulator = put(&client, include_str!("../../../../demo/sensor-rail-regulator.json"));
    let opinion = asked(&client, &ran(&client, &regulator, "load_step"));
    assert!(opinion["by"].as_str().unwrap().starts_with("with a tolerance of"), "{}", opinion["by"]);
    let worst = opinion["signals"][0].clone();
    assert!(worst["distance"].as_f64().unwrap() < 0.01 * worst["scale"].as_f64().unwrap(), "{worst}");
    // Where nothing can be asked it says so, and what else to do.
    let frequency = ran(&client, &regulator, "frequency");
    let (status, answer) = client.post(&format!("/api/runs/{frequency}/second-opinion"), &json!({}));
    assert!(status == 422 && answer["message"].as_str().unwrap().contains("measure it with tones"), "{answer}");
}
