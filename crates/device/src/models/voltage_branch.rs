//! Ideal voltage source of any waveform: `v₊ − v₋ = V(t)`, its current an unknown.

use crate::contract::{Flow, Model, Point};
use crate::stamps::{Constants, Entry, Layout, Stamps};
use circuit::ResolvedPart;

/// A voltage as a function of time.
pub(super) trait Waveform: Send + Sync {
    /// Voltage at time `t`, V.
    fn at(&self, t: f64) -> f64;
    /// First corner after `t`, s.
    fn next_corner(&self, _t: f64) -> Option<f64> {
        None
    }
    /// Largest magnitude, V.
    fn largest(&self) -> f64;
}

pub(super) struct VoltageBranch<W> {
    plus: usize,
    minus: usize,
    branch: usize,
    incidence: [Entry; 4],
    waveform: W,
}

impl<W: Waveform> VoltageBranch<W> {
    pub(super) fn new(part: &ResolvedPart, layout: &mut Layout, waveform: W) -> Self {
        let (plus, minus) = (part.pins[0], part.pins[1]);
        let branch = layout.branch(&part.id);
        VoltageBranch { plus, minus, branch, incidence: layout.incidence(plus, minus, branch), waveform }
    }
}

impl<W: Waveform> Model for VoltageBranch<W> {
    fn constants(&self, constants: &mut Constants<'_>) {
        constants.incidence(self.incidence);
    }
    fn varies(&self) -> bool {
        true
    }
    fn stamp(&self, at: Point<'_>, stamps: &mut Stamps<'_>) -> Flow {
        stamps.current(self.branch, -stamps.source_scale * self.waveform.at(at.t));
        self.flow(at)
    }
    fn flow(&self, at: Point<'_>) -> Flow {
        Flow::along(at.x[self.plus] - at.x[self.minus], at.x[self.branch])
    }
    fn current_unknown(&self) -> Option<usize> {
        Some(self.branch)
    }
    fn voltage_row(&self) -> Option<usize> {
        Some(self.branch)
    }
    fn next_corner(&self, t: f64) -> Option<f64> {
        self.waveform.next_corner(t)
    }
    fn imposed_voltage(&self) -> f64 {
        self.waveform.largest()
    }
}
