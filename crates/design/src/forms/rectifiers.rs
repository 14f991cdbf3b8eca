//! Rectifiers. Each passes pulses on; what becomes of them is the reservoir's to compute.

use super::filters::{doubled, planned_capacitance};
use super::form::Form;
use crate::delivered::Rectifies;
use crate::delivered::{Ac, Dc, Delivered};
use crate::draft::{Draft, Net, Net::Gnd, Net::Inlet, Net::Own};
use crate::rectified::{Drop, Pulses, Settled, settle};
use circuit::{JointKind, KindId, ReadingMeasure, StageKind, Turn};
use quantity::Unit::{Ampere, Ohm, Second, Volt, Watt};
use std::f64::consts::SQRT_2;

const fn rectifier(
    id: &'static str,
    title: &'static str,
    takes: JointKind,
    help: &'static str,
    design: fn(&mut Draft<'_>),
) -> Form {
    Form::passing(StageKind::Rectifier, id, title, takes, help, design)
}

pub(super) const HALF_WAVE: Form = rectifier(
    "half_wave",
    "Half-wave rectifier",
    JointKind::Ac,
    "One diode: one pulse per period, and direct current through the winding. For a few milliamperes.",
    half_wave,
)
.rectifying(1.0, 1.0);
pub(super) const CENTRE_TAP: Form = rectifier(
    "centre_tap_rectifier",
    "Two-diode full-wave rectifier",
    JointKind::Tapped,
    "Two diodes on a centre-tapped winding: one drop only, but twice the reverse voltage.",
    centre_tap,
)
.rectifying(1.0, 2.0);
pub(super) const BRIDGE: Form = rectifier(
    "bridge",
    "Bridge rectifier",
    JointKind::Ac,
    "Four diodes: two pulses per period from a single winding, two drops in the path.",
    bridge,
)
.rectifying(2.0, 2.0);
pub(super) const SYNCHRONOUS_BRIDGE: Form = rectifier(
    "synchronous_bridge",
    "Synchronous bridge",
    JointKind::Ac,
    "Four MOSFETs switched with the mains: their channels lose a tenth of what diodes do. Gates open while a reservoir \
     behind is charged.",
    synchronous_bridge,
)
.rectifying(SWITCHED, 2.0);
pub(super) const DUAL_RAIL: Form = rectifier(
    "dual_rail_bridge",
    "Dual-rail rectifier",
    JointKind::Tapped,
    "A bridge on a centre-tapped winding: a positive and a negative rail about the tap.",
    dual_rail,
)
.rectifying(1.0, 2.0);
pub(super) const DOUBLER: Form = Form {
    rectifies: Some(Rectifies { diodes: 1.0, pulses: 1.0, halves: true }),
    ..rectifier(
        "doubler",
        "Voltage doubler",
        JointKind::Ac,
        "Two diodes and two capacitors in series: nearly twice the peak; its capacitors are its reservoir.",
        doubler,
    )
};
pub(super) const THREE_PHASE_BRIDGE: Form = rectifier(
    "three_phase_bridge",
    "Three-phase bridge",
    JointKind::ThreePhase,
    "Six diodes: six pulses per period, little ripple even without a reservoir.",
    three_phase_bridge,
)
.rectifying(2.0, 6.0);

/// A silicon rectifier of one ampere (invented, typical); others scale with their current.
pub(super) struct Silicon;
pub(super) const SILICON: Silicon = Silicon;
const SATURATION: f64 = 5e-9;
const EMISSION: f64 = 1.8;
const RESISTANCE: f64 = 0.06;
const CAPACITANCE: f64 = 25e-12;

/// Usual ratings (common practice).
const REVERSE_RATINGS: &[f64] = &[50.0, 100.0, 200.0, 400.0, 600.0, 800.0, 1000.0, 1200.0, 1600.0];
const CURRENT_RATINGS: &[f64] = &[1.0, 3.0, 6.0, 10.0, 25.0, 50.0, 100.0];

impl Silicon {
    /// The smallest usual rating for a mean current, A.
    fn rating(&self, mean: f64) -> f64 {
        CURRENT_RATINGS.iter().copied().find(|r| *r >= 1.5 * mean).unwrap_or(1.5 * mean)
    }

    /// The drop of `diodes` of them in a path that carries a direct current, A.
    pub(super) fn times(&self, diodes: f64, current: f64) -> Drop {
        let rating = self.rating(current);
        Drop { diodes, saturation: SATURATION * rating, emission: EMISSION, resistance: RESISTANCE / rating }
    }
}

/// Chooses the diodes: reverse voltage from a formula over the peak, mean current from its share.
fn diodes(d: &mut Draft<'_>, roles: &[&'static str], ac: &Ac, (reverse, origin): (&str, &'static str), share: &str) {
    let current = d.ask.wanted.larger().current;
    d.step("Reverse voltage of a diode", Volt, reverse, &[("V_high", ac.emf[2], Volt)], origin);
    let bears = d.ladder(REVERSE_RATINGS, "usual ratings, highest line");
    d.step(
        "Mean current of a diode",
        Ampere,
        share,
        &[("I", current, Ampere)],
        "each conducts in its pulses only (handbook)",
    );
    let rating = SILICON.rating(current);
    d.take(rating, "usual ratings, half as much again in reserve");
    for role in roles {
        d.set(role, "saturation_current", SATURATION * rating);
        d.set(role, "emission", EMISSION);
        d.set(role, "series_resistance", RESISTANCE / rating);
        d.set(role, "capacitance", CAPACITANCE * rating);
        d.rates(role, "reverse_voltage", bears);
        d.rates(role, "current", rating);
    }
}

fn pulses(d: &Draft<'_>, ac: &Ac, diodes: f64, per_period: f64) -> Pulses {
    let usual = SILICON.times(diodes, d.ask.wanted.larger().current);
    let of_first = |name: &str, usual: f64| Some(d.value("d1", name)).filter(|v| v.is_finite()).unwrap_or(usual);
    let drop = Drop {
        diodes,
        saturation: of_first("saturation_current", usual.saturation),
        emission: of_first("emission", usual.emission),
        resistance: of_first("series_resistance", usual.resistance),
    };
    Pulses { emf: ac.emf, frequency: ac.frequency, resistance: ac.resistance, drop, per_period }
}

fn incoming(d: &Draft<'_>) -> Ac {
    let none = Ac { frequency: 50.0, emf: [0.0; 3], rated: 0.0, resistance: 0.0 };
    d.ask.before.and_then(|b| b.ac()).unwrap_or(none)
}

fn diode(d: &mut Draft<'_>, role: &'static str, at: (i32, i32), from: Net, to: Net) {
    d.part(role, KindId::Diode, (at.0, at.1, Turn::Half), &[from, to]);
}

/// Promises what a diode bears and loses once a reservoir follows; `reverse` (V) from the reservoir's
/// periodic state.
fn promises(d: &mut Draft<'_>, pulses: &Pulses, share: f64, reverse: impl Fn(&Settled, f64) -> f64) {
    let wanted = d.ask.wanted.larger();
    let load = wanted.current;
    if load <= 0.0 {
        return;
    }
    let emf = pulses.emf[1];
    let settled = settle(pulses, emf, (planned_capacitance(pulses, load), 0.0), wanted.load());
    let typical = settled.rms_current * settled.rms_current / load;
    let each = Drop { diodes: 1.0, ..pulses.drop };
    d.promise(
        "Reverse voltage of a diode",
        ReadingMeasure::Min,
        "{d1}.v",
        -reverse(&settled, each.total(typical)),
        Volt,
    );
    // Each diode carries its share of the pulses; what it drops is that of a typical current.
    d.promise("Loss of a diode", ReadingMeasure::Mean, "{d1}.p", share * load * each.total(typical), Watt);
}

fn half_wave(d: &mut Draft<'_>) {
    let ac = incoming(d);
    d.grounded.push(1);
    d.part("d1", KindId::Diode, (4, -6, Turn::ThreeQuarters), &[Inlet(0), Own("bus")]);
    diodes(
        d,
        &["d1"],
        &ac,
        ("1.2 * 2 * sqrt(2) * V_high", "handbook: capacitor and winding in series; a fifth in reserve"),
        "I",
    );
    let pulses = pulses(d, &ac, 1.0, 1.0);
    promises(d, &pulses, 1.0, |s, _| s.highest + SQRT_2 * ac.nominal());
    d.give(JointKind::Dc, &[Own("bus"), Gnd], Delivered::Dc(Dc::pulsating(pulses)));
    d.width = 8;
}

fn centre_tap(d: &mut Draft<'_>) {
    let ac = incoming(d);
    d.grounded.push(1);
    d.part("d1", KindId::Diode, (4, -6, Turn::ThreeQuarters), &[Inlet(0), Own("bus")]);
    d.part("d2", KindId::Diode, (4, 6, Turn::ThreeQuarters), &[Inlet(2), Own("bus")]);
    diodes(
        d,
        &["d1", "d2"],
        &ac,
        ("1.2 * 2 * sqrt(2) * V_high", "handbook: both halves in series; a fifth in reserve"),
        "I / 2",
    );
    let pulses = pulses(d, &ac, 1.0, 2.0);
    promises(d, &pulses, 0.5, |s, _| s.highest + SQRT_2 * ac.nominal());
    d.give(JointKind::Dc, &[Own("bus"), Gnd], Delivered::Dc(Dc::pulsating(pulses)));
    d.width = 10;
}

fn bridge(d: &mut Draft<'_>) {
    let ac = incoming(d);
    diode(d, "d1", (4, -5), Inlet(0), Own("bus"));
    diode(d, "d2", (10, -5), Inlet(1), Own("bus"));
    diode(d, "d3", (4, 5), Gnd, Inlet(0));
    diode(d, "d4", (10, 5), Gnd, Inlet(1));
    diodes(d, &["d1", "d2", "d3", "d4"], &ac, ("1.2 * sqrt(2) * V_high", "handbook; a fifth in reserve"), "I / 2");
    let pulses = pulses(d, &ac, 2.0, 2.0);
    promises(d, &pulses, 0.5, |s, drop| s.highest + drop);
    d.give(JointKind::Dc, &[Own("bus"), Gnd], Delivered::Dc(Dc::pulsating(pulses)));
    d.width = 14;
}

/// A switched channel's drop beside a diode's, each (common practice).
const SWITCHED: f64 = 0.1;
/// On-resistances a transistor can be had with, Ω, and the gate's voltage, V.
const ON_RESISTANCES: &[f64] = &[2e-3, 5e-3, 10e-3, 20e-3, 50e-3, 0.1, 0.2, 0.5, 1.0, 2.0, 5.0];
const GATE: f64 = 10.0;
/// Time a gate takes to rise or fall, s.
const EDGE: f64 = 1e-6;

fn synchronous_bridge(d: &mut Draft<'_>) {
    let ac = incoming(d);
    let load = d.ask.wanted.larger();
    // Transistor, source of its gate, place, nets. Of each leg the upper one leads from the winding to the
    // bus, the lower one from gnd to the winding.
    let transistors = [
        ("q1", "g1", (9, -6), [Own("bus"), Own("gate_1"), Inlet(0)]),
        ("q2", "g2", (21, -6), [Own("bus"), Own("gate_2"), Inlet(1)]),
        ("q3", "g3", (9, 6), [Inlet(0), Own("gate_3"), Gnd]),
        ("q4", "g4", (21, 6), [Inlet(1), Own("gate_4"), Gnd]),
    ];
    for (q, g, (x, y), nets) in &transistors {
        d.part(q, KindId::MosfetN, (*x, *y, Turn::None), nets);
        d.part(g, KindId::PulseSource, (x - 4, y + 2, Turn::None), &[nets[1].clone(), nets[2].clone()]);
    }
    d.step(
        "Reverse voltage of a transistor",
        Volt,
        "1.2 * sqrt(2) * V_high",
        &[("V_high", ac.emf[2], Volt)],
        "handbook; a fifth in reserve",
    );
    let bears = d.ladder(REVERSE_RATINGS, "usual ratings, highest line");
    d.step(
        "Mean current of a transistor",
        Ampere,
        "I / 2",
        &[("I", load.current, Ampere)],
        "each conducts in its pulses only (handbook)",
    );
    let rating = d.take(SILICON.rating(load.current), "usual ratings, half as much again in reserve");
    let lost = d.choose("lost", "Drop of a channel", Volt, 0.05, "At the mean current; 50 mV unless chosen.");
    d.step(
        "On-resistance",
        Ohm,
        "V_on / I",
        &[("V_on", lost, Volt), ("I", load.current, Ampere)],
        "Ohm's law at the mean current; its pulses lose more",
    );
    let resistance = {
        let ideal = d.steps.last().map_or(1.0, |s| s.ideal);
        ON_RESISTANCES.iter().copied().rev().find(|r| *r <= ideal).unwrap_or(ON_RESISTANCES[0])
    };
    d.take(resistance, "usual values");
    let in_force = transistors.each_ref().map(|(q, ..)| d.sets(q, "on_resistance"));
    let drop = Drop { diodes: 2.0, saturation: 1e6, emission: 1.0, resistance: in_force[0] };
    let pulses = Pulses { emf: ac.emf, frequency: ac.frequency, resistance: ac.resistance, drop, per_period: 2.0 };
    let charge = (planned_capacitance(&pulses, load.current.max(1e-6)), 0.0);
    let settled = settle(&pulses, pulses.emf[1], charge, load.load());
    let half = 0.5 / ac.frequency;
    let overlap = d.choose(
        "non_overlap",
        "Non-overlap",
        Second,
        1e-2 * half,
        "Time between the current's beginning and the gate's, and between their ends; the body diode carries it then.",
    );
    let from = d.step(
        "Gate opens",
        Second,
        "t_begins + t_gap",
        &[("t_begins", settled.conducts.0 * half, Second), ("t_gap", overlap, Second)],
        "behind the zero crossing; the current begins where the winding rises above the bus (periodic state)",
    );
    let width = d.step(
        "Gate stays open",
        Second,
        "t_ends - t_begins - 2 * t_gap",
        &[
            ("t_ends", settled.conducts.1 * half, Second),
            ("t_begins", settled.conducts.0 * half, Second),
            ("t_gap", overlap, Second),
        ],
        "longer, and the reservoir would feed back into the winding",
    );
    if width <= 0.0 {
        d.warnings.push("The current's pulse is shorter than two gaps; choose a shorter non-overlap".to_owned());
    }
    for (q, g, ..) in &transistors {
        // Its diagonal partner conducts in the same half-wave.
        let late = if matches!(*q, "q2" | "q3") { half } else { 0.0 };
        let scale = rating / 10.0;
        d.set(q, "on_gate_voltage", GATE);
        d.set(q, "transconductance", (12.0 * scale).max(2.0 / in_force[0] / GATE));
        d.set(q, "transconductance_current", 0.5 * rating);
        d.rates(q, "drain_voltage", bears);
        d.rates(q, "current", rating);
        for (name, value) in [
            ("low", 0.0),
            ("high", GATE),
            ("delay", from + late),
            ("rise", EDGE),
            ("fall", EDGE),
            ("width", width.max(2.0 * EDGE)),
            ("period", 2.0 * half),
        ] {
            d.set(g, name, value);
        }
    }
    d.give(JointKind::Dc, &[Own("bus"), Gnd], Delivered::Dc(Dc::pulsating(pulses)));
    d.width = 25;
}

fn dual_rail(d: &mut Draft<'_>) {
    let ac = incoming(d);
    d.grounded.push(1);
    diode(d, "d1", (4, -6), Inlet(0), Own("pos"));
    diode(d, "d2", (10, -6), Inlet(2), Own("pos"));
    diode(d, "d3", (4, 6), Own("neg"), Inlet(0));
    diode(d, "d4", (10, 6), Own("neg"), Inlet(2));
    let reverse = ("1.2 * 2 * sqrt(2) * V_high", "handbook: from rail to rail; a fifth in reserve");
    diodes(d, &["d1", "d2", "d3", "d4"], &ac, reverse, "I / 2");
    let pulses = pulses(d, &ac, 1.0, 2.0);
    promises(d, &pulses, 0.5, |s, drop| 2.0 * s.highest + drop);
    let dc = Dc::pulsating(pulses);
    d.give(JointKind::Split, &[Own("pos"), Gnd, Own("neg")], Delivered::Split(dc, dc));
    d.width = 14;
}

fn doubler(d: &mut Draft<'_>) {
    let ac = incoming(d);
    diode(d, "d1", (4, -5), Inlet(0), Own("bus"));
    diode(d, "d2", (4, 5), Gnd, Inlet(0));
    d.part("upper", KindId::Capacitor, (10, -5, Turn::None), &[Own("bus"), Inlet(1)]);
    d.part("lower", KindId::Capacitor, (10, 5, Turn::None), &[Inlet(1), Gnd]);
    diodes(d, &["d1", "d2"], &ac, ("1.2 * 2 * sqrt(2) * V_high", "handbook; a fifth in reserve"), "I");
    let half = pulses(d, &ac, 1.0, 1.0);
    let dc = doubled(d, &half);
    d.give(JointKind::Dc, &[Own("bus"), Gnd], Delivered::Dc(dc));
    d.width = 14;
}

fn three_phase_bridge(d: &mut Draft<'_>) {
    let ac = incoming(d);
    let roles = ["d1", "d2", "d3", "d4", "d5", "d6"];
    for (k, x) in [4, 10, 16].into_iter().enumerate() {
        diode(d, roles[k], (x, -6), Inlet(k), Own("bus"));
        diode(d, roles[k + 3], (x, 6), Gnd, Inlet(k));
    }
    let reverse = ("1.2 * sqrt(6) * V_high", "handbook: peak between phases; a fifth in reserve");
    diodes(d, &roles, &ac, reverse, "I / 3");
    // The sum of two phases' waves feeds each pulse: √3 times one, through two resistances.
    let between = Ac {
        emf: ac.emf.map(|e| e * 3f64.sqrt()),
        rated: ac.rated * 3f64.sqrt(),
        resistance: 2.0 * ac.resistance,
        ..ac
    };
    let pulses = pulses(d, &between, 2.0, 6.0);
    promises(d, &pulses, 1.0 / 3.0, |s, drop| s.highest + drop);
    d.give(JointKind::Dc, &[Own("bus"), Gnd], Delivered::Dc(Dc::pulsating(pulses)));
    d.width = 20;
}
