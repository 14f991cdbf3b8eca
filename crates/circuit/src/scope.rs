use crate::expression::evaluate;
use crate::finding::{Findings, Place};
use quantity::{Unit, show};

/// What names in expressions stand for.
pub(crate) struct Scope<'a> {
    pub(crate) lookup: &'a dyn Fn(&str) -> Option<f64>,
}

impl Scope<'_> {
    /// Evaluates `text` and holds it to a range; a finding and NaN if that fails.
    pub(crate) fn number(
        &self,
        text: &str,
        unit: Unit,
        (min, max): (f64, f64),
        what: &str,
        place: Place,
        findings: &mut Findings,
    ) -> f64 {
        match evaluate(text, unit, self.lookup) {
            Ok(value) if (min..=max).contains(&value) => value,
            Ok(value) => {
                let (value, min, max) = (show(value, unit, 6), show(min, unit, 6), show(max, unit, 6));
                findings.error(
                    "out-of-range",
                    place,
                    format!("{what} is {value}, outside its range"),
                    format!("Give a value from {min} to {max}"),
                );
                f64::NAN
            }
            Err(error) => {
                findings.error(
                    "unreadable-value",
                    place,
                    format!("{what} “{text}” cannot be read: {error}"),
                    "Type a value such as 4k7, 4.7k or 100n, or an expression of design values",
                );
                f64::NAN
            }
        }
    }
}
