//! Preferred values of IEC 60063.
//!
//! E3 to E24 are the rounded-by-convention two-digit tables of the standard. E48 to E192 are
//! `10^(i/n)` to three digits, with the standard's one exception, 9.20 in E192.

use serde::{Deserialize, Serialize};

/// A series of preferred values.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Hash, Serialize, Deserialize)]
#[allow(missing_docs)]
pub enum Series {
    E3,
    E6,
    E12,
    E24,
    E48,
    E96,
    E192,
}

const E24: [u32; 24] = [
    100, 110, 120, 130, 150, 160, 180, 200, 220, 240, 270, 300, 330, 360, 390, 430, 470, 510, 560, 620, 680, 750, 820,
    910,
];

impl Series {
    /// Every series, coarsest first.
    pub const ALL: [Series; 7] =
        [Series::E3, Series::E6, Series::E12, Series::E24, Series::E48, Series::E96, Series::E192];

    /// Values per decade.
    pub fn per_decade(self) -> u32 {
        match self {
            Series::E3 => 3,
            Series::E6 => 6,
            Series::E12 => 12,
            Series::E24 => 24,
            Series::E48 => 48,
            Series::E96 => 96,
            Series::E192 => 192,
        }
    }

    /// One decade of the series as three-digit integers, 100 to 988.
    pub fn decade(self) -> impl Iterator<Item = u32> {
        let n = self.per_decade();
        (0..n).map(move |i| {
            if n <= 24 {
                E24[(i * (24 / n)) as usize]
            } else {
                let value = (100.0 * 10f64.powf(f64::from(i) / f64::from(n))).round() as u32;
                if value == 919 { 920 } else { value }
            }
        })
    }

    /// The smallest preferred value above `value`; `None` unless `value` is positive and finite.
    pub fn next(self, value: f64) -> Option<f64> {
        self.around(value)?.into_iter().find(|v| *v > value * (1.0 + SAME))
    }

    /// The largest preferred value below `value`; `None` unless `value` is positive and finite.
    pub fn previous(self, value: f64) -> Option<f64> {
        self.around(value)?.into_iter().rev().find(|v| *v < value * (1.0 - SAME))
    }

    /// The preferred value nearest in ratio; `None` unless `value` is positive and finite.
    pub fn nearest(self, value: f64) -> Option<f64> {
        let distance = |v: f64| (v / value).ln().abs();
        self.around(value)?.into_iter().min_by(|a, b| distance(*a).total_cmp(&distance(*b)))
    }

    /// The preferred values of the decade of `value` and its neighbours, ascending.
    fn around(self, value: f64) -> Option<Vec<f64>> {
        if !(value.is_finite() && value > 0.0) {
            return None;
        }
        let decade = value.log10().floor() as i32;
        let values = (decade - 1..=decade + 1)
            .flat_map(|d| self.decade().map(move |m| format!("{m}e{}", d - 2).parse().unwrap_or(f64::NAN)))
            .filter(|v: &f64| v.is_finite() && *v > 0.0)
            .collect();
        Some(values)
    }
}

/// Relative difference below which a value counts as being the preferred value.
const SAME: f64 = 1e-9;
