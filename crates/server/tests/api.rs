//! The server from outside: real program, real PostgreSQL.

use arrow_array::Float64Array;
use arrow_ipc::reader::StreamReader;
use serde_json::{Value, json};
use std::sync::OnceLock;
use std::time::{Duration, Instant};
use ureq::Agent;
use xtask::services::free_port;
use xtask::{Postgres, Server};

fn postgres() -> &'static Postgres {
    static POSTGRES: OnceLock<Postgres> = OnceLock::new();
    POSTGRES.get_or_init(|| Postgres::temporary().unwrap())
}

/// A database of its own on the shared server.
fn database() -> String {
    let name = format!("test{}", free_port().unwrap());
    let url = postgres().url();
    let programs = xtask::install::postgres_programs().unwrap();
    let status =
        std::process::Command::new(programs.join("createdb")).args(["--maintenance-db", &url, &name]).status().unwrap();
    assert!(status.success());
    url.replace("/postgres", &format!("/{name}"))
}

struct Client {
    agent: Agent,
    address: String,
}

impl Client {
    fn new(server: &Server) -> Self {
        let agent = Agent::config_builder().http_status_as_error(false).build().into();
        Client { agent, address: server.address() }
    }

    fn get(&self, path: &str) -> (u16, Value) {
        let mut answer = self.agent.get(format!("{}{path}", self.address)).call().unwrap();
        (answer.status().as_u16(), answer.body_mut().read_json().unwrap_or(Value::Null))
    }

    fn send(&self, method: &str, path: &str, body: &str) -> (u16, Value) {
        let address = format!("{}{path}", self.address);
        let request = if method == "PUT" { self.agent.put(address) } else { self.agent.post(address) };
        let mut answer = request.header("content-type", "application/json").send(body).unwrap();
        (answer.status().as_u16(), answer.body_mut().read_json().unwrap_or(Value::Null))
    }

    fn send_or_get(&self, method: &str, path: &str) -> (u16, Value) {
        if method == "GET" { self.get(path) } else { self.send(method, path, "{}") }
    }

    fn post(&self, path: &str, body: &Value) -> (u16, Value) {
        self.send("POST", path, &body.to_string())
    }

    fn demo(&self) -> Value {
        let (_, supplies) = self.get("/api/supplies");
        let id = supplies[0]["id"].as_str().unwrap();
        self.get(&format!("/api/supplies/{id}")).1
    }

    fn start(&self, supply: &Value) -> String {
        let path = format!("/api/supplies/{}/runs", supply["id"].as_str().unwrap());
        let (status, run) = self.post(&path, &json!({ "study": "switch_on" }));
        assert_eq!(status, 200, "{run}");
        run["id"].as_str().unwrap().to_owned()
    }

    fn wait(&self, run: &str, done: impl Fn(&Value) -> bool) -> Value {
        let deadline = Instant::now() + Duration::from_secs(60);
        loop {
            let (_, shown) = self.get(&format!("/api/runs/{run}"));
            if done(&shown) {
                return shown;
            }
            assert!(Instant::now() < deadline, "{shown}");
            std::thread::sleep(Duration::from_millis(50));
        }
    }

    fn finished(&self, run: &str) -> Value {
        self.wait(run, |run| ["done", "stopped", "failed"].iter().any(|state| run["state"] == *state))
    }

    fn trace(&self, run: &str, signal: &str, from: f64, to: f64, width: usize) -> (Vec<f64>, Vec<f64>) {
        let address = format!("{}/api/runs/{run}/trace", self.address);
        let mut answer = self
            .agent
            .get(address)
            .query("signal", signal)
            .query("from", from.to_string())
            .query("to", to.to_string())
            .query("width", width.to_string())
            .call()
            .unwrap();
        assert_eq!(answer.status(), 200);
        let bytes = answer.body_mut().read_to_vec().unwrap();
        let batch = StreamReader::try_new(bytes.as_slice(), None).unwrap().next().unwrap().unwrap();
        let column = |i: usize| batch.column(i).as_any().downcast_ref::<Float64Array>().unwrap().values().to_vec();
        (column(0), column(1))
    }
}

