//! Mistakes that would make a run fail or mislead, each with its place and remedy.

use crate::document::{GND, Supply};
use crate::expression::{is_name, names_in};
use crate::finding::{Findings, Place};
use crate::resolved::ResolvedPart;
use crate::signal::signals_in;
use crate::{Joint, KindId, Strip, Study, StudyKind, fit};
use std::collections::{HashMap, HashSet};

mod bounds;
mod joined;
mod sense;
mod unfinished;

pub(crate) use bounds::{LONGEST, courses, identifiers, in_order, too_long};
use joined::Joined;
pub use sense::useless_between;
pub(crate) use sense::{Sense, sense};
use unfinished::LooseEnds;

/// Checks of how the parts are joined.
pub(crate) fn wiring(supply: &Supply, nets: &[String], parts: &[ResolvedPart], findings: &mut Findings) {
    if parts.is_empty() {
        findings.error(
            "no-parts",
            Place::Supply,
            "The supply has no parts".into(),
            "Add a source, a load and what lies between them",
        );
        return;
    }
    let mut ends = LooseEnds::of(supply, nets);
    reference(parts, &mut ends, findings);
    names(supply, nets, findings);
    names_alike(nets, findings);
    pin_counts(nets, parts, &mut ends, findings);
    shorted_parts(nets, parts, findings);
    voltage_loops(nets, parts, findings);
    magnetics(parts, findings);
    measured(parts, findings);
    dc_paths(nets, parts, &mut ends, findings);
    ends.report(findings);
    strips(supply, nets, findings);
    adrift(supply, nets, findings);
}

/// Stages whose parts have been joined elsewhere by hand, so that what is added behind would hang on nothing.
fn adrift(supply: &Supply, nets: &[String], findings: &mut Findings) {
    for stage in supply.stages.iter().filter(|s| !s.bypassed) {
        let gone = stage.joints.iter().flat_map(Joint::nets).find(|net| !nets.iter().any(|n| n == net));
        if let Some(net) = gone {
            findings.warning(
                "joint-adrift",
                Place::Stage { stage: stage.id.clone() },
                format!("{} passes power on at net {net}, but no pin is on it", stage.title),
                format!("Name the net its parts are on {net} again, or size and draw the stage anew"),
            );
        }
    }
}

fn reference(parts: &[ResolvedPart], ends: &mut LooseEnds<'_>, findings: &mut Findings) {
    if !parts.iter().any(|p| p.pins.contains(&0)) && !ends.excuse(0) {
        findings.error(
            "no-reference",
            Place::Supply,
            format!("No pin is connected to the reference net {GND}"),
            format!("Name the common return of the supply {GND}"),
        );
    }
}

fn names(supply: &Supply, nets: &[String], findings: &mut Findings) {
    let nets: HashSet<&str> = nets.iter().map(String::as_str).collect();
    for part in supply.parts.iter().filter(|p| nets.contains(p.id.as_str())) {
        findings.error(
            "name-clash",
            Place::part(&part.id),
            format!("A net is also named {}, so {}.v would have two meanings", part.id, part.id),
            "Rename the net or the part",
        );
    }
}

/// Two names that were surely meant for one net.
fn names_alike(nets: &[String], findings: &mut Findings) {
    let bare = |net: &str| {
        let bare: String = net.chars().filter(|c| *c != '_').flat_map(char::to_lowercase).collect();
        if bare == "ground" { GND.to_owned() } else { bare }
    };
    let mut seen: HashMap<String, &str> = HashMap::new();
    for net in nets.iter().filter(|net| !net.is_empty()) {
        let known = *seen.entry(bare(net)).or_insert(net);
        if known != net {
            findings.warning(
                "two-names",
                Place::net(net),
                format!("Nets {known} and {net} are two nets, though their names read alike"),
                format!("Rename {net} to {known} to join them, or give it a name of its own"),
            );
        }
    }
}

