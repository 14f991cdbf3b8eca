//! The server from outside: real program, real PostgreSQL.

mod asked;
mod client;
mod curves;
mod deletion;
mod ends;
mod faults;
mod hostile;
mod judged;
mod looks;
mod measured;
mod opinion;
mod runs;
mod stress;
mod supplies;
mod switched;
