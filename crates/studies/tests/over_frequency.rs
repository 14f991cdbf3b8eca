//! Frequency studies: several questions answered together, as named curves that are read and judged, against closed forms.

use circuit::{ReadingMeasure, Supply, as_run, resolve};
use mellow_studies::{End, Outcome, Standing, group_delay, run};
use proptest::prelude::*;
use recording::{Chunk, Chunks, Command, Complex64, Observer, Piece, Progress, Recording, Unreadable};
use serde_json::{Value, json};
use std::f64::consts::TAU;

mod common;

fn part(id: &str, kind: &str, pins: &[(&str, &str)], parameters: Value) -> Value {
    let pins: serde_json::Map<String, Value> = pins.iter().map(|(pin, net)| ((*pin).to_owned(), json!(net))).collect();
    json!({ "id": id, "kind": kind, "pins": pins, "parameters": parameters })
}

fn text(value: f64) -> Value {
    json!(format!("{value:e}"))
}

/// Asks questions of parts from one frequency to another.
fn asked(parts: &[Value], (from, to): (f64, f64), questions: &Value, more: Value) -> Outcome {
    let mut document = json!({ "mellow_coil": 1, "title": "T", "parts": parts, "studies": [
        { "id": "f", "kind": "frequency", "title": "F", "from": text(from), "to": text(to), "questions": questions } ] });
    document.as_object_mut().unwrap().extend(more.as_object().unwrap().clone());
    let supply = Supply::from_json(&document.to_string()).unwrap_or_else(|error| panic!("{error}"));
    let circuit = resolve(&as_run(&supply, Some("f"))).unwrap_or_else(|findings| panic!("{findings:#?}"));
    run(&circuit, "f", &mut Recording::default()).unwrap()
}

fn question(id: &str, asks: Value) -> Value {
    json!({ "id": id, "asks": asks })
}

/// The largest relative distance of a formula of curves from a closed form.
fn off(outcome: &Outcome, formula: &str, wanted: impl Fn(Complex64) -> Complex64) -> f64 {
    let curves = outcome.curves.as_ref().unwrap();
    let values = curves.formula(formula).unwrap();
    assert!(!values.is_empty() && values.len() == curves.frequencies.len());
    let at = curves.frequencies.iter().zip(values);
    at.map(|(f, z)| (z / wanted(Complex64::new(0.0, TAU * f)) - 1.0).norm()).fold(0.0, f64::max)
}

fn read(outcome: &Outcome, formula: &str, measure: ReadingMeasure, numbers: &[Option<f64>]) -> f64 {
    outcome.curves.as_ref().unwrap().read(formula, measure, numbers).unwrap()
}

/// A source behind R and L, C with its own resistance across the output.
fn filter([r, l, c, esr]: [f64; 4]) -> Vec<Value> {
    vec![
        part("V1", "dc_source", &[("plus", "in"), ("minus", "gnd")], json!({ "voltage": "5" })),
        part("R1", "resistor", &[("a", "in"), ("b", "x")], json!({ "resistance": text(r) })),
        part("L1", "inductor", &[("a", "x"), ("b", "out")], json!({ "inductance": text(l), "resistance": "0" })),
        part(
            "C1",
            "capacitor",
            &[("plus", "out"), ("minus", "gnd")],
            json!({ "capacitance": text(c), "esr": text(esr) }),
        ),
    ]
}

