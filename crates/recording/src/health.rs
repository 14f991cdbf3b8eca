//! Why to trust a run.

use schemars::JsonSchema;
use serde::{Deserialize, Serialize};

/// Statistics of a run and the evidence for its numbers.
#[derive(Clone, Debug, Default, PartialEq, Serialize, Deserialize, JsonSchema)]
pub struct Health {
    /// Accepted steps.
    pub steps: u64,
    /// Steps tried and rejected for their error.
    pub rejected: u64,
    /// Steps cut short because the iteration did not settle.
    pub unsettled: u64,
    /// Changes too fast to be followed in time, stepped over by backward Euler.
    #[serde(default)]
    pub leaps: u64,
    /// Trips of devices with two states, each located in time.
    #[serde(default)]
    pub trips: u64,
    /// Periods that were not computed again, because nothing new happens in them.
    #[serde(default)]
    pub repeated: u64,
    /// Methods that did not find the operating point before the one that did.
    #[serde(default)]
    pub fallbacks: Vec<String>,
    /// Newton iterations.
    pub iterations: u64,
    /// Shortest accepted step, s.
    pub shortest_step: f64,
    /// Simulated time of the shortest step, s.
    pub shortest_at: f64,
    /// Unknowns solved for.
    pub unknowns: u64,
    /// Entries in the matrix factors.
    pub fill: u64,
    /// Where the energy went.
    pub energy: EnergyBalance,
    /// Pulses of no duration, the largest of each part.
    #[serde(default)]
    pub pulses: Vec<Pulse>,
}

/// What a run left that cannot be gone on with.
#[derive(Clone, Debug, PartialEq, Eq, thiserror::Error)]
pub enum Unfit {
    /// Another version of the numerics left it.
    #[error("it was left by version {left} of the numerics and this is {now}")]
    Version {
        /// The version that left it.
        left: String,
        /// The version that would go on.
        now: &'static str,
    },
    /// The circuit has other nets or parts.
    #[error("it is of a circuit with other nets or parts")]
    Circuit,
}

/// What went through a part at once, because nothing in its loop or at its net slowed it down.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize, JsonSchema)]
pub struct Pulse {
    /// Designator.
    pub part: String,
    /// Charge into its first pin, C, or flux across it, V·s.
    pub size: f64,
    /// Whether it is a flux.
    pub flux: bool,
    /// When, s.
    pub at: f64,
}

/// How a part with windings carries its current over a period.
#[derive(Clone, Debug, PartialEq)]
pub struct Conduction {
    /// Designator.
    pub part: String,
    /// Part of the period in which no winding of it carries any current: zero in continuous conduction.
    pub idle: f64,
}

/// Tellegen's theorem over a run: what sources deliver is dissipated or stored.
#[derive(Clone, Debug, Default, PartialEq, Serialize, Deserialize, JsonSchema)]
pub struct EnergyBalance {
    /// Energy delivered by sources, J.
    pub delivered: f64,
    /// Energy dissipated, J; what a source takes back counts here.
    pub dissipated: f64,
    /// Stored at the end less stored at the start, J.
    pub stored: f64,
    /// What is missing, J.
    pub missing: f64,
    /// What is missing, relative to the largest of delivered, dissipated and stored.
    pub relative: f64,
}

impl EnergyBalance {
    /// The balance from what parts gave, what they took, and what was stored first and last.
    pub fn new(delivered: f64, dissipated: f64, [stored_first, stored_last]: [f64; 2]) -> Self {
        let stored = stored_last - stored_first;
        let missing = delivered - dissipated - stored;
        let scale = delivered.max(dissipated).max(stored_first).max(stored_last);
        let relative = if scale > 0.0 { missing.abs() / scale } else { 0.0 };
        EnergyBalance { delivered, dissipated, stored, missing, relative }
    }
}
