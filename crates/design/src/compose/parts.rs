//! Single parts: added, copied, removed, swapped, joined.

use crate::catalogue::Entry;
use crate::error::ComposeError;
use crate::layout;
use crate::names::Names;
use circuit::{GND, KindId, Part, Placement, Supply, Turn, useless_between};
use schemars::JsonSchema;
use serde::Serialize;
use std::collections::{BTreeMap, BTreeSet};

/// What becomes of two nets that are made one.
#[derive(Clone, Debug, PartialEq, Eq, Serialize, JsonSchema)]
pub struct Joining {
    /// The name that is left.
    pub kept: String,
    /// The name that goes.
    pub gone: String,
    /// Whether this is worth asking: both nets have pins enough to mean something.
    pub asks: bool,
    /// Parts that are shorted or bypassed by it.
    pub shorted: Vec<String>,
    /// All of it in a sentence or two.
    pub message: String,
}

/// Says what becomes of two nets if they are made one; `to` keeps its name, unless the other is `gnd`.
pub fn joining(supply: &Supply, from: &str, to: &str) -> Joining {
    let (gone, kept) = if from == GND { (to, from) } else { (from, to) };
    let on = |net: &str| supply.parts.iter().flat_map(|p| p.pins.values()).filter(|n| *n == net).count();
    let (a, b) = (on(gone), on(kept));
    let merged = |part: &Part, pin: usize| {
        let net = part.kind.kind().pins.get(pin).and_then(|p| part.pins.get(p.id));
        net.is_some_and(|net| net == gone || net == kept)
    };
    let apart = |part: &Part, pins: &[usize]| {
        let nets: BTreeSet<_> = pins.iter().filter_map(|k| part.pins.get(part.kind.kind().pins[*k].id)).collect();
        nets.len() > 1
    };
    let shorts = |part: &&Part| {
        let all: Vec<usize> = (0..part.kind.kind().pins.len()).collect();
        let wholly = all.iter().all(|pin| merged(part, *pin)) && apart(part, &all);
        let pairs = useless_between(part.kind).iter();
        let bypassed = pairs.clone().any(|(x, y)| merged(part, *x) && merged(part, *y) && apart(part, &[*x, *y]));
        wholly || bypassed
    };
    let parts: Vec<&Part> = supply.parts.iter().filter(shorts).collect();
    let shorted: Vec<String> = parts.iter().map(|p| p.id.clone()).collect();
    let sources: Vec<&str> = parts.iter().filter(|p| p.kind.kind().fixes_voltage).map(|p| p.id.as_str()).collect();
    let mut message = format!("Joining {gone} and {kept} makes them one net of {} pins, named {kept}.", a + b);
    if shorted.is_empty() {
        message += " No part is shorted by it.";
    } else {
        message += &format!(" It shorts {}.", listed(&shorted));
    }
    if !sources.is_empty() {
        message += &format!(" {} would drive a short circuit, so nothing could be run.", sources.join(" and "));
    }
    Joining { kept: kept.to_owned(), gone: gone.to_owned(), asks: gone != kept && a > 1 && b > 1, shorted, message }
}

fn listed(names: &[String]) -> String {
    match names {
        [one] => one.clone(),
        [first @ .., last] => format!("{} and {last}", first.join(", ")),
        [] => String::new(),
    }
}

/// Adds a part with open pins; returns its designator.
pub(super) fn add(supply: &mut Supply, kind: KindId, entry: Option<&Entry>, near: Option<(i32, i32)>) -> String {
    let id = Names::new(supply).part(kind);
    let mut part = Part::new(id.clone(), entry.map_or(kind, |e| e.kind), BTreeMap::new());
    if let Some(entry) = entry {
        take(&mut part, entry);
    }
    place(supply, part, near);
    id
}

/// Puts a part where there is room, as near as possible to where it is wanted.
pub(super) fn place(supply: &mut Supply, mut part: Part, near: Option<(i32, i32)>) {
    part.at = near.map(|near| {
        let (x, y) = layout::free_near(supply, near);
        Placement::new(x, y, Turn::None, false)
    });
    supply.parts.push(part);
}

/// Makes a part what an entry says; of its own values only what it starts from stays.
fn take(part: &mut Part, entry: &Entry) {
    part.kind = entry.kind;
    part.generic = Some(entry.id.clone()).filter(|id| !id.is_empty());
    part.parameters.retain(|name, _| name.starts_with("initial_") && entry.kind.kind().parameter(name).is_some());
    part.parameters.extend(entry.parameters.clone());
    part.ratings.clone_from(&entry.ratings);
}

pub(super) fn swap(supply: &mut Supply, part: &str, entry: &Entry) -> Result<(), ComposeError> {
    let part = find(supply, part)?;
    let pins = |kind: KindId| kind.kind().pins.iter().map(|p| p.id).collect::<Vec<_>>();
    let (has, wants) = (pins(part.kind), pins(entry.kind));
    if has != wants {
        return Err(ComposeError::OtherPins {
            part: part.id.clone(),
            has: has.join(", "),
            entry: entry.title.clone(),
            wants: wants.join(", "),
        });
    }
    take(part, entry);
    Ok(())
}

