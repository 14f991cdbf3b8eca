use crate::check::{LONGEST, Sense, courses, identifiers, in_order, sense, too_long, wiring};
use crate::expression::is_name;
use crate::finding::{Finding, Findings, Place, Severity};
use crate::kinds::{Form, Parameter};
use crate::points;
use crate::questions::questions;
use crate::reduce::as_run;
use crate::resolved::{
    Circuit, DEFAULT_TOLERANCE, FrequencyGrid, ResolvedPart, ResolvedStage, ResolvedStudy, ResolvedTones,
};
use crate::scope::Scope;
use crate::stepping::stepped;
use crate::taken::{readings, requirement};
use crate::values::settle_values;
use crate::{Allowed, Course, FrequencyQuestion, GND, Joint, Study, StudySettings, Supply, Tones};
use quantity::Unit;
use std::collections::HashMap;

/// Turns a supply into numbers.
///
/// # Errors
/// Every finding, if any is an error.
pub fn resolve(supply: &Supply) -> Result<Circuit, Vec<Finding>> {
    let (circuit, findings) = analyse(supply);
    if findings.iter().any(|f| f.severity == Severity::Error) { Err(findings) } else { Ok(circuit) }
}

/// Everything found wrong with a supply, errors first, else in document order.
pub fn check(supply: &Supply) -> Vec<Finding> {
    analyse(supply).1
}

/// Resolves as far as possible and collects every finding. Bypassed stages are left out.
fn analyse(supply: &Supply) -> (Circuit, Vec<Finding>) {
    let supply = &as_run(supply, None);
    let mut findings = Findings::default();
    let values = settle_values(supply, &mut findings);
    let (source, _) = crate::demanded::find(supply, &mut findings);
    let lookup = |name: &str| values.get(name).copied();
    let scope = Scope { lookup: &lookup };
    let allowed = allowed(supply, &scope, &mut findings);
    let stages = stages(supply, &mut findings);
    let (nets, net_index, parts) = parts(supply, &scope, &stages, &mut findings);
    wiring(supply, &nets, &parts, &mut findings);
    let studies: Vec<_> = supply.studies.iter().map(|s| study(supply, s, &scope, &mut findings)).collect();
    findings.unique("studies", supply.studies.iter().map(|s| (s.id.as_str(), Place::Study { study: s.id.clone() })));
    let stages = stages
        .into_iter()
        .zip(&supply.stages)
        .map(|(mut stage, s)| {
            if let Some(Joint::Ac { line, back } | Joint::Tapped { line, tap: back, .. }) = s.joints.first()
                && s.output.as_ref() == Some(line)
            {
                stage.back = net_index.get(back.as_str()).copied().filter(|net| *net != 0);
            }
            stage.output = s.output.as_ref().and_then(|net| {
                let index = net_index.get(net.as_str()).copied();
                if index.is_none() {
                    findings.error(
                        "unknown-net",
                        Place::Stage { stage: s.id.clone() },
                        format!("The stage's output net {net} does not exist"),
                        "Name a net that a part is connected to",
                    );
                }
                index
            });
            stage
        })
        .collect();
    let part_index = parts.iter().enumerate().map(|(i, p)| (p.id.clone(), i)).collect();
    let net_index = net_index.into_iter().map(|(net, i)| (net.to_owned(), i)).collect();
    let mut circuit = Circuit {
        nets,
        parts,
        studies,
        readings: Vec::new(),
        requirements: Vec::new(),
        allowed,
        stages,
        net_index,
        part_index,
    };
    circuit.readings = readings(supply, &circuit, &scope, &mut findings);
    circuit.requirements =
        supply.requirements.iter().map(|r| requirement(&circuit, r, &scope, &mut findings)).collect();
    findings.unique(
        "requirements",
        supply.requirements.iter().map(|r| (r.id.as_str(), Place::Requirement { requirement: r.id.clone() })),
    );
    identifiers(supply, &mut findings);
    courses(&circuit.parts, &mut findings);
    in_order(&circuit.parts, &mut findings);
    too_long(&circuit, &mut findings);
    // A circuit that cannot be run gets no advice on how it runs.
    if !findings.block() {
        let Circuit { nets, parts, studies, readings, .. } = &circuit;
        sense(&Sense { nets, parts, source, studies, readings }, &mut findings);
    }
    (circuit, findings.into_sorted())
}

