//! Regulators that rest on Zener diodes.

use super::form::{Form, Needs};
use super::linear::{holds, incoming, made_for, regulated, regulator};
use super::loads::output;
use crate::delivered::{Dc, Delivered};
use crate::draft::{Draft, Drawn, Net::Inlet, Net::Own, Round};
use circuit::{JointKind, KindId, Output, ReadingMeasure, StageKind, Turn};
use quantity::Series;
use quantity::Unit::{Ampere, Ohm, One, Volt, Watt};

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

/// Usual power ratings of Zener diodes, W. Up to the first they are specified at 5 mA, the others at a quarter of
/// it, where current times impedance
/// is about the same for all, V (common practice: 0.2 to 0.4 V); one is used to two thirds of its rating.
const RATINGS: &[f64] = &[0.5, 1.3, 3.0, 5.0, 10.0, 20.0, 50.0];
const SMALL: f64 = RATINGS[0];
const SPREAD: f64 = 0.3;
/// Least current a Zener diode is kept at, A, and the same as a part of the load's.
const LEAST: f64 = 3e-3;
const SHARE: f64 = 0.1;
/// Current gain and base-emitter voltage of a usual pass transistor, and its thermal voltage, V.
const GAIN: f64 = 100.0;
const BASE_EMITTER: f64 = 0.7;
const THERMAL_VOLTAGE: f64 = 0.0259;
/// What base resistance and high-level injection add to the base-emitter voltage at full current, V.
const HIGH_LEVEL: f64 = 0.01;
/// Part of the full current that always flows behind a follower, which has no voltage of its own without any.
const BLEED: f64 = 0.01;
const INSTEAD: &str = "An amplifier and follower, or a three-terminal regulator, holds it";

/// Zener diodes in series behind a resistor.
struct Fed {
    count: f64,
    /// Of each diode at its test current, V.
    voltage: f64,
    test_current: f64,
    resistance: f64,
}

impl Fed {
    /// Sizes resistor and diodes for a load beside them.
    fn size(d: &mut Draft<'_>, roles: &[&'static str], voltage: f64, load: f64) -> Fed {
        let before = incoming(d);
        let count = roles.len() as f64;
        let least = d.step(
            "Least current of the Zener diode",
            Ampere,
            "max(3m, 0.1 * I)",
            &[("I", load, Ampere)],
            "below some milliamperes its knee is soft (common practice)",
        );
        d.step(
            "Series resistance",
            Ohm,
            "max(V_low - V_z, 0.05 * V_z) / (I + I_z)",
            &[
                ("V_low", before.lowest, Volt),
                ("V_z", count * voltage, Volt),
                ("I", load, Ampere),
                ("I_z", least.max(LEAST).max(SHARE * load), Ampere),
            ],
            "handbook: the Zener diode keeps its current at lowest voltage and full load",
        );
        d.prefer(Series::E12, Round::Down);
        let resistance = d.sets("feed", "resistance");
        let of_feed = d.step(
            "Loss in the resistor",
            Watt,
            "(V_high - V_z) ^ 2 / R",
            &[("V_high", before.highest, Volt), ("V_z", count * voltage, Volt), ("R", resistance, Ohm)],
            "at the highest line",
        );
        d.rates("feed", "power", 2.0 * of_feed);
        d.step(
            "Rating of the Zener diode",
            Watt,
            "1.5 * V_z * (V_high - V_zs) / R",
            &[
                ("V_z", voltage, Volt),
                ("V_high", before.highest, Volt),
                ("V_zs", count * voltage, Volt),
                ("R", resistance, Ohm),
            ],
            "what it takes at the highest line without load, used to two thirds",
        );
        let rated = d.ladder(RATINGS, "usual ratings");
        let mut fed = Fed { count, voltage, test_current: f64::NAN, resistance };
        for role in roles {
            d.rates(role, "power", rated);
            if rated <= SMALL {
                let origin = "small ones are specified at 5 mA (common practice)";
                d.step("Current it is specified at", Ampere, "5m", &[], origin);
            } else {
                d.step(
                    "Current it is specified at",
                    Ampere,
                    "P / (4 * V_z)",
                    &[("P", rated, Watt), ("V_z", voltage, Volt)],
                    "a quarter of its power (common practice)",
                );
            }
            fed.test_current = d.sets(role, "zener_current");
            d.step(
                "Impedance there",
                Ohm,
                "0.3 / I_z",
                &[("I_z", fed.test_current, Ampere)],
                "0.3 V over the current, whatever the power (common practice: 0.2 to 0.4 V)",
            );
            d.sets(role, "zener_impedance");
        }
        if count * voltage >= before.lowest {
            d.warnings.push(
                "Nothing is left to regulate, for the Zener voltage is above the lowest voltage before this stage; raise what \
                 comes before"
                    .into(),
            );
        }
        fed
    }

    /// Voltage of one diode at a current: half of the impedance is its exponential's, half its bulk's, as in
    /// the model.
    fn at(&self, current: f64) -> f64 {
        let part = (current / self.test_current).max(1e-9);
        self.voltage + 0.5 * SPREAD * (part.ln() + part - 1.0)
    }

    /// Voltage of one diode and current into the resistor, from an input voltage and with a load.
    fn in_service(&self, input: f64, load: f64) -> (f64, f64) {
        let (mut low, mut high) = (0.0, (input / self.resistance).max(0.0));
        for _ in 0..60 {
            let middle = 0.5 * (low + high);
            let through = (input - self.count * self.at(middle)) / self.resistance - load;
            if through > middle { low = middle } else { high = middle }
        }
        // Starved, it does not regulate at all.
        let voltage = self.at(low).min((input - load * self.resistance) / self.count);
        (voltage, (input - self.count * voltage) / self.resistance)
    }

    /// Lowest and highest voltage of one diode over line and load.
    fn extremes(&self, before: &Dc, load: f64) -> [f64; 2] {
        [self.in_service(before.lowest, load).0, self.in_service(before.highest, 0.0).0]
    }
}

