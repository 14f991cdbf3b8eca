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

mod changes;
mod check;
mod demand;
mod demanded;
mod document;
mod effort;
mod error;
pub mod expression;
mod finding;
pub mod fit;
pub mod kinds;
mod limits;
mod read;
mod reduce;
mod resolve;
mod resolved;
mod signal;
mod stage;
mod values;

pub use changes::changes;
pub use check::useless_between;
pub use demand::{OutputDemand, SourceDemand, SourceKind};
pub use demanded::{Output, Source, demands};
pub use document::{
    Cut, DesignValue, FORMAT, GND, Note, Part, Placement, Reading, ReadingMeasure, Requirement, Study, StudyKind,
    Supply, Turn, Window,
};
pub use effort::{Effort, MOST_BYTES};
pub use error::ReadError;
pub use finding::{Finding, Place, Severity};
pub use kinds::{Kind, KindId};
pub use reduce::{STAND_IN, as_run, decisive};
pub use resolve::{check, number_in, parameter_in, resolve};
pub use resolved::{
    Circuit, ResolvedPart, ResolvedReading, ResolvedRequirement, ResolvedStage, ResolvedStudy, ResolvedWindow,
};
pub use signal::{Quantity, Signal, SignalError, Term};
pub use stage::{Joint, JointKind, Stage, StageKind};
pub use values::design_values;
