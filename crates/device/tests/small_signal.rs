//! Small signals and loop gain against closed forms.

mod common;

use circuit::KindId::{
    Amplifier, Capacitor, DcSource, Inductor, Npn, Resistor, VoltageControlledCurrent, VoltageControlledVoltage,
};
use common::{Row, circuit, run};
use mellow_device::{EngineError, SmallSignal, loop_gain};
use recording::{Complex64, Excitation, log_grid, resonances, sweep};
use std::f64::consts::TAU;

fn decibels(z: Complex64) -> f64 {
    20.0 * z.norm().log10()
}

/// Within 0.01 dB and 0.1°.
fn agrees(found: Complex64, wanted: Complex64, at: f64) {
    let ratio = found / wanted;
    assert!(decibels(ratio).abs() < 0.01, "{} dB off at {at} Hz", decibels(ratio));
    assert!(ratio.arg().to_degrees().abs() < 0.1, "{}° off at {at} Hz", ratio.arg().to_degrees());
}

/// A series resonant circuit: `1/(1 + jωRC − ω²LC)`; the impedance it shows a current.
#[test]
fn a_resonance_and_an_impedance_follow_their_formulas() {
    let circuit = circuit(&[
        ("V1", DcSource, "in gnd", &[("voltage", "0")]),
        ("L1", Inductor, "in a", &[("inductance", "1m")]),
        ("R1", Resistor, "a out", &[("resistance", "3")]),
        ("C1", Capacitor, "out gnd", &[("capacitance", "1u")]),
    ]);
    let mut linear = SmallSignal::new(&circuit).unwrap();
    for f in log_grid(100.0, 1e6, 10.0) {
        let s = Complex64::new(0.0, TAU * f);
        let exact = 1.0 / (1.0 + s * 3.0 * 1e-6 + s * s * 1e-9);
        let response = linear.respond(&Excitation::Source("V1".to_owned()), f).unwrap();
        agrees(response.net("out").unwrap(), exact, f);
        agrees(response.current("R1").unwrap(), exact * s * 1e-6, f);
        let excitation = Excitation::Current("out".to_owned(), "gnd".to_owned());
        let impedance = linear.respond(&excitation, f).unwrap().net("out").unwrap();
        let series = 3.0 + s * 1e-3;
        agrees(impedance, series / (1.0 + series * s * 1e-6), f);
    }
    assert!(linear.respond(&Excitation::Source("L1".to_owned()), 1.0).is_err());
    // The current peaks at 1/(2π√(LC)) with 1/R, and its quality is √(L/C)/R.
    let points = sweep(100.0, 1e5, 10.0, |f| {
        let response = linear.respond(&Excitation::Source("V1".to_owned()), f)?;
        Ok::<_, EngineError>(response.current("R1").unwrap())
    });
    let peaks = resonances(&points.unwrap());
    assert_eq!(peaks.len(), 1);
    let close = |found: f64, wanted: f64, within: f64| assert!((found / wanted - 1.0).abs() < within, "{peaks:?}");
    close(peaks[0].frequency, 1.0 / (TAU * 1e-9f64.sqrt()), 1e-3);
    close(peaks[0].magnitude, 1.0 / 3.0, 1e-2);
    close(peaks[0].quality.unwrap(), 1e3f64.sqrt() / 3.0, 3e-2);
}

/// g_m·(R ‖ 1/sC) at the collector: a transistor's linearisation is its own transconductance.
#[test]
fn a_transistor_stage_amplifies_by_its_transconductance() {
    let circuit = circuit(&[
        ("V1", DcSource, "b gnd", &[("voltage", "0.65")]),
        ("V2", DcSource, "vcc gnd", &[("voltage", "10")]),
        ("R1", Resistor, "vcc c", &[("resistance", "2k")]),
        (
            "Q1",
            Npn,
            "c b gnd",
            &[
                ("base_emitter_voltage", "0.65"),
                ("collector_current", "1m"),
                ("early_voltage", "0"),
                ("knee_current", "0"),
                ("base_resistance", "1m"),
                ("collector_resistance", "1m"),
                ("transition_frequency", "0"),
                ("emitter_capacitance", "0"),
                ("collector_capacitance", "0"),
            ],
        ),
    ]);
    let mut linear = SmallSignal::new(&circuit).unwrap();
    let gain = linear.respond(&Excitation::Source("V1".to_owned()), 1e3).unwrap().net("c").unwrap();
    // g_m = I_C/V_T, with I_C + I_S for the exponential's own slope.
    let thermal = 1.380_649e-23 * 300.15 / 1.602_176_634e-19;
    agrees(gain, Complex64::new(-1e-3 / thermal * 2e3, 0.0), 1e3);
}

