//! The periodic steady state of lossless converters against closed forms, with values taken at random on both sides of the
//! border between continuous and discontinuous conduction.

mod common;

use circuit::Circuit;
use circuit::KindId::{
    Capacitor, ControlledSwitch, DcSource, Diode, IdealTransformer, Inductor, PulseSource, Resistor, SteppedLoad,
};
use common::{circuit, controlled};
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
    let found = Settled::find(&converter, &mut Recording::default());
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
            let settled = Settled::find(&converter, &mut Recording::default()).unwrap_or_else(|error| panic!("{topology:?}: {error}"));
            prop_assert!(settled.iterations < 20, "{topology:?} took {} steps", settled.iterations);
        }
    }
}

proptest! {
    #![proptest_config(ProptestConfig { cases: 12, failure_persistence: None, ..ProptestConfig::default() })]

    /// Whatever loads a closed loop, from what its current limit holds to next to nothing, its settled state is found.
    #[test]
    fn a_loop_settles_whatever_its_load(which in 0..controlled::all().len(), load in 0.7f64..9.0) {
        let (name, mut rows, ..) = controlled::all().swap_remove(which);
        // A corrector takes some hundred pulses a period, and its bus is no net of this name.
        let ohms = load.exp().to_string();
        let own = [("resistance", ohms.as_str())];
        if !name.contains("corrector") {
            rows.push(("RX", Resistor, "out gnd", &own));
        }
        let settled = Settled::find(&circuit(&rows), &mut Recording::default()).unwrap_or_else(|error| panic!("{name}: {error}"));
        prop_assert!(settled.iterations < 60, "{name} with {ohms} Ω took {} steps", settled.iterations);
        prop_assert!(settled.residual < 1e-11, "{name} with {ohms} Ω: {}", settled.residual);
    }
}

/// Few steps lead there from rest where a loop is closed, whose amplifier begins at its limit.
#[test]
fn few_steps_lead_to_where_a_loop_settles() {
    for (name, rows, ..) in controlled::all() {
        let settled = Settled::find(&circuit(&rows), &mut Recording::default()).unwrap();
        assert!(settled.iterations < 20, "{name} took {} steps", settled.iterations);
    }
}

/// Where switch and diode have the same resistance, a buck converter is the same linear circuit all the time, and of a
/// disturbance each period leaves `e^(λT)` of either mode (by hand).
#[test]
fn a_period_leaves_what_the_modes_of_the_circuit_leave() {
    for (inductance, capacitance, load) in [(47e-6, 22e-6, 5.0), (100e-6, 1e-6, 3.0), (10e-6, 100e-6, 2.0)] {
        let text = [inductance, capacitance, load].map(|value: f64| format!("{value:e}"));
        let circuit = circuit(&[
            ("V1", DcSource, "in gnd", &[("voltage", "10")]),
            (
                "VG",
                PulseSource,
                "g gnd",
                &[("high", "5"), ("rise", "1p"), ("fall", "1p"), ("width", "5u"), ("period", "10u")],
            ),
            ("S1", ControlledSwitch, "in x g gnd", &[("on_resistance", "26.864926u")]),
            ("D1", Diode, "gnd x", IDEAL),
            ("L1", Inductor, "x out", &[("inductance", &text[0])]),
            ("C1", Capacitor, "out gnd", &[("capacitance", &text[1])]),
            ("R1", Resistor, "out gnd", &[("resistance", &text[2])]),
        ]);
        let settled = Settled::find(&circuit, &mut Recording::default()).unwrap();
        // λ² + λ·(r/L + 1/RC) + (1 + r/R)/LC = 0; together they leave e^(−(r/L + 1/RC)·T).
        let (r, sum) = (26.864926e-6, 26.864926e-6 / inductance + 1.0 / (load * capacitance));
        let both = settled.multipliers[0] * settled.multipliers[1];
        assert!((both.re / (-sum * PERIOD).exp() - 1.0).abs() < 1e-9 && both.im.abs() < 1e-9, "{both}");
        let root = sum * sum / 4.0 - (1.0 + r / load) / (inductance * capacitance);
        let trace = (settled.multipliers[0] + settled.multipliers[1]).re;
        let half = (-0.5 * sum * PERIOD).exp();
        let wanted = if root < 0.0 {
            2.0 * half * ((-root).sqrt() * PERIOD).cos()
        } else {
            2.0 * half * (root.sqrt() * PERIOD).cosh()
        };
        assert!((trace - wanted).abs() < 1e-9, "{trace} for {wanted}");
    }
}

