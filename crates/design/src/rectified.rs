//! The capacitor-input rectifier in its periodic state, found by stepping through one pulse of the
//! rectified voltage and looking for the capacitor voltage that repeats (the question of O. H. Schade,
//! *Analysis of rectifier operation*, Proc. IRE 31, 1943, answered by computation instead of curves).

use std::cell::RefCell;
use std::collections::HashMap;
use std::f64::consts::{SQRT_2, TAU};

/// Thermal voltage at 27 °C, V.
const THERMAL_VOLTAGE: f64 = 0.025_865;
/// Steps through one pulse.
const STEPS: usize = 400;
/// Trials for the voltage that repeats at most, and how closely it is wanted, relative to the peak.
const TRIALS: usize = 40;
const CLOSE: f64 = 1e-8;
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

/// The voltage that a pulse leaves as it finds it, V, between ±`peak`. What a pulse leaves grows with what it
/// finds, by less than one for one, so there is one only; regula falsi finds it (Illinois variant: Dowell &
/// Jarratt, BIT 11, 1971).
fn repeating(peak: f64, leaves: impl Fn(f64) -> f64) -> f64 {
    let gain = |v: f64| leaves(v) - v;
    let (mut low, mut high) = ((-peak, gain(-peak)), (peak, gain(peak)));
    if low.1 <= 0.0 {
        return low.0;
    }
    if high.1 >= 0.0 {
        return high.0;
    }
    let mut side = 0;
    for _ in 0..TRIALS {
        let v = low.0 + (high.0 - low.0) * low.1 / (low.1 - high.1);
        let found = gain(v);
        if found.abs() <= CLOSE * peak || high.0 - low.0 <= CLOSE * peak {
            return v;
        }
        if found > 0.0 {
            low = (v, found);
            high.1 *= if side == 1 { 0.5 } else { 1.0 };
            side = 1;
        } else {
            high = (v, found);
            low.1 *= if side == -1 { 0.5 } else { 1.0 };
            side = -1;
        }
    }
    0.5 * (low.0 + high.0)
}

/// States remembered by each thread: sizing asks for the same one many times over while stages find each
/// other, and again with every edit elsewhere.
const REMEMBERED: usize = 2048;

thread_local! {
    static KNOWN: RefCell<HashMap<[u64; 12], Settled>> = RefCell::default();
}

/// The periodic state with a capacitor (F) and its ESR (Ω), from an open-circuit voltage (RMS, V).
pub(crate) fn settle(pulses: &Pulses, emf: f64, capacitor: (f64, f64), load: Load) -> Settled {
    let Pulses { frequency, resistance, drop, per_period, .. } = pulses;
    let numbers = [
        *frequency,
        *resistance,
        drop.diodes,
        drop.saturation,
        drop.emission,
        drop.resistance,
        *per_period,
        emf,
        capacitor.0,
        capacitor.1,
        load.current,
        load.conductance,
    ];
    let key = numbers.map(f64::to_bits);
    KNOWN.with_borrow_mut(|known| {
        if known.len() >= REMEMBERED {
            known.clear();
        }
        known.entry(key).or_insert_with(|| settled(pulses, emf, capacitor, load)).clone()
    })
}

fn settled(pulses: &Pulses, emf: f64, (capacitance, esr): (f64, f64), load: Load) -> Settled {
    let path = (pulses.resistance + pulses.drop.diodes * pulses.drop.resistance).max(1e-3) + esr;
    let dt = 1.0 / (pulses.pulse_frequency() * STEPS as f64);
    let angle = |step: usize| TAU * ((step as f64 + 0.5) / STEPS as f64 - 0.5) / pulses.per_period;
    let wave: Vec<f64> = (0..STEPS).map(|step| SQRT_2 * emf * angle(step).cos()).collect();
    let stiffness = 0.5 * dt / (capacitance * path);
    // Walks through a pulse: the capacitor's voltage at its end; output voltage and current at each step.
    let walk = |start: f64, (drop, mean): (f64, f64), see: &mut dyn FnMut(f64, f64, f64)| {
        let mut v = start;
        for e in &wave {
            // A tangent holds near the mean only: what draws a constant power draws no more than this far below it.
            let most = if load.conductance < 0.0 { 2.0 * load.current } else { f64::INFINITY };
            let load = (load.current + load.conductance * (v - mean)).min(most);
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
        let start = repeating(SQRT_2 * emf, |v| walk(v, state, &mut |_, _, _| ()));
        let (mut square, mut charge, mut own) = (0.0, 0.0, 0.0);
        settled = Settled { lowest: f64::INFINITY, highest: f64::NEG_INFINITY, ..Settled::default() };
        walk(start, state, &mut |v, i, stored| {
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
