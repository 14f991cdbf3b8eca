use quantity::Unit;
use std::fmt;

/// What is looked at of a net or part.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Hash, PartialOrd, Ord)]
pub enum Quantity {
    /// Voltage of a net to `gnd`, or of a part's first pin against its second.
    Voltage,
    /// Current into a part's first pin.
    Current,
    /// Power a part absorbs.
    Power,
}

impl Quantity {
    /// The unit.
    pub fn unit(self) -> Unit {
        match self {
            Quantity::Voltage => Unit::Volt,
            Quantity::Current => Unit::Ampere,
            Quantity::Power => Unit::Watt,
        }
    }

    /// The letter after the point in a signal's name.
    pub fn letter(self) -> char {
        match self {
            Quantity::Voltage => 'v',
            Quantity::Current => 'i',
            Quantity::Power => 'p',
        }
    }
}

/// One net's or part's quantity within a signal.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Term {
    /// Whether it is subtracted.
    pub negative: bool,
    /// The net or part.
    pub of: String,
    /// What of it.
    pub quantity: Quantity,
}

/// A sum or difference of quantities of one kind: `out.v`, `D1.i + D2.i`, `a.v - b.v`.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Signal {
    /// At least one term, all of one quantity.
    pub terms: Vec<Term>,
}

/// Longest sum of signals, bytes.
const LONGEST: usize = 2000;

/// A signal that could not be read.
#[derive(Clone, Debug, PartialEq, Eq, thiserror::Error)]
#[error("{message} (character {})", at + 1)]
pub struct SignalError {
    /// Offset in characters from 0.
    pub at: usize,
    /// What is wrong.
    pub message: String,
}

impl Signal {
    /// Reads a signal such as `bus.v` or `a.v - b.v`.
    ///
    /// # Errors
    /// [`SignalError`] pointing at the first character that does not fit.
    pub fn parse(text: &str) -> Result<Self, SignalError> {
        if text.len() > LONGEST {
            let message = format!("a sum of signals has {LONGEST} characters at most; shorten it");
            return Err(SignalError { at: LONGEST, message });
        }
        let chars: Vec<char> = text.chars().collect();
        let mut at = 0;
        let mut terms: Vec<Term> = Vec::new();
        let error = |at, message: &str| SignalError { at, message: message.to_owned() };
        loop {
            while chars.get(at).is_some_and(|c| c.is_whitespace()) {
                at += 1;
            }
            let mut negative = false;
            match chars.get(at) {
                None if terms.is_empty() => return Err(error(at, "a signal such as out.v is needed")),
                None => return Ok(Signal { terms }),
                Some('+' | '-' | '−') => {
                    negative = chars[at] != '+';
                    at += 1;
                    while chars.get(at).is_some_and(|c| c.is_whitespace()) {
                        at += 1;
                    }
                }
                Some(_) if !terms.is_empty() => return Err(error(at, "a + or - is needed between signals")),
                Some(_) => {}
            }
            let start = at;
            while chars.get(at).is_some_and(|c| c.is_alphanumeric() || *c == '_') {
                at += 1;
            }
            let of: String = chars[start..at].iter().collect();
            if of.is_empty() {
                return Err(error(at, "the name of a net or part is needed here"));
            }
            if chars.get(at) != Some(&'.') {
                return Err(error(at, "a point and v, i or p must follow the name, as in out.v"));
            }
            let quantity = match chars.get(at + 1) {
                Some('v') => Quantity::Voltage,
                Some('i') => Quantity::Current,
                Some('p') => Quantity::Power,
                _ => return Err(error(at + 1, "v for voltage, i for current or p for power is needed here")),
            };
            if terms.first().is_some_and(|first| first.quantity != quantity) {
                return Err(error(at + 1, "voltages, currents and powers cannot be added to each other"));
            }
            at += 2;
            terms.push(Term { negative, of, quantity });
        }
    }

    /// The quantity all terms share.
    pub fn quantity(&self) -> Quantity {
        self.terms.first().map_or(Quantity::Voltage, |t| t.quantity)
    }
}

/// The signals a formula is written with, each one quantity: `V1.v` and `V1.i` in `V1.v * -V1.i`.
pub fn signals_in(formula: &str) -> impl Iterator<Item = Signal> + use<'_> {
    let words = formula.split(|c: char| !c.is_alphanumeric() && c != '_' && c != '.');
    words.filter(|word| word.starts_with(|c: char| !c.is_numeric())).filter_map(|word| Signal::parse(word).ok())
}

/// A formula with another name for a net or part.
pub fn renamed_in(formula: &str, from: &str, to: &str) -> String {
    let belongs = |c: char| c.is_alphanumeric() || c == '_';
    let mut renamed = String::new();
    let mut rest = formula;
    while let Some(start) = rest.find(belongs) {
        let end = rest[start..].find(|c| !belongs(c)).map_or(rest.len(), |length| start + length);
        renamed.push_str(&rest[..start]);
        let named = &rest[start..end] == from && rest[end..].starts_with('.');
        renamed.push_str(if named { to } else { &rest[start..end] });
        rest = &rest[end..];
    }
    renamed + rest
}

impl fmt::Display for Signal {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        for (i, term) in self.terms.iter().enumerate() {
            let sign = match (i, term.negative) {
                (0, false) => "",
                (0, true) => "-",
                (_, false) => " + ",
                (_, true) => " - ",
            };
            write!(f, "{sign}{}.{}", term.of, term.quantity.letter())?;
        }
        Ok(())
    }
}
