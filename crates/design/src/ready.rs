//! Readings engineers take of nearly every supply, made for the one at hand.

use crate::demands::window;
use crate::strips::outlets;
use circuit::kinds::Form;
use circuit::{
    Course, GND, KindId, Part, Reading, ReadingMeasure, StageKind, Strip, Study, StudyKind, StudySettings, Supply,
    Window, demands,
};
use quantity::entry;
use std::collections::BTreeMap;

/// Readings that belong together, ready to be added.
#[derive(Clone, Debug, PartialEq)]
pub struct ReadyMade {
    /// What they tell.
    pub title: String,
    /// How they are taken.
    pub help: String,
    /// What is set in the supply first, where the readings need something to happen.
    pub settings: Vec<Setting>,
    /// The study in which it happens, if it is a new one.
    pub study: Option<Study>,
    /// The readings; what formulas use stands before them.
    pub readings: Vec<Reading>,
}

/// A parameter of a part and what it is set to.
#[derive(Clone, Debug, PartialEq, serde::Serialize, schemars::JsonSchema)]
pub struct Setting {
    /// The part's identifier.
    pub part: String,
    /// The parameter's identifier.
    pub parameter: String,
    /// Its value as typed.
    pub value: String,
}

/// Everything that can be read of a supply without thinking about signals and windows, for one study.
pub fn ready_made(supply: &Supply, study: &str) -> Vec<ReadyMade> {
    let own = supply.studies.iter().find(|s| s.id == study);
    if own.is_some_and(|own| own.kind() == StudyKind::Frequency) {
        // All of these are taken over time.
        return Vec::new();
    }
    let making = Making { supply, study, window: window(supply, study) };
    let parts = supply.parts.iter();
    let mains = parts.clone().filter(|p| p.kind == KindId::SineSource).map(|p| making.mains(p));
    let efficiency = making.efficiency().into_iter().chain(making.rating_use());
    let (stepping, regulation) = (making.stepping(), making.regulation());
    let line = parts.clone().filter(|p| p.kind == KindId::SineSource).filter_map(|p| making.line_regulation(p));
    let dropout = parts.clone().filter(|p| p.kind == KindId::Regulator).filter_map(|p| making.dropout(p));
    let utilisation = parts.filter(|p| TRANSFORMERS.contains(&p.kind)).filter_map(|p| making.utilisation(p));
    stepping
        .into_iter()
        .chain(mains)
        .chain(efficiency)
        .chain(regulation)
        .chain(line)
        .chain(dropout)
        .chain(utilisation)
        .collect()
}

/// Kinds with a primary between their first two pins.
const TRANSFORMERS: [KindId; 5] = [
    KindId::IdealTransformer,
    KindId::CoupledWindings,
    KindId::CoreTransformer,
    KindId::HystereticTransformer,
    KindId::ThreeWindings,
];

/// Periods that levels before and after a change of the line are taken over.
const PERIODS: u32 = 5;
/// Where the line falls to if nothing says how low it may be, and the study in which it does.
const DIP: f64 = 0.9;
const LINE_DIP: &str = "line_dip";
/// Outputs whose answer to a step is read at most, and how near to their voltage they count as recovered.
const OUTLETS: usize = 2;
const RECOVERED: f64 = 0.01;

struct Making<'a> {
    supply: &'a Supply,
    study: &'a str,
    window: Window,
}

