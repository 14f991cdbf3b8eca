//! Zener diodes and three-terminal regulators.

use super::loads::{negative, output};
use super::{Form, Needs};
use crate::delivered::{Dc, Delivered};
use crate::draft::{Draft, Net::Inlet, Net::Own, Round};
use circuit::{JointKind, KindId, Output, ReadingMeasure, StageKind, Turn};
use quantity::Series;
use quantity::Unit::{Ampere, Ohm, One, Volt, Watt};

pub(super) const fn regulator(
    id: &'static str,
    title: &'static str,
    (headroom, own): (f64, f64),
    help: &'static str,
    design: fn(&mut Draft<'_>),
) -> Form {
    Form {
        id,
        title,
        kind: StageKind::Regulator,
        help,
        takes: Some(JointKind::Dc),
        design,
        needs: Needs::Regulates { headroom, own },
        rectifies: None,
    }
}

pub(super) const ZENER_SHUNT: Form = regulator(
    "zener_shunt",
    "Zener shunt regulator",
    (3.0, 10e-3),
    "A resistor and a Zener diode; for a few milliamperes.",
    zener_shunt,
);
pub(super) const ZENER_FOLLOWER: Form = regulator(
    "zener_follower",
    "Zener diode and follower",
    (3.0, 10e-3),
    "A Zener diode sets the base of a transistor that carries the load.",
    zener_follower,
);
pub(super) const ZENER_SPLIT: Form = Form {
    id: "zener_split",
    title: "Split rails by Zener diodes",
    kind: StageKind::Regulator,
    help: "Two Zener diodes in series make a middle between the rails of one supply.",
    takes: Some(JointKind::Dc),
    design: zener_split,
    needs: Needs::Regulates { headroom: 3.0, own: 10e-3 },
    rectifies: None,
};
pub(super) const FIXED_REGULATOR: Form = regulator(
    "fixed_regulator",
    "Fixed three-terminal regulator",
    (FIXED_DROPOUT + RESERVE, QUIESCENT),
    "The usual choice for a usual voltage.",
    fixed,
);
pub(super) const ADJUSTABLE_REGULATOR: Form = regulator(
    "adjustable_regulator",
    "Adjustable three-terminal regulator",
    (FIXED_DROPOUT + RESERVE, QUIESCENT),
    "Two resistors set the voltage.",
    adjustable,
);
pub(super) const SPLIT_REGULATORS: Form = Form {
    takes: Some(JointKind::Split),
    ..regulator(
        "split_regulators",
        "Positive and negative regulator",
        (FIXED_DROPOUT + RESERVE, QUIESCENT),
        "A fixed three-terminal regulator on each rail.",
        split,
    )
};
pub(super) const INDICATOR: Form = Form {
    id: "indicator",
    title: "Indicator LED",
    kind: StageKind::Load,
    help: "A light-emitting diode with its resistor.",
    takes: Some(JointKind::Dc),
    design: indicator,
    needs: Needs::Draws(5e-3),
    rectifies: None,
};

/// Dropout of a usual regulator, what is kept in reserve above it, V, and its own current, A.
const FIXED_DROPOUT: f64 = 2.0;
const RESERVE: f64 = 0.5;
const QUIESCENT: f64 = 5e-3;
/// Current a Zener diode is kept at, A, and its impedance there, Ω (invented, typical).
const ZENER_CURRENT: f64 = 5e-3;
const ZENER_IMPEDANCE: f64 = 8.0;
/// Current gain and base-emitter voltage of a usual pass transistor.
const GAIN: f64 = 100.0;
const BASE_EMITTER: f64 = 0.7;
/// Ratings of usual regulators, A.
const RATINGS: &[f64] = &[0.1, 0.5, 1.0, 1.5, 3.0, 5.0];
/// Voltages of usual fixed regulators, V.
const FIXED: &[f64] = &[3.3, 5.0, 6.0, 8.0, 9.0, 10.0, 12.0, 15.0, 18.0, 24.0];

pub(super) fn incoming(d: &Draft<'_>) -> Dc {
    d.ask.before.and_then(|b| b.dc()).unwrap_or(Dc::steady(0.0, 0.0, 0.0))
}

/// Gives a regulated voltage and checks that there is enough to make it from.
pub(super) fn regulated(d: &mut Draft<'_>, voltage: f64, dropout: f64) {
    let before = incoming(d);
    let margin = d.step(
        "Dropout margin at the lowest line",
        Volt,
        "V_low - V_out - V_drop",
        &[("V_low", before.lowest, Volt), ("V_out", voltage, Volt), ("V_drop", dropout, Volt)],
        "what is left in the deepest valley",
    );
    if margin < 0.0 {
        d.warnings.push(missing(margin));
    }
    d.give(JointKind::Dc, &[Own("out"), Inlet(1)], Delivered::Dc(Dc::steady(voltage, voltage, voltage)));
}

/// What to say of a regulator that has too little to work from.
fn missing(margin: f64) -> String {
    format!(
        "In the valleys at the lowest line {} are missing to regulate; raise the voltage before this stage or lower its \
         ripple",
        quantity::show(-margin, Volt, 3)
    )
}

fn zener(d: &mut Draft<'_>, role: &'static str, voltage: f64) {
    d.set(role, "zener_voltage", voltage);
    d.set(role, "zener_current", ZENER_CURRENT);
    d.set(role, "zener_impedance", ZENER_IMPEDANCE);
}

/// Resistor that feeds a Zener diode of `voltage` and a load beside it.
fn feed(d: &mut Draft<'_>, voltage: f64, load: f64) -> f64 {
    let before = incoming(d);
    d.step(
        "Series resistance",
        Ohm,
        "(V_low - V_z) / (I + I_z)",
        &[("V_low", before.lowest, Volt), ("V_z", voltage, Volt), ("I", load, Ampere), ("I_z", ZENER_CURRENT, Ampere)],
        "handbook: the Zener diode keeps its current at lowest voltage and full load",
    );
    d.prefer(Series::E12, Round::Down);
    let resistance = d.sets("feed", "resistance");
    d.step(
        "Loss in the resistor",
        Watt,
        "(V_high - V_z) ^ 2 / R",
        &[("V_high", before.highest, Volt), ("V_z", voltage, Volt), ("R", resistance, Ohm)],
        "at the highest line",
    );
    d.step(
        "Loss in the Zener diode",
        Watt,
        "V_z * (V_high - V_z) / R",
        &[("V_high", before.highest, Volt), ("V_z", voltage, Volt), ("R", resistance, Ohm)],
        "at the highest line without load",
    );
    if voltage >= before.lowest {
        d.warnings.push("Nothing is left to regulate, for the Zener voltage is above the lowest voltage before this stage; raise what \
             comes before"
                .into());
    }
    resistance
}

/// What a Zener diode fed from the nominal voltage really has.
fn zener_in_service(before: &Dc, voltage: f64, resistance: f64, load: f64) -> f64 {
    let current = (before.nominal - voltage) / resistance - load;
    voltage + (current - ZENER_CURRENT) * ZENER_IMPEDANCE
}

fn zener_shunt(d: &mut Draft<'_>) {
    let Output { voltage: wanted, current, .. } = output(d);
    d.part("feed", KindId::Resistor, (4, -6, Turn::ThreeQuarters), &[Inlet(0), Own("out")]);
    d.part("zener", KindId::Zener, (9, 0, Turn::Half), &[Inlet(1), Own("out")]);
    d.step("Zener voltage", Volt, "V_out", &[("V_out", wanted, Volt)], "the output itself");
    let voltage = d.prefer(Series::E24, Round::Nearest);
    zener(d, "zener", voltage);
    let voltage = d.sets("zener", "zener_voltage");
    let resistance = feed(d, voltage, current);
    let before = incoming(d);
    let held = zener_in_service(&before, voltage, resistance, current);
    d.promise("Output voltage", ReadingMeasure::Mean, "{plus}.v", held, Volt);
    let through = (before.nominal - held) / resistance;
    d.promise("Loss of the resistor", ReadingMeasure::Mean, "{feed}.p", through * through * resistance, Watt);
    d.draws = Some(through);
    d.conducts = Some(1.0 / resistance);
    regulated(d, voltage, 0.0);
    d.width = 13;
}

fn zener_follower(d: &mut Draft<'_>) {
    let Output { voltage: wanted, current, .. } = output(d);
    d.part("pass", KindId::Npn, (6, -6, Turn::ThreeQuarters), &[Inlet(0), Own("base"), Own("out")]);
    d.part("feed", KindId::Resistor, (2, -1, Turn::None), &[Inlet(0), Own("base")]);
    d.part("zener", KindId::Zener, (6, 3, Turn::Half), &[Inlet(1), Own("base")]);
    d.set("pass", "gain", GAIN);
    d.set("pass", "base_emitter_voltage", BASE_EMITTER);
    d.set("pass", "collector_current", 0.5 * current);
    d.set("pass", "knee_current", 10.0 * current);
    d.step(
        "Zener voltage",
        Volt,
        "V_out + V_be",
        &[("V_out", wanted, Volt), ("V_be", BASE_EMITTER, Volt)],
        "the follower loses its base-emitter voltage",
    );
    let voltage = d.prefer(Series::E24, Round::Nearest);
    zener(d, "zener", voltage);
    let voltage = d.sets("zener", "zener_voltage");
    let base = d.step(
        "Base current",
        Ampere,
        "I / b",
        &[("I", current, Ampere), ("b", GAIN, One)],
        "current gain of the transistor",
    );
    let resistance = feed(d, voltage, base);
    let before = incoming(d);
    let out = zener_in_service(&before, voltage, resistance, base) - BASE_EMITTER;
    d.promise("Output voltage", ReadingMeasure::Mean, "{plus}.v", out, Volt);
    d.promise("Loss of the transistor", ReadingMeasure::Mean, "{pass}.p", (before.nominal - out) * current, Watt);
    regulated(d, voltage - BASE_EMITTER, 1.0);
    d.width = 12;
}

fn zener_split(d: &mut Draft<'_>) {
    let Output { voltage: wanted, current, .. } = output(d);
    d.part("feed", KindId::Resistor, (4, -10, Turn::ThreeQuarters), &[Inlet(0), Own("pos")]);
    d.part("upper", KindId::Zener, (9, -5, Turn::Half), &[Own("mid"), Own("pos")]);
    d.part("lower", KindId::Zener, (9, 5, Turn::Half), &[Inlet(1), Own("mid")]);
    d.step("Voltage of each Zener diode", Volt, "abs(V_out)", &[("V_out", wanted, Volt)], "each holds one rail");
    let voltage = d.prefer(Series::E24, Round::Nearest);
    for role in ["upper", "lower"] {
        zener(d, role, voltage);
        d.set(role, "zener_voltage", voltage);
    }
    let resistance = feed(d, 2.0 * voltage, current);
    let before = incoming(d);
    let through = (before.nominal - 2.0 * voltage) / (resistance + 2.0 * ZENER_IMPEDANCE);
    d.promise("Loss of the resistor", ReadingMeasure::Mean, "{feed}.p", through * through * resistance, Watt);
    let rail = Dc::steady(voltage, voltage, voltage);
    d.give(JointKind::Split, &[Own("pos"), Own("mid"), Inlet(1)], Delivered::Split(rail, rail));
    d.width = 13;
}

/// Draws a three-terminal regulator with its capacitors.
fn three_terminal(d: &mut Draft<'_>, common: crate::draft::Net, current: f64) -> f64 {
    d.part("regulator", KindId::Regulator, (7, -6, Turn::None), &[Inlet(0), Own("out"), common]);
    d.part("input", KindId::Capacitor, (2, 0, Turn::None), &[Inlet(0), Inlet(1)]);
    d.part("output", KindId::Capacitor, (12, 0, Turn::None), &[Own("out"), Inlet(1)]);
    d.word("input", "capacitance", "330n");
    d.word("input", "esr", "20m");
    d.word("output", "capacitance", "10u");
    d.word("output", "esr", "200m");
    d.step("Rated current", Ampere, "1.2 * I", &[("I", current, Ampere)], "a fifth in reserve (common practice)");
    d.ladder(RATINGS, "usual ratings");
    let rated = d.sets("regulator", "rated_current");
    d.set("regulator", "current_limit", 1.6 * rated);
    d.set("regulator", "dropout", FIXED_DROPOUT);
    d.width = 16;
    rated
}

fn losses(d: &mut Draft<'_>, voltage: f64, current: f64, quiescent: f64) {
    let before = incoming(d);
    let loss = d.step(
        "Loss in the regulator",
        Watt,
        "(V_in - V_out) * I + V_in * I_q",
        &[("V_in", before.nominal, Volt), ("V_out", voltage, Volt), ("I", current, Ampere), ("I_q", quiescent, Ampere)],
        "what comes in less what goes out, at nominal line",
    );
    d.promise("Output voltage", ReadingMeasure::Mean, "{plus}.v", voltage, Volt);
    d.promise("Loss of the regulator", ReadingMeasure::Mean, "{regulator}.p", loss, Watt);
}

/// The usual fixed voltage nearest to one, V.
fn nearest_fixed(wanted: f64) -> f64 {
    let distance = |v: &f64| (v - wanted).abs();
    FIXED.iter().copied().min_by(|a, b| distance(a).total_cmp(&distance(b))).unwrap_or(wanted)
}

fn fixed(d: &mut Draft<'_>) {
    let Output { voltage: wanted, current, accuracy, .. } = output(d);
    three_terminal(d, Inlet(1), current);
    d.step("Regulated voltage", Volt, "V_out", &[("V_out", wanted, Volt)], "the output itself");
    d.take(nearest_fixed(wanted), "usual voltages");
    let voltage = d.sets("regulator", "voltage");
    if (voltage - wanted).abs() > accuracy * wanted.abs() {
        d.warnings.push(format!(
            "No usual fixed regulator makes {}; take an adjustable one",
            quantity::show(wanted, Volt, 3)
        ));
    }
    d.set("regulator", "quiescent_current", QUIESCENT);
    losses(d, voltage, current, QUIESCENT);
    regulated(d, voltage, FIXED_DROPOUT);
}

fn split(d: &mut Draft<'_>) {
    let positive = output(d);
    let negative = negative(d, &positive);
    let before = incoming(d);
    let rails = [
        ("upper", "upper_input", "upper_output", -1, &positive, [Inlet(0), Own("out"), Inlet(1)]),
        ("lower", "lower_input", "lower_output", 1, &negative, [Inlet(2), Own("neg_out"), Inlet(1)]),
    ];
    for (role, input, output, side, demand, nets) in rails {
        let [from, to, zero] = nets;
        let regulated = [from.clone(), to.clone(), zero.clone()];
        let turn = if side < 0 { Turn::None } else { Turn::Half };
        d.mirrored(role, KindId::Regulator, (7, 9 * side, turn), side > 0, &regulated);
        for (role, x, net, capacitance, esr) in [(input, 2, from, "330n", "20m"), (output, 12, to, "10u", "200m")] {
            let nets = if side < 0 { [net, zero.clone()] } else { [zero.clone(), net] };
            d.part(role, KindId::Capacitor, (x, 4 * side, Turn::None), &nets);
            d.word(role, "capacitance", capacitance);
            d.word(role, "esr", esr);
        }
        d.word(role, "polarity", if side < 0 { "positive" } else { "negative" });
        d.step(
            "Rated current",
            Ampere,
            "1.2 * I",
            &[("I", demand.current, Ampere)],
            "a fifth in reserve (common practice)",
        );
        let rated = d.ladder(RATINGS, "usual ratings");
        d.sets(role, "rated_current");
        d.set(role, "current_limit", 1.6 * rated);
        d.set(role, "dropout", FIXED_DROPOUT);
        d.step("Regulated voltage", Volt, "abs(V_out)", &[("V_out", demand.voltage, Volt)], "the output itself");
        let voltage = nearest_fixed(demand.voltage.abs());
        d.take(voltage, "usual voltages");
        let voltage = d.sets(role, "voltage");
        d.set(role, "quiescent_current", QUIESCENT);
        let margin = d.step(
            "Dropout margin at the lowest line",
            Volt,
            "V_low - V_out - V_drop",
            &[("V_low", before.lowest, Volt), ("V_out", voltage, Volt), ("V_drop", FIXED_DROPOUT, Volt)],
            "what is left in the deepest valley",
        );
        if margin < 0.0 {
            d.warnings.push(missing(margin));
        }
        let signal = if side < 0 { "{out}.v" } else { "{neg_out}.v" };
        d.promise("Output voltage", ReadingMeasure::Mean, signal, -voltage * f64::from(side), Volt);
    }
    let rail = |o: &Output| {
        Dc::steady(nearest_fixed(o.voltage.abs()), nearest_fixed(o.voltage.abs()), nearest_fixed(o.voltage.abs()))
    };
    let delivered = Delivered::Split(rail(&positive), rail(&negative));
    d.give(JointKind::Split, &[Own("out"), Inlet(1), Own("neg_out")], delivered);
    d.width = 16;
}

fn adjustable(d: &mut Draft<'_>) {
    const REFERENCE: f64 = 1.25;
    const ADJUST: f64 = 50e-6;
    let Output { voltage: wanted, current, .. } = output(d);
    three_terminal(d, Own("adj"), current);
    d.part("top", KindId::Resistor, (9, 0, Turn::None), &[Own("out"), Own("adj")]);
    d.part("bottom", KindId::Resistor, (7, 5, Turn::None), &[Own("adj"), Inlet(1)]);
    d.set("regulator", "voltage", REFERENCE);
    d.set("regulator", "quiescent_current", ADJUST);
    let top = d.choose("top", "Resistor to the output", Ohm, 240.0, "Its current, 5 mA, is the regulator's own load.");
    let top = d.set("top", "resistance", top);
    d.step(
        "Resistor to the common",
        Ohm,
        "(V_out - V_ref) / (V_ref / R_1 + I_adj)",
        &[("V_out", wanted, Volt), ("V_ref", REFERENCE, Volt), ("R_1", top, Ohm), ("I_adj", ADJUST, Ampere)],
        "handbook: V_out = V_ref·(1 + R_2/R_1) + I_adj·R_2",
    );
    d.prefer(Series::E24, Round::Nearest);
    let bottom = d.sets("bottom", "resistance");
    let voltage = REFERENCE * (1.0 + bottom / top) + ADJUST * bottom;
    losses(d, voltage, current + REFERENCE / top, 0.0);
    regulated(d, voltage, FIXED_DROPOUT);
    d.width = 17;
}

fn indicator(d: &mut Draft<'_>) {
    const FORWARD: f64 = 2.0;
    let before = incoming(d);
    d.part("series", KindId::Resistor, (4, -4, Turn::None), &[Inlet(0), Own("led")]);
    d.part("led", KindId::Led, (4, 4, Turn::None), &[Own("led"), Inlet(1)]);
    let current = d.choose("current", "Current", Ampere, 5e-3, "A few milliamperes are bright enough.");
    d.step(
        "Series resistance",
        Ohm,
        "(V - V_f) / I",
        &[("V", before.nominal, Volt), ("V_f", FORWARD, Volt), ("I", current, Ampere)],
        "Ohm's law; forward voltage of a usual LED",
    );
    d.prefer(Series::E12, Round::Nearest);
    let resistance = d.sets("series", "resistance");
    d.promise("LED current", ReadingMeasure::Mean, "{led}.i", (before.nominal - FORWARD) / resistance, Ampere);
    d.width = 8;
}
