//! Against exact solutions, written down by hand.

mod common;

use circuit::KindId::{
    Capacitor, ControlledSwitch, DcSource, Diode, Inductor, PowerLoad, PulseSource, Resistor, SineSource,
};
use common::{circuit, run, tried};

/// A series circuit of R, L and C driven by a square wave of steep edges, over 10,000 cycles, against the closed form of its
/// two modes from edge to edge (by hand).
#[test]
fn an_oscillating_circuit_is_exact_after_ten_thousand_cycles() {
    let (r, l, c) = (3.0f64, 1e-4, 1e-6);
    let (period, width, edge) = (1e-5, 3.7e-6, 1e-12);
    let run = run(
        circuit(&[
            (
                "V1",
                PulseSource,
                "in gnd",
                &[("low", "0"), ("high", "10"), ("rise", "1p"), ("fall", "1p"), ("width", "3.7u"), ("period", "10u")],
            ),
            ("R1", Resistor, "in a", &[("resistance", "3")]),
            ("L1", Inductor, "a b", &[("inductance", "100u")]),
            ("C1", Capacitor, "b gnd", &[("capacitance", "1u")]),
        ]),
        10_000.0 * period,
    );
    // From edge to edge about a level u: e^(−αt) times a rotation of (v − u, i) in its own coordinates.
    let (alpha, omega) = (r / (2.0 * l), (1.0 / (l * c) - (r / (2.0 * l)).powi(2)).sqrt());
    let (mut v, mut i) = (0.0f64, 0.0f64);
    let mut advance = |u: f64, t: f64| {
        let (x, slope) = (v - u, i / c);
        let (decay, (sine, cosine)) = ((-alpha * t).exp(), (omega * t).sin_cos());
        let a = (slope + alpha * x) / omega;
        let moved = decay * (x * cosine + a * sine);
        let moved_slope = decay * ((a * omega - alpha * x) * cosine - (x * omega + alpha * a) * sine);
        (v, i) = (u + moved, c * moved_slope);
    };
    // The edges are straight lines of a picosecond: half of each counts as either level.
    for cycle in 1..=10_000 {
        advance(10.0, width + edge);
        advance(0.0, period - width - edge * if cycle == 10_000 { 1.5 } else { 1.0 });
    }
    let last = |signal| *run.values(signal).last().unwrap();
    assert!((last("b.v") - v).abs() < 1e-12 * 10.0, "{} for {v}", last("b.v"));
    assert!((last("L1.i") - i).abs() < 1e-12, "{} for {i}", last("L1.i"));
}

/// A capacitor of 1 pF discharged by 10 mΩ at the beginning of a millisecond: in steps of femtoseconds, whose nodes times would not tell
/// apart late in the run, it follows 10 V·e^(−t/RC), and all its charge is there.
#[test]
fn what_is_very_short_beside_the_run_is_recorded_too() {
    let circuit = circuit(&[
        ("R1", Resistor, "a gnd", &[("resistance", "10m")]),
        ("C1", Capacitor, "a gnd", &[("capacitance", "1p"), ("initial_voltage", "10")]),
    ]);
    let (tau, end, tolerance) = (1e-14, 1e-3, 1e-6);
    let run = tried(circuit, end, 0.0, tolerance).unwrap();
    let close = |found: f64, t: f64| (found - 10.0 * (-t / tau).exp()).abs() < 2.0 * tolerance * 10.0;
    let values = run.values("a.v");
    assert!(run.recording.times.iter().filter(|t| **t < 10.0 * tau).count() > 10);
    assert!(run.recording.times.iter().zip(&values).all(|(t, v)| close(*v, *t)));
    for k in 0..400 {
        let t = 0.03 * tau * f64::from(k);
        assert!(close(run.measure("a.v", 0.0, end, |wave, _| wave.at(t).unwrap()), t), "{k}");
    }
    let charge = run.mean("R1.i", 0.0, end) * end;
    assert!((charge - 1e-11).abs() < 1e-6 * 1e-11, "{charge}");
    assert!(run.health.energy.relative < 1e-9, "{:?}", run.health.energy);
}

/// A load of constant power behind a source and a resistance: the current `(V − √(V² − 4·R·P))/2R` where it is stable, within the 0.2 %
/// of the pieces, by hand.
#[test]
fn a_load_of_constant_power_draws_it() {
    for (line, power) in [(10.0, 5.0), (24.0, 20.0), (5.0, 1.0), (200.0, 100.0)] {
        let text = |value: f64| format!("{value:e}");
        let circuit = circuit(&[
            ("V1", DcSource, "in gnd", &[("voltage", &text(line))]),
            ("R1", Resistor, "in out", &[("resistance", "0.1")]),
            ("C1", Capacitor, "out gnd", &[("capacitance", "10u"), ("initial_voltage", &text(line))]),
            ("P1", PowerLoad, "out gnd", &[("power", &text(power)), ("least_voltage", "3")]),
        ]);
        let run = common::tried(circuit, 1e-3, 0.9e-3, 1e-6).unwrap();
        let found = *run.values("P1.i").last().unwrap();
        let wanted = (line - (line * line - 0.4 * power).sqrt()) / 0.2;
        assert!((found / wanted - 1.0).abs() < 2e-3, "{found} for {wanted} at {line} V");
    }
}

