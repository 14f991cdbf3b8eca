//! Single parts against closed forms, and what happens when a circuit cannot be solved.

mod common;

use circuit::KindId::{
    Capacitor, CoupledWindings, DcSource, Diode, IdealTransformer, Inductor, PulseSource, Resistor, SineSource,
    TimedSwitch,
};
use circuit::ReadingMeasure::{Max, Mean, Rms};
use common::{Row, circuit, run};
use mellow_device::{Ended, EngineError, Equations, Settings, Start, operating_point, transient};
use recording::{Chunk, Command, Health, Observer, Progress, Recording};
use std::f64::consts::{SQRT_2, TAU};

fn close(found: f64, wanted: f64, relative: f64) {
    assert!((found / wanted - 1.0).abs() < relative, "{found} for {wanted}");
}

/// Two windings with a resistive load, driven by a sine: the phasor solution of
/// `V = (R₁ + jωL₁)I₁ + jωM·I₂`, `0 = jωM·I₁ + (R₂ + R_L + jωL₂)I₂` (by hand).
#[test]
fn coupled_windings_follow_their_phasors() {
    let (l1, l2, k, r1, r2, load, omega): (f64, f64, f64, f64, f64, f64, f64) =
        (1.0, 10e-3, 0.98, 5.0, 0.1, 10.0, TAU * 50.0);
    let m = k * (l1 * l2).sqrt();
    // Impedance seen by the source: R₁ + jωL₁ + (ωM)²/(R₂ + R_L + jωL₂).
    let (re, im) = (r2 + load, omega * l2);
    let size = re * re + im * im;
    let reflected = (omega * m) * (omega * m) / size;
    let (zr, zi) = (r1 + reflected * re, omega * l1 - reflected * im);
    let i1 = 100.0 / zr.hypot(zi);
    let i2 = i1 * omega * m / size.sqrt();
    let run = run(
        circuit(&[
            ("V1", SineSource, "in gnd", &[("amplitude", "100"), ("amplitude_as", "rms"), ("frequency", "50")]),
            (
                "T1",
                CoupledWindings,
                "in gnd out gnd",
                &[
                    ("primary_inductance", "1"),
                    ("secondary_inductance", "10m"),
                    ("coupling", "0.98"),
                    ("primary_resistance", "5"),
                    ("secondary_resistance", "0.1"),
                ],
            ),
            ("R1", Resistor, "out gnd", &[("resistance", "10")]),
        ]),
        4.0,
        1e-3,
        1e-3,
    );
    let rms = |signal| run.measure(signal, 3.9, 4.0, |w, s| w.measure(Rms, s).unwrap());
    close(rms("T1.i"), i1, 1e-3);
    close(rms("out.v"), i2 * load, 1e-3);
    // What goes in comes out or turns to heat.
    let power = |signal| run.measure(signal, 3.9, 4.0, |w, s| w.mean(s).unwrap());
    close(-power("V1.p"), i1 * i1 * r1 + i2 * i2 * (r2 + load), 1e-3);
    let (lost, passed) = (power("T1.p"), -power("V1.p"));
    assert!((lost - i1 * i1 * r1 - i2 * i2 * r2).abs() < 1e-3 * passed, "{lost} of {passed}");
}

/// A sine that dips, rises or is interrupted once: its RMS is what is asked for before and after (by definition).
#[test]
fn a_sine_source_changes_once() {
    for (to, at) in [(0.9, 0.0613), (1.25, 0.1), (0.0, 0.083), (0.4, 0.0999)] {
        let (share, time) = (format!("{} %", 100.0 * to), format!("{at}"));
        let rows = [("amplitude", "10"), ("changes_to", &*share), ("changes_at", &*time)];
        let run = run(
            circuit(&[("V1", SineSource, "a gnd", &rows), ("R1", Resistor, "a gnd", &[("resistance", "5")])]),
            0.2,
            1e-3,
            1e-4,
        );
        let rms = |from, to| run.measure("R1.i", from, to, |w, s| w.measure(Rms, s).unwrap());
        close(rms(0.02, 0.06), 2.0, 1e-3);
        assert!((rms(0.12, 0.2) - 2.0 * to).abs() < 2e-3, "{to}");
    }
}

