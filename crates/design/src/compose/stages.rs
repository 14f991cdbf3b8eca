//! Stages added, sized, replaced, removed and moved, with the parts they are made of.

use super::nets::{attach, settle_ground};
use crate::draft::{Draft, Net, Sketch};
use crate::error::ComposeError;
use crate::forms::form;
use crate::layout::{self, Origin};
use crate::names::Names;
use crate::path::Path;
use crate::proposal::{fits, with_output};
use crate::stages::Place;
use crate::stages::{Choices, find, index, subtree};
use crate::stages::{by_hand, following, formed, is_role};
use circuit::{Cut, GND, Joint, Part, Stage, Supply};
use std::collections::BTreeMap;

pub(super) fn add(
    supply: &mut Supply,
    form_id: &str,
    place: &Place,
    between: bool,
    choices: &Choices,
) -> Result<String, ComposeError> {
    let form = form(form_id).ok_or_else(|| ComposeError::NoForm(form_id.to_owned()))?;
    let inlet = fits(supply, form, place)?.cloned();
    let moved: Vec<Stage> = if between { following(supply, place).cloned().collect() } else { Vec::new() };
    let path = Path::new(supply);
    let choices = with_output(&path, form, place, choices);
    let ask = path.ask(place, form, &choices, &following(supply, place).collect::<Vec<_>>());
    let draft = form.draft(&ask);

    let id = free_id(supply, form.id);
    let title = free_title(supply, form.title);
    let origin = layout::beside(&path, place, between, draft.width);
    if between {
        layout::make_room(supply, &moved, draft.width);
    }
    let inlet = settle_ground(supply, place, inlet, &draft.grounded);
    let mut names = Names::new(supply);
    let nets = net_names(&draft, &BTreeMap::new(), &mut names);
    let joints = joints(&draft, inlet.as_ref(), &nets);
    let stage = Stage {
        id: id.clone(),
        kind: form.kind,
        title,
        after: place.after.clone(),
        from_joint: place.joint,
        output: joints.first().map(|j| j.nets()[0].to_owned()),
        form: Some(form.id.to_owned()),
        joints,
        choices: ask.choices.clone(),
        bypassed: false,
        sized: sized(&draft),
    };
    let parts = parts(&draft, &id, inlet.as_ref(), &nets, origin, &mut names, &BTreeMap::new());
    let (stage_at, part_at) = insertion(supply, place);
    supply.stages.insert(stage_at, stage);
    supply.parts.splice(part_at..part_at, parts);
    for next in moved {
        attach(supply, &next.id, &id, 0, inlet.as_ref());
    }
    if between {
        layout::fold(supply);
    }
    Ok(id)
}

/// Where a new stage and its parts go in the lists: behind the stage before it and what hangs there.
fn insertion(supply: &Supply, place: &Place) -> (usize, usize) {
    let Some(after) = place.after.as_deref() else { return (0, 0) };
    let stage = supply.stages.iter().position(|s| s.id == after).map_or(supply.stages.len(), |i| i + 1);
    let before = subtree(supply, after);
    let part = supply.parts.iter().rposition(|p| p.stage.as_ref().is_some_and(|s| before[..1].contains(s)));
    (stage, part.map_or(supply.parts.len(), |i| i + 1))
}

fn free_id(supply: &Supply, wish: &str) -> String {
    let mut ids = std::iter::once(wish.to_owned()).chain((2..).map(|n| format!("{wish}_{n}")));
    ids.find(|id| supply.stage(id).is_none()).unwrap_or_default()
}

fn free_title(supply: &Supply, wish: &str) -> String {
    let mut titles = std::iter::once(wish.to_owned()).chain((2..).map(|n| format!("{wish} {n}")));
    titles.find(|t| !supply.stages.iter().any(|s| s.title == *t)).unwrap_or_default()
}

/// Names of a draft's own nets; those in `known` are kept.
fn net_names(
    draft: &Draft<'_>,
    known: &BTreeMap<&'static str, String>,
    names: &mut Names,
) -> BTreeMap<&'static str, String> {
    let mut nets = known.clone();
    for net in draft.parts.iter().flat_map(|p| &p.nets).chain(draft.joints.iter().flat_map(|j| &j.1)) {
        if let Net::Own(wish) = net {
            nets.entry(wish).or_insert_with(|| names.net(wish));
        }
    }
    nets
}

