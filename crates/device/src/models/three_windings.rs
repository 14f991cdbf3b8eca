//! Three coupled windings given by their turns: `v_k = R_k·i_k + d/dt Σ_m L_km·i_m` with
//! `L_kk = A_L·N_k²`, `L_km = k_km·A_L·N_k·N_m`. A check holds the couplings to a positive
//! definite matrix, without which the windings would give more energy than they took. With the
//! damping of the leakage the fluxes are `λ = L·i − τ·v` each, v behind the resistance.

use super::damping::lag;
use super::device::{At, Device, Inside};
use super::real::Real;
use circuit::ResolvedPart;

/// Unknowns: start and end of each winding, then the currents.
pub(super) struct ThreeWindings {
    inductance: [[f64; 3]; 3],
    inverse: [[f64; 3]; 3],
    resistance: [f64; 3],
    /// τ of the damping, s.
    lag: f64,
}

/// The inverse of a symmetric matrix by its cofactors.
fn inverse(m: [[f64; 3]; 3]) -> [[f64; 3]; 3] {
    let cofactor = |k: usize, l: usize| {
        let [a, b, c, d] = [(k + 1) % 3, (k + 2) % 3, (l + 1) % 3, (l + 2) % 3];
        m[a][c] * m[b][d] - m[a][d] * m[b][c]
    };
    let determinant: f64 = (0..3).map(|l| m[0][l] * cofactor(0, l)).sum();
    std::array::from_fn(|k| std::array::from_fn(|l| cofactor(k, l) / determinant))
}

impl ThreeWindings {
    pub(super) fn new(part: &ResolvedPart) -> Self {
        let of = |name: &str| ["primary", "second", "third"].map(|w| part.value(&format!("{w}_{name}")));
        let turns = of("turns");
        let [k12, k13, k23] = ["coupling_12", "coupling_13", "coupling_23"].map(|k| part.value(k));
        let coupling = [[1.0, k12, k13], [k12, 1.0, k23], [k13, k23, 1.0]];
        let per_turn = part.value("inductance_factor");
        let inductance =
            std::array::from_fn(|k| std::array::from_fn(|m| coupling[k][m] * per_turn * turns[k] * turns[m]));
        let inverse = inverse(inductance);
        // What a winding shows with both others shorted.
        let leakage = (0..3).map(|k| 1.0 / inverse[k][k]).fold(f64::INFINITY, f64::min);
        ThreeWindings { inductance, inverse, resistance: of("resistance"), lag: lag(leakage) }
    }

    /// Voltage behind a resistance, V.
    fn behind<T: Real>(&self, x: &[T], k: usize) -> T {
        x[2 * k] - x[2 * k + 1] - x[6 + k].scale(self.resistance[k])
    }

    /// The currents that make the flux, A.
    fn making(&self, x: &[f64]) -> [f64; 3] {
        let v: [f64; 3] = std::array::from_fn(|k| self.behind(x, k));
        std::array::from_fn(|k| x[6 + k] - self.lag * (0..3).map(|m| self.inverse[k][m] * v[m]).sum::<f64>())
    }

    fn flux<T: Real>(&self, x: &[T], k: usize) -> T {
        let [a, b, c] = std::array::from_fn(|m| x[6 + m].scale(self.inductance[k][m]));
        a + b + c
    }
}

impl Device for ThreeWindings {
    const INSIDE: &'static [Inside] = &[Inside::Winding, Inside::Winding, Inside::Winding];
    const NONLINEAR: bool = false;

    fn flows<T: Real>(&self, at: &At<'_, T>, f: &mut [T]) {
        let x = at.x;
        for k in 0..3 {
            (f[2 * k], f[2 * k + 1]) = (x[6 + k], -x[6 + k]);
            f[6 + k] = self.behind(x, k);
        }
    }

    fn charges<T: Real>(&self, at: &At<'_, T>, q: &mut [T]) {
        for k in 0..3 {
            q[6 + k] = self.behind(at.x, k).scale(self.lag) - self.flux(at.x, k);
        }
    }

    fn stored(&self, x: &[f64]) -> f64 {
        let i = self.making(x);
        (0..3).flat_map(|k| (0..3).map(move |m| (k, m))).map(|(k, m)| 0.5 * self.inductance[k][m] * i[k] * i[m]).sum()
    }

    fn storing(&self, x: &[f64]) -> f64 {
        let i = self.making(x);
        (0..3).map(|k| self.behind(x, k) * i[k]).sum()
    }
}
