//! The settled state found straight away: against closed forms, against waiting, and over every circuit of `circuits/`.

mod common;

use circuit::KindId::*;
use circuit::{Circuit, Supply, resolve};
use common::{Row, circuit};
use mellow_device::{EngineError, Equations, Settings, Settled, Start, transient};
use proptest::prelude::*;
use recording::{Chunk, Command, Health, Observer, Progress, Recording};
use std::f64::consts::{SQRT_2, TAU};
use std::path::Path;

const TOLERANCE: f64 = 1e-3;

fn settings(end: f64, record_from: f64, max_step: f64) -> Settings {
    Settings { end, record_from, max_step, min_step: 0.0, start: Start::Rest, tolerance: TOLERANCE }
}

fn find(circuit: &Circuit) -> Result<(Settled, Health), EngineError> {
    let mut health = Health::default();
    let settings = settings(1.0, 0.0, f64::INFINITY);
    Settled::find(circuit, &settings, &mut Recording::default(), &mut health).map(|settled| (settled, health))
}

/// A period that begins so many after the one found.
fn after(circuit: &Circuit, settled: &Settled, periods: f64) -> Recording {
    let circuit = circuit.without_what_happens_once();
    let equations = Equations::new(&circuit);
    let from = settled.begins() + periods * settled.period;
    let (mut kept, mut health) = (Recording::default(), Health::default());
    let settings = settings(from + settled.period, from, settled.period);
    settled.go_on(&equations, &settings, &mut health).advance(&mut kept, &mut health).unwrap();
    kept
}

/// The largest difference of voltages where a period ends, relative to the largest each has been.
fn moved(circuit: &Circuit, settled: &Settled, periods: f64) -> f64 {
    let (first, later) = (after(circuit, settled, 0.0), after(circuit, settled, periods));
    let nets = circuit.nets.len() - 1;
    let size = |column: usize| first.columns[column].iter().fold(0.0f64, |most, v| most.max(v.abs()));
    let largest = (0..nets).map(size).fold(0.0, f64::max);
    let moved = |column: usize| {
        let [first, later] = [&first, &later].map(|run| run.columns[column].last().copied().unwrap());
        (first - later).abs() / size(column).max(1e-3 * largest)
    };
    (0..nets).map(moved).fold(0.0, f64::max)
}

fn corpus() -> Vec<(String, Circuit)> {
    let mut all = Vec::new();
    for directory in ["tests/circuits", "../../demo"] {
        let files = std::fs::read_dir(Path::new(env!("CARGO_MANIFEST_DIR")).join(directory)).unwrap();
        for path in
            files.map(|entry| entry.unwrap().path()).filter(|path| path.extension().is_some_and(|e| e == "json"))
        {
            let supply = Supply::from_json(&std::fs::read_to_string(&path).unwrap()).unwrap();
            all.push((path.file_stem().unwrap().to_string_lossy().into_owned(), resolve(&supply).unwrap()));
        }
    }
    all.sort_by(|a, b| a.0.cmp(&b.0));
    all
}

/// Once found, the circuit stays there: twenty periods later nothing has moved by more than a fifth of the tolerance. None takes
/// more than 25 periods, also where a bus, a filter or a thermistor would take thousands.
#[test]
fn every_circuit_of_the_corpus_stays_where_it_is_said_to_settle() {
    let (mut settled_ones, mut slow) = (0, 0);
    for (name, circuit) in corpus() {
        let (settled, _) = match find(&circuit) {
            Ok(found) => found,
            Err(EngineError::NotPeriodic { why }) => {
                assert!(why.contains("operating point") || why.contains("common"), "{name}: {why}");
                continue;
            }
            Err(error) => panic!("{name}: {error}"),
        };
        let moved = moved(&circuit, &settled, 20.0);
        let slowest = settled.multipliers.first().map_or(0.0, |m| m.norm());
        println!(
            "{name}: {} periods, residual {:.0e}, moved {moved:.0e}, multiplier {slowest:.4}",
            settled.periods, settled.residual
        );
        assert!(settled.periods <= 25 && settled.residual <= 0.3 * TOLERANCE, "{name}");
        assert!(moved < 0.2 * TOLERANCE, "{name}: moved by {moved:e}");
        (settled_ones, slow) = (settled_ones + 1, slow + usize::from(slowest > 0.8 && slowest < 0.9999));
    }
    assert!(settled_ones > 40 && slow > 8, "{settled_ones}, of which {slow} would be slow");
}

