//! Converters and rectifiers of twenty kinds at random: each starts and goes on for a hundred periods, has a settled state that
//! is found, accounts for its energy, and does what a general-purpose solver makes of the same pieces.
//!
//! `MELLOW_COIL_VARIED` says how many, `MELLOW_COIL_FROM` from which number on; with `--nocapture` the slowest are told.

mod common;


use common::topologies::{Drawn, KINDS, drawn};
use mellow_switched::{Settings, Settled, Transient};
use recording::{Chunk, Command, Health, Observer, Progress};
use std::collections::BTreeMap;
use std::time::Instant;

/// Periods from rest.
const PERIODS: f64 = 100.0;
/// Energy that may be missing, relative.
const MISSING: f64 = 1e-6;

fn number(name: &str, otherwise: u64) -> u64 {
    std::env::var(name).ok().and_then(|n| n.parse().ok()).unwrap_or(otherwise)
}

/// Keeps nothing, checks everything.
#[derive(Default)]
struct Watch;

impl Observer for Watch {
    fn progress(&mut self, _: &Progress<'_>) -> Command {
        Command::Continue
    }
    fn record(&mut self, chunk: Chunk) {
        assert!(chunk.times.is_sorted_by(|a, b| a < b), "times must go on");
        assert!(chunk.columns.iter().flatten().all(|value| value.is_finite()), "numbers must be numbers");
    }
}

/// Runs a check over many circuits and names all that fail it.
fn over_many(what: &str, most: u64, check: impl Fn(&Drawn) -> Result<(), String>) {
    let (from, count) = (number("MELLOW_COIL_FROM", 0), number("MELLOW_COIL_VARIED", most));
    let (mut failed, mut slowest) = (Vec::new(), BTreeMap::new());
    for k in from..from + count {
        let drawn = drawn(k);
        let begun = Instant::now();
        if let Err(why) = check(&drawn) {
            println!("{what}: {k}, {}: {why}", drawn.kind);
            failed.push(k);
        }
        let took = begun.elapsed().as_secs_f64();
        let slow = slowest.entry(drawn.kind).or_insert((took, k));
        if took > slow.0 {
            *slow = (took, k);
        }
    }
    for (kind, (took, k)) in slowest {
        println!("{what}: {kind}: {took:.3} s at most, number {k}");
    }
    assert!(failed.is_empty(), "{what}: {} of {count} failed: {failed:?}", failed.len());
}

#[test]
fn all_start_and_go_on() {
    over_many("from rest", 3 * KINDS.len() as u64, |drawn| {
        let circuit = drawn.circuit();
        let end = PERIODS * drawn.period;
        let settings = Settings { end, record_from: 0.0, max_step: end, every_period: false, tolerance: 1e-6 };
        let mut health = Health::default();
        let mut run = Transient::new(&circuit, &settings).map_err(|error| error.to_string())?;
        run.advance(&mut Watch, &mut health).map_err(|error| error.to_string())?;
        if health.energy.relative < MISSING { Ok(()) } else { Err(format!("{:?}", health.energy)) }
    });
}

#[test]
fn all_settle() {
    over_many("settled", 3 * KINDS.len() as u64, |drawn| {
        let settled = Settled::find(&drawn.circuit(), &mut Watch).map_err(|error| error.to_string())?;
        if settled.residual > 1e-8 {
            return Err(format!("residual {:e} in {} periods", settled.residual, settled.periods));
        }
        let mut health = Health::default();
        settled.record(1, 1e-5, &mut Watch, &mut health).map_err(|error| error.to_string())?;
        if health.energy.relative < MISSING { Ok(()) } else { Err(format!("{:?}", health.energy)) }
    });
}
