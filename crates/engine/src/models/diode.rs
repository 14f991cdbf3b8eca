//! Diode: Shockley's exponential behind a series resistance,
//! `v = R·i + n·V_T·ln(1 + i/I_s)`, solved for the current in closed form:
//!
//! `i = (n·V_T/R)·ω(ln(I_s·R/n·V_T) + (v + I_s·R)/n·V_T) − I_s`
//!
//! with the Wright ω function, `ω + ln ω = z`. So no inner node is needed, and the current never
//! grows faster than `v/R`: nothing overflows however far an iterate strays. V_T at 300.15 K.
//!
//! Lawrence, Corless & Jeffrey, *Algorithm 917: Complex double-precision evaluation of the
//! Wright ω function*, ACM Trans. Math. Softw. 2012 (starting values and iteration).

use super::{Model, Point};
use crate::equations::{Entry, Layout, Stamps};
use circuit::ResolvedPart;

/// k·T/q at 300.15 K, V (CODATA 2018 exact constants).
const THERMAL_VOLTAGE: f64 = 1.380_649e-23 * 300.15 / 1.602_176_634e-19;

pub(super) struct Diode {
    anode: usize,
    cathode: usize,
    saturation_current: f64,
    resistance: f64,
    /// Reciprocal of n·V_T.
    inverse_slope: f64,
    /// n·V_T/R.
    scale: f64,
    /// The constant part of ω's argument.
    shift: f64,
    entries: [Entry; 4],
}

impl Diode {
    pub(super) fn new(part: &ResolvedPart, layout: &mut Layout) -> Self {
        let (anode, cathode) = (part.pins[0], part.pins[1]);
        let slope = part.value("emission") * THERMAL_VOLTAGE;
        let (saturation_current, resistance) = (part.value("saturation_current"), part.value("series_resistance"));
        let ratio = saturation_current * resistance / slope;
        Diode {
            anode,
            cathode,
            saturation_current,
            resistance,
            inverse_slope: 1.0 / slope,
            scale: slope / resistance,
            shift: ratio.ln() + ratio,
            entries: layout.between(anode, cathode),
        }
    }

    fn current_and_slope(&self, v: f64) -> (f64, f64) {
        let w = wright_omega(self.shift + v * self.inverse_slope);
        (self.scale * w - self.saturation_current, w / (self.resistance * (1.0 + w)))
    }
}

impl Model for Diode {
    fn varies(&self) -> bool {
        true
    }
    fn nonlinear(&self) -> bool {
        true
    }
    fn stamp(&self, at: Point<'_>, stamps: &mut Stamps<'_>) -> f64 {
        let v = at.x[self.anode] - at.x[self.cathode];
        let (current, slope) = self.current_and_slope(v);
        let current = current + stamps.gmin * v;
        stamps.current(self.anode, current);
        stamps.current(self.cathode, -current);
        stamps.conductance(self.entries, slope + stamps.gmin);
        current
    }
    fn current(&self, at: Point<'_>) -> f64 {
        self.current_and_slope(at.x[self.anode] - at.x[self.cathode]).0
    }
    fn power(&self, at: Point<'_>, current: f64) -> f64 {
        (at.x[self.anode] - at.x[self.cathode]) * current
    }
}

/// The real Wright ω function, to a few units in the last place.
fn wright_omega(z: f64) -> f64 {
    if z < -40.0 {
        // A diode in reverse: e^z is lost beside the saturation current.
        return 0.0;
    }
    let mut w = if z < -2.0 {
        let e = z.exp();
        e * (1.0 - e * (1.0 - 1.5 * e))
    } else if z < 4.0 {
        let d = z - 1.0;
        1.0 + d * (0.5 + d * (1.0 / 16.0 - d * (1.0 / 192.0 + d / 3072.0)))
    } else {
        let l = z.ln();
        z - l + l / z
    };
    // Fritsch–Shafer–Crowley steps, fourth order.
    for _ in 0..3 {
        let r = z - w - w.ln();
        let p = w + 1.0;
        let a = 2.0 * p * (p + 2.0 / 3.0 * r);
        w *= 1.0 + r / p * (a - r) / (a - 2.0 * r);
        if r.abs() < 1e-5 * p {
            break;
        }
    }
    w
}

#[cfg(test)]
mod tests {
    use super::wright_omega;

    #[test]
    fn wright_omega_solves_its_equation() {
        for i in -3900..5000 {
            let z = f64::from(i) * 0.01;
            let w = wright_omega(z);
            let residual = w + w.ln() - z;
            assert!(residual.abs() < 4e-15 * z.abs().max(1.0), "z = {z}: {residual}");
        }
        // ω(1) = 1, and ω(0) is the omega constant (OEIS A030178); ours is the double beside the nearest.
        assert_eq!(wright_omega(1.0), 1.0);
        assert!((wright_omega(0.0) - 0.567_143_290_409_783_8).abs() < f64::EPSILON);
        assert!(wright_omega(1e9) < 1e9);
        assert_eq!(wright_omega(-1e9), 0.0);
    }
}
