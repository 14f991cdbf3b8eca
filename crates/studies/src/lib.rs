//! Runs a study on a supply: circuit, engine, readings, verdicts.
//!
//! [`run()`] takes a resolved [`Circuit`](circuit::Circuit) and one of its studies, hands recorded chunks to an
//! observer as they come, and returns an [`Outcome`]: readings, verdicts, the power through each
//! stage and the run's health. It does no I/O and keeps no clock.

mod outcome;
mod power_path;
mod recorded;
mod run;

pub use outcome::{End, Outcome, ReadingResult, RunHealth, StageFigures, Standing, Steadiness, Verdict};
pub use recorded::Recorded;
pub use run::{StudyError, run, settings};
