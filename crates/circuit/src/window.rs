//! Over which part of a run a reading is taken.

use schemars::JsonSchema;
use serde::{Deserialize, Serialize};

/// The part of a run a reading looks at.
#[derive(Clone, Debug, Default, PartialEq, Serialize, Deserialize, JsonSchema)]
#[serde(rename_all = "snake_case", deny_unknown_fields)]
pub enum Window {
    /// Everything recorded.
    #[default]
    WholeRun,
    /// Between two times, in seconds.
    #[serde(rename_all = "snake_case")]
    Between {
        /// Start.
        from: String,
        /// End.
        to: String,
    },
    /// About what changes while the run goes on: a stepped or pulsed load, a timed switch, a step of a source.
    #[serde(rename_all = "snake_case")]
    AroundStep {
        /// The part that changes; may be left out if only one does.
        #[serde(default, skip_serializing_if = "Option::is_none")]
        of: Option<String>,
        /// How long before it the window begins, in seconds; at the change if left out.
        #[serde(default, skip_serializing_if = "Option::is_none")]
        before: Option<String>,
        /// How long after it the window ends, in seconds; with the run if left out.
        #[serde(default, skip_serializing_if = "Option::is_none")]
        after: Option<String>,
    },
    /// The last periods of a periodic source.
    #[serde(rename_all = "snake_case")]
    LastPeriods {
        /// How many.
        count: u32,
        /// The source whose period counts; may be left out if there is only one.
        #[serde(default, skip_serializing_if = "Option::is_none")]
        period_of: Option<String>,
    },
    /// From when a signal has settled, to the end of the run.
    #[serde(rename_all = "snake_case")]
    AfterSettled {
        /// The signal; the reading's own if left out.
        #[serde(default, skip_serializing_if = "Option::is_none")]
        of: Option<String>,
        /// How far off its last value, or off the mean and RMS of its last period, still counts as settled; 2 % if left
        /// out.
        #[serde(default, skip_serializing_if = "Option::is_none")]
        band: Option<String>,
    },
    /// From one event to another.
    #[serde(rename_all = "snake_case")]
    BetweenEvents {
        /// Where it begins.
        from: Event,
        /// Where it ends.
        to: Event,
    },
}

/// Something that happens at an instant of a run.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize, JsonSchema)]
#[serde(rename_all = "snake_case", deny_unknown_fields)]
pub enum Event {
    /// A time, in seconds.
    Time(String),
    /// A part changes for the first time: a stepped load, a timed switch, a pulse source.
    Change(String),
    /// A signal passes through a level.
    #[serde(rename_all = "snake_case")]
    Crossing {
        /// The signal.
        signal: String,
        /// The level, in the unit of the signal.
        level: String,
        /// Which way.
        #[serde(default)]
        direction: Direction,
        /// The first one is 1.
        #[serde(default = "first")]
        number: u32,
    },
}

/// Which way a signal passes through a level.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq, Serialize, Deserialize, JsonSchema)]
#[serde(rename_all = "snake_case")]
pub enum Direction {
    /// Either way.
    #[default]
    Either,
    /// From below.
    Rising,
    /// From above.
    Falling,
}

fn first() -> u32 {
    1
}

impl Window {
    /// The signals it is found by.
    pub fn signals(&self) -> impl Iterator<Item = &str> {
        let named = match self {
            Window::AfterSettled { of, .. } => vec![of.as_deref()],
            Window::BetweenEvents { from, to } => vec![from.signal(), to.signal()],
            _ => Vec::new(),
        };
        named.into_iter().flatten()
    }

    /// The same, to be changed.
    pub fn signals_mut(&mut self) -> impl Iterator<Item = &mut String> {
        let named: Vec<&mut String> = match self {
            Window::AfterSettled { of: Some(of), .. } => vec![of],
            Window::BetweenEvents { from, to } => [from, to].into_iter().filter_map(Event::signal_mut).collect(),
            _ => Vec::new(),
        };
        named.into_iter()
    }
}

impl Event {
    fn signal(&self) -> Option<&str> {
        match self {
            Event::Crossing { signal, .. } => Some(signal),
            _ => None,
        }
    }

    fn signal_mut(&mut self) -> Option<&mut String> {
        match self {
            Event::Crossing { signal, .. } => Some(signal),
            _ => None,
        }
    }
}
