//! Loads. Constant current `i = I·tanh(3·v/V_low)`; constant power `i = P/v` down to the lowest
//! voltage and `P/V_low·u·(2 − u²)`, u = v/V_low, below, which joins it with equal slope; a current that
//! steps in time with a given slew. None delivers power.

use super::device::{At, Device, Inside};
use super::real::Real;
use circuit::{KindId, ResolvedPart};

/// Unknowns: +, −.
pub(super) struct CurrentLoad {
    course: Course,
    least_voltage: f64,
}

/// A current over time: one step, or steps with a period.
struct Course {
    low: f64,
    high: f64,
    delay: f64,
    width: f64,
    /// Infinite for one step only.
    period: f64,
    /// Duration of a change, s.
    edge: f64,
}

impl CurrentLoad {
    pub(super) fn new(part: &ResolvedPart) -> Self {
        let least_voltage = part.value("least_voltage");
        let course = if part.kind == KindId::SteppedLoad {
            let (low, high, period) = (part.value("low"), part.value("high"), part.value("period"));
            Course {
                low,
                high,
                delay: part.value("delay"),
                width: part.value("width"),
                period: if period > 0.0 { period } else { f64::INFINITY },
                edge: ((high - low).abs() / part.value("slew")).max(1e-12),
            }
        } else {
            let current = part.value("current");
            Course { low: current, high: current, delay: 0.0, width: 0.0, period: f64::INFINITY, edge: 0.0 }
        };
        CurrentLoad { course, least_voltage }
    }
}

impl Course {
    fn start(&self, t: f64) -> f64 {
        let periods = ((t - self.delay) / self.period).floor().max(0.0);
        self.delay + if periods > 0.0 { periods * self.period } else { 0.0 }
    }

    fn at(&self, t: f64) -> f64 {
        if t <= self.delay || self.low == self.high {
            return self.low;
        }
        let since = t - self.start(t);
        let part = if since < self.edge {
            since / self.edge
        } else {
            (1.0 - (since - self.edge - self.width) / self.edge).clamp(0.0, 1.0)
        };
        self.low + (self.high - self.low) * part
    }

    fn next_corner(&self, t: f64) -> Option<f64> {
        if self.low == self.high {
            return None;
        }
        let start = if t < self.delay { self.delay } else { self.start(t) };
        let after = t + 1e-12 * t.abs().max(self.edge);
        let back = self.edge + self.width;
        [0.0, self.edge, back, back + self.edge, self.period, self.period + self.edge]
            .into_iter()
            .map(|since| start + since)
            .filter(|corner| corner.is_finite() && *corner > after)
            .min_by(f64::total_cmp)
    }
}

impl Device for CurrentLoad {
    const INSIDE: &'static [Inside] = &[];

    fn flows<T: Real>(&self, at: &At<'_, T>, f: &mut [T]) {
        let share = (at.x[0] - at.x[1]).scale(3.0 / self.least_voltage).tanh();
        let current = share.scale(self.course.at(at.t) * at.sources);
        (f[0], f[1]) = (current, -current);
    }

    fn next_corner(&self, t: f64) -> Option<f64> {
        self.course.next_corner(t)
    }
}

/// Unknowns: +, −.
pub(super) struct PowerLoad {
    power: f64,
    least_voltage: f64,
}

impl PowerLoad {
    pub(super) fn new(part: &ResolvedPart) -> Self {
        PowerLoad { power: part.value("power"), least_voltage: part.value("least_voltage") }
    }
}

impl Device for PowerLoad {
    const INSIDE: &'static [Inside] = &[];

    fn flows<T: Real>(&self, at: &At<'_, T>, f: &mut [T]) {
        let v = at.x[0] - at.x[1];
        let least = self.least_voltage;
        // A cubic through zero that meets P/v with value and slope at the lowest voltage:
        // u·(2 − u²), u = v/V_low.
        let u = v.scale(1.0 / least);
        let below = u * (-u.square()).plus(2.0);
        let below = T::choose(u.value() < 0.0, u.scale(2.0), below);
        let share = T::choose(u.value() >= 1.0, T::of(1.0) / u, below);
        let current = share.scale(self.power / least * at.sources);
        (f[0], f[1]) = (current, -current);
    }
}
