//! A configuration made ready for walking through it.

use crate::configuration::Configuration;
use crate::network::{Contradiction, Network};
use crate::propagate::Ladder;
use linear::{Kernel, Matrix, dot};

/// A reduced configuration with everything that is looked at on the way, as rows over what runs.
#[derive(Debug)]
pub(crate) struct Compiled {
    pub(crate) of: Configuration,
    pub(crate) ladder: Ladder,
    /// Third and fourth derivatives of what is recorded.
    pub(crate) derivatives: [Matrix; 2],
    /// What is looked at at the inner node of a step, and at its ends: see [`Seen`].
    inner: Kernel,
    ends: Kernel,
    /// Powers of parts with more than two pins: rows of voltages and currents.
    powers: Vec<Vec<(Vec<f64>, Vec<f64>)>>,
    losses: Losses,
}

/// Where in a vector of what is seen each thing stands: recorded values, guards; at ends then slopes of guards, third and
/// fourth derivatives of recorded values.
#[derive(Clone, Copy, Debug)]
pub(crate) struct Seen {
    recorded: usize,
    guards: usize,
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
    pub(crate) fn third<'a>(&self, seen: &'a [f64]) -> &'a [f64] {
        &seen[self.recorded + 2 * self.guards..][..self.recorded]
    }
    pub(crate) fn fourth<'a>(&self, seen: &'a [f64]) -> &'a [f64] {
        &seen[2 * (self.recorded + self.guards)..][..self.recorded]
    }
}

/// Products that are lost.
#[derive(Debug)]
struct Losses {
    rows: Kernel,
    /// The same and behind them how fast they change.
    with_rates: Kernel,
    /// Part of each, and for a resistance its value: voltage is that times current, and has no row of its own.
    each: Vec<(usize, Option<f64>)>,
    count: usize,
}

impl Compiled {
    pub(crate) fn new(network: &Network, regions: &[u8]) -> Result<Self, Contradiction> {
        let of = Configuration::new(network, regions)?;
        let recorded: Vec<Vec<f64>> = network.recorded().map(|row| of.row(network, &row)).collect();
        let values = stacked(&[&recorded], network.running());
        let third = values.times(&of.rates).times(&of.rates).times(&of.rates);
        let fourth = third.times(&of.rates);
        let level = |k: usize| of.guards.iter().map(|guard| guard.levels[k].clone()).collect::<Vec<_>>();
        let (guards, slopes) = (level(0), level(1));
        let rows = |m: &Matrix| (0..m.rows()).map(|r| m.row(r).to_vec()).collect::<Vec<_>>();
        let inner = Kernel::new(&stacked(&[&recorded, &guards], network.running()));
        let all = [&recorded, &guards, &slopes, &rows(&third), &rows(&fourth)];
        let ends = Kernel::new(&stacked(&all, network.running()));
        let powers = network.parts.iter().filter(|part| part.pins > 2);
        let powers = powers
            .map(|part| part.ports.iter().map(|(v, i)| (of.row(network, v), of.row(network, i))).collect())
            .collect();
        let (losses, ladder) = (Losses::new(network, &of), Ladder::new(&of.rates));
        Ok(Compiled { of, ladder, derivatives: [third, fourth], inner, ends, powers, losses })
    }

    pub(crate) fn seen(&self) -> Seen {
        Seen { recorded: self.derivatives[0].rows(), guards: self.of.guards.len() }
    }

    /// Looks at the inner node of a step.
    pub(crate) fn look_inside(&self, z: &[f64], seen: &mut Vec<f64>) {
        seen.resize(self.derivatives[0].rows() + self.of.guards.len(), 0.0);
        self.inner.apply(z, seen);
    }

    /// Looks at an end of a step.
    pub(crate) fn look(&self, z: &[f64], seen: &mut Vec<f64>) {
        seen.resize(3 * self.derivatives[0].rows() + 2 * self.of.guards.len(), 0.0);
        self.ends.apply(z, seen);
    }

    /// Power of the n-th part with more than two pins, W.
    pub(crate) fn power(&self, nth: usize, z: &[f64]) -> f64 {
        self.powers[nth].iter().map(|(v, i)| dot(v, z) * dot(i, z)).sum()
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

impl Losses {
    fn new(network: &Network, of: &Configuration) -> Self {
        let (mut rows, mut each): (Vec<Vec<f64>>, Vec<_>) = (Vec::new(), Vec::new());
        let lost = network.parts.iter().enumerate().flat_map(|(k, part)| part.losses.iter().map(move |loss| (k, loss)));
        for (part, (v, i)) in lost {
            let (v, i) = (of.row(network, v), of.row(network, i));
            let nothing = |row: &[f64]| row.iter().all(|e| *e == 0.0);
            if nothing(&v) || nothing(&i) {
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

/// Rows one above the other.
fn stacked(all: &[&Vec<Vec<f64>>], columns: usize) -> Matrix {
    let mut matrix = Matrix::zeros(all.iter().map(|rows| rows.len()).sum(), columns);
    let rows = all.iter().flat_map(|rows| rows.iter());
    rows.enumerate().for_each(|(k, row)| matrix.row_mut(k).copy_from_slice(row));
    matrix
}
