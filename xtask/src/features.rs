//! Whether every selection of crates builds the same libraries, so that one build serves the next.

use crate::paths;
use anyhow::{Result, bail};
use std::collections::BTreeSet;
use std::process::Command;

/// What runs here while building, and what is built: a library can be both, with other features in each.
const SIDES: [[&str; 2]; 2] =
    [["no-build,no-proc-macro", "no-build,no-proc-macro,no-dev"], ["normal,build,dev", "normal,build"]];

/// Fails with the libraries that some crate of the workspace builds with other features than the whole does.
///
/// # Errors
/// If there are any, or if Cargo cannot be asked.
pub fn check() -> Result<()> {
    let members = lines(&["--workspace", "--depth", "0"])?;
    let mut astray = BTreeSet::new();
    for side in SIDES {
        let whole = lines(&["--workspace", "-e", side[0]])?;
        for member in &members {
            let name = member.split_whitespace().next().unwrap_or_default();
            for edges in side {
                for library in lines(&["-p", name, "-e", edges])?.difference(&whole) {
                    astray.insert(format!("  {name} ({edges}): {library}"));
                }
            }
        }
    }
    if astray.is_empty() {
        return Ok(());
    }
    let astray = Vec::from_iter(astray).join("\n");
    bail!("these are built once more, for want of features in crates/features/Cargo.toml:\n{astray}")
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
