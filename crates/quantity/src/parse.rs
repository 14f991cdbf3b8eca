use crate::Unit;

/// A value that could not be read, and the character where reading stopped.
#[derive(Clone, Debug, PartialEq, thiserror::Error)]
#[error("{kind} (character {})", at + 1)]
pub struct ParseError {
    /// Offset of the offending character, counted in characters from 0.
    pub at: usize,
    /// What was wrong there.
    pub kind: ParseErrorKind,
}

/// Why a value could not be read.
#[derive(Clone, Debug, PartialEq, Eq, thiserror::Error)]
pub enum ParseErrorKind {
    /// Nothing but white space.
    #[error("no value given; type a number such as 4k7, 4.7k or 4.7e3")]
    Empty,
    /// A digit was needed.
    #[error("a digit is needed here; type a number such as 4k7, 4.7k or 4.7e3")]
    Digit,
    /// A decimal comma.
    #[error("use a point as the decimal mark")]
    Comma,
    /// Something that is neither prefix nor unit.
    #[error("“{found}” is not understood here; accepted are f p n µ m k M G T{}", unit_hint(*.unit))]
    Unexpected {
        /// The characters found.
        found: String,
        /// The unit the value should have.
        unit: Unit,
    },
    /// A unit of another quantity.
    #[error("{} is asked for here, but “{found}” is {}", .wanted.quantity(), .given.quantity())]
    WrongUnit {
        /// The unit as typed.
        found: String,
        /// The unit typed.
        given: Unit,
        /// The unit the value should have.
        wanted: Unit,
    },
    /// The value is infinite or not a number.
    #[error("the value is too large or not a number")]
    NotFinite,
}

fn unit_hint(unit: Unit) -> String {
    match unit.symbol() {
        "" => String::new(),
        symbol => format!(" and the unit {symbol}"),
    }
}

fn prefix_exponent(c: char) -> Option<i32> {
    Some(match c {
        'f' => -15,
        'p' => -12,
        'n' => -9,
        'u' | 'µ' | 'μ' => -6,
        'm' => -3,
        'k' | 'K' => 3,
        'M' => 6,
        'G' => 9,
        'T' => 12,
        _ => return None,
    })
}

/// Reads an engineering value in the given unit; the unit itself may be left out.
///
/// Accepts a sign, decimal point, exponent, SI prefix, and the letter code of IEC 60062 in
/// which the prefix or unit letter marks the decimal point (`4k7`, `2m2`, `R47`, `5V1`).
///
/// # Errors
/// [`ParseError`] with the position of the first character that could not be read. Infinite
/// and not-a-number values are refused.
pub fn parse(text: &str, unit: Unit) -> Result<f64, ParseError> {
    let chars: Vec<char> = text.chars().collect();
    let end = chars.iter().rposition(|c| !c.is_whitespace()).map_or(0, |i| i + 1);
    let mut at = chars.iter().position(|c| !c.is_whitespace()).unwrap_or(chars.len());
    if at >= end {
        return Err(ParseError { at: 0, kind: ParseErrorKind::Empty });
    }
    let mut sign = "";
    if matches!(chars[at], '-' | '+' | '−') {
        if chars[at] != '+' {
            sign = "-";
        }
        at += 1;
    }
    let chars = &chars[..end];
    let (digits, exponent, next) = mantissa(chars, at, unit)?;
    at = skip_space(chars, next);
    let mut exponent = exponent;
    let mut rest: String = chars[at..].iter().collect();
    if !rest.is_empty() {
        // A prefix is only a prefix if what follows it is a unit or the end: "m" alone is milli.
        let whole_is_unit = unit.spellings().contains(&rest.as_str());
        if let (false, Some(e)) =
            (whole_is_unit, exponent.prefix.is_none().then(|| prefix_exponent(chars[at])).flatten())
            && (unit.takes_prefix() || rest.chars().count() == 1)
            && !(rest.chars().count() > 1 && other_unit(&rest, unit).is_some())
        {
            exponent.prefix = Some(e);
            at = skip_space(chars, at + 1);
            rest = chars[at..].iter().collect();
        }
        if !rest.is_empty() && !unit.spellings().contains(&rest.as_str()) {
            let kind = match other_unit(&rest, unit) {
                Some(given) => ParseErrorKind::WrongUnit { found: rest, given, wanted: unit },
                None if rest.starts_with(',') => ParseErrorKind::Comma,
                None => ParseErrorKind::Unexpected { found: rest, unit },
            };
            return Err(ParseError { at, kind });
        }
        if rest == "%" {
            exponent.prefix = Some(exponent.prefix.unwrap_or(0) - 2);
        }
    }
    finish(sign, &digits, &exponent).ok_or(ParseError { at: 0, kind: ParseErrorKind::NotFinite })
}