fn zener_shunt(d: &mut Draft<'_>) {
    let wanted = output(d);
    d.part("feed", KindId::Resistor, (4, -6, Turn::ThreeQuarters), &[Inlet(0), Own("out")]);
    d.part("zener", KindId::Zener, (9, 0, Turn::Half), &[Inlet(1), Own("out")]);
    d.step("Zener voltage", Volt, "V_out", &[("V_out", wanted.voltage, Volt)], "the output itself");
    d.prefer(Series::E24, Round::Nearest);
    let voltage = d.sets("zener", "zener_voltage");
    let fed = Fed::size(d, &["zener"], voltage, wanted.current);
    let before = incoming(d);
    let extremes = fed.extremes(&before, wanted.current);
    holds(d, &wanted, extremes, INSTEAD);
    let (held, through) = fed.in_service(before.nominal, wanted.current);
    d.promise("Output voltage", ReadingMeasure::Mean, "{plus}.v", held, Volt);
    d.never_above("{plus}.v", extremes[1].max(held * (1.0 + wanted.accuracy)));
    d.promise("Loss of the resistor", ReadingMeasure::Mean, "{feed}.p", through * through * fed.resistance, Watt);
    d.drawn[0] = Drawn { current: Some(through), conductance: Some(1.0 / fed.resistance) };
    regulated(d, voltage, 0.0);
    d.width = 13;
}

