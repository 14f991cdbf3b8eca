//! The pieces a circuit consists of, for another solver to walk through: what this engine is compared with.

use crate::error::SwitchedError;
use crate::parts;
use crate::stepping::machine::Machine;
use circuit::Circuit;
use linear::{Matrix, dot};

/// Corrections of the time of an event.
const CORRECTIONS: usize = 3;

/// A circuit in one piece after the other: `ż = A·z` as long as no guard falls below zero and the time of the next corner has
/// not come. Of what runs the states come first, then what the sources do.
pub struct Pieces {
    machine: Machine,
}

impl Pieces {
    /// The first piece of a circuit, at time zero.
    ///
    /// # Errors
    /// As [`Transient::new`](crate::Transient::new).
    pub fn new(circuit: &Circuit) -> Result<Self, SwitchedError> {
        let mut machine = Machine::new(parts::network(circuit)?);
        machine.begin()?;
        Ok(Pieces { machine })
    }

    /// Where it stands, s.
    pub fn time(&self) -> f64 {
        self.machine.t
    }

    /// What runs there.
    pub fn running(&self) -> &[f64] {
        &self.machine.z
    }

    /// `A` of the piece at hand, 1/s.
    pub fn rates(&self) -> &Matrix {
        &self.machine.compiled[self.machine.at].of.rates
    }

    /// Rows over what runs that are not negative as long as this piece lasts.
    pub fn guards(&self) -> impl Iterator<Item = &[f64]> {
        self.machine.compiled[self.machine.at].of.guards.iter().map(|guard| guard.levels[0].as_slice())
    }

    /// The next time, s, at which a piece ends whatever runs.
    pub fn corner(&self) -> f64 {
        self.machine.next_corner()
    }

    /// Voltages of nets and currents of parts, in the order of [`recording::columns`] without powers.
    pub fn values(&self) -> Vec<f64> {
        let network = &self.machine.network;
        let of = &self.machine.compiled[self.machine.at].of;
        network.recorded().map(|row| dot(&of.row(network, &row), &self.machine.z)).collect()
    }

    /// Goes to a later time, s, with what runs there, and nothing happens.
    ///
    /// # Panics
    /// If there is not as much of it as runs.
    pub fn come(&mut self, t: f64, running: &[f64]) {
        self.machine.t = t;
        self.machine.z.copy_from_slice(running);
        self.machine.set_inputs();
    }

    /// The same, at a corner or where a guard, by its place, has fallen to zero, and enters the piece that follows.
    ///
    /// # Errors
    /// [`SwitchedError::Impossible`] and [`SwitchedError::Restless`] if none does.
    ///
    /// # Panics
    /// If there is not as much of it as runs, or no such guard.
    pub fn enter(&mut self, t: f64, running: &[f64], guard: Option<usize>) -> Result<(), SwitchedError> {
        self.come(t, running);
        let Some(guard) = guard else { return self.machine.corner().map(|_| ()) };
        // What falls is zero at an event, not what another solver's tolerance makes of it.
        for _ in 0..CORRECTIONS {
            let rates = self.machine.rates();
            let row = &self.machine.compiled[self.machine.at].of.guards[guard].levels[0];
            let later = -dot(row, &self.machine.z) / dot(row, &rates);
            if !later.is_finite() {
                break;
            }
            self.machine.t += later;
            self.machine.z.iter_mut().zip(&rates).for_each(|(z, rate)| *z += later * rate);
        }
        self.machine.set_inputs();
        self.machine.give_way(guard).map(|_| ())
    }
}
