//! An arrangement of parts, and what it costs.

use super::flow::{Flow, feeds};
use super::mates::Mates;
use super::pose::{Pose, Rect, TURNS};
use super::wires::{Pin, Wire, estimate};
use crate::drawn::Spot;
use crate::place;
use circuit::{Placement, Supply, Turn, resolve};

/// Costs of two wires that meet, of a wire through a part, through a text, and of parts and texts that touch.
const CROSSING: f64 = 12.0;
const THROUGH: f64 = 30.0;
const OVER_TEXT: f64 = 9.0;
const TOUCHING: f64 = 25.0;
const OVERLAP: f64 = 3.0;
const TEXTS: f64 = 12.0;
/// For each square that stands against the flow of power, and for a source behind what it feeds.
const BACKWARDS: f64 = 0.4;
const SOURCE: f64 = 1.5;
/// For a part at a height of its own, and for each further height of the reference.
const RAGGED: f64 = 1.5;
const GROUNDS: f64 = 2.0;
/// For what belongs in line or mirrored and is not, and for a diode of a bridge that lies.
const MATES: f64 = 5.0;
const LYING: f64 = 10.0;
/// Where the first column and row of a drawing stand.
const BEGIN: i32 = 4;
/// Parts from which on wires are not held against each other: it would take too long, and parts find their
/// neighbours all the same.
const COARSE: usize = 120;
/// Pins of a net from which on the order of its parts is not looked at: it is a rail.
const RAIL: usize = 12;

/// Where a part stands, and which of its poses it takes.
pub(super) type Stand = ((i32, i32), usize);

#[derive(Clone)]
pub(super) struct Piece {
    pub(super) poses: Vec<Pose>,
    pub(super) nets: Vec<Option<usize>>,
    /// Parts between it and the sources.
    pub(super) depth: usize,
    pub(super) free: bool,
    feeds: bool,
}

#[derive(Clone)]
pub(super) struct Board {
    pub(super) pieces: Vec<Piece>,
    pub(super) stands: Vec<Option<Stand>>,
    /// Pieces and pins of each net.
    pub(super) nets: Vec<Vec<(usize, usize)>>,
    pub(super) ground: Option<usize>,
    pub(super) mates: Mates,
    wires: Vec<Vec<Wire>>,
    /// The rectangle around each net's wires.
    bounds: Vec<Option<Rect>>,
    /// What each net costs by itself.
    own: Vec<f64>,
}

impl Board {
    /// A board with the parts that are not free in their places.
    pub(super) fn new(supply: &Supply, free: &[bool]) -> Self {
        let flow = Flow::new(supply);
        let mates = Mates::new(supply, &flow);
        let circuit = resolve(supply).ok();
        let mut pieces = Vec::new();
        let mut stands = Vec::new();
        for ((part, nets), free) in supply.parts.iter().zip(&flow.nets).zip(free) {
            let values = circuit.as_ref().and_then(|c| Some(c.parts[c.part(&part.id)?].values.as_slice()));
            let pose = |turn: Turn, mirror: bool| {
                let drawn = place::drawn(part, Placement::new(0, 0, turn, mirror), values);
                Pose::of(&drawn, turn, nets, &flow)
            };
            let fixed = part.at.filter(|_| !free);
            let poses: Vec<Pose> = match fixed {
                Some(at) => vec![pose(at.turn, at.mirror)],
                // A mirrored part with two pins looks like one turned about.
                None if nets.len() == 2 => TURNS.map(|turn| pose(turn, false)).into(),
                None => TURNS.iter().flat_map(|turn| [pose(*turn, false), pose(*turn, true)]).collect(),
            };
            let depth = nets.iter().flatten().filter(|n| Some(**n) != flow.ground).map(|n| flow.depth[*n]).min();
            let piece = Piece {
                poses,
                nets: nets.clone(),
                depth: depth.unwrap_or(0),
                free: fixed.is_none(),
                feeds: feeds(part.kind),
            };
            pieces.push(piece);
            stands.push(fixed.map(|at| ((at.x, at.y), 0)));
        }
        let mut nets = vec![Vec::new(); flow.depth.len()];
        for (k, piece) in pieces.iter().enumerate() {
            for (pin, net) in piece.nets.iter().enumerate() {
                net.iter().for_each(|net| nets[*net].push((k, pin)));
            }
        }
        let empty = vec![Vec::new(); nets.len()];
        let mut board = Board {
            pieces,
            stands,
            own: vec![0.0; nets.len()],
            nets,
            ground: flow.ground,
            mates,
            bounds: vec![None; empty.len()],
            wires: empty,
        };
        (0..board.nets.len()).for_each(|net| board.lay(net));
        board
    }

