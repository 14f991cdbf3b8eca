//! Pairs of numbers in a text: points of a source, or of a mask.

use crate::finding::{Findings, Place};
use crate::scope::Scope;
use quantity::Unit;

/// Reads pairs that ascend in their first value: `0 0, 1m 5`; none, with a finding, if that fails. What is read is checked to
/// be within a wide range only.
pub(crate) fn points(
    text: &str,
    (x, y): (Unit, Unit),
    what: &str,
    scope: &Scope<'_>,
    place: &Place,
    findings: &mut Findings,
) -> Option<Vec<(f64, f64)>> {
    let mut found = Vec::new();
    for pair in text.split(',').filter(|_| !text.trim().is_empty()) {
        let mut halves = pair.split_whitespace();
        let (Some(first), Some(second), None) = (halves.next(), halves.next(), halves.next()) else {
            findings.error(
                "unreadable-value",
                place.clone(),
                format!("{what}: “{}” is not a pair", pair.trim()),
                "Give two values separated by a space, and commas between pairs, such as 0 0, 1m 5",
            );
            return None;
        };
        let mut number = |text, unit| scope.number(text, unit, (-1e12, 1e12), what, place.clone(), findings);
        found.push((number(first, x), number(second, y)));
    }
    if found.windows(2).any(|pair| pair[0].0 >= pair[1].0) {
        findings.error(
            "out-of-range",
            place.clone(),
            format!("{what} do not ascend"),
            "Order the pairs by their first value, each later than the one before",
        );
    }
    Some(found)
}
