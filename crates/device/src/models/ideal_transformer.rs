//! Ideal transformer of turns ratio n: `v_p = n·v_s`, `i_s = −n·i_p`.

use crate::contract::{Flow, Model, Point};
use crate::stamps::{Constants, Entry, Layout};
use circuit::ResolvedPart;

pub(super) struct IdealTransformer {
    pins: [usize; 4],
    branch: usize,
    ratio: f64,
    primary: [Entry; 4],
    secondary: [Entry; 4],
}

impl IdealTransformer {
    pub(super) fn new(part: &ResolvedPart, layout: &mut Layout) -> Self {
        let pins = [0, 1, 2, 3].map(|pin| part.pins[pin]);
        let branch = layout.branch(&part.id);
        IdealTransformer {
            pins,
            branch,
            ratio: part.value("ratio"),
            primary: layout.incidence(pins[0], pins[1], branch),
            secondary: layout.incidence(pins[2], pins[3], branch),
        }
    }
}

impl Model for IdealTransformer {
    fn constants(&self, constants: &mut Constants<'_>) {
        constants.incidence(self.primary);
        // The same four entries for the secondary, weighed by −n: currents out, voltage against.
        let [current_in, current_out, plus, minus] = self.secondary;
        constants.g(current_in, -self.ratio);
        constants.g(current_out, self.ratio);
        constants.g(plus, -self.ratio);
        constants.g(minus, self.ratio);
    }
    fn flow(&self, at: Point<'_>) -> Flow {
        let [p1, p2, s1, s2] = self.pins.map(|net| at.x[net]);
        Flow::along(p1 - p2 - self.ratio * (s1 - s2), at.x[self.branch])
    }
}
