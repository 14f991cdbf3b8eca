use crate::Unit;

const PREFIXES: [(i32, &str); 10] =
    [(-15, "f"), (-12, "p"), (-9, "n"), (-6, "µ"), (-3, "m"), (0, ""), (3, "k"), (6, "M"), (9, "G"), (12, "T")];

/// Prints a value for people: `significant` digits (at least 1), SI prefix, thin space, unit.
///
/// Trailing zeros are dropped, so `4.700` prints as `4.7`. Values outside femto to tera are
/// printed with an exponent; NaN and infinities print as “–”.
pub fn show(value: f64, unit: Unit, significant: usize) -> String {
    if !value.is_finite() {
        return "–".to_owned();
    }
    let space = if unit == Unit::Degree { "" } else { "\u{2009}" };
    if value == 0.0 {
        return join("0", space, "", unit);
    }
    let value = if unit == Unit::Share { 100.0 * value } else { value };
    let text = format!("{:.*e}", significant.max(1) - 1, value.abs());
    let (digits, exponent) = split(&text);
    // A ratio such as a power factor reads as 0.98, not as 980 m.
    let plain = matches!(unit, Unit::One | Unit::Share) && (-4..6).contains(&exponent);
    let group = if plain { 0 } else { group_of(exponent, unit) };
    let sign = if value < 0.0 { "−" } else { "" };
    // Per cent take no prefix.
    let prefixed = PREFIXES.iter().find(|(e, _)| *e == group && (plain || unit != Unit::Share));
    match prefixed {
        Some((_, prefix)) => {
            let number = format!("{sign}{}", place_point(&digits, exponent - group));
            join(&number, space, prefix, unit)
        }
        None => {
            let number = format!("{sign}{}e{exponent}", place_point(&digits, 0));
            join(&number, space, "", unit)
        }
    }
}

/// Prints a value for a value field: ASCII, no unit, every digit needed to read it back exactly.
pub fn entry(value: f64) -> String {
    if !value.is_finite() || value == 0.0 {
        return "0".to_owned();
    }
    let (digits, exponent) = split(&format!("{:e}", value.abs()));
    let group = group_of(exponent, Unit::One);
    let sign = if value < 0.0 { "-" } else { "" };
    match PREFIXES.iter().find(|(e, _)| *e == group) {
        Some((_, prefix)) => {
            let prefix = if *prefix == "µ" { "u" } else { prefix };
            format!("{sign}{}{prefix}", place_point(&digits, exponent - group))
        }
        None => format!("{sign}{}e{exponent}", place_point(&digits, 0)),
    }
}

fn join(number: &str, space: &str, prefix: &str, unit: Unit) -> String {
    match (prefix, unit.symbol()) {
        ("", "") => number.to_owned(),
        (prefix, symbol) => format!("{number}{space}{prefix}{symbol}"),
    }
}

/// Digits without point or trailing zeros, and the exponent of the first one.
fn split(scientific: &str) -> (String, i32) {
    let (mantissa, exponent) = scientific.split_once('e').unwrap_or((scientific, "0"));
    let digits: String = mantissa.chars().filter(char::is_ascii_digit).collect();
    let trimmed = digits.trim_end_matches('0');
    (if trimmed.is_empty() { "0".to_owned() } else { trimmed.to_owned() }, exponent.parse().unwrap_or(0))
}

fn group_of(exponent: i32, unit: Unit) -> i32 {
    if unit.takes_prefix() { exponent.div_euclid(3) * 3 } else { 0 }
}

/// Writes `digits` with the point after `1 + shift` of them.
fn place_point(digits: &str, shift: i32) -> String {
    let before = 1 + shift;
    if before <= 0 {
        return format!("0.{}{digits}", "0".repeat(usize::try_from(-before).unwrap_or(0)));
    }
    let before = usize::try_from(before).unwrap_or(1);
    if digits.len() <= before {
        format!("{digits}{}", "0".repeat(before - digits.len()))
    } else {
        format!("{}.{}", &digits[..before], &digits[before..])
    }
}
