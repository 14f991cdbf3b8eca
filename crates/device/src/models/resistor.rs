//! Resistor: `i = v/R`.

use crate::contract::{Flow, Model, Point};
use crate::stamps::{Constants, Entry, Layout};
use circuit::ResolvedPart;

/// Temperature the resistance is given for, °C.
const GIVEN_AT: f64 = 25.0;
const LEAST_FACTOR: f64 = 1e-3;

pub(super) struct Resistor {
    a: usize,
    b: usize,
    conductance: f64,
    entries: [Entry; 4],
}

impl Resistor {
    pub(super) fn new(part: &ResolvedPart, layout: &mut Layout) -> Self {
        let (a, b) = (part.pins[0], part.pins[1]);
        let warmer = part.value("temperature") - GIVEN_AT;
        // A coefficient that would make the resistance vanish is stopped short of it.
        let factor = (1.0 + part.value("temperature_coefficient") * warmer).max(LEAST_FACTOR);
        let conductance = 1.0 / (part.value("resistance") * factor);
        Resistor { a, b, conductance, entries: layout.between(a, b) }
    }
}

impl Model for Resistor {
    fn constants(&self, constants: &mut Constants<'_>) {
        constants.conductance(self.entries, self.conductance);
    }
    fn flow(&self, at: Point<'_>) -> Flow {
        let voltage = at.x[self.a] - at.x[self.b];
        Flow::along(voltage, voltage * self.conductance)
    }
}