/// Turns ratio n: voltages as n, currents as 1/n, impedances as n² (handbook); direct voltage too.
#[test]
fn an_ideal_transformer_scales_voltage_current_and_impedance() {
    let circuit = circuit(&[
        ("V1", DcSource, "in gnd", &[("voltage", "12")]),
        ("R1", Resistor, "in p", &[("resistance", "8")]),
        ("T1", IdealTransformer, "p gnd s gnd", &[("ratio", "4")]),
        ("R2", Resistor, "s gnd", &[("resistance", "1")]),
    ]);
    let point = operating_point(&Equations::new(&circuit)).unwrap();
    let value = |of: &str| point.values.iter().find(|(c, _)| c.of == of).unwrap().1;
    close(value("p"), 12.0 * 16.0 / 24.0, 1e-12);
    close(value("s"), 2.0, 1e-12);
    close(value("T1"), 0.5, 1e-12);
    close(value("R2"), 2.0, 1e-12);
}

#[test]
fn pulses_have_their_levels_edges_and_period() {
    let run = run(
        circuit(&[
            (
                "V1",
                PulseSource,
                "a gnd",
                &[
                    ("low", "-1"),
                    ("high", "3"),
                    ("delay", "2u"),
                    ("rise", "1u"),
                    ("fall", "2u"),
                    ("width", "4u"),
                    ("period", "10u"),
                ],
            ),
            ("R1", Resistor, "a gnd", &[("resistance", "1k")]),
        ]),
        42e-6,
        f64::INFINITY,
        1e-3,
    );
    // Over one period: edges of 1 µs and 2 µs count half, 4 µs at 3 V, 3 µs at −1 V (by hand).
    let mean = run.measure("a.v", 12e-6, 22e-6, |w, s| w.measure(Mean, s).unwrap());
    close(mean, (0.5 * 3.0 * (3.0 - 1.0) + 4.0 * 3.0 - 3.0) / 10.0, 1e-9);
    let at = |t: f64| run.measure("a.v", 0.0, 42e-6, |w, _| w.at(t).unwrap());
    for (t, v) in
        [(1e-6, -1.0), (2.25e-6, 0.0), (2.75e-6, 2.0), (5e-6, 3.0), (8e-6, 1.0), (10.5e-6, -1.0), (12.5e-6, 1.0)]
    {
        assert!((at(t) - v).abs() < 1e-9, "{} at {t} for {v}", at(t));
    }
}

/// A coil charged through a switch and let go into a resistor: `V/R·(1 − e^(−t/τ))`, then decay
/// with the time constant of the discharge path (by hand).
#[test]
fn a_switch_charges_and_releases_a_coil() {
    let run = run(
        circuit(&[
            ("V1", DcSource, "in gnd", &[("voltage", "10")]),
            (
                "S1",
                TimedSwitch,
                "in a",
                &[
                    ("changes_at", "1m"),
                    ("changes_back_after", "5m"),
                    ("on_resistance", "1"),
                    ("off_resistance", "1G"),
                    ("transition", "10n"),
                ],
            ),
            ("L1", Inductor, "a gnd", &[("inductance", "10m"), ("resistance", "4")]),
            ("R1", Resistor, "a gnd", &[("resistance", "100")]),
        ]),
        7e-3,
        f64::INFINITY,
        1e-3,
    );
    // Behind the switch the source is 10 V·100/101 with 100/101 Ω.
    let (volts, ohms) = (1000.0 / 101.0, 4.0 + 100.0 / 101.0);
    let charged = volts / ohms * (1.0 - (-5e-3 * ohms / 10e-3f64).exp());
    let exact = |t: f64| match t {
        t if t < 1e-3 => 0.0,
        t if t < 6e-3 => volts / ohms * (1.0 - (-(t - 1e-3) * ohms / 10e-3).exp()),
        t => charged * (-(t - 6e-3) * 104.0 / 10e-3).exp(),
    };
    assert!(run.worst("L1.i", exact) < 1e-3 * charged, "{}", run.worst("L1.i", exact));
    // Released, the coil drives its whole current through the resistor.
    let kick = run.measure("R1.v", 6e-3, 7e-3, |w, s| -w.extremes(s).unwrap().0);
    close(kick, 100.0 * charged, 2e-3);
}

/// Sine amplitude as RMS, peak or peak-to-peak is the same wave.
#[test]
fn a_sine_is_what_its_amplitude_is_said_to_be() {
    for (value, said) in [("10", "rms"), ("14.142135623730951", "peak"), ("28.284271247461902", "peak_to_peak")] {
        let run = run(
            circuit(&[
                ("V1", SineSource, "a gnd", &[("amplitude", value), ("amplitude_as", said), ("frequency", "1k")]),
                ("R1", Resistor, "a gnd", &[("resistance", "50")]),
            ]),
            2e-3,
            1e-5,
            1e-4,
        );
        close(run.measure("a.v", 0.0, 2e-3, |w, s| w.measure(Rms, s).unwrap()), 10.0, 1e-4);
        close(run.measure("a.v", 0.0, 2e-3, |w, s| w.measure(Max, s).unwrap()), 10.0 * SQRT_2, 1e-4);
    }
}

