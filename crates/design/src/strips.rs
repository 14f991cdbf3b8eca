//! What the strips of a study show before anybody has chosen.

use circuit::{GND, Kind, KindId, Part, Strip, Supply};

/// Strips a study of the whole circuit begins with, at most.
const STRIPS: usize = 4;

/// Outputs, the largest capacitors' nets that no source fixes, and the currents of inductors.
pub(crate) fn converter_strips(supply: &Supply) -> Vec<Strip> {
    let currents: Vec<String> =
        supply.parts.iter().filter(|p| winds(p.kind)).take(CURRENTS).map(|p| format!("{}.i", p.id)).collect();
    let mut shown: Vec<Strip> =
        smoothed(supply).into_iter().take(OUTPUTS).map(|net| Strip::of([format!("{net}.v")])).collect();
    shown.extend((!currents.is_empty()).then(|| Strip::of(currents)));
    if shown.is_empty() { strips(supply) } else { shown }
}

fn winds(kind: KindId) -> bool {
    matches!(kind, KindId::Inductor | KindId::CoupledWindings | KindId::CoreTransformer | KindId::ThreeWindings)
}

/// Nets with the largest capacitors to the reference that no source holds, the largest first.
pub(crate) fn smoothed(supply: &Supply) -> Vec<String> {
    let net_of = |part: &Part, pin: usize| part.kind.kind().pins.get(pin).and_then(|p| part.pins.get(p.id)).cloned();
    let fixed: Vec<String> =
        supply.parts.iter().filter(|p| p.kind.kind().fixes_voltage).filter_map(|p| net_of(p, 0)).collect();
    let resolved = circuit::resolve(supply).ok();
    let value = |part: &Part| {
        let found = resolved.as_ref().and_then(|c| c.parts.iter().find(|p| p.id == part.id));
        found.map_or(0.0, |p| p.value("capacitance"))
    };
    let grounded = |part: &&Part| part.kind == KindId::Capacitor && net_of(part, 1).as_deref() == Some(GND);
    let mut outputs: Vec<(f64, String)> = supply
        .parts
        .iter()
        .filter(grounded)
        .filter_map(|part| Some((value(part), net_of(part, 0).filter(|net| !fixed.contains(net) && net != GND)?)))
        .collect();
    outputs.sort_by(|a, b| b.0.total_cmp(&a.0));
    outputs.dedup_by(|a, b| a.1 == b.1);
    let largest = outputs.first().map_or(0.0, |(capacitance, _)| *capacitance);
    let outputs = outputs.into_iter().filter(|(c, _)| *c > OUTPUT * largest).map(|(_, net)| net);
    outputs.collect()
}

/// Nets that power is taken from: those loads hang on, then those with the largest capacitors.
pub(crate) fn outlets(supply: &Supply) -> Vec<String> {
    let loads = supply.parts.iter().filter(|part| part.kind.kind().takes());
    let nets = loads.filter_map(|part| part.pins.get("plus")).filter(|net| *net != GND).cloned();
    let mut found: Vec<String> = Vec::new();
    for net in nets.chain(smoothed(supply)) {
        if !found.contains(&net) {
            found.push(net);
        }
    }
    found
}

/// Outputs and currents shown of a converter, and the part of the largest capacitance that makes a net an output.
const OUTPUTS: usize = 3;
const CURRENTS: usize = 3;
const OUTPUT: f64 = 0.02;

/// What sources give, then what loads see, then the nets that somebody named.
pub(crate) fn strips(supply: &Supply) -> Vec<Strip> {
    let is_load = |part: &&Part| matches!(part.kind, KindId::CurrentLoad | KindId::PowerLoad | KindId::SteppedLoad);
    let is_source = |part: &&Part| part.kind.kind().fixes_voltage;
    let first_net = |part: &Part| {
        let Kind { pins, .. } = part.kind.kind();
        pins.iter().filter_map(|pin| part.pins.get(pin.id)).find(|net| *net != GND && !net.is_empty()).cloned()
    };
    let sources: Vec<&Part> = supply.parts.iter().filter(is_source).collect();
    let given: Vec<String> = sources.iter().filter_map(|part| first_net(part)).collect();
    let mut nets: Vec<String> = supply.parts.iter().filter(is_load).filter_map(first_net).collect();
    let named = supply.parts.iter().flat_map(|part| part.pins.values()).filter(|net| is_named(net));
    nets.extend(named.cloned());
    let mut shown: Vec<String> = Vec::new();
    for net in nets {
        if !given.contains(&net) && !shown.contains(&net) {
            shown.push(net);
        }
    }
    let of_sources: Vec<String> = sources.iter().take(3).map(|part| format!("{}.v", part.id)).collect();
    let of_nets = shown.into_iter().map(|net| vec![format!("{net}.v")]);
    let strips = std::iter::once(of_sources).filter(|strip| !strip.is_empty()).chain(of_nets);
    strips.take(STRIPS).map(Strip::of).collect()
}

/// Whether somebody gave a net its name: those made for a wire are a letter and a number.
fn is_named(net: &str) -> bool {
    let number = net.trim_start_matches(|c: char| c.is_ascii_alphabetic());
    net != GND && !(net.len() > number.len() && net.len() - number.len() == 1 && number.parse::<u32>().is_ok())
}
