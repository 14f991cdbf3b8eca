//! Commands on supply documents, without a database.

use crate::recorded::{Spool, in_columns};
use circuit::{Circuit, Finding, MEASURES, Severity, Signal, Supply, resolve};
use quantity::show;
use readings::Recipe;
use recording::{Chunks, Column, repeated};
use std::io::Write;
use std::path::Path;
use std::process::ExitCode;
use studies::{Curves, End, Outcome, Standing, StudyError};

const BAD_INPUT: u8 = 2;

pub(super) fn bad_input(message: impl std::fmt::Display) -> ExitCode {
    eprintln!("mellow-coil: {message}");
    ExitCode::from(BAD_INPUT)
}

fn failed(message: impl std::fmt::Display) -> ExitCode {
    eprintln!("mellow-coil: {message}");
    ExitCode::FAILURE
}

/// Refuses an input; where JSON was asked for, in JSON too.
fn refuse(json: bool, message: impl std::fmt::Display, findings: &[Finding]) -> ExitCode {
    if json {
        print(&serde_json::json!({ "message": message.to_string(), "findings": findings }));
    } else {
        for finding in findings {
            eprintln!("{finding}");
        }
    }
    bad_input(message)
}

/// The circuit of a document without errors; findings and the exit code otherwise.
pub(super) fn circuit_of(file: &Path, json: bool) -> Result<Circuit, ExitCode> {
    let supply = read(file).map_err(|message| refuse(json, message, &[]))?;
    resolved(file, &supply, json)
}

fn resolved(file: &Path, supply: &Supply, json: bool) -> Result<Circuit, ExitCode> {
    resolve(supply).map_err(|findings| {
        let message = format!("{} has errors that block a run", file.display());
        refuse(json, message, &findings)
    })
}

fn read(file: &Path) -> Result<Supply, String> {
    let text = std::fs::read_to_string(file).map_err(|error| format!("{}: {error}", file.display()))?;
    Supply::from_json(&text).map_err(|error| format!("{}: {error}", file.display()))
}

pub(super) fn print(value: &impl serde::Serialize) {
    say!("{}", serde_json::to_string_pretty(value).unwrap_or_default());
}

pub(super) fn check(file: &Path, json: bool) -> ExitCode {
    let supply = match read(file) {
        Ok(supply) => supply,
        Err(message) => return refuse(json, message, &[]),
    };
    let findings = circuit::check(&supply);
    if json {
        print(&findings);
    } else if findings.is_empty() {
        say!("{}: nothing to complain of", supply.title);
    } else {
        for finding in &findings {
            say!("{finding}");
        }
    }
    let blocked = findings.iter().any(|f: &Finding| f.severity == Severity::Error);
    if blocked { ExitCode::from(BAD_INPUT) } else { ExitCode::SUCCESS }
}

/// Prints the table of measures.
pub(super) fn measures() -> ExitCode {
    for measure in MEASURES {
        let id = serde_json::to_value(measure.id).unwrap_or_default();
        let mut units: Vec<&str> = measure.unit.units().iter().map(|u| u.symbol()).collect();
        units.dedup();
        let units = units.join(", ");
        let units = if units.is_empty() { "a plain number" } else { &units };
        say!("{:<22} {} ({units})\n    {}", id.as_str().unwrap_or_default(), measure.name, measure.help);
        for number in measure.numbers {
            let default = number.default.map(|d| format!(", {d} if left out")).unwrap_or_default();
            say!("    {:<12} {}{default}: {}", number.id, number.name, number.help);
        }
    }
    ExitCode::SUCCESS
}

pub(super) fn run(file: &Path, study: Option<&str>, out: Option<&Path>, json: bool) -> ExitCode {
    let supply = match read(file) {
        Ok(supply) => supply,
        Err(message) => return refuse(json, message, &[]),
    };
    let Some(study) = study.or(supply.studies.first().map(|s| s.id.as_str())) else {
        return refuse(json, format!("{} has no study; add one to its studies", file.display()), &[]);
    };
    let circuit = match resolved(file, &circuit::as_run(&supply, Some(study)), json) {
        Ok(circuit) => circuit,
        Err(code) => return code,
    };
    let mut kept = Spool::default();
    let outcome = match studies::run(&circuit, study, &mut kept) {
        Ok(result) => result,
        Err(error @ StudyError::Unknown(_)) => return refuse(json, format!("{}: {error}", file.display()), &[]),
        Err(error @ (StudyError::Unreadable(_) | StudyError::Unfit(_))) => return failed(error),
    };
    // What was computed is printed, also where its traces cannot be written.
    if json {
        print(&outcome);
    } else {
        report(&supply, study, &outcome);
    }
    let write = |folder: &Path| match &outcome.curves {
        Some(curves) => write_curves(folder, study, curves),
        None => write_traces(folder, study, &circuit, &kept),
    };
    if let Some(folder) = out
        && let Err(error) = write(folder)
    {
        return failed(format!("the traces cannot be written to {}: {error}", folder.display()));
    }
    match outcome.end {
        End::Failed { message } => failed(message),
        _ => ExitCode::SUCCESS,
    }
}

