//! How a circuit behaves: its equations and their solution.
//!
//! A [`Circuit`](circuit::Circuit) becomes [`Equations`] by modified nodal analysis; from
//! these come the [operating point](operating_point()), the response to [small signals](SmallSignal), the
//! [loop gain](loop_gain()) and the [transient](transient()).
//! Device models live one per file under `models`.
//!
//! Everything is `f64` in SI units. There is no I/O and no clock here; long work reports to an
//! [`Observer`](recording::Observer) and stops when it is told to. Nothing panics for a resolved circuit: trouble
//! comes back as [`EngineError`] naming net and part.
//!
//! ```
//! use circuit::{Supply, resolve};
//! use mellow_device::{Equations, operating_point};
//! let divider = r#"{ "mellow_coil": 1, "title": "divider", "parts": [
//!     { "id": "V1", "kind": "dc_source", "pins": { "plus": "in", "minus": "gnd" }, "parameters": { "voltage": "12" } },
//!     { "id": "R1", "kind": "resistor", "pins": { "a": "in", "b": "out" }, "parameters": { "resistance": "3k" } },
//!     { "id": "R2", "kind": "resistor", "pins": { "a": "out", "b": "gnd" }, "parameters": { "resistance": "1k" } }
//! ] }"#;
//! let circuit = resolve(&Supply::from_json(divider).unwrap()).unwrap();
//! let point = operating_point(&Equations::new(&circuit)).unwrap();
//! let out = point.values.iter().find(|(column, _)| column.of == "out").unwrap().1;
//! assert!((out - 3.0).abs() < 1e-9);
//! ```

mod contract;
mod equations;
mod error;
mod models;
mod operating_point;
mod periodic;
mod small_signal;
mod stamps;
mod transient;

pub use equations::Equations;
pub use error::EngineError;
pub use operating_point::{Method, OperatingPoint, operating_point};
pub use periodic::Settled;
pub use small_signal::{Response, SmallSignal, loop_gain};
pub use transient::{Ended, Kept, Settings, Start, Transient, transient};

/// Version of the numerics; stored with every run, raised whenever results may change.
pub const VERSION: &str = "8";
