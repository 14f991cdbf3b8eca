use crate::drawn::{DrawnNet, DrawnPart, Lettering, PlacedText, Spot, is_ground};
use crate::frame::{Box, Frame};
use crate::symbol;
use circuit::Part;
use circuit::kinds::Form;
use quantity::show;
use std::collections::{HashMap, HashSet};

/// Designator and headline values of a part; values as typed if they cannot be evaluated.
pub(crate) fn label(part: &Part, values: Option<&[f64]>) -> Vec<String> {
    let mut lines = vec![part.id.clone()];
    let kind = part.kind.kind();
    for (index, parameter) in kind.parameters.iter().enumerate().filter(|(_, p)| p.headline) {
        let Form::Quantity { unit, meant_as, .. } = &parameter.form else { continue };
        let shown = match values.and_then(|v| v.get(index)) {
            Some(value) => show(*value, *unit, 4),
            None => part.parameters.get(parameter.id).cloned().unwrap_or_default(),
        };
        // An amplitude is never bare: RMS, peak or peak-to-peak stands with it.
        let meant = meant_as.and_then(|choice| {
            let index = kind.parameter(choice)?;
            let Form::Choice { options, default } = &kind.parameters[index].form else { return None };
            let chosen = part.parameters.get(choice).map_or(*default, String::as_str);
            options.iter().find(|(id, _)| *id == chosen).map(|(_, name)| *name)
        });
        lines.push(match meant {
            Some(meant) => format!("{shown} {meant}"),
            None => shown,
        });
    }
    lines
}

/// Sizes beside the usual one that texts are placed for, so that they can be read where the drawing
/// stands small.
pub(crate) const LARGER: [f64; 5] = [1.2, 1.45, 1.75, 2.1, 2.5];

/// Room a character and a line take, in grid squares.
const CHARACTER: f64 = 0.72;
pub(crate) const LINE: f64 = 1.25;
/// Height of a text above its base line, and free room kept around it.
const ASCENT: f64 = 0.9;
const AIR: f64 = 0.4;
/// Room to the left and right of a net's name; less than it keeps from an upright wire.
const APART: f64 = 0.25;

pub(crate) fn overlap(a: Box, b: Box) -> bool {
    a.0 < b.2 && b.0 < a.2 && a.1 < b.3 && b.1 < a.3
}

fn width(lines: &[impl AsRef<str>], size: f64) -> f64 {
    size * CHARACTER * lines.iter().map(|l| l.as_ref().chars().count()).max().unwrap_or(0) as f64
}

fn text_box((x, y): (f64, f64), lines: &[impl AsRef<str>], size: f64) -> Box {
    let more = LINE * (lines.len() as f64 - 1.0);
    (x, y - size * ASCENT, x + width(lines, size), y + size * (more + 0.2))
}

pub(crate) fn wire_box((a, b): (Spot, Spot)) -> Box {
    (f64::from(a.x) - 0.1, f64::from(a.y) - 0.1, f64::from(b.x) + 0.1, f64::from(b.y) + 0.1)
}

/// What a part itself covers, its leads included.
pub(crate) fn solid(part: &DrawnPart) -> Box {
    let (w, h) = symbol(part.kind).body;
    let (w, h) = if part.turn % 180 == 0 { (w, h) } else { (h, w) };
    let spots = part
        .pins
        .iter()
        .map(|(_, s)| (s.x, s.y))
        .chain([(part.at.x - w, part.at.y - h), (part.at.x + w, part.at.y + h)]);
    let start = (i32::MAX, i32::MAX, i32::MIN, i32::MIN);
    let (l, t, r, b) = spots.fold(start, |(l, t, r, b), (x, y)| (l.min(x), t.min(y), r.max(x), b.max(y)));
    (f64::from(l), f64::from(t), f64::from(r), f64::from(b))
}

