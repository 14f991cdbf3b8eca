//! Whatever is killed, and whenever: every run ends, and every change that was accepted is there.

use crate::client::{Client, database, serve, sql};
use serde_json::{Value, json};
use std::io::Write;
use std::net::TcpStream;
use std::time::{Duration, Instant};
use xtask::services::free_port;
use xtask::{Postgres, Server};

fn number(name: &str, otherwise: u64) -> u64 {
    std::env::var(name).ok().and_then(|n| n.parse().ok()).unwrap_or(otherwise)
}

/// Numbers that look random and are the same every time (Steele et al., OOPSLA 2014: splitmix64).
struct Random(u64);

impl Random {
    fn below(&mut self, count: u64) -> u64 {
        self.0 = self.0.wrapping_add(0x9e37_79b9_7f4a_7c15);
        let mut z = self.0;
        z = (z ^ (z >> 30)).wrapping_mul(0xbf58_476d_1ce4_e5b9);
        z = (z ^ (z >> 27)).wrapping_mul(0x94d0_49bb_1331_11eb);
        (z ^ (z >> 31)) % count
    }
}

/// An answer, whatever became of the connection.
fn asked(client: &Client, path: &str, body: &Value) -> Option<(u16, Value)> {
    let request = client.agent.post(format!("{}{path}", client.address)).header("content-type", "application/json");
    let mut answer = request.send(body.to_string()).ok()?;
    Some((answer.status().as_u16(), answer.body_mut().read_json().ok()?))
}

/// Waits for a run to end, through whatever the server is doing.
fn ends(client: &Client, run: &str, within: Duration) -> Value {
    let deadline = Instant::now() + within;
    loop {
        let path = format!("{}/api/runs/{run}", client.address);
        let shown: Option<Value> =
            client.agent.get(path).call().ok().and_then(|mut answer| answer.body_mut().read_json().ok());
        if let Some(shown) = shown.filter(|run| ["done", "stopped", "failed"].iter().any(|s| run["state"] == *s)) {
            return shown;
        }
        assert!(Instant::now() < deadline, "{run} does not end");
        std::thread::sleep(Duration::from_millis(100));
    }
}

/// A run whose job the queue has lost, or holds for done, is found; one that was asked to stop before is stopped.
#[test]
fn a_run_in_nobodys_hands_is_found() {
    let url = database();
    let (_server, client) = serve(&url, &["--no-worker"]);
    let supply = client.demo();
    let runs: Vec<String> = (0..3).map(|_| client.start(&supply)).collect();
    let [lost, acknowledged, stopping] = [&runs[0], &runs[1], &runs[2]];
    sql(&url, &format!("DELETE FROM apalis.jobs WHERE idempotency_key = '{lost}'"));
    for run in [acknowledged, stopping] {
        sql(
            &url,
            &format!(
                "UPDATE apalis.jobs SET status = 'Done', done_at = now() WHERE idempotency_key = '{run}'; UPDATE runs \
                 SET state = 'running', attempt = 1, noted_at = now() - interval '1 hour' WHERE id = '{run}'"
            ),
        );
    }
    client.post(&format!("/api/runs/{stopping}/stop"), &json!({}));
    let _worker = Server::worker(&url, &[]).unwrap();
    let ended: Vec<Value> =
        runs.iter().map(|run| ends(&client, run, Duration::from_secs(60))["state"].clone()).collect();
    assert_eq!(ended, ["done", "done", "stopped"]);
}

/// A ladder of so many states, by switching: reducing it takes long, and memory.
fn ladder(states: usize) -> Value {
    let two = |id: String, kind: &str, (first, from): (&str, String), (second, to): (&str, &str), value: Value| json!({ "id": id, "kind": kind, "pins": { first: from, second: to }, "parameters": value });
    let mut parts =
        vec![two("V1".into(), "dc_source", ("plus", "n0".into()), ("minus", "gnd"), json!({ "voltage": "10" }))];
    for k in 1..=states {
        let (before, net) = (format!("n{}", k - 1), format!("n{k}"));
        let (ohms, farads) = (json!({ "resistance": "1k" }), json!({ "capacitance": "1u" }));
        parts.push(two(format!("R{k}"), "resistor", ("a", before), ("b", &net), ohms));
        parts.push(two(format!("C{k}"), "capacitor", ("plus", net.clone()), ("minus", "gnd"), farads));
    }
    let study = json!({ "id": "switch_on", "kind": "switch_on", "title": "Switch-on", "duration": "1", "max_step": "1m",
        "engine": "switched" });
    json!({ "mellow_coil": 1, "title": "Ladder", "parts": parts, "studies": [study] })
}

