//! Several questions answered together, about one state of one circuit, at the same frequencies.

use super::FrequencyError;
use crate::by_switching::MULTIPLIERS;
use crate::engine::engine_over_frequency;
use crate::simulated::stability;
use crate::tones::{Reader, TonePoint, measured};
use crate::version::version;
use circuit::{Circuit, Engine, FrequencyGrid, KindId, Quantity, ResolvedAsk, ResolvedTones, Signal, Term};
use device::EngineError;
use readings::Recipe;
use recording::{Chunk, Command, Complex64, Excitation, Health, Observer, Probed, Progress, sweep_together};
use switched::{Shaken, SwitchedError};

/// Answers to several questions.
#[derive(Clone, Debug, PartialEq)]
pub struct Answers {
    /// Frequencies, Hz, ascending.
    pub frequencies: Vec<f64>,
    /// The answer to each question at each of them, in the order asked.
    pub values: Vec<Vec<Complex64>>,
    /// Which engine answered, and why.
    pub simulated: String,
    /// Its version.
    pub version: String,
    /// Half the switching frequency, Hz, beyond which nothing is told apart; none about an operating point.
    pub half: Option<f64>,
    /// What else is to be said.
    pub remarks: Vec<String>,
}

/// Part of half the switching frequency up to which is looked.
const SHORT_OF_HALF: f64 = 0.998;

/// Answers questions over frequency, by the engine that is wanted or suits: about the operating point at device level, about the
/// periodic state by switching. What is put in is put in for the answer alone.
///
/// # Errors
/// [`FrequencyError`] naming signal, net or part.
pub fn answers(
    circuit: &Circuit,
    asks: &[ResolvedAsk],
    grid: FrequencyGrid,
    engine: Option<Engine>,
    observer: &mut dyn Observer,
) -> Result<Answers, FrequencyError> {
    let (engine, simulated) = engine_over_frequency(circuit, engine);
    let mut probed = circuit.clone();
    let mut plans = Vec::with_capacity(asks.len());
    for ask in asks {
        plans.push(Plan::new(ask, circuit, &mut probed, engine)?);
    }
    let mut remarks = Vec::new();
    let mut half = None;
    let mut grid = grid;
    let mut told = Stopping { observer, grid, stops: false };
    let points = if engine == Engine::DeviceLevel {
        if plans.iter().any(|plan| matches!(plan, Plan::Loop { cut: true, .. })) {
            let same = "At device level a loop cut open and a closed one have the same gain; it was not cut";
            remarks.push(same.to_owned());
        }
        let mut linear = device::SmallSignal::new(&probed).map_err(|error| named(error, &plans))?;
        sweep_together(grid.from, grid.to, grid.per_decade, |frequency| {
            told.at(frequency).map_err(|()| FrequencyError::Engine(EngineError::Stopped))?;
            let values = plans.iter().map(|plan| plan.at_device_level(&mut linear, frequency));
            values.collect::<Result<Vec<_>, _>>().map_err(|error| FrequencyError::Engine(named(error, &plans)))
        })?
    } else {
        let shaken: Vec<Shaken> = plans.iter().map(Plan::shaken).collect();
        let linear = switched::SmallSignal::several(&probed, &shaken, &mut Unrecorded(told.observer))?;
        if let Some(first) = linear.first() {
            let end = 0.5 / first.clock();
            half = Some(end);
            let to = grid.to.min(SHORT_OF_HALF * end);
            if grid.from >= to {
                return Err(FrequencyError::BeyondHalf(end));
            }
            remarks.extend(stability(&first.multipliers, MULTIPLIERS));
            if grid.to > end * (1.0 + 1e-9) {
                remarks.push(format!(
                    "Shown up to half the switching frequency, {end:.6e} Hz: there a sinusoid cannot be told from its own \
                     reflection"
                ));
            }
            grid.to = to;
        }
        sweep_together(grid.from, grid.to, grid.per_decade, |frequency| {
            told.at(frequency).map_err(|()| FrequencyError::Switched(SwitchedError::Stopped))?;
            Ok::<_, FrequencyError>(
                plans.iter().zip(&linear).map(|(plan, l)| plan.by_switching(l, frequency)).collect(),
            )
        })?
    };
    let mut values = vec![Vec::with_capacity(points.len()); asks.len()];
    let mut frequencies = Vec::with_capacity(points.len());
    for (frequency, answers) in points {
        frequencies.push(frequency);
        values.iter_mut().zip(answers).for_each(|(column, value)| column.push(value));
    }
    Ok(Answers { frequencies, values, simulated, version: version(engine), half, remarks })
}

