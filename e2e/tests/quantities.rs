//! Quantities read alike wherever they are written: by the server, and by the interface's own lines.

use anyhow::{Context, Result, ensure};
use quantity::{Unit, parse, show};
use serde::de::DeserializeOwned;
use serde_json::{Value, json};
use std::io::Write;
use std::process::{Command, Stdio};

/// Loads modules of the interface without their types, and writes what one of their functions makes of each case.
const ASKED: &str = "const ts = require('typescript'), fs = require('fs');
    const compilerOptions = { module: 'commonjs', target: 'es2022' };
    const load = (name) => {
        const exported = {}, source = fs.readFileSync(`src/ui/${name}.ts`, 'utf8');
        const code = ts.transpileModule(source, { compilerOptions }).outputText;
        new Function('exports', 'require', code)(exported, (other) => load(other.replace('./', '')));
        return exported;
    };
    const [file, name] = process.argv.slice(1), asked = load(file)[name];
    const cases = JSON.parse(fs.readFileSync(0, 'utf8'));
    process.stdout.write(JSON.stringify(cases.map((given) => asked(...given) ?? null)));";

fn asked_of_the_interface<T: DeserializeOwned>(file: &str, name: &str, cases: &[Value]) -> Result<Vec<T>> {
    let mut node = Command::new("node")
        .args(["-e", ASKED, file, name])
        .current_dir(xtask::paths::root().join("web"))
        .stdin(Stdio::piped())
        .stdout(Stdio::piped())
        .spawn()
        .context("node does not start")?;
    node.stdin.take().context("node takes no input")?.write_all(&serde_json::to_vec(cases)?)?;
    let output = node.wait_with_output()?;
    ensure!(output.status.success(), "{name} of the interface fails");
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
    let found: Vec<String> = asked_of_the_interface("quantity", "show", &cases)?;
    ensure!(found.len() == wanted.len() && wanted.len() > 20_000, "{} of {} written", found.len(), wanted.len());
    let differ = wanted.iter().zip(&found).filter_map(|((value, unit, digits), found)| {
        let ours = show(*value, *unit, *digits);
        (ours != *found).then(|| format!("{value:e} {unit:?}: server “{ours}”, interface “{found}”"))
    });
    let differ: Vec<String> = differ.take(20).collect();
    ensure!(differ.is_empty(), "{differ:#?}");
    Ok(())
}

/// What the interface takes or refuses by itself, the server takes or refuses too: anything may be typed, half numbers and units of
/// another quantity included.
#[test]
fn what_the_interface_reads_by_itself_the_server_reads_alike() -> Result<()> {
    let mut rng = fastrand::Rng::with_seed(11);
    let any = |rng: &mut fastrand::Rng, of: &[&str]| of[rng.usize(..of.len())].to_owned();
    let mut cases = Vec::new();
    for _ in 0..20_000 {
        let sign = any(&mut rng, &["", "", "", "-", "+"]);
        let number = any(
            &mut rng,
            &["0", "1", "4.7", "47", "100", "2200", ".5", "5.", "1e3", "1E-6", "1e400", "4k7", "2m2", "1,5", "1 000"],
        );
        let space = any(&mut rng, &["", " ", "\u{2009}", "  "]);
        let prefix = any(&mut rng, &["", "", "k", "K", "m", "M", "µ", "μ", "u", "n", "p", "G", "d"]);
        let name = any(&mut rng, &["", "V", "A", "Ω", "ohm", "R", "F", "H", "s", "Hz", "W", "%", "°", "K", "x", "V/s"]);
        let unit = Unit::ALL[rng.usize(..Unit::ALL.len())];
        cases.push((format!("{sign}{number}{space}{prefix}{name}"), unit));
    }
    let asked: Vec<Value> = cases.iter().map(|(text, unit)| json!([text, unit])).collect();
    let found: Vec<Value> = asked_of_the_interface("plain", "plain", &asked)?;
    let told = found.iter().filter(|told| !told.is_null()).count();
    ensure!(told > 1000, "{told} of {} told", cases.len());
    let differ = cases.iter().zip(&found).filter_map(|((text, unit), told)| {
        let server = parse(text, *unit);
        let differs = (told == "fine" && server.is_err()) || (told.is_object() && server.is_ok());
        differs.then(|| format!("“{text}” as {unit:?}: interface {told}, server {server:?}"))
    });
    let differ: Vec<String> = differ.take(20).collect();
    ensure!(differ.is_empty(), "{differ:#?}");
    Ok(())
}
