//! What either engine leaves of a run, beside its recording.

use device::Kept;
use recording::Health;

/// What an engine did.
#[derive(Clone, Debug)]
pub(crate) struct Simulated {
    /// Whether it came to its end, or what kept it.
    pub(crate) ended: Result<bool, String>,
    pub(crate) health: Health,
    pub(crate) version: String,
    /// What is to be known of the state that was found.
    pub(crate) remarks: Vec<String>,
    /// What it takes to go on from its end.
    pub(crate) left: Option<Kept>,
}
