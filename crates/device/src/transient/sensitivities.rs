//! What becomes of small differences along a transient: the steps' own equations, linearised at the nodes they found.
//!
//! A difference is one of charges and fluxes, since a voltage that holds none does not last. What is taken off the end of a step
//! to make it of third order is left out, and so is how much earlier or later a device trips: who searches with this has to hold
//! what it finds against the circuit itself.

use super::step::{A, B, CONDITIONS, D, Node};
use crate::contract::Point;
use crate::equations::Equations;
use crate::stamps::Matrix;
use linear::{Lu, Singular};

/// A small difference where a step begins: its charges and fluxes, and what flows of it.
#[derive(Clone)]
struct Difference {
    q: Vec<f64>,
    f: Vec<f64>,
}

/// Small differences, and how large everything has been meanwhile.
pub(crate) struct Sensitivities {
    lu: Lu,
    matrix: Matrix,
    columns: Vec<Difference>,
    /// Of each, what its charge makes of the unknowns right at the beginning.
    pub(crate) reaches: Vec<Vec<f64>>,
    /// Largest magnitude of each unknown.
    pub(crate) largest: Vec<f64>,
    /// The unknown that a matrix of theirs left undetermined, if one did; nothing is to be made of them then.
    pub(crate) singular: Option<usize>,
    begun: bool,
    right: Vec<f64>,
    held: Vec<f64>,
    node: Node,
}

impl Sensitivities {
    /// One in each of these rows.
    pub(crate) fn new(equations: &Equations, rows: &[usize]) -> Self {
        let size = equations.n + 1;
        let zero = vec![0.0; size];
        let unit = |row: &usize| {
            let mut q = zero.clone();
            q[*row] = 1.0;
            Difference { q, f: zero.clone() }
        };
        Sensitivities {
            lu: equations.factors(),
            matrix: equations.matrix(),
            columns: rows.iter().map(unit).collect(),
            reaches: Vec::new(),
            largest: zero.clone(),
            singular: None,
            begun: false,
            right: zero.clone(),
            held: zero,
            node: Node::new(size, equations.models.len()),
        }
    }

    /// Charges and fluxes of a difference where it has come to.
    pub(crate) fn charges(&self, column: usize) -> &[f64] {
        &self.columns[column].q
    }

    /// Takes the differences over a step; over a leap, and over the first step, by backward Euler.
    pub(super) fn step(&mut self, equations: &Equations, nodes: [&Node; 3], leapt: bool) {
        if let Err(singular) = self.carry(equations, nodes, leapt) {
            self.singular = Some(singular.column + 1);
        }
    }

    fn carry(&mut self, equations: &Equations, nodes: [&Node; 3], leapt: bool) -> Result<(), Singular> {
        let [start, middle, end] = nodes;
        self.largest.iter_mut().zip(&end.x).for_each(|(most, x)| *most = most.max(x.abs()));
        if self.columns.is_empty() {
            return Ok(());
        }
        let h = end.t - start.t;
        if leapt || !self.begun {
            self.factor(equations, end, 1.0 / h)?;
            for k in 0..self.columns.len() {
                self.held.clone_from(&self.columns[k].q);
                let x = self.solve(equations, k, 1.0 / h);
                if !self.begun {
                    self.reaches.push(x);
                }
            }
            self.begun = true;
            return Ok(());
        }
        let alpha = 1.0 / (D * h);
        self.factor(equations, middle, alpha)?;
        let mut before = Vec::with_capacity(self.columns.len());
        for k in 0..self.columns.len() {
            let Difference { q, f } = &self.columns[k];
            self.held.iter_mut().zip(q.iter().zip(f)).for_each(|(held, (q, f))| *held = q - D * h * f);
            before.push(self.columns[k].q.clone());
            self.solve(equations, k, alpha);
        }
        self.factor(equations, end, alpha)?;
        for (k, before) in before.iter().enumerate() {
            let middle = &self.columns[k].q;
            self.held.iter_mut().zip(middle.iter().zip(before)).for_each(|(held, (m, q))| *held = A * m - B * q);
            self.solve(equations, k, alpha);
        }
        Ok(())
    }

    fn factor(&mut self, equations: &Equations, at: &Node, alpha: f64) -> Result<(), Singular> {
        self.matrix.alpha = alpha;
        let Node { f, q, flows, .. } = &mut self.node;
        let point = Point { x: &at.x, t: at.t };
        equations.evaluate(point, CONDITIONS, f, q, flows, Some(&mut self.matrix));
        self.lu.factor(&self.matrix.values)
    }

    /// `alpha·(∂q/∂x·x − held) + ∂f/∂x·x = 0`; leaves charges and flows in the column.
    fn solve(&mut self, equations: &Equations, column: usize, alpha: f64) -> Vec<f64> {
        let Sensitivities { lu, matrix, columns, right, held, .. } = self;
        for ((right, held), dynamic) in right.iter_mut().zip(held.iter()).zip(&equations.dynamic) {
            *right = if *dynamic { alpha * held } else { 0.0 };
        }
        lu.solve(&mut right[1..]);
        let Difference { q, f } = &mut columns[column];
        equations.charges_of(matrix, right, q);
        for ((f, q), held) in f.iter_mut().zip(q.iter()).zip(held.iter()) {
            *f = alpha * (held - q);
        }
        right.clone()
    }
}
