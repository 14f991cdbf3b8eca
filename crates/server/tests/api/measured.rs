//! Traces out in every open format, and recordings from the bench in: mapped, aligned, judged, refused in words.

use crate::client::{database, serve};
use base64::Engine;
use base64::prelude::BASE64_STANDARD;
use serde_json::{Value, json};

fn file(name: &str, bytes: &[u8]) -> Value {
    json!({ "name": name, "data": BASE64_STANDARD.encode(bytes) })
}

fn reading(run: &Value, id: &str) -> Value {
    let all = run["outcome"]["readings"].as_array().unwrap();
    all.iter().find(|r| r["id"] == id).unwrap().clone()
}

/// What a bench instrument would have exported of a run: another clock, another unit, a probe of 10:1.
fn exported(csv: &[u8], late: f64) -> String {
    let sheet = formats::read("run.csv", csv).unwrap();
    let mut text = "Instrument;bench 2\nTime [ms];CH1 [mV];CH2 [A]\n".to_owned();
    for k in 0..sheet.columns[0].values.len() {
        let [t, bus, diode] = [0, 1, 2].map(|c| sheet.columns[c].values[k]);
        text += &format!("{:.6};{:.4};{:.6}\n", 1e3 * (t + late), 100.0 * bus, diode).replace('.', ",");
    }
    text
}

#[test]
fn a_recording_from_the_bench_stands_beside_the_runs() {
    let (_server, client) = serve(&database(), &[]);
    let supply = client.demo();
    let run = client.finished(&client.start(&supply));
    let id = run["id"].as_str().unwrap();
    let path = format!("/api/supplies/{}/measured", supply["id"].as_str().unwrap());
    let stretch = json!({ "signals": ["bus.v", "D1.i"], "from": 0.0, "to": 0.5, "rate": 20_000.0 });
    let text = exported(&client.table(id, &stretch), 0.0125);
    let bench = file("berth.csv", text.as_bytes());

    let (status, found) = client.post("/api/measured/look", &bench);
    assert_eq!(status, 200, "{found}");
    assert_eq!((&found["time"], &found["rows"]), (&json!(0), &json!(10_001)));
    assert_eq!(found["columns"][1], json!({ "name": "CH1", "unit": "mV" }));

    let channels = json!([
        { "column": 1, "signal": "bus.v", "scale": 0.01 },
        { "column": 2, "signal": "D1.i", "scale": 1.0 },
    ]);
    let wish = |alignment: Value| {
        json!({
            "file": bench, "title": "Berth 2, morning", "study": "switch_on", "time": 0, "time_scale": 1e-3,
            "channels": channels, "alignment": alignment,
        })
    };
    // By likeness, by a crossing, or by what is known: the same delay.
    for alignment in [
        json!({ "by": "likeness", "run": id, "signal": "bus.v" }),
        json!({ "by": "crossing", "run": id, "signal": "bus.v", "level": "6" }),
        json!({ "by": "delay", "delay": "-12.5m" }),
    ] {
        let (status, measured) = client.post(&path, &wish(alignment.clone()));
        assert_eq!(status, 200, "{measured}");
        let delay = measured["measured"]["delay"].as_f64().unwrap();
        assert!((delay + 0.0125).abs() < 1e-4, "{alignment}: {delay}");
        assert_eq!((&measured["state"], &measured["marked"]), (&json!("done"), &json!(true)));
        for name in ["bus_mean", "bus_ripple"] {
            let [a, b] = [&measured, &run].map(|of| reading(of, name)["value"].as_f64().unwrap());
            assert!((a / b - 1.0).abs() < 2e-3, "{name}: {a} {b}");
        }
        let current = reading(&measured, "mains_current");
        assert!(
            current["value"].is_null() && current["problem"].as_str().unwrap().contains("not recorded"),
            "{current}"
        );
        let id = measured["id"].as_str().unwrap();
        let (times, values) = client.trace(id, "bus.v", 0.4, 0.5, 400);
        assert!(times.len() > 300 && values.iter().all(|v| (10.0..20.0).contains(v)));
        let (status, problem) = client.get(&format!("/api/runs/{id}/trace?signal=V1.v&from=0&to=1&width=100"));
        assert!(status == 422 && problem["message"].as_str().unwrap().contains("not recorded"), "{problem}");
        // Looked at again later, by what it has.
        let (status, judged) = client.get(&format!("/api/runs/{id}/judged"));
        assert_eq!(status, 200, "{judged}");
    }
    // It is no run to go on with, and no result of the library.
    let (_, runs) = client.get(&format!("/api/supplies/{}/runs", supply["id"].as_str().unwrap()));
    let measured = runs.as_array().unwrap().iter().filter(|r| !r["measured"].is_null());
    assert!(measured.clone().count() == 3 && measured.clone().all(|r| r["goes_on"] == false));

    let with = |change: &dyn Fn(&mut Value)| {
        let mut wish = wish(json!({ "by": "delay", "delay": "0" }));
        change(&mut wish);
        let (status, problem) = client.post(&path, &wish);
        assert_eq!(status, 422, "{problem}");
        problem["message"].as_str().unwrap().to_owned()
    };
    for (said, word) in [
        (with(&|w| w["channels"][0]["signal"] = json!("nowhere.v")), "nowhere"),
        (with(&|w| w["channels"][0]["signal"] = json!("D2.v")), "cannot be measured by one channel"),
        (with(&|w| w["channels"][1]["signal"] = json!("bus.v")), "two columns"),
        (with(&|w| w["channels"][0]["column"] = json!(9)), "3 columns"),
        (with(&|w| w["channels"][0]["scale"] = json!(0.0)), "other than zero"),
        (with(&|w| w["channels"] = json!([])), "at least one"),
        (with(&|w| w["time"] = json!(1)), "does not grow"),
        (with(&|w| w["time_scale"] = json!(-1.0)), "above zero"),
        (with(&|w| w["study"] = json!("gone")), "no study"),
        (with(&|w| w["alignment"] = json!({ "by": "delay", "delay": "soon" })), "delay"),
        (
            with(&|w| w["alignment"] = json!({ "by": "crossing", "run": id, "signal": "bus.v", "level": "90" })),
            "never rises",
        ),
        (
            with(&|w| w["alignment"] = json!({ "by": "likeness", "run": id, "signal": "V1.v" })),
            "not among the channels",
        ),
        (with(&|w| w["file"] = file("x.csv", b"no numbers")), "x.csv"),
        (with(&|w| w["file"]["data"] = json!("%%%")), "berth.csv"),
    ] {
        assert!(said.contains(word), "“{said}” without {word}");
    }
}

