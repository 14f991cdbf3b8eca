//! Short ways to write circuits and run them.
#![allow(dead_code, unreachable_pub)]

pub mod physics;
pub mod rows;
pub mod solver;
pub mod systems;

use circuit::{Circuit, Signal};
use mellow_device::{Equations, Settings, Start, transient};
use readings::{Recipe, Span, Waveform};
use recording::{Health, Recording};
pub use rows::*;

/// A finished simulation that answers for signals.
pub struct Run {
    pub circuit: Circuit,
    pub equations: Equations,
    pub recording: Recording,
    pub health: Health,
}

pub fn run(circuit: Circuit, end: f64, max_step: f64, tolerance: f64) -> Run {
    run_from(circuit, Start::Rest, end, max_step, tolerance)
}

pub fn run_from(circuit: Circuit, start: Start, end: f64, max_step: f64, tolerance: f64) -> Run {
    let equations = Equations::new(&circuit);
    let mut recording = Recording::default();
    let mut health = Health::default();
    let settings = Settings { end, record_from: 0.0, min_step: 0.0, max_step, start, tolerance };
    transient(&equations, &settings, &mut recording, &mut health).unwrap_or_else(|error| panic!("{error}"));
    // Every run in the tests must account for its energy.
    assert!(health.energy.relative < 1e-3, "{:#?}", health.energy);
    Run { circuit, equations, recording, health }
}

impl Run {
    pub fn values(&self, signal: &str) -> Vec<f64> {
        let recipe = Recipe::new(&self.circuit, &Signal::parse(signal).unwrap()).unwrap();
        recipe.evaluate(self.recording.times.len(), |key| {
            let columns = self.equations.columns();
            let index = columns.iter().position(|c| c.of == key.of && c.quantity == key.quantity)?;
            Some(self.recording.columns[index].as_slice())
        })
    }

    /// Applies `measure` to a signal between two times.
    pub fn measure<T>(&self, signal: &str, from: f64, to: f64, measure: impl Fn(Waveform<'_>, Span) -> T) -> T {
        let values = self.values(signal);
        measure(Waveform::new(&self.recording.times, &values), Span { from, to })
    }

    /// Largest difference from an exact solution over the ends of steps.
    pub fn worst(&self, signal: &str, exact: impl Fn(f64) -> f64) -> f64 {
        let values = self.values(signal);
        let ends = self.recording.times.iter().zip(&values).step_by(2);
        ends.map(|(t, v)| (v - exact(*t)).abs()).fold(0.0, f64::max)
    }
}

/// A diode close to ideal: a sharp knee at a millivolt and almost no resistance.
pub const NEAR_IDEAL: &[(&str, &str)] =
    &[("saturation_current", "1n"), ("emission", "0.002"), ("series_resistance", "1u")];
