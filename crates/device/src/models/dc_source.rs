//! DC source: `V(t) = V`.

use super::voltage_branch::{VoltageBranch, Waveform};
use crate::stamps::Layout;
use circuit::ResolvedPart;

pub(super) struct Dc(f64);

pub(super) fn new(part: &ResolvedPart, layout: &mut Layout) -> VoltageBranch<Dc> {
    VoltageBranch::new(part, layout, Dc(part.value("voltage")))
}

impl Waveform for Dc {
    fn at(&self, _t: f64) -> f64 {
        self.0
    }
    fn largest(&self) -> f64 {
        self.0.abs()
    }
}
