//! Comparator: an amplifier's output stage driven to either supply through one pole. With hysteresis
//! what it decides is a state of its own that trips at the thresholds; without, the decision is a
//! steep but smooth function of the input difference.

use super::amplifier::{AT_LIMIT, OutputStage};
use super::device::{At, Device, Inside};
use super::real::Real;
use super::trip;
use circuit::ResolvedPart;

/// Input voltage that decides without hysteresis, V.
const DECISION: f64 = 0.5e-3;

/// Unknowns: output, input +, input −, supply +, supply −, drive of the output from −1 to 1, and
/// with hysteresis what is decided.
pub(super) struct Comparator<const HYSTERESIS: bool> {
    hysteresis: f64,
    speed: f64,
    offset: f64,
    output: OutputStage,
}

impl<const HYSTERESIS: bool> Comparator<HYSTERESIS> {
    pub(super) fn new(part: &ResolvedPart) -> Self {
        Comparator {
            hysteresis: part.value("hysteresis"),
            speed: 1.0 / part.value("response_time"),
            offset: part.value("offset"),
            output: OutputStage {
                resistance: part.value("output_resistance"),
                // Only its resistance limits a comparator's current.
                limit: 1e3,
                supply_current: part.value("supply_current"),
            },
        }
    }

    fn place<T: Real>(&self, x: &[T]) -> T {
        (x[1] - x[2]).plus(-self.offset).scale(1.0 / self.hysteresis).plus(0.5)
    }
}

impl<const HYSTERESIS: bool> Device for Comparator<HYSTERESIS> {
    const INSIDE: &'static [Inside] = if HYSTERESIS { &[Inside::Other, Inside::Other] } else { &[Inside::Other] };
    const TRIPS: bool = HYSTERESIS;

    fn flows<T: Real>(&self, at: &At<'_, T>, f: &mut [T]) {
        let [out, plus, minus, high, low, driven] = std::array::from_fn(|k| at.x[k]);
        let drive = (high + low).scale(0.5) + (high - low).scale(0.5) * driven;
        let [i_out, i_high, i_low] = self.output.flows(drive, out);
        f[0] = i_out;
        (f[1], f[2]) = (T::of(0.0), T::of(0.0));
        (f[3], f[4]) = (i_high, i_low);
        let decided = if HYSTERESIS {
            f[6] = trip::row(at.x[6], self.place(at.x));
            at.x[6].scale(2.0).plus(-1.0)
        } else {
            (plus - minus).plus(-self.offset).scale(1.0 / DECISION).tanh()
        };
        f[5] = (driven - decided).scale(self.speed);
    }

    fn charges<T: Real>(&self, at: &At<'_, T>, q: &mut [T]) {
        q[5] = at.x[5];
        if HYSTERESIS {
            q[6] = at.x[6];
        }
    }

    fn margin(&self, x: &[f64]) -> f64 {
        trip::margin(x[6], self.place(x))
    }

    fn trip(&self, x: &mut [f64]) {
        trip::trip(&mut x[6]);
    }

    fn region(&self, x: &[f64]) -> Option<&'static str> {
        Some(if x[5] > AT_LIMIT {
            "high"
        } else if x[5] < -AT_LIMIT {
            "low"
        } else {
            "undecided"
        })
    }
}
