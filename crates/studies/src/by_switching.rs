//! Studies simulated by switching.

use crate::simulated::Simulated;
use circuit::{Circuit, ResolvedStudy, StudyKind};
use recording::{Complex64, Health, Observer};
use switched::{Ended, Settings, Settled, SwitchedError, Transient};

/// How closely quadratics between recorded nodes follow, relative to the study's tolerance: what lies at nodes is exact, and
/// readings are taken of the quadratics.
const BETWEEN_NODES: f64 = 1e-3;

pub(crate) fn by_switching(circuit: &Circuit, study: &ResolvedStudy, observer: &mut dyn Observer) -> Simulated {
    let mut health = Health::default();
    let mut remarks = Vec::new();
    let ended = match study.kind {
        StudyKind::Settled => settled(circuit, study, observer, &mut health, &mut remarks),
        StudyKind::SwitchOn => transient(circuit, study, observer, &mut health),
        StudyKind::LoadStep => step(circuit, study, observer, &mut health, &mut remarks),
    };
    let ended = ended.map(|ended| ended == Ended::Done).map_err(|error| error.to_string());
    Simulated { ended, health, version: format!("switched {}", switched::VERSION), remarks, left: None }
}

fn transient(
    circuit: &Circuit,
    study: &ResolvedStudy,
    observer: &mut dyn Observer,
    health: &mut Health,
) -> Result<Ended, SwitchedError> {
    Transient::new(circuit, &settings(study))?.advance(observer, health)
}

/// From the settled state on, which is what a converter has for an operating point.
fn step(
    circuit: &Circuit,
    study: &ResolvedStudy,
    observer: &mut dyn Observer,
    health: &mut Health,
    remarks: &mut Vec<String>,
) -> Result<Ended, SwitchedError> {
    let settled = Settled::find(circuit)?;
    remarks.extend(stability(&settled.multipliers));
    settled.go_on(&settings(study)).advance(observer, health)
}

fn settings(study: &ResolvedStudy) -> Settings {
    Settings {
        end: study.duration,
        record_from: study.record_from,
        max_step: study.max_step.unwrap_or(study.duration),
        tolerance: BETWEEN_NODES * study.tolerance,
    }
}

fn settled(
    circuit: &Circuit,
    study: &ResolvedStudy,
    observer: &mut dyn Observer,
    health: &mut Health,
    remarks: &mut Vec<String>,
) -> Result<Ended, SwitchedError> {
    let settled = Settled::find(circuit)?;
    remarks.extend(stability(&settled.multipliers));
    let idle = settled.windings.iter().filter(|winding| winding.idle > 0.0);
    remarks.extend(idle.map(|winding| {
        format!(
            "{} is in discontinuous conduction: without current for {:.1} % of a period",
            winding.part,
            100.0 * winding.idle
        )
    }));
    let periods = (study.duration / settled.period).floor().clamp(1.0, f64::from(u32::MAX)) as u32;
    settled.record(periods, BETWEEN_NODES * study.tolerance, observer, health)
}

/// What the multipliers say of small disturbances, if they do not die out.
fn stability(multipliers: &[Complex64]) -> Option<String> {
    let largest = multipliers.first().filter(|m| m.norm() > 1.0 + 1e-8)?;
    let what = if largest.im.abs() > 1e-9 * largest.norm() {
        "it grows in swings that take several periods; the loop is unstable"
    } else if largest.re < 0.0 {
        "it alternates from period to period; add slope, or lower the gain at half the switching frequency"
    } else {
        "it grows from period to period; this state will not be kept"
    };
    Some(format!("Unstable: of a small disturbance each period leaves {:.3} times as much: {what}", largest.re))
}
