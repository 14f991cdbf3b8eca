//! Names that files and addresses can bear, courses in time that can be followed, runs that can end.

use crate::finding::{Findings, Place};
use crate::resolved::ResolvedPart;
use crate::{Circuit, KindId, MOST_BYTES, Supply};
use quantity::{Unit, show};

/// Longest identifier or net name, in characters.
pub(crate) const LONGEST: usize = 64;

/// Identifiers become names of files and parts of addresses.
pub(crate) fn identifiers(supply: &Supply, findings: &mut Findings) {
    let stages = supply.stages.iter().map(|s| (&s.id, Place::Stage { stage: s.id.clone() }));
    let parts = supply.parts.iter().map(|p| (&p.id, Place::part(&p.id)));
    let studies = supply.studies.iter().map(|s| (&s.id, Place::Study { study: s.id.clone() }));
    let readings = supply.readings.iter().map(|r| (&r.id, Place::Reading { reading: r.id.clone() }));
    let requirements = supply.requirements.iter().map(|r| (&r.id, Place::Requirement { requirement: r.id.clone() }));
    let outputs = supply.outputs.iter().map(|o| (&o.id, Place::Output { output: o.id.clone() }));
    for (id, place) in stages.chain(parts).chain(studies).chain(readings).chain(requirements).chain(outputs) {
        let sound = |c: char| c.is_ascii_alphanumeric() || c == '_' || c == '-';
        if id.is_empty() || id.chars().count() > LONGEST || !id.chars().all(sound) {
            findings.error(
                "bad-identifier",
                place,
                format!("“{}” cannot be an identifier", id.escape_debug()),
                format!("Use letters, digits, _ and -, up to {LONGEST} of them"),
            );
        }
    }
}

/// A pulse or step that lasts longer than its period would begin anew before it has ended.
pub(crate) fn courses(parts: &[ResolvedPart], findings: &mut Findings) {
    for part in parts {
        let (width, period) = (part.value("width"), part.value("period"));
        let (what, edges) = match part.kind {
            KindId::PulseSource => ("pulse", part.value("rise") + part.value("fall")),
            KindId::SteppedLoad => ("step", 2.0 * (part.value("high") - part.value("low")).abs() / part.value("slew")),
            _ => continue,
        };
        if period > 0.0 && width + edges > period * (1.0 + 1e-9) {
            let shown = |t| show(t, Unit::Second, 4);
            findings.error(
                "longer-than-period",
                Place::parameter(&part.id, "width"),
                format!(
                    "The {what} of {} lasts {} with its edges, longer than its period of {}",
                    part.id,
                    shown(width + edges),
                    shown(period)
                ),
                format!(
                    "Let it last {} at most without edges, or lengthen the period",
                    shown((period - edges).max(0.0))
                ),
            );
        }
    }
}

/// Values of a part of which one must not be above another.
const IN_ORDER: [(KindId, &str, &str); 10] = [
    (KindId::PiController, "low", "high"),
    (KindId::Type2Compensator, "low", "high"),
    (KindId::Type3Compensator, "low", "high"),
    (KindId::SampledController, "low", "high"),
    (KindId::Multiplier, "low", "high"),
    (KindId::PulseModulator, "ramp_low", "ramp_high"),
    (KindId::AverageCurrentModulator, "ramp_low", "ramp_high"),
    (KindId::UndervoltageLockout, "off_voltage", "on_voltage"),
    (KindId::BurstController, "stop_below", "run_above"),
    (KindId::CriticalModulator, "blanking", "restart_time"),
];

/// Limits the wrong way round.
pub(crate) fn in_order(parts: &[ResolvedPart], findings: &mut Findings) {
    let pairs =
        parts.iter().flat_map(|part| IN_ORDER.iter().filter(|(kind, ..)| *kind == part.kind).map(move |p| (part, p)));
    for (part, (kind, lower, upper)) in pairs.filter(|(part, (_, lower, upper))| part.value(lower) >= part.value(upper))
    {
        let parameters = kind.kind().parameters;
        let named = |id: &str| parameters.iter().find(|p| p.id == id).map_or("", |p| p.name).to_lowercase();
        findings.error(
            "out-of-order",
            Place::parameter(&part.id, lower),
            format!("“{}” of {} is not below “{}”", named(lower), part.id, named(upper)),
            "Change one of the two",
        );
    }
}

/// Studies that would be stopped for what they record.
pub(crate) fn too_long(circuit: &Circuit, findings: &mut Findings) {
    for study in &circuit.studies {
        let effort = circuit.least_effort(study);
        if effort.bytes > MOST_BYTES {
            let most = study.record_from + (study.duration - study.record_from) * MOST_BYTES / effort.bytes;
            findings.warning(
                "study-too-long",
                Place::Study { study: study.id.clone() },
                format!(
                    "{} takes {:.1e} steps at least and would record {:.1e} bytes; a run may record {MOST_BYTES:.0e}",
                    study.id, effort.steps, effort.bytes
                ),
                format!(
                    "Shorten it to {}, record from a later time, or allow longer steps; else it is stopped there",
                    show(most, Unit::Second, 2)
                ),
            );
        }
    }
}
