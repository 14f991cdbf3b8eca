//! What a study would cost by either engine, from a few of its steps: the same whatever the machine does meanwhile.

use crate::{at_device_level, by_switching};
use circuit::{Circuit, ResolvedStudy, StudyKind};
use device::Equations;
use recording::{Chunk, Command, Health, Observer, Progress};

/// Part of the longest period that is tried, in which every diode of a rectifier takes its turn or one like it; steps at most.
const TRIED: f64 = 0.5;
const MOST_STEPS: u64 = 30_000;
/// Periods from which on a study may be long.
const MANY: f64 = 4.0;
/// What a step takes at device level, s per unknown, and by switching, s (measured with converters and rectifiers of eight to thirty
/// unknowns on one core).
const DEVICE_STEP: f64 = 0.5e-6;
const SWITCHED_STEP: f64 = 10e-6;
/// Periods a settled study searches through, as most do.
const SEARCHED: f64 = 12.0;

/// What a study would take by an engine, s.
pub(crate) struct Costs<'a> {
    circuit: &'a Circuit,
    study: &'a ResolvedStudy,
    longest: f64,
    lasts: f64,
}

impl<'a> Costs<'a> {
    /// Of a study that passes through a period many times; none if it does not.
    pub(crate) fn new(circuit: &'a Circuit, study: &'a ResolvedStudy) -> Option<Self> {
        let settled = study.kind == StudyKind::Settled;
        let periods = circuit.parts.iter().filter_map(|part| part.period().or(part.clock()));
        // What hardly comes round within the study says nothing of how long it is.
        let longest = periods.filter(|period| settled || study.duration >= MANY * period).fold(0.0, f64::max);
        let lasts = if settled { SEARCHED * longest } else { study.duration };
        (longest > 0.0).then_some(Costs { circuit, study, longest, lasts })
    }

    /// At device level.
    pub(crate) fn at_device_level(&self) -> f64 {
        let rest = at_device_level::settings(self.circuit, self.study);
        let settings = device::Settings { start: device::Start::Rest, end: TRIED * self.longest, ..rest };
        let (mut trial, mut health) = (Trial::default(), Health::default());
        // What goes wrong will go wrong in the run as well, and be said there.
        let _ = device::transient(&Equations::new(self.circuit), &settings, &mut trial, &mut health);
        DEVICE_STEP * health.unknowns as f64 * self.steps(&trial)
    }

    /// By switching; none if it cannot be simulated so.
    pub(crate) fn by_switching(&self) -> Option<f64> {
        let settings = switched::Settings { end: TRIED * self.longest, ..by_switching::settings(self.study) };
        let (mut trial, mut health) = (Trial::default(), Health::default());
        let mut begun = switched::Transient::new(self.circuit, &settings).ok()?;
        begun.advance(&mut trial, &mut health).ok()?;
        Some(SWITCHED_STEP * self.steps(&trial))
    }

    fn steps(&self, trial: &Trial) -> f64 {
        if trial.reached > 0.0 { trial.steps as f64 * self.lasts / trial.reached } else { f64::INFINITY }
    }
}

/// Counts steps, and keeps nothing.
#[derive(Default)]
struct Trial {
    steps: u64,
    /// s.
    reached: f64,
}

impl Observer for Trial {
    fn progress(&mut self, progress: &Progress<'_>) -> Command {
        (self.steps, self.reached) = (progress.health.steps, progress.time);
        if self.steps < MOST_STEPS { Command::Continue } else { Command::Stop }
    }
    fn record(&mut self, _: Chunk) {}
}
