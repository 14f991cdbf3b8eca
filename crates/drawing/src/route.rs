//! Wires at right angles, found by cheapest paths on the grid.
//!
//! A net with many pins is a rail: it starts as a straight line, the reference beneath its
//! pins, others above, and its pins drop to it. Then every pin joins its net's tree along the
//! path of least cost, where bends and crossings are dear and running through parts or along
//! other wires is impossible.

use crate::bands::Bands;
use crate::drawn::{DrawnNet, DrawnPart, Spot, is_ground};
use crate::labels::text_of;
use crate::symbols::symbol;
use circuit::Supply;
use std::collections::{BTreeMap, BTreeSet, BinaryHeap, HashMap, HashSet};
use std::ops::RangeInclusive;

const STEP: u32 = 1;
const BEND: u32 = 4;
const CROSSING: u32 = 8;
/// Running where a text would like to stand.
const TEXT: u32 = 2;
/// Free squares kept around everything for wires to pass.
const MARGIN: i32 = 3;
/// Pins from which on a net is drawn as a rail.
const RAIL: usize = 4;

/// Squares between pins above each other over which no wire is drawn.
const FAR: i32 = 14;

/// How many times nearer a rail between its pins must be than one beyond them.
const NEARER: i32 = 2;

/// Parts from which on no wires are drawn: the search would take longer than anyone waits, and
/// nobody reads such a drawing.
const MOST_PARTS: usize = 1500;

/// What owns the square of a pin that is joined to nothing.
const NOTHING: usize = usize::MAX;

/// Squares of the grid from which on no wires are drawn, for the same reason and for memory's sake; parts
/// that stand as close as usual come nowhere near.
const MOST_SQUARES: i64 = 2_000_000;

/// Wires of every net, in order of appearance; none for circuits too large to be drawn wired.
pub(crate) fn nets(supply: &Supply, parts: &[DrawnPart]) -> Vec<DrawnNet> {
    if parts.len() > MOST_PARTS {
        return Vec::new();
    }
    let bands = Bands::between(parts);
    let mut nets = near_nets(supply, &bands.cut(parts));
    nets.iter_mut().for_each(|net| bands.restore(net));
    nets
}

/// Wires between parts that stand no farther from each other than wires need.
fn near_nets(supply: &Supply, parts: &[DrawnPart]) -> Vec<DrawnNet> {
    let mut pins: BTreeMap<usize, Vec<Spot>> = BTreeMap::new();
    let mut names: Vec<&str> = Vec::new();
    let mut index: HashMap<&str, usize> = HashMap::new();
    for (part, drawn) in supply.parts.iter().zip(parts) {
        for (pin, spot) in &drawn.pins {
            let Some(net) = part.pins.get(pin).filter(|net| !net.is_empty()) else { continue };
            let net = *index.entry(net).or_insert_with(|| {
                names.push(net);
                names.len() - 1
            });
            pins.entry(net).or_default().push(*spot);
        }
    }
    let Some(mut router) = Router::new(supply, parts, &pins) else { return Vec::new() };
    // A net is wired piece by piece where its pins lie far apart: each piece bears its name, or its own
    // symbol of the reference, as a draftsman leaves long lines out.
    let mut pieces: Vec<(usize, Vec<Spot>)> = Vec::new();
    for (net, spots) in &pins {
        pieces.extend(apart(spots).into_iter().map(|spots| (*net, spots)));
    }
    // Rails first: they are long and should be straight.
    let mut order: Vec<usize> = (0..pieces.len()).collect();
    order.sort_by_key(|at| {
        let (net, spots) = &pieces[*at];
        (spots.len() < RAIL, spots.len(), *net, *at)
    });
    let mut trees: BTreeMap<usize, Tree> = BTreeMap::new();
    for at in order {
        let (net, spots) = &pieces[at];
        let ground = is_ground(names[*net]);
        let alone = spots.len() == 1 && pins[net].len() > 1;
        let (tree, left) = match spots[..] {
            // A pin by itself, its net's other pins far away: a stub to carry the name.
            [pin] if !ground && alone => (router.stub(*net, pin), Vec::new()),
            _ => router.connect(*net, spots, ground),
        };
        // What no wire can reach stands by itself too.
        let net = *net;
        pieces[at].1.retain(|pin| !left.contains(pin));
        for pin in left {
            trees.insert(pieces.len(), if ground { Tree::default() } else { router.stub(net, pin) });
            pieces.push((net, vec![pin]));
        }
        trees.insert(at, tree);
    }
    let drawn = trees.into_iter().filter(|(at, _)| !pieces[*at].1.is_empty()).map(|(at, mut tree)| {
        let (net, spots) = &pieces[at];
        // A pin by itself keeps its stub.
        if spots.len() > 1 {
            tree.prune(spots);
        }
        let mut drawn = tree.drawn(names[*net], spots);
        if let ([pin], true, None) = (&spots[..], drawn.wires.is_empty() && pins[net].len() > 1, drawn.ground_at) {
            // Not even a stub has room: the name stands at the pin.
            drawn.wires.push((*pin, *pin));
        }
        drawn
    });
    drawn.collect()
}

