use crate::drawn::{DrawnNet, DrawnPart, Spot, is_ground};
use crate::symbol;
use circuit::Part;
use circuit::kinds::Form;
use quantity::show;
use std::collections::HashMap;

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

/// Room a character and a line take, in grid squares.
const CHARACTER: f64 = 0.72;
pub(crate) const LINE: f64 = 1.25;
/// Height of a text above its base line, and free room kept around it.
const ASCENT: f64 = 0.9;
const AIR: f64 = 0.4;
/// Room to the left and right of a net's name; less than it keeps from an upright wire.
const APART: f64 = 0.25;

/// A box on the drawing: left, top, right, bottom.
pub(crate) type Box = (f64, f64, f64, f64);

pub(crate) fn overlap(a: Box, b: Box) -> bool {
    a.0 < b.2 && b.0 < a.2 && a.1 < b.3 && b.1 < a.3
}

fn width(lines: &[impl AsRef<str>]) -> f64 {
    CHARACTER * lines.iter().map(|l| l.as_ref().chars().count()).max().unwrap_or(0) as f64
}

fn text_box((x, y): (f64, f64), lines: &[impl AsRef<str>]) -> Box {
    (x, y - ASCENT, x + width(lines), y + LINE * (lines.len() as f64 - 1.0) + 0.2)
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

/// Places for a part's text, the usual one first: beside upright parts, above others.
fn places(part: &DrawnPart) -> Vec<(f64, f64)> {
    let (l, t, r, b) = solid(part);
    let (w, more) = (width(&part.label), LINE * (part.label.len() as f64 - 1.0));
    let (x, middle) = (f64::from(part.at.x), f64::from(part.at.y) + 0.4 - 0.5 * more);
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
    let (over, under) = (t - AIR - more, b + AIR + ASCENT);
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
        (x + 0.4, over - LINE),
        (x - 0.4 - w, over - LINE),
    ];
    let upright_two_pins = part.pins.len() == 2 && part.turn % 180 == 0;
    if upright_two_pins { [&beside[..], &level[..]].concat() } else { [&level[..], &beside[..]].concat() }
}

/// Half squares a text may stand from a part's corners where none of the usual places is free.
const FARTHEST: i32 = 6;

/// Places around a part, those next to it first.
fn near(part: &DrawnPart) -> Vec<(f64, f64)> {
    let (l, t, r, b) = solid(part);
    let (w, more) = (width(&part.label), LINE * (part.label.len() as f64 - 1.0));
    let steps = |from: f64, to: f64| (0..).map(move |k| from + 0.5 * f64::from(k)).take_while(move |at| *at <= to);
    let mut found = Vec::new();
    for k in 0..=FARTHEST {
        let off = 0.5 * f64::from(k);
        let (left, right) = (l - 0.4 - w - off, r + 0.3 + off);
        let (over, under) = (t - AIR - more - off, b + AIR + ASCENT + off);
        found.extend(steps(over, under).flat_map(|y| [(left, y), (right, y)]));
        found.extend(steps(left, right).flat_map(|x| [(x, over), (x, under)]));
    }
    found
}

/// Where a part's text stands unless something is in the way.
pub(crate) fn usual_place(part: &DrawnPart) -> (f64, f64) {
    places(part)[0]
}

/// What a part's text covers where it stands.
pub(crate) fn text_of(part: &DrawnPart) -> Box {
    text_box(part.label_at, &part.label)
}

/// What a note covers.
pub(crate) fn room_of(note: &crate::DrawnNote) -> Box {
    text_box((f64::from(note.at.x), f64::from(note.at.y)), &note.lines)
}

/// What a net's name covers.
pub(crate) fn name_of(net: &DrawnNet) -> Option<Box> {
    Some(text_box(net.label_at?, &[&net.net]))
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

/// Puts the texts of parts and the names of nets where they cover nothing; a net without room for its
/// name goes without.
pub(crate) fn place(parts: &mut [DrawnPart], nets: &mut [DrawnNet]) {
    let mut taken = Taken::default();
    parts.iter().for_each(|part| taken.add(solid(part)));
    for net in nets.iter() {
        net.wires.iter().for_each(|wire| taken.add(wire_box(*wire)));
        if let Some(at) = net.ground_at {
            let (x, y) = (f64::from(at.x), f64::from(at.y));
            taken.add((x - 1.0, y, x + 1.0, y + 2.0));
        }
    }
    for part in parts.iter_mut() {
        let place = places(part).into_iter().chain(near(part)).find(|at| taken.free(text_box(*at, &part.label)));
        part.label_at = place.unwrap_or(part.label_at);
        taken.add(text_box(part.label_at, &part.label));
    }
    for net in nets.iter_mut().filter(|net| !is_ground(&net.net)) {
        let name = [net.net.as_str()];
        // Side by side, a name and a value would read as one word.
        let apart = |(l, t, r, b): Box| (l - APART, t, r + APART, b);
        let place = names(net).find(|at| taken.free(apart(text_box(*at, &name))));
        if let Some(at) = place {
            taken.add(text_box(at, &name));
        }
        net.label_at = place;
    }
}

/// Places for a net's name: over and under its level wires, the longest first, then beside upright ones.
fn names(net: &DrawnNet) -> impl Iterator<Item = (f64, f64)> + use<> {
    let w = width(&[&net.net]);
    let sorted = |level: bool| {
        let mut wires: Vec<(Spot, Spot)> = net.wires.iter().copied().filter(|(a, b)| (a.y == b.y) == level).collect();
        wires.sort_by_key(|(a, b)| (a.x - b.x + a.y - b.y, a.y, a.x));
        wires
    };
    let halves = |from: i32, to: i32| (2 * from + 1..2 * to).map(|half| f64::from(half) / 2.0);
    let level = sorted(true).into_iter().flat_map(move |(a, b)| {
        let y = f64::from(a.y);
        [y - AIR, y + AIR + ASCENT].into_iter().flat_map(move |y| halves(a.x, b.x).map(move |x| (x, y)))
    });
    let upright = sorted(false).into_iter().flat_map(move |(a, b)| {
        let x = f64::from(a.x);
        [x + AIR, x - AIR - w].into_iter().flat_map(move |x| halves(a.y, b.y).map(move |y| (x, y + AIR)))
    });
    level.chain(upright)
}
