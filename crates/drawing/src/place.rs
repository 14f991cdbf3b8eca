use crate::drawn::{DrawnPart, Spot};
use crate::labels::{label, usual_place};
use crate::symbols::{symbol, transform};
use circuit::{Part, Placement, Supply, Turn, resolve};

/// Every part with pins and text in place; a part without a place stands at the origin.
pub(crate) fn parts(supply: &Supply) -> Vec<DrawnPart> {
    let circuit = resolve(supply).ok();
    let drawn_at = |part: &Part| {
        let at = part.at.unwrap_or(Placement::new(0, 0, Turn::None, false));
        // A part of a bypassed stage is drawn, but not run.
        let resolved = circuit.as_ref().and_then(|c| Some(c.parts[c.part(&part.id)?].values.as_slice()));
        drawn(part, at, resolved)
    };
    supply.parts.iter().map(drawn_at).collect()
}

pub(crate) fn drawn(part: &Part, placement: Placement, values: Option<&[f64]>) -> DrawnPart {
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
