//! What is deleted is gone, comes back whole, and in the end gives its room free.

use crate::client::{Client, database, serve, sql};
use serde_json::{Value, json};

fn room(client: &Client) -> Value {
    client.get("/api/room").1
}

fn runs(client: &Client, supply: &Value, deleted: bool) -> Vec<String> {
    let path = format!("/api/supplies/{}/runs?deleted={deleted}", supply["id"].as_str().unwrap());
    let (status, listed) = client.get(&path);
    assert_eq!(status, 200, "{listed}");
    listed.as_array().unwrap().iter().map(|run| run["id"].as_str().unwrap().to_owned()).collect()
}

#[test]
fn a_supply_is_deleted_and_had_back_with_its_runs() {
    let url = database();
    let (server, client) = serve(&url, &[]);
    let before = client.get("/api/supplies").1;
    let supply = client.demo();
    let path = format!("/api/supplies/{}", supply["id"].as_str().unwrap());
    let kept = client.start(&supply);
    client.finished(&kept);
    let alone = client.start(&supply);
    client.finished(&alone);
    assert_eq!(client.delete(&format!("/api/runs/{alone}")), 204);
    let used = room(&client);
    assert_eq!(used["runs"], 1);
    assert!(used["used"].as_i64() > used["deleted"].as_i64() && used["deleted"].as_i64() > Some(100_000), "{used}");

    // Gone from every side, its runs and their traces too; deleting it again says so.
    assert_eq!(client.delete(&path), 204);
    assert_eq!(client.delete(&path), 404);
    assert_eq!(client.get(&path).0, 404);
    assert_eq!(client.get(&format!("/api/runs/{kept}")).0, 404);
    let body = json!({ "signals": ["bus.v"], "from": 0.0, "to": 0.1 });
    assert_eq!(client.post(&format!("/api/runs/{kept}/measure"), &body).0, 404);
    let save = json!({ "revision": supply["revision"], "document": supply["document"] }).to_string();
    assert_eq!(client.send("PUT", &path, &save).0, 404);
    assert_eq!(client.post(&format!("{path}/runs"), &json!({ "study": "switch_on" })).0, 404);
    assert_eq!(client.get("/api/supplies").1.as_array().unwrap().len(), before.as_array().unwrap().len() - 1);
    assert_eq!(room(&client)["supplies"][0]["title"], supply["document"]["title"]);
    assert_eq!(room(&client)["supplies"][0]["runs"], 1);
    assert_eq!(client.post(&format!("/api/runs/{alone}/undelete"), &json!({})).0, 404);

    // Back as it was; the run deleted on its own stays deleted until it is had back itself.
    assert_eq!(client.post(&format!("{path}/undelete"), &json!({})).0, 204);
    assert_eq!(client.get(&path).1, supply);
    assert_eq!(
        (runs(&client, &supply, false), runs(&client, &supply, true)),
        (vec![kept.clone()], vec![alone.clone()])
    );
    assert_eq!(client.post(&format!("/api/runs/{kept}/measure"), &body).0, 200);
    assert_eq!(client.post(&format!("/api/runs/{alone}/undelete"), &json!({})).0, 204);
    assert_eq!(runs(&client, &supply, false), [alone.clone(), kept]);

    // Within the day the room is held; after it, it is given free when the server next tidies up.
    assert_eq!(client.delete(&format!("/api/runs/{alone}")), 204);
    drop(server);
    let chunks = format!("SELECT count(*) > 0 FROM trace_chunks WHERE run_id = '{alone}'");
    let (server, client) = serve(&url, &[]);
    assert_eq!((client.get("/api/health").0, sql(&url, &chunks)), (200, "t".to_owned()));
    drop(server);
    sql(&url, "UPDATE runs SET deleted_at = deleted_at - interval '25 hours'");
    let (_server, client) = serve(&url, &[]);
    let deadline = std::time::Instant::now() + std::time::Duration::from_secs(20);
    while sql(&url, &chunks) == "t" {
        assert!(std::time::Instant::now() < deadline, "the room is still taken");
        std::thread::sleep(std::time::Duration::from_millis(100));
    }
    assert_eq!(client.post(&format!("/api/runs/{alone}/undelete"), &json!({})).0, 404);

    // Or at once, when asked.
    assert_eq!(client.delete(&path), 204);
    assert_eq!(client.post("/api/room/give-free", &json!({})).1["deleted"], 0);
    assert_eq!(client.post(&format!("{path}/undelete"), &json!({})).0, 404);
    assert_eq!(sql(&url, "SELECT count(*) FROM trace_chunks"), "0");
}

