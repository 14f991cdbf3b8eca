//! Mains transformers. Voltages come first; inductances, turns and resistances follow from them.

use super::filters::planned_capacitance;
use super::form::{Form, Needs};
use super::rectifiers::SILICON;
use crate::delivered::{Ac, Delivered, Rectifies};
use crate::draft::{Draft, Net, Net::Gnd, Net::Inlet, Net::Own, RailWanted};
use crate::rectified::{Pulses, settle};
use circuit::expression::evaluate;
use circuit::{JointKind, KindId, StageKind, Turn};
use quantity::Unit::{Ampere, Henry, Hertz, Metre, Ohm, One, SquareMetre, Tesla, Volt, VoltAmpere, Watt};
use std::f64::consts::{SQRT_2, TAU};

pub(super) const TRANSFORMER: Form = Form {
    id: "transformer",
    title: "Transformer",
    kind: StageKind::Transformer,
    help: "One secondary, for a bridge, a half-wave rectifier or a doubler.",
    takes: Some(JointKind::Ac),
    design: plain,
    needs: Needs::Passes,
    rectifies: None,
};

pub(super) const CENTRE_TAPPED: Form = Form {
    id: "centre_tapped_transformer",
    title: "Transformer with centre tap",
    kind: StageKind::Transformer,
    help: "A secondary tapped in its middle, for two diodes or for a positive and a negative rail.",
    takes: Some(JointKind::Ac),
    design: tapped,
    needs: Needs::Passes,
    rectifies: None,
};

pub(super) const TWO_SECONDARIES: Form = Form {
    id: "two_secondaries",
    title: "Transformer with two secondaries",
    kind: StageKind::Transformer,
    help: "Two separate secondaries; each has a joint of its own.",
    takes: Some(JointKind::Ac),
    design: two_secondaries,
    needs: Needs::Passes,
    rectifies: None,
};

pub(super) const ISOLATING: Form = Form {
    id: "isolating_transformer",
    title: "Isolating transformer",
    kind: StageKind::Transformer,
    help: "The same voltage again, apart from earth.",
    takes: Some(JointKind::Ac),
    design: isolating,
    needs: Needs::Passes,
    rectifies: None,
};

/// Usual secondary voltages and ratings of mains transformers (common practice).
const VOLTAGES: &[f64] = &[
    6.0, 7.5, 9.0, 12.0, 15.0, 18.0, 20.0, 22.0, 24.0, 28.0, 30.0, 36.0, 42.0, 48.0, 55.0, 63.0, 80.0, 110.0, 150.0,
    230.0, 400.0,
];
const RATINGS: &[f64] =
    &[1.5, 2.5, 4.0, 6.0, 10.0, 16.0, 25.0, 40.0, 63.0, 100.0, 160.0, 250.0, 400.0, 630.0, 1000.0, 1600.0, 2500.0];
/// Magnetising current relative to the rated one of the primary, and leakage reactance relative to the
/// rated impedance: small mains transformers (common practice).
const MAGNETISING: f64 = 0.15;
const LEAKAGE: f64 = 0.01;
/// Ripple planned for, relative to the lowest bus voltage.
const RIPPLE: f64 = 0.12;

/// How the secondaries of a transformer work together.
#[derive(Clone, Copy)]
struct Arrangement {
    /// How many there are.
    windings: f64,
    /// How many carry current at once.
    at_once: f64,
}

/// What is taken to stand behind a transformer as long as nothing does.
const BRIDGE: Rectifies = Rectifies { diodes: 2.0, pulses: 2.0, halves: false };

const SINGLE: Arrangement = Arrangement { windings: 1.0, at_once: 1.0 };
const IN_TURN: Arrangement = Arrangement { windings: 2.0, at_once: 1.0 };
const TOGETHER: Arrangement = Arrangement { windings: 2.0, at_once: 2.0 };

