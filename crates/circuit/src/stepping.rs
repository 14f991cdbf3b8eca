//! What a study makes step: the part as it is, turned into one that changes at a time.

use crate::values::{number_in, parameter_in};
use crate::{KindId, Part, Step, Supply};
use quantity::{Unit, show};
use std::collections::BTreeMap;

/// How fast a step is where nothing says so, A/s or V/s.
const SLEW: &str = "1M";
/// Longer than any study lasts, s: for good.
const FOR_GOOD: &str = "1G";
/// Shortest edge of a source, s.
const SHARPEST: f64 = 1e-9;

/// Kinds that can be made to step: loads by their current, sources by their voltage.
const LOADS: [KindId; 4] = [KindId::Resistor, KindId::CurrentLoad, KindId::PowerLoad, KindId::SteppedLoad];
const SOURCES: [KindId; 3] = [KindId::DcSource, KindId::PulseSource, KindId::SineSource];

/// Whether a study can make a part step.
pub fn can_step(part: &Part) -> bool {
    LOADS.contains(&part.kind) || SOURCES.contains(&part.kind)
}

/// The part that steps, in place of the one a study names: at the same nets, under the same designator.
///
/// # Errors
/// In words, naming the part or the value.
pub(crate) fn stepped(supply: &Supply, step: &Step) -> Result<Part, String> {
    let id = &step.part;
    let part = supply.part(id).ok_or_else(|| format!("there is no part {id} to step"))?;
    let load = LOADS.contains(&part.kind);
    let (unit, slope) = if load { (Unit::Ampere, Unit::AmperePerSecond) } else { (Unit::Volt, Unit::VoltPerSecond) };
    let own = match part.kind {
        KindId::SteppedLoad | KindId::PulseSource => Some("low"),
        KindId::CurrentLoad => Some("current"),
        KindId::DcSource => Some("voltage"),
        KindId::SineSource => Some("amplitude"),
        KindId::Resistor | KindId::PowerLoad => None,
        kind => {
            let name = kind.kind().name.to_lowercase();
            return Err(format!("{id} is a {name}, which cannot be made to step"));
        }
    };
    let number = |what: &str, text: &str, unit| {
        number_in(supply, text, unit).ok_or_else(|| format!("{what} the step of {id}, “{text}”, cannot be read"))
    };
    let time = |what: &str, text: &Option<String>| text.as_deref().map(|t| number(what, t, Unit::Second)).transpose();
    let from = match (&step.from, own) {
        (Some(text), _) => number("what comes before", text, unit)?,
        (None, Some(own)) => {
            parameter_in(supply, part, own).ok_or_else(|| format!("what {id} gives before its step cannot be read"))?
        }
        (None, None) => return Err(format!("{id} does not draw a stated current; say from which it steps")),
    };
    let to = number("what comes after", &step.to, unit)?;
    if load && (from < 0.0 || to < 0.0) {
        return Err(format!("a load draws no negative current; {id} steps from {from} to {to} A"));
    }
    let slew = number("the slew of", step.slew.as_deref().unwrap_or(SLEW), slope)?;
    let (stays, every) = (time("how long lasts", &step.stays)?, time("how often comes", &step.every)?);
    let edge = ((to - from) / slew).abs();
    if !(edge.is_finite() && slew > 0.0) {
        return Err(format!("{id} steps with a slew of {slew}; give one above zero"));
    }
    if let Some(every) = every {
        let busy = stays.map(|stays| stays + 2.0 * edge.max(SHARPEST));
        let busy = busy.ok_or_else(|| format!("{id} steps again and again; say how long it stays each time"))?;
        if busy >= every {
            let (busy, every) = (show(busy, Unit::Second, 3), show(every, Unit::Second, 3));
            return Err(format!("{id} steps every {every}, and each step takes {busy} with its edges; leave a pause"));
        }
    }
    let text = |value: f64| format!("{value:e}");
    let stays = step.stays.clone().unwrap_or_else(|| FOR_GOOD.to_owned());
    let timed = [("delay", step.at.clone()), ("width", stays), ("period", text(every.unwrap_or(0.0)))];
    let levels = [("low", text(from)), ("high", text(to))];
    let (kind, parameters): (KindId, Vec<(&str, String)>) = match part.kind {
        _ if load => {
            let least = part.parameters.get("least_voltage").map(|least| ("least_voltage", least.clone()));
            (KindId::SteppedLoad, timed.into_iter().chain(levels).chain([("slew", text(slew))]).chain(least).collect())
        }
        KindId::SineSource => {
            if step.stays.is_some() || step.every.is_some() || step.slew.is_some() {
                return Err(format!("{id} is a sine, which steps once, at once, and stays"));
            }
            if from == 0.0 {
                return Err(format!("{id} has no amplitude before it steps"));
            }
            let own = part.parameters.iter().map(|(name, text)| (name.as_str(), text.clone()));
            let new = [("amplitude", text(from)), ("changes_to", text(to / from)), ("changes_at", step.at.clone())];
            (KindId::SineSource, own.chain(new).collect())
        }
        _ => {
            let edge = text(edge.max(SHARPEST));
            let edges = [("rise", edge.clone()), ("fall", edge)];
            (KindId::PulseSource, timed.into_iter().chain(levels).chain(edges).collect())
        }
    };
    // A resistor's ends have other names than a load's: the first is where current enters.
    let pins = part.kind.kind().pins.iter().zip(kind.kind().pins);
    let pins = pins.filter_map(|(old, new)| Some((new.id.to_owned(), part.pins.get(old.id)?.clone())));
    let parameters: BTreeMap<String, String> = parameters.into_iter().map(|(name, t)| (name.to_owned(), t)).collect();
    Ok(Part { kind, parameters, pins: pins.collect(), ratings: BTreeMap::new(), ..part.clone() })
}