fn report(supply: &Supply, study: &str, outcome: &Outcome) {
    say!("{}, {study}", supply.title);
    say!("\nReadings");
    for (reading, result) in supply.readings.iter().zip(&outcome.readings) {
        let value = match (result.value, &result.problem) {
            (Some(value), _) => show(value, result.unit, 5),
            (None, problem) => format!("– ({})", problem.as_deref().unwrap_or("no value")),
        };
        say!("  {:<40} {value}", reading.title);
    }
    say!("\nRequirements");
    for (requirement, verdict) in supply.requirements.iter().zip(&outcome.verdicts) {
        let standing = match verdict.standing {
            Standing::Met => "met",
            Standing::Close => "close",
            Standing::Missed => "missed",
            Standing::NotTried => "not tried",
        };
        let limit = |name, limit: Option<f64>| {
            limit.map(|limit| format!(", {name} {}", show(limit, verdict.unit, 4))).unwrap_or_default()
        };
        let limits = limit("at least", verdict.at_least) + &limit("at most", verdict.at_most);
        let margin = verdict.margin.map(|m| format!(", margin {:.1} %", 100.0 * m)).unwrap_or_default();
        say!("  {:<40} {standing}{limits}{margin}", requirement.title);
    }
    let health = &outcome.health;
    say!("\nHealth");
    say!("  simulated {}", health.simulated);
    say!(
        "  {} steps, {} rejected; energy balanced to {:.1e}",
        health.engine.steps,
        health.engine.rejected,
        health.engine.energy.relative
    );
    for (count, what) in [
        (health.engine.trips, "trips of switches"),
        (health.engine.leaps, "leaps over unresolvable changes"),
        (health.engine.repeated, "periods left out in which nothing new happens: like the one before"),
    ] {
        if count > 0 {
            say!("  {count} {what}");
        }
    }
    if !health.engine.fallbacks.is_empty() {
        say!("  operating point not found by {}", health.engine.fallbacks.join(", "));
    }
    for warning in &health.warnings {
        say!("  warning: {warning}");
    }
}

/// Writes every signal at every node as CSV (RFC 4180), the time first.
fn write_curves(folder: &Path, study: &str, curves: &Curves) -> Result<(), Box<dyn std::error::Error>> {
    std::fs::create_dir_all(folder)?;
    let answered = curves.curves.iter().filter(|curve| curve.problem.is_none()).map(|curve| curve.id.clone());
    let table = in_columns(curves, &answered.collect::<Vec<_>>())?;
    Ok(std::fs::write(folder.join(format!("{study}.csv")), formats::csv_over_frequency(&table)?)?)
}

fn write_traces(
    folder: &Path,
    study: &str,
    circuit: &Circuit,
    kept: &dyn Chunks,
) -> Result<(), Box<dyn std::error::Error>> {
    std::fs::create_dir_all(folder)?;
    let columns = recording::columns(circuit);
    let signals = readings::signals(circuit);
    let recipes = signals.iter().map(|s| Recipe::new(circuit, s)).collect::<Result<Vec<_>, _>>()?;
    let unit = |s: &Signal| format!("{s} [{}]", s.quantity().unit().symbol());
    let mut csv =
        csv::WriterBuilder::new().terminator(csv::Terminator::CRLF).from_path(folder.join(format!("{study}.csv")))?;
    csv.write_record(std::iter::once("time [s]".to_owned()).chain(signals.iter().map(unit)))?;
    let all: Vec<usize> = (0..columns.len()).collect();
    let (from, to) = kept.whole();
    let (mut known, mut written) = (0, Ok(()));
    kept.pieces(from, to, &all, &mut |piece| {
        let column = |key: &Column| columns.iter().position(|c| c == key).map(|k| piece.columns[k]);
        let values: Vec<_> = recipes.iter().map(|recipe| recipe.evaluate(piece.times.len(), column)).collect();
        for (i, time) in piece.times.iter().enumerate().skip(known) {
            let row = std::iter::once(*time).chain(values.iter().map(|v| v[i]));
            if written.is_ok() {
                written = csv.write_record(row.map(|v| format!("{v:e}")));
            }
        }
        known = repeated(piece.times.len());
    })?;
    written?;
    csv.into_inner()?.flush()?;
    Ok(())
}
