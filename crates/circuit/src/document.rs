use crate::{Derating, KindId, OutputDemand, ReadingMeasure, SourceDemand, Stage, Study, Window};
use quantity::Unit;
use schemars::JsonSchema;
use serde::{Deserialize, Serialize};
use std::collections::BTreeMap;

/// The document format this version writes, and the newest it reads.
pub const FORMAT: u32 = 1;

/// The name of the reference net.
pub const GND: &str = "gnd";

/// A supply: what it must do, its circuit, how to try it and what to read off.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct Supply {
    /// Format version of the document, now 1.
    pub mellow_coil: u32,
    /// The supply's name.
    pub title: String,
    /// Free text.
    #[serde(default)]
    pub notes: String,
    /// What feeds the supply.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub source: Option<SourceDemand>,
    /// What it must deliver.
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    pub outputs: Vec<OutputDemand>,
    /// Named values usable in the parameters of parts and studies.
    #[serde(default)]
    pub values: Vec<DesignValue>,
    /// How much of their ratings parts may use.
    #[serde(default, skip_serializing_if = "Derating::is_none")]
    pub derating: Derating,
    /// The steps of the power path, in order.
    #[serde(default)]
    pub stages: Vec<Stage>,
    /// The components.
    #[serde(default)]
    pub parts: Vec<Part>,
    /// Notes in the drawing.
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    pub texts: Vec<Note>,
    /// The ways to try the supply.
    #[serde(default)]
    pub studies: Vec<Study>,
    /// The numbers taken from a run.
    #[serde(default)]
    pub readings: Vec<Reading>,
    /// What the supply must do.
    #[serde(default)]
    pub requirements: Vec<Requirement>,
}

/// A named number, given directly or in terms of other named numbers.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct DesignValue {
    /// Name: a letter, then letters, digits and `_`.
    pub name: String,
    /// A value such as `4k7`, or an expression such as `2 * V_line`.
    pub value: String,
    /// The unit the value is written and shown in.
    pub unit: Unit,
    /// Free text.
    #[serde(default, skip_serializing_if = "String::is_empty")]
    pub note: String,
}

/// A component: its kind, the nets of its pins, its parameters, its place in the drawing.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct Part {
    /// Designator, unique among parts: letters and a number, `C1`.
    pub id: String,
    /// The part kind.
    pub kind: KindId,
    /// The stage the part belongs to.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub stage: Option<String>,
    /// The net of each pin.
    pub pins: BTreeMap<String, String>,
    /// Parameters that differ from the kind's default: a value, an expression or a choice.
    #[serde(default)]
    pub parameters: BTreeMap<String, String>,
    /// What the part is rated for, by the kind's ratings.
    #[serde(default, skip_serializing_if = "BTreeMap::is_empty")]
    pub ratings: BTreeMap<String, String>,
    /// The entry of the parts catalogue it was taken from.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub generic: Option<String>,
    /// Where the part stands in the drawing.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub at: Option<Placement>,
    /// What the part is in its stage's form, for sizing it again.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub role: Option<String>,
}

/// A note in the drawing.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct Note {
    /// What it says; lines are kept.
    pub text: String,
    /// Grid column of its left end.
    pub x: i32,
    /// Grid row of its first line.
    pub y: i32,
}

/// Place and orientation of a part in the drawing, in grid squares.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct Placement {
    /// Grid column, growing to the right.
    pub x: i32,
    /// Grid row, growing downwards.
    pub y: i32,
    /// Clockwise turn.
    #[serde(default)]
    pub turn: Turn,
    /// Mirrored left to right before turning.
    #[serde(default, skip_serializing_if = "std::ops::Not::not")]
    pub mirror: bool,
    /// Whether a user put it there, so that tidying can leave it alone.
    #[serde(default, skip_serializing_if = "std::ops::Not::not")]
    pub by_hand: bool,
}

impl Placement {
    /// A place that nobody chose by hand.
    pub fn new(x: i32, y: i32, turn: Turn, mirror: bool) -> Self {
        Placement { x, y, turn, mirror, by_hand: false }
    }
}