    /// Moves everything to where drawings begin, if nothing stands fast.
    pub(super) fn settle(&mut self) {
        if self.pieces.iter().all(|piece| piece.free) {
            let corner =
                |of: fn((i32, i32)) -> i32| self.stands.iter().flatten().map(|(at, _)| of(*at)).min().unwrap_or(0);
            let (left, top) = (corner(|at| at.0), corner(|at| at.1));
            for (at, _) in self.stands.iter_mut().flatten() {
                *at = (at.0 - left + BEGIN, at.1 - top + BEGIN);
            }
        }
    }

    pub(super) fn placements(&self) -> impl Iterator<Item = Option<Placement>> + '_ {
        self.pieces.iter().zip(&self.stands).map(|(piece, stand)| {
            let ((x, y), pose) = (*stand)?;
            let Pose { turn, mirror, .. } = piece.poses[pose];
            Some(Placement::new(x, y, turn, mirror))
        })
    }

    pub(super) fn pose(&self, piece: usize) -> Option<(&Pose, (i32, i32))> {
        self.stands[piece].map(|(at, pose)| (&self.pieces[piece].poses[pose], at))
    }

    /// Where a pin lies.
    pub(super) fn pin(&self, piece: usize, pin: usize) -> Option<Spot> {
        let (pose, (x, y)) = self.pose(piece)?;
        let (dx, dy) = pose.pins[pin];
        Some(Spot { x: x + dx, y: y + dy })
    }

    /// Puts pieces where they are to stand; returns where they stood. Their wires are still to be laid.
    pub(super) fn put(&mut self, stands: &mut [(usize, Option<Stand>)]) {
        stands.iter_mut().for_each(|(piece, stand)| std::mem::swap(&mut self.stands[*piece], stand));
    }

    /// Nets of some pieces, each once.
    pub(super) fn nets_of(&self, pieces: impl Iterator<Item = usize>) -> Vec<usize> {
        let mut nets: Vec<usize> = pieces.flat_map(|k| &self.pieces[k].nets).flatten().copied().collect();
        nets.sort_unstable();
        nets.dedup();
        nets
    }

    /// Lays the wires of a net anew.
    pub(super) fn lay(&mut self, net: usize) {
        let mut wires = std::mem::take(&mut self.wires[net]);
        wires.clear();
        let standing = self.nets[net].iter().filter_map(|(k, pin)| Some((*k, *pin, self.pose(*k)?)));
        let pins: Vec<Pin> = standing
            .clone()
            .map(|(_, pin, (pose, at))| {
                let (dx, dy) = pose.pins[pin];
                Pin { at: (at.0 + dx, at.1 + dy), body: pose.body.at(at) }
            })
            .collect();
        let ground = Some(net) == self.ground;
        let mut cost = estimate(&pins, ground, &mut wires);
        if !ground && pins.len() <= RAIL {
            let order: Vec<(usize, i32)> = standing.map(|(k, _, (_, at))| (self.pieces[k].depth, at.0)).collect();
            for (before, x) in &order {
                let behind = order.iter().filter(|(depth, _)| depth > before);
                cost += BACKWARDS * behind.map(|(_, other)| f64::from((x + 2 - other).max(0))).sum::<f64>();
            }
        }
        self.own[net] = cost;
        self.bounds[net] = wires.iter().copied().reduce(Rect::around);
        self.wires[net] = wires;
    }

    /// What the arrangement costs.
    pub(super) fn cost(&self) -> f64 {
        let all: Vec<usize> = (0..self.pieces.len()).collect();
        let nets: Vec<usize> = (0..self.nets.len()).collect();
        self.standing(&all) + self.wiring(&all, &nets) + self.order()
    }

    /// What some pieces cost by the way they stand.
    pub(super) fn standing(&self, pieces: &[usize]) -> f64 {
        let poses: f64 = pieces.iter().filter_map(|k| self.pose(*k)).map(|(pose, _)| pose.awkward).sum();
        poses + self.crowding(pieces)
    }

    /// What would not be there without the wires of some nets, and without some pieces that wires pass.
    pub(super) fn wiring(&self, pieces: &[usize], nets: &[usize]) -> f64 {
        let own: f64 = nets.iter().map(|net| self.own[*net]).sum();
        own + if self.pieces.len() <= COARSE { self.crossings(pieces, nets) } else { 0.0 }
    }

    /// Parts and texts on top of each other, if one of them is among some.
    fn crowding(&self, pieces: &[usize]) -> f64 {
        let mut cost = 0.0;
        for a in pieces {
            let Some((pose, at)) = self.pose(*a) else { continue };
            for (b, piece) in self.pieces.iter().enumerate() {
                let once = b != *a && (b < *a || !pieces.contains(&b)) && (self.pieces[*a].free || piece.free);
                let Some((other, there)) = self.pose(b).filter(|_| once) else { continue };
                if !pose.hull.at(at).touches(other.hull.at(there)) {
                    continue;
                }
                let rooms = pose.room.at(at).common(other.room.at(there));
                if rooms > 0 {
                    cost += TOUCHING + OVERLAP * f64::from(rooms);
                }
                let covered = pose.text.at(at).common(other.solid.at(there))
                    + pose.solid.at(at).common(other.text.at(there))
                    + pose.text.at(at).common(other.text.at(there));
                if covered > 0 {
                    cost += TEXTS + 0.3 * f64::from(covered);
                }
            }
        }
        cost
    }

    /// Wires of some nets that meet others or pass parts, and wires of others that pass some parts.
    fn crossings(&self, pieces: &[usize], nets: &[usize]) -> f64 {
        let mut cost = 0.0;
        for net in nets {
            let Some(bounds) = self.bounds[*net] else { continue };
            for (other, others) in self.wires.iter().enumerate() {
                let once = other != *net && (other < *net || !nets.contains(&other));
                if once && self.bounds[other].is_some_and(|there| there.touches(bounds)) {
                    let meets = |wire: &Wire| others.iter().filter(|other| wire.touches(**other)).count();
                    cost += CROSSING * self.wires[*net].iter().map(meets).sum::<usize>() as f64;
                }
            }
            cost += (0..self.pieces.len()).map(|k| self.passed(k, *net)).sum::<f64>();
        }
        let others = (0..self.nets.len()).filter(|net| !nets.contains(net));
        cost + others.map(|net| pieces.iter().map(|k| self.passed(*k, net)).sum::<f64>()).sum::<f64>()
    }

    /// What it costs that wires of a net pass a part.
    fn passed(&self, piece: usize, net: usize) -> f64 {
        let (Some((pose, at)), Some(bounds)) = (self.pose(piece), self.bounds[net]) else { return 0.0 };
        if !pose.hull.at(at).touches(bounds) {
            return 0.0;
        }
        let joined = self.pieces[piece].nets.contains(&Some(net));
        let solid = if joined { pose.body.at(at) } else { pose.solid.at(at) };
        let text = pose.text.at(at);
        let cost = |wire: &Wire| match () {
            () if wire.touches(solid) => THROUGH,
            () if wire.touches(text) => OVER_TEXT,
            () => 0.0,
        };
        self.wires[net].iter().map(cost).sum()
    }

    /// Sources left of what they feed, parts side by side, the reference at one height.
    pub(super) fn order(&self) -> f64 {
        let standing = || (0..self.pieces.len()).filter_map(|k| Some((&self.pieces[k], self.stands[k]?.0)));
        // Each source stands left of what it feeds itself.
        let first = standing().filter(|(piece, _)| !piece.feeds).map(|(_, at)| at.0).min();
        let behind = |x: i32| first.map_or(0.0, |first| SOURCE * f64::from((x + 4 - first).clamp(0, 40)));
        let mut cost: f64 = standing().filter(|(piece, _)| piece.feeds).map(|(_, at)| behind(at.0)).sum();
        let mut heights: Vec<i32> = standing().map(|(_, at)| at.1).collect();
        heights.sort_unstable();
        cost += RAGGED * heights.chunk_by(|a, b| a == b).filter(|same| same.len() == 1).count() as f64;
        if let Some(ground) = self.ground {
            let mut levels: Vec<i32> =
                self.nets[ground].iter().filter_map(|(k, pin)| Some(self.pin(*k, *pin)?.y)).collect();
            levels.sort_unstable();
            levels.dedup();
            cost += GROUNDS * levels.len() as f64;
        }
        cost + self.mated()
    }

    /// Where a piece's twin would be the mirror image of how the piece stands, about the axis of the other twins.
    pub(super) fn image(&self, piece: usize, (at, pose): Stand) -> Option<(usize, Stand)> {
        let twin = self.mates.twins.iter().find_map(|(a, b)| match piece {
            p if p == *a => Some(*b),
            p if p == *b => Some(*a),
            _ => None,
        })?;
        let others = self.mates.twins.iter().filter(|(a, b)| ![*a, *b].contains(&piece));
        let mut sums: Vec<i32> =
            others.filter_map(|(a, b)| Some(self.stands[*a]?.0.0 + self.stands[*b]?.0.0)).collect();
        sums.sort_unstable();
        let image = self.pieces[piece].poses[pose].pins.iter().map(|(x, y)| (-x, *y));
        let turned = self.pieces[twin].poses.iter().position(|p| p.pins.iter().copied().eq(image.clone()))?;
        self.pieces[twin].free.then_some((twin, ((sums.get(sums.len() / 2)? - at.0, at.1), turned)))
    }

    /// What it costs that parts do not stand as is usual, wires aside.
    pub(super) fn habits(&self) -> f64 {
        let poses: f64 = (0..self.pieces.len()).filter_map(|k| self.pose(k)).map(|(pose, _)| pose.awkward).sum();
        poses + self.order()
    }

    /// The legs of a bridge upright and side by side, the halves of a symmetric circuit mirrored.
    fn mated(&self) -> f64 {
        let apart = |a: i32, b: i32| if a == b { 0.0 } else { MATES + 0.5 * f64::from((a - b).abs()) };
        let pair = |(a, b): &(usize, usize)| Some((self.pose(*a)?, self.pose(*b)?));
        let mut cost = 0.0;
        for bridge in &self.mates.bridges {
            let mut before = None;
            for ((upper, (ux, uy)), (lower, (lx, ly))) in bridge.iter().filter_map(pair) {
                let lying = [upper, lower].iter().filter(|pose| pose.pins[0].0 != 0).count() as f64;
                cost += apart(ux, lx) + LYING * lying + 3.0 * f64::from((uy + 4 - ly).max(0));
                if let Some((up, low)) = before.replace((uy, ly)) {
                    cost += apart(up, uy) + apart(low, ly);
                }
            }
        }
        let twins = || self.mates.twins.iter().filter_map(pair);
        let mut sums: Vec<i32> = twins().map(|((_, a), (_, b))| a.0 + b.0).collect();
        sums.sort_unstable();
        let axis = sums.get(sums.len() / 2).copied().unwrap_or(0);
        for ((pose, a), (other, b)) in twins() {
            let mirrored = pose.pins.iter().zip(&other.pins).all(|(p, q)| (-p.0, p.1) == *q);
            cost += apart(a.1, b.1) + apart(a.0 + b.0, axis) + if mirrored { 0.0 } else { LYING };
        }
        cost
    }
}
