//! Capacitor with equivalent series resistance: `q = C·v_C`, `v = v_C + ESR·dq/dt`.
//!
//! The charge is the dynamic quantity. With an ESR the voltage across the capacitance is an
//! unknown of its own. Without one the current is `dq/dt`, known to the engine only through the
//! solution: it is kept as an unknown too, with the row `dq/dt − i = 0`.

use crate::contract::{Flow, Model, Point};
use crate::stamps::{Constants, Entry, Layout};
use circuit::ResolvedPart;

pub(super) struct Capacitor {
    plus: usize,
    minus: usize,
    /// The current, an unknown.
    branch: usize,
    capacitance: f64,
    esr: f64,
    initial_voltage: f64,
    /// `plus` and `minus` rows against the current's column.
    rows: [Entry; 2],
    /// The branch row against `plus`, `minus` and the current.
    branch_row: [Entry; 3],
}

impl Capacitor {
    pub(super) fn new(part: &ResolvedPart, layout: &mut Layout) -> Self {
        let (plus, minus) = (part.pins[0], part.pins[1]);
        let branch = layout.branch(&part.id);
        Capacitor {
            plus,
            minus,
            branch,
            capacitance: part.value("capacitance"),
            esr: part.value("esr"),
            initial_voltage: part.value("initial_voltage"),
            rows: [layout.entry(plus, branch), layout.entry(minus, branch)],
            branch_row: [layout.entry(branch, plus), layout.entry(branch, minus), layout.entry(branch, branch)],
        }
    }

    fn inner_voltage(&self, at: Point<'_>) -> f64 {
        at.x[self.plus] - at.x[self.minus] - self.esr * at.x[self.branch]
    }
}

impl Model for Capacitor {
    fn constants(&self, constants: &mut Constants<'_>) {
        constants.g(self.rows[0], 1.0);
        constants.g(self.rows[1], -1.0);
        // d/dt C·(v − ESR·i) − i = 0
        constants.g(self.branch_row[2], -1.0);
        constants.c(self.branch_row[0], self.capacitance);
        constants.c(self.branch_row[1], -self.capacitance);
        constants.c(self.branch_row[2], -self.capacitance * self.esr);
    }
    fn initial(&self, charges: &mut [f64]) {
        charges[self.branch] = self.capacitance * self.initial_voltage;
    }
    fn flow(&self, at: Point<'_>) -> Flow {
        Flow::along(at.x[self.plus] - at.x[self.minus], at.x[self.branch])
    }
    fn current_unknown(&self) -> Option<usize> {
        Some(self.branch)
    }
    fn loss(&self, _at: Point<'_>, flow: Flow) -> f64 {
        self.esr * flow.current * flow.current
    }
    fn stored(&self, at: Point<'_>) -> f64 {
        let v = self.inner_voltage(at);
        0.5 * self.capacitance * v * v
    }
    fn imposed_voltage(&self) -> f64 {
        self.initial_voltage.abs()
    }
}