proptest! {
    #![proptest_config(ProptestConfig { cases: 40, failure_persistence: None, ..ProptestConfig::default() })]

    /// Response, rejection, input and output impedance of a filter of any values, all in one study at the same frequencies, and
    /// formulas of them.
    #[test]
    fn a_filters_curves_are_its_closed_forms(
        r in 0.01..100.0f64, l in 1e-7..1e-2f64, c in 1e-9..1e-3f64, damped in 0.0..3.0f64, turned in any::<bool>()
    ) {
        let esr = 0.1 * damped * (l / c).sqrt();
        let f0 = 1.0 / (TAU * (l * c).sqrt());
        let mut parts = filter([r, l, c, esr]);
        if turned {
            parts.reverse();
        }
        let questions = json!([
            question("h", json!({ "response": { "source": "V1", "signal": "out.v" } })),
            question("y", json!({ "response": { "source": "V1", "signal": "L1.i" } })),
            question("kept", json!({ "line_rejection": { "source": "V1", "signal": "out.v" } })),
            question("zout", json!({ "output_impedance": { "net": "out" } })),
            question("zin", json!({ "input_impedance": { "source": "V1" } })),
        ]);
        let found = asked(&parts, (0.01 * f0, 100.0 * f0), &questions, json!({}));
        prop_assert_eq!(&found.end, &End::Done);
        let along = |s: Complex64| r + s * l;
        let across = |s: Complex64| esr + 1.0 / (s * c);
        let h = |s: Complex64| across(s) / (along(s) + across(s));
        for (formula, wanted) in [
            ("h", &h as &dyn Fn(Complex64) -> Complex64),
            ("y", &|s| 1.0 / (along(s) + across(s))),
            ("kept", &|s| 1.0 / h(s)),
            ("zout", &|s| along(s) * across(s) / (along(s) + across(s))),
            ("zin", &|s| along(s) + across(s)),
            ("h * kept - 0.5", &|_| Complex64::from(0.5)),
            ("zout / zin", &|s| along(s) * across(s) / (along(s) + across(s)).powi(2)),
        ] {
            // The device-level engine shunts every net by 1e-12 S.
            prop_assert!(off(&found, formula, wanted) < 1e-6, "{} is off by {:e}", formula, off(&found, formula, wanted));
        }
        // A series circuit's current peaks at f0, its width at 1/√2 being R/(2πL) whatever its damping (handbook).
        let total = r + esr;
        let (peak, quality) = (read(&found, "y", ReadingMeasure::PeakFrequency, &[None, None]), (l / c).sqrt() / total);
        if quality > 0.2 {
            prop_assert!((peak / f0 - 1.0).abs() < 2e-3, "{} for {}", peak, f0);
            let q = read(&found, "y", ReadingMeasure::PeakQuality, &[None, None]);
            prop_assert!((q / quality - 1.0).abs() < 0.02, "{} for {}", q, quality);
        }
        let at = 1.7 * f0;
        let s = Complex64::new(0.0, TAU * at);
        let zin = along(s) + across(s);
        let magnitude = read(&found, "zin", ReadingMeasure::CurveMagnitude, &[Some(at)]);
        prop_assert!((magnitude / zin.norm() - 1.0).abs() < 3e-3, "{} for {}", magnitude, zin.norm());
        let phase = read(&found, "zin", ReadingMeasure::CurvePhase, &[Some(at)]);
        prop_assert!((phase - zin.arg().to_degrees()).abs() < 0.3, "{}", phase);
        let largest = read(&found, "zin", ReadingMeasure::CurveLargest, &[Some(f0), Some(at)]);
        prop_assert!(largest >= magnitude * (1.0 - 1e-12));
    }

    /// A follower's loop gain is its amplifier's: it crosses one at the gain-bandwidth product, a pole of second order above it takes
    /// its arc tangent from the margin.
    #[test]
    fn a_followers_margins_are_its_amplifiers(unity in 1e4..1e7f64, second in 0.3..20.0f64) {
        let amplifier = json!({ "gain": "1e7", "gain_bandwidth": text(unity), "second_pole": text(second * unity), "input_resistance": "1T",
            "output_resistance": "0.01" });
        let pins = [("out", "out"), ("inp", "in"), ("inn", "out"), ("vp", "vcc"), ("vn", "gnd")];
        let parts = [
            part("V1", "dc_source", &[("plus", "in"), ("minus", "gnd")], json!({ "voltage": "2" })),
            part("V2", "dc_source", &[("plus", "vcc"), ("minus", "gnd")], json!({ "voltage": "10" })),
            part("U1", "amplifier", &pins, amplifier),
            part("R1", "resistor", &[("a", "out"), ("b", "gnd")], json!({ "resistance": "1k" })),
        ];
        let questions = json!([question("round", json!({ "loop_gain": { "pin": "U1.inn" } }))]);
        let readings = json!([
            { "id": "margin", "title": "Phase margin", "study": "f", "measure": "phase_margin", "signal": "round" },
            { "id": "twice", "title": "Twice", "study": "f", "measure": "formula", "formula": "2 * margin" },
            { "id": "wrong", "title": "Wrong", "study": "f", "measure": "mean", "signal": "out.v" } ]);
        let requirements = json!([{ "id": "stable", "title": "Stable", "reading": "margin", "at_least": "45" }]);
        let more = json!({ "readings": readings, "requirements": requirements });
        let found = asked(&parts, (100.0, 100.0 * unity), &questions, more);
        // Where x·√(1 + (x/k)²) is one, k the second pole over the first crossing.
        let k2 = second * second;
        let x = (0.5 * k2 * ((1.0 + 4.0 / k2).sqrt() - 1.0)).sqrt();
        let margin = 90.0 - (x / second).atan().to_degrees();
        let [phase, twice, wrong] = &found.readings[..] else { panic!() };
        prop_assert!((phase.value.unwrap() - margin).abs() < 0.3, "{:?} for {}", phase, margin);
        prop_assert_eq!((phase.unit, twice.value), (quantity::Unit::Degree, phase.value.map(|v| 2.0 * v)));
        prop_assert!(wrong.value.is_none() && wrong.problem.as_ref().unwrap().contains("over time"), "{:?}", wrong);
        let standing = found.verdicts[0].standing;
        prop_assert_eq!(standing == Standing::Missed, margin < 45.0);
        let crossover = read(&found, "round", ReadingMeasure::Crossover, &[]);
        prop_assert!((crossover / (x * unity) - 1.0).abs() < 0.01, "{} for {}", crossover, x * unity);
        // Of a phase that never passes −180° there is no gain margin, but a distance from −1.
        let curves = found.curves.as_ref().unwrap();
        let modulus = read(&found, "round", ReadingMeasure::ModulusMargin, &[]);
        let wanted = (1..4000).map(|n| {
            let s = Complex64::new(0.0, 0.005 * f64::from(n));
            (1.0 + 1.0 / (s * (1.0 + s / second))).norm()
        });
        prop_assert!((modulus - wanted.fold(f64::INFINITY, f64::min)).abs() < 0.01, "{}", modulus);
        // From pin to pin the delay is that of the closed form's phase.
        let values: Vec<f64> = recording::phase(curves.formula("1 / (1 + round)").unwrap());
        prop_assert!(group_delay(&curves.frequencies, &values).iter().all(|delay| delay.is_finite()));
    }
}