fn name(net: &Net, inlet: Option<&Joint>, own: &BTreeMap<&'static str, String>) -> String {
    match net {
        Net::Gnd => GND.to_owned(),
        Net::Inlet(k) => inlet.and_then(|j| j.nets().get(*k).map(|n| (*n).to_owned())).unwrap_or_default(),
        Net::Own(wish) => own.get(wish).cloned().unwrap_or_default(),
    }
}

fn joints(draft: &Draft<'_>, inlet: Option<&Joint>, own: &BTreeMap<&'static str, String>) -> Vec<Joint> {
    let made = draft
        .joints
        .iter()
        .filter_map(|(kind, nets, _)| Joint::of(*kind, nets.iter().map(|net| name(net, inlet, own)).collect()));
    made.collect()
}

/// What sizing proposes, by role and parameter, ratings as `role.rated_…`.
fn sized(draft: &Draft<'_>) -> BTreeMap<String, String> {
    let each = draft.parts.iter().flat_map(|part| {
        let parameters =
            part.parameters.iter().map(|(parameter, text)| (format!("{}.{parameter}", part.role), text.clone()));
        let ratings = part.ratings.iter().map(|(rating, text)| (format!("{}.rated_{rating}", part.role), text.clone()));
        parameters.chain(ratings)
    });
    each.collect()
}

fn parts(
    draft: &Draft<'_>,
    stage: &str,
    inlet: Option<&Joint>,
    own: &BTreeMap<&'static str, String>,
    origin: Origin,
    names: &mut Names,
    kept: &BTreeMap<&'static str, String>,
) -> Vec<Part> {
    let made = draft.parts.iter().map(|sketch| {
        let ids = sketch.kind.kind().pins.iter().map(|p| p.id.to_owned());
        let pins = ids.zip(sketch.nets.iter().map(|net| name(net, inlet, own))).collect();
        let id = kept.get(sketch.role).cloned().unwrap_or_else(|| names.part(sketch.kind));
        let mut part = Part::new(id, sketch.kind, pins);
        part.stage = Some(stage.to_owned());
        part.role = Some(sketch.role.to_owned());
        part.at = Some(origin.place(sketch.at));
        part.parameters = sketch.parameters.iter().map(|(k, v)| ((*k).to_owned(), v.clone())).collect();
        part.ratings = sketch.ratings.iter().map(|(k, v)| ((*k).to_owned(), v.clone())).collect();
        part
    });
    made.collect()
}

pub(super) fn resize(
    supply: &mut Supply,
    path: &Path<'_>,
    stage: &str,
    choices: &Choices,
    everything: bool,
) -> Result<(), ComposeError> {
    let at = index(supply, stage)?;
    let form = formed(&supply.stages[at])?;
    let mut ask = path.ask_of(&supply.stages[at], form, choices);
    if everything {
        ask.by_hand.clear();
    }
    let draft = form.draft(&ask);
    let stage = supply.stages[at].clone();
    for sketch in &draft.parts {
        let Some(part) = supply.parts.iter_mut().find(|p| is_role(p, &stage, sketch.role)) else { continue };
        let replaced = part.kind != sketch.kind;
        if replaced {
            // A choice took another kind with the same pins; nothing of the old values means anything in it.
            (part.kind, part.generic) = (sketch.kind, None);
            part.parameters.clear();
        }
        for (parameter, text) in &sketch.parameters {
            if everything || !by_hand(&stage, part, sketch.role, parameter) || replaced {
                part.parameters.insert((*parameter).to_owned(), text.clone());
            }
        }
        for (rating, text) in &sketch.ratings {
            let was = stage.sized.get(&format!("{}.rated_{rating}", sketch.role));
            // A catalogue part keeps what it is rated for, and so does one rated by hand.
            if everything || (part.generic.is_none() && part.ratings.get(*rating) == was) {
                part.ratings.insert((*rating).to_owned(), text.clone());
            }
        }
    }
    draw_new(supply, &stage, &draft, layout::origin(path, &stage));
    supply.stages[at].sized = sized(&draft);
    supply.stages[at].choices = ask.choices.clone();
    Ok(())
}

