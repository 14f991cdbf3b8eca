//! One set of regions: a linear circuit, reduced to what runs.
//!
//! With w what is solved for (voltages of nets, currents) and z what runs (states and inputs) a network says
//! `K·w + G·z = 0` and `dz/dt = P·w + Q·z`. Where K is singular, rows `N·K = 0` leave constraints `C·z = 0`, C = N·G, on what
//! runs (loops of capacitors and sources, cut-sets of windings), and columns `K·R = 0` leave ways the circuit may go, of which
//! the derivative of the constraints chooses: `C·(P·w + Q·z) = 0`. So `w = W·z` and `dz/dt = A·z` hold as long as the
//! constraints do, and they do once they did.
//!
//! Where a configuration is entered they need not. Then a pulse of no duration flows, `w = R·c·δ(t)`, which changes
//! `z⁺ = z⁻ + P·R·c` such that `C·z⁺ = 0`: charge is conserved at every net and flux in every loop, because pulses obey the
//! same Kirchhoff laws (A. Opal & J. Vlach, *Consistent initial conditions of linear switched networks*, IEEE Trans. CAS 37,
//! 1990, from memory).

pub(crate) mod compiled;

use crate::network::{Contradiction, Network};
use control::Operation;
use linear::{Matrix, Ranked, dot};

/// A guard of the regions at hand, as rows over what runs.
#[derive(Clone, Debug)]
pub(crate) struct Watched {
    /// Element and guard within its region.
    pub(crate) element: usize,
    pub(crate) to: usize,
    /// Size of the pulse on entry, if there may be one, the guard's value, its first and second derivative: rows over z.
    pub(crate) pulse: Option<Vec<f64>>,
    pub(crate) levels: [Vec<f64>; 3],
    /// What right behind the entry each of these is made of, as sizes over what ran before it: rounding in that is rounding in them.
    pub(crate) made_of: [Vec<f64>; 3],
    /// What is set where it gives way.
    pub(crate) sets: Vec<Assigned>,
}

/// A reduced configuration.
#[derive(Debug, Default)]
pub(crate) struct Configuration {
    pub(crate) regions: Vec<u8>,
    /// `dz/dt = A·z`.
    pub(crate) rates: Matrix,
    /// `w = W·z`.
    pub(crate) solved: Matrix,
    /// `z⁺ = J·z⁻` on entry; none where nothing jumps.
    pub(crate) entry: Option<Matrix>,
    pub(crate) guards: Vec<Watched>,
    pub(crate) marks: Vec<Marked>,
    /// What goes through parts at once on entry: part, whether a flux across it rather than a charge, and the row over what ran
    /// before.
    pub(crate) pulses: Vec<(usize, bool, Vec<f64>)>,
}

/// A mark of a clock at which an element changes.
#[derive(Clone, Debug)]
pub(crate) struct Marked {
    pub(crate) element: usize,
    pub(crate) mark: usize,
    pub(crate) to: usize,
    pub(crate) sets: Vec<Assigned>,
}

/// A state that is set at an event.
#[derive(Clone, Debug)]
pub(crate) struct Assigned {
    pub(crate) state: usize,
    value: Followed,
    /// What that is multiplied with or divided by, if it is.
    factor: Option<(Operation, Followed)>,
    rule: control::Set,
}

/// A sum at an event: what is solved for, over what runs right before; and what runs itself, as it then is.
#[derive(Clone, Debug)]
struct Followed {
    solved: Vec<f64>,
    own: Vec<f64>,
}

impl Followed {
    fn value(&self, was: &[f64], is: &[f64]) -> f64 {
        dot(&self.solved, was) + dot(&self.own, is)
    }
}

impl Assigned {
    /// Sets what runs, and small differences of it along.
    pub(crate) fn apply(&self, was: (&[f64], &[f64]), z: &mut [f64], difference: &mut [f64]) {
        let first = self.value.value(was.0, z);
        let second = self.factor.as_ref().map(|(operation, factor)| (*operation, factor.value(was.0, z), factor));
        let value = second.map_or(first, |(operation, second, _)| operation.of(first, second));
        if !difference.is_empty() {
            let follows = if self.rule.follows(value) {
                let by_first = self.value.value(was.1, difference);
                second.map_or(by_first, |(operation, second, factor)| {
                    let [a, b] = operation.slopes(first, second);
                    a * by_first + b * factor.value(was.1, difference)
                })
            } else {
                0.0
            };
            difference[self.state] = follows;
        }
        z[self.state] = self.rule.becomes(value);
    }
}

/// What sets states: a guard or a mark, by its place in the configuration.
#[derive(Clone, Copy, Debug)]
pub(crate) enum By {
    Guard(usize),
    Mark(usize),
}

