//! A supply as it is run: without bypassed stages, and cut where a study cuts it.

use crate::expression::names_in;
use crate::signal::{renamed_in, signals_in};
use crate::stepping::stepped;
use crate::{
    Derating, GND, Joint, KindId, Part, Reading, Shows, Signal, Stage, StageKind, Strip, Study, StudySettings, Supply,
};
use std::collections::{BTreeMap, BTreeSet};

/// Identifier of the stage that stands in for what a cut leaves out.
pub const STAND_IN: &str = "stand_in";

/// The supply as a study runs it. Parts of bypassed stages are gone and the nets behind them are those
/// before them; if the study cuts the power path, so is everything behind the cut, with a resistor across
/// the rails there. What is read of parts and nets that are gone is gone too.
///
/// What the study makes step becomes a part that does. A study that does not exist cuts nothing. Done twice it changes nothing more.
pub fn as_run(supply: &Supply, study: Option<&str>) -> Supply {
    let study_of = study.and_then(|id| supply.studies.iter().find(|s| s.id == id));
    let cut = study_of.and_then(|s: &Study| s.cut.clone());
    let step = study_of.and_then(Study::step);
    if cut.is_none() && step.is_none() && !supply.stages.iter().any(|s| s.bypassed) {
        return supply.clone();
    }
    let mut reduced = supply.clone();
    // What cannot step stays as it is, and the study says so.
    if let Some(Ok(stepping)) = step.map(|step| stepped(supply, step)) {
        reduced.parts.iter_mut().filter(|part| part.id == stepping.id).for_each(|part| *part = stepping.clone());
    }
    for at in 0..reduced.stages.len() {
        if reduced.stages[at].bypassed {
            bypass(&mut reduced, at);
        }
    }
    if let Some(cut) = cut.filter(|cut| supply.stage(&cut.after).is_some()) {
        cut_behind(&mut reduced, &cut.after, &cut.load);
        reduced.studies.iter_mut().filter(|s| Some(s.id.as_str()) == study).for_each(|s| s.cut = None);
    }
    reduced.forget_gone(supply);
    reduced.forget_outputs();
    reduced
}

/// What of a supply decides how a study runs: two supplies of which this is the same give the same traces. Names and
/// notes for people, places in the drawing, ratings, other studies, what is read and what is required, and how stages
/// came to be what they are do not matter.
pub fn decisive(supply: &Supply, study: &str) -> Supply {
    let mut left = Supply { texts: Vec::new(), outputs: Vec::new(), source: None, ..as_run(supply, Some(study)) };
    left.derating = Derating::default();
    left.title.clear();
    left.notes.clear();
    left.values.iter_mut().for_each(|value| value.note.clear());
    for stage in &mut left.stages {
        stage.title.clear();
        stage.form = None;
        stage.choices.clear();
        stage.sized.clear();
    }
    for part in &mut left.parts {
        part.at = None;
        part.role = None;
        part.generic = None;
        part.ratings.clear();
    }
    left.studies.retain(|s| s.id == study);
    for study in &mut left.studies {
        study.title.clear();
        study.strips.clear();
        if let Some(course) = study.course_mut() {
            course.suggested = false;
        }
    }
    // Whatever is read of a run can be read of it later too.
    left.readings.clear();
    left.requirements.clear();
    left
}

impl Supply {
    /// The joint that feeds a stage.
    pub fn inlet(&self, stage: &Stage) -> Option<&Joint> {
        self.stage(stage.after.as_deref()?)?.joints.get(stage.from_joint as usize)
    }

    /// Whether a stage can be bypassed: nothing is joined behind it, or what it gives is of the kind it takes.
    pub fn can_bypass(&self, stage: &Stage) -> bool {
        let used = |joint: usize| {
            self.stages.iter().any(|s| s.after.as_ref() == Some(&stage.id) && s.from_joint as usize == joint)
        };
        stage.after.is_some()
            && stage
                .joints
                .iter()
                .enumerate()
                .all(|(k, joint)| !used(k) || self.inlet(stage).is_some_and(|inlet| inlet.kind() == joint.kind()))
    }
}

fn bypass(supply: &mut Supply, at: usize) {
    let stage = supply.stages[at].clone();
    supply.parts.retain(|p| p.stage.as_ref() != Some(&stage.id));
    let inlet = supply.inlet(&stage).cloned();
    for joint in &stage.joints {
        let Some(inlet) = inlet.as_ref().filter(|inlet| inlet.kind() == joint.kind()) else { continue };
        for (own, before) in joint.nets().into_iter().zip(inlet.nets()) {
            // The reference stays what it is.
            let (gone, kept) = if own == GND { (before, own) } else { (own, before) };
            supply.rename_net(gone, kept);
        }
    }
    if stage.joints.is_empty() {
        supply.stages[at].output = None;
    }
}

impl Supply {
    /// Gives a net another name everywhere: in pins, joints, outputs and signals.
    pub fn rename_net(&mut self, from: &str, to: &str) {
        for part in &mut self.parts {
            part.pins.values_mut().filter(|net| *net == from).for_each(|net| to.clone_into(net));
        }
        for stage in &mut self.stages {
            if stage.output.as_deref() == Some(from) {
                stage.output = Some(to.to_owned());
            }
            stage.joints.iter_mut().for_each(|joint| joint.rename(from, to));
        }
        self.rename_in_signals(from, to);
    }

