//! One second of the demo rectifier, 50 mains periods, against `diffsol` on the same equations.
//!
//! Equal accuracy means: the reference solver runs at the loosest tolerance that brings mean,
//! ripple and diode peak at least as close to the truth as the engine at its default. The truth is
//! the engine at a thousandth of that tolerance, which agrees with the reference solver's tightest
//! run (also printed) to the latter's own error.
#![allow(missing_docs, unreachable_pub)]

#[path = "../tests/common/rectifier.rs"]
mod rectifier;

use criterion::{Criterion, criterion_group, criterion_main};
use mellow_engine::{Equations, Health, Recording, Settings, Start, transient};
use readings::{Span, Waveform};
use rectifier::{Method, demo, figures, reference};
use std::time::{Duration, Instant};

const END: f64 = 1.0;
const DEFAULT: f64 = 1e-3;

fn engine(equations: &Equations, tolerance: f64) -> (Recording, Health) {
    let mut recording = Recording::default();
    let mut health = Health::default();
    let settings =
        Settings { end: END, record_from: 0.0, min_step: 0.0, start: Start::Rest, max_step: 1e-3, tolerance };
    transient(equations, &settings, &mut recording, &mut health).unwrap();
    (recording, health)
}

fn worst(found: (f64, f64, f64), wanted: (f64, f64, f64)) -> [f64; 3] {
    [found.0 / wanted.0 - 1.0, found.1 / wanted.1 - 1.0, found.2 / wanted.2 - 1.0].map(f64::abs)
}

fn compare(criterion: &mut Criterion) {
    let circuit = demo();
    let equations = Equations::new(&circuit);
    let measured = |(recording, _): &(Recording, Health)| {
        let column = |of: &str| {
            let index = equations.columns().iter().position(|c| c.of == of).unwrap();
            Waveform::new(&recording.times, &recording.columns[index])
        };
        let span = Span { from: END - 0.1, to: END };
        let (min, max) = column("bus").extremes(span).unwrap();
        (column("bus").mean(span).unwrap(), max - min, column("D1").extremes(span).unwrap().1)
    };
    let wanted = measured(&engine(&equations, 1e-6));
    let run = engine(&equations, DEFAULT);
    let ours = worst(measured(&run), wanted);
    let (recording, health) = run;
    let rtol = [1e-3, 3e-4, 1e-4, 3e-5, 1e-5, 3e-6, 1e-6, 3e-7, 1e-7]
        .into_iter()
        .find(|rtol| {
            let Some((nodes, _)) = reference(&circuit, END, *rtol, Method::Bdf) else { return false };
            let theirs = worst(figures(&nodes, END - 0.1), wanted);
            theirs.iter().zip(&ours).all(|(theirs, ours)| theirs <= ours)
        })
        .unwrap_or(1e-7);
    let fastest = |run: &dyn Fn()| {
        let time = || {
            let start = Instant::now();
            run();
            start.elapsed()
        };
        (0..5).map(|_| time()).min().unwrap_or(Duration::ZERO)
    };
    let engine_time = fastest(&|| drop(engine(&equations, DEFAULT)));
    let reference_time = fastest(&|| drop(reference(&circuit, END, rtol, Method::Bdf)));
    let bytes = 8 * recording.times.len() * (1 + recording.columns.len());
    println!(
        "engine: {engine_time:.2?}, {} steps, {} rejected, {} iterations, {:.1} MB recorded, deviations {:.1e} {:.1e} {:.1e}",
        health.steps,
        health.rejected,
        health.iterations,
        bytes as f64 / 1e6,
        ours[0],
        ours[1],
        ours[2],
    );
    let (nodes, steps) = reference(&circuit, END, rtol, Method::Bdf).unwrap();
    let theirs = worst(figures(&nodes, END - 0.1), wanted);
    println!(
        "diffsol BDF at rtol {rtol:.0e}: {reference_time:.2?}, {steps} steps, deviations {:.1e} {:.1e} {:.1e}",
        theirs[0], theirs[1], theirs[2],
    );
    let tight = figures(&reference(&circuit, END, 1e-7, Method::TrBdf2).unwrap().0, END - 0.1);
    let tight = worst(tight, wanted);
    println!("diffsol TR-BDF2 at rtol 1e-7: deviations {:.1e} {:.1e} {:.1e}", tight[0], tight[1], tight[2]);
    println!("ratio: {:.1}", reference_time.as_secs_f64() / engine_time.as_secs_f64());
    criterion.bench_function("demo rectifier, 1 s", |b| b.iter(|| engine(&equations, DEFAULT)));
}

criterion_group! {
    name = benches;
    config = Criterion::default().sample_size(10);
    targets = compare
}
criterion_main!(benches);
