//! Numbers with units, for arithmetic among readings.

use crate::expression::Operand;
use quantity::Unit;

/// Exponents of volt, ampere, second, kelvin and metre, each doubled so that roots are whole too.
type Exponents = [i8; 5];

/// A number with its unit as powers of base units.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct Dimensioned {
    /// The number, in SI base units.
    pub value: f64,
    exponents: Exponents,
}

/// Units a reading or a formula of readings can have, in the order in which a result is named.
const NAMED: [(Unit, Exponents); 24] = [
    (Unit::One, [0, 0, 0, 0, 0]),
    (Unit::Volt, [2, 0, 0, 0, 0]),
    (Unit::Ampere, [0, 2, 0, 0, 0]),
    (Unit::Second, [0, 0, 2, 0, 0]),
    (Unit::Hertz, [0, 0, -2, 0, 0]),
    (Unit::Watt, [2, 2, 0, 0, 0]),
    (Unit::Ohm, [2, -2, 0, 0, 0]),
    (Unit::Siemens, [-2, 2, 0, 0, 0]),
    (Unit::Farad, [-2, 2, 2, 0, 0]),
    (Unit::Henry, [2, -2, 2, 0, 0]),
    (Unit::Joule, [2, 2, 2, 0, 0]),
    (Unit::Coulomb, [0, 2, 2, 0, 0]),
    (Unit::VoltSecond, [2, 0, 2, 0, 0]),
    (Unit::VoltPerSecond, [2, 0, -2, 0, 0]),
    (Unit::AmperePerSecond, [0, 2, -2, 0, 0]),
    (Unit::WattPerSecond, [2, 2, -2, 0, 0]),
    (Unit::Kelvin, [0, 0, 0, 2, 0]),
    (Unit::PerKelvin, [0, 0, 0, -2, 0]),
    (Unit::KelvinPerWatt, [-2, -2, 0, 2, 0]),
    (Unit::JoulePerKelvin, [2, 2, 2, -2, 0]),
    (Unit::Metre, [0, 0, 0, 0, 2]),
    (Unit::SquareMetre, [0, 0, 0, 0, 4]),
    (Unit::AmperePerMetre, [0, 2, 0, 0, -2]),
    (Unit::Tesla, [2, 0, 2, 0, -4]),
];

impl Dimensioned {
    /// A value in a unit.
    pub fn new(value: f64, unit: Unit) -> Self {
        // Apparent and real power are of one kind, and so are angles, shares and plain numbers.
        let unit = match unit {
            Unit::VoltAmpere => Unit::Watt,
            Unit::Share => Unit::One,
            unit => unit,
        };
        let exponents = NAMED.iter().find(|(u, _)| *u == unit).map_or([0; 5], |(_, e)| *e);
        Dimensioned { value, exponents }
    }

    /// The unit, if it has a name.
    pub fn unit(self) -> Option<Unit> {
        NAMED.iter().find(|(_, e)| *e == self.exponents).map(|(unit, _)| *unit)
    }

    /// The unit in words, whether it has a name or not: `V`, `V²·s⁻¹` written as `V^2 s^-1`.
    pub fn symbol(self) -> String {
        if let Some(unit) = self.unit() {
            return if unit == Unit::One { "a plain number".to_owned() } else { unit.symbol().to_owned() };
        }
        let powers = self.exponents.iter().zip(["V", "A", "s", "K", "m"]).filter(|(e, _)| **e != 0);
        let written = powers.map(|(e, name)| match f64::from(*e) / 2.0 {
            1.0 => name.to_owned(),
            power => format!("{name}^{power}"),
        });
        written.collect::<Vec<_>>().join(" ")
    }

    fn combined(self, other: Self, value: f64, by: fn(i8, i8) -> Option<i8>) -> Result<Self, String> {
        let mut exponents = self.exponents;
        for (e, o) in exponents.iter_mut().zip(other.exponents) {
            *e = by(*e, o).ok_or("the unit's powers are too high")?;
        }
        Ok(Dimensioned { value, exponents })
    }

    fn alike(self, other: Self, what: &str, value: f64) -> Result<Self, String> {
        if self.exponents == other.exponents {
            Ok(Dimensioned { value, ..self })
        } else {
            Err(format!("{} and {} cannot be {what}", self.symbol(), other.symbol()))
        }
    }

    fn plain(self, what: &str, value: f64) -> Result<Self, String> {
        if self.exponents == [0; 5] {
            Ok(Dimensioned { value, ..self })
        } else {
            Err(format!("{what} takes a plain number, not {}", self.symbol()))
        }
    }
}

impl Operand for Dimensioned {
    fn number(value: f64) -> Self {
        Dimensioned { value, exponents: [0; 5] }
    }

    fn operate(self, operator: char, other: Self) -> Result<Self, String> {
        let value = self.value.operate(operator, other.value)?;
        match operator {
            '+' => self.alike(other, "added", value),
            '-' => self.alike(other, "subtracted", value),
            '*' => self.combined(other, value, i8::checked_add),
            '/' => self.combined(other, value, i8::checked_sub),
            _ => {
                let power = other.plain("an exponent", other.value)?.value;
                let raised = self.exponents.map(|e| f64::from(e) * power);
                if raised.iter().any(|e| e.fract() != 0.0 || e.abs() > 100.0) {
                    return Err(format!("{} cannot be raised to the power {power}", self.symbol()));
                }
                Ok(Dimensioned { value, exponents: raised.map(|e| e as i8) })
            }
        }
    }

    fn function(name: &str, first: Self, second: Option<Self>) -> Result<Self, String> {
        let value = f64::function(name, first.value, second.map(|s| s.value))?;
        match (name, second) {
            ("sqrt", _) => Ok(Dimensioned { value, ..first.operate('^', Self::number(0.5))? }),
            ("abs", _) => Ok(Dimensioned { value, ..first }),
            (_, Some(second)) => first.alike(second, "compared", value),
            _ => first.plain(name, value),
        }
    }
}
