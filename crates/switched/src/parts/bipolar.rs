//! Bipolar transistor as a switch: its base as a diode; its collector current the gain times the base current, or along the line
//! of the saturated transistor where that is less, and never backwards.

use super::diodes::{Line, conducts};
use crate::network::row::{ONE, Row};
use crate::network::{Changes, Guard, Network, Region};
use circuit::fit::{self, BipolarFit, THERMAL_VOLTAGE};
use circuit::{KindId, ResolvedPart};

pub(super) fn bipolar(part: &ResolvedPart, n: &mut Network) {
    let [collector, base, emitter] = [0, 1, 2].map(|pin| part.pins[pin]);
    // A PNP's currents flow the other way.
    let turned = part.kind == KindId::Pnp;
    let along = |a: usize, b: usize| if turned { (b, a) } else { (a, b) };
    let BipolarFit { saturation_current, intrinsic_saturation, collector_resistance } = fit::of_bipolar(part);
    let gain = part.value("gain");

    let (from, to) = along(collector, emitter);
    let through = n.current(from, to);
    let across = Row::across(from, to);
    let (from, to) = along(base, emitter);
    let input = n.current(from, to);
    // The base carries what saturates it where the transistor is on.
    let typical = part.value("collector_current") / fit::FORCED_GAIN;
    let line = Line::tangent(saturation_current / gain, THERMAL_VOLTAGE, part.value("base_resistance"), typical);
    conducts(n, (from, to), input, line, None);

    let relation = n.relation(Row::default());
    let beyond = across.clone().plus(-intrinsic_saturation, ONE).plus(-collector_resistance, through);
    let short = Row::of(input).times(gain).plus(-1.0, through);
    let region =
        |name, row: Row, guards| Region { name, relations: vec![(relation, row)], guards, ..Region::default() };
    let regions = vec![
        region("active", short.clone(), vec![Guard::new(beyond.clone(), 1)]),
        region("saturation", beyond.clone(), vec![Guard::new(short, 0), Guard::new(Row::of(through), 2)]),
        Region {
            open: Some(across.clone()),
            ..region("blocking", Row::of(through), vec![Guard::new(beyond.times(-1.0), 1)])
        },
    ];
    n.element(Changes::Continuously, 0, regions, Vec::new());
    let sign = if turned { -1.0 } else { 1.0 };
    n.lossy_port(Row::across(collector, emitter), Row::of(through).times(sign));
    n.lossy_port(Row::across(base, emitter), Row::of(input).times(sign));
}
