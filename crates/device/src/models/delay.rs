//! Delay: a clock runs from 0 to 1 in the delay of rising edges while the input is high, and back in that of falling ones while it
//! is low; at 1 the output goes high, at 0 low. Edges further apart than the delays come through each by its own.

use super::device::{At, Device, Inside};
use super::logic::{Levels, region};
use super::real::Real;
use super::trip;
use circuit::ResolvedPart;

/// Unknowns: output, input, common, drive of the output, the input's bit, the clock, whether it stands at an end, what is
/// passed on.
pub(super) struct Delay {
    levels: Levels,
    /// How fast the clock runs up and down, 1/s.
    up: f64,
    down: f64,
}

impl Delay {
    pub(super) fn new(part: &ResolvedPart) -> Self {
        let rate = |name: &str| 1.0 / part.value(name);
        Delay { levels: Levels::new(part), up: rate("rise_delay"), down: rate("fall_delay") }
    }

    /// How far the clock is from the end it runs to.
    fn left(x: &[f64]) -> f64 {
        if trip::is_on(x[6]) {
            f64::INFINITY
        } else if trip::is_on(x[4]) {
            1.0 - x[5]
        } else {
            x[5]
        }
    }

    fn input(&self, x: &[f64]) -> f64 {
        trip::margin(x[4], self.levels.place(x[1], x[2]))
    }
}

impl Device for Delay {
    const INSIDE: &'static [Inside] = &[Inside::Other, Inside::Other, Inside::Other, Inside::Other, Inside::Other];
    const TRIPS: bool = true;

    fn flows<T: Real>(&self, at: &At<'_, T>, f: &mut [T]) {
        let [out, a, com, driven, bit, clock, stands, passed] = std::array::from_fn(|k| at.x[k]);
        let current = self.levels.current(out, com, driven);
        (f[0], f[1], f[2]) = (current, T::of(0.0), -current);
        f[3] = self.levels.driven(driven, trip::is_on(passed.value()));
        f[4] = trip::row(bit, self.levels.place(a, com));
        let high = trip::is_on(bit.value());
        let to = if high { 2.0 } else { -1.0 };
        // Standing, it creeps to where at rest it is.
        let rest = trip::row(clock, T::of(to));
        f[5] = if trip::is_on(stands.value()) { rest } else { rest.plus(if high { -self.up } else { self.down }) };
        f[6] = trip::row(stands, T::of(2.0));
        f[7] = trip::row(passed, T::of(to));
    }

    fn charges<T: Real>(&self, at: &At<'_, T>, q: &mut [T]) {
        (3..8).for_each(|k| q[k] = at.x[k]);
    }

    fn initial(&self, q: &mut [f64]) {
        q[6] = 1.0;
    }

    fn margin(&self, x: &[f64]) -> f64 {
        self.input(x).min(Delay::left(x))
    }

    fn trip(&self, x: &mut [f64]) {
        if self.input(x) < 0.0 {
            trip::trip(&mut x[4]);
            x[6] = 0.0;
        } else {
            let end = if trip::is_on(x[4]) { 1.0 } else { 0.0 };
            (x[5], x[6], x[7]) = (end, 1.0, end);
        }
    }

    fn region(&self, x: &[f64]) -> Option<&'static str> {
        region(trip::is_on(x[7]))
    }
}
