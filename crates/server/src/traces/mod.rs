//! Traces in the database: how recordings are cut into chunks and how windows are read back.
//!
//! Level 0 holds the recorded columns, lossless. Each level above holds minima and maxima over
//! buckets 16 times as long, for every single signal, so a window of any length is answered from
//! a few hundred kilobytes at most.

mod builder;
mod codec;
mod spool;
mod window;

pub(crate) use builder::TraceBuilder;
pub(crate) use spool::Spool;
pub(crate) use window::{Points, TraceError, Traces};

/// Nodes or buckets that make one bucket of the next level.
const BUCKET: usize = 16;
/// Buckets in a chunk of a level above 0.
const BUCKETS: usize = 256;
/// Nodes an encoded chunk repeats from the one before, so that every step lies within one chunk.
const OVERLAP: usize = 2;
