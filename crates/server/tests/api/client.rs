//! A server with a database of its own, and a client that talks to it.

use arrow_array::{Float64Array, RecordBatch};
use arrow_ipc::reader::StreamReader;
use serde_json::{Value, json};
use std::sync::OnceLock;
use std::sync::atomic::{AtomicU32, Ordering};
use std::time::{Duration, Instant};
use ureq::Agent;
use xtask::services::free_port;
use xtask::{Postgres, Server};

pub(crate) fn postgres() -> &'static Postgres {
    static POSTGRES: OnceLock<Postgres> = OnceLock::new();
    POSTGRES.get_or_init(|| Postgres::temporary().unwrap())
}

/// A database of its own on the shared server.
pub(crate) fn database() -> String {
    static COUNT: AtomicU32 = AtomicU32::new(0);
    let name = format!("test{}", COUNT.fetch_add(1, Ordering::Relaxed));
    let url = postgres().url();
    let programs = xtask::install::postgres_programs().unwrap();
    let status =
        std::process::Command::new(programs.join("createdb")).args(["--maintenance-db", &url, &name]).status().unwrap();
    assert!(status.success());
    url.replace("/postgres", &format!("/{name}"))
}

/// Does something to a database behind the server's back; returns what it answers.
pub(crate) fn sql(url: &str, text: &str) -> String {
    let psql = xtask::install::postgres_programs().unwrap().join("psql");
    let done = std::process::Command::new(psql).args(["-qAt", url, "-c", text]).output().unwrap();
    assert!(done.status.success(), "{}", String::from_utf8_lossy(&done.stderr));
    String::from_utf8_lossy(&done.stdout).trim().to_owned()
}

pub(crate) struct Client {
    pub(crate) agent: Agent,
    pub(crate) address: String,
}

impl Client {
    pub(crate) fn new(server: &Server) -> Self {
        let agent = Agent::config_builder().http_status_as_error(false).build().into();
        Client { agent, address: server.address() }
    }

    pub(crate) fn get(&self, path: &str) -> (u16, Value) {
        let mut answer = self.agent.get(format!("{}{path}", self.address)).call().unwrap();
        (answer.status().as_u16(), answer.body_mut().read_json().unwrap_or(Value::Null))
    }

    pub(crate) fn send(&self, method: &str, path: &str, body: &str) -> (u16, Value) {
        let address = format!("{}{path}", self.address);
        let request = if method == "PUT" { self.agent.put(address) } else { self.agent.post(address) };
        let mut answer = request.header("content-type", "application/json").send(body).unwrap();
        (answer.status().as_u16(), answer.body_mut().read_json().unwrap_or(Value::Null))
    }

    pub(crate) fn delete(&self, path: &str) -> u16 {
        self.agent.delete(format!("{}{path}", self.address)).call().unwrap().status().as_u16()
    }

    pub(crate) fn send_or_get(&self, method: &str, path: &str) -> (u16, Value) {
        if method == "GET" { self.get(path) } else { self.send(method, path, "{}") }
    }

    pub(crate) fn post(&self, path: &str, body: &Value) -> (u16, Value) {
        self.send("POST", path, &body.to_string())
    }

    /// Traces of a run as a file.
    pub(crate) fn table(&self, run: &str, body: &Value) -> Vec<u8> {
        let address = format!("{}/api/runs/{run}/table", self.address);
        let request = self.agent.post(address).header("content-type", "application/json");
        let mut answer = request.send(body.to_string()).unwrap();
        let bytes = answer.body_mut().read_to_vec().unwrap();
        assert_eq!(answer.status(), 200, "{}", String::from_utf8_lossy(&bytes));
        bytes
    }

    pub(crate) fn demo(&self) -> Value {
        let (_, supplies) = self.get("/api/supplies");
        let id = supplies[0]["id"].as_str().unwrap();
        self.get(&format!("/api/supplies/{id}")).1
    }

    pub(crate) fn start(&self, supply: &Value) -> String {
        let path = format!("/api/supplies/{}/runs", supply["id"].as_str().unwrap());
        let (status, run) = self.post(&path, &json!({ "study": "switch_on" }));
        assert_eq!(status, 200, "{run}");
        run["id"].as_str().unwrap().to_owned()
    }

    pub(crate) fn wait(&self, run: &str, done: impl Fn(&Value) -> bool) -> Value {
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

    pub(crate) fn finished(&self, run: &str) -> Value {
        self.wait(run, |run| ["done", "stopped", "failed"].iter().any(|state| run["state"] == *state))
    }

    /// Saves a supply, runs a study of it and waits for its end.
    pub(crate) fn ran(&self, document: &Value, study: &str) -> Value {
        let (status, supply) = self.post("/api/supplies", &json!({ "document": document }));
        assert_eq!(status, 200, "{supply}");
        let path = format!("/api/supplies/{}/runs", supply["id"].as_str().unwrap());
        let (_, run) = self.post(&path, &json!({ "study": study }));
        self.finished(run["id"].as_str().unwrap())
    }

    pub(crate) fn trace(&self, run: &str, signal: &str, from: f64, to: f64, width: usize) -> (Vec<f64>, Vec<f64>) {
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
        points(&StreamReader::try_new(bytes.as_slice(), None).unwrap().next().unwrap().unwrap())
    }

    /// Traces drawn together; those that cannot be drawn with what is said of them.
    pub(crate) fn traces(&self, run: &str, body: &Value) -> Vec<Result<Points, String>> {
        let address = format!("{}/api/runs/{run}/traces", self.address);
        let request = self.agent.post(address).header("content-type", "application/json");
        let mut answer = request.send(body.to_string()).unwrap();
        let bytes = answer.body_mut().read_to_vec().unwrap();
        assert_eq!(answer.status(), 200, "{}", String::from_utf8_lossy(&bytes));
        let mut stream = StreamReader::try_new(bytes.as_slice(), None).unwrap();
        let told: Vec<Option<String>> = serde_json::from_str(&stream.schema().metadata()["problems"]).unwrap();
        let drawn = |problem: Option<String>| {
            let batch = stream.next().unwrap().unwrap();
            problem.map_or_else(|| Ok(points(&batch)), Err)
        };
        told.into_iter().map(drawn).collect()
    }

    /// An answer that is a text.
    pub(crate) fn text(&self, path: &str) -> String {
        self.agent.get(format!("{}{path}", self.address)).call().unwrap().body_mut().read_to_string().unwrap()
    }
}

type Points = (Vec<f64>, Vec<f64>);

fn points(batch: &RecordBatch) -> Points {
    let column = |i: usize| batch.column(i).as_any().downcast_ref::<Float64Array>().unwrap().values().to_vec();
    (column(0), column(1))
}

pub(crate) fn serve(database: &str, arguments: &[&str]) -> (Server, Client) {
    let server = Server::start(database, free_port().unwrap(), arguments).unwrap();
    let client = Client::new(&server);
    (server, client)
}
