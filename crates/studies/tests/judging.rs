//! What readings, windows and verdicts make of a recording, against what was put into it: a settling step with a ripple on it.

use circuit::{Circuit, Supply, resolve};
use mellow_studies::{Outcome, Standing, measured};
use proptest::prelude::*;
use recording::{Chunk, Column, Observer, Recording, STAGE};
use serde_json::{Value, json};
use std::f64::consts::TAU;

/// Fifty hertz, so that there are whole periods.
const PERIOD: f64 = 20e-3;
const END: f64 = 0.4;

/// What `out` does: it comes up to a level, ripples about it, and from half of the run on stands lower.
#[derive(Clone, Copy, Debug)]
struct Course {
    level: f64,
    ripple: f64,
    constant: f64,
    drop: f64,
}

impl Course {
    fn at(self, t: f64) -> f64 {
        let come = self.level * (1.0 - (-t / self.constant).exp());
        let lower = if t > 0.5 * END { self.drop } else { 0.0 };
        come - lower + self.ripple * (TAU * t / PERIOD).sin()
    }

    fn recorded(self) -> Recording {
        let (mut times, mut values) = (vec![0.0], vec![self.at(0.0)]);
        let steps = 8000;
        for k in 0..steps {
            let (from, h) = (END * f64::from(k) / f64::from(steps), END / f64::from(steps));
            for at in [STAGE, 1.0] {
                times.push(from + at * h);
                values.push(self.at(from + at * h));
            }
        }
        let mut kept = Recording::default();
        // The load's current is a tenth of it, and the source delivers that.
        let current: Vec<f64> = values.iter().map(|v| 0.1 * v).collect();
        kept.record(Chunk::new(times, vec![values, current]));
        kept
    }
}

/// A mains source, what `out` hangs on, and these readings and requirements; the load steps at half of the run.
fn supply(readings: &[Value], requirements: &[Value]) -> Circuit {
    let part = |id: &str, kind: &str, pins: Value, parameters: Value| json!({ "id": id, "kind": kind, "pins": pins, "parameters": parameters });
    let document = json!({
        "mellow_coil": 1, "title": "Judged",
        "parts": [
            part("V1", "sine_source", json!({ "plus": "line", "minus": "gnd" }), json!({ "amplitude": "10", "frequency": "50" })),
            part("R9", "resistor", json!({ "a": "line", "b": "out" }), json!({ "resistance": "1" })),
            part("R1", "resistor", json!({ "a": "out", "b": "gnd" }), json!({ "resistance": "10" })),
            part("I1", "stepped_load", json!({ "plus": "out", "minus": "gnd" }),
                json!({ "low": "0", "high": "1", "delay": "0.2", "width": "1" })),
        ],
        "studies": [{ "id": "s", "kind": "switch_on", "title": "Run", "duration": "0.4" }],
        "readings": readings,
        "requirements": requirements,
    });
    let supply: Supply = serde_json::from_value(document).unwrap();
    resolve(&supply).unwrap_or_else(|findings| panic!("{findings:#?}"))
}

fn reading(id: &str, measure: &str, window: Value) -> Value {
    json!({ "id": id, "title": id, "study": "s", "signal": "out.v", "measure": measure, "window": window })
}

fn judged(course: Course, readings: &[Value], requirements: &[Value]) -> Outcome {
    let columns = [Column::new("out", circuit::Quantity::Voltage), Column::new("R1", circuit::Quantity::Current)];
    measured(&supply(readings, requirements), "s", &columns, &course.recorded()).unwrap()
}

fn value(outcome: &Outcome, id: &str) -> Result<f64, String> {
    let found = outcome.readings.iter().find(|reading| reading.id == id).unwrap();
    found.value.ok_or_else(|| found.problem.clone().unwrap())
}

fn course() -> impl Strategy<Value = Course> {
    (2.0..50.0f64, 0.001..0.05f64, 2e-3..8e-3f64, 0.15..0.4f64).prop_map(|(level, ripple, constant, drop)| Course {
        level,
        ripple: ripple * level,
        constant,
        drop: drop * level,
    })
}

