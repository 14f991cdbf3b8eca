//! Runs: from the queue to verdicts and traces, through stops, kills and restarts.

use crate::client::{database, serve, sql};
use serde_json::{Value, json};
use xtask::{Postgres, Server};

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

/// A run whose process is killed by somebody says so, keeps what was recorded, and takes no other with it.
#[test]
fn a_run_whose_process_is_killed_fails_alone() {
    let url = database();
    let (server, client) = serve(&url, &["--no-worker"]);
    let supply = client.demo();
    let slow = Server::worker(&url, &["--slow-down", "20000"]).unwrap();
    let run = client.start(&supply);
    client.wait(&run, |run| run["node_count"].as_i64().unwrap_or(0) > 0);
    assert_eq!(slow.kill_children().unwrap(), 1);
    let ended = client.finished(&run);
    let said = ended["message"].as_str().unwrap();
    assert!(ended["state"] == "failed" && said.contains("ended from outside"), "{ended}");
    let reached = ended["recorded"][1].as_f64().unwrap();
    assert!(!client.trace(&run, "bus.v", 0.0, reached, 300).0.is_empty());
    // The worker goes on working.
    let next = client.start(&supply);
    client.wait(&next, |run| run["node_count"].as_i64().unwrap_or(0) > 0);
    drop((slow, server));
}

/// Paused, gone on with by another worker, extended beyond its end, with another tolerance: what comes out is what a run
/// that was never paused gives, and all of it is there.
#[test]
fn a_paused_run_goes_on_where_it_stood() {
    let database = database();
    let (_server, client) = serve(&database, &["--no-worker"]);
    let supply = client.demo();
    let slow = Server::worker(&database, &["--slow-down", "20000"]).unwrap();
    let run = client.start(&supply);
    let go_on = |run: &str, wish: Value| client.post(&format!("/api/runs/{run}/go_on"), &wish);
    assert_eq!(go_on(&run, json!({})).0, 422, "it has not ended");
    client.wait(&run, |run| run["node_count"].as_i64().unwrap_or(0) > 0);
    client.post(&format!("/api/runs/{run}/stop"), &json!({}));
    let paused = client.finished(&run);
    assert_eq!((&paused["state"], &paused["goes_on"]), (&json!("stopped"), &json!(true)));
    let reached = paused["simulated_time"].as_f64().unwrap();
    assert_eq!(paused["recorded"][1].as_f64().unwrap(), reached);
    slow.kill();
    let _quick = Server::worker(&database, &[]).unwrap();
    let early = |run: &str| client.trace(run, "bus.v", 0.0, 0.9 * reached, 2000);
    let before = early(&run);

    let (status, next) = go_on(&run, json!({}));
    assert_eq!(status, 200, "{next}");
    let whole = client.finished(next["id"].as_str().unwrap());
    let id = whole["id"].as_str().unwrap();
    assert_eq!((&whole["state"], &whole["goes_on_from"]), (&json!("done"), &json!(run)));
    assert_eq!(whole["recorded"], json!([0.0, 0.5]));
    assert!(early(id) == before, "what there was is not as it was");
    let straight = client.finished(&client.start(&supply));
    for name in ["bus_mean", "bus_ripple"] {
        let [a, b] = [&whole, &straight].map(|run| reading(run, name)["value"].as_f64().unwrap());
        assert!((a / b - 1.0).abs() < 2e-3, "{name}: {a} {b}");
    }
    // What was cut short is all in the one that went on.
    assert_eq!(client.get(&format!("/api/runs/{run}")).0, 404);
    assert_eq!((&whole["essence"], &whole["revision"]), (&straight["essence"], &straight["revision"]));

    // At its end it has to be said for how long; what makes no sense is refused in words.
    for (wish, word) in [
        (json!({}), "for how long"),
        (json!({ "for": "soon" }), "for how long"),
        (json!({ "for": "-1" }), "how long"),
        (json!({ "for": "20m", "tolerance": "lots" }), "errors"),
    ] {
        let (status, problem) = go_on(id, wish);
        assert_eq!(status, 422, "{problem}");
        assert!(problem["message"].as_str().unwrap().contains(word), "{problem}");
    }
    let (_, longer) = go_on(id, json!({ "for": "100m", "tolerance": "0.01" }));
    let longer = client.finished(longer["id"].as_str().unwrap());
    assert_eq!((&longer["state"], &longer["duration"]), (&json!("done"), &json!(0.6)));
    assert_eq!(longer["outcome"]["health"]["tolerance"], json!(0.01));
    assert!(longer["node_count"].as_i64() > whole["node_count"].as_i64());
    assert_eq!(client.get(&format!("/api/runs/{id}")).0, 200, "a run that had ended stays");
    let energy = longer["outcome"]["health"]["engine"]["energy"]["relative"].as_f64().unwrap();
    assert!(energy < 1e-2, "{energy}");

    // What is to be gone on from may be gone: then it is computed from its beginning.
    sql(&database, &format!("UPDATE runs SET kept = 'nothing of use' WHERE id = '{id}'"));
    let (_, anew) = go_on(id, json!({ "for": "100m" }));
    let anew = client.finished(anew["id"].as_str().unwrap());
    assert_eq!((&anew["state"], &anew["recorded"]), (&json!("done"), &json!([0.0, 0.6])));
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
        sql(&url, &format!("UPDATE runs SET attempt = attempt + 1, state = 'running' WHERE id = '{run}'"));
    }
    let _worker = Server::worker(&url, &[]).unwrap();
    let ended = client.finished(&run);
    assert_eq!(ended["state"], "failed");
    assert!(ended["message"].as_str().unwrap().contains("memory"), "{ended}");
}

