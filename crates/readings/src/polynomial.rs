//! Polynomials of a place from 0 to 1, by their coefficients from the lowest.

/// Coefficients of the highest there is, a quartic.
pub(crate) const TERMS: usize = 5;

pub(crate) type Polynomial = [f64; TERMS];

/// Rounds in which a root is found: each at least halves what it may be in.
const MOST_ROUNDS: usize = 100;

pub(crate) fn value(c: &Polynomial, s: f64) -> f64 {
    let [c0, c1, c2, c3, c4] = c;
    c0 + s * (c1 + s * (c2 + s * (c3 + s * c4)))
}

pub(crate) fn slope(c: &Polynomial, s: f64) -> f64 {
    let [_, c1, c2, c3, c4] = c;
    c1 + s * (2.0 * c2 + s * (3.0 * c3 + s * (4.0 * c4)))
}

/// The derivative.
pub(crate) fn slopes([_, c1, c2, c3, c4]: &Polynomial) -> Polynomial {
    [*c1, 2.0 * c2, 3.0 * c3, 4.0 * c4, 0.0]
}

pub(crate) fn product(a: &Polynomial, b: &Polynomial) -> [f64; 2 * TERMS - 1] {
    let mut product = [0.0; 2 * TERMS - 1];
    for (k, a) in a.iter().enumerate() {
        product[k..].iter_mut().zip(b).for_each(|(sum, b)| *sum += a * b);
    }
    product
}

pub(crate) fn squared(c: &Polynomial) -> [f64; 2 * TERMS - 1] {
    product(c, c)
}

/// Roots from 0 to 1, ascending, and then no numbers.
pub(crate) fn roots(c: &Polynomial) -> [f64; TERMS - 1] {
    let [c0, c1, c2, c3, c4] = *c;
    let mut found = [f64::NAN; TERMS - 1];
    if c3 == 0.0 && c4 == 0.0 {
        let pair = if c2 == 0.0 { [-c0 / c1, f64::NAN] } else { roots_of_quadratic(c0, c1, c2) };
        (found[0], found[1]) = (pair[0], pair[1]);
    } else {
        // Between places where it turns there is one root at most.
        let mut count = 0;
        let mut from = (0.0, c0);
        for to in roots(&slopes(c)).into_iter().filter(|s| *s > 0.0 && *s < 1.0).chain([1.0]) {
            let to = (to, value(c, to));
            let root = if from.1 == 0.0 { Some(from.0) } else { (from.1 * to.1 < 0.0).then(|| between(c, from, to.0)) };
            if let (Some(root), Some(place)) = (root, found.get_mut(count)) {
                *place = root;
                count += 1;
            }
            from = to;
        }
        if let (true, Some(place)) = (from.1 == 0.0, found.get_mut(count)) {
            *place = from.0;
        }
    }
    found.iter_mut().filter(|s| !(0.0..=1.0).contains(*s)).for_each(|s| *s = f64::NAN);
    found.sort_by(f64::total_cmp);
    found
}

/// The stable pair of roots.
fn roots_of_quadratic(c0: f64, c1: f64, c2: f64) -> [f64; 2] {
    let discriminant = c1 * c1 - 4.0 * c2 * c0;
    let q = -0.5 * (c1 + c1.signum() * discriminant.max(0.0).sqrt());
    if discriminant < 0.0 { [f64::NAN; 2] } else { [q / c2, c0 / q] }
}

/// The root between a place with a value and one where it has the other sign, by Newton's method held within a bracket.
fn between(c: &Polynomial, (mut a, first): (f64, f64), mut b: f64) -> f64 {
    let mut x = 0.5 * (a + b);
    for _ in 0..MOST_ROUNDS {
        let y = value(c, x);
        if y == 0.0 || b - a <= f64::EPSILON {
            break;
        }
        if (y < 0.0) == (first < 0.0) {
            a = x
        } else {
            b = x
        }
        let newton = x - y / slope(c, x);
        let next = if newton > a && newton < b { newton } else { 0.5 * (a + b) };
        if (next - x).abs() <= 0.25 * f64::EPSILON {
            break;
        }
        x = next;
    }
    x
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    /// Coefficients of the product of linear factors (s − root).
    fn with_roots(roots: &[f64], scale: f64) -> Polynomial {
        let mut c = [scale, 0.0, 0.0, 0.0, 0.0];
        for root in roots {
            let before = c;
            for k in 0..TERMS {
                c[k] = if k > 0 { before[k - 1] } else { 0.0 } - root * before[k];
            }
        }
        c
    }

    proptest! {
        /// The roots from 0 to 1 of polynomials made of them are found, and no others.
        #[test]
        fn finds_the_roots_it_is_made_of(mut made in prop::collection::vec(-0.5..1.5f64, 0..=4), scale in prop_oneof![-9.0..-0.01f64, 0.01..9.0f64]) {
            made.sort_by(f64::total_cmp);
            let apart = made.windows(2).all(|pair| pair[1] - pair[0] > 1e-3) && made.iter().all(|s| s.abs().min((s - 1.0).abs()) > 1e-6);
            prop_assume!(apart);
            let found = roots(&with_roots(&made, scale));
            let wanted: Vec<f64> = made.iter().copied().filter(|s| (0.0..=1.0).contains(s)).collect();
            prop_assert_eq!(found.iter().filter(|s| !s.is_nan()).count(), wanted.len(), "{:?} for {:?}", found, wanted);
            prop_assert!(found.iter().zip(&wanted).all(|(found, wanted)| (found - wanted).abs() < 1e-9), "{found:?} for {wanted:?}");
        }
    }

    #[test]
    fn touches_count_once() {
        // (s − ½)²(s + 1)(s − 2), and the same with a root at each end.
        assert_eq!(roots(&with_roots(&[0.5, 0.5, -1.0, 2.0], 3.0))[..1], [0.5]);
        let ends = roots(&with_roots(&[0.0, 1.0, -1.0], 1.0));
        assert!(ends[0] == 0.0 && ends[1] == 1.0 && ends[2].is_nan(), "{ends:?}");
    }
}
