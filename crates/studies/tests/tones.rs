//! Responses measured with tones of finite size, as on the bench, against those to small sinusoids.

use circuit::{
    Asks, Circuit, Engine, FrequencyGrid, FrequencyQuestion, OverFrequency, Signal, Study, StudySettings, Supply,
    Tones, resolve,
};
use mellow_studies::{
    Curves, End, FrequencyError, Loop, Read, TonePoint, impedance, loop_gain, response, run, with_tones,
};
use recording::{Complex64, Excitation, Probed, Recording};
use std::fmt::Write;

mod common;

fn buck(closed: bool) -> Circuit {
    common::with(closed, common::USUAL).0
}

fn with(closed: bool, values: [&str; 5]) -> Circuit {
    common::with(closed, values).0
}

const GRID: FrequencyGrid = FrequencyGrid { from: 1.3e3, to: 45e3, per_decade: 5.0 };

/// Every point is within 0.1 dB and 0.6° of the small sinusoid, which is what a distortion of 40 dB allows, half the amplitude agreeing, its distortion some 40 dB below it.
fn agree(points: &[TonePoint], wanted: impl Fn(f64) -> Complex64) {
    assert!(points.len() > 6 && points.iter().all(|point| !point.doubtful), "{points:#?}");
    for point in points {
        let ratio = point.value / wanted(point.frequency);
        let off = [20.0 * ratio.norm().log10(), ratio.arg().to_degrees()];
        println!("{:8.0} Hz: {off:+.4?}, {:.1} dB, {:.2e}", point.frequency, point.quality, point.amplitude);
        assert!(off[0].abs() < 0.1 && off[1].abs() < 0.6, "{point:?} is off by {off:?}");
        assert!(point.quality > 30.0, "{point:?}");
    }
}

fn at(points: &[(f64, Complex64)], frequency: f64) -> Complex64 {
    points.iter().min_by(|a, b| (a.0 - frequency).abs().total_cmp(&(b.0 - frequency).abs())).unwrap().1
}

/// One point of a curve by the small-signal study.
fn single(frequency: f64) -> FrequencyGrid {
    FrequencyGrid { from: frequency, to: 1.0001 * frequency, per_decade: 1.0 }
}

#[test]
fn line_control_and_impedances_are_those_of_small_sinusoids() {
    let circuit = buck(false);
    let out = Signal::parse("out.v").unwrap();
    for source in ["V1", "VC"] {
        let excitation = Excitation::Source(source.to_owned());
        let read = Read::Response(out.clone());
        let points = with_tones(&circuit, &excitation, &read, GRID, None, &mut Recording::default()).unwrap();
        agree(&points, |f| at(&response(&circuit, source, &out, single(f), Some(Engine::Switched)).unwrap().curve, f));
    }
    // What the line sees, as a current.
    let (excitation, current) = (Excitation::Source("V1".to_owned()), Signal::parse("V1.i").unwrap());
    let read = Read::Response(current.clone());
    let points = with_tones(&circuit, &excitation, &read, GRID, None, &mut Recording::default()).unwrap();
    agree(&points, |f| at(&response(&circuit, "V1", &current, single(f), Some(Engine::Switched)).unwrap().curve, f));
    let closed = buck(true);
    let excitation = Excitation::Current("out".to_owned(), "gnd".to_owned());
    let points = with_tones(&closed, &excitation, &Read::Response(out), GRID, None, &mut Recording::default()).unwrap();
    agree(&points, |f| at(&impedance(&closed, "out", "gnd", single(f), Some(Engine::Switched)).unwrap().curve, f));
}

#[test]
fn a_loop_gain_is_that_of_small_sinusoids() {
    let circuit = buck(true);
    let probed = Probed::new(&circuit, "U1", "fb").unwrap();
    let [outer, inner] = [&probed.outer, &probed.inner].map(|net| {
        let term = circuit::Term { negative: false, of: net.clone(), quantity: circuit::Quantity::Voltage };
        Signal { terms: vec![term] }
    });
    let excitation = Excitation::Source(probed.probe.clone());
    let read = Read::Ratio(outer, inner);
    let points = with_tones(&probed.circuit, &excitation, &read, GRID, None, &mut Recording::default()).unwrap();
    agree(&points, |f| {
        let found = loop_gain(&circuit, ("U1", "fb"), single(f), Some(Engine::Switched), Loop::Closed).unwrap().curve;
        at(&found.frequencies.into_iter().zip(found.gain).collect::<Vec<_>>(), f)
    });
}

