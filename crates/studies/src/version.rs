//! Versions of the engines, as they stand with runs.

use circuit::Engine;

/// The version of an engine, as it stands with runs.
pub(crate) fn version(engine: Engine) -> String {
    match engine {
        Engine::DeviceLevel => device::VERSION.to_owned(),
        Engine::Switched => format!("switched {}", switched::VERSION),
    }
}

/// Whether a run's version is that of an engine as it is now, so that the run can be gone on with.
pub fn is_current(of: &str) -> bool {
    [Engine::DeviceLevel, Engine::Switched].into_iter().any(|engine| version(engine) == of)
}
