//! Places for parts that nobody has placed: a circuit is set out as a draftsman would.
//!
//! Sources stand left and power flows to the right; what lies along the path is drawn level, what lies across it
//! upright, the reference at the bottom, wires short and straight. These habits are common practice; [`pose`] says what
//! each way to stand costs, [`board`] what a whole arrangement costs, and [`search`] looks for a cheap one: part after
//! part takes the best spot there is, then all are moved about by simulated annealing (S. Kirkpatrick, C. D. Gelatt,
//! M. P. Vecchi, *Science* 220, 1983). The wires of the best few are then routed in earnest, and the best is taken.
//! The same circuit is always arranged alike.

mod board;
mod flow;
mod mates;
mod pose;
mod search;
mod wires;

use crate::drawn::{DrawnNet, DrawnPart, Spot, is_ground};
use crate::{labels, place, route};
use board::Board;
use circuit::{Placement, Supply, Turn};
use std::collections::{BTreeMap, BTreeSet};

/// Arrangements whose wires are routed in earnest, and parts from which on one has to do.
const TRIES: u64 = 4;
const MANY: usize = 30;
/// Parts from which on they stand in rows: nobody reads such a drawing, and nobody would wait for it.
const MOST: usize = 300;
/// Squares between parts in rows, and how many stand in one.
const PITCH: i32 = 8;
const IN_A_ROW: i32 = 40;

/// Places for the parts named; the others stand where they are and are not moved. Parts without a place are arranged
/// whether named or not.
pub fn arrange(supply: &Supply, parts: &BTreeSet<String>) -> BTreeMap<String, Placement> {
    let free: Vec<bool> = supply.parts.iter().map(|p| p.at.is_none() || parts.contains(&p.id)).collect();
    let movable = free.iter().filter(|f| **f).count();
    if movable == 0 {
        return BTreeMap::new();
    }
    if movable > MOST {
        return rows(supply, &free);
    }
    let start = Board::new(supply, &free);
    let tries = if movable > MANY || movable == 1 { 1 } else { TRIES };
    let attempt = &|seed: u64| {
        let board = search::search(start.clone(), seed);
        let mut placed = supply.clone();
        for (part, place) in placed.parts.iter_mut().zip(board.placements()) {
            part.at = place;
        }
        (if tries > 1 { untidiness(&placed) + board.habits() } else { 0.0 }, placed)
    };
    let tried: Vec<(f64, Supply)> = std::thread::scope(|threads| {
        let begun: Vec<_> = (0..tries).map(|seed| threads.spawn(move || attempt(seed))).collect();
        begun.into_iter().filter_map(|thread| thread.join().ok()).collect()
    });
    let best = tried.into_iter().min_by(|a, b| a.0.total_cmp(&b.0)).map(|(_, placed)| placed);
    let placed = best.into_iter().flat_map(|s| s.parts).zip(free);
    placed.filter(|(_, free)| *free).filter_map(|(part, _)| Some((part.id, part.at?))).collect()
}

/// Parts in rows beneath what stands already, in the order of the document.
fn rows(supply: &Supply, free: &[bool]) -> BTreeMap<String, Placement> {
    let parts = || supply.parts.iter().zip(free);
    let standing = parts().filter(|(_, free)| !**free).filter_map(|(part, _)| part.at);
    let top = standing.map(|at| at.y).max().map_or(PITCH / 2, |y| y + PITCH);
    let at =
        |k: i32| Placement::new(PITCH * (k % IN_A_ROW) + PITCH / 2, top + PITCH * (k / IN_A_ROW), Turn::None, false);
    parts().filter(|(_, free)| **free).zip(0..).map(|((part, _), k)| (part.id.clone(), at(k))).collect()
}

/// What a drawing's crossings, bends and lengths of wire amount to, and texts and parts that are in the way.
fn untidiness(supply: &Supply) -> f64 {
    let mut parts = place::parts(supply);
    let mut nets = route::nets(supply, &parts);
    labels::place(&mut parts, &mut nets);
    let covered: Vec<BTreeSet<Spot>> = nets.iter().map(squares).collect();
    let mut times: BTreeMap<Spot, usize> = BTreeMap::new();
    covered.iter().flatten().for_each(|spot| *times.entry(*spot).or_default() += 1);
    let crossings = times.values().filter(|n| **n > 1).count() as f64;
    let length: usize = covered.iter().map(BTreeSet::len).sum();
    let bends: usize = nets.iter().map(bends).sum();
    let askew = nets.iter().flat_map(|n| &n.wires).filter(|(a, b)| a.x != b.x && a.y != b.y).count() as f64;
    let nameless = nets.iter().filter(|n| n.label_at.is_none() && n.ground_at.is_none()).count() as f64;
    let texts: Vec<_> = parts.iter().map(labels::text_of).collect();
    let wires: Vec<_> = nets.iter().flat_map(|n| &n.wires).map(|wire| labels::wire_box(*wire)).collect();
    let through = texts.iter().filter(|text| wires.iter().any(|wire| labels::overlap(**text, *wire))).count();
    let covered = parts.iter().enumerate().map(|(k, part)| covered_texts(part, k, &texts)).sum::<usize>();
    let clashes = (through + covered) as f64;
    let pieces = nets.iter().filter(|n| !is_ground(&n.net));
    let names: BTreeSet<&str> = pieces.clone().map(|n| n.net.as_str()).collect();
    let torn = (pieces.count() - names.len()) as f64;
    40.0 * torn
        + 10.0 * crossings
        + 3.0 * bends as f64
        + 0.15 * length as f64
        + 60.0 * askew
        + 4.0 * nameless
        + 30.0 * clashes
}

fn covered_texts(part: &DrawnPart, own: usize, texts: &[crate::frame::Box]) -> usize {
    let solid = labels::solid(part);
    let over = |(k, text): &(usize, &crate::frame::Box)| {
        labels::overlap(**text, solid) || *k != own && labels::overlap(**text, texts[own])
    };
    texts.iter().enumerate().filter(|(k, _)| *k != own).filter(over).count()
}

fn squares(net: &DrawnNet) -> BTreeSet<Spot> {
    let along = |(a, b): &(Spot, Spot)| {
        let (a, b) = (*a, *b);
        (a.x..=b.x).flat_map(move |x| (a.y..=b.y).map(move |y| Spot { x, y }))
    };
    net.wires.iter().flat_map(along).collect()
}

/// Corners: where a level and an upright wire end together and nothing else meets.
fn bends(net: &DrawnNet) -> usize {
    let ends = |level: bool| {
        let wires = net.wires.iter().filter(move |(a, b)| (a.y == b.y) == level);
        wires.flat_map(|(a, b)| [*a, *b]).collect::<BTreeSet<_>>()
    };
    let upright = ends(false);
    ends(true).iter().filter(|s| upright.contains(s) && !net.junctions.contains(s)).count()
}