/// Places for lines of a part's text, the usual one first: beside upright parts, above others.
fn places(part: &DrawnPart, lines: &[String], size: f64) -> Vec<(f64, f64)> {
    let (l, t, r, b) = solid(part);
    let (w, more) = (width(lines, size), size * LINE * (lines.len() as f64 - 1.0));
    let (x, middle) = (f64::from(part.at.x), f64::from(part.at.y) + 0.4 * size - 0.5 * more);
    let beside = [
        (r + 0.6, middle),
        (l - 1.0 - w, middle),
        (r + 0.6, middle - 1.2),
        (r + 0.6, middle + 1.2),
        (l - 1.0 - w, middle - 1.2),
        (l - 1.0 - w, middle + 1.2),
        (r + 0.3, middle),
        (l - 0.5 - w, middle),
    ];
    let (over, under) = (t - AIR - more, b + AIR + size * ASCENT);
    let level = [
        (l, over),
        (x - 0.5 * w, over),
        (r - w, over),
        (l, under),
        (x - 0.5 * w, under),
        (r - w, under),
        (x + 0.4, over),
        (x - 0.4 - w, over),
        (x + 0.4, under),
        (x - 0.4 - w, under),
        (x + 0.4, over - size * LINE),
        (x - 0.4 - w, over - size * LINE),
    ];
    let upright_two_pins = part.pins.len() == 2 && part.turn % 180 == 0;
    if upright_two_pins { [&beside[..], &level[..]].concat() } else { [&level[..], &beside[..]].concat() }
}

/// Half squares a text may stand from a part's corners where none of the usual places is free.
const FARTHEST: i32 = 6;

/// Places around a part, those next to it first.
fn near(part: &DrawnPart, lines: &[String], size: f64) -> Vec<(f64, f64)> {
    let (l, t, r, b) = solid(part);
    let (w, more) = (width(lines, size), size * LINE * (lines.len() as f64 - 1.0));
    let steps = |from: f64, to: f64| (0..).map(move |k| from + 0.5 * f64::from(k)).take_while(move |at| *at <= to);
    let mut found = Vec::new();
    for k in 0..=FARTHEST {
        let off = 0.5 * f64::from(k);
        let (left, right) = (l - 0.4 - w - off, r + 0.3 + off);
        let (over, under) = (t - AIR - more - off, b + AIR + size * ASCENT + off);
        found.extend(steps(over, under).flat_map(|y| [(left, y), (right, y)]));
        found.extend(steps(left, right).flat_map(|x| [(x, over), (x, under)]));
    }
    found
}

/// Where a part's text stands unless something is in the way.
pub(crate) fn usual_place(part: &DrawnPart) -> (f64, f64) {
    places(part, &part.label, 1.0)[0]
}

/// What a part's text covers where it stands.
pub(crate) fn text_of(part: &DrawnPart) -> Box {
    text_box(part.label_at, &part.label, 1.0)
}

/// What a note covers.
pub(crate) fn room_of(note: &crate::DrawnNote) -> Box {
    text_box((f64::from(note.at.x), f64::from(note.at.y)), &note.lines, 1.0)
}

/// What a net's name covers.
pub(crate) fn name_of(net: &DrawnNet) -> Option<Box> {
    Some(text_box(net.label_at?, &[net.text()], 1.0))
}

/// What is covered, sorted into cells so that a place is held against its neighbourhood alone.
#[derive(Default)]
struct Taken {
    cells: HashMap<(i32, i32), Vec<Box>>,
}

/// Grid squares along a side of a cell.
const CELL: f64 = 8.0;

impl Taken {
    fn cells((left, top, right, bottom): Box) -> impl Iterator<Item = (i32, i32)> {
        let cell = |at: f64| (at / CELL).floor() as i32;
        let rows = cell(top)..=cell(bottom);
        (cell(left)..=cell(right)).flat_map(move |x| rows.clone().map(move |y| (x, y)))
    }

