//! Cores with hysteresis against an integration of the material's own equation, and windings
//! against their phasors.

mod common;

use circuit::KindId::{
    Capacitor, CoreTransformer, CoupledWindings, DcSource, HystereticTransformer, PulseSource, Resistor, SineSource,
    ThreeWindings,
};
use circuit::ReadingMeasure::{Max, Mean, Rms};
use common::{Row, circuit, run};
use mellow_device::SmallSignal;
use proptest::prelude::*;
use recording::{Complex64, Excitation};
use std::f64::consts::{SQRT_2, TAU};

const MU_0: f64 = 1.256_637_062_12e-6;

/// Jiles and Atherton's equation as they wrote it, with its sign functions and corners: dH/dB.
fn reluctivity(b: f64, h: f64, rising: bool, [ms, a, k, alpha, c]: [f64; 5]) -> f64 {
    let m = b / MU_0 - h;
    let x = (h + alpha * m) / a;
    let (langevin, slope) = if x.abs() < 1e-3 {
        (x / 3.0, 1.0 / 3.0 - x * x / 15.0)
    } else {
        (1.0 / x.tanh() - 1.0 / x, 1.0 / (x * x) - 1.0 / x.sinh().powi(2))
    };
    let pull = ms * langevin - (m - c * ms * langevin) / (1.0 - c);
    let direction = if rising { 1.0 } else { -1.0 };
    let pinned = if pull * direction > 0.0 { pull / (direction * k) } else { 0.0 };
    let chi = c * ms / a * slope + (1.0 - c) * pinned;
    (1.0 - alpha * chi) / (1.0 + (1.0 - alpha) * chi) / MU_0
}

/// Highest field under a sinusoidal flux density and the area of the last loop, by Runge and Kutta's fourth-order rule.
fn loop_of(peak: f64, cycles: usize, material: [f64; 5]) -> (f64, f64) {
    const STEPS: usize = 20_000;
    let (mut h, mut area, mut highest) = (0.0f64, 0.0, 0.0f64);
    for step in 0..cycles * STEPS {
        let b = |s: f64| peak * (TAU * (step as f64 + s) / STEPS as f64).sin();
        let width = b(1.0) - b(0.0);
        let rate = |b: f64, h: f64| reluctivity(b, h, width > 0.0, material);
        let k1 = rate(b(0.0), h);
        let k2 = rate(b(0.0) + 0.5 * width, h + 0.5 * width * k1);
        let k3 = rate(b(0.0) + 0.5 * width, h + 0.5 * width * k2);
        let k4 = rate(b(1.0), h + width * k3);
        let next = h + width / 6.0 * (k1 + 2.0 * k2 + 2.0 * k3 + k4);
        if step >= (cycles - 1) * STEPS {
            area += 0.5 * (h + next) * width;
            highest = highest.max(next);
        }
        h = next;
    }
    (highest, area)
}

