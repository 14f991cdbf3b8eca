//! Responses measured in the time domain, as with an analyser on the bench: tones of finite size in a circuit that has settled,
//! correlated over whole periods. No small sinusoid is assumed; how large they may be is found, and how well each point is measured
//! said.

mod settling;

use crate::engine::engine_over_frequency;
use crate::frequency::FrequencyError;
use circuit::{Circuit, Engine, FrequencyGrid, Signal};
use device::EngineError;
use readings::{Recipe, Span, Spectrum, Waveform};
use recording::{Complex64, Excitation, Observer, log_grid};
use settling::{Period, settled};
use std::cell::RefCell;
use std::collections::BTreeMap;
use std::f64::consts::PI;
use switched::{Settled, SwitchedError, Tone};

/// Signal to distortion aimed at, dB, and how near is near enough.
const TARGET: f64 = 40.0;
const NEAR: f64 = 4.0;
/// First amplitude tried, V or A; times it is changed, and by how much at most.
const FIRST: f64 = 1e-3;
const MOST_CHANGES: usize = 6;
const MOST_CHANGE: f64 = 10.0;
/// Tones at once: more of them lie in each other's distortion.
const AT_ONCE: usize = 6;
/// Frequencies beside a tone in which nothing was put: what is there is distortion.
const BESIDE: usize = 6;
/// Relative change of an answer at a smaller amplitude from which on it is doubtful; and how much smaller. Half is not enough: a tone
/// that drives a coil through nothing most of the time does so at half its size too.
const DOUBTFUL: f64 = 0.01;
const SMALLER: f64 = 0.1;
/// Times an amplitude is made so much smaller because of that.
const MOST_TIMES: usize = 3;
/// Part of half the switching frequency up to which is measured.
const SHORT_OF_HALF: f64 = 0.998;
/// Times the lowest tone of those measured together comes round, so that the others find a place between its multiples; and periods of
/// the circuit in which all of them come round, at most.
const FINER: f64 = 4.0;
const MOST_PERIODS: f64 = 2000.0;

/// What is read at each tone.
#[derive(Clone, Debug)]
pub enum Read {
    /// A signal per what is put in.
    Response(Signal),
    /// A signal per another, taken negative: the loop gain between both sides of what is put in.
    Ratio(Signal, Signal),
}

/// A point as measured.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct TonePoint {
    /// Hz: a whole multiple of one over the period in which everything comes round.
    pub frequency: f64,
    /// Hz, what was asked for, to which that is the nearest.
    pub asked: f64,
    /// What was read.
    pub value: Complex64,
    /// Amplitude of the tone, V or A, peak.
    pub amplitude: f64,
    /// Signal to distortion and noise, dB.
    pub quality: f64,
    /// Whether a tenth of the amplitude gives another answer.
    pub doubtful: bool,
}

/// Measures a circuit by the engine that is wanted or suits: by switching about its settled state, at device level about its operating
/// point.
///
/// # Errors
/// [`FrequencyError`] naming signal, net or part; [`SwitchedError::NotPeriodic`] where tones have no common period with the circuit.
pub fn with_tones(
    circuit: &Circuit,
    excitation: &Excitation,
    read: &Read,
    grid: FrequencyGrid,
    engine: Option<Engine>,
    observer: &mut dyn Observer,
) -> Result<Vec<TonePoint>, FrequencyError> {
    let (engine, _) = engine_over_frequency(circuit, engine);
    measured(circuit, (excitation, &Reader::new(circuit, read)?), grid, engine, None, observer)
}

/// Measures a circuit by an engine with tones of an amplitude that is stated, V or A, or found.
///
/// # Errors
/// [`FrequencyError`] naming signal, net or part; [`SwitchedError::NotPeriodic`] where tones have no common period with the circuit.
pub(crate) fn measured(
    circuit: &Circuit,
    (excitation, read): (&Excitation, &Reader),
    grid: FrequencyGrid,
    engine: Engine,
    amplitude: Option<f64>,
    observer: &mut dyn Observer,
) -> Result<Vec<TonePoint>, FrequencyError> {
    if engine == Engine::DeviceLevel {
        return Bench { circuit, excitation, read, amplitude, still: None }.one_by_one(grid, observer);
    }
    let still = Settled::find(circuit, observer)?;
    if still.free {
        let why = "its period is its own, and tones cannot be fitted into it".to_owned();
        return Err(SwitchedError::NotPeriodic { why }.into());
    }
    let (half, period) = (0.5 / still.clock, still.period);
    let bench = Bench { circuit, excitation, read, amplitude, still: Some(RefCell::new(still)) };
    let to = grid.to.min(SHORT_OF_HALF * half);
    if grid.from >= to {
        return Err(FrequencyError::BeyondHalf(half));
    }
    let asked = log_grid(grid.from, to, grid.per_decade);
    let mut points = Vec::new();
    // Those beside each other are measured together, in no more periods than the lowest of them takes.
    for group in asked.chunks(AT_ONCE) {
        let periods = (FINER / (group[0] * period)).ceil().clamp(1.0, MOST_PERIODS);
        let base = 1.0 / (periods * period);
        let multiple = |f: f64| (f / base).round().clamp(1.0, (to / base).floor().max(1.0)) as usize;
        let mut nearest: BTreeMap<usize, f64> = BTreeMap::new();
        for f in group {
            let off = |asked: f64| (multiple(*f) as f64 * base - asked).abs();
            let known = nearest.entry(multiple(*f)).or_insert(*f);
            if off(*f) < off(*known) {
                *known = *f;
            }
        }
        let orders: Vec<usize> = nearest.keys().copied().collect();
        let measured = bench.group(base, &orders, observer)?;
        points
            .extend(measured.into_iter().zip(nearest.into_values()).map(|(point, asked)| TonePoint { asked, ..point }));
    }
    Ok(points)
}

