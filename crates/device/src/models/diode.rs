//! Diode: exponential with series resistance; breakdown by the same law in reverse; the charge
//! of the depletion layer and the charge stored by the forward current, `Q = τ·i`, which has to
//! be removed before the diode blocks again (reverse recovery; the charge-control model of Ma,
//! Lauritzen & Snowden in its simplest form).
//!
//! Zener diode: the reverse branch is given by voltage and differential resistance at one
//! current and by the leakage at the foot of the knee. Half of the resistance is taken for the
//! exponential's, `s/I_z = Z_z/2`, and half for bulk, so that `V(I) = V₀ + s·ln(I/I_l) + R·(I − I_l)`
//! passes through `V_z` at `I_z`.

use super::device::{At, Device, Inside, JUNCTIONS, wrap};
use super::junction::{CONDUCTING, Depletion, Knee, THERMAL_VOLTAGE};
use super::real::Real;
use crate::contract::GMIN;
use crate::contract::{Flow, Model, Point};
use crate::stamps::Exponential;
use crate::stamps::{Entry, Junction, Layout, Stamps};
use circuit::ResolvedPart;
use circuit::fit::{self, DiodeFit};

/// Current at the stated breakdown voltage, A (common practice on data sheets: 10 µA to 1 mA).
const BREAKDOWN_CURRENT: f64 = 100e-6;
/// Slope of the breakdown's exponential, V.
const BREAKDOWN_SLOPE: f64 = 0.05;

/// Builds the simplest model that has what the part has.
pub(super) fn new(part: &ResolvedPart, layout: &mut Layout) -> Box<dyn Model> {
    let DiodeFit { saturation_current, slope, resistance } = fit::of_diode(part);
    let forward = Knee::new(saturation_current, slope, resistance);
    let breakdown = part.value("breakdown_voltage");
    let depletion = Depletion::new(part.value("capacitance"), part.value("built_in_voltage"));
    let storage_time = part.value("storage_time");
    if breakdown == 0.0 && !depletion.exists() && storage_time == 0.0 {
        return Box::new(Static::new(part, layout, forward));
    }
    // No current where there is no breakdown.
    let reverse = (breakdown > 0.0).then(|| Reverse {
        knee: Knee::new(BREAKDOWN_CURRENT, BREAKDOWN_SLOPE, part.value("series_resistance")),
        from: breakdown,
    });
    wrap(Diode { forward, reverse, depletion, storage_time }, part, layout)
}

/// Builds a Zener diode.
pub(super) fn zener(part: &ResolvedPart, layout: &mut Layout) -> Box<dyn Model> {
    let (current, leakage) = (part.value("zener_current"), part.value("leakage"));
    let resistance = 0.5 * part.value("zener_impedance");
    let slope = resistance * current;
    let knee = Knee::new(leakage, slope, resistance);
    let from = part.value("zener_voltage") - slope * (current / leakage).ln() - resistance * (current - leakage);
    let diode = Diode {
        forward: Knee::new(
            part.value("saturation_current"),
            part.value("emission") * THERMAL_VOLTAGE,
            part.value("series_resistance"),
        ),
        reverse: Some(Reverse { knee, from }),
        depletion: Depletion::new(part.value("capacitance"), part.value("built_in_voltage")),
        storage_time: 0.0,
    };
    wrap(diode, part, layout)
}

/// A diode without charge or breakdown, stamped without detours: rectifiers are full of them.
pub(super) struct Static {
    anode: usize,
    cathode: usize,
    forward: Knee,
    junction: Junction,
    entries: [Entry; 4],
}

impl Static {
    fn new(part: &ResolvedPart, layout: &mut Layout, forward: Knee) -> Self {
        let (anode, cathode) = (part.pins[0], part.pins[1]);
        Static { anode, cathode, forward, junction: layout.junction(), entries: layout.between(anode, cathode) }
    }

    fn voltage(&self, at: Point<'_>) -> f64 {
        at.x[self.anode] - at.x[self.cathode]
    }
}

impl Model for Static {
    fn varies(&self) -> bool {
        true
    }
    fn nonlinear(&self) -> bool {
        true
    }
    fn stamp(&self, at: Point<'_>, stamps: &mut Stamps<'_>) -> Flow {
        let v = self.voltage(at);
        let here = stamps.junction(self.junction, v, &self.forward.exponential(v));
        let (current, slope) = self.forward.at(here);
        let current = current + slope * (v - here) + stamps.gmin * v;
        stamps.current(self.anode, current);
        stamps.current(self.cathode, -current);
        stamps.conductance(self.entries, slope + stamps.gmin);
        Flow::along(v, current)
    }
    fn flow(&self, at: Point<'_>) -> Flow {
        let v = self.voltage(at);
        Flow::along(v, self.forward.at(v).0 + GMIN * v)
    }
    fn region(&self, at: Point<'_>) -> Option<&'static str> {
        Some(if self.flow(at).current > CONDUCTING { "conducting" } else { "blocking" })
    }
}

struct Reverse {
    knee: Knee,
    /// Reverse voltage at the foot of the knee.
    from: f64,
}

/// Unknowns: anode, cathode, current of the charges.
struct Diode {
    forward: Knee,
    reverse: Option<Reverse>,
    depletion: Depletion,
    storage_time: f64,
}

impl Diode {
    /// Current without that of the charges, at voltages of the forward and the reverse junction.
    fn steady<T: Real>(&self, forward: T, backward: T) -> T {
        let current = self.forward.current(forward);
        match &self.reverse {
            Some(Reverse { knee, from }) => {
                // Far from breakdown the knee's own −I_l must not count as a forward current.
                current - knee.current(backward.plus(-from)).plus(knee.saturation_current())
            }
            None => current,
        }
    }
}

impl Device for Diode {
    const INSIDE: &'static [Inside] = &[Inside::Current];

    fn flows<T: Real>(&self, at: &At<'_, T>, f: &mut [T]) {
        let v = at.x[0] - at.x[1];
        let backward = at.shift[1] - v;
        let i = self.steady(v + at.shift[0], backward) + v.scale(GMIN) + at.x[2];
        f[0] = i;
        f[1] = -i;
        f[2] = -at.x[2];
    }

    fn charges<T: Real>(&self, at: &At<'_, T>, q: &mut [T]) {
        let v = at.x[0] - at.x[1];
        let stored = self.forward.current(v + at.shift[0]).scale(self.storage_time);
        q[2] = self.depletion.charge(v) + stored;
    }

    fn junctions(&self, x: &[f64]) -> [Option<Exponential>; JUNCTIONS] {
        let v = x[0] - x[1];
        let reverse = self.reverse.as_ref().map(|reverse| reverse.knee.exponential(-v - reverse.from));
        [Some(self.forward.exponential(v)), reverse]
    }

    fn region(&self, x: &[f64]) -> Option<&'static str> {
        let v = x[0] - x[1];
        let broken = self.reverse.as_ref().is_some_and(|r| r.knee.at(-v - r.from).0 > CONDUCTING);
        Some(if broken {
            "in breakdown"
        } else if self.forward.at(v).0 > CONDUCTING {
            "conducting"
        } else {
            "blocking"
        })
    }

    fn stored(&self, x: &[f64]) -> f64 {
        let v = x[0] - x[1];
        let moved = v * self.forward.at(v).0 - (self.forward.integral(v) - self.forward.integral(0.0));
        self.depletion.at(v).2 + self.storage_time * moved
    }

    fn storing(&self, x: &[f64]) -> f64 {
        (x[0] - x[1]) * x[2]
    }
}
