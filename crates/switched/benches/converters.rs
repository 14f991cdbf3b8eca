//! How long a period of a converter takes by switching, beside the device level and a general-purpose solver in the same run; how
//! long its settled state takes; and how both grow with switches and states.
#![allow(missing_docs, unreachable_pub)]

#[path = "../tests/common/mod.rs"]
mod common;
#[path = "../tests/common/general.rs"]
mod general;

use circuit::Circuit;
use circuit::KindId::{Capacitor, ControlledSwitch, DcSource, Diode, Inductor, PulseModulator, Resistor};
use common::converters::{DIODE, SWITCH};
use common::{Row, controlled, converters};
use criterion::{Criterion, criterion_group, criterion_main};
use mellow_switched::{Settings, Settled, SmallSignal, Transient};
use recording::{Chunk, Excitation, Health, Observer, log_grid};
use std::time::Instant;

/// Switching period of the converters, s.
const PERIOD: f64 = 10e-6;
/// Periods simulated.
const PERIODS: f64 = 400.0;
/// How closely a recording follows: as studies begin with, and so that most have some sixteen nodes a period.
const FOLLOWS: f64 = 1e-5;
const SIXTEEN: f64 = 1e-3;

/// Counts nodes and keeps nothing.
#[derive(Default)]
struct Counted(usize);

impl Observer for Counted {
    fn record(&mut self, chunk: Chunk) {
        self.0 += chunk.times.len();
    }
}

fn by_switching(circuit: &Circuit, tolerance: f64) -> usize {
    let end = PERIODS * PERIOD;
    let settings = Settings { end, record_from: 0.0, max_step: end, every_period: true, tolerance };
    let mut counted = Counted::default();
    Transient::new(circuit, &settings).unwrap().advance(&mut counted, &mut Health::default()).unwrap();
    counted.0
}

/// Switching periods a second over a second of simulated time, most of which comes again, and how many times what came round was
/// left out.
fn over_a_second(circuit: &Circuit) -> (f64, u64) {
    let settings = Settings { end: 1.0, record_from: 0.0, max_step: 1.0, every_period: false, tolerance: FOLLOWS };
    let mut health = Health::default();
    let started = Instant::now();
    Transient::new(circuit, &settings).unwrap().advance(&mut Counted::default(), &mut health).unwrap();
    (1.0 / PERIOD / started.elapsed().as_secs_f64(), health.repeated)
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

fn each(criterion: &mut Criterion) {
    let mains = |name: &str| name.starts_with("three") || name.starts_with("bridge") || name.starts_with("a coil");
    let open = converters::all().into_iter().filter(|(name, ..)| !mains(name));
    for (name, rows, ..) in open.chain(controlled::all()) {
        let circuit = common::circuit(&rows);
        let started = Instant::now();
        let nodes = at_device_level(&circuit);
        let device = started.elapsed();
        let started = Instant::now();
        let general = general::walk(&circuit, PERIODS * PERIOD, FOLLOWS).map(|_| started.elapsed());
        for tolerance in [SIXTEEN, FOLLOWS] {
            let nodes_here = by_switching(&circuit, tolerance);
            let started = Instant::now();
            by_switching(&circuit, tolerance);
            let here = started.elapsed().as_secs_f64();
            println!(
                "{name}: {:.0} periods a second with {:.0} nodes each, {:.0} times the device level with {:.0}, {:.1} times a \
                 general-purpose solver on the same pieces",
                PERIODS / here,
                nodes_here as f64 / PERIODS,
                device.as_secs_f64() / here,
                nodes as f64 / PERIODS,
                general.map_or(f64::NAN, |general| general.as_secs_f64() / here),
            );
        }
        let (rate, left_out) = over_a_second(&circuit);
        println!("{name}: {rate:.0} periods a second over a whole second, what comes round left out {left_out} times");
        criterion.bench_function(&format!("{name}, {PERIODS} periods"), |b| b.iter(|| by_switching(&circuit, FOLLOWS)));
        if Settled::find(&circuit, &mut Counted::default()).is_ok() {
            criterion.bench_function(&format!("{name}, settled"), |b| {
                b.iter(|| Settled::find(&circuit, &mut Counted::default()).is_ok())
            });
            let shaken = Excitation::Current("out".to_owned(), "gnd".to_owned());
            let Ok(linear) = SmallSignal::new(&circuit, &shaken, &mut Counted::default()) else { continue };
            let points = log_grid(10.0, 0.49 / PERIOD, 1000.0 / (0.049 / PERIOD).log10());
            criterion.bench_function(&format!("{name}, output impedance at {} frequencies", points.len()), |b| {
                b.iter(|| points.iter().filter(|f| linear.respond(**f).net("out").is_some()).count())
            });
        }
    }
}

/// So many phases of a buck side by side, interleaved: two switches and a state each.
fn phases(count: usize) -> Circuit {
    let text = |name: &str, k: usize| format!("{name}{k}");
    let turned: Vec<String> = (0..count).map(|k| format!("{}", 360.0 * k as f64 / count as f64)).collect();
    let names: Vec<[String; 4]> = (0..count).map(|k| ["U", "S", "D", "L"].map(|name| text(name, k))).collect();
    let nets: Vec<[String; 4]> = (0..count)
        .map(|k| [format!("g{k} c gnd"), format!("in x{k} g{k} gnd"), format!("gnd x{k}"), format!("x{k} out")])
        .collect();
    let own: Vec<[(&str, &str); 1]> = turned.iter().map(|turned| [("phase", turned.as_str())]).collect();
    let mut rows: Vec<Row<'_>> = vec![
        ("V1", DcSource, "in gnd", &[("voltage", "12")]),
        ("VC", DcSource, "c gnd", &[("voltage", "0.8")]),
        ("C1", Capacitor, "out gnd", &[("capacitance", "470u"), ("esr", "5m")]),
        ("R1", Resistor, "out gnd", &[("resistance", "1")]),
    ];
    for ((name, nets), own) in names.iter().zip(&nets).zip(&own) {
        rows.push((&name[0], PulseModulator, &nets[0], own));
        rows.push((&name[1], ControlledSwitch, &nets[1], SWITCH));
        rows.push((&name[2], Diode, &nets[2], DIODE));
        rows.push((&name[3], Inductor, &nets[3], &[("inductance", "22u"), ("resistance", "10m")]));
    }
    common::circuit(&rows)
}

fn growth(_: &mut Criterion) {
    for count in [1, 2, 5, 10, 20] {
        let circuit = phases(count);
        let run = || {
            let started = Instant::now();
            let end = 100.0 * PERIOD;
            let settings = Settings { end, record_from: 0.0, max_step: end, every_period: true, tolerance: FOLLOWS };
            let (mut counted, mut health) = (Counted::default(), Health::default());
            Transient::new(&circuit, &settings).unwrap().advance(&mut counted, &mut health).unwrap();
            (started.elapsed().as_secs_f64(), health.steps)
        };
        let (took, steps) = run();
        let started = Instant::now();
        let settled = Settled::find(&circuit, &mut Counted::default());
        println!(
            "{} switches and diodes, {} states: {:.0} periods a second of {:.0} steps, {:.1} µs each; settled in {:.1} ms{}",
            2 * count,
            count + 1,
            100.0 / took,
            steps as f64 / 100.0,
            1e6 * took / steps as f64,
            1e3 * started.elapsed().as_secs_f64(),
            if settled.is_ok() { "" } else { " (not)" },
        );
    }
}

criterion_group! {
    name = benches;
    config = Criterion::default().sample_size(10).measurement_time(std::time::Duration::from_secs(2));
    targets = each, growth
}
criterion_main!(benches);
