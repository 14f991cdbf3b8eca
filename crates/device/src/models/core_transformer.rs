//! Two windings on a core that saturates: Ampère's law `N₁·i₁ + N₂·i₂ = H·l`, and
//! `B = μ₀·H + B_s·tanh(μ₀·(μ_r − 1)·H/B_s)`; with e the voltage per turn, `A·dB/dt = e`, and
//! `v_k = R_k·i_k + dλ_k/dt + N_k·e` with the flux λ of each leakage, damped.
//! The single-valued curve is common practice for power transformers at mains frequency.

use super::damping::lag;
use super::device::{At, Device, Inside};
use super::real::{Real, ln_cosh};
use circuit::ResolvedPart;
use circuit::fit::MU_0;

/// Flux density, relative to its saturation, from which on a core counts as saturated.
pub(super) const SATURATED: f64 = 0.9;

/// Two windings on a core, whatever it is made of; pins and currents are a device's first unknowns.
pub(super) struct Wound {
    pub(super) turns: [f64; 2],
    pub(super) leakage: [f64; 2],
    pub(super) resistance: [f64; 2],
    /// τ of the damping of each leakage, s.
    lag: [f64; 2],
    pub(super) area: f64,
    pub(super) length: f64,
}

impl Wound {
    pub(super) fn new(part: &ResolvedPart) -> Self {
        let both = |name: &str| [part.value(&format!("primary_{name}")), part.value(&format!("secondary_{name}"))];
        let leakage = both("leakage");
        Wound {
            turns: both("turns"),
            leakage,
            lag: leakage.map(lag),
            resistance: both("resistance"),
            area: part.value("core_area"),
            length: part.value("path_length"),
        }
    }

    /// Writes the rows of the pins and of the windings, with e the voltage per turn, V.
    pub(super) fn flows<T: Real>(&self, x: &[T], e: T, f: &mut [T]) {
        (f[0], f[1], f[2], f[3]) = (x[4], -x[4], x[5], -x[5]);
        for k in 0..2 {
            f[4 + k] = self.across(x, e, k);
        }
    }

    /// Writes the fluxes of the leakages.
    pub(super) fn charges<T: Real>(&self, x: &[T], e: T, q: &mut [T]) {
        for k in 0..2 {
            q[4 + k] = -self.leakage_flux(x, e, k);
        }
    }

    /// Voltage across a leakage, V.
    fn across<T: Real>(&self, x: &[T], e: T, k: usize) -> T {
        x[2 * k] - x[2 * k + 1] - x[4 + k].scale(self.resistance[k]) - e.scale(self.turns[k])
    }

    fn leakage_flux<T: Real>(&self, x: &[T], e: T, k: usize) -> T {
        x[4 + k].scale(self.leakage[k]) - self.across(x, e, k).scale(self.lag[k])
    }

    /// N₁·i₁ + N₂·i₂, A.
    pub(super) fn turns_current<T: Real>(&self, x: &[T]) -> T {
        x[4].scale(self.turns[0]) + x[5].scale(self.turns[1])
    }

    /// Energy in the leakage inductances, J.
    pub(super) fn leakage_energy(&self, x: &[f64], e: f64) -> f64 {
        let energy = |k: usize| 0.5 * self.leakage_flux(x, e, k).powi(2) / self.leakage[k];
        (0..2).filter(|k| self.leakage[*k] > 0.0).map(energy).sum()
    }

    /// Power taken at the pins and lost neither in the resistances nor by damping, W.
    pub(super) fn taken(&self, x: &[f64], e: f64) -> f64 {
        let into = |k: usize| {
            let across = self.across(x, e, k);
            let damping = if self.leakage[k] > 0.0 { across * across * self.lag[k] / self.leakage[k] } else { 0.0 };
            (across + e * self.turns[k]) * x[4 + k] - damping
        };
        (0..2).map(into).sum()
    }
}

/// Unknowns: start and end of the primary, start and end of the secondary, both currents, voltage per turn.
pub(super) struct CoreTransformer {
    wound: Wound,
    saturation: f64,
    /// Slope of the saturating part at H = 0, H/m.
    steep: f64,
}

impl CoreTransformer {
    pub(super) fn new(part: &ResolvedPart) -> Self {
        CoreTransformer {
            wound: Wound::new(part),
            saturation: part.value("saturation"),
            steep: MU_0 * (part.value("permeability") - 1.0),
        }
    }

    /// Field strength H, A/m.
    fn field<T: Real>(&self, x: &[T]) -> T {
        self.wound.turns_current(x).scale(1.0 / self.wound.length)
    }

    /// Flux density B, T.
    fn density<T: Real>(&self, field: T) -> T {
        field.scale(MU_0) + field.scale(self.steep / self.saturation).tanh().scale(self.saturation)
    }
}

impl Device for CoreTransformer {
    const INSIDE: &'static [Inside] = &[Inside::Winding, Inside::Winding, Inside::Voltage];

    fn flows<T: Real>(&self, at: &At<'_, T>, f: &mut [T]) {
        self.wound.flows(at.x, at.x[6], f);
        f[6] = -at.x[6];
    }

    fn charges<T: Real>(&self, at: &At<'_, T>, q: &mut [T]) {
        self.wound.charges(at.x, at.x[6], q);
        q[6] = self.density(self.field(at.x)).scale(self.wound.area);
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
        let in_core = self.wound.area * self.wound.length * (h * self.density(h) - coenergy);
        in_core + self.wound.leakage_energy(x, x[6])
    }

    fn storing(&self, x: &[f64]) -> f64 {
        self.wound.taken(x, x[6])
    }
}
