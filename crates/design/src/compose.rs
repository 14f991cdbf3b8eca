//! Changes of the power path. Each takes a supply and returns another; nothing else is touched.

use crate::demands::{tie, untie};
use crate::draft::{Draft, Net, Sketch};
use crate::forms::form;
use crate::layout::{self, Origin};
use crate::path::{Path, Place};
use crate::proposal::{Names, by_hand, fits, following, formed, is_role, with_output};
use circuit::{GND, Joint, OutputDemand, Part, Signal, SourceDemand, Stage, Supply};
use schemars::JsonSchema;
use serde::{Deserialize, Serialize};
use std::collections::BTreeMap;

/// Choices by identifier, as typed.
type Choices = BTreeMap<String, String>;

/// A change of the power path.
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
    /// Puts every part back where its form draws it.
    Tidy,
}

/// Why a change cannot be made.
#[derive(Clone, Debug, PartialEq, Eq, thiserror::Error)]
#[allow(missing_docs)]
pub enum ComposeError {
    #[error("there is no form named {0} in the stage catalogue")]
    NoForm(String),
    #[error("the supply has no stage {0}")]
    NoStage(String),
    #[error("{0} was drawn by hand, so there is nothing to size it by; choose a form for it from the catalogue")]
    DrawnByHand(String),
    #[error("nothing can be joined behind {0}; add to a stage that passes power on")]
    NoJoint(String),
    #[error("{0} is a source; add it at the beginning of the path")]
    SourceBehind(&'static str),
    #[error("{0} takes {1}; choose the stage it comes after")]
    NeedsBefore(&'static str, &'static str),
    #[error(
        "{form} takes {takes}, but {gives} is there; choose another form, or put what makes the difference between"
    )]
    Unfit { form: &'static str, takes: &'static str, gives: &'static str },
    #[error("{0} has no stage before it to change places with")]
    First(String),
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
            add(&mut supply, form, place, *between, choices)?;
        }
        Edit::Size { stage, choices, everything } => {
            let before = supply.clone();
            resize(&mut supply, &Path::new(&before), stage, choices, *everything)?;
        }
        Edit::SizeAll => {
            // What flows follows from forms and choices, which sizing does not change.
            let before = supply.clone();
            let path = Path::new(&before);
            for stage in before.stages.iter().filter(|s| s.form.is_some()) {
                resize(&mut supply, &path, &stage.id, &stage.choices, false)?;
            }
        }
        Edit::Replace { stage, form } => replace(&mut supply, stage, form)?,
        Edit::Remove { stage } => remove(&mut supply, stage)?,
        Edit::MoveEarlier { stage } => earlier(&mut supply, stage)?,
        Edit::Duplicate { stage } => {
            let original = find(&supply, stage)?.clone();
            let form = formed(&original)?;
            let place = Place { after: original.after, joint: original.from_joint };
            add(&mut supply, form.id, &place, false, &original.choices)?;
        }
        Edit::Rename { stage, title } => {
            let index = index(&supply, stage)?;
            supply.stages[index].title.clone_from(title);
        }
        Edit::Tidy => layout::tidy(&mut supply),
    }
    tie(&mut supply);
    Ok(supply)
}

fn index(supply: &Supply, stage: &str) -> Result<usize, ComposeError> {
    supply.stages.iter().position(|s| s.id == stage).ok_or_else(|| ComposeError::NoStage(stage.to_owned()))
}

fn find<'s>(supply: &'s Supply, stage: &str) -> Result<&'s Stage, ComposeError> {
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

