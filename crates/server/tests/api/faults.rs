//! What the store does when what lies beneath it fails: writes refused, connections cut, data damaged, an attempt overtaken.

use crate::client::{Client, database, serve, sql};
use serde_json::{Value, json};
use xtask::Server;

/// Lets the database refuse the next writes of trace chunks, with what it says then.
fn refuse_chunks(url: &str, times: u32, saying: &str) {
    sql(
        url,
        &format!(
            "CREATE SEQUENCE refused; CREATE FUNCTION refuse() RETURNS trigger LANGUAGE plpgsql AS $$ BEGIN \
             IF nextval('refused') <= {times} THEN RAISE EXCEPTION '{saying}'; END IF; RETURN NULL; END $$; \
             CREATE TRIGGER refuse BEFORE INSERT ON trace_chunks FOR EACH STATEMENT EXECUTE FUNCTION refuse()"
        ),
    );
}

fn value(run: &Value, id: &str) -> Value {
    let readings = run["outcome"]["readings"].as_array().unwrap_or_else(|| panic!("{run}"));
    readings.iter().find(|r| r["id"] == id).unwrap()["value"].clone()
}

/// A run nothing happened to, its bus at nodes, and how many there are.
fn undisturbed(client: &Client) -> (Value, Value, (Vec<f64>, Vec<f64>)) {
    let run = client.finished(&client.start(&client.demo()));
    assert_eq!(run["state"], "done", "{run}");
    let trace = client.trace(run["id"].as_str().unwrap(), "bus.v", 0.2, 0.21, 400);
    (value(&run, "bus_ripple"), run["node_count"].clone(), trace)
}

fn same_as_undisturbed(client: &Client, run: &Value, expected: &(Value, Value, (Vec<f64>, Vec<f64>))) {
    assert_eq!(run["state"], "done", "{run}");
    assert_eq!((value(run, "bus_ripple"), &run["node_count"]), (expected.0.clone(), &expected.1));
    assert_eq!(client.trace(run["id"].as_str().unwrap(), "bus.v", 0.2, 0.21, 400), expected.2);
}

#[test]
fn a_full_disk_is_waited_for_and_a_refusal_said() {
    let url = database();
    let (_server, client) = serve(&url, &[]);
    let expected = undisturbed(&client);
    refuse_chunks(&url, 2, "could not extend file: No space left on device");
    let run = client.finished(&client.start(&client.demo()));
    same_as_undisturbed(&client, &run, &expected);
    sql(&url, "DROP TRIGGER refuse ON trace_chunks; DROP FUNCTION refuse; DROP SEQUENCE refused");
    refuse_chunks(&url, u32::MAX, "page 7 is corrupted");
    let run = client.start(&client.demo());
    let failed = client.finished(&run);
    assert_eq!(failed["state"], "failed", "{failed}");
    let message = failed["message"].as_str().unwrap();
    assert!(message.contains("stored") && message.contains("page 7 is corrupted"), "{message}");
    // The worker is none the worse for it.
    sql(&url, "DROP TRIGGER refuse ON trace_chunks");
    same_as_undisturbed(&client, &client.finished(&client.start(&client.demo())), &expected);
}

#[test]
fn cut_connections_cost_no_node() {
    let url = database();
    let (_server, client) = serve(&url, &["--slow-down", "1500"]);
    let expected = undisturbed(&client);
    let run = client.start(&client.demo());
    for _ in 0..6 {
        std::thread::sleep(std::time::Duration::from_millis(250));
        sql(
            &url,
            "SELECT pg_terminate_backend(pid) FROM pg_stat_activity \
             WHERE datname = current_database() AND pid <> pg_backend_pid()",
        );
    }
    same_as_undisturbed(&client, &client.finished(&run), &expected);
}

