//! Converters and rectifiers of twenty kinds at random: each starts and goes on for a hundred periods, has a settled state that
//! is found, accounts for its energy, and does what a general-purpose solver makes of the same pieces.
//!
//! `MELLOW_COIL_VARIED` says how many, `MELLOW_COIL_FROM` from which number on; with `--nocapture` the slowest are told.

mod common;
#[path = "common/general.rs"]
mod general;

use circuit::Quantity;
use common::topologies::{Drawn, KINDS, drawn};
use common::{Run, tried};
use mellow_switched::{Settings, Settled, Transient};
use recording::{Chunk, Command, Health, Observer, Progress};
use std::cell::Cell;
use std::collections::BTreeMap;
use std::time::Instant;

/// Periods from rest.
const PERIODS: f64 = 100.0;
/// Energy that may be missing, relative.
const MISSING: f64 = 1e-6;
/// Periods for a general-purpose solver.
const OUTSIDE: f64 = 2.37;

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

/// A general-purpose solver walks through the same pieces for some periods, with steps of its own and events as it finds them; it
/// gives up on few.
#[test]
fn a_general_solver_agrees() {
    let (asked, gave_up) = (Cell::new(0), Cell::new(0));
    over_many("outside", KINDS.len() as u64, |drawn| {
        asked.set(asked.get() + 1);
        let (circuit, end) = (drawn.circuit(), OUTSIDE * drawn.period);
        let Some((_, found)) = general::walk(&circuit, end, 1e-8) else {
            gave_up.set(gave_up.get() + 1);
            return Ok(());
        };
        let Run { columns, recording, .. } = tried(circuit, end, 0.0, 1e-6).map_err(|error| error.to_string())?;
        let ours = columns.iter().zip(&recording.columns).filter(|(column, _)| column.quantity != Quantity::Power);
        // Where floating nets stand is said by nothing but what was there before, in the last digit.
        let told = |column: &recording::Column| column.quantity == Quantity::Current || column.of == "out";
        let largest = |of: Quantity| {
            let those = columns.iter().zip(&recording.columns).filter(|(column, _)| column.quantity == of);
            those.flat_map(|(_, values)| values).fold(0.0f64, |most, v| most.max(v.abs()))
        };
        let floors = [Quantity::Voltage, Quantity::Current].map(|of| (of, 1e-3 * largest(of)));
        for ((column, values), found) in ours.zip(found).filter(|((column, _), _)| told(column)) {
            let floor = floors.iter().find(|(of, _)| *of == column.quantity).map_or(0.0, |(_, floor)| *floor);
            let full = values.iter().fold(floor, |most, v| most.max(v.abs()));
            let last = values[values.len() - 1];
            if (last - found).abs() > 1e-4 * full {
                let of = format!("{} of {}", column.quantity.letter(), column.of);
                return Err(format!("{of}: {last} and {found} of {full}"));
            }
        }
        Ok(())
    });
    println!("outside: gave up on {} of {}", gave_up.get(), asked.get());
    assert!(4 * gave_up.get() <= asked.get(), "it gave up on {} of {}", gave_up.get(), asked.get());
}

/// The order in which parts are listed, and the names of nets, change nothing beyond rounding.
#[test]
fn neither_the_order_of_parts_nor_names_play_a_role() {
    over_many("order", 2 * KINDS.len() as u64, |drawn| {
        let end = OUTSIDE * drawn.period;
        let last = |drawn: &Drawn| {
            let run = tried(drawn.circuit(), end, 0.0, 1e-6).map_err(|error| error.to_string())?;
            let of = run.columns.iter().zip(&run.recording.columns);
            let currents = of.filter(|(column, _)| column.quantity == Quantity::Current);
            let full = |values: &[f64]| values.iter().fold(0.0f64, |most, v| most.max(v.abs()));
            let all = currents.map(|(column, values)| (column.of.clone(), (values[values.len() - 1], full(values))));
            Ok::<BTreeMap<String, (f64, f64)>, String>(all.collect())
        };
        let mut rng = fastrand::Rng::with_seed(7);
        let other = drawn.shuffled(&mut rng).renamed(&mut rng);
        let (first, second) = (last(drawn)?, last(&other)?);
        // What is small beside the rest is told by when that commutates.
        let floor = 0.1 * first.values().fold(0.0f64, |most, (_, full)| most.max(*full));
        for (of, (current, full)) in &first {
            let other = second[of].0;
            if (current - other).abs() > 1e-6 * full.max(floor) {
                return Err(format!("{of}: {current} and {other} of {full}"));
            }
        }
        Ok(())
    });
}
