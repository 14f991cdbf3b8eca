//! The periodic steady state of lossless converters against closed forms, with values taken at random on both sides of the
//! border between continuous and discontinuous conduction.

mod common;

use circuit::Circuit;
use circuit::KindId::{
    Capacitor, ControlledSwitch, DcSource, Diode, IdealTransformer, Inductor, PulseSource, Resistor,
};
use common::circuit;
use mellow_switched::Settled;
use proptest::prelude::*;
use readings::Waveform;
use recording::{Health, Recording};

/// A diode without a drop, of some 27 µΩ.
const IDEAL: &[(&str, &str)] =
    &[("saturation_current", "1"), ("emission", "0.001"), ("series_resistance", "1u"), ("typical_current", "1p")];
const SWITCH: &[(&str, &str)] = &[("on_resistance", "1u"), ("on_voltage", "3"), ("off_voltage", "2")];

#[derive(Clone, Copy, Debug, PartialEq)]
enum Topology {
    Buck,
    Boost,
    BuckBoost,
    Sepic,
    Cuk,
    Forward,
    Flyback,
}
use Topology::{Boost, Buck, BuckBoost, Cuk, Flyback, Forward, Sepic};

const PERIOD: f64 = 1e-5;
const LOAD: f64 = 1e6;
const LINE: f64 = 24.0;

/// Voltage ratio in continuous conduction, critical K, and ratio in discontinuous conduction by K = 2L/(R·T) (R. W. Erickson &
/// D. Maksimović, *Fundamentals of Power Electronics*, 2nd ed., chapter 5, from memory). SEPIC and Ćuk are as the buck-boost
/// with both inductances in parallel (common practice); forward and flyback as buck and buck-boost seen from the secondary.
fn published(topology: Topology, d: f64, n: f64, k: f64) -> (f64, f64, f64) {
    let away = 1.0 - d;
    match topology {
        Buck | Forward => (n * d, away, 2.0 * n / (1.0 + (1.0 + 4.0 * k / (d * d)).sqrt())),
        Boost => (1.0 / away, d * away * away, 0.5 * (1.0 + (1.0 + 4.0 * d * d / k).sqrt())),
        _ => (n * d / away, away * away, n * d / k.sqrt()),
    }
}

/// The converter with an inductance that makes K what it is to be, capacitances of so many periods' time constant with the
/// load, and a transformer of n secondary turns per primary turn where it has one.
fn converter(topology: Topology, d: f64, n: f64, k: f64, smooth: f64) -> Circuit {
    let number = |value: f64| format!("{value:e}");
    // Seen from where the inductance is.
    let seen = if topology == Flyback { LOAD / (n * n) } else { LOAD };
    let whole = 0.5 * k * seen * PERIOD;
    let (inductance, doubled) = (number(whole), number(2.0 * whole));
    let output = number(smooth * PERIOD / LOAD);
    let (line, load, width) = (number(LINE), number(LOAD), number(d * PERIOD - 1e-12));
    let turns = number(1.0 / n);
    let drive = [("high", "5"), ("rise", "1p"), ("fall", "1p"), ("width", &*width), ("period", "10u")];
    let (l, twice, c) = ([("inductance", &*inductance)], [("inductance", &*doubled)], [("capacitance", &*output)]);
    let (line, load, turns) = ([("voltage", &*line)], [("resistance", &*load)], [("ratio", &*turns)]);
    let mut rows: Vec<common::Row<'_>> = vec![
        ("V1", DcSource, "in gnd", &line),
        ("VG", PulseSource, "g gnd", &drive),
        ("CO", Capacitor, "out gnd", &c),
        ("RO", Resistor, "out gnd", &load),
    ];
    match topology {
        Buck => rows.extend([
            ("S1", ControlledSwitch, "in x g gnd", SWITCH),
            ("D1", Diode, "gnd x", IDEAL),
            ("L1", Inductor, "x out", &l[..]),
        ]),
        Boost => rows.extend([
            ("L1", Inductor, "in x", &l[..]),
            ("S1", ControlledSwitch, "x gnd g gnd", SWITCH),
            ("D1", Diode, "x out", IDEAL),
        ]),
        BuckBoost => rows.extend([
            ("S1", ControlledSwitch, "in x g gnd", SWITCH),
            ("L1", Inductor, "x gnd", &l[..]),
            ("D1", Diode, "out x", IDEAL),
        ]),
        Sepic => rows.extend([
            ("L1", Inductor, "in x", &twice[..]),
            ("S1", ControlledSwitch, "x gnd g gnd", SWITCH),
            ("C1", Capacitor, "x y", &c),
            ("L2", Inductor, "gnd y", &twice[..]),
            ("D1", Diode, "y out", IDEAL),
        ]),
        Cuk => rows.extend([
            ("L1", Inductor, "in x", &twice[..]),
            ("S1", ControlledSwitch, "x gnd g gnd", SWITCH),
            ("C1", Capacitor, "x y", &c),
            ("D1", Diode, "y gnd", IDEAL),
            ("L2", Inductor, "y out", &twice[..]),
        ]),
        Forward => rows.extend([
            ("S1", ControlledSwitch, "in p g gnd", SWITCH),
            ("T1", IdealTransformer, "p gnd s gnd", &turns[..]),
            ("D1", Diode, "s x", IDEAL),
            ("D2", Diode, "gnd x", IDEAL),
            ("L1", Inductor, "x out", &l[..]),
        ]),
        Flyback => rows.extend([
            ("S1", ControlledSwitch, "in p g gnd", SWITCH),
            ("L1", Inductor, "p gnd", &l[..]),
            ("T1", IdealTransformer, "p gnd gnd s", &turns[..]),
            ("D1", Diode, "s out", IDEAL),
        ]),
    }
    circuit(&rows)
}

