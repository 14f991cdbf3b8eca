//! Which engine simulates a study, and why.

use crate::cost::Costs;
use crate::version::version;
use circuit::kinds::Role;
use circuit::{Circuit, Engine, KindId, ResolvedPart, ResolvedStudy, StudyKind};
use quantity::{Unit, show};
use std::collections::BTreeSet;

/// Periods shorter than this are those of converters; longer ones are the mains', where a diode's curve matters more than
/// speed, s.
const SWITCHING: f64 = 1e-3;

/// Times from which on the other engine is named and taken, s, the least that is said, and the part of them the other may take.
const WORTH_SAYING: f64 = 1.0;
const LEAST_SAID: f64 = 0.1;
const LONG: f64 = 5.0;
const SMALL_PART: f64 = 0.1;

/// The engine that simulates a study, and why in words: what drives a switch, what a part cannot do, and what it costs.
pub fn engine_for(circuit: &Circuit, study: &ResolvedStudy) -> (Engine, String) {
    match study.engine {
        None if study.kind == StudyKind::Settled && repeats_by_itself(circuit) => (
            Engine::Switched,
            "by switching: nothing in it repeats by time, and its own period is found that way".to_owned(),
        ),
        Some(Engine::Switched) => (Engine::Switched, "by switching, as the study says".to_owned()),
        Some(Engine::DeviceLevel) => (Engine::DeviceLevel, "at device level, as the study says".to_owned()),
        None => match left_to_us(circuit) {
            (Engine::DeviceLevel, why) if switched::without_form(circuit).is_empty() => weighed(circuit, study, &why),
            chosen => chosen,
        },
    }
}

/// What is not driven to switch is simulated at device level, where diodes have their curves, unless that takes long and the other way
/// takes a small part of it.
fn weighed(circuit: &Circuit, study: &ResolvedStudy, why: &str) -> (Engine, String) {
    let Some(costs) = Costs::new(circuit, study) else { return (Engine::DeviceLevel, why.to_owned()) };
    let device = costs.at_device_level();
    let other = if device > WORTH_SAYING { costs.by_switching() } else { None };
    let said = |seconds: f64| match seconds {
        few if few < LEAST_SAID => format!("less than {}", show(LEAST_SAID, Unit::Second, 1)),
        some if some.is_finite() => format!("some {}", show(some, Unit::Second, 1)),
        _ => "very long".to_owned(),
    };
    match other.filter(|other| *other < SMALL_PART * device) {
        Some(other) if device > LONG => (
            Engine::Switched,
            format!(
                "by switching: it is expected to take {} so, and {} at device level, where diodes follow their curves instead of \
                 straight lines; the study can ask for that",
                said(other),
                said(device)
            ),
        ),
        Some(other) => (
            Engine::DeviceLevel,
            format!(
                "{why}; it is expected to take {}, and {} by switching, with diodes of straight lines, if the study asks for that",
                said(device),
                said(other)
            ),
        ),
        None => (Engine::DeviceLevel, why.to_owned()),
    }
}

/// The version of the engine that simulates a study.
pub fn version_for(circuit: &Circuit, study: &ResolvedStudy) -> String {
    version(engine_for(circuit, study).0)
}

/// The engine that answers for small sinusoids, and why in words: about the settled period where something switches, about the
/// operating point otherwise.
pub(crate) fn engine_over_frequency(circuit: &Circuit, wanted: Option<Engine>) -> (Engine, String) {
    match wanted {
        Some(Engine::Switched) => (Engine::Switched, "by switching, as asked".to_owned()),
        Some(Engine::DeviceLevel) => (Engine::DeviceLevel, "at device level, as asked".to_owned()),
        None => left_to_us(circuit),
    }
}

fn left_to_us(circuit: &Circuit) -> (Engine, String) {
    let Some((source, switch)) = driven(circuit) else {
        return (Engine::DeviceLevel, "at device level: no source drives a switch periodically".to_owned());
    };
    let without = switched::without_form(circuit);
    if without.is_empty() {
        (Engine::Switched, format!("by switching: {source} drives {switch}, and every part has a form for it"))
    } else {
        (Engine::DeviceLevel, format!("at device level: {} cannot be simulated by switching", without.join(", ")))
    }
}

/// Whether nothing in a circuit has a period known in advance.
fn repeats_by_itself(circuit: &Circuit) -> bool {
    !circuit.parts.iter().any(|part| part.period().is_some() || part.kind.is_modulator())
}

/// A source that repeats fast, or a modulator, and a switch it drives, directly or through resistors, diodes, comparators and
/// control parts of two levels.
fn driven(circuit: &Circuit) -> Option<(&str, &str)> {
    let fast = |p: &&ResolvedPart| {
        p.kind.is_modulator() || p.kind == KindId::PulseSource && p.period().is_some_and(|period| period < SWITCHING)
    };
    // A gate may be driven from a rail downwards: the rail is not what moves.
    let held: BTreeSet<usize> =
        circuit.parts.iter().filter(|p| p.kind == KindId::DcSource).flat_map(|p| p.pins.iter().copied()).collect();
    let moves = |net: &usize| *net != 0 && !held.contains(net);
    circuit.parts.iter().filter(fast).find_map(|source| {
        let mut pins = source.pins.iter().copied();
        let first = if source.kind.is_modulator() { pins.next() } else { pins.find(moves) };
        let mut reached: BTreeSet<usize> = first.into_iter().collect();
        loop {
            let ways = circuit.parts.iter().flat_map(ways).filter(|(from, to)| reached.contains(from) && *to != 0);
            let more: Vec<usize> = ways.map(|(_, to)| to).filter(|to| !reached.contains(to)).collect();
            if more.is_empty() {
                break;
            }
            reached.extend(more);
        }
        let switch = circuit.parts.iter().find(|part| control(part).is_some_and(|net| reached.contains(&net)))?;
        Some((source.id.as_str(), switch.id.as_str()))
    })
}

/// Nets between which a part passes a drive on.
fn ways(part: &ResolvedPart) -> Vec<(usize, usize)> {
    let pins = &part.pins;
    match part.kind {
        KindId::Resistor | KindId::Diode | KindId::Schottky => vec![(pins[0], pins[1]), (pins[1], pins[0])],
        KindId::Comparator => vec![(pins[1], pins[0]), (pins[2], pins[0])],
        // From every input to every output, if that has two levels.
        kind if kind.is_control() && kind.kind().parameter("level").is_some() => {
            let to = |from: usize| kind.kind().pins_that(Role::Drives).map(move |to| (pins[from], pins[to]));
            kind.kind().pins_that(Role::Listens).flat_map(to).collect()
        }
        _ => Vec::new(),
    }
}

/// The net that turns a switch.
fn control(part: &ResolvedPart) -> Option<usize> {
    match part.kind {
        KindId::MosfetN | KindId::MosfetP => Some(part.pins[1]),
        KindId::ControlledSwitch => Some(part.pins[2]),
        _ => None,
    }
}
