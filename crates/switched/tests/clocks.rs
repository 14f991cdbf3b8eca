//! Slow clocks beside fast ones, recordings that begin later, and periods that do not fit.

mod common;

use circuit::KindId::{Capacitor, ControlledSwitch, DcSource, Diode, Inductor, PulseSource, Resistor};
use circuit::{Circuit, common_period};
use common::circuit;
use mellow_switched::{Settings, Settled, SwitchedError, Transient};
use proptest::prelude::*;
use recording::{Health, Recording};

/// A buck at 100 kHz whose load is switched by a slow clock.
fn beside(slow: &str, width: &str) -> Circuit {
    circuit(&[
        ("V1", DcSource, "in gnd", &[("voltage", "24")]),
        ("VG", PulseSource, "g gnd", &[("high", "5"), ("width", "4u"), ("period", "10u")]),
        ("S1", ControlledSwitch, "in x g gnd", &[("on_voltage", "2.6"), ("off_voltage", "2.4")]),
        ("D1", Diode, "gnd x", &[]),
        ("L1", Inductor, "x out", &[("inductance", "47u")]),
        ("C1", Capacitor, "out gnd", &[("capacitance", "22u"), ("esr", "10m")]),
        ("R1", Resistor, "out gnd", &[("resistance", "4")]),
        ("VS", PulseSource, "s gnd", &[("high", "5"), ("width", width), ("period", slow)]),
        ("S2", ControlledSwitch, "out y s gnd", &[("on_voltage", "2.6"), ("off_voltage", "2.4")]),
        ("R2", Resistor, "y gnd", &[("resistance", "4")]),
    ])
}

fn settings(end: f64, record_from: f64) -> Settings {
    Settings { end, record_from, max_step: end, tolerance: 1e-5, every_period: false }
}

/// Runs go on beside a clock however slow, and a settled state that nobody could wait for is refused in words that name both.
#[test]
fn a_slow_clock_beside_a_fast_one_takes_no_room() {
    for (slow, width) in [("1k", "500"), ("1M", "500k"), ("76.923077", "30")] {
        let circuit = beside(slow, width);
        let (mut kept, mut health) = (Recording::default(), Health::default());
        Transient::new(&circuit, &settings(2e-3, 0.0)).unwrap().advance(&mut kept, &mut health).unwrap();
        assert!(health.energy.relative < 1e-9, "{health:?}");
        let Err(error) = Settled::find(&circuit, &mut Recording::default()) else {
            panic!("{slow} s was gone through")
        };
        assert!(
            matches!(error, SwitchedError::NotPeriodic { .. }) && error.to_string().contains("10\u{2009}µs"),
            "{error}"
        );
    }
    // A mains period beside it is gone through.
    assert_eq!(common_period(&[10e-6, 20e-3]), Ok(Some(20e-3)));
    assert!(common_period(&[10e-6, 10e-6 * std::f64::consts::SQRT_2]).unwrap_err().contains("14.14\u{2009}µs"));
}

proptest! {
    #![proptest_config(ProptestConfig { cases: 24, failure_persistence: None, ..ProptestConfig::default() })]

    /// A recording begins exactly where it is asked to, in both engines, and what is computed is the same as without.
    #[test]
    fn a_recording_begins_where_it_is_asked_to(from in 1e-6..9e-4f64) {
        let (circuit, end) = (beside("1k", "500"), 1e-3);
        let run = |from: f64| {
            let (mut kept, mut health) = (Recording::default(), Health::default());
            Transient::new(&circuit, &settings(end, from)).unwrap().advance(&mut kept, &mut health).unwrap();
            kept
        };
        let (whole, part) = (run(0.0), run(from));
        prop_assert_eq!(part.times[0], from);
        for (whole, part) in whole.columns.iter().zip(&part.columns) {
            let full = whole.iter().fold(1e-9f64, |most, v| most.max(v.abs()));
            prop_assert!((whole[whole.len() - 1] - part[part.len() - 1]).abs() < 1e-7 * full);
        }
        let equations = device::Equations::new(&circuit);
        let (mut kept, mut health) = (Recording::default(), Health::default());
        let start = device::Start::Rest;
        let short = 1e-4;
        let from = from * 0.1;
        let settings = device::Settings { end: short, record_from: from, min_step: 0.0, max_step: 1e-6, start, tolerance: 1e-3 };
        device::transient(&equations, &settings, &mut kept, &mut health).unwrap();
        prop_assert_eq!(kept.times[0], from);
    }
}
