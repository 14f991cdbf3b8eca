//! What slopes at the ends of a step tell of the quartic through its nodes.

use recording::PLACES;

/// Slope of that quartic where the step begins, by its values at the nodes, and turned round where it ends (derivatives of Lagrange's
/// polynomials).
const BEGINS: [f64; 5] = {
    let [a, b, c] = PLACES;
    [
        -(1.0 / a + 1.0 / b + 1.0 / c + 1.0),
        b * c / (a * (b - a) * (c - a) * (1.0 - a)),
        a * c / (b * (a - b) * (c - b) * (1.0 - b)),
        a * b / (c * (a - c) * (b - c) * (1.0 - c)),
        a * b * c / ((a - 1.0) * (b - 1.0) * (c - 1.0)),
    ]
};

/// Slope of s·(s − a)·(s − ½)·(s − c)·(s − 1), which is zero at every node, at either end.
const STEEP: f64 = 1.0 / 14.0;
/// The largest it is in between, relative to that.
const FAR: f64 = 0.041_173;

/// Slopes of a quartic at the ends of its step, each over the whole step.
#[derive(Clone, Copy, Debug)]
pub(crate) struct Slope([f64; 2]);

impl Slope {
    pub(crate) fn of([y0, y1, y2, y3, y4]: [f64; 5]) -> Self {
        let [a, b, c, d, e] = BEGINS;
        Slope([a * y0 + b * y1 + c * y2 + d * y3 + e * y4, -(e * y0 + d * y1 + c * y2 + b * y3 + a * y4)])
    }

    /// How much more it really changes there, over the whole step.
    pub(crate) fn off(self, begins: f64, ends: f64) -> [f64; 2] {
        [begins - self.0[0], ends - self.0[1]]
    }
}

/// How far a course may be from its quartic between the nodes, by how much more it changes at an end, if it goes on like there.
pub(crate) fn strays(off: f64) -> f64 {
    FAR * off.abs()
}

/// The polynomial of degree 6 that goes through the nodes as the quartic does and changes at the ends as the course does.
pub(crate) fn sextic([c0, c1, c2, c3, c4]: [f64; 5], [begins, ends]: [f64; 2]) -> [f64; 7] {
    let (a, b) = (begins / STEEP, (ends - begins) / STEEP);
    // (a + b·s) times what is zero at every node: s⁵ − 5/2·s⁴ + 15/7·s³ − 5/7·s² + s/14.
    let zero = [0.0, 1.0 / 14.0, -5.0 / 7.0, 15.0 / 7.0, -2.5, 1.0];
    let mut powers = [c0, c1, c2, c3, c4, 0.0, 0.0];
    for (k, zero) in zero.into_iter().enumerate() {
        powers[k] += a * zero;
        powers[k + 1] += b * zero;
    }
    powers
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;
    use recording::quartic;

    proptest! {
        /// Of any polynomial of degree 6 the nodes and the slopes at the ends tell all, and of one of degree 5 how far it strays from
        /// the quartic through its nodes.
        #[test]
        fn slopes_tell_what_nodes_do_not(made in prop::array::uniform7(-3.0..3.0f64)) {
            let value = |c: &[f64], s: f64| c.iter().rev().fold(0.0, |sum, c| sum * s + c);
            let slope = |c: &[f64], s: f64| (1..c.len()).rev().fold(0.0, |sum, k| sum * s + k as f64 * c[k]);
            let [a, b, d] = PLACES.map(|s| value(&made, s));
            let nodes = [made[0], a, b, d, value(&made, 1.0)];
            let off = Slope::of(nodes).off(slope(&made, 0.0), slope(&made, 1.0));
            let found = sextic(quartic(nodes), off);
            prop_assert!(found.iter().zip(&made).all(|(found, made)| (found - made).abs() < 1e-9), "{found:?} for {made:?}");
            let mut fifth = made;
            fifth[6] = 0.0;
            let [a, b, d] = PLACES.map(|s| value(&fifth, s));
            let nodes = [made[0], a, b, d, value(&fifth, 1.0)];
            let (off, course) = (Slope::of(nodes).off(slope(&fifth, 0.0), slope(&fifth, 1.0)), quartic(nodes));
            let most = (0..1000).map(|k| f64::from(k) / 1000.0).map(|s| (value(&fifth, s) - value(&course, s)).abs()).fold(0.0, f64::max);
            prop_assert!((most - strays(off[0])).abs() < 1e-3 * most + 1e-12, "{} for {most}", strays(off[0]));
        }
    }
}
