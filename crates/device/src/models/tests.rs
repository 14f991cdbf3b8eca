//! Every part kind's derivatives against difference quotients.

use crate::contract::{Flow, Point};
use crate::equations::{Conditions, Equations};
use crate::stamps::Unknown;
use circuit::kinds::KINDS;
use circuit::{Circuit, Kind, Part, Supply, resolve};
use proptest::prelude::*;
use proptest::test_runner::{Config, TestRunner};

/// A part with every pin on a net of its own, each with a resistor to gnd.
fn alone(kind: &Kind, parameters: &[(&str, &str)]) -> Circuit {
    let mut supply = Supply::new("test");
    let part = |id: String, kind, pins: Vec<(String, String)>, parameters: &[(&str, &str)]| Part {
        parameters: parameters.iter().map(|(k, v)| ((*k).to_owned(), (*v).to_owned())).collect(),
        ..Part::new(id, kind, pins.into_iter().collect())
    };
    let pins = kind.pins.iter().enumerate().map(|(k, pin)| (pin.id.to_owned(), format!("n{k}")));
    supply.parts.push(part("X1".to_owned(), kind.id, pins.collect(), parameters));
    for k in 0..kind.pins.len() {
        let pins = vec![("a".to_owned(), format!("n{k}")), ("b".to_owned(), "gnd".to_owned())];
        supply.parts.push(part(format!("R{k}"), circuit::KindId::Resistor, pins, &[]));
    }
    resolve(&supply).unwrap_or_else(|findings| panic!("{}: {findings:#?}", kind.name))
}

struct Evaluated {
    f: Vec<f64>,
    q: Vec<f64>,
}

fn evaluate(equations: &Equations, x: &[f64]) -> Evaluated {
    let mut e = Evaluated { f: vec![0.0; x.len()], q: vec![0.0; x.len()] };
    let mut flows = vec![Flow::default(); equations.models.len()];
    let conditions = Conditions { source_scale: 1.0, gmin: crate::contract::GMIN, shunt: 0.0, resting: false };
    equations.evaluate(Point { x, t: 3e-4 }, conditions, &mut e.f, &mut e.q, &mut flows, None);
    e
}

/// Holds G and C at a point to difference quotients of f and q.
fn check(kind: &Kind, equations: &Equations, x: &[f64]) -> Result<(), TestCaseError> {
    let n = equations.unknown_count();
    let mut matrix = equations.matrix();
    let (mut f, mut q) = (vec![0.0; n + 1], vec![0.0; n + 1]);
    let mut flows = vec![Flow::default(); equations.models.len()];
    let conditions = Conditions { source_scale: 1.0, gmin: crate::contract::GMIN, shunt: 0.0, resting: false };
    for _ in 0..200 {
        equations.evaluate(Point { x, t: 3e-4 }, conditions, &mut f, &mut q, &mut flows, Some(&mut matrix));
        if !matrix.limited {
            break;
        }
    }
    prop_assert!(!matrix.limited, "{} is not followed to its place", kind.name);
    let (g, c) = (equations.dense(&matrix.values), equations.dense(&equations.capacitances(&matrix)));
    let plain = evaluate(equations, x);
    for row in 1..=n {
        let close = |a: f64, b: f64| (a - b).abs() <= 1e-12 * a.abs().max(b.abs()).max(1e-9);
        prop_assert!(close(f[row], plain.f[row]) && close(q[row], plain.q[row]), "{}: row {row}", kind.name);
    }
    for column in 1..=n {
        // Richardson's extrapolation of two central differences.
        let h = 1e-4 * if matches!(equations.unknowns[column], Unknown::Branch(_)) { 0.01 } else { 1.0 };
        let quotient = |h: f64| {
            let moved = |sign: f64| {
                let mut moved = x.to_vec();
                moved[column] += sign * h;
                evaluate(equations, &moved)
            };
            let (up, down) = (moved(1.0), moved(-1.0));
            let slope = |a: &[f64], b: &[f64]| a.iter().zip(b).map(|(a, b)| (a - b) / (2.0 * h)).collect::<Vec<_>>();
            (slope(&up.f, &down.f), slope(&up.q, &down.q))
        };
        let (coarse, fine) = (quotient(h), quotient(0.5 * h));
        for row in 1..=n {
            for (fine, coarse, exact, sums) in [
                (fine.0[row], coarse.0[row], g[row][column], f[row]),
                (fine.1[row], coarse.1[row], c[row][column], q[row]),
            ] {
                let found = (4.0 * fine - coarse) / 3.0;
                // What rounding and the third derivative leave in the quotient.
                let doubt = 1e-15 * sums.abs() / h * 8.0 + 0.02 * (fine - coarse).abs();
                prop_assert!(
                    (found - exact).abs() <= 1e-6 * exact.abs() + doubt + 1e-13,
                    "{}: row {row}, column {column} ({}): {exact:e}, by differences {found:e}",
                    kind.name,
                    equations.name(column),
                );
            }
        }
    }
    Ok(())
}

#[test]
fn derivatives_agree_with_difference_quotients() {
    let variants: &[(&str, &[(&str, &str)])] = &[
        ("diode", &[("breakdown_voltage", "2"), ("capacitance", "100p"), ("storage_time", "1u")]),
        ("zener", &[("zener_voltage", "2.4"), ("capacitance", "200p")]),
        ("capacitor", &[("esl", "10n"), ("leakage", "1M"), ("esr", "0.1")]),
        ("inductor", &[("saturation_current", "50m")]),
        ("regulator", &[("polarity", "negative")]),
        ("thermistor", &[("heat_capacity", "1m")]),
    ];
    for kind in KINDS {
        let special = variants.iter().filter(|(name, _)| *name == kind.id.name()).map(|(_, p)| *p);
        for parameters in std::iter::once(&[][..]).chain(special) {
            let equations = Equations::new(&alone(kind, parameters));
            let sizes: Vec<f64> = equations.unknowns[1..]
                .iter()
                .map(|unknown| match unknown {
                    Unknown::Net(_) | Unknown::Inner(_) => 4.0,
                    Unknown::Branch(_) => 0.1,
                    Unknown::Other(_) => 1.0,
                })
                .collect();
            let points = proptest::collection::vec(-1.0f64..1.0, sizes.len());
            let mut runner = TestRunner::new_with_rng(
                Config { cases: 60, ..Config::default() },
                proptest::test_runner::TestRng::deterministic_rng(proptest::test_runner::RngAlgorithm::ChaCha),
            );
            runner
                .run(&points, |point| {
                    let mut x = vec![0.0];
                    x.extend(point.iter().zip(&sizes).map(|(p, size)| p * size));
                    check(kind, &equations, &x)
                })
                .unwrap_or_else(|error| panic!("{error}"));
        }
    }
}
