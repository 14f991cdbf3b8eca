//! Where nothing new happens a period is computed and handed over once; the run is the one of which every period was computed.

mod common;

use circuit::Circuit;
use circuit::KindId::{
    Capacitor, ControlledSwitch, Counter, CurrentModulator, CurrentSensor, DcSource, Diode, Inductor, PulseSource,
    Resistor, SineSource, TimedSwitch,
};
use common::converters::{DIODE, SWITCH};
use common::{Run, circuit, controlled, converters};
use mellow_switched::{Settings, Settled, Transient};
use proptest::prelude::*;
use recording::{Chunk, Health, Observer, Recording};

/// Keeps everything as often as it comes, and counts the nodes handed over.
#[derive(Default)]
struct Counted {
    kept: Recording,
    nodes: usize,
}

impl Observer for Counted {
    fn record(&mut self, chunk: Chunk) {
        self.nodes += chunk.times.len();
        self.kept.record(chunk);
    }
}

/// Converters without a clock.
const FREE: [&str; 3] = ["hyst", "constant on-time", "critical"];

fn settings(end: f64, every_period: bool) -> Settings {
    Settings { end, record_from: 0.0, max_step: end, every_period, tolerance: 1e-5 }
}

/// With every period computed and without; nodes handed over in the second.
fn both(circuit: &Circuit, end: f64) -> ([Run; 2], usize) {
    let mut nodes = 0;
    let runs = [true, false].map(|every_period| {
        let (mut counted, mut health) = (Counted::default(), Health::default());
        Transient::new(circuit, &settings(end, every_period)).unwrap().advance(&mut counted, &mut health).unwrap();
        nodes = counted.nodes;
        Run { circuit: circuit.clone(), columns: recording::columns(circuit), recording: counted.kept, health }
    });
    assert_eq!(runs[0].health.repeated, 0);
    (runs, nodes)
}

/// Both have the same course, to what a recording follows to, and end in the same state, as close as said.
fn alike([every, once]: &[Run; 2], name: &str, close: f64) -> Result<(), TestCaseError> {
    let times = [&every.recording.times, &once.recording.times];
    let end = times[0][times[0].len() - 1];
    prop_assert!((times[1][times[1].len() - 1] - end).abs() < 1e-12 * end && times[1].windows(2).all(|t| t[0] < t[1]));
    for (column, values) in every.columns.iter().zip(&every.recording.columns) {
        let signal = format!("{}.{}", column.of, column.quantity.letter());
        let full = values.iter().fold(0.0f64, |most, v| most.max(v.abs()));
        if full < 1e-6 {
            continue;
        }
        let lasts = [every, once].map(|run| *run.values(&signal).last().unwrap());
        prop_assert!((lasts[0] - lasts[1]).abs() < close * full, "{name}, {signal}: ends at {lasts:?} of {full}");
        for k in 0..4 {
            let (from, to) = (0.25 * k as f64 * end, 0.25 * (k + 1) as f64 * end);
            let of = |run: &Run| {
                run.measure(&signal, from, to, |wave, span| {
                    let (least, most) = wave.extremes(span).unwrap();
                    [wave.mean(span).unwrap(), wave.rms(span).unwrap(), least, most]
                })
            };
            for (a, b) in of(every).into_iter().zip(of(once)) {
                prop_assert!((a - b).abs() < 5e-5 * full, "{name}, {signal} from {from}: {a} and {b} of {full}");
            }
        }
    }
    let [every, once] = [&every.health, &once.health];
    prop_assert!(once.energy.relative < 1e-7, "{name}: {:?}", once.energy);
    // What goes to and fro within a step counts as neither given nor lost, so both depend a little on where steps end.
    let turned = [every, once].map(|health| (health.energy.delivered, health.energy.dissipated));
    let alike = |a: f64, b: f64, within: f64| (a - b).abs() < within * every.energy.delivered;
    prop_assert!(alike(turned[0].0, turned[1].0, 1e-3) && alike(turned[0].1, turned[1].1, 1e-3), "{name}: {turned:?}");
    prop_assert!(alike(every.energy.stored, once.energy.stored, 10.0 * close), "{name}: {every:?} and {once:?}");
    Ok(())
}

proptest! {
    #![proptest_config(ProptestConfig { cases: 8, failure_persistence: None, ..ProptestConfig::default() })]

    #[test]
    fn what_is_left_out_would_have_been_the_same(
        which in 0..converters::all().len() + controlled::all().len(), times in 2.0..24.0f64,
    ) {
        let (name, rows, end, _) = converters::all().into_iter().chain(controlled::all()).nth(which).unwrap();
        let (runs, nodes) = both(&circuit(&rows), times * end);
        // What is not handed over is what was left out.
        let [every, once] = runs.each_ref().map(|run| run.recording.times.len());
        prop_assert!(once <= every + every / 5 && (runs[1].health.repeated > 0) == (nodes < once), "{name}");
        // A period of its own is known to what is left of it, many times over.
        let free = FREE.iter().any(|free| name.contains(free));
        alike(&runs, name, if free { 1e-6 } else { 1e-8 })?;
    }

    /// A load that a clock switches once in so many turns comes round in as many, and a switch that closes once begins it anew.
    #[test]
    fn a_period_of_several_turns_is_found(modulus in 2..9u32, ohms in 20.0..200.0f64, at in 0.55..0.65f64) {
        let (divides, ohms) = (modulus.to_string(), ohms.to_string());
        let end = 5e-3 * f64::from(modulus);
        let closes = (at * end).to_string();
        let circuit = circuit(&[
            ("V1", DcSource, "in gnd", &[("voltage", "12")]),
            ("V2", PulseSource, "c gnd", &[("low", "0"), ("high", "5"), ("width", "3u"), ("period", "10u")]),
            ("V3", DcSource, "no gnd", &[("voltage", "0")]),
            ("U1", Counter, "y no c gnd", &[("modulus", &divides)]),
            ("R1", Resistor, "in out", &[("resistance", "100")]),
            ("C1", Capacitor, "out gnd", &[("capacitance", "1u")]),
            ("S1", ControlledSwitch, "out a y gnd", SWITCH),
            ("R2", Resistor, "a gnd", &[("resistance", &ohms)]),
            ("S2", TimedSwitch, "out b", &[("changes_at", &closes)]),
            ("R3", Resistor, "b gnd", &[("resistance", "300")]),
        ]);
        let (runs, nodes) = both(&circuit, end);
        let computed = end / 10e-6 - runs[1].health.repeated as f64 * f64::from(modulus);
        prop_assert!(computed < 0.6 * end / 10e-6 && nodes < runs[0].recording.times.len(), "{computed} of {} computed", end / 10e-6);
        alike(&runs, "divided", 1e-8)?;
    }
}