    fn add(&mut self, covered: Box) {
        for cell in Self::cells(covered) {
            self.cells.entry(cell).or_default().push(covered);
        }
    }

    fn free(&self, wanted: Box) -> bool {
        let there = Self::cells(wanted).filter_map(|cell| self.cells.get(&cell)).flatten();
        !there.into_iter().any(|other| overlap(wanted, *other))
    }
}

/// What parts and wires cover.
fn drawn(parts: &[DrawnPart], nets: &[DrawnNet]) -> Taken {
    let mut taken = Taken::default();
    parts.iter().for_each(|part| taken.add(solid(part)));
    for net in nets {
        net.wires.iter().for_each(|wire| taken.add(wire_box(*wire)));
        if let Some(at) = net.ground_at {
            let (x, y) = (f64::from(at.x), f64::from(at.y));
            taken.add((x - 1.0, y, x + 1.0, y + 2.0));
        }
    }
    taken
}

/// A box with room to its left and right: side by side, two texts would read as one.
fn apart((l, t, r, b): Box, by: f64) -> Box {
    (l - by, t, r + by, b)
}

/// Where lines of a part's text cover nothing and keep so far apart from what is beside them.
fn room(part: &DrawnPart, lines: &[String], size: f64, by: f64, taken: &Taken) -> Option<(f64, f64)> {
    let wanted = places(part, lines, size).into_iter().chain(near(part, lines, size));
    wanted.into_iter().find(|at| taken.free(apart(text_box(*at, lines, size), by)))
}

/// Nets drawn in several pieces, which only their names join.
fn in_pieces(nets: &[DrawnNet]) -> HashSet<&str> {
    let mut seen = HashSet::new();
    nets.iter().map(|net| net.net.as_str()).filter(|name| !seen.insert(*name)).collect()
}

/// Where the name of a net covers nothing; a net without room for it goes without, unless it needs it. A name may stand without its
/// figure (`bare`).
fn name(net: &DrawnNet, bare: bool, size: f64, needs: bool, taken: &mut Taken) -> Option<(f64, f64)> {
    if is_ground(&net.net) {
        return None;
    }
    let name = [net.lettered(bare)];
    let free = |by: f64| names(net, &name, size).find(|at| taken.free(apart(text_box(*at, &name, size), by)));
    let at = free(size * APART);
    let at = if needs { at.or_else(|| free(0.0)).or_else(|| names(net, &name, size).next()) } else { at }?;
    taken.add(text_box(at, &name, size));
    Some(at)
}

/// Where the name of a net with a figure stands, and whether it stands without that: the name is worth more.
fn with_figure(net: &DrawnNet, size: f64, needs: bool, taken: &mut Taken) -> (Option<(f64, f64)>, bool) {
    match name(net, false, size, false, taken) {
        Some(at) => (Some(at), false),
        None => (name(net, true, size, needs, taken), true),
    }
}

/// Puts the texts of parts and the names of nets where they cover nothing.
pub(crate) fn place(parts: &mut [DrawnPart], nets: &mut [DrawnNet]) {
    let mut taken = drawn(parts, nets);
    // A net has fewer places for its figure than a part for its text.
    for net in nets.iter_mut().filter(|net| net.figure.is_some()) {
        (net.label_at, net.bare) = with_figure(net, 1.0, false, &mut taken);
    }
    for part in parts.iter_mut() {
        part.label_at = room(part, &part.label, 1.0, 0.0, &taken).unwrap_or(part.label_at);
        taken.add(text_of(part));
    }
    let needed = in_pieces(nets).into_iter().map(str::to_owned).collect::<HashSet<_>>();
    for net in nets.iter_mut().filter(|net| net.label_at.is_none()) {
        net.label_at = name(net, net.bare, 1.0, needed.contains(&net.net), &mut taken);
    }
}