/// Pins in groups with an empty band of the drawing between them, from top to bottom.
fn apart(pins: &[Spot]) -> Vec<Vec<Spot>> {
    let mut sorted = pins.to_vec();
    sorted.sort_by_key(|spot| (spot.y, spot.x));
    let mut groups: Vec<Vec<Spot>> = Vec::new();
    for spot in sorted {
        match groups.last_mut() {
            Some(group) if group.last().is_some_and(|last| spot.y - last.y <= FAR) => group.push(spot),
            _ => groups.push(vec![spot]),
        }
    }
    groups
}

/// Grid edges a net occupies; each edge is stored with its lesser end first.
#[derive(Default)]
struct Tree {
    edges: BTreeSet<(Spot, Spot)>,
}

impl Tree {
    fn add(&mut self, a: Spot, b: Spot) {
        self.edges.insert((a.min(b), a.max(b)));
    }

    fn spots(&self) -> HashSet<Spot> {
        self.edges.iter().flat_map(|(a, b)| [*a, *b]).collect()
    }

    /// Takes away what leads to no pin, such as the end of a rail whose last pin has joined it on the way.
    fn prune(&mut self, pins: &[Spot]) {
        loop {
            let mut degree: HashMap<Spot, usize> = HashMap::new();
            self.edges.iter().flat_map(|(a, b)| [*a, *b]).for_each(|spot| *degree.entry(spot).or_default() += 1);
            let loose = |spot: &Spot| degree[spot] == 1 && !pins.contains(spot);
            let before = self.edges.len();
            self.edges.retain(|(a, b)| !loose(a) && !loose(b));
            if self.edges.len() == before {
                return;
            }
        }
    }

    fn drawn(&self, name: &str, pins: &[Spot]) -> DrawnNet {
        let mut degree: BTreeMap<Spot, usize> = BTreeMap::new();
        for spot in self.edges.iter().flat_map(|(a, b)| [*a, *b]).chain(pins.iter().copied()) {
            *degree.entry(spot).or_default() += 1;
        }
        let wires = self.straight_pieces();
        let junctions = degree.iter().filter(|(_, d)| **d >= 3).map(|(s, _)| *s).collect();
        let lowest = wires.iter().flat_map(|(a, b)| [*a, *b]).chain(pins.iter().copied());
        let ground_at = lowest.max_by_key(|s| (s.y, s.x)).filter(|_| is_ground(name));
        DrawnNet { net: name.to_owned(), figure: None, bare: false, wires, junctions, label_at: None, ground_at }
    }

    /// Edges joined into the longest straight lines.
    fn straight_pieces(&self) -> Vec<(Spot, Spot)> {
        let mut rest = self.edges.clone();
        let mut pieces = Vec::new();
        while let Some((start, mut end)) = rest.pop_first() {
            let (dx, dy) = (end.x - start.x, end.y - start.y);
            loop {
                let next = Spot { x: end.x + dx, y: end.y + dy };
                if !rest.remove(&(end, next)) {
                    break;
                }
                end = next;
            }
            pieces.push((start, end));
        }
        pieces
    }
}

struct Router {
    from: Spot,
    width: i32,
    height: i32,
    /// Squares covered by parts.
    blocked: Vec<bool>,
    /// Squares where texts would like to stand.
    text: Vec<bool>,
    /// Net whose pin lies on a square.
    pin_of: Vec<Option<usize>>,
    /// Net that runs level, and net that runs upright, through a square.
    level: Vec<Option<usize>>,
    upright: Vec<Option<usize>>,
    search: Search,
}

/// Costs found in one search, by square and direction. They are kept from search to search and told
/// apart by the number of the search, because clearing them would cost more than most searches do.
struct Search {
    number: u32,
    states: Vec<State>,
    /// Squares that end a search, by its number.
    ends: Vec<u32>,
}

#[derive(Clone, Copy)]
struct State {
    search: u32,
    cost: u32,
    came: usize,
}

impl Search {
    fn new(states: usize) -> Self {
        let state = State { search: 0, cost: 0, came: usize::MAX };
        Search { number: 0, states: vec![state; states], ends: vec![0; states / 2] }
    }

