//! Ideal voltage source of any waveform: `v₊ − v₋ = V(t)`, its current an unknown.

use super::{Model, Point};
use crate::equations::{Constants, Entry, Layout, Stamps};
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
    fn stamp(&self, at: Point<'_>, stamps: &mut Stamps<'_>) -> f64 {
        stamps.current(self.branch, -stamps.source_scale * self.waveform.at(at.t));
        at.x[self.branch]
    }
    fn current(&self, at: Point<'_>) -> f64 {
        at.x[self.branch]
    }
    fn current_unknown(&self) -> Option<usize> {
        Some(self.branch)
    }
    fn voltage_row(&self) -> Option<usize> {
        Some(self.branch)
    }
    fn power(&self, at: Point<'_>, current: f64) -> f64 {
        (at.x[self.plus] - at.x[self.minus]) * current
    }
    fn next_corner(&self, t: f64) -> Option<f64> {
        self.waveform.next_corner(t)
    }
    fn imposed_voltage(&self) -> f64 {
        self.waveform.largest()
    }
}
