//! Modified nodal analysis: `dq(x)/dt + f(x, t) = 0`.
//!
//! Unknowns are net voltages to `gnd` and the currents of parts that need one. Rows are
//! Kirchhoff's current law at each net, then one row per branch current. Index 0 is `gnd`, always
//! zero and not solved for, so that net indices serve as they are and stamping needs no case
//! distinction; the matrix entries of `gnd` fall into a spare slot.

use crate::contract::{Flow, Model, Point};
use crate::models;
use crate::stamps::{Constants, Entry, Layout, Matrix, Stamps, Unknown};
use circuit::Circuit;
use linear::{Lu, Pattern, Scalar, Symbolic};
use recording::Column;
use std::sync::Arc;

/// Where a recorded column comes from.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
enum Source {
    Unknown(usize),
    Current(usize),
    Power(usize),
}

/// The equations of a circuit, ready to be evaluated and solved.
pub struct Equations {
    pub(crate) n: usize,
    pub(crate) unknowns: Vec<Unknown>,
    /// Nets, `gnd` included; branch currents follow them.
    pub(crate) nets: usize,
    pub(crate) models: Vec<Box<dyn Model>>,
    part_ids: Vec<String>,
    part_nets: Vec<Vec<usize>>,
    varying: Vec<usize>,
    constant: Vec<usize>,
    /// Devices that trip between two states.
    tripping: Vec<usize>,
    pub(crate) nonlinear: bool,
    symbolic: Arc<Symbolic>,
    /// The matrix entries the models asked for, and the slot of each.
    entries: Vec<(usize, usize)>,
    slots: Vec<usize>,
    g: Vec<f64>,
    c: Vec<f64>,
    /// The entries of `g` and `c` that are not zero, with their places in the vectors.
    flat_g: Vec<Constant>,
    flat_c: Vec<Constant>,
    /// Slots of ∂q/∂x that are not constant.
    charged: Vec<Charged>,
    junctions: usize,
    /// Rows that carry a charge or flux.
    pub(crate) dynamic: Vec<bool>,
    /// Unknowns whose error is controlled: net voltages and the currents of windings.
    pub(crate) controlled: Vec<bool>,
    net_diagonals: Vec<usize>,
    columns: Vec<Column>,
    /// Where each comes from.
    sources: Vec<Source>,
}

impl Equations {
    /// Builds the equations of a circuit.
    pub fn new(circuit: &Circuit) -> Self {
        Self::build(circuit, None)
    }

    /// Builds the equations of a circuit that differs from this one in values. What follows from the
    /// pattern alone, the places and the order of elimination, is taken over; if the patterns differ
    /// after all, it is found anew.
    pub fn again(&self, circuit: &Circuit) -> Self {
        Self::build(circuit, Some(self))
    }

    fn build(circuit: &Circuit, known: Option<&Equations>) -> Self {
        let nets = circuit.nets.len();
        let unknowns = circuit.nets.iter().cloned().map(Unknown::Net).collect();
        let mut layout =
            Layout { unknowns, entries: Vec::new(), windings: Vec::new(), charged: Vec::new(), junctions: 0 };
        let models: Vec<_> = circuit.parts.iter().map(|part| models::build(part, &mut layout)).collect();
        let n = layout.unknowns.len() - 1;
        let diagonals: Vec<Entry> = (1..nets).map(|net| layout.entry(net, net)).collect();
        let known = known.filter(|known| known.n == n && known.entries == layout.entries);
        let (symbolic, slots) = match known {
            Some(known) => (Arc::clone(&known.symbolic), known.slots.clone()),
            None => places(n, &layout.entries),
        };
        let pattern = &symbolic.pattern;
        let spare = pattern.rows.len();
        let (mut g, mut c) = (vec![0.0; spare + 1], vec![0.0; spare + 1]);
        let mut constants = Constants { slots: &slots, g: &mut g, c: &mut c };
        for model in &models {
            model.constants(&mut constants);
        }
        // What fell into the spare slot belongs to gnd and is dropped.
        (g[spare], c[spare]) = (0.0, 0.0);
        let mut controlled = vec![false; n + 1];
        controlled[1..nets].fill(true);
        layout.windings.iter().for_each(|branch| controlled[*branch] = true);
        let held = |unknown: &Unknown| matches!(unknown, Unknown::Inner(_) | Unknown::Other(_));
        controlled.iter_mut().zip(&layout.unknowns).for_each(|(c, unknown)| *c |= held(unknown));
        let mut dynamic = vec![false; n + 1];
        for (row, _) in pattern.rows.iter().zip(&c).filter(|(_, value)| **value != 0.0) {
            dynamic[row + 1] = true;
        }
        let charged = charged(pattern, layout.charged.iter().map(|e| slots[*e]).collect());
        for Charged { row, .. } in &charged {
            dynamic[*row as usize] = true;
        }
        let (columns, sources) = (recording::columns(circuit), sources(circuit).collect());
        Equations {
            n,
            nets,
            varying: (0..models.len()).filter(|&m| models[m].varies()).collect(),
            constant: (0..models.len()).filter(|&m| !models[m].varies()).collect(),
            tripping: (0..models.len()).filter(|&m| models[m].trips()).collect(),
            nonlinear: models.iter().any(|m| m.nonlinear()),
            models,
            part_ids: circuit.parts.iter().map(|p| p.id.clone()).collect(),
            part_nets: circuit.parts.iter().map(|p| p.pins.clone()).collect(),
            unknowns: layout.unknowns,
            net_diagonals: diagonals.iter().map(|e| slots[e.0]).collect(),
            columns,
            sources,
            flat_g: flat(pattern, &g),
            flat_c: flat(pattern, &c),
            charged,
            junctions: layout.junctions,
            entries: layout.entries,
            symbolic,
            slots,
            g,
            c,
            dynamic,
            controlled,
        }
    }

