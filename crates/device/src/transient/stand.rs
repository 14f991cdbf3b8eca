//! Where a transient stands, in memory.

use crate::equations::Equations;

/// Where a transient stands: all it takes to begin there anew.
#[derive(Clone, Debug)]
pub(crate) struct Stand {
    /// Time, s.
    pub(crate) t: f64,
    pub(crate) x: Vec<f64>,
    /// Charges and fluxes; the unknowns follow from these.
    pub(crate) q: Vec<f64>,
    /// Largest magnitude of each unknown so far.
    pub(crate) scales: Vec<f64>,
}

impl Stand {
    /// Sets the time back, s, and what models count with it.
    pub(crate) fn back(&mut self, equations: &Equations, time: f64) {
        self.t -= time;
        for model in &equations.models {
            model.back(&mut self.x, time);
            model.back(&mut self.q, time);
        }
    }
}
