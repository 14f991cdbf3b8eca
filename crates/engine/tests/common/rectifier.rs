//! The demo rectifier's equations written out by hand and given to `diffsol`, a general-purpose
//! solver, as a system with a singular mass matrix.
//!
//! Unknowns: both winding currents, the voltage inside the reservoir, and the nets `ac1`, `ac2`
//! and `bus`. The insulation resistor carries no current and is left out.

use circuit::{Circuit, Supply, resolve};
use diffsol::{NalgebraLU, NalgebraMat, NalgebraVec, OdeBuilder, OdeEquations, OdeSolverMethod, OdeSolverStopReason};

type M = NalgebraMat<f64>;

pub fn demo() -> Circuit {
    let text = include_str!("../../../../demo/tide-gauge-mains-supply.json");
    resolve(&Supply::from_json(text).unwrap()).unwrap()
}

#[derive(Clone, Copy)]
struct Rectifier {
    peak: f64,
    omega: f64,
    l: [f64; 2],
    m: f64,
    r: [f64; 2],
    capacitance: f64,
    esr: f64,
    load: f64,
    diode: Diode,
}

#[derive(Clone, Copy)]
struct Diode {
    saturation_current: f64,
    slope: f64,
    resistance: f64,
}

impl Diode {
    /// Current and conductance at a voltage: Newton on the logarithm y of ω in e^y + y = z, which
    /// is monotone and convex, so it cannot stray.
    fn at(&self, v: f64) -> (f64, f64) {
        let ratio = self.saturation_current * self.resistance / self.slope;
        let z = ratio.ln() + ratio + v / self.slope;
        let mut y = if z > 1.0 { z.ln() } else { z };
        for _ in 0..30 {
            let e = y.exp();
            let step = (e + y - z) / (e + 1.0);
            y -= step;
            if step.abs() < 1e-15 * (1.0 + y.abs()) {
                break;
            }
        }
        let w = y.exp();
        // The engine's 1 pS across each junction belongs to the equations.
        let current = self.slope / self.resistance * w - self.saturation_current + 1e-12 * v;
        (current, w / (self.resistance * (1.0 + w)) + 1e-12)
    }
}

impl Rectifier {
    fn new(circuit: &Circuit) -> Self {
        let value = |part: &str, name: &str| circuit.parts[circuit.part(part).unwrap()].value(name);
        let l = [value("T1", "primary_inductance"), value("T1", "secondary_inductance")];
        Rectifier {
            peak: value("V1", "amplitude") * std::f64::consts::SQRT_2,
            omega: std::f64::consts::TAU * value("V1", "frequency"),
            l,
            m: value("T1", "coupling") * (l[0] * l[1]).sqrt(),
            r: [value("T1", "primary_resistance"), value("T1", "secondary_resistance")],
            capacitance: value("C1", "capacitance"),
            esr: value("C1", "esr"),
            load: value("R1", "resistance"),
            diode: Diode {
                saturation_current: value("D1", "saturation_current"),
                // Boltzmann constant over elementary charge (SI 2019) at 300.15 K.
                slope: value("D1", "emission") * 8.617_333_262e-5 * 300.15,
                resistance: value("D1", "series_resistance"),
            },
        }
    }

    fn right_side(&self, [i1, i2, u, a, b, bus]: [f64; 6], t: f64) -> [f64; 6] {
        let d = |v: f64| self.diode.at(v).0;
        let (d1, d2, d3, d4) = (d(a - bus), d(b - bus), d(-a), d(-b));
        let charging = (bus - u) / self.esr;
        [
            self.peak * (self.omega * t).sin() - self.r[0] * i1,
            a - b - self.r[1] * i2,
            charging,
            i2 + d1 - d3,
            -i2 + d2 - d4,
            charging + bus / self.load - d1 - d2,
        ]
    }

    fn jacobian_times(&self, [_, _, _, a, b, bus]: [f64; 6], [vi1, vi2, vu, va, vb, vbus]: [f64; 6]) -> [f64; 6] {
        let g = |v: f64| self.diode.at(v).1;
        let (d1, d2) = (g(a - bus) * (va - vbus), g(b - bus) * (vb - vbus));
        let (d3, d4) = (-g(-a) * va, -g(-b) * vb);
        let charging = (vbus - vu) / self.esr;
        [
            -self.r[0] * vi1,
            va - vb - self.r[1] * vi2,
            charging,
            vi2 + d1 - d3,
            -vi2 + d2 - d4,
            charging + vbus / self.load - d1 - d2,
        ]
    }

