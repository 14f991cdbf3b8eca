//! Two coupled windings: `v₁ = R₁i₁ + d(L₁i₁ + M·i₂)/dt`, `v₂ = R₂i₂ + d(M·i₁ + L₂i₂)/dt` with
//! `M = k·√(L₁L₂)`. The fluxes are the dynamic quantities, both currents unknowns. |k| < 1
//! makes the inductance matrix positive definite. With the damping of the leakage the fluxes are
//! `λ = L·i − τ·v` each, v behind the resistance.

use super::damping::lag;
use crate::contract::{Flow, Model, Point};
use crate::stamps::{Constants, Entry, Layout};
use circuit::ResolvedPart;

pub(super) struct CoupledWindings {
    pins: [usize; 4],
    branches: [usize; 2],
    inductances: [f64; 2],
    mutual: f64,
    resistances: [f64; 2],
    /// τ of the damping, s.
    lag: f64,
    incidence: [[Entry; 4]; 2],
    own: [Entry; 2],
    cross: [Entry; 2],
}

impl CoupledWindings {
    pub(super) fn new(part: &ResolvedPart, layout: &mut Layout) -> Self {
        let pins = [0, 1, 2, 3].map(|pin| part.pins[pin]);
        let branches = [layout.winding(&part.id), layout.winding(&format!("{} secondary", part.id))];
        let inductances = [part.value("primary_inductance"), part.value("secondary_inductance")];
        let coupling = part.value("coupling");
        CoupledWindings {
            pins,
            branches,
            inductances,
            mutual: coupling * (inductances[0] * inductances[1]).sqrt(),
            lag: lag((1.0 - coupling * coupling) * inductances[0].min(inductances[1])),
            resistances: [part.value("primary_resistance"), part.value("secondary_resistance")],
            incidence: [0, 1].map(|w| layout.incidence(pins[2 * w], pins[2 * w + 1], branches[w])),
            own: branches.map(|b| layout.entry(b, b)),
            cross: [layout.entry(branches[0], branches[1]), layout.entry(branches[1], branches[0])],
        }
    }

    fn currents(&self, at: Point<'_>) -> [f64; 2] {
        self.branches.map(|b| at.x[b])
    }

    /// Voltages behind the resistances, V, and the currents that make the flux, A.
    fn inside(&self, at: Point<'_>) -> ([f64; 2], [f64; 2]) {
        let [p1, p2, s1, s2] = self.pins.map(|net| at.x[net]);
        let [i1, i2] = self.currents(at);
        let [v1, v2] = [p1 - p2 - self.resistances[0] * i1, s1 - s2 - self.resistances[1] * i2];
        let ([l1, l2], m) = (self.inductances, self.mutual);
        let share = self.lag / (l1 * l2 - m * m);
        ([v1, v2], [i1 - share * (l2 * v1 - m * v2), i2 - share * (l1 * v2 - m * v1)])
    }
}

impl Model for CoupledWindings {
    fn constants(&self, constants: &mut Constants<'_>) {
        for w in 0..2 {
            constants.incidence(self.incidence[w]);
            constants.g(self.own[w], -self.resistances[w]);
            let [_, _, plus, minus] = self.incidence[w];
            constants.c(plus, self.lag);
            constants.c(minus, -self.lag);
            constants.c(self.own[w], -self.inductances[w] - self.lag * self.resistances[w]);
            constants.c(self.cross[w], -self.mutual);
        }
    }
    fn flow(&self, at: Point<'_>) -> Flow {
        let [p1, p2, s1, s2] = self.pins.map(|net| at.x[net]);
        let [i1, i2] = self.currents(at);
        Flow { current: i1, power: (p1 - p2) * i1 + (s1 - s2) * i2 }
    }
    fn loss(&self, at: Point<'_>, _flow: Flow) -> f64 {
        let (i, (v, making)) = (self.currents(at), self.inside(at));
        (0..2).map(|w| self.resistances[w] * i[w] * i[w] + v[w] * (i[w] - making[w])).sum()
    }
    fn stored(&self, at: Point<'_>) -> f64 {
        let (_, [i1, i2]) = self.inside(at);
        0.5 * (self.inductances[0] * i1 * i1 + self.inductances[1] * i2 * i2) + self.mutual * i1 * i2
    }
}
