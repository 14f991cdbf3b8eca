//! Designators and net names that are not yet taken.

use circuit::{GND, KindId, Supply};
use std::collections::BTreeSet;

/// Hands out designators and net names that are not yet taken.
pub(crate) struct Names {
    parts: BTreeSet<String>,
    nets: BTreeSet<String>,
}

impl Names {
    pub(crate) fn new(supply: &Supply) -> Self {
        let nets = supply.parts.iter().flat_map(|p| p.pins.values().cloned()).chain([GND.to_owned()]);
        Names { parts: supply.parts.iter().map(|p| p.id.clone()).collect(), nets: nets.collect() }
    }

    /// The first free designator of a kind.
    pub(crate) fn part(&mut self, kind: KindId) -> String {
        let letter = kind.kind().letter;
        let free = (1..).map(|n| format!("{letter}{n}")).find(|name| !self.parts.contains(name));
        let name = free.unwrap_or_default();
        self.parts.insert(name.clone());
        name
    }

    pub(crate) fn has_net(&self, name: &str) -> bool {
        self.nets.contains(name)
    }

    /// A net name as wished, with a number if it is taken.
    pub(crate) fn net(&mut self, wish: &str) -> String {
        let numbered = (2..).map(|n| format!("{wish}{n}"));
        let mut candidates = std::iter::once(wish.to_owned()).chain(numbered);
        let name = candidates.find(|n| !self.nets.contains(n) && !self.parts.contains(n)).unwrap_or_default();
        self.nets.insert(name.clone());
        name
    }
}
