use schemars::JsonSchema;
use serde::{Deserialize, Serialize};
use std::collections::BTreeMap;

/// One step of the power path.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct Stage {
    /// Identifier, unique among stages.
    pub id: String,
    /// What the stage does.
    pub kind: StageKind,
    /// The name shown.
    pub title: String,
    /// The stage that feeds this one; none for a source.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub after: Option<String>,
    /// Which of that stage's joints feeds it, counted from 0.
    #[serde(default, skip_serializing_if = "is_zero")]
    pub from_joint: u32,
    /// The net behind the stage whose voltage stands on its card.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub output: Option<String>,
    /// The form it was composed in, from the stage catalogue; none if it was drawn by hand.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub form: Option<String>,
    /// Where further stages can be joined behind it.
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    pub joints: Vec<Joint>,
    /// Whether it is left out of every run, what follows being joined to what comes before.
    #[serde(default, skip_serializing_if = "std::ops::Not::not")]
    pub bypassed: bool,
    /// What was chosen when it was sized, by the identifier of the choice.
    #[serde(default, skip_serializing_if = "BTreeMap::is_empty")]
    pub choices: BTreeMap<String, String>,
    /// What sizing proposed, by role and parameter (`reservoir.capacitance`); a parameter that differs
    /// was chosen by hand.
    #[serde(default, skip_serializing_if = "BTreeMap::is_empty")]
    pub sized: BTreeMap<String, String>,
}

fn is_zero(n: &u32) -> bool {
    *n == 0
}

/// What a stage does in the power path.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Serialize, Deserialize, JsonSchema)]
#[serde(rename_all = "snake_case")]
#[allow(missing_docs)]
pub enum StageKind {
    Source,
    Transformer,
    Rectifier,
    Reservoir,
    Filter,
    Protection,
    Regulator,
    Converter,
    Load,
}

/// The nets in which power flows from one stage to the next.
#[derive(Clone, Debug, PartialEq, Eq, Serialize, Deserialize, JsonSchema)]
#[serde(tag = "joint", rename_all = "snake_case", deny_unknown_fields)]
#[allow(missing_docs)]
pub enum Joint {
    /// A single-phase alternating voltage.
    Ac { line: String, back: String },
    /// A winding with a tap in its middle.
    Tapped { line: String, tap: String, back: String },
    /// Three phases and a neutral.
    ThreePhase { l1: String, l2: String, l3: String, neutral: String },
    /// A direct voltage, or a rectified one.
    Dc { plus: String, minus: String },
    /// A positive and a negative voltage about a common net.
    Split { plus: String, zero: String, minus: String },
}

/// The kind of a [`Joint`].
#[derive(Clone, Copy, Debug, PartialEq, Eq, Hash, Serialize, Deserialize, JsonSchema)]
#[serde(rename_all = "snake_case")]
#[allow(missing_docs)]
pub enum JointKind {
    Ac,
    Tapped,
    ThreePhase,
    Dc,
    Split,
}

impl JointKind {
    /// The name in the trade, as in "takes a direct voltage".
    pub fn name(self) -> &'static str {
        match self {
            JointKind::Ac => "a single-phase alternating voltage",
            JointKind::Tapped => "a centre-tapped winding",
            JointKind::ThreePhase => "three phases",
            JointKind::Dc => "a direct voltage",
            JointKind::Split => "a positive and a negative voltage",
        }
    }
}

impl Joint {
    /// Its kind.
    pub fn kind(&self) -> JointKind {
        match self {
            Joint::Ac { .. } => JointKind::Ac,
            Joint::Tapped { .. } => JointKind::Tapped,
            Joint::ThreePhase { .. } => JointKind::ThreePhase,
            Joint::Dc { .. } => JointKind::Dc,
            Joint::Split { .. } => JointKind::Split,
        }
    }

    /// Its nets in the order of the fields, the one whose voltage is shown first.
    pub fn nets(&self) -> Vec<&str> {
        match self {
            Joint::Ac { line, back } => vec![line, back],
            Joint::Tapped { line, tap, back } => vec![line, tap, back],
            Joint::ThreePhase { l1, l2, l3, neutral } => vec![l1, l2, l3, neutral],
            Joint::Dc { plus, minus } => vec![plus, minus],
            Joint::Split { plus, zero, minus } => vec![plus, zero, minus],
        }
    }

    /// Gives one of its nets another name.
    pub fn rename(&mut self, from: &str, to: &str) {
        let nets = self.nets().into_iter().map(|net| if net == from { to } else { net }.to_owned()).collect();
        if let Some(renamed) = Joint::of(self.kind(), nets) {
            *self = renamed;
        }
    }

    /// A joint of a kind on nets in the order of [`Joint::nets`]; none if their count does not fit.
    pub fn of(kind: JointKind, nets: Vec<String>) -> Option<Joint> {
        let count = nets.len();
        let mut nets = nets.into_iter();
        let mut next = || nets.next().unwrap_or_default();
        let joint = match kind {
            JointKind::Ac => Joint::Ac { line: next(), back: next() },
            JointKind::Tapped => Joint::Tapped { line: next(), tap: next(), back: next() },
            JointKind::ThreePhase => Joint::ThreePhase { l1: next(), l2: next(), l3: next(), neutral: next() },
            JointKind::Dc => Joint::Dc { plus: next(), minus: next() },
            JointKind::Split => Joint::Split { plus: next(), zero: next(), minus: next() },
        };
        (joint.nets().len() == count).then_some(joint)
    }
}
