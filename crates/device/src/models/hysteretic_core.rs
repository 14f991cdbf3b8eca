//! Two windings on a core with hysteresis (Jiles & Atherton, *Theory of ferromagnetic
//! hysteresis*, J. Magn. Magn. Mater. 61, 1986). With `H_e = H + α·M` and Langevin's function L:
//!
//! `M_an = M_s·L(H_e/a)`, `M = c·M_an + (1 − c)·M_irr`, `dM_irr/dH_e = (M_an − M_irr)⁺/k` towards
//! the side the field moves to, so `dM/dH_e = χ = c·dM_an/dH_e + (1 − c)·dM_irr/dH_e`.
//!
//! The flux density `B = μ₀·(H + M)` is a function of the unknowns H_e and M_irr, so flux is
//! conserved: with e the voltage per turn, `A·dB/dt = e`, and
//! `dH_e/dt = e/(μ₀·A)/(1 + (1 − α)·χ)` drives M_irr. The windings add `N₁·i₁ + N₂·i₂ = H·l` and
//! `v_k = R_k·i_k + dλ_k/dt + N_k·e` with the flux λ of each leakage, damped.
//!
//! Of the work on the core, `H·dB` per volume, the part
//! `μ₀·(1 − c)·(H_e − M_an⁻¹(M_irr))·dM_irr` is lost, which is never negative; the rest is the
//! differential of the stored energy below (by partial integration of `H·dM`; our own).

use super::core_transformer::{SATURATED, Wound};
use super::device::{At, Device, Inside};
use super::real::Real;
use circuit::ResolvedPart;
use circuit::fit::MU_0;

/// Rate at which magnetisation creeps to its value without hysteresis, 1/s. It makes a state of
/// rest definite and is nothing beside any run's length.
const CREEP: f64 = 1e-9;
/// Voltage per turn over which the direction turns, in V per V·s of saturation flux.
const TURNING: f64 = 1e-3;
/// Width of the corner where magnetisation becomes irreversible, relative to the pinning field: beside
/// the core's own μ₀ it must be nothing, or saturation would be overshot.
const CORNER: f64 = 0.02;

/// What a core is made of: saturation magnetisation, shape a, pinning k (A/m), coupling α between
/// domains, reversible part c. The presets are generic.
struct Material {
    saturation: f64,
    shape: f64,
    pinning: f64,
    domains: f64,
    reversible: f64,
}

impl Material {
    fn new(part: &ResolvedPart) -> Self {
        let preset = |[saturation, shape, pinning, domains, reversible]: [f64; 5]| Material {
            saturation,
            shape,
            pinning,
            domains,
            reversible,
        };
        match part.value("material") as usize {
            0 => preset([1.35e6, 45.0, 50.0, 3e-5, 0.15]),
            1 => preset([3.6e5, 30.0, 15.0, 2e-5, 0.3]),
            2 => preset([8e5, 4500.0, 300.0, 1e-4, 0.3]),
            _ => preset(
                ["saturation_magnetisation", "shape", "pinning", "domain_coupling", "reversibility"]
                    .map(|name| part.value(name)),
            ),
        }
    }
}

/// Langevin's function coth x − 1/x with its first two derivatives.
fn langevin(x: f64) -> [f64; 3] {
    if x.abs() < 0.1 {
        let s = x * x;
        return [
            x * (1.0 / 3.0 - s * (1.0 / 45.0 - s * (2.0 / 945.0 - s / 4725.0))),
            1.0 / 3.0 - s * (1.0 / 15.0 - s * (2.0 / 189.0 - s / 675.0)),
            -x * (2.0 / 15.0 - s * (8.0 / 189.0 - s * (2.0 / 225.0))),
        ];
    }
    let (coth, inverse) = (1.0 / x.tanh(), 1.0 / x);
    // 1/sinh² without overflow.
    let sinh = coth * coth - 1.0;
    let sinh = if x.abs() > 5.0 { 4.0 * (-2.0 * x.abs()).exp() / (1.0 - (-2.0 * x.abs()).exp()).powi(2) } else { sinh };
    [coth - inverse, inverse * inverse - sinh, -2.0 * inverse.powi(3) + 2.0 * coth * sinh]
}

/// ln(sinh x/x), the integral of Langevin's function.
fn langevin_integral(x: f64) -> f64 {
    let x = x.abs();
    if x < 0.1 {
        let s = x * x;
        return s * (1.0 / 6.0 - s * (1.0 / 180.0 - s * (1.0 / 2835.0 - s / 37800.0)));
    }
    x + (-(-2.0 * x).exp()).ln_1p() - (2.0 * x).ln()
}

/// The x with langevin(x) = y, by Newton from a rational approximation (Cohen, Rheol. Acta 30,
/// 1991).
fn inverse_langevin(y: f64) -> f64 {
    let y = y.clamp(-0.999_999, 0.999_999);
    let mut x = y * (3.0 - y * y) / (1.0 - y * y);
    for _ in 0..20 {
        let [value, slope, _] = langevin(x);
        let step = (value - y) / slope;
        x -= step;
        if step.abs() <= 1e-14 * x.abs() {
            break;
        }
    }
    x
}

/// What the material does at a point, in any arithmetic.
struct State<T> {
    field: T,
    magnetisation: T,
    anhysteretic: T,
    /// dM_irr/dt of pinning, A/m per second.
    pinned: T,
}

