//! A supply turned into numbers.

use crate::{
    Allowed, AskKind, Begins, Direction, Engine, KindId, Quantity, ReadingMeasure, Signal, StageKind, StudyKind, Term,
};
use quantity::Unit;
use std::collections::HashMap;

/// A supply turned into numbers: what the engine, the readings and the studies work on.
#[derive(Clone, Debug, PartialEq)]
pub struct Circuit {
    /// Net names; index 0 is `gnd`.
    pub nets: Vec<String>,
    /// Parts in document order, those of bypassed stages left out.
    pub parts: Vec<ResolvedPart>,
    /// Studies in document order.
    pub studies: Vec<ResolvedStudy>,
    /// Readings in document order.
    pub readings: Vec<ResolvedReading>,
    /// Requirements in document order.
    pub requirements: Vec<ResolvedRequirement>,
    /// Shares of their ratings that parts may use.
    pub allowed: Allowed,
    /// Stages: identifier, kind, index of the stage before, net behind it.
    pub stages: Vec<ResolvedStage>,
    pub(crate) net_index: HashMap<String, usize>,
    pub(crate) part_index: HashMap<String, usize>,
}

/// A part with nets as indices and parameters as numbers.
#[derive(Clone, Debug, PartialEq)]
pub struct ResolvedPart {
    /// Designator.
    pub id: String,
    /// Kind.
    pub kind: KindId,
    /// Index into [`Circuit::stages`].
    pub stage: Option<usize>,
    /// Net index of each pin, in the order of the kind's table.
    pub pins: Vec<usize>,
    /// Parameters in the order of the kind's table, SI units; a choice is its option's index, points
    /// are their count.
    pub values: Vec<f64>,
    /// The kind's points, SI units, ascending in the first; empty if it has none.
    pub points: Vec<(f64, f64)>,
    /// What it is rated for, in the order of the kind's table, SI units; none where nothing is stated.
    pub ratings: Vec<Option<f64>>,
}

/// A stage of the power path.
#[derive(Clone, Debug, PartialEq)]
#[allow(missing_docs)]
pub struct ResolvedStage {
    pub id: String,
    pub kind: StageKind,
    pub after: Option<usize>,
    pub output: Option<usize>,
    /// The net an alternating voltage at the output is measured against; none for `gnd`.
    pub back: Option<usize>,
}

/// A study with its settings as numbers.
#[derive(Clone, Debug, PartialEq)]
pub struct ResolvedStudy {
    /// Identifier.
    pub id: String,
    /// What is done.
    pub kind: StudyKind,
    /// What it is simulated by, if that is stated.
    pub engine: Option<Engine>,
    /// Where it begins.
    pub begins: Begins,
    /// The part it makes step, and when, s.
    pub step: Option<(String, f64)>,
    /// Why it cannot be run, though others can.
    pub problem: Option<String>,
    /// What it asks over frequency, and where.
    pub questions: Vec<ResolvedQuestion>,
    /// The frequencies it asks at.
    pub grid: FrequencyGrid,
    /// Simulated time in seconds; 0 where no time passes.
    pub duration: f64,
    /// Time recording starts, seconds.
    pub record_from: f64,
    /// Longest step in seconds, if limited.
    pub max_step: Option<f64>,
    /// Accuracy wanted relative to full scale.
    pub tolerance: f64,
}

/// Frequencies to look at.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct FrequencyGrid {
    /// First, Hz.
    pub from: f64,
    /// Last, Hz.
    pub to: f64,
    /// Points per decade; more are added where a curve bends.
    pub per_decade: f64,
}

/// A question over frequency.
#[derive(Clone, Debug, PartialEq)]
pub struct ResolvedQuestion {
    /// The curve's name.
    pub id: String,
    /// What kind of question it is.
    pub kind: AskKind,
    /// The curve's unit.
    pub unit: Unit,
    /// What is asked, or why it cannot be.
    pub asks: Result<ResolvedAsk, String>,
    /// How it is measured with tones as well, if it is.
    pub tones: Option<ResolvedTones>,
}

/// How a question is measured with tones.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct ResolvedTones {
    /// Amplitude, peak, V or A; found for each tone if none is stated.
    pub amplitude: Option<f64>,
    /// Points per decade.
    pub per_decade: f64,
}

/// What is asked over frequency, by designators and names that exist.
#[derive(Clone, Debug, PartialEq)]
#[allow(missing_docs)]
pub enum ResolvedAsk {
    LoopGain { part: String, pin: String, cut: bool },
    Response { source: String, signal: Signal },
    LineRejection { source: String, signal: Signal },
    OutputImpedance { net: String, back: String },
    InputImpedance { source: String },
}

