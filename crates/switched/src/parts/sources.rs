//! Sources: constants, sines, straight lines and exponentials are inputs that run on their own.

use super::controlling::control;
use crate::network::Network;
use crate::network::course::Course;
use crate::network::row::{Of, Row};
use circuit::{KindId, ResolvedPart};
use std::f64::consts::SQRT_2;

/// `v₊ − v₋` is what a row says.
fn voltage(part: &ResolvedPart, n: &mut Network, held: Row) {
    let (plus, minus) = (part.pins[0], part.pins[1]);
    let i = n.current(plus, minus);
    n.relation(Row::across(plus, minus).plus(-1.0, held));
    n.lossy_port(Row::across(plus, minus), i);
}

pub(super) fn direct(part: &ResolvedPart, n: &mut Network) {
    voltage(part, n, Row::constant(part.value("voltage")));
}

/// A change of the amplitude happens at once, in the middle of the 5 µs it takes at device level.
pub(super) fn sine(part: &ResolvedPart, n: &mut Network) {
    let to_peak = [SQRT_2, 1.0, 0.5];
    let amplitude = part.value("amplitude") * to_peak[(part.value("amplitude_as") as usize).min(2)];
    let changes_to = part.value("changes_to");
    let course = Course::Sine {
        frequency: part.value("frequency"),
        phase: part.value("phase").to_radians(),
        amplitude,
        then: (changes_to != 1.0).then(|| (part.value("changes_at") + 2.5e-6, changes_to * amplitude)),
    };
    let input = n.input(course);
    voltage(part, n, Row::constant(part.value("offset")).plus(1.0, Of::Input(input)));
}

pub(super) fn pulse(part: &ResolvedPart, n: &mut Network) {
    let [low, high, rise, width, fall] = ["low", "high", "rise", "width", "fall"].map(|name| part.value(name));
    let period = Some(part.value("period")).filter(|period| *period > 0.0);
    let corners = [0.0, rise, rise + width, rise + width + fall];
    let points = corners.into_iter().zip([low, high, high, low]).collect();
    let input = n.input(Course::Lines { points, delay: part.value("delay"), period });
    voltage(part, n, Row::of(Of::Input(input)));
}

pub(super) fn points(part: &ResolvedPart, n: &mut Network) {
    let input = n.input(Course::Lines { points: part.points.clone(), delay: 0.0, period: None });
    voltage(part, n, Row::of(Of::Input(input)));
}

/// `low + (high − low)·((1 − e₁) − (1 − e₂))`, e how far each exponential still has to go.
pub(super) fn exponential(part: &ResolvedPart, n: &mut Network) {
    let [low, high] = ["low", "high"].map(|name| part.value(name));
    let mut held = Row::constant(low);
    for (at, constant, sign) in [("rise_at", "rise_constant", 1.0), ("fall_at", "fall_constant", -1.0)] {
        let (from, height) = (part.value(at), sign * (high - low));
        let step = n.input(Course::Lines { points: vec![(0.0, 0.0), (0.0, 1.0)], delay: from, period: None });
        let left = n.input(Course::Decay { from, constant: part.value(constant) });
        held = held.plus(height, Of::Input(step)).plus(-height, Of::Input(left));
    }
    voltage(part, n, held);
}

pub(super) fn current(part: &ResolvedPart, n: &mut Network) {
    let (a, b) = (part.pins[0], part.pins[1]);
    let i = n.current(a, b);
    n.relation(Row::of(i).plus(-1.0, Row::constant(part.value("current"))));
    n.lossy_port(Row::across(a, b), i);
}

pub(super) fn three_phase(part: &ResolvedPart, n: &mut Network) {
    for phase in 0..3 {
        let input = n.input(Course::Sine {
            frequency: part.value("frequency"),
            phase: (part.value("phase") - 120.0 * phase as f64).to_radians(),
            amplitude: SQRT_2 * part.value("amplitude"),
            then: None,
        });
        let (line, neutral) = (part.pins[phase], part.pins[3]);
        let i = n.current(line, neutral);
        n.relation(Row::across(line, neutral).plus(-1.0, Of::Input(input)));
        n.lossy_port(Row::across(line, neutral), i);
    }
}

/// A voltage or current in proportion to another; a controlling current flows through a path that drops no voltage.
pub(super) fn controlled(part: &ResolvedPart, n: &mut Network) {
    use KindId::{CurrentControlledCurrent, CurrentControlledVoltage, VoltageControlledVoltage};
    let [a, b, cp, cn] = [0, 1, 2, 3].map(|pin| part.pins[pin]);
    let name = match part.kind {
        KindId::VoltageControlledCurrent => "transconductance",
        CurrentControlledVoltage => "transresistance",
        _ => "gain",
    };
    let factor = part.value(name);
    let i = n.current(a, b);
    n.lossy_port(Row::across(a, b), i);
    let by_current = matches!(part.kind, CurrentControlledVoltage | CurrentControlledCurrent);
    let control = control(n, by_current, (cp, cn));
    let gives_voltage = matches!(part.kind, CurrentControlledVoltage | VoltageControlledVoltage);
    let given = if gives_voltage { Row::across(a, b) } else { Row::of(i) };
    n.relation(given.plus(-factor, control));
}
