//! What the strips of a study show, and how.

use schemars::JsonSchema;
use serde::de::value::MapAccessDeserializer;
use serde::de::{MapAccess, SeqAccess, Visitor};
use serde::{Deserialize, Deserializer, Serialize};
use std::fmt;

/// One plot among the strips of a study. Read from a list of signals too.
#[derive(Clone, Debug, Default, PartialEq, Serialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct Strip {
    /// Its traces.
    pub traces: Vec<Trace>,
    /// How they are shown.
    #[serde(default, skip_serializing_if = "is_usual")]
    pub shows: Shows,
    /// Its height over that of an ordinary strip.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    #[schemars(range(min = 0.2, max = 10.0))]
    pub height: Option<f64>,
    /// The scale on the left.
    #[serde(default, skip_serializing_if = "is_usual")]
    pub left: Scale,
    /// The scale on the right.
    #[serde(default, skip_serializing_if = "is_usual")]
    pub right: Scale,
}

/// A trace in a strip.
#[derive(Clone, Debug, Default, PartialEq, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct Trace {
    /// A signal or a formula of signals: `out.v`, `L1.i`, `db(out.v / in.v)`.
    pub signal: String,
    /// Place in the series of colours; chosen by the order of the traces if left out.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    #[schemars(range(max = 7))]
    pub colour: Option<u8>,
    /// How bold it is drawn.
    #[serde(default, skip_serializing_if = "is_usual")]
    pub weight: Weight,
    /// Whether the instants the engine computed are marked.
    #[serde(default, skip_serializing_if = "std::ops::Not::not")]
    pub points: bool,
    /// The scale it belongs to; chosen by its unit if left out.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub side: Option<Side>,
}

/// How a strip shows its traces.
#[derive(Clone, Debug, Default, PartialEq, Serialize, Deserialize, JsonSchema)]
#[serde(rename_all = "snake_case")]
pub enum Shows {
    /// Over time.
    #[default]
    Course,
    /// What they are made of, over frequency, within the span.
    Spectrum(SpectrumLook),
    /// Against another signal, within the span.
    #[serde(rename_all = "snake_case")]
    Against {
        /// The signal along the horizontal axis, or a formula.
        x: String,
    },
    /// In figures.
    Table,
    /// Over frequency: traces are curves of a frequency study by name, or formulas of them.
    Curve(CurveLook),
}

/// How curves over frequency are drawn.
#[derive(Clone, Debug, Default, PartialEq, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct CurveLook {
    /// What of each is drawn.
    #[serde(default)]
    pub side: CurveSide,
    /// Whether magnitudes stand in decibels, of one, or of one ohm.
    #[serde(default, skip_serializing_if = "std::ops::Not::not")]
    pub decibels: bool,
    /// Whether phases stay within ±180° instead of going on without jumps.
    #[serde(default, skip_serializing_if = "std::ops::Not::not")]
    pub wrapped: bool,
}

/// What of a curve over frequency is drawn.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq, Serialize, Deserialize, JsonSchema)]
#[serde(rename_all = "snake_case")]
pub enum CurveSide {
    /// Its magnitude.
    #[default]
    Magnitude,
    /// Its phase, degrees.
    Phase,
    /// Its group delay, s: how fast the phase falls.
    Delay,
    /// Imaginary against real part.
    Plane,
}

/// How a spectrum is taken and drawn.
#[derive(Clone, Debug, Default, PartialEq, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct SpectrumLook {
    /// What the span is weighted with.
    #[serde(default)]
    pub taper: Taper,
    /// Whether lines stand in decibels of one unit (RMS).
    #[serde(default, skip_serializing_if = "std::ops::Not::not")]
    pub decibels: bool,
    /// Highest frequency shown, Hz; as far as there are lines worth showing if left out.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub up_to: Option<f64>,
}

/// What a span is weighted with before its spectrum is taken.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq, Serialize, Deserialize, JsonSchema)]
#[serde(rename_all = "snake_case")]
pub enum Taper {
    /// Nothing: exact if the span is whole periods.
    #[default]
    None,
    /// A raised cosine.
    Hann,
    /// Four terms after Blackman and Harris: side lobes 92 dB down.
    BlackmanHarris,
    /// Five terms: amplitudes right to 0.01 dB wherever a frequency lies between two lines.
    FlatTop,
}