/// A clockwise turn by quarter circles.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq, Serialize, Deserialize, JsonSchema)]
#[serde(rename_all = "snake_case")]
pub enum Turn {
    /// As the symbol is defined.
    #[default]
    None,
    /// 90° clockwise.
    Quarter,
    /// 180°.
    Half,
    /// 270° clockwise.
    ThreeQuarters,
}

/// A named number taken from a run.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct Reading {
    /// Identifier, unique among readings.
    pub id: String,
    /// The name shown.
    pub title: String,
    /// The study whose run it is taken from.
    pub study: String,
    /// What is measured.
    pub measure: ReadingMeasure,
    /// Of which signal: `bus.v`, `D1.i`, `a.v - b.v`; for powers the voltage. Empty where it is of no signal.
    #[serde(default, skip_serializing_if = "String::is_empty")]
    pub signal: String,
    /// The current that flows with the voltage, for powers.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub current: Option<String>,
    /// The stage of the power path; the whole supply if left out.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub stage: Option<String>,
    /// Numbers of the measure, by name; those left out have their defaults.
    #[serde(default, skip_serializing_if = "BTreeMap::is_empty")]
    pub numbers: BTreeMap<String, String>,
    /// Arithmetic among readings by their identifiers.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub formula: Option<String>,
    /// Of readings against a mask: its points, frequency in Hz and magnitude in the curve's unit, joined by straight lines on
    /// logarithmic scales, such as `10 100m, 10k 100m, 1M 1`.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub mask: Option<String>,
    /// What a meter showed of it on the bench, to be held against it.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub metered: Option<String>,
    /// Over which part of the run.
    #[serde(default)]
    pub window: Window,
}

impl Reading {
    /// A reading of a signal, without numbers.
    pub fn new([id, title, study, signal]: [&str; 4], measure: ReadingMeasure, window: Window) -> Self {
        Reading {
            id: id.to_owned(),
            title: title.to_owned(),
            study: study.to_owned(),
            measure,
            signal: signal.to_owned(),
            current: None,
            stage: None,
            numbers: BTreeMap::new(),
            formula: None,
            mask: None,
            metered: None,
            window,
        }
    }

    /// The signals it is taken of, and those its window is found by.
    pub fn signals(&self) -> impl Iterator<Item = &str> {
        let own = std::iter::once(self.signal.as_str()).filter(|s| !s.is_empty()).chain(self.current.as_deref());
        own.chain(self.window.signals())
    }
}

/// One thing the supply must do: a reading within limits.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct Requirement {
    /// Identifier, unique among requirements.
    pub id: String,
    /// The name shown.
    pub title: String,
    /// The reading that decides it.
    pub reading: String,
    /// Lower limit, in the unit of the reading.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub at_least: Option<String>,
    /// Upper limit, in the unit of the reading.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub at_most: Option<String>,
}

impl Part {
    /// A part that belongs to no stage, with default parameters and no place.
    pub fn new(id: impl Into<String>, kind: KindId, pins: BTreeMap<String, String>) -> Self {
        Part {
            id: id.into(),
            kind,
            stage: None,
            pins,
            parameters: BTreeMap::new(),
            ratings: BTreeMap::new(),
            generic: None,
            at: None,
            role: None,
        }
    }
}

impl Supply {
    /// An empty supply with a title.
    pub fn new(title: impl Into<String>) -> Self {
        Supply {
            mellow_coil: FORMAT,
            title: title.into(),
            notes: String::new(),
            source: None,
            outputs: Vec::new(),
            values: Vec::new(),
            derating: Derating::default(),
            stages: Vec::new(),
            parts: Vec::new(),
            texts: Vec::new(),
            studies: Vec::new(),
            readings: Vec::new(),
            requirements: Vec::new(),
        }
    }

    /// The part with this designator.
    pub fn part(&self, id: &str) -> Option<&Part> {
        self.parts.iter().find(|p| p.id == id)
    }

    /// The stage with this identifier.
    pub fn stage(&self, id: &str) -> Option<&Stage> {
        self.stages.iter().find(|s| s.id == id)
    }
}