/// The voltage one secondary needs, and what follows from it.
struct Winding {
    /// Rated voltage, RMS, V.
    voltage: f64,
    /// Open-circuit voltage at nominal line, RMS, V.
    open: f64,
    /// Rating of the whole transformer, VA.
    rating: f64,
    /// Its own resistance, Ω.
    own: f64,
    /// The primary's resistance, seen from it, Ω.
    primary: f64,
    at_once: f64,
}

impl Winding {
    /// A winding of a transformer whose windings share its losses: half in the primary, half in all
    /// secondaries together (common practice).
    fn new(voltage: f64, rating: f64, arrangement: Arrangement) -> Self {
        let lost = lost(rating);
        let primary = 0.5 * lost * voltage * voltage / rating;
        Winding {
            voltage,
            open: voltage * (1.0 + lost),
            rating,
            own: primary * arrangement.windings,
            primary,
            at_once: arrangement.at_once,
        }
    }

    /// What it delivers behind the line; what core and stray fields take loads it a little.
    fn delivers(&self, line: &Ac) -> Ac {
        let ratio = self.open / line.rated;
        let resistance = self.own + self.at_once * (self.primary + line.resistance * ratio * ratio);
        let core = self.open * self.open / iron_loss(self.rating);
        let left = core / (core + resistance);
        Ac {
            frequency: line.frequency,
            emf: line.emf.map(|e| e * ratio * left),
            rated: line.rated * ratio * left,
            resistance: resistance * left,
        }
    }
}

/// Voltage small mains transformers lose at rated load, relative, by their rating in VA.
fn lost(rating: f64) -> f64 {
    0.35 * rating.powf(-0.35)
}