/// Two poles behind an ideal amplifier, fed back: `T = A·β/((1 + s/p₁)(1 + s/p₂))`, whichever pin
/// the loop is entered at, also where both sides load each other.
#[test]
fn loop_gain_of_two_poles_is_independent_of_the_pin() {
    let rows: [Row<'_>; 8] = [
        ("V1", DcSource, "ref gnd", &[("voltage", "1")]),
        ("E1", VoltageControlledVoltage, "e gnd ref fb", &[("gain", "10k")]),
        ("R1", Resistor, "e a", &[("resistance", "10k")]),
        ("C1", Capacitor, "a gnd", &[("capacitance", "1u")]),
        ("R2", Resistor, "a out", &[("resistance", "1k")]),
        ("C2", Capacitor, "out gnd", &[("capacitance", "1n")]),
        ("R3", Resistor, "out fb", &[("resistance", "30k")]),
        ("R4", Resistor, "fb gnd", &[("resistance", "10k")]),
    ];
    let circuit = circuit(&rows);
    // Nodal solution of the passive ladder by hand: from e to fb.
    let exact = |f: f64| {
        let s = Complex64::new(0.0, TAU * f);
        let divider = Complex64::new(40e3, 0.0);
        let z_out = 1.0 / (1.0 / divider + s * 1e-9);
        let branch = 1e3 + z_out;
        let z_a = 1.0 / (1.0 / branch + s * 1e-6);
        1e4 * z_a / (10e3 + z_a) * z_out / branch * 0.25
    };
    let pins = [("E1", "cn"), ("R1", "a"), ("R1", "b"), ("R2", "a"), ("R2", "b"), ("R3", "a"), ("R3", "b")];
    for (part, pin) in pins {
        let gain = loop_gain(&circuit, part, pin, 1.0, 1e7, 5.0).unwrap();
        for (f, t) in gain.frequencies.iter().zip(&gain.gain) {
            agrees(*t, exact(*f), *f);
        }
    }
    let error = loop_gain(&circuit, "E1", "x", 1.0, 10.0, 1.0).unwrap_err();
    assert!(error.to_string().contains("pin x of E1"), "{error}");
}

/// Three poles and a zero: margins from the closed form by bisection on the formula.
#[test]
fn margins_of_three_poles_and_a_zero() {
    let stage =
        |id: &'static str, nets: &'static str| (id, VoltageControlledCurrent, nets, &[("transconductance", "1m")][..]);
    let rows: Vec<Row<'_>> = vec![
        ("V1", DcSource, "ref gnd", &[("voltage", "0")]),
        // A stage that draws its current out of its output net inverts; the first drives it in, but
        // takes the feedback at its inverting input.
        stage("G1", "gnd a ref c"),
        ("R1", Resistor, "a gnd", &[("resistance", "100k")]),
        ("C1", Capacitor, "a x", &[("capacitance", "100n")]),
        ("R4", Resistor, "x gnd", &[("resistance", "5")]),
        stage("G2", "b gnd a gnd"),
        ("R2", Resistor, "b gnd", &[("resistance", "2k")]),
        ("C2", Capacitor, "b gnd", &[("capacitance", "1n")]),
        stage("G3", "c gnd b gnd"),
        ("R3", Resistor, "c gnd", &[("resistance", "10k")]),
        ("C3", Capacitor, "c gnd", &[("capacitance", "200p")]),
    ];
    let circuit = circuit(&rows);
    let exact = |f: f64| {
        let s = Complex64::new(0.0, TAU * f);
        let z1 = 1.0 / (1e-5 + 1.0 / (5.0 + 1.0 / (s * 1e-7)));
        let z2 = 1.0 / (1.0 / 2e3 + s * 1e-9);
        let z3 = 1.0 / (1.0 / 10e3 + s * 200e-12);
        1e-9 * z1 * z2 * z3
    };
    let gain = loop_gain(&circuit, "G1", "cn", 10.0, 1e7, 20.0).unwrap();
    for (f, t) in gain.frequencies.iter().zip(&gain.gain) {
        agrees(*t, exact(*f), *f);
    }
    let margins = gain.margins();
    let (mut low, mut high) = (10.0f64, 1e7f64);
    for _ in 0..100 {
        let f = (low * high).sqrt();
        if exact(f).norm() > 1.0 { low = f } else { high = f }
    }
    assert!((margins.crossover.unwrap() / low - 1.0).abs() < 2e-3, "{margins:?}, {low}");
    let phase = 180.0 + exact(low).arg().to_degrees();
    assert!((margins.phase_margin.unwrap() - phase).abs() < 0.2, "{margins:?}, {phase}");
    // Where the phase passes −180° the closed form is real and negative.
    let at = exact(margins.phase_crossover.unwrap());
    assert!((at.arg().abs().to_degrees() - 180.0).abs() < 0.5);
    assert!((margins.gain_margin.unwrap() + decibels(at)).abs() < 0.05);
}