/// A run that needs more memory than it may take fails alone and says so; one beside it is done, by the same worker.
#[test]
fn a_run_that_breaks_its_memory_fails_alone() {
    let (_server, client) = serve(&database(), &["--run-memory", "48"]);
    let beside = client.start(&client.demo());
    let failed = client.ran(&ladder(200), "switch_on");
    assert_eq!(failed["state"], "failed", "{failed}");
    let message = failed["message"].as_str().unwrap();
    assert!(message.contains("0.05 GiB of memory a run may take"), "{message}");
    assert_eq!(client.finished(&beside)["state"], "done");
}

/// A run in the midst of something long, as reducing hundreds of states, stops when it is asked to.
#[test]
fn a_run_that_does_not_look_up_is_stopped() {
    let (_server, client) = serve(&database(), &[]);
    let supply = client.post("/api/supplies", &json!({ "document": ladder(700) })).1;
    let run = client.start(&supply);
    client.wait(&run, |run| run["state"] == "running");
    std::thread::sleep(Duration::from_millis(500));
    client.post(&format!("/api/runs/{run}/stop"), &json!({}));
    assert_eq!(ends(&client, &run, Duration::from_secs(8))["state"], "stopped");
}

/// A run that goes on from another and is stopped at once has all of it, or leaves the other alone.
#[test]
fn going_on_and_stopping_at_once_loses_nothing() {
    let (_server, client) = serve(&database(), &["--slow-down", "8000"]);
    let mut random = Random(5);
    let mut last = client.start(&client.demo());
    client.wait(&last, |run| run["node_count"].as_i64().unwrap_or(0) > 0);
    client.post(&format!("/api/runs/{last}/stop"), &json!({}));
    for k in 0..12 {
        let before = ends(&client, &last, Duration::from_secs(30));
        assert_eq!(before["state"], "stopped", "{before}");
        let (status, next) = client.post(&format!("/api/runs/{last}/go_on"), &json!({}));
        assert_eq!(status, 200, "{next}");
        let next = next["id"].as_str().unwrap().to_owned();
        std::thread::sleep(Duration::from_micros(random.below(150_000)));
        client.post(&format!("/api/runs/{next}/stop"), &json!({}));
        let after = ends(&client, &next, Duration::from_secs(30));
        let nodes = |run: &Value| run["node_count"].as_i64().unwrap_or(0);
        if after["outcome"].is_null() {
            // It never began, and the one before can still be gone on with.
            assert_eq!(client.get(&format!("/api/runs/{last}")).0, 200, "{k}: {after}");
        } else {
            assert!(nodes(&after) >= nodes(&before), "{k}: {before} {after}");
            last = next;
        }
    }
}

/// A change sent again, because its answer was lost, is made once; so is going on with a run.
#[test]
fn what_is_asked_twice_is_done_once() {
    let (_server, client) = serve(&database(), &[]);
    let supply = client.demo();
    let path = format!("/api/supplies/{}", supply["id"].as_str().unwrap());
    let names = ["6f1d6a2e-0d0a-4a3e-8a51-0c8f4a6c1b01", "6f1d6a2e-0d0a-4a3e-8a51-0c8f4a6c1b02"];
    let add = json!({ "revision": 1, "change": names[0], "edit": { "edit": "add_line", "text": "resistor 10k from bus to gnd", "near": [0, 60] } });
    let parts = |shown: &Value| shown["document"]["parts"].as_array().unwrap().len();
    for _ in 0..2 {
        let (status, shown) = client.post(&format!("{path}/edits"), &add);
        assert_eq!((status, &shown["revision"], parts(&shown)), (200, &json!(2), parts(&supply) + 1));
    }
    let mut document = client.get(&path).1["document"].clone();
    document["title"] = "once".into();
    let save = json!({ "revision": 2, "change": names[1], "document": document }).to_string();
    for _ in 0..2 {
        let (status, shown) = client.send("PUT", &path, &save);
        assert_eq!((status, &shown["revision"]), (200, &json!(3)));
    }
    let restore = json!({ "revision": 3, "change": names[0] });
    assert_eq!(client.post(&format!("{path}/revisions/1/restore"), &restore).1["revision"], 3, "that name is taken");
    // Another's change is a conflict as ever.
    let stale = json!({ "revision": 1, "edit": { "edit": "add_line", "text": "resistor 1k" } });
    assert_eq!(client.post(&format!("{path}/edits"), &stale).0, 409);
    let run = client.finished(&client.start(&client.demo()));
    let go_on = || client.post(&format!("/api/runs/{}/go_on", run["id"].as_str().unwrap()), &json!({ "for": "1" })).1;
    let (first, second) = (go_on(), go_on());
    assert_eq!(first["id"], second["id"], "{first} {second}");
}

