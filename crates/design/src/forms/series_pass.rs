//! Regulators of an amplifier, a reference and a series transistor.

use super::form::Form;
use super::linear::{incoming, made_for, regulated, regulator};
use super::loads::output;
use crate::draft::{Draft, Net::Inlet, Net::Own, Round};
use circuit::{KindId, Output, ReadingMeasure, Turn};
use quantity::Series;
use quantity::Unit::{Ampere, Farad, Hertz, Ohm, One, Siemens, Volt, Watt};

pub(super) const FOLLOWER: Form = regulator(
    "follower_regulator",
    "Amplifier and follower",
    (3.5, 5e-3),
    "An amplifier compares the output with a reference and drives a transistor as a follower: easy to keep stable.",
    follower,
);
pub(super) const LOW_DROPOUT: Form = regulator(
    "low_dropout",
    "Low-dropout regulator, p-channel",
    (0.8, 1e-3),
    "An amplifier drives a p-channel MOSFET: works with little voltage to spare, and wants its output capacitor's ESR \
     within a window.",
    low_dropout,
);

/// Reference voltage of both, V, and the current through the divider, A.
const FOLLOWER_REFERENCE: f64 = 2.5;
const LOW_REFERENCE: f64 = 1.25;

/// Part of the full current that the divider draws: the least load, without which a loop would have to be
/// stable over an unlimited range.
const LEAST_LOAD: f64 = 0.01;

/// Places the divider that compares the output with a reference, and is the regulator's least load.
fn divider(d: &mut Draft<'_>, wanted: f64, current: f64, reference: f64, x: i32) -> (f64, f64) {
    d.part("top", KindId::Resistor, (x, -2, Turn::None), &[Own("out"), Own("fb")]);
    d.part("bottom", KindId::Resistor, (x, 6, Turn::None), &[Own("fb"), Inlet(1)]);
    d.step(
        "Lower divider resistor",
        Ohm,
        "V_ref / (0.01 * I)",
        &[("V_ref", reference, Volt), ("I", current, Ampere)],
        "a hundredth of the full current through the divider is the least load: the loop need be stable down to that only",
    );
    d.prefer(Series::E24, Round::Nearest);
    let bottom = d.sets("bottom", "resistance");
    d.step(
        "Upper divider resistor",
        Ohm,
        "R_2 * (V_out / V_ref - 1)",
        &[("R_2", bottom, Ohm), ("V_out", wanted, Volt), ("V_ref", reference, Volt)],
        "the divider makes the reference of the output",
    );
    d.prefer(Series::E96, Round::Nearest);
    let top = d.sets("top", "resistance");
    (top, reference * (1.0 + top / bottom))
}

fn reference(d: &mut Draft<'_>, voltage: f64, at: (i32, i32)) {
    d.part("reference", KindId::SeriesReference, (at.0, at.1, Turn::None), &[Inlet(0), Own("ref"), Inlet(1)]);
    d.set("reference", "voltage", voltage);
}

fn losses(d: &mut Draft<'_>, voltage: f64, current: f64) {
    let before = incoming(d);
    let loss = d.step(
        "Loss in the transistor",
        Watt,
        "(V_in - V_out) * I",
        &[("V_in", before.nominal, Volt), ("V_out", voltage, Volt), ("I", current, Ampere)],
        "at nominal line",
    );
    d.promise("Output voltage", ReadingMeasure::Mean, "{plus}.v", voltage, Volt);
    d.promise("Loss of the transistor", ReadingMeasure::Mean, "{pass}.p", loss, Watt);
}

/// Thermal voltage, V; a MOSFET's transconductance for each ampere of full current, S/A; how far above the
/// output its gate must be driven, with the amplifier's own headroom, V; and its current gain (common practice).
const THERMAL_VOLTAGE: f64 = 0.0259;
const MOSFET_STEEPNESS: f64 = 4.0;
const MOSFET_REACH: f64 = 4.0;
const NO_GATE_CURRENT: f64 = 1e9;
/// Least drive over current of a MOSFET near its threshold, V: what a tenth of a volt of transition leaves
/// (invented, typical).
const MOSFET_TAIL: f64 = 0.06;

/// A transistor that carries the current as a follower: a single one, or a Darlington pair where the amplifier
/// could not drive one (common practice: from half an ampere on).
struct Follower {
    gain: f64,
    base_emitter: f64,
}

fn follower_for(current: f64) -> Follower {
    if current <= 0.5 {
        Follower { gain: 120.0, base_emitter: 0.7 }
    } else {
        Follower { gain: 2000.0, base_emitter: 1.4 }
    }
}

