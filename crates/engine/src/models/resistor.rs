//! Resistor: `i = v/R`.

use super::{Model, Point};
use crate::equations::{Constants, Entry, Layout};
use circuit::ResolvedPart;

pub(super) struct Resistor {
    a: usize,
    b: usize,
    conductance: f64,
    entries: [Entry; 4],
}

impl Resistor {
    pub(super) fn new(part: &ResolvedPart, layout: &mut Layout) -> Self {
        let (a, b) = (part.pins[0], part.pins[1]);
        Resistor { a, b, conductance: 1.0 / part.value("resistance"), entries: layout.between(a, b) }
    }
}

impl Model for Resistor {
    fn constants(&self, constants: &mut Constants<'_>) {
        constants.conductance(self.entries, self.conductance);
    }
    fn current(&self, at: Point<'_>) -> f64 {
        (at.x[self.a] - at.x[self.b]) * self.conductance
    }
    fn power(&self, at: Point<'_>, current: f64) -> f64 {
        (at.x[self.a] - at.x[self.b]) * current
    }
}