fn stages(supply: &Supply, findings: &mut Findings) -> Vec<ResolvedStage> {
    findings.unique("stages", supply.stages.iter().map(|s| (s.id.as_str(), Place::Stage { stage: s.id.clone() })));
    let stages = supply.stages.iter().enumerate().map(|(index, s)| {
        let after = s.after.as_ref().and_then(|id| {
            let found = supply.stages.iter().position(|other| other.id == *id);
            // Only an earlier stage may feed a stage, so the path cannot run in a circle.
            let found = found.filter(|other| *other < index);
            if found.is_none() {
                findings.error(
                    "unknown-stage",
                    Place::Stage { stage: s.id.clone() },
                    format!("Stage {} comes after {id}, which is not a stage before it", s.id),
                    "Name a stage that stands earlier in the list",
                );
            }
            found
        });
        ResolvedStage { id: s.id.clone(), kind: s.kind, after, output: None, back: None }
    });
    stages.collect()
}

type NetIndex<'a> = HashMap<&'a str, usize>;

fn parts<'a>(
    supply: &'a Supply,
    scope: &Scope<'_>,
    stages: &[ResolvedStage],
    findings: &mut Findings,
) -> (Vec<String>, NetIndex<'a>, Vec<ResolvedPart>) {
    findings.unique("parts", supply.parts.iter().map(|p| (p.id.as_str(), Place::part(&p.id))));
    let mut nets = vec![GND.to_owned()];
    let mut index: NetIndex<'_> = HashMap::from([(GND, 0)]);
    let mut parts = Vec::with_capacity(supply.parts.len());
    for part in &supply.parts {
        let kind = part.kind.kind();
        if !is_name(&part.id) {
            findings.error(
                "bad-name",
                Place::part(&part.id),
                format!("“{}” cannot name a part", part.id),
                format!("Use a letter and a number, such as {}1", kind.letter),
            );
        }
        let stage = part.stage.as_ref().and_then(|id| {
            let found = stages.iter().position(|s| s.id == *id);
            if found.is_none() {
                findings.error(
                    "unknown-stage",
                    Place::part(&part.id),
                    format!("{} belongs to stage {id}, which does not exist", part.id),
                    "Name a stage of this supply, or none",
                );
            }
            found
        });
        for pin in part.pins.keys().filter(|pin| kind.pin(pin).is_none()) {
            let known: Vec<_> = kind.pins.iter().map(|p| p.id).collect();
            findings.error(
                "unknown-pin",
                Place::pin(&part.id, pin),
                format!("A {} has no pin {pin}", kind.name.to_lowercase()),
                format!("Its pins are {}", known.join(", ")),
            );
        }
        let mut pins = Vec::with_capacity(kind.pins.len());
        for pin in kind.pins {
            let net = part.pins.get(pin.id).map_or("", String::as_str);
            if net.is_empty() {
                findings.error(
                    "pin-open",
                    Place::pin(&part.id, pin.id),
                    format!("Pin {} of {} is connected to nothing", pin.id, part.id),
                    "Connect it to a net",
                );
            } else if net.len() > LONGEST || !net.chars().all(|c| c.is_ascii_alphanumeric() || c == '_') {
                findings.error(
                    "bad-name",
                    Place::pin(&part.id, pin.id),
                    format!("“{}” cannot name a net", net.chars().take(LONGEST).collect::<String>().escape_debug()),
                    format!("Use letters, digits and _ only, up to {LONGEST} of them"),
                );
            }
            pins.push(*index.entry(net).or_insert_with(|| {
                nets.push(net.to_owned());
                nets.len() - 1
            }));
        }
        for name in part.parameters.keys().filter(|name| kind.parameter(name).is_none()) {
            let known: Vec<_> = kind.parameters.iter().map(|p| p.id).collect();
            findings.error(
                "unknown-parameter",
                Place::parameter(&part.id, name),
                format!("A {} has no parameter {name}", kind.name.to_lowercase()),
                format!("Its parameters are {}", known.join(", ")),
            );
        }
        let ratings = ratings(part, scope, findings);
        let mut points = Vec::new();
        let values = kind
            .parameters
            .iter()
            .map(|p| {
                parameter(&part.id, p, part.parameters.get(p.id).map(String::as_str), scope, &mut points, findings)
            })
            .collect();
        parts.push(ResolvedPart { id: part.id.clone(), kind: part.kind, stage, pins, values, points, ratings });
    }
    (nets, index, parts)
}

