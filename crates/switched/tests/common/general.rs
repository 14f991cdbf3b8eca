//! The pieces of a circuit given to `diffsol`, a general-purpose solver, which finds its own way through each and when it ends.
#![allow(dead_code, unreachable_pub)]

use circuit::Circuit;
use diffsol::{NalgebraLU, NalgebraMat, OdeBuilder, OdeSolverMethod, OdeSolverStopReason};
use mellow_switched::Pieces;
use std::cell::RefCell;
use std::rc::Rc;

type M = NalgebraMat<f64>;

/// Part of what a guard is made of that is rounding.
const ROUNDING: f64 = 1e-11;
/// Steps after which it is given up.
const MOST_STEPS: usize = 100_000;
/// First step behind an event, s.
const FIRST: f64 = 1e-10;
/// Time that it cannot tell apart, relative to the time.
const INSTANT: f64 = 1e-13;
/// What flows and is held that may be told less exactly, in units of the states, and least size of what a guard is made of.
const SMALL: f64 = 1e-3;
const LEAST: f64 = 1e-9;

/// The piece at hand, as the solver sees it.
struct Piece {
    rates: linear::Matrix,
    /// Each guard's row, what it is counted from and what it is made of.
    guards: Vec<(Vec<f64>, f64, f64)>,
}

impl Piece {
    fn of(pieces: &Pieces) -> Self {
        let z = pieces.running();
        let guards = pieces.guards().map(|row| {
            let terms = row.iter().zip(z).map(|(factor, z)| factor * z);
            let largest = row.iter().fold(f64::MIN_POSITIVE, |most: f64, factor| most.max(factor.abs()));
            let made_of = terms.clone().map(f64::abs).sum::<f64>().max(LEAST * largest);
            // What an event left below zero counts from there.
            (row.to_vec(), terms.sum::<f64>().min(0.0), made_of)
        });
        Piece { rates: pieces.rates().clone(), guards: guards.collect() }
    }

    fn guard(&self, guard: usize, z: &[f64]) -> f64 {
        let (row, base, made_of) = &self.guards[guard];
        (row.iter().zip(z).map(|(factor, z)| factor * z).sum::<f64>() - base) / made_of + ROUNDING
    }

    /// The guard nearest to giving way, and how near.
    fn nearest(&self, z: &[f64]) -> (usize, f64) {
        let all = (0..self.guards.len()).map(|guard| (guard, self.guard(guard, z)));
        all.min_by(|a, b| a.1.total_cmp(&b.1)).unwrap_or((usize::MAX, 1.0))
    }
}

/// Walks to a time, s, and says in how many steps, and what voltages and currents are there; none if the solver gives up.
pub fn walk(circuit: &Circuit, end: f64, rtol: f64) -> Option<(usize, Vec<f64>)> {
    let mut pieces = Pieces::new(circuit).unwrap();
    let piece = Rc::new(RefCell::new(Piece::of(&pieces)));
    let (for_rates, for_slopes, for_guards) = (piece.clone(), piece.clone(), piece.clone());
    let first = pieces.running().to_vec();
    let n = first.len();
    let mut problem = OdeBuilder::<M>::new()
        .rtol(rtol)
        .atol(vec![rtol * SMALL; n])
        .rhs_implicit(
            move |z, _p, _t, y: &mut [f64]| for_rates.borrow().rates.apply(z, y),
            move |_z, _p, _t, v, y: &mut [f64]| for_slopes.borrow().rates.apply(v, y),
        )
        .init(move |_p, _t, y: &mut [f64]| y.copy_from_slice(&first), n)
        .root(move |z, _p, _t, y: &mut [f64]| y[0] = for_guards.borrow().nearest(z).1, 1)
        .build()
        .ok()?;
    problem.ode_options.min_timestep = 1e-18;
    problem.ode_options.max_error_test_failures = 1_000_000;
    problem.ode_options.max_nonlinear_solver_failures = 1_000_000;
    let mut solver = problem.bdf::<NalgebraLU<f64>>().ok()?;
    let mut steps = 0;
    while pieces.time() < end {
        let corner = pieces.corner().min(end);
        if corner - solver.state().t > INSTANT * corner {
            solver.set_stop_time(corner).ok()?;
        }
        let guard = loop {
            // Times as near as that count as one for it.
            if corner - solver.state().t <= INSTANT * corner {
                break None;
            }
            steps += 1;
            if steps > MOST_STEPS {
                return None;
            }
            match solver.step().ok()? {
                OdeSolverStopReason::InternalTimestep => {}
                OdeSolverStopReason::TstopReached => break None,
                OdeSolverStopReason::RootFound(t, _) => {
                    solver.state_mut_back(t).ok()?;
                    break Some(piece.borrow().nearest(solver.state().y.batch_as_slice(0)).0);
                }
            }
        };
        let at = solver.state().y.batch_as_slice(0).to_vec();
        let t = solver.state().t;
        if guard.is_none() && corner >= end && pieces.corner() > end {
            pieces.come(end, &at);
            break;
        }
        pieces.enter(if guard.is_none() { corner } else { t }, &at, guard).ok()?;
        *piece.borrow_mut() = Piece::of(&pieces);
        let mut rates = vec![0.0; n];
        pieces.rates().apply(pieces.running(), &mut rates);
        let state = solver.state_mut();
        *state.t = pieces.time();
        state.y.batch_as_mut_slice(0).copy_from_slice(pieces.running());
        state.dy.batch_as_mut_slice(0).copy_from_slice(&rates);
        *state.h = FIRST;
    }
    Some((steps, pieces.values()))
}