#[test]
fn the_newest_runs_of_a_study_are_kept_and_the_marked_ones() {
    let url = database();
    let (_server, client) = serve(&url, &[]);
    let supply = client.demo();
    let run = || {
        let run = client.start(&supply);
        client.finished(&run);
        run
    };
    let all: Vec<String> = (0..4).map(|_| run()).collect();
    assert_eq!(client.post(&format!("/api/runs/{}/remark", all[0]), &json!({ "marked": true })).0, 204);
    let (status, answer) = client.send("PUT", "/api/room/keep-runs", &json!({ "keep_runs": 0 }).to_string());
    assert!(status == 422 && answer["message"].as_str().unwrap().contains("1 to 1000"), "{answer}");
    let (status, answer) = client.send("PUT", "/api/room/keep-runs", &json!({ "keep_runs": 2 }).to_string());
    assert_eq!((status, &answer["keep_runs"], &answer["runs"]), (200, &json!(2), &json!(3)));
    assert_eq!(runs(&client, &supply, false), [&all[3], &all[2], &all[0]].map(Clone::clone));

    // The next run takes the place of the oldest; one had back from beyond is marked, or it would go again.
    let next = run();
    let settled = || runs(&client, &supply, false).len() == 3;
    let deadline = std::time::Instant::now() + std::time::Duration::from_secs(20);
    while !settled() {
        assert!(std::time::Instant::now() < deadline);
        std::thread::sleep(std::time::Duration::from_millis(20));
    }
    assert_eq!(runs(&client, &supply, true), [&all[2], &all[1]].map(Clone::clone));
    assert_eq!(client.post(&format!("/api/runs/{}/undelete", all[1]), &json!({})).0, 204);
    assert_eq!(client.get(&format!("/api/runs/{}", all[1])).1["marked"], true);
    assert_eq!(runs(&client, &supply, false), [&next, &all[3], &all[1], &all[0]].map(Clone::clone));
}

#[test]
fn a_run_that_goes_on_is_stopped_by_deleting_it() {
    let url = database();
    let (_server, client) = serve(&url, &["--slow-down", "20000"]);
    let supply = client.demo();
    let run = client.start(&supply);
    client.wait(&run, |run| run["node_count"].as_i64() > Some(0) || run["simulated_time"].as_f64() > Some(0.0));
    assert_eq!(client.delete(&format!("/api/runs/{run}")), 204);
    let deadline = std::time::Instant::now() + std::time::Duration::from_secs(10);
    while sql(&url, "SELECT state FROM runs") != "stopped" {
        assert!(std::time::Instant::now() < deadline, "it still goes on");
        std::thread::sleep(std::time::Duration::from_millis(50));
    }
    // Had back, it has what it had come to.
    assert_eq!(client.post(&format!("/api/runs/{run}/undelete"), &json!({})).0, 204);
    assert_eq!(client.get(&format!("/api/runs/{run}")).1["state"], "stopped");
}

#[test]
fn a_run_that_waits_is_ended_by_deleting_it() {
    let (_server, client) = serve(&database(), &["--no-worker"]);
    let run = client.start(&client.demo());
    assert_eq!(client.delete(&format!("/api/runs/{run}")), 204);
    assert_eq!(client.post(&format!("/api/runs/{run}/undelete"), &json!({})).0, 204);
    let (_, back) = client.get(&format!("/api/runs/{run}"));
    assert!(back["state"] == "stopped" && back["finished_at"].is_string(), "{back}");
}

#[test]
fn only_what_decides_the_numbers_makes_them_old() {
    let (_server, client) = serve(&database(), &[]);
    let supply = client.demo();
    let run = client.finished(&client.start(&supply));
    let path = format!("/api/supplies/{}", supply["id"].as_str().unwrap());
    let essence = |shown: &Value| shown["essences"]["switch_on"].clone();
    assert_eq!(essence(&supply), run["essence"]);
    let mut latest = supply.clone();
    let mut save = |judged_otherwise: bool, change: &dyn Fn(&mut Value)| {
        change(&mut latest["document"]);
        let body = json!({ "revision": latest["revision"], "document": latest["document"] }).to_string();
        let (status, stored) = client.send("PUT", &path, &body);
        assert_eq!(status, 200, "{stored}");
        latest = stored.clone();
        let listed = client.get("/api/supplies").1[0]["changed_since_run"].clone();
        assert_eq!(listed, json!(judged_otherwise || essence(&stored) != run["essence"]), "{stored}");
        essence(&stored) == run["essence"]
    };
    assert!(save(false, &|d| d["title"] = "Another name".into()));
    assert!(save(false, &|d| d["parts"][2]["at"]["x"] = 77.into()));
    assert!(save(false, &|d| d["texts"] = json!([{ "text": "a note", "x": 3, "y": 4 }])));
    assert!(save(false, &|d| d["parts"][0]["ratings"] = json!({})));
    // The traces are as they were, and are judged anew when they are looked at; the library still has the verdicts of then.
    assert!(save(true, &|d| d["requirements"][0]["at_least"] = "1".into()));
    assert!(save(false, &|d| *d = supply["document"].clone()));
    assert!(!save(false, &|d| d["parts"][3]["pins"]["a"] = "elsewhere".into()));
    assert!(save(false, &|d| *d = supply["document"].clone()));
}

#[test]
fn a_database_that_is_not_up_to_date_is_said_to_be_so() {
    let url = database();
    let (server, client) = serve(&url, &[]);
    sql(&url, "DELETE FROM __diesel_schema_migrations");
    let (status, answer) = client.get("/api/health");
    assert!(status == 503 && answer["message"].as_str().unwrap().contains("migrate"), "{answer}");
    drop(server);
    sql(&url, "DROP TABLE __diesel_schema_migrations");
    let program = env!("CARGO_BIN_EXE_mellow-coil");
    let mut serving = std::process::Command::new(program);
    let ended = serving.args(["serve", "--listen", "127.0.0.1:0", "--database-url", &url]).output().unwrap();
    assert_eq!(ended.status.code(), Some(1));
    assert!(String::from_utf8_lossy(&ended.stderr).contains("migrate"), "{ended:?}");
}
