//! Arithmetic over design values.
//!
//! Numbers are written as in value fields without unit (`4k7`, `100n`, `1e-3`); operators are
//! `+ - * / ^` with the usual precedence, `^` binding to the right; functions are `sqrt`,
//! `abs`, `exp`, `ln`, `min`, `max`; `pi` is known. Names start with a letter.

use quantity::{Unit, parse, scan_number};

/// An expression that could not be evaluated, and the character where the trouble lies.
#[derive(Clone, Debug, PartialEq, Eq, thiserror::Error)]
#[error("{message} (character {})", at + 1)]
pub struct ExpressionError {
    /// Offset in characters from 0.
    pub at: usize,
    /// What is wrong there.
    pub message: String,
}

/// Deepest nesting of parentheses and operators accepted.
const MAX_DEPTH: usize = 64;

/// What an expression is worked out with: plain numbers, or numbers with units.
pub trait Operand: Clone {
    /// Whether a name may have points in it, as signals have.
    const POINTS: bool = false;
    /// A number as it is written.
    fn number(value: f64) -> Self;
    /// One of `+ - * / ^` applied to two operands.
    ///
    /// # Errors
    /// What is wrong, in words.
    fn operate(self, operator: char, other: Self) -> Result<Self, String>;
    /// How many operands a function takes; none if there is no such function.
    fn takes(name: &str) -> Option<usize> {
        match name {
            "sqrt" | "abs" | "exp" | "ln" => Some(1),
            "min" | "max" => Some(2),
            _ => None,
        }
    }
    /// A function applied to as many operands as it takes.
    ///
    /// # Errors
    /// What is wrong, in words.
    fn function(name: &str, first: Self, second: Option<Self>) -> Result<Self, String>;
}

impl Operand for f64 {
    fn number(value: f64) -> Self {
        value
    }
    fn operate(self, operator: char, other: Self) -> Result<Self, String> {
        Ok(match operator {
            '+' => self + other,
            '-' => self - other,
            '*' => self * other,
            '/' => self / other,
            _ => self.powf(other),
        })
    }
    fn function(name: &str, first: Self, second: Option<Self>) -> Result<Self, String> {
        Ok(match (name, second) {
            ("sqrt", _) => first.sqrt(),
            ("abs", _) => first.abs(),
            ("exp", _) => first.exp(),
            ("ln", _) => first.ln(),
            ("min", Some(second)) => first.min(second),
            (_, Some(second)) => first.max(second),
            _ => f64::NAN,
        })
    }
}

/// Evaluates a value or expression; `lookup` supplies the design values.
///
/// A text that reads as one plain value is taken as such in `unit`; everything else is an
/// expression in base units.
///
/// # Errors
/// [`ExpressionError`] for text that cannot be read, unknown names, and results that are not
/// finite.
pub fn evaluate(text: &str, unit: Unit, lookup: &dyn Fn(&str) -> Option<f64>) -> Result<f64, ExpressionError> {
    let plain = match parse(text, unit) {
        Ok(value) if lookup(text.trim()).is_none() => return Ok(value),
        Ok(value) => Ok(value),
        Err(error) => Err(error),
    };
    let looks_like_expression = text.trim_start().starts_with(|c: char| c.is_alphabetic() || c == '(')
        || text.trim_start().char_indices().any(|(i, c)| i > 0 && "+*/^(".contains(c))
        || text.contains(" - ");
    if let (Err(error), false) = (&plain, looks_like_expression) {
        return Err(ExpressionError { at: error.at, message: error.kind.to_string() });
    }
    let value = work_out(text, &|name| lookup(name).ok_or_else(|| format!("there is no design value named {name}")))?;
    if value.is_finite() {
        Ok(value)
    } else {
        Err(ExpressionError { at: 0, message: "the result is infinite or not a number".into() })
    }
}

/// Works an expression out; `lookup` supplies what names stand for, or says why it cannot.
///
/// # Errors
/// [`ExpressionError`] for text that cannot be read, names without meaning, and what operands do not allow.
pub fn work_out<T: Operand>(text: &str, lookup: &dyn Fn(&str) -> Result<T, String>) -> Result<T, ExpressionError> {
    let chars: Vec<char> = text.chars().collect();
    let mut parser = Parser { chars: &chars, at: 0, depth: 0, lookup };
    let value = parser.sum()?;
    parser.space();
    if parser.at < chars.len() {
        return Err(parser.error("an operator such as + or * is needed here"));
    }
    Ok(value)
}

/// The names in an expression.
pub fn names_in(text: &str) -> impl Iterator<Item = &str> {
    let words = text.split(|c: char| !c.is_ascii_alphanumeric() && c != '_');
    words.filter(|word| word.starts_with(|c: char| c.is_ascii_alphabetic()))
}

/// Whether `name` can name a design value.
pub fn is_name(name: &str) -> bool {
    let mut chars = name.chars();
    chars.next().is_some_and(|c| c.is_ascii_alphabetic())
        && chars.all(|c| c.is_ascii_alphanumeric() || c == '_')
        && !matches!(name, "pi" | "sqrt" | "abs" | "exp" | "ln" | "min" | "max")
}

