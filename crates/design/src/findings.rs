//! What sizing finds amiss with the values a supply really has.

use crate::draft::Draft;
use crate::path::Path;
use crate::proposal::{formed, settled_promises};
use crate::stress::exceeded;
use circuit::{Finding, Place, Severity, Supply};

/// Warnings of every stage that was composed: too little voltage to regulate from, valleys below what
/// is needed, forms that cannot make an output, parts rated for less than they bear. Bypassed stages are
/// not looked at.
pub fn check(supply: &Supply) -> Vec<Finding> {
    let path = Path::new(supply);
    let of_stage = |stage: &circuit::Stage| {
        let Ok(form) = formed(stage) else { return Vec::new() };
        let ask = path.ask_of(stage, form, &stage.choices);
        let draft = Draft::of(form, &ask);
        let finding = |message: &String| {
            // The warning ends with what to do, behind its last semicolon.
            let (message, remedy) = message.rsplit_once("; ").unwrap_or((message.as_str(), "Look at its sizing"));
            Finding {
                severity: Severity::Warning,
                rule: "sizing".to_owned(),
                place: Place::Stage { stage: stage.id.clone() },
                message: format!("{}: {message}", stage.title),
                remedy: capitalised(remedy),
            }
        };
        let mut findings: Vec<Finding> = draft.warnings.iter().map(finding).collect();
        findings.extend(exceeded(supply, stage, &settled_promises(supply, stage, &draft)));
        findings
    };
    supply.stages.iter().filter(|s| !s.bypassed).flat_map(of_stage).collect()
}

fn capitalised(text: &str) -> String {
    let mut letters = text.chars();
    letters.next().map_or(String::new(), |first| first.to_uppercase().chain(letters).collect())
}