fn add(
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
    let draft = Draft::of(form, &ask);

    let id = free_id(supply, form.id);
    let title = free_title(supply, form.title);
    let origin = layout::beside(&path, place, between);
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
        sized: sized(&draft),
    };
    let parts = parts(&draft, &id, inlet.as_ref(), &nets, origin, &mut names, &BTreeMap::new());
    let (stage_at, part_at) = insertion(supply, place);
    supply.stages.insert(stage_at, stage);
    supply.parts.splice(part_at..part_at, parts);
    for next in moved {
        attach(supply, &next.id, &id, 0, inlet.as_ref());
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

/// What sizing proposes, by role and parameter.
fn sized(draft: &Draft<'_>) -> BTreeMap<String, String> {
    let each = draft.parts.iter().flat_map(|part| {
        part.parameters.iter().map(|(parameter, text)| (format!("{}.{parameter}", part.role), text.clone()))
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
        part
    });
    made.collect()
}

/// Renames a net in some stages, or everywhere: pins, joints, outputs, and with everything the signals.
fn rename(supply: &mut Supply, stages: Option<&[String]>, from: &str, to: &str) {
    if from == to {
        return;
    }
    let ours = |stage: Option<&String>| stages.is_none_or(|list| stage.is_some_and(|s| list.contains(s)));
    for part in supply.parts.iter_mut().filter(|p| ours(p.stage.as_ref())) {
        part.pins.values_mut().filter(|net| *net == from).for_each(|net| to.clone_into(net));
    }
    for stage in supply.stages.iter_mut().filter(|s| ours(Some(&s.id))) {
        if stage.output.as_deref() == Some(from) {
            stage.output = Some(to.to_owned());
        }
        for joint in &mut stage.joints {
            let nets = joint.nets().into_iter().map(|n| if n == from { to } else { n }.to_owned()).collect();
            if let Some(renamed) = Joint::of(joint.kind(), nets) {
                *joint = renamed;
            }
        }
    }
    // A signal follows its net once no pin bears the old name.
    if !supply.parts.iter().any(|p| p.pins.values().any(|net| net == from)) {
        let renamed = |text: &mut String| {
            if let Ok(mut signal) = Signal::parse(text) {
                signal.terms.iter_mut().filter(|t| t.of == from).for_each(|t| to.clone_into(&mut t.of));
                *text = signal.to_string();
            }
        };
        supply.readings.iter_mut().for_each(|r| renamed(&mut r.signal));
        supply.studies.iter_mut().flat_map(|s| s.strips.iter_mut().flatten()).for_each(renamed);
    }
}

/// Joins a stage, and all behind it, to another's joint; its pins follow from the joint it had.
fn attach(supply: &mut Supply, stage: &str, after: &str, joint: u32, had: Option<&Joint>) {
    let Ok(at) = index(supply, stage) else { return };
    supply.stages[at].after = Some(after.to_owned());
    supply.stages[at].from_joint = joint;
    let new = supply.stage(after).and_then(|s| s.joints.get(joint as usize)).cloned();
    if let (Some(had), Some(new)) = (had, new)
        && had.kind() == new.kind()
    {
        let ours = subtree(supply, stage);
        for (from, to) in had.nets().into_iter().zip(new.nets()) {
            rename(supply, Some(&ours), from, to);
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
fn settle_ground(supply: &mut Supply, place: &Place, inlet: Option<Joint>, grounded: &[usize]) -> Option<Joint> {
    let inlet = inlet?;
    let after = place.after.clone()?;
    let floating = matches!(inlet.kind(), circuit::JointKind::Ac | circuit::JointKind::Tapped);
    for (k, net) in inlet.nets().into_iter().enumerate() {
        if grounded.contains(&k) {
            rename(supply, None, net, GND);
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
    let draft = Draft::of(form, &ask);
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

fn resize(
    supply: &mut Supply,
    path: &Path<'_>,
    stage: &str,
    choices: &Choices,
    everything: bool,
) -> Result<(), ComposeError> {
    let at = index(supply, stage)?;
    let form = formed(&supply.stages[at])?;
    let ask = path.ask_of(&supply.stages[at], form, choices);
    let draft = Draft::of(form, &ask);
    let stage = supply.stages[at].clone();
    for sketch in &draft.parts {
        let Some(part) = supply.parts.iter_mut().find(|p| is_role(p, &stage, sketch.role)) else { continue };
        for (parameter, text) in &sketch.parameters {
            if everything || !by_hand(&stage, part, sketch.role, parameter) {
                part.parameters.insert((*parameter).to_owned(), text.clone());
            }
        }
    }
    supply.stages[at].sized = sized(&draft);
    supply.stages[at].choices = ask.choices.clone();
    Ok(())
}

fn replace(supply: &mut Supply, stage: &str, form_id: &str) -> Result<(), ComposeError> {
    let at = index(supply, stage)?;
    let old = supply.stages[at].clone();
    let form = form(form_id).ok_or_else(|| ComposeError::NoForm(form_id.to_owned()))?;
    let place = Place { after: old.after.clone(), joint: old.from_joint };
    let inlet = fits(supply, form, &place)?.cloned();
    let path = Path::new(supply);
    let ask = path.ask_of(&old, form, &old.choices);
    let draft = Draft::of(form, &ask);
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

fn remove(supply: &mut Supply, stage: &str) -> Result<(), ComposeError> {
    let at = index(supply, stage)?;
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
    prune(supply);
    Ok(())
}

/// Drops readings of what is no longer there, and the requirements and strips that stood on them.
fn prune(supply: &mut Supply) {
    let parts: Vec<String> = supply.parts.iter().map(|p| p.id.clone()).collect();
    let nets = Names::new(supply);
    let there = |text: &str| {
        Signal::parse(text).is_ok_and(|s| s.terms.iter().all(|t| parts.contains(&t.of) || nets.has_net(&t.of)))
    };
    supply.readings.retain(|r| there(&r.signal));
    let readings: Vec<String> = supply.readings.iter().map(|r| r.id.clone()).collect();
    supply.requirements.retain(|r| readings.contains(&r.reading));
    for study in &mut supply.studies {
        study.strips.iter_mut().for_each(|strip| strip.retain(|s| there(s)));
        study.strips.retain(|strip| !strip.is_empty());
    }
}

fn earlier(supply: &mut Supply, stage: &str) -> Result<(), ComposeError> {
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
    layout::tidy(supply);
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
