//! Nothing but a manifest: the features that libraries have, whichever part of the workspace is built.
//!
//! Cargo enables what the crates being built ask for. Were some asked for by a test or by another crate alone, building
//! one crate and then the next would build most libraries twice.
