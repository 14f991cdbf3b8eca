//! What sizing finds amiss with the values a supply really has.

use crate::defaults::too_short;
use crate::draft::Draft;
use crate::path::{ASSUMED_LOAD, Path};
use crate::proposal::{formed, settled_promises};
use crate::stress::Promised;
use circuit::{Finding, Place, Stage, StageKind, Supply};
use quantity::{Unit, show};

/// Warnings of every stage that was composed: too little voltage to regulate from, valleys below what
/// is needed, forms that cannot make an output, parts rated for less than they bear, Zener diodes that nothing
/// spares; and of every study too short for the circuit. Bypassed stages are not looked at.
pub fn check(supply: &Supply) -> Vec<Finding> {
    let path = Path::new(supply);
    let formed = supply.stages.iter().filter(|s| !s.bypassed).filter_map(|stage| Some((stage, formed(stage).ok()?)));
    let mut findings = Vec::new();
    findings.extend(nothing_stated(supply, &path));
    let mut of_stages = Vec::new();
    for (stage, form) in formed {
        let ask = path.ask_of(stage, form, &stage.choices);
        let draft = Draft::of(form, &ask);
        findings.extend(draft.warnings.iter().map(|message| finding(stage, message)));
        of_stages.push((stage, settled_promises(supply, stage, &draft)));
    }
    findings.extend(Promised { supply, of_stages }.exceeded());
    findings.extend(too_short(supply));
    findings
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