/// A core driven by a sinusoidal voltage follows its material's loop, whose area is what the
/// source loses to it in every cycle.
#[test]
fn a_hysteresis_loop_closes_and_its_area_is_lost() {
    let (area, length, turns, frequency) = (4e-4, 0.15, 1000.0, 50.0);
    let materials: [(&str, f64, [f64; 5]); 3] = [
        ("silicon_steel", 1.3, [1.35e6, 45.0, 50.0, 3e-5, 0.15]),
        ("power_ferrite", 0.3, [3.6e5, 30.0, 15.0, 2e-5, 0.3]),
        ("powder", 0.4, [8e5, 4500.0, 300.0, 1e-4, 0.3]),
    ];
    for (name, peak, material) in materials {
        let volts = (peak * TAU * frequency * turns * area / SQRT_2).to_string();
        let rows: [Row<'_>; 3] = [
            ("V1", SineSource, "in gnd", &[("amplitude", &volts), ("frequency", "50"), ("phase", "90")]),
            (
                "T1",
                HystereticTransformer,
                "in gnd out gnd",
                &[
                    ("material", name),
                    ("primary_leakage", "0"),
                    ("primary_resistance", "0"),
                    ("secondary_leakage", "0"),
                ],
            ),
            ("R1", Resistor, "out gnd", &[("resistance", "1G")]),
        ];
        let cycles = 4;
        let run = run(circuit(&rows), 4.0 / frequency, 1e-3, 1e-4);
        let (highest, lost) = loop_of(peak, cycles, material);
        let last = |signal: &str, what| run.measure(signal, 3.0 / 50.0, 4.0 / 50.0, |w, s| w.measure(what, s).unwrap());
        let current = last("T1.i", Max);
        assert!((current / (highest * length / turns) - 1.0).abs() < 2e-3, "{name}: {current}");
        // What the core takes and what the source delivers in the cycle; the run's balance has nothing missing.
        for energy in [last("T1.p", Mean), -last("V1.p", Mean)].map(|power| power / frequency) {
            let wanted = lost * area * length;
            assert!((energy / wanted - 1.0).abs() < 5e-3, "{name}: {energy} for {wanted}");
        }
        // Closed: where the flux returns to, the field returns to.
        let at = |t: f64| run.measure("T1.i", 0.0, 4.0 / frequency, |w, _| w.at(t).unwrap());
        assert!((at(3.0 / 50.0) - at(4.0 / 50.0)).abs() < 5e-3 * current, "{name}");
    }
}

/// Solves a complex system of three equations by Cramer's rule.
fn solve(a: [[Complex64; 3]; 3], b: [Complex64; 3]) -> [Complex64; 3] {
    let determinant = |m: [[Complex64; 3]; 3]| {
        let minor = |i: usize, j: usize| m[1][i] * m[2][j] - m[1][j] * m[2][i];
        m[0][0] * minor(1, 2) - m[0][1] * minor(0, 2) + m[0][2] * minor(0, 1)
    };
    std::array::from_fn(|k| {
        let mut replaced = a;
        for (row, value) in replaced.iter_mut().zip(b) {
            row[k] = value;
        }
        determinant(replaced) / determinant(a)
    })
}

/// Phasors: `(R + jωL)·i = v` with the loads among the resistances.
#[test]
fn three_windings_follow_their_phasors() {
    let run = run(
        circuit(&[
            ("V1", SineSource, "in gnd", &[("amplitude", "230"), ("frequency", "50"), ("phase", "90")]),
            ("T1", ThreeWindings, "in gnd a gnd gnd b", &[("coupling_13", "0.95"), ("coupling_23", "0.94")]),
            ("R1", Resistor, "a gnd", &[("resistance", "10")]),
            ("R2", Resistor, "b gnd", &[("resistance", "33")]),
        ]),
        1.0,
        1e-3,
        1e-4,
    );
    let (turns, coupling) = ([1000.0, 60.0, 60.0], [[1.0, 0.999, 0.95], [0.999, 1.0, 0.94], [0.95, 0.94, 1.0]]);
    let resistance = [10.0, 10.05, 33.05];
    let matrix = std::array::from_fn(|k| {
        std::array::from_fn(|m| {
            let reactance = TAU * 50.0 * 1e-5 * coupling[k][m] * turns[k] * turns[m];
            Complex64::new(if k == m { resistance[k] } else { 0.0 }, reactance)
        })
    });
    let currents = solve(matrix, [Complex64::new(230.0, 0.0), Complex64::ZERO, Complex64::ZERO]);
    let rms = |signal| run.measure(signal, 0.9, 1.0, |w, s| w.measure(Rms, s).unwrap());
    for (signal, wanted) in
        [("T1.i", currents[0].norm()), ("a.v", 10.0 * currents[1].norm()), ("b.v", 33.0 * currents[2].norm())]
    {
        assert!((rms(signal) / wanted - 1.0).abs() < 1e-3, "{signal}: {} for {wanted}", rms(signal));
    }
    // The third winding is turned round.
    let product = run.values("a.v").iter().zip(run.values("b.v")).map(|(a, b)| a * b).sum::<f64>();
    assert!(product < 0.0);
}

