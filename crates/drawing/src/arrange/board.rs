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
    strands: Vec<Strand>,
    /// Strands that each piece hangs on.
    hangs: Vec<Vec<usize>>,
    /// The rectangle that each piece takes up as it stands.
    hulls: Vec<Option<Rect>>,
}

/// Pieces that are looked at together, with the strands they hang on.
pub(super) struct Group {
    pieces: Vec<usize>,
    pub(super) strands: Vec<usize>,
    /// Of each piece and each strand of the board whether it belongs to the group.
    has: Vec<bool>,
    hangs: Vec<bool>,
    /// Where the group moves as one, strands between its pieces alone: what passes among them stays as it is and is
    /// left out of all costs.
    within: Vec<bool>,
    rigid: bool,
}

/// Pins that wires join: those of a net; of the reference those of one piece, for nothing joins it to others.
#[derive(Clone)]
struct Strand {
    net: usize,
    /// Pieces and pins.
    pins: Vec<(usize, usize)>,
    wires: Vec<Wire>,
    /// The rectangle around the wires.
    bounds: Option<Rect>,
    /// What it costs by itself.
    own: f64,
}

/// The strands of all nets.
fn strands(nets: &[Vec<(usize, usize)>], ground: Option<usize>) -> Vec<Strand> {
    let strand = |net: usize, pins: &[(usize, usize)]| Strand {
        net,
        pins: pins.to_vec(),
        wires: Vec::new(),
        bounds: None,
        own: 0.0,
    };
    let of = |(net, pins): (usize, &Vec<(usize, usize)>)| match Some(net) == ground {
        true => pins.chunk_by(|a, b| a.0 == b.0).map(|pins| strand(net, pins)).collect(),
        false => vec![strand(net, pins)],
    };
    nets.iter().enumerate().flat_map(of).collect()
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
        let strands = strands(&nets, flow.ground);
        let mut hangs = vec![Vec::new(); pieces.len()];
        for (strand, Strand { pins, .. }) in strands.iter().enumerate() {
            pins.chunk_by(|a, b| a.0 == b.0).for_each(|pins| hangs[pins[0].0].push(strand));
        }
        let hulls = vec![None; pieces.len()];
        let mut board = Board { pieces, stands, nets, ground: flow.ground, mates, strands, hangs, hulls };
        board.renew();
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
        for (piece, stand) in stands {
            std::mem::swap(&mut self.stands[*piece], stand);
            self.hulls[*piece] = self.pose(*piece).map(|(pose, at)| pose.hull.at(at));
        }
    }

    /// Some pieces, which may move as one.
    pub(super) fn group(&self, pieces: Vec<usize>, rigid: bool) -> Group {
        let mut strands: Vec<usize> = pieces.iter().flat_map(|k| &self.hangs[*k]).copied().collect();
        strands.sort_unstable();
        strands.dedup();
        let (mut has, mut hangs) = (vec![false; self.pieces.len()], vec![false; self.strands.len()]);
        pieces.iter().for_each(|k| has[*k] = true);
        strands.iter().for_each(|k| hangs[*k] = true);
        let all_of = |strand: &Strand| rigid && strand.pins.iter().all(|(piece, _)| has[*piece]);
        let within = self.strands.iter().map(all_of).collect();
        Group { pieces, strands, has, hangs, within, rigid }
    }

    /// Finds anew what follows from where all pieces stand.
    pub(super) fn renew(&mut self) {
        self.hulls = (0..self.pieces.len()).map(|k| self.pose(k).map(|(pose, at)| pose.hull.at(at))).collect();
        (0..self.strands.len()).for_each(|strand| self.lay(strand));
    }

    /// Lays the wires of a strand anew.
    pub(super) fn lay(&mut self, strand: usize) {
        let mut wires = std::mem::take(&mut self.strands[strand].wires);
        wires.clear();
        let Strand { net, pins, .. } = &self.strands[strand];
        let standing = pins.iter().filter_map(|(k, pin)| Some((*k, *pin, self.pose(*k)?)));
        let pins: Vec<Pin> = standing
            .clone()
            .map(|(_, pin, (pose, at))| {
                let (dx, dy) = pose.pins[pin];
                Pin { at: (at.0 + dx, at.1 + dy), body: pose.body.at(at) }
            })
            .collect();
        let ground = Some(*net) == self.ground;
        let mut own = estimate(&pins, ground, &mut wires);
        if !ground && pins.len() <= RAIL {
            let order: Vec<(usize, i32)> = standing.map(|(k, _, (_, at))| (self.pieces[k].depth, at.0)).collect();
            for (before, x) in &order {
                let behind = order.iter().filter(|(depth, _)| depth > before);
                own += BACKWARDS * behind.map(|(_, other)| f64::from((x + 2 - other).max(0))).sum::<f64>();
            }
        }
        let bounds = wires.iter().copied().reduce(Rect::around);
        let strand = &mut self.strands[strand];
        (strand.own, strand.bounds, strand.wires) = (own, bounds, wires);
    }

    /// What the arrangement costs.
    pub(super) fn cost(&self) -> f64 {
        let all = self.group((0..self.pieces.len()).collect(), false);
        self.standing(&all) + self.wiring(&all) + self.order()
    }

    /// What a group costs by the way its pieces stand.
    pub(super) fn standing(&self, group: &Group) -> f64 {
        let poses: f64 = group.pieces.iter().filter_map(|k| self.pose(*k)).map(|(pose, _)| pose.awkward).sum();
        poses + self.crowding(group)
    }

    /// What would not be there without a group's strands, and without those of its pieces that wires pass.
    pub(super) fn wiring(&self, group: &Group) -> f64 {
        let own: f64 = group.strands.iter().map(|strand| self.strands[*strand].own).sum();
        own + if self.pieces.len() <= COARSE { self.crossings(group) } else { 0.0 }
    }

    /// Parts and texts on top of each other, if one of them is in the group.
    fn crowding(&self, group: &Group) -> f64 {
        let mut cost = 0.0;
        for a in &group.pieces {
            let (Some((pose, at)), Some(hull)) = (self.pose(*a), self.hulls[*a]) else { continue };
            for (b, taken) in self.hulls.iter().enumerate() {
                if !taken.is_some_and(|there| there.touches(hull)) {
                    continue;
                }
                let once = b != *a && (!group.has[b] || (b < *a && !group.rigid));
                let free = self.pieces[*a].free || self.pieces[b].free;
                let Some((other, there)) = self.pose(b).filter(|_| once && free) else { continue };
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

    /// Wires of a group that meet others or pass parts, and wires of others that pass its parts.
    fn crossings(&self, group: &Group) -> f64 {
        let mut cost = 0.0;
        for k in &group.strands {
            let strand = &self.strands[*k];
            let Some(bounds) = strand.bounds else { continue };
            for (i, other) in self.strands.iter().enumerate() {
                let meets = other.net != strand.net && other.bounds.is_some_and(|there| there.touches(bounds));
                if meets && (!group.hangs[i] || (i < *k && !(group.within[i] && group.within[*k]))) {
                    let met = |wire: &Wire| other.wires.iter().filter(|other| wire.touches(**other)).count();
                    cost += CROSSING * strand.wires.iter().map(met).sum::<usize>() as f64;
                }
            }
            let pieces = (0..self.pieces.len()).filter(|piece| !(group.within[*k] && group.has[*piece]));
            cost += pieces.map(|piece| self.passed(piece, strand)).sum::<f64>();
        }
        for piece in &group.pieces {
            let others = self.strands.iter().zip(&group.hangs).filter(|(_, hangs)| !**hangs);
            cost += others.map(|(strand, _)| self.passed(*piece, strand)).sum::<f64>();
        }
        cost
    }

    /// What it costs that wires of a strand pass a part.
    fn passed(&self, piece: usize, strand: &Strand) -> f64 {
        let (Some(hull), Some(bounds)) = (self.hulls[piece], strand.bounds) else { return 0.0 };
        let Some((pose, at)) = self.pose(piece).filter(|_| hull.touches(bounds)) else { return 0.0 };
        let joined = self.pieces[piece].nets.contains(&Some(strand.net));
        let solid = if joined { pose.body.at(at) } else { pose.solid.at(at) };
        let text = pose.text.at(at);
        let cost = |wire: &Wire| match () {
            () if wire.touches(solid) => THROUGH,
            () if wire.touches(text) => OVER_TEXT,
            () => 0.0,
        };
        strand.wires.iter().map(cost).sum()
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
