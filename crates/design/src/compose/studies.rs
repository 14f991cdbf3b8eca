//! Studies added to a supply.

use crate::defaults::studies_for;
use crate::draft::rounded;
use crate::error::ComposeError;
use crate::path::Path;
use crate::proposed::{ProposedStudy, converts, studies_proposed};
use crate::ready::ready_made;
use crate::stages::find;
use circuit::{Course, Cut, Strip, Study, StudyKind, StudySettings, Supply};
use quantity::entry;

/// Stand-in where nothing is known of what follows, Ω.
const DEFAULT_STAND_IN: &str = "1k";

/// Adds a study cut behind a stage. The stand-in draws what those behind draw, as far as that is known.
pub(super) fn so_far(supply: &mut Supply, stage: &str) -> Result<(), ComposeError> {
    let found = find(supply, stage)?.clone();
    if found.joints.is_empty() {
        return Err(ComposeError::NoJoint(found.title));
    }
    let load = Path::new(supply).stand_in(&found).map_or(DEFAULT_STAND_IN.to_owned(), |r| entry(rounded(r)));
    let taken = |id: &str| supply.studies.iter().any(|s| s.id == id);
    let id = std::iter::once(format!("so_far_{stage}")).chain((2..).map(|n| format!("so_far_{stage}_{n}")));
    let id = id.into_iter().find(|id| !taken(id)).unwrap_or_default();
    let strips = found.joints[0].nets()[..1].iter().map(|net| Strip::of([format!("{net}.v")])).collect();
    let course = Course::suggested(studies_for(supply).duration.text);
    let title = format!("So far: {}", found.title.to_lowercase());
    let cut = Some(Cut { after: stage.to_owned(), load });
    supply.studies.push(Study { cut, strips, ..Study::new(id, title, StudySettings::SwitchOn(course)) });
    Ok(())
}

/// Adds the study of a kind that fits this circuit; without a kind a switch-on, and of a converter its settled state first, unless
/// that is there.
///
/// # Errors
/// [`ComposeError::NoStudy`] where the circuit has nothing for a study of that kind.
pub(super) fn add(supply: &mut Supply, kind: Option<StudyKind>) -> Result<(), ComposeError> {
    let proposed = studies_proposed(supply);
    let wanted: Vec<StudyKind> = match kind {
        Some(kind) => vec![kind],
        None => {
            let settled = supply.studies.iter().any(|s| s.kind() == StudyKind::Settled);
            let first = (!settled && converts(supply)).then_some(StudyKind::Settled);
            first.into_iter().chain([StudyKind::SwitchOn]).collect()
        }
    };
    for kind in wanted {
        let found = proposed.iter().find(|proposed| proposed.study.kind() == kind);
        match found {
            Some(ProposedStudy { study, fits: true, .. }) => {
                let id = push(supply, study.clone());
                read_step(supply, &id);
            }
            Some(unfit) => return Err(ComposeError::NoStudy(unfit.reason.clone())),
            None => {}
        }
    }
    Ok(())
}

/// What a step does is read without being asked for.
fn read_step(supply: &mut Supply, study: &str) {
    let steps = supply
        .studies
        .iter()
        .find(|s| s.id == study)
        .is_some_and(|s| matches!(s.kind(), StudyKind::LoadStep | StudyKind::LineStep));
    if let (true, Some(ready)) = (steps, ready_made(supply, study).into_iter().next()) {
        let taken: Vec<String> = supply.readings.iter().map(|reading| reading.id.clone()).collect();
        supply.readings.extend(ready.readings.into_iter().filter(|reading| !taken.contains(&reading.id)));
    }
}

/// Adds a study under a name and a title of its own; returns its name.
fn push(supply: &mut Supply, study: Study) -> String {
    let taken = |id: &str| supply.studies.iter().any(|s| s.id == id);
    let mut ids = std::iter::once(study.id.clone()).chain((2..).map(|n| format!("{}_{n}", study.id)));
    let id = ids.find(|id| !taken(id)).unwrap_or_default();
    let count = supply.studies.iter().filter(|s| s.kind() == study.kind() && s.cut.is_none()).count();
    let title = if count == 0 { study.title.clone() } else { format!("{} {}", study.title, count + 1) };
    supply.studies.push(Study { id: id.clone(), title, ..study });
    id
}
