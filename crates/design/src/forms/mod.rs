//! The stage catalogue: what can be composed, and how each form is designed.
//!
//! A form is one row of [`FORMS`] and one function that fills in a [`Draft`]. It sizes from what the
//! stage before delivers and what those behind need, and says how.

mod filters;
mod linear;
mod loads;
mod protection;
mod rectifiers;
mod series_pass;
mod sources;
mod transformers;
mod zeners;

use crate::delivered::Rectifies;
use crate::draft::Draft;
use circuit::{JointKind, StageKind};
use schemars::JsonSchema;
use serde::Serialize;

/// A form a stage can have.
#[derive(Serialize, JsonSchema)]
#[schemars(rename = "StageForm")]
pub struct Form {
    /// Identifier in documents.
    pub id: &'static str,
    /// Name shown.
    pub title: &'static str,
    /// Its place in the power path.
    pub kind: StageKind,
    /// What it is good for, in a sentence.
    pub help: &'static str,
    /// What it must be joined to; none for a source.
    pub takes: Option<JointKind>,
    #[serde(skip)]
    pub(crate) design: fn(&mut Draft<'_>),
    /// What it needs of the voltage before it.
    #[serde(skip)]
    pub(crate) needs: Needs,
    /// How it rectifies, if it does.
    #[serde(skip)]
    pub(crate) rectifies: Option<Rectifies>,
}

impl Form {
    /// A form that passes on what those behind it need.
    const fn passing(
        kind: StageKind,
        id: &'static str,
        title: &'static str,
        takes: JointKind,
        help: &'static str,
        design: fn(&mut Draft<'_>),
    ) -> Form {
        Form { id, title, kind, help, takes: Some(takes), design, needs: Needs::Passes, rectifies: None }
    }

    /// This form as a rectifier with so many diodes in the path and pulses per period.
    const fn rectifying(mut self, diodes: f64, pulses: f64) -> Form {
        self.rectifies = Some(Rectifies { diodes, pulses, halves: false });
        self
    }
}

/// How a form passes demands on to what lies before it.
#[derive(Clone, Copy, Debug, PartialEq)]
pub(crate) enum Needs {
    /// What those behind need.
    Passes,
    /// It makes an output's voltage from a higher one: headroom above it, V, and own current, A.
    Regulates { headroom: f64, own: f64 },
    /// It takes an output's voltage as it is.
    Loads,
    /// It draws a current of its own, A.
    Draws(f64),
}

/// A form by its identifier.
pub fn form(id: &str) -> Option<&'static Form> {
    FORMS.iter().find(|f| f.id == id)
}

/// Every form, in the order of the power path.
pub const FORMS: &[Form] = &[
    sources::MAINS,
    sources::THREE_PHASE_MAINS,
    sources::DC,
    sources::BATTERY,
    sources::PULSE,
    transformers::TRANSFORMER,
    transformers::CENTRE_TAPPED,
    transformers::TWO_SECONDARIES,
    transformers::ISOLATING,
    protection::FUSE,
    protection::INRUSH_RESISTOR,
    protection::BYPASSED_RESISTOR,
    protection::INRUSH_NTC,
    rectifiers::HALF_WAVE,
    rectifiers::CENTRE_TAP,
    rectifiers::BRIDGE,
    rectifiers::SYNCHRONOUS_BRIDGE,
    rectifiers::DUAL_RAIL,
    rectifiers::DOUBLER,
    rectifiers::THREE_PHASE_BRIDGE,
    filters::RESERVOIR,
    filters::SPLIT_RESERVOIR,
    filters::RC,
    filters::LC,
    filters::CLC,
    protection::OVERVOLTAGE_CLAMP,
    protection::GATE_CLAMP,
    zeners::ZENER_SHUNT,
    zeners::ZENER_FOLLOWER,
    zeners::ZENER_SPLIT,
    linear::FIXED_REGULATOR,
    linear::ADJUSTABLE_REGULATOR,
    linear::SPLIT_REGULATORS,
    series_pass::FOLLOWER,
    series_pass::LOW_DROPOUT,
    linear::INDICATOR,
    loads::RESISTIVE,
    loads::CURRENT,
    loads::POWER,
    loads::STEPPED,
    loads::PULSED,
    loads::SPLIT,
];
