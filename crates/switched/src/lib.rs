//! Circuits that switch, exactly.
//!
//! Switches, diodes and whatever else bends are made of straight pieces; between events the circuit is linear, what drives it
//! included, so that `z(t + h) = e^(A·h)·z(t)` for any h. There is no step size and no convergence: what can be wrong is only
//! how well straight pieces stand for a part, and the files under `parts/` say that one by one.
//!
//! A circuit becomes a `Network` of rows (`network.rs`, one file per family of parts under `parts/`); a set of regions makes
//! it a `Configuration` (`configuration.rs`); a `Machine` (`machine.rs`) knows which follows which (`commutation`); [`Transient`] walks.
//!
//! ```
//! use circuit::{Supply, resolve};
//! use mellow_switched::{Settings, Transient};
//! use recording::{Health, Recording};
//! let charged = r#"{ "mellow_coil": 1, "title": "charged", "parts": [
//!     { "id": "V1", "kind": "dc_source", "pins": { "plus": "in", "minus": "gnd" }, "parameters": { "voltage": "10" } },
//!     { "id": "R1", "kind": "resistor", "pins": { "a": "in", "b": "out" }, "parameters": { "resistance": "1k" } },
//!     { "id": "C1", "kind": "capacitor", "pins": { "plus": "out", "minus": "gnd" },
//!       "parameters": { "capacitance": "1u" } } ] }"#;
//! let circuit = resolve(&Supply::from_json(charged).unwrap()).unwrap();
//! let settings = Settings { end: 1e-3, record_from: 0.0, max_step: 1e-3, tolerance: 1e-6, every_period: false };
//! let (mut kept, mut health) = (Recording::default(), Health::default());
//! Transient::new(&circuit, &settings).unwrap().advance(&mut kept, &mut health).unwrap();
//! let out = recording::columns(&circuit).iter().position(|column| column.of == "out").unwrap();
//! let last = *kept.columns[out].last().unwrap();
//! assert!((last - 10.0 * (1.0 - (-1.0f64).exp())).abs() < 1e-12);
//! ```

mod commutation;
mod compiled;
mod configuration;
mod course;
mod crossing;
mod error;
mod falling;
mod kept;
mod linearised;
mod machine;
mod network;
mod orbit;
mod parts;
mod pieces;
mod propagate;
mod recorder;
mod repeats;
mod round;
mod row;
mod search;
mod settled;
mod slope;
mod small_signal;
mod stretch;
mod tones;
mod transient;
mod walker;

pub use error::SwitchedError;
pub use kept::Kept;
pub use parts::without_form;
pub use pieces::Pieces;
pub use settled::Settled;
pub use small_signal::{Response, SmallSignal};
pub use tones::Tone;
pub use transient::{Ended, Settings, Transient};

/// Version of the numerics; stored with every run, raised whenever results may change.
pub const VERSION: &str = "8";
