//! Supplies: stored, edited, taken back.

use crate::client::{database, serve};
use serde_json::{Value, json};

#[test]
fn two_writers_lose_nothing() {
    let (_server, client) = serve(&database(), &[]);
    let supply = client.demo();
    let path = format!("/api/supplies/{}", supply["id"].as_str().unwrap());
    let change = |title: &str| {
        let mut document = supply["document"].clone();
        document["title"] = title.into();
        json!({ "revision": supply["revision"], "document": document }).to_string()
    };
    let (status, stored) = client.send("PUT", &path, &change("first"));
    assert_eq!((status, &stored["revision"]), (200, &json!(2)));
    let (status, conflict) = client.send("PUT", &path, &change("second"));
    assert_eq!(status, 409);
    assert_eq!(conflict["current"]["document"]["title"], "first");
    assert_eq!(client.get(&path).1["document"]["title"], "first");
}

#[test]
fn a_supply_of_ten_thousand_parts_is_stored_checked_and_run() {
    let (_server, client) = serve(&database(), &[]);
    let mut parts = vec![json!({
        "id": "V1", "kind": "dc_source", "pins": { "plus": "n0", "minus": "gnd" }, "parameters": { "voltage": "10" }
    })];
    for i in 0..5000 {
        parts.push(json!({
            "id": format!("R{i}"), "kind": "resistor",
            "pins": { "a": format!("n{i}"), "b": format!("n{}", i + 1) }, "parameters": { "resistance": "1" }
        }));
        parts.push(json!({
            "id": format!("C{i}"), "kind": "capacitor",
            "pins": { "plus": format!("n{}", i + 1), "minus": "gnd" }, "parameters": { "capacitance": "1n" }
        }));
    }
    let document = json!({
        "mellow_coil": 1, "title": "Ladder", "parts": parts,
        "studies": [{ "id": "switch_on", "kind": "switch_on", "title": "Switch-on", "duration": "1u" }]
    });
    let (status, supply) = client.post("/api/supplies", &json!({ "document": document }));
    assert_eq!(status, 200, "{supply}");
    // A ladder of resistors hangs on its source, so nothing is amiss.
    assert_eq!(supply["findings"], json!([]));
    let run = client.finished(&client.start(&supply));
    assert_eq!(run["state"], "done", "{run}");
    let (_, y) = client.trace(run["id"].as_str().unwrap(), "n1.v", 0.0, 1e-6, 300);
    assert!(y.len() > 100 && y.iter().all(|v| *v <= 10.0 + 1e-6));
}

/// Whatever is done by edits is kept as revisions that say what changed, and any of them can be had back.
#[test]
fn edits_are_kept_in_words_and_taken_back() {
    let (_server, client) = serve(&database(), &[]);
    let (status, made) = client.post("/api/templates/regulated_mains", &Value::Null);
    assert_eq!(status, 200, "{made}");
    let id = made["id"].as_str().unwrap();
    let edit = |revision: u32, edit: Value| {
        client.post(&format!("/api/supplies/{id}/edits"), &json!({ "revision": revision, "edit": edit }))
    };
    let ask = |what: &str, body: Value| client.post(&format!("/api/supplies/{id}/{what}"), &body).1;

    assert_eq!(ask("line", json!({ "text": "resistor 4k7 from out to gnd" }))["problem"], Value::Null);
    let added = edit(1, json!({ "edit": "add_line", "text": "resistor 4k7 from out to gnd" }));
    assert_eq!(added.1["revision"], 2, "{}", added.1);
    let asked = ask("joining", json!({ "from": "out", "to": "bus" }));
    assert!(asked["asks"] == true && asked["shorted"] == json!(["U1"]), "{asked}");
    let (status, refused) = edit(2, json!({ "edit": "rename_net", "net": "out", "to": "bus" }));
    assert!(status == 422 && refused["message"].as_str().unwrap().contains("It shorts U1"), "{refused}");
    let (_, bypassed) = edit(2, json!({ "edit": "study_so_far", "stage": "reservoir" }));
    let studies = bypassed["document"]["studies"].as_array().unwrap();
    assert_eq!(studies[1]["cut"]["after"], "reservoir");
    let (status, stale) = edit(2, json!({ "edit": "tidy" }));
    assert!(status == 409 && stale["current"]["revision"] == 3, "{stale}");

    let (_, revisions) = client.get(&format!("/api/supplies/{id}/revisions"));
    let said: Vec<&Value> = revisions.as_array().unwrap().iter().map(|r| &r["changes"]).collect();
    assert_eq!(said, [&json!(["study So far: reservoir capacitor added"]), &json!(["R5 added"]), &json!(["created"])]);
    let (_, restored) = client.post(&format!("/api/supplies/{id}/revisions/1/restore"), &json!({ "revision": 3 }));
    assert_eq!((&restored["revision"], &restored["document"]), (&json!(4), &made["document"]));
    assert_eq!(client.post(&format!("/api/supplies/{id}/revisions/9/restore"), &json!({ "revision": 4 })).0, 404);

    // The study cut behind the reservoir runs without what follows, and its run says so.
    let (_, again) = client.post(&format!("/api/supplies/{id}/revisions/3/restore"), &json!({ "revision": 4 }));
    let study = again["document"]["studies"][1]["id"].as_str().unwrap();
    let (_, run) = client.post(&format!("/api/supplies/{id}/runs"), &json!({ "study": study }));
    let run = client.finished(run["id"].as_str().unwrap());
    let stages: Vec<&str> =
        run["outcome"]["stages"].as_array().unwrap().iter().map(|s| s["id"].as_str().unwrap()).collect();
    assert_eq!(stages, ["mains", "transformer", "bridge", "reservoir", "stand_in"]);

    let (_, rows) = client.get(&format!("/api/supplies/{id}/materials"));
    assert!(rows.as_array().unwrap().iter().any(|r| r["parts"] == json!(["D1", "D2", "D3", "D4"])), "{rows}");
    let (_, defaults) = client.get(&format!("/api/supplies/{id}/study-defaults"));
    assert!(defaults["duration"]["reason"].as_str().unwrap().contains("time constant"), "{defaults}");
}

#[test]
fn own_parts_stand_beside_the_catalogue() {
    let (_server, client) = serve(&database(), &[]);
    let search = |body: Value| client.post("/api/catalogue", &body);
    let (_, all) = search(json!({}));
    assert!(all.as_array().unwrap().len() >= 120);
    let own = json!({ "id": "", "title": "Workshop diode", "kind": "diode", "parameters": { "emission": "1.7" } });
    let (status, kept) = client.post("/api/own-parts", &own);
    assert!(status == 200 && kept["entry"]["id"] == "workshop_diode", "{kept}");
    let (_, found) = search(json!({ "text": "workshop" }));
    assert_eq!(found[0]["own"], kept["own"]);
    let (status, refused) = search(json!({ "kinds": ["capacitor"], "at_least": { "voltage": "much" } }));
    assert!(status == 422 && refused["message"].as_str().unwrap().contains("“much” cannot be read"), "{refused}");
    let odd = json!({ "id": "", "title": "Odd", "kind": "diode", "parameters": { "colour": "red" } });
    assert_eq!(client.post("/api/own-parts", &odd).1["message"], "a diode has no parameter colour");
    let address = format!("{}/api/own-parts/{}", client.address, kept["own"].as_str().unwrap());
    assert_eq!(client.agent.delete(&address).call().unwrap().status(), 204);
    assert_eq!(client.agent.delete(&address).call().unwrap().status(), 404);
    assert_eq!(search(json!({ "text": "workshop" })).1, json!([]));
}
