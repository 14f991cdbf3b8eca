//! Voltages given by points joined with straight lines, and by two exponentials.

use super::voltage_branch::{VoltageBranch, Waveform};
use crate::stamps::Layout;
use circuit::ResolvedPart;

pub(super) struct Piecewise {
    points: Vec<(f64, f64)>,
}

pub(super) fn piecewise(part: &ResolvedPart, layout: &mut Layout) -> VoltageBranch<Piecewise> {
    VoltageBranch::new(part, layout, Piecewise { points: part.points.clone() })
}

impl Waveform for Piecewise {
    fn at(&self, t: f64) -> f64 {
        let after = self.points.partition_point(|(time, _)| *time <= t);
        match (after.checked_sub(1).map(|before| self.points[before]), self.points.get(after)) {
            (Some((t0, v0)), Some((t1, v1))) => v0 + (v1 - v0) * (t - t0) / (t1 - t0),
            (Some((_, v)), None) | (None, Some(&(_, v))) => v,
            (None, None) => 0.0,
        }
    }
    fn next_corner(&self, t: f64) -> Option<f64> {
        let after = t + 1e-12 * t.abs();
        self.points.iter().map(|(time, _)| *time).find(|time| *time > after)
    }
    fn largest(&self) -> f64 {
        self.points.iter().map(|(_, v)| v.abs()).fold(0.0, f64::max)
    }
}

pub(super) struct Exponentials {
    low: f64,
    high: f64,
    rise_at: f64,
    rise_constant: f64,
    fall_at: f64,
    fall_constant: f64,
}

pub(super) fn exponential(part: &ResolvedPart, layout: &mut Layout) -> VoltageBranch<Exponentials> {
    let exponentials = Exponentials {
        low: part.value("low"),
        high: part.value("high"),
        rise_at: part.value("rise_at"),
        rise_constant: part.value("rise_constant"),
        fall_at: part.value("fall_at"),
        fall_constant: part.value("fall_constant"),
    };
    VoltageBranch::new(part, layout, exponentials)
}

impl Waveform for Exponentials {
    fn at(&self, t: f64) -> f64 {
        let moved = |from: f64, constant: f64| if t > from { -(-(t - from) / constant).exp_m1() } else { 0.0 };
        let height = self.high - self.low;
        self.low + height * (moved(self.rise_at, self.rise_constant) - moved(self.fall_at, self.fall_constant))
    }
    fn next_corner(&self, t: f64) -> Option<f64> {
        let after = t + 1e-12 * t.abs();
        [self.rise_at, self.fall_at].into_iter().filter(|corner| *corner > after).min_by(f64::total_cmp)
    }
    fn largest(&self) -> f64 {
        self.low.abs().max(self.high.abs())
    }
}
