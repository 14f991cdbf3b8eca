//! Two windings on a core that saturates: Ampère's law `N₁·i₁ + N₂·i₂ = H·l`, and
//! `B = μ₀·H + B_s·tanh(μ₀·(μ_r − 1)·H/B_s)`, `λ_k = N_k·A·B + L_σk·i_k`, `v_k = R_k·i_k + dλ_k/dt`.
//! The single-valued curve is common practice for power transformers at mains frequency.

use super::device::{At, Device, Inside};
use super::real::{Real, ln_cosh};
use circuit::ResolvedPart;

/// Magnetic constant, H/m (CODATA 2018).
pub(super) const MU_0: f64 = 1.256_637_062_12e-6;

/// Flux density, relative to its saturation, from which on a core counts as saturated.
pub(super) const SATURATED: f64 = 0.9;

/// Unknowns: start and end of the primary, start and end of the secondary, both currents.
pub(super) struct CoreTransformer {
    turns: [f64; 2],
    leakage: [f64; 2],
    resistance: [f64; 2],
    area: f64,
    length: f64,
    saturation: f64,
    /// Slope of the saturating part at H = 0, H/m.
    steep: f64,
}

impl CoreTransformer {
    pub(super) fn new(part: &ResolvedPart) -> Self {
        let both = |name: &str| [part.value(&format!("primary_{name}")), part.value(&format!("secondary_{name}"))];
        CoreTransformer {
            turns: both("turns"),
            leakage: both("leakage"),
            resistance: both("resistance"),
            area: part.value("core_area"),
            length: part.value("path_length"),
            saturation: part.value("saturation"),
            steep: MU_0 * (part.value("permeability") - 1.0),
        }
    }

    /// Field strength H, A/m.
    fn field<T: Real>(&self, x: &[T]) -> T {
        (x[4].scale(self.turns[0]) + x[5].scale(self.turns[1])).scale(1.0 / self.length)
    }

    /// Flux density B, T.
    fn density<T: Real>(&self, field: T) -> T {
        field.scale(MU_0) + field.scale(self.steep / self.saturation).tanh().scale(self.saturation)
    }
}

impl Device for CoreTransformer {
    const INSIDE: &'static [Inside] = &[Inside::Winding, Inside::Winding];

    fn flows<T: Real>(&self, at: &At<'_, T>, f: &mut [T]) {
        let x = at.x;
        (f[0], f[1], f[2], f[3]) = (x[4], -x[4], x[5], -x[5]);
        f[4] = x[0] - x[1] - x[4].scale(self.resistance[0]);
        f[5] = x[2] - x[3] - x[5].scale(self.resistance[1]);
    }

    fn charges<T: Real>(&self, at: &At<'_, T>, q: &mut [T]) {
        let flux = self.density(self.field(at.x)).scale(self.area);
        for k in 0..2 {
            q[4 + k] = -(flux.scale(self.turns[k]) + at.x[4 + k].scale(self.leakage[k]));
        }
    }

    fn region(&self, x: &[f64]) -> Option<&'static str> {
        let bent = self.steep / self.saturation * self.field(x);
        Some(if bent.tanh().abs() > SATURATED { "saturated" } else { "unsaturated" })
    }

    fn stored(&self, x: &[f64]) -> f64 {
        let h = self.field(x);
        // ∫ H·dB = H·B − ∫ B·dH, with ∫ tanh = ln cosh.
        let bent = ln_cosh(self.steep / self.saturation * h);
        let coenergy = 0.5 * MU_0 * h * h + self.saturation * self.saturation / self.steep.max(1e-30) * bent;
        let in_core = self.area * self.length * (h * self.density(h) - coenergy);
        in_core + (0..2).map(|k| 0.5 * self.leakage[k] * x[4 + k] * x[4 + k]).sum::<f64>()
    }

    fn storing(&self, x: &[f64]) -> f64 {
        (0..2).map(|k| (x[2 * k] - x[2 * k + 1] - self.resistance[k] * x[4 + k]) * x[4 + k]).sum()
    }
}
