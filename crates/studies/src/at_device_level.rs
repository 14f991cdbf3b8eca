//! Studies simulated at device level.

use crate::kept::Kept;
use crate::settled::SettledFacts;
use crate::simulated::{Simulated, discontinuous, periods_of, stability};
use crate::version::version;
use circuit::{Begins, Circuit, Engine, ResolvedStudy, StudyKind};
use device::{Ended, EngineError, Equations, Settings, Settled, Start, Transient};
use quantity::{Unit, show};
use recording::{Observer, Unfit};

/// How exactly multipliers are known; growth below it is none.
const MULTIPLIERS: f64 = 1e-3;

/// The engine's settings for a study.
pub fn settings(circuit: &Circuit, study: &ResolvedStudy) -> Settings {
    Settings {
        end: study.duration,
        record_from: study.record_from,
        min_step: 0.0,
        start: if study.begins == Begins::Rest { Start::Rest } else { Start::OperatingPoint },
        max_step: circuit.longest_step(study),
        tolerance: study.tolerance,
    }
}

/// From where another run of the same circuit ended.
///
/// # Errors
/// [`Unfit`] if it is of another circuit.
pub(crate) fn go_on_at_device_level(
    circuit: &Circuit,
    study: &ResolvedStudy,
    from: &device::Kept,
    observer: &mut dyn Observer,
) -> Result<Simulated, Unfit> {
    let (equations, mut simulated) = (Equations::new(circuit), Simulated::new(version(Engine::DeviceLevel)));
    let begun = Transient::resume(&equations, &settings(circuit, study), from, &mut simulated.health)?;
    simulated.advance(begun, observer);
    Ok(simulated)
}

pub(crate) fn at_device_level(circuit: &Circuit, study: &ResolvedStudy, observer: &mut dyn Observer) -> Simulated {
    let settings = settings(circuit, study);
    let mut simulated = Simulated::new(version(Engine::DeviceLevel));
    let settled = (study.begins == Begins::Settled).then(|| simulated.settle(circuit, &settings, observer));
    match settled {
        Some(Ok(settled)) if study.kind == StudyKind::Settled => {
            simulated.remarks.extend(discontinuous(&settled.windings));
            let Settled { period, iterations, multipliers, windings, .. } = &settled;
            simulated.settled = Some(SettledFacts::new(circuit, (*period, false), *iterations, multipliers, windings));
            // What happens once does not happen here.
            let equations = Equations::new(&circuit.without_what_happens_once());
            let periods = periods_of(circuit, study, settled.period);
            let end = settled.begins() + f64::from(periods) * settled.period;
            let settings = Settings { end, record_from: settled.begins(), ..settings };
            let begun = settled.go_on(&equations, &settings, &mut simulated.health);
            simulated.advance(begun, observer);
            // Whole periods have been recorded; there is nothing to go on with.
            simulated.left = None;
        }
        Some(Ok(settled)) if settled.begins() >= study.duration => {
            let end = show(study.duration, Unit::Second, 3);
            let begun = show(settled.begins(), Unit::Second, 3);
            let message = format!("the study ends at {end}, before all its sources have begun at {begun}; lengthen it");
            simulated.ended = Err(message);
        }
        Some(Ok(settled)) => {
            let equations = Equations::new(circuit);
            let begun = settled.go_on(&equations, &settings, &mut simulated.health);
            simulated.advance(begun, observer);
        }
        Some(Err(EngineError::Stopped)) => simulated.ended = Ok(false),
        Some(Err(error)) if study.kind == StudyKind::Settled => simulated.ended = Err(error.to_string()),
        unsettled => {
            if let Some(Err(error @ EngineError::NotSettling { .. })) = unsettled {
                simulated.remarks.push(format!("begins at the operating point: {error}"));
            }
            let equations = Equations::new(circuit);
            match Transient::new(&equations, &settings, &mut simulated.health) {
                Ok(begun) => simulated.advance(begun, observer),
                Err(error) => simulated.ended = Err(error.to_string()),
            }
        }
    }
    simulated
}

impl Simulated {
    fn settle(
        &mut self,
        circuit: &Circuit,
        settings: &Settings,
        observer: &mut dyn Observer,
    ) -> Result<Settled, EngineError> {
        let settled = Settled::find(circuit, settings, observer, &mut self.health)?;
        self.remarks.extend(stability(&settled.multipliers, MULTIPLIERS));
        Ok(settled)
    }

    fn advance(&mut self, mut transient: Transient<'_>, observer: &mut dyn Observer) {
        let ended = transient.advance(observer, &mut self.health);
        self.left = Some(Kept::DeviceLevel(transient.kept(&self.health)));
        self.ended = ended.map(|ended| ended == Ended::Done).map_err(|error| error.to_string());
    }
}
