//! Recordings as they are kept: cut into chunks, packed without loss, with levels of extremes above them, and thinned to
//! what a picture can show.
//!
//! Level 0 holds the recorded columns. Each level above holds minima and maxima over buckets 16 times as long, for every
//! single signal, so a picture of any length is made from a few hundred kilobytes at most. A period that comes again and
//! again is there once on every level, with how often it comes.
//!
//! ```
//! use mellow_traces::{Packed, thin};
//! let packed = Packed::new("out.v", 0, 0, (0.0, 2.0), &[1.0, 4.0, 9.0]);
//! assert_eq!(packed.values().unwrap(), [1.0, 4.0, 9.0]);
//! // Fewer nodes than pixels: points along the polynomial between them.
//! let points = thin(&[0.0, 1.0, 2.0], &[1.0, 4.0, 9.0], 0.0, 2.0, 4);
//! assert_eq!(points.y, [1.0, 2.25, 4.0, 6.25, 9.0]);
//! ```

mod against;
mod builder;
mod codec;
mod packed;
mod picture;

pub use against::Against;
pub use builder::TraceBuilder;
pub use packed::{Damaged, Packed, join_nodes};
pub use picture::{Points, envelope, thin};

/// Nodes or buckets that make one bucket of the next level.
const BUCKET: usize = 16;
/// Buckets in a chunk of a level above 0.
const BUCKETS: usize = 256;
/// Levels above 0 at most: a bucket of the highest is of 16 million nodes.
const MOST_LEVELS: usize = 6;
