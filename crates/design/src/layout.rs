//! Where stages stand in the drawing: one behind the other, branches in rows beneath.

use crate::path::Path;
use crate::stages::Place;
use crate::stages::subtree;
use crate::stages::{following, formed, is_role};
use circuit::{Placement, Stage, Supply};

/// Grid squares between stages, and between the rows of branches.
const GAP: i32 = 2;
const ROW: i32 = 30;
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

/// Where a stage put at a place stands: right of the one before, in a row beneath if it branches off.
pub(crate) fn beside(path: &Path<'_>, place: &Place, between: bool) -> Origin {
    let lowest = path.supply.parts.iter().filter_map(|p| p.at.map(|at| at.y)).max();
    let Some(before) = place.after.as_deref().and_then(|id| path.supply.stage(id)) else {
        return Origin { x: FIRST.x, y: lowest.map_or(FIRST.y, |y| y + ROW / 2) };
    };
    let from = Origin { x: right(path, before) + GAP, ..origin(path, before) };
    if between || following(path.supply, place).next().is_none() {
        return from;
    }
    // A branch: beneath everything that is already drawn.
    Origin { y: lowest.unwrap_or(from.y).max(from.y) + ROW / 2 + 4, ..from }
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

/// Puts every part of a formed stage where its form draws it, stage behind stage.
pub(crate) fn tidy(supply: &mut Supply) {
    let mut rows = FIRST.y - ROW;
    let before = supply.clone();
    let path = Path::new(&before);
    let sources: Vec<String> = supply.stages.iter().filter(|s| s.after.is_none()).map(|s| s.id.clone()).collect();
    for source in sources {
        rows += ROW;
        line_up(supply, &path, &source, (FIRST.x, rows), &mut rows);
    }
}

/// Lines up a stage at a place and what follows behind it; the first branch goes on in the row, the
/// others open rows beneath.
fn line_up(supply: &mut Supply, path: &Path<'_>, stage: &str, (x, y): (i32, i32), rows: &mut i32) {
    let Some(found) = supply.stage(stage).cloned() else { return };
    let mut end = right(path, &found);
    if let Some((places, width)) = sketch(path, &found) {
        let origin = Origin { x, y };
        for (role, at) in places {
            if let Some(part) = supply.parts.iter_mut().find(|p| is_role(p, &found, role)) {
                part.at = Some(origin.place(at));
            }
        }
        end = x + width;
    }
    let behind: Vec<String> =
        supply.stages.iter().filter(|s| s.after.as_deref() == Some(stage)).map(|s| s.id.clone()).collect();
    for (k, next) in behind.into_iter().enumerate() {
        if k > 0 {
            *rows += ROW;
        }
        let row = if k == 0 { y } else { *rows };
        line_up(supply, path, &next, (end + GAP, row), rows);
    }
}

/// Squares around a part in which no other should stand.
const CLEAR: i32 = 6;

/// The spot nearest to one that is clear of other parts, rings of squares outwards.
pub(crate) fn free_near(supply: &Supply, (x, y): (i32, i32)) -> (i32, i32) {
    let taken: Vec<Placement> = supply.parts.iter().filter_map(|p| p.at).collect();
    let clear = |x: i32, y: i32| !taken.iter().any(|at| (at.x - x).abs() < CLEAR && (at.y - y).abs() < CLEAR);
    let ring = |r: i32| (-r..=r).flat_map(move |k| [(x + k, y - r), (x + k, y + r), (x - r, y + k), (x + r, y + k)]);
    // There is always room beyond all that is taken.
    (0..).flat_map(ring).find(|(x, y)| clear(*x, *y)).unwrap_or((x, y))
}
