//! The search for a cheap arrangement.

use super::board::{Board, Stand};
use fastrand::Rng;

/// Squares between a pin and the one it lines up with, along and across.
const STEPS: [i32; 7] = [2, 4, 5, 6, 8, 10, 12];
/// Moves tried for each part; and moves times parts at most, for a move among many takes longer.
const MOVES: usize = 9_000;
const MOST_WORK: usize = 1_500_000;
/// Parts from which on the first arrangement stays.
const MANY: usize = 150;
/// Parts from which on what is tried is bounded: moves, fewer where parts have many pins, and spots times parts.
const SEVERAL: usize = 30;
const MOST_SPOTS: usize = 60_000;
/// Temperatures at which annealing begins and ends, in units of cost.
const HOT: f64 = 14.0;
const COLD: f64 = 0.25;
/// Pins of a net that are tried as neighbours.
const NEIGHBOURS: usize = 4;

/// Places every piece that has no place.
pub(super) fn search(mut board: Board, seed: u64) -> Board {
    let mut random = Rng::with_seed(0x5eed_0000 + seed);
    insert(&mut board);
    let free: Vec<usize> = (0..board.pieces.len()).filter(|k| board.pieces[*k].free).collect();
    if free.len() > 1 && free.len() <= MANY {
        anneal(&mut board, &free, &mut random);
    }
    if free.len() <= MANY {
        polish(&mut board, &free);
    }
    board.settle();
    board
}

/// Piece after piece takes the best spot beside those it is joined to; sources first, then what hangs on most of what
/// stands already.
fn insert(board: &mut Board) {
    let mut waiting: Vec<usize> = (0..board.pieces.len()).filter(|k| board.stands[*k].is_none()).collect();
    while !waiting.is_empty() {
        let joints = |k: usize| {
            let nets = board.pieces[k].nets.iter().flatten().filter(|n| Some(**n) != board.ground);
            nets.filter(|n| board.nets[**n].iter().any(|(other, _)| board.stands[*other].is_some())).count()
        };
        let next = (0..waiting.len()).max_by_key(|i| {
            let k = waiting[*i];
            (joints(k).min(1), std::cmp::Reverse(board.pieces[k].depth), joints(k), std::cmp::Reverse(k))
        });
        let Some(next) = next else { return };
        let piece = waiting.swap_remove(next);
        waiting.sort_unstable();
        let group = board.group(vec![piece], false);
        let best = spots(board, piece).into_iter().map(|stand| {
            board.put(&mut [(piece, Some(stand))]);
            group.strands.iter().for_each(|strand| board.lay(*strand));
            (board.standing(&group) + board.wiring(&group) + board.order(), stand)
        });
        let best = best.min_by(|a, b| a.0.total_cmp(&b.0)).map(|(_, stand)| stand);
        board.put(&mut [(piece, best)]);
        group.strands.iter().for_each(|strand| board.lay(*strand));
    }
}

/// Spots worth trying: a pin in line with one of its net, at some distance; beside everything for what hangs on the
/// reference alone.
fn spots(board: &Board, piece: usize) -> Vec<Stand> {
    let here = &board.pieces[piece];
    let mut found = Vec::new();
    for (k, pose) in here.poses.iter().enumerate() {
        for (pin, net) in here.nets.iter().enumerate() {
            let Some(net) = net.filter(|n| Some(*n) != board.ground) else { continue };
            let there = board.nets[net].iter().rev().filter(|(other, _)| *other != piece);
            let pins: Vec<_> = there.filter_map(|(other, pin)| board.pin(*other, *pin)).take(NEIGHBOURS).collect();
            let (dx, dy) = pose.pins[pin];
            for spot in pins {
                let (x, y) = (spot.x - dx, spot.y - dy);
                for step in STEPS.into_iter() {
                    found.extend([(x + step, y), (x - step, y), (x, y + step), (x, y - step)].map(|at| (at, k)));
                    found.extend(
                        [(x + step, y + 2), (x + step, y + 4), (x - step, y + 2), (x - step, y + 4)].map(|at| (at, k)),
                    );
                }
            }
        }
    }
    if found.is_empty() {
        let standing = || board.stands.iter().flatten().map(|(at, _)| *at);
        let right = standing().map(|at| at.0).max().map_or(0, |x| x + 8);
        let low = standing().map(|at| at.1).max().unwrap_or(0);
        // Far parts of a large circuit stand in rows.
        found.extend((0..here.poses.len()).flat_map(|k| [((right, low), k), ((0, low + 10), k)]));
    }
    let most = if board.pieces.len() > SEVERAL { MOST_SPOTS / board.pieces.len() } else { usize::MAX };
    let every = found.len().div_ceil(most.max(1)).max(1);
    found.into_iter().step_by(every).collect()
}

