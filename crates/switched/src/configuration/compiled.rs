//! A configuration made ready for walking through it.

use crate::configuration::Configuration;
use crate::network::{Contradiction, Network};
use crate::stepping::propagator::Ladder;
use linear::{Kernel, Matrix};

/// A reduced configuration with everything that is looked at on the way, as rows over what runs.
#[derive(Debug, Default)]
pub(crate) struct Compiled {
    pub(crate) of: Configuration,
    /// Whether what follows is there.
    ready: bool,
    pub(crate) ladder: Ladder,
    /// The same of the states alone, once differences have gone through here.
    of_differences: Option<Ladder>,
    /// One recorded value for all that bend in proportion, as rows, and how fast each changes. What does not bend has none.
    pub(crate) moving: [Matrix; 2],
    /// Of each of them what it stands for: recorded value, and how many times as much that moves; itself first.
    alike: Vec<Vec<(usize, f64)>>,
    /// How long the first step here may be, as the last time here has shown, s.
    pub(crate) pace: Option<f64>,
    recorded: usize,
    /// What is looked at at the inner nodes of a step, and at its ends: see [`Seen`].
    inner: Kernel,
    ends: Kernel,
    powers: Powers,
    losses: Losses,
}

/// Where in a vector of what is seen each thing stands: recorded values, guards; at ends then slopes of guards, and of what moves.
#[derive(Clone, Copy, Debug)]
pub(crate) struct Seen {
    recorded: usize,
    guards: usize,
    moving: usize,
}

impl Seen {
    pub(crate) fn values<'a>(&self, seen: &'a [f64]) -> &'a [f64] {
        &seen[..self.recorded]
    }
    pub(crate) fn guard(&self, seen: &[f64], guard: usize) -> f64 {
        seen[self.recorded + guard]
    }
    pub(crate) fn slope(&self, seen: &[f64], guard: usize) -> f64 {
        seen[self.recorded + self.guards + guard]
    }
    pub(crate) fn slopes<'a>(&self, seen: &'a [f64]) -> &'a [f64] {
        &seen[self.recorded + 2 * self.guards..][..self.moving]
    }
}

/// Powers of parts with more than two pins.
#[derive(Debug, Default)]
struct Powers {
    /// Voltage and current of each port, one after the other.
    rows: Kernel,
    /// Ports of each part, without those where nothing is or flows.
    ports: Vec<usize>,
    count: usize,
}

/// Products that are lost.
#[derive(Debug, Default)]
struct Losses {
    rows: Kernel,
    /// The same and behind them how fast they change.
    with_rates: Kernel,
    /// Part of each, and for a resistance its value: voltage is that times current, and has no row of its own.
    each: Vec<(usize, Option<f64>)>,
    count: usize,
}

impl Compiled {
    /// What it takes to decide whether it lasts; [`Compiled::prepare`] before it is walked through.
    pub(crate) fn new(network: &Network, regions: &[u8]) -> Result<Self, Contradiction> {
        Ok(Compiled { of: Configuration::new(network, regions)?, ..Compiled::default() })
    }

    /// Makes ready what walking takes. Of configurations that are met while it is decided which one follows, most are never
    /// walked through.
    pub(crate) fn prepare(&mut self, network: &Network) {
        if std::mem::replace(&mut self.ready, true) {
            return;
        }
        let of = &self.of;
        let recorded: Vec<Vec<f64>> = network.recorded().map(|row| of.row(network, &row)).collect();
        let values = stacked(&[&recorded], network.running());
        let third = values.times(&of.rates).times(&of.rates).times(&of.rates);
        self.alike = in_proportion(&third);
        let firsts: Vec<Vec<f64>> = self.alike.iter().map(|alike| recorded[alike[0].0].clone()).collect();
        let moving = stacked(&[&firsts], network.running());
        let moves = moving.times(&of.rates);
        let level = |k: usize| of.guards.iter().map(|guard| guard.levels[k].clone()).collect::<Vec<_>>();
        let (guards, slopes) = (level(0), level(1));
        let rows = |m: &Matrix| (0..m.rows()).map(|r| m.row(r).to_vec()).collect::<Vec<_>>();
        self.inner = Kernel::new(&stacked(&[&recorded, &guards], network.running()));
        let all = [&recorded, &guards, &slopes, &rows(&moves)];
        self.ends = Kernel::new(&stacked(&all, network.running()));
        (self.powers, self.losses) = (Powers::new(network, of), Losses::new(network, of));
        self.ladder = Ladder::new(&of.rates);
        (self.recorded, self.moving) = (recorded.len(), [moving, moves]);
    }

