//! The power path as a tree, walked to find what each stage gets and what it must give.

use crate::delivered::{Dc, Delivered, Rectifies};
use crate::draft::{Ask, Drawn, NEGATIVE, OUTPUT, RailWanted, Wanted};
use crate::forms::{Form, Needs, form};
use crate::stages::{Place, by_hand, serves};
use circuit::{Output, Part, Source, SourceKind, Stage, StageKind, Supply, demands, parameter_in};
use std::collections::BTreeMap;

/// Voltage a regulator yet to come is reckoned to need above its output, V, its own current, A, and the
/// accuracy up to which an output is taken to want one.
const ASSUMED_HEADROOM: f64 = 2.5;
const ASSUMED_OWN: f64 = 5e-3;
const REGULATED: f64 = 0.1;
/// Current that stages are sized for as long as nothing states or draws one, A.
pub(crate) const ASSUMED_LOAD: f64 = 0.1;

/// Where in its range the source's voltage is.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
#[allow(missing_docs)]
pub enum Line {
    Lowest,
    Nominal,
    Highest,
}

/// Parameters of a source that follow the line.
const OF_LINE: [&str; 3] = ["amplitude", "voltage", "high"];

/// Rounds in which what stages draw and what is delivered to them find each other.
const ROUNDS: usize = 24;

/// A supply with its demands and what flows between its stages, for asking forms.
pub(crate) struct Path<'a> {
    pub(crate) supply: &'a Supply,
    source: Source,
    rated: f64,
    outputs: Vec<Output>,
    /// What each stage delivers at its joints.
    delivered: BTreeMap<&'a str, Vec<Delivered>>,
    /// What a stage draws of each rail at nominal line, where that follows from what it gets.
    drawn: BTreeMap<&'a str, [Drawn; 2]>,
    /// Values set by hand in each stage, by role and parameter, SI.
    by_hand: BTreeMap<&'a str, BTreeMap<String, f64>>,
    /// Preferred values that stay as they were taken, by stage and number of the step.
    kept: BTreeMap<&'a str, BTreeMap<usize, f64>>,
    /// What each stage chose at the nominal line, if that stays.
    chosen: BTreeMap<&'a str, BTreeMap<String, String>>,
}

impl<'a> Path<'a> {
    pub(crate) fn new(supply: &'a Supply) -> Self {
        let (source, outputs) = demands(supply);
        let mains = Source { kind: SourceKind::Mains, nominal: 230.0, lowest: 207.0, highest: 253.0, frequency: 50.0 };
        let source = source.unwrap_or(mains);
        let mut path = Path {
            supply,
            source,
            rated: source.nominal,
            outputs,
            delivered: BTreeMap::new(),
            drawn: BTreeMap::new(),
            by_hand: values(supply, by_hand),
            kept: BTreeMap::new(),
            chosen: BTreeMap::new(),
        };
        path.settle();
        path
    }

    /// The same parts at another line, as if it were the nominal one: what sizing chose stays.
    pub(crate) fn at(supply: &'a Supply, line: Line) -> Self {
        let mut path = Path::new(supply);
        let voltage = match line {
            Line::Nominal => return path,
            Line::Lowest => path.source.lowest,
            Line::Highest => path.source.highest,
        };
        path.kept = supply.stages.iter().map(|stage| (stage.id.as_str(), path.preferred(stage))).collect();
        path.chosen = supply.stages.iter().map(|stage| (stage.id.as_str(), path.choices(stage))).collect();
        path.by_hand = values(supply, |stage, part, role, parameter| {
            let follows = stage.kind == StageKind::Source && OF_LINE.contains(&parameter);
            by_hand(stage, part, role, parameter)
                || (!follows && stage.sized.contains_key(&format!("{role}.{parameter}")))
        });
        path.source = Source { lowest: voltage, nominal: voltage, highest: voltage, ..path.source };
        path.settle();
        path
    }

