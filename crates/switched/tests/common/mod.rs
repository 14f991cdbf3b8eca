//! Short ways to write circuits and run them by switching and at device level.
#![allow(dead_code, unreachable_pub)]

pub mod controlled;
pub mod converters;
pub mod edges;
#[path = "../../../device/tests/common/rows.rs"]
pub mod rows;
pub mod topologies;

use circuit::{Circuit, Signal};
use mellow_switched::{Settings, SwitchedError, Transient};
use readings::{Recipe, Span, Waveform};
use recording::{Column, Health, Recording};
pub use rows::*;

/// A finished simulation that answers for signals.
pub struct Run {
    pub circuit: Circuit,
    pub columns: Vec<Column>,
    pub recording: Recording,
    pub health: Health,
}

pub fn tried(circuit: Circuit, end: f64, from: f64, tolerance: f64) -> Result<Run, SwitchedError> {
    let (mut kept, mut health) = (Recording::default(), Health::default());
    let settings = Settings { end, record_from: from, max_step: end, every_period: false, tolerance };
    Transient::new(&circuit, &settings)?.advance(&mut kept, &mut health)?;
    Ok(Run { columns: recording::columns(&circuit), circuit, recording: kept, health })
}

/// Runs by switching; all energy must be accounted for.
pub fn run(circuit: Circuit, end: f64) -> Run {
    let run = tried(circuit, end, 0.0, 1e-6).unwrap_or_else(|error| panic!("{error}"));
    assert!(run.health.energy.relative < 1e-9, "{:#?}", run.health.energy);
    run
}

/// Runs at device level.
pub fn device_run(circuit: Circuit, end: f64, max_step: f64, tolerance: f64) -> Run {
    let equations = device::Equations::new(&circuit);
    let (mut kept, mut health) = (Recording::default(), Health::default());
    let start = device::Start::Rest;
    let settings = device::Settings { end, record_from: 0.0, min_step: 0.0, max_step, start, tolerance };
    device::transient(&equations, &settings, &mut kept, &mut health).unwrap_or_else(|error| panic!("{error}"));
    Run { columns: recording::columns(&circuit), circuit, recording: kept, health }
}

impl Run {
    pub fn values(&self, signal: &str) -> Vec<f64> {
        let recipe = Recipe::new(&self.circuit, &Signal::parse(signal).unwrap()).unwrap();
        recipe.evaluate(self.recording.times.len(), |key| {
            let index = self.columns.iter().position(|c| c.of == key.of && c.quantity == key.quantity)?;
            Some(self.recording.columns[index].as_slice())
        })
    }

    /// Applies `measure` to a signal between two times.
    pub fn measure<T>(&self, signal: &str, from: f64, to: f64, measure: impl Fn(Waveform<'_>, Span) -> T) -> T {
        let values = self.values(signal);
        measure(Waveform::new(&self.recording.times, &values), Span { from, to })
    }

    pub fn mean(&self, signal: &str, from: f64, to: f64) -> f64 {
        self.measure(signal, from, to, |w, s| w.mean(s).unwrap())
    }
}
