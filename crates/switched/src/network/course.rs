//! Inputs: what runs on its own, as a linear system between corners that are known in advance.

use control::Clock;
use std::f64::consts::TAU;

/// How an input runs.
#[derive(Clone, Debug, PartialEq)]
pub(crate) enum Course {
    /// One at all times.
    One,
    /// Nothing at all times: what a small signal is put on.
    Still,
    /// Straight lines between points (s, value), beginning at the first corner and repeated with a period if there is one;
    /// before, it stands at the first value. Components: value and slope. Two points at one time are a step.
    Lines { points: Vec<(f64, f64)>, delay: f64, period: Option<f64> },
    /// `a·sin(2πft + φ)`, changing its amplitude once. Components: the sine and its cosine.
    Sine { frequency: f64, phase: f64, amplitude: f64, then: Option<(f64, f64)> },
    /// How much of a clock's turn has passed. Components: that, and its rate.
    Turn(Clock),
    /// `e^(−(t − from)/constant)` from a time on, zero before: how far an exponential still has to go. One component.
    Decay { from: f64, constant: f64 },
}

impl Course {
    /// Number of components.
    pub(crate) fn size(&self) -> usize {
        match self {
            Course::One | Course::Still | Course::Decay { .. } => 1,
            Course::Lines { .. } | Course::Turn(_) | Course::Sine { .. } => 2,
        }
    }

    /// Rates of the components by the components: row, column, 1/s.
    pub(crate) fn rates(&self) -> Vec<(usize, usize, f64)> {
        match self {
            Course::One | Course::Still => Vec::new(),
            Course::Lines { .. } | Course::Turn(_) => vec![(0, 1, 1.0)],
            Course::Sine { frequency, .. } => vec![(0, 1, TAU * frequency), (1, 0, -TAU * frequency)],
            Course::Decay { constant, .. } => vec![(0, 0, -1.0 / constant)],
        }
    }

    /// Period, s, if it repeats.
    pub(crate) fn period(&self) -> Option<f64> {
        match self {
            Course::Lines { period, .. } => *period,
            Course::Sine { frequency, .. } | Course::Turn(Clock { frequency, .. }) => Some(1.0 / frequency),
            Course::One | Course::Still | Course::Decay { .. } => None,
        }
    }

    /// Corners in a period, of those that come again and again.
    pub(crate) fn corners_per_period(&self) -> usize {
        match self {
            Course::Lines { points, period: Some(_), .. } => points.len(),
            Course::Turn(clock) => clock.marks.len(),
            _ => 0,
        }
    }

    /// Time of the n-th corner, s; none if there is none so late.
    pub(crate) fn corner(&self, n: usize) -> Option<f64> {
        match self {
            Course::One | Course::Still => None,
            Course::Lines { points, delay, period } => match period {
                // The last point of a period is the first of the next.
                Some(period) => {
                    let each = points.len().max(1);
                    let within = points.get(n % each)?.0;
                    Some(delay + (n / each) as f64 * period + within)
                }
                None => points.get(n).map(|point| delay + point.0),
            },
            Course::Turn(clock) => Some(clock.mark(n)),
            Course::Sine { then, .. } => then.filter(|_| n == 0).map(|(at, _)| at),
            Course::Decay { from, .. } => (n == 0).then_some(*from),
        }
    }

    /// The first corner behind a time, s, of those that come again and again.
    pub(crate) fn corner_behind(&self, t: f64) -> Option<f64> {
        let (each, period) = (self.corners_per_period(), self.period()?);
        if each == 0 {
            return None;
        }
        // From a period before the one it is in, whatever rounding says of that.
        let within = ((t - self.corner(0)?) / period).floor() - 1.0;
        (each * within.max(0.0) as usize..).map_while(|n| self.corner(n)).find(|at| *at > t)
    }

    /// The components at a time before which so many corners have passed.
    pub(crate) fn at(&self, t: f64, passed: usize, into: &mut [f64]) {
        match self {
            Course::One => into[0] = 1.0,
            Course::Still => into[0] = 0.0,
            Course::Lines { points, .. } => {
                let Some(last) = passed.checked_sub(1) else {
                    (into[0], into[1]) = (points.first().map_or(0.0, |p| p.1), 0.0);
                    return;
                };
                let value = points.get(last % points.len().max(1)).map_or(0.0, |p| p.1);
                let since = self.corner(last).unwrap_or(t);
                let slope = match (self.corner(passed), points.get(passed % points.len().max(1))) {
                    (Some(next), Some(point)) if next > since => (point.1 - value) / (next - since),
                    _ => 0.0,
                };
                (into[0], into[1]) = (value + slope * (t - since), slope);
            }
            Course::Sine { frequency, phase, amplitude, then } => {
                let amplitude = then.filter(|_| passed > 0).map_or(*amplitude, |(_, amplitude)| amplitude);
                // Whole turns are taken off before the angle is made, which keeps it exact deep in a run.
                let turns = frequency * t;
                let (sine, cosine) = (TAU * (turns - turns.floor()) + phase).sin_cos();
                (into[0], into[1]) = (amplitude * sine, amplitude * cosine);
            }
            Course::Turn(clock) => (into[0], into[1]) = (clock.turned(t, passed), clock.frequency),
            Course::Decay { from, constant } => into[0] = if passed > 0 { (-(t - from) / constant).exp() } else { 0.0 },
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    /// A trapezoid by its definition, period after period, from either side of each corner.
    #[test]
    fn lines_repeat() {
        let points = vec![(0.0, 1.0), (0.1, 3.0), (0.4, 3.0), (0.6, 1.0)];
        let course = Course::Lines { points, delay: 2.0, period: Some(1.0) };
        let mut passed = 0;
        for k in 0..4000 {
            let t = k as f64 * 1.37e-3;
            while course.corner(passed).unwrap() <= t {
                passed += 1;
            }
            let mut found = [0.0; 2];
            course.at(t, passed, &mut found);
            let since = if t < 2.0 { 0.0 } else { (t - 2.0).fract() };
            let wanted = 1.0 + 2.0 * (since / 0.1).min(1.0).min(((0.6 - since) / 0.2).max(0.0));
            assert!((found[0] - wanted).abs() < 1e-12, "{t}: {found:?} for {wanted}");
        }
    }
}
