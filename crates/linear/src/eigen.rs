//! Eigenvalues of small dense matrices, found in bounded time.

use nalgebra::linalg::{Schur, balancing};
use nalgebra::{Complex, DMatrix};
use num_complex::Complex64;

/// Sweeps of the QR algorithm for each row, and how much looser a zero is taken each time they do not do.
const SWEEPS: usize = 60;
const LOOSER: f64 = 10.0;
const MOST_TRIES: usize = 7;

/// Eigenvalues of a square matrix given by row and column, largest first, each as often as it is one. Those that stand by themselves,
/// with nothing else in their row or column, are taken first (as in B. N. Parlett & C. Reinsch, *Balancing a matrix for calculation of
/// eigenvalues and eigenvectors*, Numer. Math. 13, 1969). Where many are alike the QR algorithm may go round for ever; zeros are then
/// taken ever more loosely, up to 1e-9 of what stands beside them. None where even that does not do, or a number is not finite.
pub fn eigenvalues(n: usize, entry: impl Fn(usize, usize) -> f64) -> Option<Vec<Complex64>> {
    let whole = DMatrix::from_fn(n, n, entry);
    if !whole.iter().all(|entry| entry.is_finite()) {
        return None;
    }
    let (mut all, mut left) = (Vec::with_capacity(n), (0..n).collect::<Vec<usize>>());
    while let Some(place) = by_itself(&whole, &left) {
        let k = left.remove(place);
        all.push(Complex64::new(whole[(k, k)], 0.0));
    }
    if !left.is_empty() {
        let mut matrix = DMatrix::from_fn(left.len(), left.len(), |r, c| whole[(left[r], left[c])]);
        balancing::balance_parlett_reinsch(&mut matrix);
        let mut tries = (0..MOST_TRIES).map(|k| f64::EPSILON * LOOSER.powi(k as i32));
        let schur = tries.find_map(|zero| Schur::try_new(matrix.clone(), zero, SWEEPS * left.len()))?;
        all.extend(schur.complex_eigenvalues().iter().map(|m: &Complex<f64>| Complex64::new(m.re, m.im)));
    }
    all.sort_by(|a, b| b.norm().total_cmp(&a.norm()));
    Some(all)
}

/// The place among what is left of a row or a column that has nothing beside its diagonal.
fn by_itself(matrix: &DMatrix<f64>, left: &[usize]) -> Option<usize> {
    let alone = |k: usize| {
        let others = || left.iter().filter(move |other| **other != k);
        others().all(|other| matrix[(k, *other)] == 0.0) || others().all(|other| matrix[(*other, k)] == 0.0)
    };
    left.iter().position(|k| alone(*k))
}

/// What stands for eigenvalues that were not found: one that is no number.
pub fn untold() -> Vec<Complex64> {
    vec![Complex64::new(f64::NAN, f64::NAN)]
}
