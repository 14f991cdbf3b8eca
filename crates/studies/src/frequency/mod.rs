//! Responses to small sinusoids, of any signal: about the operating point at device level, about the periodic state by
//! switching.

mod answers;

pub(crate) use answers::with_tones;
pub use answers::{Answers, answers};
use circuit::{Circuit, Engine, FrequencyGrid, ResolvedAsk, Signal, SignalError};
use device::EngineError;
use recording::{Complex64, LoopGain, Observer};
use switched::SwitchedError;

/// How a loop gain is measured in a circuit that switches.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq)]
pub enum Loop {
    /// With the loop closed and a voltage in it, as an analyser reads it: what of the ripple comes round is part of it.
    #[default]
    Closed,
    /// With the loop cut behind the periodic state.
    Cut,
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
    /// There is nothing below half the switching frequency.
    #[error(
        "the first frequency is not below {0:.6e} Hz, half the switching frequency, at which a sinusoid cannot be told from its \
         own reflection; begin lower"
    )]
    BeyondHalf(f64),
    /// The circuit could not be solved at device level.
    #[error("{0}")]
    Engine(#[from] EngineError),
    /// The circuit could not be solved by switching.
    #[error("{0}")]
    Switched(#[from] SwitchedError),
}

impl FrequencyError {
    /// Whether it was only stopped.
    pub(crate) fn is_stop(&self) -> bool {
        matches!(self, FrequencyError::Engine(EngineError::Stopped) | FrequencyError::Switched(SwitchedError::Stopped))
    }

    /// Whether something was asked for that is not there, rather than something gone wrong.
    pub fn is_of_the_question(&self) -> bool {
        match self {
            FrequencyError::Signal(_) | FrequencyError::Power(_) | FrequencyError::BeyondHalf(_) => true,
            FrequencyError::Engine(error) => matches!(error, EngineError::Unknown { .. }),
            FrequencyError::Switched(error) => matches!(error, SwitchedError::Unknown { .. }),
        }
    }
}

/// What was found over frequency.
#[derive(Clone, Debug, PartialEq)]
pub struct OverFrequency<T> {
    /// The curve.
    pub curve: T,
    /// Which engine answered, and why.
    pub simulated: String,
    /// What else is to be said of it.
    pub remarks: Vec<String>,
}

/// Response of a signal to one volt or one ampere more of a source, over frequency.
///
/// # Errors
/// As [`answers()`].
pub fn response(
    circuit: &Circuit,
    source: &str,
    signal: &Signal,
    grid: FrequencyGrid,
    engine: Option<Engine>,
) -> Result<OverFrequency<Vec<(f64, Complex64)>>, FrequencyError> {
    alone(circuit, ResolvedAsk::Response { source: source.to_owned(), signal: signal.clone() }, grid, engine)
}

/// Impedance seen between two nets, Ω.
///
/// # Errors
/// As [`answers()`].
pub fn impedance(
    circuit: &Circuit,
    net: &str,
    back: &str,
    grid: FrequencyGrid,
    engine: Option<Engine>,
) -> Result<OverFrequency<Vec<(f64, Complex64)>>, FrequencyError> {
    alone(circuit, ResolvedAsk::OutputImpedance { net: net.to_owned(), back: back.to_owned() }, grid, engine)
}

/// Loop gain at a pin of a part. At device level it does not depend on where the loop is entered; by switching the pin should be
/// one that draws little current, as at an analyser.
///
/// # Errors
/// As [`answers()`].
pub fn loop_gain(
    circuit: &Circuit,
    (part, pin): (&str, &str),
    grid: FrequencyGrid,
    engine: Option<Engine>,
    measured: Loop,
) -> Result<OverFrequency<LoopGain>, FrequencyError> {
    let ask = ResolvedAsk::LoopGain { part: part.to_owned(), pin: pin.to_owned(), cut: measured == Loop::Cut };
    let OverFrequency { curve, simulated, remarks } = alone(circuit, ask, grid, engine)?;
    let (frequencies, gain) = curve.into_iter().unzip();
    Ok(OverFrequency { curve: LoopGain { frequencies, gain }, simulated, remarks })
}

/// One question by itself.
fn alone(
    circuit: &Circuit,
    ask: ResolvedAsk,
    grid: FrequencyGrid,
    engine: Option<Engine>,
) -> Result<OverFrequency<Vec<(f64, Complex64)>>, FrequencyError> {
    let Answers { frequencies, mut values, simulated, remarks, .. } =
        answers(circuit, &[ask], grid, engine, &mut Unwatched)?;
    Ok(OverFrequency { curve: frequencies.into_iter().zip(values.remove(0)).collect(), simulated, remarks })
}

/// Nobody waits for it to be stopped, and nothing is recorded.
struct Unwatched;

impl Observer for Unwatched {
    fn progress(&mut self, _: &recording::Progress<'_>) -> recording::Command {
        recording::Command::Continue
    }
    fn record(&mut self, _: recording::Chunk) {}
}
