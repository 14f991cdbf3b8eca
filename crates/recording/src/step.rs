//! How nodes make up steps.

/// Place of the inner node within a step that has one, 2 − √2.
pub const STAGE: f64 = 2.0 - std::f64::consts::SQRT_2;

/// Places of the inner nodes within a step that has three. With its ends they are the points of Lobatto's quadrature, exact for
/// polynomials of degree 7 (handbook: 0, ±√(3/7), ±1 over a length of two).
pub const PLACES: [f64; 3] = [0.172_673_164_646_011_43, 0.5, 0.827_326_835_353_988_6];

/// Weights of that quadrature over a length of one: of both ends, of the nodes beside them, of the middle.
pub const WEIGHTS: [f64; 3] = [0.05, 49.0 / 180.0, 16.0 / 45.0];

/// How far inner nodes may be from [`PLACES`], relative to their step: far more than rounding moves them in a step that times tell
/// from nothing, and far less than these places are from any other.
const OFF: f64 = 1e-3;

/// Whether these are the five nodes of a step with three inner ones, by where they stand. Such a step begins at an even place, and
/// its third node is no end of a step although it stands at an even one.
fn is_quartic(times: &[f64]) -> bool {
    let [start, inner @ .., end] = times else { return false };
    let length = end - start;
    inner.len() == PLACES.len()
        && inner.iter().zip(PLACES).all(|(t, at)| (t - start - at * length).abs() < OFF * length)
}

/// The last node of the step that begins at a node.
pub fn end_of_step(times: &[f64], first: usize) -> usize {
    first + if times.get(first..first + 5).is_some_and(is_quartic) { 4 } else { 2 }
}

/// The steps of nodes that begin with an end of one: of each its first node and its last.
pub fn steps(times: &[f64]) -> impl Iterator<Item = (usize, usize)> + use<'_> {
    let mut next = 0;
    std::iter::from_fn(move || {
        let first = next;
        next = end_of_step(times, first);
        (next < times.len()).then_some((first, next))
    })
}

/// The step that holds a time within nodes that begin with an end of one; the first or the last beyond them.
pub fn step_at(times: &[f64], t: f64) -> usize {
    let (mut low, mut high) = (0, times.len() / 2);
    while low + 1 < high {
        let middle = (low + high) / 2;
        if times[2 * middle] <= t {
            low = middle;
        } else {
            high = middle;
        }
    }
    // The later half of a step with three inner nodes has its start two nodes earlier.
    let halves = low > 0 && times.get(2 * low - 2..2 * low + 3).is_some_and(is_quartic);
    if halves { 2 * low - 2 } else { 2 * low }
}

/// Coefficients, from the lowest, of the quartic of a place from 0 to 1 through values at 0, [`PLACES`] and 1.
pub fn quartic([y0, y1, y2, y3, y4]: [f64; 5]) -> [f64; 5] {
    // About the middle even and odd powers are found apart.
    let a = 2.0 * PLACES[2] - 1.0;
    let part = |inner: f64, outer: f64| {
        let high = (inner / (a * a) - outer) / (a * a - 1.0);
        (outer - high, high)
    };
    let (second, fourth) = part(0.5 * (y1 + y3) - y2, 0.5 * (y0 + y4) - y2);
    let (first, third) = part(0.5 * (y3 - y1) * a, 0.5 * (y4 - y0));
    // With x = 2s − 1.
    let c1 = 2.0 * (first + 3.0 * third) - 4.0 * (second + 2.0 * fourth);
    let c2 = 4.0 * (second + 6.0 * fourth) - 12.0 * third;
    [y0, c1, c2, 8.0 * third - 32.0 * fourth, 16.0 * fourth]
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    proptest! {
        /// Any quartic goes through its own values at the nodes, and what stands still is that to the bit.
        #[test]
        fn goes_through_its_nodes(c in prop::array::uniform5(-5.0..5.0f64)) {
            let value = |s: f64| c.iter().rev().fold(0.0, |sum, c| sum * s + c);
            let [a, b, d] = PLACES.map(value);
            let found = quartic([c[0], a, b, d, value(1.0)]);
            prop_assert!(found.iter().zip(&c).all(|(found, c)| (found - c).abs() < 1e-11), "{found:?} for {c:?}");
            prop_assert_eq!(quartic([c[0]; 5]), [c[0], 0.0, 0.0, 0.0, 0.0]);
        }

        /// Steps of either kind, in any order, are told by their nodes, and found by any time within them, late in a long run too.
        #[test]
        fn steps_are_told_by_their_nodes(
            kinds in prop::collection::vec((any::<bool>(), -9.0..0.0f64), 1..40), from in prop_oneof![Just(0.0), 0.0..100.0f64], at in 0.01..0.99f64,
        ) {
            let (mut times, mut wanted) = (vec![from], Vec::new());
            for (quartic, size) in kinds {
                let (first, start, length) = (times.len() - 1, times[times.len() - 1], 10f64.powf(size));
                let places: &[f64] = if quartic { &PLACES } else { &[STAGE] };
                times.extend(places.iter().chain(&[1.0]).map(|place| start + place * length));
                wanted.push((first, first + places.len() + 1));
            }
            prop_assert_eq!(steps(&times).collect::<Vec<_>>(), wanted.clone());
            for (first, last) in wanted {
                let t = times[first] + at * (times[last] - times[first]);
                prop_assert_eq!(step_at(&times, t), first);
            }
            prop_assert_eq!(step_at(&times, from - 1.0), 0);
        }
    }
}
