//! Switch controlled by time: a conductance that moves between its open and closed values along
//! `ln G = ln G_a + (ln G_b − ln G_a)·s²(3 − 2s)`, s from 0 to 1 over the transition, so that
//! the conductance and its first derivative are continuous.

use crate::contract::{Flow, Model, Point};
use crate::stamps::{Entry, Layout, Stamps};
use circuit::ResolvedPart;

pub(super) struct TimedSwitch {
    a: usize,
    b: usize,
    /// Logarithms of the conductance before the first change, and between the changes.
    before: f64,
    after: f64,
    first: f64,
    /// Infinite if it never changes back.
    back: f64,
    transition: f64,
    entries: [Entry; 4],
}

impl TimedSwitch {
    pub(super) fn new(part: &ResolvedPart, layout: &mut Layout) -> Self {
        let (a, b) = (part.pins[0], part.pins[1]);
        let (open, closed) = (-part.value("off_resistance").ln(), -part.value("on_resistance").ln());
        let closed_first = part.value("at_first") > 0.5;
        let first = part.value("changes_at");
        let after = part.value("changes_back_after");
        TimedSwitch {
            a,
            b,
            before: if closed_first { closed } else { open },
            after: if closed_first { open } else { closed },
            first,
            back: if after > 0.0 { first + after } else { f64::INFINITY },
            transition: part.value("transition"),
            entries: layout.between(a, b),
        }
    }

    fn conductance(&self, t: f64) -> f64 {
        let smooth = |since: f64| {
            let s = (since / self.transition).clamp(0.0, 1.0);
            s * s * (3.0 - 2.0 * s)
        };
        let there = smooth(t - self.first);
        let back = if self.back.is_finite() { smooth(t - self.back) } else { 0.0 };
        (self.before + (self.after - self.before) * (there - back)).exp()
    }

    fn voltage(&self, at: Point<'_>) -> f64 {
        at.x[self.a] - at.x[self.b]
    }
}

impl Model for TimedSwitch {
    fn varies(&self) -> bool {
        true
    }
    fn stamp(&self, at: Point<'_>, stamps: &mut Stamps<'_>) -> Flow {
        let (voltage, conductance) = (self.voltage(at), self.conductance(at.t));
        let current = conductance * voltage;
        stamps.current(self.a, current);
        stamps.current(self.b, -current);
        stamps.conductance(self.entries, conductance);
        Flow::along(voltage, current)
    }
    fn flow(&self, at: Point<'_>) -> Flow {
        let voltage = self.voltage(at);
        Flow::along(voltage, self.conductance(at.t) * voltage)
    }
    fn next_corner(&self, t: f64) -> Option<f64> {
        let after = t + 1e-12 * t.abs().max(self.transition);
        [self.first, self.first + self.transition, self.back, self.back + self.transition]
            .into_iter()
            .filter(|corner| corner.is_finite() && *corner > after)
            .min_by(f64::total_cmp)
    }
}
