//! Operating points against solutions by another route: `reference/operating_points.py` writes
//! the device equations once more and solves them with 40 digits.

mod common;

use circuit::KindId;
use common::circuit;
use mellow_device::{Equations, operating_point};
use serde::Deserialize;
use std::collections::BTreeMap;

#[derive(Deserialize)]
struct Reference {
    circuits: Vec<Solved>,
}

#[derive(Deserialize)]
struct Solved {
    name: String,
    parts: Vec<Part>,
    voltages: BTreeMap<String, String>,
}

#[derive(Deserialize)]
struct Part {
    id: String,
    kind: KindId,
    nets: String,
    parameters: BTreeMap<String, String>,
}

#[test]
fn operating_points_agree_with_solutions_of_forty_digits() {
    let reference: Reference = serde_json::from_str(include_str!("reference/operating_points.json")).unwrap();
    assert!(reference.circuits.len() >= 10);
    for Solved { name, parts, voltages } in reference.circuits {
        let parameters: Vec<Vec<_>> =
            parts.iter().map(|p| p.parameters.iter().map(|(k, v)| (k.as_str(), v.as_str())).collect()).collect();
        let rows: Vec<_> = parts
            .iter()
            .zip(&parameters)
            .map(|(p, q)| (p.id.as_str(), p.kind, p.nets.as_str(), q.as_slice()))
            .collect();
        let point = operating_point(&Equations::new(&circuit(&rows))).unwrap_or_else(|e| panic!("{name}: {e}"));
        for (net, wanted) in voltages {
            let wanted: f64 = wanted.parse().unwrap();
            let (_, found) = point.values.iter().find(|(column, _)| column.of == net).unwrap();
            assert!((found / wanted - 1.0).abs() < 1e-8, "{name}, {net}: {found} for {wanted}");
        }
    }
}

/// Where no time passes logic says at once what its inputs say, through as many gates as there are, timers and clocks stand, and what
/// undoes itself is named.
#[test]
fn what_decides_rests_decided_or_is_named() {
    use circuit::KindId::{
        AndGate, DcSource, Delay, Inverter, Latch, OrGate, PulseModulator, Resistor, UndervoltageLockout,
    };
    let at = |a: &str, b: &str| {
        let (a, b) = ([("voltage", a)], [("voltage", b)]);
        let circuit = circuit(&[
            ("VA", DcSource, "a gnd", &a),
            ("VB", DcSource, "b gnd", &b),
            ("U1", AndGate, "and a b gnd", &[]),
            ("U2", OrGate, "or a b gnd", &[]),
            ("U3", Inverter, "not and gnd", &[]),
            ("U4", Latch, "kept and not gnd", &[]),
            ("U5", UndervoltageLockout, "up or gnd", &[("on_voltage", "3"), ("off_voltage", "2")]),
            ("U6", Delay, "later or gnd", &[]),
            ("U7", PulseModulator, "pulse a gnd", &[]),
            ("R1", Resistor, "kept gnd", &[("resistance", "1G")]),
            ("R2", Resistor, "up gnd", &[("resistance", "1G")]),
            ("R3", Resistor, "later gnd", &[("resistance", "1G")]),
            ("R4", Resistor, "pulse gnd", &[("resistance", "1G")]),
        ]);
        let point = operating_point(&Equations::new(&circuit)).unwrap();
        ["and", "or", "not", "kept", "up", "later", "pulse"].map(|net| {
            let (_, value) = point.values.iter().find(|(column, _)| column.of == net).unwrap();
            assert!(value.abs() < 1e-3 || (value - 5.0).abs() < 1e-3, "{net} at {value} V");
            *value > 2.5
        })
    };
    for (a, b) in [("0", "0"), ("5", "0"), ("0", "5"), ("5", "5")] {
        let (high_a, high_b) = (a == "5", b == "5");
        let (and, or) = (high_a && high_b, high_a || high_b);
        // No time has passed for the delay, nor for the modulator's clock.
        assert_eq!(at(a, b), [and, or, !and, and, or, false, false], "{a} and {b}");
    }
    let ring = circuit(&[("U1", Inverter, "x x gnd", &[]), ("R1", Resistor, "x gnd", &[("resistance", "1k")])]);
    let error = operating_point(&Equations::new(&ring)).unwrap_err();
    assert!(matches!(&error, mellow_device::EngineError::Restless { part } if part == "U1"), "{error}");
}
