//! Bipolar transistor: the transport model with Early effect and high-level injection (Gummel &
//! Poon, *An integral charge control model of bipolar transistors*, Bell Syst. Tech. J. 49,
//! 1970), with
//!
//! `I_ct = (I_F − I_R)/q_b`, `I_b = I_F/β_F + I_R/β_R`, `q_b = q₁/2·(1 + √(1 + 4·I_F/I_K))`,
//! `q₁ = 1/(1 − v_bc/V_A)`, `I_F = I_s·(e^(v_be/V_T) − 1)`, `I_R` likewise with `v_bc`.
//!
//! Base and collector stand behind resistances; the collector's follows from the saturation voltage if
//! that is given. Charges: both depletion layers, and `τ_F·I_F`
//! with `τ_F = 1/(2π·f_T)`. `I_s` follows from the base-emitter voltage at one collector current.

use super::device::{At, Device, Inside, JUNCTIONS};
use super::junction::{CONDUCTING, Depletion, THERMAL_VOLTAGE};
use super::real::Real;
use crate::contract::GMIN;
use crate::stamps::Exponential;
use circuit::fit::{self, BipolarFit};
use circuit::{KindId, ResolvedPart};
use std::f64::consts::{SQRT_2, TAU};

/// Built-in voltage of both junctions, V (common practice).
const BUILT_IN: f64 = 0.75;
/// The Early factor 1 − v_bc/V_A is not let fall below half of this.
const LEAST_EARLY: f64 = 0.4;

/// Unknowns: collector, base, emitter, inner collector, inner base, currents of the charges
/// base-emitter and base-collector.
pub(super) struct Bipolar {
    /// −1 for PNP, whose voltages and currents are all reversed.
    sign: f64,
    saturation_current: f64,
    gain: f64,
    reverse_gain: f64,
    /// Reciprocals, zero for none.
    early: f64,
    knee: f64,
    base_conductance: f64,
    collector_conductance: f64,
    transit_time: f64,
    base_emitter: Depletion,
    base_collector: Depletion,
}

fn reciprocal(value: f64) -> f64 {
    if value > 0.0 { 1.0 / value } else { 0.0 }
}

impl Bipolar {
    pub(super) fn new(part: &ResolvedPart) -> Self {
        let BipolarFit { saturation_current, collector_resistance, .. } = fit::of_bipolar(part);
        Bipolar {
            sign: if part.kind == KindId::Pnp { -1.0 } else { 1.0 },
            saturation_current,
            gain: part.value("gain"),
            reverse_gain: part.value("reverse_gain"),
            early: reciprocal(part.value("early_voltage")),
            knee: reciprocal(part.value("knee_current")),
            base_conductance: 1.0 / part.value("base_resistance"),
            collector_conductance: 1.0 / collector_resistance,
            transit_time: reciprocal(TAU * part.value("transition_frequency")),
            base_emitter: Depletion::new(part.value("emitter_capacitance"), BUILT_IN),
            base_collector: Depletion::new(part.value("collector_capacitance"), BUILT_IN),
        }
    }

    fn exponential<T: Real>(&self, v: T) -> T {
        v.scale(1.0 / THERMAL_VOLTAGE).bounded_exp().plus(-1.0).scale(self.saturation_current)
    }

    /// Base-emitter and base-collector voltages of the inner transistor.
    fn voltages<T: Real>(&self, x: &[T]) -> [T; 2] {
        [(x[4] - x[2]).scale(self.sign), (x[4] - x[3]).scale(self.sign)]
    }

    /// Transport current from collector to emitter and the two base currents.
    fn currents<T: Real>(&self, base_emitter: T, base_collector: T) -> [T; 3] {
        let (forward, reverse) = (self.exponential(base_emitter), self.exponential(base_collector));
        let early = base_collector.scale(-self.early).plus(1.0);
        let low = T::of(0.25 * LEAST_EARLY * LEAST_EARLY) / (-early).plus(LEAST_EARLY);
        let early = T::choose(early.value() < 0.5 * LEAST_EARLY, low, early);
        // Reverse injection does not count; below zero the root must stay real.
        let injected = forward.scale(4.0 * self.knee).plus(1.0);
        let injected = T::choose(injected.value() < 0.5, T::of(0.5), injected);
        let charge = injected.sqrt().plus(1.0).scale(0.5);
        [(forward - reverse) * early / charge, forward.scale(1.0 / self.gain), reverse.scale(1.0 / self.reverse_gain)]
    }
}

impl Device for Bipolar {
    const INSIDE: &'static [Inside] = &[Inside::Voltage, Inside::Voltage, Inside::Current, Inside::Current];

    fn flows<T: Real>(&self, at: &At<'_, T>, f: &mut [T]) {
        let x = at.x;
        let [be, bc] = self.voltages(x);
        let (be, bc) = (be + at.shift[0], bc + at.shift[1]);
        let [transport, base_emitter, base_collector] = self.currents(be, bc);
        let to_emitter = (base_emitter + be.scale(GMIN)).scale(self.sign) + x[5];
        let to_collector = (base_collector + bc.scale(GMIN)).scale(self.sign) + x[6];
        let transport = transport.scale(self.sign);
        let collector = (x[0] - x[3]).scale(self.collector_conductance);
        let base = (x[1] - x[4]).scale(self.base_conductance);
        f[0] = collector;
        f[1] = base;
        f[2] = -transport - to_emitter;
        f[3] = transport - to_collector - collector;
        f[4] = to_emitter + to_collector - base;
        (f[5], f[6]) = (-x[5], -x[6]);
    }

    fn charges<T: Real>(&self, at: &At<'_, T>, q: &mut [T]) {
        let [be, bc] = self.voltages(at.x);
        let stored = self.exponential(be + at.shift[0]).scale(self.transit_time);
        q[5] = (self.base_emitter.charge(be) + stored).scale(self.sign);
        q[6] = self.base_collector.charge(bc).scale(self.sign);
    }

    fn junctions(&self, x: &[f64]) -> [Option<Exponential>; JUNCTIONS] {
        let critical = THERMAL_VOLTAGE * (THERMAL_VOLTAGE / (SQRT_2 * self.saturation_current)).ln();
        let one = |voltage| Exponential { voltage, slope: THERMAL_VOLTAGE, critical, resistive: false };
        self.voltages(x).map(|v| Some(one(v)))
    }

    fn region(&self, x: &[f64]) -> Option<&'static str> {
        let [forward, reverse] = self.voltages(x).map(|v| self.exponential(v) > CONDUCTING);
        Some(match (forward, reverse) {
            (false, false) => "cut off",
            (true, false) => "active",
            (true, true) => "saturation",
            (false, true) => "reverse active",
        })
    }

    fn stored(&self, x: &[f64]) -> f64 {
        let [be, bc] = self.voltages(x);
        // ∫ v·dQ for Q = τ·I_s·(e^(v/V_T) − 1).
        let moved = self.exponential(be) * (be - THERMAL_VOLTAGE) + self.saturation_current * be;
        self.base_emitter.at(be).2 + self.base_collector.at(bc).2 + self.transit_time * moved
    }

    fn storing(&self, x: &[f64]) -> f64 {
        (x[4] - x[2]) * x[5] + (x[4] - x[3]) * x[6]
    }
}