    /// What a recording of this circuit holds, column by column.
    pub fn columns(&self) -> &[Column] {
        &self.columns
    }

    /// Size of the system of equations.
    pub fn unknown_count(&self) -> usize {
        self.n
    }

    pub(crate) fn factors<T: Scalar>(&self) -> Lu<T> {
        Lu::new(Arc::clone(&self.symbolic))
    }

    /// Space for a matrix of this pattern, one spare slot included.
    pub(crate) fn matrix(&self) -> Matrix {
        let zero = vec![0.0; self.g.len()];
        let charges = if self.charged.is_empty() { Vec::new() } else { zero.clone() };
        Matrix { alpha: 0.0, values: zero, charges, junctions: vec![0.0; self.junctions], limited: false }
    }

    /// Evaluates f and q, and with a matrix also `alpha·∂q/∂x + ∂f/∂x`.
    ///
    /// Vectors have n + 1 elements, the first standing for `gnd`; `flows` has one element per
    /// part, of which those of varying parts are set.
    pub(crate) fn evaluate(
        &self,
        at: Point<'_>,
        conditions: Conditions,
        f: &mut [f64],
        q: &mut [f64],
        flows: &mut [Flow],
        mut matrix: Option<&mut Matrix>,
    ) {
        f.fill(0.0);
        q.fill(0.0);
        for Constant { row, column, value } in &self.flat_g {
            f[*row as usize] += value * at.x[*column as usize];
        }
        for Constant { row, column, value } in &self.flat_c {
            q[*row as usize] += value * at.x[*column as usize];
        }
        if let Some(matrix) = matrix.as_deref_mut() {
            for ((out, c), g) in matrix.values.iter_mut().zip(&self.c).zip(&self.g) {
                *out = matrix.alpha * c + g;
            }
            matrix.charges.fill(0.0);
            matrix.limited = false;
        }
        let Conditions { source_scale, gmin, shunt, resting } = conditions;
        let mut stamps = Stamps { slots: &self.slots, f, q, matrix, source_scale, gmin, resting };
        for &m in &self.varying {
            flows[m] = self.models[m].stamp(at, &mut stamps);
        }
        if shunt > 0.0 {
            for (net, diagonal) in self.net_diagonals.iter().enumerate() {
                stamps.f[net + 1] += shunt * at.x[net + 1];
                if let Some(matrix) = stamps.matrix.as_deref_mut() {
                    matrix.values[*diagonal] += shunt;
                }
            }
        }
    }

    /// `∂q/∂x·v`, for the charges as they were when the matrix was built.
    pub(crate) fn charges_of(&self, matrix: &Matrix, v: &[f64], product: &mut [f64]) {
        product.fill(0.0);
        for Constant { row, column, value } in &self.flat_c {
            product[*row as usize] += value * v[*column as usize];
        }
        for Charged { row, column, slot } in &self.charged {
            product[*row as usize] += matrix.charges[*slot as usize] * v[*column as usize];
        }
    }

