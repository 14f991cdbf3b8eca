//! A low-dropout regulator with a p-channel pass transistor: whether it is stable depends on its
//! output capacitor's series resistance, and the loop gain says so beforehand.

mod common;

use common::systems::{Case, LoadStep};
use common::{Row, circuit};
use mellow_device::{Equations, Settings, Start, loop_gain, transient};
use recording::{Health, LoopGain, Recording};

/// 5 V from 6.5 V; the amplifier's output drives the gate, so its inverting input is the reference.
fn regulator<'a>(esr: &'a str, load: &'a [(&'a str, &'a str)]) -> circuit::Circuit {
    let esr: &[(&str, &str)] = &[("capacitance", "4.7u"), ("esr", esr)];
    let mut rows: Vec<Row<'_>> = LoadStep::ROWS.to_vec();
    for row in &mut rows {
        match row.0 {
            "C1" => row.3 = esr,
            "P1" => row.3 = load,
            _ => {}
        }
    }
    circuit(&rows)
}

fn margins_of(circuit: &circuit::Circuit) -> LoopGain {
    loop_gain(circuit, "U1", "inp", 10.0, 1e8, 20.0).unwrap()
}

/// Swings of the output after the load steps at 50 µs: how many turning points it has that stand
/// out by more than a thousandth of the first deviation, and peak-to-peak at the very end, V.
fn unrest(circuit: &circuit::Circuit) -> (usize, f64) {
    let equations = Equations::new(circuit);
    let (mut recording, mut health) = (Recording::default(), Health::default());
    let settings = Settings {
        end: 1e-3,
        record_from: 0.0,
        min_step: 0.0,
        max_step: f64::INFINITY,
        tolerance: 1e-4,
        start: Start::OperatingPoint,
    };
    transient(&equations, &settings, &mut recording, &mut health).unwrap();
    assert!(health.energy.relative < 1e-3, "{:?}", health.energy);
    let index = equations.columns().iter().position(|c| c.of == "out").unwrap();
    let wave = readings::Waveform::new(&recording.times, &recording.columns[index]);
    let swing = |from: f64, to: f64| {
        let (min, max) = wave.extremes(readings::Span { from, to }).unwrap();
        max - min
    };
    let least = 1e-3 * swing(50e-6, 1e-3);
    let (mut turns, mut extreme, mut rising) = (0, wave.at(50e-6).unwrap(), false);
    let after = recording.times.iter().zip(&recording.columns[index]).filter(|(t, _)| **t > 50e-6);
    for (_, v) in after {
        if (*v > extreme) == rising {
            extreme = *v;
        } else if (v - extreme).abs() > least {
            (turns, extreme, rising) = (turns + 1, *v, !rising);
        }
    }
    (turns, swing(0.9e-3, 1e-3))
}

#[test]
fn the_output_capacitor_s_resistance_and_the_load_decide() {
    // The margin belongs to the load before the step, hardly less than the one after it.
    let heavy = [("low", "200m"), ("high", "220m"), ("delay", "50u"), ("width", "1"), ("slew", "100M")];
    let light = [("low", "2m"), ("high", "2.2m"), ("delay", "50u"), ("width", "1"), ("slew", "100M")];
    let cases = [("0.3", &heavy), ("100u", &heavy), ("30", &heavy), ("100u", &light)];
    let seen = cases.map(|(esr, load)| {
        let circuit = regulator(esr, load);
        (margins_of(&circuit).margins().phase_margin.unwrap(), unrest(&circuit))
    });
    let [within, low, high, low_but_light] = seen;
    assert!(within.0 > 35.0 && within.1.0 < 8 && within.1.1 < 1e-6, "{seen:?}");
    // Too little: no zero to help. Too much: the zero keeps the gain up into the far poles.
    assert!(low.0 < 0.0 && low.1.1 > 10e-3, "{seen:?}");
    assert!(high.0 < 10.0 && high.1.0 > 2 * within.1.0, "{seen:?}");
    // Less current, less transconductance, less bandwidth: the same capacitor now does.
    assert!(low_but_light.0 > 60.0 && low_but_light.1.0 < 4 && low_but_light.1.1 < 1e-6, "{seen:?}");
}
