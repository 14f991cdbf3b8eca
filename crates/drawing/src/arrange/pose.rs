//! The ways a part can stand, and what each costs by a draftsman's habits (common practice).

use super::flow::{Flow, feeds};
use crate::drawn::DrawnPart;
use crate::{labels, symbol};
use circuit::{KindId, Turn};

/// Left, top, right, bottom, in grid squares.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(super) struct Rect {
    pub(super) left: i32,
    pub(super) top: i32,
    pub(super) right: i32,
    pub(super) bottom: i32,
}

impl Rect {
    pub(super) fn at(self, (x, y): (i32, i32)) -> Self {
        Rect { left: self.left + x, top: self.top + y, right: self.right + x, bottom: self.bottom + y }
    }

    fn grown(self, by: i32) -> Self {
        Rect { left: self.left - by, top: self.top - by, right: self.right + by, bottom: self.bottom + by }
    }

    pub(super) fn around(self, other: Self) -> Self {
        Rect {
            left: self.left.min(other.left),
            top: self.top.min(other.top),
            right: self.right.max(other.right),
            bottom: self.bottom.max(other.bottom),
        }
    }

    /// Whether two rectangles share anything, their borders included.
    pub(super) fn touches(self, other: Self) -> bool {
        self.left <= other.right && other.left <= self.right && self.top <= other.bottom && other.top <= self.bottom
    }

    /// Squares two rectangles have in common.
    pub(super) fn common(self, other: Self) -> i32 {
        let w = self.right.min(other.right) - self.left.max(other.left);
        let h = self.bottom.min(other.bottom) - self.top.max(other.top);
        if w > 0 && h > 0 { w * h } else { 0 }
    }
}

/// One way a part can stand, around its own origin.
#[derive(Clone, Debug)]
pub(super) struct Pose {
    pub(super) turn: Turn,
    pub(super) mirror: bool,
    pub(super) pins: Vec<(i32, i32)>,
    /// What no wire may pass.
    pub(super) body: Rect,
    /// The body with its leads.
    pub(super) solid: Rect,
    /// The body with room for wires around it.
    pub(super) room: Rect,
    /// Where its text would like to stand.
    pub(super) text: Rect,
    /// All of it.
    pub(super) hull: Rect,
    /// What it costs to stand like this.
    pub(super) awkward: f64,
}

/// Weight of habits against lengths and bends of wires.
const HABIT: f64 = 1.8;

pub(super) const TURNS: [Turn; 4] = [Turn::None, Turn::Quarter, Turn::Half, Turn::ThreeQuarters];

impl Pose {
    /// A way to stand of a part drawn at the origin.
    pub(super) fn of(drawn: &DrawnPart, turn: Turn, nets: &[Option<usize>], flow: &Flow) -> Self {
        let (w, h) = symbol(drawn.kind).body;
        let (w, h) = if drawn.turn % 180 == 0 { (w, h) } else { (h, w) };
        let body = Rect { left: -w, top: -h, right: w, bottom: h };
        let (l, t, r, b) = labels::solid(drawn);
        let solid = Rect { left: l as i32, top: t as i32, right: r as i32, bottom: b as i32 };
        let (l, t, r, b) = labels::text_of(drawn);
        let text =
            Rect { left: l.floor() as i32, top: t.floor() as i32, right: r.ceil() as i32, bottom: b.ceil() as i32 };
        let pins: Vec<(i32, i32)> = drawn.pins.iter().map(|(_, s)| (s.x, s.y)).collect();
        let mut pose = Pose {
            turn,
            mirror: drawn.mirror,
            pins,
            body,
            solid,
            room: solid.grown(1),
            text,
            hull: solid.grown(1).around(text),
            awkward: 0.0,
        };
        pose.awkward = HABIT * (pose.grounds(drawn.kind, nets, flow) + pose.habit(drawn.kind, nets, flow));
        pose
    }

    /// The reference hangs below.
    fn grounds(&self, kind: KindId, nets: &[Option<usize>], flow: &Flow) -> f64 {
        let cost = |(k, net): (usize, &Option<usize>)| {
            if net.is_none() || *net != flow.ground {
                return 0.0;
            }
            let (_, y) = self.pins[k];
            // What is positive on the reference belongs beneath it: a negative supply, its capacitors and diodes.
            let beneath = k == 0 && self.pins.len() == 2 && !matches!(kind, KindId::Resistor | KindId::Inductor);
            match y {
                y if y >= self.body.bottom.min(2) && y > 0 => 0.0,
                y if y < 0 && beneath => 1.0,
                y if y < 0 => 6.0,
                _ => 3.0,
            }
        };
        nets.iter().enumerate().map(cost).sum()
    }

