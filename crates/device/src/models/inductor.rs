//! Inductor with winding resistance: `v = R·i + dφ/dt`, `φ = L·i`. The flux is the dynamic
//! quantity, the current an unknown.

use crate::contract::{Flow, Model, Point};
use crate::stamps::{Constants, Entry, Layout};
use circuit::ResolvedPart;

pub(super) struct Inductor {
    a: usize,
    b: usize,
    branch: usize,
    inductance: f64,
    resistance: f64,
    initial_current: f64,
    incidence: [Entry; 4],
    own: Entry,
}

impl Inductor {
    pub(super) fn new(part: &ResolvedPart, layout: &mut Layout) -> Self {
        let (a, b) = (part.pins[0], part.pins[1]);
        let branch = layout.winding(&part.id);
        Inductor {
            a,
            b,
            branch,
            inductance: part.value("inductance"),
            resistance: part.value("resistance"),
            initial_current: part.value("initial_current"),
            incidence: layout.incidence(a, b, branch),
            own: layout.entry(branch, branch),
        }
    }
}

impl Model for Inductor {
    fn constants(&self, constants: &mut Constants<'_>) {
        constants.incidence(self.incidence);
        constants.g(self.own, -self.resistance);
        constants.c(self.own, -self.inductance);
    }
    fn initial(&self, charges: &mut [f64]) {
        charges[self.branch] = -self.inductance * self.initial_current;
    }
    fn flow(&self, at: Point<'_>) -> Flow {
        Flow::along(at.x[self.a] - at.x[self.b], at.x[self.branch])
    }
    fn current_unknown(&self) -> Option<usize> {
        Some(self.branch)
    }
    fn loss(&self, _at: Point<'_>, flow: Flow) -> f64 {
        self.resistance * flow.current * flow.current
    }
    fn stored(&self, at: Point<'_>) -> f64 {
        0.5 * self.inductance * at.x[self.branch] * at.x[self.branch]
    }
}