/// A lightly loaded coil is driven through nothing by tones far larger than its own current, at half their size as well: that is
/// noticed, and what is returned is the small sinusoid's answer. Where tones stand elsewhere than asked, both are told.
#[test]
fn tones_that_change_what_they_measure_are_made_smaller() {
    let circuit = with(true, ["87u", "73u", "61m", "44", "44"]);
    let (excitation, out) = (Excitation::Current("out".to_owned(), "gnd".to_owned()), Signal::parse("out.v").unwrap());
    let points =
        with_tones(&circuit, &excitation, &Read::Response(out), GRID, None, &mut Recording::default()).unwrap();
    agree(&points, |f| at(&impedance(&circuit, "out", "gnd", single(f), Some(Engine::Switched)).unwrap().curve, f));
    assert!(points.iter().all(|p| (p.frequency / p.asked - 1.0).abs() < 0.35), "{points:?}");
    assert!(points.is_sorted_by(|a, b| a.frequency < b.frequency), "{points:?}");
    assert!(points.iter().any(|p| (p.frequency / p.asked - 1.0).abs() > 0.05), "{points:?}");
}

#[test]
fn what_cannot_be_measured_is_said() {
    let circuit = buck(false);
    let read = Read::Response(Signal::parse("out.v").unwrap());
    let asked = |source: &str, grid: FrequencyGrid| {
        let excitation = Excitation::Source(source.to_owned());
        with_tones(&circuit, &excitation, &read, grid, None, &mut Recording::default()).unwrap_err()
    };
    let beyond = asked("V1", FrequencyGrid { from: 60e3, to: 90e3, per_decade: 5.0 });
    assert!(matches!(beyond, FrequencyError::BeyondHalf(half) if (half - 50e3).abs() < 1e-6), "{beyond}");
    let unknown = asked("V7", GRID);
    assert!(unknown.is_of_the_question() && unknown.to_string().contains("V7"), "{unknown}");
}

/// A frequency study of some questions, each measured with tones as well.
fn both_ways(mut supply: Supply, (from, to): (&str, &str), questions: Vec<(&str, Asks)>) -> Curves {
    let tones = Some(Tones { per_decade: Some("3".into()), ..Tones::default() });
    let question = |(id, asks): (&str, Asks)| FrequencyQuestion { id: id.to_owned(), asks, tones: tones.clone() };
    let questions = questions.into_iter().map(question).collect();
    let asked = OverFrequency { from: from.into(), to: to.into(), per_decade: Some("40".into()), questions };
    supply.studies = vec![Study::new("f", "F", StudySettings::Frequency(asked))];
    supply.readings.clear();
    supply.requirements.clear();
    let circuit = resolve(&supply).unwrap_or_else(|findings| panic!("{findings:#?}"));
    let outcome = run(&circuit, "f", &mut Recording::default()).unwrap();
    assert_eq!(outcome.end, End::Done, "{:?}", outcome.health.warnings);
    outcome.curves.unwrap()
}

/// Every tone is where the small-signal curve is, within 0.2 dB and 1.5°; how far the worst of each curve is off goes into a table.
fn compare(name: &str, curves: &Curves, table: &mut String) {
    for curve in &curves.curves {
        let tones = curve.tones.as_ref().unwrap();
        assert!(tones.said.is_none(), "{name} {}: {tones:?}", curve.id);
        let (mut worst, mut compared) = ([0.0_f64; 2], 0);
        for point in &tones.points {
            let f = point.frequency;
            let above = curves.between(&curve.id, f, 1.0001 * f).map(|span| span.at_from);
            // A tone may stand a little outside of what was asked.
            let below = || curves.between(&curve.id, 0.9999 * f, f).map(|span| span.at_to);
            let Ok((size, angle)) = above.or_else(|_| below()) else { continue };
            compared += 1;
            let ratio = Complex64::new(point.re, point.im) / Complex64::from_polar(size, angle.to_radians());
            let off = [20.0 * ratio.norm().log10(), ratio.arg().to_degrees()];
            assert!(off[0].abs() < 0.2 && off[1].abs() < 1.5, "{name} {}: {point:?} off by {off:?}", curve.id);
            worst = [worst[0].max(off[0].abs()), worst[1].max(off[1].abs())];
        }
        assert!(compared >= 5, "{name} {}", curve.id);
        let (first, last) = (tones.points[0].frequency, tones.points.last().unwrap().frequency);
        let within = |limit: f64, worst: f64| if worst < limit { format!("< {limit}") } else { format!("{worst:.1}") };
        let (decibels, degrees) = (within(0.1, worst[0]), within(0.5, worst[1]));
        let _ =
            writeln!(table, "{name:<20} {:<10} {first:>6.0} to {last:>7.0} Hz: {decibels} dB, {degrees}°", curve.id);
    }
}

