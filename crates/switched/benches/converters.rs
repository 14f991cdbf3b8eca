//! How long a period of a converter takes by switching, beside the device level and a general-purpose solver in the same run; how
//! long its settled state takes; and how both grow with switches and states.
#![allow(missing_docs, unreachable_pub)]

#[path = "../tests/common/mod.rs"]
mod common;
#[path = "../../device/tests/common/physics.rs"]
mod physics;
#[path = "../../device/tests/common/solver.rs"]
mod solver;

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
    let settings = Settings { end, record_from: 0.0, max_step: end, every_period: true, tolerance: 1e-6 };
    let mut counted = Counted::default();
    Transient::new(circuit, &settings).unwrap().advance(&mut counted, &mut Health::default()).unwrap();
    counted.0
}

/// Switching periods a second over a second of simulated time, most of which comes again, and how many times what came round was
/// left out.
fn over_a_second(circuit: &Circuit) -> (f64, u64) {
    let settings = Settings { end: 1.0, record_from: 0.0, max_step: 1.0, every_period: false, tolerance: 1e-5 };
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
        let (rate, left_out) = over_a_second(&circuit);
        println!("{name}: {rate:.0} periods a second over a whole second, what comes round left out {left_out} times");
        criterion.bench_function(&format!("{name}, {PERIODS} periods"), |b| b.iter(|| by_switching(&circuit)));
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

/// The first of the converters, its equations by hand: a coil's current and a capacitor's voltage, the switch closed in the middle
/// of its drive's edges.
#[derive(Clone, Copy)]
struct Buck;

impl Buck {
    const ON: (f64, f64) = (0.01e-6, 4.03e-6);
}

impl solver::System for Buck {
    const N: usize = 2;
    fn rhs<T: physics::Number>(&self, x: &[T], t: f64, out: &mut [T]) {
        let since = t % PERIOD;
        let on = since >= Buck::ON.0 && since < Buck::ON.1;
        // The diode's line is the tangent at 1 A.
        let slope = 0.05 * 0.025_864_9;
        let drop = slope * (1.0f64 + 1e9).ln() - slope;
        let (esr, load) = (10e-3, 4.0);
        let output = (x[1] + x[0] * T::new(esr)) * T::new(load / (load + esr));
        let resistance = if on { 10e-3 } else { 5e-3 + slope };
        let driven = T::new(if on { 24.0 } else { -drop }) - x[0] * T::new(resistance + 20e-3) - output;
        out[0] = driven * T::new(1.0 / 47e-6);
        out[1] = (x[0] - output * T::new(1.0 / load)) * T::new(1.0 / 22e-6);
    }
    fn mass(&self, v: &[f64], out: &mut [f64]) {
        out.copy_from_slice(v);
    }
    fn sizes(&self) -> Vec<f64> {
        vec![5.0, 10.0]
    }
    fn corners(&self) -> Vec<f64> {
        (0..PERIODS as u32).flat_map(|k| [Buck::ON.0, Buck::ON.1].map(|edge| f64::from(k) * PERIOD + edge)).collect()
    }
}

/// The same equations given to a general-purpose solver, at the accuracy of the recording.
fn beside_a_general_solver(_: &mut Criterion) {
    let (_, rows, ..) = converters::all().swap_remove(0);
    let circuit = common::circuit(&rows);
    let end = PERIODS * PERIOD;
    let mut last = 0.0;
    let started = Instant::now();
    let steps = solver::solve(Buck, end, 1e-6, |_, x| last = x[1]).unwrap();
    let theirs = started.elapsed();
    by_switching(&circuit);
    let started = Instant::now();
    by_switching(&circuit);
    let ours = started.elapsed();
    let run = common::run(circuit, end);
    let capacitor = run.values("out.v").last().copied().unwrap();
    println!(
        "buck: {:.0} times the general-purpose solver, which takes {:.0} steps a period and ends at {last:.4} V where the output \
         is {capacitor:.4} V",
        theirs.as_secs_f64() / ours.as_secs_f64(),
        steps as f64 / PERIODS,
    );
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
            let settings = Settings { end, record_from: 0.0, max_step: end, every_period: true, tolerance: 1e-5 };
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
    targets = each, beside_a_general_solver, growth
}
criterion_main!(benches);
