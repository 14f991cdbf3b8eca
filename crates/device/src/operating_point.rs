//! The state of rest under constant sources: `f(x) = 0`.
//!
//! Newton's method, and if it fails in turn: conductances to `gnd` that are taken away step by
//! step, sources that are raised step by step, and an artificial transient. Every result is
//! polished without aids and satisfies Kirchhoff's current law at every net.

use crate::EngineError;
use crate::contract::{Flow, GMIN, Point};
use crate::equations::{Conditions, Equations};
use crate::stamps::{Matrix, Unknown};
use linear::Lu;
use recording::Column;
use std::fmt;

/// How an operating point was found.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Method {
    /// Newton's method from rest.
    Newton,
    /// Conductances from every net to `gnd`, taken away step by step.
    ShuntStepping,
    /// Sources raised from zero step by step.
    SourceStepping,
    /// An artificial transient towards rest.
    PseudoTransient,
}

impl fmt::Display for Method {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        f.write_str(match self {
            Method::Newton => "Newton",
            Method::ShuntStepping => "shunt stepping",
            Method::SourceStepping => "source stepping",
            Method::PseudoTransient => "artificial transient",
        })
    }
}

/// An operating point.
#[derive(Clone, Debug, PartialEq)]
pub struct OperatingPoint {
    /// Every unknown of the equations, `gnd` first.
    pub(crate) unknowns: Vec<f64>,
    /// Values of the columns of [`Equations::columns`], V, A, W.
    pub values: Vec<(Column, f64)>,
    /// Power each part absorbs, by designator, W.
    pub powers: Vec<(String, f64)>,
    /// Regions of the devices that have any, by designator: "saturation", "in breakdown".
    pub regions: Vec<(String, &'static str)>,
    /// Methods tried, the successful one last.
    pub methods: Vec<Method>,
    /// Iterations in all.
    pub iterations: u64,
}

const RELTOL: f64 = 1e-12;
const ABSTOL_CURRENT: f64 = 1e-15;
const ABSTOL_VOLTAGE: f64 = 1e-12;
const MOST_ITERATIONS: u64 = 100;
/// Steps, in tolerances, that do not come from the circuit but from rounding if so many follow one another; a method that
/// converges quadratically takes one or two of them.
const HOVER: f64 = 1e3;
const HOVERS: u32 = 12;
/// Part of the way last gone from which on a step back counts as a return.
const RETURN: f64 = 0.9;
/// How fast a shortened step grows again.
const GROWTH: f64 = 1.25;
/// Least part of a step that is taken.
const LEAST_SHARE: f64 = 1.0 / 64.0;
/// Trips of a device from which on it counts as without a state of rest.
const MOST_TRIPS: usize = 16;
/// Iterations a method may take altogether, or it could go forwards and back without end.
const BUDGET: u64 = 4000;

/// Finds the operating point with sources at their value at time zero.
///
/// # Errors
/// [`EngineError::Singular`] if something is undetermined, [`EngineError::OperatingPoint`] if
/// no method settles.
pub fn operating_point(equations: &Equations) -> Result<OperatingPoint, EngineError> {
    let mut search = Search::new(equations);
    let mut methods = Vec::new();
    let mut trouble = None;
    for method in [Method::Newton, Method::ShuntStepping, Method::SourceStepping, Method::PseudoTransient] {
        methods.push(method);
        search.budget = search.iterations + BUDGET;
        match search.by(method) {
            Ok(()) => {
                let at = Point { x: &search.x, t: 0.0 };
                equations.evaluate(at, PLAIN, &mut search.f, &mut search.q, &mut search.flows, None);
                equations.fill_flows(at, &mut search.flows);
                let mut row = Vec::new();
                equations.record(at, &search.flows, &mut row);
                let values = equations.columns().iter().cloned().zip(row).collect();
                return Ok(OperatingPoint {
                    unknowns: search.x.clone(),
                    values,
                    powers: equations.powers(&search.flows),
                    regions: equations.regions(at),
                    methods,
                    iterations: search.iterations,
                });
            }
            // A linear system that is singular once is singular always.
            Err(Trouble::Singular(unknown)) if !equations.nonlinear => {
                return Err(EngineError::Singular { unknown: equations.name(unknown) });
            }
            Err(found) => trouble = Some(found),
        }
    }
    let tried: Vec<String> = methods.iter().map(Method::to_string).collect();
    let unknown = match trouble {
        Some(Trouble::Singular(unknown)) => return Err(EngineError::Singular { unknown: equations.name(unknown) }),
        Some(Trouble::Restless(part)) => return Err(EngineError::Restless { part: equations.part(part) }),
        Some(Trouble::Unsettled(unknown)) => unknown,
        None => 0,
    };
    Err(EngineError::OperatingPoint {
        tried: tried.join(", "),
        unknown: equations.name(unknown),
        part: equations.part_at(unknown),
    })
}

const PLAIN: Conditions = Conditions { source_scale: 1.0, gmin: GMIN, shunt: 0.0, resting: true };

enum Trouble {
    Singular(usize),
    Unsettled(usize),
    /// A part that trips over and over.
    Restless(usize),
}

struct Search<'a> {
    equations: &'a Equations,
    lu: Lu,
    x: Vec<f64>,
    f: Vec<f64>,
    q: Vec<f64>,
    flows: Vec<Flow>,
    /// The last step of Newton's method.
    before: Vec<f64>,
    matrix: Matrix,
    iterations: u64,
    /// Iterations at which the method at hand is given up.
    budget: u64,
    /// Farthest that voltages may move at once, V.
    reach: f64,
}