    fn begin(&mut self, ends: impl Iterator<Item = usize>) {
        self.number += 1;
        for square in ends {
            self.ends[square] = self.number;
        }
    }

    fn ends(&self, square: usize) -> bool {
        self.ends[square] == self.number
    }

    fn cost(&self, state: usize) -> u32 {
        let State { search, cost, .. } = self.states[state];
        if search == self.number { cost } else { u32::MAX }
    }

    fn reach(&mut self, state: usize, cost: u32, came: usize) {
        self.states[state] = State { search: self.number, cost, came };
    }
}

#[derive(Clone, Copy, PartialEq, Eq)]
enum Way {
    Level,
    Upright,
}

impl Router {
    /// An empty grid around the parts; none if that would be too large.
    fn new(supply: &Supply, parts: &[DrawnPart], pins: &BTreeMap<usize, Vec<Spot>>) -> Option<Self> {
        let all = parts.iter().flat_map(|p| p.pins.iter().map(|(_, s)| *s).chain([p.at]));
        let (mut from, mut to) = (Spot { x: 0, y: 0 }, Spot { x: 1, y: 1 });
        for (i, spot) in all.enumerate() {
            if i == 0 {
                (from, to) = (spot, spot);
            }
            from = Spot { x: from.x.min(spot.x), y: from.y.min(spot.y) };
            to = Spot { x: to.x.max(spot.x), y: to.y.max(spot.y) };
        }
        let from = Spot { x: from.x - MARGIN, y: from.y - MARGIN };
        let (width, height) = (to.x + MARGIN - from.x + 1, to.y + MARGIN - from.y + 1);
        if i64::from(width) * i64::from(height) > MOST_SQUARES {
            return None;
        }
        let size = (width * height) as usize;
        let mut router = Router {
            from,
            width,
            height,
            blocked: vec![false; size],
            text: vec![false; size],
            pin_of: vec![None; size],
            level: vec![None; size],
            upright: vec![None; size],
            search: Search::new(2 * size),
        };
        for (part, drawn) in supply.parts.iter().zip(parts) {
            let (w, h) = symbol(part.kind).body;
            let (w, h) = if drawn.turn % 180 == 0 { (w, h) } else { (h, w) };
            let (xs, ys) = (drawn.at.x - w..=drawn.at.x + w, drawn.at.y - h..=drawn.at.y + h);
            let body = xs.clone().flat_map(|x| ys.clone().map(move |y| Spot { x, y }));
            let leads = drawn.pins.iter().flat_map(|(_, pin)| lead(*pin, (&xs, &ys)));
            for square in body.chain(leads) {
                if let Some(i) = router.index(square) {
                    router.blocked[i] = true;
                }
            }
            // What is joined to nothing looks joined to a wire that passes.
            let open = |pin: &str| part.pins.get(pin).is_none_or(String::is_empty);
            for (_, spot) in drawn.pins.iter().filter(|(pin, _)| open(pin)) {
                if let Some(i) = router.index(*spot) {
                    router.pin_of[i] = Some(NOTHING);
                }
            }
            let (l, t, r, b) = text_of(drawn);
            for x in l.floor() as i32..=r.ceil() as i32 {
                for y in t.ceil() as i32..=b.floor() as i32 {
                    if let Some(i) = router.index(Spot { x, y }) {
                        router.text[i] = true;
                    }
                }
            }
        }
        for (net, spots) in pins {
            for spot in spots {
                if let Some(i) = router.index(*spot) {
                    router.pin_of[i] = Some(*net);
                }
            }
        }
        Some(router)
    }

    fn index(&self, spot: Spot) -> Option<usize> {
        let (x, y) = (spot.x - self.from.x, spot.y - self.from.y);
        ((0..self.width).contains(&x) && (0..self.height).contains(&y)).then(|| (y * self.width + x) as usize)
    }

    fn spot(&self, index: usize) -> Spot {
        let (x, y) = (index as i32 % self.width, index as i32 / self.width);
        Spot { x: self.from.x + x, y: self.from.y + y }
    }

    /// Whether a wire of `net` may lie on a square, going this way.
    fn free(&self, index: usize, net: usize, way: Way) -> bool {
        let along = match way {
            Way::Level => self.level[index],
            Way::Upright => self.upright[index],
        };
        !self.blocked[index]
            && self.pin_of[index].is_none_or(|owner| owner == net)
            && along.is_none_or(|owner| owner == net)
    }

    fn crosses(&self, index: usize, net: usize, way: Way) -> bool {
        let across = match way {
            Way::Level => self.upright[index],
            Way::Upright => self.level[index],
        };
        across.is_some_and(|owner| owner != net)
    }

