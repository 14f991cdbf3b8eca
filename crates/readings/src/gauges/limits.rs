//! Limits for the harmonics of mains currents: IEC 61000-3-2:2014 (edition 4), its tables for classes A, B, C (above 25 W) and D, from
//! memory. Edition 5 of 2018 differs here in the third harmonic of class C: 27 % whatever the power factor.

/// The classes of equipment.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Class {
    /// Balanced three-phase equipment, tools, and all that is in no other class.
    A,
    /// Portable tools, and arc welding that is not professional.
    B,
    /// Lighting above 25 W.
    C,
    /// Computers, monitors and television sets of 75 to 600 W.
    D,
}

/// Highest order that is limited.
pub const LAST_ORDER: usize = 40;

/// The limit of an order, A RMS; none if it has none. `power` in W, `factor` the power factor, `fundamental` in A RMS.
pub fn limit(class: Class, order: usize, power: f64, factor: f64, fundamental: f64) -> Option<f64> {
    let n = order as f64;
    let of_a = match order {
        2 => Some(1.08),
        3 => Some(2.30),
        4 => Some(0.43),
        5 => Some(1.14),
        6 => Some(0.30),
        7 => Some(0.77),
        9 => Some(0.40),
        11 => Some(0.33),
        13 => Some(0.21),
        15..=39 if order % 2 == 1 => Some(0.15 * 15.0 / n),
        8..=40 if order.is_multiple_of(2) => Some(0.23 * 8.0 / n),
        _ => None,
    };
    match class {
        Class::A => of_a,
        Class::B => of_a.map(|limit| 1.5 * limit),
        Class::C => {
            let per_cent = match order {
                2 => Some(2.0),
                3 => Some(30.0 * factor),
                5 => Some(10.0),
                7 => Some(7.0),
                9 => Some(5.0),
                11..=39 if order % 2 == 1 => Some(3.0),
                _ => None,
            };
            per_cent.map(|p| 0.01 * p * fundamental)
        }
        Class::D => {
            let per_watt = match order {
                3 => Some(3.4e-3),
                5 => Some(1.9e-3),
                7 => Some(1.0e-3),
                9 => Some(0.5e-3),
                11 => Some(0.35e-3),
                13..=39 if order % 2 == 1 => Some(3.85e-3 / n),
                _ => None,
            };
            per_watt.zip(of_a).map(|(limit, most)| (limit * power).min(most))
        }
    }
}

/// Power, W, up to which nothing but lighting has limits, and what a harmonic must exceed to count: a part of the current, and A RMS.
const SMALL: f64 = 75.0;
const LEAST: (f64, f64) = (6e-3, 5e-3);

/// What a mains current is held against.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct Mains {
    /// Class of the equipment.
    pub class: Class,
    /// Power taken, W, and the power factor; in size, for a source's own current counts against what it delivers.
    pub power: f64,
    /// Power factor.
    pub factor: f64,
    /// The whole current, A RMS.
    pub current: f64,
    /// Its fundamental, A RMS.
    pub fundamental: f64,
}

impl Mains {
    /// Whether nothing is limited, as at powers up to 75 W but for lighting.
    pub fn is_exempt(&self) -> bool {
        self.class != Class::C && self.power.abs() <= SMALL
    }

    /// What the tables say of an order, A RMS, exempt or not; none if they say nothing.
    pub fn limit(&self, order: usize) -> Option<f64> {
        limit(self.class, order, self.power.abs(), self.factor.abs(), self.fundamental)
    }

    /// Largest of the harmonics, A RMS by order, over what the tables say, exempt or not; what is too small to count uses nothing.
    /// None if nothing flows.
    pub fn largest_use(&self, rms: &dyn Fn(usize) -> f64) -> Option<f64> {
        let counts = |rms: &f64| *rms >= LEAST.1.max(LEAST.0 * self.current);
        let used = |order: usize| {
            let limit = self.limit(order)?;
            Some(Some(rms(order)).filter(counts).map_or(0.0, |rms| rms / limit))
        };
        (self.fundamental > 0.0).then(|| (2..=LAST_ORDER).filter_map(used).fold(0.0, f64::max))
    }
}
