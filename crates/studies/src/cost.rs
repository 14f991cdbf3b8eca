//! What a study would cost by either engine, from a few of its steps: the same whatever the machine does meanwhile.

use crate::{at_device_level, by_switching};
use circuit::{Circuit, ResolvedStudy, StudyKind};
use device::Equations;
use recording::{Chunk, Command, Health, Observer, Progress};

/// Steps tried. What an ordinary rectifier takes for some ten periods of its mains.
const STEPS: u64 = 1500;
/// What a step takes at device level, s per unknown, and by switching, s (measured with converters and rectifiers of eight to thirty
/// unknowns on one core).
const DEVICE_STEP: f64 = 0.5e-6;
const SWITCHED_STEP: f64 = 10e-6;
/// Periods a settled study searches through, as most do.
const SEARCHED: f64 = 12.0;

/// Seconds a study would take at device level, expected from how far its first steps come.
pub(crate) fn at_device_level(circuit: &Circuit, study: &ResolvedStudy) -> f64 {
    let settings = device::Settings { start: device::Start::Rest, ..at_device_level::settings(circuit, study) };
    let (mut trial, mut health) = (Trial::default(), Health::default());
    let equations = Equations::new(circuit);
    // What goes wrong will go wrong in the run as well, and be said there.
    let _ = device::transient(&equations, &settings, &mut trial, &mut health);
    DEVICE_STEP * health.unknowns as f64 * trial.steps(circuit, study)
}

/// The same by switching; none if it cannot be simulated so.
pub(crate) fn by_switching(circuit: &Circuit, study: &ResolvedStudy) -> Option<f64> {
    let (mut trial, mut health) = (Trial::default(), Health::default());
    let mut begun = switched::Transient::new(circuit, &by_switching::settings(study)).ok()?;
    begun.advance(&mut trial, &mut health).ok()?;
    Some(SWITCHED_STEP * trial.steps(circuit, study))
}

/// Stops after some steps, and keeps nothing but how far they came.
#[derive(Default)]
struct Trial {
    steps: u64,
    /// s.
    reached: f64,
}

impl Trial {
    /// How many a study would take.
    fn steps(&self, circuit: &Circuit, study: &ResolvedStudy) -> f64 {
        let longest = circuit.parts.iter().filter_map(|part| part.period()).fold(0.0, f64::max);
        let lasts = match study.kind {
            StudyKind::Settled => SEARCHED * longest,
            _ => study.duration,
        };
        if self.reached > 0.0 { self.steps as f64 * (lasts / self.reached).max(1.0) } else { f64::INFINITY }
    }
}

impl Observer for Trial {
    fn progress(&mut self, progress: &Progress<'_>) -> Command {
        (self.steps, self.reached) = (progress.health.steps, progress.time);
        if self.steps < STEPS { Command::Continue } else { Command::Stop }
    }
    fn record(&mut self, _: Chunk) {}
}
