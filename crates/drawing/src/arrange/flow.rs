//! Which way power flows: how far each net lies behind the sources.

use crate::drawn::is_ground;
use circuit::{KindId, Supply};
use std::collections::{HashMap, VecDeque};

/// Nets by number, and how many parts lie between each and the nearest source.
pub(super) struct Flow {
    /// Net of each part's pins, in the order of its kind's table; none where a pin is open.
    pub(super) nets: Vec<Vec<Option<usize>>>,
    /// Parts between a net and the sources.
    pub(super) depth: Vec<usize>,
    /// The reference, if anything is joined to it.
    pub(super) ground: Option<usize>,
}

/// Whether a kind feeds what it is joined to.
pub(super) fn feeds(kind: KindId) -> bool {
    kind.kind().fixes_voltage
        && !matches!(kind, KindId::VoltageControlledVoltage | KindId::CurrentControlledVoltage)
        && kind.kind().pins.len() != 3
}

impl Flow {
    pub(super) fn new(supply: &Supply) -> Self {
        let mut numbers: HashMap<&str, usize> = HashMap::new();
        let mut nets = Vec::new();
        for part in &supply.parts {
            let of_pin = |pin: &circuit::kinds::Pin| {
                let net = part.pins.get(pin.id).filter(|net| !net.is_empty())?;
                let next = numbers.len();
                Some(*numbers.entry(net.as_str()).or_insert(next))
            };
            nets.push(part.kind.kind().pins.iter().map(of_pin).collect::<Vec<_>>());
        }
        let ground = numbers.iter().find(|(name, _)| is_ground(name)).map(|(_, k)| *k);
        let mut parts_on = vec![Vec::new(); numbers.len()];
        for (k, pins) in nets.iter().enumerate() {
            pins.iter().flatten().for_each(|net| parts_on[*net].push(k));
        }
        let sources = supply.parts.iter().zip(&nets).filter(|(p, _)| feeds(p.kind)).flat_map(|(_, pins)| pins);
        let mut waiting: VecDeque<usize> = sources.flatten().copied().filter(|net| Some(*net) != ground).collect();
        if waiting.is_empty() {
            waiting.extend(nets.iter().flatten().flatten().copied().find(|net| Some(*net) != ground));
        }
        let mut depth = vec![usize::MAX; numbers.len()];
        waiting.iter().for_each(|net| depth[*net] = 0);
        while let Some(net) = waiting.pop_front() {
            for next in parts_on[net].iter().flat_map(|k| &nets[*k]).flatten() {
                if depth[*next] == usize::MAX && Some(*next) != ground {
                    depth[*next] = depth[net] + 1;
                    waiting.push_back(*next);
                }
            }
        }
        // What hangs on the reference alone stands behind all else.
        let deepest = depth.iter().filter(|d| **d != usize::MAX).max().map_or(0, |d| d + 1);
        depth.iter_mut().filter(|d| **d == usize::MAX).for_each(|d| *d = deepest);
        Flow { nets, depth, ground }
    }
}
