//! Versions of the engines, as they stand with runs.

use circuit::Engine;

/// The version of an engine, as it stands with runs.
pub(crate) fn version(engine: Engine) -> String {
    match engine {
        Engine::DeviceLevel => device::VERSION.to_owned(),
        Engine::Switched => format!("switched {}", switched::VERSION),
    }
}

/// The engine of a run's version, if it is that of an engine as it is now.
pub fn engine_of(of: &str) -> Option<Engine> {
    [Engine::DeviceLevel, Engine::Switched].into_iter().find(|engine| version(*engine) == of)
}

/// Whether a run's version is that of an engine as it is now, so that the run can be gone on with.
pub fn is_current(of: &str) -> bool {
    engine_of(of).is_some()
}
