//! Which windings carry no current for a part of a time.

use crate::contract::Point;
use crate::equations::Equations;
use circuit::{Circuit, KindId};
use recording::Conduction;

/// Current, relative to its largest, up to which windings count as without: what is left beside a diode's capacitance rings below
/// that. It is told by what a part holds, which grows with the square of its current.
const NEXT_TO_NOTHING: f64 = 0.03;
/// Part of a time that counts as none: a current that alternates passes near zero.
const PASSING: f64 = 0.05;

/// What parts with windings hold, as time goes on.
pub(crate) struct Holdings {
    parts: Vec<usize>,
    /// Of each accepted step its length, s, and behind it what each part holds at its end, J.
    steps: Vec<f64>,
}

impl Holdings {
    /// Of all parts of a circuit that have windings without a core of their own.
    pub(crate) fn new(circuit: &Circuit) -> Self {
        let wound = |kind| matches!(kind, KindId::Inductor | KindId::CoupledWindings | KindId::ThreeWindings);
        let parts = (0..circuit.parts.len()).filter(|part| wound(circuit.parts[*part].kind)).collect();
        Holdings { parts, steps: Vec::new() }
    }

    pub(crate) fn are_none(&self) -> bool {
        self.parts.is_empty()
    }

    /// Notes a step.
    pub(super) fn step(&mut self, equations: &Equations, length: f64, end: Point<'_>) {
        self.steps.push(length);
        self.steps.extend(self.parts.iter().map(|part| equations.models[*part].stored(end)));
    }

    /// How each part carried its current: of nothing at all, not even at its largest, nothing can be said.
    pub(crate) fn conduction(&self, equations: &Equations) -> Vec<Conduction> {
        let steps = || self.steps.chunks_exact(1 + self.parts.len());
        let whole: f64 = steps().map(|step| step[0]).sum();
        let all = self.parts.iter().enumerate().map(|(place, part)| {
            let most = steps().fold(0.0f64, |most, step| most.max(step[1 + place]));
            let size = |step: &[f64]| (step[1 + place] / most).sqrt();
            // A period begins with what it ends with.
            let (mut before, mut idle) = (steps().last().map_or(0.0, size), 0.0);
            for step in steps() {
                let now = size(step);
                idle += step[0] / whole * below(before, now);
                before = now;
            }
            Conduction { part: equations.part(*part), idle: if idle > PASSING { idle } else { 0.0 } }
        });
        all.collect()
    }
}

/// Part of a step in which a size that goes straight from one value to another counts as none.
fn below(from: f64, to: f64) -> f64 {
    let (least, most) = (from.min(to), from.max(to));
    if most <= NEXT_TO_NOTHING { 1.0 } else { ((NEXT_TO_NOTHING - least) / (most - least)).clamp(0.0, 1.0) }
}
