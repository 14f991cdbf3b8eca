//! Sine source: `V(t) = offset + Vp·sin(2πft + φ)`, where Vp is the amplitude itself, √2 times
//! it, or half of it, as it is given as peak, RMS or peak-to-peak.

use super::voltage_branch::{VoltageBranch, Waveform};
use crate::stamps::Layout;
use circuit::ResolvedPart;
use std::f64::consts::{SQRT_2, TAU};

pub(super) struct Sine {
    offset: f64,
    peak: f64,
    omega: f64,
    phase: f64,
}

pub(super) fn new(part: &ResolvedPart, layout: &mut Layout) -> VoltageBranch<Sine> {
    // Options in the order of the part table: RMS, peak, peak-to-peak.
    let to_peak = [SQRT_2, 1.0, 0.5];
    let sine = Sine {
        offset: part.value("offset"),
        peak: part.value("amplitude") * to_peak[(part.value("amplitude_as") as usize).min(2)],
        omega: TAU * part.value("frequency"),
        phase: part.value("phase").to_radians(),
    };
    VoltageBranch::new(part, layout, sine)
}

impl Waveform for Sine {
    fn at(&self, t: f64) -> f64 {
        self.offset + self.peak * (self.omega * t + self.phase).sin()
    }
    fn largest(&self) -> f64 {
        self.offset.abs() + self.peak
    }
}
