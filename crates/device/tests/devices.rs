//! Devices against the figures their data sheets promise and the equations they come from.

mod common;

use circuit::KindId::{
    Amplifier, Capacitor, CoreTransformer, CurrentLoad, CurrentSource, DcSource, Diode, Inductor, Led, MosfetN,
    MosfetP, Npn, PiecewiseSource, Pnp, PowerLoad, Regulator, Resistor, SeriesReference, ShuntReference, SineSource,
    Thermistor, ThreePhaseSource, VoltageControlledCurrent, Zener,
};
use circuit::ReadingMeasure::{Mean, Rms};
use common::{Row, circuit, run, run_from};
use mellow_device::{Equations, Start, operating_point};
use std::f64::consts::TAU;

const THERMAL_VOLTAGE: f64 = 1.380_649e-23 * 300.15 / 1.602_176_634e-19;

fn close(found: f64, wanted: f64, relative: f64) {
    assert!((found / wanted - 1.0).abs() < relative, "{found} for {wanted}");
}

/// Voltages of nets and currents of parts at the operating point.
fn rest(rows: &[Row<'_>]) -> impl Fn(&str) -> f64 {
    let point = operating_point(&Equations::new(&circuit(rows))).unwrap_or_else(|error| panic!("{error}"));
    move |of: &str| point.values.iter().find(|(c, _)| c.of == of).unwrap().1
}

#[test]
fn a_zener_holds_what_its_sheet_says() {
    let at = |current: &str| {
        let rows: [Row<'_>; 2] = [
            ("I1", CurrentSource, "gnd k", &[("current", current)]),
            (
                "D1",
                Zener,
                "gnd k",
                &[("zener_voltage", "6.2"), ("zener_current", "5m"), ("zener_impedance", "7"), ("leakage", "1u")],
            ),
        ];
        rest(&rows)("k")
    };
    close(at("5m"), 6.2, 1e-9);
    // Differential resistance at the Zener current, by a central difference.
    close((at("5.001m") - at("4.999m")) / 2e-6, 7.0, 1e-6);
    assert!(at("1u") < 6.2);
    // Forward it is a diode.
    assert!((-1.1..-0.5).contains(&at("-20m")), "{}", at("-20m"));
}

#[test]
fn a_diode_breaks_down_where_it_is_said_to() {
    let rows: [Row<'_>; 2] = [
        ("I1", CurrentSource, "gnd k", &[("current", "100u")]),
        ("D1", Diode, "gnd k", &[("breakdown_voltage", "75")]),
    ];
    close(rest(&rows)("k"), 75.0, 1e-3);
}

#[test]
fn a_mosfet_has_its_threshold_resistance_and_transconductance() {
    let sheet: &[(&str, &str)] = &[
        ("threshold", "2.5"),
        ("on_resistance", "80m"),
        ("on_gate_voltage", "10"),
        ("transconductance", "8"),
        ("transconductance_current", "4"),
        ("modulation", "0"),
    ];
    for (kind, sign) in [(MosfetN, 1.0), (MosfetP, -1.0)] {
        let drain_current = |gate: f64, drain: f64| {
            let (gate, drain) = (format!("{}", sign * gate), format!("{}", sign * drain));
            let rows: [Row<'_>; 3] = [
                ("V1", DcSource, "g gnd", &[("voltage", &gate)]),
                ("V2", DcSource, "d gnd", &[("voltage", &drain)]),
                ("Q1", kind, "d g gnd", sheet),
            ];
            sign * rest(&rows)("Q1")
        };
        close(0.01 / drain_current(10.0, 0.01), 0.08, 2e-3);
        // g_fs = √(2·β·I_D) at the stated current (square law; Sedra & Smith, from memory).
        let beta = 8.0f64.powi(2) / (2.0 * 4.0);
        let gate = 2.5 + (2.0 * 4.0 / beta).sqrt();
        close(drain_current(gate, 20.0), 4.0, 1e-3);
        close((drain_current(gate + 1e-4, 20.0) - drain_current(gate - 1e-4, 20.0)) / 2e-4, 8.0, 1e-3);
        // Backwards the body diode conducts.
        assert!(drain_current(0.0, -1.0) < -0.1);
        assert!(drain_current(0.0, 20.0).abs() < 1e-6);
    }
}

/// A constant current charges the gate: what has flowed when the gate stands at its voltage is the
/// sheet's gate charge.
#[test]
fn a_mosfet_takes_its_gate_charge() {
    for (kind, sign) in [(MosfetN, ""), (MosfetP, "-")] {
        let (drain, step) = (format!("{sign}48"), format!("0 0, 1u 0, 1.001u {sign}1"));
        let rows: [Row<'_>; 6] = [
            ("V1", DcSource, "vd gnd", &[("voltage", &drain)]),
            ("R1", Resistor, "vd d", &[("resistance", "100")]),
            ("V2", PiecewiseSource, "x gnd", &[("points", &step)]),
            ("G1", VoltageControlledCurrent, "gnd g x gnd", &[("transconductance", "1m")]),
            ("R2", Resistor, "g gnd", &[("resistance", "1G")]),
            (
                "Q1",
                kind,
                "d g gnd",
                &[
                    ("gate_charge", "22n"),
                    ("gate_charge_voltage", "48"),
                    ("on_gate_voltage", "10"),
                    ("reverse_capacitance", "30p"),
                ],
            ),
        ];
        let run = run_from(circuit(&rows), Start::OperatingPoint, 40e-6, 1e-7, 1e-5);
        // The instant lies between two nodes, where the voltage rises in a straight line.
        let (times, gate) = (&run.recording.times, run.values("g.v"));
        let n = gate.iter().position(|v| v.abs() >= 10.0).unwrap();
        let part = (10.0 - gate[n - 1].abs()) / (gate[n].abs() - gate[n - 1].abs());
        let full = times[n - 1] + part * (times[n] - times[n - 1]);
        close((full - 1e-6) * 1e-3, 22e-9, 2e-3);
    }
}

#[test]
fn a_transistor_has_its_voltage_gain_and_early_voltage() {
    for (kind, sign) in [(Npn, 1.0), (Pnp, -1.0)] {
        let with = |base: f64, collector: f64| {
            let (base, collector) = (format!("{}", sign * base), format!("{}", sign * collector));
            let rows: [Row<'_>; 3] = [
                ("V1", DcSource, "b gnd", &[("voltage", &base)]),
                ("V2", DcSource, "c gnd", &[("voltage", &collector)]),
                (
                    "Q1",
                    kind,
                    "c b gnd",
                    &[
                        ("gain", "150"),
                        ("base_emitter_voltage", "0.65"),
                        ("collector_current", "1m"),
                        ("early_voltage", "60"),
                        ("knee_current", "0"),
                        ("base_resistance", "1m"),
                        ("collector_resistance", "1m"),
                    ],
                ),
            ];
            let value = rest(&rows);
            (sign * value("Q1"), -sign * value("V1"))
        };
        let (collector, base) = with(0.65, 0.65);
        close(collector, 1e-3, 1e-5);
        close(collector / base, 150.0, 1e-3);
        // One decade per V_T·ln 10.
        close(with(0.65 - THERMAL_VOLTAGE * 10f64.ln(), 0.5).0, 0.1e-3 * (1.0 + (0.5 - 0.5904) / 60.0), 1e-3);
        // I_C ∝ 1 + v_cb/V_A.
        close(with(0.65, 30.65).0 / collector, 1.0 + 30.0 / 60.0, 1e-5);
    }
}

/// A diode carrying I_F that is forced to I_R in reverse holds out for τ·ln(1 + I_F/I_R)
/// (charge-control model; Kuno, IEEE Trans. Electron Devices 11, 1964, from memory).
#[test]
fn stored_charge_delays_the_recovery() {
    let run = run(
        circuit(&[
            ("V1", PiecewiseSource, "in gnd", &[("points", "0 100, 20u 100, 20.001u -50, 40u -50")]),
            ("R1", Resistor, "in a", &[("resistance", "100")]),
            ("D1", Diode, "a gnd", &[("storage_time", "2u"), ("capacitance", "10p"), ("series_resistance", "1m")]),
        ]),
        40e-6,
        f64::INFINITY,
        1e-3,
    );
    let still = |t: f64| run.measure("D1.i", 20e-6, 40e-6, |w, _| w.at(t).unwrap());
    let (forward, reverse) = (still(19e-6), -still(20.2e-6));
    let held = 2e-6 * (1.0 + forward / reverse).ln();
    // The current stays at its reverse value until the charge is gone, then falls quickly.
    assert!(still(20e-6 + 0.9 * held) < -0.95 * reverse);
    assert!(still(20e-6 + 1.15 * held) > -0.2 * reverse, "{}", still(20e-6 + 1.15 * held));
    // What flowed back is what was stored: τ·I_F, less what recombined meanwhile.
    let back = -run.measure("D1.i", 20e-6, 40e-6, |w, s| w.mean(s).unwrap()) * 20e-6;
    assert!(back < 2e-6 * forward && back > 0.5 * 2e-6 * forward, "{back}");
}

/// A nonlinear capacitor taken through a closed cycle ends with the charge it had.
#[test]
fn a_closed_cycle_leaves_no_charge_behind() {
    let run = run(
        circuit(&[
            ("V1", PiecewiseSource, "in gnd", &[("points", "0 -1, 1u -1, 2u -40, 5u 0.3, 6u -1, 9u -1")]),
            ("R1", Resistor, "in a", &[("resistance", "10")]),
            ("D1", Diode, "a gnd", &[("saturation_current", "1e-30"), ("capacitance", "1n")]),
        ]),
        9e-6,
        f64::INFINITY,
        1e-6,
    );
    let moved = |from: f64, to: f64| {
        run.measure("D1.i", 0.0, 9e-6, |w, _| w.mean(readings::Span { from, to }).unwrap()) * (to - from)
    };
    let (whole, swing) = (moved(0.9e-6, 9e-6), moved(0.9e-6, 2.2e-6));
    // The charge is where it was, and the current says so, too.
    let end = run.measure("a.v", 0.0, 9e-6, |w, _| w.at(9e-6).unwrap());
    close(end, -1.0, 1e-9);
    assert!(whole.abs() < 1e-4 * swing.abs(), "{whole} of {swing}");
}

/// Constant power below and above its corner, constant current, and their never delivering.
#[test]
fn loads_draw_what_they_say() {
    let drawn = |kind, parameters: &[(&str, &str)], volts: &str| {
        let rows: [Row<'_>; 2] = [("V1", DcSource, "a gnd", &[("voltage", volts)]), ("P1", kind, "a gnd", parameters)];
        rest(&rows)("P1")
    };
    let power: &[(&str, &str)] = &[("power", "6"), ("least_voltage", "3")];
    close(drawn(PowerLoad, power, "12"), 0.5, 1e-12);
    close(drawn(PowerLoad, power, "3"), 2.0, 1e-12);
    close(drawn(PowerLoad, power, "1.5"), 2.0 * 0.5 * (2.0 - 0.25), 1e-12);
    assert!(drawn(PowerLoad, power, "-1") < 0.0);
    let current: &[(&str, &str)] = &[("current", "0.3"), ("least_voltage", "0.5")];
    close(drawn(CurrentLoad, current, "5"), 0.3, 1e-6);
    close(drawn(CurrentLoad, current, "0.25"), 0.3 * 1.5f64.tanh(), 1e-12);
}

#[test]
fn an_amplifier_follows_slews_and_stays_within_its_supplies() {
    let rows: [Row<'_>; 5] = [
        ("V1", DcSource, "vp gnd", &[("voltage", "10")]),
        ("V2", DcSource, "gnd vn", &[("voltage", "10")]),
        ("V3", PiecewiseSource, "in gnd", &[("points", "0 0, 10u 0, 10.01u 4, 60u 4, 60.01u 30, 200u 30")]),
        (
            "U1",
            Amplifier,
            "out in out vp vn",
            &[("slew_rate", "1M"), ("headroom_high", "1.5"), ("output_resistance", "50"), ("current_limit", "20m")],
        ),
        ("R1", Resistor, "out gnd", &[("resistance", "10k")]),
    ];
    let run = run(circuit(&rows), 200e-6, f64::INFINITY, 1e-3);
    let at = |t: f64| run.measure("out.v", 0.0, 200e-6, |w, _| w.at(t).unwrap());
    // 1 V/µs once it slews.
    close((at(12.5e-6) - at(11.0e-6)) / 1.5e-6, 1e6, 1e-2);
    close(at(55e-6), 4.0, 1e-3);
    // 10 V less the headroom, less what the load takes across the output resistance.
    close(at(195e-6), 8.5, 1e-2);
    let supply = run.measure("V1.i", 190e-6, 200e-6, |w, s| w.mean(s).unwrap());
    // The load's current less what comes through the input resistance of 10 MΩ.
    close(-supply, 1e-3 + at(195e-6) / 10e3 - (30.0 - at(195e-6)) / 10e6, 1e-4);
}

#[test]
fn regulators_regulate_drop_out_and_limit() {
    let output = |volts: &str, ohms: &str, sheet: &[(&str, &str)]| {
        let rows: [Row<'_>; 3] = [
            ("V1", DcSource, "in gnd", &[("voltage", volts)]),
            ("U1", Regulator, "in out gnd", sheet),
            ("R1", Resistor, "out gnd", &[("resistance", ohms)]),
        ];
        rest(&rows)("out")
    };
    let sheet: &[(&str, &str)] = &[
        ("voltage", "9"),
        ("dropout", "2"),
        ("rated_current", "1"),
        ("current_limit", "1.5"),
        ("line_regulation", "0"),
    ];
    close(output("15", "9", sheet), 9.0 - 10e-3, 1e-3);
    // At rated current and too little input it is the input less the dropout.
    let low = output("10", "8", sheet);
    close(low, 10.0 - 2.0, 1e-2);
    // Shorted it gives its limit, within the softness of the model.
    close(output("15", "10m", sheet) / 10e-3, 1.5, 0.3);
    let negative = [sheet, &[("polarity", "negative")]].concat();
    close(output("-15", "9", &negative), -(9.0 - 10e-3), 1e-3);

    let adjustable: [Row<'_>; 5] = [
        ("V1", DcSource, "in gnd", &[("voltage", "12")]),
        ("U1", Regulator, "in out adj", &[("voltage", "1.25"), ("quiescent_current", "50u"), ("line_regulation", "0")]),
        ("R1", Resistor, "out adj", &[("resistance", "240")]),
        ("R2", Resistor, "adj gnd", &[("resistance", "720")]),
        ("R3", Resistor, "out gnd", &[("resistance", "100")]),
    ];
    // V_out = V_ref·(1 + R2/R1) + I_adj·R2 (handbook).
    close(rest(&adjustable)("out"), 1.25 * 4.0 + 50e-6 * 720.0, 2e-3);

    let reference = |volts: &str, amperes: &str| {
        let sheet = &[("voltage", "2.5"), ("dropout", "0.4"), ("line_regulation", "0"), ("output_resistance", "0.1")];
        let rows: [Row<'_>; 3] = [
            ("V1", DcSource, "in gnd", &[("voltage", volts)]),
            ("U1", SeriesReference, "in out gnd", sheet),
            ("I1", CurrentSource, "out gnd", &[("current", amperes)]),
        ];
        rest(&rows)("out")
    };
    // Sourcing, sinking, in dropout, and beyond what it can sink.
    close(reference("5", "5m"), 2.5 - 0.5e-3, 1e-6);
    close(reference("5", "-5m"), 2.5 + 0.5e-3, 1e-6);
    close(reference("2.4", "5m"), 2.4 - 0.4 * (0.6 + 0.4 * 0.5), 1e-2);
    assert!(reference("5", "-11m") > 3.0);

    let shunt: [Row<'_>; 5] = [
        ("V1", DcSource, "in gnd", &[("voltage", "12")]),
        ("R1", Resistor, "in k", &[("resistance", "470")]),
        ("U1", ShuntReference, "k gnd ref", &[("reference_voltage", "2.5"), ("reference_current", "0")]),
        ("R2", Resistor, "k ref", &[("resistance", "10k")]),
        ("R3", Resistor, "ref gnd", &[("resistance", "10k")]),
    ];
    close(rest(&shunt)("k"), 5.0, 5e-3);
}

/// Settled, the thermistor is as warm as its dissipation makes it: (T − T_a)/R_th = v²/R(T).
#[test]
fn a_thermistor_warms_to_its_own_balance() {
    let rows: [Row<'_>; 2] = [
        ("V1", DcSource, "a gnd", &[("voltage", "2")]),
        ("R1", Thermistor, "a gnd", &[("resistance", "10"), ("beta", "3000"), ("thermal_resistance", "60")]),
    ];
    let (mut low, mut high) = (298.15f64, 900.0);
    for _ in 0..200 {
        let t = 0.5 * (low + high);
        let resistance = 10.0 * (3000.0 / t - 3000.0 / 298.15).exp();
        // The cooler of two balances is the one reached from cold.
        if (t - 298.15) / 60.0 < 4.0 / resistance {
            low = t
        } else {
            high = t
        }
        if low > 330.0 {
            high = high.min(330.0)
        }
    }
    let settled = run(circuit(&rows), 3000.0, 50.0, 1e-4);
    let current = settled.measure("R1.i", 2990.0, 3000.0, |w, s| w.mean(s).unwrap());
    let cold = settled.measure("R1.i", 0.0, 3000.0, |w, _| w.at(0.0).unwrap());
    close(cold, 0.2, 1e-3);
    let temperature = 3000.0 / ((2.0 / current / 10.0).ln() + 3000.0 / 298.15);
    close((temperature - 298.15) / 60.0, 2.0 * current, 1e-2);
}

/// Far below saturation a transformer on a core is its turns ratio; its magnetising current is
/// V/(ω·N²·μ·A/l). Above it the current is a spike.
#[test]
fn a_core_transforms_until_it_saturates() {
    let with = |volts: &str| {
        run(
            circuit(&[
                ("V1", SineSource, "in gnd", &[("amplitude", volts), ("frequency", "50"), ("phase", "90")]),
                (
                    "T1",
                    CoreTransformer,
                    "in gnd out gnd",
                    &[("primary_leakage", "1u"), ("secondary_leakage", "1u"), ("primary_resistance", "1")],
                ),
                ("R1", Resistor, "out gnd", &[("resistance", "1M")]),
            ]),
            0.2,
            1e-3,
            1e-3,
        )
    };
    let gentle = with("40");
    let rms = |signal| gentle.measure(signal, 0.1, 0.2, |w, s| w.measure(Rms, s).unwrap());
    close(rms("out.v"), 40.0 * 60.0 / 1000.0, 1e-3);
    let inductance = 1e6 * 1.256_637e-6 * 5000.0 * 4e-4 / 0.15;
    close(rms("T1.i"), 40.0 / (TAU * 50.0 * inductance), 2e-2);
    let hard = with("400");
    let peak = hard.measure("T1.i", 0.1, 0.2, |w, s| w.extremes(s).unwrap().1);
    assert!(peak > 3.0 * 400.0 * std::f64::consts::SQRT_2 / (TAU * 50.0 * inductance), "{peak}");
}

/// L(i) has fallen to 70 % at the saturation current: di/dt = V/L there.
#[test]
fn an_inductor_saturates_where_its_sheet_says() {
    let run = run(
        circuit(&[
            ("V1", DcSource, "in gnd", &[("voltage", "1")]),
            ("L1", Inductor, "in gnd", &[("inductance", "1m"), ("saturation_current", "0.1")]),
        ]),
        120e-6,
        f64::INFINITY,
        1e-5,
    );
    let at = |t: f64| run.measure("L1.i", 0.0, 120e-6, |w, _| w.at(t).unwrap());
    let t = (0..1200).map(|k| f64::from(k) * 1e-7).find(|t| at(*t) >= 0.1).unwrap();
    close((at(t + 5e-7) - at(t - 5e-7)) / 1e-6, 1.0 / (0.7 * 1e-3), 1e-2);
    close((at(2e-6) - at(1e-6)) / 1e-6, 1000.0, 1e-3);
}

/// Three phases 120° apart: line-to-line √3 of phase, and a six-pulse bridge's mean 3√2/π·V_LL
/// (handbook; three diodes to each rail).
#[test]
fn three_phases_feed_a_six_pulse_bridge() {
    let mut rows: Vec<Row<'_>> = vec![
        ("G1", ThreePhaseSource, "l1 l2 l3 n", &[("amplitude", "230")]),
        ("R1", Resistor, "n gnd", &[("resistance", "1M")]),
        ("R2", Resistor, "p m", &[("resistance", "100")]),
        ("R3", Resistor, "m gnd", &[("resistance", "1M")]),
    ];
    for (id, nets) in [("D1", "l1 p"), ("D2", "l2 p"), ("D3", "l3 p"), ("D4", "m l1"), ("D5", "m l2"), ("D6", "m l3")] {
        rows.push((id, Diode, nets, common::NEAR_IDEAL));
    }
    let run = run(circuit(&rows), 0.06, 1e-4, 1e-3);
    let line = run.measure("l1.v - l2.v", 0.02, 0.06, |w, s| w.measure(Rms, s).unwrap());
    close(line, 230.0 * 3.0f64.sqrt(), 1e-3);
    let mean = run.measure("R2.v", 0.02, 0.06, |w, s| w.measure(Mean, s).unwrap());
    close(mean, 3.0 * std::f64::consts::SQRT_2 / std::f64::consts::PI * line, 1e-3);
}

/// An LED on its resistor, a controlled source on its control, a leaky capacitor's droop.
#[test]
fn small_parts_do_what_is_expected() {
    let led: [Row<'_>; 3] = [
        ("V1", DcSource, "in gnd", &[("voltage", "5")]),
        ("R1", Resistor, "in a", &[("resistance", "220")]),
        ("D1", Led, "a gnd", &[]),
    ];
    let forward = rest(&led)("a");
    assert!((1.6..2.4).contains(&forward), "{forward}");
    let controlled: [Row<'_>; 3] = [
        ("V1", DcSource, "in gnd", &[("voltage", "2")]),
        ("G1", VoltageControlledCurrent, "gnd out in gnd", &[("transconductance", "3m")]),
        ("R1", Resistor, "out gnd", &[("resistance", "1k")]),
    ];
    close(rest(&controlled)("out"), 6.0, 1e-12);
    let droop = run(
        circuit(&[
            (
                "C1",
                Capacitor,
                "a gnd",
                &[("capacitance", "1u"), ("leakage", "1M"), ("initial_voltage", "10"), ("esl", "1n")],
            ),
            ("R1", Resistor, "a gnd", &[("resistance", "1G")]),
        ]),
        1.0,
        f64::INFINITY,
        1e-4,
    );
    close(droop.measure("a.v", 0.0, 1.0, |w, _| w.at(1.0).unwrap()), 10.0 * (-1.001f64).exp(), 1e-3);
}

/// A diode given by points of its data sheet passes through them.
#[test]
fn a_diode_passes_through_its_measured_points() {
    for (current, volts) in [("10m", 0.65), ("300m", 0.82), ("3", 1.05)] {
        let rows: [Row<'_>; 2] = [
            ("I1", CurrentSource, "gnd a", &[("current", current)]),
            ("D1", Diode, "a gnd", &[("measured", "0.65 10m, 0.82 300m, 1.05 3")]),
        ];
        close(rest(&rows)("a"), volts, 1e-6);
    }
}

/// With a tenth of its collector current into the base it has its saturation voltage.
#[test]
fn a_transistor_saturates_as_its_sheet_says() {
    for (volts, wanted) in [("0.12", 0.12), ("0.25", 0.25)] {
        let rows: [Row<'_>; 3] = [
            ("I1", CurrentSource, "gnd b", &[("current", "1m")]),
            ("I2", CurrentSource, "gnd c", &[("current", "10m")]),
            (
                "Q1",
                Npn,
                "c b gnd",
                &[
                    ("saturation_voltage", volts),
                    ("collector_current", "10m"),
                    ("knee_current", "0"),
                    ("early_voltage", "0"),
                ],
            ),
        ];
        close(rest(&rows)("c"), wanted, 1e-3);
    }
}
