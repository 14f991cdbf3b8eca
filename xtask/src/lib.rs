//! What the project's commands and its tests share: where things are, and the services they
//! start and end.

pub mod campaign;
pub mod features;
pub mod install;
pub mod paths;
pub mod services;

pub use services::{ChromeDriver, Postgres, Server};