const FOLLOWER: &str = r#"{ "mellow_coil": 1, "title": "Follower", "parts": [
  { "id": "V1", "kind": "dc_source", "pins": { "plus": "in", "minus": "gnd" }, "parameters": { "voltage": "12" } },
  { "id": "R1", "kind": "resistor", "pins": { "a": "in", "b": "ref" }, "parameters": { "resistance": "470" } },
  { "id": "D1", "kind": "zener", "pins": { "a": "gnd", "k": "ref" }, "parameters": { "zener_voltage": "5.6" } },
  { "id": "Q1", "kind": "npn", "pins": { "c": "in", "b": "ref", "e": "out" }, "parameters": {} },
  { "id": "C1", "kind": "capacitor", "pins": { "plus": "out", "minus": "gnd" },
    "parameters": { "capacitance": "10u", "esr": "50m" } },
  { "id": "R2", "kind": "resistor", "pins": { "a": "out", "b": "gnd" }, "parameters": { "resistance": "68" } } ] }"#;

/// Both diodes of a bridge that conduct, behind the resistance and the leakage inductance of a winding.
const BRIDGE: &str = r#"{ "mellow_coil": 1, "title": "Bridge", "parts": [
  { "id": "V1", "kind": "dc_source", "pins": { "plus": "in", "minus": "back" }, "parameters": { "voltage": "18" } },
  { "id": "R1", "kind": "resistor", "pins": { "a": "in", "b": "x" }, "parameters": { "resistance": "700m" } },
  { "id": "L1", "kind": "inductor", "pins": { "a": "x", "b": "y" }, "parameters": { "inductance": "400u" } },
  { "id": "D1", "kind": "diode", "pins": { "a": "y", "k": "bus" }, "parameters": {} },
  { "id": "D2", "kind": "diode", "pins": { "a": "gnd", "k": "back" }, "parameters": {} },
  { "id": "C1", "kind": "capacitor", "pins": { "plus": "bus", "minus": "gnd" },
    "parameters": { "capacitance": "470u", "esr": "80m" } },
  { "id": "R2", "kind": "resistor", "pins": { "a": "bus", "b": "gnd" }, "parameters": { "resistance": "30" } } ] }"#;

/// Over three decades at device level, and by switching up to nine tenths of half the switching frequency.
#[test]
fn what_is_small_is_what_tones_measure() {
    let read = |text: &str| Supply::from_json(text).unwrap_or_else(|error| panic!("{error}"));
    let gain = |pin: &str| ("loop", Asks::LoopGain { pin: pin.into(), cut: false });
    let output = |net: &str| ("zout", Asks::OutputImpedance { net: net.into(), back: None });
    let input = || ("zin", Asks::InputImpedance { source: "V1".into() });
    let kept = |signal: &str| ("rejection", Asks::LineRejection { source: "V1".into(), signal: signal.into() });
    let mut told = String::new();
    let dropout = read(include_str!("../../../demo/sensor-rail-regulator.json"));
    let found = both_ways(dropout.clone(), ("300", "300k"), vec![output("sensor"), kept("sensor.v")]);
    compare("low dropout", &found, &mut told);
    // Below, a gain of 80 dB leaves nothing on one side.
    let found = both_ways(dropout, ("2k", "300k"), vec![gain("U1.inp")]);
    compare("low dropout", &found, &mut told);
    let found = both_ways(read(FOLLOWER), ("100", "100k"), vec![output("out"), input(), kept("out.v")]);
    compare("follower", &found, &mut told);
    let found = both_ways(read(BRIDGE), ("10", "10k"), vec![output("bus"), input()]);
    compare("bridge, conducting", &found, &mut told);
    let buck = common::with(true, common::USUAL).1;
    let found = both_ways(buck, ("1k", "45k"), vec![gain("U1.fb"), output("out"), input(), kept("out.v")]);
    compare("buck, closed", &found, &mut told);
    insta::assert_snapshot!(told);
}

/// An amplitude that is stated and drives the circuit elsewhere, or is lost in rounding, is said with the one to take.
#[test]
fn amplitudes_that_do_not_fit_are_said() {
    let asked = |amplitude: &str| {
        let mut supply = Supply::from_json(FOLLOWER).unwrap();
        let tones = Some(Tones { amplitude: Some(amplitude.into()), per_decade: Some("2".into()) });
        let asks = Asks::OutputImpedance { net: "out".into(), back: None };
        let questions = vec![FrequencyQuestion { id: "zout".into(), asks, tones }];
        let over = OverFrequency { from: "1k".into(), to: "10k".into(), per_decade: None, questions };
        supply.studies = vec![Study::new("f", "F", StudySettings::Frequency(over))];
        let curves = run(&resolve(&supply).unwrap(), "f", &mut Recording::default()).unwrap().curves.unwrap();
        curves.curves[0].tones.clone().unwrap()
    };
    let large = asked("60m");
    assert!(large.said.as_ref().unwrap().contains("too large") && large.said.unwrap().contains("take "));
    let small = asked("100f");
    assert!(small.said.as_ref().is_some_and(|said| said.contains("too small")), "{small:?}");
    assert_eq!(asked("1m").said, None);
}
