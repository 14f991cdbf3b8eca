use crate::at_device_level::{at_device_level, go_on_at_device_level};
use crate::at_rest::at_rest;
use crate::by_switching::{by_switching, go_on_by_switching};
use crate::engine::engine_for;
use crate::judging::Judging;
use crate::kept::Kept;
use crate::outcome::{End, Outcome, RunHealth, Steadiness};
use crate::over_frequency::{Asked, over_frequency};
use crate::power_path::{Figured, as_read};
use crate::recorded::{Recorded, covering, last_period};
use crate::settled::{Duties, SettledFacts};
use crate::simulated::Simulated;
use crate::stress::Stressing;
use crate::windows::Windows;
use circuit::{Circuit, Engine, MOST_BYTES, Quantity, ResolvedPart, ResolvedStudy, Signal, StudyKind, Term};
use quantity::{Unit, show};
use readings::{Figures, Question, Recipe, Span, Survey, Ticket};
use recording::{Chunk, Chunks, Column, Command, Health, Observer, Progress, Pulse, Unfit, Unreadable};

/// Why a study cannot be run at all.
#[derive(Clone, Debug, PartialEq, Eq, thiserror::Error)]
pub enum StudyError {
    /// The circuit has no such study.
    #[error("there is no study named {0}")]
    Unknown(String),
    /// The recording cannot be read back.
    #[error("{0}")]
    Unreadable(#[from] Unreadable),
    /// What is to be gone on with is not of this circuit.
    #[error("the run cannot be gone on with: {0}")]
    Unfit(#[from] Unfit),
}

/// Energy missing, relative, above which a run is not to be trusted.
const ENERGY_LIMIT: f64 = 1e-3;
/// Change per period, relative, above which a run counts as not yet settled.
const SETTLED: f64 = 1e-3;

/// What a run's recording is kept in, to be read again when it is judged.
pub trait Keeper: Observer + Chunks {}

impl<T: Observer + Chunks> Keeper for T {}

/// What is left of a run.
#[derive(Clone, Debug)]
pub struct Ran {
    /// What came of it.
    pub outcome: Outcome,
    /// What it takes to go on from its end; none if it has not begun.
    pub kept: Option<Kept>,
}

/// Runs a study from its beginning and judges it: [`go_on`] without anything to go on with.
///
/// # Errors
/// As [`go_on`].
pub fn run(circuit: &Circuit, study: &str, kept: &mut dyn Keeper) -> Result<Outcome, StudyError> {
    go_on(circuit, study, None, kept).map(|ran| ran.outcome)
}

/// Runs a study and judges it, from its beginning or from where another run of the same circuit ended, whose recording
/// is in `kept` already. The recording goes to `kept` as it comes and is read back piece by piece, so that the
/// memory taken does not grow with it.
///
/// # Errors
/// [`StudyError::Unknown`] if there is no such study, [`StudyError::Unfit`] if what it is to go on from is of another
/// circuit, [`StudyError::Unreadable`] if the recording cannot be read back. A simulation that fails is an outcome, not
/// an error: what was recorded until then is read and kept.
pub fn go_on(circuit: &Circuit, study: &str, from: Option<&Kept>, kept: &mut dyn Keeper) -> Result<Ran, StudyError> {
    let index =
        circuit.studies.iter().position(|s| s.id == study).ok_or_else(|| StudyError::Unknown(study.to_owned()))?;
    let study = &circuit.studies[index];
    let columns = recording::columns(circuit);
    let (first, last) = kept.whole();
    let mut nodes = 0;
    if from.is_some() {
        // What was recorded before counts for the most a run may record.
        kept.folded(first, last, &[], &mut |piece| nodes += piece.times.len())?;
    }
    let bytes = bytes_of(nodes, columns.len());
    let mut bounded = Bounded { kept, reached: 0.0, bytes };
    if study.problem.is_some() || !study.kind.takes_time() {
        let (simulated, why) = timeless(circuit, study, &mut bounded);
        let outcome = judge(circuit, &columns, kept, index, simulated, 0.0, why)?;
        return Ok(Ran { outcome, kept: None });
    }
    let (mut engine, mut why) = engine_for(circuit, study);
    // A longer study may be left to the other engine, but not in the middle of a run.
    if let (Some(from), None) = (from, study.engine)
        && from.engine() != engine
    {
        (engine, why) = (from.engine(), "as the run that it goes on from".to_owned());
    }
    if from.is_some_and(|from| from.engine() != engine) {
        return Err(Unfit::Circuit.into());
    }
    let simulated = match (engine, from) {
        (Engine::DeviceLevel, Some(Kept::DeviceLevel(from))) => {
            go_on_at_device_level(circuit, study, from, &mut bounded)?
        }
        (Engine::DeviceLevel, _) => at_device_level(circuit, study, &mut bounded),
        (Engine::Switched, Some(Kept::Switched(from))) => go_on_by_switching(circuit, study, from, &mut bounded)?,
        (Engine::Switched, _) => by_switching(circuit, study, &mut bounded),
    };
    let Bounded { reached, bytes, .. } = bounded;
    let reached = simulated.left.as_ref().map_or(reached, Kept::time);
    let left = simulated.left.clone();
    let mut outcome = judge(circuit, &columns, kept, index, simulated, reached, why)?;
    if bytes > MOST_BYTES && matches!(outcome.end, End::Stopped { .. }) {
        let message = format!(
            "stopped at {}: the run has recorded {:.0e} bytes, the most one may; shorten the study, record from a later \
             time, allow longer steps or loosen the tolerance",
            quantity::show(reached, quantity::Unit::Second, 4),
            MOST_BYTES
        );
        outcome.end = End::Failed { message };
    }
    Ok(Ran { outcome, kept: left })
}

/// A study in which no time passes, or that cannot be run.
fn timeless(circuit: &Circuit, study: &ResolvedStudy, observer: &mut dyn Observer) -> (Simulated, String) {
    if let Some(problem) = &study.problem {
        return (Simulated { ended: Err(problem.clone()), ..Simulated::new(String::new()) }, String::new());
    }
    if study.kind == StudyKind::OperatingPoint {
        return at_rest(circuit, observer);
    }
    let Asked { ended, curves, simulated, version, remarks } = over_frequency(circuit, study, observer);
    (Simulated { ended, remarks, curves: Some(curves), ..Simulated::new(version) }, simulated)
}

fn bytes_of(nodes: usize, columns: usize) -> f64 {
    (size_of::<f64>() * nodes * (1 + columns)) as f64
}

/// Passes everything on, up to the most a run may record.
struct Bounded<'a> {
    kept: &'a mut dyn Keeper,
    reached: f64,
    bytes: f64,
}

impl Observer for Bounded<'_> {
    fn progress(&mut self, progress: &Progress<'_>) -> Command {
        self.reached = progress.time;
        let wish = self.kept.progress(progress);
        if self.bytes > MOST_BYTES { Command::Stop } else { wish }
    }
    fn record(&mut self, chunk: Chunk) {
        self.bytes += bytes_of(chunk.times.len(), chunk.columns.len());
        self.kept.record(chunk);
    }
}

