//! Sources.

use super::form::{Form, Needs};
use crate::delivered::{Ac, Dc, Delivered};
use crate::draft::{Draft, Net::Gnd, Net::Own};
use circuit::{JointKind, KindId, Source, StageKind, Turn};
use quantity::Unit;

pub(super) const MAINS: Form = Form {
    id: "mains",
    title: "Single-phase mains",
    kind: StageKind::Source,
    help: "The mains as a sine behind the impedance of the line.",
    takes: None,
    design: mains,
    needs: Needs::Passes,
    rectifies: None,
};

pub(super) const THREE_PHASE_MAINS: Form = Form {
    id: "three_phase_mains",
    title: "Three-phase mains",
    kind: StageKind::Source,
    help: "Three phases and a neutral, each phase behind the impedance of the line.",
    takes: None,
    design: three_phase,
    needs: Needs::Passes,
    rectifies: None,
};

pub(super) const DC: Form = Form {
    id: "dc_source",
    title: "DC source",
    kind: StageKind::Source,
    help: "A direct voltage without resistance, such as a bench supply or a bus made elsewhere.",
    takes: None,
    design: dc,
    needs: Needs::Passes,
    rectifies: None,
};

pub(super) const BATTERY: Form = Form {
    id: "battery",
    title: "Battery",
    kind: StageKind::Source,
    help: "A direct voltage behind the battery's internal resistance.",
    takes: None,
    design: battery,
    needs: Needs::Passes,
    rectifies: None,
};

pub(super) const PULSE: Form = Form {
    id: "pulse_source",
    title: "Pulse source",
    kind: StageKind::Source,
    help: "A voltage that steps between two levels, for gate drives and surges.",
    takes: None,
    design: pulse,
    needs: Needs::Passes,
    rectifies: None,
};

fn alternating(d: &Draft<'_>) -> Ac {
    let Source { lowest, nominal, highest, frequency, .. } = d.ask.source;
    Ac { frequency, emf: [lowest, nominal, highest], rated: d.ask.rated, resistance: 0.0 }
}

fn mains(d: &mut Draft<'_>) {
    let ac = alternating(d);
    let resistance = line_resistance(d);
    let (line, back) = (Own("line"), Own("neutral"));
    let behind = if resistance > 0.0 { Own("mains") } else { line.clone() };
    d.part("mains", KindId::SineSource, (4, 0, Turn::None), &[behind.clone(), back.clone()]);
    d.set("mains", "amplitude", ac.nominal());
    d.word("mains", "amplitude_as", "rms");
    d.set("mains", "frequency", ac.frequency);
    if resistance > 0.0 {
        d.part("line", KindId::Resistor, (8, -5, Turn::ThreeQuarters), &[behind, line.clone()]);
        d.set("line", "resistance", resistance);
    }
    d.give(JointKind::Ac, &[line, back], Delivered::Ac(Ac { resistance, ..ac }));
    d.width = 12;
}

fn line_resistance(d: &mut Draft<'_>) -> f64 {
    d.choose(
        "line_resistance",
        "Resistance of the line",
        Unit::Ohm,
        0.4,
        "Of phase and neutral together; 0.4 Ω is the resistive part of the reference impedance of IEC 60725. 0 for none.",
    )
}

fn three_phase(d: &mut Draft<'_>) {
    let ac = alternating(d);
    let nets = [Own("l1"), Own("l2"), Own("l3"), Own("neutral")];
    d.part("mains", KindId::ThreePhaseSource, (6, 0, Turn::None), &nets);
    d.set("mains", "amplitude", ac.nominal());
    d.set("mains", "frequency", ac.frequency);
    // Nothing behind ties the star point down; a large resistance does, as insulation does in fact.
    d.part("insulation", KindId::Resistor, (2, 6, Turn::None), &[Own("neutral"), Gnd]);
    d.word("insulation", "resistance", "10M");
    d.give(JointKind::ThreePhase, &nets, Delivered::ThreePhase(ac));
    d.width = 12;
}

fn dc(d: &mut Draft<'_>) {
    let Source { lowest, nominal, highest, .. } = d.ask.source;
    let current = d.ask.wanted.plus.current;
    let resistance = d.choose(
        "leads",
        "Resistance of source and leads",
        Unit::Ohm,
        (0.002 * nominal / current.max(1e-3)).min(1.0),
        "Without any, a capacitor behind would draw an impulse; unless stated, two thousandths of the voltage are lost at full \
         load.",
    );
    d.part("source", KindId::DcSource, (4, 0, Turn::None), &[Own("source"), Gnd]);
    d.part("leads", KindId::Resistor, (8, -5, Turn::ThreeQuarters), &[Own("source"), Own("in")]);
    let resistance = d.set("leads", "resistance", resistance);
    // Another voltage set by hand is met by the same tolerance.
    let scale = d.set("source", "voltage", nominal) / nominal;
    let lost = d.step(
        "Voltage lost in the leads at full load",
        Unit::Volt,
        "I * R",
        &[("I", current, Unit::Ampere), ("R", resistance, Unit::Ohm)],
        "Ohm's law",
    );
    let [lowest, nominal, highest] = [lowest, nominal, highest].map(|v| v * scale);
    d.give(JointKind::Dc, &[Own("in"), Gnd], Delivered::Dc(Dc::steady(lowest - lost, nominal - lost, highest)));
    d.width = 12;
}

fn battery(d: &mut Draft<'_>) {
    let Source { lowest, nominal, highest, .. } = d.ask.source;
    let current = d.ask.wanted.plus.current;
    let resistance = d.choose(
        "internal_resistance",
        "Internal resistance",
        Unit::Ohm,
        0.02 * nominal / current.max(1e-3),
        "Of the battery and its leads; unless stated, two per cent of the voltage are lost at full load.",
    );
    d.part("cells", KindId::DcSource, (4, 0, Turn::None), &[Own("cells"), Gnd]);
    d.set("cells", "voltage", nominal);
    d.part("internal", KindId::Resistor, (8, -5, Turn::ThreeQuarters), &[Own("cells"), Own("in")]);
    let resistance = d.set("internal", "resistance", resistance);
    let lost = d.step(
        "Voltage lost inside at full load",
        Unit::Volt,
        "I * R_i",
        &[("I", current, Unit::Ampere), ("R_i", resistance, Unit::Ohm)],
        "Ohm's law",
    );
    let delivered = Dc::steady(lowest - lost, nominal - lost, highest);
    d.give(JointKind::Dc, &[Own("in"), Gnd], Delivered::Dc(delivered));
    d.width = 12;
}

fn pulse(d: &mut Draft<'_>) {
    let Source { nominal, highest, .. } = d.ask.source;
    let period = d.choose("period", "Period", Unit::Second, 20e-6, "Time from pulse to pulse.");
    let duty = d.choose("duty", "Duty", Unit::One, 0.5, "Part of the period at the high level.");
    d.part("source", KindId::PulseSource, (4, 0, Turn::None), &[Own("in"), Gnd]);
    d.set("source", "high", nominal);
    d.set("source", "period", period);
    let width = d.step(
        "Width of a pulse",
        Unit::Second,
        "D * T",
        &[("D", duty, Unit::One), ("T", period, Unit::Second)],
        "definition of the duty",
    );
    d.set("source", "width", width);
    let delivered = Dc { frequency: 1.0 / period, ripple: nominal, ..Dc::steady(0.0, nominal * duty, highest) };
    d.give(JointKind::Dc, &[Own("in"), Gnd], Delivered::Dc(delivered));
    d.width = 8;
}
