//! Controlled sources, the current source, the three-phase source, and the switch controlled by
//! a voltage.
//!
//! The switch moves between its conductances along `ln G = ln G_off + (ln G_on − ln G_off)·s²(3 − 2s)`
//! with s from 0 to 1 between the voltages at which it is open and closed.

use super::device::{At, Device, Inside};
use super::real::Real;
use circuit::{KindId, ResolvedPart};
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

/// Unknowns: a, b, control + and −.
pub(super) struct ControlledSwitch {
    on_voltage: f64,
    off_voltage: f64,
    /// Logarithms of the conductances.
    on: f64,
    off: f64,
}

impl ControlledSwitch {
    pub(super) fn new(part: &ResolvedPart) -> Self {
        debug_assert_eq!(part.kind, KindId::ControlledSwitch);
        ControlledSwitch {
            on_voltage: part.value("on_voltage"),
            off_voltage: part.value("off_voltage"),
            on: -part.value("on_resistance").ln(),
            off: -part.value("off_resistance").ln(),
        }
    }
}

/// Least difference between the voltages at which a switch is open and closed, V.
const LEAST_WIDTH: f64 = 1e-3;

impl Device for ControlledSwitch {
    const INSIDE: &'static [Inside] = &[];

    fn flows<T: Real>(&self, at: &At<'_, T>, f: &mut [T]) {
        let width = self.on_voltage - self.off_voltage;
        let width = if width.abs() < LEAST_WIDTH { LEAST_WIDTH } else { width };
        let s = (at.x[2] - at.x[3]).plus(-self.off_voltage).scale(1.0 / width);
        let s = T::choose(s.value() < 0.0, T::of(0.0), T::choose(s.value() > 1.0, T::of(1.0), s));
        let smooth = s.square() * s.scale(-2.0).plus(3.0);
        let current = (at.x[0] - at.x[1]) * smooth.scale(self.on - self.off).plus(self.off).exp();
        (f[0], f[1]) = (current, -current);
        (f[2], f[3]) = (T::of(0.0), T::of(0.0));
    }
}
