//! Logic in both engines against its definition, with pulses at random.

mod common;

use circuit::KindId::{
    self, AndGate, Capacitor, Comparator, ControlledSwitch, CurrentControlledVoltage, DcSource, Delay, Diode, Inductor,
    Inverter, Latch, OrGate, PulseSource, Resistor, XorGate,
};
use common::{Row, Run, circuit, device_run, tried};
use mellow_switched::Settled;
use proptest::prelude::*;
use recording::Recording;

const END: f64 = 100e-6;
const EDGE: f64 = 1e-9;
/// What a gate may take at device level: a few time constants of its output.
const SLACK: f64 = 60e-9;

/// A train of pulses: delay, width and period, s.
#[derive(Clone, Copy, Debug)]
struct Train([f64; 3]);

impl Train {
    fn texts(self) -> [String; 3] {
        self.0.map(|value| format!("{value:e}"))
    }

    /// Edges up to the end: when the source passes half its height, and whether upwards.
    fn edges(self) -> Vec<(f64, bool)> {
        let [delay, width, period] = self.0;
        let begins = (0..).map(|n| delay + f64::from(n) * period).take_while(|at| *at < END);
        begins.flat_map(|at| [(at + 0.5 * EDGE, true), (at + width + 1.5 * EDGE, false)]).collect()
    }

    fn is_high(self, t: f64) -> bool {
        self.edges().iter().rev().find(|(at, _)| *at <= t).is_some_and(|(_, up)| *up)
    }
}

fn train() -> impl Strategy<Value = Train> {
    (0.0..10e-6f64, 0.1..0.9f64, 5e-6..30e-6f64)
        .prop_map(|(delay, share, period)| Train([delay, share * period, period]))
}

/// The part with its inputs at two trains, run by both engines.
fn both(kind: KindId, pins: &str, values: &[(&str, &str)], [a, b]: [Train; 2]) -> [Run; 2] {
    let pulse = |texts: &'_ [String; 3]| {
        let [delay, width, period] = texts.each_ref().map(String::as_str);
        [("high", "5"), ("rise", "1n"), ("fall", "1n"), ("delay", delay), ("width", width), ("period", period)]
            .map(|(name, value)| (name, value.to_owned()))
    };
    let (a, b) = (pulse(&a.texts()), pulse(&b.texts()));
    let [a, b] = [&a, &b].map(|pulse| pulse.each_ref().map(|(name, value)| (*name, value.as_str())));
    let rows: Vec<Row<'_>> = vec![
        ("VA", PulseSource, "a gnd", &a),
        ("VB", PulseSource, "b gnd", &b),
        ("U1", kind, pins, values),
        ("R1", Resistor, "y gnd", &[("resistance", "10k")]),
        ("R2", Resistor, "b gnd", &[("resistance", "10k")]),
    ];
    let circuit = circuit(&rows);
    let switched = tried(circuit.clone(), END, 0.0, 1e-6).unwrap_or_else(|error| panic!("{error}"));
    [switched, device_run(circuit, END, 1e-6, 1e-3)]
}

/// The output at a time.
fn level(run: &Run, t: f64) -> f64 {
    run.measure("y.v", t, t + 1e-9, |waveform, span| waveform.measure(circuit::ReadingMeasure::Mean, span).unwrap())
}

/// Both engines' outputs are high where they should be, away from the edges.
fn holds(runs: &[Run; 2], edges: &[f64], high: impl Fn(f64) -> bool) -> Result<(), TestCaseError> {
    // 5 V behind 50 Ω into 10 kΩ.
    let full = 5.0 * 10e3 / 10.05e3;
    for t in (0..400).map(|k| (f64::from(k) + 0.371) * END / 400.0) {
        if edges.iter().any(|edge| (-1e-9..SLACK).contains(&(t - edge))) {
            continue;
        }
        let wanted = if high(t) { full } else { 0.0 };
        for (run, by) in runs.iter().zip(["by switching", "at device level"]) {
            let found = level(run, t);
            prop_assert!((found - wanted).abs() < 0.02, "{by}: {found} V for {wanted} at {t:e} s");
        }
    }
    Ok(())
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(16))]

    #[test]
    fn gates_hold_to_their_tables(a in train(), b in train(), which in 0..4usize) {
        let (kind, pins, function): (_, _, fn(bool, bool) -> bool) = [
            (AndGate, "y a b gnd", (|a, b| a && b) as fn(bool, bool) -> bool),
            (OrGate, "y a b gnd", |a, b| a || b),
            (XorGate, "y a b gnd", |a, b| a != b),
            (Inverter, "y a gnd", |a, _| !a),
        ][which];
        let runs = both(kind, pins, &[], [a, b]);
        let edges: Vec<f64> = [a, b].iter().flat_map(|train| train.edges()).map(|(at, _)| at).chain([0.0]).collect();
        holds(&runs, &edges, |t| function(a.is_high(t), b.is_high(t)))?;
    }

    #[test]
    fn a_latch_keeps_what_it_was_told_last(set in train(), reset in train()) {
        let runs = both(Latch, "y a b gnd", &[], [set, reset]);
        let mut edges: Vec<f64> = [set, reset].iter().flat_map(|train| train.edges()).map(|(at, _)| at).collect();
        edges.sort_by(f64::total_cmp);
        let mut kept = false;
        let mut told = vec![(0.0, false)];
        for edge in &edges {
            let now = edge + 1e-12;
            kept = !reset.is_high(now) && (set.is_high(now) || kept);
            told.push((*edge, kept));
        }
        holds(&runs, &edges, |t| told.iter().rev().find(|(at, _)| *at <= t).unwrap().1)?;
    }

    /// Each edge comes later by its own delay as long as no pulse is shorter.
    #[test]
    fn a_delay_passes_edges_on_later(input in train(), rise in 0.02..0.9f64, fall in 0.02..0.9f64) {
        let [_, width, period] = input.0;
        let (rise, fall) = (rise * width, fall * (period - width));
        let (rise_text, fall_text) = (format!("{rise:e}"), format!("{fall:e}"));
        let values = [("rise_delay", rise_text.as_str()), ("fall_delay", &fall_text)];
        let runs = both(Delay, "y a gnd", &values, [input, input]);
        let edges: Vec<(f64, bool)> =
            input.edges().into_iter().map(|(at, up)| (at + if up { rise } else { fall }, up)).collect();
        let at: Vec<f64> = edges.iter().map(|(at, _)| *at).collect();
        holds(&runs, &at, |t| edges.iter().rev().find(|(at, _)| *at <= t).is_some_and(|(_, up)| *up))?;
    }
}

