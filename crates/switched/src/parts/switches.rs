//! What a control turns on and off: MOSFETs, switches, comparators. On they are a resistance, off they are open; a change
//! takes no time.

use super::controlling::control;
use super::diodes::{Line, conducts};
use crate::network::row::{ONE, Of, Row};
use crate::network::{Changes, Guard, Network, Region};
use circuit::fit::THERMAL_VOLTAGE;
use circuit::{Circuit, KindId, ResolvedPart};
use std::collections::BTreeSet;

/// kT/q times the body diode's emission coefficient, V (as at device level).
const BODY_SLOPE: f64 = 1.2 * THERMAL_VOLTAGE;
/// Resistance of the body diode beside the channel's (as at device level).
const BODY_RESISTANCE: f64 = 0.2;

/// Open, or a resistance between two nets; closed above one level of the control and open again below another.
fn contact(n: &mut Network, (a, b): (usize, usize), i: Of, resistance: f64, control: &Row, [off, on]: [f64; 2]) {
    let relation = n.relation(Row::default());
    let region = |name, row: Row, holds: Row, to, open| Region {
        name,
        relations: vec![(relation, row)],
        guards: vec![Guard::new(holds, to)],
        open,
        ..Region::default()
    };
    let across = Row::across(a, b);
    let open = Row::constant(on).plus(-1.0, control.clone());
    let open = region("open", Row::of(i), open, 1, Some(across.clone()));
    let closed = across.plus(-resistance, i);
    let closed = region("closed", closed, control.clone().plus(-off, ONE), 0, None);
    n.element(Changes::ByControl, 0, vec![open, closed], Vec::new());
}

/// A channel turned by the gate, and the body diode beside it. The gate takes no current.
pub(super) fn mosfet(part: &ResolvedPart, n: &mut Network) {
    let [drain, gate, source] = [0, 1, 2].map(|pin| part.pins[pin]);
    let sign = if part.kind == KindId::MosfetP { -1.0 } else { 1.0 };
    let on = part.value("on_resistance");
    let threshold = part.value("threshold");
    let channel = n.current(drain, source);
    let control = Row::across(gate, source).times(sign);
    contact(n, (drain, source), channel, on, &control, [threshold, threshold]);
    // From source to drain, the other way for a p-channel one.
    let (anode, cathode) = if sign > 0.0 { (source, drain) } else { (drain, source) };
    let body = n.current(anode, cathode);
    let typical = part.value("transconductance_current");
    let line = Line::tangent(part.value("diode_saturation_current"), BODY_SLOPE, BODY_RESISTANCE * on, typical);
    conducts(n, (anode, cathode), body, line, None);
    n.lossy_port(Row::across(drain, source), Row::of(channel).plus(-sign, body));
}

/// MOSFETs, by their place, whose gate an amplifier holds, directly or through resistors: they work between off and on, where this
/// engine has nothing, and would be switched without end.
pub(super) fn between_off_and_on(circuit: &Circuit) -> Vec<usize> {
    let amplifiers = circuit.parts.iter().filter(|part| part.kind == KindId::Amplifier);
    let mut held: BTreeSet<usize> = amplifiers.map(|part| part.pins[0]).collect();
    let channels = || circuit.parts.iter().filter(|part| matches!(part.kind, KindId::MosfetN | KindId::MosfetP));
    // A resistor from a gate to its source passes nothing on.
    let fixed: BTreeSet<usize> = channels().flat_map(|part| [part.pins[0], part.pins[2]]).chain([0]).collect();
    let resistors = circuit.parts.iter().filter(|part| part.kind == KindId::Resistor);
    let ways: Vec<(usize, usize)> = resistors
        .flat_map(|part| [(part.pins[0], part.pins[1]), (part.pins[1], part.pins[0])])
        .filter(|(from, to)| !fixed.contains(from) && !fixed.contains(to))
        .collect();
    while let Some((_, to)) = ways.iter().find(|(from, to)| held.contains(from) && !held.contains(to)) {
        held.insert(*to);
    }
    let gated = |place: &usize| {
        let part = &circuit.parts[*place];
        matches!(part.kind, KindId::MosfetN | KindId::MosfetP) && held.contains(&part.pins[1])
    };
    (0..circuit.parts.len()).filter(gated).collect()
}

