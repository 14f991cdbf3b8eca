//! Stored runs looked at again: by what their supply reads now, beside one another, and with parts that are gone.

use crate::client::{Client, database, serve};
use serde_json::{Value, json};

/// Stores a changed document; the supply as it is then.
fn saved(client: &Client, supply: &Value, change: impl Fn(&mut Value)) -> Value {
    let mut document = supply["document"].clone();
    change(&mut document);
    let body = json!({ "document": document, "revision": supply["revision"] });
    let path = format!("/api/supplies/{}", supply["id"].as_str().unwrap());
    let (status, stored) = client.send("PUT", &path, &body.to_string());
    assert_eq!(status, 200, "{stored}");
    stored
}

fn id(of: &Value) -> &str {
    of["id"].as_str().unwrap()
}

fn reading<'a>(of: &'a Value, id: &str) -> Option<&'a Value> {
    of["readings"].as_array().unwrap().iter().find(|r| r["id"] == id)
}

#[test]
fn what_changed_between_two_runs_is_said_both_ways() {
    let (_server, client) = serve(&database(), &[]);
    let supply = client.demo();
    let first = client.finished(&client.start(&supply));
    let changed = saved(&client, &supply, |d| {
        let reservoir = d["parts"].as_array_mut().unwrap().iter_mut().find(|p| p["id"] == "C1").unwrap();
        reservoir["parameters"]["capacitance"] = "2200u".into();
    });
    let second = client.finished(&client.start(&changed));
    let changes = |run: &Value, since: &Value| {
        let (status, found) = client.get(&format!("/api/runs/{}/changes?since={}", id(run), id(since)));
        assert_eq!(status, 200, "{found}");
        found.to_string()
    };
    assert!(changes(&second, &first).contains("C1 capacitance 1000u → 2200u"), "{}", changes(&second, &first));
    assert!(changes(&first, &second).contains("C1 capacitance 2200u → 1000u"));
    assert_eq!(changes(&first, &first), "[]");
    // The first run is judged by its own circuit, whatever the supply has become.
    let (_, judged) = client.get(&format!("/api/runs/{}/judged", id(&first)));
    assert_eq!(judged["readings"], first["outcome"]["readings"]);
    let nobody = "00000000-0000-7000-8000-000000000000";
    assert_eq!(client.get(&format!("/api/runs/{}/changes?since={nobody}", id(&first))).0, 404);
    assert_eq!(client.get(&format!("/api/runs/{nobody}/judged")).0, 404);
}

#[test]
fn readings_of_what_a_run_did_not_have_are_left_out_of_it() {
    let (_server, client) = serve(&database(), &[]);
    let supply = client.demo();
    let run = client.finished(&client.start(&supply));
    // A part that came later is read; the run knows nothing of it, and gives all it has.
    let later = saved(&client, &supply, |d| {
        let lamp = json!({ "id": "R9", "kind": "resistor", "pins": { "a": "bus", "b": "gnd" },
            "parameters": { "resistance": "1k" } });
        d["parts"].as_array_mut().unwrap().push(lamp);
        let readings = d["readings"].as_array_mut().unwrap();
        readings.push(json!({ "id": "lamp", "title": "L", "study": "switch_on", "measure": "mean", "signal": "R9.i" }));
        readings.push(json!({ "id": "twice", "title": "T", "study": "switch_on", "measure": "formula",
            "formula": "lamp * 2" }));
        readings
            .push(json!({ "id": "again", "title": "A", "study": "switch_on", "measure": "max", "signal": "bus.v" }));
    });
    let (status, judged) = client.get(&format!("/api/runs/{}/judged", id(&run)));
    assert_eq!(status, 200, "{judged}");
    assert!(reading(&judged, "lamp").is_none() && reading(&judged, "twice").is_none(), "{judged}");
    assert!(reading(&judged, "again").unwrap()["value"].as_f64().unwrap() > 14.0);
    // A run of the supply as it is now has them all.
    let now = client.finished(&client.start(&later));
    let lamp = reading(&now["outcome"], "lamp").unwrap()["value"].as_f64().unwrap();
    assert!((0.013..0.016).contains(&lamp), "{lamp}");
    assert_eq!(reading(&now["outcome"], "twice").unwrap()["value"], json!(2.0 * lamp));
    // One that cannot be taken says why, and keeps neither the others nor the run from being.
    let wrong = saved(&client, &later, |d| {
        let readings = d["readings"].as_array_mut().unwrap();
        readings.push(json!({ "id": "odd", "title": "O", "study": "switch_on", "measure": "formula",
            "formula": "lamp + again" }));
    });
    assert!(wrong["findings"].to_string().contains("A and V cannot be added"), "{}", wrong["findings"]);
    let run = client.finished(&client.start(&wrong));
    assert_eq!(run["state"], "done");
    let odd = reading(&run["outcome"], "odd").unwrap();
    assert!(odd["value"].is_null() && odd["problem"].as_str().unwrap().contains("cannot be added"), "{odd}");
    assert_eq!(reading(&run["outcome"], "lamp").unwrap()["value"], json!(lamp));
}

