//! Systems of equations given to `diffsol`, a general-purpose solver for stiff equations.
#![allow(dead_code, unreachable_pub)]

use super::physics::{Number, Slope};
use diffsol::{NalgebraLU, NalgebraMat, NalgebraVec, OdeBuilder, OdeEquations, OdeSolverMethod, OdeSolverStopReason};

type M = NalgebraMat<f64>;

/// `mass·dx/dt = rhs(x, t)`, the mass matrix constant and diagonal or nearly so.
pub trait System: Copy + 'static {
    /// Count of unknowns.
    const N: usize;
    fn rhs<T: Number>(&self, x: &[T], t: f64, out: &mut [T]);
    fn mass(&self, v: &[f64], out: &mut [f64]);
    fn start(&self) -> Vec<f64> {
        vec![0.0; Self::N]
    }
    /// Size of each unknown, for the absolute tolerance.
    fn sizes(&self) -> Vec<f64>;
    /// Times at which an input has a corner.
    fn corners(&self) -> Vec<f64> {
        Vec::new()
    }
}

/// Solves by backward differences and hands every point to `see`, four to a step; returns the
/// count of steps, or None if the solver gives up.
pub fn solve<S: System>(system: S, end: f64, rtol: f64, mut see: impl FnMut(f64, &[f64])) -> Option<usize> {
    let mut problem = OdeBuilder::<M>::new()
        .rtol(rtol)
        .atol(system.sizes().into_iter().map(|size| rtol * size).collect::<Vec<_>>())
        .rhs_implicit(
            move |x, _p, t, y: &mut [f64]| system.rhs(x, t, y),
            move |x, _p, t, v, y: &mut [f64]| {
                let slopes: Vec<Slope> = x.iter().zip(v.iter()).map(|(x, v)| Slope(*x, *v)).collect();
                let mut out = vec![Slope(0.0, 0.0); S::N];
                system.rhs(&slopes, t, &mut out);
                y.iter_mut().zip(out).for_each(|(y, out)| *y = out.1);
            },
        )
        .mass(move |v, _p, _t, beta, y: &mut [f64]| {
            let mut out = vec![0.0; S::N];
            system.mass(v, &mut out);
            y.iter_mut().zip(out).for_each(|(y, out)| *y = out + beta * *y);
        })
        .init(move |_p, _t, y: &mut [f64]| y.copy_from_slice(&system.start()), S::N)
        .build()
        .ok()?;
    problem.ode_options.min_timestep = 1e-18;
    problem.ode_options.max_error_test_failures = 1_000_000;
    problem.ode_options.max_nonlinear_solver_failures = 1_000_000;
    problem.ode_options.update_jacobian_after_steps = 1;
    problem.ode_options.update_rhs_jacobian_after_steps = 1;
    let mut corners = system.corners();
    corners.retain(|t| *t > 0.0 && *t < end);
    corners.push(end);
    walk(problem.bdf::<NalgebraLU<f64>>().ok()?, &corners, &mut see)
}

fn walk<'a, E, S>(mut solver: S, stops: &[f64], see: &mut impl FnMut(f64, &[f64])) -> Option<usize>
where
    E: OdeEquations<T = f64, V = NalgebraVec<f64>> + 'a,
    S: OdeSolverMethod<'a, E>,
{
    let (mut steps, mut before) = (0, 0.0);
    see(0.0, solver.state().y.batch_as_slice(0));
    for stop in stops {
        solver.set_stop_time(*stop).ok()?;
        loop {
            let reason = solver.step().ok()?;
            steps += 1;
            let t = solver.state().t;
            for k in 1..=4 {
                let time = before + (t - before) * f64::from(k) / 4.0;
                see(time, solver.interpolate(time).ok()?.batch_as_slice(0));
            }
            before = t;
            if matches!(reason, OdeSolverStopReason::TstopReached) {
                break;
            }
        }
    }
    Some(steps)
}

/// Mean, minimum and maximum over time of something followed point by point.
#[derive(Clone, Copy, Debug)]
pub struct Figures {
    from: f64,
    /// The last two points, the second of which is missing at every other.
    first: Option<(f64, f64)>,
    second: Option<(f64, f64)>,
    area: f64,
    length: f64,
    pub min: f64,
    pub max: f64,
}

impl Figures {
    pub fn from(from: f64) -> Self {
        let (min, max) = (f64::INFINITY, f64::NEG_INFINITY);
        Figures { from, first: None, second: None, area: 0.0, length: 0.0, min, max }
    }

    /// Takes the next point. Three that are evenly spaced, as within a step, count by Simpson's rule.
    pub fn see(&mut self, t: f64, value: f64) {
        if t >= self.from {
            self.min = self.min.min(value);
            self.max = self.max.max(value);
        }
        match (self.first, self.second) {
            (Some((t0, y0)), Some((t1, y1))) => {
                let (a, b) = (t1 - t0, t - t1);
                let even = (a - b).abs() < 1e-6 * a;
                let simpson = (a + b) / 6.0 * (y0 + 4.0 * y1 + value);
                if t0 >= self.from {
                    self.area += if even { simpson } else { 0.5 * (a * (y0 + y1) + b * (y1 + value)) };
                    self.length += a + b;
                }
                (self.first, self.second) = (Some((t, value)), None);
            }
            (Some(_), None) => self.second = Some((t, value)),
            (None, _) => self.first = Some((t, value)),
        }
    }

    pub fn mean(&self) -> f64 {
        self.area / self.length
    }
}