fn judge(
    circuit: &Circuit,
    columns: &[Column],
    kept: &dyn Chunks,
    index: usize,
    simulated: Simulated,
    reached: f64,
    why: String,
) -> Result<Outcome, Unreadable> {
    let study = &circuit.studies[index];
    let Simulated { ended, mut health, version, remarks, settled, curves, .. } = simulated;
    // What failed before its first step has none; infinity cannot be stored.
    if !health.shortest_step.is_finite() {
        health.shortest_step = 0.0;
    }
    let complete = ended == Ok(true);
    let end = match ended {
        Ok(true) => End::Done,
        Ok(false) => End::Stopped { time: reached },
        Err(message) => End::Failed { message },
    };
    let (from, to) = kept.whole();
    let whole = Span { from, to };
    let span = last_period(circuit, from, to);
    let recorded = Recorded { circuit, columns, study: index, complete, whole, curves: curves.as_ref() };
    let windows = windows(recorded, kept)?;
    let mut survey = Survey::default();
    let judging = Judging::new(recorded, windows, &mut survey);
    let steady = Steady::new(circuit, span, whole, &mut survey);
    let figured = Figured::new(circuit, span, whole, &mut survey);
    let duties = settled.is_some().then(|| Duties::new(&recorded, &mut survey));
    let rated = |part: &ResolvedPart| !part.kind.kind().ratings.is_empty();
    let stressing = covering(whole, whole).ok().map(|whole| Stressing::new(&recorded, whole, rated, &mut survey));
    survey.pass(kept, columns)?;
    let (readings, verdicts) = judging.found(&survey, &[]);
    let mut stages = figured.found(circuit, &survey);
    as_read(circuit, index, &readings, &mut stages);
    let steadiness = steady.and_then(|s| s.found(circuit, &survey));
    let mut warnings = remarks;
    if health.energy.relative > ENERGY_LIMIT {
        warnings.push(format!(
            "{:.2} % of the energy is unaccounted for; tighten the tolerance",
            100.0 * health.energy.relative
        ));
    }
    warnings.extend(struck(&health.pulses));
    let unsettled = steadiness.as_ref().filter(|s| s.relative > SETTLED && study.kind != StudyKind::Settled);
    if let Some(s) = unsettled {
        warnings.push(format!(
            "not yet settled: the mean of {} still moves by {:.2} % in {} at the end; lengthen the study before \
             trusting readings of its end",
            s.net,
            100.0 * s.relative,
            show(s.over, Unit::Second, 3)
        ));
    }
    Ok(Outcome {
        end,
        readings,
        verdicts,
        stages,
        stresses: stressing.map_or_else(Vec::new, |stressing| stressing.found(circuit, &survey)),
        health: RunHealth {
            engine: health,
            tolerance: study.tolerance,
            engine_version: version,
            simulated: why,
            steadiness,
            settled: settled.map(|facts| SettledFacts {
                duties: duties.map_or_else(Vec::new, |duties| duties.found(&survey)),
                ..facts
            }),
            warnings,
        },
        curves,
    })
}