/// The same question measured with tones in the time domain, by the same engine. The frequencies are those of the grid, with as many a
/// decade as the tones say.
///
/// # Errors
/// As [`answers`], and where the circuit does not settle with tones in it.
pub(crate) fn with_tones(
    circuit: &Circuit,
    ask: &ResolvedAsk,
    tones: ResolvedTones,
    grid: FrequencyGrid,
    engine: Option<Engine>,
    observer: &mut dyn Observer,
) -> Result<Vec<TonePoint>, FrequencyError> {
    let (engine, _) = engine_over_frequency(circuit, engine);
    let mut probed = circuit.clone();
    let plan = Plan::new(ask, circuit, &mut probed, engine)?;
    let grid = FrequencyGrid { per_decade: tones.per_decade, ..grid };
    let mut hear = |excitation: &Excitation, read: Reader| {
        measured(&probed, (excitation, &read), grid, engine, tones.amplitude, observer)
    };
    let probe = match &plan {
        Plan::Ratio { excitation, read, over, sign } => {
            let points = hear(excitation, Reader { above: read.clone(), below: None })?;
            let value = |point: TonePoint| TonePoint { value: turned(point.value, *over, *sign), ..point };
            return Ok(points.into_iter().map(value).collect());
        }
        Plan::Loop { probed, .. } => probed,
    };
    // As an analyser reads it, one side of what is put in against the other: the loop gain at a pin that draws little current.
    let net = |name: &str| Recipe::new(&probe.circuit, &across(name, circuit::GND));
    let sides = Reader { above: net(&probe.outer)?, below: Some(net(&probe.inner)?) };
    hear(&Excitation::Source(probe.probe.clone()), sides)
}

/// How a question is answered: what is shaken and what is read.
enum Plan {
    /// A signal per what shakes, or that turned over.
    Ratio { excitation: Excitation, read: Recipe, over: bool, sign: f64 },
    /// What comes round to a probe.
    Loop { probed: Box<Probed>, part: String, pin: String, cut: bool },
}

impl Plan {
    fn new(ask: &ResolvedAsk, circuit: &Circuit, probed: &mut Circuit, engine: Engine) -> Result<Self, FrequencyError> {
        let ratio = |excitation: Excitation, signal: &Signal, over: bool, sign: f64| {
            if signal.quantity() == Quantity::Power {
                return Err(FrequencyError::Power(signal.to_string()));
            }
            Ok(Plan::Ratio { excitation, read: Recipe::new(circuit, signal)?, over, sign })
        };
        match ask {
            ResolvedAsk::LoopGain { part, pin, cut } => {
                let found =
                    Probed::new(probed, part, pin).ok_or_else(|| unknown(engine, format!("pin {pin} of {part}")))?;
                probed.clone_from(&found.circuit);
                Ok(Plan::Loop { probed: Box::new(found), part: part.clone(), pin: pin.clone(), cut: *cut })
            }
            ResolvedAsk::Response { source, signal } => ratio(of_source(circuit, source, engine)?, signal, false, 1.0),
            ResolvedAsk::LineRejection { source, signal } => {
                ratio(of_source(circuit, source, engine)?, signal, true, 1.0)
            }
            ResolvedAsk::OutputImpedance { net, back } => {
                ratio(Excitation::Current(net.clone(), back.clone()), &across(net, back), false, 1.0)
            }
            ResolvedAsk::InputImpedance { source } => match of_source(circuit, source, engine)? {
                // What it delivers per volt is an admittance; its current counts into its plus.
                excitation @ Excitation::Source(_) => {
                    let term = Term { negative: false, of: source.clone(), quantity: Quantity::Current };
                    ratio(excitation, &Signal { terms: vec![term] }, true, -1.0)
                }
                Excitation::Current(into, out_of) => {
                    let signal = across(&into, &out_of);
                    ratio(Excitation::Current(into, out_of), &signal, false, 1.0)
                }
            },
        }
    }