    /// Lets every signal of a net follow its new name.
    pub fn rename_in_signals(&mut self, from: &str, to: &str) {
        let renamed = |text: &mut String| match Signal::parse(text) {
            Ok(mut signal) => {
                signal.terms.iter_mut().filter(|t| t.of == from).for_each(|t| to.clone_into(&mut t.of));
                *text = signal.to_string();
            }
            Err(_) => *text = renamed_in(text, from, to),
        };
        for reading in &mut self.readings {
            renamed(&mut reading.signal);
            reading.current.iter_mut().for_each(renamed);
            reading.window.signals_mut().for_each(renamed);
        }
        for study in &mut self.studies {
            let strips = study.strips.iter_mut().filter(|strip| !matches!(strip.shows, Shows::Curve(_)));
            strips.flat_map(Strip::texts_mut).for_each(renamed);
            let StudySettings::Frequency(asked) = &mut study.settings else { continue };
            for question in &mut asked.questions {
                question.asks.signals_mut().for_each(renamed);
                question.asks.nets_mut().filter(|net| *net == from).for_each(|net| to.clone_into(net));
            }
        }
    }
}

fn cut_behind(supply: &mut Supply, after: &str, load: &str) {
    let mut gone: BTreeSet<String> = BTreeSet::new();
    // Stages stand behind those that feed them, so one pass finds all that hang on the cut.
    for stage in &supply.stages {
        if stage.after.as_ref().is_some_and(|a| a == after || gone.contains(a)) {
            gone.insert(stage.id.clone());
        }
    }
    let shared =
        |parts: &[Part], net: &String| parts.iter().flat_map(|p| p.pins.values()).filter(|n| *n == net).count() > 1;
    let whole = supply.parts.clone();
    supply.stages.retain(|s| !gone.contains(&s.id));
    supply.parts.retain(|p| p.stage.as_ref().is_none_or(|s| !gone.contains(s)));
    // A free part that hung on what is gone would be left dangling, and so would what hangs on it.
    loop {
        let left = supply.parts.clone();
        let stranded = |p: &Part| p.stage.is_none() && p.pins.values().any(|n| shared(&whole, n) && !shared(&left, n));
        supply.parts.retain(|p| !stranded(p));
        if supply.parts.len() == left.len() {
            break;
        }
    }
    let joints = supply.stage(after).map(|s| s.joints.clone()).unwrap_or_default();
    let mut number = 1;
    for (k, joint) in joints.iter().enumerate() {
        let id = if k == 0 { STAND_IN.to_owned() } else { format!("{STAND_IN}_{}", k + 1) };
        supply.stages.push(Stage {
            id: id.clone(),
            kind: StageKind::Load,
            title: "Stand-in load".to_owned(),
            after: Some(after.to_owned()),
            from_joint: k as u32,
            output: None,
            form: None,
            joints: Vec::new(),
            choices: BTreeMap::new(),
            bypassed: false,
            sized: BTreeMap::new(),
        });
        for (plus, minus) in rails(joint) {
            while supply.part(&format!("R{number}")).is_some() {
                number += 1;
            }
            let pins = [("a", plus), ("b", minus)].map(|(pin, net)| (pin.to_owned(), net.to_owned()));
            let mut part = Part::new(format!("R{number}"), KindId::Resistor, pins.into());
            part.parameters.insert("resistance".to_owned(), load.to_owned());
            part.stage = Some(id.clone());
            supply.parts.push(part);
        }
    }
}

/// Pairs of nets of a joint between which a load can hang.
fn rails(joint: &Joint) -> Vec<(&str, &str)> {
    let nets = joint.nets();
    match joint {
        Joint::Ac { .. } | Joint::Dc { .. } => vec![(nets[0], nets[1])],
        Joint::Tapped { .. } => vec![(nets[0], nets[1]), (nets[1], nets[2])],
        Joint::ThreePhase { .. } => nets[..3].iter().map(|phase| (*phase, nets[3])).collect(),
        Joint::Split { .. } => vec![(nets[0], nets[1]), (nets[1], nets[2])],
    }
}

impl Supply {
    /// Drops readings of what was there before and is gone, what was decided by them, and traces of it. A
    /// signal that never meant anything is left for the checks to name.
    pub fn forget_gone(&mut self, before: &Supply) {
        let names = |supply: &Supply| -> BTreeSet<String> {
            let nets = supply.parts.iter().flat_map(|p| p.pins.values().cloned());
            supply.parts.iter().map(|p| p.id.clone()).chain(nets).collect()
        };
        let (was, is) = (names(before), names(self));
        let gone = |text: &str| {
            let lost = |of: &String| was.contains(of) && !is.contains(of);
            signals_in(text).any(|s| s.terms.iter().any(|t| lost(&t.of)))
        };
        let staged = |id: &String| before.stage(id).is_some() && self.stage(id).is_none();
        let lost = |r: &Reading| r.signals().any(gone) || r.stage.as_ref().is_some_and(staged);
        let mut dropped: BTreeSet<String> = self.readings.iter().filter(|r| lost(r)).map(|r| r.id.clone()).collect();
        // What is worked out from a reading goes with it; a formula uses readings that stand before it.
        for reading in &self.readings {
            let uses = |id: &String| reading.formula.as_ref().is_some_and(|text| names_in(text).any(|n| n == id));
            if dropped.iter().any(uses) {
                dropped.insert(reading.id.clone());
            }
        }
        self.readings.retain(|r| !dropped.contains(&r.id));
        self.requirements.retain(|r| !dropped.contains(&r.reading));
        for study in &mut self.studies {
            let courses = study.strips.iter_mut().filter(|strip| !matches!(strip.shows, Shows::Curve(_)));
            courses.for_each(|strip| strip.forget(gone));
            study.strips.retain(|strip| !strip.traces.is_empty());
        }
    }

    /// Leaves a stage without an output whose net is gone.
    fn forget_outputs(&mut self) {
        let nets: BTreeSet<&String> = self.parts.iter().flat_map(|p| p.pins.values()).collect();
        for stage in &mut self.stages {
            stage.output = stage.output.take().filter(|net| nets.contains(net));
        }
    }
}
