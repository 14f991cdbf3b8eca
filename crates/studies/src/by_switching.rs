//! Studies simulated by switching.

use crate::kept::Kept;
use crate::settled::SettledFacts;
use crate::simulated::{Simulated, discontinuous, periods_of, stability};
use crate::version::version;
use circuit::{Begins, Circuit, Engine, ResolvedStudy, StudyKind};
use recording::{Observer, Unfit};
use switched::{Ended, Settings, Settled, SwitchedError, Transient};

/// How closely quadratics between recorded nodes follow, relative to the study's tolerance: what lies at nodes is exact, and
/// readings are taken of the quadratics.
const BETWEEN_NODES: f64 = 1e-2;
/// How exactly multipliers are known; growth below it is none.
pub(crate) const MULTIPLIERS: f64 = 1e-8;

pub(crate) fn settings(study: &ResolvedStudy) -> Settings {
    Settings {
        end: study.duration,
        record_from: study.record_from,
        max_step: study.max_step.unwrap_or(study.duration),
        tolerance: BETWEEN_NODES * study.tolerance,
        every_period: false,
    }
}

fn nothing_yet() -> Simulated {
    Simulated::new(version(Engine::Switched))
}

/// From where another run of the same circuit ended.
///
/// # Errors
/// [`Unfit`] if it is of another circuit.
pub(crate) fn go_on_by_switching(
    circuit: &Circuit,
    study: &ResolvedStudy,
    from: &switched::Kept,
    observer: &mut dyn Observer,
) -> Result<Simulated, Unfit> {
    let mut simulated = nothing_yet();
    let begun = match Transient::resume(circuit, &settings(study), from, &mut simulated.health) {
        Err(SwitchedError::Unfit(unfit)) => return Err(unfit),
        begun => begun,
    };
    let ended = begun.and_then(|begun| simulated.advance_by_switching(begun, observer));
    simulated.end(study, ended);
    Ok(simulated)
}

pub(crate) fn by_switching(circuit: &Circuit, study: &ResolvedStudy, observer: &mut dyn Observer) -> Simulated {
    let mut simulated = nothing_yet();
    let ended = simulated.by_kind(circuit, study, observer);
    simulated.end(study, ended);
    simulated
}

impl Simulated {
    fn by_kind(
        &mut self,
        circuit: &Circuit,
        study: &ResolvedStudy,
        observer: &mut dyn Observer,
    ) -> Result<Ended, SwitchedError> {
        let settings = settings(study);
        if study.begins == Begins::Rest {
            return self.advance_by_switching(Transient::new(circuit, &settings)?, observer);
        }
        let settled = Settled::find(circuit, observer)?;
        self.remarks.extend(stability(&settled.multipliers, MULTIPLIERS));
        if study.kind != StudyKind::Settled {
            // The settled state is what a converter has for an operating point.
            if study.begins == Begins::OperatingPoint {
                self.remarks
                    .push("begins in the settled state, which is the operating point of what switches".to_owned());
            }
            if settled.begins() >= study.duration {
                let why = format!("the study ends at {:.3e} s, before all its sources have begun", study.duration);
                return Err(SwitchedError::NotPeriodic { why });
            }
            return self.advance_by_switching(settled.go_on(&settings), observer);
        }
        self.remarks.extend(discontinuous(&settled.windings));
        let Settled { period, free, iterations, multipliers, windings, .. } = &settled;
        self.settled = Some(SettledFacts::new(circuit, (*period, *free), *iterations, multipliers, windings));
        let periods = periods_of(circuit, study, settled.period);
        settled.record(periods, settings.tolerance, observer, &mut self.health)
    }

    fn advance_by_switching(
        &mut self,
        mut transient: Transient,
        observer: &mut dyn Observer,
    ) -> Result<Ended, SwitchedError> {
        let ended = transient.advance(observer, &mut self.health);
        self.left = Some(Kept::Switched(transient.kept(&self.health)));
        ended
    }

    /// Says how it ended.
    fn end(&mut self, study: &ResolvedStudy, ended: Result<Ended, SwitchedError>) {
        self.ended = match ended {
            Ok(ended) => Ok(ended == Ended::Done),
            Err(SwitchedError::Stopped) => Ok(false),
            Err(SwitchedError::NoForm { parts }) if study.kind == StudyKind::Settled => {
                Err(format!("{parts} cannot be simulated by switching; look for the settled state at device level"))
            }
            Err(error) => Err(error.to_string()),
        };
    }
}