fn pin_counts(nets: &[String], parts: &[ResolvedPart], ends: &mut LooseEnds<'_>, findings: &mut Findings) {
    let mut users: Vec<Option<(usize, usize)>> = vec![None; nets.len()];
    let mut count = vec![0usize; nets.len()];
    for (p, part) in parts.iter().enumerate() {
        for (k, net) in part.pins.iter().enumerate() {
            count[*net] += 1;
            users[*net] = Some((p, k));
        }
    }
    for (net, user) in users.iter().enumerate().filter(|(net, _)| count[*net] == 1 && !nets[*net].is_empty()) {
        let Some((p, k)) = *user else { continue };
        if ends.excuse(net) {
            continue;
        }
        let pin = parts[p].kind.kind().pins[k].id;
        findings.error(
            "pin-dangling",
            Place::pin(&parts[p].id, pin),
            format!("Pin {pin} of {} is the only one on net {}", parts[p].id, nets[net]),
            "Connect another part to this net, or this pin to another net",
        );
    }
}

fn shorted_parts(nets: &[String], parts: &[ResolvedPart], findings: &mut Findings) {
    // Pins that are connected to nothing have been told so.
    for part in parts.iter().filter(|p| p.pins.windows(2).all(|w| w[0] == w[1]) && !nets[p.pins[0]].is_empty()) {
        findings.error(
            "part-shorted",
            Place::part(&part.id),
            format!("All pins of {} are on net {}, so it does nothing", part.id, nets[part.pins[0]]),
            "Connect its pins to different nets, or remove it",
        );
    }
}

fn voltage_loops(nets: &[String], parts: &[ResolvedPart], findings: &mut Findings) {
    let mut joined = Joined::new(nets.len());
    for part in parts.iter().filter(|p| p.kind.kind().fixes_voltage && p.pins[0] != p.pins[1]) {
        if !joined.join(part.pins[0], part.pins[1]) {
            findings.error(
                "voltage-loop",
                Place::part(&part.id),
                format!(
                    "{} closes a loop of ideal voltage sources between nets {} and {}, whose current would be undetermined",
                    part.id, nets[part.pins[0]], nets[part.pins[1]]
                ),
                "Put the resistance that the real sources have in series with one of them",
            );
        }
    }
}

/// Windings and cores that cannot exist.
fn magnetics(parts: &[ResolvedPart], findings: &mut Findings) {
    for part in parts.iter().filter(|p| p.kind == KindId::ThreeWindings) {
        let [a, b, c] = ["coupling_12", "coupling_13", "coupling_23"].map(|k| part.value(k));
        // The determinant of the couplings; with each below 1 it decides whether energy stays positive.
        if 1.0 + 2.0 * a * b * c - a * a - b * b - c * c <= 0.0 {
            findings.error(
                "impossible-coupling",
                Place::part(&part.id),
                format!("No core can couple the windings of {} by {a}, {b} and {c} at once", part.id),
                "Two windings that both couple closely to a third couple closely to each other: bring the odd one \
                 nearer to the product of the other two",
            );
        }
    }
    let own = |part: &&ResolvedPart| part.kind == KindId::HystereticTransformer && part.value("material") > 2.5;
    for part in parts.iter().filter(own) {
        let gain = part.value("domain_coupling") * part.value("saturation_magnetisation") / (3.0 * part.value("shape"));
        if gain >= 1.0 {
            findings.error(
                "runaway-core",
                Place::parameter(&part.id, "domain_coupling"),
                format!(
                    "The core of {} magnetises itself: domain coupling × saturation / (3 × shape) is {gain:.3}",
                    part.id
                ),
                "Bring it below 1 by a smaller domain coupling or a larger shape",
            );
        }
    }
}

/// Measured figures that no device has.
fn measured(parts: &[ResolvedPart], findings: &mut Findings) {
    for part in parts.iter().filter(|p| p.value("measured") > 0.0) {
        if fit::diode(&part.points, part.value("series_resistance")).is_none() {
            findings.error(
                "unfit-points",
                Place::parameter(&part.id, "measured"),
                format!("No diode has the measured points of {}", part.id),
                "Give two or three pairs whose currents are positive and rise faster than their voltages; for two, lower \
                 the series resistance",
            );
        }
    }
    for part in parts.iter().filter(|p| p.value("gate_charge") > 0.0) {
        let voltages = (part.value("on_gate_voltage"), part.value("gate_charge_voltage"));
        let reverse = (part.value("reverse_capacitance"), part.value("capacitance_voltage"));
        if fit::gate_source_capacitance(part.value("gate_charge"), voltages, reverse).is_none() {
            findings.error(
                "unfit-gate-charge",
                Place::parameter(&part.id, "gate_charge"),
                format!("The reverse capacitance of {} alone takes more than its gate charge", part.id),
                "Give both from one data sheet, each with its voltage, or set the gate charge to 0",
            );
        }
    }
}

