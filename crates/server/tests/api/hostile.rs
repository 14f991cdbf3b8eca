//! Bad input and requests from elsewhere.

use crate::client::{database, serve};
use serde_json::{Value, json};
use std::io::{Read, Write};
use std::net::TcpStream;
use std::time::{Duration, Instant};

#[test]
fn bad_input_is_refused_with_place_and_remedy() {
    let (_server, client) = serve(&database(), &[]);
    let supply = client.demo();
    let message = |answer: &(u16, Value)| answer.1["message"].as_str().unwrap_or_default().to_owned();
    let create = |document: &Value| client.post("/api/supplies", &json!({ "document": document }));

    let truncated = client.send("POST", "/api/supplies", "{\"document\": {\"mellow_coil\": 1, ");
    assert_eq!(truncated.0, 400);
    assert!(message(&truncated).contains("column"), "{truncated:?}");

    let mut unknown = supply["document"].clone();
    unknown["parts"][2]["colour"] = "red".into();
    let answer = create(&unknown);
    assert_eq!(answer.0, 422);
    assert!(message(&answer).contains("parts[2]") && message(&answer).contains("colour"), "{answer:?}");

    let mut newer = supply["document"].clone();
    newer["mellow_coil"] = 99.into();
    assert!(message(&create(&newer)).contains("newer"));

    let mut nul = supply["document"].clone();
    nul["notes"] = "a\0b".into();
    assert_eq!(create(&nul).0, 422);

    // Values that make no sense are kept, named, and block a run.
    for (value, rule) in [
        ("470 V", "unreadable-value"),
        ("NaN", "unreadable-value"),
        ("inf", "unreadable-value"),
        ("0", "out-of-range"),
        ("1e999", "unreadable-value"),
    ] {
        let mut document = supply["document"].clone();
        document["parts"][7]["parameters"]["capacitance"] = value.into();
        let (status, stored) = create(&document);
        assert_eq!(status, 200);
        let finding = &stored["findings"][0];
        assert_eq!(finding["rule"], rule, "{value}: {finding}");
        assert_eq!(finding["place"], json!({ "at": "parameter", "part": "C1", "parameter": "capacitance" }));
        let path = format!("/api/supplies/{}/runs", stored["id"].as_str().unwrap());
        let answer = client.post(&path, &json!({ "study": "switch_on" }));
        assert_eq!((answer.0, &answer.1["findings"][0]["rule"]), (422, &json!(rule)));
    }

    let huge = format!("{{\"document\": \"{}\"}}", "x".repeat(50 << 20));
    // The server may close the connection before the body is sent; either way it refuses.
    let address = format!("{}/api/supplies", client.address);
    let supplies = || client.get("/api/supplies").1.as_array().unwrap().len();
    let before = supplies();
    if let Ok(answer) = client.agent.post(address).header("content-type", "application/json").send(huge.as_str()) {
        assert_eq!(answer.status(), 413);
    }
    assert_eq!(supplies(), before);
    assert_eq!(client.get("/api/runs/not-a-run").0, 400);
    assert_eq!(client.get("/api/nothing").0, 404);
    // After all that the server still answers.
    assert_eq!(client.get("/api/supplies").0, 200);
}

#[test]
fn requests_from_elsewhere_are_refused() {
    let (_server, client) = serve(&database(), &["--host", "coil.example"]);
    let address = format!("{}/api/supplies", client.address);
    let host = client.address.trim_start_matches("http://").to_owned();
    let get = |name: &str, value: &str| {
        let answer = client.agent.get(&address).header(name, value).call().unwrap();
        answer.status().as_u16()
    };
    assert_eq!(get("host", &host), 200);
    assert_eq!(get("host", "coil.example:4610"), 200);
    // A name that somebody else made lead here.
    assert_eq!(get("host", "elsewhere.example"), 421);
    assert_eq!(get("host", "127.0.0.1.elsewhere.example"), 421);
    assert_eq!(get("origin", &format!("http://{host}")), 200);
    for origin in ["http://elsewhere.example", "null", "http://127.0.0.1:1"] {
        assert_eq!(get("origin", origin), 403, "{origin}");
    }
    // Without a body nothing asks the browser for leave; the origin tells all the same.
    let supply = client.demo();
    let started = client.agent.post(format!("{}/api/templates/split_rails", client.address));
    assert_eq!(started.header("sec-fetch-site", "cross-site").send_empty().unwrap().status().as_u16(), 403);
    assert_eq!(client.get("/api/supplies").1.as_array().unwrap().len(), 6, "{supply}");
    // Every answer carries the usual headers.
    let answer = client.agent.get(format!("{}/", client.address)).call().unwrap();
    for (name, part) in [
        ("content-security-policy", "default-src 'self'"),
        ("x-content-type-options", "nosniff"),
        ("x-frame-options", "DENY"),
        ("referrer-policy", "no-referrer"),
    ] {
        assert!(answer.headers()[name].to_str().unwrap().contains(part), "{name}");
    }
    let missing = client.agent.get(format!("{}/assets/missing.js", client.address)).call().unwrap();
    assert_eq!(missing.status().as_u16(), 404);
}

