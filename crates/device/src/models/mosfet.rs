//! MOSFET: `I = β/2·(S(v_gs − V_t)² − S(v_gd − V_t)²)·(1 + λ·|v_ds|)` with the smooth positive
//! part `S(x) = φ·ln(1 + e^(x/φ))`: the square law in every region, both directions, with an
//! exponential tail below threshold (after Enz, Krummenacher & Vittoz, *An analytical MOS
//! transistor model valid in all regions of operation*, Analog Integr. Circuits Signal Process.
//! 8, 1995). The channel stands behind a drain resistance.
//!
//! From the data sheet: `β = g_fs²/(2·I_D)` from the transconductance; the drain resistance is
//! what the channel leaves of the on-resistance. Gate-source capacitance `C_iss − C_rss`, or what
//! the gate charge leaves for it; constant. Gate-drain capacitance a depletion layer's while the drain is above the gate, and
//! constant while it is below. Drain-source capacitance and the body diode are a junction's.

use super::device::{At, Device, Inside, JUNCTIONS};
use super::junction::{CONDUCTING, Depletion, Knee, THERMAL_VOLTAGE};
use super::real::Real;
use crate::contract::GMIN;
use crate::stamps::Exponential;
use circuit::{KindId, ResolvedPart, fit};

/// Width φ of the transition at threshold, V.
const TRANSITION: f64 = 0.06;
/// Width of the corner of |v_ds|, V.
const CORNER: f64 = 0.1;
/// Part of the on-resistance that is left for the drain at least.
const LEAST_DRAIN_RESISTANCE: f64 = 0.05;
/// Built-in voltage of the body diode's depletion layer, V (common practice).
const BUILT_IN: f64 = 0.8;

/// Unknowns: drain, gate, source, inner drain, currents of the charges gate-source, gate-drain
/// and drain-source.
pub(super) struct Mosfet {
    /// −1 for a p-channel device, whose voltages and currents are all reversed.
    sign: f64,
    threshold: f64,
    beta: f64,
    modulation: f64,
    drain_conductance: f64,
    gate_source: f64,
    gate_drain: Depletion,
    drain_source: Depletion,
    diode: Knee,
    storage_time: f64,
}

impl Mosfet {
    pub(super) fn new(part: &ResolvedPart) -> Self {
        let threshold = part.value("threshold");
        let beta = part.value("transconductance").powi(2) / (2.0 * part.value("transconductance_current"));
        let on = part.value("on_resistance");
        let overdrive = (part.value("on_gate_voltage") - threshold).max(0.1);
        // If the channel alone exceeds the on-resistance, the on-resistance wins.
        let least = LEAST_DRAIN_RESISTANCE * on;
        let beta = beta.max(1.0 / (overdrive * (on - least)));
        let (ciss, coss, crss) =
            (part.value("input_capacitance"), part.value("output_capacitance"), part.value("reverse_capacitance"));
        let at = part.value("capacitance_voltage");
        let charged = fit::gate_source_capacitance(
            part.value("gate_charge"),
            (part.value("on_gate_voltage"), part.value("gate_charge_voltage")),
            (crss, at),
        );
        Mosfet {
            sign: if part.kind == KindId::MosfetP { -1.0 } else { 1.0 },
            threshold,
            beta,
            modulation: part.value("modulation"),
            drain_conductance: 1.0 / (on - 1.0 / (beta * overdrive)).max(least),
            gate_source: charged.unwrap_or((ciss - crss).max(0.0)),
            gate_drain: Depletion::from_reverse(crss, at, fit::GATE_DRAIN_BUILT_IN),
            drain_source: Depletion::from_reverse((coss - crss).max(0.0), at, BUILT_IN),
            diode: Knee::new(part.value("diode_saturation_current"), 1.2 * THERMAL_VOLTAGE, 0.2 * on),
            storage_time: part.value("diode_storage_time"),
        }
    }