impl<'a> Search<'a> {
    fn new(equations: &'a Equations) -> Self {
        let zero = vec![0.0; equations.n + 1];
        Search {
            equations,
            lu: equations.factors(),
            x: zero.clone(),
            f: zero.clone(),
            before: zero.clone(),
            q: zero,
            flows: vec![Flow::default(); equations.models.len()],
            matrix: equations.matrix(),
            iterations: 0,
            budget: 0,
            reach: equations.models.iter().map(|m| m.imposed_voltage()).fold(1.0, f64::max),
        }
    }

    /// From nothing to where nothing trips any more.
    fn by(&mut self, method: Method) -> Result<(), Trouble> {
        self.x.fill(0.0);
        self.equations.guess(&mut self.x);
        self.settle(method)?;
        let mut last = 0;
        for _ in 0..=MOST_TRIPS * self.equations.trips() {
            let Some(tripped) = self.equations.trip_beyond(&mut self.x, 0.0) else { return Ok(()) };
            last = tripped;
            self.newton(PLAIN, None)?;
        }
        Err(Trouble::Restless(last))
    }

    fn settle(&mut self, method: Method) -> Result<(), Trouble> {
        match method {
            Method::Newton => self.newton(PLAIN, None),
            Method::ShuntStepping => self.shunts(),
            Method::SourceStepping => self.sources(),
            Method::PseudoTransient => self.pseudo_transient(),
        }
    }

    /// Newton from the present `x`; with `anchor`, a conductance pulls every net towards it.
    fn newton(&mut self, conditions: Conditions, anchor: Option<(&[f64], f64)>) -> Result<(), Trouble> {
        let mut worst = 0;
        let mut share = 1.0f64;
        let mut hovering = 0;
        self.before.fill(0.0);
        for iteration in 0..MOST_ITERATIONS {
            let at = Point { x: &self.x, t: 0.0 };
            self.equations.evaluate(at, conditions, &mut self.f, &mut self.q, &mut self.flows, Some(&mut self.matrix));
            if let Some((anchor, conductance)) = anchor {
                self.equations.add_to_diagonals(&mut self.matrix, conductance);
                let nets = self.f.iter_mut().zip(&self.x).zip(anchor).take(self.equations.nets).skip(1);
                for ((f, x), anchor) in nets {
                    *f += conductance * (x - anchor);
                }
            }
            self.iterations += 1;
            self.lu.factor(&self.matrix.values).map_err(|singular| Trouble::Singular(singular.column + 1))?;
            self.lu.solve(&mut self.f[1..]);
            let mut settled = !self.matrix.limited;
            let mut largest = 0.0;
            // A step that goes back where the last came from, as between the two limits of an amplifier,
            // is shortened until it does not; and so is one that would take a voltage further than the
            // sources could drive it.
            share = if self.returns() { 0.5 * share } else { (GROWTH * share).min(1.0) }.max(LEAST_SHARE);
            let damping = share * (self.reach / self.farthest()).min(1.0);
            self.before.copy_from_slice(&self.f);
            settled &= share == 1.0;
            for i in 1..=self.equations.n {
                let step = damping * self.f[i];
                self.x[i] -= step;
                let abstol = match self.equations.unknowns[i] {
                    Unknown::Net(_) | Unknown::Inner(_) | Unknown::Other(_) => ABSTOL_VOLTAGE,
                    Unknown::Branch(_) => ABSTOL_CURRENT,
                };
                let size = step.abs() / (RELTOL * self.x[i].abs() + abstol);
                if size.is_nan() || size > 1.0 {
                    settled = false;
                }
                if size.is_nan() || size > largest {
                    (largest, worst) = (size, i);
                }
            }
            if !self.x.iter().all(|v| v.is_finite()) {
                return Err(Trouble::Unsettled(worst));
            }
            // A small resistance turns the rounding of its voltages into a current that never comes to rest.
            // Undamped, for what goes back and forth is damped.
            let hovers = largest <= HOVER * damping && !self.matrix.limited;
            hovering = if hovers { hovering + 1 } else { 0 };
            if settled || hovering >= HOVERS || (!self.equations.nonlinear && iteration > 1) {
                return Ok(());
            }
        }
        Err(Trouble::Unsettled(worst))
    }

