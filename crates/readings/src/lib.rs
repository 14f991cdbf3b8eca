//! Numbers taken from recorded waveforms.
//!
//! A [`Waveform`] is the piecewise quadratic the engine recorded, not a list of samples: means
//! and RMS values are integrals of it, extremes lie at its vertices, crossings at its roots. No
//! resampling comes in between. [`Recipe`] says how a signal is put together from recorded
//! columns.
//!
//! ```
//! use mellow_readings::{Waveform, Span};
//! // One step of one second with its inner node half way: y = t².
//! let (times, values) = ([0.0, 0.5, 1.0], [0.0, 0.25, 1.0]);
//! let wave = Waveform::new(&times, &values);
//! assert_eq!(wave.mean(wave.whole()).unwrap(), 1.0 / 3.0);
//! ```

mod recipe;
mod ringing;
mod waveform;

pub use recipe::{ColumnKey, Recipe};
pub use ringing::Ringing;
pub use waveform::{MeasureError, Span, Waveform};