proptest! {
    /// Left with stray capacitance alone a leakage rings with a quality of 3, whatever its size and the turns: behind a
    /// leakage L with L/τ across it, τ = √(L·25 pF)/3, stands a capacitance C, so the answer is
    /// `(1 + sτ)/(1 + sτ + s²·L·C)` of the open windings' ratio (by hand).
    #[test]
    fn leakage_rings_with_stray_capacitance_a_few_times(
        size in -6.0..-2.0f64, coupling in 0.9..0.9999f64, ratio in 1.0..100.0f64, more in 0.0..2.0f64,
    ) {
        let leakage = 10f64.powf(size);
        let secondary = leakage / (1.0 - coupling * coupling);
        let capacitance = 25e-12 * 10f64.powf(more);
        let text = |value: f64| format!("{value:e}");
        let circuit = circuit(&[
            ("V1", DcSource, "in gnd", &[("voltage", "0")]),
            (
                "T1",
                CoupledWindings,
                "in gnd out gnd",
                &[
                    ("primary_inductance", &text(ratio * secondary)),
                    ("secondary_inductance", &text(secondary)),
                    ("coupling", &text(coupling)),
                    // An ideal winding across an ideal source has no operating point.
                    ("primary_resistance", "1u"),
                ],
            ),
            ("C1", Capacitor, "out gnd", &[("capacitance", &text(capacitance))]),
        ]);
        let mut linear = SmallSignal::new(&circuit).unwrap();
        let (rings, lag) = (1.0 / (leakage * capacitance).sqrt(), (leakage * 25e-12).sqrt() / 3.0);
        for times in [0.01, 0.3, 0.9, 1.0, 1.1, 3.0] {
            let s = Complex64::new(0.0, times * rings);
            let share = (1.0 + s * lag) / (1.0 + s * lag + s * s * leakage * capacitance);
            let wanted = coupling / ratio.sqrt() * share;
            let found = linear.respond(&Excitation::Source("V1".to_owned()), times * rings / TAU).unwrap();
            let found = found.net("out").unwrap();
            prop_assert!((found / wanted - 1.0).norm() < 1e-5, "{found} for {wanted} at {times} of {leakage} H");
        }
    }

    /// What the damping takes stands in the books of every kind of windings: its energy goes nowhere else.
    #[test]
    fn damped_windings_account_for_their_energy(stray in 20.0..2000.0f64, load in 1.0..4.0f64, kind in 0..4usize) {
        let (kind, pins, values): (_, _, &[(&str, &str)]) = [
            (CoupledWindings, "in gnd out gnd", &[("primary_inductance", "1m"), ("secondary_inductance", "0.3m")][..]),
            (ThreeWindings, "in gnd out gnd gnd aux", &[][..]),
            (CoreTransformer, "in gnd out gnd", &[("primary_resistance", "1")][..]),
            (HystereticTransformer, "in gnd out gnd", &[("primary_resistance", "1")][..]),
        ][kind];
        let (stray, load) = (format!("{stray}p"), format!("{:e}", 10f64.powf(load)));
        let pulse: &[(&str, &str)] = &[("low", "0"), ("high", "20"), ("rise", "10n"), ("fall", "10n"), ("width", "20u"), ("period", "40u")];
        let (across, loaded, aux) =
            ([("capacitance", stray.as_str())], [("resistance", load.as_str())], [("resistance", "1k")]);
        let mut rows: Vec<Row<'_>> = vec![
            ("V1", PulseSource, "in gnd", pulse),
            ("T1", kind, pins, values),
            ("C1", Capacitor, "out gnd", &across),
            ("R1", Resistor, "out gnd", &loaded),
        ];
        if pins.contains("aux") {
            rows.push(("R2", Resistor, "aux gnd", &aux));
        }
        let run = run(circuit(&rows), 80e-6, 1e-6, 1e-5);
        let energy = &run.health.energy;
        prop_assert!(energy.relative < 1e-4, "{kind:?}: {energy:?}");
    }
}