    /// Finds what each stage delivers and draws.
    fn settle(&mut self) {
        let supply = self.supply;
        for round in 0..ROUNDS {
            // Voltages and preferred values can chase one another without end, so from here on the values stay.
            if round == ROUNDS / 2 && self.kept.is_empty() {
                self.kept = supply.stages.iter().map(|stage| (stage.id.as_str(), self.preferred(stage))).collect();
            }
            let before = self.drawn.clone();
            // Stages stand behind those that feed them, so one walk delivers all the way.
            for stage in &supply.stages {
                self.walk(stage);
            }
            if self.drawn == before {
                break;
            }
            // What is drawn follows the voltage, and the voltage what is drawn; half of each step keeps the
            // two from chasing one another.
            for (stage, rails) in &mut self.drawn {
                let then = before.get(stage).copied().unwrap_or_default();
                for (now, then) in rails.iter_mut().zip(then) {
                    if let (Some(now), Some(then)) = (&mut now.current, then.current) {
                        *now = 0.5 * (*now + then);
                    }
                }
            }
        }
    }

    fn walk(&mut self, stage: &'a Stage) {
        let Some(form) = working(stage) else {
            let before = Place { after: stage.after.clone(), joint: stage.from_joint };
            if let Some(passed) = self.delivered(&before) {
                self.delivered.insert(&stage.id, vec![passed]);
            }
            return;
        };
        let ask = self.ask_of(stage, form, &stage.choices);
        let draft = form.draft(&ask);
        let (joints, drawn) = (draft.joints.iter().map(|j| j.2).collect(), draft.drawn);
        self.delivered.insert(&stage.id, joints);
        self.drawn.insert(&stage.id, drawn);
    }

    /// The preferred values a stage takes now, by the number of the step.
    fn preferred(&self, stage: &Stage) -> BTreeMap<usize, f64> {
        let Some(form) = working(stage) else { return BTreeMap::new() };
        let ask = self.ask_of(stage, form, &stage.choices);
        let steps = form.draft(&ask).steps;
        steps.into_iter().enumerate().filter_map(|(number, step)| Some((number, step.taken?))).collect()
    }

    /// What a stage chooses now, by hand or by itself.
    fn choices(&self, stage: &Stage) -> BTreeMap<String, String> {
        let mut choices = stage.choices.clone();
        if let Some(form) = working(stage) {
            let ask = self.ask_of(stage, form, &stage.choices);
            choices.extend(form.draft(&ask).choices.into_iter().map(|c| (c.id.to_owned(), c.value)));
        }
        choices
    }

    fn behind<'s>(&'s self, stage: &'s str) -> impl Iterator<Item = &'s Stage> {
        self.supply.stages.iter().filter(move |s| s.after.as_deref() == Some(stage))
    }

    /// The output a stage's choices name, on its positive or on its negative rail.
    fn served(&self, choices: &BTreeMap<String, String>, rail: &str) -> Option<&Output> {
        let chosen = choices.get(rail)?;
        self.outputs.iter().find(|o| o.id == *chosen)
    }

    /// The highest line over the nominal one.
    pub(crate) fn rise(&self) -> f64 {
        self.source.highest / self.source.nominal
    }

    /// Whether it is open what the supply shall deliver.
    pub(crate) fn nothing_stated(&self) -> bool {
        self.outputs.is_empty()
    }

    fn is_served(&self, output: &Output) -> bool {
        self.supply.stages.iter().any(|s| serves(s, &output.id))
    }

    /// What a stage itself asks of the one before, given what it serves and what those behind it need.
    fn needs(&self, form: &Form, choices: &BTreeMap<String, String>, behind: Wanted) -> Wanted {
        let rail = |name: &str, headroom: f64, own: f64, behind: RailWanted| {
            self.served(choices, name).map_or(behind, |o| RailWanted {
                // What hangs behind beside the output itself, an indicator say, adds its current.
                current: o.current.max(behind.current) + own,
                lowest: o.voltage.abs() * (1.0 - if headroom > 0.0 { 0.0 } else { o.accuracy }) + headroom,
                conductance: 0.0,
            })
        };
        match form.needs {
            Needs::Passes => behind,
            Needs::Draws(current) => {
                Wanted { plus: RailWanted { current, ..RailWanted::default() }, minus: RailWanted::default() }
            }
            Needs::Loads => Wanted {
                plus: rail(OUTPUT, 0.0, 0.0, RailWanted::default()),
                minus: rail(NEGATIVE, 0.0, 0.0, RailWanted::default()),
            },
            Needs::Regulates { headroom, own } => Wanted {
                plus: rail(OUTPUT, headroom, own, behind.plus),
                minus: rail(NEGATIVE, headroom, own, behind.minus),
            },
        }
    }

