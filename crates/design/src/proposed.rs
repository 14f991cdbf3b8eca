//! The studies that fit a circuit, with their settings and the reason for each.

use crate::defaults::{is_periodic, studies_for, switching_period};
use crate::draft::rounded;
use crate::strips::{converter_strips, outlets, smoothed, strips};
use circuit::{
    Asks, Circuit, Course, CurveLook, CurveSide, FrequencyQuestion, GND, KindId, OverFrequency, Part, Source,
    SourceKind, Step, Stepped, Strip, Study, StudySettings, Supply, demands, parameter_in,
};
use quantity::{Unit, entry, show};
use schemars::JsonSchema;
use serde::Serialize;

/// A study as it would be added.
#[derive(Clone, Debug, Serialize, JsonSchema)]
pub struct ProposedStudy {
    /// The study.
    pub study: Study,
    /// Whether the circuit has something to show in it.
    pub fits: bool,
    /// Why it is set so, or what is missing.
    pub reason: String,
}

/// Periods of a settled state that are shown.
const SETTLED: f64 = 3.0;
/// Where in a study its step lies, of the duration, and how long it stays.
const STEPS_AT: f64 = 0.1;
const STAYS: f64 = 0.45;
/// What a load steps from and a line steps to, of the whole, where nothing is stated (common practice).
const LOAD_FROM: f64 = 0.5;
const LINE_TO: f64 = 0.9;
/// First and last frequency where nothing switches, Hz; and the first of a converter, of its switching frequency.
const FIRST: f64 = 10.0;
const LAST: f64 = 10e6;
const FIRST_OF_SWITCHING: f64 = 1e-4;

/// Whether a circuit is a converter: something in it switches fast.
pub(crate) fn converts(supply: &Supply) -> bool {
    circuit::resolve(supply).is_ok_and(|circuit| switching_period(&circuit.parts).is_some())
}

/// A study of every kind as it would suit this circuit, the one that suits it best first.
pub fn studies_proposed(supply: &Supply) -> Vec<ProposedStudy> {
    let circuit = circuit::resolve(supply).ok();
    let parts = circuit.as_ref().map_or(&[][..], |circuit| &circuit.parts[..]);
    let switching = switching_period(parts);
    let repeats = parts.iter().filter_map(circuit::ResolvedPart::period).fold(0.0, f64::max);
    let shown = if switching.is_some() { converter_strips(supply) } else { strips(supply) };
    let proposing = Proposing { supply, circuit: circuit.as_ref(), switching, shown };
    let mut found = vec![
        proposing.settled(repeats),
        proposing.switch_on(),
        proposing.load_step(),
        proposing.line_step(),
        proposing.operating_point(),
        proposing.frequency(),
    ];
    if switching.is_none() {
        found.swap(0, 1);
    }
    // What has nothing to show here stands last.
    found.sort_by_key(|proposed| !proposed.fits);
    found
}

struct Proposing<'a> {
    supply: &'a Supply,
    circuit: Option<&'a Circuit>,
    switching: Option<f64>,
    shown: Vec<Strip>,
}

