//! Three-terminal regulators, and what regulators have in common.

use super::form::{Form, Needs};
use super::loads::{negative, output};
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
/// Ratings of usual regulators, A.
const RATINGS: &[f64] = &[0.1, 0.5, 1.0, 1.5, 3.0, 5.0];
/// Voltages of usual fixed regulators, V.
const FIXED: &[f64] = &[3.3, 5.0, 6.0, 8.0, 9.0, 10.0, 12.0, 15.0, 18.0, 24.0];

pub(super) fn incoming(d: &Draft<'_>) -> Dc {
    d.ask.before.and_then(|b| b.dc()).unwrap_or(Dc::steady(0.0, 0.0, 0.0))
}

/// Resistances of a transistor made for a current: the larger, the smaller (common practice).
pub(super) fn made_for(d: &mut Draft<'_>, role: &'static str, current: f64) {
    d.set(role, "base_resistance", (0.5 / current).min(10.0));
    d.set(role, "collector_resistance", (0.1 / current).min(0.5));
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

/// Holds the output's extremes over line and load against the accuracy wanted, and says what else would do.
pub(super) fn holds(d: &mut Draft<'_>, wanted: &Output, [lowest, highest]: [f64; 2], instead: &str) {
    let off = d.step(
        "Farthest from what is wanted",
        One,
        "max(V_max / V_out - 1, 1 - V_min / V_out)",
        &[("V_max", highest, Volt), ("V_min", lowest, Volt), ("V_out", wanted.voltage.abs(), Volt)],
        "lowest line with full load, highest line without",
    );
    if off > wanted.accuracy {
        let volts = |v| quantity::show(v, Volt, 3);
        d.warnings.push(format!(
            "Between the lowest line with full load and the highest without, the output goes from {} to {}: {:.1} % off where \
             {:.1} % is allowed. {instead}",
            volts(lowest),
            volts(highest),
            100.0 * off,
            100.0 * wanted.accuracy
        ));
    }
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

/// Sets a fixed regulator's voltage to the usual one nearest to what is wanted, V, and says so if that is too far off.
fn usual_voltage(d: &mut Draft<'_>, role: &'static str, wanted: &Output, instead: &str) -> f64 {
    let magnitude = wanted.voltage.abs();
    d.step("Regulated voltage", Volt, "abs(V_out)", &[("V_out", wanted.voltage, Volt)], "the output itself");
    let distance = |v: &f64| (v - magnitude).abs();
    let nearest = FIXED.iter().copied().min_by(|a, b| distance(a).total_cmp(&distance(b))).unwrap_or(magnitude);
    d.take(nearest, "usual voltages");
    let voltage = d.sets(role, "voltage");
    if distance(&voltage) > wanted.accuracy * magnitude {
        let shown = quantity::show(wanted.voltage, Volt, 3);
        d.warnings.push(format!("No usual fixed regulator makes {shown}; {instead}"));
    }
    voltage
}

fn fixed(d: &mut Draft<'_>) {
    let wanted = output(d);
    let Output { current, accuracy, .. } = wanted;
    three_terminal(d, Inlet(1), current);
    let voltage = usual_voltage(d, "regulator", &wanted, "take an adjustable one");
    d.set("regulator", "quiescent_current", QUIESCENT);
    losses(d, voltage, current, QUIESCENT);
    d.never_above("{plus}.v", voltage * (1.0 + accuracy));
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
    let mut held = Vec::new();
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
        let voltage = usual_voltage(d, role, demand, "state a usual voltage, or allow it to be farther off");
        held.push(Dc::steady(voltage, voltage, voltage));
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
        let magnitude = if side < 0 { "{out}.v" } else { "-{neg_out}.v" };
        d.never_above(magnitude, voltage * (1.0 + demand.accuracy));
    }
    d.give(JointKind::Split, &[Own("out"), Inlet(1), Own("neg_out")], Delivered::Split(held[0], held[1]));
    d.width = 16;
}

fn adjustable(d: &mut Draft<'_>) {
    const REFERENCE: f64 = 1.25;
    const ADJUST: f64 = 50e-6;
    let Output { voltage: wanted, current, accuracy, .. } = output(d);
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
    d.prefer(Series::E96, Round::Nearest);
    let bottom = d.sets("bottom", "resistance");
    let voltage = REFERENCE * (1.0 + bottom / top) + ADJUST * bottom;
    losses(d, voltage, current + REFERENCE / top, 0.0);
    d.never_above("{plus}.v", voltage * (1.0 + accuracy));
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
