//! How a circuit behaves: its equations and their solution.
//!
//! A [`Circuit`](circuit::Circuit) becomes [`Equations`] by modified nodal analysis; from
//! these come the [operating point](operating_point()), the response to [small signals](SmallSignal), the
//! [loop gain](loop_gain()) and the [transient](transient()).
//! Device models live one per file under `models`.
//!
//! Everything is `f64` in SI units. There is no I/O and no clock here; long work reports to an
//! [`Observer`] and stops when it is told to. Nothing panics for a resolved circuit: trouble
//! comes back as [`EngineError`] naming net and part.

mod equations;
mod error;
mod health;
mod models;
mod operating_point;
mod recording;
mod small_signal;
mod sparse;
mod transient;

pub use equations::{Column, Equations};
pub use error::EngineError;
pub use health::{EnergyBalance, Health};
pub use operating_point::{Method, OperatingPoint, operating_point};
pub use recording::{Chunk, Command, Observer, Progress, Recording, STAGE};
pub use small_signal::{
    Complex64, Excitation, LoopGain, Margins, Resonance, Response, SmallSignal, log_grid, loop_gain, phase, resonances,
    sweep,
};
pub use transient::{Ended, Settings, Start, Transient, transient};

/// Version of the numerics; stored with every run, raised whenever results may change.
pub const VERSION: &str = "4";
