//! References and three-terminal regulators: the device-level macromodels with straight lines for their curves.

use super::pieces::{between, least};
use crate::network::row::{ONE, Of, Row};
use crate::network::{Changes, Guard, Network, Region};
use circuit::ResolvedPart;
use std::f64::consts::TAU;

/// `dx/dt = ω·(g·(v_ref − V_ref) − x)`; the cathode draws x between its minimum and its limit, but no more than a resistance that
/// takes the limit at the saturation voltage.
pub(super) fn shunt_reference(part: &ResolvedPart, n: &mut Network) {
    let [cathode, anode, reference] = [0, 1, 2].map(|pin| part.pins[pin]);
    let value = |name: &str| part.value(name);
    let limit = value("current_limit");
    let (call, called) = (n.inner(), n.state(0.0, Row::default()));
    let Of::State(index) = called else { return };
    let error = Row::across(reference, anode).plus(-value("reference_voltage"), ONE);
    let wanted = error.times(value("transconductance"));
    let names = ["regulating", "regulating", "regulating"];
    between(n, (Row::of(call), wanted), [Row::constant(-limit), Row::constant(2.0 * limit)], names);
    n.states[index].1 = Row::of(call).plus(-1.0, called).times(TAU * value("bandwidth"));
    let asked = n.inner();
    let limits = [Row::constant(value("minimum_current")), Row::constant(limit)];
    between(n, (Row::of(asked), Row::of(called)), limits, ["starved", "regulating", "current limit"]);
    let i = n.current(cathode, anode);
    let saturated = Row::across(cathode, anode).times(limit / value("saturation_voltage").max(1e-3));
    least(n, &Row::of(i), [Row::of(asked), saturated], ["regulating", "saturated"]);
    let bias = Row::constant(value("reference_current"));
    n.carry(reference, anode, &bias);
    n.lossy_port(Row::across(cathode, anode), i);
    n.lossy_port(Row::across(reference, anode), bias);
}

/// What of a regulator's dropout remains without load (as at device level).
const UNLOADED: f64 = 0.6;

pub(super) fn regulator(part: &ResolvedPart, n: &mut Network) {
    let sign = if part.value("polarity") > 0.5 { -1.0 } else { 1.0 };
    limited(part, n, sign, [part.value("rated_current"), part.value("current_limit"), 0.0]);
}

pub(super) fn series_reference(part: &ResolvedPart, n: &mut Network) {
    let source = part.value("source_limit");
    limited(part, n, 1.0, [source, source, part.value("sink_limit")]);
}

/// The output follows the voltage, or what the input leaves of it, through a resistance with an inductance; its current has limits
/// both ways.
fn limited(part: &ResolvedPart, n: &mut Network, sign: f64, [rated, limit, sink]: [f64; 3]) {
    let [input, output, common] = [0, 1, 2].map(|pin| part.pins[pin]);
    let value = |name: &str| part.value(name);
    let (dropout, resistance, voltage) = (value("dropout"), value("output_resistance"), value("voltage"));
    let inductance = resistance / (TAU * value("impedance_corner"));
    let across = |a: usize, b: usize| Row::across(a, b).times(sign);
    let quiescent = n.inner();
    let drawn = value("quiescent_current");
    let rises = across(input, common).times(2.0 * drawn);
    let names = ["off", "off", "on"];
    between(n, (Row::of(quiescent), rises), [Row::constant(-drawn), Row::constant(drawn)], names);

    let i = n.state(0.0, Row::default());
    let Of::State(index) = i else { return };
    let held = n.inner();
    let regulated = across(input, output).times(voltage * value("line_regulation")).plus(voltage, ONE);
    let available = across(input, common).plus(-UNLOADED * dropout, ONE).plus(-(1.0 - UNLOADED) * dropout / rated, i);
    least(n, &Row::of(held), [regulated, available], ["regulating", "dropout"]);
    // Driven on by what lies across the inductance, as far as its limits.
    let driven = Row::of(held).plus(-resistance, i).plus(-1.0, across(output, common));
    let (kept, relation) = (n.inner(), n.relation(Row::default()));
    n.states[index].1 = Row::of(kept).times(1.0 / inductance);
    let at = |limit: f64, sign: f64| Region {
        name: "current limit",
        relations: vec![(relation, Row::of(kept))],
        guards: vec![
            Guard::new(driven.clone().times(sign), 0),
            Guard::new(Row::of(i).plus(-limit, ONE).times(sign), 0),
        ],
        ..Region::default()
    };
    let within = [Row::of(i).times(-1.0).plus(limit, ONE), Row::of(i).plus(sink, ONE)];
    let free = Region {
        name: "regulating",
        relations: vec![(relation, Row::of(kept).plus(-1.0, driven.clone()))],
        guards: within.into_iter().zip([1, 2]).map(|(holds, to)| Guard::new(holds, to)).collect(),
        ..Region::default()
    };
    n.element(Changes::Continuously, 0, vec![free, at(limit, 1.0), at(-sink, -1.0)], Vec::new());
    n.stores(i, inductance);

    let current = Row::of(i).times(sign);
    let idle = Row::of(quiescent).times(sign);
    n.carry(input, output, &current);
    n.carry(input, common, &idle);
    n.port(Row::across(input, common), current.clone().plus(1.0, idle.clone()));
    n.port(Row::across(output, common), current.clone().times(-1.0));
    n.loss(Row::across(input, common), idle);
    n.loss(across(input, output).plus(-1.0, kept), i);
}