/// Sizes a secondary that feeds a rectifier with a reservoir.
fn winding(
    d: &mut Draft<'_>,
    line: &Ac,
    wanted: RailWanted,
    rectifier: Rectifies,
    arrangement: Arrangement,
) -> Winding {
    let ripple = d.choose(
        "ripple",
        "Ripple planned for",
        Volt,
        RIPPLE * wanted.lowest,
        "Ripple of the reservoir behind, peak to peak; a smaller one takes a larger capacitor and a lower voltage.",
    );
    // What a winding of a voltage and rating makes of the reservoir behind; it may plan for more ripple than is planned
    // here, and is rounded to a usual value: smaller by `spread`, or larger.
    let settled = |winding: &Winding, line_at: usize, spread: f64| {
        let ac = winding.delivers(line);
        let drop = SILICON.times(rectifier.diodes, wanted.current);
        let (resistance, per_period) = (ac.resistance, rectifier.pulses);
        let pulses = Pulses { emf: ac.emf, frequency: line.frequency, resistance, drop, per_period };
        let planned = wanted.current / (line.frequency * per_period * ripple);
        let capacitance = planned.min(planned_capacitance(&pulses, wanted.current)) * spread;
        settle(&pulses, ac.emf[line_at], (capacitance, 0.0), wanted.load())
    };
    let make = |voltage: f64, rating: f64| Winding::new(voltage, rating, arrangement);
    let valley = |voltage: f64, rating: f64| settled(&make(voltage, rating), 0, 1.0 / 1.2).lowest;
    let usual = |rating: f64| VOLTAGES.iter().copied().find(|v| valley(*v, rating) >= wanted.lowest);
    let typed = d.ask.choices.get("secondary").and_then(|text| evaluate(text, Volt, &|_| None).ok());
    // Currents of both halves of a doubler alternate in the winding, and its capacitors are rounded up a whole step.
    let (together, larger) = if rectifier.halves { (SQRT_2, 1.5) } else { (1.0, 1.2) };
    let current = |voltage: f64, rating: f64| {
        // A resistance draws more where the voltage is higher, a constant power where it is lower.
        let at = |line_at: usize, wanted: bool| {
            let more = line.emf[line_at] / line.nominal();
            settled(&make(voltage, rating), line_at, larger).rms_current
                * if wanted { more.max(1.0 / more) } else { 1.0 }
        };
        together * at(0, wanted.conductance < 0.0).max(at(2, wanted.conductance > 0.0))
    };
    let voltage_at = |rating: f64| typed.or(usual(rating)).unwrap_or(wanted.lowest);
    let needed = |voltage: f64, rating: f64| {
        1.2 * (arrangement.at_once * current(voltage, rating) * make(voltage, rating).open + iron_loss(rating))
    };
    // No winding carries less than the direct current.
    let least = arrangement.at_once * wanted.current * wanted.lowest;
    let mut candidates = RATINGS.iter().copied().filter(|rating| *rating >= least).map(|s| (voltage_at(s), s));
    let largest = RATINGS[RATINGS.len() - 1];
    let (voltage, rating) = candidates.find(|(v, s)| needed(*v, *s) <= *s).unwrap_or((voltage_at(largest), largest));
    d.step(
        "Rating",
        VoltAmpere,
        "1.2 * (n * I_rms * V_open + P_core)",
        &[
            ("n", arrangement.at_once, One),
            ("I_rms", current(voltage, rating), Ampere),
            ("V_open", make(voltage, rating).open, Volt),
            ("P_core", iron_loss(rating), Watt),
        ],
        "largest current of a winding over the line, from the periodic state of the reservoir behind it, and what the core \
         takes; a fifth in reserve",
    );
    let rating = d.ladder(RATINGS, "usual ratings, the first that suffices with its own resistance");
    let lost = d.step(
        "Voltage lost at rated load",
        One,
        "0.35 * S ^ (-0.35)",
        &[("S", rating, VoltAmpere)],
        "fit to usual small mains transformers (common practice)",
    );
    // The peak of the secondary, at the lowest line and under load, must reach the bus and the diodes.
    let ideal = d.step(
        "Secondary voltage",
        Volt,
        "(V_low + V_ripple + n * V_d) / (sqrt(2) * k_low * (1 - r))",
        &[
            ("V_low", wanted.lowest, Volt),
            ("V_ripple", ripple, Volt),
            ("n", rectifier.diodes, One),
            ("V_d", 0.95, Volt),
            ("k_low", line.emf[0] / line.rated, One),
            ("r", lost, One),
        ],
        "handbook: peak at lowest line, less what windings and diodes lose",
    );
    let kept = d.kept().filter(|v| d.ask.built || valley(*v, rating) >= wanted.lowest);
    let voltage = d.choose(
        "secondary",
        "Secondary voltage",
        Volt,
        kept.or(usual(rating)).unwrap_or(ideal),
        "Rated voltage of the secondary, RMS, as its label says; unless chosen, the smallest usual one whose valley \
         suffices at the lowest line.",
    );
    let by_voltage = line.rated / (voltage * (1.0 + lost));
    let ratio = d.choose(
        "ratio",
        "Turns ratio",
        One,
        by_voltage,
        "Turns of the primary over those of one secondary; if chosen, it decides the voltage.",
    );
    if ratio <= 0.0 {
        d.warnings.push("The turns ratio must be above zero; until it is, the voltage decides".to_owned());
    }
    let by_turns = ratio > 0.0 && ratio != by_voltage;
    let voltage = if by_turns { line.rated / (ratio * (1.0 + lost)) } else { voltage };
    let from =
        if by_turns { "the turns ratio chosen" } else { "usual windings, the first whose computed valley suffices" };
    d.take(voltage, from);
    let reached = valley(voltage, rating);
    if reached < wanted.lowest {
        d.warnings.push(format!(
            "At the lowest line the bus falls to {}, below the {} needed; take a higher secondary voltage",
            quantity::show(reached, Volt, 3),
            quantity::show(wanted.lowest, Volt, 3)
        ));
    }
    make(voltage, rating)
}

/// Primary inductance from the magnetising current.
fn primary_inductance(d: &mut Draft<'_>, line: &Ac, rating: f64) -> f64 {
    d.step(
        "Primary inductance",
        Henry,
        "V / (2 * pi * f * m * S / V)",
        &[("V", line.rated, Volt), ("f", line.frequency, Hertz), ("m", MAGNETISING, One), ("S", rating, VoltAmpere)],
        "magnetising current 15 % of the rated one (common practice)",
    )
}

