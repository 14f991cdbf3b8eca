//! What runs record: on its way to being judged, and read back from the store.

mod bench;
mod curves;
mod spool;
mod traces;

pub(crate) use bench::{Bench, Channel, Measured, Untaken, keep};
pub(crate) use curves::in_columns;
pub(crate) use spool::Spool;
pub(crate) use traces::{Drawable, TraceError, Traces, whole_pieces};