/// A mask's use is the largest ratio over it, wherever its corners lie, found again by a fine search; a mask beside what was asked
/// covers nothing and says so, and a requirement is judged by it.
#[test]
fn a_mask_is_used_where_a_curve_comes_nearest_to_it() {
    let config = ProptestConfig { cases: 40, failure_persistence: None, ..ProptestConfig::default() };
    proptest!(config, |(corners in prop::collection::vec((0.3..0.9f64, -2.0..1.5f64), 2..6), r in 0.05..5.0f64)| {
        let (l, c) = (1e-5f64, 1e-5f64);
        let mut at = 20.0f64;
        let mask: Vec<(f64, f64)> = corners.iter().map(|(step, size)| {
            at *= 10f64.powf(1.3 * step);
            (at, 10f64.powf(*size))
        }).collect();
        let text: Vec<String> = mask.iter().map(|(f, size)| format!("{f:e} {size:e}")).collect();
        let reading = |id: &str, measure: &str| json!({ "id": id, "title": id, "study": "f", "measure": measure,
            "signal": "zin", "mask": text.join(", ") });
        let more = json!({ "readings": [reading("use", "mask_use"), reading("rest", "mask_rest")],
            "requirements": [{ "id": "beneath", "title": "b", "reading": "use", "at_most": "100 %" }] });
        let questions = json!([question("zin", json!({ "input_impedance": { "source": "V1" } }))]);
        let found = asked(&filter([r, l, c, 0.0]), (10.0, 1e7), &questions, more);
        let ratio = |f: f64| {
            let k = mask.windows(2).position(|pair| f >= pair[0].0 && f <= pair[1].0)?;
            let ((f0, s0), (f1, s1)) = (mask[k], mask[k + 1]);
            let s = Complex64::new(0.0, TAU * f);
            Some((r + s * l + 1.0 / (s * c)).norm() / (s0 * (s1 / s0).powf((f / f0).ln() / (f1 / f0).ln())))
        };
        let fine: Vec<f64> = (0..60_000).filter_map(|n| ratio(10.0 * 10f64.powf(1e-4 * f64::from(n)))).collect();
        let (most, least) = (fine.iter().copied().fold(0.0, f64::max), fine.iter().copied().fold(f64::INFINITY, f64::min));
        let [used, rests] = [0, 1].map(|k| found.readings[k].value.unwrap());
        // Between points magnitudes lie on straight lines: where the curve bends most they are off by a part of the grid's step.
        prop_assert!((used / most - 1.0).abs() < 0.03, "{} for {}", used, most);
        prop_assert!((rests / least - 1.0).abs() < 0.05, "{} for {}", rests, least);
        let (decided, _) = found.readings[0].window.unwrap();
        prop_assert!((ratio(decided * (1.0 + 1e-12)).or(ratio(decided)).unwrap() / used - 1.0).abs() < 0.01);
        prop_assert_eq!(found.verdicts[0].standing == Standing::Missed, used > 1.0);
    });
    let reading =
        json!({ "id": "r", "title": "r", "study": "f", "measure": "mask_use", "signal": "zin", "mask": "1 1, 2 1" });
    let questions = json!([question("zin", json!({ "input_impedance": { "source": "V1" } }))]);
    let found = asked(&filter([1.0, 1e-5, 1e-5, 0.0]), (10.0, 1e6), &questions, json!({ "readings": [reading] }));
    assert!(found.readings[0].problem.as_ref().unwrap().contains("covers nothing"), "{:?}", found.readings[0]);
}