    fn occupy(&mut self, tree: &mut Tree, net: usize, a: Spot, b: Spot) {
        tree.add(a, b);
        for spot in [a, b] {
            if let Some(i) = self.index(spot) {
                if a.y == b.y {
                    self.level[i] = Some(net);
                } else {
                    self.upright[i] = Some(net);
                }
            }
        }
    }

    /// Joins pins, and says which of them no wire can reach.
    fn connect(&mut self, net: usize, pins: &[Spot], ground: bool) -> (Tree, Vec<Spot>) {
        let (mut tree, mut left) = (Tree::default(), Vec::new());
        let mut waiting: Vec<Spot> = pins.to_vec();
        // A rail is what the pins join; without one the tree starts as one bare pin.
        let rail = pins.len() >= RAIL && self.rail(&mut tree, net, pins, ground);
        let first = if rail { None } else { waiting.pop() };
        while !waiting.is_empty() {
            let mut spots = tree.spots();
            spots.extend(first);
            let Some(next) = nearest(&waiting, &spots) else { break };
            let pin = waiting.swap_remove(next);
            if !spots.contains(&pin) && !self.join(&mut tree, net, pin, &spots) {
                left.push(pin);
            }
        }
        (tree, left)
    }

    /// A short wire away from a pin, the first way that is free.
    fn stub(&mut self, net: usize, pin: Spot) -> Tree {
        let mut tree = Tree::default();
        for (dx, dy, way) in [(0, -1, Way::Upright), (-1, 0, Way::Level), (1, 0, Way::Level), (0, 1, Way::Upright)] {
            let along = [1, 2].map(|k| Spot { x: pin.x + k * dx, y: pin.y + k * dy });
            let free = along.iter().all(|s| self.index(*s).is_some_and(|i| self.free(i, net, way)));
            let end = self.index(along[1]).filter(|end| free && !self.crosses(*end, net, way));
            if let Some(end) = end {
                self.occupy(&mut tree, net, pin, along[0]);
                self.occupy(&mut tree, net, along[0], along[1]);
                // Where it ends no other may pass: it would look joined.
                (self.level[end], self.upright[end]) = (Some(net), Some(net));
                break;
            }
        }
        tree
    }

    /// Lays a straight line along all pins: at the first free height beyond them, or between them where
    /// that is much nearer, as the middle of two rails is. False if no height is free.
    fn rail(&mut self, tree: &mut Tree, net: usize, pins: &[Spot], below: bool) -> bool {
        let (left, right) = (pins.iter().map(|p| p.x).min(), pins.iter().map(|p| p.x).max());
        let (top, bottom) = (pins.iter().map(|p| p.y).min(), pins.iter().map(|p| p.y).max());
        let (Some(left), Some(right), Some(top), Some(bottom)) = (left, right, top, bottom) else { return false };
        let clear = |y: &i32| {
            (left..=right).all(|x| self.index(Spot { x, y: *y }).is_some_and(|i| self.free(i, net, Way::Level)))
        };
        let away = |y: i32| pins.iter().map(|p| (p.y - y).abs()).sum::<i32>();
        let beyond = (0..=MARGIN).map(|k| if below { bottom + k } else { top - k }).find(clear);
        let between = (top..=bottom).filter(clear).min_by_key(|y| away(*y));
        let chosen = match (beyond, between) {
            (Some(beyond), Some(between)) if NEARER * away(between) < away(beyond) => Some(between),
            (beyond, between) => beyond.or(between),
        };
        let Some(y) = chosen else { return false };
        for x in left..right {
            self.occupy(tree, net, Spot { x, y }, Spot { x: x + 1, y });
        }
        pins.iter().for_each(|pin| self.drop(tree, net, *pin, y));
        true
    }

    /// A straight wire from a pin to its rail, if nothing is in its way.
    fn drop(&mut self, tree: &mut Tree, net: usize, pin: Spot, rail: i32) {
        let spot = |y: i32| Spot { x: pin.x, y };
        let clear = |y: i32| {
            let free = |i: usize| {
                (y == pin.y || !self.text[i]) && self.free(i, net, Way::Upright) && !self.crosses(i, net, Way::Upright)
            };
            self.index(spot(y)).is_some_and(free)
        };
        let (top, bottom) = (pin.y.min(rail), pin.y.max(rail));
        if (top..=bottom).all(clear) {
            (top..bottom).for_each(|y| self.occupy(tree, net, spot(y), spot(y + 1)));
        }
    }

