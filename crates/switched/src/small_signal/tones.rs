//! A circuit with sinusoids of finite size in it, as an analyser on the bench puts them there.

use crate::error::SwitchedError;
use crate::network::Network;
use crate::network::course::Course;
use crate::network::row::{Of, Row};
use crate::parts;
use crate::periodic::Settled;
use crate::small_signal::shake;
use circuit::Circuit;
use recording::{Excitation, Observer};

/// `amplitude·sin(2π·frequency·t + phase)`.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct Tone {
    /// Hz.
    pub frequency: f64,
    /// Radians.
    pub phase: f64,
    /// Peak, V or A.
    pub amplitude: f64,
}

impl Settled {
    /// Finds the periodic steady state of a circuit with tones added where an excitation is; their frequencies have to fit into a common
    /// period with what else repeats.
    ///
    /// # Errors
    /// [`SwitchedError::Unknown`] if there is no such source or net; as [`Settled::find`].
    pub fn with_tones(
        circuit: &Circuit,
        excitation: &Excitation,
        tones: &[Tone],
        observer: &mut dyn Observer,
    ) -> Result<Self, SwitchedError> {
        Settled::of(with(circuit, excitation, tones)?, circuit, None, observer)
    }

    /// The same, looked for from the periodic state without tones, which is this.
    ///
    /// # Errors
    /// As [`Settled::with_tones`].
    pub fn shaken(
        &mut self,
        circuit: &Circuit,
        excitation: &Excitation,
        tones: &[Tone],
        observer: &mut dyn Observer,
    ) -> Result<Self, SwitchedError> {
        Settled::of(with(circuit, excitation, tones)?, circuit, Some(self), observer)
    }
}

/// The circuit's network with tones where an excitation is.
fn with(circuit: &Circuit, excitation: &Excitation, tones: &[Tone]) -> Result<Network, SwitchedError> {
    let mut network = parts::network(circuit)?;
    let sum = tones.iter().fold(Row::default(), |sum, tone| {
        let Tone { frequency, phase, amplitude } = *tone;
        sum.plus(1.0, Of::Input(network.input(Course::Sine { frequency, phase, amplitude, then: None })))
    });
    shake(circuit, &mut network, excitation, &sum)?;
    Ok(network)
}
