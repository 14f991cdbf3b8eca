//! Operational amplifier as a macromodel: an input stage whose current saturates (slew), an
//! integrator (dominant pole), a second pole, an output held between the supplies, and an output
//! stage whose current saturates (after Boyle, Cohn, Pederson & Solomon, *Macromodeling of
//! integrated circuit operational amplifiers*, IEEE J. Solid-State Circuits 9, 1974).
//!
//! With d the input difference, x the integrator and y the second pole's voltage:
//!
//! `dx/dt = S·tanh(ω_u·d/S) − (ω_u/A₀)·x − back`, `dy/dt = ω₂·(held(m + x) − y)`,
//! `i = I_l·tanh((y − v_out)/(R_o·I_l))`, m the middle of the supplies. `back` keeps the
//! integrator from winding up beyond what the output can follow.

use super::device::{At, Device, Inside};
use super::real::Real;
use circuit::ResolvedPart;
use std::f64::consts::TAU;

/// Width of the corners where the output meets its limits, V.
const CORNER: f64 = 0.02;
/// How far beyond the limit the integrator goes, V.
const BEYOND: f64 = 0.1;
/// Width, relative to the current limit, over which the output current changes supplies.
const CROSSOVER: f64 = 1e-3;

/// What amplifier and comparator have in common: how their output loads the supplies.
pub(super) struct OutputStage {
    pub(super) resistance: f64,
    pub(super) limit: f64,
    pub(super) supply_current: f64,
}

impl OutputStage {
    /// Adds currents leaving the pins: output, supply +, supply −.
    pub(super) fn flows<T: Real>(&self, drive: T, output: T) -> [T; 3] {
        let current = (drive - output).scale(1.0 / (self.resistance * self.limit)).tanh().scale(self.limit);
        let width = CROSSOVER * self.limit;
        [
            -current,
            current.positive(width).plus(self.supply_current),
            -(-current).positive(width).plus(self.supply_current),
        ]
    }
}

/// Unknowns: output, input +, input −, supply +, supply −, integrator, second pole.
pub(super) struct Amplifier {
    unity: f64,
    leak: f64,
    slew: f64,
    second_pole: f64,
    headroom: [f64; 2],
    offset: f64,
    bias: f64,
    input_conductance: f64,
    output: OutputStage,
}

impl Amplifier {
    pub(super) fn new(part: &ResolvedPart) -> Self {
        let unity = TAU * part.value("gain_bandwidth");
        Amplifier {
            unity,
            leak: unity / part.value("gain"),
            slew: part.value("slew_rate"),
            second_pole: TAU * part.value("second_pole"),
            headroom: [part.value("headroom_high"), part.value("headroom_low")],
            offset: part.value("offset"),
            bias: part.value("bias_current"),
            input_conductance: 1.0 / part.value("input_resistance"),
            output: OutputStage {
                resistance: part.value("output_resistance"),
                limit: part.value("current_limit"),
                supply_current: part.value("supply_current"),
            },
        }
    }
}

impl Device for Amplifier {
    const INSIDE: &'static [Inside] = &[Inside::Voltage, Inside::Voltage];

    fn flows<T: Real>(&self, at: &At<'_, T>, f: &mut [T]) {
        let [out, plus, minus, high, low, x, y] = std::array::from_fn(|k| at.x[k]);
        let difference = (plus - minus).plus(-self.offset);
        let wanted = (high + low).scale(0.5) + x;
        let (top, bottom) = (high.plus(-self.headroom[0]), low.plus(self.headroom[1]));
        let held = wanted.soft_between(bottom, top, CORNER);
        let drive = difference.scale(self.unity / self.slew).tanh().scale(self.slew);
        let back =
            (wanted - top).plus(-BEYOND).soft_positive(CORNER) - (bottom - wanted).plus(-BEYOND).soft_positive(CORNER);
        let [i_out, i_high, i_low] = self.output.flows(y, out);
        let across = (plus - minus).scale(self.input_conductance);
        f[0] = i_out;
        f[1] = across.plus(self.bias);
        f[2] = (-across).plus(self.bias);
        f[3] = i_high;
        // The bias currents return through the lower supply.
        f[4] = i_low.plus(-2.0 * self.bias);
        f[5] = x.scale(self.leak) - drive + back.scale(self.unity);
        f[6] = (y - held).scale(self.second_pole);
    }

    fn region(&self, x: &[f64]) -> Option<&'static str> {
        let [out, _, _, high, low, integrator, y] = std::array::from_fn(|k| x[k]);
        let wanted = 0.5 * (high + low) + integrator;
        let OutputStage { resistance, limit, .. } = self.output;
        Some(if ((y - out) / (resistance * limit)).tanh().abs() > AT_LIMIT {
            "current limit"
        } else if wanted > high - self.headroom[0] {
            "at its upper limit"
        } else if wanted < low + self.headroom[1] {
            "at its lower limit"
        } else {
            "linear"
        })
    }

    fn charges<T: Real>(&self, at: &At<'_, T>, q: &mut [T]) {
        (q[5], q[6]) = (at.x[5], at.x[6]);
    }
}

/// Part of its limit from which on a current or voltage counts as held there.
pub(super) const AT_LIMIT: f64 = 0.95;