/// How much of their ratings parts may use.
fn allowed(supply: &Supply, scope: &Scope<'_>, findings: &mut Findings) -> Allowed {
    let [voltage, current, power] = supply.derating.fields().map(|(what, text)| match text {
        Some(text) => {
            let what = format!("Share of rated {what} that parts may use");
            scope.number(text, Unit::Share, LEAST_SHARE, &what, Place::Supply, findings)
        }
        None => 1.0,
    });
    Allowed { voltage, current, power }
}

/// Shares of ratings that can be allowed.
const LEAST_SHARE: (f64, f64) = (0.01, 1.0);

/// What a part is rated for, in the order of its kind's table, held to it and to numbers.
fn ratings(part: &crate::Part, scope: &Scope<'_>, findings: &mut Findings) -> Vec<Option<f64>> {
    let mut rated = vec![None; part.kind.kind().ratings.len()];
    for (name, text) in &part.ratings {
        let place = Place::parameter(&part.id, name);
        let Some(index) = part.kind.kind().ratings.iter().position(|r| r.id == name) else {
            let known: Vec<_> = part.kind.kind().ratings.iter().map(|r| r.id).collect();
            let remedy =
                if known.is_empty() { "Remove it".into() } else { format!("Its ratings are {}", known.join(", ")) };
            let message = format!("A {} has no rating {name}", part.kind.kind().name.to_lowercase());
            findings.error("unknown-rating", place, message, remedy);
            continue;
        };
        let rating = &part.kind.kind().ratings[index];
        let what = format!("Rated {} of {}", rating.name.to_lowercase(), part.id);
        let value = scope.number(text, rating.unit, (0.0, 1e12), &what, place, findings);
        rated[index] = Some(value).filter(|value| *value > 0.0);
    }
    rated
}

fn parameter(
    part: &str,
    parameter: &Parameter,
    text: Option<&str>,
    scope: &Scope<'_>,
    points: &mut Vec<(f64, f64)>,
    findings: &mut Findings,
) -> f64 {
    let place = Place::parameter(part, parameter.id);
    match &parameter.form {
        Form::Quantity { unit, default, min, max, .. } => {
            let what = format!("{} of {part}", parameter.name);
            scope.number(text.unwrap_or(default), *unit, (*min, *max), &what, place, findings)
        }
        Form::Points { x, y, default } => {
            let what = format!("{} of {part}", parameter.name);
            let Some(read) = points::points(text.unwrap_or(default), (*x, *y), &what, scope, &place, findings) else {
                return f64::NAN;
            };
            points.extend(read);
            points.len() as f64
        }
        Form::Choice { options, default } => {
            let wanted = text.unwrap_or(default);
            match options.iter().position(|(id, _)| *id == wanted) {
                Some(index) => index as f64,
                None => {
                    let known: Vec<_> = options.iter().map(|(id, _)| *id).collect();
                    findings.error(
                        "unknown-choice",
                        place,
                        format!("{} of {part} cannot be “{wanted}”", parameter.name),
                        format!("Choose one of {}", known.join(", ")),
                    );
                    f64::NAN
                }
            }
        }
    }
}

