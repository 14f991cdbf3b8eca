//! The engine against closed forms.

mod common;

use circuit::KindId::{Capacitor, DcSource, Diode, Inductor, Resistor, SineSource};
use circuit::ReadingMeasure::{Max, Mean, Min, Rms};
use common::{NEAR_IDEAL, Row, Run, circuit, run};
use mellow_device::{Equations, Method, operating_point};
use std::f64::consts::{PI, SQRT_2, TAU};

/// What a study uses when it states no tolerance.
const DEFAULT: f64 = 1e-3;
const UNLIMITED: f64 = f64::INFINITY;

/// Charged capacitor into a coil (by hand): peak current V·√(C/L), period 2π√(LC).
/// 20 V, 2.2 µF, 22 mH: 200 mA, 1.3823 ms.
fn tank(tolerance: f64) -> (Run, f64) {
    let rows: [Row<'_>; 2] = [
        ("C1", Capacitor, "top gnd", &[("capacitance", "2.2u"), ("initial_voltage", "20")]),
        ("L1", Inductor, "top gnd", &[("inductance", "22m")]),
    ];
    let period = TAU * (22e-3f64 * 2.2e-6).sqrt();
    (run(circuit(&rows), 10.0 * period, UNLIMITED, tolerance), period)
}

#[test]
fn a_charged_capacitor_swings_through_a_coil() {
    let (run, period) = tank(DEFAULT);
    assert!((period - 1.3823e-3).abs() < 1e-7);
    let omega = TAU / period;
    assert!(run.worst("top.v", |t| 20.0 * (omega * t).cos()) < 20.0 * 1e-3);
    assert!(run.worst("L1.i", |t| 0.2 * (omega * t).sin()) < 0.2 * 1e-3);
    let peak = run.measure("L1.i", 0.0, period, |w, s| w.measure(Max, s).unwrap());
    assert!((peak / 0.2 - 1.0).abs() < 1e-3, "{peak}");
    let frequency = run.measure("top.v", 0.0, 10.0 * period, |w, s| w.frequency(s).unwrap());
    assert!((frequency * period - 1.0).abs() < 1e-3);
}

/// The estimated order of the method from errors at two tolerances a hundred apart: the error
/// must fall with the third power of the step.
#[test]
fn the_error_falls_as_a_third_order_method_s_must() {
    let measured: Vec<(f64, f64)> = [1e-4, 1e-5, 1e-6, 1e-7, 1e-8]
        .into_iter()
        .map(|tolerance| {
            let (run, period) = tank(tolerance);
            let omega = TAU / period;
            (run.health.steps as f64, run.worst("top.v", |t| 20.0 * (omega * t).cos()) / 20.0)
        })
        .collect();
    for pair in measured.windows(2) {
        let order = (pair[0].1 / pair[1].1).ln() / (pair[1].0 / pair[0].0).ln();
        assert!((2.9..3.1).contains(&order), "order {order} from {measured:?}");
    }
    // The tolerance is what it says: the error after ten periods stays below it.
    for ((_, error), tolerance) in measured.iter().zip([1e-4, 1e-5, 1e-6, 1e-7, 1e-8]) {
        assert!(*error < tolerance, "{error} at {tolerance}");
    }
}

