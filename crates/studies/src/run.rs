use crate::power_path::{figures, last_period};
use crate::{End, Outcome, ReadingResult, Recorded, RunHealth, Standing, Steadiness, Verdict};
use circuit::{Circuit, MOST_BYTES, ResolvedReading, ResolvedRequirement, ResolvedStudy, ResolvedWindow, StudyKind};
use engine::{
    Chunk, Command, Ended, EngineError, Equations, Health, Observer, Progress, Recording, Settings, Start, transient,
};
use readings::{Span, Waveform};

/// Why a study cannot be run at all.
#[derive(Clone, Debug, PartialEq, Eq, thiserror::Error)]
pub enum StudyError {
    /// The circuit has no such study.
    #[error("there is no study named {0}")]
    Unknown(String),
}

/// Margin, relative to the limit, below which a requirement counts as close.
const CLOSE: f64 = 0.1;
/// Energy missing, relative, above which a run is not to be trusted.
const ENERGY_LIMIT: f64 = 1e-3;
/// Change per period, relative, above which a run counts as not yet settled.
const SETTLED: f64 = 1e-3;

/// The engine's settings for a study.
pub fn settings(circuit: &Circuit, study: &ResolvedStudy) -> Settings {
    Settings {
        end: study.duration,
        record_from: study.record_from,
        min_step: 0.0,
        start: if study.kind == StudyKind::LoadStep { Start::OperatingPoint } else { Start::Rest },
        max_step: circuit.longest_step(study),
        tolerance: study.tolerance,
    }
}

/// Runs a study and judges it.
///
/// # Errors
/// [`StudyError::Unknown`] if there is no such study. A simulation that fails is an outcome, not
/// an error: what was recorded until then is read and kept.
pub fn run(circuit: &Circuit, study: &str, observer: &mut dyn Observer) -> Result<(Recording, Outcome), StudyError> {
    let index =
        circuit.studies.iter().position(|s| s.id == study).ok_or_else(|| StudyError::Unknown(study.to_owned()))?;
    let study = &circuit.studies[index];
    let equations = Equations::new(circuit);
    let mut keeping = Keeping { recording: Recording::default(), observer, reached: 0.0, bytes: 0.0 };
    let mut health = Health::default();
    let ended = transient(&equations, &settings(circuit, study), &mut keeping, &mut health);
    let full = keeping.full();
    let Keeping { recording, reached, .. } = keeping;
    let recorded = Recorded::new(circuit, equations.columns(), &recording);
    let mut outcome = judge(&recorded, index, ended, reached, health);
    if full && matches!(outcome.end, End::Stopped { .. }) {
        let message = format!(
            "stopped at {}: the run has recorded {:.0e} bytes, the most one may; shorten the study, record from a later \
             time, allow longer steps or loosen the tolerance",
            quantity::show(reached, quantity::Unit::Second, 4),
            MOST_BYTES
        );
        outcome.end = End::Failed { message };
    }
    Ok((recording, outcome))
}

/// Passes everything on and keeps the recording for the readings.
struct Keeping<'a> {
    recording: Recording,
    observer: &'a mut dyn Observer,
    reached: f64,
    bytes: f64,
}

impl Keeping<'_> {
    fn full(&self) -> bool {
        self.bytes > MOST_BYTES
    }
}

impl Observer for Keeping<'_> {
    fn progress(&mut self, progress: &Progress<'_>) -> Command {
        self.reached = progress.time;
        let wish = self.observer.progress(progress);
        if self.full() { Command::Stop } else { wish }
    }
    fn record(&mut self, chunk: Chunk) {
        self.bytes += (size_of::<f64>() * chunk.times.len() * (1 + chunk.columns.len())) as f64;
        self.recording.push(&chunk);
        self.observer.record(chunk);
    }
}

fn judge(
    recorded: &Recorded<'_>,
    index: usize,
    ended: Result<Ended, EngineError>,
    reached: f64,
    health: Health,
) -> Outcome {
    let Recorded { circuit, recording, .. } = recorded;
    let study = &circuit.studies[index];
    let complete = matches!(ended, Ok(Ended::Done));
    let end = match ended {
        Ok(Ended::Done) => End::Done,
        Ok(Ended::Stopped) => End::Stopped { time: reached },
        Err(error) => End::Failed { message: error.to_string() },
    };
    let readings: Vec<_> = circuit.readings.iter().map(|r| reading(recorded, r, index, complete)).collect();
    let verdicts = circuit.requirements.iter().map(|r| verdict(circuit, r, &readings)).collect();
    let first = recording.times.first().copied().unwrap_or(0.0);
    let span = last_period(circuit, first, recorded.end());
    let steadiness = steadiness(recorded, span);
    let mut warnings = Vec::new();
    if health.energy.relative > ENERGY_LIMIT {
        warnings.push(format!(
            "{:.2} % of the energy is unaccounted for; tighten the tolerance",
            100.0 * health.energy.relative
        ));
    }
    if let Some(s) = steadiness.as_ref().filter(|s| s.relative > SETTLED) {
        warnings.push(format!(
            "not yet settled: the mean of {} still moves by {:.2} % in {} at the end; lengthen the study before \
             trusting readings of its end",
            s.net,
            100.0 * s.relative,
            quantity::show(s.over, quantity::Unit::Second, 3)
        ));
    }
    Outcome {
        end,
        readings,
        verdicts,
        stages: figures(recorded, span),
        health: RunHealth {
            engine: health,
            tolerance: study.tolerance,
            engine_version: engine::VERSION.to_owned(),
            steadiness,
            warnings,
        },
    }
}