/// Coupling from the leakage.
fn coupling(d: &mut Draft<'_>, line: &Ac, rating: f64, primary: f64) -> f64 {
    d.step(
        "Coupling",
        One,
        "sqrt(1 - x * V ^ 2 / (S * 2 * pi * f * L))",
        &[
            ("x", LEAKAGE, One),
            ("V", line.rated, Volt),
            ("S", rating, VoltAmpere),
            ("f", line.frequency, Hertz),
            ("L", primary, Henry),
        ],
        "leakage reactance 1 % of the rated impedance (common practice)",
    )
}

/// Resistance of the primary: half of what the windings lose, seen from its side.
fn primary_resistance(d: &mut Draft<'_>, line: &Ac, winding: &Winding) -> f64 {
    d.step(
        "Primary resistance",
        Ohm,
        "r * V ^ 2 / (2 * S) * (V_1 / V_2) ^ 2",
        &[
            ("r", lost(winding.rating), One),
            ("V", winding.voltage, Volt),
            ("S", winding.rating, VoltAmpere),
            ("V_1", line.rated, Volt),
            ("V_2", winding.open, Volt),
        ],
        "half of the loss is in the primary (common practice)",
    )
}

/// What core and stray fields of small mains transformers take, W, by their rating in VA: a tenth of it at 10 VA,
/// a twentieth at 100 VA (fit to what is usual, common practice).
fn iron_loss(rating: f64) -> f64 {
    0.2 * rating.powf(0.7)
}

/// A resistance across a secondary that takes what core and stray fields take. There it also damps what leakage and
/// junctions ring with, as these losses do in fact.
fn core_loss(d: &mut Draft<'_>, winding: &Winding, [from, to]: [Net; 2], across: f64, x: i32) {
    d.part("core_loss", KindId::Resistor, (x, 0, Turn::None), &[from, to]);
    d.step(
        "Core and stray loss",
        Ohm,
        "V_2 ^ 2 / (0.2 * S ^ 0.7)",
        &[("V_2", across * winding.open, Volt), ("S", winding.rating, VoltAmpere)],
        "as a resistance across the secondary; a tenth of 10 VA, a twentieth of 100 VA (common practice)",
    );
    d.sets("core_loss", "resistance");
    d.width += 3;
}

fn insulation(d: &mut Draft<'_>, below: i32) {
    d.part("insulation", KindId::Resistor, (6, below, Turn::ThreeQuarters), &[Inlet(1), Gnd]);
    d.word("insulation", "resistance", "10M");
}

fn two_windings(d: &mut Draft<'_>, line: &Ac, winding: &Winding) {
    let nets = [Inlet(0), Inlet(1), Own("ac1"), Own("ac2")];
    d.part("transformer", KindId::CoupledWindings, (6, 0, Turn::None), &nets);
    insulation(d, 7);
    d.rates("transformer", "rms_current", winding.rating / line.rated);
    let primary = primary_inductance(d, line, winding.rating);
    d.sets("transformer", "primary_inductance");
    let coupling = coupling(d, line, winding.rating, primary);
    // Written with every digit: what leaks is what is missing from one.
    d.word("transformer", "coupling", &format!("{coupling:.7}"));
    d.step(
        "Secondary inductance",
        Henry,
        "L_1 * (V_2 / (k * V_1)) ^ 2",
        &[("L_1", primary, Henry), ("V_2", winding.open, Volt), ("k", coupling, One), ("V_1", line.rated, Volt)],
        "open-circuit voltage of coupled windings",
    );
    d.sets("transformer", "secondary_inductance");
    primary_resistance(d, line, winding);
    d.sets("transformer", "primary_resistance");
    d.set("transformer", "secondary_resistance", winding.own);
    d.give(JointKind::Ac, &[Own("ac1"), Own("ac2")], Delivered::Ac(winding.delivers(line)));
    d.width = 14;
    core_loss(d, winding, [Own("ac1"), Own("ac2")], 1.0, 12);
}