pub(super) fn timed(part: &ResolvedPart, n: &mut Network) {
    let (a, b) = (part.pins[0], part.pins[1]);
    let i = n.current(a, b);
    let relation = n.relation(Row::default());
    let region = |name, row, open| Region { name, relations: vec![(relation, row)], open, ..Region::default() };
    let across = Row::across(a, b);
    let closed = across.clone().plus(-part.value("on_resistance"), i);
    let regions = vec![region("open", Row::of(i), Some(across)), region("closed", closed, None)];
    let first = usize::from(part.value("at_first") > 0.5);
    // In the middle of the transition.
    let changes_at = part.value("changes_at") + 0.5 * part.value("transition");
    let back_after = part.value("changes_back_after");
    let back = (back_after > 0.0).then_some((changes_at + back_after, first));
    let times = std::iter::once((changes_at, 1 - first)).chain(back).collect();
    n.element(Changes::AtTimes, first, regions, times);
    n.lossy_port(Row::across(a, b), i);
}

/// A switch by voltage or current. One without hysteresis changes halfway between its levels.
pub(super) fn controlled(part: &ResolvedPart, n: &mut Network) {
    let [a, b, cp, cn] = [0, 1, 2, 3].map(|pin| part.pins[pin]);
    let by_current = part.kind == KindId::CurrentSwitch;
    let (on, off) = if by_current { ("on_current", "off_current") } else { ("on_voltage", "off_voltage") };
    let (on, off) = (part.value(on), part.value(off));
    let i = n.current(a, b);
    n.lossy_port(Row::across(a, b), i);
    let control = control(n, by_current, (cp, cn));
    // A switch that closes below its opening level sees its control the other way round.
    let sign = if on < off { -1.0 } else { 1.0 };
    let levels = if part.value("behaviour") > 0.5 { [sign * off, sign * on] } else { [0.5 * sign * (on + off); 2] };
    contact(n, (a, b), i, part.value("on_resistance"), &control.times(sign), levels);
}

/// The output behind its resistance at either supply; decided without delay.
pub(super) fn comparator(part: &ResolvedPart, n: &mut Network) {
    let [out, plus, minus, high, low] = [0, 1, 2, 3, 4].map(|pin| part.pins[pin]);
    let [hysteresis, resistance, offset, quiescent] =
        ["hysteresis", "output_resistance", "offset", "supply_current"].map(|name| part.value(name));
    let i = n.current(out, 0);
    let relation = n.relation(Row::default());
    // The output's current comes from the supply it stands at.
    let (from_high, from_low) = (n.current(high, 0), n.current(low, 0));
    let high_relation = n.relation(Row::default());
    let low_relation = n.relation(Row::default());
    let difference = Row::across(plus, minus).plus(-offset, ONE);
    // Of either supply: its net, its current, the relation of that, and what it gives without load.
    let (upper, lower) = ((high, from_high, high_relation, quiescent), (low, from_low, low_relation, -quiescent));
    let at = |name, own: (usize, Of, usize, f64), other: (usize, Of, usize, f64), guard| Region {
        name,
        relations: vec![
            (relation, Row::across(out, own.0).plus(-resistance, i)),
            (own.2, Row::of(own.1).plus(1.0, i).plus(-own.3, ONE)),
            (other.2, Row::of(other.1).plus(-other.3, ONE)),
        ],
        guards: vec![guard],
        ..Region::default()
    };
    let rises = Guard::new(Row::constant(0.5 * hysteresis).plus(-1.0, difference.clone()), 1);
    let falls = Guard::new(difference.plus(0.5 * hysteresis, ONE), 0);
    let at_low = at("low", lower, upper, rises);
    let at_high = at("high", upper, lower, falls);
    n.element(Changes::Signals, 0, vec![at_low, at_high], Vec::new());
    n.lossy_port(Row::of(Of::Net(out)), i);
    n.lossy_port(Row::of(Of::Net(high)), from_high);
    n.lossy_port(Row::of(Of::Net(low)), from_low);
}
