//! HTTP API, store, run queue and workers, and the command line of Mellow Coil.
//!
//! Handlers in `api` are thin; what they need from the database is in `store`, traces have their
//! own folder, and everything about circuits comes from the core crates.

mod api;
mod assets;
mod cli;
mod computing;
mod news;
mod queue;
mod recorded;
mod serving;
mod store;
mod tidy;
mod worker;

pub use cli::main;
