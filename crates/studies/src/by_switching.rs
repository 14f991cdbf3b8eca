//! Studies simulated by switching.

use crate::simulated::{MOST_PERIODS, Simulated, stability};
use circuit::{Circuit, ResolvedStudy, StudyKind};
use recording::{Health, Observer};
use switched::{Ended, Settings, Settled, SwitchedError, Transient};

/// How closely quadratics between recorded nodes follow, relative to the study's tolerance: what lies at nodes is exact, and
/// readings are taken of the quadratics.
const BETWEEN_NODES: f64 = 1e-2;
/// How exactly multipliers are known; growth below it is none.
pub(crate) const MULTIPLIERS: f64 = 1e-8;

pub(crate) fn by_switching(circuit: &Circuit, study: &ResolvedStudy, observer: &mut dyn Observer) -> Simulated {
    let (mut health, mut remarks) = (Health::default(), Vec::new());
    let ended = match simulated(circuit, study, observer, &mut health, &mut remarks) {
        Ok(ended) => Ok(ended == Ended::Done),
        Err(SwitchedError::Stopped) => Ok(false),
        Err(SwitchedError::NoForm { parts }) if study.kind == StudyKind::Settled => {
            Err(format!("{parts} cannot be simulated by switching; look for the settled state at device level"))
        }
        Err(error) => Err(error.to_string()),
    };
    Simulated { ended, health, version: format!("switched {}", switched::VERSION), remarks, left: None }
}

fn simulated(
    circuit: &Circuit,
    study: &ResolvedStudy,
    observer: &mut dyn Observer,
    health: &mut Health,
    remarks: &mut Vec<String>,
) -> Result<Ended, SwitchedError> {
    let settings = Settings {
        end: study.duration,
        record_from: study.record_from,
        max_step: study.max_step.unwrap_or(study.duration),
        tolerance: BETWEEN_NODES * study.tolerance,
    };
    if study.kind == StudyKind::SwitchOn {
        return Transient::new(circuit, &settings)?.advance(observer, health);
    }
    let settled = Settled::find(circuit, observer)?;
    remarks.extend(stability(&settled.multipliers, MULTIPLIERS));
    if study.kind == StudyKind::LoadStep {
        // The settled state is what a converter has for an operating point.
        if settled.begins() >= study.duration {
            let why = format!("the study ends at {:.3e} s, before all its sources have begun", study.duration);
            return Err(SwitchedError::NotPeriodic { why });
        }
        return settled.go_on(&settings).advance(observer, health);
    }
    let idle = settled.windings.iter().filter(|winding| winding.idle > 0.0);
    remarks.extend(idle.map(|winding| {
        let share = 100.0 * winding.idle;
        format!("{} is in discontinuous conduction: without current for {share:.1} % of a period", winding.part)
    }));
    let periods = (study.duration / settled.period).floor().clamp(1.0, MOST_PERIODS) as u32;
    settled.record(periods, settings.tolerance, observer, health)
}