impl Making<'_> {
    fn reading(&self, id: String, title: String, signal: &str, measure: ReadingMeasure) -> Reading {
        Reading::new([&id, &title, self.study, signal], measure, self.window.clone())
    }

    /// Powers and harmonics at a source of alternating voltage.
    fn mains(&self, source: &Part) -> ReadyMade {
        use ReadingMeasure as M;
        let (stem, id) = (source.id.to_lowercase(), &source.id);
        let rows = [
            (M::RealPower, "real_power", "real power"),
            (M::ApparentPower, "apparent_power", "apparent power"),
            (M::NonactivePower, "nonactive_power", "nonactive power"),
            (M::PowerFactor, "power_factor", "power factor"),
            (M::DisplacementFactor, "displacement_factor", "displacement factor"),
            (M::DistortionFactor, "distortion_factor", "distortion factor"),
            (M::HarmonicUse, "harmonic_use", "harmonics against class A"),
        ];
        let of_port = |(measure, name, title)| {
            let reading = self.reading(format!("{stem}_{name}"), format!("{id}, {title}"), &format!("{id}.v"), measure);
            // What flows out of the source.
            Reading { current: Some(format!("-{id}.i")), ..reading }
        };
        let of_current = [
            (M::HarmonicDistortion, "current_distortion", "distortion of the current"),
            (M::CrestFactor, "current_crest", "crest factor of the current"),
        ];
        let of_current = of_current.map(|(measure, name, title)| {
            self.reading(format!("{stem}_{name}"), format!("{id}, {title}"), &format!("{id}.i"), measure)
        });
        ReadyMade {
            title: format!("Powers and harmonics of {id}"),
            help: "Real, apparent and nonactive power and their factors (IEEE 1459), harmonics against IEC 61000-3-2."
                .to_owned(),
            settings: Vec::new(),
            study: None,
            readings: rows.into_iter().map(of_port).chain(of_current).collect(),
        }
    }

    /// Of the whole and of each stage that passes power on.
    fn efficiency(&self) -> Option<ReadyMade> {
        let whole = self.reading("efficiency".into(), "Efficiency".into(), "", ReadingMeasure::Efficiency);
        let passes = |kind| !matches!(kind, StageKind::Load);
        let stages = self.supply.stages.iter().filter(|s| s.after.is_some() && !s.joints.is_empty() && passes(s.kind));
        let of_stage = |stage: &circuit::Stage| {
            let (id, title) = (format!("{}_efficiency", stage.id), format!("{}, efficiency", stage.title));
            Reading { stage: Some(stage.id.clone()), ..self.reading(id, title, "", ReadingMeasure::Efficiency) }
        };
        let readings: Vec<Reading> = std::iter::once(whole).chain(stages.map(of_stage)).collect();
        (!self.supply.stages.is_empty()).then(|| ReadyMade {
            title: "Efficiency of the supply and of each stage".to_owned(),
            help: "Power into the loads over power from the sources; of a stage, power passed on over power arriving."
                .to_owned(),
            settings: Vec::new(),
            study: None,
            readings,
        })
    }

    /// The largest share of a rating that any part uses.
    fn rating_use(&self) -> Option<ReadyMade> {
        let whole = self.reading("rating_use".into(), "Use of ratings".into(), "", ReadingMeasure::RatingUse);
        // What is borne once is borne.
        let readings = vec![Reading { window: Window::WholeRun, ..whole }];
        self.supply.parts.iter().any(|part| !part.ratings.is_empty()).then(|| ReadyMade {
            title: "Use of ratings: how near any part comes to what it may bear".to_owned(),
            help: "The largest share of a rating, as far as derating allows it; a limit on it makes it a requirement."
                .to_owned(),
            settings: Vec::new(),
            study: None,
            readings,
        })
    }

    /// Of each output around everything that changes: a load's step gives load regulation, a source's line regulation.
    fn regulation(&self) -> Vec<ReadyMade> {
        let changing = self.supply.parts.iter().filter_map(|part| match part.kind {
            KindId::SteppedLoad | KindId::TimedSwitch => Some((part, "Load regulation")),
            KindId::PulseSource => Some((part, "Line regulation")),
            _ => None,
        });
        let of_part = |(part, what): (&Part, &str)| {
            let around = Window::AroundStep { of: Some(part.id.clone()), before: None, after: None };
            let readings = self.regulated().into_iter().map(|net| {
                let (id, title) = (format!("{net}_regulation_{}", part.id.to_lowercase()), format!("{what} of {net}"));
                let reading = self.reading(id, title, &format!("{net}.v"), ReadingMeasure::Regulation);
                Reading { window: around.clone(), ..reading }
            });
            ReadyMade {
                title: format!("{what} around the step of {}", part.id),
                help: "Change of each regulated output's settled level, relative to the level before the step."
                    .to_owned(),
                settings: Vec::new(),
                study: None,
                readings: readings.collect(),
            }
        };
        changing.map(of_part).filter(|ready| !ready.readings.is_empty()).collect()
    }

    /// What an output does when the study makes something step: valley, peak, recovery, what stays, how it rings.
    fn stepping(&self) -> Option<ReadyMade> {
        use ReadingMeasure as M;
        let study = self.supply.studies.iter().find(|s| s.id == self.study)?;
        let own = self.supply.parts.iter().find(|part| part.kind == KindId::SteppedLoad);
        let part = study.step().map(|step| &step.part).or(own.map(|part| &part.id))?;
        study.course().filter(|_| matches!(study.kind(), StudyKind::LoadStep | StudyKind::LineStep))?;
        let stays = study.step().and_then(|step| step.stays.clone());
        let first = Window::AroundStep { of: Some(part.clone()), before: None, after: stays.clone() };
        // Behind the step back; without one both are looked for behind the only step there is.
        let back = study.step().zip(stays).zip(study.course()).map(|((step, stays), course)| Window::Between {
            from: format!("{} + {stays}", step.at),
            to: course.duration.clone(),
        });
        let demanded = demands(self.supply).1;
        let readings = outlets(self.supply).into_iter().take(OUTLETS).flat_map(|net| {
            let stage = self.supply.stages.iter().find(|s| s.output.as_ref() == Some(&net));
            let output =
                demanded.iter().find(|output| output.id == net).or(demanded.first().filter(|_| stage.is_none()));
            let within = output.map(|output| format!("{:e}", RECOVERED * output.voltage.abs()));
            let rows = [
                (M::Undershoot, "valley", "valley", false),
                (M::RiseAbove, "peak", "peak", true),
                (M::SettlingTime, "recovery", "recovery", false),
                (M::Regulation, "steady_error", "steady error", false),
                (M::RingingFrequency, "ringing", "ringing", false),
                (M::RingingDecay, "decay", "decay of the ringing", false),
                (M::Steepest, "slew", "steepest slope", false),
            ];
            let made = rows.map(|(measure, name, title, released)| {
                let id = format!("{}_{net}_{name}", self.study);
                let reading = self.reading(id, format!("{net}, {title}"), &format!("{net}.v"), measure);
                let window = back.clone().filter(|_| released).unwrap_or_else(|| first.clone());
                let within = within.clone().filter(|_| measure == M::SettlingTime);
                let numbers = within.map(|within| ("within".to_owned(), within)).into_iter().collect();
                Reading { window, numbers, ..reading }
            });
            made.into_iter().collect::<Vec<_>>()
        });
        let readings: Vec<Reading> = readings.collect();
        (!readings.is_empty()).then(|| ReadyMade {
            title: format!("What the step of {part} does"),
            help: "Valley, peak, recovery into 1 % of what is asked for, steady error, ringing with its decay, steepest slope."
                .to_owned(),
            settings: Vec::new(),
            study: None,
            readings,
        })
    }

    /// Nets that regulators keep steady.
    fn regulated(&self) -> Vec<&String> {
        let regulators = self.supply.stages.iter().filter(|s| s.kind == StageKind::Regulator);
        regulators.filter_map(|s| s.output.as_ref()).collect()
    }

    /// Of each regulated output, from before a change of an alternating source to the end of the run. Where the source does
    /// not change, it is made to fall to the lowest voltage the supply must work from, in a study that goes on for as long
    /// again as the longest other one: none of those sees the fall.
    fn line_regulation(&self, source: &Part) -> Option<ReadyMade> {
        let circuit = circuit::resolve(self.supply).ok()?;
        let resolved = circuit.parts.iter().find(|p| p.id == source.id)?;
        let id = &source.id;
        let asked = format!("{} periods before {id} changes and at the end", PERIODS);
        if resolved.value("changes_to") != 1.0 {
            return Some(ReadyMade {
                title: format!("Line regulation as {id} changes"),
                help: format!("Compares the mean of each regulated output over {asked}."),
                settings: Vec::new(),
                study: None,
                readings: self.before_and_after(source, self.study, resolved.period()?),
            })
            .filter(|ready| !ready.readings.is_empty());
        }
        let demand = demands(self.supply).0.filter(|d| d.lowest < d.nominal);
        let share = format!("{} %", entry(100.0 * demand.map_or(DIP, |d| d.lowest / d.nominal)));
        let at = circuit.studies.iter().map(|s| s.duration).fold(0.0, f64::max);
        let set = |parameter: &str, value: String| Setting { part: id.clone(), parameter: parameter.to_owned(), value };
        let shown =
            std::iter::once(format!("{id}.v")).chain(self.regulated().into_iter().map(|net| format!("{net}.v")));
        let course = Course {
            record_from: Some(entry((at - 4.0 * f64::from(PERIODS) * resolved.period()?).max(0.0))),
            ..Course::lasting(entry(2.0 * at))
        };
        let study = Study {
            strips: shown.map(|signal| Strip::of([signal])).collect(),
            ..Study::new(LINE_DIP, "Line dip", StudySettings::SwitchOn(course))
        };
        Some(ReadyMade {
            title: format!("Line regulation, {id} falling to {share}"),
            help: format!(
                "Adds a study in which {id} falls at {}s, after every other study has ended, and compares the mean of each \
                 regulated output over {asked}.",
                entry(at)
            ),
            settings: vec![set("changes_to", share), set("changes_at", entry(at))],
            readings: self.before_and_after(source, &study.id, resolved.period()?),
            study: Some(study),
        })
        .filter(|ready| !ready.readings.is_empty())
    }

    /// Means of each regulated output before a source changes and at the end, and how far they lie apart.
    fn before_and_after(&self, source: &Part, study: &str, period: f64) -> Vec<Reading> {
        let (id, stem) = (&source.id, source.id.to_lowercase());
        let at_end = Window::LastPeriods { count: PERIODS, period_of: Some(id.clone()) };
        let before = entry(f64::from(PERIODS) * period);
        let just_before =
            Window::AroundStep { of: Some(id.clone()), before: Some(before), after: Some("0".to_owned()) };
        let of_net = |net: &String| {
            let mean = |name: &str, title: &str, window: &Window| {
                let (own, title) =
                    (format!("{net}_{name}_{stem}_changes"), format!("{net}, mean {title} {id} changes"));
                Reading::new([&own, &title, study, &format!("{net}.v")], ReadingMeasure::Mean, window.clone())
            };
            let (before, after) = (mean("before", "before", &just_before), mean("after", "after", &at_end));
            let (own, title) = (format!("{net}_regulation_{stem}"), format!("Line regulation of {net}"));
            let mut formula = Reading::new([&own, &title, study, ""], ReadingMeasure::Formula, at_end.clone());
            formula.formula = Some(format!("({0} - {1}) / {0}", before.id, after.id));
            [before, after, formula]
        };
        self.regulated().into_iter().flat_map(of_net).collect()
    }

    /// What stands across a regulator at its lowest, less what it needs.
    fn dropout(&self, part: &Part) -> Option<ReadyMade> {
        let (input, output) = (part.pins.get("in")?, part.pins.get("out")?);
        // A negative regulator stands above what feeds it.
        let negative = part.parameters.get("polarity").is_some_and(|p| p == "negative");
        let (high, low) = if negative { (output, input) } else { (input, output) };
        let signal = match (high.as_str(), low.as_str()) {
            (high, GND) => format!("{high}.v"),
            (GND, low) => format!("-{low}.v"),
            (high, low) => format!("{high}.v - {low}.v"),
        };
        let need = part.parameters.get("dropout").cloned();
        let parameter = part.kind.kind().parameters.iter().find(|p| p.id == "dropout")?;
        let Form::Quantity { default, .. } = parameter.form else { return None };
        let (id, title) =
            (format!("{}_dropout_margin", part.id.to_lowercase()), format!("{}, dropout margin", part.id));
        let reading = self.reading(id, title, &signal, ReadingMeasure::Margin);
        Some(ReadyMade {
            title: format!("Dropout margin of {}", part.id),
            help: "Lowest voltage across the regulator less its dropout voltage: what is left before it drops out."
                .to_owned(),
            settings: Vec::new(),
            study: None,
            readings: vec![Reading {
                numbers: BTreeMap::from([("need".to_owned(), need.unwrap_or(default.to_owned()))]),
                ..reading
            }],
        })
    }

    /// Direct power of the loads over the apparent power the transformer takes (transformer utilisation factor).
    fn utilisation(&self, part: &Part) -> Option<ReadyMade> {
        let in_load = |p: &&Part| {
            let stage = p.stage.as_deref().and_then(|id| self.supply.stage(id));
            stage.is_some_and(|s| s.kind == StageKind::Load) && p.pins.len() == 2
        };
        let loads: Vec<&Part> = self.supply.parts.iter().filter(in_load).collect();
        if loads.is_empty() {
            return None;
        }
        let (stem, id) = (part.id.to_lowercase(), &part.id);
        let apparent = self.reading(
            format!("{stem}_apparent_power"),
            format!("{id}, apparent power"),
            &format!("{id}.v"),
            ReadingMeasure::ApparentPower,
        );
        let mut readings = vec![Reading { current: Some(format!("{id}.i")), ..apparent }];
        let mut products = Vec::new();
        for load in loads {
            let stem = load.id.to_lowercase();
            let named = [("v", "voltage"), ("i", "current")].map(|(letter, name)| {
                let (id, title) = (format!("{stem}_mean_{name}"), format!("{}, mean {name}", load.id));
                self.reading(id, title, &format!("{}.{letter}", load.id), ReadingMeasure::Mean)
            });
            products.push(format!("{} * {}", named[0].id, named[1].id));
            readings.extend(named);
        }
        let (own, title) = (format!("{stem}_utilisation"), format!("{id}, utilisation factor"));
        let mut factor = self.reading(own, title, "", ReadingMeasure::Formula);
        factor.formula = Some(format!("({}) / {stem}_apparent_power", products.join(" + ")));
        readings.push(factor);
        Some(ReadyMade {
            title: format!("Utilisation of {id}"),
            help: "Mean voltage times mean current of the loads over the apparent power of the primary: how much larger the \
                   transformer is than what it delivers."
                .to_owned(),
            settings: Vec::new(),
            study: None,
            readings,
        })
    }
}