/// A relay that has closed for good in switch-on stays closed; a load's single step, a source's single change and a timed switch
/// never come.
#[test]
fn what_happens_once_does_not_happen() {
    let rows: &[Row<'_>] = &[
        (
            "V1",
            SineSource,
            "ac gnd",
            &[("amplitude", "12"), ("frequency", "50"), ("changes_to", "0.5"), ("changes_at", "7m")],
        ),
        ("D1", Diode, "ac bus", &[]),
        ("C1", Capacitor, "bus gnd", &[("capacitance", "1m")]),
        ("R1", Resistor, "bus gnd", &[("resistance", "100")]),
        ("S1", TimedSwitch, "bus x", &[("changes_at", "12m")]),
        ("R2", Resistor, "x gnd", &[("resistance", "1")]),
        ("I1", SteppedLoad, "bus gnd", &[("low", "10m"), ("high", "5"), ("delay", "3m"), ("width", "1")]),
    ];
    let (settled, _) = find(&circuit(rows)).unwrap();
    let (plain, _) = find(&circuit(&[
        ("V1", SineSource, "ac gnd", &[("amplitude", "12"), ("frequency", "50")]),
        rows[1],
        rows[2],
        rows[3],
        ("I1", CurrentLoad, "bus gnd", &[("current", "10m")]),
    ]))
    .unwrap();
    let of = |rows: &Circuit, settled: &Settled| {
        let run = after(rows, settled, 0.0);
        let bus = recording::columns(rows).iter().position(|column| column.of == "bus").unwrap();
        *run.columns[bus].last().unwrap()
    };
    let plain_rows = circuit(&[
        ("V1", SineSource, "ac gnd", &[("amplitude", "12"), ("frequency", "50")]),
        rows[1],
        rows[2],
        rows[3],
        ("I1", CurrentLoad, "bus gnd", &[("current", "10m")]),
    ]);
    let (a, b) = (of(&circuit(rows), &settled), of(&plain_rows, &plain));
    assert!(a > 12.0 && (a - b).abs() < 1e-3 * b, "{a} for {b}");
}

/// The settled state is the one that waiting leads to.
#[test]
fn waiting_leads_to_the_same_state() {
    for name in ["dual_rail_windings", "multiplier_four_stages", "tide-gauge-mains-supply", "buck_open_loop"] {
        let circuit = corpus().into_iter().find(|(of, _)| of == name).unwrap().1.without_what_happens_once();
        let (settled, _) = find(&circuit).unwrap();
        let slowest = settled.multipliers[0].norm();
        let periods = (1e-5f64.ln() / slowest.ln()).ceil();
        let from = settled.begins() + periods * settled.period;
        let equations = Equations::new(&circuit);
        let (mut waited, mut health) = (Recording::default(), Health::default());
        let settings = settings(from + settled.period, from, settled.period);
        transient(&equations, &settings, &mut waited, &mut health).unwrap();
        let straight = after(&circuit, &settled, 0.0);
        println!("{name}: {} periods instead of {periods}", settled.periods);
        assert!(f64::from(settled.periods) * 6.0 < periods, "{name}");
        for net in 0..circuit.nets.len() - 1 {
            let [a, b] = [&straight, &waited].map(|run| *run.columns[net].last().unwrap());
            let size = straight.columns[net].iter().fold(0.0f64, |most, v| most.max(v.abs()));
            assert!((a - b).abs() <= TOLERANCE * size, "{name}, {}: {a} for {b}", circuit.nets[net + 1]);
        }
    }
}

