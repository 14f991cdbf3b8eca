//! The capacitor-input rectifier in its periodic state, found by stepping through one pulse of the
//! rectified voltage and looking for the capacitor voltage that repeats (the question of O. H. Schade,
//! *Analysis of rectifier operation*, Proc. IRE 31, 1943, answered by computation instead of curves).

use std::f64::consts::{SQRT_2, TAU};

/// Thermal voltage at 27 °C, V.
const THERMAL_VOLTAGE: f64 = 0.025_865;
/// Steps through one pulse.
const STEPS: usize = 400;
/// Trials for the voltage that repeats.
const TRIALS: usize = 26;
/// Rounds in which the diodes' drop, their current and the load find each other.
const ROUNDS: usize = 5;

/// A junction diode's drop: V at A.
#[derive(Clone, Copy, Debug, PartialEq)]
pub(crate) struct Drop {
    /// Diodes in the path.
    pub(crate) diodes: f64,
    /// Saturation current, A.
    pub(crate) saturation: f64,
    pub(crate) emission: f64,
    /// Series resistance of each, Ω.
    pub(crate) resistance: f64,
}

impl Drop {
    /// Exponential part of the drop at a current, V.
    fn at(&self, current: f64) -> f64 {
        self.diodes * self.emission * THERMAL_VOLTAGE * (current.max(1e-9) / self.saturation).ln_1p()
    }

    /// The whole drop at a current, V.
    pub(crate) fn total(&self, current: f64) -> f64 {
        self.at(current) + self.diodes * self.resistance * current
    }
}

/// What arrives through the diodes.
#[derive(Clone, Copy, Debug, PartialEq)]
pub(crate) struct Pulses {
    /// Open-circuit voltage, RMS, V: lowest, nominal and highest.
    pub(crate) emf: [f64; 3],
    pub(crate) frequency: f64,
    /// Resistance in the path besides the diodes', Ω.
    pub(crate) resistance: f64,
    pub(crate) drop: Drop,
    /// Pulses per period of the source: 1 half-wave, 2 full-wave, 6 three-phase bridge.
    pub(crate) per_period: f64,
}

impl Pulses {
    pub(crate) fn pulse_frequency(&self) -> f64 {
        self.frequency * self.per_period
    }

    /// Peak behind the diodes at next to no load, V, from an RMS voltage.
    pub(crate) fn peak(&self, emf: f64) -> f64 {
        SQRT_2 * emf - self.drop.at(1e-3)
    }
}

/// One pulse in the periodic state.
#[derive(Clone, Debug, Default, PartialEq)]
pub(crate) struct Settled {
    pub(crate) mean: f64,
    pub(crate) lowest: f64,
    pub(crate) highest: f64,
    /// RMS of the current through the path, over the time from pulse to pulse, A.
    pub(crate) rms_current: f64,
    /// RMS of the capacitor's own current, A.
    pub(crate) ripple_current: f64,
    /// Output voltage through the pulse, V.
    pub(crate) trace: Vec<f64>,
    /// When the path begins and ceases to conduct, as parts of the time from pulse to pulse; the source's
    /// peak is at a half.
    pub(crate) conducts: (f64, f64),
}

impl Settled {
    pub(crate) fn ripple(&self) -> f64 {
        self.highest - self.lowest
    }
}

/// What a reservoir feeds: a mean current, A, that changes with the voltage by a conductance, S.
#[derive(Clone, Copy, Debug, PartialEq)]
pub(crate) struct Load {
    pub(crate) current: f64,
    pub(crate) conductance: f64,
}

/// The periodic state with a capacitor (F) and its ESR (Ω), from an open-circuit voltage (RMS, V).
pub(crate) fn settle(pulses: &Pulses, emf: f64, (capacitance, esr): (f64, f64), load: Load) -> Settled {
    let path = (pulses.resistance + pulses.drop.diodes * pulses.drop.resistance).max(1e-3) + esr;
    let dt = 1.0 / (pulses.pulse_frequency() * STEPS as f64);
    let angle = |step: usize| TAU * ((step as f64 + 0.5) / STEPS as f64 - 0.5) / pulses.per_period;
    let wave: Vec<f64> = (0..STEPS).map(|step| SQRT_2 * emf * angle(step).cos()).collect();
    let stiffness = 0.5 * dt / (capacitance * path);
    // Walks through a pulse: the capacitor's voltage at its end; output voltage and current at each step.
    let walk = |start: f64, (drop, mean): (f64, f64), see: &mut dyn FnMut(f64, f64, f64)| {
        let mut v = start;
        for e in &wave {
            let load = load.current + load.conductance * (v - mean);
            let current = |v: f64| ((e - drop - v + esr * load) / path).max(0.0);
            // Trapezoidal in the conducting current, so that small resistances do not overshoot.
            let first = current(v);
            let implicit = if first > 0.0 { 1.0 + stiffness } else { 1.0 };
            let next = v + dt * (first - load) / capacitance / implicit;
            let middle = 0.5 * (v + next);
            let i = current(middle);
            see(middle + esr * (i - load), i, i - load);
            v = next;
        }
        v
    };
    // The exponential drop hardly changes while a diode conducts; it is taken at a typical current.
    let mut typical = 4.0 * load.current.max(1e-6);
    let mut settled = Settled::default();
    let mut mean = pulses.peak(emf);
    let mut before = None;
    for _ in 0..ROUNDS {
        let state = (pulses.drop.at(typical), mean);
        // What a pulse leaves grows with what it finds, by less than one for one, so bisection finds
        // the only voltage that repeats.
        let (mut low, mut high) = (-SQRT_2 * emf, SQRT_2 * emf);
        for _ in 0..TRIALS {
            let middle = 0.5 * (low + high);
            if walk(middle, state, &mut |_, _, _| ()) > middle { low = middle } else { high = middle }
        }
        let (mut square, mut charge, mut own) = (0.0, 0.0, 0.0);
        settled = Settled { lowest: f64::INFINITY, highest: f64::NEG_INFINITY, ..Settled::default() };
        walk(0.5 * (low + high), state, &mut |v, i, stored| {
            settled.trace.push(v);
            if i > 0.0 {
                let now = settled.trace.len() as f64 / STEPS as f64;
                settled.conducts = (if settled.conducts.1 > 0.0 { settled.conducts.0 } else { now }, now);
            }
            settled.mean += v / STEPS as f64;
            settled.lowest = settled.lowest.min(v);
            settled.highest = settled.highest.max(v);
            square += i * i / STEPS as f64;
            charge += i / STEPS as f64;
            own += stored * stored / STEPS as f64;
        });
        settled.rms_current = square.sqrt();
        settled.ripple_current = own.sqrt();
        // A secant: behind a soft source one value after the other would creep.
        let off = settled.mean - mean;
        let slope =
            before.map_or(0.0, |(at, was): (f64, f64)| if at == mean { 0.0 } else { (off - was) / (mean - at) });
        before = Some((mean, off));
        mean += if slope < 0.0 { -off / slope } else { off };
        typical = if charge > 0.0 { square / charge } else { typical };
    }
    settled
}
