//! Inductor that saturates: `φ(i) = L_r·i + (L − L_r)·I₀·tanh(i/I₀)` with a residual inductance
//! L_r of a twentieth, so that L(i) has fallen by 30 % at the saturation current (a data sheet's
//! usual definition). Capacitor with series inductance and leakage.

use super::device::{At, Device, Inside};
use super::real::{Real, ln_cosh};
use circuit::ResolvedPart;

/// Inductance left far beyond saturation, relative.
const RESIDUAL: f64 = 0.05;
/// Relative inductance at the saturation current.
const AT_SATURATION: f64 = 0.7;

/// Unknowns: a, b, current.
pub(super) struct SaturableInductor {
    inductance: f64,
    resistance: f64,
    /// I₀.
    scale: f64,
    initial_current: f64,
}

impl SaturableInductor {
    pub(super) fn new(part: &ResolvedPart) -> Self {
        // sech²(I_sat/I₀) = (0.7 − L_r/L)/(1 − L_r/L)
        let ratio = ((1.0 - RESIDUAL) / (AT_SATURATION - RESIDUAL)).sqrt().acosh();
        SaturableInductor {
            inductance: part.value("inductance"),
            resistance: part.value("resistance"),
            scale: part.value("saturation_current") / ratio,
            initial_current: part.value("initial_current"),
        }
    }

    fn flux<T: Real>(&self, i: T) -> T {
        let bent = i.scale(1.0 / self.scale).tanh().scale((1.0 - RESIDUAL) * self.scale);
        (i.scale(RESIDUAL) + bent).scale(self.inductance)
    }
}

impl Device for SaturableInductor {
    const INSIDE: &'static [Inside] = &[Inside::Winding];

    fn flows<T: Real>(&self, at: &At<'_, T>, f: &mut [T]) {
        let i = at.x[2];
        (f[0], f[1]) = (i, -i);
        f[2] = at.x[0] - at.x[1] - i.scale(self.resistance);
    }

    fn charges<T: Real>(&self, at: &At<'_, T>, q: &mut [T]) {
        q[2] = -self.flux(at.x[2]);
    }

    fn initial(&self, q: &mut [f64]) {
        q[2] = -self.flux(self.initial_current);
    }

    fn region(&self, x: &[f64]) -> Option<&'static str> {
        let slope = 1.0 - (x[2] / self.scale).tanh().powi(2);
        let saturated = RESIDUAL + (1.0 - RESIDUAL) * slope < AT_SATURATION;
        Some(if saturated { "saturated" } else { "unsaturated" })
    }

    fn stored(&self, x: &[f64]) -> f64 {
        // i·φ − ∫ φ·di
        let bent = (1.0 - RESIDUAL) * self.scale * self.scale * ln_cosh(x[2] / self.scale);
        let coenergy = 0.5 * RESIDUAL * x[2] * x[2] + bent;
        x[2] * self.flux(x[2]) - self.inductance * coenergy
    }

    fn storing(&self, x: &[f64]) -> f64 {
        (x[0] - x[1] - self.resistance * x[2]) * x[2]
    }
}

/// Unknowns: +, −, current, voltage across the capacitance.
pub(super) struct LossyCapacitor {
    capacitance: f64,
    esr: f64,
    esl: f64,
    leakage_conductance: f64,
    initial_voltage: f64,
}

impl LossyCapacitor {
    pub(super) fn new(part: &ResolvedPart) -> Self {
        let leakage = part.value("leakage");
        LossyCapacitor {
            capacitance: part.value("capacitance"),
            esr: part.value("esr"),
            esl: part.value("esl"),
            leakage_conductance: if leakage > 0.0 { 1.0 / leakage } else { 0.0 },
            initial_voltage: part.value("initial_voltage"),
        }
    }
}

impl Device for LossyCapacitor {
    const INSIDE: &'static [Inside] = &[Inside::Winding, Inside::Voltage];
    const NONLINEAR: bool = false;

    fn flows<T: Real>(&self, at: &At<'_, T>, f: &mut [T]) {
        let [plus, minus, i, v] = std::array::from_fn(|k| at.x[k]);
        (f[0], f[1]) = (i, -i);
        f[2] = plus - minus - v - i.scale(self.esr);
        f[3] = v.scale(self.leakage_conductance) - i;
    }

    fn charges<T: Real>(&self, at: &At<'_, T>, q: &mut [T]) {
        q[2] = at.x[2].scale(-self.esl);
        q[3] = at.x[3].scale(self.capacitance);
    }

    fn initial(&self, q: &mut [f64]) {
        q[3] = self.capacitance * self.initial_voltage;
    }

    fn stored(&self, x: &[f64]) -> f64 {
        0.5 * self.esl * x[2] * x[2] + 0.5 * self.capacitance * x[3] * x[3]
    }

    fn storing(&self, x: &[f64]) -> f64 {
        (x[0] - x[1] - self.esr * x[2]) * x[2] - self.leakage_conductance * x[3] * x[3]
    }
}