/// Unknowns: start and end of primary and secondary, both currents, voltage per turn, H_e, M_irr.
pub(super) struct HystereticTransformer {
    wound: Wound,
    material: Material,
}

impl HystereticTransformer {
    pub(super) fn new(part: &ResolvedPart) -> Self {
        HystereticTransformer { wound: Wound::new(part), material: Material::new(part) }
    }

    fn state<T: Real>(&self, x: &[T]) -> State<T> {
        let Material { saturation, shape, pinning, domains, reversible } = self.material;
        let [e, effective, irreversible] = [x[6], x[7], x[8]];
        let ratio = effective.scale(1.0 / shape);
        let [value, slope, bend] = langevin(ratio.value());
        let anhysteretic = ratio.map(value, slope).scale(saturation);
        let magnetisation = anhysteretic.scale(reversible) + irreversible.scale(1.0 - reversible);
        let turning = TURNING * MU_0 * saturation * self.wound.area;
        let direction = e / e.square().plus(turning * turning).sqrt();
        let pull = ((anhysteretic - irreversible) * direction).soft_positive(CORNER * pinning).scale(1.0 / pinning);
        let susceptibility =
            ratio.map(slope, bend).scale(reversible * saturation / shape) + pull.scale(1.0 - reversible);
        let rate = e.scale(1.0 / (MU_0 * self.wound.area)) / susceptibility.scale(1.0 - domains).plus(1.0);
        State { field: effective - magnetisation.scale(domains), magnetisation, anhysteretic, pinned: pull * rate }
    }

    /// Field at which the material without hysteresis would have this magnetisation, A/m.
    fn rest(&self, irreversible: f64) -> f64 {
        self.material.shape * inverse_langevin(irreversible / self.material.saturation)
    }
}

impl Device for HystereticTransformer {
    const INSIDE: &'static [Inside] =
        &[Inside::Winding, Inside::Winding, Inside::Voltage, Inside::Other, Inside::Other];

    fn flows<T: Real>(&self, at: &At<'_, T>, f: &mut [T]) {
        let x = at.x;
        let e = x[6];
        let State { field, anhysteretic, pinned, .. } = self.state(x);
        self.wound.flows(x, e, f);
        f[6] = self.wound.turns_current(x) - field.scale(self.wound.length);
        f[7] = -e;
        f[8] = (x[8] - anhysteretic).scale(CREEP) - pinned;
    }

    fn charges<T: Real>(&self, at: &At<'_, T>, q: &mut [T]) {
        self.wound.charges(at.x, at.x[6], q);
        let State { field, magnetisation, .. } = self.state(at.x);
        q[7] = (field + magnetisation).scale(MU_0 * self.wound.area);
        q[8] = at.x[8];
    }

    fn stored(&self, x: &[f64]) -> f64 {
        let Material { saturation, shape, domains, reversible, .. } = self.material;
        let (effective, irreversible) = (x[7], x[8]);
        let State { field, magnetisation, .. } = self.state(x);
        let integral = |h: f64| saturation * shape * langevin_integral(h / shape);
        let rest = self.rest(irreversible);
        let energy = 0.5 * field * field + effective * magnetisation
            - 0.5 * domains * magnetisation * magnetisation
            - reversible * integral(effective)
            - (1.0 - reversible) * (irreversible * (effective - rest) + integral(rest));
        self.wound.area * self.wound.length * MU_0 * energy + self.wound.leakage_energy(x, x[6])
    }

    fn storing(&self, x: &[f64]) -> f64 {
        let against = x[7] - self.rest(x[8]);
        let lost = MU_0 * (1.0 - self.material.reversible) * against * self.state(x).pinned;
        self.wound.taken(x, x[6]) - self.wound.area * self.wound.length * lost
    }

    fn region(&self, x: &[f64]) -> Option<&'static str> {
        let saturated = self.state(x).magnetisation.abs() > SATURATED * self.material.saturation;
        Some(if saturated { "saturated" } else { "unsaturated" })
    }
}

#[cfg(test)]
mod tests {
    use super::{inverse_langevin, langevin, langevin_integral};

    #[test]
    fn langevin_agrees_with_itself() {
        // Values of coth x − 1/x to 16 digits, by series and by hand with high precision.
        for (x, y) in [(0.05, 0.016_663_889_550_099_25), (1.0, 0.313_035_285_499_331_3), (20.0, 0.95)] {
            assert!((langevin(x)[0] - y).abs() < 2e-15, "{x}: {:e}", langevin(x)[0] - y);
        }
        let h = 1e-4;
        for i in -200..200 {
            let x = 0.07 * f64::from(i) + 0.003;
            let [value, slope, bend] = langevin(x);
            let difference = |of: &dyn Fn(f64) -> f64| (of(x + h) - of(x - h)) / (2.0 * h);
            assert!((difference(&langevin_integral) - value).abs() < 1e-8, "integral at {x}");
            assert!((difference(&|x| langevin(x)[0]) - slope).abs() < 1e-8, "slope at {x}");
            assert!((difference(&|x| langevin(x)[1]) - bend).abs() < 1e-8, "bend at {x}");
            if value.abs() < 0.95 {
                assert!((inverse_langevin(value) - x).abs() < 1e-11 * (1.0 + x.abs()), "inverse at {x}");
            }
        }
    }
}
