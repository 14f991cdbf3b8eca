//! The server from outside: real program, real PostgreSQL.

mod client;
mod deletion;
mod hostile;
mod runs;
mod supplies;