/// A client that goes away in the middle of a change leaves nothing held: the next change is made at once.
#[test]
fn who_goes_away_holds_nobody_up() {
    let (_server, client) = serve(&database(), &[]);
    let supply = client.demo();
    let path = format!("/api/supplies/{}", supply["id"].as_str().unwrap());
    let host = client.address.trim_start_matches("http://").to_owned();
    let mut random = Random(1);
    // Several connections to the database lie ready.
    std::thread::scope(|threads| {
        (0..12).for_each(|_| drop(threads.spawn(|| (0..4).for_each(|_| drop(client.get("/api/supplies"))))));
    });
    for k in 0..150 {
        let shown = client.get(&path).1;
        let mut document = shown["document"].clone();
        document["title"] = format!("gone {k}").into();
        let body = json!({ "revision": shown["revision"], "document": document }).to_string();
        let head = format!(
            "PUT {path} HTTP/1.1\r\nhost: {host}\r\ncontent-type: application/json\r\ncontent-length: {}\r\n\r\n",
            body.len()
        );
        let mut stream = TcpStream::connect(&host).unwrap();
        stream.write_all(head.as_bytes()).unwrap();
        stream.write_all(body.as_bytes()).unwrap();
        std::thread::sleep(Duration::from_micros(random.below(12_000)));
        drop(stream);
        let begun = Instant::now();
        loop {
            let shown = client.get(&path).1;
            let body = json!({ "revision": shown["revision"], "document": shown["document"] }).to_string();
            // What was sent last may be made just now.
            if client.send("PUT", &path, &body).0 == 200 {
                break;
            }
            assert!(begun.elapsed() < Duration::from_secs(5), "after {k}");
        }
        assert!(begun.elapsed() < Duration::from_secs(5), "after {k}: {:?}", begun.elapsed());
    }
}

/// Runs on the way of a drag leave the supply alone, and only the last of them is there.
#[test]
fn passing_runs_pass() {
    let (_server, client) = serve(&database(), &[]);
    let supply = client.demo();
    let path = format!("/api/supplies/{}/runs", supply["id"].as_str().unwrap());
    let tried = |text: &str| {
        let tried = json!([{ "part": "C1", "parameter": "capacitance", "text": text }]);
        client.post(&path, &json!({ "study": "switch_on", "tried": tried }))
    };
    for text in ["470u", "680u", "1m"] {
        let (status, run) = tried(text);
        assert_eq!((status, &run["passing"]), (200, &json!(true)), "{run}");
        client.finished(run["id"].as_str().unwrap());
    }
    let listed = || client.get(&path).1.as_array().unwrap().len();
    assert_eq!(listed(), 1);
    let real = client.finished(&client.start(&supply));
    assert_eq!((&real["revision"], &real["passing"], listed()), (&json!(1), &json!(false), 1));
    assert_eq!(client.get(&format!("{path}?deleted=true")).1, json!([]));
    let (status, problem) = client
        .post(&path, &json!({ "study": "switch_on", "tried": [{ "part": "X9", "parameter": "a", "text": "1" }] }));
    assert!(status == 422 && problem["message"].as_str().unwrap().contains("X9"), "{problem}");
}