/// An arrangement that is being changed, and what it costs.
struct Trial<'b> {
    board: &'b mut Board,
    cost: f64,
    /// What the order of all pieces costs as they stand.
    order: f64,
    /// What each piece by itself, and its wires, cost as they are, where that was asked.
    standing: Vec<Option<f64>>,
    wiring: Vec<Option<f64>>,
}

impl<'b> Trial<'b> {
    fn new(board: &'b mut Board) -> Self {
        let unknown = vec![None; board.pieces.len()];
        Trial { cost: board.cost(), order: board.order(), standing: unknown.clone(), wiring: unknown, board }
    }

    /// Whether pieces that stand already keep their places among each other.
    fn rigid(&self, stands: &[(usize, Option<Stand>)]) -> bool {
        let by = |(piece, to): &(usize, Option<Stand>)| {
            let ((x, y), pose) = self.board.stands[*piece]?;
            let ((there, below), turned) = (*to)?;
            (turned == pose).then_some((there - x, below - y))
        };
        stands.len() > 1 && stands.windows(2).all(|two| by(&two[0]).is_some() && by(&two[0]) == by(&two[1]))
    }

    /// Makes a move unless the arrangement would cost more than some limit then. False if it is not made.
    fn make(&mut self, mut stands: Vec<(usize, Option<Stand>)>, limit: f64) -> bool {
        let pieces: Vec<usize> = stands.iter().map(|(k, _)| *k).collect();
        let group = self.board.group(pieces, self.rigid(&stands));
        let board = &*self.board;
        let (standing, wiring) = match stands[..] {
            [(one, _)] => (
                *self.standing[one].get_or_insert_with(|| board.standing(&group)),
                *self.wiring[one].get_or_insert_with(|| board.wiring(&group)),
            ),
            _ => (board.standing(&group), board.wiring(&group)),
        };
        let without = self.cost - wiring - standing - self.order;
        self.board.put(&mut stands);
        let mut cost = without + self.board.standing(&group);
        // What the order costs is not below zero: most moves fail by where parts stand, before it or any wire is looked at.
        if cost > limit {
            self.board.put(&mut stands);
            return false;
        }
        let order = self.board.order();
        cost += order;
        if cost <= limit {
            group.strands.iter().for_each(|strand| self.board.lay(*strand));
            cost += self.board.wiring(&group);
            if cost <= limit {
                (self.cost, self.order) = (cost, order);
                self.standing.fill(None);
                self.wiring.fill(None);
                return true;
            }
            self.board.put(&mut stands);
            group.strands.iter().for_each(|strand| self.board.lay(*strand));
            return false;
        }
        self.board.put(&mut stands);
        false
    }
}

/// Moves that take no longer than anyone waits: each the longer the more pieces there are, and the more pins they have beside
/// the usual two.
fn affordable(board: &Board, free: &[usize]) -> usize {
    let pins: usize = free.iter().map(|k| board.pieces[*k].nets.len()).sum();
    let longer = if free.len() > SEVERAL { (pins as f64 / (2 * free.len()) as f64).powi(2).max(1.0) } else { 1.0 };
    (MOST_WORK as f64 / longer) as usize / free.len().max(1)
}

/// Moves pieces about, the worse moves ever more rarely.
fn anneal(board: &mut Board, free: &[usize], random: &mut Rng) {
    let moves = (MOVES * free.len()).min(affordable(board, free));
    let cooling = (COLD / HOT).powf(1.0 / moves as f64);
    let mut temperature = HOT;
    let mut trial = Trial::new(board);
    let mut best = (trial.cost, trial.board.stands.clone());
    for _ in 0..moves {
        temperature *= cooling;
        let new = propose(trial.board, free, random);
        // A worse arrangement is taken with the probability exp(-worse / temperature).
        let limit = trial.cost - temperature * (1.0 - random.f64()).ln();
        if !new.is_empty() && trial.make(new, limit) && trial.cost < best.0 - 1e-9 {
            best = (trial.cost, trial.board.stands.clone());
        }
    }
    board.stands = best.1;
    board.renew();
}

