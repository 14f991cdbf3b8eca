//! Devices with two states, and runs that stop and go on.

mod common;

use circuit::KindId::{
    Capacitor, Comparator, ControlledSwitch, CurrentSwitch, DcSource, Inductor, Npn, PiecewiseSource, Resistor,
    SineSource, Zener,
};
use common::{Row, circuit, run};
use mellow_device::{Ended, EngineError, Equations, Settings, Start, Transient, operating_point, transient};
use recording::{Chunk, Command, Health, Observer, Progress, Recording};

const OSCILLATOR: [Row<'_>; 4] = [
    ("V1", DcSource, "in gnd", &[("voltage", "12")]),
    ("R1", Resistor, "in c", &[("resistance", "10k")]),
    ("C1", Capacitor, "c gnd", &[("capacitance", "100n"), ("esr", "0")]),
    (
        "S1",
        ControlledSwitch,
        "c gnd c gnd",
        &[
            ("behaviour", "hysteresis"),
            ("on_voltage", "8"),
            ("off_voltage", "2"),
            ("on_resistance", "100"),
            ("off_resistance", "1T"),
        ],
    ),
];

/// A capacitor charged through a resistor and discharged by a switch with hysteresis: every
/// instant is an exponential's.
#[test]
fn a_switch_with_hysteresis_trips_where_the_exponential_says() {
    let run = run(circuit(&OSCILLATOR), 6e-3, 1e-3, 1e-6);
    // Charging towards 12 V with R1, discharging towards 12 V·100/(10k + 100) with both.
    let (slow, fast) = (1e-3, 1e-7 * 1e4 * 100.0 / 1.01e4);
    let rest = 12.0 * 100.0 / 1.01e4;
    let down = fast * ((8.0f64 - rest) / (2.0 - rest)).ln();
    let up = slow * (10.0f64 / 4.0).ln();
    let mut instants = vec![slow * 3.0f64.ln()];
    while let Some(last) = instants.last().filter(|t| **t < 6e-3).copied() {
        instants.push(last + if instants.len() % 2 == 1 { down } else { up });
    }
    let voltage = run.values("c.v");
    for (k, instant) in instants.iter().enumerate().take(instants.len() - 1) {
        let wanted = if k % 2 == 0 { 8.0 } else { 2.0 };
        let node = run.recording.times.partition_point(|t| *t < instant - 2e-8);
        let near = (node..node + 60).find(|n| (voltage[*n] - wanted).abs() < 1e-5);
        let found = near.map(|n| run.recording.times[n]);
        let found = found.unwrap_or_else(|| panic!("no trip near {instant}"));
        assert!((found - instant).abs() < 5e-9, "trip {k}: {found} for {instant}");
    }
    assert_eq!(run.health.trips, instants.len() as u64 - 1);
}

#[test]
fn a_relay_closes_at_its_current() {
    let run = run(
        circuit(&[
            ("V1", DcSource, "in gnd", &[("voltage", "12")]),
            ("L1", Inductor, "in x", &[("inductance", "0.5"), ("resistance", "100")]),
            ("S1", CurrentSwitch, "lamp in x gnd", &[("behaviour", "hysteresis"), ("on_current", "60m")]),
            ("R1", Resistor, "lamp gnd", &[("resistance", "1k")]),
        ]),
        20e-3,
        1e-3,
        1e-5,
    );
    let lamp = run.values("lamp.v");
    let closed = lamp.iter().position(|v| *v > 6.0).map(|n| run.recording.times[n]).unwrap();
    let wanted = 0.5 / 100.0 * 2.0f64.ln();
    assert!((closed - wanted).abs() < 1e-7, "{closed} for {wanted}");
    assert_eq!(run.health.trips, 1);
}

/// A triangle crosses both thresholds of a comparator: it decides at them, and its output goes over
/// with its response time.
#[test]
fn a_comparator_decides_at_its_thresholds() {
    let run = run(
        circuit(&[
            ("V1", DcSource, "vcc gnd", &[("voltage", "5")]),
            ("V2", PiecewiseSource, "in gnd", &[("points", "0 0, 1m 4, 2m 0")]),
            ("V3", DcSource, "ref gnd", &[("voltage", "2")]),
            ("U1", Comparator, "out in ref vcc gnd", &[("hysteresis", "0.2"), ("response_time", "1u")]),
            ("R1", Resistor, "out gnd", &[("resistance", "1M")]),
        ]),
        2e-3,
        1e-4,
        1e-6,
    );
    let high = 5.0 * 1e6 / (1e6 + 100.0);
    let at = |t: f64| run.measure("out.v", 0.0, 2e-3, |w, _| w.at(t).unwrap());
    for k in 1..4 {
        let gone = (-f64::from(k)).exp();
        let (up, down) = (at(0.525e-3 + 1e-6 * f64::from(k)), at(1.525e-3 + 1e-6 * f64::from(k)));
        assert!((up - high * (1.0 - gone)).abs() < 1e-4 * high, "{up} after {k} response times");
        assert!((down - high * gone).abs() < 1e-4 * high, "{down} after {k} response times");
    }
    assert_eq!(run.health.trips, 2);
}

