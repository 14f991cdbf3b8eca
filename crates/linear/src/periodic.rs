//! From what a period changes to the state it changes no more.

use crate::Matrix;
use nalgebra::DMatrix;

/// Sweeps in which singular values must have come.
const MOST_SWEEPS: usize = 1000;

/// `(1 − M)⁻¹` of a map with the derivative M, given by row and column: what it makes of the change over a period is the step to
/// the state that the period brings back. Directions in which a difference stays as it is, all but a part `stays` of it, are left
/// out: such as an amplifier's own state at its limit, of which the derivative says nothing. `sizes` are what each state is
/// measured in, none of them zero. Zeros throughout where it points nowhere, because M grows beyond all numbers or its singular
/// values do not come.
pub fn to_periodic(sizes: &[f64], leaves: impl Fn(usize, usize) -> f64, stays: f64) -> Matrix {
    let n = sizes.len();
    if n == 0 {
        return Matrix::zeros(0, 0);
    }
    let left = DMatrix::from_fn(n, n, |r, c| f64::from(r == c) - leaves(r, c) * sizes[c] / sizes[r]);
    let finite = left.iter().all(|entry| entry.is_finite());
    let values = finite.then(|| left.try_svd(true, true, f64::EPSILON, MOST_SWEEPS)).flatten();
    let mut result = Matrix::zeros(n, n);
    if let Some(inverse) = values.and_then(|svd| svd.pseudo_inverse(stays).ok()) {
        for r in 0..n {
            for c in 0..n {
                result[(r, c)] = inverse[(r, c)] * sizes[r] / sizes[c];
            }
        }
    }
    result
}

#[cfg(test)]
mod tests {
    use super::*;

    /// A map that turns and shrinks two states of very different units and keeps a third: the step leads to its fixed point, and
    /// not along what stays.
    #[test]
    fn leads_to_what_the_map_brings_back() {
        let sizes = [1e-6, 1e3, 1.0];
        for (shrinks, turns) in [(0.5, 0.3), (0.99, 1.7), (1.3, 2.0), (0.9999, 0.01)] {
            let (re, im) = (shrinks * f64::cos(turns), shrinks * f64::sin(turns));
            let map = [[re, -im, 0.0], [im, re, 0.0], [0.0, 0.0, 1.0]];
            let leaves = |r: usize, c: usize| map[r][c] * sizes[r] / sizes[c];
            let (fixed, z) = ([2e-6, -5e2, 0.3], [1e-6, 9e2, 0.3]);
            let mut change = [0.0; 3];
            for (r, change) in change.iter_mut().enumerate() {
                *change = (0..3).map(|c| leaves(r, c) * (z[c] - fixed[c])).sum::<f64>() - (z[r] - fixed[r]);
            }
            let mut step = [0.0; 3];
            to_periodic(&sizes, leaves, 1e-9).apply(&change, &mut step);
            for ((z, step), (fixed, size)) in z.iter().zip(step).zip(fixed.iter().zip(sizes)) {
                assert!((z + step - fixed).abs() < 1e-10 * size, "{shrinks}, {turns}: {z} + {step} for {fixed}");
            }
        }
        assert_eq!(to_periodic(&[], |_, _| 0.0, 1e-9).rows(), 0);
        let nowhere = to_periodic(&[1.0], |_, _| f64::INFINITY, 1e-9);
        assert_eq!(nowhere[(0, 0)], 0.0);
    }
}
