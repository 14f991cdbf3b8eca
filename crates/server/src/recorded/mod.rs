//! What runs record: on its way to being judged, and read back from the store.

mod spool;
mod traces;

pub(crate) use spool::Spool;
pub(crate) use traces::{TraceError, Traces, whole_pieces};