impl Proposing<'_> {
    fn study(&self, id: &str, title: &str, settings: StudySettings) -> Study {
        Study { strips: self.shown.clone(), ..Study::new(id, title, settings) }
    }

    fn switch_on(&self) -> ProposedStudy {
        let duration = studies_for(self.supply).duration;
        let settings = StudySettings::SwitchOn(Course::suggested(duration.text));
        ProposedStudy { study: self.study("switch_on", "Switch-on", settings), fits: true, reason: duration.reason }
    }

    fn settled(&self, repeats: f64) -> ProposedStudy {
        let period = self.switching.unwrap_or(repeats);
        let reason = match period {
            period if period > 0.0 => format!("the circuit repeats every {}", show(period, Unit::Second, 3)),
            _ => "nothing in it repeats by time; a circuit that oscillates by itself is found all the same".to_owned(),
        };
        let duration = if period > 0.0 { rounded(SETTLED * period) } else { 1e-3 };
        let settings = StudySettings::Settled(Course::lasting(entry(duration)));
        ProposedStudy { study: self.study("settled", "Settled", settings), fits: period > 0.0, reason }
    }

    /// A course that steps a tenth after its beginning, and how long that stays.
    fn stepped(&self, part: &str, [from, to]: [Option<f64>; 2], back: bool) -> Stepped {
        let duration = studies_for(self.supply).duration.text;
        let lasts = circuit::number_in(self.supply, &duration, Unit::Second).unwrap_or(1e-3);
        let text = |value: f64| entry(rounded(value));
        let step = to.map(|to| Step {
            part: part.to_owned(),
            from: from.map(text),
            to: text(to),
            at: text(STEPS_AT * lasts),
            stays: back.then(|| text(STAYS * lasts)),
            ..Step::default()
        });
        Stepped { course: Course::lasting(duration), step }
    }

    fn load_step(&self) -> ProposedStudy {
        let propose = |stepped: Stepped, fits: bool, reason: String| ProposedStudy {
            study: self.study("load_step", "Load step", StudySettings::LoadStep(stepped)),
            fits,
            reason,
        };
        if let Some(own) = self.supply.parts.iter().find(|part| part.kind == KindId::SteppedLoad) {
            return propose(self.stepped(&own.id, [None, None], false), true, format!("{} steps by itself", own.id));
        }
        match self.load() {
            None => {
                let none = Stepped { course: self.stepped("", [None, None], false).course, step: None };
                propose(none, false, "it has no load at an output; add one, or a stepped load".to_owned())
            }
            Some((part, current)) => {
                let full = show(current, Unit::Ampere, 3);
                let reason = format!("{} from half of its {full} to all of it, and back", part.id);
                propose(self.stepped(&part.id, [Some(LOAD_FROM * current), Some(current)], true), true, reason)
            }
        }
    }

    /// What draws most: a load, else the smallest resistor at an output; and what it draws, A.
    fn load(&self) -> Option<(&Part, f64)> {
        let outputs = demands(self.supply).1;
        let highest = self.fed_by().and_then(|part| self.gives(part));
        let voltage = outputs.first().map(|output| output.voltage.abs()).or(highest)?;
        let draws = |part: &Part| {
            let value = |parameter: &str| parameter_in(self.supply, part, parameter);
            match part.kind {
                KindId::CurrentLoad => value("current"),
                KindId::PowerLoad => value("power").map(|power| power / voltage),
                _ => None,
            }
        };
        let loads = self.supply.parts.iter().filter_map(|part| Some((part, draws(part)?)));
        let largest = loads.filter(|(_, current)| *current > 0.0).max_by(|a, b| a.1.total_cmp(&b.1));
        let outlets = smoothed(self.supply);
        let across = |part: &&Part| {
            let nets: Vec<&String> = part.pins.values().collect();
            part.kind == KindId::Resistor
                && nets.iter().any(|net| *net == GND)
                && nets.iter().any(|net| outlets.contains(net))
        };
        let resistors = self.supply.parts.iter().filter(across).filter_map(|part| {
            let resistance = parameter_in(self.supply, part, "resistance").filter(|r| *r > 0.0)?;
            Some((part, voltage / resistance))
        });
        largest.or_else(|| resistors.max_by(|a, b| a.1.total_cmp(&b.1)))
    }

    /// The source that power comes from: of the path's first stage, else the highest.
    fn fed_by(&self) -> Option<&Part> {
        let steps = |part: &&Part| matches!(part.kind, KindId::DcSource | KindId::SineSource);
        let first = self.supply.stages.first().map(|stage| stage.id.as_str());
        let sources = || self.supply.parts.iter().filter(steps);
        let of_path = sources().find(|part| first.is_some() && part.stage.as_deref() == first);
        let height = |part: &&Part| self.gives(part).unwrap_or(0.0);
        of_path.or_else(|| sources().max_by(|a, b| height(a).total_cmp(&height(b))))
    }

    /// What a source is set to, V, whichever way it is meant.
    fn gives(&self, part: &Part) -> Option<f64> {
        let parameter = if part.kind == KindId::SineSource { "amplitude" } else { "voltage" };
        parameter_in(self.supply, part, parameter).map(f64::abs)
    }

    fn line_step(&self) -> ProposedStudy {
        let propose = |stepped: Stepped, fits: bool, reason: String| ProposedStudy {
            study: self.study("line_step", "Line step", StudySettings::LineStep(stepped)),
            fits,
            reason,
        };
        let Some((part, volts)) = self.fed_by().and_then(|part| Some((part, self.gives(part)?))) else {
            let none = Stepped { course: self.stepped("", [None, None], false).course, step: None };
            return propose(none, false, "it has no DC or sine source that could step".to_owned());
        };
        // What is stated of mains says nothing of a battery.
        let alike = |d: &Source| (d.kind == SourceKind::Dc) == (part.kind == KindId::DcSource);
        let stated =
            demands(self.supply).0.filter(alike).filter(|d| d.lowest < d.nominal).map(|d| d.lowest / d.nominal);
        let to = stated.unwrap_or(LINE_TO) * volts;
        let least = if stated.is_some() { "the lowest it must work from" } else { "nine tenths" };
        let sine = part.kind == KindId::SineSource;
        let back = if sine { "" } else { ", and back" };
        let reason = format!("{} to {least}, {}{back}", part.id, show(to, Unit::Volt, 3));
        propose(self.stepped(&part.id, [None, Some(to)], !sine), true, reason)
    }

    fn operating_point(&self) -> ProposedStudy {
        let alternates = self.alternates();
        let reason = match alternates {
            Some(part) => format!("{} rests at its mean, so what it feeds rests too", part.id),
            None => "nothing in it alternates".to_owned(),
        };
        let study = self.study("operating_point", "Operating point", StudySettings::OperatingPoint);
        ProposedStudy { study, fits: alternates.is_none(), reason }
    }

    /// A source that is not the same all the time.
    fn alternates(&self) -> Option<&Part> {
        let stepping = |part: &Part| self.switching.is_some() && part.kind.is_modulator();
        self.supply.parts.iter().find(|part| is_periodic(part.kind) || stepping(part))
    }

    fn frequency(&self) -> ProposedStudy {
        let outputs = outlets(self.supply);
        let output = outputs.first();
        let source = self.fed_by();
        let pin = self.circuit.and_then(|circuit| circuit.pins_in_loops().into_iter().next());
        let mut questions = Vec::new();
        let mut ask = |id: &str, asks: Asks| questions.push(FrequencyQuestion { id: id.to_owned(), asks, tones: None });
        if let Some((part, pin)) = &pin {
            ask("loop", Asks::LoopGain { pin: format!("{part}.{pin}"), cut: false });
        }
        if let Some(net) = output {
            ask("zout", Asks::OutputImpedance { net: net.clone(), back: None });
        }
        if let (Some(source), Some(net)) = (source, output) {
            ask("rejection", Asks::LineRejection { source: source.id.clone(), signal: format!("{net}.v") });
        }
        if let Some(source) = source {
            ask("zin", Asks::InputImpedance { source: source.id.clone() });
        }
        let sines = source.is_some_and(|source| source.kind == KindId::SineSource) && self.switching.is_none();
        let fits = !questions.is_empty() && !sines;
        let reason = match (&pin, self.switching) {
            _ if sines => "its source alternates: at the operating point everything behind it rests at zero".to_owned(),
            _ if questions.is_empty() => "it has no loop, no source and no output to ask about".to_owned(),
            (Some((part, pin)), _) => format!("a loop passes through {part}.{pin}"),
            (None, Some(_)) => "about its settled state, up to half its switching frequency".to_owned(),
            (None, None) => "about its operating point".to_owned(),
        };
        let (from, to) = match self.switching {
            Some(period) => (rounded(FIRST_OF_SWITCHING / period), 0.5 / period),
            None => (FIRST, LAST),
        };
        let strips = frequency_strips(&questions);
        let asked = OverFrequency { from: entry(from), to: entry(to), per_decade: None, questions };
        let study = Study { strips, ..Study::new("frequency", "Frequency", StudySettings::Frequency(asked)) };
        ProposedStudy { study, fits, reason }
    }
}