/// Every format carries the same numbers, exactly or at the rate asked for.
#[test]
fn traces_go_out_in_every_format() {
    let (_server, client) = serve(&database(), &[]);
    let run = client.finished(&client.start(&client.demo()));
    let id = run["id"].as_str().unwrap();
    let body = |format: &str, rate: Option<f64>| json!({ "signals": ["bus.v", "V1.v * -V1.i"], "from": 0.1, "to": 0.12, "format": format, "rate": rate });
    let csv = formats::read("a.csv", &client.table(id, &body("csv", None))).unwrap();
    let record = formats::read("a.cff", &client.table(id, &body("comtrade", None))).unwrap();
    assert_eq!(csv.columns.iter().map(|c| c.unit.as_str()).collect::<Vec<_>>(), ["s", "V", "W"]);
    for (a, b) in csv.columns.iter().zip(&record.columns) {
        let most = a.values.iter().fold(0.0f64, |m, v| m.max(v.abs()));
        assert!(a.values.len() > 50 && a.values.iter().zip(&b.values).all(|(a, b)| (a - b).abs() < 1e-8 * most));
    }
    let even = formats::read("a.csv", &client.table(id, &body("csv", Some(10_000.0)))).unwrap();
    assert!(even.columns[0].values.windows(2).all(|t| (t[1] - t[0] - 1e-4).abs() < 1e-12));
    assert!(client.table(id, &body("arrow", None)).starts_with(b"ARROW1"));
    assert!(client.table(id, &body("parquet", Some(1e4))).starts_with(b"PAR1"));
    let (status, problem) = client.post(&format!("/api/runs/{id}/table"), &body("csv", Some(1e15)));
    assert_eq!(status, 422, "{problem}");
}
