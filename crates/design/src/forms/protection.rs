//! Inrush limiters and clamps.

use super::form::Form;
use crate::delivered::{Ac, Dc, Delivered};
use crate::draft::{Draft, Net::Inlet, Net::Own, Round};
use circuit::{JointKind, KindId, ReadingMeasure, StageKind, Turn};
use quantity::Series;
use quantity::Unit::{Ampere, JoulePerKelvin, Kelvin, Ohm, Second, Volt, Watt};

const fn protection(
    id: &'static str,
    title: &'static str,
    takes: JointKind,
    help: &'static str,
    design: fn(&mut Draft<'_>),
) -> Form {
    Form::passing(StageKind::Protection, id, title, takes, help, design)
}

pub(super) const FUSE: Form = protection(
    "fuse",
    "Fuse",
    JointKind::Ac,
    "A fuse in the line: its cold resistance, and a rating that the line's current is held against.",
    fuse,
);
pub(super) const INRUSH_RESISTOR: Form = protection(
    "inrush_resistor",
    "Inrush resistor",
    JointKind::Ac,
    "A resistor in the line that limits the switch-on current, and loses power ever after.",
    inrush_resistor,
);
pub(super) const BYPASSED_RESISTOR: Form = protection(
    "bypassed_inrush_resistor",
    "Inrush resistor with bypass",
    JointKind::Ac,
    "A resistor in the line that a relay bypasses once the reservoir is charged.",
    bypassed,
);
pub(super) const INRUSH_NTC: Form = protection(
    "inrush_ntc",
    "Inrush thermistor",
    JointKind::Ac,
    "An NTC thermistor in the line: its cold resistance limits the switch-on current, its own heat then lowers it.",
    inrush_ntc,
);
pub(super) const OVERVOLTAGE_CLAMP: Form = protection(
    "overvoltage_clamp",
    "Overvoltage clamp",
    JointKind::Dc,
    "A series resistor and a Zener diode that keep surges from what follows.",
    overvoltage,
);
pub(super) const GATE_CLAMP: Form = protection(
    "gate_clamp",
    "Gate clamp",
    JointKind::Dc,
    "A gate resistor and a Zener diode that keep a gate within its limits.",
    gate_clamp,
);

/// Power factor of a rectifier with a reservoir and what it loses, for estimating the line's current
/// (common practice).
const POWER_FACTOR: f64 = 0.6;
const OVERHEAD: f64 = 1.3;

fn incoming(d: &Draft<'_>) -> Ac {
    let none = Ac { frequency: 50.0, emf: [0.0; 3], rated: 0.0, resistance: 0.0 };
    d.ask.before.and_then(|b| b.ac()).unwrap_or(none)
}

/// Rated currents of miniature fuses, A (IEC 60127), and the voltage one drops at them, V (common practice).
const FUSES: &[f64] =
    &[0.1, 0.16, 0.2, 0.25, 0.315, 0.4, 0.5, 0.63, 0.8, 1.0, 1.25, 1.6, 2.0, 2.5, 3.15, 4.0, 5.0, 6.3, 10.0, 16.0];
const FUSE_DROP: f64 = 0.2;

fn fuse(d: &mut Draft<'_>) {
    let ac = incoming(d);
    d.part("fuse", KindId::Resistor, (4, -5, Turn::ThreeQuarters), &[Inlet(0), Own("fused")]);
    let line = line_current(d, ac);
    d.step(
        "Rated current",
        Ampere,
        "1.6 * I",
        &[("I", line, Ampere)],
        "slow enough for switch-on, loaded to two thirds at most (common practice)",
    );
    let rated = d.ladder(FUSES, "rated currents of IEC 60127");
    d.step(
        "Cold resistance",
        Ohm,
        "V_drop / I_rated",
        &[("V_drop", FUSE_DROP, Volt), ("I_rated", rated, Ampere)],
        "200 mV at rated current (common practice)",
    );
    let resistance = d.sets("fuse", "resistance");
    d.rates("fuse", "rms_current", rated);
    let delivered = Delivered::Ac(Ac { resistance: ac.resistance + resistance, ..ac });
    d.give(JointKind::Ac, &[Own("fused"), Inlet(1)], delivered);
    d.width = 10;
}

/// RMS current the stages behind draw from the line, and the resistance that limits its first peak.
fn limit(d: &mut Draft<'_>) -> (f64, Ac) {
    let ac = incoming(d);
    let line = line_current(d, ac);
    limited(d, ac, line)
}

/// RMS current the stages behind draw from the line, A.
fn line_current(d: &mut Draft<'_>, ac: Ac) -> f64 {
    let wanted = d.ask.wanted.plus;
    d.step(
        "Line current, RMS",
        Ampere,
        "k * I * V_bus / (pf * V)",
        &[
            ("k", OVERHEAD, quantity::Unit::One),
            ("I", wanted.current, Ampere),
            ("V_bus", wanted.lowest, Volt),
            ("pf", POWER_FACTOR, quantity::Unit::One),
            ("V", ac.nominal(), Volt),
        ],
        "power behind over voltage and power factor (common practice)",
    )
}

fn limited(d: &mut Draft<'_>, ac: Ac, line: f64) -> (f64, Ac) {
    let peak = d.choose(
        "peak",
        "Switch-on current allowed",
        Ampere,
        (20.0 * line).max(0.1),
        "Peak of the first half-wave; twenty times the line current unless chosen.",
    );
    d.step(
        "Resistance",
        Ohm,
        "sqrt(2) * V_high / I_peak - R_line",
        &[("V_high", ac.emf[2], Volt), ("I_peak", peak, Ampere), ("R_line", ac.resistance, Ohm)],
        "an empty reservoir is a short circuit at the first peak",
    );
    (line, ac)
}

fn pass(d: &mut Draft<'_>, ac: Ac, added: f64) {
    let delivered = Delivered::Ac(Ac { resistance: ac.resistance + added, ..ac });
    d.give(JointKind::Ac, &[Own("limited"), Inlet(1)], delivered);
    d.width = 10;
}

fn inrush_resistor(d: &mut Draft<'_>) {
    d.part("limiter", KindId::Resistor, (4, -5, Turn::ThreeQuarters), &[Inlet(0), Own("limited")]);
    let (line, ac) = limit(d);
    d.prefer(Series::E12, Round::Up);
    let resistance = d.sets("limiter", "resistance");
    d.step("Loss", Watt, "I ^ 2 * R", &[("I", line, Ampere), ("R", resistance, Ohm)], "Joule");
    pass(d, ac, resistance);
}

fn bypassed(d: &mut Draft<'_>) {
    d.part("limiter", KindId::Resistor, (5, -5, Turn::ThreeQuarters), &[Inlet(0), Own("limited")]);
    d.part("bypass", KindId::TimedSwitch, (5, -9, Turn::ThreeQuarters), &[Inlet(0), Own("limited")]);
    let (_, ac) = limit(d);
    d.prefer(Series::E12, Round::Up);
    d.sets("limiter", "resistance");
    let time = d.choose("bypass_at", "Bypassed at", Second, 10.0 / ac.frequency, "Ten periods unless chosen.");
    d.set("bypass", "changes_at", time);
    d.set("bypass", "on_resistance", 0.02);
    pass(d, ac, 0.02);
}

fn inrush_ntc(d: &mut Draft<'_>) {
    d.part("limiter", KindId::Thermistor, (4, -5, Turn::ThreeQuarters), &[Inlet(0), Own("limited")]);
    let (line, ac) = limit(d);
    d.prefer(Series::E6, Round::Up);
    let cold = d.sets("limiter", "resistance");
    let temperature = warm(cold, line);
    let hot = d.step(
        "Resistance when warm",
        Ohm,
        "R_25 * exp(B * (1 / T - 1 / T_25))",
        &[
            ("R_25", cold, Ohm),
            ("B", NTC_BETA, quantity::Unit::One),
            ("T", temperature, quantity::Unit::One),
            ("T_25", ROOM, quantity::Unit::One),
        ],
        "IEC 60539-1, at the temperature in kelvins at which the line current's heat is given off again",
    );
    d.step(
        "Voltage lost in it",
        Volt,
        "I * R",
        &[("I", line, Ampere), ("R", hot, Ohm)],
        "a small current leaves it cold, and its resistance high",
    );
    d.step(
        "Voltage lost while it is cold",
        Volt,
        "I * R_25",
        &[("I", line, Ampere), ("R_25", cold, Ohm)],
        "as much less arrives at switch-on: at its lowest line a supply sized for the warm thermistor may starve until then",
    );
    let rise = WARMED * (temperature - ROOM);
    d.step(
        "Time it takes to warm up",
        Second,
        "C_th * dT / P",
        &[
            ("C_th", NTC_HEAT_CAPACITY, JoulePerKelvin),
            ("dT", rise, Kelvin),
            ("P", rise / lingers(cold, line, ROOM + rise), Watt),
        ],
        "nine tenths of the way, with the mean of what heats it beyond what it gives off",
    );
    pass(d, ac, hot);
}

/// B value and thermal resistance of an NTC thermistor as its kind has them unless stated, K and K/W; room
/// temperature, K.
const NTC_BETA: f64 = 3000.0;
const NTC_THERMAL_RESISTANCE: f64 = 60.0;
const ROOM: f64 = 298.15;

/// Heat capacity of one, J/K, and the part of its rise after which it counts as warm.
const NTC_HEAT_CAPACITY: f64 = 0.8;
const WARMED: f64 = 0.9;
/// Parts of that rise that are added up.
const PARTS: usize = 500;

/// What heats an NTC thermistor at a temperature, K, beyond what it gives off, W.
fn heated(cold: f64, current: f64, t: f64) -> f64 {
    let heat = current * current * cold * (NTC_BETA * (1.0 / t - 1.0 / ROOM)).exp();
    heat - (t - ROOM) / NTC_THERMAL_RESISTANCE
}

/// Temperature at which an NTC thermistor settles with a current through it, K.
fn warm(cold: f64, current: f64) -> f64 {
    let (mut low, mut high) = (ROOM, 3.0 * ROOM);
    for _ in 0..60 {
        let middle = 0.5 * (low + high);
        if heated(cold, current, middle) > 0.0 { low = middle } else { high = middle }
    }
    low
}

/// How long it takes from room temperature to another, K, per heat capacity, K/W: `C·dT/dt = P(T)`.
fn lingers(cold: f64, current: f64, to: f64) -> f64 {
    let each = (to - ROOM) / PARTS as f64;
    (0..PARTS).map(|k| each / heated(cold, current, ROOM + (k as f64 + 0.5) * each)).sum()
}

fn direct(d: &Draft<'_>) -> Dc {
    d.ask.before.and_then(|b| b.dc()).unwrap_or(Dc::steady(0.0, 0.0, 0.0))
}

/// Current a clamp's Zener voltage is stated at, A.
const CLAMP_TEST_CURRENT: f64 = 5e-3;

/// A series resistor and a Zener diode behind it.
struct Clamp {
    resistance: f64,
    zener: f64,
    /// What the diode's voltage rises by with each ampere, Ω.
    slope: f64,
    surge: f64,
}

impl Clamp {
    /// Draws the clamp; the voltage it holds in a surge, V.
    fn draw(&self, d: &mut Draft<'_>, out: &'static str) -> f64 {
        let before = direct(d);
        d.part("series", KindId::Resistor, (4, -6, Turn::ThreeQuarters), &[Inlet(0), Own(out)]);
        d.part("zener", KindId::Zener, (9, 0, Turn::Half), &[Inlet(1), Own(out)]);
        d.set("series", "resistance", self.resistance);
        d.set("zener", "zener_voltage", self.zener);
        d.set("zener", "zener_current", CLAMP_TEST_CURRENT);
        // At its test current one half of a Zener diode's impedance is that of its bulk, which stays.
        d.set("zener", "zener_impedance", 2.0 * self.slope);
        let (surge, zener) = (("V_surge", self.surge, Volt), ("V_z", self.zener, Volt));
        let slope = ("Z_z", self.slope, Ohm);
        let formula = "max(0, (V_surge - V_z) / (R + Z_z))";
        let of_feed = ("R", self.resistance, Ohm);
        let current = d.step("Clamp current in a surge", Ampere, formula, &[surge, zener, of_feed, slope], "Ohm's law");
        let held = ("I", current, Ampere);
        d.step("Loss in the Zener diode meanwhile", Watt, "(V_z + Z_z * I) * I", &[zener, slope, held], "power");
        let held = self.zener + current * self.slope;
        let lost = self.resistance * d.ask.wanted.plus.current;
        let after = Dc {
            lowest: before.lowest.min(held) - lost,
            nominal: before.nominal.min(held) - lost,
            highest: before.highest.min(held),
            surge: before.surge.min(held),
            pulses: None,
            ..before
        };
        d.give(JointKind::Dc, &[Own(out), Inlet(1)], Delivered::Dc(after));
        d.width = 13;
        held
    }
}

fn overvoltage(d: &mut Draft<'_>) {
    let before = direct(d);
    let current = d.ask.wanted.plus.current;
    let surge = d.choose("surge", "Surge voltage", Volt, 2.0 * before.highest, "What may come for a short time.");
    d.step(
        "Zener voltage",
        Volt,
        "1.1 * V_high",
        &[("V_high", before.highest, Volt)],
        "clear of the highest voltage in service (common practice)",
    );
    let zener = d.prefer(Series::E24, Round::Up);
    if surge <= zener {
        let text = "The surge does not reach the voltage this clamp stands clear at, and passes it; state a higher surge, or \
                    leave the clamp out";
        d.warnings.push(text.to_owned());
    }
    d.step(
        "Series resistance",
        Ohm,
        "0.01 * V / I",
        &[("V", before.nominal, Volt), ("I", current, Ampere)],
        "one per cent of the voltage at full load (common practice)",
    );
    let resistance = d.prefer(Series::E12, Round::Nearest);
    let held = d.step(
        "Held in a surge",
        Volt,
        "max(V_z, min(1.35 * V_z, (V_z + V_surge) / 2))",
        &[("V_z", zener, Volt), ("V_surge", surge, Volt)],
        "a suppressor diode rises by a third up to its peak current (common practice)",
    );
    let slope = d.step(
        "Rise of the diode's voltage with its current",
        Ohm,
        "max(1m, (V_c - V_z) / (V_surge - V_c) * R)",
        &[("V_c", held, Volt), ("V_z", zener, Volt), ("V_surge", surge.max(held + 1e-3), Volt), ("R", resistance, Ohm)],
        "voltage divider of resistor and diode",
    );
    Clamp { resistance, zener, slope, surge }.draw(d, "clamped");
}

fn gate_clamp(d: &mut Draft<'_>) {
    let before = direct(d);
    let zener = d.choose(
        "zener",
        "Clamp voltage",
        Volt,
        15.0,
        "A 15 V Zener diode protects a gate rated ±20 V (common practice).",
    );
    let resistance =
        d.choose("gate_resistance", "Gate resistance", Ohm, 100.0, "10 Ω to 1 kΩ, 100 Ω typical (common practice).");
    let surge = before.highest.max(before.ripple);
    let held = Clamp { resistance, zener, slope: 5.0, surge }.draw(d, "gate");
    if surge > zener {
        d.promise("Highest gate voltage", ReadingMeasure::Max, "{plus}.v", held, Volt);
    }
}