/// A question without an answer says why and keeps no other from its own.
#[test]
fn what_cannot_be_answered_is_said_beside_what_can() {
    let parts = filter([1.0, 1e-5, 1e-5, 0.1]);
    let questions = json!([
        question("zout", json!({ "output_impedance": { "net": "out" } })),
        question("round", json!({ "loop_gain": { "pin": "C1.plus" } })),
        question("none", json!({ "response": { "source": "V7", "signal": "out.v" } })),
    ]);
    let more = json!({ "readings": [
        { "id": "z", "title": "z", "study": "f", "measure": "curve_largest", "signal": "zout" },
        { "id": "m", "title": "m", "study": "f", "measure": "phase_margin", "signal": "round" },
        { "id": "u", "title": "u", "study": "f", "measure": "phase_margin", "signal": "missing" } ] });
    let found = asked(&parts, (10.0, 1e6), &questions, more);
    assert_eq!(found.end, End::Done);
    let curves = &found.curves.as_ref().unwrap().curves;
    assert!(curves[0].problem.is_none() && curves[0].re.len() > 50);
    assert!(curves[2].problem.as_ref().unwrap().contains("there is no part V7"), "{:?}", curves[2].problem);
    assert!(found.readings[0].value.unwrap() > 0.9);
    for (reading, said) in [(1, "round"), (2, "missing")] {
        let told = found.readings[reading].problem.as_ref();
        assert!(found.readings[reading].value.is_none() && told.is_some(), "{said}: {told:?}");
    }
    assert!(found.health.warnings.iter().any(|w| w.contains("V7")), "{:?}", found.health.warnings);
    let nothing = asked(&parts, (10.0, 1e6), &json!([]), json!({}));
    assert!(matches!(&nothing.end, End::Failed { message } if message.contains("asks nothing")), "{:?}", nothing.end);
    // Rows of different frequencies are never mixed: a formula has as many as the study.
    let error = found.curves.unwrap().formula("zout / none").unwrap_err();
    assert!(error.contains("V7"), "{error}");
}

/// What has no bounded answer anywhere takes nothing from the others: a source that reaches nothing beside a filter.
#[test]
fn an_unbounded_answer_takes_none_from_the_others() {
    let mut parts = filter([1.0, 1e-5, 1e-5, 0.1]);
    parts.push(part("V7", "dc_source", &[("plus", "far"), ("minus", "gnd")], json!({ "voltage": "1" })));
    parts.push(part("R7", "resistor", &[("a", "far"), ("b", "gnd")], json!({ "resistance": "1k" })));
    let zout = question("zout", json!({ "output_impedance": { "net": "out" } }));
    let kept = question("kept", json!({ "line_rejection": { "source": "V7", "signal": "out.v" } }));
    for questions in [json!([zout, kept]), json!([kept, zout])] {
        let found = asked(&parts, (10.0, 1e6), &questions, json!({}));
        let curves = found.curves.as_ref().unwrap();
        assert_eq!(found.end, End::Done);
        assert!(curves.formula("zout").unwrap().len() > 50);
        let error = curves.formula("kept").unwrap_err();
        assert!(error.contains("nothing of V7 reaches out.v"), "{error}");
    }
}

