use crate::drawn::{DrawnNet, DrawnPart, Spot};

/// A box on the drawing: left, top, right, bottom.
pub(crate) type Box = (f64, f64, f64, f64);

/// Corners of what is drawn, without room around it.
#[derive(Clone, Copy)]
pub(crate) struct Frame {
    from: Spot,
    to: Spot,
}

impl Frame {
    /// Of parts and wires.
    pub(crate) fn of(parts: &[DrawnPart], nets: &[DrawnNet]) -> Frame {
        let spots = parts
            .iter()
            .flat_map(|p| p.pins.iter().map(|(_, s)| *s).chain([p.at]))
            .chain(nets.iter().flat_map(|n| n.wires.iter().flat_map(|(a, b)| [*a, *b])));
        let start = Frame { from: Spot { x: i32::MAX, y: i32::MAX }, to: Spot { x: i32::MIN, y: i32::MIN } };
        let frame = spots.fold(start, |Frame { from, to }, spot| Frame {
            from: Spot { x: from.x.min(spot.x), y: from.y.min(spot.y) },
            to: Spot { x: to.x.max(spot.x), y: to.y.max(spot.y) },
        });
        let empty = Frame { from: Spot { x: 0, y: 0 }, to: Spot { x: 20, y: 10 } };
        if parts.is_empty() { empty } else { frame }
    }

    /// Around more boxes.
    pub(crate) fn around(self, boxes: impl Iterator<Item = Box>) -> Frame {
        boxes.fold(self, |Frame { from, to }, (left, top, right, bottom)| Frame {
            from: Spot { x: from.x.min(left.floor() as i32), y: from.y.min(top.floor() as i32) },
            to: Spot { x: to.x.max(right.ceil() as i32), y: to.y.max(bottom.ceil() as i32) },
        })
    }

    /// Top left and bottom right corner, with a margin.
    pub(crate) fn corners(self) -> (Spot, Spot) {
        // The reference symbol hangs beneath the lowest wire.
        let Frame { from, to } = self;
        (Spot { x: from.x - 2, y: from.y - 2 }, Spot { x: to.x + 2, y: to.y + 4 })
    }
}
