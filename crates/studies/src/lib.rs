//! Runs a study on a supply: circuit, engine, readings, verdicts.
//!
//! [`run()`] takes a resolved [`Circuit`](circuit::Circuit) and one of its studies, hands recorded chunks on
//! as they come, reads them again to judge them, and returns an [`Outcome`]: readings, verdicts, the power through each
//! stage and the run's health. [`response`], [`impedance`] and [`loop_gain`] look at small
//! sinusoids about the operating point or the periodic state. There is no I/O and no clock.
//!
//! ```
//! use circuit::{Supply, resolve};
//! use mellow_studies::{Standing, run};
//! use recording::Recording;
//! let supply = r#"{ "mellow_coil": 1, "title": "divider", "parts": [
//!     { "id": "V1", "kind": "dc_source", "pins": { "plus": "in", "minus": "gnd" }, "parameters": { "voltage": "12" } },
//!     { "id": "R1", "kind": "resistor", "pins": { "a": "in", "b": "out" }, "parameters": { "resistance": "3k" } },
//!     { "id": "R2", "kind": "resistor", "pins": { "a": "out", "b": "gnd" }, "parameters": { "resistance": "1k" } }
//!   ],
//!   "studies": [{ "id": "on", "kind": "switch_on", "title": "Switch-on", "duration": "1m" }],
//!   "readings": [{ "id": "out", "title": "Output", "study": "on", "signal": "out.v", "measure": "mean",
//!                   "window": "whole_run" }],
//!   "requirements": [{ "id": "enough", "title": "Enough", "reading": "out", "at_least": "2.5" }] }"#;
//! let circuit = resolve(&Supply::from_json(supply).unwrap()).unwrap();
//! let outcome = run(&circuit, "on", &mut Recording::default()).unwrap();
//! assert_eq!(outcome.verdicts[0].standing, Standing::Met);
//! assert!((outcome.readings[0].value.unwrap() - 3.0).abs() < 1e-9);
//! ```

mod at_device_level;
mod at_rest;
mod by_switching;
mod cost;
mod curves;
mod engine;
mod frequency;
mod judging;
mod kept;
mod opinion;
mod outcome;
mod over_frequency;
mod power_path;
mod recorded;
mod resting;
mod run;
mod settled;
mod simulated;
mod stored;
mod stress;
mod tones;
mod version;
mod windows;

pub use at_device_level::settings;
pub use curves::{Curve, CurveSpan, CurveTones, Curves, ToneRead, decibels, group_delay};
pub use engine::{engine_for, version_for};
pub use frequency::{Answers, FrequencyError, Loop, OverFrequency, answers, impedance, loop_gain, response};
pub use judging::Judging;
pub use kept::Kept;
pub use opinion::{Bands, CurveParted, Parted, SecondOpinion, second_opinion};
pub use outcome::{End, Outcome, ReadingResult, RunHealth, StageFigures, Standing, Steadiness, Verdict};
pub use recorded::{Recorded, last_period};
pub use resting::{Resting, RestingNet, RestingPart, resting};
pub use run::{Keeper, MEASURED, Ran, StudyError, go_on, measured, run};
pub use settled::{Conducts, DutyFacts, SettledFacts, WindingFacts};
pub use stress::{Borne, PartStress, Peak, RatingUsed, borne_by};
pub use tones::{Read, TonePoint, with_tones};
pub use version::{engine_of, is_current};
pub use windows::Windows;
