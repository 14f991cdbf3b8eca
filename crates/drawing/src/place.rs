use crate::drawn::{DrawnPart, Spot};
use crate::labels::{label, usual_place};
use crate::symbols::{symbol, transform};
use circuit::{Part, Placement, Supply, Turn, resolve};

/// Squares between parts that have no place of their own, and how many of them stand in a row.
const PITCH: i32 = 8;
const ROW: i32 = 40;

/// Every part with pins and text in place.
pub(crate) fn parts(supply: &Supply) -> Vec<DrawnPart> {
    let lowest = supply.parts.iter().filter_map(|p| p.at.map(|at| at.y)).max().map_or(4, |y| y + PITCH);
    let circuit = resolve(supply).ok();
    let mut unplaced = 0;
    let drawn = supply.parts.iter().map(|part| {
        let at = part.at.unwrap_or_else(|| {
            unplaced += 1;
            let (column, row) = ((unplaced - 1) % ROW, (unplaced - 1) / ROW);
            Placement { x: PITCH * column + 4, y: lowest + PITCH * row, turn: Turn::None, mirror: false }
        });
        // A part of a bypassed stage is drawn, but not run.
        let resolved = circuit.as_ref().and_then(|c| Some(c.parts[c.part(&part.id)?].values.as_slice()));
        drawn(part, at, resolved)
    });
    drawn.collect()
}

fn drawn(part: &Part, placement: Placement, values: Option<&[f64]>) -> DrawnPart {
    let at = Spot { x: placement.x, y: placement.y };
    let turn = match placement.turn {
        Turn::None => 0,
        Turn::Quarter => 90,
        Turn::Half => 180,
        Turn::ThreeQuarters => 270,
    };
    let symbol = symbol(part.kind);
    let ids = part.kind.kind().pins.iter().map(|p| p.id.to_owned());
    let pins = ids.zip(symbol.pins.iter().map(|pin| transform(*pin, at, turn, placement.mirror))).collect();
    let lines = label(part, values);
    let mut drawn = DrawnPart {
        id: part.id.clone(),
        kind: part.kind,
        stage: part.stage.clone(),
        at,
        turn,
        mirror: placement.mirror,
        pins,
        label: lines,
        label_at: (0.0, 0.0),
    };
    drawn.label_at = usual_place(&drawn);
    drawn
}
