//! Empty bands of a drawing, cut out while wires are routed and put back afterwards, so that the
//! grid to be searched grows with what is drawn and not with how far apart it stands.

use crate::drawn::{DrawnNet, DrawnPart, Spot};
use crate::labels::text_of;
use crate::symbols::symbol;

/// Squares left of an empty band: room for every wire that could want to turn there.
const KEPT: i32 = 48;

/// The bands cut out of both axes.
pub(crate) struct Bands {
    x: Axis,
    y: Axis,
}

impl Bands {
    /// The empty bands between parts.
    pub(crate) fn between(parts: &[DrawnPart]) -> Self {
        let (mut x, mut y) = (Vec::new(), Vec::new());
        for part in parts {
            let (w, h) = symbol(part.kind).body;
            let reach = w.max(h);
            let (left, top, right, bottom) = text_of(part);
            for spot in part.pins.iter().map(|(_, spot)| *spot).chain([part.at]) {
                x.push((spot.x - reach, spot.x + reach));
                y.push((spot.y - reach, spot.y + reach));
            }
            x.push((left.floor() as i32, right.ceil() as i32));
            y.push((top.floor() as i32, bottom.ceil() as i32));
        }
        Bands { x: Axis::new(x), y: Axis::new(y) }
    }

    /// The parts as they stand without the bands.
    pub(crate) fn cut(&self, parts: &[DrawnPart]) -> Vec<DrawnPart> {
        let near = |spot: Spot| Spot { x: self.x.cut(spot.x), y: self.y.cut(spot.y) };
        let moved = |part: &DrawnPart| {
            let at = near(part.at);
            let (dx, dy) = (f64::from(at.x - part.at.x), f64::from(at.y - part.at.y));
            DrawnPart {
                at,
                pins: part.pins.iter().map(|(pin, spot)| (pin.clone(), near(*spot))).collect(),
                label_at: (part.label_at.0 + dx, part.label_at.1 + dy),
                ..part.clone()
            }
        };
        parts.iter().map(moved).collect()
    }

    /// Puts the bands back into wires that were routed without them.
    pub(crate) fn restore(&self, net: &mut DrawnNet) {
        let far = |spot: &mut Spot| *spot = Spot { x: self.x.restored(spot.x), y: self.y.restored(spot.y) };
        for (a, b) in &mut net.wires {
            far(a);
            far(b);
        }
        net.junctions.iter_mut().chain(&mut net.ground_at).for_each(far);
    }
}

/// Cuts along one axis, ascending: where each begins, and what is cut out there.
struct Axis(Vec<(i32, i32)>);

impl Axis {
    fn new(mut occupied: Vec<(i32, i32)>) -> Self {
        occupied.sort_unstable();
        let mut cuts = Vec::new();
        let mut end = i32::MAX;
        for (from, to) in occupied {
            if end < from && from - end > KEPT {
                cuts.push((end + KEPT / 2, from - end - KEPT));
            }
            end = if end == i32::MAX { to } else { end.max(to) };
        }
        Axis(cuts)
    }

    fn cut(&self, place: i32) -> i32 {
        place - self.0.iter().filter(|(from, _)| *from < place).map(|(_, length)| length).sum::<i32>()
    }

    fn restored(&self, place: i32) -> i32 {
        let far = |place: i32, (from, length): &(i32, i32)| if place > *from { place + length } else { place };
        self.0.iter().fold(place, far)
    }
}

#[cfg(test)]
mod tests {
    use super::Axis;

    #[test]
    fn what_is_cut_out_comes_back() {
        let axis = Axis::new(vec![(0, 10), (5, 20), (1000, 1010), (-9000, -8990), (1040, 1050)]);
        for place in (-9000..=-8990).chain(0..=20).chain(1000..=1050) {
            assert_eq!(axis.restored(axis.cut(place)), place, "{place}");
        }
        assert!(axis.cut(1050) - axis.cut(-9000) < 250);
        // What stands within reach is left as it is.
        assert_eq!(axis.cut(1040) - axis.cut(1010), 30);
    }
}