fn serve(database: &str, arguments: &[&str]) -> (Server, Client) {
    let server = Server::start(database, free_port().unwrap(), arguments).unwrap();
    let client = Client::new(&server);
    (server, client)
}

fn reading<'a>(run: &'a Value, id: &str) -> &'a Value {
    let readings = run["outcome"]["readings"].as_array().unwrap();
    readings.iter().find(|r| r["id"] == id).unwrap()
}

#[test]
fn the_demo_supply_is_run_judged_and_read_back() {
    let (_server, client) = serve(&database(), &[]);
    let supply = client.demo();
    assert_eq!(supply["findings"], json!([]));
    let run = client.finished(&client.start(&supply));
    assert_eq!(run["state"], "done", "{run}");
    assert_eq!(run["outcome"]["verdicts"][0]["standing"], "missed");
    let id = run["id"].as_str().unwrap();

    // A wide window is thinned to a few points a pixel and keeps its extremes.
    let (t, y) = client.trace(id, "bus.v", 0.0, 0.5, 600);
    assert!(t.len() > 600 && t.len() <= 4 * 600 + 8, "{}", t.len());
    assert!(t.windows(2).all(|w| w[0] <= w[1]));
    let highest = y.iter().copied().fold(f64::MIN, f64::max);
    let (_, close) = client.trace(id, "bus.v", 0.48, 0.5, 600);
    assert!(highest >= close.iter().copied().fold(f64::MIN, f64::max) - 1e-9);
    // A narrow one is drawn along the solver's own curve.
    let (t, y) = client.trace(id, "V1.v", 0.1, 0.1001, 800);
    assert!(t.len() >= 700, "{}", t.len());
    for (t, y) in t.iter().zip(&y) {
        assert!((y - 325.27 * (314.159_265 * t).sin()).abs() < 0.1, "{t} {y}");
    }

    // The span ruler reads what the reading reads.
    let window = reading(&run, "bus_ripple")["window"].clone();
    let body = json!({ "signals": ["bus.v", "D1.i + D2.i"], "from": window[0], "to": window[1] });
    let (status, measured) = client.post(&format!("/api/runs/{id}/measure"), &body);
    assert_eq!(status, 200);
    let ripple = measured[0]["max"].as_f64().unwrap() - measured[0]["min"].as_f64().unwrap();
    assert!((ripple - reading(&run, "bus_ripple")["value"].as_f64().unwrap()).abs() < 1e-9);
    // Charge: what the diodes bring the load takes.
    let diodes = measured[1]["mean"].as_f64().unwrap();
    let load = reading(&run, "bus_mean")["value"].as_f64().unwrap() / (14.5 / 0.26);
    assert!((diodes / load - 1.0).abs() < 1e-2, "{diodes} {load}");
}

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
    assert_eq!(conflict["yours"]["title"], "second");
    assert_eq!(client.get(&path).1["document"]["title"], "first");
}

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

#[test]
fn a_run_can_be_stopped_and_keeps_what_it_has() {
    let (_server, client) = serve(&database(), &["--slow-down", "20000"]);
    let run = client.start(&client.demo());
    client.wait(&run, |run| run["node_count"].as_i64().unwrap_or(0) > 0);
    client.post(&format!("/api/runs/{run}/stop"), &json!({}));
    let stopped = client.finished(&run);
    assert_eq!(stopped["state"], "stopped");
    let reached = stopped["recorded"][1].as_f64().unwrap();
    assert!(reached > 0.0 && reached < 0.5);
    assert!(!client.trace(&run, "bus.v", 0.0, reached, 300).0.is_empty());
    assert_eq!(reading(&stopped, "bus_mean")["value"], Value::Null);
    assert_eq!(stopped["outcome"]["verdicts"][0]["standing"], "not_tried");
}