    /// Sums of the sizes of what makes up each charge or flux at `x`: a flux can be the small difference
    /// of large ones, and is then known no better than they are.
    pub(crate) fn charge_sizes(&self, matrix: &Matrix, x: &[f64], sizes: &mut [f64]) {
        sizes.fill(0.0);
        for Constant { row, column, value } in &self.flat_c {
            sizes[*row as usize] += (value * x[*column as usize]).abs();
        }
        for Charged { row, column, slot } in &self.charged {
            sizes[*row as usize] += (matrix.charges[*slot as usize] * x[*column as usize]).abs();
        }
    }

    /// ∂q/∂x, slot by slot.
    pub(crate) fn capacitances(&self, matrix: &Matrix) -> Vec<f64> {
        let mut all = self.c.clone();
        for (all, charge) in all.iter_mut().zip(&matrix.charges) {
            *all += charge;
        }
        all
    }

    /// Adds a conductance to the diagonal of every net.
    pub(crate) fn add_to_diagonals(&self, matrix: &mut Matrix, value: f64) {
        for diagonal in &self.net_diagonals {
            matrix.values[*diagonal] += value;
        }
    }

    /// Completes what flows into parts that do not vary.
    pub(crate) fn fill_flows(&self, at: Point<'_>, flows: &mut [Flow]) {
        for &m in &self.constant {
            flows[m] = self.models[m].flow(at);
        }
    }

    /// Appends the values of all recorded columns at a point to a row.
    pub(crate) fn record(&self, at: Point<'_>, flows: &[Flow], row: &mut Vec<f64>) {
        row.extend(self.sources.iter().map(|source| match *source {
            Source::Unknown(unknown) => at.x[unknown],
            Source::Current(part) => flows[part].current,
            Source::Power(part) => flows[part].power,
        }));
    }

    /// A matrix written out, rows and columns by unknown.
    #[cfg(test)]
    pub(crate) fn dense(&self, values: &[f64]) -> Vec<Vec<f64>> {
        let mut all = vec![vec![0.0; self.n + 1]; self.n + 1];
        for column in 0..self.n {
            for p in self.symbolic.pattern.column(column) {
                all[self.symbolic.pattern.rows[p] + 1][column + 1] += values[p];
            }
        }
        all
    }

    /// Index of a part by designator.
    pub(crate) fn part_index(&self, part: &str) -> Option<usize> {
        self.part_ids.iter().position(|id| id == part)
    }

    /// Designator of a part by index.
    pub(crate) fn part(&self, index: usize) -> String {
        self.part_ids[index].clone()
    }

    /// Leaves only the columns wanted in what recordings of this circuit will hold.
    pub fn record_only(&mut self, wanted: impl Fn(&Column) -> bool) {
        let columns = std::mem::take(&mut self.columns).into_iter().zip(std::mem::take(&mut self.sources));
        (self.columns, self.sources) = columns.filter(|(column, _)| wanted(column)).unzip();
    }

    /// How far the nearest device is from tripping, relative to its thresholds; negative beyond.
    pub(crate) fn margin(&self, at: Point<'_>) -> f64 {
        self.tripping.iter().map(|m| self.models[*m].margin(at)).fold(f64::INFINITY, f64::min)
    }

    /// How many devices trip.
    pub(crate) fn trips(&self) -> usize {
        self.tripping.len()
    }

    /// Trips the first device whose time has come or that is beyond its threshold; returns its index.
    pub(crate) fn trip(&self, x: &mut [f64], t: f64) -> Option<usize> {
        if let Some(due) = self.tripping.iter().copied().find(|m| self.models[*m].due(Point { x, t })) {
            self.models[due].pass(x, t);
            return Some(due);
        }
        self.trip_beyond(x, t)
    }

    /// Trips the first device that is beyond its threshold; returns its index.
    pub(crate) fn trip_beyond(&self, x: &mut [f64], t: f64) -> Option<usize> {
        let tripped = self.tripping.iter().copied().find(|m| self.models[*m].margin(Point { x, t }) < 0.0)?;
        self.models[tripped].trip(x, t);
        Some(tripped)
    }

    /// Puts what only events change where it is at first.
    pub(crate) fn guess(&self, x: &mut [f64]) {
        self.tripping.iter().for_each(|m| self.models[*m].guess(x));
    }

    /// Power each part absorbs, by designator, W.
    pub(crate) fn powers(&self, flows: &[Flow]) -> Vec<(String, f64)> {
        self.part_ids.iter().cloned().zip(flows.iter().map(|flow| flow.power)).collect()
    }

    /// The regions in which devices are, by designator.
    pub(crate) fn regions(&self, at: Point<'_>) -> Vec<(String, &'static str)> {
        let regions = self.models.iter().zip(&self.part_ids);
        regions.filter_map(|(model, id)| model.region(at).map(|region| (id.clone(), region))).collect()
    }