/// A source straight across a capacitor charges it at once, with C·V through both; coils in series whose currents differ meet with a
/// flux that leaves `(L₁·i₁ + L₂·i₂)/(L₁ + L₂)` in both (conservation of charge and of flux).
#[test]
fn pulses_are_named_with_their_size() {
    for (voltage, capacitance, [first, second], current) in
        [(5.0, 1e-6, [1e-3, 2e-3], 0.3), (-12.0, 47e-9, [10e-6, 33e-6], 2.0), (400.0, 1e-3, [0.5, 0.1], 0.01)]
    {
        let own = |name, value: f64| [(name, format!("{value:e}"))];
        let (v, c) = (own("voltage", voltage), own("capacitance", capacitance));
        let (l1, l2) = (own("inductance", first), own("inductance", second));
        let i = own("initial_current", current);
        let as_row = |values: &[&[(&'static str, String); 1]]| -> Vec<(&'static str, String)> {
            values.iter().flat_map(|value| value.to_vec()).collect()
        };
        let texts = [as_row(&[&v]), as_row(&[&c]), as_row(&[&l1, &i]), as_row(&[&l2])];
        let [v, c, l1, l2] = texts.each_ref().map(|text| common::edges::borrowed(text));
        let circuit = circuit(&[
            ("V1", DcSource, "in gnd", &v),
            ("C1", Capacitor, "in gnd", &c),
            ("L1", Inductor, "a gnd", &l1),
            ("L2", Inductor, "a b", &l2),
            ("R1", Resistor, "b gnd", &[("resistance", "1")]),
        ]);
        let run = tried(circuit, 1e-9, 0.0, 1e-6).unwrap();
        let size = |part: &str, flux: bool| {
            let found = run.health.pulses.iter().find(|pulse| pulse.part == part && pulse.flux == flux);
            found.map_or(0.0, |pulse| pulse.size)
        };
        let charge = capacitance * voltage;
        assert!((size("C1", false) / charge - 1.0).abs() < 1e-9 && (size("V1", false) / charge + 1.0).abs() < 1e-9);
        // L1's current falls by what the two share: Δλ = L₁·L₂·i/(L₁ + L₂).
        let flux = first * second * current / (first + second);
        assert!((size("L1", true).abs() / flux - 1.0).abs() < 1e-9, "{:?} for {flux}", run.health.pulses);
        assert_eq!(size("R1", false), 0.0);
    }
}

/// Beside something very fast that couples to everything, derivatives of what is slow are rounding, and a step must not be as long as
/// they would let it: a rectifier conducts in every period, as it does without.
#[test]
fn what_is_very_fast_hides_nothing_slow() {
    let charged = |branch: &[common::Row<'_>], end: f64| {
        let mut rows: Vec<common::Row<'_>> = vec![
            ("V1", SineSource, "in mid", &[("amplitude", "12")]),
            ("R1", Resistor, "mid gnd", &[("resistance", "10M")]),
            ("D1", Diode, "in bus", &[]),
            ("D2", Diode, "gnd mid", &[]),
            ("C1", Capacitor, "bus gnd", &[("capacitance", "1m"), ("esr", "50m")]),
            ("R2", Resistor, "bus gnd", &[("resistance", "60")]),
        ];
        rows.extend(branch);
        let run = tried(circuit(&rows), end, 0.0, 1e-6).unwrap_or_else(|error| panic!("{error}"));
        *run.values("bus.v").last().unwrap()
    };
    for k in 0..24 {
        let end = 5e-3 + 1.7e-3 * f64::from(k);
        let slow = charged(&[("R3", Resistor, "bus gnd", &[("resistance", "10k")])], end);
        // The same branch, but that its current takes 8 ps to come; eleven decades cost that much of the exponential.
        let fast = charged(
            &[("R3", Resistor, "bus f", &[("resistance", "10k")]), ("L1", Inductor, "f gnd", &[("inductance", "80n")])],
            end,
        );
        assert!((slow - fast).abs() < 1e-5 * slow.abs(), "{fast} V for {slow} V after {end} s");
    }
}

/// Two switches that change an attosecond apart, the coil's current going through a diode in between: what is recorded behind them
/// begins with what is there then, not with what was between.
#[test]
fn what_lies_between_two_switchings_at_one_instant_is_not_where_a_step_begins() {
    let gate = [("high", "1"), ("rise", "1p"), ("fall", "1p"), ("width", "4u"), ("period", "10u"), ("delay", "6u")];
    let lower = [("on_resistance", "10m"), ("on_voltage", "0.499999"), ("off_voltage", "0.500001")];
    let upper = [("on_resistance", "10m"), ("on_voltage", "0.500002"), ("off_voltage", "0.500000")];
    let rows = [
        ("V1", DcSource, "in gnd", &[("voltage", "24")][..]),
        ("VG", PulseSource, "g gnd", &gate),
        ("S1", ControlledSwitch, "in x g gnd", &upper),
        ("S2", ControlledSwitch, "x gnd g gnd", &lower),
        ("D1", Diode, "gnd x", &[]),
        ("L1", Inductor, "x out", &[("inductance", "47u")]),
        ("R1", Resistor, "out gnd", &[("resistance", "4")]),
    ];
    let run = tried(circuit(&rows), 1e-3, 0.0, 1e-6).unwrap();
    for period in 0..20 {
        let on = 6e-6 + f64::from(period) * 10e-6;
        let (low, high) = run.measure("x.v", on - 1e-6, on + 3.9e-6, |w, s| w.extremes(s).unwrap());
        assert!(low > -2.0 && high < 24.01, "{low} to {high} in period {period}");
    }
}
