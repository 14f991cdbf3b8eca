//! The supply document and what is known about it before anything is simulated.
//!
//! - [`Supply`] is the document: requirements, circuit, studies, readings, as versioned JSON.
//! - [`kinds`] is the one table of part kinds: pins, parameters, ranges, help.
//! - [`fit`] finds a device's parameters from points of its data sheet.
//! - [`expression`] evaluates parameters written in terms of design values.
//! - [`check()`] finds mistakes and names place and remedy; [`resolve()`] turns a supply
//!   without errors into a [`Circuit`] of numbers for the engine; [`as_run()`] leaves out what is
//!   bypassed or cut off first.
//! - [`changes()`] says in words what became of one version in another.
//!
//! There is no behaviour here: no equations, no simulation, no drawing geometry beyond the
//! placement the document holds.
//!
//! ```
//! use mellow_circuit::{KindId, Part, Supply, check, resolve};
//! let mut supply = Supply::new("A lamp");
//! let pins = |a: &str, b: &str| [("plus".to_owned(), a.to_owned()), ("minus".to_owned(), b.to_owned())].into();
//! supply.parts.push(Part::new("V1", KindId::DcSource, pins("in", "gnd")));
//! // Nothing is connected to the source yet, and that is said with its place and remedy.
//! assert!(check(&supply).iter().any(|finding| finding.to_string().contains("net in")));
//! let pins = [("a".to_owned(), "in".to_owned()), ("b".to_owned(), "gnd".to_owned())].into();
//! let mut lamp = Part::new("R1", KindId::Resistor, pins);
//! lamp.parameters.insert("resistance".into(), "2 * 47".into());
//! supply.parts.push(lamp);
//! let circuit = resolve(&supply).unwrap();
//! assert_eq!(circuit.parts[1].value("resistance"), 94.0);
//! ```

mod changes;
mod check;
mod demand;
mod demanded;
mod derating;
mod dimensions;
mod document;
mod effort;
mod error;
pub mod expression;
mod finding;
pub mod fit;
pub mod kinds;
mod limits;
mod loops;
mod measure_table;
mod measures;
mod periods;
mod points;
mod questions;
mod read;
mod reduce;
mod resolve;
mod resolved;
mod scope;
mod signal;
mod stage;
mod stepping;
mod strips;
mod study;
mod taken;
mod values;
mod window;

pub use changes::changes;
pub use check::useless_between;
pub use demand::{OutputDemand, SourceDemand, SourceKind};
pub use demanded::{Output, Source, demands};
pub use derating::{Allowed, Derating};
pub use dimensions::Dimensioned;
pub use document::{DesignValue, FORMAT, GND, Note, Part, Placement, Reading, Requirement, Supply, Turn};
pub use effort::{Effort, MOST_BYTES};
pub use error::ReadError;
pub use finding::{Finding, Place, Severity};
pub use kinds::{Kind, KindId};
pub use limits::{FARTHEST, hold};
pub use measure_table::MEASURES;
pub use measures::{Measure, MeasureNumber, Measured, ReadingMeasure, Subject};
pub use periods::{common_period, quiet_time, within_pause};
pub use reduce::{STAND_IN, as_run, decisive};
pub use resolve::{check, resolve};
pub use resolved::{
    Circuit, FrequencyGrid, ReadingOf, ResolvedAsk, ResolvedEvent, ResolvedPart, ResolvedQuestion, ResolvedReading,
    ResolvedRequirement, ResolvedStage, ResolvedStudy, ResolvedTones, ResolvedWindow,
};
pub use signal::{Quantity, Signal, SignalError, Term, renamed_in, signals_in};
pub use stage::{Joint, JointKind, Stage, StageKind};
pub use stepping::can_step;
pub use strips::{CurveLook, CurveSide, Scale, Shows, Side, SpectrumLook, Strip, Taper, Trace, Weight};
pub use study::{
    AskKind, Asks, Begins, Course, Cut, Engine, FrequencyQuestion, OverFrequency, Step, Stepped, Study, StudyKind,
    StudySettings, Tones,
};
pub use values::{design_values, number_in, parameter_in};
pub use window::{Direction, Event, Window};
