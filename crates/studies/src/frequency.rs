//! Responses to small sinusoids about the operating point, of any signal.

use circuit::{Circuit, Quantity, Signal, SignalError, Term};
use device::{EngineError, SmallSignal};
use readings::Recipe;
use recording::{Complex64, Excitation, sweep};

/// Frequencies to look at.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct Grid {
    /// First, Hz.
    pub from: f64,
    /// Last, Hz.
    pub to: f64,
    /// Points per decade; more are added where the response bends.
    pub per_decade: f64,
}

/// Why a response could not be found.
#[derive(Clone, Debug, PartialEq, thiserror::Error)]
pub enum FrequencyError {
    /// The signal does not exist in this circuit.
    #[error("{0}")]
    Signal(#[from] SignalError),
    /// A power does not answer in proportion.
    #[error("{0} is a power, which does not answer a small signal in proportion; name a voltage or a current")]
    Power(String),
    /// The circuit could not be solved.
    #[error("{0}")]
    Engine(#[from] EngineError),
}

/// Response of a signal to an excitation of 1 V or 1 A, over frequency.
///
/// # Errors
/// [`FrequencyError`] naming signal, net or part.
pub fn response(
    circuit: &Circuit,
    excitation: &Excitation,
    signal: &Signal,
    grid: Grid,
) -> Result<Vec<(f64, Complex64)>, FrequencyError> {
    if signal.quantity() == Quantity::Power {
        return Err(FrequencyError::Power(signal.to_string()));
    }
    let recipe = Recipe::new(circuit, signal)?;
    let mut linear = SmallSignal::new(circuit)?;
    let points = sweep(grid.from, grid.to, grid.per_decade, |frequency| {
        let response = linear.respond(excitation, frequency)?;
        let phasors: Vec<_> = recipe
            .columns()
            .into_iter()
            .map(|key| {
                let phasor = match key.quantity {
                    Quantity::Voltage => response.net(&key.of),
                    _ => response.current(&key.of),
                };
                let phasor = phasor.unwrap_or_default();
                (key.clone(), [[phasor.re], [phasor.im]])
            })
            .collect();
        let part = |which: usize| {
            let column = |key: &_| phasors.iter().find(|(k, _)| k == key).map(|(_, p)| p[which].as_slice());
            recipe.evaluate(1, column)[0]
        };
        Ok::<_, EngineError>(Complex64::new(part(0), part(1)))
    })?;
    Ok(points)
}

/// Impedance seen between two nets, Ω.
///
/// # Errors
/// As [`response`].
pub fn impedance(
    circuit: &Circuit,
    net: &str,
    back: &str,
    grid: Grid,
) -> Result<Vec<(f64, Complex64)>, FrequencyError> {
    let term = |of: &str, negative| Term { negative, of: of.to_owned(), quantity: Quantity::Voltage };
    let signal = Signal { terms: vec![term(net, false), term(back, true)] };
    response(circuit, &Excitation::Current(net.to_owned(), back.to_owned()), &signal, grid)
}