    fn sum(parts: impl Iterator<Item = Wanted>) -> Wanted {
        parts.fold(Wanted::default(), |a, b| Wanted { plus: a.plus.and(b.plus), minus: a.minus.and(b.minus) })
    }

    /// What the stages behind one need, each with all behind it.
    fn wanted_behind(&self, stage: &str) -> Wanted {
        Self::sum(self.behind(stage).map(|s| self.wanted_by(s)))
    }

    fn wanted_by(&self, stage: &Stage) -> Wanted {
        let behind = self.wanted_behind(&stage.id);
        let wanted = match working(stage) {
            Some(form) => self.needs(form, &stage.choices, behind),
            None => behind,
        };
        wanted.drawn(self.drawn.get(stage.id.as_str()).copied().unwrap_or_default())
    }

    /// What outputs that no stage serves yet will need.
    fn unserved(&self) -> Wanted {
        let rail = |o: &Output| {
            let regulated = o.accuracy <= REGULATED;
            RailWanted {
                current: o.current + if regulated { ASSUMED_OWN } else { 0.0 },
                lowest: o.voltage.abs() * if regulated { 1.0 } else { 1.0 - o.accuracy }
                    + if regulated { ASSUMED_HEADROOM } else { 0.0 },
                conductance: 0.0,
            }
        };
        Self::sum(self.outputs.iter().filter(|o| !self.is_served(o)).map(|o| {
            if o.voltage < 0.0 {
                Wanted { plus: RailWanted::default(), minus: rail(o) }
            } else {
                Wanted { plus: rail(o), minus: RailWanted::default() }
            }
        }))
    }

