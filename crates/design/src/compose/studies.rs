//! Studies added to a supply.

use crate::defaults::studies_for;
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

/// Adds a switch-on of the whole circuit, as long as the circuit suggests. It shows what sources give, then
/// what loads see, then the nets that somebody named.
pub(super) fn add(supply: &mut Supply) {
    let taken = |id: &str| supply.studies.iter().any(|s| s.id == id);
    let mut ids = std::iter::once("switch_on".to_owned()).chain((2..).map(|n| format!("switch_on_{n}")));
    let id = ids.find(|id| !taken(id)).unwrap_or_default();
    let count = supply.studies.iter().filter(|s| s.kind == StudyKind::SwitchOn && s.cut.is_none()).count();
    let title = if count == 0 { "Switch-on".to_owned() } else { format!("Switch-on {}", count + 1) };
    supply.studies.push(Study {
        id,
        kind: StudyKind::SwitchOn,
        title,
        duration: studies_for(supply).duration.text,
        suggested: true,
        record_from: None,
        max_step: None,
        tolerance: None,
        engine: None,
        cut: None,
        strips: strips(supply),
    });
}

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