#[test]
fn what_does_not_repeat_is_said() {
    let said = |rows: &[Row<'_>]| find(&circuit(rows)).map(|_| ()).unwrap_err().to_string();
    let load: Row<'_> = ("R1", Resistor, "a gnd", &[]);
    let direct = said(&[("V1", DcSource, "a gnd", &[]), load]);
    assert!(direct.contains("operating point"), "{direct}");
    let odd = said(&[
        ("V1", SineSource, "a b", &[("frequency", "50")]),
        ("V2", SineSource, "b gnd", &[("frequency", "61.803398")]),
        load,
    ]);
    assert!(odd.contains("common multiple"), "{odd}");
    /// Has had enough.
    struct Enough;
    impl Observer for Enough {
        fn progress(&mut self, _progress: &Progress<'_>) -> Command {
            Command::Stop
        }
        fn record(&mut self, _chunk: Chunk) {}
    }
    let mains = circuit(&[("V1", SineSource, "a gnd", &[]), load]);
    let stopped = Settled::find(&mains, &settings(1.0, 0.0, 1.0), &mut Enough, &mut Health::default());
    assert_eq!(stopped.map(|_| ()).unwrap_err(), EngineError::Stopped);
}

proptest! {
    #![proptest_config(ProptestConfig { cases: 60, failure_persistence: None, ..ProptestConfig::default() })]

    /// A sine into R and C, however slow: amplitude and phase of the settled voltage are those of the complex divider, and a period
    /// leaves `e^(−T/RC)` of a disturbance.
    #[test]
    fn a_slow_filter_settles_at_once(
        frequency in 10.0..1e5f64,
        periods in 0.05..2000.0f64,
        ohms in 1.0..1e4f64,
        phase in 0.0..360.0f64,
        offset in -5.0..5.0f64,
    ) {
        let period = 1.0 / frequency;
        let farads = periods * period / ohms;
        let (f, p, o, r, c) =
            (format!("{frequency}"), format!("{phase}"), format!("{offset}"), format!("{ohms}"), format!("{farads}"));
        let filter = circuit(&[
            ("V1", SineSource, "in gnd", &[("amplitude", "7"), ("frequency", &f), ("phase", &p), ("offset", &o)]),
            ("R1", Resistor, "in out", &[("resistance", &r)]),
            ("C1", Capacitor, "out gnd", &[("capacitance", &c), ("esr", "0")]),
        ]);
        let (settled, _) = find(&filter).unwrap();
        prop_assert!(settled.periods <= 12, "{} periods", settled.periods);
        let left = settled.multipliers[0];
        let wanted = (-1.0 / periods).exp();
        prop_assert!((left.re - wanted).abs() < 1e-3 && left.im == 0.0, "{left} for {wanted}");
        let kept = after(&filter, &settled, 0.0);
        let out = recording::columns(&filter).iter().position(|column| column.of == "out").unwrap();
        let turn = TAU * periods;
        let (gain, lag) = (1.0 / (1.0 + turn * turn).sqrt(), turn.atan());
        for (t, v) in kept.times.iter().zip(&kept.columns[out]) {
            let exact = offset + 7.0 * SQRT_2 * gain * (TAU * frequency * t + phase.to_radians() - lag).sin();
            let scale = offset.abs().max(7.0 * SQRT_2 * gain);
            prop_assert!((v - exact).abs() < TOLERANCE * scale.max(1e-2), "{v} for {exact} at {t}");
        }
    }
}

/// A choke behind a bridge carries current all the time from `L = R/(3ω)` on (handbooks, from memory: the second harmonic alone,
/// 4V/3π over 2ωL, against the mean 2V/πR), and the less of the time the smaller it is; and it is said for how long not.
#[test]
fn a_choke_is_said_to_run_dry_below_its_critical_inductance() {
    let (ohms, omega) = (100.0, TAU * 50.0);
    let idle = |of_critical: f64| {
        let henries = (of_critical * ohms / (3.0 * omega)).to_string();
        let circuit = circuit(&[
            ("V1", SineSource, "a b", &[("amplitude", "100"), ("amplitude_as", "peak"), ("frequency", "50")]),
            ("D1", Diode, "a p", &[]),
            ("D2", Diode, "b p", &[]),
            ("D3", Diode, "gnd a", &[]),
            ("D4", Diode, "gnd b", &[]),
            ("L1", Inductor, "p out", &[("inductance", &henries)]),
            // What its iron loses: without, it would ring with the diodes' capacitance for thousands of times.
            ("R2", Resistor, "p out", &[("resistance", "50k")]),
            ("C1", Capacitor, "out gnd", &[("capacitance", "4.7m")]),
            ("R1", Resistor, "out gnd", &[("resistance", "100")]),
        ]);
        let (settled, _) = find(&circuit).unwrap();
        assert_eq!(settled.windings.len(), 1);
        assert_eq!(settled.windings[0].part, "L1");
        settled.windings[0].idle
    };
    assert_eq!([idle(2.0), idle(1.2)], [0.0; 2]);
    let dry = [0.8, 0.5, 0.2, 0.05].map(idle);
    assert!(dry[0] > 0.05 && dry.is_sorted(), "{dry:?}");
    // Nearly nothing to smooth with is a capacitor input: current for a small part of each half wave.
    assert!(dry[3] > 0.5, "{dry:?}");
}