/// What happens to what runs at an event.
#[derive(Clone, Debug)]
pub(crate) enum Jump {
    /// A configuration is entered.
    Entered(usize),
    /// In a configuration states are set, all of them by what was solved for before, or by what would be if it were entered.
    Set { at: usize, by: Vec<By>, entering: bool },
}

impl Jump {
    /// The configuration it is of.
    pub(crate) fn of(&self) -> usize {
        match self {
            Jump::Entered(at) | Jump::Set { at, .. } => *at,
        }
    }

    /// Lets it happen to what runs, and to a small difference if there is one.
    pub(crate) fn happen(&self, of: &Configuration, z: &mut [f64], difference: &mut [f64]) {
        match self {
            Jump::Entered(_) => of.enter([z, difference]),
            Jump::Set { by, entering, .. } => {
                let (mut was, mut small) = (z.to_vec(), difference.to_vec());
                if *entering {
                    of.enter([&mut was, &mut small]);
                }
                let was = (was, small);
                let sets = by.iter().flat_map(|by| of.sets(*by));
                sets.for_each(|set| set.apply((&was.0, &was.1), z, difference));
            }
        }
    }
}

/// Sums below this, relative to their terms, have cancelled: what does not move must not move to the bit.
const CANCELLED: f64 = 1e-13;
/// Effects below this, relative to the largest of the same cause, are rounding.
const ZERO: f64 = 1e-14;
/// Entries of a row below this, relative to what they are made of, are rounding.
const ROUNDING: f64 = 1e-9;

impl Configuration {
    /// Reduces a network with each element in a region.
    pub(crate) fn new(network: &Network, regions: &[u8]) -> Result<Self, Contradiction> {
        let (unknowns, running) = (network.unknowns(), network.running());
        let states = network.states.len();
        let mut relations: Vec<&crate::network::row::Row> = network.relations.iter().map(|(_, row)| row).collect();
        let mut rates: Vec<&crate::network::row::Row> = network.states.iter().map(|(_, rate)| rate).collect();
        for (element, region) in network.elements.iter().zip(regions) {
            let region = &element.regions[usize::from(*region)];
            region.relations.iter().for_each(|(index, row)| relations[*index] = row);
            region.rates.iter().for_each(|(index, row)| rates[*index] = row);
        }
        let rows = relations.into_iter().chain(network.leaving.iter().skip(1));
        let count = network.relations.len() + network.leaving.len() - 1;
        let (mut k, mut g) = (Matrix::zeros(count, unknowns), Matrix::zeros(count, running));
        for (r, row) in rows.enumerate() {
            network.spread(row, k.row_mut(r), g.row_mut(r));
        }
        let (mut p, mut q) = (Matrix::zeros(running, unknowns), Matrix::zeros(running, running));
        for (s, row) in rates.into_iter().enumerate() {
            network.spread(row, p.row_mut(s), q.row_mut(s));
        }
        let mut first = states;
        for course in &network.courses {
            for (r, c, rate) in course.rates() {
                q[(first + r, first + c)] = rate;
            }
            first += course.size();
        }
        let ranked = Ranked::new(&k);
        let mut solved = ranked.solve(&g).scaled(-1.0);
        let (null, ways) = (ranked.left_null(), ranked.right_null());
        let constraints = cleaned(&null, &g);
        let moved = p.times(&ways);
        let choice = constraints.times(&moved);
        let chosen = Ranked::new(&choice);
        // Constraints no pulse can meet: they say nothing, or they contradict themselves.
        let left = chosen.left_null();
        let unmet = cleaned(&left, &constraints);
        for row in 0..unmet.rows() {
            if unmet.row(row).iter().any(|e| *e != 0.0) {
                let of: Vec<f64> = (0..null.columns())
                    .map(|c| (0..null.rows()).map(|k| left[(row, k)] * null[(k, c)]).sum::<f64>().abs())
                    .collect();
                let relations = (0..network.relations.len()).filter(|r| of[*r] > ROUNDING).collect();
                return Err(Contradiction { relations });
            }
        }
        let (mut entry, mut pulses) = (None, Matrix::zeros(unknowns, running));
        if chosen.rank() > 0 {
            let mut due = p.times(&solved);
            due.add_scaled(1.0, &q);
            let along = chosen.solve(&constraints.times(&due));
            solved.add_scaled(-1.0, &ways.times(&along));
            pulses = ways.times(&chosen.solve(&constraints)).scaled(-1.0);
            settle_zeros(&ranked, &mut pulses);
            // What a pulse takes away whole is zero to the bit from then on.
            entry = Some(summed(&p, &pulses, &Matrix::identity(running), CANCELLED));
        }
        // Ways that even those leave free.
        let free = ways.times(&chosen.right_null());
        if free.columns() > 0 {
            let level = Level::new(network, regions, &free);
            level.put(&mut solved);
            level.put_pulses(&mut pulses);
        }
        settle_zeros(&ranked, &mut solved);
        settle_zeros(&ranked, &mut pulses);
        let a = summed(&p, &solved, &q, CANCELLED);
        let mut configuration = Configuration {
            regions: regions.to_vec(),
            rates: a,
            solved,
            entry,
            guards: Vec::new(),
            marks: Vec::new(),
            pulses: Vec::new(),
        };
        configuration.strike(network, &pulses);
        configuration.watch(network, &pulses);
        Ok(configuration)
    }