fn find<'s>(supply: &'s mut Supply, id: &str) -> Result<&'s mut Part, ComposeError> {
    supply.parts.iter_mut().find(|p| p.id == id).ok_or_else(|| ComposeError::NoPart(id.to_owned()))
}

pub(super) fn remove(supply: &mut Supply, parts: &[String]) -> Result<(), ComposeError> {
    for part in parts {
        find(supply, part)?;
    }
    let before = supply.clone();
    supply.parts.retain(|p| !parts.contains(&p.id));
    supply.forget_gone(&before);
    Ok(())
}

/// Copies come from this supply if their designators and nets are found in it; then the nets they share with
/// the rest stay joined. Copies from elsewhere are joined to `gnd` alone, for a net that happens to have the
/// same name is another net.
pub(super) fn paste(supply: &mut Supply, copies: &[Part], by: (i32, i32)) {
    let (dx, dy) = layout::clear_of(supply, copies, by);
    let native = copies.iter().all(|c| supply.part(&c.id).is_some_and(|p| p.kind == c.kind && p.pins == c.pins));
    let ours: BTreeSet<&str> = copies.iter().map(|c| c.id.as_str()).collect();
    let outside = |net: &str| {
        native && supply.parts.iter().any(|p| !ours.contains(p.id.as_str()) && p.pins.values().any(|n| n == net))
    };
    let nets: BTreeSet<&String> = copies.iter().flat_map(|c| c.pins.values()).collect();
    let lone = |net: &str| copies.iter().flat_map(|c| c.pins.values()).filter(|n| *n == net).count() == 1;
    let mut names = Names::new(supply);
    let mut renamed: BTreeMap<&str, String> = BTreeMap::new();
    for net in nets {
        // A single part copied beside itself lies in parallel; nets of a group that lead outside stay.
        let stays = net == GND || outside(net) || (native && copies.len() == 1 && lone(net));
        renamed.insert(net, if stays { net.clone() } else { names.net(net) });
    }
    let made: Vec<Part> = copies
        .iter()
        .map(|copy| {
            let mut part = copy.clone();
            part.id = names.part(copy.kind);
            part.role = None;
            part.stage = copy.stage.clone().filter(|stage| supply.stage(stage).is_some());
            part.pins.values_mut().for_each(|net| *net = renamed.get(net.as_str()).cloned().unwrap_or_default());
            if let Some(at) = &mut part.at {
                (at.x, at.y) = (at.x.saturating_add(dx), at.y.saturating_add(dy));
            }
            part
        })
        .collect();
    supply.parts.extend(made);
}

fn net_of(supply: &Supply, (part, pin): &(String, String)) -> Result<Option<String>, ComposeError> {
    let found = supply.part(part).ok_or_else(|| ComposeError::NoPart(part.clone()))?;
    if found.kind.kind().pin(pin).is_none() {
        return Err(ComposeError::NoPin { part: part.clone(), pin: pin.clone() });
    }
    Ok(found.pins.get(pin).filter(|net| !net.is_empty()).cloned())
}

fn put(supply: &mut Supply, (part, pin): &(String, String), net: &str) -> Result<(), ComposeError> {
    find(supply, part)?.pins.insert(pin.clone(), net.to_owned());
    Ok(())
}

pub(super) fn connect(
    supply: &mut Supply,
    from: &(String, String),
    to: &(String, String),
    join: bool,
) -> Result<(), ComposeError> {
    let nets = (net_of(supply, from)?, net_of(supply, to)?);
    match nets {
        (None, None) => {
            let fresh = Names::new(supply).net("n1");
            put(supply, from, &fresh)?;
            put(supply, to, &fresh)
        }
        (Some(net), None) => put(supply, to, &net),
        (None, Some(net)) => put(supply, from, &net),
        (Some(a), Some(b)) if a == b => Ok(()),
        (Some(a), Some(b)) => {
            // A pin by itself takes the other's net, whichever end it is.
            let lone = supply.parts.iter().flat_map(|p| p.pins.values()).filter(|net| **net == b).count() == 1;
            if lone { merge(supply, &b, &a, join) } else { merge(supply, &a, &b, join) }
        }
    }
}

/// Makes two nets one: without asking where one of them is a lone pin.
fn merge(supply: &mut Supply, from: &str, to: &str, join: bool) -> Result<(), ComposeError> {
    let joined = joining(supply, from, to);
    if joined.asks && !join {
        return Err(ComposeError::Joins(joined.message));
    }
    supply.rename_net(&joined.gone, &joined.kept);
    Ok(())
}

pub(super) fn rename_net(supply: &mut Supply, net: &str, to: &str, join: bool) -> Result<(), ComposeError> {
    let names = Names::new(supply);
    if !supply.parts.iter().any(|p| p.pins.values().any(|n| n == net)) {
        return Err(ComposeError::NoNet(net.to_owned()));
    }
    if to.is_empty() || !to.chars().all(|c| c.is_ascii_alphanumeric() || c == '_') {
        return Err(ComposeError::BadNet(to.to_owned()));
    }
    if supply.part(to).is_some() {
        return Err(ComposeError::TakenByPart(to.to_owned()));
    }
    if net == GND && !names.has_net(to) {
        return Err(ComposeError::Reference);
    }
    if names.has_net(to) {
        return merge(supply, net, to, join);
    }
    supply.rename_net(net, to);
    Ok(())
}
