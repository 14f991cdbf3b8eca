//! Circuits that switch, exactly.
//!
//! Switches, diodes and whatever else bends are made of straight pieces; between events the circuit is linear, what drives it
//! included, so that `z(t + h) = e^(A·h)·z(t)` for any h. There is no step size and no convergence: what can be wrong is only
//! how well straight pieces stand for a part, and the files under `parts/` say that one by one.
//!
//! A room for each thing that is done:
//!
//! - `parts`, `network`: a circuit becomes rows, inputs and regions with guards, one file per family of parts;
//! - `configuration`: a set of regions (a mode of the hybrid system) is reduced to proper states;
//! - `commutation`: which configuration follows an event, controls first, then diodes by complementarity, then the reset of states;
//! - `stepping`: what runs between events, where a guard gives way, and where the whole stands;
//! - `transient`: a run with its recording, what comes again, and what it takes to go on;
//! - `periodic`: the periodic steady state by shooting, with monodromy and saltation;
//! - `small_signal`: small sinusoids about a periodic orbit, and tones of finite size.
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
mod configuration;
mod error;
mod network;
mod parts;
mod periodic;
mod pieces;
mod small_signal;
mod stepping;
mod transient;

pub use error::SwitchedError;
pub use parts::without_form;
pub use periodic::Settled;
pub use pieces::Pieces;
pub use small_signal::tones::Tone;
pub use small_signal::{Response, Shaken, SmallSignal};
pub use transient::kept::Kept;
pub use transient::{Ended, Settings, Transient};

/// Version of the numerics; stored with every run, raised whenever results may change.
pub const VERSION: &str = "8";
