//! Responses to small sinusoids, of any signal: about the operating point at device level, about the periodic state by
//! switching.

use crate::by_switching::MULTIPLIERS;
use crate::engine::engine_over_frequency;
use crate::simulated::stability;
use circuit::{Circuit, Engine, Quantity, Signal, SignalError, Term};
use device::EngineError;
use readings::Recipe;
use recording::{Complex64, Excitation, LoopGain, Observer, Probed, sweep};
use switched::SwitchedError;

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

/// Response of a signal to an excitation of 1 V or 1 A, over frequency, by the engine that is wanted or suits.
///
/// # Errors
/// [`FrequencyError`] naming signal, net or part.
pub fn response(
    circuit: &Circuit,
    excitation: &Excitation,
    signal: &Signal,
    grid: Grid,
    engine: Option<Engine>,
) -> Result<OverFrequency<Vec<(f64, Complex64)>>, FrequencyError> {
    if signal.quantity() == Quantity::Power {
        return Err(FrequencyError::Power(signal.to_string()));
    }
    let recipe = Recipe::new(circuit, signal)?;
    let (engine, simulated) = engine_over_frequency(circuit, engine);
    if engine == Engine::DeviceLevel {
        let mut linear = device::SmallSignal::new(circuit)?;
        let curve = sweep(grid.from, grid.to, grid.per_decade, |frequency| {
            let found = linear.respond(excitation, frequency)?;
            Ok::<_, EngineError>(phasor(&recipe, |net| found.net(net), |part| found.current(part)))
        })?;
        return Ok(OverFrequency { curve, simulated, remarks: Vec::new() });
    }
    let linear = switched::SmallSignal::new(circuit, excitation, &mut Unwatched)?;
    let (grid, remarks) = below_half(&linear, grid)?;
    let curve = sweep(grid.from, grid.to, grid.per_decade, |frequency| {
        let found = linear.respond(frequency);
        Ok::<_, FrequencyError>(phasor(&recipe, |net| found.net(net), |part| found.current(part)))
    })?;
    Ok(OverFrequency { curve, simulated, remarks })
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
    engine: Option<Engine>,
) -> Result<OverFrequency<Vec<(f64, Complex64)>>, FrequencyError> {
    let term = |of: &str, negative| Term { negative, of: of.to_owned(), quantity: Quantity::Voltage };
    let signal = Signal { terms: vec![term(net, false), term(back, true)] };
    response(circuit, &Excitation::Current(net.to_owned(), back.to_owned()), &signal, grid, engine)
}

/// Loop gain at a pin of a part. At device level it does not depend on where the loop is entered; by switching the pin should be
/// one that draws little current, as at an analyser.
///
/// # Errors
/// As [`response`].
pub fn loop_gain(
    circuit: &Circuit,
    (part, pin): (&str, &str),
    grid: Grid,
    engine: Option<Engine>,
    measured: Loop,
) -> Result<OverFrequency<LoopGain>, FrequencyError> {
    let (engine, simulated) = engine_over_frequency(circuit, engine);
    if engine == Engine::DeviceLevel {
        let curve = device::loop_gain(circuit, part, pin, grid.from, grid.to, grid.per_decade)?;
        let same = "At device level a loop cut open and a closed one have the same gain; it was not cut";
        let remarks = (measured == Loop::Cut).then(|| same.to_owned()).into_iter().collect();
        return Ok(OverFrequency { curve, simulated, remarks });
    }
    let unknown = || SwitchedError::Unknown { what: format!("pin {pin} of {part}") };
    let probed = Probed::new(circuit, part, pin).ok_or_else(unknown)?;
    let linear = match measured {
        Loop::Closed => {
            let probe = Excitation::Source(probed.probe.clone());
            switched::SmallSignal::new(&probed.circuit, &probe, &mut Unwatched)?
        }
        Loop::Cut => switched::SmallSignal::opened(&probed, &mut Unwatched)?,
    };
    let (grid, remarks) = below_half(&linear, grid)?;
    let points = sweep(grid.from, grid.to, grid.per_decade, |frequency| {
        let found = linear.respond(frequency);
        let side = |net: &str| found.net(net).unwrap_or_default();
        Ok::<_, FrequencyError>(-side(&probed.outer) / side(&probed.inner))
    })?;
    let (frequencies, gain) = points.into_iter().unzip();
    Ok(OverFrequency { curve: LoopGain { frequencies, gain }, simulated, remarks })
}

/// A signal's phasor from those of nets and parts.
fn phasor(
    recipe: &Recipe,
    net: impl Fn(&str) -> Option<Complex64>,
    part: impl Fn(&str) -> Option<Complex64>,
) -> Complex64 {
    let phasors: Vec<_> = recipe
        .columns()
        .into_iter()
        .map(|key| {
            let phasor = match key.quantity {
                Quantity::Voltage => net(&key.of),
                _ => part(&key.of),
            };
            let phasor = phasor.unwrap_or_default();
            (key.clone(), [[phasor.re], [phasor.im]])
        })
        .collect();
    let side = |which: usize| {
        let column = |key: &_| phasors.iter().find(|(k, _)| k == key).map(|(_, p)| p[which].as_slice());
        recipe.evaluate(1, column)[0]
    };
    Complex64::new(side(0), side(1))
}

/// Part of half the switching frequency up to which is looked.
const SHORT_OF_HALF: f64 = 0.998;

/// The grid as far as it lies below half the switching frequency, and what is to be said of that and of the state looked at.
fn below_half(linear: &switched::SmallSignal, grid: Grid) -> Result<(Grid, Vec<String>), FrequencyError> {
    let half = 0.5 / linear.clock();
    let to = grid.to.min(SHORT_OF_HALF * half);
    if grid.from >= to {
        return Err(FrequencyError::BeyondHalf(half));
    }
    let mut remarks: Vec<String> = stability(&linear.multipliers, MULTIPLIERS).into_iter().collect();
    if to < grid.to {
        remarks.push(format!(
            "Shown up to half the switching frequency, {half:.6e} Hz: there a sinusoid cannot be told from its own reflection"
        ));
    }
    Ok((Grid { to, ..grid }, remarks))
}

/// Nobody waits for it to be stopped, and nothing is recorded.
struct Unwatched;

impl Observer for Unwatched {
    fn progress(&mut self, _: &recording::Progress<'_>) -> recording::Command {
        recording::Command::Continue
    }
    fn record(&mut self, _: recording::Chunk) {}
}
