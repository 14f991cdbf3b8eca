//! Limits for the harmonics of mains currents: IEC 61000-3-2, its tables for classes A, C (above 25 W) and D.

/// The classes of equipment.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Class {
    /// Balanced three-phase equipment, tools, and all that is in no other class.
    A,
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

/// Largest harmonic over its limit; none if nothing flows.
pub(super) fn largest_use(class: Class, power: f64, factor: f64, rms: &dyn Fn(usize) -> f64) -> Option<f64> {
    let fundamental = rms(1);
    if fundamental.is_nan() || fundamental <= 0.0 {
        return None;
    }
    let used = |order| Some(rms(order) / limit(class, order, power, factor, fundamental)?);
    (2..=LAST_ORDER).filter_map(used).reduce(f64::max)
}
