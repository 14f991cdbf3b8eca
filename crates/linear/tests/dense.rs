//! Dense matrices against closed forms, and against what defines them, for matrices made at random.

use mellow_linear::{Kernel, Matrix, Ranked, exponential_less_one, one_after_the_other};
use proptest::prelude::*;

fn matrix(rows: &[&[f64]]) -> Matrix {
    let mut m = Matrix::zeros(rows.len(), rows[0].len());
    rows.iter().enumerate().for_each(|(r, row)| m.row_mut(r).copy_from_slice(row));
    m
}

fn random(rows: usize, columns: usize) -> impl Strategy<Value = Matrix> {
    prop::collection::vec((-1.0f64..1.0, -4i32..4), rows * columns).prop_map(move |entries| {
        let mut m = Matrix::zeros(rows, columns);
        for (k, (size, power)) in entries.iter().enumerate() {
            m[(k / columns, k % columns)] = size * 10f64.powi(*power);
        }
        m
    })
}

fn exponential(m: &Matrix) -> Matrix {
    let mut whole = exponential_less_one(m);
    whole.add_scaled(1.0, &Matrix::identity(m.rows()));
    whole
}

fn largest(m: &Matrix) -> f64 {
    (0..m.rows()).flat_map(|r| m.row(r)).fold(0.0, |most: f64, e| most.max(e.abs()))
}

/// A rotation, a chain of integrators, a swing whose states differ by many decades in unit, and a stiff pair (by hand).
#[test]
fn exponentials_have_their_closed_forms() {
    for w in [1e-3, 1.0, 37.0, 400.0f64] {
        let turned = exponential(&matrix(&[&[0.0, w], &[-w, 0.0]]));
        let close = 1e-13 * w.max(1.0);
        assert!((turned[(0, 0)] - w.cos()).abs() < close && (turned[(0, 1)] - w.sin()).abs() < close);
    }
    let chain = exponential(&matrix(&[&[0.0, 3.0, 0.0], &[0.0, 0.0, 3.0], &[0.0, 0.0, 0.0]]));
    assert!((chain[(0, 2)] - 4.5).abs() < 1e-14 && (chain[(0, 1)] - 3.0).abs() < 1e-14);
    // An undamped circuit of L = 1 µH and C = 1 F over a quarter of its period, in henries and farads.
    let (l, c) = (1e-6f64, 1.0f64);
    let quarter = std::f64::consts::FRAC_PI_2 * (l * c).sqrt();
    let swung = exponential(&matrix(&[&[0.0, quarter / c], &[-quarter / l, 0.0]]));
    assert!((swung[(0, 1)] / (l / c).sqrt() - 1.0).abs() < 1e-12, "{swung:?}");
    assert!((swung[(1, 0)] * (l / c).sqrt() + 1.0).abs() < 1e-12 && swung[(0, 0)].abs() < 1e-12);
    // −1 and −1e6 per second, coupled one way: e^(At)₁₂ = (e^−t − e^−1e6·t)/(1e6 − 1).
    let stiff = exponential(&matrix(&[&[-1.0, 1.0], &[0.0, -1e6]]));
    assert!((stiff[(0, 1)] * (1e6 - 1.0) - (-1.0f64).exp()).abs() < 1e-10);
    // What is slow beside something fast changes by little, and that is known as closely as anything: e^(−t/s) − 1, over times in
    // which the fast one has long ended.
    for slow in [1e-3, 1e-6, 1e-9] {
        let slowly = exponential_less_one(&matrix(&[&[-slow, 0.0], &[1.0, -1e6]]));
        assert!((slowly[(0, 0)] / (-slow).exp_m1() - 1.0).abs() < 1e-13, "{slowly:?}");
        let twice = one_after_the_other(&slowly, &slowly);
        assert!((twice[(0, 0)] / (-2.0 * slow).exp_m1() - 1.0).abs() < 1e-13, "{twice:?}");
    }
}

