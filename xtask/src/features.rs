//! Whether every selection of crates builds the same libraries, so that one build serves the next.

use crate::paths;
use anyhow::{Result, bail};
use std::collections::BTreeSet;
use std::process::Command;

/// Fails with the libraries that some crate of the workspace builds with other features than the whole does.
pub fn check() -> Result<()> {
    let members = lines(&["--workspace", "--depth", "0"])?;
    let whole = lines(&["--workspace", "-e", "normal,build,dev"])?;
    let mut astray = Vec::new();
    for member in &members {
        let name = member.split_whitespace().next().unwrap_or_default();
        for edges in ["normal,build", "normal,build,dev"] {
            for library in lines(&["-p", name, "-e", edges])?.difference(&whole) {
                astray.push(format!("  {name} ({edges}): {library}"));
            }
        }
    }
    if astray.is_empty() {
        return Ok(());
    }
    bail!("these are built once more, for want of features in crates/features/Cargo.toml:\n{}", astray.join("\n"))
}

/// What `cargo tree` prints: one package with its features each.
fn lines(arguments: &[&str]) -> Result<BTreeSet<String>> {
    let mut command = Command::new("cargo");
    command.args(["tree", "--prefix", "none", "--format", "{p} with {f}"]).args(arguments).current_dir(paths::root());
    let output = command.output()?;
    if !output.status.success() {
        bail!("{command:?} failed: {}", String::from_utf8_lossy(&output.stderr));
    }
    let text = String::from_utf8_lossy(&output.stdout);
    // A star marks what was printed above.
    Ok(text.lines().filter(|line| !line.is_empty()).map(|line| line.trim_end_matches(" (*)").to_owned()).collect())
}
