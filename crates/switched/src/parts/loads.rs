//! Loads of constant or stepped current: the current stated, or what a resistance takes that reaches it at half the lowest
//! voltage; neither gives power.

use crate::course::Course;
use crate::network::{Changes, Guard, Network, Region};
use crate::row::{Of, Row};
use circuit::{KindId, ResolvedPart};

/// Voltage at which the stated current is reached, of the lowest.
const REACHED_AT: f64 = 0.5;

pub(super) fn current(part: &ResolvedPart, n: &mut Network) {
    let (plus, minus) = (part.pins[0], part.pins[1]);
    let i = n.current(plus, minus);
    let (course, most) = course(part);
    let asked = match course {
        Some(course) => Row::of(Of::Input(n.input(course))),
        None => Row::constant(most),
    };
    let across = Row::across(plus, minus);
    let reached = REACHED_AT * part.value("least_voltage");
    let taken = across.clone().times(most / reached);
    let relation = n.relation(Row::default());
    let below = Region {
        name: "below its lowest voltage",
        relations: vec![(relation, Row::of(i).plus(-1.0, taken.clone()))],
        guards: vec![Guard { holds: asked.clone().plus(-1.0, taken.clone()), to: 1 }],
        ..Region::default()
    };
    let above = Region {
        name: "as stated",
        relations: vec![(relation, Row::of(i).plus(-1.0, asked.clone()))],
        guards: vec![Guard { holds: taken.plus(-1.0, asked), to: 0 }],
        ..Region::default()
    };
    n.element(Changes::Continuously, 0, vec![below, above], Vec::new());
    n.lossy_port(across, i);
}

/// How the current runs, if it changes, and the most it reaches, A.
fn course(part: &ResolvedPart) -> (Option<Course>, f64) {
    if part.kind == KindId::CurrentLoad {
        return (None, part.value("current"));
    }
    let [low, high, delay, width, period, slew] =
        ["low", "high", "delay", "width", "period", "slew"].map(|name| part.value(name));
    let edge = ((high - low).abs() / slew).max(1e-12);
    let times = [0.0, edge, edge + width, 2.0 * edge + width];
    let points = times.into_iter().zip([low, high, high, low]).collect();
    let period = Some(period).filter(|period| *period > 0.0);
    (Some(Course::Lines { points, delay, period }), low.max(high))
}
