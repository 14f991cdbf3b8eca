//! Numbers taken from recorded waveforms.
//!
//! A [`Waveform`] is the polynomial the engine recorded of each step, not a list of samples: means
//! and RMS values are integrals of it, extremes lie where it turns, crossings at its roots. No
//! resampling comes in between. [`Recipe`] says how a signal is put together from recorded
//! columns, and a [`Survey`] takes many figures while a recording passes once, however long it is.
//!
//! ```
//! use mellow_readings::{Waveform, Span};
//! // One step of one second with its inner node half way: y = t².
//! let (times, values) = ([0.0, 0.5, 1.0], [0.0, 0.25, 1.0]);
//! let wave = Waveform::new(&times, &values);
//! assert_eq!(wave.mean(wave.whole()).unwrap(), 1.0 / 3.0);
//! ```

pub mod align;
mod derived;
mod figures;
mod gauges;
mod piece;
mod polynomial;
mod question;
mod recipe;
mod ringing;
mod span;
mod survey;
mod turns;
mod waveform;

pub use derived::Derived;
pub use figures::{Average, Figures};
pub use gauges::{Class, Gauge, LAST_ORDER, Lines, Mains, Passing, Spectrum, Way, limit};
pub use question::Question;
pub use recipe::{Recipe, signals};
pub use ringing::Ringing;
pub use span::{MeasureError, Span};
pub use survey::{Survey, Ticket};
pub use turns::Turns;
pub use waveform::Waveform;
