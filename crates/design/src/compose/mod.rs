//! Changes of a supply. Each takes a supply and returns another; nothing else is touched.

mod line;
mod nets;
mod parts;
mod stages;
mod studies;

use crate::catalogue::Entry;
use crate::demands::{tie, untie};
use crate::error::ComposeError;
use crate::layout;
use crate::path::Path;
use crate::stages::{Choices, Place, find, formed, index};
use circuit::{KindId, OutputDemand, Part, SourceDemand, StudyKind, Supply};
use schemars::JsonSchema;
use serde::{Deserialize, Serialize};

pub use line::{Completion, Reading, read_line};
pub use parts::{Joining, joining};

/// A change of a supply: of its power path, or of single parts.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize, JsonSchema)]
#[serde(tag = "edit", rename_all = "snake_case", deny_unknown_fields)]
#[schemars(rename = "PathEdit")]
pub enum Edit {
    /// States what the supply is fed from and must deliver.
    State {
        /// What feeds it.
        source: Option<SourceDemand>,
        /// What it must deliver.
        outputs: Vec<OutputDemand>,
    },
    /// Adds a stage.
    Add {
        /// Its form.
        form: String,
        /// Where.
        place: Place,
        /// Whether what follows there comes behind the new stage; else the path branches.
        #[serde(default)]
        between: bool,
        /// What was chosen.
        #[serde(default)]
        choices: Choices,
    },
    /// Sizes a stage again.
    Size {
        /// Which.
        stage: String,
        /// What was chosen.
        choices: Choices,
        /// Whether values chosen by hand are sized again too.
        #[serde(default)]
        everything: bool,
    },
    /// Sizes every stage again; values chosen by hand stay.
    SizeAll,
    /// Gives a stage another form, keeping what still applies.
    Replace {
        /// Which.
        stage: String,
        /// Its new form.
        form: String,
    },
    /// Removes a stage; what followed it comes behind the one before.
    Remove {
        /// Which.
        stage: String,
    },
    /// Exchanges a stage with the one before it.
    MoveEarlier {
        /// Which.
        stage: String,
    },
    /// Hangs a copy of a stage beside it.
    Duplicate {
        /// Which.
        stage: String,
    },
    /// Gives a stage another title.
    Rename {
        /// Which.
        stage: String,
        /// The new title.
        title: String,
    },
    /// Puts parts where a draftsman would: those of a formed stage where its form draws them, others arranged.
    Tidy {
        /// Which; all if none is named.
        #[serde(default)]
        parts: Vec<String>,
        /// Whether parts that were placed by hand stay.
        #[serde(default)]
        keep: bool,
    },
    /// Leaves a stage out of every run, or takes it in again.
    Bypass {
        /// Which.
        stage: String,
        /// Whether it is left out.
        bypassed: bool,
    },
    /// Adds the study of a kind that fits the whole circuit.
    AddStudy {
        /// Its kind; a switch-on if left out, and of a converter its settled state first.
        #[serde(default)]
        kind: Option<StudyKind>,
    },
    /// Adds a study of the supply so far: cut behind a stage, a resistor standing in for what follows.
    StudySoFar {
        /// The last stage that is left.
        stage: String,
    },
    /// Adds a part of a kind, its pins open.
    AddPart {
        /// Its kind.
        kind: KindId,
        /// The entry of the parts catalogue it is, if any.
        #[serde(default)]
        entry: Option<Entry>,
        /// About where it stands, grid column and row; beneath everything if left out.
        #[serde(default)]
        near: Option<(i32, i32)>,
    },
    /// Adds the part that a phrase such as “capacitor 100u from out to gnd” describes.
    AddLine {
        /// The phrase.
        text: String,
        /// About where it stands; beneath everything if left out.
        #[serde(default)]
        near: Option<(i32, i32)>,
    },
    /// Puts copies of parts beside what is there, under new designators. A net that only the copied parts
    /// share gets a name of its own.
    Paste {
        /// The parts, as they were when they were copied.
        parts: Vec<Part>,
        /// Grid columns and rows between a part and its copy.
        by: (i32, i32),
    },
    /// Removes parts, and what was read of them.
    RemoveParts {
        /// Which.
        parts: Vec<String>,
    },
    /// Gives a part the values of an entry of the parts catalogue; its nets stay.
    Swap {
        /// Which part.
        part: String,
        /// The entry.
        entry: Entry,
    },
    /// Joins a pin to another pin.
    Connect {
        /// Part and pin from which the line was pulled.
        from: (String, String),
        /// Part and pin at which it ended.
        to: (String, String),
        /// Whether two nets may become one.
        #[serde(default)]
        join: bool,
    },
    /// Gives a net another name everywhere.
    RenameNet {
        /// Its name.
        net: String,
        /// Its new name.
        to: String,
        /// Whether it may become one with a net of that name.
        #[serde(default)]
        join: bool,
    },
}