#[test]
fn an_overtaken_attempt_leaves_the_newer_one_alone() {
    let url = database();
    let (_server, client) = serve(&url, &["--no-worker"]);
    let run = client.start(&client.demo());
    let _slow = Server::worker(&url, &["--slow-down", "4000"]).unwrap();
    client.wait(&run, |run| run["node_count"].as_i64().unwrap_or(0) > 0);
    // Another worker has taken it up meanwhile, so it seems.
    sql(&url, &format!("UPDATE runs SET attempt = 7, node_count = 11 WHERE id = '{run}'"));
    std::thread::sleep(std::time::Duration::from_secs(5));
    let (_, shown) = client.get(&format!("/api/runs/{run}"));
    assert_eq!((&shown["state"], &shown["node_count"]), (&json!("running"), &json!(11)), "{shown}");
}

#[test]
fn damaged_data_are_said_to_be_and_hide_nothing_else() {
    let url = database();
    let (_server, client) = serve(&url, &[]);
    let supply = client.demo();
    let run = client.finished(&client.start(&supply));
    let id = run["id"].as_str().unwrap();
    sql(&url, &format!("UPDATE trace_chunks SET data = '\\x00' WHERE run_id = '{id}' AND signal = 'bus.v'"));
    let (status, answer) = client.get(&format!("/api/runs/{id}/trace?signal=bus.v&from=0&to=0.5&width=300"));
    assert!(status == 500 && answer["message"].as_str().unwrap().contains("run the study again"), "{answer}");
    let whole = json!({ "signals": ["bus.v"], "from": 0.0, "to": 0.5 });
    let (status, answer) = client.post(&format!("/api/runs/{id}/measure"), &whole);
    assert!(status == 500 && answer["message"].as_str().unwrap().contains("damaged"), "{answer}");
    // Another trace of the same run, and the run itself, are as they were.
    assert!(client.trace(id, "V1.v", 0.0, 0.5, 300).0.len() > 300);
    assert_eq!(client.get(&format!("/api/runs/{id}")).1["outcome"], run["outcome"]);

    // A run whose document no longer reads, as after going back to an older program, says so and ends.
    let queued = {
        let path = format!("/api/supplies/{}/runs", supply["id"].as_str().unwrap());
        sql(
            &url,
            "CREATE FUNCTION spoil() RETURNS trigger LANGUAGE plpgsql AS $$ BEGIN \
             NEW.document = jsonb_set(NEW.document, '{parts,0,kind}', '\"flux_capacitor\"'); RETURN NEW; END $$; \
             CREATE TRIGGER spoil BEFORE INSERT ON runs FOR EACH ROW EXECUTE FUNCTION spoil()",
        );
        client.post(&path, &json!({ "study": "switch_on" })).1["id"].as_str().unwrap().to_owned()
    };
    let failed = client.finished(&queued);
    let message = failed["message"].as_str().unwrap();
    assert!(
        failed["state"] == "failed" && message.contains("parts[0]") && message.contains("flux_capacitor"),
        "{failed}"
    );
    let (status, list) = client.get(&format!("/api/supplies/{}/runs", supply["id"].as_str().unwrap()));
    assert!(status == 200 && list.as_array().unwrap().len() == 2, "{list}");

    // A supply that no longer reads is named in the library and can be deleted; the others open.
    let (_, supplies) = client.get("/api/supplies");
    let broken = supplies[1]["id"].as_str().unwrap();
    sql(
        &url,
        &format!(
            "UPDATE supplies SET document = '{{\"mellow_coil\": 1, \"title\": 7}}', summary = NULL WHERE id = '{broken}'"
        ),
    );
    let (status, list) = client.get("/api/supplies");
    assert!(status == 200 && list.as_array().unwrap().len() == supplies.as_array().unwrap().len(), "{status} {list}");
    let listed = list.as_array().unwrap().iter().find(|s| s["id"] == *broken).unwrap();
    assert!(listed["problem"].as_str().unwrap().contains("title"), "{listed}");
    let (status, answer) = client.get(&format!("/api/supplies/{broken}"));
    assert!((400..600).contains(&status) && answer["message"].as_str().unwrap().contains("title"), "{status} {answer}");
    assert_eq!(client.get(&format!("/api/supplies/{}", supply["id"].as_str().unwrap())).1["id"], supply["id"]);
    assert!(client.delete(&format!("/api/supplies/{broken}")) < 300);
}
