//! Shunt and series references and three-terminal regulators as macromodels (common practice; the parameters
//! are a data sheet's).
//!
//! Shunt reference: one pole, `dx/dt = ω·(g·(v_ref − V_ref) − x)`; the cathode draws x between
//! its minimum and its limit, fading below the saturation voltage.
//!
//! Regulator, for a positive one: the output follows
//! `e = com + V·(1 + k·(v_in − v_out)) ` held below `v_in − V_do·i/I_rated`, through the output
//! resistance with an inductance that makes the impedance rise above its corner frequency; the
//! current saturates at its limit and never flows backwards. A series reference is the same, but
//! sinks up to a limit of its own.

use super::device::{At, Device, Inside};
use super::real::Real;
use circuit::ResolvedPart;
use std::f64::consts::TAU;

/// Unknowns: cathode, anode, reference, current called for.
pub(super) struct ShuntReference {
    voltage: f64,
    transconductance: f64,
    pole: f64,
    reference_current: f64,
    minimum: f64,
    saturation: f64,
    limit: f64,
}

/// Width of the corner at the minimum current, A.
const CURRENT_CORNER: f64 = 20e-6;

impl ShuntReference {
    pub(super) fn new(part: &ResolvedPart) -> Self {
        ShuntReference {
            voltage: part.value("reference_voltage"),
            transconductance: part.value("transconductance"),
            pole: TAU * part.value("bandwidth"),
            reference_current: part.value("reference_current"),
            minimum: part.value("minimum_current"),
            saturation: part.value("saturation_voltage"),
            limit: part.value("current_limit"),
        }
    }
}

impl Device for ShuntReference {
    const INSIDE: &'static [Inside] = &[Inside::Winding];

    fn flows<T: Real>(&self, at: &At<'_, T>, f: &mut [T]) {
        let [cathode, anode, reference, called] = std::array::from_fn(|k| at.x[k]);
        let v = cathode - anode;
        let wanted = called.soft_between(T::of(self.minimum), T::of(self.limit), CURRENT_CORNER);
        // Above the saturation voltage the whole current flows, below it less and less.
        let current = wanted * v.scale(3.0 / self.saturation.max(1e-3)).tanh();
        f[0] = current;
        f[1] = (-current).plus(-self.reference_current);
        f[2] = T::of(self.reference_current);
        let error = (reference - anode).plus(-self.voltage);
        // The call does not run away beyond what can flow.
        let call = error.scale(self.transconductance).soft_between(
            T::of(-self.limit),
            T::of(2.0 * self.limit),
            CURRENT_CORNER,
        );
        f[3] = (called - call).scale(self.pole);
    }

    fn region(&self, x: &[f64]) -> Option<&'static str> {
        Some(if x[3] > self.limit {
            "current limit"
        } else if x[3] < self.minimum {
            "starved"
        } else {
            "regulating"
        })
    }

    fn charges<T: Real>(&self, at: &At<'_, T>, q: &mut [T]) {
        q[3] = at.x[3];
    }
}

/// Unknowns: input, output, common, output current.
pub(super) struct Regulator {
    /// −1 for a negative regulator.
    sign: f64,
    voltage: f64,
    /// Dropout per ampere, Ω; most dropout voltages grow with the current.
    dropout: f64,
    dropout_resistance: f64,
    limit: f64,
    /// Largest current taken back, A.
    sink: f64,
    line: f64,
    resistance: f64,
    inductance: f64,
    quiescent: f64,
}

/// Width of the corners at dropout and at the current limit, V.
const VOLTAGE_CORNER: f64 = 0.03;
/// Part of the dropout voltage that remains without load.
const UNLOADED: f64 = 0.6;

impl Regulator {
    pub(super) fn new(part: &ResolvedPart) -> Self {
        let sign = if part.value("polarity") > 0.5 { -1.0 } else { 1.0 };
        Self::limited(part, sign, part.value("rated_current"), part.value("current_limit"), 0.0)
    }

    /// A series reference.
    pub(super) fn reference(part: &ResolvedPart) -> Self {
        let source = part.value("source_limit");
        Self::limited(part, 1.0, source, source, part.value("sink_limit"))
    }

    fn limited(part: &ResolvedPart, sign: f64, rated: f64, limit: f64, sink: f64) -> Self {
        let (dropout, resistance) = (part.value("dropout"), part.value("output_resistance"));
        Regulator {
            sign,
            voltage: part.value("voltage"),
            dropout: UNLOADED * dropout,
            dropout_resistance: (1.0 - UNLOADED) * dropout / rated,
            limit,
            sink,
            line: part.value("line_regulation"),
            resistance,
            inductance: resistance / (TAU * part.value("impedance_corner")),
            quiescent: part.value("quiescent_current"),
        }
    }
}

/// Steepness of the current limit, V per relative excess.
const LIMIT_SLOPE: f64 = 50.0;

impl Device for Regulator {
    const INSIDE: &'static [Inside] = &[Inside::Winding];

    fn flows<T: Real>(&self, at: &At<'_, T>, f: &mut [T]) {
        let [input, output, common, current] = std::array::from_fn(|k| at.x[k]);
        let s = |v: T| v.scale(self.sign);
        let (across, above, current) = (s(input - output), s(output - common), s(current));
        let regulated = across.scale(self.line).plus(1.0).scale(self.voltage);
        let available = s(input - common).plus(-self.dropout) - current.scale(self.dropout_resistance);
        let held = regulated - (regulated - available).soft_positive(VOLTAGE_CORNER);
        let excess = current.plus(-self.limit).scale(LIMIT_SLOPE / self.limit).soft_positive(VOLTAGE_CORNER);
        // Further backwards the output only sees a large resistance.
        let backward = (-current).plus(-self.sink).scale(1e4).soft_positive(VOLTAGE_CORNER);
        let drive = held - excess + backward;
        let quiescent = s(input - common).scale(2.0).tanh().scale(self.quiescent);
        f[0] = s(current + quiescent);
        f[1] = -s(current);
        f[2] = -s(quiescent);
        f[3] = s(drive - above - current.scale(self.resistance));
    }

    fn region(&self, x: &[f64]) -> Option<&'static str> {
        let [input, output, common, current] = std::array::from_fn(|k| self.sign * x[k]);
        let regulated = self.voltage * (1.0 + self.line * (input - output));
        Some(if current > self.limit || (self.sink > 0.0 && current < -self.sink) {
            "current limit"
        } else if input - common - self.dropout - self.dropout_resistance * current < regulated {
            "dropout"
        } else {
            "regulating"
        })
    }

    fn charges<T: Real>(&self, at: &At<'_, T>, q: &mut [T]) {
        q[3] = at.x[3].scale(-self.inductance);
    }

    fn stored(&self, x: &[f64]) -> f64 {
        0.5 * self.inductance * x[3] * x[3]
    }

    fn storing(&self, x: &[f64]) -> f64 {
        // v·i of the inductance: what drives it, times its current.
        let mut f = [0.0; 4];
        self.flows(&At { x, shift: &[], t: 0.0, sources: 1.0 }, &mut f);
        f[3] * x[3]
    }
}
