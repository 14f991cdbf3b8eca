//! Where stages stand in the drawing: one behind the other, branches in rows beneath.

use crate::compose::subtree;
use crate::draft::Draft;
use crate::path::{Path, Place};
use crate::proposal::{following, formed, is_role};
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
fn sketch(supply: &Supply, stage: &Stage) -> Option<(Vec<(&'static str, Placement)>, i32)> {
    let form = formed(stage).ok()?;
    let ask = Path::new(supply).ask_of(stage, form, &stage.choices);
    let draft = Draft::of(form, &ask);
    Some((draft.parts.iter().map(|p| (p.role, p.at)).collect(), draft.width))
}

/// Where a stage stands, by the first of its parts that is where its form put it.
pub(crate) fn origin(supply: &Supply, stage: &Stage) -> Origin {
    let placed = sketch(supply, stage).and_then(|(places, _)| {
        places.into_iter().find_map(|(role, at)| {
            let part = supply.parts.iter().find(|p| is_role(p, stage, role))?.at?;
            Some(Origin { x: part.x - at.x, y: part.y - at.y })
        })
    });
    placed.unwrap_or_else(|| {
        let of_stage = supply.parts.iter().filter(|p| p.stage.as_ref() == Some(&stage.id)).filter_map(|p| p.at);
        let (left, middle) = of_stage.fold((i32::MAX, 0), |(x, _), at| (x.min(at.x), at.y));
        if left == i32::MAX { FIRST } else { Origin { x: left - 4, y: middle } }
    })
}

/// Where a stage ends on the right.
fn right(supply: &Supply, stage: &Stage) -> i32 {
    match sketch(supply, stage) {
        Some((_, width)) => origin(supply, stage).x + width,
        None => {
            let of_stage = supply.parts.iter().filter(|p| p.stage.as_ref() == Some(&stage.id)).filter_map(|p| p.at);
            of_stage.map(|at| at.x + 4).max().unwrap_or(FIRST.x)
        }
    }
}

/// Finds room for a stage of a width at a place; put between others, it moves what follows to the right.
pub(crate) fn beside(supply: &mut Supply, place: &Place, between: bool, width: i32) -> Origin {
    let Some(before) = place.after.as_deref().and_then(|id| supply.stage(id)).cloned() else {
        let lowest = supply.parts.iter().filter_map(|p| p.at.map(|at| at.y)).max();
        return Origin { x: FIRST.x, y: lowest.map_or(FIRST.y, |y| y + ROW / 2) };
    };
    let from = Origin { x: right(supply, &before) + GAP, ..origin(supply, &before) };
    let behind: Vec<String> =
        following(supply, place).flat_map(|s| subtree(supply, &s.id)).collect();
    if between {
        for part in supply.parts.iter_mut().filter(|p| p.stage.as_ref().is_some_and(|s| behind.contains(s))) {
            if let Some(at) = &mut part.at {
                at.x += width + GAP;
            }
        }
        return from;
    }
    if behind.is_empty() {
        return from;
    }
    // A branch: beneath everything that is already drawn.
    let lowest = supply.parts.iter().filter_map(|p| p.at.map(|at| at.y)).max().unwrap_or(from.y);
    Origin { y: lowest.max(from.y) + ROW / 2 + 4, ..from }
}

/// Puts every part of a formed stage where its form draws it, stage behind stage.
pub(crate) fn tidy(supply: &mut Supply) {
    let mut rows = FIRST.y - ROW;
    let sources: Vec<String> = supply.stages.iter().filter(|s| s.after.is_none()).map(|s| s.id.clone()).collect();
    for source in sources {
        rows += ROW;
        line_up(supply, &source, FIRST.x, rows, &mut rows);
    }
}

/// Lines up a stage at a place and what follows behind it; the first branch goes on in the row, the
/// others open rows beneath.
fn line_up(supply: &mut Supply, stage: &str, x: i32, y: i32, rows: &mut i32) {
    let Some(found) = supply.stage(stage).cloned() else { return };
    let mut end = right(supply, &found);
    if let Some((places, width)) = sketch(supply, &found) {
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
        line_up(supply, &next, end + GAP, row, rows);
    }
}