fn zener_follower(d: &mut Draft<'_>) {
    let wanted = output(d);
    let Output { voltage: out, current, .. } = wanted;
    d.part("pass", KindId::Npn, (6, -6, Turn::ThreeQuarters), &[Inlet(0), Own("base"), Own("out")]);
    d.part("feed", KindId::Resistor, (2, -1, Turn::None), &[Inlet(0), Own("base")]);
    d.part("zener", KindId::Zener, (6, 3, Turn::Half), &[Inlet(1), Own("base")]);
    d.part("bleed", KindId::Resistor, (12, 0, Turn::None), &[Own("out"), Inlet(1)]);
    d.set("pass", "gain", GAIN);
    d.set("pass", "base_emitter_voltage", BASE_EMITTER);
    d.set("pass", "collector_current", 0.5 * current);
    d.set("pass", "knee_current", 10.0 * current);
    made_for(d, "pass", current);
    d.step(
        "Bleeder",
        Ohm,
        "V_out / (0.01 * I)",
        &[("V_out", out, Volt), ("I", current, Ampere)],
        "a hundredth of the current keeps the transistor's base-emitter voltage without any load",
    );
    d.prefer(Series::E12, Round::Nearest);
    d.sets("bleed", "resistance");
    d.step(
        "Zener voltage",
        Volt,
        "V_out + V_be",
        &[("V_out", out, Volt), ("V_be", BASE_EMITTER, Volt)],
        "the follower loses its base-emitter voltage",
    );
    d.prefer(Series::E24, Round::Nearest);
    let voltage = d.sets("zener", "zener_voltage");
    let base = d.step(
        "Base current",
        Ampere,
        "1.2 * I / b",
        &[("I", current, Ampere), ("b", GAIN, One)],
        "current gain of the transistor, which falls towards full current",
    );
    let fed = Fed::size(d, &["zener"], voltage, base);
    let before = incoming(d);
    // A decade of current is some 60 mV of base-emitter voltage.
    let base_emitter = |part: f64| BASE_EMITTER + THERMAL_VOLTAGE * (part / 0.5).ln();
    let [lowest, highest] = fed.extremes(&before, base);
    holds(d, &wanted, [lowest - base_emitter(1.0) - HIGH_LEVEL, highest - base_emitter(BLEED)], INSTEAD);
    let (held, through) = fed.in_service(before.nominal, base);
    let held = held - base_emitter(1.0) - HIGH_LEVEL;
    // What the load draws through the transistor comes on top of the resistor's current, but for the base's.
    let drawn = (1.0 + BLEED) * current - base / 1.2 + through;
    d.drawn[0] = Drawn { current: Some(drawn), conductance: Some(1.0 / fed.resistance) };
    d.promise("Output voltage", ReadingMeasure::Mean, "{plus}.v", held, Volt);
    d.never_above("{plus}.v", highest.max(held * (1.0 + wanted.accuracy)));
    d.promise("Loss of the transistor", ReadingMeasure::Mean, "{pass}.p", (before.nominal - held) * current, Watt);
    regulated(d, voltage - BASE_EMITTER, 1.0);
    d.width = 16;
}

fn zener_split(d: &mut Draft<'_>) {
    let wanted = output(d);
    d.part("feed", KindId::Resistor, (4, -10, Turn::ThreeQuarters), &[Inlet(0), Own("pos")]);
    d.part("upper", KindId::Zener, (9, -5, Turn::Half), &[Own("mid"), Own("pos")]);
    d.part("lower", KindId::Zener, (9, 5, Turn::Half), &[Inlet(1), Own("mid")]);
    d.step(
        "Voltage of each Zener diode",
        Volt,
        "abs(V_out)",
        &[("V_out", wanted.voltage, Volt)],
        "each holds one rail",
    );
    let voltage = d.prefer(Series::E24, Round::Nearest);
    for role in ["upper", "lower"] {
        d.set(role, "zener_voltage", voltage);
    }
    let fed = Fed::size(d, &["upper", "lower"], voltage, wanted.current);
    let before = incoming(d);
    holds(d, &wanted, fed.extremes(&before, wanted.current), "A regulator on each rail holds it");
    // Nothing is known to hang on the rails; each diode carries what the resistor brings.
    let (_, through) = fed.in_service(before.nominal, 0.0);
    d.promise("Loss of the resistor", ReadingMeasure::Mean, "{feed}.p", through * through * fed.resistance, Watt);
    let rail = Dc::steady(voltage, voltage, voltage);
    d.give(JointKind::Split, &[Own("pos"), Own("mid"), Inlet(1)], Delivered::Split(rail, rail));
    d.width = 13;
}