/// Pulses named in a warning at most.
const PULSES_NAMED: usize = 4;

/// What is said of pulses: they are what is left of currents that nothing slows down, and no part survives one that is large.
fn struck(pulses: &[Pulse]) -> Option<String> {
    let mut largest: Vec<&Pulse> = pulses.iter().collect();
    largest.sort_by(|a, b| b.size.abs().total_cmp(&a.size.abs()));
    let named: Vec<String> = largest
        .iter()
        .take(PULSES_NAMED)
        .map(|pulse| {
            let (unit, way) = if pulse.flux { (Unit::VoltSecond, "across") } else { (Unit::Coulomb, "through") };
            format!("{} {way} {} at {}", show(pulse.size.abs(), unit, 3), pulse.part, show(pulse.at, Unit::Second, 3))
        })
        .collect();
    (!named.is_empty()).then(|| {
        format!(
            "pulses of no duration: {}; give the parts there the resistance or inductance they have if it matters how long \
             they last",
            named.join(", ")
        )
    })
}

/// What a measured recording gives by the readings and requirements of a circuit, as if it came of a study's run.
///
/// # Errors
/// [`StudyError::Unknown`] if there is no such study, [`StudyError::Unreadable`] if the recording cannot be read back.
pub fn measured(circuit: &Circuit, study: &str, columns: &[Column], kept: &dyn Chunks) -> Result<Outcome, StudyError> {
    let index =
        circuit.studies.iter().position(|s| s.id == study).ok_or_else(|| StudyError::Unknown(study.to_owned()))?;
    let (from, to) = kept.whole();
    let recorded = Recorded { circuit, columns, study: index, complete: true, whole: Span { from, to }, curves: None };
    let windows = windows(recorded, kept)?;
    let mut survey = Survey::default();
    let judging = Judging::new(recorded, windows, &mut survey);
    survey.pass(kept, columns)?;
    let (readings, verdicts) = judging.found(&survey, &[]);
    let health = RunHealth {
        engine: Health::default(),
        tolerance: 0.0,
        engine_version: MEASURED.to_owned(),
        simulated: String::new(),
        steadiness: None,
        settled: None,
        warnings: Vec::new(),
    };
    Ok(Outcome { end: End::Done, readings, verdicts, stages: Vec::new(), stresses: Vec::new(), health, curves: None })
}

/// The windows of all readings, some of which have to be searched for.
fn windows(of: Recorded<'_, '_>, kept: &dyn Chunks) -> Result<Vec<Result<Span, String>>, Unreadable> {
    let mut survey = Survey::default();
    let windows = Windows::new(of, &mut survey);
    survey.pass(kept, of.columns)?;
    Ok(windows.found(&survey))
}

/// What stands in place of the engine's version with what was measured.
pub const MEASURED: &str = "measured";

/// How far the means of nets still move, on its way: of each net its figures over the last period and the one before.
struct Steady {
    nets: Vec<(usize, [Ticket; 2])>,
    over: f64,
}

impl Steady {
    fn new(circuit: &Circuit, last: Span, whole: Span, survey: &mut Survey) -> Option<Self> {
        let over = last.to - last.from;
        let before = Span { from: last.from - over, to: last.from };
        let (last, before) = (covering(whole, last).ok()?, covering(whole, before).ok()?);
        let mut nets = Vec::new();
        for net in 1..circuit.nets.len() {
            let term = Term { negative: false, of: circuit.nets[net].clone(), quantity: Quantity::Voltage };
            let recipe = Recipe::new(circuit, &Signal { terms: vec![term] }).ok()?;
            let mut ask = |span| survey.ask_within(vec![recipe.clone()], span, Question::Figures);
            nets.push((net, [ask(last), ask(before)]));
        }
        Some(Steady { nets, over })
    }

    fn found(&self, circuit: &Circuit, survey: &Survey) -> Option<Steadiness> {
        let moves: Vec<(usize, f64, f64)> = self
            .nets
            .iter()
            .map(|(net, tickets)| {
                let [last, before]: [Figures; 2] = tickets.map(|ticket| survey.figures(ticket));
                let (mean, (min, max)) = (last.mean(), last.extremes());
                (*net, mean - before.mean(), (max - min).max(mean.abs()))
            })
            .collect();
        // A net that carries next to nothing shall not count as unsteady for its noise.
        let floor = 1e-3 * moves.iter().map(|m| m.2).fold(0.0, f64::max);
        let relative = |change: f64, scale: f64| {
            let scale = scale.max(floor);
            if scale > 0.0 { change.abs() / scale } else { 0.0 }
        };
        let steadiness = |(net, change, scale): (usize, f64, f64)| Steadiness {
            net: circuit.nets[net].clone(),
            change,
            relative: relative(change, scale),
            over: self.over,
        };
        moves.into_iter().map(steadiness).max_by(|a, b| a.relative.total_cmp(&b.relative))
    }
}
