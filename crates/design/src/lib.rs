//! What a power engineer knows about stages: which there are, how they are sized, drawn and joined.
//!
//! - [`FORMS`] is the stage catalogue. A form designs its stage from what the stage before delivers and
//!   what those behind need, with every formula shown.
//! - [`propose`] asks a form for its design at a place in a supply, [`apply`] changes the supply:
//!   adds, sizes again, removes, replaces, moves stages, and states what the supply must do.
//! - [`catalogue`] lists generic parts with ratings, [`bom`] what a supply is made of, [`TEMPLATES`] supplies
//!   to begin with.
//! - [`studies_for`] finds how long to simulate, with the reason.
//!
//! There is no simulation here: what sizing promises is computed from formulas and, for rectifiers with
//! a reservoir, from the periodic state of one diode path.
//!
//! ```
//! use circuit::{OutputDemand, SourceDemand, SourceKind, Supply};
//! use mellow_design::{Edit, Place, apply, propose};
//! let source = SourceDemand {
//!     kind: SourceKind::Dc,
//!     voltage: "12".into(),
//!     lowest: None,
//!     highest: None,
//!     frequency: None,
//! };
//! let rail = OutputDemand {
//!     id: "rail".into(),
//!     title: "5 V".into(),
//!     voltage: "5".into(),
//!     current: "200m".into(),
//!     accuracy: None,
//!     ripple: None,
//! };
//! let stated = apply(&Supply::new("A rail"), &Edit::State { source: Some(source), outputs: vec![rail] }).unwrap();
//! let first = Place::default();
//! let add = Edit::Add { form: "dc_source".into(), place: first, between: false, choices: Default::default() };
//! let supply = apply(&stated, &add).unwrap();
//! let behind = Place { after: Some("dc_source".into()), joint: 0 };
//! let proposal = propose(&supply, "fixed_regulator", &behind, &Default::default()).unwrap();
//! let output = proposal.promises.iter().find(|promise| promise.title == "Output voltage").unwrap();
//! assert_eq!(output.value, 5.0);
//! ```

mod bom;
mod catalogue;
mod compose;
mod defaults;
mod delivered;
mod demands;
mod draft;
mod error;
mod findings;
mod forms;
mod layout;
mod names;
mod path;
mod proposal;
mod proposed;
mod ready;
mod rectified;
mod stages;
mod stress;
mod strips;
mod templates;

pub use bom::{BomRow, bom, bom_csv};
pub use catalogue::{Entry, Search, catalogue, slug};
pub use compose::{Completion, Edit, Joining, Reading, apply, joining, read_line};
pub use defaults::{StudyDefault, studies_for};
pub use draft::{Choice, Promise, Step};
pub use error::ComposeError;
pub use findings::check;
pub use forms::{FORMS, Form, form};
pub use path::Line;
pub use proposal::{Proposal, ProposedPart, promised, propose, size};
pub use proposed::{ProposedStudy, studies_proposed, with_strips};
pub use ready::{ReadyMade, Setting, ready_made};
pub use stages::Place;
pub use templates::{TEMPLATES, Template};
