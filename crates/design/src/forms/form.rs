//! What a form is.

use crate::delivered::Rectifies;
use crate::draft::{Ask, Draft};
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
    /// Its answer to what it is asked.
    pub(crate) fn draft<'a>(&self, ask: &'a Ask) -> Draft<'a> {
        let mut draft = Draft::new(ask);
        (self.design)(&mut draft);
        draft
    }

    /// A form that passes on what those behind it need.
    pub(super) const fn passing(
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
    pub(super) const fn rectifying(mut self, diodes: f64, pulses: f64) -> Form {
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
