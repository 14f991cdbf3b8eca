//! Controlled sources, the current source and the three-phase source.

use super::device::{At, Device, Inside};
use super::real::Real;
use circuit::ResolvedPart;
use std::f64::consts::{SQRT_2, TAU};

/// Unknowns: a, b.
pub(super) struct CurrentSource {
    pub(super) current: f64,
}

impl Device for CurrentSource {
    const INSIDE: &'static [Inside] = &[];
    const NONLINEAR: bool = false;

    fn flows<T: Real>(&self, at: &At<'_, T>, f: &mut [T]) {
        let current = T::of(self.current * at.sources);
        (f[0], f[1]) = (current, -current);
    }
}

/// A source in proportion to a voltage or current. Unknowns: two ends, control + and −, and for
/// a voltage its current, for a current control the current through it.
pub(super) struct Controlled<const VOLTAGE: bool, const BY_CURRENT: bool> {
    pub(super) factor: f64,
}

macro_rules! controlled {
    ($voltage:literal, $by_current:literal, $inside:expr) => {
        impl Device for Controlled<$voltage, $by_current> {
            const INSIDE: &'static [Inside] = $inside;
            const NONLINEAR: bool = false;

            fn flows<T: Real>(&self, at: &At<'_, T>, f: &mut [T]) {
                let x = at.x;
                let last = x.len() - 1;
                let control = if $by_current {
                    // The control path drops no voltage; its current is the last unknown.
                    (f[2], f[3], f[last]) = (x[last], -x[last], x[2] - x[3]);
                    x[last]
                } else {
                    (f[2], f[3]) = (T::of(0.0), T::of(0.0));
                    x[2] - x[3]
                };
                let value = control.scale(self.factor);
                if $voltage {
                    (f[0], f[1], f[4]) = (x[4], -x[4], x[0] - x[1] - value);
                } else {
                    (f[0], f[1]) = (value, -value);
                }
            }
        }
    };
}

controlled!(true, false, &[Inside::Current]);
controlled!(false, false, &[]);
controlled!(true, true, &[Inside::Current, Inside::Current]);
controlled!(false, true, &[Inside::Current]);

/// Unknowns: L1, L2, L3, neutral, the three currents.
pub(super) struct ThreePhase {
    peak: f64,
    omega: f64,
    phase: f64,
}

impl ThreePhase {
    pub(super) fn new(part: &ResolvedPart) -> Self {
        ThreePhase {
            peak: SQRT_2 * part.value("amplitude"),
            omega: TAU * part.value("frequency"),
            phase: part.value("phase").to_radians(),
        }
    }
}

impl Device for ThreePhase {
    const INSIDE: &'static [Inside] = &[Inside::Current, Inside::Current, Inside::Current];
    const NONLINEAR: bool = false;

    fn flows<T: Real>(&self, at: &At<'_, T>, f: &mut [T]) {
        let x = at.x;
        for k in 0..3 {
            let angle = self.omega * at.t + self.phase - TAU / 3.0 * k as f64;
            f[k] = x[4 + k];
            f[4 + k] = (x[k] - x[3]).plus(-at.sources * self.peak * angle.sin());
        }
        f[3] = -(x[4] + x[5] + x[6]);
    }

    fn largest(&self) -> f64 {
        self.peak
    }
}
