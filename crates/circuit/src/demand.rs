//! What a supply is fed from and what it must deliver, as the document says it.

use schemars::JsonSchema;
use serde::{Deserialize, Serialize};

/// What feeds the supply.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct SourceDemand {
    /// What it is.
    pub kind: SourceKind,
    /// Nominal voltage: RMS of a phase for alternating ones.
    pub voltage: String,
    /// Lowest voltage the supply must work from; the nominal one if left out.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub lowest: Option<String>,
    /// Highest voltage the supply must bear; the nominal one if left out.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub highest: Option<String>,
    /// Frequency of alternating ones; 50 Hz if left out.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub frequency: Option<String>,
}

/// The kinds of source.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Serialize, Deserialize, JsonSchema)]
#[serde(rename_all = "snake_case")]
#[allow(missing_docs)]
pub enum SourceKind {
    Mains,
    ThreePhaseMains,
    Dc,
}

/// A voltage the supply must deliver.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct OutputDemand {
    /// Identifier, unique among outputs.
    pub id: String,
    /// The name shown.
    pub title: String,
    /// Nominal voltage; negative for a negative rail.
    pub voltage: String,
    /// Largest current drawn.
    pub current: String,
    /// Deviation of the mean allowed, relative; 0.05 if left out.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub accuracy: Option<String>,
    /// Ripple allowed, peak to peak; a hundredth of the voltage if left out.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub ripple: Option<String>,
}