fn follower(d: &mut Draft<'_>) {
    const BASE: f64 = 47.0;
    /// Voltage the amplifier needs above what it puts out, its own output resistance, and reserve.
    const HEADROOM: f64 = 1.5;
    const DRIVE: f64 = 100.0;
    const RESERVE: f64 = 0.2;
    let Output { voltage: wanted, current, accuracy, .. } = output(d);
    let devices = [("bipolar", "NPN transistor"), ("mosfet", "n-channel MOSFET")];
    let help = "A MOSFET takes no base current and wants more voltage above the output.";
    let bipolar = d.pick("device", "Series device", &devices, help) == 0;
    let kind = if bipolar { KindId::Npn } else { KindId::MosfetN };
    reference(d, FOLLOWER_REFERENCE, (5, 6));
    let nets = [Own("drive"), Own("ref"), Own("fb"), Inlet(0), Inlet(1)];
    d.part("amplifier", KindId::Amplifier, (13, 4, Turn::None), &nets);
    let control = Own(if bipolar { "base" } else { "gate" });
    d.part("base", KindId::Resistor, (18, 4, Turn::ThreeQuarters), &[Own("drive"), control.clone()]);
    d.part("pass", kind, (20, -8, Turn::ThreeQuarters), &[Inlet(0), control, Own("out")]);
    d.part("output", KindId::Capacitor, (37, 2, Turn::None), &[Own("out"), Inlet(1)]);
    d.part("compensation", KindId::Capacitor, (22, 8, Turn::Half), &[Own("drive"), Own("fb")]);
    d.word("amplifier", "gain_bandwidth", "1M");
    d.word("amplifier", "headroom_low", "0.1");
    // Half the full current is where a transistor is described; its transconductance is what loads the loop.
    let Follower { gain, base_emitter } = follower_for(current);
    let least = LEAST_LOAD * current;
    let steep = if bipolar {
        let gain = d.set("pass", "gain", gain);
        d.set("pass", "collector_current", 0.5 * current);
        d.set("pass", "base_emitter_voltage", base_emitter);
        d.set("pass", "knee_current", 10.0 * current);
        made_for(d, "pass", current);
        d.step(
            "Base current",
            Ampere,
            "1.2 * I / b",
            &[("I", current, Ampere), ("b", gain, One)],
            "the gain falls towards full current; above half an ampere a Darlington pair keeps this within the amplifier's \
             reach (common practice)",
        );
        least / THERMAL_VOLTAGE
    } else {
        d.word("pass", "threshold", "1");
        d.word("pass", "on_gate_voltage", "4.5");
        d.set("pass", "on_resistance", 0.05 / current);
        d.set("pass", "transconductance_current", 0.5 * current);
        let full = d.set("pass", "transconductance", MOSFET_STEEPNESS * current);
        (full * (2.0 * LEAST_LOAD).sqrt()).min(least / MOSFET_TAIL)
    };
    let driven = base_emitter + 0.1 + 1.2 * current / gain * (BASE + DRIVE) + HEADROOM + RESERVE;
    let reach = if bipolar { driven } else { MOSFET_REACH };
    d.set("base", "resistance", BASE);
    let (top, voltage) = divider(d, wanted, current, FOLLOWER_REFERENCE, 29);
    d.step("Output capacitor", Farad, "40u * I / 1", &[("I", current, Ampere)], "40 µF per ampere (common practice)");
    let capacitance = d.prefer(Series::E6, Round::Up).max(4.7e-6);
    d.take(capacitance, "E6");
    let capacitance = d.sets("output", "capacitance");
    d.word("output", "esr", "0.1");
    // What the follower's output resistance and the capacitor make is the loop's second pole.
    let pole = d.step(
        "Pole at the output at the least load",
        Hertz,
        "1 / (2 * pi * C * (1 / g + R_b / b))",
        &[
            ("C", capacitance, Farad),
            ("g", steep, Siemens),
            ("R_b", BASE + DRIVE, Ohm),
            ("b", if bipolar { gain } else { NO_GATE_CURRENT }, One),
        ],
        "output resistance of a follower: its transconductance, and what drives it over its current gain (handbook)",
    );
    let crossover = d.choose(
        "crossover",
        "Crossover",
        Hertz,
        0.5 * pole,
        "Half the output's pole at the least load unless chosen.",
    );
    d.step(
        "Compensation capacitor",
        Farad,
        "1 / (2 * pi * f_c * R_1)",
        &[("f_c", crossover, Hertz), ("R_1", top, Ohm)],
        "an integrator around the amplifier crosses over where its gain is one",
    );
    d.prefer(Series::E6, Round::Up);
    d.sets("compensation", "capacitance");
    losses(d, voltage, current);
    d.never_above("{plus}.v", voltage * (1.0 + accuracy));
    regulated(d, voltage, reach);
    d.width = 42;
}