#[test]
fn hostile_documents_cost_little_and_hide_nothing() {
    let (_server, client) = serve(&database(), &[]);
    let supply = client.demo();
    let path = format!("/api/supplies/{}", supply["id"].as_str().unwrap());
    let with = |change: &dyn Fn(&mut Value)| {
        let mut document = supply["document"].clone();
        change(&mut document);
        document
    };
    let refused = |document: Value, place: &str| {
        let started = Instant::now();
        let (status, problem) = client.send("PUT", &path, &json!({ "revision": 1, "document": document }).to_string());
        assert_eq!(status, 422, "{problem}");
        assert!(problem["message"].as_str().unwrap().contains(place), "{problem}");
        assert!(started.elapsed() < Duration::from_secs(5), "{place} took {:?}", started.elapsed());
    };
    for far in [100_000, i32::MAX, i32::MIN] {
        refused(with(&|d| d["parts"][0]["at"]["x"] = json!(far)), "V1");
    }
    refused(with(&|d| d["parts"][1]["id"] = json!("T".repeat(5_000))), "part 2");
    refused(with(&|d| d["parts"][0]["pins"]["plus"] = json!("n".repeat(5_000))), "part 1");
    let sum = vec!["1"; 20_000].join(" + ");
    refused(with(&|d| d["values"] = json!([{ "name": "long", "value": sum, "unit": "volt" }])), "design value long");
    // Far apart, but within bounds: it is drawn, and fast.
    let far = with(&|d| {
        d["parts"][0]["at"] = json!({ "x": -9_000, "y": 9_000 });
        d["parts"][1]["at"] = json!({ "x": 9_000, "y": -9_000 });
    });
    let (status, stored) = client.send("PUT", &path, &json!({ "revision": 1, "document": far }).to_string());
    assert_eq!(status, 200, "{stored}");
    let (from, to) = (&stored["drawing"]["from"], &stored["drawing"]["to"]);
    assert!(to["x"].as_i64().unwrap() - from["x"].as_i64().unwrap() > 17_000);
    assert!(stored["drawing"]["nets"].as_array().unwrap().iter().any(|n| !n["wires"].as_array().unwrap().is_empty()));
    // A chain of design values, each in terms of the next, is settled link by link.
    let link = |k: usize| json!({ "name": format!("v{k}"), "value": format!("v{} + 1", k + 1), "unit": "one" });
    let last = json!({ "name": "v5000", "value": "1", "unit": "one" });
    let chain: Vec<Value> = (0..5000).map(link).chain([last]).collect();
    let started = Instant::now();
    let document = with(&|d| d["values"].as_array_mut().unwrap().extend(chain.clone()));
    let (status, stored) = client.send("PUT", &path, &json!({ "revision": 2, "document": document }).to_string());
    assert_eq!((status, &stored["findings"]), (200, &json!([])));
    assert!(started.elapsed() < Duration::from_secs(10), "{:?}", started.elapsed());
    // What would record more than there is room for says so before it is run.
    let endless = with(&|d| {
        d["studies"][0]["duration"] = json!("1000");
        d["studies"][0]["max_step"] = json!("1n");
    });
    let (_, stored) = client.send("PUT", &path, &json!({ "revision": 3, "document": endless }).to_string());
    let rules: Vec<_> = stored["findings"].as_array().unwrap().iter().map(|f| f["rule"].clone()).collect();
    assert!(rules.contains(&json!("study-too-long")), "{stored}");
    // Errors of the libraries are problems too.
    for (method, address) in [("GET", "/api/supplies/no-uuid"), ("PUT", "/api/supplies")] {
        let (status, problem) = client.send_or_get(method, address);
        assert!((400..500).contains(&status) && problem["message"].is_string(), "{method} {address}: {problem}");
    }
    let signals = vec!["bus.v"; 3000];
    let run = client.start(&supply);
    let (status, problem) =
        client.post(&format!("/api/runs/{run}/measure"), &json!({ "signals": signals, "from": 0.0, "to": 0.1 }));
    assert_eq!(status, 422, "{problem}");
    let (status, _) = client.send("PUT", &path, &json!({ "revision": i32::MAX, "document": far }).to_string());
    assert_eq!(status, 409);
}

/// Requests of which half was sent keep nobody waiting, and are dropped after a while.
#[test]
fn half_sent_requests_hold_nothing() {
    let (_server, client) = serve(&database(), &[]);
    let host = client.address.trim_start_matches("http://").to_owned();
    let half = |k: usize| {
        let mut stream = TcpStream::connect(&host).unwrap();
        let text =
            if k.is_multiple_of(2) { "GET /api/sup" } else { "POST /api/supplies HTTP/1.1\r\nhost: x\r\ncontent-le" };
        stream.write_all(text.as_bytes()).unwrap();
        stream
    };
    let mut halves: Vec<TcpStream> = (0..300).map(half).collect();
    assert_eq!(client.get("/api/supplies").0, 200);
    for stream in &mut halves {
        stream.set_read_timeout(Some(Duration::from_secs(60))).unwrap();
        // Whatever it says, it ends the connection by itself.
        let mut rest = Vec::new();
        stream.read_to_end(&mut rest).unwrap();
    }
    assert_eq!(client.get("/api/supplies").0, 200);
}