/// How bold a trace is drawn.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq, Serialize, Deserialize, JsonSchema)]
#[serde(rename_all = "snake_case")]
pub enum Weight {
    /// A hairline.
    Fine,
    /// As usual.
    #[default]
    Usual,
    /// Twice as bold.
    Bold,
}

/// A side of a strip.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Serialize, Deserialize, JsonSchema)]
#[serde(rename_all = "snake_case")]
pub enum Side {
    /// The left.
    Left,
    /// The right.
    Right,
}

/// A scale beside a strip.
#[derive(Clone, Debug, Default, PartialEq, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct Scale {
    /// Whether equal steps are equal ratios.
    #[serde(default, skip_serializing_if = "std::ops::Not::not")]
    pub log: bool,
    /// Lowest value, in the unit of its traces; fitted to what is shown if left out.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub from: Option<f64>,
    /// Highest value, in the unit of its traces; fitted to what is shown if left out.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub to: Option<f64>,
}

impl Scale {
    /// What keeps it from being drawn, in words.
    pub(crate) fn wrong(&self) -> Option<String> {
        let given = [self.from, self.to].into_iter().flatten();
        if self.log && given.clone().any(|end| end <= 0.0) {
            return Some("is logarithmic and reaches to zero or below".to_owned());
        }
        let (from, to) = (self.from?, self.to?);
        (from >= to).then(|| format!("goes from {from} to {to}"))
    }
}

fn is_usual<T: Default + PartialEq>(value: &T) -> bool {
    *value == T::default()
}

impl Strip {
    /// A strip of signals over time.
    pub fn of<S: Into<String>>(signals: impl IntoIterator<Item = S>) -> Self {
        let trace = |signal: S| Trace { signal: signal.into(), ..Trace::default() };
        Strip { traces: signals.into_iter().map(trace).collect(), ..Strip::default() }
    }

    /// A strip of curves over frequency.
    pub fn of_curves<S: Into<String>>(curves: impl IntoIterator<Item = S>, look: CurveLook) -> Self {
        Strip { shows: Shows::Curve(look), ..Strip::of(curves) }
    }

    /// Everything it shows: its traces, and what they stand against.
    pub fn texts(&self) -> impl Iterator<Item = &String> {
        let against = match &self.shows {
            Shows::Against { x } => Some(x),
            _ => None,
        };
        self.traces.iter().map(|trace| &trace.signal).chain(against)
    }

    /// The same, to be changed.
    pub fn texts_mut(&mut self) -> impl Iterator<Item = &mut String> {
        let against = match &mut self.shows {
            Shows::Against { x } => Some(x),
            _ => None,
        };
        self.traces.iter_mut().map(|trace| &mut trace.signal).chain(against)
    }

    /// Leaves out what shows a signal that is gone.
    pub fn forget(&mut self, gone: impl Fn(&str) -> bool) {
        self.traces.retain(|trace| !gone(&trace.signal));
        if matches!(&self.shows, Shows::Against { x } if gone(x)) {
            self.shows = Shows::Course;
        }
    }
}

impl<'de> Deserialize<'de> for Strip {
    fn deserialize<D: Deserializer<'de>>(from: D) -> Result<Self, D::Error> {
        from.deserialize_any(Read)
    }
}

/// The form with everything; a list of signals stands for its traces alone.
#[derive(Deserialize)]
#[serde(deny_unknown_fields, rename = "strip")]
struct Whole {
    traces: Vec<Trace>,
    #[serde(default)]
    shows: Shows,
    #[serde(default)]
    height: Option<f64>,
    #[serde(default)]
    left: Scale,
    #[serde(default)]
    right: Scale,
}

struct Read;

impl<'de> Visitor<'de> for Read {
    type Value = Strip;

    fn expecting(&self, out: &mut fmt::Formatter<'_>) -> fmt::Result {
        out.write_str("a strip: its traces with how they are shown, or a list of signals")
    }

    fn visit_seq<A: SeqAccess<'de>>(self, mut signals: A) -> Result<Strip, A::Error> {
        let mut strip = Strip::default();
        while let Some(signal) = signals.next_element()? {
            strip.traces.push(Trace { signal, ..Trace::default() });
        }
        Ok(strip)
    }

    fn visit_map<A: MapAccess<'de>>(self, map: A) -> Result<Strip, A::Error> {
        let Whole { traces, shows, height, left, right } = Whole::deserialize(MapAccessDeserializer::new(map))?;
        Ok(Strip { traces, shows, height, left, right })
    }
}