/// Recipes of what is read: a signal, or a signal per another.
#[derive(Clone, Debug)]
pub(crate) struct Reader {
    pub(crate) above: Recipe,
    pub(crate) below: Option<Recipe>,
}

/// What is heard of a tone.
#[derive(Clone, Copy, Debug)]
struct Heard {
    value: Complex64,
    /// Signal to distortion, dB.
    quality: f64,
}

impl Reader {
    fn new(circuit: &Circuit, read: &Read) -> Result<Self, FrequencyError> {
        let recipe = |signal: &Signal| Recipe::new(circuit, signal).map_err(FrequencyError::from);
        Ok(match read {
            Read::Response(signal) => Reader { above: recipe(signal)?, below: None },
            Read::Ratio(above, below) => Reader { above: recipe(above)?, below: Some(recipe(below)?) },
        })
    }
}

struct Bench<'a> {
    circuit: &'a Circuit,
    excitation: &'a Excitation,
    read: &'a Reader,
    /// V or A, where it is stated.
    amplitude: Option<f64>,
    /// The settled state without tones, by switching; none at device level.
    still: Option<RefCell<Settled>>,
}

impl Bench<'_> {
    /// Tone by tone: where nothing else repeats, the circuit comes round with each.
    fn one_by_one(&self, grid: FrequencyGrid, observer: &mut dyn Observer) -> Result<Vec<TonePoint>, FrequencyError> {
        if let Some(part) = self.circuit.parts.iter().find(|part| part.period().is_some()) {
            let why = format!(
                "{} repeats by itself, and at device level tones are measured about an operating point; simulate it by switching",
                part.id
            );
            return Err(EngineError::NotPeriodic { why }.into());
        }
        let mut points = Vec::new();
        for frequency in log_grid(grid.from, grid.to, grid.per_decade) {
            points.extend(self.group(frequency, &[1], observer)?);
        }
        Ok(points)
    }

    /// Tones at these multiples of a frequency, Hz, as large as the quality aimed at allows.
    fn group(
        &self,
        base: f64,
        orders: &[usize],
        observer: &mut dyn Observer,
    ) -> Result<Vec<TonePoint>, FrequencyError> {
        if let Some(amplitude) = self.amplitude {
            let found = self.answers(base, orders, amplitude, observer)?;
            let smaller = self.answers(base, orders, SMALLER * amplitude, observer)?;
            return Ok(points(base, orders, amplitude, &found, &smaller));
        }
        let mut amplitude = FIRST;
        let mut found = self.answers(base, orders, amplitude, observer)?;
        // What is impure is distorted, or where less is no purer lost in rounding.
        let mut distorted = true;
        for _ in 0..MOST_CHANGES {
            let worst = poorest(&found);
            if worst >= TARGET - NEAR {
                break;
            }
            let change = 10f64.powf((worst - TARGET) / 20.0).max(1.0 / MOST_CHANGE);
            let change = if distorted { change } else { 1.0 / change };
            match self.answers(base, orders, change * amplitude, observer) {
                // With larger tones it does not settle: what is known is kept.
                Err(
                    FrequencyError::Switched(SwitchedError::NotSettling { .. })
                    | FrequencyError::Engine(EngineError::NotSettling { .. }),
                ) if change > 1.0 => break,
                Err(error) => return Err(error),
                Ok(next) if poorest(&next) > worst => (amplitude, found) = (change * amplitude, next),
                Ok(_) if distorted && amplitude <= FIRST => distorted = false,
                Ok(_) => break,
            }
        }
        let mut smaller = self.answers(base, orders, SMALLER * amplitude, observer)?;
        for _ in 0..MOST_TIMES {
            if !(0..orders.len()).any(|k| differs(&found, &smaller, k)) {
                break;
            }
            amplitude *= SMALLER;
            found = std::mem::replace(&mut smaller, self.answers(base, orders, SMALLER * amplitude, observer)?);
        }
        Ok(points(base, orders, amplitude, &found, &smaller))
    }

    /// What is read at each tone, and its signal to distortion, dB.
    fn answers(
        &self,
        base: f64,
        orders: &[usize],
        amplitude: f64,
        observer: &mut dyn Observer,
    ) -> Result<Vec<Heard>, FrequencyError> {
        // Phases that keep the peak of the sum low (M. R. Schroeder, IEEE Trans. Information Theory 16, 1970).
        let phase = |k: usize| -PI * (k * (k + 1)) as f64 / orders.len() as f64;
        let tones: Vec<Tone> = orders
            .iter()
            .enumerate()
            .map(|(k, order)| Tone { frequency: *order as f64 * base, phase: phase(k), amplitude })
            .collect();
        let mut still = self.still.as_ref().map(RefCell::borrow_mut);
        let clock = still.as_ref().map(|still| (1.0 / (still.clock * base)).round() as usize);
        let period = settled(self.circuit, still.as_deref_mut(), (self.excitation, &tones), 1.0 / base, observer)?;
        let from = period.from;
        let most = orders.iter().copied().max().unwrap_or(1) + BESIDE;
        let spectrum = |recipe: &Recipe| spectrum(recipe, &period, base, most);
        let above = spectrum(&self.read.above);
        let below = self.read.below.as_ref().map(spectrum);
        let images = Images { tones: orders, clock };
        let heard = |spectrum: &[Complex64], order: usize| distortion(spectrum, order, &images);
        let answers = tones.iter().zip(orders).map(|(tone, order)| {
            let put_in =
                Complex64::from_polar(tone.amplitude, 2.0 * PI * tone.frequency * from + tone.phase - 0.5 * PI);
            let quality = heard(&above, *order);
            let (value, quality) = match &below {
                None => (above[*order] / put_in, quality),
                Some(below) => (-above[*order] / below[*order], quality.min(heard(below, *order))),
            };
            Heard { value, quality }
        });
        Ok(answers.collect())
    }
}

