//! Two coupled windings: `v₁ = R₁i₁ + d(L₁i₁ + M·i₂)/dt`, `v₂ = R₂i₂ + d(M·i₁ + L₂i₂)/dt` with
//! `M = k·√(L₁L₂)`. The fluxes are the dynamic quantities, both currents unknowns. |k| < 1
//! makes the inductance matrix positive definite.

use crate::contract::{Flow, Model, Point};
use crate::stamps::{Constants, Entry, Layout};
use circuit::ResolvedPart;

pub(super) struct CoupledWindings {
    pins: [usize; 4],
    branches: [usize; 2],
    inductances: [f64; 2],
    mutual: f64,
    resistances: [f64; 2],
    incidence: [[Entry; 4]; 2],
    own: [Entry; 2],
    cross: [Entry; 2],
}

impl CoupledWindings {
    pub(super) fn new(part: &ResolvedPart, layout: &mut Layout) -> Self {
        let pins = [0, 1, 2, 3].map(|pin| part.pins[pin]);
        let branches = [layout.winding(&part.id), layout.winding(&format!("{} secondary", part.id))];
        let inductances = [part.value("primary_inductance"), part.value("secondary_inductance")];
        CoupledWindings {
            pins,
            branches,
            inductances,
            mutual: part.value("coupling") * (inductances[0] * inductances[1]).sqrt(),
            resistances: [part.value("primary_resistance"), part.value("secondary_resistance")],
            incidence: [0, 1].map(|w| layout.incidence(pins[2 * w], pins[2 * w + 1], branches[w])),
            own: branches.map(|b| layout.entry(b, b)),
            cross: [layout.entry(branches[0], branches[1]), layout.entry(branches[1], branches[0])],
        }
    }

    fn currents(&self, at: Point<'_>) -> [f64; 2] {
        self.branches.map(|b| at.x[b])
    }
}

impl Model for CoupledWindings {
    fn constants(&self, constants: &mut Constants<'_>) {
        for w in 0..2 {
            constants.incidence(self.incidence[w]);
            constants.g(self.own[w], -self.resistances[w]);
            constants.c(self.own[w], -self.inductances[w]);
            constants.c(self.cross[w], -self.mutual);
        }
    }
    fn flow(&self, at: Point<'_>) -> Flow {
        let [p1, p2, s1, s2] = self.pins.map(|net| at.x[net]);
        let [i1, i2] = self.currents(at);
        Flow { current: i1, power: (p1 - p2) * i1 + (s1 - s2) * i2 }
    }
    fn loss(&self, at: Point<'_>, _flow: Flow) -> f64 {
        let [i1, i2] = self.currents(at);
        self.resistances[0] * i1 * i1 + self.resistances[1] * i2 * i2
    }
    fn stored(&self, at: Point<'_>) -> f64 {
        let [i1, i2] = self.currents(at);
        0.5 * (self.inductances[0] * i1 * i1 + self.inductances[1] * i2 * i2) + self.mutual * i1 * i2
    }
}