fn settings(end: f64) -> Settings {
    Settings { end, record_from: 0.0, min_step: 0.0, start: Start::Rest, max_step: f64::INFINITY, tolerance: 1e-3 }
}

#[test]
fn what_is_undetermined_is_named() {
    // Two transformers in series leave the net between them to nobody: the structure check cannot
    // see it, the equations can.
    let floating = circuit(&[
        ("V1", DcSource, "in gnd", &[("voltage", "1")]),
        ("R1", Resistor, "in gnd", &[("resistance", "1")]),
        ("T1", IdealTransformer, "in gnd a gnd", &[("ratio", "1")]),
        ("T2", IdealTransformer, "in gnd a gnd", &[("ratio", "1")]),
    ]);
    let error = operating_point(&Equations::new(&floating)).unwrap_err();
    assert!(matches!(&error, EngineError::Singular { unknown } if unknown.contains("T")), "{error}");
    let outcome =
        transient(&Equations::new(&floating), &settings(1e-3), &mut Recording::default(), &mut Health::default());
    assert!(matches!(outcome, Err(EngineError::Singular { .. })), "{outcome:?}");
}

/// Stops after so many steps.
struct Impatient {
    steps: u32,
    nodes: usize,
}

impl Observer for Impatient {
    fn progress(&mut self, progress: &Progress<'_>) -> Command {
        assert!(progress.time <= progress.end);
        self.steps -= 1;
        if self.steps == 0 { Command::Stop } else { Command::Continue }
    }
    fn record(&mut self, chunk: Chunk) {
        self.nodes += chunk.times.len();
    }
}

#[test]
fn a_stopped_run_hands_over_what_it_has() {
    let rows: [Row<'_>; 3] = [
        ("V1", SineSource, "a gnd", &[("amplitude", "10"), ("frequency", "50")]),
        ("D1", Diode, "a b", &[]),
        ("C1", Capacitor, "b gnd", &[("capacitance", "10u")]),
    ];
    let equations = Equations::new(&circuit(&rows));
    let mut observer = Impatient { steps: 300, nodes: 0 };
    let mut health = Health::default();
    let ended = transient(&equations, &settings(10.0), &mut observer, &mut health).unwrap();
    assert_eq!((ended, health.steps, observer.nodes), (Ended::Stopped, 300, 601));
    assert!(health.energy.relative < 1e-2);
}

#[test]
fn the_same_input_gives_the_same_numbers_to_the_bit() {
    use common::systems::Case;
    let once = || {
        let equations = Equations::new(&common::systems::Bridge::circuit());
        let mut recording = Recording::default();
        transient(&equations, &settings(0.05), &mut recording, &mut Health::default()).unwrap();
        recording
    };
    let (first, second) = (once(), once());
    let bits = |r: &Recording| r.columns.iter().flatten().chain(&r.times).map(|v| v.to_bits()).collect::<Vec<_>>();
    assert_eq!(bits(&first), bits(&second));
}

/// Equations built again for other values give what they would give built anew, to the bit.
#[test]
fn equations_built_again_for_other_values_are_the_same() {
    let rows = |load: &'static [(&'static str, &'static str)]| -> [Row<'static>; 4] {
        [
            ("V1", SineSource, "a gnd", &[("amplitude", "10"), ("frequency", "50")]),
            ("D1", Diode, "a b", &[]),
            ("C1", Capacitor, "b gnd", &[("capacitance", "10u")]),
            ("R1", Resistor, "b gnd", load),
        ]
    };
    let (first, second) = (circuit(&rows(&[("resistance", "1k")])), circuit(&rows(&[("resistance", "330")])));
    let known = Equations::new(&first);
    let record = |equations: &Equations| {
        let mut recording = Recording::default();
        transient(equations, &settings(0.05), &mut recording, &mut Health::default()).unwrap();
        recording
    };
    assert_eq!(record(&known.again(&second)), record(&Equations::new(&second)));
    // Another circuit altogether is built from the ground.
    let other = circuit(&rows(&[])[..3]);
    assert_eq!(record(&known.again(&other)), record(&Equations::new(&other)));
}
