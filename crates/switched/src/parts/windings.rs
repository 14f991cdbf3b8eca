//! Windings. Coupled ones are taken apart as `L = G·D·Gᵀ` (Cholesky without roots): with `y = Gᵀ·i` for states the rates are
//! `dy/dt = D⁻¹·G⁻¹·(v − R·i)`, so that a coupling near one makes one small leakage and takes no accuracy from the rest.

use super::passive::saturating;
use crate::network::Network;
use crate::network::row::{Of, Row};
use circuit::ResolvedPart;
use circuit::fit::MU_0;

/// `v_p = n·v_s`, `i_s = −n·i_p`.
pub(super) fn ideal(part: &ResolvedPart, n: &mut Network) {
    let [p1, p2, s1, s2] = [0, 1, 2, 3].map(|pin| part.pins[pin]);
    let ratio = part.value("ratio");
    let primary = n.current(p1, p2);
    let secondary = Row::of(primary).times(-ratio);
    n.carry(s1, s2, &secondary);
    n.relation(Row::across(p1, p2).plus(-ratio, Row::across(s1, s2)));
    n.port(Row::across(p1, p2), primary);
    n.port(Row::across(s1, s2), secondary);
}

pub(super) fn two(part: &ResolvedPart, n: &mut Network) {
    let [l1, l2, k] = ["primary_inductance", "secondary_inductance", "coupling"].map(|name| part.value(name));
    let mutual = k * (l1 * l2).sqrt();
    // The last pivot as a product, which loses nothing where k is near one.
    let pivots = vec![l1, l2 * (1.0 - k) * (1.0 + k)];
    let factors = vec![vec![1.0, 0.0], vec![mutual / l1, 1.0]];
    let resistances = ["primary_resistance", "secondary_resistance"].map(|name| part.value(name));
    coupled(part, n, (&factors, &pivots), &resistances);
}

pub(super) fn three(part: &ResolvedPart, n: &mut Network) {
    let of = |name: &str| ["primary", "second", "third"].map(|w| part.value(&format!("{w}_{name}")));
    let (turns, resistances) = (of("turns"), of("resistance"));
    let [k12, k13, k23] = ["coupling_12", "coupling_13", "coupling_23"].map(|k| part.value(k));
    let coupling = [[1.0, k12, k13], [k12, 1.0, k23], [k13, k23, 1.0]];
    let per_turn = part.value("inductance_factor");
    let inductance: [[f64; 3]; 3] =
        std::array::from_fn(|r| std::array::from_fn(|c| coupling[r][c] * per_turn * turns[r] * turns[c]));
    let (factors, pivots) = taken_apart(&inductance);
    coupled(part, n, (&factors, &pivots), &resistances);
}

/// `L = G·D·Gᵀ`, G with ones on its diagonal.
fn taken_apart<const N: usize>(inductance: &[[f64; N]; N]) -> (Vec<Vec<f64>>, Vec<f64>) {
    let (mut g, mut d) = (vec![vec![0.0; N]; N], vec![0.0; N]);
    for c in 0..N {
        d[c] = inductance[c][c] - (0..c).map(|k| g[c][k] * g[c][k] * d[k]).sum::<f64>();
        g[c][c] = 1.0;
        for r in c + 1..N {
            let known: f64 = (0..c).map(|k| g[r][k] * g[c][k] * d[k]).sum();
            g[r][c] = (inductance[r][c] - known) / d[c];
        }
    }
    (g, d)
}

/// Two windings on a core: `N₁·i₁ + N₂·i₂ = H·l` follows the flux along the curve of the core in straight pieces, and with e the
/// voltage per turn `v_k = R_k·i_k + L_k·di_k/dt + N_k·e`.
pub(super) fn on_core(part: &ResolvedPart, n: &mut Network) {
    let both = |name: &str| [part.value(&format!("primary_{name}")), part.value(&format!("secondary_{name}"))];
    let (turns, leakages, resistances) = (both("turns"), both("leakage"), both("resistance"));
    let [area, length, permeability, saturation] =
        ["core_area", "path_length", "permeability", "saturation"].map(|name| part.value(name));
    let ends = |k: usize| (part.pins[2 * k], part.pins[2 * k + 1]);
    let currents = [0, 1].map(|k| n.current(ends(k).0, ends(k).1));
    let (per_turn, driven) = (n.inner(), n.inner());
    n.relation(Row::of(driven).plus(-turns[0], currents[0]).plus(-turns[1], currents[1]));
    for k in 0..2 {
        let across = Row::across(ends(k).0, ends(k).1);
        let left = across.clone().plus(-resistances[k], currents[k]).plus(-turns[k], per_turn);
        if leakages[k] > 0.0 {
            let state = n.state(0.0, left.times(1.0 / leakages[k]));
            n.relation(Row::of(currents[k]).plus(-1.0, state));
            n.stores(state, leakages[k]);
        } else {
            n.relation(left);
        }
        n.port(across, currents[k]);
        n.loss(Row::of(currents[k]).times(resistances[k]), currents[k]);
    }
    let flux = |driven: f64| {
        let field = driven / length;
        area * (MU_0 * field + saturation * (MU_0 * (permeability - 1.0) * field / saturation).tanh())
    };
    let scale = saturation * length / (MU_0 * (permeability - 1.0)).max(MU_0 * 1e-6);
    saturating(n, (driven, Row::of(per_turn)), scale, area * MU_0 / length, 0.0, flux);
}

fn coupled(part: &ResolvedPart, n: &mut Network, (g, d): (&[Vec<f64>], &[f64]), resistances: &[f64]) {
    let count = d.len();
    let ends = |k: usize| (part.pins[2 * k], part.pins[2 * k + 1]);
    let currents: Vec<Of> = (0..count).map(|k| n.current(ends(k).0, ends(k).1)).collect();
    // G⁻¹·(v − R·i), from the first winding on.
    let mut driven: Vec<Row> = Vec::new();
    for k in 0..count {
        let own = Row::across(ends(k).0, ends(k).1).plus(-resistances[k], currents[k]);
        let row = driven.iter().zip(&g[k]).fold(own, |row, (before, factor)| row.plus(-factor, before.clone()));
        driven.push(row);
    }
    for (k, row) in driven.into_iter().enumerate() {
        let state = n.state(0.0, row.times(1.0 / d[k]));
        // y = Gᵀ·i.
        let flows = (k..count).fold(Row::default(), |row, m| row.plus(g[m][k], currents[m]));
        n.relation(flows.plus(-1.0, state));
        n.stores(state, d[k]);
    }
    for k in 0..count {
        n.port(Row::across(ends(k).0, ends(k).1), currents[k]);
        n.loss(Row::of(currents[k]).times(resistances[k]), currents[k]);
    }
}