/// Frequency at which the loop of a low-dropout regulator crosses over at full load, Hz: well below the pole
/// its amplifier makes with the gate.
const CROSSOVER: f64 = 150e3;

/// Gate voltage that turns its transistor fully on, with reserve, V.
const FULLY_ON: f64 = 5.0;

fn low_dropout(d: &mut Draft<'_>) {
    let Output { voltage: wanted, current, accuracy, .. } = output(d);
    let dropout = d.choose("dropout", "Dropout wanted", Volt, 0.3, "At full load.");
    reference(d, LOW_REFERENCE, (5, 6));
    let nets = [Own("gate"), Own("fb"), Own("ref"), Inlet(0), Inlet(1)];
    d.part("amplifier", KindId::Amplifier, (13, 4, Turn::None), &nets);
    d.mirrored("pass", KindId::MosfetP, (20, -8, Turn::Quarter), true, &[Own("out"), Own("gate"), Inlet(0)]);
    d.part("output", KindId::Capacitor, (34, 2, Turn::None), &[Own("out"), Inlet(1)]);
    let (_, voltage) = divider(d, wanted, current, LOW_REFERENCE, 26);
    d.step(
        "On-resistance",
        Ohm,
        "0.5 * V_drop / I",
        &[("V_drop", dropout, Volt), ("I", current, Ampere)],
        "half the dropout is the transistor's when fully on",
    );
    d.sets("pass", "on_resistance");
    d.word("pass", "threshold", "1");
    d.word("pass", "on_gate_voltage", "4.5");
    // A transistor's transconductance and charge grow with the current it is made for.
    let scale = current / 0.2;
    let steep = d.set("pass", "transconductance", 1.5 * scale) * (current / (0.5 * scale)).sqrt();
    d.set("pass", "transconductance_current", 0.5 * scale);
    for (name, at_200ma) in
        [("input_capacitance", 300e-12), ("output_capacitance", 100e-12), ("reverse_capacitance", 30e-12)]
    {
        d.set("pass", name, at_200ma * scale);
    }
    d.word("pass", "capacitance_voltage", "5");
    for (name, value) in [
        ("gain", "20k"),
        ("second_pole", "100M"),
        ("slew_rate", "5M"),
        ("headroom_high", "50m"),
        ("supply_current", "50u"),
    ] {
        d.word("amplifier", name, value);
    }
    // A gate driven no further than needed comes back sooner when the output is reached at switch-on.
    let spared = (incoming(d).lowest - FULLY_ON).clamp(0.05, 100.0);
    d.set("amplifier", "headroom_low", spared);
    d.set("amplifier", "output_resistance", 500.0 / scale);
    d.set("amplifier", "current_limit", 5e-3 * scale);
    d.step(
        "Output capacitor",
        Farad,
        "1m * I / 1",
        &[("I", current, Ampere)],
        "220 µF for 200 mA: large enough that the ESR the loop wants costs little in a load step, and that the output rises \
         little above what is wanted before the amplifier has hold of it (common practice)",
    );
    d.prefer(Series::E6, Round::Up);
    let capacitance = d.sets("output", "capacitance");
    let zero = d.choose(
        "zero",
        "Zero of the output capacitor",
        Hertz,
        6e3,
        "Its ESR makes a zero that lifts the phase before the loop crosses over; too little or too much rings.",
    );
    let esr = d.step(
        "ESR of the output capacitor",
        Ohm,
        "1 / (2 * pi * C * f_z)",
        &[("C", capacitance, Farad), ("f_z", zero, Hertz)],
        "zero of a capacitor with resistance",
    );
    d.sets("output", "esr");
    let crossover = d.choose(
        "crossover",
        "Crossover",
        Hertz,
        CROSSOVER,
        "At full load; with a lighter one the transistor is less steep and the loop crosses over nearer to the zero.",
    );
    d.step(
        "Gain-bandwidth product of the amplifier",
        Hertz,
        "f_c * V_out / (V_ref * g * ESR)",
        &[
            ("f_c", crossover, Hertz),
            ("V_out", voltage, Volt),
            ("V_ref", LOW_REFERENCE, Volt),
            ("g", steep, Siemens),
            ("ESR", esr, Ohm),
        ],
        "above the zero the loop gain is divider, amplifier, transconductance and ESR multiplied (handbook)",
    );
    d.sets("amplifier", "gain_bandwidth");
    losses(d, voltage, current);
    d.never_above("{plus}.v", voltage * (1.0 + accuracy));
    regulated(d, voltage, dropout);
    d.width = 39;
}