    /// Lets what jumps on entry jump, in vectors that are there.
    fn enter(&self, vectors: [&mut [f64]; 2]) {
        if let Some(entry) = &self.entry {
            for vector in vectors.into_iter().filter(|vector| !vector.is_empty()) {
                let from = vector.to_vec();
                entry.apply(&from, vector);
            }
        }
    }

    /// What pulses go through which part.
    fn strike(&mut self, network: &Network, pulses: &Matrix) {
        if self.entry.is_none() {
            return;
        }
        for (index, part) in network.parts.iter().enumerate() {
            let Some((voltage, current)) = part.ports.first() else { continue };
            for (flux, row) in [(false, current), (true, voltage)] {
                let (mut by_unknown, mut runs) = (vec![0.0; network.unknowns()], vec![0.0; network.running()]);
                network.spread(row, &mut by_unknown, &mut runs);
                let row = through(&by_unknown, pulses, vec![0.0; runs.len()]);
                if row.iter().any(|entry| *entry != 0.0) {
                    self.pulses.push((index, flux, row));
                }
            }
        }
    }

    /// Makes the guards of all elements rows over what runs.
    fn watch(&mut self, network: &Network, pulses: &Matrix) {
        for (index, element) in network.elements.iter().enumerate() {
            let region = &element.regions[usize::from(self.regions[index])];
            for guard in &region.guards {
                let (mut by_unknown, mut value) = (vec![0.0; network.unknowns()], vec![0.0; network.running()]);
                network.spread(&guard.holds, &mut by_unknown, &mut value);
                let pulse = self.entry.is_some().then(|| through(&by_unknown, pulses, vec![0.0; value.len()]));
                let pulse = pulse.filter(|row| row.iter().any(|entry| *entry != 0.0));
                let value = through(&by_unknown, &self.solved, value);
                let first = through(&value, &self.rates, vec![0.0; value.len()]);
                let second = through(&first, &self.rates, vec![0.0; value.len()]);
                let sets = self.assigned(network, &guard.then.sets);
                let to = guard.then.to;
                let levels = [value, first, second];
                let made_of = levels.each_ref().map(|level| self.made_of(level));
                self.guards.push(Watched { element: index, to, pulse, levels, made_of, sets });
            }
            for (mark, then) in &region.marks {
                let sets = self.assigned(network, &then.sets);
                self.marks.push(Marked { element: index, mark: *mark, to: then.to, sets });
            }
        }
    }

    /// Sizes of what a row is made of right behind the entry, over what ran before it.
    fn made_of(&self, row: &[f64]) -> Vec<f64> {
        match &self.entry {
            Some(entry) => {
                let mut sum = vec![0.0; row.len()];
                for (k, factor) in row.iter().enumerate().filter(|(_, factor)| **factor != 0.0) {
                    sum.iter_mut().zip(entry.row(k)).for_each(|(sum, entry)| *sum += (factor * entry).abs());
                }
                sum
            }
            None => row.iter().map(|entry| entry.abs()).collect(),
        }
    }

    /// What is set, over what runs.
    fn assigned(&self, network: &Network, sets: &[crate::network::Set]) -> Vec<Assigned> {
        let followed = |row: &crate::network::row::Row| {
            let (mut by_unknown, mut own) = (vec![0.0; network.unknowns()], vec![0.0; network.running()]);
            network.spread(row, &mut by_unknown, &mut own);
            let solved = through(&by_unknown, &self.solved, vec![0.0; own.len()]);
            Followed { solved, own }
        };
        let assigned = sets.iter().map(|set| Assigned {
            state: set.state,
            value: followed(&set.value),
            factor: set.rule.factor.as_ref().map(|(operation, _)| (*operation, followed(&set.factor))),
            rule: set.rule.clone(),
        });
        assigned.collect()
    }

    /// What is set where a guard gives way or a mark has come.
    pub(crate) fn sets(&self, by: By) -> &[Assigned] {
        match by {
            By::Guard(guard) => &self.guards[guard].sets,
            By::Mark(mark) => &self.marks[mark].sets,
        }
    }

