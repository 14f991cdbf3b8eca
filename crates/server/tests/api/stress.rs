//! What parts bear, over HTTP.

use crate::client::{Client, database, serve};
use serde_json::{Value, json};

fn saved(client: &Client, supply: &Value, change: impl Fn(&mut Value)) -> Value {
    let mut document = supply["document"].clone();
    change(&mut document);
    let body = json!({ "document": document, "revision": supply["revision"] });
    let path = format!("/api/supplies/{}", supply["id"].as_str().unwrap());
    let (status, saved) = client.send("PUT", &path, &body.to_string());
    assert_eq!(status, 200, "{saved}");
    saved
}

fn part<'a>(document: &'a mut Value, id: &str) -> &'a mut Value {
    let parts = document["parts"].as_array_mut().unwrap();
    parts.iter_mut().find(|part| part["id"] == id).unwrap()
}

#[test]
fn stress_follows_ratings_at_once_and_circuits_when_they_have_run() {
    let (_server, client) = serve(&database(), &[]);
    let supply = client.demo();
    let asked = |of: &str| client.get(&format!("/api/supplies/{}/stress{of}", supply["id"].as_str().unwrap()));
    let (_, before) = asked("");
    assert!(before["parts"].as_array().unwrap().is_empty() && before["studies"][0]["run"].is_null(), "{before}");
    let run = client.finished(&client.start(&supply));
    let (status, found) = asked("");
    assert_eq!((status, &found["studies"][0]["run"]), (200, &run["id"]), "{found}");
    let of = |found: &Value, id: &str| {
        found["parts"].as_array().unwrap().iter().find(|part| part["part"] == id).unwrap().clone()
    };
    let most = of(&found, "C1")["ratings"][0].clone();
    assert!(most["share"].as_f64().unwrap() < 1.0 && most["signal"] == "bus.v", "{most}");
    let shares: Vec<f64> =
        found["parts"].as_array().unwrap().iter().filter_map(|p| p["ratings"][0]["share"].as_f64()).collect();
    assert!(shares.len() > 3 && shares.is_sorted_by(|a, b| a >= b), "{shares:?}");
    // What is listed of a run does not carry it along.
    assert!(run["outcome"]["stresses"].is_null(), "{}", run["outcome"]["stresses"]);
    // A lower rating and a reserve count without another run.
    let low = 0.9 * most["value"].as_f64().unwrap();
    let supply = saved(&client, &supply, |document| {
        part(document, "C1")["ratings"]["voltage"] = low.to_string().into();
        part(document, "C1")["ratings"]["ripple_current"] = "100m".into();
        document["derating"] = json!({ "voltage": "80 %" });
    });
    let (_, found) = asked("");
    let ratings = of(&found, "C1")["ratings"].clone();
    let voltage = ratings.as_array().unwrap().iter().find(|rating| rating["signal"] == "bus.v").unwrap();
    let share = voltage["share"].as_f64().unwrap();
    assert!((share * 0.9 * 0.8 - 1.0).abs() < 1e-9, "{share}");
    // Each of them is said, not only the worst.
    let said: Vec<&str> =
        found["findings"].as_array().unwrap().iter().map(|f| f["message"].as_str().unwrap()).collect();
    assert!(said.len() == 2 && said.iter().all(|said| said.contains("of C1")), "{said:?}");
    assert!(said.iter().any(|said| said.contains("may be used")), "{said:?}");
    // Another capacitor is not the one that ran.
    saved(&client, &supply, |document| part(document, "C1")["parameters"]["capacitance"] = "1m".into());
    let (_, found) = asked("");
    assert!(found["parts"].as_array().unwrap().is_empty() && found["studies"][0]["run"].is_null(), "{found}");
    let (status, answer) = asked("?studies=nothing");
    assert!(status == 422 && answer["message"].as_str().unwrap().contains("no study named nothing"), "{answer}");
}