/// A buck whose latch is set by a clock and reset where coil current and slope reach what the control asks for. Its coil forgets
/// an error by `−(m₂ − m_a)/(m₁ + m_a)` a period (R. W. Erickson & D. Maksimović, *Fundamentals of Power Electronics*, 2nd ed.,
/// chapter 12, from memory): stable without slope below half duty, cured by slope above.
fn peak_current(duty: f64, slope: f64) -> circuit::Circuit {
    let (line, inductance, period, sense, load) = (20.0, 47e-6, 10e-6, 0.1, 4.0);
    let output = duty * line;
    let ripple = (line - output) / inductance * duty * period;
    let control = sense * (output / load + 0.5 * ripple) + slope * duty * period;
    let text = |value: f64| format!("{value:e}");
    let (control, top) = (text(control), text(slope * period));
    circuit(&[
        ("V1", DcSource, "in gnd", &[("voltage", "20")]),
        ("VK", PulseSource, "clk gnd", &[("rise", "1n"), ("fall", "1n"), ("width", "100n"), ("period", "10u")]),
        ("VC", DcSource, "c gnd", &[("voltage", &control)]),
        ("VP", DcSource, "vcc gnd", &[("voltage", "5")]),
        (
            "VS",
            PulseSource,
            "slope gnd",
            &[("high", &top), ("rise", "9.999u"), ("fall", "1n"), ("width", "0"), ("period", "10u")],
        ),
        ("H1", CurrentControlledVoltage, "sense slope m out", &[("transresistance", "0.1")]),
        ("U1", Comparator, "r sense c vcc gnd", &[("hysteresis", "1u"), ("supply_current", "0")]),
        ("RR", Resistor, "r gnd", &[("resistance", "100k")]),
        ("RS", Resistor, "sense gnd", &[("resistance", "100k")]),
        ("U2", Latch, "g clk r gnd", &[]),
        ("S1", ControlledSwitch, "in x g gnd", &[("on_resistance", "1m"), ("on_voltage", "3"), ("off_voltage", "2")]),
        (
            "D1",
            Diode,
            "gnd x",
            &[
                ("saturation_current", "1"),
                ("emission", "0.001"),
                ("series_resistance", "1m"),
                ("typical_current", "1p"),
            ],
        ),
        ("L1", Inductor, "x m", &[("inductance", "47u")]),
        ("C1", Capacitor, "out gnd", &[("capacitance", "10m")]),
        ("R1", Resistor, "out gnd", &[("resistance", "4")]),
    ])
}

#[test]
fn a_peak_current_loop_forgets_an_error_as_published() {
    let (line, inductance, sense) = (20.0, 47e-6, 0.1);
    for duty in [0.2, 0.3, 0.45, 0.55, 0.7, 0.8] {
        let (rises, falls) = ((1.0 - duty) * line / inductance, duty * line / inductance);
        for share in [0.0, 0.25, 0.5, 1.0] {
            let added = share * falls;
            let settled = Settled::find(&peak_current(duty, sense * added), &mut Recording::default())
                .unwrap_or_else(|error| panic!("{duty}, {share}: {error}"));
            let wanted = -(falls - added) / (rises + added);
            let nearest = settled.multipliers.iter().map(|m| (m.re - wanted).abs() + m.im.abs()).fold(1.0, f64::min);
            assert!(
                nearest < 5e-3 * wanted.abs().max(1.0),
                "{wanted} among {:?} at {duty} with {share}",
                settled.multipliers
            );
            assert_eq!(settled.is_stable(), wanted > -1.0, "{:?}", settled.multipliers);
        }
    }
}
