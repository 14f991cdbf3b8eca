//! A settled state as facts: its period and what gives it, how windings conduct, what becomes of small disturbances.

use crate::recorded::{Recorded, covering};
use circuit::{Circuit, Quantity, ReadingMeasure, ResolvedPart, Signal, Term};
use readings::{Question, Survey, Ticket};
use recording::{Complex64, Conduction};
use schemars::JsonSchema;
use serde::{Deserialize, Serialize};

/// What is known of a settled state.
#[derive(Clone, Debug, Default, PartialEq, Serialize, Deserialize, JsonSchema)]
pub struct SettledFacts {
    /// Period, s.
    pub period: f64,
    /// What gives it, in words.
    pub given_by: String,
    /// Steps of Newton's method it took.
    pub iterations: u32,
    /// What a period leaves of the small disturbance that lasts longest, as a factor; none where there is no state to disturb or it
    /// could not be told.
    pub leaves: Option<f64>,
    /// That in words.
    pub stability: String,
    /// How each part with windings conducts.
    pub windings: Vec<WindingFacts>,
    /// Duty of each modulator's output.
    pub duties: Vec<DutyFacts>,
}

/// How a part with windings conducts.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize, JsonSchema)]
pub struct WindingFacts {
    /// Designator.
    pub part: String,
    /// Whether it never stops carrying current, just touches zero, or stops for a while.
    pub conduction: Conducts,
    /// Share of the period without current.
    pub idle: f64,
}

/// Ways in which a winding carries current over a period.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Serialize, Deserialize, JsonSchema)]
#[serde(rename_all = "snake_case")]
#[allow(missing_docs)]
pub enum Conducts {
    Continuous,
    Boundary,
    Discontinuous,
}

/// The duty of a modulator's output.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize, JsonSchema)]
pub struct DutyFacts {
    /// Designator.
    pub part: String,
    /// Share of the period its output is high.
    pub duty: f64,
}

/// Share of a period without current up to which a winding counts as just touching zero.
const TOUCHING: f64 = 5e-3;
/// Relative difference at which a period counts as another's.
const ALIKE: f64 = 1e-6;

impl SettledFacts {
    /// What an engine knows of the state it found; `own` says that nothing times it.
    pub(crate) fn new(
        circuit: &Circuit,
        (period, own): (f64, bool),
        iterations: u32,
        multipliers: &[Complex64],
        windings: &[Conduction],
    ) -> Self {
        let windings = windings.iter().map(|winding| WindingFacts {
            part: winding.part.clone(),
            conduction: match winding.idle {
                idle if idle <= 0.0 => Conducts::Continuous,
                idle if idle < TOUCHING => Conducts::Boundary,
                _ => Conducts::Discontinuous,
            },
            idle: winding.idle,
        });
        let leaves = multipliers.first().map(|m| m.norm()).filter(|left| left.is_finite());
        SettledFacts {
            period,
            given_by: if own {
                "the circuit itself, which nothing times".to_owned()
            } else {
                timed_by(circuit, period)
            },
            iterations,
            leaves,
            stability: in_words(leaves, multipliers),
            windings: windings.collect(),
            duties: Vec::new(),
        }
    }
}

/// The period of what times a part, s.
fn period_of(part: &ResolvedPart) -> Option<f64> {
    let clocked = || part.kind.kind().parameter("frequency").map(|_| 1.0 / part.value("frequency"));
    part.period().or_else(|| if part.kind.is_modulator() { clocked() } else { None })
}

/// The parts whose period it is, or of whose periods it is a whole number.
fn timed_by(circuit: &Circuit, period: f64) -> String {
    let timed: Vec<(&str, f64)> =
        circuit.parts.iter().filter_map(|part| Some((part.id.as_str(), period_of(part)?))).collect();
    let own: Vec<&str> =
        timed.iter().filter(|(_, p)| (p / period - 1.0).abs() < ALIKE).map(|(part, _)| *part).collect();
    let all: Vec<&str> = timed.iter().map(|(part, _)| *part).collect();
    match (&own[..], &all[..]) {
        ([], []) => "the circuit itself".to_owned(),
        ([], all) => format!("{} together, a whole number of periods of each", all.join(", ")),
        (own, _) => own.join(", "),
    }
}

fn in_words(leaves: Option<f64>, multipliers: &[Complex64]) -> String {
    match leaves {
        None if multipliers.is_empty() => "nothing in it can be disturbed".to_owned(),
        None => "whether small disturbances die out could not be told".to_owned(),
        Some(left) if left > 1.0 => "a small disturbance grows: this state will not be kept".to_owned(),
        Some(left) if left > 1.0 - 1e-9 => "a small disturbance stays".to_owned(),
        Some(left) if left < 1e-6 => "a small disturbance is gone within a period".to_owned(),
        // How many periods leave a hundredth.
        Some(left) => {
            let periods = (0.01f64.ln() / left.ln()).ceil().max(1.0);
            format!("a small disturbance has shrunk to a hundredth after {periods} periods")
        }
    }
}

/// Duties on their way: of each modulator its output.
pub(crate) struct Duties(Vec<(String, Ticket)>);

impl Duties {
    pub(crate) fn new(of: &Recorded<'_, '_>, survey: &mut Survey) -> Self {
        let modulators = of.circuit.parts.iter().filter(|part| part.kind.is_modulator());
        let asked = modulators.filter_map(|part| {
            let term = Term { negative: false, of: of.circuit.nets[part.pins[0]].clone(), quantity: Quantity::Voltage };
            let span = covering(of.whole, of.whole).ok()?;
            let question = Question::new(ReadingMeasure::Duty, &[None], span, None).ok()?;
            let recipe = of.recipe(&Signal { terms: vec![term] }).ok()?;
            Some((part.id.clone(), survey.ask_within(vec![recipe], span, question)))
        });
        Duties(asked.collect())
    }

    pub(crate) fn found(&self, survey: &Survey) -> Vec<DutyFacts> {
        let duty = |(part, ticket): &(String, Ticket)| {
            Some(DutyFacts { part: part.clone(), duty: survey.answer(*ticket).ok()? })
        };
        self.0.iter().filter_map(duty).collect()
    }
}
