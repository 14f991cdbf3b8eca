//! Why a document cannot be read.

use crate::document::FORMAT;

/// A supply document that could not be read.
#[derive(Clone, Debug, PartialEq, Eq, thiserror::Error)]
pub enum ReadError {
    /// Not JSON, or cut short.
    #[error("not a readable JSON document: {message} (line {line}, column {column})")]
    Syntax {
        /// What the JSON reader says.
        message: String,
        /// Line, from 1.
        line: usize,
        /// Column, from 1.
        column: usize,
    },
    /// JSON, but not a supply document.
    #[error("at {path}: {message}")]
    Shape {
        /// Path to the offending field, such as `parts[3].pins`.
        path: String,
        /// What is wrong there.
        message: String,
    },
    /// Written by a later version.
    #[error(
        "the document has format version {found}, this program reads up to version {FORMAT}; \
         open it with a newer Mellow Coil"
    )]
    Newer {
        /// The version found.
        found: u32,
    },
    /// Larger than a document may be.
    #[error("{place}: {message}")]
    Limit {
        /// The part, note or value.
        place: String,
        /// What is too large there, and what is accepted.
        message: String,
    },
    /// A version that never was.
    #[error("mellow_coil must be the format version of the document, now {FORMAT}")]
    Version,
}