/// Where nothing is timed the circuit's own period comes again: where it goes round by its own threshold, where its coil runs
/// dry, and where its on-time is constant.
#[test]
fn a_period_of_its_own_comes_again() {
    let all = converters::all().into_iter().chain(controlled::all());
    for (name, rows, end, _) in all.filter(|(name, ..)| FREE.iter().any(|free| name.contains(free))) {
        let (runs, nodes) = both(&circuit(&rows), 20.0 * end);
        let left_out = 1.0 - nodes as f64 / runs[1].recording.times.len() as f64;
        assert!(runs[1].health.repeated > 1000 && left_out > 0.7, "{name}: {left_out} left out");
    }
}

/// A buck whose peak current is held, with slope or without, its input and output so stiff that only the loop decides.
fn peak_current(duty: f64, slope: f64) -> Circuit {
    let (out, slope) = ((10.0 * duty).to_string(), slope.to_string());
    circuit(&[
        ("V1", DcSource, "in gnd", &[("voltage", "10")]),
        ("V2", DcSource, "out gnd", &[("voltage", &out)]),
        ("VC", DcSource, "c gnd", &[("voltage", "1")]),
        ("U8", CurrentSensor, "in d s gnd", &[("transresistance", "0.5"), ("bandwidth", "100M")]),
        ("RS", Resistor, "s gnd", &[("resistance", "100k")]),
        ("S1", ControlledSwitch, "d x g gnd", SWITCH),
        ("D1", Diode, "gnd x", DIODE),
        ("L1", Inductor, "x out", &[("inductance", "47u")]),
        ("U2", CurrentModulator, "g c s gnd", &[("slope", &slope), ("limit", "1.5")]),
    ])
}

/// A settled state that disturbances grow away from is never taken for one that lasts, however exactly the run begins in it; what
/// comes of it is a current that alternates. With slope the same is left out from the first periods on.
#[test]
fn an_unstable_state_is_not_taken_for_one_that_lasts() {
    for (duty, slope) in [(0.62, 0.0), (0.7, 0.0), (0.7, 40e3)] {
        let settled = Settled::find(&peak_current(duty, slope), &mut Recording::default()).unwrap();
        let (stable, end) = (settled.is_stable(), 4e-3);
        assert_eq!(stable, slope > 0.0, "{:?}", settled.multipliers);
        let (mut kept, mut health) = (Recording::default(), Health::default());
        settled.go_on(&settings(end, false)).advance(&mut kept, &mut health).unwrap();
        let current = recording::columns(&peak_current(duty, slope)).iter().position(|c| c.of == "L1").unwrap();
        let span = |from: f64, to: f64| {
            let inside = kept.times.iter().zip(&kept.columns[current]).filter(|(t, _)| (from..to).contains(*t));
            inside.fold((f64::MAX, f64::MIN), |(low, high), (_, i)| (low.min(*i), high.max(*i)))
        };
        let (first, late) = (span(0.1e-3, 0.15e-3), span(end - 0.2e-3, end));
        let swings = (late.1 - late.0) / (first.1 - first.0);
        if stable {
            assert!(health.repeated > 350 && (swings - 1.0).abs() < 1e-6, "{} {swings}", health.repeated);
        } else {
            assert!(swings > 1.3, "{swings} times as much after all: {first:?} {late:?}, {}", health.repeated);
        }
    }
}

/// A million mains periods are a second's work and a few nodes; nothing drifts.
#[test]
fn a_million_periods_are_kept_as_one() {
    struct Nodes(usize, f64);
    impl Observer for Nodes {
        fn record(&mut self, chunk: Chunk) {
            (self.0, self.1) = (self.0 + chunk.times.len(), *chunk.columns[2].last().unwrap());
        }
    }
    let circuit = circuit(&[
        ("V1", SineSource, "a gnd", &[("amplitude", "12"), ("frequency", "50")]),
        ("D1", Diode, "a out", DIODE),
        ("C1", Capacitor, "out gnd", &[("capacitance", "470u")]),
        ("R1", Resistor, "out gnd", &[("resistance", "100")]),
    ]);
    let (mut nodes, mut health) = (Nodes(0, 0.0), Health::default());
    Transient::new(&circuit, &settings(20e3, false)).unwrap().advance(&mut nodes, &mut health).unwrap();
    assert!(health.repeated > 999_000 && nodes.0 < 20_000, "{} nodes, {health:?}", nodes.0);
    assert!(health.energy.relative < 1e-9, "{:?}", health.energy);
}
