//! Sine source: `V(t) = offset + Vp·sin(2πft + φ)`, where Vp is the amplitude itself, √2 times
//! it, or half of it, as it is given as peak, RMS or peak-to-peak. The amplitude may change once, along a straight line of
//! 5 µs, the longest edge a generator of mains dips may have (IEC 61000-4-11, from memory).

use super::voltage_branch::{VoltageBranch, Waveform};
use crate::stamps::Layout;
use circuit::ResolvedPart;
use std::f64::consts::{SQRT_2, TAU};

pub(super) struct Sine {
    offset: f64,
    peak: f64,
    omega: f64,
    phase: f64,
    /// Amplitude after the change over that before, and when it begins, s.
    change: (f64, f64),
}

/// Duration of the change, s.
const EDGE: f64 = 5e-6;

pub(super) fn new(part: &ResolvedPart, layout: &mut Layout) -> VoltageBranch<Sine> {
    // Options in the order of the part table: RMS, peak, peak-to-peak.
    let to_peak = [SQRT_2, 1.0, 0.5];
    let sine = Sine {
        offset: part.value("offset"),
        peak: part.value("amplitude") * to_peak[(part.value("amplitude_as") as usize).min(2)],
        omega: TAU * part.value("frequency"),
        phase: part.value("phase").to_radians(),
        change: (part.value("changes_to"), part.value("changes_at")),
    };
    VoltageBranch::new(part, layout, sine)
}

impl Waveform for Sine {
    fn at(&self, t: f64) -> f64 {
        let (to, at) = self.change;
        let changed = 1.0 + (to - 1.0) * ((t - at) / EDGE).clamp(0.0, 1.0);
        self.offset + changed * self.peak * (self.omega * t + self.phase).sin()
    }
    fn next_corner(&self, t: f64) -> Option<f64> {
        let (to, at) = self.change;
        // Rounding can leave `t` a hair before the corner just reached.
        let after = t + 1e-12 * t.abs().max(EDGE);
        [at, at + EDGE].into_iter().find(|corner| to != 1.0 && *corner > after)
    }
    fn largest(&self) -> f64 {
        self.offset.abs() + self.change.0.max(1.0) * self.peak
    }
}
