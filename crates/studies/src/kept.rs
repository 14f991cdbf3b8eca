//! Where a run ended, whichever engine it was simulated by.

use circuit::{Circuit, Engine};
use device::Equations;
use recording::Unfit;
use serde::{Deserialize, Serialize};

/// What it takes to go on from where a run ended.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
pub enum Kept {
    /// At device level.
    DeviceLevel(device::Kept),
    /// By switching.
    Switched(switched::Kept),
}

impl Kept {
    /// Simulated time reached, s.
    pub fn time(&self) -> f64 {
        match self {
            Kept::DeviceLevel(kept) => kept.time,
            Kept::Switched(kept) => kept.time,
        }
    }

    /// Whether a circuit can be gone on with from here.
    ///
    /// # Errors
    /// [`Unfit`] if the state is of another circuit or of another version of the numerics.
    pub fn fits(&self, circuit: &Circuit) -> Result<(), Unfit> {
        match self {
            Kept::DeviceLevel(kept) => kept.fits(&Equations::new(circuit)),
            Kept::Switched(kept) => kept.fits(circuit),
        }
    }

    pub(crate) fn engine(&self) -> Engine {
        match self {
            Kept::DeviceLevel(_) => Engine::DeviceLevel,
            Kept::Switched(_) => Engine::Switched,
        }
    }
}
