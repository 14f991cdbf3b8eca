//! Studies simulated by switching.

use crate::simulated::Simulated;
use circuit::{Circuit, ResolvedStudy, StudyKind};
use recording::{Complex64, Health, Observer};
use switched::{Ended, Settings, Settled, SwitchedError, Transient};

/// How closely quadratics between recorded nodes follow, relative to the study's tolerance: what lies at nodes is exact, and
/// readings are taken of the quadratics.
const BETWEEN_NODES: f64 = 1e-3;
/// Periods of a settled state that are recorded at most; they are all alike.
const MOST_PERIODS: f64 = 100.0;

pub(crate) fn by_switching(circuit: &Circuit, study: &ResolvedStudy, observer: &mut dyn Observer) -> Simulated {
    let (mut health, mut remarks) = (Health::default(), Vec::new());
    let ended = match simulated(circuit, study, observer, &mut health, &mut remarks) {
        Ok(ended) => Ok(ended == Ended::Done),
        Err(SwitchedError::Stopped) => Ok(false),
        Err(SwitchedError::NoForm { parts }) if study.kind == StudyKind::Settled => Err(format!(
            "{parts} cannot be simulated by switching, which a settled state needs; put parts there that can, or wait for it \
             in a switch-on at device level"
        )),
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
    remarks.extend(stability(&settled.multipliers));
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

/// What the multipliers say of small disturbances, if they do not die out.
pub(crate) fn stability(multipliers: &[Complex64]) -> Option<String> {
    let largest = multipliers.first().filter(|m| m.norm() > 1.0 + 1e-8)?;
    let what = if largest.im.abs() > 1e-9 * largest.norm() {
        "it grows in swings that take several periods; the loop is unstable"
    } else if largest.re < 0.0 {
        "it alternates from period to period; add slope, or lower the gain at half the switching frequency"
    } else {
        "it grows from period to period; this state will not be kept"
    };
    let times = if largest.im == 0.0 { largest.re } else { largest.norm() };
    Some(format!("Unstable: of a small disturbance each period leaves {times:.3} times as much: {what}"))
}
