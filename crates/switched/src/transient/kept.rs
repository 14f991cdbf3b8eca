//! Where a transient stands, kept so that it can be gone on with later, elsewhere.

use crate::VERSION;
use crate::error::SwitchedError;
use crate::network::Network;
use crate::parts;
use crate::stepping::machine::{Machine, Placed};
use crate::stepping::walker::Sight;
use crate::transient::{Settings, Transient};
use circuit::Circuit;
use recording::{Health, Unfit};
use serde::{Deserialize, Serialize};

/// The end state of a transient, all of which it takes to go on from there to the bit: what runs, what conducts, how many corners have
/// passed, the largest everything has been, the books of energy, and the statistics.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
pub struct Kept {
    version: String,
    /// Simulated time reached, s.
    pub time: f64,
    /// Nets and parts, by name.
    names: Vec<String>,
    placed: Placed,
    sight: Sight,
    delivered: f64,
    dissipated: f64,
    stored_first: f64,
    /// Time, s, and values of the last node recorded, if there was one.
    last: Option<(f64, Vec<f64>)>,
    health: Health,
}

fn names(network: &Network) -> Vec<String> {
    network.nets.iter().cloned().chain(network.parts.iter().map(|part| part.id.clone())).collect()
}

impl Transient {
    /// What it takes to go on later; `health` is what [`advance`](Self::advance) left.
    pub fn kept(&self, health: &Health) -> Kept {
        let machine = &self.walker.machine;
        Kept {
            version: VERSION.to_owned(),
            time: machine.t,
            names: names(&machine.network),
            placed: machine.placed(),
            sight: self.walker.sight(),
            delivered: self.recorder.delivered,
            dissipated: self.recorder.dissipated,
            stored_first: self.stored_first,
            last: self.recorder.recorded_last(),
            health: health.clone(),
        }
    }

    /// A transient that goes on where another ended. What it records follows what the other had recorded.
    ///
    /// # Errors
    /// [`SwitchedError::Unfit`] if the state is of another circuit or of another version of the numerics; as [`Transient::new`].
    pub fn resume(
        circuit: &Circuit,
        settings: &Settings,
        kept: &Kept,
        health: &mut Health,
    ) -> Result<Self, SwitchedError> {
        let network = parts::network(circuit)?;
        kept.belongs(&network)?;
        *health = kept.health.clone();
        let mut machine = Machine::new(network);
        machine.place(kept.time, &kept.placed)?;
        let mut transient = Transient::of(machine, settings, kept.stored_first);
        transient.walker.resume(kept.sight.clone(), kept.health.steps > 0);
        transient.strike_again(&health.pulses);
        if let Some(last) = kept.last.clone() {
            transient.recorder.resume(last);
        }
        (transient.recorder.delivered, transient.recorder.dissipated) = (kept.delivered, kept.dissipated);
        Ok(transient)
    }
}

impl Kept {
    /// Whether a circuit can be gone on with from here.
    ///
    /// # Errors
    /// [`Unfit`] if the state is of another circuit or of another version of the numerics.
    pub fn fits(&self, circuit: &Circuit) -> Result<(), Unfit> {
        parts::network(circuit).map_err(|_| Unfit::Circuit).and_then(|network| self.belongs(&network))
    }

    fn belongs(&self, network: &Network) -> Result<(), Unfit> {
        if self.version != VERSION {
            return Err(Unfit::Version { left: self.version.clone(), now: VERSION });
        }
        let whole = self.placed.fits(network) && self.sight.full.len() + 1 == network.nets.len() + network.parts.len();
        if whole && self.names == names(network) { Ok(()) } else { Err(Unfit::Circuit) }
    }
}
