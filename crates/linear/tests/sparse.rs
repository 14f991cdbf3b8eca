//! Sparse factors against dense ones of another library, over matrices as circuits have them: few entries a row, sizes many decades
//! apart, refilled again and again, now and then without a solution.

use mellow_linear::{Lu, Pattern, Scalar, Symbolic};
use nalgebra::{ComplexField, DMatrix, DVector};
use num_complex::Complex64;
use proptest::prelude::*;
use std::sync::Arc;

/// Admittances between nodes and to the reference, by their places and sizes as powers of ten; some with an unknown current of
/// their own, as sources have.
#[derive(Clone, Debug)]
struct Net {
    nodes: usize,
    branches: Vec<(usize, usize, f64, f64)>,
    sources: Vec<(usize, usize)>,
}

fn net() -> impl Strategy<Value = Net> {
    (2usize..24).prop_flat_map(|nodes| {
        let branch = (0..nodes + 1, 0..nodes + 1, -7.0..4.0f64, -1.0..1.0f64);
        let source = (0..nodes + 1, 0..nodes + 1);
        (prop::collection::vec(branch, nodes..4 * nodes), prop::collection::vec(source, 0..4))
            .prop_map(move |(branches, sources)| Net { nodes, branches, sources })
    })
}

impl Net {
    /// Its entries: every node has a little admittance of its own, so that none floats.
    fn entries<T: Scalar>(&self, round: f64, number: impl Fn(f64, f64) -> T) -> (usize, Vec<(usize, usize)>, Vec<T>) {
        let n = self.nodes + self.sources.len();
        let (mut places, mut values) = (Vec::new(), Vec::new());
        let mut add = |row: usize, column: usize, value: T| {
            if row > 0 && column > 0 {
                places.push((row - 1, column - 1));
                values.push(value);
            }
        };
        (1..=self.nodes).for_each(|node| add(node, node, number(1e-3, 0.0)));
        for (a, b, power, share) in &self.branches {
            let size = 10f64.powf(power + 0.1 * round);
            let (y, minus) = (number(size, share * size), number(-size, -share * size));
            for (row, column, value) in [(*a, *a, y), (*b, *b, y), (*a, *b, minus), (*b, *a, minus)] {
                add(row, column, value);
            }
        }
        for (k, (a, b)) in self.sources.iter().enumerate() {
            let own = self.nodes + 1 + k;
            for (node, sign) in [(*a, 1.0), (*b, -1.0)] {
                add(node, own, number(sign, 0.0));
                add(own, node, number(sign, 0.0));
            }
        }
        (n, places, values)
    }

    /// Whether sources neither lie across one another nor across nothing: their loops have no solution.
    fn is_sound(&self) -> bool {
        let mut group: Vec<usize> = (0..=self.nodes).collect();
        self.sources.iter().all(|(a, b)| {
            let (of_a, of_b) = (group[*a], group[*b]);
            group.iter_mut().filter(|g| **g == of_b).for_each(|g| *g = of_a);
            of_a != of_b
        })
    }
}

