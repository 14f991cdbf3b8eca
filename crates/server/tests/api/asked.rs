//! What can be asked of a run, against what its sources are: a sine with a third harmonic across a resistance, for two minutes of
//! which hardly anything is kept, and for a tenth of a second at device level.

use crate::client::{Client, database, serve};
use serde_json::{Value, json};
use std::f64::consts::{FRAC_1_SQRT_2, TAU};

const FIRST: f64 = 100.0;
const THIRD: f64 = 20.0;
const OHMS: f64 = 10.0;

fn line(t: f64) -> f64 {
    FIRST * (TAU * 50.0 * t).sin() + THIRD * (TAU * 150.0 * t).sin()
}

fn run(client: &Client, engine: &str, duration: &str) -> String {
    let part = |id: &str, kind: &str, pins: Value, parameters: Value| json!({ "id": id, "kind": kind, "pins": pins, "parameters": parameters });
    let source = |frequency: &str, amplitude: f64| json!({ "amplitude": amplitude.to_string(), "amplitude_as": "peak", "frequency": frequency });
    let document = json!({ "mellow_coil": 1, "title": "A mains with a third",
        "parts": [
            part("V1", "sine_source", json!({ "plus": "a", "minus": "gnd" }), source("50", FIRST)),
            part("V3", "sine_source", json!({ "plus": "line", "minus": "a" }), source("150", THIRD)),
            part("R1", "resistor", json!({ "a": "line", "b": "gnd" }), json!({ "resistance": OHMS.to_string() })),
        ],
        "studies": [{ "id": "s", "kind": "switch_on", "engine": engine, "title": "On", "duration": duration, "tolerance": "1e-4" }] });
    let done = client.ran(&document, "s");
    assert_eq!(done["state"], "done", "{done}");
    done["id"].as_str().unwrap().to_owned()
}

fn ask(client: &Client, run: &str, what: &str, body: Value) -> Value {
    let (status, answer) = client.post(&format!("/api/runs/{run}/{what}"), &body);
    assert_eq!(status, 200, "{what}: {answer}");
    answer
}

fn number(of: &Value) -> f64 {
    of.as_f64().unwrap_or(f64::NAN)
}

/// How closely numbers are those of the sources.
struct Asked<'a> {
    client: &'a Client,
    run: String,
    end: f64,
    close: f64,
}

