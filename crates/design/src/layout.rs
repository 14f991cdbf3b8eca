//! Where stages stand in the drawing: one behind the other, branches in rows beneath; a chain that grows wide goes on in a
//! row beneath, so that a long supply can still be read as a whole.

use crate::path::Path;
use crate::stages::Place;
use crate::stages::subtree;
use crate::stages::{following, formed, is_role};
use circuit::{Part, Placement, Stage, Supply};
use std::collections::{BTreeMap, BTreeSet};

/// Grid squares between stages, and between the rows of branches.
const GAP: i32 = 2;
const ROW: i32 = 30;
/// Squares a row is wide at most, but for a stage that is wider alone: two such rows fill a pane beside the strips.
const WIDE: i32 = 80;
/// Middle of the first row, and where the first stage begins.
const FIRST: Origin = Origin { x: 0, y: 12 };

/// Where the middle of a stage's inlet lies.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(crate) struct Origin {
    x: i32,
    y: i32,
}

impl Origin {
    /// A place within the stage as a place in the drawing.
    pub(crate) fn place(self, at: Placement) -> Placement {
        Placement { x: self.x + at.x, y: self.y + at.y, ..at }
    }
}

/// What a stage's form draws: its sketches' places by role, and its width.
fn sketch(path: &Path<'_>, stage: &Stage) -> Option<(Vec<(&'static str, Placement)>, i32)> {
    let form = formed(stage).ok()?;
    let ask = path.ask_of(stage, form, &stage.choices);
    let draft = form.draft(&ask);
    Some((draft.parts.iter().map(|p| (p.role, p.at)).collect(), draft.width))
}

/// Where the parts of a stage stand.
fn places<'s>(supply: &'s Supply, stage: &'s Stage) -> impl Iterator<Item = Placement> + 's {
    supply.parts.iter().filter(|p| p.stage.as_ref() == Some(&stage.id)).filter_map(|p| p.at)
}

/// Where a stage stands, by the first of its parts that is where its form put it.
pub(crate) fn origin(path: &Path<'_>, stage: &Stage) -> Origin {
    let placed = sketch(path, stage).and_then(|(places, _)| {
        places.into_iter().find_map(|(role, at)| {
            let part = path.supply.parts.iter().find(|p| is_role(p, stage, role))?.at?;
            Some(Origin { x: part.x - at.x, y: part.y - at.y })
        })
    });
    placed.unwrap_or_else(|| {
        let (left, middle) = places(path.supply, stage).fold((i32::MAX, 0), |(x, _), at| (x.min(at.x), at.y));
        if left == i32::MAX { FIRST } else { Origin { x: left - 4, y: middle } }
    })
}

/// Where a stage ends on the right.
fn right(path: &Path<'_>, stage: &Stage) -> i32 {
    match sketch(path, stage) {
        Some((_, width)) => origin(path, stage).x + width,
        None => places(path.supply, stage).map(|at| at.x + 4).max().unwrap_or(FIRST.x),
    }
}

/// Where a stage of a width put at a place stands: right of the one before, in a row beneath if it branches off or the row
/// is full.
pub(crate) fn beside(path: &Path<'_>, place: &Place, between: bool, width: i32) -> Origin {
    let lowest = path.supply.parts.iter().filter_map(|p| p.at.map(|at| at.y)).max();
    let Some(before) = place.after.as_deref().and_then(|id| path.supply.stage(id)) else {
        return Origin { x: FIRST.x, y: lowest.map_or(FIRST.y, |y| y + ROW / 2) };
    };
    let from = Origin { x: right(path, before) + GAP, ..origin(path, before) };
    // Beneath everything that is already drawn.
    let beneath = lowest.unwrap_or(from.y).max(from.y) + ROW / 2 + 4;
    if between {
        from
    } else if is_full(from.x, width) {
        Origin { x: FIRST.x, y: beneath }
    } else if following(path.supply, place).next().is_none() {
        from
    } else {
        Origin { y: beneath, ..from }
    }
}

