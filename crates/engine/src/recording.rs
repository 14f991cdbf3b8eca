//! What the engine reports while it works.
//!
//! A recording is a sequence of *nodes*. Each accepted step adds two: one inside the step, at
//! [`STAGE`] of its length, and its end; together with the end of the step before they define
//! the quadratic that represents every recorded quantity over the step, of the same order as
//! the method. Odd nodes are inner, even ones ends of steps.

use crate::health::Health;

/// Place of the inner node within a step, 2 − √2.
pub const STAGE: f64 = 2.0 - std::f64::consts::SQRT_2;

/// Values per chunk aimed at, to bound memory for circuits with many columns.
const CHUNK_VALUES: usize = 1 << 23;

/// Most nodes per chunk for a count of columns; even, so that every chunk starts with an end of a step.
pub(crate) fn chunk_nodes(columns: usize) -> usize {
    (CHUNK_VALUES / columns.max(1)).clamp(64, 4096) & !1
}

/// A piece of a recording. It starts with the end of a step, except where a run went on after a stop.
#[derive(Clone, Debug, Default, PartialEq)]
pub struct Chunk {
    /// Times of the nodes, s.
    pub times: Vec<f64>,
    /// Values of each column of [`Equations::columns`](crate::Equations::columns) at the nodes.
    pub columns: Vec<Vec<f64>>,
}

/// How far a computation has come.
#[derive(Clone, Debug)]
pub struct Progress<'a> {
    /// Simulated time reached, s.
    pub time: f64,
    /// Simulated time to reach, s.
    pub end: f64,
    /// Statistics so far.
    pub health: &'a Health,
}

/// Whether to go on.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Command {
    /// Go on.
    Continue,
    /// Stop here and keep what has been recorded.
    Stop,
}

/// Receives what a computation reports.
pub trait Observer {
    /// Called after every accepted step; cheap implementations look at a clock now and then.
    fn progress(&mut self, _progress: &Progress<'_>) -> Command {
        Command::Continue
    }
    /// Called with each full chunk and with the last one.
    fn record(&mut self, chunk: Chunk);
}

/// Keeps a whole recording in memory.
#[derive(Clone, Debug, Default, PartialEq)]
pub struct Recording {
    /// Times of the nodes, s.
    pub times: Vec<f64>,
    /// Values of each column at the nodes.
    pub columns: Vec<Vec<f64>>,
}

impl Recording {
    /// Appends a chunk.
    pub fn push(&mut self, chunk: &Chunk) {
        self.times.extend_from_slice(&chunk.times);
        self.columns.resize(chunk.columns.len(), Vec::new());
        for (column, more) in self.columns.iter_mut().zip(&chunk.columns) {
            column.extend_from_slice(more);
        }
    }
}

impl Observer for Recording {
    fn record(&mut self, chunk: Chunk) {
        self.push(&chunk);
    }
}