#[test]
fn a_killed_workers_run_is_taken_up_again() {
    let database = database();
    let (_server, client) = serve(&database, &["--no-worker"]);
    let run = client.start(&client.demo());
    assert_eq!(client.get(&format!("/api/runs/{run}")).1["state"], "queued");
    let doomed = Server::worker(&database, &["--slow-down", "60000"]).unwrap();
    client.wait(&run, |run| run["node_count"].as_i64().unwrap_or(0) > 0);
    doomed.kill();
    let _heir = Server::worker(&database, &[]).unwrap();
    let finished = client.finished(&run);
    assert_eq!((&finished["state"], &finished["attempt"]), (&json!("done"), &json!(2)));
    assert!(reading(&finished, "bus_mean")["value"].as_f64().unwrap() > 14.0);
}

#[test]
fn a_restarted_database_costs_nothing_but_time() {
    let mut postgres = Postgres::temporary().unwrap();
    let (mut server, client) = serve(&postgres.url(), &["--slow-down", "3000"]);
    let run = client.start(&client.demo());
    client.wait(&run, |run| run["node_count"].as_i64().unwrap_or(0) > 0);
    postgres.stop();
    let (status, answer) = client.get("/api/supplies");
    assert_eq!(status, 503, "{answer}");
    assert!(answer["message"].as_str().unwrap().contains("database"));
    postgres.restart().unwrap();
    let finished = client.finished(&run);
    assert_eq!(finished["state"], "done");
    // The next run works as well: the worker has come back, too.
    assert_eq!(client.finished(&client.start(&client.demo()))["state"], "done");
    assert!(!server.ended());
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
    assert_eq!(said, [&json!(["study So far: reservoir capacitor added"]), &json!(["R4 added"]), &json!(["created"])]);
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
    assert_eq!(client.get("/api/supplies").1.as_array().unwrap().len(), 4, "{supply}");
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

/// Runs start when they are told of, not when somebody asks; several workers share them.
#[test]
fn queued_runs_start_at_once_with_two_workers() {
    let url = database();
    let (_server, client) = serve(&url, &["--no-worker"]);
    let _workers = [Server::worker(&url, &[]).unwrap(), Server::worker(&url, &[]).unwrap()];
    let supply = client.demo();
    // The first waits until the workers have come up.
    client.finished(&client.start(&supply));
    let runs: Vec<String> = (0..10).map(|_| client.start(&supply)).collect();
    let ended: Vec<Value> = runs.iter().map(|run| client.finished(run)).collect();
    assert!(ended.iter().all(|run| run["state"] == "done" && run["attempt"] == 1), "{ended:?}");
    let values: Vec<&Value> = ended.iter().map(|run| reading(run, "bus_ripple")).collect();
    assert!(values.windows(2).all(|pair| pair[0]["value"] == pair[1]["value"]));
    // Asked every two seconds, one of ten would have waited for long.
    let alone = client.finished(&client.start(&supply));
    let instant = |key: &str| alone[key].as_str().unwrap().to_owned();
    println!(
        "created {}, started {}, finished {}",
        instant("created_at"),
        instant("started_at"),
        instant("finished_at")
    );
    assert!(instant("started_at") > instant("created_at"));
}

/// A run whose worker dies each time is given up in the end, and says so.
#[test]
fn a_run_that_ends_its_worker_is_given_up() {
    let url = database();
    let (_server, client) = serve(&url, &["--no-worker"]);
    let supply = client.demo();
    let run = client.start(&supply);
    for _ in 0..5 {
        let programs = xtask::install::postgres_programs().unwrap();
        let taken_up = format!("UPDATE runs SET attempt = attempt + 1, state = 'running' WHERE id = '{run}'");
        let status =
            std::process::Command::new(programs.join("psql")).args(["-q", &url, "-c", &taken_up]).status().unwrap();
        assert!(status.success());
    }
    let _worker = Server::worker(&url, &[]).unwrap();
    let ended = client.finished(&run);
    assert_eq!(ended["state"], "failed");
    assert!(ended["message"].as_str().unwrap().contains("memory"), "{ended}");
}