/// Whether a stage of a width that would begin there goes into a row of its own.
fn is_full(x: i32, width: i32) -> bool {
    x > FIRST.x && x + width > FIRST.x + WIDE
}

/// Moves stages, and all behind them, to the right of a new one of a width.
pub(crate) fn make_room(supply: &mut Supply, stages: &[Stage], width: i32) {
    let behind: Vec<String> = stages.iter().flat_map(|s| subtree(supply, &s.id)).collect();
    for part in supply.parts.iter_mut().filter(|p| p.stage.as_ref().is_some_and(|s| behind.contains(s))) {
        if let Some(at) = &mut part.at {
            at.x += width + GAP;
        }
    }
}

/// Lines stages up anew where one put between others has pushed those behind it out of their row.
pub(crate) fn fold(supply: &mut Supply) {
    let farthest = supply.parts.iter().filter(|p| p.stage.is_some()).filter_map(|p| p.at).map(|at| at.x).max();
    if farthest.is_some_and(|x| x > FIRST.x + WIDE) {
        line_up(supply, &|part| !part.at.is_some_and(|at| at.by_hand));
    }
}

/// Puts parts where they look best, all if none is named: those of formed stages where their forms draw them, the
/// others arranged around them. With `keep`, what was placed by hand stays.
pub(crate) fn tidy(supply: &mut Supply, chosen: &[String], keep: bool) {
    let stays = |part: &Part| keep && part.at.is_some_and(|at| at.by_hand);
    let moves = |part: &Part| (chosen.is_empty() || chosen.contains(&part.id)) && !stays(part);
    if chosen.is_empty() {
        line_up(supply, &moves);
    } else {
        put_back(supply, &moves);
    }
    let single: BTreeSet<String> = supply
        .parts
        .iter()
        .filter(|part| moves(part) && !drawn_by_form(supply, part))
        .map(|part| part.id.clone())
        .collect();
    take_places(supply, drawing::arrange(supply, &single));
}

/// Gives every part without a place one.
pub(crate) fn place_rest(supply: &mut Supply) {
    take_places(supply, drawing::arrange(supply, &BTreeSet::new()));
}

fn take_places(supply: &mut Supply, mut places: BTreeMap<String, Placement>) {
    for part in &mut supply.parts {
        part.at = places.remove(&part.id).or(part.at);
    }
}

/// Whether a part stands where its stage's form draws it.
fn drawn_by_form(supply: &Supply, part: &Part) -> bool {
    let stage = part.stage.as_deref().and_then(|id| supply.stage(id));
    part.role.is_some() && stage.is_some_and(|stage| stage.form.is_some())
}

/// Puts parts of formed stages where their forms draw them, their stages where they stand.
fn put_back(supply: &mut Supply, moves: &dyn Fn(&Part) -> bool) {
    let before = supply.clone();
    let path = Path::new(&before);
    for stage in &before.stages {
        if let Some((places, _)) = sketch(&path, stage) {
            draw_stage(supply, stage, places, origin(&path, stage), moves);
        }
    }
}

