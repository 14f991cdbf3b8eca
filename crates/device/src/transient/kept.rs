//! Where a transient stands, kept so that it can be gone on with later, elsewhere.

use super::{Pace, Recorder, Settings, Stepper, Transient};
use crate::VERSION;
use crate::equations::Equations;
use recording::{Health, Unfit};
use serde::{Deserialize, Serialize};

/// The end state of a transient, all of which it takes to go on from there: the last node, what full scales and energies
/// had come to, and the statistics.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
pub struct Kept {
    version: String,
    /// Simulated time reached, s.
    pub time: f64,
    /// What is solved for, by name.
    unknowns: Vec<String>,
    x: Vec<f64>,
    f: Vec<f64>,
    q: Vec<f64>,
    scale: Vec<f64>,
    /// Power lost in each part, W.
    powers: Vec<f64>,
    delivered: f64,
    dissipated: f64,
    stored: f64,
    stored_first: f64,
    /// Whether nodes had been recorded.
    begun: bool,
    health: Health,
}

fn names(equations: &Equations) -> Vec<String> {
    (1..=equations.n).map(|k| equations.name(k)).collect()
}

impl Kept {
    /// Whether equations can be gone on with from here.
    ///
    /// # Errors
    /// [`Unfit`] if the state is of another circuit or of another version of the numerics.
    pub fn fits(&self, equations: &Equations) -> Result<(), Unfit> {
        if self.version != VERSION {
            return Err(Unfit::Version { left: self.version.clone(), now: VERSION });
        }
        let vectors = [&self.x, &self.f, &self.q, &self.scale];
        let sizes = vectors.iter().all(|v| v.len() == equations.n + 1) && self.powers.len() == equations.models.len();
        if sizes && self.unknowns == names(equations) { Ok(()) } else { Err(Unfit::Circuit) }
    }
}

impl<'a> Transient<'a> {
    /// What it takes to go on later; `health` is what [`advance`](Self::advance) left.
    pub fn kept(&self, health: &Health) -> Kept {
        let Transient { stepper, recorder, stored_first, .. } = self;
        let node = &stepper.start;
        let (f, q) = node.rates();
        Kept {
            version: VERSION.to_owned(),
            time: node.t,
            unknowns: names(stepper.equations),
            x: node.x.clone(),
            f: f.to_vec(),
            q: q.to_vec(),
            scale: stepper.full_scales().to_vec(),
            powers: recorder.powers.iter().map(|p| p[2]).collect(),
            delivered: recorder.delivered,
            dissipated: recorder.dissipated,
            stored: recorder.stored,
            stored_first: *stored_first,
            begun: recorder.begun,
            health: health.clone(),
        }
    }

    /// A transient that goes on where another ended. What it records follows what the other had recorded.
    ///
    /// # Errors
    /// [`Unfit`] if the state is of another circuit or of another version of the numerics.
    pub fn resume(
        equations: &'a Equations,
        settings: &Settings,
        kept: &Kept,
        health: &mut Health,
    ) -> Result<Self, Unfit> {
        kept.fits(equations)?;
        *health = kept.health.clone();
        let mut stepper = Stepper::new(equations, settings.tolerance);
        stepper.resume(kept.time, [&kept.x, &kept.f, &kept.q], &kept.scale);
        let mut recorder = Recorder::new(equations, settings.record_from);
        recorder.powers = kept.powers.iter().map(|power| [0.0, 0.0, *power]).collect();
        recorder.begun = kept.begun;
        (recorder.delivered, recorder.dissipated, recorder.stored) = (kept.delivered, kept.dissipated, kept.stored);
        Ok(Transient {
            stored_first: kept.stored_first,
            stepper,
            recorder,
            settings: settings.clone(),
            pace: Pace::new((1e-6 * settings.end).min(settings.max_step), settings.max_step),
            corner: equations.next_corner(kept.time).unwrap_or(f64::INFINITY),
            leaps_in_a_row: 0,
            differences: None,
            holdings: None,
        })
    }
}
