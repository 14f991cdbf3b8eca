//! Against exact solutions, written down by hand.

mod common;

use circuit::KindId::{Capacitor, DcSource, Inductor, PowerLoad, PulseSource, Resistor};
use common::{circuit, run};

/// A series circuit of R, L and C driven by a square wave of steep edges, over 10,000 cycles, against the closed form of its
/// two modes from edge to edge (by hand).
#[test]
fn an_oscillating_circuit_is_exact_after_ten_thousand_cycles() {
    let (r, l, c) = (3.0f64, 1e-4, 1e-6);
    let (period, width, edge) = (1e-5, 3.7e-6, 1e-12);
    let run = run(
        circuit(&[
            (
                "V1",
                PulseSource,
                "in gnd",
                &[("low", "0"), ("high", "10"), ("rise", "1p"), ("fall", "1p"), ("width", "3.7u"), ("period", "10u")],
            ),
            ("R1", Resistor, "in a", &[("resistance", "3")]),
            ("L1", Inductor, "a b", &[("inductance", "100u")]),
            ("C1", Capacitor, "b gnd", &[("capacitance", "1u")]),
        ]),
        10_000.0 * period,
    );
    // From edge to edge about a level u: e^(−αt) times a rotation of (v − u, i) in its own coordinates.
    let (alpha, omega) = (r / (2.0 * l), (1.0 / (l * c) - (r / (2.0 * l)).powi(2)).sqrt());
    let (mut v, mut i) = (0.0f64, 0.0f64);
    let mut advance = |u: f64, t: f64| {
        let (x, slope) = (v - u, i / c);
        let (decay, (sine, cosine)) = ((-alpha * t).exp(), (omega * t).sin_cos());
        let a = (slope + alpha * x) / omega;
        let moved = decay * (x * cosine + a * sine);
        let moved_slope = decay * ((a * omega - alpha * x) * cosine - (x * omega + alpha * a) * sine);
        (v, i) = (u + moved, c * moved_slope);
    };
    // The edges are straight lines of a picosecond: half of each counts as either level.
    for cycle in 1..=10_000 {
        advance(10.0, width + edge);
        advance(0.0, period - width - edge * if cycle == 10_000 { 1.5 } else { 1.0 });
    }
    let last = |signal| *run.values(signal).last().unwrap();
    assert!((last("b.v") - v).abs() < 1e-12 * 10.0, "{} for {v}", last("b.v"));
    assert!((last("L1.i") - i).abs() < 1e-12, "{} for {i}", last("L1.i"));
}

/// A load of constant power behind a source and a resistance: the current `(V − √(V² − 4·R·P))/2R` where it is stable, within the 0.2 %
/// of the pieces, by hand.
#[test]
fn a_load_of_constant_power_draws_it() {
    for (line, power) in [(10.0, 5.0), (24.0, 20.0), (5.0, 1.0), (200.0, 100.0)] {
        let text = |value: f64| format!("{value:e}");
        let circuit = circuit(&[
            ("V1", DcSource, "in gnd", &[("voltage", &text(line))]),
            ("R1", Resistor, "in out", &[("resistance", "0.1")]),
            ("C1", Capacitor, "out gnd", &[("capacitance", "10u"), ("initial_voltage", &text(line))]),
            ("P1", PowerLoad, "out gnd", &[("power", &text(power)), ("least_voltage", "3")]),
        ]);
        let run = common::tried(circuit, 1e-3, 0.9e-3, 1e-6).unwrap();
        let found = *run.values("P1.i").last().unwrap();
        let wanted = (line - (line * line - 0.4 * power).sqrt()) / 0.2;
        assert!((found / wanted - 1.0).abs() < 2e-3, "{found} for {wanted} at {line} V");
    }
}
