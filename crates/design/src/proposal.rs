//! What a form proposes at a place in a supply, with the names it will have there.

use crate::Form;
use crate::draft::{Choice, Draft, Net, Promise, Step};
use crate::draft::{NEGATIVE, OUTPUT};
use crate::error::ComposeError;
use crate::forms::form;
use crate::names::Names;
use crate::path::{Line, Path};
use crate::stages::{Place, by_hand, following, formed, is_role};
use circuit::{Joint, JointKind, KindId, Stage, StageKind, Supply};
use schemars::JsonSchema;
use serde::Serialize;
use std::collections::BTreeMap;

/// A stage as it would be.
#[derive(Clone, Debug, PartialEq, Serialize, JsonSchema)]
pub struct Proposal {
    /// The form.
    pub form: &'static str,
    /// The stage's title.
    pub title: String,
    /// What can be chosen first.
    pub choices: Vec<Choice>,
    /// How the values came about.
    pub steps: Vec<Step>,
    /// What a run at nominal line and full load will show.
    pub promises: Vec<Promise>,
    /// What is amiss.
    pub warnings: Vec<String>,
    /// The parts.
    pub parts: Vec<ProposedPart>,
}

/// A part as it would be.
#[derive(Clone, Debug, PartialEq, Serialize, JsonSchema)]
pub struct ProposedPart {
    /// Its role in the form.
    pub role: &'static str,
    /// Its kind.
    pub kind: KindId,
    /// Its designator.
    pub id: String,
    /// Parameters that differ from the defaults.
    pub parameters: BTreeMap<&'static str, String>,
    /// Parameters chosen by hand, which sizing again would keep.
    pub by_hand: Vec<String>,
}

/// Asks a form for its design at a place of a supply; nothing is changed.
///
/// # Errors
/// [`ComposeError`] if there is no such form or place, or if they do not fit.
pub fn propose(
    supply: &Supply,
    form_id: &str,
    place: &Place,
    choices: &BTreeMap<String, String>,
) -> Result<Proposal, ComposeError> {
    let form = form(form_id).ok_or_else(|| ComposeError::NoForm(form_id.to_owned()))?;
    fits(supply, form, place)?;
    let path = Path::new(supply);
    let behind: Vec<&Stage> = following(supply, place).collect();
    let choices = with_output(&path, form, place, choices);
    let ask = path.ask(place, form, &choices, &behind);
    let draft = form.draft(&ask);
    let mut names = Names::new(supply);
    let parts = draft.parts.iter().map(|sketch| ProposedPart {
        role: sketch.role,
        kind: sketch.kind,
        id: names.part(sketch.kind),
        parameters: sketch.parameters.clone(),
        by_hand: Vec::new(),
    });
    let parts = parts.collect();
    let Draft { choices, steps, promises, warnings, .. } = draft;
    Ok(Proposal { form: form.id, title: form.title.to_owned(), choices, steps, promises, warnings, parts })
}

/// Sizes a stage of a supply again; nothing is changed.
///
/// # Errors
/// [`ComposeError`] if there is no such stage, or if it has no form.
pub fn size(supply: &Supply, stage: &str, choices: &BTreeMap<String, String>) -> Result<Proposal, ComposeError> {
    let stage = supply.stage(stage).ok_or_else(|| ComposeError::NoStage(stage.to_owned()))?;
    let form = formed(stage)?;
    let ask = Path::new(supply).ask_of(stage, form, choices);
    let draft = form.draft(&ask);
    let own = |role: &str| supply.parts.iter().find(|p| is_role(p, stage, role));
    let parts = draft.parts.iter().filter_map(|sketch| {
        let part = own(sketch.role)?;
        let by_hand = sketch.parameters.keys().filter(|name| by_hand(stage, part, sketch.role, name));
        Some(ProposedPart {
            role: sketch.role,
            kind: sketch.kind,
            id: part.id.clone(),
            parameters: sketch.parameters.clone(),
            by_hand: by_hand.map(|name| (*name).to_owned()).collect(),
        })
    });
    let parts = parts.collect();
    let promises = settled_promises(supply, stage, &draft);
    let Draft { choices, steps, warnings, .. } = draft;
    Ok(Proposal { form: form.id, title: stage.title.clone(), choices, steps, promises, warnings, parts })
}