/// Places for all texts at a larger size. Where there is no room for all of a part's text its designator stands
/// alone, and where there is none for that either it is left out.
pub(crate) fn lettering(parts: &[DrawnPart], nets: &[DrawnNet], size: f64, frame: Frame) -> Lettering {
    let mut taken = drawn(parts, nets);
    // Without its name a piece of a net would be any net's.
    let needed = in_pieces(nets);
    let mut bare = Vec::new();
    let first = nets.iter().enumerate().map(|(place, net)| {
        let needs = needed.contains(net.net.as_str());
        if net.figure.is_none() {
            return needs.then(|| name(net, true, size, true, &mut taken));
        }
        let (at, without) = with_figure(net, size, needs, &mut taken);
        bare.extend(without.then_some(place));
        Some(at)
    });
    let first: Vec<Option<Option<(f64, f64)>>> = first.collect();
    let mut placed = |part: &DrawnPart, lines: usize| {
        let at = room(part, &part.label[..lines], size, size * APART, &taken);
        // A designator alone may stand closer to what is beside it.
        let at = at.or_else(|| if lines == 1 { room(part, &part.label[..1], size, 0.0, &taken) } else { None })?;
        taken.add(text_box(at, &part.label[..lines], size));
        Some(PlacedText { at, lines })
    };
    let mut texts: Vec<_> = parts.iter().map(|part| placed(part, part.label.len())).collect();
    for (part, text) in parts.iter().zip(&mut texts).filter(|(_, text)| text.is_none()) {
        *text = placed(part, 1);
    }
    let rest = first.into_iter().zip(nets);
    let named: Vec<_> = rest.map(|(at, net)| at.unwrap_or_else(|| name(net, true, size, false, &mut taken))).collect();
    let covered = parts.iter().zip(&texts).filter_map(|(part, text)| {
        let PlacedText { at, lines } = text.as_ref()?;
        Some(text_box(*at, &part.label[..*lines], size))
    });
    let names = nets
        .iter()
        .zip(&named)
        .enumerate()
        .filter_map(|(place, (net, at))| Some(text_box((*at)?, &[net.lettered(bare.contains(&place))], size)));
    let (from, to) = frame.around(covered.chain(names)).corners();
    Lettering { size, from, to, parts: texts, nets: named, bare }
}

/// Places for a net's name: over and under its level wires, the longest first, then beside upright ones.
fn names(net: &DrawnNet, text: &[String], size: f64) -> impl Iterator<Item = (f64, f64)> + use<> {
    let w = width(text, size);
    let sorted = |level: bool| {
        let mut wires: Vec<(Spot, Spot)> = net.wires.iter().copied().filter(|(a, b)| (a.y == b.y) == level).collect();
        wires.sort_by_key(|(a, b)| (a.x - b.x + a.y - b.y, a.y, a.x));
        wires
    };
    let halves = |from: i32, to: i32| (2 * from + 1..2 * to).map(|half| f64::from(half) / 2.0);
    let level = sorted(true).into_iter().flat_map(move |(a, b)| {
        let y = f64::from(a.y);
        [y - AIR, y + AIR + size * ASCENT].into_iter().flat_map(move |y| halves(a.x, b.x).map(move |x| (x, y)))
    });
    let upright = sorted(false).into_iter().flat_map(move |(a, b)| {
        let x = f64::from(a.x);
        [x + AIR, x - AIR - w].into_iter().flat_map(move |x| halves(a.y, b.y).map(move |y| (x, y + size * AIR)))
    });
    // A pin without room for a wire: beside it.
    let bare = net.wires.first().filter(|(a, b)| a == b).into_iter().flat_map(move |(pin, _)| {
        let (x, y) = (f64::from(pin.x), f64::from(pin.y));
        [
            (x + AIR, y - AIR),
            (x - AIR - w, y - AIR),
            (x + AIR, y + AIR + size * ASCENT),
            (x - AIR - w, y + AIR + size * ASCENT),
        ]
    });
    let bare: Vec<(f64, f64)> = bare.collect();
    level.chain(upright).chain(bare)
}
