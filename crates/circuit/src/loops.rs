//! Pins that a loop passes through: where a loop gain can be asked.

use crate::kinds::Role;
use crate::{Circuit, KindId, ResolvedPart};
use std::collections::BTreeSet;

impl Circuit {
    /// Pins that listen and are reached again from what their part drives: part and pin, in the order of the parts, those of
    /// amplifiers and of what compares with a reference first.
    pub fn pins_in_loops(&self) -> Vec<(String, &'static str)> {
        let held = self.held_nets();
        let mut found: Vec<(u8, String, &'static str)> = Vec::new();
        for part in &self.parts {
            for (pin, id) in listening(part) {
                let net = part.pins[pin];
                if held.contains(&net) || !self.reached(part, &held).contains(&net) {
                    continue;
                }
                let rank = match part.kind {
                    KindId::Amplifier => 0,
                    kind if kind.is_control() => 1,
                    _ => 2,
                };
                found.push((rank, part.id.clone(), id));
            }
        }
        found.sort_by_key(|(rank, ..)| *rank);
        found.into_iter().map(|(_, part, pin)| (part, pin)).collect()
    }

    /// Nets whose voltage nothing in the circuit moves: the reference and what sources hold against it.
    fn held_nets(&self) -> BTreeSet<usize> {
        let mut held = BTreeSet::from([0]);
        loop {
            let sources =
                self.parts.iter().filter(|part| part.kind.kind().feeds() && part.kind != KindId::CurrentSource);
            let next: Vec<usize> = sources
                .filter(|part| part.pins.iter().any(|net| held.contains(net)))
                .flat_map(|part| part.pins.iter().copied().filter(|net| !held.contains(net)))
                .collect();
            if next.is_empty() {
                return held;
            }
            held.extend(next);
        }
    }

    /// Nets that move when a part's own outputs do.
    fn reached(&self, part: &ResolvedPart, held: &BTreeSet<usize>) -> BTreeSet<usize> {
        let outputs = |part: &ResolvedPart| -> Vec<usize> {
            let listens: Vec<usize> = part.kind.kind().pins_that(Role::Listens).collect();
            let drives = (0..part.pins.len()).filter(|pin| !listens.contains(pin));
            drives.map(|pin| part.pins[pin]).filter(|net| !held.contains(net)).collect()
        };
        let mut reached: BTreeSet<usize> = outputs(part).into_iter().collect();
        loop {
            // Whatever has a pin on a net that moves moves its outputs.
            let moved = self.parts.iter().filter(|other| other.pins.iter().any(|net| reached.contains(net)));
            let next: Vec<usize> = moved.flat_map(outputs).filter(|net| !reached.contains(net)).collect();
            if next.is_empty() {
                return reached;
            }
            reached.extend(next);
        }
    }
}

/// Pins of a part by which a signal comes in; its own supply is none.
fn listening(part: &ResolvedPart) -> impl Iterator<Item = (usize, &'static str)> {
    let kind = part.kind.kind();
    kind.pins_that(Role::Listens).map(|pin| (pin, kind.pins[pin].id)).filter(|(_, id)| !matches!(*id, "vp" | "vn"))
}
