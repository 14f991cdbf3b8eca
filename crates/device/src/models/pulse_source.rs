//! Pulse source: straight edges between two levels, once or with a period.

use super::voltage_branch::{VoltageBranch, Waveform};
use crate::stamps::Layout;
use circuit::ResolvedPart;

pub(super) struct Pulse {
    low: f64,
    high: f64,
    delay: f64,
    rise: f64,
    width: f64,
    fall: f64,
    /// Infinite for a single pulse.
    period: f64,
}

pub(super) fn new(part: &ResolvedPart, layout: &mut Layout) -> VoltageBranch<Pulse> {
    let period = part.value("period");
    let pulse = Pulse {
        low: part.value("low"),
        high: part.value("high"),
        delay: part.value("delay"),
        rise: part.value("rise"),
        width: part.value("width"),
        fall: part.value("fall"),
        period: if period > 0.0 { period } else { f64::INFINITY },
    };
    VoltageBranch::new(part, layout, pulse)
}

impl Pulse {
    /// Start of the pulse that covers `t`, which is not before the delay.
    fn start(&self, t: f64) -> f64 {
        if self.period.is_finite() {
            self.delay + ((t - self.delay) / self.period).floor() * self.period
        } else {
            self.delay
        }
    }
}

impl Waveform for Pulse {
    fn at(&self, t: f64) -> f64 {
        if t <= self.delay {
            return self.low;
        }
        let since = t - self.start(t);
        let fall_starts = self.rise + self.width;
        let part = if since < self.rise {
            since / self.rise
        } else if since <= fall_starts {
            1.0
        } else {
            (1.0 - (since - fall_starts) / self.fall).max(0.0)
        };
        self.low + (self.high - self.low) * part
    }

    fn next_corner(&self, t: f64) -> Option<f64> {
        let start = if t < self.delay { self.delay } else { self.start(t) };
        // Rounding can leave `t` a hair before the corner just reached.
        let after = t + 1e-12 * t.abs().max(self.rise.min(self.fall));
        let next = start + self.period;
        [start, start + self.rise, start + self.rise + self.width, start + self.rise + self.width + self.fall, next]
            .into_iter()
            .chain([next + self.rise])
            .filter(|corner| corner.is_finite() && *corner > after)
            .min_by(f64::total_cmp)
    }

    fn largest(&self) -> f64 {
        self.low.abs().max(self.high.abs())
    }
}
