//! Parts that belong beside each other: the legs of a bridge, and the halves of a symmetric circuit.

use super::flow::Flow;
use circuit::{KindId, Supply};
use std::collections::BTreeMap;

/// What stands in line or mirrored.
#[derive(Clone, Debug, Default)]
pub(super) struct Mates {
    /// Diodes of each bridge, leg by leg: the upper, whose cathode is on the positive rail, and the lower.
    pub(super) bridges: Vec<Vec<(usize, usize)>>,
    /// Parts that are each other's mirror image.
    pub(super) twins: Vec<(usize, usize)>,
}

/// Parts that change places in a symmetric circuit, from which on it is drawn as one.
const SYMMETRIC: usize = 3;

impl Mates {
    pub(super) fn new(supply: &Supply, flow: &Flow) -> Self {
        Mates { bridges: bridges(supply, flow), twins: twins(supply, flow) }
    }
}

/// Two diodes in series between the same two nets as two others are.
fn bridges(supply: &Supply, flow: &Flow) -> Vec<Vec<(usize, usize)>> {
    let diodes: Vec<(usize, usize, usize)> = supply
        .parts
        .iter()
        .zip(&flow.nets)
        .enumerate()
        .filter(|(_, (part, _))| matches!(part.kind, KindId::Diode | KindId::Schottky))
        .filter_map(|(k, (_, nets))| Some((k, nets[0]?, nets[1]?)))
        .collect();
    // By their ends: the legs between them.
    let mut between: BTreeMap<(usize, usize), Vec<(usize, usize)>> = BTreeMap::new();
    for (upper, middle, plus) in &diodes {
        let below = diodes.iter().filter(|(_, minus, cathode)| cathode == middle && minus != plus);
        below.for_each(|(lower, minus, _)| between.entry((*plus, *minus)).or_default().push((*upper, *lower)));
    }
    between.into_values().filter(|legs| legs.len() > 1).collect()
}

/// A way to exchange parts of a kind that leaves the circuit as it is, values aside; the one that moves most parts.
fn twins(supply: &Supply, flow: &Flow) -> Vec<(usize, usize)> {
    let count = supply.parts.len();
    // Three pins and more: two resistors side by side make no symmetric circuit.
    let seeds = (0..count).filter(|k| flow.nets[*k].len() == 3);
    let pairs = seeds.flat_map(|a| (a + 1..count).map(move |b| (a, b)));
    let alike = pairs.filter(|(a, b)| supply.parts[*a].kind == supply.parts[*b].kind);
    let found = alike.filter_map(|(a, b)| Exchange::new(supply, flow).spread(a, b));
    found.filter(|twins| twins.len() >= SYMMETRIC).max_by_key(Vec::len).unwrap_or_default()
}

struct Exchange<'s> {
    supply: &'s Supply,
    flow: &'s Flow,
    parts: BTreeMap<usize, usize>,
    nets: BTreeMap<usize, usize>,
}

impl<'s> Exchange<'s> {
    fn new(supply: &'s Supply, flow: &'s Flow) -> Self {
        Exchange { supply, flow, parts: BTreeMap::new(), nets: BTreeMap::new() }
    }

    /// Exchanges two parts and whatever has to go with them; none if that changes the circuit.
    fn spread(mut self, a: usize, b: usize) -> Option<Vec<(usize, usize)>> {
        let mut waiting = vec![(a, b)];
        while let Some((a, b)) = waiting.pop() {
            if let Some(already) = self.parts.insert(a, b) {
                if already != b {
                    return None;
                }
                continue;
            }
            self.parts.insert(b, a);
            for (n, m) in self.flow.nets[a].iter().zip(&self.flow.nets[b]) {
                let (n, m) = (n.as_ref()?, m.as_ref()?);
                if self.nets.insert(*n, *m).is_some_and(|already| already != *m)
                    || self.nets.insert(*m, *n).is_some_and(|already| already != *n)
                {
                    return None;
                }
                if n != m {
                    waiting.extend(self.forced(*n, *m));
                }
            }
        }
        self.holds().then(|| self.parts.iter().filter(|(a, b)| a < b).map(|(a, b)| (*a, *b)).collect())
    }

    /// Parts that are the only ones of their kind and pin on one net, and those on the other.
    fn forced(&self, n: usize, m: usize) -> Vec<(usize, usize)> {
        let on = |net: usize| {
            let mut found: BTreeMap<(KindId, usize), Vec<usize>> = BTreeMap::new();
            for (k, nets) in self.flow.nets.iter().enumerate().filter(|(k, _)| !self.parts.contains_key(k)) {
                for pin in (0..nets.len()).filter(|pin| nets[*pin] == Some(net)) {
                    found.entry((self.supply.parts[k].kind, pin)).or_default().push(k);
                }
            }
            found
        };
        let there = on(m);
        let pairs = on(n).into_iter().filter_map(|(key, a)| Some((a, there.get(&key)?.clone())));
        pairs.filter(|(a, b)| a.len() == 1 && b.len() == 1 && a[0] != b[0]).map(|(a, b)| (a[0], b[0])).collect()
    }

    /// Whether every part is joined after the exchange as its mate was before; what has two like ends may turn.
    fn holds(&self) -> bool {
        let image = |net: &Option<usize>| net.map(|n| self.nets.get(&n).copied().unwrap_or(n));
        self.flow.nets.iter().enumerate().all(|(k, nets)| {
            let mate = self.parts.get(&k).copied().unwrap_or(k);
            let there = &self.flow.nets[mate];
            let moved: Vec<_> = nets.iter().map(image).collect();
            let turns = matches!(self.supply.parts[k].kind, KindId::Resistor | KindId::Inductor | KindId::Capacitor);
            moved == *there || turns && moved.iter().rev().eq(there.iter())
        })
    }
}
