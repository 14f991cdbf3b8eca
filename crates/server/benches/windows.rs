//! A trace of five million points, panned and zoomed: time to answer each window, measured at the
//! client, and how many points come back.
#![allow(missing_docs)]

use arrow_ipc::reader::StreamReader;
use criterion::{Criterion, criterion_group, criterion_main};
use serde_json::{Value, json};
use std::time::{Duration, Instant};
use ureq::Agent;
use xtask::services::free_port;
use xtask::{Postgres, Server};

/// Width of a plot on a large screen, pixels.
const WIDTH: usize = 1600;
/// Simulated time, s; at the longest step of the study two nodes every 400 ns.
const DURATION: f64 = 1.0;

struct Viewer {
    agent: Agent,
    address: String,
}

impl Viewer {
    fn post(&self, path: &str, body: &Value) -> Value {
        let request = self.agent.post(format!("{}{path}", self.address)).header("content-type", "application/json");
        request.send(body.to_string()).unwrap().body_mut().read_json().unwrap()
    }

    /// Runs a circuit whose step is kept short enough for five million nodes.
    fn record(&self) -> String {
        let part = |id: &str, kind: &str, pins: Value, parameters: Value| json!({ "id": id, "kind": kind, "pins": pins, "parameters": parameters });
        let document = json!({
            "mellow_coil": 1,
            "title": "Five million points",
            "parts": [
                part("V1", "sine_source", json!({ "plus": "in", "minus": "gnd" }), json!({ "amplitude": "10", "frequency": "1k" })),
                part("R1", "resistor", json!({ "a": "in", "b": "out" }), json!({ "resistance": "1k" })),
                part("C1", "capacitor", json!({ "plus": "out", "minus": "gnd" }), json!({ "capacitance": "100n" })),
            ],
            "studies": [{
                "id": "long", "kind": "switch_on", "title": "Long", "duration": format!("{DURATION}"), "max_step": "400n"
            }]
        });
        let supply = self.post("/api/supplies", &json!({ "document": document }));
        let path = format!("/api/supplies/{}/runs", supply["id"].as_str().unwrap());
        let run = self.post(&path, &json!({ "study": "long" }))["id"].as_str().unwrap().to_owned();
        loop {
            let shown: Value = {
                let mut answer = self.agent.get(format!("{}/api/runs/{run}", self.address)).call().unwrap();
                answer.body_mut().read_json().unwrap()
            };
            if shown["state"] == "done" {
                println!("recorded {} nodes", shown["node_count"]);
                return run;
            }
            assert_ne!(shown["state"], "failed", "{shown}");
            std::thread::sleep(Duration::from_millis(200));
        }
    }

    /// Points of a window.
    fn window(&self, run: &str, from: f64, to: f64) -> usize {
        let path = format!("{}/api/runs/{run}/trace", self.address);
        let request = self.agent.get(path).query("signal", "out.v").query("width", WIDTH.to_string());
        let mut answer = request.query("from", from.to_string()).query("to", to.to_string()).call().unwrap();
        let bytes = answer.body_mut().read_to_vec().unwrap();
        StreamReader::try_new(bytes.as_slice(), None).unwrap().map(|batch| batch.unwrap().num_rows()).sum()
    }
}

fn windows(criterion: &mut Criterion) {
    let postgres = Postgres::temporary().unwrap();
    let server = Server::start(&postgres.url(), free_port().unwrap(), &[]).unwrap();
    let agent = Agent::config_builder().http_status_as_error(false).build().into();
    let viewer = Viewer { agent, address: server.address() };
    let run = viewer.record();
    let (mut slowest, mut most) = (Duration::ZERO, 0);
    for zoom in 0..18 {
        let length = DURATION / f64::from(1 << zoom);
        for place in 0..8 {
            let from = (DURATION - length) * f64::from(place) / 7.0;
            let start = Instant::now();
            let points = viewer.window(&run, from, from + length);
            slowest = slowest.max(start.elapsed());
            most = most.max(points);
        }
    }
    println!("slowest of 144 windows: {slowest:.1?}; most points: {most} for {WIDTH} pixels");
    criterion.bench_function("whole trace", |b| b.iter(|| viewer.window(&run, 0.0, DURATION)));
    criterion.bench_function("a thousandth", |b| b.iter(|| viewer.window(&run, 0.3, 0.3 + 1e-3 * DURATION)));
}

criterion_group! {
    name = benches;
    config = Criterion::default().sample_size(20);
    targets = windows
}
criterion_main!(benches);