/// Two switches that trip each other without end are named.
#[test]
fn endless_tripping_is_named() {
    let rows: [Row<'_>; 3] = [
        ("V1", DcSource, "in gnd", &[("voltage", "10")]),
        ("R1", Resistor, "in a", &[("resistance", "1k")]),
        (
            "S1",
            ControlledSwitch,
            "a gnd a gnd",
            &[("behaviour", "hysteresis"), ("on_voltage", "5"), ("off_voltage", "4"), ("on_resistance", "1")],
        ),
    ];
    let equations = Equations::new(&circuit(&rows));
    let outcome = transient(&equations, &settings(1e-3, 1e-3), &mut Recording::default(), &mut Health::default());
    assert!(matches!(&outcome, Err(EngineError::Chatter { part, .. }) if part == "S1"), "{outcome:?}");
}

fn settings(end: f64, tolerance: f64) -> Settings {
    Settings { end, record_from: 0.0, max_step: 1e-4, min_step: 0.0, start: Start::Rest, tolerance }
}

/// Keeps what it is given and stops once at a time.
struct Pausing {
    recording: Recording,
    at: f64,
}

impl Observer for Pausing {
    fn progress(&mut self, progress: &Progress<'_>) -> Command {
        if progress.time >= self.at { Command::Stop } else { Command::Continue }
    }
    fn record(&mut self, chunk: Chunk) {
        self.recording.record(chunk);
    }
}

/// What stopped goes on with another tolerance from where it stood, and what could not go on with
/// too long a shortest step does with a shorter one.
#[test]
fn a_run_goes_on_where_it_stopped() {
    let equations = Equations::new(&circuit(&OSCILLATOR));
    let mut whole = Recording::default();
    transient(&equations, &settings(6e-3, 1e-5), &mut whole, &mut Health::default()).unwrap();

    let mut health = Health::default();
    let mut halves = Pausing { recording: Recording::default(), at: 2.9e-3 };
    let mut run = Transient::new(&equations, &settings(6e-3, 1e-4), &mut health).unwrap();
    assert_eq!(run.advance(&mut halves, &mut health), Ok(Ended::Stopped));
    assert!(run.time() >= 2.9e-3 && run.time() < 3.1e-3);
    let kept = run.kept(&health);
    let mut run = Transient::resume(&equations, &settings(6e-3, 1e-5), &kept, &mut health).unwrap();
    halves.at = f64::INFINITY;
    assert_eq!(run.advance(&mut halves, &mut health), Ok(Ended::Done));
    let times = &halves.recording.times;
    assert!(times.windows(2).all(|t| t[0] < t[1]) && *times.last().unwrap() == 6e-3);
    let last = |r: &Recording| r.columns[1].last().copied().unwrap();
    assert!((last(&whole) - last(&halves.recording)).abs() < 1e-2, "{} {}", last(&whole), last(&halves.recording));

    let coarse = Settings { min_step: 1e-5, ..settings(6e-3, 1e-4) };
    let mut health = Health::default();
    let mut run = Transient::new(&equations, &coarse, &mut health).unwrap();
    let outcome = run.advance(&mut halves, &mut health);
    assert!(matches!(outcome, Err(EngineError::Stuck { .. })), "{outcome:?}");
    let kept = run.kept(&health);
    let mut run = Transient::resume(&equations, &settings(6e-3, 1e-4), &kept, &mut health).unwrap();
    assert_eq!(run.advance(&mut halves, &mut health), Ok(Ended::Done));
}

#[test]
fn only_what_is_wanted_is_recorded() {
    let all = Equations::new(&circuit(&OSCILLATOR));
    let mut some = Equations::new(&circuit(&OSCILLATOR));
    some.record_only(|column| column.of == "c");
    let record = |equations: &Equations, from: f64| {
        let mut recording = Recording::default();
        let settings = Settings { record_from: from, ..settings(3e-3, 1e-4) };
        transient(equations, &settings, &mut recording, &mut Health::default()).unwrap();
        recording
    };
    let (all_of_it, some_of_it, late) = (record(&all, 0.0), record(&some, 0.0), record(&some, 2e-3));
    assert_eq!(some_of_it.columns, [all_of_it.columns[1].clone()]);
    assert_eq!(all.columns()[1].of, "c");
    // It begins exactly there, at a node more, and goes on as the other does but for that.
    assert_eq!(late.times[0], 2e-3);
    assert!((late.columns[0].last().unwrap() - some_of_it.columns[0].last().unwrap()).abs() < 1e-3);
}

#[test]
fn the_operating_point_says_what_devices_do() {
    let rows: [Row<'_>; 7] = [
        ("V1", DcSource, "in gnd", &[("voltage", "12")]),
        ("R1", Resistor, "in k", &[("resistance", "1k")]),
        ("D1", Zener, "gnd k", &[("zener_voltage", "5.1")]),
        ("R2", Resistor, "k b", &[("resistance", "1k")]),
        ("Q1", Npn, "c b gnd", &[]),
        ("R3", Resistor, "in c", &[("resistance", "10k")]),
        ("V2", SineSource, "x gnd", &[("amplitude", "1"), ("frequency", "50")]),
    ];
    let mut rows = rows.to_vec();
    rows.push(("R4", Resistor, "x gnd", &[]));
    let point = operating_point(&Equations::new(&circuit(&rows))).unwrap();
    assert_eq!(point.regions, [("D1".to_owned(), "in breakdown"), ("Q1".to_owned(), "saturation")]);
}
