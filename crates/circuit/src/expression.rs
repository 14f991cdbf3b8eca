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
    let chars: Vec<char> = text.chars().collect();
    let mut parser = Parser { chars: &chars, at: 0, depth: 0, lookup };
    let value = parser.sum()?;
    parser.space();
    if parser.at < chars.len() {
        return Err(parser.error("an operator such as + or * is needed here"));
    }
    if value.is_finite() {
        Ok(value)
    } else {
        Err(ExpressionError { at: 0, message: "the result is infinite or not a number".into() })
    }
}

/// Whether `name` can name a design value.
pub fn is_name(name: &str) -> bool {
    let mut chars = name.chars();
    chars.next().is_some_and(|c| c.is_ascii_alphabetic())
        && chars.all(|c| c.is_ascii_alphanumeric() || c == '_')
        && !matches!(name, "pi" | "sqrt" | "abs" | "exp" | "ln" | "min" | "max")
}

struct Parser<'a> {
    chars: &'a [char],
    at: usize,
    depth: usize,
    lookup: &'a dyn Fn(&str) -> Option<f64>,
}

type Evaluated = Result<f64, ExpressionError>;

impl Parser<'_> {
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

    fn nested(&mut self, inner: fn(&mut Self) -> Evaluated) -> Evaluated {
        self.depth += 1;
        if self.depth > MAX_DEPTH {
            return Err(self.error("the expression is nested too deeply"));
        }
        let value = inner(self);
        self.depth -= 1;
        value
    }

    fn sum(&mut self) -> Evaluated {
        let mut value = self.product()?;
        loop {
            if self.take('+') {
                value += self.product()?;
            } else if self.take('-') {
                value -= self.product()?;
            } else {
                return Ok(value);
            }
        }
    }

    fn product(&mut self) -> Evaluated {
        let mut value = self.signed()?;
        loop {
            if self.take('*') {
                value *= self.signed()?;
            } else if self.take('/') {
                value /= self.signed()?;
            } else {
                return Ok(value);
            }
        }
    }

    fn signed(&mut self) -> Evaluated {
        if self.take('-') {
            return Ok(-self.nested(Self::signed)?);
        }
        let base = self.atom()?;
        if self.take('^') { Ok(base.powf(self.nested(Self::signed)?)) } else { Ok(base) }
    }

    fn atom(&mut self) -> Evaluated {
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
                Ok(value)
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

    fn name_or_call(&mut self) -> Evaluated {
        let start = self.at;
        while self.chars.get(self.at).is_some_and(|c| c.is_ascii_alphanumeric() || *c == '_') {
            self.at += 1;
        }
        let name: String = self.chars[start..self.at].iter().collect();
        if !self.take('(') {
            return if name == "pi" {
                Ok(std::f64::consts::PI)
            } else {
                (self.lookup)(&name).ok_or_else(|| ExpressionError {
                    at: start,
                    message: format!("there is no design value named {name}"),
                })
            };
        }
        let first = self.nested(Self::sum)?;
        let value = match name.as_str() {
            "sqrt" => first.sqrt(),
            "abs" => first.abs(),
            "exp" => first.exp(),
            "ln" => first.ln(),
            "min" | "max" => {
                if !self.take(',') {
                    return Err(self.error(format!("{name} takes two values, with a comma between")));
                }
                let second = self.nested(Self::sum)?;
                if name == "min" { first.min(second) } else { first.max(second) }
            }
            _ => {
                let message = format!("there is no function named {name}; known are sqrt, abs, exp, ln, min, max");
                return Err(ExpressionError { at: start, message });
            }
        };
        if self.take(')') { Ok(value) } else { Err(self.error("a closing parenthesis is missing here")) }
    }
}
