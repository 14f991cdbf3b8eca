//! The stages of a supply: where they stand, what they are made of, what was chosen for them.

use crate::draft::{NEGATIVE, OUTPUT};
use crate::error::ComposeError;
use crate::forms::{Form, form};
use circuit::{Stage, Supply};
use schemars::JsonSchema;
use serde::{Deserialize, Serialize};
use std::collections::BTreeMap;

/// Where a stage is joined: behind another's joint, or nowhere, as a source is.
#[derive(Clone, Debug, Default, PartialEq, Eq, Serialize, Deserialize, JsonSchema)]
#[schemars(rename = "JointPlace")]
pub struct Place {
    /// The stage before; none for a source.
    pub after: Option<String>,
    /// Which of its joints, counted from 0.
    #[serde(default)]
    pub joint: u32,
}

/// Choices by identifier, as typed.
pub(crate) type Choices = BTreeMap<String, String>;

/// The stages that follow a place.
pub(crate) fn following<'s>(supply: &'s Supply, place: &'s Place) -> impl Iterator<Item = &'s Stage> {
    supply.stages.iter().filter(|s| place.after.is_some() && s.after == place.after && s.from_joint == place.joint)
}

/// The form of a stage.
pub(crate) fn formed(stage: &Stage) -> Result<&'static Form, ComposeError> {
    let id = stage.form.as_deref().ok_or_else(|| ComposeError::DrawnByHand(stage.title.clone()))?;
    form(id).ok_or_else(|| ComposeError::NoForm(id.to_owned()))
}

/// Whether a part plays a role in a stage.
pub(crate) fn is_role(part: &circuit::Part, stage: &Stage, role: &str) -> bool {
    part.stage.as_ref() == Some(&stage.id) && part.role.as_deref() == Some(role)
}

/// Whether a part's parameter differs from what sizing wrote.
pub(crate) fn by_hand(stage: &Stage, part: &circuit::Part, role: &str, parameter: &str) -> bool {
    let sized = stage.sized.get(&format!("{role}.{parameter}"));
    sized.is_some() && part.parameters.get(parameter) != sized
}

/// Whether a stage serves an output.
pub(crate) fn serves(stage: &Stage, output: &str) -> bool {
    [OUTPUT, NEGATIVE].iter().any(|rail| stage.choices.get(*rail).is_some_and(|o| o == output))
}

/// Where a stage stands among all.
pub(crate) fn index(supply: &Supply, stage: &str) -> Result<usize, ComposeError> {
    supply.stages.iter().position(|s| s.id == stage).ok_or_else(|| ComposeError::NoStage(stage.to_owned()))
}

/// A stage by its identifier.
pub(crate) fn find<'s>(supply: &'s Supply, stage: &str) -> Result<&'s Stage, ComposeError> {
    index(supply, stage).map(|i| &supply.stages[i])
}

/// A stage and all behind it.
pub(crate) fn subtree(supply: &Supply, stage: &str) -> Vec<String> {
    let mut found = vec![stage.to_owned()];
    let mut at = 0;
    while at < found.len() {
        let behind = supply.stages.iter().filter(|s| s.after.as_deref() == Some(&found[at])).map(|s| s.id.clone());
        let behind: Vec<String> = behind.collect();
        found.extend(behind);
        at += 1;
    }
    found
}