/// A chopper of resistors alone has no state to be disturbed: what the line does to its output is the divider's share of the time it
/// is closed, at every frequency.
#[test]
fn a_circuit_without_states_answers_by_its_duty() {
    let drive = json!({ "low": "0", "high": "10", "period": "10u", "width": "3.998u", "rise": "2n", "fall": "2n" });
    let parts = [
        part("V1", "dc_source", &[("plus", "in"), ("minus", "gnd")], json!({ "voltage": "12" })),
        part("VG", "pulse_source", &[("plus", "g"), ("minus", "gnd")], drive),
        part(
            "S1",
            "controlled_switch",
            &[("a", "in"), ("b", "x"), ("cp", "g"), ("cn", "gnd")],
            json!({ "on_resistance": "1m" }),
        ),
        part("R1", "resistor", &[("a", "x"), ("b", "out")], json!({ "resistance": "1k" })),
        part("R2", "resistor", &[("a", "out"), ("b", "gnd")], json!({ "resistance": "3k" })),
    ];
    let questions = json!([question("h", json!({ "response": { "source": "V1", "signal": "out.v" } }))]);
    let found = asked(&parts, (10.0, 40e3), &questions, json!({}));
    assert_eq!(found.end, End::Done);
    assert!(off(&found, "h", |_| Complex64::from(0.75 * 0.4)) < 2e-3, "{:?}", found.curves);
}

/// Stops what goes on for long: circuits drawn at random ring undamped.
#[derive(Default)]
struct Impatient {
    kept: Recording,
    looked: u32,
}

impl Observer for Impatient {
    fn progress(&mut self, _: &Progress<'_>) -> Command {
        self.looked += 1;
        if self.looked > 100 { Command::Stop } else { Command::Continue }
    }
    fn record(&mut self, chunk: Chunk) {
        self.kept.record(chunk);
    }
}