/// Gives every study without strips those it would have been proposed with.
pub fn with_strips(mut supply: Supply) -> Supply {
    if supply.studies.iter().all(|study| !study.strips.is_empty()) {
        return supply;
    }
    let usual = if converts(&supply) { converter_strips(&supply) } else { strips(&supply) };
    for study in supply.studies.iter_mut().filter(|study| study.strips.is_empty()) {
        study.strips = match &study.settings {
            StudySettings::Frequency(asked) => frequency_strips(&asked.questions),
            _ => usual.clone(),
        };
    }
    supply
}

/// Gain and phase of a loop, impedances together, rejection.
pub(crate) fn frequency_strips(questions: &[FrequencyQuestion]) -> Vec<Strip> {
    let of = |wanted: fn(&Asks) -> bool| {
        questions.iter().filter(move |q| wanted(&q.asks)).map(|q| q.id.clone()).collect::<Vec<String>>()
    };
    let gains = of(|asks| matches!(asks, Asks::LoopGain { .. } | Asks::Response { .. }));
    let impedances = of(|asks| matches!(asks, Asks::OutputImpedance { .. } | Asks::InputImpedance { .. }));
    let rejections = of(|asks| matches!(asks, Asks::LineRejection { .. }));
    let decibels = CurveLook { decibels: true, ..CurveLook::default() };
    let phase = CurveLook { side: CurveSide::Phase, ..CurveLook::default() };
    let strips =
        [(gains.clone(), decibels.clone()), (gains, phase), (impedances, CurveLook::default()), (rejections, decibels)];
    strips.into_iter().filter(|(curves, _)| !curves.is_empty()).map(|(c, look)| Strip::of_curves(c, look)).collect()
}
