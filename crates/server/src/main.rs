//! The `mellow-coil` program.

use std::process::ExitCode;

#[tokio::main]
async fn main() -> ExitCode {
    mellow_server::main().await
}
