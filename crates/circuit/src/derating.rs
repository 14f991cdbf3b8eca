//! How much of their ratings parts may use.

use crate::kinds::Stress;
use schemars::JsonSchema;
use serde::{Deserialize, Serialize};

/// How much of their ratings parts may use, as shares such as `80 %`; all of it where nothing is stated. To leave some is
/// common practice.
#[derive(Clone, Debug, Default, PartialEq, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct Derating {
    /// Of rated voltages.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub voltage: Option<String>,
    /// Of rated currents.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub current: Option<String>,
    /// Of rated powers.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub power: Option<String>,
}

impl Derating {
    /// Whether everything may be used.
    pub fn is_none(&self) -> bool {
        *self == Derating::default()
    }

    /// Its fields: what they are of, and what is typed.
    pub fn fields(&self) -> [(&'static str, &Option<String>); 3] {
        [("voltage", &self.voltage), ("current", &self.current), ("power", &self.power)]
    }
}

/// Shares of ratings that parts may use, above 0 and up to 1.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct Allowed {
    /// Of rated voltages.
    pub voltage: f64,
    /// Of rated currents.
    pub current: f64,
    /// Of rated powers.
    pub power: f64,
}

impl Allowed {
    /// The share that holds for a stress.
    pub fn of(&self, stress: Stress) -> f64 {
        match stress {
            Stress::Voltage | Stress::ReverseVoltage => self.voltage,
            Stress::MeanCurrent | Stress::RmsCurrent | Stress::PeakCurrent => self.current,
            Stress::Power => self.power,
        }
    }
}