/// Adds the parts a form did not have yet when the stage was last sized. One that it had and that is gone was taken
/// out by hand.
fn draw_new(supply: &mut Supply, stage: &Stage, draft: &Draft<'_>, origin: Origin) {
    let had =
        |role: &str| stage.sized.keys().any(|key| key.strip_prefix(role).is_some_and(|rest| rest.starts_with('.')));
    let role = |role: &str| supply.parts.iter().find(|p| is_role(p, stage, role));
    let mut own: BTreeMap<&'static str, String> = BTreeMap::new();
    for (sketch, part) in draft.parts.iter().filter_map(|s| Some((s, role(s.role)?))) {
        for (net, pin) in sketch.nets.iter().zip(sketch.kind.kind().pins) {
            if let (Net::Own(wish), Some(name)) = (net, part.pins.get(pin.id)) {
                own.entry(wish).or_insert_with(|| name.clone());
            }
        }
    }
    // What sizing wrote nothing for leaves no trace of having been there.
    let new = |role: &str| draft.parts.iter().any(|s| s.role == role && !s.parameters.is_empty()) && !had(role);
    let missing = |part: &Part| {
        let joined = !stage.sized.is_empty() && part.pins.values().all(|net| !net.is_empty());
        joined && part.role.as_deref().is_some_and(|r| new(r) && role(r).is_none())
    };
    let inlet = supply.inlet(stage).cloned();
    let mut names = Names::new(supply);
    let kept = draft.parts.iter().filter_map(|s| Some((s.role, role(s.role)?.id.clone()))).collect();
    let drawn = parts(draft, &stage.id, inlet.as_ref(), &own, origin, &mut names, &kept);
    let fresh: Vec<Part> = drawn.into_iter().filter(missing).collect();
    let behind =
        supply.parts.iter().rposition(|p| p.stage.as_ref() == Some(&stage.id)).map_or(supply.parts.len(), |i| i + 1);
    supply.parts.splice(behind..behind, fresh);
}

pub(super) fn replace(supply: &mut Supply, stage: &str, form_id: &str) -> Result<(), ComposeError> {
    let at = index(supply, stage)?;
    let old = supply.stages[at].clone();
    let form = form(form_id).ok_or_else(|| ComposeError::NoForm(form_id.to_owned()))?;
    let place = Place { after: old.after.clone(), joint: old.from_joint };
    let inlet = fits(supply, form, &place)?.cloned();
    let path = Path::new(supply);
    let ask = path.ask_of(&old, form, &old.choices);
    let draft = form.draft(&ask);
    let origin = layout::origin(&path, &old);
    let inlet = settle_ground(supply, &place, inlet, &draft.grounded);
    // Parts that go on in the new form keep their designators; those of the others become free.
    let goes_on = |sketch: &Sketch| {
        let part = supply.parts.iter().find(|p| is_role(p, &old, sketch.role) && p.kind == sketch.kind);
        part.map(|p| (sketch.role, p.id.clone()))
    };
    let kept: BTreeMap<&'static str, String> = draft.parts.iter().filter_map(goes_on).collect();
    let mut others = supply.clone();
    others.parts.retain(|p| p.stage.as_deref() != Some(stage) || kept.values().any(|id| *id == p.id));
    let mut names = Names::new(&others);
    // The nets behind it keep their names, so that what follows stays joined.
    let mut known: BTreeMap<&'static str, String> = BTreeMap::new();
    for ((kind, nets, _), joint) in draft.joints.iter().zip(&old.joints) {
        if *kind == joint.kind() {
            for (net, name) in nets.iter().zip(joint.nets()).filter(|(_, name)| *name != GND) {
                if let Net::Own(wish) = net {
                    known.entry(wish).or_insert_with(|| name.to_owned());
                }
            }
        }
    }
    let nets = net_names(&draft, &known, &mut names);
    let mut made = parts(&draft, stage, inlet.as_ref(), &nets, origin, &mut names, &kept);
    for part in &mut made {
        let role = part.role.clone().unwrap_or_default();
        let kept = supply.parts.iter().find(|p| is_role(p, &old, &role) && p.kind == part.kind);
        if let Some(kept) = kept {
            for (parameter, text) in &kept.parameters {
                if by_hand(&old, kept, &role, parameter) {
                    part.parameters.insert(parameter.clone(), text.clone());
                }
            }
        }
    }
    let first = supply.parts.iter().position(|p| p.stage.as_deref() == Some(stage)).unwrap_or(supply.parts.len());
    supply.parts.retain(|p| p.stage.as_deref() != Some(stage));
    supply.parts.splice(first..first, made);
    let joined = joints(&draft, inlet.as_ref(), &nets);
    let behind: Vec<Stage> = supply.stages.iter().filter(|s| s.after.as_deref() == Some(stage)).cloned().collect();
    supply.stages[at] = Stage {
        kind: form.kind,
        title: if crate::form(old.form.as_deref().unwrap_or("")).is_some_and(|f| f.title == old.title) {
            form.title.to_owned()
        } else {
            old.title.clone()
        },
        output: joined.first().map(|j| j.nets()[0].to_owned()),
        form: Some(form.id.to_owned()),
        joints: joined,
        choices: ask.choices.clone(),
        sized: sized(&draft),
        ..old.clone()
    };
    for next in behind {
        let had = old.joints.get(next.from_joint as usize).cloned();
        attach(supply, &next.id, stage, next.from_joint, had.as_ref());
    }
    Ok(())
}

