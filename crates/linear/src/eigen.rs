//! Eigenvalues of small dense matrices, found in bounded time.

use nalgebra::linalg::{Schur, balancing};
use nalgebra::{Complex, DMatrix};
use num_complex::Complex64;

/// Sweeps of the QR algorithm for each row, and how much looser a zero is taken each time they do not do.
const SWEEPS: usize = 60;
const LOOSER: f64 = 10.0;
const MOST_TRIES: usize = 7;

/// Eigenvalues of a square matrix given by row and column, largest first, each as often as it is one. Where many are alike the QR
/// algorithm may go round for ever; zeros are then taken ever more loosely, up to 1e-9 of what stands beside them. None where even
/// that does not do, or a number is not finite.
pub fn eigenvalues(n: usize, entry: impl Fn(usize, usize) -> f64) -> Option<Vec<Complex64>> {
    let mut matrix = DMatrix::from_fn(n, n, entry);
    if n == 0 || !matrix.iter().all(|entry| entry.is_finite()) {
        return if n == 0 { Some(Vec::new()) } else { None };
    }
    balancing::balance_parlett_reinsch(&mut matrix);
    let tries = (0..MOST_TRIES).map(|k| f64::EPSILON * LOOSER.powi(k as i32));
    let schur = tries.into_iter().find_map(|zero| Schur::try_new(matrix.clone(), zero, SWEEPS * n))?;
    let mut all: Vec<Complex64> =
        schur.complex_eigenvalues().iter().map(|m: &Complex<f64>| Complex64::new(m.re, m.im)).collect();
    all.sort_by(|a, b| b.norm().total_cmp(&a.norm()));
    Some(all)
}

/// What stands for eigenvalues that were not found: one that is no number.
pub fn untold() -> Vec<Complex64> {
    vec![Complex64::new(f64::NAN, f64::NAN)]
}
