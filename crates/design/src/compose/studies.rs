//! Studies added to a supply.

use crate::defaults::{studies_for, switching_period};
use crate::draft::rounded;
use crate::error::ComposeError;
use crate::path::Path;
use crate::stages::find;
use circuit::{Cut, GND, Kind, KindId, Part, Strip, Study, StudyKind, Supply};
use quantity::entry;

/// Stand-in where nothing is known of what follows, Ω.
const DEFAULT_STAND_IN: &str = "1k";

/// Adds a study cut behind a stage. The stand-in draws what those behind draw, as far as that is known.
pub(super) fn so_far(supply: &mut Supply, stage: &str) -> Result<(), ComposeError> {
    let found = find(supply, stage)?.clone();
    if found.joints.is_empty() {
        return Err(ComposeError::NoJoint(found.title));
    }
    let load = Path::new(supply).stand_in(&found).map_or(DEFAULT_STAND_IN.to_owned(), |r| entry(rounded(r)));
    let taken = |id: &str| supply.studies.iter().any(|s| s.id == id);
    let id = std::iter::once(format!("so_far_{stage}")).chain((2..).map(|n| format!("so_far_{stage}_{n}")));
    let id = id.into_iter().find(|id| !taken(id)).unwrap_or_default();
    let strips = found.joints[0].nets()[..1].iter().map(|net| Strip::of([format!("{net}.v")])).collect();
    supply.studies.push(Study {
        id,
        kind: StudyKind::SwitchOn,
        title: format!("So far: {}", found.title.to_lowercase()),
        duration: studies_for(supply).duration.text,
        suggested: true,
        record_from: None,
        max_step: None,
        tolerance: None,
        engine: None,
        cut: Some(Cut { after: stage.to_owned(), load }),
        strips,
    });
    Ok(())
}

/// Strips a study of the whole circuit begins with, at most.
const STRIPS: usize = 4;

/// Adds a switch-on of the whole circuit, as long as the circuit suggests; of a converter its settled state first, unless that is
/// there. A switch-on shows what sources give, then what loads see, then the nets that somebody named; of a converter outputs and
/// the currents of its inductors.
pub(super) fn add(supply: &mut Supply) {
    let circuit = circuit::resolve(supply).ok();
    let period = circuit.as_ref().and_then(|circuit| switching_period(&circuit.parts));
    let shown = if period.is_some() { converter_strips(supply) } else { strips(supply) };
    let settled = supply.studies.iter().any(|s| s.kind == StudyKind::Settled);
    if let (Some(period), false) = (period, settled) {
        let duration = entry(rounded(SETTLED * period));
        push(supply, ("settled", "Settled"), StudyKind::Settled, (duration, false), shown.clone());
    }
    let duration = studies_for(supply).duration.text;
    push(supply, ("switch_on", "Switch-on"), StudyKind::SwitchOn, (duration, true), shown);
}

/// Periods of a settled state that are shown.
const SETTLED: f64 = 3.0;

fn push(
    supply: &mut Supply,
    (id, title): (&str, &str),
    kind: StudyKind,
    (duration, suggested): (String, bool),
    strips: Vec<Strip>,
) {
    let taken = |id: &str| supply.studies.iter().any(|s| s.id == id);
    let mut ids = std::iter::once(id.to_owned()).chain((2..).map(|n| format!("{id}_{n}")));
    let id = ids.find(|id| !taken(id)).unwrap_or_default();
    let count = supply.studies.iter().filter(|s| s.kind == kind && s.cut.is_none()).count();
    let title = if count == 0 { title.to_owned() } else { format!("{title} {}", count + 1) };
    supply.studies.push(Study {
        id,
        kind,
        title,
        duration,
        suggested,
        record_from: None,
        max_step: None,
        tolerance: None,
        engine: None,
        cut: None,
        strips,
    });
}

/// Outputs, the largest capacitors' nets that no source fixes, and the currents of inductors.
fn converter_strips(supply: &Supply) -> Vec<Strip> {
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
    let outputs = outputs.into_iter().filter(|(c, _)| *c > OUTPUT * largest).map(|(_, net)| [format!("{net}.v")]);
    let winds = |kind: KindId| {
        matches!(kind, KindId::Inductor | KindId::CoupledWindings | KindId::CoreTransformer | KindId::ThreeWindings)
    };
    let currents: Vec<String> =
        supply.parts.iter().filter(|p| winds(p.kind)).take(CURRENTS).map(|p| format!("{}.i", p.id)).collect();
    let mut shown: Vec<Strip> = outputs.take(OUTPUTS).map(Strip::of).collect();
    shown.extend((!currents.is_empty()).then(|| Strip::of(currents)));
    if shown.is_empty() { strips(supply) } else { shown }
}

/// Outputs and currents shown of a converter, and the part of the largest capacitance that makes a net an output.
const OUTPUTS: usize = 3;
const CURRENTS: usize = 3;
const OUTPUT: f64 = 0.02;

fn strips(supply: &Supply) -> Vec<Strip> {
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