/// A run that was stopped has no last periods, but all that was recorded until then.
#[test]
fn a_stopped_run_is_judged_by_what_it_has() {
    let (_server, client) = serve(&database(), &["--slow-down", "20000"]);
    let supply = client.demo();
    let run = client.start(&supply);
    client.wait(&run, |run| run["node_count"].as_i64().unwrap_or(0) > 0);
    client.post(&format!("/api/runs/{run}/stop"), &json!({}));
    let stopped = client.finished(&run);
    let supply = saved(&client, &supply, |d| {
        let readings = d["readings"].as_array_mut().unwrap();
        for (id, window) in [("early", json!({ "between": { "from": "0", "to": "1m" } })), ("late", json!("whole_run"))]
        {
            let measure = json!({ "id": id, "title": id, "study": "switch_on", "measure": "max", "signal": "V1.v",
                "window": window });
            readings.push(measure);
        }
        readings.push(json!({ "id": "missed", "title": "M", "study": "switch_on", "measure": "max", "signal": "V1.v",
            "window": { "between": { "from": "0.4", "to": "0.45" } } }));
    });
    assert_eq!(supply["revision"], 2);
    let (status, judged) = client.get(&format!("/api/runs/{run}/judged"));
    assert_eq!(status, 200, "{judged}");
    let value = |id: &str| reading(&judged, id).unwrap()["value"].as_f64();
    let problem = |id: &str| reading(&judged, id).unwrap()["problem"].as_str().unwrap_or_default().to_owned();
    // The sine after a millisecond; the window is covered.
    assert!((value("early").unwrap() - 325.27 * (0.1 * std::f64::consts::PI).sin()).abs() < 0.5, "{judged}");
    assert!(value("late").is_some() && stopped["recorded"][1].as_f64().unwrap() < 0.45);
    assert!(problem("missed").contains("not covered by the run"), "{judged}");
    assert!(problem("bus_mean").contains("did not reach its end"), "{judged}");
}

/// A formula may use what another study reads: it has no value, and says so, until that study has been run as the circuit
/// is now; then it has one, of both.
#[test]
fn formulas_reach_across_studies() {
    let (_server, client) = serve(&database(), &[]);
    let supply = client.demo();
    let id = supply["id"].as_str().unwrap().to_owned();
    let mut document = supply["document"].clone();
    let mut high = document["studies"][0].clone();
    high["id"] = json!("again");
    high["title"] = json!("Again");
    high["duration"] = json!("0.3");
    document["studies"].as_array_mut().unwrap().push(high);
    let last = json!({ "last_periods": { "count": 2 } });
    let readings = document["readings"].as_array_mut().unwrap();
    readings.push(json!({ "id": "again_mean", "title": "A", "study": "again", "measure": "mean", "signal": "bus.v", "window": last }));
    readings.push(json!({ "id": "apart", "title": "B", "study": "switch_on", "measure": "formula",
        "formula": "abs(bus_mean - again_mean) / bus_mean" }));
    let save = |document: &Value, revision: &Value| {
        let body = json!({ "document": document, "revision": revision });
        let (status, saved) = client.send("PUT", &format!("/api/supplies/{id}"), &body.to_string());
        assert_eq!(status, 200, "{saved}");
        saved
    };
    let saved = save(&document, &supply["revision"]);
    let run = client.start(&saved);
    client.finished(&run);
    let apart = || {
        let (status, judged) = client.get(&format!("/api/runs/{run}/judged"));
        assert_eq!(status, 200, "{judged}");
        judged["readings"].as_array().unwrap().iter().find(|r| r["id"] == "apart").unwrap().clone()
    };
    assert!(apart()["problem"].as_str().unwrap().contains("again_mean is read in another study"), "{}", apart());
    let start = || {
        let (status, other) = client.post(&format!("/api/supplies/{id}/runs"), &json!({ "study": "again" }));
        assert_eq!(status, 200, "{other}");
        client.finished(other["id"].as_str().unwrap())
    };
    let other = start();
    let of = |run: &Value, id: &str| {
        let found = run["outcome"]["readings"].as_array().unwrap().iter().find(|r| r["id"] == id).unwrap().clone();
        found["value"].as_f64().unwrap_or_else(|| panic!("{found}"))
    };
    let own = client.finished(&run);
    let expected = (of(&own, "bus_mean") - of(&other, "again_mean")).abs() / of(&own, "bus_mean");
    assert!(expected > 0.0 && (apart()["value"].as_f64().unwrap() / expected - 1.0).abs() < 1e-9, "{}", apart());
    // Once the circuit has changed, the other study's number is of another circuit.
    let mut changed = document.clone();
    let parts = changed["parts"].as_array_mut().unwrap();
    parts.iter_mut().find(|p| p["id"] == "C1").unwrap()["parameters"]["capacitance"] = json!("2200u");
    save(&changed, &saved["revision"]);
    assert!(apart()["value"].is_null(), "{}", apart());
}
