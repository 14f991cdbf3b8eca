//! Pieces that semiconductors share: an exponential behind a resistance, and the charge of a
//! depletion layer.
//!
//! The current through an exponential with slope s, scale I_s and resistance R in series,
//! `v = R·i + s·ln(1 + i/I_s)`, is in closed form `i = (s/R)·ω(ln(I_s·R/s) + (v + I_s·R)/s) − I_s`
//! with the Wright ω function, `ω + ln ω = z`. So no inner node is needed, and the current never
//! grows faster than `v/R`: nothing overflows however far an iterate strays.
//!
//! Lawrence, Corless & Jeffrey, *Algorithm 917: Complex double-precision evaluation of the
//! Wright ω function*, ACM Trans. Math. Softw. 2012 (starting values and iteration). Depletion
//! charge: Sze, *Physics of Semiconductor Devices*, abrupt junction, continued with constant
//! slope of the capacitance above half the built-in voltage (common practice).

use super::real::Real;
use crate::stamps::Exponential;

pub(super) use circuit::fit::THERMAL_VOLTAGE;

/// An exponential behind a resistance.
#[derive(Clone, Debug)]
pub(super) struct Knee {
    saturation_current: f64,
    resistance: f64,
    /// Reciprocal of the exponential's slope.
    inverse_slope: f64,
    /// Slope over resistance.
    scale: f64,
    /// The constant part of ω's argument.
    shift: f64,
    /// Voltage from which iterates are held back.
    critical: f64,
}

impl Knee {
    pub(super) fn new(saturation_current: f64, slope: f64, resistance: f64) -> Self {
        let ratio = saturation_current * resistance / slope;
        Knee {
            saturation_current,
            resistance,
            inverse_slope: 1.0 / slope,
            scale: slope / resistance,
            shift: ratio.ln() + ratio,
            critical: slope * (slope / (std::f64::consts::SQRT_2 * saturation_current)).ln(),
        }
    }

    /// Current and conductance at a voltage.
    pub(super) fn at(&self, v: f64) -> (f64, f64) {
        let w = wright_omega(self.shift + v * self.inverse_slope);
        (self.scale * w - self.saturation_current, w / (self.resistance * (1.0 + w)))
    }

    /// The current, in any arithmetic.
    pub(super) fn current<T: Real>(&self, v: T) -> T {
        let (current, slope) = self.at(v.value());
        v.map(current, slope)
    }

    /// Integral of the current over the voltage, from far reverse up to a constant.
    pub(super) fn integral(&self, v: f64) -> f64 {
        let w = wright_omega(self.shift + v * self.inverse_slope);
        self.scale / self.inverse_slope * (w + 0.5 * w * w) - self.saturation_current * v
    }

    pub(super) fn saturation_current(&self) -> f64 {
        self.saturation_current
    }

    /// What iterations need to know of it at a voltage.
    pub(super) fn exponential(&self, voltage: f64) -> Exponential {
        Exponential { voltage, slope: 1.0 / self.inverse_slope, critical: self.critical, resistive: true }
    }
}

/// Current from which on a junction counts as conducting, A.
pub(super) const CONDUCTING: f64 = 1e-6;

/// The charge of a depletion layer.
#[derive(Clone, Debug)]
pub(super) struct Depletion {
    /// Capacitance without bias, F.
    capacitance: f64,
    built_in: f64,
}

/// Forward bias, relative to the built-in voltage, above which the capacitance is a straight line.
const LINEAR_FROM: f64 = 0.5;

impl Depletion {
    pub(super) fn new(capacitance: f64, built_in: f64) -> Self {
        Depletion { capacitance, built_in }
    }

    /// One with a given capacitance at a given reverse voltage.
    pub(super) fn from_reverse(capacitance: f64, reverse: f64, built_in: f64) -> Self {
        Depletion { capacitance: capacitance * (1.0 + reverse / built_in).sqrt(), built_in }
    }

    pub(super) fn exists(&self) -> bool {
        self.capacitance > 0.0
    }

    /// Charge, capacitance and stored energy at a forward voltage.
    pub(super) fn at(&self, v: f64) -> (f64, f64, f64) {
        let Depletion { capacitance, built_in } = *self;
        let bent = |v: f64| {
            let u = (1.0 - v / built_in).sqrt();
            // 1 − u, written so that nothing cancels near no bias, where a run begins.
            let d = v / built_in / (1.0 + u);
            let charge = 2.0 * capacitance * built_in * d;
            let energy = 2.0 * capacitance * built_in * built_in * d * d * (1.0 - d / 3.0);
            (charge, capacitance / u, energy)
        };
        let from = LINEAR_FROM * built_in;
        if v <= from {
            return bent(v);
        }
        let (charge, c, energy) = bent(from);
        let rise = 0.5 * c / (built_in * (1.0 - LINEAR_FROM));
        let d = v - from;
        let added = c * d + 0.5 * rise * d * d;
        (charge + added, c + rise * d, energy + from * added + 0.5 * c * d * d + rise * d * d * d / 3.0)
    }

    /// The charge, in any arithmetic.
    pub(super) fn charge<T: Real>(&self, v: T) -> T {
        let (charge, capacitance, _) = self.at(v.value());
        v.map(charge, capacitance)
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
    use super::{Depletion, Knee, wright_omega};

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

    #[test]
    fn next_to_no_bias_leaves_next_to_no_energy() {
        // There it is half of capacitance times voltage squared, and 1 + v/(3·V_bi) of it to first order.
        let depletion = Depletion::new(10e-12, 0.75);
        for exponent in 2..12 {
            for v in [1.0, -1.0].map(|sign| sign * 10f64.powi(-exponent)) {
                let (charge, _, energy) = depletion.at(v);
                assert!((energy / (5e-12 * v * v) - 1.0 - v / 2.25).abs() < v * v + 1e-14, "energy at {v}: {energy}");
                assert!((charge / (1e-11 * v) - 1.0 - v / 3.0).abs() < v * v + 1e-14, "charge at {v}: {charge}");
            }
        }
    }

    #[test]
    fn charges_and_energies_are_integrals() {
        let depletion = Depletion::new(100e-12, 0.8);
        let knee = Knee::new(1e-9, 0.05, 0.1);
        let h = 1e-5;
        for i in -400..40 {
            let v = f64::from(i) * 0.05;
            let ((q0, _, e0), (_, c, _), (q1, _, e1)) = (depletion.at(v - h), depletion.at(v), depletion.at(v + h));
            assert!(((q1 - q0) / (2.0 * h) - c).abs() < 1e-6 * c, "capacitance at {v}");
            assert!(((e1 - e0) / (2.0 * h) - v * c).abs() < 1e-6 * c, "energy at {v}");
            let slope = (knee.integral(v + h) - knee.integral(v - h)) / (2.0 * h);
            assert!((slope - knee.at(v).0).abs() < 1e-6 * (1.0 + slope.abs()), "integral at {v}");
        }
    }
}