/// A reading with its signal parsed and its window in seconds.
#[derive(Clone, Debug, PartialEq)]
#[allow(missing_docs)]
pub struct ResolvedReading {
    pub id: String,
    pub study: usize,
    pub measure: ReadingMeasure,
    pub of: ReadingOf,
    /// The measure's numbers in the order of its table, SI; none where it finds one itself.
    pub numbers: Vec<Option<f64>>,
    pub unit: Unit,
    /// Frequency of the periodic source, if there is just one, Hz.
    pub fundamental: Option<f64>,
    pub window: ResolvedWindow,
    /// The mask it is held against: Hz and magnitude, ascending; empty where it has none.
    pub mask: Vec<(f64, f64)>,
    /// What a meter showed, SI.
    pub metered: Option<f64>,
    /// Why it cannot be taken, if it cannot.
    pub problem: Option<String>,
}

/// What a reading is taken of.
#[derive(Clone, Debug, PartialEq)]
pub enum ReadingOf {
    /// A signal.
    Signal(Signal),
    /// A voltage, and the current that flows with it.
    Port {
        /// The voltage.
        voltage: Signal,
        /// The current.
        current: Signal,
    },
    /// A stage by its index, or the whole supply.
    Stage(Option<usize>),
    /// A curve over frequency, or a formula of curves.
    Curve(String),
    /// Arithmetic among the readings before it.
    Formula(String),
}

impl ReadingOf {
    /// The quantity its numbers are in.
    pub fn quantity(&self) -> Quantity {
        match self {
            ReadingOf::Signal(signal) => signal.quantity(),
            ReadingOf::Port { .. } => Quantity::Voltage,
            _ => Quantity::Power,
        }
    }
}

/// A window of a run in seconds.
#[derive(Clone, Debug, PartialEq)]
pub enum ResolvedWindow {
    /// Everything recorded.
    WholeRun,
    /// From one time to another.
    Between(f64, f64),
    /// From a time to the end.
    From(f64),
    /// This long before the end.
    Last(f64),
    /// From when a signal has settled, to the end.
    Settled {
        /// The signal.
        signal: Signal,
        /// How far off still counts as settled, relative.
        band: f64,
        /// The period over which its mean and RMS are compared, s; its value is compared if there is none.
        period: Option<f64>,
    },
    /// From one event to another.
    Events(ResolvedEvent, ResolvedEvent),
}

/// An instant of a run.
#[derive(Clone, Debug, PartialEq)]
pub enum ResolvedEvent {
    /// A time, s.
    At(f64),
    /// A signal passes through a level.
    Crossing {
        /// The signal.
        signal: Signal,
        /// The level, SI.
        level: f64,
        /// Which way.
        direction: Direction,
        /// The first one is 1.
        number: u32,
    },
}

/// A requirement with its limits in the reading's unit.
#[derive(Clone, Debug, PartialEq)]
#[allow(missing_docs)]
pub struct ResolvedRequirement {
    pub id: String,
    pub reading: usize,
    pub at_least: Option<f64>,
    pub at_most: Option<f64>,
}

/// Accuracy of a study that states none, relative to full scale.
pub(crate) const DEFAULT_TOLERANCE: f64 = 1e-3;

impl ResolvedPart {
    /// A parameter by its identifier; NaN if the kind has no such parameter.
    pub fn value(&self, id: &str) -> f64 {
        self.kind.kind().parameter(id).and_then(|i| self.values.get(i)).copied().unwrap_or(f64::NAN)
    }

    /// Gives a parameter another value.
    pub(crate) fn set(&mut self, id: &str, value: f64) {
        if let Some(place) = self.kind.kind().parameter(id) {
            self.values[place] = value;
        }
    }
}

impl Circuit {
    /// Frequency of the periodic source, if there is just one, Hz.
    pub fn fundamental(&self) -> Option<f64> {
        let mut periods = self.parts.iter().filter_map(ResolvedPart::period);
        periods.next().filter(|_| periods.next().is_none()).map(f64::recip)
    }

    /// A current asked for beside its voltage: of a source alone it is what the source delivers, so that its power and power factor
    /// are positive when it does.
    pub fn delivered(&self, signal: Signal) -> Signal {
        match &signal.terms[..] {
            [Term { negative: false, of, quantity: Quantity::Current }]
                if self.parts.iter().any(|part| part.id == *of && part.kind.kind().feeds()) =>
            {
                let terms = signal.terms.into_iter().map(|term| Term { negative: true, ..term });
                Signal { terms: terms.collect() }
            }
            _ => signal,
        }
    }

    /// Adds a net; its index.
    pub fn add_net(&mut self, name: &str) -> usize {
        self.nets.push(name.to_owned());
        self.net_index.insert(name.to_owned(), self.nets.len() - 1);
        self.nets.len() - 1
    }

    /// Adds a part.
    pub fn add_part(&mut self, part: ResolvedPart) {
        self.part_index.insert(part.id.clone(), self.parts.len());
        self.parts.push(part);
    }

    /// Index of a net by name.
    pub fn net(&self, name: &str) -> Option<usize> {
        self.net_index.get(name).copied()
    }

    /// Index of a part by designator.
    pub fn part(&self, id: &str) -> Option<usize> {
        self.part_index.get(id).copied()
    }
}
