//! The nets of a supply: named anew, joined to another stage's, made the reference or loosened from it.

use crate::draft::Net;
use crate::names::Names;
use crate::path::Path;
use crate::stages::Place;
use crate::stages::{formed, is_role};
use crate::stages::{index, subtree};
use circuit::{GND, Joint, JointKind, Stage, Supply};

/// Renames a net in some stages: pins, joints, outputs; signals follow once no pin bears the old name.
fn rename_within(supply: &mut Supply, stages: &[String], from: &str, to: &str) {
    if from == to {
        return;
    }
    let ours = |stage: Option<&String>| stage.is_some_and(|s| stages.contains(s));
    for part in supply.parts.iter_mut().filter(|p| ours(p.stage.as_ref())) {
        part.pins.values_mut().filter(|net| *net == from).for_each(|net| to.clone_into(net));
    }
    for stage in supply.stages.iter_mut().filter(|s| stages.contains(&s.id)) {
        if stage.output.as_deref() == Some(from) {
            stage.output = Some(to.to_owned());
        }
        stage.joints.iter_mut().for_each(|joint| joint.rename(from, to));
    }
    if !supply.parts.iter().any(|p| p.pins.values().any(|net| net == from)) {
        supply.rename_in_signals(from, to);
    }
}

/// Joins a stage, and all behind it, to another's joint; its pins follow from the joint it had.
pub(super) fn attach(supply: &mut Supply, stage: &str, after: &str, joint: u32, had: Option<&Joint>) {
    let Ok(at) = index(supply, stage) else { return };
    supply.stages[at].after = Some(after.to_owned());
    supply.stages[at].from_joint = joint;
    let new = supply.stage(after).and_then(|s| s.joints.get(joint as usize)).cloned();
    if let (Some(had), Some(new)) = (had, new)
        && had.kind() == new.kind()
    {
        let ours = subtree(supply, stage);
        for (from, to) in had.nets().into_iter().zip(new.nets()) {
            rename_within(supply, &ours, from, to);
        }
    }
    sort(supply);
}

/// Keeps every stage behind the one it comes after.
fn sort(supply: &mut Supply) {
    let mut sorted: Vec<Stage> = Vec::with_capacity(supply.stages.len());
    let mut waiting = std::mem::take(&mut supply.stages);
    while !waiting.is_empty() {
        let ready = |s: &Stage, sorted: &[Stage]| s.after.as_ref().is_none_or(|a| sorted.iter().any(|o| o.id == *a));
        match waiting.iter().position(|s| ready(s, &sorted)) {
            Some(at) => sorted.push(waiting.remove(at)),
            None => sorted.append(&mut waiting),
        }
    }
    supply.stages = sorted;
}

/// Makes inlet nets the reference that a form wants there, and gives those a name again that it does not.
pub(super) fn settle_ground(
    supply: &mut Supply,
    place: &Place,
    inlet: Option<Joint>,
    grounded: &[usize],
) -> Option<Joint> {
    let inlet = inlet?;
    let after = place.after.clone()?;
    let floating = matches!(inlet.kind(), JointKind::Ac | JointKind::Tapped);
    for (k, net) in inlet.nets().into_iter().enumerate() {
        if grounded.contains(&k) {
            supply.rename_net(net, GND);
        } else if floating && net == GND {
            let fresh = Names::new(supply).net("ac");
            loosen(supply, &after, place.joint as usize, k, &fresh);
        }
    }
    supply.stage(&after)?.joints.get(place.joint as usize).cloned()
}

/// Gives one net of a joint another name in the stage that makes it and in those that pass it on.
fn loosen(supply: &mut Supply, stage: &str, joint: usize, net: usize, fresh: &str) {
    let Some(owner) = supply.stage(stage).cloned() else { return };
    let Ok(form) = formed(&owner) else { return };
    let ask = Path::new(supply).ask_of(&owner, form, &owner.choices);
    let draft = form.draft(&ask);
    let Some(made) = draft.joints.get(joint).and_then(|(_, nets, _)| nets.get(net)).cloned() else { return };
    for sketch in &draft.parts {
        let pins = sketch.kind.kind().pins.iter().zip(&sketch.nets).filter(|(_, n)| **n == made);
        for (pin, _) in pins {
            let part = supply.parts.iter_mut().find(|p| is_role(p, &owner, sketch.role));
            if let Some(name) = part.and_then(|p| p.pins.get_mut(pin.id)) {
                fresh.clone_into(name);
            }
        }
    }
    if let Ok(at) = index(supply, stage) {
        let nets = supply.stages[at].joints[joint].nets().into_iter().enumerate();
        let nets = nets.map(|(k, n)| if k == net { fresh } else { n }.to_owned()).collect();
        if let Some(joined) = Joint::of(supply.stages[at].joints[joint].kind(), nets) {
            supply.stages[at].joints[joint] = joined;
        }
    }
    if let (Net::Inlet(k), Some(before)) = (made, owner.after.as_deref()) {
        loosen(supply, before, owner.from_joint as usize, k, fresh);
    }
}