    fn habit(&self, kind: KindId, nets: &[Option<usize>], flow: &Flow) -> f64 {
        let depth =
            |pin: usize| nets.get(pin).copied().flatten().filter(|n| Some(*n) != flow.ground).map(|n| flow.depth[n]);
        let mirrored = if self.mirror { 0.3 } else { 0.0 };
        match kind {
            KindId::Npn | KindId::MosfetN => self.transistor(0, depth(0), depth(2)),
            KindId::Pnp | KindId::MosfetP => self.transistor(2, depth(2), depth(0)),
            KindId::ShuntReference => mirrored + if self.turn == Turn::None { 0.0 } else { 6.0 },
            KindId::SeriesReference | KindId::Regulator => self.standing(4.0, 12.0, 12.0),
            KindId::Amplifier | KindId::Comparator => self.standing(3.0, 0.7, 10.0),
            kind if kind.is_control() => self.standing(3.0, 12.0, 12.0),
            KindId::ThreePhaseSource => self.standing(6.0, 9.0, 12.0),
            _ if self.pins.len() == 2 => self.two_pins(kind, depth(0), depth(1)),
            // What a winding feeds stands on its other side, away from the source.
            _ if kind.kind().pins.first().is_some_and(|pin| pin.id == "p1") => {
                let nearest = |pins: std::ops::Range<usize>| pins.filter_map(depth).min().unwrap_or(usize::MAX);
                let backwards = nearest(0..2) > nearest(2..self.pins.len());
                if backwards == self.mirror {
                    self.standing(0.0, 1.5, 12.0)
                } else {
                    8.0 + self.standing(0.0, 1.5, 12.0)
                }
            }
            _ => self.standing(2.0, 1.5, 12.0),
        }
    }

    /// What stands as its symbol is defined: mirrored, upside down, or lying.
    fn standing(&self, mirrored: f64, upside_down: f64, lying: f64) -> f64 {
        match (self.turn, self.mirror) {
            (Turn::None, false) => 0.0,
            (Turn::None, true) => mirrored,
            (Turn::Half, true) => upside_down,
            (Turn::Half, false) => mirrored + upside_down,
            _ => lying,
        }
    }

    /// Current goes down through a transistor, or to the right where it lies in the path of power.
    fn transistor(&self, upper: usize, from: Option<usize>, to: Option<usize>) -> f64 {
        let lower = 2 - upper;
        let ((ux, uy), (lx, _), (bx, by)) = (self.pins[upper], self.pins[lower], self.pins[1]);
        if ux == lx {
            return if uy < 0 { 0.0 } else { 5.0 } + if bx > 0 { 0.3 } else { 0.0 };
        }
        let series = matches!((from, to), (Some(a), Some(b)) if a != b);
        let along = if ux < lx { 0.0 } else { 3.0 };
        let control = if by > 0 { 0.0 } else { 0.5 };
        along + control + if series { 1.5 } else { 4.0 }
    }

    /// `first` and `second` are how far the nets lie behind the sources; none for the reference.
    fn two_pins(&self, kind: KindId, first: Option<usize>, second: Option<usize>) -> f64 {
        let ((ax, ay), _) = (self.pins[0], self.pins[1]);
        let (upright, first_up, first_left) = (ax == 0, ay < 0, ax < 0);
        let source = feeds(kind) || kind == KindId::CurrentSource;
        let load = matches!(kind, KindId::CurrentLoad | KindId::PowerLoad | KindId::SteppedLoad);
        if !upright && (source || load) {
            return 6.0;
        }
        let (Some(a), Some(b)) = (first, second) else {
            // Which end is down was judged by the reference.
            return if upright { 0.0 } else { 2.0 };
        };
        if source {
            return if first_up { 0.0 } else { 5.0 };
        }
        let diode = matches!(kind, KindId::Diode | KindId::Schottky | KindId::Zener);
        let behind = b as f64 - a as f64;
        match (upright, diode) {
            // The first pin is the anode; a rectifier's cathode points up, to its positive rail.
            (true, true) => {
                if first_up {
                    3.0
                } else {
                    0.0
                }
            }
            (true, false) => {
                let wrong = if first_up { behind < 0.0 } else { behind > 0.0 };
                let series = if behind == 0.0 { 0.0 } else { 1.0 };
                series + if wrong { 3.0 } else { 0.0 } + if first_up { 0.0 } else { 0.2 }
            }
            (false, _) => {
                let wrong = if first_left { behind < 0.0 } else { behind > 0.0 };
                let across = if behind == 0.0 { 1.5 } else { 0.0 };
                across + if wrong { 4.0 } else { 0.0 } + if diode && !first_left && behind == 0.0 { 2.0 } else { 0.0 }
            }
        }
    }
}