fn line(d: &Draft<'_>) -> Ac {
    d.ask.before.and_then(|b| b.ac()).unwrap_or(Ac { frequency: 50.0, emf: [230.0; 3], rated: 230.0, resistance: 0.0 })
}

fn plain(d: &mut Draft<'_>) {
    let line = line(d);
    let rectifier = d.ask.rectifier.unwrap_or(BRIDGE);
    let wanted = d.ask.wanted.plus;
    let winding = winding(d, &line, wanted, rectifier, SINGLE);
    let cores = [("linear", "linear"), ("saturating", "saturating")];
    let help = "A saturating core shows the inrush of switching on; it takes a little longer to run.";
    if d.pick("core", "Core", &cores, help) == 1 {
        saturating(d, &line, &winding);
    } else {
        two_windings(d, &line, &winding);
    }
}

/// Peak flux density of a mains transformer at nominal line, and that at which its steel saturates, T
/// (common practice).
const FLUX_DENSITY: f64 = 1.2;
const STEEL: f64 = 1.7;

fn saturating(d: &mut Draft<'_>, line: &Ac, winding: &Winding) {
    let nets = [Inlet(0), Inlet(1), Own("ac1"), Own("ac2")];
    d.part("transformer", KindId::CoreTransformer, (6, 0, Turn::None), &nets);
    insulation(d, 7);
    d.rates("transformer", "rms_current", winding.rating / line.rated);
    let area = d.step(
        "Core area",
        SquareMetre,
        "1.1e-4 * sqrt(S)",
        &[("S", winding.rating, VoltAmpere)],
        "1.1 cm² times the root of the rating in VA (common practice)",
    );
    d.sets("transformer", "core_area");
    let path = d.step("Magnetic path", Metre, "10 * sqrt(A)", &[("A", area, SquareMetre)], "usual laminations");
    d.sets("transformer", "path_length");
    let turns = d.step(
        "Primary turns",
        One,
        "sqrt(2) * V / (2 * pi * f * B * A)",
        &[("V", line.rated, Volt), ("f", line.frequency, Hertz), ("B", FLUX_DENSITY, Tesla), ("A", area, SquareMetre)],
        "induction law for a sine",
    );
    d.sets("transformer", "primary_turns");
    d.step(
        "Secondary turns",
        One,
        "N_1 * V_2 / V_1",
        &[("N_1", turns, One), ("V_2", winding.open, Volt), ("V_1", line.rated, Volt)],
        "open-circuit voltage of tightly coupled windings",
    );
    let secondary = d.sets("transformer", "secondary_turns");
    let primary = primary_inductance(d, line, winding.rating);
    d.step(
        "Relative permeability",
        One,
        "L * l / (mu_0 * N ^ 2 * A)",
        &[
            ("L", primary, Henry),
            ("l", path, Metre),
            ("mu_0", 1.256_637e-6, One),
            ("N", turns, One),
            ("A", area, SquareMetre),
        ],
        "inductance of a winding on a closed core",
    );
    d.sets("transformer", "permeability");
    d.set("transformer", "saturation", STEEL);
    let leakage = LEAKAGE * line.rated * line.rated / (winding.rating * TAU * line.frequency);
    // Half of the leakage lies on either side.
    d.set("transformer", "primary_leakage", 0.5 * leakage);
    d.set("transformer", "secondary_leakage", 0.5 * leakage * (secondary / turns).powi(2));
    primary_resistance(d, line, winding);
    d.sets("transformer", "primary_resistance");
    d.set("transformer", "secondary_resistance", winding.own);
    d.give(JointKind::Ac, &[Own("ac1"), Own("ac2")], Delivered::Ac(winding.delivers(line)));
    d.width = 14;
    core_loss(d, winding, [Own("ac1"), Own("ac2")], 1.0, 12);
}

