//! Commands on supply documents, without a database.

use circuit::{Circuit, Finding, Severity, Signal, Supply, resolve};
use engine::{Equations, Observer, Recording};
use quantity::show;
use std::io::Write;
use std::path::Path;
use std::process::ExitCode;
use studies::{End, Outcome, Recorded, Standing};

const BAD_INPUT: u8 = 2;

struct Quiet;
impl Observer for Quiet {
    fn record(&mut self, _chunk: engine::Chunk) {}
}

pub(super) fn bad_input(message: impl std::fmt::Display) -> ExitCode {
    eprintln!("mellow-coil: {message}");
    ExitCode::from(BAD_INPUT)
}

/// The circuit of a document without errors; findings and the exit code otherwise.
pub(super) fn circuit_of(file: &Path) -> Result<Circuit, ExitCode> {
    let supply = read(file).map_err(bad_input)?;
    resolved(file, &supply)
}

fn resolved(file: &Path, supply: &Supply) -> Result<Circuit, ExitCode> {
    resolve(supply).map_err(|findings| {
        for finding in findings {
            eprintln!("{finding}");
        }
        bad_input(format!("{} has errors that block a run", file.display()))
    })
}

fn read(file: &Path) -> Result<Supply, String> {
    let text = std::fs::read_to_string(file).map_err(|error| format!("{}: {error}", file.display()))?;
    Supply::from_json(&text).map_err(|error| format!("{}: {error}", file.display()))
}

pub(super) fn print(value: &impl serde::Serialize) {
    println!("{}", serde_json::to_string_pretty(value).unwrap_or_default());
}

pub(super) fn check(file: &Path, json: bool) -> ExitCode {
    let supply = match read(file) {
        Ok(supply) => supply,
        Err(message) => return bad_input(message),
    };
    let findings = circuit::check(&supply);
    if json {
        print(&findings);
    } else if findings.is_empty() {
        println!("{}: nothing to complain of", supply.title);
    } else {
        for finding in &findings {
            println!("{finding}");
        }
    }
    let blocked = findings.iter().any(|f: &Finding| f.severity == Severity::Error);
    if blocked { ExitCode::from(BAD_INPUT) } else { ExitCode::SUCCESS }
}

pub(super) fn run(file: &Path, study: Option<&str>, out: Option<&Path>, json: bool) -> ExitCode {
    let supply = match read(file) {
        Ok(supply) => supply,
        Err(message) => return bad_input(message),
    };
    let Some(study) = study.or(supply.studies.first().map(|s| s.id.as_str())) else {
        return bad_input(format!("{} has no study; add one to its studies", file.display()));
    };
    let circuit = match resolved(file, &circuit::as_run(&supply, Some(study))) {
        Ok(circuit) => circuit,
        Err(code) => return code,
    };
    let (recording, outcome) = match studies::run(&circuit, study, &mut Quiet) {
        Ok(result) => result,
        Err(error) => return bad_input(format!("{}: {error}", file.display())),
    };
    if let Some(folder) = out
        && let Err(error) = write_traces(folder, study, &circuit, &recording)
    {
        return bad_input(format!("{}: {error}", folder.display()));
    }
    if json {
        print(&outcome);
    } else {
        report(&supply, study, &outcome);
    }
    match outcome.end {
        End::Failed { message } => {
            eprintln!("mellow-coil: {message}");
            ExitCode::FAILURE
        }
        _ => ExitCode::SUCCESS,
    }
}

fn report(supply: &Supply, study: &str, outcome: &Outcome) {
    println!("{}, {study}", supply.title);
    println!("\nReadings");
    for (reading, result) in supply.readings.iter().zip(&outcome.readings) {
        let value = match (result.value, &result.problem) {
            (Some(value), _) => show(value, result.unit, 5),
            (None, problem) => format!("– ({})", problem.as_deref().unwrap_or("no value")),
        };
        println!("  {:<40} {value}", reading.title);
    }
    println!("\nRequirements");
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
        println!("  {:<40} {standing}{limits}{margin}", requirement.title);
    }
    let health = &outcome.health;
    println!("\nHealth");
    println!(
        "  {} steps, {} rejected; energy balanced to {:.1e}",
        health.engine.steps, health.engine.rejected, health.engine.energy.relative
    );
    for (count, what) in
        [(health.engine.trips, "trips of switches"), (health.engine.leaps, "leaps over unresolvable changes")]
    {
        if count > 0 {
            println!("  {count} {what}");
        }
    }
    if !health.engine.fallbacks.is_empty() {
        println!("  operating point not found by {}", health.engine.fallbacks.join(", "));
    }
    for warning in &health.warnings {
        println!("  warning: {warning}");
    }
}

/// Writes every signal at every node as CSV (RFC 4180), the time first.
fn write_traces(
    folder: &Path,
    study: &str,
    circuit: &Circuit,
    recording: &Recording,
) -> Result<(), Box<dyn std::error::Error>> {
    std::fs::create_dir_all(folder)?;
    let equations = Equations::new(circuit);
    let recorded = Recorded::new(circuit, equations.columns(), recording);
    let signals = Recorded::signals(circuit);
    let columns = signals.iter().map(|s| recorded.values(s)).collect::<Result<Vec<_>, _>>()?;
    let unit = |s: &Signal| format!("{s} [{}]", s.quantity().unit().symbol());
    let mut csv =
        csv::WriterBuilder::new().terminator(csv::Terminator::CRLF).from_path(folder.join(format!("{study}.csv")))?;
    csv.write_record(std::iter::once("time [s]".to_owned()).chain(signals.iter().map(unit)))?;
    for (i, time) in recording.times.iter().enumerate() {
        csv.write_record(std::iter::once(*time).chain(columns.iter().map(|c| c[i])).map(|v| format!("{v:e}")))?;
    }
    csv.into_inner()?.flush()?;
    Ok(())
}