    pub(crate) fn seen(&self) -> Seen {
        Seen { recorded: self.recorded, guards: self.of.guards.len(), moving: self.alike.len() }
    }

    /// Propagates differences of so many states; none of them is one of an input.
    pub(crate) fn ladder_of_differences(&mut self, states: usize) -> &mut Ladder {
        let rates = &self.of.rates;
        self.of_differences.get_or_insert_with(|| Ladder::new(&rates.leading(states)))
    }

    /// Looks at an inner node of a step.
    pub(crate) fn look_inside(&self, z: &[f64], seen: &mut Vec<f64>) {
        seen.resize(self.recorded + self.of.guards.len(), 0.0);
        self.inner.apply(z, seen);
    }

    /// Looks at an end of a step.
    pub(crate) fn look(&self, z: &[f64], seen: &mut Vec<f64>) {
        seen.resize(self.recorded + 2 * self.of.guards.len() + self.alike.len(), 0.0);
        self.ends.apply(z, seen);
    }

    /// Recorded values that stand for all that bend in proportion to them.
    pub(crate) fn standing(&self) -> impl Iterator<Item = usize> + use<'_> {
        self.alike.iter().map(|alike| alike[0].0)
    }

    /// What an error of each that moves may come to, given that of each recorded value.
    pub(crate) fn allowed_of_moving(&self, allowed: &[f64], into: &mut Vec<f64>) {
        let least = |alike: &Vec<(usize, f64)>| {
            alike.iter().map(|(row, factor)| allowed[*row] / factor).fold(f64::INFINITY, f64::min)
        };
        into.clear();
        into.extend(self.alike.iter().map(least));
    }

    /// Powers of parts with more than two pins, W.
    pub(crate) fn powers(&self, z: &[f64], scratch: &mut Vec<f64>, into: &mut Vec<f64>) {
        self.powers.at(z, scratch, into);
    }

    /// Power lost in each part, W.
    pub(crate) fn lost(&self, z: &[f64], scratch: &mut Vec<f64>, into: &mut [f64]) {
        self.losses.at(z, scratch, into);
    }

    /// The same, and how fast it changes, W/s.
    pub(crate) fn lost_and_rates(&self, z: &[f64], scratch: &mut Vec<f64>, into: &mut [Vec<f64>; 2]) {
        self.losses.with_rates(z, scratch, into);
    }
}

fn is_nothing(row: &[f64]) -> bool {
    row.iter().all(|entry| *entry == 0.0)
}

impl Powers {
    fn new(network: &Network, of: &Configuration) -> Self {
        let mut rows: Vec<Vec<f64>> = Vec::new();
        let parts = network.parts.iter().filter(|part| part.pins > 2);
        let ports = parts.map(|part| {
            let both = part.ports.iter().map(|(v, i)| (of.row(network, v), of.row(network, i)));
            let some: Vec<_> = both.filter(|(v, i)| !is_nothing(v) && !is_nothing(i)).collect();
            let count = some.len();
            rows.extend(some.into_iter().flat_map(|(v, i)| [v, i]));
            count
        });
        let ports = ports.collect();
        Powers { rows: Kernel::new(&stacked(&[&rows], network.running())), ports, count: rows.len() }
    }

    fn at(&self, z: &[f64], scratch: &mut Vec<f64>, into: &mut Vec<f64>) {
        scratch.resize(self.count, 0.0);
        self.rows.apply(z, scratch);
        let mut pairs = scratch.chunks_exact(2).map(|pair| pair[0] * pair[1]);
        into.clear();
        into.extend(self.ports.iter().map(|ports| pairs.by_ref().take(*ports).sum::<f64>()));
    }
}

