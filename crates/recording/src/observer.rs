use crate::chunk::Chunk;
use crate::health::Health;

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