impl Asked<'_> {
    fn ask(&self, what: &str, body: Value) -> Value {
        ask(self.client, &self.run, what, body)
    }

    /// Lines where the sources are, and next to nothing anywhere else.
    fn spectrum(&self) {
        let from = 0.2 * self.end;
        let body = json!({ "signal": "line.v", "from": from, "to": from + 0.08, "taper": "none", "up_to": 1000.0 });
        let found = self.ask("spectrum", body);
        assert!((number(&found["spacing"]) - 12.5).abs() < 1e-6 && found["unit"] == "volt", "{found}");
        assert!((number(&found["fundamental"]) - 50.0).abs() < 1e-3, "{}", found["fundamental"]);
        for (k, rms) in found["rms"].as_array().unwrap().iter().enumerate() {
            let wanted = match k {
                4 => FIRST * FRAC_1_SQRT_2,
                12 => THIRD * FRAC_1_SQRT_2,
                _ => 0.0,
            };
            assert!((number(rms) - wanted).abs() < self.close * FIRST, "line {k}: {rms} for {wanted}");
        }
    }

    /// Orders, distortion and power over the last periods.
    fn harmonics(&self) {
        let body = json!({ "signal": "R1.i", "voltage": "line.v", "periods": 3, "fundamental": 50.0 });
        let found = self.ask("harmonics", body);
        assert!(
            (number(&found["to"]) - self.end).abs() < 1e-6 && (number(&found["from"]) - self.end + 0.06).abs() < 1e-6
        );
        assert!((number(&found["distortion"]) - THIRD / FIRST).abs() < 10.0 * self.close, "{found}");
        let power = 0.5 * (FIRST * FIRST + THIRD * THIRD) / OHMS;
        assert!((number(&found["power"]) / power - 1.0).abs() < 10.0 * self.close, "{found}");
        assert!((number(&found["power_factor"]) - 1.0).abs() < 10.0 * self.close, "{found}");
        for order in found["orders"].as_array().unwrap() {
            let wanted = match order["order"].as_u64().unwrap() {
                1 => FIRST * FRAC_1_SQRT_2 / OHMS,
                3 => THIRD * FRAC_1_SQRT_2 / OHMS,
                _ => 0.0,
            };
            assert!((number(&order["rms"]) - wanted).abs() < self.close * FIRST / OHMS, "{order}");
        }
    }

    /// The next crossing and the one before, from anywhere.
    fn crossings(&self) {
        for part in [0.31, 0.5004, 0.69] {
            let at = part * self.end + 1.3e-3;
            let search = |direction: &str, level: f64, backwards: bool| {
                let body = json!({ "signal": "line.v", "level": level, "direction": direction, "at": at, "backwards": backwards });
                number(&self.ask("crossing", body)["time"])
            };
            // Through zero it rises with each period's beginning and falls in its middle.
            let next = |phase: f64| ((at / 0.02 - phase).ceil() + phase) * 0.02;
            for (direction, phase) in [("rising", 0.0), ("falling", 0.5)] {
                let near = |found: f64, wanted: f64| (found - wanted).abs() < self.close * 1e-3 + 1e-12 * self.end;
                let found = [search(direction, 0.0, false), search(direction, 0.0, true)];
                let wanted = [next(phase), next(phase) - 0.02];
                assert!(
                    near(found[0], wanted[0]) && near(found[1], wanted[1]),
                    "{direction} at {at}: {found:?} for {wanted:?}"
                );
            }
            let steep = search("rising", 50.0, false);
            assert!((line(steep) - 50.0).abs() < 50.0 * self.close && steep - at <= 0.02, "{steep} from {at}");
            assert!(search("rising", 200.0, false).is_nan(), "it never comes to 200 V");
        }
    }

    /// Ohm's law, point by point.
    fn against(&self) {
        let from = 0.4 * self.end;
        let found = self.ask("against", json!({ "x": "line.v", "y": "R1.i", "from": from, "to": from + 0.05 }));
        let points = found["x"].as_array().unwrap().iter().zip(found["y"].as_array().unwrap());
        let mut reach = 0.0f64;
        for (x, y) in points.filter(|(x, _)| !x.is_null()) {
            let (x, y) = (number(x), number(y));
            assert!((y * OHMS - x).abs() < self.close * FIRST, "{x} V, {y} A");
            reach = reach.max(x.abs());
        }
        let peak = (0..1000).map(|k| line(2e-5 * f64::from(k))).fold(0.0, f64::max);
        assert!((reach / peak - 1.0).abs() < 0.01, "{reach} of {peak}");
    }

    /// Figures at instants anywhere, and every node of a short stretch.
    fn rows(&self) {
        let instants: Vec<f64> =
            (1..60).map(|k| self.end * (f64::from(k) / 61.0 + 1e-3 * f64::from(k).sin())).collect();
        let body = json!({ "signals": ["line.v", "line.v * R1.i"], "from": 0.0, "to": self.end, "most": 100, "instants": instants });
        let found = self.ask("rows", body);
        for (k, t) in instants.iter().enumerate() {
            let at = |column: usize| number(&found["columns"][column]["values"][k]);
            assert!((at(0) - line(*t)).abs() < self.close * FIRST, "{} at {t} for {}", at(0), line(*t));
            let power = line(*t) * line(*t) / OHMS;
            assert!((at(1) - power).abs() < 10.0 * self.close * FIRST * FIRST / OHMS, "{} at {t} for {power}", at(1));
        }
        let from = 0.7 * self.end;
        let body = json!({ "signals": ["line.v"], "from": from, "to": from + 0.004, "most": 1000 });
        let found = self.ask("rows", body);
        assert_eq!(found["every_node"], true, "{found}");
        let times: Vec<f64> = found["times"].as_array().unwrap().iter().map(number).collect();
        assert!(times.len() > 4 && times.is_sorted() && times[0] >= from - 1e-9, "{times:?}");
        let values = found["columns"][0]["values"].as_array().unwrap();
        for (t, v) in times.iter().zip(values) {
            assert!((number(v) - line(*t)).abs() < self.close * FIRST, "{v} at {t}");
        }
    }
}

#[test]
fn a_run_answers_as_its_sources_are() {
    let (_server, client) = serve(&database(), &[]);
    for (engine, duration, end) in [("switched", "120", 120.0), ("device_level", "100m", 0.1)] {
        let asked = Asked { client: &client, run: run(&client, engine, duration), end, close: 1e-4 };
        asked.spectrum();
        asked.harmonics();
        asked.crossings();
        asked.against();
        asked.rows();
    }
}

/// What cannot be asked is refused in words, and nothing is read for it.
#[test]
fn what_cannot_be_asked_is_said() {
    let (_server, client) = serve(&database(), &[]);
    let run = run(&client, "switched", "1");
    let cases = [
        (
            "spectrum",
            json!({ "signal": "line.v", "from": 0.0, "to": 1.0, "taper": "none", "up_to": 1e9 }),
            "shorter span",
        ),
        ("spectrum", json!({ "signal": "lime.v", "from": 0.0, "to": 1.0, "taper": "none" }), "lime"),
        ("spectrum", json!({ "signal": "line.v", "from": 0.8, "to": 0.2, "taper": "none" }), ""),
        ("crossing", json!({ "signal": "line.v +", "level": 0.0, "direction": "either", "at": 0.0 }), ""),
        ("against", json!({ "x": "line.v", "y": "R7.i", "from": 0.0, "to": 1.0 }), "R7"),
        (
            "rows",
            json!({ "signals": ["line.v"], "from": 0.0, "to": 1.0, "most": 10, "instants": [0.2, 0.1] }),
            "increasing",
        ),
        ("harmonics", json!({ "signal": "line.v", "periods": 1000, "fundamental": 50.0 }), ""),
    ];
    for (what, body, names) in cases {
        let (status, answer) = client.post(&format!("/api/runs/{run}/{what}"), &body);
        let message = answer["message"].as_str().unwrap_or_default();
        assert!((400..500).contains(&status), "{what}: {status} {answer}");
        assert!(message.len() > 10 && message.contains(names), "{what}: {answer}");
    }
}
