use crate::curves::Curves;
use crate::settled::SettledFacts;
use crate::stress::PartStress;
use quantity::Unit;
use recording::Health;
use schemars::JsonSchema;
use serde::{Deserialize, Serialize};

/// What came out of a run.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize, JsonSchema)]
pub struct Outcome {
    /// How it ended.
    pub end: End,
    /// The numbers taken from it, in document order.
    pub readings: Vec<ReadingResult>,
    /// How each requirement fared, in document order.
    pub verdicts: Vec<Verdict>,
    /// Power through each stage, in document order.
    pub stages: Vec<StageFigures>,
    /// Why to trust the numbers.
    pub health: RunHealth,
    /// What the parts had to bear.
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    pub stresses: Vec<PartStress>,
    /// What a frequency study found.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub curves: Option<Curves>,
}

/// How a run ended.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize, JsonSchema)]
#[serde(tag = "how", rename_all = "snake_case")]
pub enum End {
    /// It reached its end.
    Done,
    /// It was stopped; what was recorded until then is kept.
    Stopped {
        /// Simulated time reached, s.
        time: f64,
    },
    /// It could not go on; what was recorded until then is kept.
    Failed {
        /// What happened, where, and what to do.
        message: String,
    },
}

/// A reading's value, or why there is none.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize, JsonSchema)]
pub struct ReadingResult {
    /// Identifier of the reading.
    pub id: String,
    /// Its unit.
    pub unit: Unit,
    /// The value in SI base units.
    pub value: Option<f64>,
    /// Why there is no value.
    pub problem: Option<String>,
    /// The window read, s, for showing where the number comes from.
    pub window: Option<(f64, f64)>,
    /// What a meter showed of it, in SI base units.
    #[serde(default)]
    pub metered: Option<f64>,
}

/// How a requirement fared.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize, JsonSchema)]
pub struct Verdict {
    /// Identifier of the requirement.
    pub id: String,
    /// Met, close, missed or not tried.
    pub standing: Standing,
    /// Distance to the nearer limit relative to the limit, or to half the band between two; negative if
    /// missed.
    pub margin: Option<f64>,
    /// The value judged.
    pub value: Option<f64>,
    /// The unit of value and limits.
    pub unit: Unit,
    /// Lower limit.
    pub at_least: Option<f64>,
    /// Upper limit.
    pub at_most: Option<f64>,
}

/// Whether a requirement is met.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Serialize, Deserialize, JsonSchema)]
#[serde(rename_all = "snake_case")]
pub enum Standing {
    /// Within the limits with at least a tenth of the limit to spare.
    Met,
    /// Within the limits by less than a tenth.
    Close,
    /// Outside the limits.
    Missed,
    /// The latest run gives no value.
    NotTried,
}

/// The power path at one stage, averaged over the last whole period, or over the last tenth of
/// the run if nothing is periodic.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize, JsonSchema)]
pub struct StageFigures {
    /// Identifier of the stage.
    pub id: String,
    /// Power arriving from the stage before, W; zero for a source.
    pub power_in: f64,
    /// Power passed on, W.
    pub power_out: f64,
    /// Power absorbed by the stage's own parts, W; negative for a source.
    pub absorbed: f64,
    /// Mean voltage of the net behind the stage, V.
    pub voltage: Option<f64>,
    /// RMS voltage of the net behind the stage, V.
    pub voltage_rms: Option<f64>,
    /// Peak-to-peak voltage of the net behind the stage, V.
    pub ripple: Option<f64>,
}

/// Why to trust a run.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize, JsonSchema)]
pub struct RunHealth {
    /// Engine statistics and energy balance.
    pub engine: Health,
    /// Accuracy aimed at, relative to full scale.
    pub tolerance: f64,
    /// Version of the numerics.
    pub engine_version: String,
    /// By which engine it was simulated, and why.
    #[serde(default)]
    pub simulated: String,
    /// How far the end of the run is from steady.
    pub steadiness: Option<Steadiness>,
    /// What is known of the settled state, of a study that looks for it.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub settled: Option<SettledFacts>,
    /// What to keep in mind when reading the numbers.
    pub warnings: Vec<String>,
}

/// The largest change of a net's mean from the last period but one to the last; tenths of the
/// run stand in where nothing is periodic.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize, JsonSchema)]
pub struct Steadiness {
    /// The net that changes most.
    pub net: String,
    /// Its change in V.
    pub change: f64,
    /// Its change relative to its peak-to-peak or mean, whichever is larger.
    pub relative: f64,
    /// Length of the period, or of the tenth of the run taken for one, s.
    pub over: f64,
}
