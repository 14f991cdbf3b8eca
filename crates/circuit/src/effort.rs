//! What a study takes at least, known before it is run.

use crate::{Circuit, ResolvedPart, ResolvedStudy};

/// Most that a run may record, bytes.
pub const MOST_BYTES: f64 = 1e9;

/// Steps per period of the fastest source that a study takes at least, if it limits none, and per study.
const STEPS_PER_PERIOD: f64 = 20.0;

/// The least a study takes; what happens fast in it comes on top.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct Effort {
    /// Steps.
    pub steps: f64,
    /// Bytes recorded.
    pub bytes: f64,
}

impl Circuit {
    /// The longest step of a study, s.
    pub fn longest_step(&self, study: &ResolvedStudy) -> f64 {
        let shortest = self.parts.iter().filter_map(ResolvedPart::period).fold(f64::INFINITY, f64::min);
        study.max_step.unwrap_or(shortest / STEPS_PER_PERIOD).min(study.duration / STEPS_PER_PERIOD)
    }

    /// What a study takes at least: two nodes a step, of every net's voltage, every part's current, and the
    /// power of parts with more than two pins.
    pub fn least_effort(&self, study: &ResolvedStudy) -> Effort {
        if !study.kind.takes_time() {
            return Effort { steps: 0.0, bytes: 0.0 };
        }
        let longest = self.longest_step(study);
        let columns = self.nets.len() + self.parts.iter().map(|p| if p.pins.len() > 2 { 2 } else { 1 }).sum::<usize>();
        let value = size_of::<f64>() as f64;
        Effort {
            steps: study.duration / longest,
            bytes: 2.0 * (study.duration - study.record_from) / longest * columns as f64 * value,
        }
    }
}
