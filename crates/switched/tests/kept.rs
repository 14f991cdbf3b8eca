//! A run that is stopped anywhere and gone on with elsewhere is the run that was never stopped, to the bit.

mod common;

use circuit::KindId::{Capacitor, DcSource, Resistor};
use common::{circuit, controlled, converters};
use mellow_switched::{Ended, Kept, Settings, SwitchedError, Transient};
use proptest::prelude::*;
use recording::{Chunk, Command, Health, Observer, Progress, Recording, Unfit};

/// Stops after so many steps.
#[derive(Default)]
struct Until {
    steps: u64,
    kept: Recording,
}

impl Observer for Until {
    fn progress(&mut self, progress: &Progress<'_>) -> Command {
        if progress.health.steps < self.steps { Command::Continue } else { Command::Stop }
    }
    fn record(&mut self, chunk: Chunk) {
        self.kept.record(chunk);
    }
}

proptest! {
    #![proptest_config(ProptestConfig { cases: 24, failure_persistence: None, ..ProptestConfig::default() })]

    #[test]
    fn what_goes_on_is_what_was_never_stopped(
        which in 0..converters::all().len() + controlled::all().len(),
        stops in proptest::collection::vec(0.0..1.0f64, 1..4),
        from in prop_oneof![Just(0.0), 0.0..0.5f64],
    ) {
        let (name, rows, end, _) = converters::all().into_iter().chain(controlled::all()).nth(which).unwrap();
        let circuit = circuit(&rows);
        // Some hundred periods are enough.
        let end = 0.2 * end;
        let settings = Settings { end, record_from: from * end, max_step: end, every_period: true, tolerance: 1e-5 };
        let (mut straight, mut health) = (Recording::default(), Health::default());
        Transient::new(&circuit, &settings).unwrap().advance(&mut straight, &mut health).unwrap();
        let mut stops: Vec<u64> = stops.iter().map(|stop| (stop * health.steps as f64) as u64 + 1).collect();
        stops.sort_unstable();
        let (mut until, mut parted) = (Until::default(), Health::default());
        let mut transient = Transient::new(&circuit, &settings).unwrap();
        for steps in stops {
            until.steps = steps;
            if transient.advance(&mut until, &mut parted).unwrap() == Ended::Done {
                break;
            }
            let mut bytes = Vec::new();
            ciborium::into_writer(&transient.kept(&parted), &mut bytes).unwrap();
            let kept: Kept = ciborium::from_reader(bytes.as_slice()).unwrap();
            prop_assert!(kept.fits(&circuit).is_ok() && kept.time <= end);
            transient = Transient::resume(&circuit, &settings, &kept, &mut parted).unwrap();
        }
        until.steps = u64::MAX;
        transient.advance(&mut until, &mut parted).unwrap();
        prop_assert!(until.kept.times == straight.times, "{}: {} nodes for {}", name, until.kept.times.len(), straight.times.len());
        prop_assert!(until.kept.columns == straight.columns, "{}", name);
        // Of a loss where one step begins and another ends the last digit may be taken from either.
        let of = |health: &Health| [health.energy.delivered, health.energy.dissipated, health.energy.stored];
        let close = of(&parted).into_iter().zip(of(&health)).all(|(a, b)| (a - b).abs() <= 1e-9 * b.abs());
        prop_assert!(close && parted.pulses == health.pulses, "{}: {:?} for {:?}", name, parted, health);
        prop_assert_eq!([parted.steps, parted.trips], [health.steps, health.trips], "{}", name);
    }
}

/// What was left by another circuit is refused, and a longer end is just gone on to.
#[test]
fn another_circuit_is_refused_and_a_later_end_reached() {
    let charged = |capacitor: &str, ohms: &str| {
        circuit(&[
            ("V1", DcSource, "in gnd", &[("voltage", "10")]),
            ("R1", Resistor, "in out", &[("resistance", ohms)]),
            (capacitor, Capacitor, "out gnd", &[("capacitance", "1u")]),
        ])
    };
    let settings = |end: f64| Settings { end, record_from: 0.0, max_step: end, every_period: false, tolerance: 1e-6 };
    let (first, mut health) = (charged("C1", "1k"), Health::default());
    let mut transient = Transient::new(&first, &settings(1e-3)).unwrap();
    transient.advance(&mut Recording::default(), &mut health).unwrap();
    let kept = transient.kept(&health);
    let refused = Transient::resume(&charged("C2", "1k"), &settings(2e-3), &kept, &mut health).map(|_| ());
    assert_eq!(refused.unwrap_err(), SwitchedError::Unfit(Unfit::Circuit));
    // Values may have changed: from there on the new ones hold.
    let mut recorded = Recording::default();
    let slower = charged("C1", "2k");
    Transient::resume(&slower, &settings(3e-3), &kept, &mut health)
        .unwrap()
        .advance(&mut recorded, &mut health)
        .unwrap();
    let out = recording::columns(&slower).iter().position(|column| column.of == "out").unwrap();
    let exact = 10.0 * (1.0 - (-1.0f64 - 1.0).exp());
    assert!((recorded.columns[out].last().unwrap() - exact).abs() < 1e-12 && recorded.times[0] > 1e-3);
}