fn propose(board: &Board, free: &[usize], random: &mut Rng) -> Vec<(usize, Option<Stand>)> {
    let piece = free[random.usize(..free.len())];
    let Some(((x, y), pose)) = board.stands[piece] else { return Vec::new() };
    // What has a mirror image often moves with it.
    let both = random.bool();
    let one = |stand: Stand| {
        let image = board.image(piece, stand).filter(|_| both);
        [Some((piece, stand)), image].into_iter().flatten().map(|(k, stand)| (k, Some(stand))).collect()
    };
    match random.usize(..22) {
        0..8 => one(beside(board, piece, random).unwrap_or(((x, y), pose))),
        8..12 => {
            let by = [1, 2, 4][random.usize(..3)] * if random.bool() { 1 } else { -1 };
            one((if random.bool() { (x + by, y) } else { (x, y + by) }, pose))
        }
        12..14 => one(((x, y), random.usize(..board.pieces[piece].poses.len()))),
        14..16 => {
            let other = free[random.usize(..free.len())];
            let Some((there, pose_there)) = board.stands[other].filter(|_| other != piece) else { return Vec::new() };
            vec![(piece, Some((there, pose))), (other, Some(((x, y), pose_there)))]
        }
        16..18 => cut(board, free, (x, y), random),
        18 => board.image(piece, ((x, y), pose)).into_iter().map(|(twin, stand)| (twin, Some(stand))).collect(),
        19 => leg(board, piece, random).unwrap_or_default(),
        _ => {
            // To the height of another part.
            let other = random.usize(..board.pieces.len());
            board.stands[other].map_or_else(Vec::new, |(at, _)| one(((x, at.1), pose)))
        }
    }
}

/// The leg of a bridge to which a piece belongs, beside another leg and as that stands.
fn leg(board: &Board, piece: usize, random: &mut Rng) -> Option<Vec<(usize, Option<Stand>)>> {
    let of_it = |leg: &&(usize, usize)| leg.0 == piece || leg.1 == piece;
    let bridge = board.mates.bridges.iter().find(|bridge| bridge.iter().any(|leg| of_it(&leg)))?;
    let (upper, lower) = *bridge.iter().find(of_it)?;
    let (model_upper, model_lower) = bridge[random.usize(..bridge.len())];
    if model_upper == upper || ![upper, lower].iter().all(|k| board.pieces[*k].free) {
        return None;
    }
    let (((x, above), pose), ((_, below), _)) = (board.stands[model_upper]?, board.stands[model_lower]?);
    let x = match random.usize(..3) {
        0 => board.stands[upper]?.0.0,
        1 => board.stands[lower]?.0.0,
        _ => x + [-12, -10, -8, -6, 6, 8, 10, 12][random.usize(..8)],
    };
    Some(vec![(upper, Some(((x, above), pose))), (lower, Some(((x, below), pose)))])
}

/// A spot from which a pin is in line with another of its net.
fn beside(board: &Board, piece: usize, random: &mut Rng) -> Option<Stand> {
    let here = &board.pieces[piece];
    let pin = random.usize(..here.nets.len());
    let net = here.nets[pin].filter(|n| Some(*n) != board.ground)?;
    let (other, other_pin) = board.nets[net][random.usize(..board.nets[net].len())];
    let spot = board.pin(other, other_pin).filter(|_| other != piece)?;
    let pose = random.usize(..here.poses.len());
    let (dx, dy) = here.poses[pose].pins[pin];
    let by = STEPS[random.usize(..STEPS.len())] * if random.bool() { 1 } else { -1 };
    let (x, y) = (spot.x - dx, spot.y - dy);
    let at = match random.usize(..4) {
        0 => (x + by, y),
        1 => (x, y + by),
        2 => (x + by, y + [2, 4][random.usize(..2)]),
        _ => (x, y),
    };
    Some((at, pose))
}

/// Everything beyond a line moves, to make or take room.
fn cut(board: &Board, free: &[usize], (x, y): (i32, i32), random: &mut Rng) -> Vec<(usize, Option<Stand>)> {
    let by = [1, 2, 4][random.usize(..3)] * if random.bool() { 1 } else { -1 };
    let level = random.bool();
    let moved = free.iter().filter_map(|k| {
        let ((px, py), pose) = board.stands[*k]?;
        let beyond = if level { px >= x } else { py >= y };
        let at = if level { (px + by, py) } else { (px, py + by) };
        beyond.then_some((*k, Some((at, pose))))
    });
    moved.collect()
}

/// Small moves of single pieces as long as they help.
fn polish(board: &mut Board, free: &[usize]) {
    let mut left = affordable(board, free);
    let mut trial = Trial::new(board);
    for _ in 0..8 {
        let before = trial.cost;
        for piece in free {
            let Some((from, pose)) = trial.board.stands[*piece] else { continue };
            let steps = (-6..=6).flat_map(|k| [(k, 0), (0, k)]).map(|(dx, dy)| ((from.0 + dx, from.1 + dy), pose));
            let turned = (0..trial.board.pieces[*piece].poses.len()).map(|k| (from, k));
            for stand in steps.chain(turned) {
                left = left.saturating_sub(1);
                if left == 0 {
                    return;
                }
                let limit = trial.cost - 1e-9;
                trial.make(vec![(*piece, Some(stand))], limit);
            }
        }
        if trial.cost >= before {
            break;
        }
    }
}