/// A transient that has waited for long enough stands where the settled state was found straight away.
#[test]
fn a_long_transient_ends_in_the_settled_state() {
    let mut tried = 0;
    for (name, rows, ..) in common::converters::all() {
        let circuit = circuit(&rows);
        // What steps, runs freely or belongs to the mains has no short period of its own.
        let Ok(settled) = Settled::find(&circuit, &mut Recording::default()) else { continue };
        let slowest = settled.multipliers.first().map_or(0.0, |m| m.norm());
        let periods = (1e-10f64.ln() / slowest.ln()).ceil().max(1.0);
        if settled.free || circuit.parts.iter().any(|p| p.kind == SteppedLoad) || !(1.0..20_000.0).contains(&periods) {
            continue;
        }
        let end = settled.begins() + periods * settled.period;
        let (mut first, mut health) = (Recording::default(), Health::default());
        settled.record(1, 1e-6, &mut first, &mut health).unwrap();
        let run = common::tried(circuit, end, end - 1e-9, 1e-6).unwrap_or_else(|error| panic!("{name}: {error}"));
        for (column, (a, b)) in run.columns.iter().zip(first.columns.iter().zip(&run.recording.columns)) {
            let full = a.iter().fold(1e-3, |most: f64, v| most.max(v.abs()));
            let (settled, waited) = (a[0], *b.last().unwrap());
            assert!((settled - waited).abs() < 1e-8 * full, "{name}, {column:?}: {settled} for {waited}");
        }
        tried += 1;
    }
    assert!(tried >= 7, "{tried}");
}

proptest! {
    #![proptest_config(ProptestConfig { cases: 6, failure_persistence: None, ..ProptestConfig::default() })]

    /// Both engines say of a buck's choke for how long it carries no current: `1 − D/M` of a period, where the ratio of voltages is
    /// `M = 2/(1 + √(1 + 4K/D²))` (R. W. Erickson & D. Maksimović, *Fundamentals of Power Electronics*, chapter 5).
    #[test]
    fn both_engines_tell_how_long_a_choke_runs_dry(duty in 0.25..0.6f64, below in 0.2..0.8f64) {
        let k = below * (1.0 - duty);
        let (henries, width) = ((k * 20.0 * 10e-6 / 2.0).to_string(), (10e-6 * duty - 20e-9).to_string());
        let drive = [("low", "0"), ("high", "5"), ("rise", "20n"), ("fall", "20n"), ("width", &*width), ("period", "10u")];
        let choke = [("inductance", &*henries)];
        let circuit = circuit(&[
            ("V1", DcSource, "in gnd", &[("voltage", "200")]),
            ("VG", PulseSource, "g gnd", &drive),
            ("S1", ControlledSwitch, "in x g gnd", common::converters::SWITCH),
            ("D1", Diode, "gnd x", common::converters::DIODE),
            ("L1", Inductor, "x out", &choke),
            ("C1", Capacitor, "out gnd", &[("capacitance", "100u")]),
            ("R1", Resistor, "out gnd", &[("resistance", "20")]),
        ]);
        let settings = device::Settings {
            end: 1.0, record_from: 0.0, max_step: f64::INFINITY, min_step: 0.0, start: device::Start::Rest, tolerance: 1e-3,
        };
        let (mut kept, mut health) = (Recording::default(), Health::default());
        let theirs = device::Settled::find(&circuit, &settings, &mut kept, &mut health).unwrap();
        let ours = Settled::find(&circuit, &mut kept).unwrap();
        let ratio = 2.0 / (1.0 + (1.0 + 4.0 * k / (duty * duty)).sqrt());
        let wanted = 1.0 - duty / ratio;
        for (windings, close) in [(&ours.windings, 0.01), (&theirs.windings, 0.03)] {
            prop_assert_eq!(&windings[0].part, "L1");
            let counts = if wanted > 0.1 { wanted } else { windings[0].idle };
            prop_assert!((windings[0].idle - counts).abs() < close, "{:?} for {}, {:?} {:?}", windings, wanted, ours.windings, theirs.windings);
        }
    }
}
