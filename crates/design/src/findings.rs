//! What sizing finds amiss with the values a supply really has.

use crate::defaults::too_short;
use crate::delivered::Dc;
use crate::path::{ASSUMED_LOAD, Path};
use crate::stages::formed;
use crate::stress::exceeded;
use circuit::{Engine, Finding, KindId, Output, Place, Stage, StageKind, StudyKind, Supply};
use quantity::{Unit, show};

/// How closely ripple is computed: behind a filter from its fundamental alone.
const RIPPLE_KNOWN: f64 = 1.05;

/// Warnings of every stage that was composed: too little voltage to regulate from, valleys below what
/// is needed, forms that cannot make an output, parts rated for less than they bear, Zener diodes that nothing
/// spares; and of every study too short for the circuit. Bypassed stages are not looked at.
pub fn check(supply: &Supply) -> Vec<Finding> {
    let path = Path::new(supply);
    let formed = supply.stages.iter().filter(|s| !s.bypassed).filter_map(|stage| Some((stage, formed(stage).ok()?)));
    let mut findings = Vec::new();
    findings.extend(nothing_stated(supply, &path));
    for (stage, form) in formed {
        let ask = path.ask_of(stage, form, &stage.choices);
        findings.extend(form.draft(&ask).warnings.iter().map(|message| finding(stage, message)));
    }
    findings.extend(
        path.unregulated().into_iter().flat_map(|(stage, output, dc)| not_held(stage, output, dc, path.rise())),
    );
    findings.extend(exceeded(supply));
    findings.extend(too_short(supply));
    findings.extend(nothing_steps(supply));
    findings.extend(many_states(supply));
    findings
}

/// So many capacitors and inductors and more are a while to reduce before a study by switching begins: one state each, and
/// the time `REDUCED` for 400 of them grows somewhat faster than with their square (measured on one core).
const MANY_STATES: usize = 250;
const REDUCED: (f64, f64) = (14.0, 2.6);

/// Studies of a circuit with very many states that are simulated by switching: because they say so, or because something in it
/// pulses and they leave it to us.
fn many_states(supply: &Supply) -> Vec<Finding> {
    let storing = |kind: KindId| matches!(kind, KindId::Capacitor | KindId::Inductor);
    let states = supply.parts.iter().filter(|part| storing(part.kind)).count();
    if states < MANY_STATES {
        return Vec::new();
    }
    let seconds = REDUCED.0 * (states as f64 / 400.0).powf(REDUCED.1);
    let pulses = supply.parts.iter().any(|part| part.kind.is_modulator() || part.kind == KindId::PulseSource);
    let switches = |engine: Option<Engine>| engine.map_or(pulses, |engine| engine == Engine::Switched);
    let studies = supply.studies.iter().filter(|study| switches(study.engine));
    let found = studies.map(|study| {
        Finding::warning(
            "many-states",
            Place::Study { study: study.id.clone() },
            format!(
                "{states} capacitors and inductors are reduced together before study {} begins by switching, which takes \
                 some {}, and again wherever another set of switches conducts",
                study.id,
                show(seconds, Unit::Second, 2)
            ),
            "Join what acts as one part, or simulate the study at device level",
        )
    });
    found.collect()
}

/// A load step of a circuit in which nothing steps shows nothing.
fn nothing_steps(supply: &Supply) -> Vec<Finding> {
    let mut studies =
        supply.studies.iter().filter(|study| study.kind() == StudyKind::LoadStep && study.step().is_none()).peekable();
    if studies.peek().is_none() {
        return Vec::new();
    }
    let Ok(circuit) = circuit::resolve(supply) else { return Vec::new() };
    let steps = circuit.without_what_happens_once().parts != circuit.parts
        || circuit.parts.iter().any(|part| part.kind == KindId::SteppedLoad);
    let found = studies.filter(|_| !steps).map(|study| {
        Finding::warning(
            "nothing-steps",
            Place::Study { study: study.id.clone() },
            format!("Study {} is a load step, and nothing in the circuit steps", study.id),
            "Put a stepped load at an output, or let the study begin otherwise",
        )
    });
    found.collect()
}

fn nothing_stated(supply: &Supply, path: &Path<'_>) -> Option<Finding> {
    let sized = supply.stages.iter().any(|s| s.form.is_some() && s.kind != StageKind::Source);
    (sized && path.nothing_stated()).then(|| {
        Finding::warning(
            "nothing-stated",
            Place::Supply,
            format!(
                "It is not stated what the supply must deliver, so stages are sized for {} where no load says more",
                show(ASSUMED_LOAD, Unit::Ampere, 3)
            ),
            "State its outputs under Requirements, then size all stages again",
        )
    })
}

/// An output that nothing regulates, if line and load take it out of what is allowed; `rise` is the highest line over
/// the nominal one.
fn not_held(stage: &Stage, output: &Output, dc: Dc, rise: f64) -> Vec<Finding> {
    let wanted = output.voltage.abs();
    // Its mean in the valley's period, and what it rises to, which stays for long where nothing draws.
    let (low, high) = (dc.lowest + 0.5 * dc.ripple, dc.surge);
    let when = if dc.surge > dc.highest { "when the highest line is switched on" } else { "at the highest line" };
    let off = |v: f64| 100.0 * (v / wanted - 1.0);
    let place = || Place::Stage { stage: stage.id.clone() };
    let volts = |v: f64| show(v, Unit::Volt, 3);
    let mut findings = Vec::new();
    if off(low).abs().max(off(high).abs()) > 100.0 * output.accuracy {
        findings.push(Finding::warning(
            "not-held",
            place(),
            format!(
                "Nothing regulates {}: it goes from {} at the lowest line with full load ({:+.0} %) to {} {when} \
                 without load ({:+.0} %), where ±{:.0} % is allowed",
                output.title,
                volts(low),
                off(low),
                volts(high),
                off(high),
                100.0 * output.accuracy
            ),
            "Put a regulator before the load, or allow more under Requirements",
        ));
    }
    // A load that draws more at the highest line has it ripple more.
    let ripple = RIPPLE_KNOWN * dc.ripple * rise;
    if ripple > output.ripple * (1.0 + 1e-9) {
        findings.push(Finding::warning(
            "ripples",
            place(),
            format!("{} ripples by up to {}, where {} is allowed", output.title, volts(ripple), volts(output.ripple)),
            "Choose less ripple for the reservoir, add a filter or a regulator, or allow more under Requirements",
        ));
    }
    findings
}

fn finding(stage: &Stage, message: &str) -> Finding {
    // The warning ends with what to do, behind its last semicolon.
    let (message, remedy) = message.rsplit_once("; ").unwrap_or((message, "Look at its sizing"));
    let place = Place::Stage { stage: stage.id.clone() };
    Finding::warning("sizing", place, format!("{}: {message}", stage.title), capitalised(remedy))
}

fn capitalised(text: &str) -> String {
    let mut letters = text.chars();
    letters.next().map_or(String::new(), |first| first.to_uppercase().chain(letters).collect())
}