impl Losses {
    fn new(network: &Network, of: &Configuration) -> Self {
        let (mut rows, mut each): (Vec<Vec<f64>>, Vec<_>) = (Vec::new(), Vec::new());
        let lost = network.parts.iter().enumerate().flat_map(|(k, part)| part.losses.iter().map(move |loss| (k, loss)));
        for (part, (v, i)) in lost {
            let (v, i) = (of.row(network, v), of.row(network, i));
            if is_nothing(&v) || is_nothing(&i) {
                continue;
            }
            let resistance = proportion(&v, &i);
            rows.push(i);
            rows.extend(resistance.is_none().then_some(v));
            each.push((part, resistance));
        }
        let values = stacked(&[&rows], network.running());
        let rates = values.times(&of.rates);
        let rates: Vec<Vec<f64>> = (0..rates.rows()).map(|r| rates.row(r).to_vec()).collect();
        let with_rates = Kernel::new(&stacked(&[&rows, &rates], network.running()));
        Losses { rows: Kernel::new(&values), with_rates, each, count: rows.len() }
    }

    fn with_rates(&self, z: &[f64], scratch: &mut Vec<f64>, [into, changes]: &mut [Vec<f64>; 2]) {
        scratch.resize(2 * self.count, 0.0);
        self.with_rates.apply(z, scratch);
        into.fill(0.0);
        changes.fill(0.0);
        let (values, rates) = scratch.split_at(self.count);
        let mut rows = values.iter().zip(rates);
        for (part, resistance) in &self.each {
            let Some((i, i_rate)) = rows.next() else { return };
            match resistance {
                Some(resistance) => {
                    into[*part] += resistance * i * i;
                    changes[*part] += 2.0 * resistance * i * i_rate;
                }
                None => {
                    let Some((v, v_rate)) = rows.next() else { return };
                    into[*part] += v * i;
                    changes[*part] += v * i_rate + v_rate * i;
                }
            }
        }
    }

    fn at(&self, z: &[f64], scratch: &mut Vec<f64>, into: &mut [f64]) {
        scratch.resize(self.count, 0.0);
        self.rows.apply(z, scratch);
        into.fill(0.0);
        let mut rows = scratch.iter();
        for (part, resistance) in &self.each {
            let Some(i) = rows.next() else { return };
            let v = match resistance {
                Some(resistance) => resistance * i,
                None => rows.next().copied().unwrap_or(0.0),
            };
            into[*part] += v * i;
        }
    }
}

/// The factor by which one row is another, if it is.
fn proportion(v: &[f64], i: &[f64]) -> Option<f64> {
    let largest = (0..i.len()).max_by(|a, b| i[*a].abs().total_cmp(&i[*b].abs()))?;
    let factor = v[largest] / i[largest];
    let same = v.iter().zip(i).all(|(v, i)| (v - factor * i).abs() <= 1e-13 * (v.abs() + (factor * i).abs()));
    same.then_some(factor)
}

/// Rows that are multiples of each other, put together: row and size of its multiple of the first. Rows of nothing are left out.
fn in_proportion(rows: &Matrix) -> Vec<Vec<(usize, f64)>> {
    let mut all: Vec<Vec<(usize, f64)>> = Vec::new();
    for r in 0..rows.rows() {
        let row = rows.row(r);
        if is_nothing(row) {
            continue;
        }
        let known = all.iter_mut().find_map(|alike| {
            let factor = proportion(row, rows.row(alike[0].0)).filter(|factor| *factor != 0.0)?;
            Some((alike, factor.abs()))
        });
        match known {
            Some((alike, factor)) => alike.push((r, factor)),
            None => all.push(vec![(r, 1.0)]),
        }
    }
    all
}

/// Rows one above the other.
fn stacked(all: &[&Vec<Vec<f64>>], columns: usize) -> Matrix {
    let mut matrix = Matrix::zeros(all.iter().map(|rows| rows.len()).sum(), columns);
    let rows = all.iter().flat_map(|rows| rows.iter());
    rows.enumerate().for_each(|(k, row)| matrix.row_mut(k).copy_from_slice(row));
    matrix
}