proptest! {
    /// e^(A+A) = e^A·e^A, and its inverse is e^(−A).
    #[test]
    fn exponentials_multiply(a in random(5, 5)) {
        let a = a.clone().scaled(0.7 / a.norm().max(1e-9));
        let once = exponential(&a);
        let mut twice = exponential(&a.clone().scaled(2.0));
        twice.add_scaled(-1.0, &once.times(&once));
        prop_assert!(largest(&twice) < 1e-13);
        let mut unit = once.times(&exponential(&a.scaled(-1.0)));
        unit.add_scaled(-1.0, &Matrix::identity(5));
        prop_assert!(largest(&unit) < 1e-13);
    }

    /// A matrix laid out for speed is the same matrix.
    #[test]
    fn kernels_multiply(m in random(19, 6), x in random(6, 1)) {
        let column: Vec<f64> = (0..6).map(|k| x[(k, 0)]).collect();
        let mut y = vec![f64::NAN; 19];
        Kernel::new(&m).apply(&column, &mut y);
        let wanted = m.times(&x);
        prop_assert!((0..19).all(|r| (y[r] - wanted[(r, 0)]).abs() <= 1e-12 * largest(&m) * largest(&x)));
        let (mut a, mut b) = (vec![f64::NAN; 19], vec![f64::NAN; 19]);
        let twice: Vec<f64> = column.iter().map(|x| 2.0 * x).collect();
        Kernel::new(&m).apply_to_both([&column, &twice], [&mut a, &mut b]);
        prop_assert!((0..19).all(|r| (a[r] - y[r]).abs() + (b[r] - 2.0 * y[r]).abs() <= 1e-12 * largest(&m) * largest(&x)));
    }

    /// A product of a tall and a wide matrix has the inner rank at most; its null spaces are null, and what lies in its range
    /// is solved for.
    #[test]
    fn ranks_and_null_spaces(left in random(6, 3), right in random(3, 5), x in random(5, 1)) {
        let m = left.times(&right);
        let ranked = Ranked::new(&m);
        prop_assert!(ranked.rank() <= 3);
        let (across, down) = (m.times(&ranked.right_null()), ranked.left_null().times(&m));
        prop_assert!(largest(&across) < 1e-7 * largest(&m) && largest(&down) < 1e-7 * largest(&m));
        let b = m.times(&x);
        let mut again = m.times(&ranked.solve(&b));
        again.add_scaled(-1.0, &b);
        prop_assert!(largest(&again) < 1e-7 * largest(&m) * largest(&x).max(1.0));
    }
}

/// Eigenvalues of a companion matrix are the roots of its polynomial; many alike, in units far apart, they are still found, and soon.
#[test]
fn eigenvalues_are_roots() {
    // (x − 2)(x + 1)(x² + 1): 1, −1, −1, −1, −2.
    let coefficients = [-1.0, -1.0, -1.0, -2.0];
    let companion = |r: usize, c: usize| {
        if c == 3 {
            -[coefficients[3], coefficients[2], coefficients[1], coefficients[0]][r]
        } else {
            f64::from(r == c + 1)
        }
    };
    let roots = mellow_linear::eigenvalues(4, companion).unwrap();
    for wanted in [(2.0, 0.0), (-1.0, 0.0), (0.0, 1.0), (0.0, -1.0)] {
        assert!(roots.iter().any(|r| (r.re - wanted.0).hypot(r.im - wanted.1) < 1e-9), "{roots:?}");
    }
    assert!((roots[0].re - 2.0).abs() < 1e-9, "the largest is first: {roots:?}");
    // Phases side by side that pass what they carry on to one store, as converters do: the same eigenvalue again and again.
    for phases in [2, 5, 9, 20] {
        let (kept, units) = (0.97f64, |k: usize| 10f64.powi(3 * (k % 3) as i32 - 3));
        let matrix = |r: usize, c: usize| {
            let unscaled = match (r, c) {
                (r, c) if r == c && r < phases => kept,
                (r, c) if r == phases && c == phases => 0.9,
                (r, _) if r == phases => 1e-3,
                (_, c) if c == phases => -2e-3,
                _ => 0.0,
            };
            unscaled * units(r) / units(c)
        };
        let found = mellow_linear::eigenvalues(phases + 1, matrix).unwrap();
        assert_eq!(found.len(), phases + 1);
        let alike = found.iter().filter(|m| (m.re - kept).hypot(m.im) < 1e-6).count();
        assert!(alike >= phases - 1, "{phases}: {found:?}");
    }
    // What a period leaves of a loop at its limit: next to nothing of some states, others held, each part by itself.
    let held = |r: usize, c: usize| match (r, c) {
        (1, 0) | (13, 0) => 3.4864144524777604e-52,
        (1, 1) | (3, 3) | (13, 1) => 4.062058591749871e-52,
        (2, 0) => 0.012962736050999154,
        (2, 2) => 0.9999999993209235,
        (3, 0) => 0.0025925472102120775,
        (3, 2) => 0.19999999986512948,
        (4, 0) => -0.0025912515852660905,
        (4, 2) => -0.19990004990549057,
        (4, 3) => -2.1021327471626027e-27,
        (4, 11) => 0.9995002498750625,
        (5, 4) | (6, 5) | (8, 7) | (10, 8) | (11, 11) | (12, 12) => 1.0,
        _ => 0.0,
    };
    let found = mellow_linear::eigenvalues(14, held).unwrap();
    let near = |at: f64| found.iter().filter(|m| (m.re - at).abs() < 1e-7 && m.im.abs() < 1e-7).count();
    assert!(near(1.0) == 3 && near(0.0) == 11, "{found:?}");
    assert_eq!(mellow_linear::eigenvalues(1, |_, _| f64::NAN), None);
}
