//! Diodes: a drop and a resistance, or open; the drop and the resistance are the tangent of the diode's curve at the current
//! it typically carries. Junction capacitance and stored charge have no part here.

use crate::network::row::{Of, Row};
use crate::network::{Changes, Guard, Network, Region};
use circuit::ResolvedPart;
use circuit::fit::{self, DiodeFit, THERMAL_VOLTAGE};

/// A straight line a diode conducts along: `v = drop + resistance·i`.
#[derive(Clone, Copy, Debug)]
pub(super) struct Line {
    pub(super) drop: f64,
    pub(super) resistance: f64,
}

impl Line {
    /// Tangent at a current of `v = slope·ln(1 + i/saturation) + resistance·i`.
    pub(super) fn tangent(saturation: f64, slope: f64, resistance: f64, current: f64) -> Self {
        let whole = resistance + slope / (current + saturation);
        let voltage = slope * (1.0 + current / saturation).ln() + resistance * current;
        Line { drop: voltage - whole * current, resistance: whole }
    }
}

/// Conducts along lines in one or both directions, or is open.
pub(super) fn conducts(n: &mut Network, (a, b): (usize, usize), i: Of, forward: Line, reverse: Option<Line>) {
    let relation = n.relation(Row::default());
    let across = Row::across(a, b);
    let along = |sign: f64, line: Line, name| Region {
        name,
        relations: vec![(relation, across.clone().plus(-line.resistance, i).plus(-sign, Row::constant(line.drop)))],
        guards: vec![Guard::new(Row::of(i).times(sign), 0)],
        ..Region::default()
    };
    let up_to = |sign: f64, line: Line, to| Guard::new(Row::constant(line.drop).plus(-sign, across.clone()), to);
    let breaks = reverse.map(|line| (up_to(-1.0, line, 2), along(-1.0, line, "broken down")));
    let (guard, region) = breaks.unzip();
    let open = Region {
        name: "blocking",
        relations: vec![(relation, Row::of(i))],
        guards: std::iter::once(up_to(1.0, forward, 1)).chain(guard).collect(),
        open: Some(across.clone()),
        ..Region::default()
    };
    let regions = [open, along(1.0, forward, "conducting")].into_iter().chain(region).collect();
    n.element(Changes::Continuously, 0, regions, Vec::new());
}

pub(super) fn diode(part: &ResolvedPart, n: &mut Network) {
    let (anode, cathode) = (part.pins[0], part.pins[1]);
    let DiodeFit { saturation_current, slope, resistance } = fit::of_diode(part);
    let forward = Line::tangent(saturation_current, slope, resistance, part.value("typical_current"));
    let breakdown = part.value("breakdown_voltage");
    let reverse = (breakdown > 0.0).then_some(Line { drop: breakdown, resistance });
    let i = n.current(anode, cathode);
    conducts(n, (anode, cathode), i, forward, reverse);
    n.lossy_port(Row::across(anode, cathode), i);
}

/// In reverse a line through the Zener voltage at the Zener current with the Zener impedance.
pub(super) fn zener(part: &ResolvedPart, n: &mut Network) {
    let (anode, cathode) = (part.pins[0], part.pins[1]);
    let (current, impedance) = (part.value("zener_current"), part.value("zener_impedance"));
    let slope = part.value("emission") * THERMAL_VOLTAGE;
    let resistance = part.value("series_resistance");
    let forward = Line::tangent(part.value("saturation_current"), slope, resistance, current);
    let reverse = Line { drop: part.value("zener_voltage") - impedance * current, resistance: impedance };
    let i = n.current(anode, cathode);
    conducts(n, (anode, cathode), i, forward, Some(reverse));
    n.lossy_port(Row::across(anode, cathode), i);
}