fn draw_stage(
    supply: &mut Supply,
    stage: &Stage,
    places: Vec<(&'static str, Placement)>,
    origin: Origin,
    moves: &dyn Fn(&Part) -> bool,
) {
    for (role, at) in places {
        if let Some(part) = supply.parts.iter_mut().find(|p| is_role(p, stage, role) && moves(p)) {
            part.at = Some(origin.place(at));
        }
    }
}

/// Puts parts of formed stages where their forms draw them, stage behind stage.
pub(crate) fn line_up(supply: &mut Supply, moves: &dyn Fn(&Part) -> bool) {
    let mut rows = Rows { last: FIRST.y - ROW };
    let before = supply.clone();
    let path = Path::new(&before);
    let sources: Vec<String> = supply.stages.iter().filter(|s| s.after.is_none()).map(|s| s.id.clone()).collect();
    for source in sources {
        let row = rows.open();
        line_up_from(supply, &path, &source, (FIRST.x, row), &mut rows, moves);
    }
}

/// The rows opened so far, by the middle of the last.
struct Rows {
    last: i32,
}

impl Rows {
    fn open(&mut self) -> i32 {
        self.last += ROW;
        self.last
    }
}

/// Lines up a stage at a place, or in a row of its own if that row is full, and what follows behind it; the first branch
/// goes on in the row, the others open rows beneath.
fn line_up_from(
    supply: &mut Supply,
    path: &Path<'_>,
    stage: &str,
    (mut x, mut y): (i32, i32),
    rows: &mut Rows,
    moves: &dyn Fn(&Part) -> bool,
) {
    let Some(found) = supply.stage(stage).cloned() else { return };
    let mut end = right(path, &found);
    if let Some((places, width)) = sketch(path, &found) {
        if is_full(x, width) {
            // A branch has just opened its row, which nothing stands in yet.
            let opened = path.supply.stage(stage).is_some_and(|s| branches_off(path.supply, s));
            (x, y) = (FIRST.x, if opened { y } else { rows.open() });
        }
        draw_stage(supply, &found, places, Origin { x, y }, moves);
        end = x + width;
    }
    let behind: Vec<String> =
        supply.stages.iter().filter(|s| s.after.as_deref() == Some(stage)).map(|s| s.id.clone()).collect();
    for (k, next) in behind.into_iter().enumerate() {
        let row = if k == 0 { y } else { rows.open() };
        line_up_from(supply, path, &next, (end + GAP, row), rows, moves);
    }
}

/// Whether another stage follows the same one before this does.
fn branches_off(supply: &Supply, stage: &Stage) -> bool {
    let mut siblings = supply.stages.iter().filter(|s| s.after.is_some() && s.after == stage.after);
    siblings.next().is_some_and(|first| first.id != stage.id)
}

/// Squares within which two parts lie on each other.
const STACKED: u32 = 4;
/// Copies laid one behind the other before they are laid anywhere.
const MOST_COPIES: i32 = 100;

/// How far copies are to be put from what they are copies of, so that none lies on a part: as wished, or several times that.
pub(crate) fn clear_of(supply: &Supply, copies: &[Part], (dx, dy): (i32, i32)) -> (i32, i32) {
    let at = |p: &Part| p.at.map(|at| (at.x, at.y));
    let taken: Vec<(i32, i32)> = supply.parts.iter().filter_map(at).collect();
    let moved = |k: i32| (dx.saturating_mul(k), dy.saturating_mul(k));
    let clear = |k: &i32| {
        let (dx, dy) = moved(*k);
        let mut there = copies.iter().filter_map(at).map(|(x, y)| (x.saturating_add(dx), y.saturating_add(dy)));
        !there.any(|(x, y)| taken.iter().any(|(a, b)| a.abs_diff(x) < STACKED && b.abs_diff(y) < STACKED))
    };
    moved((1..MOST_COPIES).find(clear).unwrap_or(1))
}

/// Squares around a part in which no other should stand.
const CLEAR: i32 = 6;

/// The spot nearest to one that is clear of other parts, rings of squares outwards.
pub(crate) fn free_near(supply: &Supply, (x, y): (i32, i32)) -> (i32, i32) {
    let taken: Vec<Placement> = supply.parts.iter().filter_map(|p| p.at).collect();
    // Far from the edge of what may be drawn, so that there is room around.
    let most = circuit::FARTHEST as i32 / 2;
    let (x, y) = (x.clamp(-most, most), y.clamp(-most, most));
    let clear = |x: i32, y: i32| !taken.iter().any(|at| (at.x - x).abs() < CLEAR && (at.y - y).abs() < CLEAR);
    let ring = |r: i32| (-r..=r).flat_map(move |k| [(x + k, y - r), (x + k, y + r), (x - r, y + k), (x + r, y + k)]);
    // There is always room beyond all that is taken.
    (0..).flat_map(ring).find(|(x, y)| clear(*x, *y)).unwrap_or((x, y))
}
