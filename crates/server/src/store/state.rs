//! Where a run stands.

use schemars::JsonSchema;
use serde::{Deserialize, Serialize};

/// Where a run stands.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Serialize, Deserialize, JsonSchema)]
#[serde(rename_all = "snake_case")]
pub(crate) enum RunState {
    /// Waiting for a worker.
    Queued,
    /// A worker has it.
    Running,
    /// It reached its end.
    Done,
    /// It was stopped; what it had is kept.
    Stopped,
    /// It could not go on; what it had is kept.
    Failed,
}

impl RunState {
    pub(crate) fn name(self) -> &'static str {
        match self {
            RunState::Queued => "queued",
            RunState::Running => "running",
            RunState::Done => "done",
            RunState::Stopped => "stopped",
            RunState::Failed => "failed",
        }
    }

    /// Whether it will not change any more.
    pub(crate) fn is_final(self) -> bool {
        matches!(self, RunState::Done | RunState::Stopped | RunState::Failed)
    }
}
