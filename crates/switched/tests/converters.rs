//! Converters drawn from single parts, by switching and at device level.

mod common;

use circuit::KindId::{Capacitor, ControlledSwitch, DcSource, Diode, Inductor, PulseSource, Resistor, SineSource};
use common::{Row, circuit, device_run, run, tried};

/// A diode close to ideal in both engines.
const DIODE: &[(&str, &str)] =
    &[("saturation_current", "1n"), ("emission", "0.05"), ("series_resistance", "1m"), ("typical_current", "2")];
const SWITCH: &[(&str, &str)] = &[("on_resistance", "1m"), ("on_voltage", "3"), ("off_voltage", "2")];
const DRIVE: &[(&str, &str)] =
    &[("low", "0"), ("high", "5"), ("rise", "10n"), ("fall", "10n"), ("width", "4u"), ("period", "10u")];

fn buck<'a>() -> Vec<Row<'a>> {
    vec![
        ("V1", DcSource, "in gnd", &[("voltage", "24")]),
        ("VG", PulseSource, "g gnd", DRIVE),
        ("S1", ControlledSwitch, "in x g gnd", SWITCH),
        ("D1", Diode, "gnd x", DIODE),
        ("L1", Inductor, "x out", &[("inductance", "47u")]),
        ("C1", Capacitor, "out gnd", &[("capacitance", "22u"), ("esr", "5m")]),
        ("R1", Resistor, "out gnd", &[("resistance", "4")]),
    ]
}

#[test]
fn agree_with_the_device_level() {
    let circuits: [(&str, Vec<Row<'_>>, f64); 1] = [("buck", buck(), 1e-3)];
    for (name, rows, end) in circuits {
        let start = std::time::Instant::now();
        let ours = run(circuit(&rows), end);
        let took = start.elapsed();
        let start = std::time::Instant::now();
        let theirs = device_run(circuit(&rows), end, 1e-6, 1e-4);
        eprintln!(
            "{name}: {took:?} {} steps, device {:?} {} steps",
            ours.health.steps,
            start.elapsed(),
            theirs.health.steps
        );
        for (from, to) in [(0.0, 0.1 * end), (0.9 * end, end)] {
            let pair = |signal| (ours.mean(signal, from, to), theirs.mean(signal, from, to));
            for signal in ["out.v", "L1.i", "V1.i"] {
                let (a, b) = pair(signal);
                eprintln!("{name} {signal} {a} {b}");
                assert!((a - b).abs() < 0.01 * b.abs(), "{name}, {signal}: {a}, {b}");
            }
        }
    }
}

#[test]
fn bridge() {
    let rows: Vec<Row<'_>> = vec![
        ("V1", SineSource, "a b", &[("amplitude", "20"), ("frequency", "50")]),
        ("RS", Resistor, "a c", &[("resistance", "0.5")]),
        ("D1", Diode, "c bus", DIODE),
        ("D2", Diode, "b bus", DIODE),
        ("D3", Diode, "gnd c", DIODE),
        ("D4", Diode, "gnd b", DIODE),
        ("C1", Capacitor, "bus gnd", &[("capacitance", "1m")]),
        ("R1", Resistor, "bus gnd", &[("resistance", "50")]),
    ];
    let ours = tried(circuit(&rows), 0.2, 0.0, 1e-6).unwrap();
    let theirs = device_run(circuit(&rows), 0.2, 1e-3, 1e-4);
    eprintln!("{} steps, {} events; {:?}", ours.health.steps, ours.health.trips, ours.health.energy);
    for signal in ["bus.v", "V1.i", "D1.i"] {
        eprintln!("{signal} {} {}", ours.mean(signal, 0.18, 0.2), theirs.mean(signal, 0.18, 0.2));
    }
}
