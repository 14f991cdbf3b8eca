//! How long a period of a converter takes by switching, beside the device level in the same run; and how long its settled
//! state takes.
#![allow(missing_docs, unreachable_pub)]

#[path = "../tests/common/mod.rs"]
mod common;

use circuit::Circuit;
use common::converters::all;
use criterion::{Criterion, criterion_group, criterion_main};
use mellow_switched::{Settings, Settled, SmallSignal, Transient};
use recording::{Chunk, Excitation, Health, Observer, log_grid};
use std::time::Instant;

/// Switching period of the converters, s.
const PERIOD: f64 = 10e-6;
/// Periods simulated.
const PERIODS: f64 = 400.0;

/// Counts nodes and keeps nothing.
#[derive(Default)]
struct Counted(usize);

impl Observer for Counted {
    fn record(&mut self, chunk: Chunk) {
        self.0 += chunk.times.len();
    }
}

fn by_switching(circuit: &Circuit) -> usize {
    let end = PERIODS * PERIOD;
    let settings = Settings { end, record_from: 0.0, max_step: end, tolerance: 1e-6 };
    let mut counted = Counted::default();
    Transient::new(circuit, &settings).unwrap().advance(&mut counted, &mut Health::default()).unwrap();
    counted.0
}

fn at_device_level(circuit: &Circuit) -> usize {
    let equations = device::Equations::new(circuit);
    let (end, start) = (PERIODS * PERIOD, device::Start::Rest);
    let settings =
        device::Settings { end, record_from: 0.0, min_step: 0.0, max_step: PERIOD / 20.0, start, tolerance: 1e-3 };
    let mut counted = Counted::default();
    device::transient(&equations, &settings, &mut counted, &mut Health::default()).unwrap();
    counted.0
}

fn converters(criterion: &mut Criterion) {
    for (name, rows, ..) in all().into_iter().filter(|(name, ..)| !name.contains("bridge") && !name.contains("coil")) {
        let circuit = common::circuit(&rows);
        let started = Instant::now();
        let nodes = at_device_level(&circuit);
        let device = started.elapsed();
        let nodes_here = by_switching(&circuit);
        let started = Instant::now();
        by_switching(&circuit);
        let here = started.elapsed();
        println!(
            "{name}: {:.0} periods a second with {:.0} nodes each, {:.0} times the device level with {:.0}",
            PERIODS / here.as_secs_f64(),
            nodes_here as f64 / PERIODS,
            device.as_secs_f64() / here.as_secs_f64(),
            nodes as f64 / PERIODS,
        );
        criterion.bench_function(&format!("{name}, {PERIODS} periods"), |b| b.iter(|| by_switching(&circuit)));
        if Settled::find(&circuit, &mut Counted::default()).is_ok() {
            criterion.bench_function(&format!("{name}, settled"), |b| {
                b.iter(|| Settled::find(&circuit, &mut Counted::default()).is_ok())
            });
            let shaken = Excitation::Current("out".to_owned(), "gnd".to_owned());
            let linear = SmallSignal::new(&circuit, &shaken, &mut Counted::default()).unwrap();
            let points = log_grid(10.0, 0.49 / PERIOD, 1000.0 / (0.049 / PERIOD).log10());
            criterion.bench_function(&format!("{name}, output impedance at {} frequencies", points.len()), |b| {
                b.iter(|| points.iter().filter(|f| linear.respond(**f).net("out").is_some()).count())
            });
        }
    }
}

criterion_group! {
    name = benches;
    config = Criterion::default().sample_size(10).measurement_time(std::time::Duration::from_secs(2));
    targets = converters
}
criterion_main!(benches);
