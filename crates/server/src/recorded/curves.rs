//! Curves over frequency as a table.

use formats::{Column, Table};
use recording::Complex64;
use studies::Curves;

/// Real and imaginary parts of formulas of curves, over frequency.
pub(crate) fn in_columns(curves: &Curves, formulas: &[String]) -> Result<Table, String> {
    let mut columns = Vec::with_capacity(2 * formulas.len());
    for formula in formulas {
        let (values, unit) = (curves.formula(formula)?, curves.unit(formula)?.symbol());
        let part = |name: &str, of: fn(&Complex64) -> f64| Column {
            name: format!("{name} of {formula}"),
            unit: unit.to_owned(),
            values: values.iter().map(of).collect(),
        };
        columns.extend([part("real part", |z| z.re), part("imaginary part", |z| z.im)]);
    }
    Ok(Table { times: curves.frequencies.clone(), columns })
}
