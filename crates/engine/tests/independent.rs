//! The demo rectifier against an independent integration of its equations by a general-purpose
//! solver.

mod common;

use circuit::ReadingMeasure::{Max, Mean, PeakToPeak};
use common::rectifier::{Method, demo, figures, reference};
use common::run;

#[test]
fn the_demo_rectifier_agrees_with_an_independent_integration() {
    let circuit = demo();
    let end = 0.3;
    let (nodes, _) = reference(&circuit, end, 1e-7, Method::TrBdf2).unwrap();
    let (mean, ripple, peak) = figures(&nodes, end - 0.1);
    let run = run(circuit, end, 1e-3, 1e-3);
    let read = |signal, m| run.measure(signal, end - 0.1, end, |w, s| w.measure(m, s).unwrap());
    let deviation = |found: f64, wanted: f64| (found / wanted - 1.0).abs();
    let found = [
        deviation(read("bus.v", Mean), mean),
        deviation(read("bus.v", PeakToPeak), ripple),
        deviation(read("D1.i", Max), peak),
    ];
    println!("mean {mean} ripple {ripple} peak {peak}, deviations {found:?}, {:?}", run.health);
    assert!(found[0] < 0.05e-2, "bus mean");
    assert!(found[1] < 0.5e-2, "ripple");
    assert!(found[2] < 1e-2, "peak diode current");
}