#[test]
fn steps_into_rc_and_rl_follow_their_exponentials() {
    let rc = run(
        circuit(&[
            ("V1", DcSource, "in gnd", &[("voltage", "10")]),
            ("R1", Resistor, "in out", &[("resistance", "1k")]),
            ("C1", Capacitor, "out gnd", &[("capacitance", "1u"), ("initial_voltage", "-2")]),
        ]),
        10e-3,
        UNLIMITED,
        DEFAULT,
    );
    let charge = |t: f64| 10.0 - 12.0 * (-t / 1e-3).exp();
    assert!(rc.worst("out.v", charge) < 12.0 * 1e-3);
    assert!(rc.worst("C1.i", |t| 12e-3 * (-t / 1e-3).exp()) < 12e-3 * 1e-3);

    let rl = run(
        circuit(&[
            ("V1", DcSource, "in gnd", &[("voltage", "5")]),
            ("L1", Inductor, "in out", &[("inductance", "10m"), ("resistance", "1"), ("initial_current", "0.1")]),
            ("R1", Resistor, "out gnd", &[("resistance", "9")]),
        ]),
        10e-3,
        UNLIMITED,
        DEFAULT,
    );
    assert!(rl.worst("L1.i", |t| 0.5 - 0.4 * (-t / 1e-3).exp()) < 0.5 * 1e-3);
    // Passive sign: the source delivers, so its power is negative and its current flows out of +.
    let delivered = rl.measure("V1.p", 9e-3, 10e-3, |w, s| w.mean(s).unwrap());
    assert!((delivered + 2.5).abs() < 2.5e-3, "{delivered}");
}

fn rectified(diodes: &[Row<'static>], period_count: f64) -> Run {
    let mut rows: Vec<Row<'_>> = vec![
        ("V1", SineSource, "ac n", &[("amplitude", "325"), ("amplitude_as", "peak"), ("frequency", "50")]),
        ("R1", Resistor, "out gnd", &[("resistance", "1k")]),
    ];
    rows.extend_from_slice(diodes);
    run(circuit(&rows), period_count * 0.02, 1e-3, DEFAULT)
}

/// Ideal rectifiers with resistive load (handbook): half-wave mean Vp/π, RMS Vp/2, ripple factor
/// 1.211, reverse voltage Vp; full-wave mean 2Vp/π, RMS Vp/√2, ripple factor 0.482.
#[test]
fn rectifiers_give_their_handbook_values() {
    let close = |found: f64, wanted: f64| assert!((found / wanted - 1.0).abs() < 1e-3, "{found} for {wanted}");
    let half =
        rectified(&[("D1", Diode, "ac out", NEAR_IDEAL), ("R2", Resistor, "n gnd", &[("resistance", "1u")])], 3.0);
    let read = |run: &Run, signal, measure| run.measure(signal, 0.02, 0.06, |w, s| w.measure(measure, s).unwrap());
    let (mean, rms) = (read(&half, "out.v", Mean), read(&half, "out.v", Rms));
    close(mean, 325.0 / PI);
    close(rms, 325.0 / 2.0);
    close((rms * rms - mean * mean).sqrt() / mean, 1.211);
    close(-read(&half, "D1.v", Min), 325.0);

    let bridge = rectified(
        &[
            ("D1", Diode, "ac out", NEAR_IDEAL),
            ("D2", Diode, "n out", NEAR_IDEAL),
            ("D3", Diode, "gnd ac", NEAR_IDEAL),
            ("D4", Diode, "gnd n", NEAR_IDEAL),
        ],
        3.0,
    );
    let (mean, rms) = (read(&bridge, "out.v", Mean), read(&bridge, "out.v", Rms));
    close(mean, 2.0 * 325.0 / PI);
    close(rms, 325.0 / SQRT_2);
    close((rms * rms - mean * mean).sqrt() / mean, 0.4834);
    close(-read(&bridge, "D1.v", Min), 325.0);
}

/// Ideal diode, capacitor and resistor: turn-off at θ with tan θ = −ωRC, turn-on from
/// sin α = sin θ·exp(−(2π/n + α − θ)/(ωRC)), n pulses a period; mean and ripple by quadrature.
fn capacitor_input(peak: f64, omega_rc: f64, n: f64) -> (f64, f64) {
    let theta = PI - omega_rc.atan();
    // The first crossing after the valley, by bisection on (0, π/2).
    let decay = |angle: f64| theta.sin() * (-(angle - theta) / omega_rc).exp();
    let (mut low, mut high) = (0.0, PI / 2.0);
    for _ in 0..200 {
        let alpha = 0.5 * (low + high);
        if alpha.sin() < decay(TAU / n + alpha) { low = alpha } else { high = alpha }
    }
    let alpha = 0.5 * (low + high);
    let conducting = alpha.cos() - theta.cos();
    let length = TAU / n + alpha - theta;
    let decaying = theta.sin() * omega_rc * (1.0 - (-length / omega_rc).exp());
    (peak * (conducting + decaying) / (TAU / n), peak * (1.0 - alpha.sin()))
}