/// Makes a change.
///
/// # Errors
/// [`ComposeError`] if it cannot be made; the supply is not touched.
pub fn apply(supply: &Supply, edit: &Edit) -> Result<Supply, ComposeError> {
    let mut supply = supply.clone();
    match edit {
        Edit::State { source, outputs } => {
            supply.source.clone_from(source);
            let before = std::mem::replace(&mut supply.outputs, outputs.clone());
            untie(&mut supply, &before);
        }
        Edit::Add { form, place, between, choices } => {
            stages::add(&mut supply, form, place, *between, choices)?;
        }
        Edit::Size { stage, choices, everything } => {
            let before = supply.clone();
            stages::resize(&mut supply, &Path::new(&before), stage, choices, *everything)?;
        }
        Edit::SizeAll => {
            // What flows follows from forms and choices, which sizing does not change.
            let before = supply.clone();
            let path = Path::new(&before);
            for stage in before.stages.iter().filter(|s| s.form.is_some()) {
                stages::resize(&mut supply, &path, &stage.id, &stage.choices, false)?;
            }
        }
        Edit::Replace { stage, form } => stages::replace(&mut supply, stage, form)?,
        Edit::Remove { stage } => stages::remove(&mut supply, stage)?,
        Edit::MoveEarlier { stage } => stages::earlier(&mut supply, stage)?,
        Edit::Duplicate { stage } => {
            let original = find(&supply, stage)?.clone();
            let form = formed(&original)?;
            let place = Place { after: original.after, joint: original.from_joint };
            stages::add(&mut supply, form.id, &place, false, &original.choices)?;
        }
        Edit::Rename { stage, title } => {
            let index = index(&supply, stage)?;
            supply.stages[index].title.clone_from(title);
        }
        Edit::Tidy { parts, keep } => layout::tidy(&mut supply, parts, *keep),
        Edit::Bypass { stage, bypassed } => {
            let at = index(&supply, stage)?;
            if *bypassed && !supply.can_bypass(&supply.stages[at]) {
                return Err(ComposeError::Unbypassable(supply.stages[at].title.clone()));
            }
            supply.stages[at].bypassed = *bypassed;
        }
        Edit::AddStudy { kind } => studies::add(&mut supply, *kind)?,
        Edit::StudySoFar { stage } => studies::so_far(&mut supply, stage)?,
        Edit::AddPart { kind, entry, near } => {
            parts::add(&mut supply, *kind, entry.as_ref(), *near);
        }
        Edit::AddLine { text, near } => line::add(&mut supply, text, *near)?,
        Edit::Paste { parts, by } => parts::paste(&mut supply, parts, *by),
        Edit::RemoveParts { parts } => parts::remove(&mut supply, parts)?,
        Edit::Swap { part, entry } => parts::swap(&mut supply, part, entry)?,
        Edit::Connect { from, to, join } => parts::connect(&mut supply, from, to, *join)?,
        Edit::RenameNet { net, to, join } => parts::rename_net(&mut supply, net, to, *join)?,
    }
    tie(&mut supply);
    circuit::hold(&supply)?;
    layout::place_rest(&mut supply);
    Ok(supply)
}
