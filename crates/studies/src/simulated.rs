//! What either engine leaves of a run, beside its recording.

use crate::curves::Curves;
use crate::kept::Kept;
use crate::settled::SettledFacts;
use circuit::{Circuit, ResolvedStudy, ResolvedWindow};
use recording::{Complex64, Conduction, Health};

/// What an engine did.
#[derive(Clone, Debug)]
pub(crate) struct Simulated {
    /// Whether it came to its end, or what kept it.
    pub(crate) ended: Result<bool, String>,
    pub(crate) health: Health,
    pub(crate) version: String,
    /// What is to be known of the state that was found.
    pub(crate) remarks: Vec<String>,
    /// What is known of the settled state, if that was looked for.
    pub(crate) settled: Option<SettledFacts>,
    /// What was found over frequency.
    pub(crate) curves: Option<Curves>,
    /// What it takes to go on from its end.
    pub(crate) left: Option<Kept>,
}

impl Simulated {
    /// Nothing yet, by a version of an engine.
    pub(crate) fn new(version: String) -> Self {
        Simulated {
            ended: Ok(true),
            health: Health::default(),
            version,
            remarks: Vec::new(),
            settled: None,
            curves: None,
            left: None,
        }
    }
}

/// Periods of a settled state that are recorded at most; they are all alike.
const MOST_PERIODS: f64 = 100.0;

/// Rounding of a count of periods, relative.
const ROUNDED: f64 = 1e-9;

/// How many periods of a settled state are recorded: what the study lasts, but no less than what its readings look back over.
pub(crate) fn periods_of(circuit: &Circuit, study: &ResolvedStudy, period: f64) -> u32 {
    let own = circuit.studies.iter().position(|other| other.id == study.id);
    let back =
        circuit.readings.iter().filter(|reading| Some(reading.study) == own).map(|reading| match reading.window {
            ResolvedWindow::Last(length) => length,
            _ => 0.0,
        });
    // Whole periods are none more and none less for their rounding.
    let looked_at = (back.fold(0.0, f64::max) / period * (1.0 - ROUNDED)).ceil();
    (study.duration / period * (1.0 + ROUNDED)).floor().max(looked_at).clamp(1.0, MOST_PERIODS) as u32
}

/// What is said of windings that carry no current for a part of the period.
pub(crate) fn discontinuous(windings: &[Conduction]) -> impl Iterator<Item = String> {
    windings.iter().filter(|winding| winding.idle > 0.0).map(|winding| {
        let share = 100.0 * winding.idle;
        format!("{} is in discontinuous conduction: without current for {share:.1} % of a period", winding.part)
    })
}

/// What the multipliers, known so exactly, say of small disturbances, if they do not die out.
pub(crate) fn stability(multipliers: &[Complex64], known: f64) -> Option<String> {
    if multipliers.iter().any(|m| m.norm().is_nan()) {
        return Some("Whether small disturbances of this state die out could not be told".to_owned());
    }
    let largest = multipliers.first().filter(|m| m.norm() > 1.0 + known)?;
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