/// Readings stated after a run are taken from its recording, as a run stated with them gives them.
#[test]
fn readings_added_later_are_taken_from_the_stored_run() {
    let (_server, client) = serve(&database(), &[]);
    let supply = client.demo();
    let run = client.finished(&client.start(&supply));
    let path = format!("/api/runs/{}/judged", run["id"].as_str().unwrap());
    let (status, judged) = client.get(&path);
    assert_eq!((status, &judged["readings"]), (200, &run["outcome"]["readings"]), "as it was judged at its end");
    assert_eq!(judged["verdicts"], run["outcome"]["verdicts"]);
    let mut document = supply["document"].clone();
    let readings = document["readings"].as_array_mut().unwrap();
    let last = json!({ "last_periods": { "count": 5 } });
    for more in [
        json!({ "id": "efficiency_now", "title": "E", "study": "switch_on", "measure": "efficiency", "window": last }),
        json!({ "id": "pf", "title": "PF", "study": "switch_on", "measure": "power_factor", "signal": "V1.v",
            "current": "-V1.i", "window": last }),
        json!({ "id": "thd", "title": "THD", "study": "switch_on", "measure": "harmonic_distortion", "signal": "V1.i",
            "window": last }),
        json!({ "id": "rise", "title": "Rise", "study": "switch_on", "measure": "rise_time", "signal": "bus.v" }),
        json!({ "id": "share", "title": "Share", "study": "switch_on", "measure": "formula", "formula": "bus_ripple / bus_mean" }),
    ] {
        readings.push(more);
    }
    let requirements = document["requirements"].as_array_mut().unwrap();
    requirements.push(json!({ "id": "pf", "title": "PF", "reading": "pf", "at_least": "0.5" }));
    let body = json!({ "document": document, "revision": supply["revision"] });
    let id = supply["id"].as_str().unwrap();
    let (status, saved) = client.send("PUT", &format!("/api/supplies/{id}"), &body.to_string());
    assert_eq!(status, 200, "{saved}");
    // The numbers are not old for it: nothing that decides them has changed.
    assert_eq!(client.get(&format!("/api/supplies/{id}")).1["essences"], supply["essences"]);
    let (status, judged) = client.get(&path);
    assert_eq!(status, 200, "{judged}");
    let value = |of: &Value, id: &str| {
        let found = of["readings"].as_array().unwrap().iter().find(|r| r["id"] == id).unwrap().clone();
        found["value"].as_f64().unwrap_or_else(|| panic!("{found}"))
    };
    assert!(
        (0.4..0.95).contains(&value(&judged, "efficiency_now")) && (0.4..0.9).contains(&value(&judged, "pf")),
        "{judged}"
    );
    assert!((value(&judged, "share") - value(&judged, "bus_ripple") / value(&judged, "bus_mean")).abs() < 1e-12);
    assert_eq!(judged["verdicts"].as_array().unwrap().last().unwrap()["id"], "pf");
    // The spectrum says the same of the same stretch, and its largest use of a limit is one of its orders'.
    let run_path = |what: &str| format!("/api/runs/{}/{what}", run["id"].as_str().unwrap());
    let asked = json!({ "signal": "-V1.i", "voltage": "V1.v", "periods": 5, "class": "D" });
    let (status, spectrum) = client.post(&run_path("harmonics"), &asked);
    assert_eq!(status, 200, "{spectrum}");
    let number = |of: &Value| of.as_f64().unwrap();
    assert!((number(&spectrum["distortion"]) / value(&judged, "thd") - 1.0).abs() < 1e-9, "{spectrum}");
    assert!((number(&spectrum["power_factor"]) / value(&judged, "pf") - 1.0).abs() < 1e-9);
    // A source is asked for what it delivers.
    let mut plainly = asked.clone();
    plainly["signal"] = "V1.i".into();
    assert_eq!(client.post(&run_path("harmonics"), &plainly).1, spectrum);
    let third = &spectrum["orders"][2];
    // 3.4 mA to each watt (IEC 61000-3-2, class D, from memory).
    assert!((number(&third["limit"]) / (3.4e-3 * number(&spectrum["power"])) - 1.0).abs() < 1e-9, "{third}");
    assert!(number(&spectrum["largest_use"]) >= number(&third["rms"]) / number(&third["limit"]));
    for (change, said) in [
        (json!({ "signal": "bus.v" }), "limits are for currents"),
        (json!({ "periods": 40 }), "not covered"),
        (json!({ "signal": "X9.i" }), "X9"),
        (json!({ "voltage": "bus" }), "a point and v, i or p"),
    ] {
        let mut wrong = asked.clone();
        wrong.as_object_mut().unwrap().extend(change.as_object().unwrap().clone());
        let (status, answer) = client.post(&run_path("harmonics"), &wrong);
        assert!(status == 422 && answer["message"].as_str().unwrap().contains(said), "{change}: {answer}");
    }
    // A table holds every node, and says in its heads what it holds.
    let stretch = json!({ "signals": ["bus.v", "V1.v * -V1.i"], "from": 0.4, "to": 0.42 });
    let mut answer = client
        .agent
        .post(format!("{}{}", client.address, run_path("table")))
        .header("content-type", "application/json")
        .send(stretch.to_string())
        .unwrap();
    let table = answer.body_mut().read_to_string().unwrap();
    let rows: Vec<&str> = table.lines().collect();
    assert!(rows[0] == "t [s],bus.v [V],V1.v * -V1.i [W]" && rows.len() > 20, "{}", rows[0]);
    let cells = |row: &str| row.split(',').map(|cell| cell.parse().unwrap()).collect::<Vec<f64>>();
    let (first, last_row) = (cells(rows[1]), cells(rows[rows.len() - 1]));
    assert!(first[0] >= 0.4 && last_row[0] <= 0.42 && last_row[0] > 0.419 && (13.0..16.0).contains(&first[1]));
    let (status, answer) = client.post(&run_path("table"), &json!({ "signals": ["bus.v +"], "from": 0.0, "to": 0.1 }));
    assert!(status == 422 && answer["message"].as_str().unwrap().contains("ends too early"), "{answer}");
    // A new run, judged by the same at its end, gives the same to the bit.
    let again = client.finished(&client.start(&saved));
    assert_eq!(again["outcome"]["readings"], judged["readings"]);
    assert_eq!(again["outcome"]["verdicts"], judged["verdicts"]);
}