fn reading(recorded: &Recorded<'_>, reading: &ResolvedReading, study: usize, complete: bool) -> ReadingResult {
    let unit = reading.measure.unit(reading.signal.quantity());
    let result = |value, problem, window| ReadingResult { id: reading.id.clone(), unit, value, problem, window };
    if reading.study != study {
        return result(None, Some("taken from another study".into()), None);
    }
    let values = match recorded.values(&reading.signal) {
        Ok(values) => values,
        Err(error) => return result(None, Some(error.to_string()), None),
    };
    let wave = Waveform::new(&recorded.recording.times, &values);
    let whole = wave.whole();
    let span = match reading.window {
        ResolvedWindow::WholeRun => whole,
        ResolvedWindow::Between(from, to) => Span { from, to },
        // "The last periods" of a run cut short are not the ones meant.
        ResolvedWindow::Last(_) if !complete => {
            return result(None, Some("the run did not reach its end".into()), None);
        }
        ResolvedWindow::Last(length) => Span { from: whole.to - length, to: whole.to },
    };
    match wave.measure(reading.measure, span) {
        Ok(value) => result(Some(value), None, Some((span.from, span.to))),
        Err(error) => result(None, Some(error.to_string()), None),
    }
}

fn verdict(circuit: &Circuit, requirement: &ResolvedRequirement, readings: &[ReadingResult]) -> Verdict {
    let reading = &readings[requirement.reading];
    let limits = [requirement.at_least.map(|limit| (limit, 1.0)), requirement.at_most.map(|limit| (limit, -1.0))];
    let margin = reading.value.and_then(|value| {
        let margins = limits.into_iter().flatten().map(|(limit, direction)| {
            let distance = direction * (value - limit);
            let scale = match (requirement.at_least, requirement.at_most) {
                // Within a band the margin is of its half: in the middle it is whole.
                (Some(low), Some(high)) => 0.5 * (high - low),
                // A limit of zero has no relative margin; the value itself sets the scale.
                _ if limit == 0.0 => value.abs(),
                _ => limit.abs(),
            };
            if scale > 0.0 { distance / scale } else { 0.0 }
        });
        margins.min_by(f64::total_cmp)
    });
    let standing = match margin {
        None => Standing::NotTried,
        Some(m) if m < 0.0 => Standing::Missed,
        Some(m) if m < CLOSE => Standing::Close,
        Some(_) => Standing::Met,
    };
    debug_assert_eq!(circuit.readings[requirement.reading].id, reading.id);
    Verdict {
        id: requirement.id.clone(),
        standing,
        margin,
        value: reading.value,
        unit: reading.unit,
        at_least: requirement.at_least,
        at_most: requirement.at_most,
    }
}

fn steadiness(recorded: &Recorded<'_>, last: Span) -> Option<Steadiness> {
    let length = last.to - last.from;
    let before = Span { from: last.from - length, to: last.from };
    let mut moves = Vec::new();
    for net in 1..recorded.circuit.nets.len() {
        let mean = recorded.net(net, last, |w, s| w.mean(s))?;
        let earlier = recorded.net(net, before, |w, s| w.mean(s))?;
        let (min, max) = recorded.net(net, last, |w, s| w.extremes(s))?;
        moves.push((net, mean - earlier, (max - min).max(mean.abs())));
    }
    // A net that carries next to nothing shall not count as unsteady for its noise.
    let floor = 1e-3 * moves.iter().map(|m| m.2).fold(0.0, f64::max);
    let relative = |change: f64, scale: f64| {
        let scale = scale.max(floor);
        if scale > 0.0 { change.abs() / scale } else { 0.0 }
    };
    let steadiness = |(net, change, scale): (usize, f64, f64)| Steadiness {
        net: recorded.circuit.nets[net].clone(),
        change,
        relative: relative(change, scale),
        over: length,
    };
    moves.into_iter().map(steadiness).max_by(|a, b| a.relative.total_cmp(&b.relative))
}
