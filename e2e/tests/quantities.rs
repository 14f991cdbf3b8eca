//! Quantities read alike wherever they are written: by the server, and by the interface's own lines.

use anyhow::{Context, Result, ensure};
use quantity::{Unit, show};
use serde_json::{Value, json};
use std::io::Write;
use std::process::{Command, Stdio};

/// Loads the interface's formatter without its types, and writes what it is given.
const WRITER: &str = "const ts = require('typescript'), fs = require('fs');\
    const source = fs.readFileSync('src/ui/quantity.ts', 'utf8');\
    const options = { compilerOptions: { module: 'commonjs', target: 'es2022' } };\
    const exports_ = {};\
    new Function('exports', 'require', ts.transpileModule(source, options).outputText)(exports_, require);\
    const cases = JSON.parse(fs.readFileSync(0, 'utf8'));\
    process.stdout.write(JSON.stringify(cases.map(([v, unit, digits]) => exports_.show(v, unit, digits))));";

fn written_by_the_interface(cases: &[Value]) -> Result<Vec<String>> {
    let mut node = Command::new("node")
        .args(["-e", WRITER])
        .current_dir(xtask::paths::root().join("web"))
        .stdin(Stdio::piped())
        .stdout(Stdio::piped())
        .spawn()
        .context("node does not start")?;
    node.stdin.take().context("node takes no input")?.write_all(&serde_json::to_vec(cases)?)?;
    let output = node.wait_with_output()?;
    ensure!(output.status.success(), "the interface's formatter fails");
    Ok(serde_json::from_slice(&output.stdout)?)
}

#[test]
fn server_and_interface_write_quantities_alike() -> Result<()> {
    // No value lies halfway between two that are shown: there the two languages round to different sides.
    let figures = [1.0, 1.2346, 4.7, 9.9996, 99.96, 999.96, 123.456_7, 0.999_96, 3.333_333];
    let mut wanted = Vec::new();
    for unit in Unit::ALL {
        for exponent in -20..=16 {
            for figure in figures {
                let value = figure * 10f64.powi(exponent);
                wanted.extend([value, -value].into_iter().flat_map(|v| [3, 4].map(|digits| (v, unit, digits))));
            }
        }
        wanted.push((0.0, unit, 4));
    }
    let cases: Vec<Value> = wanted.iter().map(|(v, unit, digits)| json!([v, unit, digits])).collect();
    let found = written_by_the_interface(&cases)?;
    ensure!(found.len() == wanted.len() && wanted.len() > 20_000, "{} of {} written", found.len(), wanted.len());
    let differ = wanted.iter().zip(&found).filter_map(|((value, unit, digits), found)| {
        let ours = show(*value, *unit, *digits);
        (ours != *found).then(|| format!("{value:e} {unit:?}: server “{ours}”, interface “{found}”"))
    });
    let differ: Vec<String> = differ.take(20).collect();
    ensure!(differ.is_empty(), "{differ:#?}");
    Ok(())
}