pub(super) fn remove(supply: &mut Supply, stage: &str) -> Result<(), ComposeError> {
    let at = index(supply, stage)?;
    let whole = supply.clone();
    let gone = supply.stages.remove(at);
    supply.parts.retain(|p| p.stage.as_deref() != Some(stage));
    let behind: Vec<Stage> = supply.stages.iter().filter(|s| s.after.as_deref() == Some(stage)).cloned().collect();
    for next in behind {
        let had = gone.joints.get(next.from_joint as usize).cloned();
        match &gone.after {
            Some(before) => attach(supply, &next.id, before, gone.from_joint, had.as_ref()),
            None => {
                if let Ok(at) = index(supply, &next.id) {
                    supply.stages[at].after = None;
                }
            }
        }
    }
    // What ran up to it runs up to the stage before it, or all of the path.
    for study in &mut supply.studies {
        if study.cut.as_ref().is_some_and(|cut| cut.after == stage) {
            study.cut = gone.after.clone().zip(study.cut.take()).map(|(after, cut)| Cut { after, ..cut });
        }
    }
    supply.forget_gone(&whole);
    Ok(())
}

pub(super) fn earlier(supply: &mut Supply, stage: &str) -> Result<(), ComposeError> {
    let moving = find(supply, stage)?.clone();
    let form = formed(&moving)?;
    let before = moving.after.as_deref().and_then(|id| supply.stage(id)).cloned();
    let before = before.ok_or_else(|| ComposeError::First(moving.title.clone()))?;
    let other = formed(&before)?;
    if before.after.is_none() {
        return Err(ComposeError::First(moving.title));
    }
    let place = Place { after: before.after.clone(), joint: before.from_joint };
    fits(supply, form, &place)?;
    if moving.joints.first().map(Joint::kind) != other.takes {
        return Err(ComposeError::Unfit {
            form: other.title,
            takes: other.takes.map_or("nothing", |t| t.name()),
            gives: moving.joints.first().map_or("nothing", |j| j.kind().name()),
        });
    }
    // Taken out and put in again before its predecessor, with its choices and its values by hand.
    let kept: Vec<Part> = supply.parts.iter().filter(|p| p.stage.as_deref() == Some(stage)).cloned().collect();
    remove(supply, stage)?;
    let new = add_between(supply, form.id, &place, &before.id, &moving.choices)?;
    let at = index(supply, &new)?;
    supply.stages[at].title.clone_from(&moving.title);
    for part in supply.parts.iter_mut().filter(|p| p.stage.as_deref() == Some(new.as_str())) {
        let role = part.role.clone().unwrap_or_default();
        let Some(was) = kept.iter().find(|k| k.role == part.role) else { continue };
        for (parameter, text) in was.parameters.iter().filter(|(name, _)| by_hand(&moving, was, &role, name)) {
            part.parameters.insert(parameter.clone(), text.clone());
        }
    }
    layout::line_up(supply, &|_| true);
    Ok(())
}

/// Adds a stage between a place and one stage that follows there; others stay where they are.
fn add_between(
    supply: &mut Supply,
    form: &str,
    place: &Place,
    next: &str,
    choices: &Choices,
) -> Result<String, ComposeError> {
    let had = place.after.as_deref().and_then(|id| supply.stage(id)?.joints.get(place.joint as usize).cloned());
    let id = add(supply, form, place, false, choices)?;
    attach(supply, next, &id, 0, had.as_ref());
    Ok(id)
}
