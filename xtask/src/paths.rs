//! Where things are.

use std::path::PathBuf;

/// The folder of the workspace.
pub fn root() -> PathBuf {
    let here = PathBuf::from(env!("CARGO_MANIFEST_DIR"));
    here.parent().map_or(here.clone(), PathBuf::from)
}

/// The folder of cargo's output for the profile this program was built with.
pub fn build_output() -> PathBuf {
    // A test binary lies one folder deeper than a program.
    let program = std::env::current_exe().unwrap_or_default();
    let folder = program.parent().map(PathBuf::from).unwrap_or_default();
    if folder.ends_with("deps") { folder.parent().map(PathBuf::from).unwrap_or_default() } else { folder }
}

/// The built `mellow-coil`.
pub fn program() -> PathBuf {
    build_output().join("mellow-coil")
}