    /// Whether the voltages are about to go back nearly all of the way they last went.
    fn returns(&self) -> bool {
        let (mut product, mut square) = (0.0, 0.0);
        for ((step, before), unknown) in self.f.iter().zip(&self.before).zip(&self.equations.unknowns).skip(1) {
            if matches!(unknown, Unknown::Net(_) | Unknown::Inner(_)) {
                product += step * before;
                square += before * before;
            }
        }
        product < -RETURN * square
    }

    /// Whether the method at hand has had its share.
    fn spent(&self) -> bool {
        self.iterations >= self.budget
    }

    /// Farthest that a voltage would move, V.
    fn farthest(&self) -> f64 {
        let voltages = self.f.iter().zip(&self.equations.unknowns).skip(1);
        let voltages = voltages.filter(|(_, unknown)| matches!(unknown, Unknown::Net(_) | Unknown::Inner(_)));
        voltages.map(|(step, _)| step.abs()).fold(f64::MIN_POSITIVE, f64::max)
    }

    fn shunts(&mut self) -> Result<(), Trouble> {
        let mut shunt = 1.0;
        while shunt > 1e-13 {
            self.newton(Conditions { shunt, ..PLAIN }, None)?;
            shunt *= 0.1;
        }
        self.newton(PLAIN, None)
    }

    fn sources(&mut self) -> Result<(), Trouble> {
        let (mut reached, mut step) = (0.0f64, 0.1);
        while reached < 1.0 {
            let next = (reached + step).min(1.0);
            let kept = self.x.clone();
            match self.newton(Conditions { source_scale: next, ..PLAIN }, None) {
                Ok(()) => {
                    reached = next;
                    step *= 2.0;
                }
                Err(trouble) if step < 1e-6 || self.spent() => return Err(trouble),
                Err(_) => {
                    self.x = kept;
                    step *= 0.25;
                }
            }
        }
        Ok(())
    }

    fn pseudo_transient(&mut self) -> Result<(), Trouble> {
        let mut conductance = 1.0;
        while conductance > 1e-15 {
            let anchor = self.x.clone();
            match self.newton(PLAIN, Some((&anchor, conductance))) {
                Ok(()) => conductance *= 0.25,
                Err(trouble) if conductance > 1e9 || self.spent() => return Err(trouble),
                Err(_) => {
                    self.x = anchor;
                    conductance *= 16.0;
                }
            }
        }
        self.newton(PLAIN, None)
    }
}

#[cfg(test)]
mod tests {
    use super::{BUDGET, Method, Search};
    use crate::equations::Equations;
    use circuit::Supply;

    /// Holds its output at either limit, so that the way decides where one arrives.
    const TWO_POINTS: &str = "schmitt";

    /// Each way to an operating point, taken by itself, leads where Newton's method leads, in all but one
    /// of the circuits at least. Otherwise none but Newton's would be tried: it settles every circuit there
    /// is.
    #[test]
    fn all_methods_lead_to_one_point() {
        let folder = std::path::Path::new(env!("CARGO_MANIFEST_DIR")).join("tests/circuits");
        let others = [Method::ShuntStepping, Method::SourceStepping, Method::PseudoTransient];
        let (mut circuits, mut reached) = (0, [0; 3]);
        for file in std::fs::read_dir(folder).unwrap() {
            let path = file.unwrap().path();
            let supply = Supply::from_json(&std::fs::read_to_string(&path).unwrap()).unwrap();
            let equations = Equations::new(&circuit::resolve(&supply).unwrap());
            let found = |method: Method| {
                let mut search = Search::new(&equations);
                search.budget = BUDGET;
                search.by(method).is_ok().then_some(search.x)
            };
            let Some(newton) = found(Method::Newton) else { continue };
            circuits += 1;
            for (count, method) in reached.iter_mut().zip(others) {
                let Some(x) = found(method) else { continue };
                *count += 1;
                let scale = newton.iter().fold(0.0, |scale: f64, v| scale.max(v.abs()));
                let off = x.iter().zip(&newton).map(|(a, b)| (a - b).abs()).fold(0.0, f64::max);
                let agree = off <= 1e-8 * scale + 1e-10 || path.file_stem().is_some_and(|stem| stem == TWO_POINTS);
                assert!(agree, "{}: {method} is {off} off", path.display());
            }
        }
        assert!(circuits > 60 && reached.iter().all(|count| *count + 1 >= circuits), "{reached:?} of {circuits}");
    }
}