/// The old way: a coil so large that it breaks the loop for signals, a capacitor that feeds one in.
#[test]
fn loop_gain_agrees_with_a_loop_broken_by_a_coil() {
    let amplifier: &[(&str, &str)] = &[("gain_bandwidth", "1M"), ("second_pole", "2M"), ("input_resistance", "1T")];
    let with = |feedback: &'static str| -> Vec<Row<'_>> {
        vec![
            ("V1", DcSource, "vp gnd", &[("voltage", "12")]),
            ("V2", DcSource, "gnd vn", &[("voltage", "12")]),
            ("V3", DcSource, "in gnd", &[("voltage", "1")]),
            ("U1", Amplifier, feedback, amplifier),
            ("R1", Resistor, "out fb", &[("resistance", "10k")]),
            ("R2", Resistor, "fb gnd", &[("resistance", "10k")]),
            ("C1", Capacitor, "out gnd", &[("capacitance", "1n")]),
        ]
    };
    let closed = circuit(&with("out in fb vp vn"));
    let mut rows = with("out in cut vp vn");
    rows.push(("V9", DcSource, "probe gnd", &[("voltage", "0")]));
    rows.push(("L9", Inductor, "fb cut", &[("inductance", "1M")]));
    rows.push(("C9", Capacitor, "probe cut", &[("capacitance", "1")]));
    let mut broken = SmallSignal::new(&circuit(&rows)).unwrap();
    let gain = loop_gain(&closed, "U1", "inn", 100.0, 3e6, 5.0).unwrap();
    for (f, t) in gain.frequencies.iter().zip(&gain.gain) {
        let response = broken.respond(&Excitation::Source("V9".to_owned()), *f).unwrap();
        agrees(*t, -response.net("fb").unwrap() / response.net("cut").unwrap(), *f);
    }
}

/// The phase margin foretells the ringing of the step response within 3° (second-order relation).
#[test]
fn the_phase_margin_foretells_the_ringing() {
    // T = ω_u/s·1/(1 + s/p): a second-order loop exactly, ζ = ½·√(p/ω_u).
    let rows: [Row<'_>; 7] = [
        (
            "V1",
            circuit::KindId::PulseSource,
            "ref gnd",
            &[("high", "1"), ("delay", "1m"), ("width", "1"), ("period", "0")],
        ),
        ("G1", VoltageControlledCurrent, "gnd a ref out", &[("transconductance", "1m")]),
        ("C1", Capacitor, "a gnd", &[("capacitance", "10n")]),
        ("R1", Resistor, "a gnd", &[("resistance", "1G")]),
        ("E1", VoltageControlledVoltage, "e gnd a gnd", &[("gain", "1")]),
        ("R2", Resistor, "e out", &[("resistance", "1k")]),
        ("C2", Capacitor, "out gnd", &[("capacitance", "40n")]),
    ];
    let circuit = circuit(&rows);
    let margins = loop_gain(&circuit, "G1", "cn", 10.0, 1e6, 30.0).unwrap().margins();
    let run = run(circuit, 3e-3, f64::INFINITY, 1e-4);
    let peak = run.measure("out.v", 1e-3, 3e-3, |w, s| w.extremes(s).unwrap().1);
    // Overshoot e^(−πζ/√(1 − ζ²)) (handbook).
    let ln = (peak - 1.0).ln();
    let damping = -ln / (std::f64::consts::PI.powi(2) + ln * ln).sqrt();
    let margin = (2.0 * damping / ((1.0 + 4.0 * damping.powi(4)).sqrt() - 2.0 * damping * damping).sqrt()).atan();
    assert!((margin.to_degrees() - margins.phase_margin.unwrap()).abs() < 3.0, "{} {margins:?}", margin.to_degrees());
    assert!((margins.damping.unwrap() - damping).abs() < 0.03);
    // The decay of the whole ringing agrees, and its frequency is that of the closed loop's poles.
    let ringing = run.measure("out.v", 1.001e-3, 3e-3, |w, s| w.ringing(s).unwrap());
    assert!((ringing.damping - damping).abs() < 5e-3, "{ringing:?} for {damping}");
    let wanted = (1e5f64 * 2.5e4).sqrt() * (1.0 - damping * damping).sqrt() / TAU;
    assert!((ringing.frequency / wanted - 1.0).abs() < 1e-2, "{ringing:?} for {wanted}");
}