    /// Joins a pin to the nearest of `targets` by the cheapest path (A* over squares and directions, led by
    /// the distance to the rectangle around the targets); false if there is no way around the parts.
    fn join(&mut self, tree: &mut Tree, net: usize, pin: Spot, targets: &HashSet<Spot>) -> bool {
        let Some(start) = self.index(pin) else { return false };
        let ends: Vec<usize> = targets.iter().filter_map(|spot| self.index(*spot)).collect();
        self.search.begin(ends.into_iter());
        let around = Around::new(targets, pin);
        let mut queue = BinaryHeap::new();
        for way in 0..2 {
            self.search.reach(2 * start + way, 0, usize::MAX);
            queue.push((std::cmp::Reverse(around.distance(pin)), 2 * start + way));
        }
        let mut found = None;
        while let Some((std::cmp::Reverse(least), state)) = queue.pop() {
            let here = self.spot(state / 2);
            let so_far = self.search.cost(state);
            if least > so_far + around.distance(here) {
                continue;
            }
            if self.search.ends(state / 2) {
                found = Some(state);
                break;
            }
            for (dx, dy, way) in [(1, 0, Way::Level), (-1, 0, Way::Level), (0, 1, Way::Upright), (0, -1, Way::Upright)]
            {
                let there = Spot { x: here.x + dx, y: here.y + dy };
                let Some(next) = self.index(there) else { continue };
                if !self.free(next, net, way) || !(self.free(state / 2, net, way) || state / 2 == start) {
                    continue;
                }
                let side = usize::from(way == Way::Upright);
                let bend = if state % 2 == side { 0 } else { BEND };
                let crossing = if self.crosses(next, net, way) { CROSSING } else { 0 };
                // A bend where another net passes would look like a joint.
                if bend > 0 && self.crosses(state / 2, net, way) {
                    continue;
                }
                let text = if self.text[next] { TEXT } else { 0 };
                let total = so_far + STEP + bend + crossing + text;
                let state_next = 2 * next + side;
                if total < self.search.cost(state_next) {
                    self.search.reach(state_next, total, state);
                    queue.push((std::cmp::Reverse(total + around.distance(there)), state_next));
                }
            }
        }
        let Some(mut state) = found else { return false };
        while self.search.states[state].came != usize::MAX {
            let before = self.search.states[state].came;
            self.occupy(tree, net, self.spot(before / 2), self.spot(state / 2));
            state = before;
        }
        true
    }
}

/// The squares of a lead between its pin and its part's body, which no wire may cross either.
fn lead(pin: Spot, (xs, ys): (&RangeInclusive<i32>, &RangeInclusive<i32>)) -> impl Iterator<Item = Spot> + use<> {
    let toward = |at: i32, range: &RangeInclusive<i32>| at.clamp(*range.start(), *range.end());
    let body = Spot { x: toward(pin.x, xs), y: toward(pin.y, ys) };
    // A pin beside no side of the body has no straight lead.
    let straight = body.x == pin.x || body.y == pin.y;
    let (dx, dy) = ((body.x - pin.x).signum(), (body.y - pin.y).signum());
    let length = if straight { (body.x - pin.x).abs() + (body.y - pin.y).abs() } else { 0 };
    (1..length).map(move |k| Spot { x: pin.x + k * dx, y: pin.y + k * dy })
}

/// The rectangle around some squares.
struct Around {
    from: Spot,
    to: Spot,
}

impl Around {
    fn new(spots: &HashSet<Spot>, otherwise: Spot) -> Self {
        let mut all = spots.iter();
        let first = *all.next().unwrap_or(&otherwise);
        all.fold(Around { from: first, to: first }, |a, s| Around {
            from: Spot { x: a.from.x.min(s.x), y: a.from.y.min(s.y) },
            to: Spot { x: a.to.x.max(s.x), y: a.to.y.max(s.y) },
        })
    }

    /// Squares from a spot to the rectangle; no path there is shorter.
    fn distance(&self, s: Spot) -> u32 {
        let beyond = |at: i32, from: i32, to: i32| (from - at).max(at - to).max(0);
        (beyond(s.x, self.from.x, self.to.x) + beyond(s.y, self.from.y, self.to.y)) as u32 * STEP
    }
}

fn distance(a: Spot, b: Spot) -> i32 {
    (a.x - b.x).abs() + (a.y - b.y).abs()
}

/// Index of the waiting pin nearest to the tree; ties go to the first.
fn nearest(waiting: &[Spot], tree: &HashSet<Spot>) -> Option<usize> {
    let to_tree = |pin: Spot| tree.iter().map(|t| distance(*t, pin)).min().unwrap_or(i32::MAX);
    (0..waiting.len()).min_by_key(|&i| (to_tree(waiting[i]), i))
}
