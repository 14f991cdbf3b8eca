//! Ties what the supply must deliver to readings of a study, so that every run is judged.

use crate::defaults::studies_for;
use crate::draft::NEGATIVE;
use crate::draft::rounded;
use crate::stages::serves;
use circuit::{
    Course, Joint, Output, OutputDemand, Reading, ReadingMeasure, Requirement, Stage, StageKind, Strip, Study,
    StudyKind, StudySettings, Supply, Window, demands,
};
use quantity::entry;

/// Periods at the end of a run that readings look at.
const LAST_PERIODS: u32 = 5;

/// Brings studies, readings and requirements up to date with the outputs the stages serve. What was
/// written by hand under other names is left alone.
pub(crate) fn tie(supply: &mut Supply) {
    follow(supply);
    let served: Vec<(Output, String)> = demands(supply)
        .1
        .into_iter()
        .filter_map(|output| served_at(supply, &output.id).map(|net| (output, net)))
        .collect();
    if served.is_empty() {
        return;
    }
    let study = study(supply);
    let window = window(supply, &study);
    for (output, net) in served {
        let signal = format!("{net}.v");
        let limits = |deviation: f64| {
            let (a, b) = (output.voltage * (1.0 - deviation), output.voltage * (1.0 + deviation));
            (entry(rounded(a.min(b))), entry(rounded(a.max(b))))
        };
        let (low, high) = limits(output.accuracy);
        let [mean, ripple] = judged_by(&output.id);
        let rows = [
            (ReadingMeasure::Mean, mean, format!("{}, mean", output.title), (Some(low), Some(high))),
            (
                ReadingMeasure::PeakToPeak,
                ripple,
                format!("{}, ripple", output.title),
                (None, Some(entry(rounded(output.ripple)))),
            ),
        ];
        for (measure, id, title, (at_least, at_most)) in rows {
            let reading = Reading::new([&id, &title, &study, &signal], measure, window.clone());
            put(&mut supply.readings, reading, |r| r.id == id);
            put(
                &mut supply.requirements,
                Requirement { id: id.clone(), title, reading: id.clone(), at_least, at_most },
                |r| r.id == id,
            );
        }
        show(supply, &study, &signal);
    }
}

/// Identifiers of what an output is judged by: the reading's and the requirement's alike.
fn judged_by(output: &str) -> [String; 2] {
    [format!("{output}_mean"), format!("{output}_ripple")]
}

/// Takes away what judged outputs that are no longer stated.
pub(crate) fn untie(supply: &mut Supply, before: &[OutputDemand]) {
    for gone in before.iter().filter(|o| !supply.outputs.iter().any(|other| other.id == o.id)) {
        let ids = judged_by(&gone.id);
        supply.requirements.retain(|r| !ids.contains(&r.id));
        supply.readings.retain(|r| !ids.contains(&r.id));
    }
}

fn put<T>(list: &mut Vec<T>, item: T, same: impl Fn(&T) -> bool) {
    match list.iter_mut().find(|i| same(i)) {
        Some(old) => *old = item,
        None => list.push(item),
    }
}

/// The net at which an output is taken: before its load, else behind its regulator.
fn served_at(supply: &Supply, output: &str) -> Option<String> {
    let serving = |kind: StageKind| supply.stages.iter().find(|s| s.kind == kind && serves(s, output));
    // Of two rails the negative one is the last.
    let net = |joint: &Joint, stage: &Stage| {
        let negative = stage.choices.get(NEGATIVE).is_some_and(|o| o == output);
        let nets = joint.nets();
        if negative { nets.last() } else { nets.first() }.map(|n| (*n).to_owned())
    };
    let fed = |stage: &Stage| {
        let before = supply.stage(stage.after.as_deref()?)?;
        net(before.joints.get(stage.from_joint as usize)?, stage)
    };
    serving(StageKind::Load).and_then(fed).or_else(|| {
        let stage = serving(StageKind::Regulator)?;
        net(stage.joints.first()?, stage)
    })
}

/// Brings durations that follow the circuit up to date.
fn follow(supply: &mut Supply) {
    let suggested = |study: &Study| study.course().is_some_and(|course| course.suggested);
    if supply.studies.iter().any(suggested) {
        let duration = studies_for(supply).duration.text;
        let following = supply.studies.iter_mut().filter(|study| suggested(study)).filter_map(Study::course_mut);
        following.for_each(|course| course.duration.clone_from(&duration));
    }
}

/// The study outputs are judged in: the first switch-on, made if there is none.
fn study(supply: &mut Supply) -> String {
    if let Some(study) = supply.studies.iter().find(|s| s.kind() == StudyKind::SwitchOn) {
        return study.id.clone();
    }
    let id = "switch_on".to_owned();
    let course = Course::suggested(studies_for(supply).duration.text);
    supply.studies.push(Study::new(id.clone(), "Switch-on", StudySettings::SwitchOn(course)));
    id
}

pub(crate) fn window(supply: &Supply, study: &str) -> Window {
    let periodic = circuit::resolve(supply).is_ok_and(|c| c.parts.iter().any(|p| p.period().is_some()));
    if periodic || supply.parts.iter().any(|p| p.kind == circuit::KindId::SineSource) {
        let first = supply.parts.iter().find(|p| crate::defaults::is_periodic(p.kind)).map(|p| p.id.clone());
        return Window::LastPeriods { count: LAST_PERIODS, period_of: first };
    }
    let duration =
        supply.studies.iter().find(|s| s.id == study).and_then(Study::course).map_or("1", |c| c.duration.as_str());
    Window::Between { from: format!("0.8 * {duration}"), to: duration.to_owned() }
}

/// Gives a signal a strip of its own, if no strip shows it yet.
fn show(supply: &mut Supply, study: &str, signal: &str) {
    let Some(study) = supply.studies.iter_mut().find(|s| s.id == study) else { return };
    if study.strips.len() < 4 && !study.strips.iter().flat_map(Strip::texts).any(|s| s == signal) {
        study.strips.push(Strip::of([signal]));
    }
}