/// Reads an unsigned number with optional prefix or letter code from the start of `text`, as
/// used inside expressions; returns the value and the count of characters taken.
///
/// # Errors
/// [`ParseError`] if `text` does not start with a digit or point, or the value is not finite.
pub fn scan_number(text: &str) -> Result<(f64, usize), ParseError> {
    let chars: Vec<char> = text.chars().collect();
    let (digits, mut exponent, mut at) = mantissa(&chars, 0, Unit::One)?;
    if exponent.prefix.is_none()
        && let Some(e) = chars.get(at).copied().and_then(prefix_exponent)
        && !chars.get(at + 1).is_some_and(|c| c.is_alphanumeric() || *c == '_')
    {
        exponent.prefix = Some(e);
        at += 1;
    }
    let value = finish("", &digits, &exponent).ok_or(ParseError { at: 0, kind: ParseErrorKind::NotFinite })?;
    Ok((value, at))
}

/// A decimal exponent put together from a written exponent and a prefix.
struct Exponent {
    written: String,
    prefix: Option<i32>,
}

/// Reads digits with a point, a written exponent, or a letter in the place of the point.
fn mantissa(chars: &[char], start: usize, unit: Unit) -> Result<(String, Exponent, usize), ParseError> {
    let mut digits = String::new();
    let mut at = start;
    let mut exponent = Exponent { written: String::new(), prefix: None };
    let digit = |i: usize| chars.get(i).filter(|c| c.is_ascii_digit()).copied();
    let letter = |i: usize| -> Option<Option<i32>> {
        let c = *chars.get(i)?;
        digit(i + 1)?;
        if unit.point_letter() == Some(c) || (unit == Unit::One && c == 'R') {
            return Some(None);
        }
        prefix_exponent(c).map(Some)
    };
    while let Some(c) = digit(at) {
        digits.push(c);
        at += 1;
    }
    match chars.get(at) {
        Some('.') => {
            digits.push('.');
            at += 1;
            while let Some(c) = digit(at) {
                digits.push(c);
                at += 1;
            }
        }
        // A comma before a digit was meant as a point; any other one ends the number.
        Some(',') if digit(at + 1).is_some() => return Err(ParseError { at, kind: ParseErrorKind::Comma }),
        Some(_) => {
            if let Some(prefix) = letter(at) {
                exponent.prefix = prefix.or(Some(0));
                digits.push('.');
                at += 1;
                while let Some(c) = digit(at) {
                    digits.push(c);
                    at += 1;
                }
            }
        }
        None => {}
    }
    if !digits.contains(|c: char| c.is_ascii_digit()) {
        return Err(ParseError { at, kind: ParseErrorKind::Digit });
    }
    if exponent.prefix.is_none() && matches!(chars.get(at), Some('e' | 'E')) {
        let mut next = at + 1;
        let mut written = String::new();
        if let Some(c) = chars.get(next).filter(|c| matches!(c, '+' | '-')) {
            written.push(*c);
            next += 1;
        }
        let signed = written.len();
        while let Some(c) = digit(next) {
            written.push(c);
            next += 1;
        }
        if written.len() == signed {
            return Err(ParseError { at: next, kind: ParseErrorKind::Digit });
        }
        exponent.written = written;
        at = next;
    }
    Ok((digits, exponent, at))
}

fn finish(sign: &str, digits: &str, exponent: &Exponent) -> Option<f64> {
    // The decimal text is handed to the standard library whole, so rounding happens once.
    let written: i64 = match exponent.written.as_str() {
        "" => 0,
        text => text.parse().ok()?,
    };
    let total = written.checked_add(i64::from(exponent.prefix.unwrap_or(0)))?;
    let value: f64 = format!("{sign}{digits}e{total}").parse().ok()?;
    value.is_finite().then_some(value)
}

fn skip_space(chars: &[char], mut at: usize) -> usize {
    while chars.get(at).is_some_and(|c| c.is_whitespace()) {
        at += 1;
    }
    at
}

/// The unit of another quantity that `text` spells, with or without a prefix.
fn other_unit(text: &str, wanted: Unit) -> Option<Unit> {
    let spelt = |text: &str| Unit::ALL.into_iter().find(|u| *u != wanted && u.spellings().contains(&text));
    spelt(text).or_else(|| {
        let mut chars = text.chars();
        prefix_exponent(chars.next()?)?;
        let rest = chars.as_str().trim_start();
        if wanted.spellings().contains(&rest) { None } else { spelt(rest) }
    })
}