/// What the composed stages of a supply promise of a run at full load, the line being where it is said; bypassed
/// ones promise nothing.
pub fn promised(supply: &Supply, line: Line) -> Vec<(&Stage, Vec<Promise>)> {
    let path = Path::at(supply, line);
    let mut found = Vec::new();
    for stage in supply.stages.iter().filter(|s| !s.bypassed) {
        if let Ok(form) = formed(stage) {
            let ask = path.ask_of(stage, form, &stage.choices);
            found.push((stage, settled_promises(supply, stage, &form.draft(&ask))));
        }
    }
    found
}

/// What a stage's draft promises, of the parts and nets the supply has.
fn settled_promises(supply: &Supply, stage: &Stage, draft: &Draft<'_>) -> Vec<Promise> {
    let nets = role_names(&draft.joints, stage);
    let settled = |p: &Promise| Promise { signal: named(&p.signal, supply, stage, &nets), ..p.clone() };
    draft.promises.iter().map(settled).collect()
}

/// Names of a stage's joint nets, by what promises call them.
fn role_names(
    joints: &[(JointKind, Vec<Net>, crate::delivered::Delivered)],
    stage: &Stage,
) -> BTreeMap<String, String> {
    let mut names = BTreeMap::new();
    for (k, (kind, nets, _)) in joints.iter().enumerate() {
        let Some(joint) = stage.joints.get(k) else { continue };
        for (net, name) in nets.iter().zip(joint.nets()) {
            if let Net::Own(role) = net {
                names.insert((*role).to_owned(), name.to_owned());
            }
        }
        if k == 0 && matches!(kind, JointKind::Dc | JointKind::Split) {
            names.insert("plus".to_owned(), joint.nets()[0].to_owned());
        }
    }
    names
}

/// A signal with the roles in braces replaced by the names they have.
fn named(signal: &str, supply: &Supply, stage: &Stage, nets: &BTreeMap<String, String>) -> String {
    let mut text = String::new();
    let mut rest = signal;
    while let Some((before, after)) = rest.split_once('{') {
        text += before;
        let (role, after) = after.split_once('}').unwrap_or((after, ""));
        let part = supply.parts.iter().find(|p| is_role(p, stage, role)).map(|p| p.id.as_str());
        text += part.or(nets.get(role).map(String::as_str)).unwrap_or(role);
        rest = after;
    }
    text + rest
}

/// Choices with the output filled in that a new stage serves.
pub(crate) fn with_output(
    path: &Path<'_>,
    form: &Form,
    place: &Place,
    choices: &BTreeMap<String, String>,
) -> BTreeMap<String, String> {
    let mut choices = choices.clone();
    if matches!(form.kind, StageKind::Regulator | StageKind::Load) {
        let negative = (form.takes == Some(JointKind::Split)).then_some(NEGATIVE);
        for rail in [Some(OUTPUT), negative].into_iter().flatten() {
            if let Some(output) = path.output_for(form, place.after.as_deref(), rail) {
                choices.entry(rail.to_owned()).or_insert_with(|| output.id.clone());
            }
        }
    }
    choices
}

/// The joint at a place, which must be what the form takes.
pub(crate) fn fits<'s>(supply: &'s Supply, form: &Form, place: &Place) -> Result<Option<&'s Joint>, ComposeError> {
    let Some(takes) = form.takes else {
        return if place.after.is_none() { Ok(None) } else { Err(ComposeError::SourceBehind(form.title)) };
    };
    let after = place.after.as_deref().ok_or(ComposeError::NeedsBefore(form.title, takes.name()))?;
    let stage = supply.stage(after).ok_or_else(|| ComposeError::NoStage(after.to_owned()))?;
    let joint = stage.joints.get(place.joint as usize);
    let joint = joint.ok_or_else(|| ComposeError::NoJoint(stage.title.clone()))?;
    if joint.kind() == takes {
        Ok(Some(joint))
    } else {
        Err(ComposeError::Unfit { form: form.title, takes: takes.name(), gives: joint.kind().name() })
    }
}