struct Parser<'a, T> {
    chars: &'a [char],
    at: usize,
    depth: usize,
    lookup: &'a dyn Fn(&str) -> Result<T, String>,
}

type Evaluated<T> = Result<T, ExpressionError>;

impl<T: Operand> Parser<'_, T> {
    fn error(&self, message: impl Into<String>) -> ExpressionError {
        ExpressionError { at: self.at, message: message.into() }
    }

    fn space(&mut self) {
        while self.chars.get(self.at).is_some_and(|c| c.is_whitespace()) {
            self.at += 1;
        }
    }

    fn take(&mut self, c: char) -> bool {
        self.space();
        let found = self.chars.get(self.at) == Some(&c);
        if found {
            self.at += 1;
        }
        found
    }

    fn nested(&mut self, inner: fn(&mut Self) -> Evaluated<T>) -> Evaluated<T> {
        self.depth += 1;
        if self.depth > MAX_DEPTH {
            return Err(self.error("the expression is nested too deeply"));
        }
        let value = inner(self);
        self.depth -= 1;
        value
    }

    fn applied(&self, at: usize, result: Result<T, String>) -> Evaluated<T> {
        result.map_err(|message| ExpressionError { at, message })
    }

    fn sum(&mut self) -> Evaluated<T> {
        self.chain(['+', '-'], Self::product)
    }

    fn product(&mut self) -> Evaluated<T> {
        self.chain(['*', '/'], Self::signed)
    }

    fn chain(&mut self, operators: [char; 2], operand: fn(&mut Self) -> Evaluated<T>) -> Evaluated<T> {
        let mut value = operand(self)?;
        while let Some(operator) = operators.into_iter().find(|o| self.take(*o)) {
            let at = self.at - 1;
            let other = operand(self)?;
            value = self.applied(at, value.operate(operator, other))?;
        }
        Ok(value)
    }

    fn signed(&mut self) -> Evaluated<T> {
        if self.take('-') {
            let at = self.at - 1;
            let value = self.nested(Self::signed)?;
            return self.applied(at, T::number(-1.0).operate('*', value));
        }
        let base = self.atom()?;
        if self.take('^') {
            let at = self.at - 1;
            let power = self.nested(Self::signed)?;
            return self.applied(at, base.operate('^', power));
        }
        Ok(base)
    }

    fn atom(&mut self) -> Evaluated<T> {
        if self.take('(') {
            let value = self.nested(Self::sum)?;
            return if self.take(')') { Ok(value) } else { Err(self.error("a closing parenthesis is missing here")) };
        }
        self.space();
        match self.chars.get(self.at) {
            Some(c) if c.is_ascii_digit() || *c == '.' => {
                let (value, taken) = scan_number(&self.number())
                    .map_err(|e| ExpressionError { at: self.at + e.at, message: e.kind.to_string() })?;
                self.at += taken;
                Ok(T::number(value))
            }
            Some(c) if c.is_ascii_alphabetic() => self.name_or_call(),
            Some(_) => Err(self.error("a number, a name or a parenthesis is needed here")),
            None => Err(self.error("the expression ends too early")),
        }
    }

    /// The characters from here on that can belong to a number; copying all that is left would cost the
    /// square of a long expression's length.
    fn number(&self) -> String {
        let mut before = ' ';
        let belongs = |c: &&char| {
            let sign_of_exponent = matches!(**c, '+' | '-') && matches!(before, 'e' | 'E');
            before = **c;
            sign_of_exponent || !matches!(**c, '+' | '-' | '*' | '/' | '^' | '(' | ')' | ',' | ' ')
        };
        self.chars[self.at..].iter().take_while(belongs).collect()
    }

    fn name_or_call(&mut self) -> Evaluated<T> {
        let start = self.at;
        let belongs = |c: &char| c.is_ascii_alphanumeric() || *c == '_' || (T::POINTS && *c == '.');
        while self.chars.get(self.at).is_some_and(belongs) {
            self.at += 1;
        }
        let name: String = self.chars[start..self.at].iter().collect();
        if !self.take('(') {
            let known = if name == "pi" { Ok(T::number(std::f64::consts::PI)) } else { (self.lookup)(&name) };
            return self.applied(start, known);
        }
        let first = self.nested(Self::sum)?;
        let second = match T::takes(&name) {
            Some(1) => None,
            Some(_) => {
                if !self.take(',') {
                    return Err(self.error(format!("{name} takes two values, with a comma between")));
                }
                Some(self.nested(Self::sum)?)
            }
            None => {
                let message = format!("there is no function named {name}; known are sqrt, abs, exp, ln, min, max");
                return Err(ExpressionError { at: start, message });
            }
        };
        let value = self.applied(start, T::function(&name, first, second))?;
        if self.take(')') { Ok(value) } else { Err(self.error("a closing parenthesis is missing here")) }
    }
}