    fn mass_times(&self, v: [f64; 6]) -> [f64; 6] {
        let [l1, l2] = self.l;
        [l1 * v[0] + self.m * v[1], self.m * v[0] + l2 * v[1], self.capacitance * v[2], 0.0, 0.0, 0.0]
    }
}

/// A method of the reference solver.
#[derive(Clone, Copy, Debug)]
pub enum Method {
    Bdf,
    TrBdf2,
}

/// The solution at every step the reference solver takes: time, bus voltage, current of D1; and
/// the count of steps. None if the solver gives up, as it does at some tolerances.
pub fn reference(circuit: &Circuit, end: f64, rtol: f64, method: Method) -> Option<(Vec<[f64; 3]>, usize)> {
    let rectifier = Rectifier::new(circuit);
    let get = |x: &[f64]| std::array::from_fn::<f64, 6, _>(|i| x[i]);
    let set = |y: &mut [f64], values: [f64; 6]| y.copy_from_slice(&values);
    let mut problem = OdeBuilder::<M>::new()
        .rtol(rtol)
        .atol([rtol * 1e-1, rtol, rtol * 10.0, rtol * 10.0, rtol * 10.0, rtol * 10.0])
        .rhs_implicit(
            move |x, _p, t, y| set(y, rectifier.right_side(get(x), t)),
            move |x, _p, _t, v, y| set(y, rectifier.jacobian_times(get(x), get(v))),
        )
        .mass(move |v, _p, _t, beta, y| {
            let product = rectifier.mass_times(get(v));
            for (i, value) in product.into_iter().enumerate() {
                y[i] = value + beta * y[i];
            }
        })
        .init(|_p, _t, y| y.fill(0.0), 6)
        .build()
        .unwrap();
    // Where all four diodes cut off the winding's current dies within picoseconds.
    problem.ode_options.min_timestep = 1e-18;
    problem.ode_options.max_error_test_failures = 1_000_000;
    problem.ode_options.max_nonlinear_solver_failures = 1_000_000;
    problem.ode_options.update_jacobian_after_steps = 1;
    problem.ode_options.update_rhs_jacobian_after_steps = 1;
    let at = |x: &NalgebraVec<f64>| {
        let x = get(x.batch_as_slice(0));
        (x[5], rectifier.diode.at(x[3] - x[5]).0)
    };
    match method {
        Method::Bdf => walk(problem.bdf::<NalgebraLU<f64>>().ok()?, end, at),
        Method::TrBdf2 => walk(problem.tr_bdf2::<NalgebraLU<f64>>().ok()?, end, at),
    }
}

fn walk<'a, E, S>(
    mut solver: S,
    end: f64,
    at: impl Fn(&NalgebraVec<f64>) -> (f64, f64),
) -> Option<(Vec<[f64; 3]>, usize)>
where
    E: OdeEquations<T = f64, V = NalgebraVec<f64>> + 'a,
    S: OdeSolverMethod<'a, E>,
{
    solver.set_stop_time(end).unwrap();
    let mut nodes = Vec::new();
    let mut steps = 0;
    let mut before = 0.0;
    loop {
        let reason = solver.step().ok()?;
        steps += 1;
        let t = solver.state().t;
        // Four points a step, from the solver's own interpolant.
        for k in 1..=4 {
            let time = before + (t - before) * f64::from(k) / 4.0;
            let (bus, current) = at(&solver.interpolate(time).unwrap());
            nodes.push([time, bus, current]);
        }
        before = t;
        if matches!(reason, OdeSolverStopReason::TstopReached) {
            return Some((nodes, steps));
        }
    }
}

/// Mean and peak-to-peak of the bus over the last periods, and the peak current of D1.
pub fn figures(nodes: &[[f64; 3]], from: f64) -> (f64, f64, f64) {
    let (mut area, mut min, mut max, mut peak) = (0.0, f64::INFINITY, f64::NEG_INFINITY, 0.0f64);
    let inside: Vec<&[f64; 3]> = nodes.iter().filter(|n| n[0] >= from).collect();
    for pair in inside.windows(2) {
        area += 0.5 * (pair[0][1] + pair[1][1]) * (pair[1][0] - pair[0][0]);
    }
    for [_, bus, current] in &inside {
        min = min.min(*bus);
        max = max.max(*bus);
        peak = peak.max(*current);
    }
    (area / (inside[inside.len() - 1][0] - inside[0][0]), max - min, peak)
}
