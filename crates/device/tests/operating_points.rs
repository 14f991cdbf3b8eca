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
