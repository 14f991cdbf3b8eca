//! Traces worked out by formula, against closed forms, and what is said of formulas that cannot be.

use circuit::{Circuit, Supply, resolve};
use mellow_readings::{Derived, Span, Waveform};
use proptest::prelude::*;
use quantity::Unit;
use recording::{PLACES, STAGE};
use std::f64::consts::{PI, TAU};

/// A resistor across a source: signals V1.v, V1.i, R1.i, in.v.
fn circuit() -> Circuit {
    let text = r#"{ "mellow_coil": 1, "title": "one", "parts": [
        { "id": "V1", "kind": "dc_source", "pins": { "plus": "in", "minus": "gnd" }, "parameters": { "voltage": "1" } },
        { "id": "R1", "kind": "resistor", "pins": { "a": "in", "b": "gnd" }, "parameters": { "resistance": "1" } }
    ] }"#;
    resolve(&Supply::from_json(text).unwrap()).unwrap()
}

fn nodes(to: f64, steps: usize) -> Vec<f64> {
    let mut times = vec![0.0];
    for k in 0..steps {
        // Uneven, but never in reverse.
        let place =
            |k: usize| to * (k as f64 + 0.3 * (2.7 * k as f64).sin() * f64::from(k != 0 && k != steps)) / steps as f64;
        let (from, until) = (place(k), place(k + 1));
        let inner: &[f64] = if k % 2 == 0 { &PLACES } else { &[STAGE] };
        times.extend(inner.iter().chain(&[1.0]).map(|place| from + place * (until - from)));
    }
    times
}

/// A formula's values at nodes where `in.v` is `voltage` and `R1.i` is `current`.
fn worked(text: &str, times: &[f64], voltage: impl Fn(f64) -> f64, current: impl Fn(f64) -> f64) -> (Vec<f64>, Unit) {
    let circuit = circuit();
    let derived = Derived::parse(&circuit, text).unwrap_or_else(|error| panic!("{text}: {error}"));
    let signals: Vec<Vec<f64>> = derived
        .recipes()
        .iter()
        .map(|recipe| {
            let volts: Vec<f64> = times.iter().map(|t| voltage(*t)).collect();
            let amperes: Vec<f64> = times.iter().map(|t| current(*t)).collect();
            recipe.evaluate(times.len(), |key| Some(if key.of == "in" { volts.as_slice() } else { amperes.as_slice() }))
        })
        .collect();
    (derived.evaluate(times, &signals), derived.unit())
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(24))]

    #[test]
    fn formulas_follow_closed_forms(amplitude in 0.1f64..100.0, frequency in 1.0f64..1e4, offset in -3.0f64..3.0, current in 0.1f64..10.0) {
        let offset = offset * amplitude;
        let omega = TAU * frequency;
        let (times, period) = (nodes(4.0 / frequency, 800), 1.0 / frequency);
        let voltage = |t: f64| offset + amplitude * (omega * t).sin();
        let near = |text: &str, unit: Unit, within: f64, from: f64, expected: &dyn Fn(f64) -> f64| {
            let (values, found) = worked(text, &times, voltage, |_| current);
            assert_eq!(found, unit, "{text}");
            let size = times.iter().map(|t| expected(*t).abs()).fold(1e-12, f64::max);
            for (t, value) in times.iter().zip(&values).filter(|(t, _)| **t >= from) {
                assert!((value - expected(*t)).abs() <= within * size, "{text} at {t}: {value} for {}", expected(*t));
            }
        };
        near("in.v * R1.i", Unit::Watt, 1e-12, 0.0, &|t| voltage(t) * current);
        near("-in.v / R1.i + 2 * in.v / R1.i", Unit::Ohm, 1e-12, 0.0, &|t| voltage(t) / current);
        near("abs(in.v)", Unit::Volt, 1e-12, 0.0, &|t| voltage(t).abs());
        near("max(in.v, 0 * in.v)", Unit::Volt, 1e-12, 0.0, &|t| voltage(t).max(0.0));
        near("sqrt(in.v ^ 2)", Unit::Volt, 1e-12, 0.0, &|t| voltage(t).abs());
        near("derivative(in.v)", Unit::VoltPerSecond, 1e-3, 0.0, &|t| amplitude * omega * (omega * t).cos());
        near("integral(R1.i)", Unit::Coulomb, 1e-9, 0.0, &|t| current * t);
        near("integral(in.v)", Unit::VoltSecond, 1e-5, 0.0, &|t| offset * t + amplitude / omega * (1.0 - (omega * t).cos()));
        // Over whole periods nothing of the sine is left, and its square is half.
        near(&format!("mean(in.v, {period:e})"), Unit::Volt, 1e-4 * amplitude / (offset.abs() + 1e-3 * amplitude), period, &|_| offset);
        let rms = (offset * offset + 0.5 * amplitude * amplitude).sqrt();
        near(&format!("rms(in.v, {period:e})"), Unit::Volt, 1e-4, period, &|_| rms);
        near("db(R1.i / R1.i * 100)", Unit::One, 1e-12, 0.0, &|_| 40.0);
    }
}

