//! Periodic states of circuits that no clock drives: the period is their own.

mod common;

use circuit::Circuit;
use circuit::KindId::{
    Capacitor, Comparator, ControlledSwitch, CriticalModulator, CurrentSensor, DcSource, Diode, HystereticModulator,
    Inductor, OnTimeModulator, Resistor,
};
use common::edges::{borrowed, values};
use common::{Run, circuit, tried};
use mellow_switched::{Settled, SwitchedError};
use proptest::prelude::*;
use recording::{Health, Recording};

/// Close to ideal.
const DIODE: &[(&str, &str)] =
    &[("saturation_current", "1"), ("emission", "0.001"), ("series_resistance", "1m"), ("typical_current", "1p")];
const SWITCH: &[(&str, &str)] = &[("on_resistance", "1m"), ("on_voltage", "3"), ("off_voltage", "2")];

/// A period of the settled state as a run.
fn recorded(circuit: &Circuit) -> (Settled, Run) {
    let settled = Settled::find(circuit, &mut Recording::default()).unwrap_or_else(|error| panic!("{error}"));
    let again = Settled::find(circuit, &mut Recording::default()).unwrap();
    let (mut kept, mut health) = (Recording::default(), Health::default());
    again.record(2, 1e-6, &mut kept, &mut health).unwrap();
    assert!(health.energy.relative < 1e-9, "{:#?}", health.energy);
    (settled, Run { columns: recording::columns(circuit), circuit: circuit.clone(), recording: kept, health })
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(24))]

    /// A comparator that charges and discharges the capacitor at its input: with levels at a part β of ±V the period is
    /// 2·R·C·ln((1 + β)/(1 − β)) (handbook).
    #[test]
    fn a_relaxation_oscillator_has_its_period(rc in 1e-6..1e-3f64, band in 0.1..8.0f64) {
        let own = values([("hysteresis", band), ("supply_current", 0.0), ("output_resistance", 1e-3)]);
        let part = values([("capacitance", rc / 10e3)]);
        let circuit = circuit(&[
            ("V1", DcSource, "vp gnd", &[("voltage", "5")]),
            ("V2", DcSource, "gnd vn", &[("voltage", "5")]),
            ("U1", Comparator, "y gnd c vp vn", &borrowed(&own)),
            ("R1", Resistor, "y c", &[("resistance", "9.999999k")]),
            ("C1", Capacitor, "c gnd", &borrowed(&part)),
        ]);
        let (settled, _) = recorded(&circuit);
        let beta = 0.5 * band / 5.0;
        let wanted = 2.0 * rc * ((1.0 + beta) / (1.0 - beta)).ln();
        prop_assert!((settled.period / wanted - 1.0).abs() < 1e-9, "{:e} s for {:e} s", settled.period, wanted);
        prop_assert!(settled.is_stable());
    }

    /// Converters whose modulators time themselves: the periodic state is where a long transient ends.
    #[test]
    fn a_long_transient_ends_where_it_is_found(
        which in 0..3usize,
        (line, share, load) in (10.0..30.0f64, 0.2..0.8f64, 2.0..8.0f64),
        (inductance, capacitance, esr) in (5e-6..40e-6f64, 50e-6..200e-6f64, 20e-3..60e-3f64),
        (time, band) in (0.5e-6..2e-6f64, 20e-3..60e-3f64),
    ) {
        let output = share * line;
        let source = values([("voltage", line)]);
        let (l, c, r) = (values([("inductance", inductance)]), values([("capacitance", capacitance), ("esr", esr)]), values([("resistance", load)]));
        let mut rows = vec![("V1", DcSource, "in gnd", borrowed(&source)), ("C1", Capacitor, "out gnd", borrowed(&c)), ("R1", Resistor, "out gnd", borrowed(&r))];
        let (control, own);
        if which < 2 {
            control = values([("voltage", output)]);
            own = if which == 0 { values([("on_time", time), ("least_off_time", 100e-9)]) } else { values([("hysteresis", band)]) };
            let kind = if which == 0 { OnTimeModulator } else { HystereticModulator };
            rows.extend([
                ("VC", DcSource, "c gnd", borrowed(&control)),
                ("U1", kind, "g c out gnd", borrowed(&own)),
                ("S1", ControlledSwitch, "in x g gnd", SWITCH.to_vec()),
                ("D1", Diode, "gnd x", DIODE.to_vec()),
                ("L1", Inductor, "x out", borrowed(&l)),
            ]);
        } else {
            // A boost at the edge of discontinuous conduction: half of its peak current is what the source delivers.
            control = values([("voltage", 0.1 * 2.0 * 6.0 * line / load)]);
            own = values([("zero", 1e-3), ("longest_on_time", 1e-3), ("restart_time", 2e-3)]);
            rows.extend([
                ("VC", DcSource, "c gnd", borrowed(&control)),
                ("U2", CurrentSensor, "in m s gnd", vec![("transresistance", "0.1"), ("bandwidth", "100M")]),
                ("U1", CriticalModulator, "g c s gnd", borrowed(&own)),
                ("L1", Inductor, "m x", borrowed(&l)),
                ("S1", ControlledSwitch, "x gnd g gnd", SWITCH.to_vec()),
                ("D1", Diode, "x out", DIODE.to_vec()),
            ]);
        }
        let rows: Vec<_> = rows.iter().map(|(id, kind, pins, own)| (*id, *kind, *pins, &own[..])).collect();
        let circuit = circuit(&rows);
        let (settled, round) = recorded(&circuit);
        // What oscillates in twos or more is not where a transient ends, and is said to be unstable.
        prop_assume!(settled.is_stable());
        let slowest = settled.multipliers.iter().map(|m| m.norm()).filter(|m| *m < 1.0 - 1e-6).fold(0.1, f64::max);
        let periods = (1e-9f64.ln() / slowest.ln()).max(50.0);
        prop_assume!(periods < 4000.0);
        let end = settled.begins() + 5e-3 + periods * settled.period;
        // Full scale is the inrush, so that what is left of it takes a finer recording.
        let run = tried(circuit, end, end - 30.0 * settled.period, 1e-9).unwrap();
        let from = round.recording.times[0];
        let mean = |run: &Run, signal: &str, from: f64, to: f64| run.mean(signal, from, to);
        for signal in ["out.v", "L1.i", "V1.p"] {
            let wanted = mean(&round, signal, from, from + settled.period);
            let found = mean(&run, signal, end - 25.0 * settled.period, end - 5.0 * settled.period);
            prop_assert!((found - wanted).abs() < 1e-6 * wanted.abs(), "{}: {} for {} over {:e} s", signal, found, wanted, settled.period);
        }
    }
}

#[test]
fn what_does_not_repeat_says_so() {
    let circuit = circuit(&[
        ("V1", DcSource, "in gnd", &[("voltage", "5")]),
        ("R1", Resistor, "in out", &[("resistance", "1k")]),
        ("C1", Capacitor, "out gnd", &[("capacitance", "1u")]),
    ]);
    let error = Settled::find(&circuit, &mut Recording::default()).err().unwrap();
    assert!(matches!(&error, SwitchedError::NotPeriodic { why } if why.contains("nothing repeats")), "{error}");
}