    /// The earliest waveform corner after `t`.
    pub(crate) fn next_corner(&self, t: f64) -> Option<f64> {
        self.varying.iter().filter_map(|&m| self.models[m].next_corner(t)).min_by(f64::total_cmp)
    }

    /// Name of an unknown, for messages.
    pub(crate) fn name(&self, unknown: usize) -> String {
        match self.unknowns.get(unknown) {
            Some(Unknown::Net(net)) => format!("the voltage of net {net}"),
            Some(Unknown::Branch(part)) => format!("the current of {part}"),
            Some(Unknown::Inner(part)) => format!("a voltage inside {part}"),
            Some(Unknown::Other(part)) => format!("the state of {part}"),
            None => "the reference".to_owned(),
        }
    }

    /// A part connected to an unknown, a nonlinear one if there is any.
    pub(crate) fn part_at(&self, unknown: usize) -> String {
        match self.unknowns.get(unknown) {
            Some(Unknown::Branch(part) | Unknown::Inner(part) | Unknown::Other(part)) => part.clone(),
            _ => {
                let here = |p: &usize| self.part_nets[*p].contains(&unknown);
                let parts = 0..self.models.len();
                let found =
                    parts.clone().find(|p| here(p) && self.models[*p].nonlinear()).or_else(|| parts.clone().find(here));
                found.map(|p| self.part_ids[p].clone()).unwrap_or_default()
            }
        }
    }
}

/// The pattern of these entries, ordered for elimination, and the slot of each entry; those of `gnd`
/// fall into the spare slot behind the last.
fn places(n: usize, entries: &[(usize, usize)]) -> (Arc<Symbolic>, Vec<usize>) {
    let kept: Vec<usize> = (0..entries.len()).filter(|&e| entries[e].0 > 0 && entries[e].1 > 0).collect();
    let kept_entries: Vec<_> = kept.iter().map(|&e| (entries[e].0 - 1, entries[e].1 - 1)).collect();
    let (pattern, kept_slots) = Pattern::new(n, &kept_entries);
    let mut slots = vec![pattern.rows.len(); entries.len()];
    for (e, slot) in kept.into_iter().zip(kept_slots) {
        slots[e] = slot;
    }
    (Arc::new(Symbolic::new(pattern)), slots)
}

/// A constant entry of the matrices.
#[derive(Clone, Copy)]
struct Constant {
    row: u32,
    column: u32,
    value: f64,
}

/// An entry of ∂q/∂x that is not constant.
#[derive(Clone, Copy)]
struct Charged {
    row: u32,
    column: u32,
    slot: u32,
}

fn charged(pattern: &Pattern, mut slots: Vec<usize>) -> Vec<Charged> {
    slots.sort_unstable();
    slots.dedup();
    let column = |slot: usize| pattern.starts.partition_point(|start| *start <= slot);
    // The spare slot belongs to gnd.
    let kept = slots.into_iter().filter(|slot| *slot < pattern.rows.len());
    kept.map(|s| Charged { row: pattern.rows[s] as u32 + 1, column: column(s) as u32, slot: s as u32 }).collect()
}

fn flat(pattern: &Pattern, values: &[f64]) -> Vec<Constant> {
    let entry = |column: usize, p: usize| Constant {
        row: pattern.rows[p] as u32 + 1,
        column: column as u32 + 1,
        value: values[p],
    };
    let all = (0..pattern.n).flat_map(|column| pattern.column(column).map(move |p| entry(column, p)));
    all.filter(|constant| constant.value != 0.0).collect()
}

/// Aids to convergence; none of them is in force in a final result except `gmin`.
#[derive(Clone, Copy, Debug)]
pub(crate) struct Conditions {
    pub(crate) source_scale: f64,
    pub(crate) gmin: f64,
    /// Conductance from every net to `gnd`, S.
    pub(crate) shunt: f64,
    /// Whether no time passes.
    pub(crate) resting: bool,
}

/// Where the values of each column come from, in the order of [`recording::columns`].
fn sources(circuit: &Circuit) -> impl Iterator<Item = Source> {
    let nets = (1..circuit.nets.len()).map(Source::Unknown);
    let parts = circuit.parts.iter().enumerate().flat_map(|(index, part)| {
        std::iter::once(Source::Current(index)).chain((part.pins.len() > 2).then_some(Source::Power(index)))
    });
    nets.chain(parts)
}