impl Chunks for Impatient {
    fn whole(&self) -> (f64, f64) {
        self.kept.whole()
    }
    fn folded(&self, from: f64, to: f64, columns: &[usize], take: &mut dyn FnMut(Piece<'_>)) -> Result<(), Unreadable> {
        self.kept.folded(from, to, columns, take)
    }
}

/// Whatever parts there are and however they are joined, asked everything, resting and settled: no study panics, each ends or says why,
/// and what it leaves can be stored and read back.
#[test]
fn whatever_the_circuit_what_is_left_can_be_stored() {
    const KINDS: [(&str, &[&str]); 10] = [
        ("resistor", &["a", "b"]),
        ("capacitor", &["plus", "minus"]),
        ("inductor", &["a", "b"]),
        ("dc_source", &["plus", "minus"]),
        ("pulse_source", &["plus", "minus"]),
        ("current_source", &["a", "b"]),
        ("diode", &["a", "k"]),
        ("mosfet_n", &["d", "g", "s"]),
        ("amplifier", &["out", "inp", "inn", "vp", "vn"]),
        ("controlled_switch", &["a", "b", "cp", "cn"]),
    ];
    let any_part = (0..KINDS.len(), prop::collection::vec(0..5usize, 5));
    let config = ProptestConfig { cases: 120, failure_persistence: None, ..ProptestConfig::default() };
    let ended = std::cell::Cell::new(0);
    proptest!(config, |(parts in prop::collection::vec(any_part, 2..9))| {
        let nets = ["gnd", "a", "b", "c", "d"];
        let made: Vec<Value> = parts.iter().enumerate().map(|(n, (kind, joined))| {
            let (kind, pins) = KINDS[*kind];
            let pins: Vec<(&str, &str)> = pins.iter().zip(joined).map(|(pin, net)| (*pin, nets[*net])).collect();
            part(&format!("X{n}"), kind, &pins, json!({}))
        // So that most of them rest somewhere.
        }).chain(nets[1..].iter().map(|net| part(&format!("R{net}"), "resistor", &[("a", net), ("b", "gnd")], json!({})))).collect();
        let of = |n: usize, asks: Value| question(&format!("q{n}"), asks);
        let each = (0..parts.len()).flat_map(|n| [
            of(5 * n, json!({ "input_impedance": { "source": format!("X{n}") } })),
            of(5 * n + 1, json!({ "line_rejection": { "source": format!("X{n}"), "signal": "a.v" } })),
            of(5 * n + 2, json!({ "response": { "source": format!("X{n}"), "signal": "X0.i" } })),
            of(5 * n + 3, json!({ "loop_gain": { "pin": format!("X{n}.inn") } })),
            of(5 * n + 4, json!({ "loop_gain": { "pin": format!("X{n}.g") } })),
        ]);
        let questions: Vec<Value> = each.chain([of(1000, json!({ "output_impedance": { "net": "a" } }))]).collect();
        let document = json!({ "mellow_coil": 1, "title": "Any", "parts": made, "studies": [
            { "id": "f", "kind": "frequency", "title": "F", "from": "10", "to": "20k", "per_decade": "2", "questions": questions },
            { "id": "o", "kind": "operating_point", "title": "O" },
            { "id": "s", "kind": "settled", "title": "S", "duration": "20u" } ] });
        let supply = Supply::from_json(&document.to_string()).unwrap();
        let Ok(circuit) = resolve(&supply) else { return Ok(()) };
        for study in ["f", "o", "s"] {
            let outcome = run(&circuit, study, &mut Impatient::default()).unwrap();
            let text = serde_json::to_string(&outcome).unwrap();
            let back: Result<Outcome, _> = serde_json::from_str(&text);
            prop_assert!(back.is_ok(), "{}: {:?} of {}", study, back, text);
            if outcome.end == End::Done {
                ended.set(ended.get() + 1);
                let answered = outcome.curves.iter().flat_map(|curves| &curves.curves);
                for curve in answered.filter(|curve| curve.problem.is_none()) {
                    prop_assert!(!curve.re.is_empty() && curve.values().all(|z| z.is_finite()), "{}", curve.id);
                }
            }
        }
    });
    assert!(ended.get() > 40, "only {} studies ended", ended.get());
}

/// Asked together about a settled period, each answer is the one it gives alone, whatever is asked beside it.
#[test]
fn asked_together_is_asked_alone_about_a_settled_period() {
    let (circuit, supply) = common::with(true, common::USUAL);
    let pins = circuit.pins_in_loops();
    let (part, pin) = pins.first().expect("a closed loop");
    let questions = [
        question("round", json!({ "loop_gain": { "pin": format!("{part}.{pin}") } })),
        question("cut", json!({ "loop_gain": { "pin": format!("{part}.{pin}"), "cut": true } })),
        question("zout", json!({ "output_impedance": { "net": "out" } })),
        question("zin", json!({ "input_impedance": { "source": "V1" } })),
    ];
    let of = |questions: &[Value]| {
        let mut document = serde_json::to_value(&supply).unwrap();
        document["studies"] = json!([
            { "id": "f", "kind": "frequency", "title": "F", "from": "100", "to": "1M", "per_decade": "4", "questions": questions } ]);
        let circuit = resolve(&Supply::from_json(&document.to_string()).unwrap()).unwrap();
        run(&circuit, "f", &mut Recording::default()).unwrap().curves.unwrap()
    };
    let together = of(&questions);
    assert!(together.half.is_some());
    for question in questions {
        let id = question["id"].as_str().unwrap().to_owned();
        let alone = of(std::slice::from_ref(&question));
        let values = alone.formula(&id).unwrap();
        let shared = alone.frequencies.iter().zip(&values).filter_map(|(f, z)| {
            let k = together.frequencies.iter().position(|g| (g / f - 1.0).abs() < 1e-12)?;
            Some((z / together.formula(&id).unwrap()[k] - 1.0).norm())
        });
        let shared: Vec<f64> = shared.collect();
        assert!(shared.len() > 10 && shared.iter().all(|off| *off < 1e-5), "{id}: {shared:?}");
    }
}