/// Mean of the output over a period.
fn output(circuit: &Circuit, settled: Settled) -> f64 {
    let (mut kept, mut health) = (Recording::default(), Health::default());
    settled.record(1, 1e-6, &mut kept, &mut health).unwrap_or_else(|error| panic!("{error}"));
    assert!(health.energy.relative < 1e-9, "{:?}", health.energy);
    let out = recording::columns(circuit).iter().position(|c| c.of == "out").unwrap();
    let wave = Waveform::new(&kept.times, &kept.columns[out]);
    wave.mean(wave.whole()).unwrap().abs()
}

fn held(topology: Topology, d: f64, n: f64, beyond: f64) {
    let (_, critical, _) = published(topology, d, n, 1.0);
    let k = critical * beyond;
    let (continuous, _, discontinuous) = published(topology, d, n, k);
    // The published ratios leave the ripple out.
    let smooth = 1e6 * (1.0 + continuous.max(discontinuous));
    let converter = converter(topology, d, n, k, smooth);
    let found = Settled::find(&converter);
    let settled = found.unwrap_or_else(|error| panic!("{topology:?}: {error}"));
    // What rounding leaves of a period is some 1e-15, and what of it a period takes away some 1e-7.
    assert!(settled.is_stable() && settled.residual < 1e-8, "{topology:?}: {:?}", settled.multipliers);
    let idle = settled.windings.iter().any(|w| w.idle > 0.0);
    let ratio = if beyond > 1.0 { continuous } else { discontinuous };
    // Both windings of these share what is idle, so neither is by itself.
    assert!(idle == (beyond < 1.0) || matches!(topology, Sepic | Cuk), "{topology:?}: {:?}", settled.windings);
    let found = output(&converter, settled) / LINE;
    assert!((found / ratio - 1.0).abs() < 1e-6, "{topology:?} d {d} n {n} K {k}: {found} for {ratio}");
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(24))]

    #[test]
    fn lossless_converters_have_their_ratios(
        d in 0.15f64..0.75,
        turns in 0.2f64..4.0,
        beyond in prop_oneof![0.1f64..0.9, 1.1f64..6.0],
    ) {
        for topology in [Buck, Boost, BuckBoost, Sepic, Cuk, Forward, Flyback] {
            let n = if matches!(topology, Forward | Flyback) { turns } else { 1.0 };
            held(topology, d, n, beyond);
        }
    }

    /// Cold to settled with output capacitors as they are used, up to a filter of milliseconds at 1 MHz.
    #[test]
    fn few_steps_lead_there(
        d in 0.1f64..0.8,
        turns in 0.2f64..4.0,
        beyond in 0.05f64..6.0,
        smooth in 2.0f64..8.0,
    ) {
        for topology in [Buck, Boost, BuckBoost, Sepic, Cuk, Forward, Flyback] {
            let n = if matches!(topology, Forward | Flyback) { turns } else { 1.0 };
            let (_, critical, _) = published(topology, d, n, 1.0);
            let converter = converter(topology, d, n, critical * beyond, smooth.exp());
            let settled = Settled::find(&converter).unwrap_or_else(|error| panic!("{topology:?}: {error}"));
            prop_assert!(settled.iterations < 20, "{topology:?} took {} steps", settled.iterations);
        }
    }
}