/// The poorest quality of several tones, dB.
fn poorest(heard: &[Heard]) -> f64 {
    heard.iter().map(|heard| heard.quality).fold(f64::INFINITY, f64::min)
}

/// Points of tones, with what a smaller amplitude gives of each.
fn points(base: f64, orders: &[usize], amplitude: f64, found: &[Heard], smaller: &[Heard]) -> Vec<TonePoint> {
    let point = |k: usize| {
        let Heard { value, quality } = found[k];
        let frequency = orders[k] as f64 * base;
        TonePoint { frequency, asked: frequency, value, amplitude, quality, doubtful: differs(found, smaller, k) }
    };
    (0..orders.len()).map(point).collect()
}

/// Whether an answer is another at a smaller amplitude.
fn differs(full: &[Heard], smaller: &[Heard], k: usize) -> bool {
    let change = (smaller[k].value / full[k].value - 1.0).norm();
    change.is_nan() || change > DOUBTFUL
}

/// Components at multiples of a frequency, peak; the first is left at zero.
fn spectrum(recipe: &Recipe, period: &Period, base: f64, most: usize) -> Vec<Complex64> {
    let Period { columns, recording, from } = period;
    let values = recipe.evaluate(recording.times.len(), |key| {
        let index = columns.iter().position(|column| column == key)?;
        Some(recording.columns[index].as_slice())
    });
    let mut all = vec![Complex64::ZERO; most + 1];
    if let Ok(mut spectrum) = Spectrum::new(Span { from: *from, to: from + 1.0 / base }, base, most) {
        spectrum.take(Waveform::new(&recording.times, &values));
        (1..=most).for_each(|order| all[order] = spectrum.amplitude(order));
    }
    all
}

/// Where tones stand, and where a clock mirrors them: there is no distortion.
struct Images<'a> {
    tones: &'a [usize],
    clock: Option<usize>,
}

impl Images<'_> {
    fn have(&self, order: usize) -> bool {
        let mirrored = |clock: usize| {
            let within = order % clock;
            within == 0 || self.tones.iter().any(|tone| within == tone % clock || within == clock - tone % clock)
        };
        self.tones.contains(&order) || self.clock.is_some_and(mirrored)
    }
}

/// How far a tone stands above what is beside it, where nothing was put in, dB.
fn distortion(spectrum: &[Complex64], order: usize, images: &Images<'_>) -> f64 {
    let away = (1..spectrum.len()).flat_map(|by| [order.checked_sub(by), order.checked_add(by)]).flatten();
    let beside = away.filter(|at| *at > 0 && *at < spectrum.len() && !images.have(*at)).take(BESIDE);
    let squares: Vec<f64> = beside.map(|at| spectrum[at].norm_sqr()).collect();
    let mean = squares.iter().sum::<f64>() / squares.len().max(1) as f64;
    10.0 * (spectrum[order].norm_sqr() / mean.max(f64::MIN_POSITIVE)).log10()
}