fn isolating(d: &mut Draft<'_>) {
    let line = line(d);
    let power = d.step(
        "Rating",
        VoltAmpere,
        "2.2 * I * V",
        &[("I", d.ask.wanted.plus.current, Ampere), ("V", d.ask.wanted.plus.lowest, Volt)],
        "winding current twice the direct current, a tenth in reserve (common practice)",
    );
    let rating = d.ladder(RATINGS, "usual ratings").max(power);
    let winding = Winding::new(line.rated / (1.0 + lost(rating)), rating, SINGLE);
    two_windings(d, &line, &winding);
}

/// Three windings by turns; voltages and resistances of second and third.
fn three_windings(d: &mut Draft<'_>, line: &Ac, windings: [&Winding; 2], nets: [Net; 4], loaded: ([Net; 2], f64)) {
    const PRIMARY_TURNS: f64 = 1000.0;
    let [s1, s2, t1, t2] = nets;
    d.part("transformer", KindId::ThreeWindings, (6, 0, Turn::None), &[Inlet(0), Inlet(1), s1, s2, t1, t2]);
    insulation(d, 10);
    let rating = windings[0].rating;
    d.rates("transformer", "rms_current", rating / line.rated);
    let primary = primary_inductance(d, line, rating);
    d.set("transformer", "primary_turns", PRIMARY_TURNS);
    d.set("transformer", "inductance_factor", primary / (PRIMARY_TURNS * PRIMARY_TURNS));
    let coupling = coupling(d, line, rating, primary);
    for name in ["coupling_12", "coupling_13", "coupling_23"] {
        d.word("transformer", name, &format!("{coupling:.7}"));
    }
    for ((winding, turns), resistance) in
        windings.into_iter().zip(["second_turns", "third_turns"]).zip(["second_resistance", "third_resistance"])
    {
        d.step(
            if turns == "second_turns" { "Second turns" } else { "Third turns" },
            One,
            "N_1 * V_2 / (k * V_1)",
            &[
                ("N_1", PRIMARY_TURNS, One),
                ("V_2", winding.open, Volt),
                ("k", coupling, One),
                ("V_1", line.rated, Volt),
            ],
            "open-circuit voltage of coupled windings",
        );
        d.sets("transformer", turns);
        d.set("transformer", resistance, winding.own);
    }
    primary_resistance(d, line, windings[0]);
    d.sets("transformer", "primary_resistance");
    d.width = 14;
    core_loss(d, windings[0], loaded.0, loaded.1, 12);
}

fn tapped(d: &mut Draft<'_>) {
    let line = line(d);
    let rectifier = d.ask.rectifier.unwrap_or(Rectifies { diodes: 1.0, pulses: 2.0, halves: false });
    let wanted = d.ask.wanted.plus;
    let arrangement = if d.ask.wanted.minus.current > 0.0 { TOGETHER } else { IN_TURN };
    let half = winding(d, &line, wanted, rectifier, arrangement);
    let nets = [Own("ac1"), Own("tap"), Own("tap"), Own("ac2")];
    three_windings(d, &line, [&half, &half], nets, ([Own("ac1"), Own("ac2")], 2.0));
    let nets = [Own("ac1"), Own("tap"), Own("ac2")];
    d.give(JointKind::Tapped, &nets, Delivered::Tapped(half.delivers(&line)));
}

fn two_secondaries(d: &mut Draft<'_>) {
    let line = line(d);
    let rectifier = d.ask.rectifier.unwrap_or(BRIDGE);
    let wanted = d.ask.wanted.plus;
    let first = winding(d, &line, wanted, rectifier, TOGETHER);
    let voltage = d.choose("second", "Other secondary voltage", Volt, first.voltage, "Rated voltage, RMS.");
    let second = Winding::new(voltage, first.rating, TOGETHER);
    let nets = [Own("ac1"), Own("ac2"), Own("aux1"), Own("aux2")];
    three_windings(d, &line, [&first, &second], nets, ([Own("ac1"), Own("ac2")], 1.0));
    d.give(JointKind::Ac, &[Own("ac1"), Own("ac2")], Delivered::Ac(first.delivers(&line)));
    d.give(JointKind::Ac, &[Own("aux1"), Own("aux2")], Delivered::Ac(second.delivers(&line)));
}
