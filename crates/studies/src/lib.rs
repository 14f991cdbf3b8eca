//! Runs a study on a supply: circuit, engine, readings, verdicts.
//!
//! [`run()`] takes a resolved [`Circuit`](circuit::Circuit) and one of its studies, hands recorded chunks to an
//! observer as they come, and returns an [`Outcome`]: readings, verdicts, the power through each
//! stage and the run's health. [`response`] and [`impedance`] look at small
//! sinusoids about the operating point. There is no I/O and no clock.

mod frequency;
mod outcome;
mod power_path;
mod recorded;
mod run;

pub use frequency::{FrequencyError, Grid, impedance, response};
pub use outcome::{End, Outcome, ReadingResult, RunHealth, StageFigures, Standing, Steadiness, Verdict};
pub use recorded::Recorded;
pub use run::{Keeper, StudyError, run, settings};
