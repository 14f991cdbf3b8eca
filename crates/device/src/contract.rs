//! What the equations ask of a device's model, and what they tell it.

use crate::stamps::{Constants, Stamps};

/// Conductance across junctions, S; keeps what only reverse-biased junctions define defined.
pub(crate) const GMIN: f64 = 1e-12;

/// Where the unknowns stand: their values and the time in seconds.
#[derive(Clone, Copy)]
pub(crate) struct Point<'a> {
    pub(crate) x: &'a [f64],
    pub(crate) t: f64,
}

/// What flows into a part.
#[derive(Clone, Copy, Debug, Default)]
pub(crate) struct Flow {
    /// Current into the first pin, A.
    pub(crate) current: f64,
    /// Power absorbed at the pins, W.
    pub(crate) power: f64,
}

impl Flow {
    /// Of a part with two pins.
    pub(crate) fn along(voltage: f64, current: f64) -> Self {
        Flow { current, power: voltage * current }
    }
}

/// What the engine asks of a device.
///
/// Sign conventions: a current counts into the pin, power counts as absorbed.
pub(crate) trait Model: Send + Sync {
    /// Stamps the entries that depend on neither time nor unknowns.
    fn constants(&self, _constants: &mut Constants<'_>) {}
    /// Whether [`Model::stamp`] has anything to add.
    fn varies(&self) -> bool {
        false
    }
    /// Whether the varying part depends on the unknowns, so that iteration is needed.
    fn nonlinear(&self) -> bool {
        false
    }
    /// Adds currents, charges and derivatives that depend on time or unknowns.
    fn stamp(&self, at: Point<'_>, _stamps: &mut Stamps<'_>) -> Flow {
        self.flow(at)
    }
    /// Sets the charges and fluxes held at switch-on.
    fn initial(&self, _charges: &mut [f64]) {}
    /// What flows into it at this point.
    fn flow(&self, at: Point<'_>) -> Flow;
    /// Power absorbed and not stored, W, given what flows; negative for what a source delivers.
    fn loss(&self, _at: Point<'_>, flow: Flow) -> f64 {
        flow.power
    }
    /// Energy stored, J.
    fn stored(&self, _at: Point<'_>) -> f64 {
        0.0
    }
    /// The first time after `t` at which a waveform has a corner, s.
    fn next_corner(&self, _t: f64) -> Option<f64> {
        None
    }
    /// Whether the device trips between two states, one of which is an unknown of its own.
    fn trips(&self) -> bool {
        false
    }
    /// How far it is from tripping, relative to its thresholds; negative beyond.
    fn margin(&self, _at: Point<'_>) -> f64 {
        f64::INFINITY
    }
    /// Goes over to the other state at a time, s.
    fn trip(&self, _x: &mut [f64], _t: f64) {}
    /// Whether a corner has come at which it trips by time alone.
    fn due(&self, _at: Point<'_>) -> bool {
        false
    }
    /// Lets that corner pass.
    fn pass(&self, _x: &mut [f64], _t: f64) {}
    /// Period of a clock of its own, s.
    fn period(&self) -> Option<f64> {
        None
    }
    /// Sets back by whole periods, s, what it counts.
    fn back(&self, _x: &mut [f64], _time: f64) {}
    /// Puts what only events change where it is at first.
    fn guess(&self, _x: &mut [f64]) {}
    /// What the device is doing, in the trade's words.
    fn region(&self, _at: Point<'_>) -> Option<&'static str> {
        None
    }
    /// The unknown that is the current into the first pin, if there is one.
    fn current_unknown(&self) -> Option<usize> {
        None
    }
    /// The row in which a voltage source's voltage stands.
    fn voltage_row(&self) -> Option<usize> {
        None
    }
    /// The largest voltage the device imposes, V; sets the scale errors are judged by.
    fn imposed_voltage(&self) -> f64 {
        0.0
    }
}