proptest! {
    #![proptest_config(ProptestConfig { cases: 40, failure_persistence: None, ..ProptestConfig::default() })]

    /// Each window holds what it is said to hold: mean and ripple in it are those of the course.
    #[test]
    fn windows_hold_what_they_are_said_to(course in course(), count in 1..8u32) {
        let Course { level, ripple, constant, drop } = course;
        let around = json!({ "around_step": { "before": "40m", "after": "20m" } });
        let crossing = |part: f64, direction: &str| {
            json!({ "crossing": { "signal": "out.v", "level": (part * level).to_string(), "direction": direction, "number": 1 } })
        };
        let events = json!({ "between_events": { "from": crossing(0.5, "rising"), "to": { "change": "I1" } } });
        let never = json!({ "between_events": { "from": crossing(3.0, "rising"), "to": { "time": "0.3" } } });
        let outcome = judged(course, &[
            reading("last", "mean", json!({ "last_periods": { "count": count } })),
            reading("swing", "peak_to_peak", json!({ "last_periods": { "count": count } })),
            reading("between", "mean", json!({ "between": { "from": "0.1", "to": "0.2" } })),
            reading("settled", "mean", json!({ "after_settled": { "band": "1 %" } })),
            reading("around", "mean", around),
            reading("events", "mean", events),
            reading("never", "mean", never),
            reading("whole", "max", json!("whole_run")),
        ], &[]);
        let window = |id: &str| outcome.readings.iter().find(|r| r.id == id).unwrap().window.unwrap();
        let close = |id: &str, wanted: f64| {
            let found = value(&outcome, id).unwrap();
            prop_assert!((found - wanted).abs() < 2e-4 * level, "{}: {} for {}, {:?}", id, found, wanted, course);
            Ok(())
        };
        close("last", level - drop)?;
        close("swing", 2.0 * ripple)?;
        close("between", level)?;
        // From the step on nothing changes any more: the first whole period behind it, counted from the end.
        close("settled", level - drop)?;
        let (from, to) = window("settled");
        prop_assert!((0.5 * END - 1e-9..0.5 * END + PERIOD + 1e-9).contains(&from) && (to - END).abs() < 1e-9, "{from}..{to}");
        // Two periods before the step and one behind it.
        let (from, to) = window("around");
        prop_assert!((from - 0.16).abs() < 1e-9 && (to - 0.22).abs() < 1e-9, "{from}..{to}");
        close("around", level - drop / 3.0)?;
        // It comes up through half of its level about ln 2 time constants behind the beginning.
        let (from, to) = window("events");
        prop_assert!((course.at(from) - 0.5 * level).abs() < 1e-3 * level && from < 2.0 * constant, "{from} of {constant}");
        prop_assert!((to - 0.2).abs() < 1e-9);
        let problem = value(&outcome, "never").unwrap_err();
        prop_assert!(problem.contains("out.v") && problem.contains("crossing 1"), "{problem}");
        let top = value(&outcome, "whole").unwrap();
        prop_assert!(top <= (level + ripple) * (1.0 + 1e-6) && top > level, "{top}");
    }

    /// A verdict is met, close or missed by how far the reading lies within its limits, relative to the limit or, within a band, to
    /// half of it.
    #[test]
    fn verdicts_follow_their_margins(course in course(), low in -0.5..0.5f64, wide in 0.02..1.0f64) {
        let level = course.level - course.drop;
        let last = reading("last", "mean", json!({ "last_periods": { "count": 3 } }));
        let at = |part: f64| (level * (1.0 + part)).to_string();
        let requirement = |id: &str, limits: Value| {
            let mut all = json!({ "id": id, "title": id, "reading": "last" });
            all.as_object_mut().unwrap().extend(limits.as_object().unwrap().clone());
            all
        };
        let outcome = judged(course, &[last], &[
            requirement("least", json!({ "at_least": at(low) })),
            requirement("most", json!({ "at_most": at(low) })),
            requirement("band", json!({ "at_least": at(low), "at_most": at(low + wide) })),
        ]);
        let wanted = [
            -low / (1.0 + low),
            low / (1.0 + low),
            (-low).min(low + wide) / (0.5 * wide),
        ];
        for (verdict, margin) in outcome.verdicts.iter().zip(wanted) {
            let found = verdict.margin.unwrap();
            prop_assert!((found - margin).abs() < 2e-3 * (1.0 + margin.abs()) / wide, "{}: {} for {}", verdict.id, found, margin);
            let standing = match found {
                m if m < 0.0 => Standing::Missed,
                m if m < 0.1 => Standing::Close,
                _ => Standing::Met,
            };
            prop_assert_eq!(verdict.standing, standing, "{}", verdict.id);
        }
    }

    /// Formulas use what was read before them, with units; one that uses what has no value says whose that is.
    #[test]
    fn formulas_are_worth_what_their_readings_are(course in course()) {
        let formula = |id: &str, text: &str| json!({ "id": id, "title": id, "study": "s", "measure": "formula", "formula": text });
        let mut current = reading("amperes", "mean", json!({ "last_periods": { "count": 2 } }));
        current["signal"] = json!("R1.i");
        let outcome = judged(course, &[
            reading("volts", "mean", json!({ "last_periods": { "count": 2 } })),
            current,
            formula("ohms", "volts / amperes"),
            formula("watts", "volts * amperes + volts^2 / (volts / amperes)"),
            formula("none", "volts / (volts - volts)"),
            formula("after", "none * 2"),
        ], &[json!({ "id": "ohms", "title": "Load", "reading": "ohms", "at_least": "9.99", "at_most": "10.01" })]);
        let volts = value(&outcome, "volts").unwrap();
        prop_assert!((value(&outcome, "ohms").unwrap() - 10.0).abs() < 1e-9);
        prop_assert!((value(&outcome, "watts").unwrap() / (0.2 * volts * volts) - 1.0).abs() < 1e-9);
        prop_assert!(value(&outcome, "none").unwrap_err().contains("zero"));
        prop_assert!(value(&outcome, "after").unwrap_err().contains("none has no value"));
        prop_assert_eq!(outcome.verdicts[0].standing, Standing::Met);
    }
}