    /// A row of the network over what runs.
    pub(crate) fn row(&self, network: &Network, row: &crate::network::row::Row) -> Vec<f64> {
        let (mut by_unknown, mut running) = (vec![0.0; network.unknowns()], vec![0.0; network.running()]);
        network.spread(row, &mut by_unknown, &mut running);
        through(&by_unknown, &self.solved, running)
    }
}

/// Where floating nets stand: such that the squares of the voltages across all open elements come to the least, which is where
/// equal leakages across them would hold the nets.
struct Level<'a> {
    free: &'a Matrix,
    /// Voltages across open elements over what is solved for, and over what runs.
    open: Matrix,
    running: Matrix,
    /// The least squares.
    normal: Ranked,
    moved: Matrix,
}

impl<'a> Level<'a> {
    fn new(network: &Network, regions: &[u8], free: &'a Matrix) -> Self {
        let of = network.elements.iter().zip(regions).filter_map(|(e, r)| e.regions[usize::from(*r)].open.as_ref());
        let rows: Vec<&crate::network::row::Row> = of.collect();
        let mut open = Matrix::zeros(rows.len(), network.unknowns());
        let mut running = Matrix::zeros(rows.len(), network.running());
        for (k, row) in rows.into_iter().enumerate() {
            network.spread(row, open.row_mut(k), running.row_mut(k));
        }
        let moved = transposed(&open.times(free));
        let normal = Ranked::new(&moved.times(&transposed(&moved)));
        Level { free, open, running, normal, moved }
    }

    /// Moves what is solved for along the free ways.
    fn put(&self, solved: &mut Matrix) {
        let mut off = self.open.times(solved);
        off.add_scaled(1.0, &self.running);
        solved.add_scaled(-1.0, &self.free.times(&self.normal.solve(&self.moved.times(&off))));
    }

    /// The same of pulses, in which nothing that runs has a part.
    fn put_pulses(&self, pulses: &mut Matrix) {
        let off = self.open.times(pulses);
        pulses.add_scaled(-1.0, &self.free.times(&self.normal.solve(&self.moved.times(&off))));
    }
}

/// Entries next to nothing beside what the same cause does elsewhere are what rounding left of zero. A current that is zero
/// for good must be zero to the bit, or its sign would decide where a diode is.
fn settle_zeros(ranked: &Ranked, solved: &mut Matrix) {
    let mut largest = vec![0.0; solved.columns()];
    for r in 0..solved.rows() {
        let sizes = solved.row(r).iter().map(|entry| entry.abs() / ranked.unit(r));
        largest.iter_mut().zip(sizes).for_each(|(largest, size)| *largest = f64::max(*largest, size));
    }
    for r in 0..solved.rows() {
        let unit = ranked.unit(r);
        for (entry, largest) in solved.row_mut(r).iter_mut().zip(&largest) {
            if entry.abs() / unit <= ZERO * largest {
                *entry = 0.0;
            }
        }
    }
}

fn transposed(m: &Matrix) -> Matrix {
    let mut t = Matrix::zeros(m.columns(), m.rows());
    (0..m.rows()).for_each(|r| (0..m.columns()).for_each(|c| t[(c, r)] = m[(r, c)]));
    t
}

/// `row·matrix + sum`.
pub(crate) fn through(row: &[f64], matrix: &Matrix, mut sum: Vec<f64>) -> Vec<f64> {
    for (k, factor) in row.iter().enumerate().filter(|(_, factor)| **factor != 0.0) {
        sum.iter_mut().zip(matrix.row(k)).for_each(|(sum, entry)| *sum += factor * entry);
    }
    sum
}

/// `left·right`, with what is rounding beside the terms it is made of taken for zero.
fn cleaned(left: &Matrix, right: &Matrix) -> Matrix {
    summed(left, right, &Matrix::zeros(left.rows(), right.columns()), ROUNDING)
}

/// `left·right + more`, with what is so little beside the terms it is made of taken for zero.
fn summed(left: &Matrix, right: &Matrix, more: &Matrix, little: f64) -> Matrix {
    let mut product = left.times(right);
    product.add_scaled(1.0, more);
    let mut sizes = vec![0.0; right.columns()];
    for r in 0..product.rows() {
        sizes.fill(0.0);
        for (k, factor) in left.row(r).iter().enumerate().filter(|(_, factor)| **factor != 0.0) {
            sizes.iter_mut().zip(right.row(k)).for_each(|(size, entry)| *size += (factor * entry).abs());
        }
        for ((entry, size), more) in product.row_mut(r).iter_mut().zip(&sizes).zip(more.row(r)) {
            if entry.abs() <= little * (size + more.abs()) {
                *entry = 0.0;
            }
        }
    }
    product
}