    fn channel<T: Real>(&self, gate_source: T, gate_drain: T) -> T {
        let open = |v: T| v.plus(-self.threshold).soft_positive(TRANSITION).square();
        let drain_source = gate_source - gate_drain;
        let size = drain_source.square().plus(CORNER * CORNER).sqrt().plus(-CORNER);
        (open(gate_source) - open(gate_drain)).scale(0.5 * self.beta) * size.scale(self.modulation).plus(1.0)
    }

    /// Charge between gate and drain: linear while the gate is above.
    fn gate_drain_charge<T: Real>(&self, v: T) -> T {
        let (_, capacitance, _) = self.gate_drain.at(0.0);
        T::choose(v.value() < 0.0, self.gate_drain.charge(v), v.scale(capacitance))
    }

    fn gate_drain_energy(&self, v: f64) -> f64 {
        let (_, capacitance, _) = self.gate_drain.at(0.0);
        if v < 0.0 { self.gate_drain.at(v).2 } else { 0.5 * capacitance * v * v }
    }

    fn voltages<T: Real>(&self, x: &[T]) -> [T; 4] {
        let s = |a: T, b: T| (a - b).scale(self.sign);
        // Gate-source, gate to inner drain, gate-drain, and source-drain: the body diode's.
        [s(x[1], x[2]), s(x[1], x[3]), s(x[1], x[0]), s(x[2], x[0])]
    }
}

impl Device for Mosfet {
    const INSIDE: &'static [Inside] = &[Inside::Voltage, Inside::Current, Inside::Current, Inside::Current];

    fn flows<T: Real>(&self, at: &At<'_, T>, f: &mut [T]) {
        let x = at.x;
        let [gate_source, gate_inner, _, body] = self.voltages(x);
        let channel = self.channel(gate_source, gate_inner).scale(self.sign);
        let drain = (x[0] - x[3]).scale(self.drain_conductance);
        let diode = (self.diode.current(body + at.shift[0]) + body.scale(GMIN)).scale(self.sign);
        f[0] = drain - diode - x[5] - x[6];
        f[1] = x[4] + x[5];
        f[2] = diode - channel - x[4] + x[6];
        f[3] = channel - drain;
        (f[4], f[5], f[6]) = (-x[4], -x[5], -x[6]);
    }

    fn charges<T: Real>(&self, at: &At<'_, T>, q: &mut [T]) {
        let [gate_source, _, gate_drain, body] = self.voltages(at.x);
        q[4] = gate_source.scale(self.sign * self.gate_source);
        q[5] = self.gate_drain_charge(gate_drain).scale(self.sign);
        // Flows from source to drain, as the body diode conducts.
        let stored = self.diode.current(body + at.shift[0]).scale(self.storage_time);
        q[6] = (self.drain_source.charge(body) + stored).scale(self.sign);
    }

    fn junctions(&self, x: &[f64]) -> [Option<Exponential>; JUNCTIONS] {
        let [_, _, _, voltage] = self.voltages(x);
        [Some(self.diode.exponential(voltage)), None]
    }

    fn region(&self, x: &[f64]) -> Option<&'static str> {
        let [gate_source, gate_inner, _, body] = self.voltages(x);
        Some(if self.diode.at(body).0 > CONDUCTING {
            "body diode conducting"
        } else if gate_source.max(gate_inner) < self.threshold {
            "off"
        } else if gate_source.min(gate_inner) < self.threshold {
            "saturation"
        } else {
            "linear"
        })
    }

    fn stored(&self, x: &[f64]) -> f64 {
        let [gate_source, _, gate_drain, body] = self.voltages(x);
        let moved = body * self.diode.at(body).0 - (self.diode.integral(body) - self.diode.integral(0.0));
        0.5 * self.gate_source * gate_source * gate_source
            + self.gate_drain_energy(gate_drain)
            + self.drain_source.at(body).2
            + self.storage_time * moved
    }

    fn storing(&self, x: &[f64]) -> f64 {
        (x[1] - x[2]) * x[4] + (x[1] - x[0]) * x[5] + (x[2] - x[0]) * x[6]
    }
}
