//! What wires between pins will about look like, without a search for their ways.

use super::pose::Rect;

/// A straight wire, as a rectangle without width or without height.
pub(super) type Wire = Rect;

fn wire((ax, ay): (i32, i32), (bx, by): (i32, i32)) -> Wire {
    Rect { left: ax.min(bx), top: ay.min(by), right: ax.max(bx), bottom: ay.max(by) }
}

/// A pin as a wire sees it: its spot, and the body it must not run into.
#[derive(Clone, Copy, Debug)]
pub(super) struct Pin {
    pub(super) at: (i32, i32),
    pub(super) body: Rect,
}

impl Pin {
    /// Whether a wire that leaves in a direction runs into the part.
    fn blocked(&self, (dx, dy): (i32, i32)) -> bool {
        let (x, y) = (self.at.0 + dx, self.at.1 + dy);
        (self.body.left..=self.body.right).contains(&x) && (self.body.top..=self.body.bottom).contains(&y)
    }
}

/// Costs of a bend, and of having to go around the part a wire comes from.
const BEND: f64 = 4.0;
const AROUND: f64 = 9.0;
/// Pins from which on the router draws a rail, and squares it keeps between pins and rail.
const RAIL: usize = 4;
/// Rows between pins over which the router draws no wire, and what it costs that a net falls apart there.
const FAR: i32 = 14;
const TORN: f64 = 40.0;
/// Squares a wire to the reference goes down.
const DROP: i32 = 2;

/// Cost of a net's wires by themselves; the wires are added to `wires`.
pub(super) fn estimate(pins: &[Pin], ground: bool, wires: &mut Vec<Wire>) -> f64 {
    if ground {
        return pins.iter().map(|pin| drop_of(pin, wires)).sum();
    }
    if pins.len() >= RAIL { rail(pins, wires) } else { tree(pins, wires) }
}

fn drop_of(pin: &Pin, wires: &mut Vec<Wire>) -> f64 {
    let (x, y) = pin.at;
    wires.push(wire((x, y), (x, y + DROP)));
    if pin.blocked((0, 1)) { AROUND } else { 0.0 }
}

/// A level line above all pins, or among them where that is much nearer.
fn rail(pins: &[Pin], wires: &mut Vec<Wire>) -> f64 {
    let away = |y: i32| pins.iter().map(|p| (p.at.1 - y).abs()).sum::<i32>();
    let top = pins.iter().map(|p| p.at.1).min().unwrap_or(0);
    let between = pins.iter().map(|p| p.at.1).min_by_key(|y| (away(*y), *y)).unwrap_or(top);
    let y = if 2 * away(between) < away(top) { between } else { top };
    let (left, right) = pins.iter().fold((i32::MAX, i32::MIN), |(l, r), p| (l.min(p.at.0), r.max(p.at.0)));
    let along = wire((left, y), (right, y));
    let mut cost = f64::from(right - left);
    wires.push(along);
    for pin in pins {
        let (x, from) = pin.at;
        let down = (y - from).signum();
        let into = down != 0 && pin.blocked((0, down));
        // At the height of the rail a level part is in its way.
        let within = left < x && x < right;
        let through = down == 0 && within && (pin.blocked((-1, 0)) || pin.blocked((1, 0)));
        cost += f64::from((from - y).abs()) + if into || through { AROUND } else { 0.0 };
        if down != 0 {
            wires.push(wire((x, from), (x, y)));
        }
    }
    cost
}

/// Pins joined one after the other, the nearest first.
fn tree(pins: &[Pin], wires: &mut Vec<Wire>) -> f64 {
    let apart = |a: &Pin, b: &Pin| (a.at.0 - b.at.0).abs() + (a.at.1 - b.at.1).abs();
    let mut waiting: Vec<&Pin> = pins.iter().collect();
    let Some(first) = waiting.pop() else { return 0.0 };
    let mut joined = vec![first];
    let mut cost = 0.0;
    while !waiting.is_empty() {
        let pairs = joined.iter().flat_map(|j| waiting.iter().enumerate().map(move |(k, w)| (apart(j, w), *j, k)));
        let Some((_, from, k)) = pairs.min_by_key(|(d, ..)| *d) else { break };
        let to = waiting.swap_remove(k);
        cost += join(from, to, wires);
        joined.push(to);
    }
    cost
}

/// The cheaper of the two ways with one bend between pins, or the straight one.
fn join(a: &Pin, b: &Pin, wires: &mut Vec<Wire>) -> f64 {
    let ((ax, ay), (bx, by)) = (a.at, b.at);
    let (dx, dy) = ((bx - ax).signum(), (by - ay).signum());
    let leaving = |pin: &Pin, way: (i32, i32)| if pin.blocked(way) { AROUND } else { 0.0 };
    let torn = if (ay - by).abs() > FAR { TORN } else { 0.0 };
    let length = f64::from((ax - bx).abs() + (ay - by).abs()) + torn;
    if dx == 0 || dy == 0 {
        if length > 0.0 {
            wires.push(wire(a.at, b.at));
        }
        return length + leaving(a, (dx, dy)) + leaving(b, (-dx, -dy));
    }
    let level_first = leaving(a, (dx, 0)) + leaving(b, (0, -dy));
    let upright_first = leaving(a, (0, dy)) + leaving(b, (-dx, 0));
    let corner = if level_first <= upright_first { (bx, ay) } else { (ax, by) };
    wires.push(wire(a.at, corner));
    wires.push(wire(corner, b.at));
    length + BEND + level_first.min(upright_first)
}