/// Solves it sparse and dense; how far what is found is off, by what it leaves of the right side relative to what is summed up.
fn check<T>(net: &Net, number: impl Fn(f64, f64) -> T + Copy) -> Result<(), TestCaseError>
where
    T: Scalar + ComplexField<RealField = f64>,
{
    let (n, places, _) = net.entries(0.0, number);
    let (pattern, slots) = Pattern::new(n, &places);
    let symbolic = Arc::new(Symbolic::new(pattern.clone()));
    let mut lu = Lu::new(Arc::clone(&symbolic));
    for round in [0.0, 1.0, -2.0, 7.0] {
        let (_, places, entries) = net.entries(round, number);
        let mut values = vec![number(0.0, 0.0); pattern.rows.len()];
        let mut dense = DMatrix::from_element(n, n, number(0.0, 0.0));
        for ((slot, (r, c)), value) in slots.iter().zip(&places).zip(entries) {
            values[*slot] += value;
            dense[(*r, *c)] += value;
        }
        let right = DVector::from_fn(n, |k, _| number((k as f64 + 0.3).sin(), (k as f64).cos()));
        let factored = lu.factor(&values);
        // A loop of sources has no solution, but rounding may leave one where there is none.
        prop_assert!(factored.is_ok() || !net.is_sound(), "round {}", round);
        prop_assert_eq!(lu.ready(), factored.is_ok());
        if factored.is_err() || !net.is_sound() {
            continue;
        }
        let mut anew = Lu::new(Arc::clone(&symbolic));
        anew.factor(&values).unwrap();
        // Pivots just chosen are a tenth of their column at least, so each may make rounding eleven times larger; those kept from
        // other values may be a ten-thousandth. Engines iterate, and take away what is left.
        for (factors, close) in [(&mut anew, 1e-8), (&mut lu, 1e-5)] {
            let mut found: Vec<T> = right.iter().copied().collect();
            factors.solve(&mut found);
            let found = DVector::from_vec(found);
            let left = &dense * &found - &right;
            for row in 0..n {
                let summed: f64 = (0..n).map(|c| ComplexField::modulus(dense[(row, c)] * found[c])).sum();
                let off = ComplexField::modulus(left[row]);
                prop_assert!(off <= close * (summed + 1.0), "row {}: {} left of {}", row, off, summed);
            }
        }
        prop_assert!(lu.fill() >= n && lu.fill() <= n * n, "{} of {}", lu.fill(), n * n);
    }
    Ok(())
}

proptest! {
    #![proptest_config(ProptestConfig { cases: 200, failure_persistence: None, ..ProptestConfig::default() })]

    #[test]
    fn real_networks_are_solved(net in net()) {
        check(&net, |re, _| re)?;
    }

    #[test]
    fn complex_networks_are_solved(net in net()) {
        check(&net, Complex64::new)?;
    }

    /// A pattern holds every place once, columns in order and rows ascending, and each entry finds its own.
    #[test]
    fn a_pattern_is_sorted_and_whole(n in 1usize..20, places in prop::collection::vec((0usize..20, 0usize..20), 0..80)) {
        let places: Vec<(usize, usize)> = places.into_iter().map(|(r, c)| (r % n, c % n)).collect();
        let (pattern, slots) = Pattern::new(n, &places);
        prop_assert_eq!(pattern.starts.len(), n + 1);
        prop_assert!(pattern.starts.is_sorted() && pattern.starts[n] == pattern.rows.len());
        for c in 0..n {
            prop_assert!(pattern.rows[pattern.column(c)].is_sorted_by(|a, b| a < b));
        }
        for ((r, c), slot) in places.iter().zip(&slots) {
            prop_assert!(pattern.rows[*slot] == *r && pattern.column(*c).contains(slot));
        }
        let different: std::collections::BTreeSet<(usize, usize)> = places.iter().copied().collect();
        prop_assert_eq!(different.len(), pattern.rows.len());
    }
}

/// A long chain, ordered from one end to the other or shuffled, keeps its factors as sparse as it is.
#[test]
fn a_chain_fills_nothing_in() {
    for stride in [1usize, 7, 31] {
        let n = 1000;
        let place = |k: usize| k * stride % n;
        let mut places: Vec<(usize, usize)> = (0..n).map(|k| (place(k), place(k))).collect();
        places.extend((0..n - 1).flat_map(|k| [(place(k), place(k + 1)), (place(k + 1), place(k))]));
        let (pattern, slots) = Pattern::new(n, &places);
        let mut values = vec![0.0; pattern.rows.len()];
        for (e, slot) in slots.iter().enumerate() {
            values[*slot] = if e < n { 2.5 } else { -1.0 };
        }
        let mut lu = Lu::new(Arc::new(Symbolic::new(pattern)));
        lu.factor(&values).unwrap();
        assert!(lu.fill() <= 3 * n, "{} of {n} in steps of {stride}", lu.fill());
    }
}