#[test]
fn a_formula_reads_only_as_far_back_as_it_needs() {
    let circuit = circuit();
    let back = |text: &str| -Derived::parse(&circuit, text).unwrap().reaches_back(0.0);
    assert_eq!(back("in.v + V1.v"), 0.0);
    assert_eq!(back("mean(in.v, 20m) - rms(V1.v, 50m)"), 0.05);
    assert!((back("mean(mean(in.v, 20m), 10m)") - 0.03).abs() < 1e-15);
    assert_eq!(back("1 + integral(R1.i) / integral(R1.i)"), f64::INFINITY);
    assert_eq!(Derived::parse(&circuit, "in.v * in.v / V1.v").unwrap().recipes().len(), 1, "in.v and V1.v are one");
}

#[test]
fn what_is_wrong_with_a_formula_is_said_where_it_is() {
    let circuit = circuit();
    for (text, at, said) in [
        ("in.v + R1.i", 5, "V and A cannot be added"),
        ("out.v * 2", 0, "no net or part named out"),
        ("in.i * 2", 0, "only parts have currents"),
        ("in.x * 2", 0, "v for voltage"),
        ("in * 2", 0, "a point and v, i or p must follow"),
        ("db(in.v)", 0, "db takes a ratio"),
        ("mean(in.v, R1.i)", 0, "must be a number of seconds"),
        ("mean(in.v, 0)", 0, "must be a number of seconds"),
        ("mean(in.v)", 9, "takes two values"),
        ("in.v ^ V1.v", 5, "an exponent must be a number"),
        ("in.v * V1.v", 0, "V^2, a unit without a name"),
        ("smooth(in.v)", 0, "no function named smooth"),
        ("in.v *", 6, "ends too early"),
    ] {
        let error = Derived::parse(&circuit, text).unwrap_err();
        assert!(error.at == at && error.message.contains(said), "{text}: {} at {}", error.message, error.at);
    }
    // Neither a formula of very many terms nor powers beyond all units bring anything down.
    let long = vec!["in.v"; 200_000].join(" + ");
    assert!(Derived::parse(&circuit, &(long + " * 1")).unwrap_err().message.contains("shorten it"));
    let deep = vec!["in.v"; 280].join(" + ");
    let times = nodes(1.0, 2);
    let (values, _) = worked(&format!("abs({deep})"), &times, |_| 1.0, |_| 1.0);
    assert!(values.iter().all(|v| (*v - 280.0).abs() < 1e-9));
    for beyond in ["in.v / (1 / in.v ^ 50 / in.v ^ 14)", "in.v ^ 50 * in.v ^ 14", "in.v ^ 51"] {
        assert!(Derived::parse(&circuit, beyond).is_err(), "{beyond}");
    }
    // What divides by zero is nothing, not infinite; what is nothing has no logarithm but is far down.
    let times = nodes(1.0, 4);
    let (values, _) = worked("in.v / (R1.i - R1.i)", &times, |_| 1.0, |_| 1.0);
    assert!(values.iter().all(|v| v.is_nan()));
    let (values, _) = worked("db(0 * in.v / in.v)", &times, |_| 1.0, |_| 1.0);
    assert!(values.iter().all(|v| (*v + 400.0).abs() < 1e-9));
    let (sine, _) = worked("in.v", &nodes(2.0, 400), |t| (PI * t).sin(), |_| 0.0);
    let times = nodes(2.0, 400);
    assert!(Waveform::new(&times, &sine).mean(Span { from: 0.0, to: 2.0 }).unwrap().abs() < 1e-6);
}