    /// The first rectifier at or behind these stages.
    fn rectifier<'s>(&'s self, stages: impl Iterator<Item = &'s Stage>) -> Option<Rectifies> {
        for stage in stages {
            let own = working(stage).and_then(|f| f.rectifies);
            if let Some(found) = own.or_else(|| self.rectifier(self.behind(&stage.id))) {
                return Some(found);
            }
        }
        None
    }

    /// What a form is asked at a place where `behind` follows (all of it if a stage is put in between).
    pub(crate) fn ask(&self, place: &Place, form: &Form, choices: &BTreeMap<String, String>, behind: &[&Stage]) -> Ask {
        let wanted = Self::sum(behind.iter().map(|s| self.wanted_by(s)).chain([self.unserved()]));
        let mut wanted = if matches!(form.needs, Needs::Passes) { wanted } else { self.needs(form, choices, wanted) };
        if self.nothing_stated() && wanted.larger().current == 0.0 {
            wanted.plus.current = ASSUMED_LOAD;
            wanted.minus.current = ASSUMED_LOAD;
        }
        let rectifier = form.rectifies.or_else(|| self.rectifier(behind.iter().copied()));
        if form.rectifies.is_none() && rectifier.is_some_and(|r| r.halves) {
            // Each half of a doubler gives half of the voltage.
            wanted.plus.lowest *= 0.5;
        }
        Ask {
            source: self.source,
            rated: self.rated,
            before: self.delivered(place),
            wanted,
            rectifier,
            choices: choices.clone(),
            outputs: self.outputs.clone(),
            by_hand: BTreeMap::new(),
            kept: BTreeMap::new(),
            built: !self.chosen.is_empty(),
        }
    }

    /// What a stage of this supply is asked, given the values set by hand.
    pub(crate) fn ask_of(&self, stage: &Stage, form: &Form, choices: &BTreeMap<String, String>) -> Ask {
        let place = Place { after: stage.after.clone(), joint: stage.from_joint };
        let behind: Vec<&Stage> = self.behind(&stage.id).collect();
        let by_hand = self.by_hand.get(stage.id.as_str()).cloned().unwrap_or_default();
        // What was taken under other choices says nothing.
        let kept = self.kept.get(stage.id.as_str()).filter(|_| *choices == stage.choices).cloned().unwrap_or_default();
        let choices = self.chosen.get(stage.id.as_str()).unwrap_or(choices);
        Ask { by_hand, kept, ..self.ask(&place, form, choices, &behind) }
    }

    /// The resistance that draws what the stages behind one draw, Ω, where both voltage and current are known.
    pub(crate) fn stand_in(&self, stage: &Stage) -> Option<f64> {
        let delivered = self.delivered(&Place { after: Some(stage.id.clone()), joint: 0 })?;
        let voltage = delivered.dc().map(|dc| dc.nominal).or(delivered.ac().map(|ac| ac.nominal()))?;
        let current = self.wanted_behind(&stage.id).larger().current;
        Some(voltage / current).filter(|r| r.is_finite() && *r > 0.0)
    }

    /// What is delivered at a place.
    pub(crate) fn delivered(&self, place: &Place) -> Option<Delivered> {
        self.delivered.get(place.after.as_deref()?)?.get(place.joint as usize).copied()
    }

    /// What each output gets that no regulator holds: the load that serves it, the output, and what is delivered.
    pub(crate) fn unregulated(&self) -> Vec<(&'a Stage, &Output, Dc)> {
        let mut found = Vec::new();
        for stage in self.supply.stages.iter().filter(|s| s.kind == StageKind::Load && working(s).is_some()) {
            let mut before = stage.after.as_deref().and_then(|id| self.supply.stage(id));
            let place = Place { after: stage.after.clone(), joint: stage.from_joint };
            let delivered = self.delivered(&place);
            while let Some(s) = before.filter(|s| s.kind != StageKind::Regulator || s.bypassed) {
                before = s.after.as_deref().and_then(|id| self.supply.stage(id));
            }
            if before.is_some() {
                continue;
            }
            let rails = match delivered {
                Some(Delivered::Dc(dc)) => vec![(OUTPUT, dc)],
                Some(Delivered::Split(plus, minus)) => vec![(OUTPUT, plus), (NEGATIVE, minus)],
                _ => Vec::new(),
            };
            let served = |(rail, dc)| Some((stage, self.served(&stage.choices, rail)?, dc));
            found.extend(rails.into_iter().filter_map(served));
        }
        found
    }

    /// The output a new stage behind another is for: a load's that of the regulator before it, else the
    /// first of that polarity that no stage serves yet.
    pub(crate) fn output_for(&self, form: &Form, after: Option<&str>, rail: &str) -> Option<&Output> {
        let mut before = after.and_then(|id| self.supply.stage(id));
        while let (StageKind::Load, Some(stage)) = (form.kind, before) {
            if let Some(output) = self.served(&stage.choices, rail) {
                return Some(output);
            }
            before = stage.after.as_deref().and_then(|id| self.supply.stage(id));
        }
        let ours = || self.outputs.iter().filter(|o| (o.voltage < 0.0) == (rail == NEGATIVE));
        ours().find(|o| !self.is_served(o)).or(ours().next_back())
    }
}

/// The form of a stage that does its work; a bypassed one passes on what it gets.
fn working(stage: &Stage) -> Option<&'static Form> {
    stage.form.as_deref().filter(|_| !stage.bypassed).and_then(form)
}

/// Numbers among the parameters of the parts of stages, those that are wanted, stage by stage.
fn values(
    supply: &Supply,
    wanted: impl Fn(&Stage, &Part, &str, &str) -> bool,
) -> BTreeMap<&str, BTreeMap<String, f64>> {
    let mut found: BTreeMap<&str, BTreeMap<String, f64>> = BTreeMap::new();
    for part in &supply.parts {
        let (Some(stage), Some(role)) = (part.stage.as_deref().and_then(|id| supply.stage(id)), &part.role) else {
            continue;
        };
        for parameter in part.kind.kind().parameters {
            if wanted(stage, part, role, parameter.id)
                && let Some(value) = parameter_in(supply, part, parameter.id)
            {
                found.entry(&stage.id).or_default().insert(format!("{role}.{}", parameter.id), value);
            }
        }
    }
    found
}