#[test]
fn the_reservoir_smooths_as_the_exact_solution_says() {
    for (capacitance, resistance, omega_rc) in [("100u", "100", TAU * 50.0 * 0.01), ("1m", "100", TAU * 50.0 * 0.1)] {
        let reservoir: [Row<'_>; 3] = [
            ("V1", SineSource, "ac gnd", &[("amplitude", "20"), ("amplitude_as", "peak")]),
            ("C1", Capacitor, "out gnd", &[("capacitance", capacitance)]),
            ("R1", Resistor, "out gnd", &[("resistance", resistance)]),
        ];
        let mut half = reservoir.to_vec();
        half.push(("D1", Diode, "ac out", NEAR_IDEAL));
        let mut full = half.clone();
        full.push(("V2", SineSource, "ca gnd", &[("amplitude", "20"), ("amplitude_as", "peak"), ("phase", "180")]));
        full.push(("D2", Diode, "ca out", NEAR_IDEAL));
        for (rows, n) in [(half, 1.0), (full, 2.0)] {
            let run = run(circuit(&rows), 0.2, 1e-3, DEFAULT);
            let (mean, ripple) = capacitor_input(20.0, omega_rc, n);
            let read = |m| run.measure("out.v", 0.16, 0.2, |w, s| w.measure(m, s).unwrap());
            assert!((read(Mean) / mean - 1.0).abs() < 1e-3, "mean {} for {mean}", read(Mean));
            let found = read(Max) - read(Min);
            assert!((found - ripple).abs() < 20.0 * 1e-3, "ripple {found} for {ripple}");
            // The familiar I/(n·f·C) is an upper bound (handbook).
            assert!(found < mean * TAU / (omega_rc * n));
        }
    }
}

/// Diode with series resistance from a DC source: closed form with the Lambert W function. The
/// oracle solves the same equation by bisection on the current.
#[test]
fn a_diode_s_operating_point_is_exact() {
    for (volts, ohms) in [("5", "1000"), ("0.3", "10"), ("100", "0.5"), ("-20", "100"), ("0.9", "1")] {
        let circuit = circuit(&[
            ("V1", DcSource, "in gnd", &[("voltage", volts)]),
            ("R1", Resistor, "in a", &[("resistance", ohms)]),
            ("D1", Diode, "a gnd", &[("saturation_current", "10n"), ("emission", "1.5"), ("series_resistance", "20m")]),
        ]);
        let equations = Equations::new(&circuit);
        let point = operating_point(&equations).unwrap();
        let found = point.values.iter().find(|(c, _)| c.of == "R1").unwrap().1;
        let (v, r): (f64, f64) = (volts.parse().unwrap(), ohms.parse().unwrap());
        // Boltzmann constant and elementary charge are exact (SI 2019).
        let slope = 1.5 * 1.380_649e-23 * 300.15 / 1.602_176_634e-19;
        let excess = |i: f64| (r + 0.02) * i + slope * (i / 10e-9).ln_1p() - v;
        let (mut low, mut high) = (-10e-9f64, v.abs() / r + 1.0);
        for _ in 0..300 {
            let i = 0.5 * (low + high);
            if excess(i) < 0.0 { low = i } else { high = i }
        }
        let wanted = 0.5 * (low + high);
        // The engine's 1 pS across each junction adds up to 20 pA in reverse.
        let leak = 1e-12 * v.abs();
        assert!((found - wanted).abs() < 1e-9 * wanted.abs() + leak, "{found} for {wanted}");
        assert_eq!(point.methods, [Method::Newton]);
    }
}