/// `MELLOW_COIL_FAULTS` says for how many seconds things are killed, `MELLOW_COIL_FROM` in which order.
#[test]
fn every_run_ends_and_every_accepted_change_stays() {
    let (seed, seconds) = (number("MELLOW_COIL_FROM", 3), number("MELLOW_COIL_FAULTS", 20));
    let mut random = Random(seed);
    let mut postgres = Postgres::temporary().unwrap();
    let port = free_port().unwrap();
    Server::prepare(&postgres.url(), &[]).unwrap();
    let start = |postgres: &Postgres| Server::start(&postgres.url(), port, &["--no-worker"]).unwrap();
    let worker = |postgres: &Postgres| Server::worker(&postgres.url(), &["--slow-down", "1500"]).ok();
    let mut server = Some(start(&postgres));
    let mut workers = [worker(&postgres), worker(&postgres)];
    let client = Client::new(server.as_ref().unwrap());
    let supply = client.demo();
    let path = format!("/api/supplies/{}", supply["id"].as_str().unwrap());
    // None is to be deleted for being old.
    client.send("PUT", "/api/room/keep-runs", &json!({ "keep_runs": 1000 }).to_string());
    let (mut runs, mut accepted, mut faults) = (Vec::new(), Vec::new(), 0);
    let until = Instant::now() + Duration::from_secs(seconds);
    while Instant::now() < until {
        match random.below(12) {
            0..3 => {
                if let Some((200, run)) = asked(&client, &format!("{path}/runs"), &json!({ "study": "switch_on" })) {
                    runs.push(run["id"].as_str().unwrap().to_owned());
                }
            }
            3..6 => {
                let shown = client.agent.get(format!("{}{path}", client.address)).call().ok();
                let shown: Option<Value> = shown.and_then(|mut answer| answer.body_mut().read_json().ok());
                let Some(revision) = shown.and_then(|shown| shown["revision"].as_i64()) else { continue };
                let value = format!("{}k", 1000 + accepted.len());
                let text = format!("resistor {value} from bus to gnd");
                let edit =
                    json!({ "revision": revision, "edit": { "edit": "add_line", "text": text, "near": [0, 80] } });
                if let Some((200, _)) = asked(&client, &format!("{path}/edits"), &edit) {
                    accepted.push(value);
                }
            }
            6 => {
                if let Some(run) = runs.last() {
                    asked(&client, &format!("/api/runs/{run}/stop"), &json!({}));
                }
            }
            7 | 8 => {
                faults += 1;
                let which = &mut workers[random.below(2) as usize];
                if let Some(worker) = which.take() {
                    worker.kill();
                }
                *which = worker(&postgres);
            }
            9 => {
                faults += 1;
                if let Some(server) = server.take() {
                    server.kill();
                }
                server = Some(start(&postgres));
            }
            10 => {
                faults += 1;
                postgres.stop();
                std::thread::sleep(Duration::from_millis(random.below(1500)));
                if random.below(2) == 0
                    && let Some(worker) = workers[0].take()
                {
                    worker.kill();
                }
                postgres.restart().unwrap();
                if workers[0].is_none() {
                    workers[0] = worker(&postgres);
                }
            }
            _ => std::thread::sleep(Duration::from_millis(random.below(800))),
        }
        std::thread::sleep(Duration::from_millis(random.below(200)));
    }
    let mut states = std::collections::BTreeMap::<String, usize>::new();
    for run in &runs {
        let ended = ends(&client, run, Duration::from_secs(240));
        // Why one failed is told.
        let state = ended["message"].as_str().or(ended["state"].as_str()).unwrap();
        *states.entry(state.to_owned()).or_default() += 1;
        assert!(ended["state"] != "failed" || ended["message"].as_str().is_some_and(|m| m.len() > 20), "{ended}");
    }
    let parts = client.get(&path).1["document"]["parts"].to_string();
    let lost: Vec<&String> = accepted.iter().filter(|value| !parts.contains(&format!("\"{value}\""))).collect();
    println!("seed {seed}: {faults} faults, {} runs {states:?}, {} changes", runs.len(), accepted.len());
    assert!(lost.is_empty(), "seed {seed}: accepted and gone: {lost:?}");
}