fn dc_paths(nets: &[String], parts: &[ResolvedPart], ends: &mut LooseEnds<'_>, findings: &mut Findings) {
    let mut joined = Joined::new(nets.len());
    for part in parts {
        for (a, b) in part.kind.kind().dc_paths {
            joined.join(part.pins[*a], part.pins[*b]);
        }
    }
    // One finding per island, so that a floating block is reported once with all its nets.
    let mut islands: Vec<(usize, Vec<&str>)> = Vec::new();
    let mut excused = HashSet::new();
    for (net, name) in nets.iter().enumerate().skip(1).filter(|(_, name)| !name.is_empty()) {
        let root = joined.root(net);
        if root == joined.root(0) {
            continue;
        }
        if ends.excuse(net) {
            excused.insert(root);
        }
        match islands.iter_mut().find(|(r, _)| *r == root) {
            Some((_, island)) => island.push(name),
            None => islands.push((root, vec![name])),
        }
    }
    for (_, island) in islands.into_iter().filter(|(root, _)| !excused.contains(root)) {
        let (subject, verb) = if island.len() == 1 { ("Net", "has") } else { ("Nets", "have") };
        findings.error(
            "no-dc-path",
            Place::net(island[0]),
            format!("{subject} {} {verb} no path for direct current to {GND}", island.join(", ")),
            format!("Connect one of them to {GND}, directly or through a large resistor"),
        );
    }
}

/// Names of the curves of a study, and the strips that show them.
fn curves(study: &Study, findings: &mut Findings) {
    let place = || Place::Study { study: study.id.clone() };
    let names: Vec<&str> = study.questions().iter().map(|question| question.id.as_str()).collect();
    for (k, name) in names.iter().enumerate() {
        if !is_name(name) || names[..k].contains(name) {
            findings.error(
                "bad-curve",
                place(),
                format!("“{name}” cannot name a curve of study {}, or names two", study.id),
                "Take a letter, then letters, digits and _, and another name for each question",
            );
        }
    }
    let shown = study.strips.iter().flat_map(Strip::texts).filter(|_| study.kind() == StudyKind::Frequency);
    for text in shown {
        if let Some(unknown) = names_in(text).find(|name| is_name(name) && !names.contains(name)) {
            let message = format!("“{text}” in the strips: study {} asks nothing named {unknown}", study.id);
            findings.warning(
                "unknown-curve",
                place(),
                message,
                "Name a question of the study, or a formula of several",
            );
        }
    }
}

/// What the strips show: signals, or formulas of them. What is not there is no reason not to run.
fn strips(supply: &Supply, nets: &[String], findings: &mut Findings) {
    for study in &supply.studies {
        curves(study, findings);
        let over_frequency = study.kind() == StudyKind::Frequency;
        for text in study.strips.iter().flat_map(Strip::texts).filter(|_| !over_frequency) {
            let place = Place::Study { study: study.id.clone() };
            let remedy = "Name a net (with .v) or a part (with .v, .i or .p), or a formula of such signals";
            let mut signals = signals_in(text).peekable();
            if signals.peek().is_none() {
                let message = format!("“{text}” in the strips names no signal");
                findings.warning("unreadable-signal", place.clone(), message, remedy);
            }
            for term in signals.flat_map(|signal| signal.terms) {
                if supply.part(&term.of).is_none() && !nets.contains(&term.of) {
                    let message = format!("“{text}” in the strips: there is no net or part named {}", term.of);
                    findings.warning("unknown-signal", place.clone(), message, remedy);
                }
            }
        }
        for (nth, strip) in study.strips.iter().enumerate() {
            for (scale, side) in [(&strip.left, "left"), (&strip.right, "right")] {
                if let Some(wrong) = scale.wrong() {
                    let place = Place::Study { study: study.id.clone() };
                    let message = format!("The {side} scale of strip {} {wrong}", nth + 1);
                    findings.warning(
                        "unusable-scale",
                        place,
                        message,
                        "Give it a range that ascends, or let it fit itself",
                    );
                }
            }
        }
    }
}