    fn shaken(&self) -> Shaken {
        match self {
            Plan::Ratio { excitation, .. } => Shaken::By(excitation.clone()),
            Plan::Loop { probed, cut: true, .. } => Shaken::cut(probed),
            Plan::Loop { probed, .. } => Shaken::By(Excitation::Source(probed.probe.clone())),
        }
    }

    fn at_device_level(&self, linear: &mut device::SmallSignal, frequency: f64) -> Result<Complex64, EngineError> {
        match self {
            Plan::Ratio { excitation, read, over, sign } => {
                let found = linear.respond(excitation, frequency)?;
                Ok(turned(phasor(read, |net| found.net(net), |part| found.current(part)), *over, *sign))
            }
            Plan::Loop { probed, .. } => linear.return_ratio(probed, frequency),
        }
    }

    fn by_switching(&self, linear: &switched::SmallSignal, frequency: f64) -> Complex64 {
        let found = linear.respond(frequency);
        match self {
            Plan::Ratio { read, over, sign, .. } => {
                turned(phasor(read, |net| found.net(net), |part| found.current(part)), *over, *sign)
            }
            Plan::Loop { probed, .. } => {
                let side = |net: &str| found.net(net).unwrap_or_default();
                -side(&probed.outer) / side(&probed.inner)
            }
        }
    }
}

fn turned(value: Complex64, over: bool, sign: f64) -> Complex64 {
    sign * if over { value.inv() } else { value }
}

/// The voltage of one net against another.
fn across(net: &str, back: &str) -> Signal {
    let term = |of: &str, negative| Term { negative, of: of.to_owned(), quantity: Quantity::Voltage };
    Signal { terms: vec![term(net, false), term(back, true)] }
}

fn unknown(engine: Engine, what: String) -> FrequencyError {
    match engine {
        Engine::DeviceLevel => EngineError::Unknown { what }.into(),
        Engine::Switched => SwitchedError::Unknown { what }.into(),
    }
}

/// One volt or one ampere more of a source.
fn of_source(circuit: &Circuit, source: &str, engine: Engine) -> Result<Excitation, FrequencyError> {
    let part = circuit.part(source).map(|index| &circuit.parts[index]);
    match part {
        Some(part) if part.kind == KindId::CurrentSource => {
            let net = |pin: usize| circuit.nets[part.pins[pin]].clone();
            // From a through the source to b: out of a's net, into b's.
            Ok(Excitation::Current(net(1), net(0)))
        }
        Some(_) => Ok(Excitation::Source(source.to_owned())),
        None => Err(unknown(engine, format!("source {source}"))),
    }
}

/// What goes wrong at a probe goes wrong at its pin.
fn named(error: EngineError, plans: &[Plan]) -> EngineError {
    plans.iter().fold(error, |error, plan| match plan {
        Plan::Loop { probed, part, pin, .. } => {
            error.renamed(&probed.probe, &format!("{part} at pin {pin}")).renamed(&probed.inner, pin)
        }
        Plan::Ratio { .. } => error,
    })
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

/// Tells how far the frequencies are passed, and hears whether to stop.
struct Stopping<'a> {
    observer: &'a mut dyn Observer,
    grid: FrequencyGrid,
    stops: bool,
}

impl Stopping<'_> {
    fn at(&mut self, frequency: f64) -> Result<(), ()> {
        let health = Health::default();
        let share = (frequency / self.grid.from).ln() / (self.grid.to / self.grid.from).ln();
        let progress = Progress { time: share, end: 1.0, health: &health };
        self.stops |= self.observer.progress(&progress) == Command::Stop;
        if self.stops { Err(()) } else { Ok(()) }
    }
}

/// Passes on how far the search for the periodic state is, and records nothing of it.
struct Unrecorded<'a>(&'a mut dyn Observer);

impl Observer for Unrecorded<'_> {
    fn progress(&mut self, progress: &Progress<'_>) -> Command {
        self.0.progress(progress)
    }
    fn record(&mut self, _: Chunk) {}
}
