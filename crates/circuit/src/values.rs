//! Design values: what the expressions of a document refer to.

use crate::document::{DesignValue, Part, Supply};
use crate::expression::{evaluate, is_name};
use crate::finding::{Findings, Place};
use crate::kinds::Form;
use quantity::Unit;
use std::cell::RefCell;
use std::collections::HashMap;

/// The design values of a supply that can be evaluated, by name, in SI base units.
pub fn design_values(supply: &Supply) -> HashMap<&str, f64> {
    settle_values(supply, &mut Findings::default())
}

/// Evaluates design values in whatever order their references need.
pub(crate) fn settle_values<'a>(supply: &'a Supply, findings: &mut Findings) -> HashMap<&'a str, f64> {
    let mut known: HashMap<&str, f64> = HashMap::new();
    findings.unique("design values", supply.values.iter().map(|v| (v.name.as_str(), Place::value(&v.name))));
    let mut waiting: Vec<_> = supply.values.iter().filter(|v| is_name(&v.name)).collect();
    for v in supply.values.iter().filter(|v| !is_name(&v.name)) {
        findings.error(
            "bad-name",
            Place::value(&v.name),
            format!("“{}” cannot name a design value", v.name),
            "Start with a letter and use letters, digits and _ only; pi and function names are taken",
        );
    }
    // A value that needs another waits for it by name, so that a chain costs one look per link.
    let mut parked: HashMap<String, Vec<&DesignValue>> = HashMap::new();
    let mut hopeless = Vec::new();
    while let Some(v) = waiting.pop() {
        let missing = RefCell::new(None);
        let lookup = |name: &str| {
            let value = known.get(name).copied();
            if value.is_none() && is_name(name) {
                missing.borrow_mut().get_or_insert_with(|| name.to_owned());
            }
            value
        };
        match (evaluate(&v.value, v.unit, &lookup), missing.into_inner()) {
            (Ok(value), _) => {
                known.insert(&v.name, value);
                waiting.extend(parked.remove(&v.name).unwrap_or_default());
            }
            (Err(_), Some(name)) => parked.entry(name).or_default().push(v),
            (Err(_), None) => hopeless.push(v),
        }
    }
    hopeless.extend(parked.into_values().flatten());
    let order = |v: &&DesignValue| supply.values.iter().position(|other| std::ptr::eq(other, *v));
    hopeless.sort_by_cached_key(order);
    for v in hopeless {
        let error = evaluate(&v.value, v.unit, &|name| known.get(name).copied()).err();
        findings.error(
            "unreadable-value",
            Place::value(&v.name),
            format!(
                "Design value {} cannot be evaluated: {}",
                v.name,
                error.map(|e| e.to_string()).unwrap_or_default()
            ),
            "Type a value such as 4k7, or an expression of other design values that does not lead back to this one",
        );
    }
    known
}

/// The number a text of a part means.
pub fn number_in(supply: &Supply, text: &str, unit: Unit) -> Option<f64> {
    let values = design_values(supply);
    evaluate(text, unit, &|name| values.get(name).copied()).ok()
}

/// A quantity among a part's parameters as the supply's design values make it, or its kind's default, in the
/// parameter's SI unit; none if there is no such quantity or it cannot be evaluated.
pub fn parameter_in(supply: &Supply, part: &Part, parameter: &str) -> Option<f64> {
    let kind = part.kind.kind();
    let Form::Quantity { unit, default, .. } = &kind.parameters[kind.parameter(parameter)?].form else { return None };
    number_in(supply, part.parameters.get(parameter).map_or(*default, String::as_str), *unit)
}