fn study(supply: &Supply, study: &Study, scope: &Scope<'_>, findings: &mut Findings) -> ResolvedStudy {
    let place = || Place::Study { study: study.id.clone() };
    if let Some(cut) = &study.cut {
        match supply.stage(&cut.after) {
            None => findings.error(
                "unknown-stage",
                place(),
                format!("Study {} is cut behind stage {}, which does not exist", study.id, cut.after),
                "Name a stage of this supply, or let the study run the whole path",
            ),
            Some(stage) if stage.joints.is_empty() => findings.error(
                "nothing-behind",
                place(),
                format!("Study {} is cut behind {}, which passes no power on", study.id, stage.title),
                "Cut behind a stage that something can be joined to",
            ),
            Some(_) => {}
        }
        let what = format!("Stand-in load of study {}", study.id);
        scope.number(&cut.load, Unit::Ohm, (1e-6, 1e12), &what, place(), findings);
    }
    let mut number = |text: &str, unit, range, what: &str| {
        scope.number(text, unit, range, &format!("{what} of study {}", study.id), place(), findings)
    };
    let nothing = Course::lasting("0");
    let course = study.course().unwrap_or(&nothing);
    let takes_time = study.kind().takes_time();
    let duration = if takes_time { number(&course.duration, Unit::Second, (1e-12, 1e9), "Duration") } else { 0.0 };
    let record_from =
        course.record_from.as_ref().map_or(0.0, |t| number(t, Unit::Second, (0.0, duration), "Recording start"));
    let max_step = course.max_step.as_ref().map(|t| number(t, Unit::Second, (1e-15, 1e9), "Longest step"));
    let tolerance =
        course.tolerance.as_ref().map_or(DEFAULT_TOLERANCE, |t| number(t, Unit::One, (1e-9, 0.1), "Tolerance"));
    let grid = match &study.settings {
        StudySettings::Frequency(asked) => {
            let from = number(&asked.from, Unit::Hertz, FREQUENCIES, "First frequency");
            let to = number(&asked.to, Unit::Hertz, (from, FREQUENCIES.1), "Last frequency");
            let fine = |t: &String| number(t, Unit::One, (1.0, 1000.0), "Points per decade");
            FrequencyGrid { from, to, per_decade: asked.per_decade.as_ref().map_or(PER_DECADE, fine) }
        }
        _ => FrequencyGrid { from: 0.0, to: 0.0, per_decade: PER_DECADE },
    };
    let mut tones = |question: &FrequencyQuestion, tones: &Tones, unit| {
        let mut read = |text: &Option<String>, unit, range, what: &str| {
            text.as_ref().map(|text| number(text, unit, range, &format!("{what} of {},", question.id)))
        };
        let amplitude = read(&tones.amplitude, unit, AMPLITUDES, "Amplitude of the tones");
        let per_decade = read(&tones.per_decade, Unit::One, (1.0, 100.0), "Tones per decade");
        ResolvedTones { amplitude, per_decade: per_decade.unwrap_or(TONES_PER_DECADE) }
    };
    let questions = questions(supply, study, &mut tones);
    let at = study.step().map(|step| number(&step.at, Unit::Second, (0.0, duration), "Time of the step"));
    // A step that cannot be made keeps its own study from being run, and no other.
    let problem = study.step().and_then(|step| stepped(supply, step).err());
    if let Some(problem) = &problem {
        let remedy = "Name a resistor, a load or a source, and give it currents or voltages that can be read";
        findings.warning("no-step", place(), format!("Study {} cannot be run: {problem}", study.id), remedy);
    }
    ResolvedStudy {
        id: study.id.clone(),
        kind: study.kind(),
        engine: study.engine,
        begins: course.begins.unwrap_or(study.kind().usually_begins()),
        step: study.step().zip(at).map(|(step, at)| (step.part.clone(), at)),
        problem,
        questions,
        grid,
        duration,
        record_from,
        max_step,
        tolerance,
    }
}

/// First and last frequency that can be asked for, Hz, and points per decade where nothing is stated.
const FREQUENCIES: (f64, f64) = (1e-6, 1e12);
const PER_DECADE: f64 = 20.0;
/// Amplitudes of tones that can be asked for, V or A, and tones per decade where nothing is stated.
const AMPLITUDES: (f64, f64) = (1e-15, 1e6);
const TONES_PER_DECADE: f64 = 5.0;
