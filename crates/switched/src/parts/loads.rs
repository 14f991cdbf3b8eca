//! Loads of constant or stepped current: the current stated, or what a resistance takes that reaches it at half the lowest
//! voltage; neither gives power. Loads of constant power: the device level's curve in straight pieces.

use crate::network::course::Course;
use crate::network::row::{ONE, Of, Row};
use crate::network::{Changes, Guard, Network, Region};
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
        guards: vec![Guard::new(asked.clone().plus(-1.0, taken.clone()), 1)],
        ..Region::default()
    };
    let above = Region {
        name: "as stated",
        relations: vec![(relation, Row::of(i).plus(-1.0, asked.clone()))],
        guards: vec![Guard::new(taken.plus(-1.0, asked), 0)],
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

/// Knots of a load of constant power below its lowest voltage, relative to that; ratio of voltage from knot to knot above, which
/// keeps the pieces within (ratio − 1)²/8 about the curve; and how far they go.
const BELOW: [f64; 4] = [0.25, 0.5, 0.75, 1.0];
const RATIO: f64 = 1.1;
const FARTHEST: f64 = 100.0;

/// `u·(2 − u²)` up to the lowest voltage and 1/u above, of what is drawn there; beyond the last knot the current no longer falls.
pub(super) fn power(part: &ResolvedPart, n: &mut Network) {
    let (plus, minus) = (part.pins[0], part.pins[1]);
    let least = part.value("least_voltage");
    let drawn = part.value("power") / least;
    let above = std::iter::successors(Some(RATIO), |u| Some(u * RATIO)).take_while(|u| *u < FARTHEST);
    let knots: Vec<(f64, f64)> = BELOW
        .into_iter()
        .map(|u| (u * least, drawn * u * (2.0 - u * u)))
        // A chord of 1/u lies above it by up to (ratio − 1)²/4: half of that is taken off.
        .chain(above.map(|u| (u * least, drawn / u * (1.0 - (RATIO - 1.0).powi(2) / 8.0))))
        .collect();
    let i = n.current(plus, minus);
    let (across, relation, last) = (Row::across(plus, minus), n.relation(Row::default()), knots.len());
    let region = |piece: usize| {
        // Before the first knot as a resistance, behind the last a constant current.
        let (at, slope) = match piece {
            0 => (knots[0], knots[0].1 / knots[0].0),
            _ if piece == last => (knots[last - 1], 0.0),
            _ => {
                let ((v0, i0), (v1, i1)) = (knots[piece - 1], knots[piece]);
                ((v0, i0), (i1 - i0) / (v1 - v0))
            }
        };
        let current = across.clone().times(slope).plus(at.1 - slope * at.0, ONE);
        let from = (piece > 0).then(|| Guard::new(across.clone().plus(-knots[piece - 1].0, ONE), piece - 1));
        let until =
            (piece < last).then(|| Guard::new(Row::constant(knots[piece].0).plus(-1.0, across.clone()), piece + 1));
        Region {
            name: if piece < BELOW.len() { "below its lowest voltage" } else { "as stated" },
            relations: vec![(relation, Row::of(i).plus(-1.0, current))],
            guards: from.into_iter().chain(until).collect(),
            ..Region::default()
        }
    };
    let regions = (0..=last).map(region).collect();
    n.element(Changes::Continuously, 0, regions, Vec::new());
    n.lossy_port(across, i);
}
