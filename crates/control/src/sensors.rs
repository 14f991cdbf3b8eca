//! Sensors: a sum through one pole, `dx/dt = ω·(u − x)`.

use crate::automaton::{Automaton, Mode, Of, Output, Sum, Through};
use circuit::ResolvedPart;
use std::f64::consts::TAU;

fn sensor(part: &ResolvedPart, (pin, against): (usize, usize), sensed: Sum) -> Automaton {
    let speed = TAU * part.value("bandwidth");
    let rate = sensed.plus(-1.0, Of::State(0)).times(speed);
    let out = Sum::of(Of::State(0)).and(part.value("offset"));
    Automaton {
        states: vec![0.0],
        outputs: vec![Output { pin, against, resistance: part.value("output_resistance"), response: 0.0 }],
        modes: vec![Mode::new("linear", out).rate(vec![rate])],
        ..Automaton::default()
    }
}

pub(crate) fn voltage(part: &ResolvedPart) -> Automaton {
    sensor(part, (0, 3), Sum::across(1, 2).times(part.value("gain")))
}

pub(crate) fn current(part: &ResolvedPart) -> Automaton {
    let sensed = Sum::of(Of::Through).times(part.value("transresistance"));
    let through = Through { from: 0, to: 1, resistance: part.value("resistance") };
    Automaton { through: Some(through), ..sensor(part, (2, 3), sensed) }
}
