//! A configuration made ready for walking through it.

use crate::configuration::{Configuration, Contradiction};
use crate::network::Network;
use crate::propagate::Ladder;
use crate::row::{Of, Row};
use linear::{Matrix, dot};

/// What is recorded: rows that are linear in what runs, and powers made of pairs of them.
#[derive(Debug)]
pub(crate) struct Compiled {
    pub(crate) of: Configuration,
    pub(crate) ladder: Ladder,
    /// Recorded voltages and currents, and their third and fourth derivatives.
    pub(crate) recorded: [Matrix; 3],
    /// Powers of parts with more than two pins: rows of voltages and currents.
    pub(crate) powers: Vec<Vec<(Vec<f64>, Vec<f64>)>>,
    /// Products lost in parts, voltage above current, with first and second derivatives.
    losses: [Matrix; 3],
    /// Part of each loss.
    loss_of: Vec<usize>,
}

impl Compiled {
    pub(crate) fn new(network: &Network, regions: &[u8]) -> Result<Self, Contradiction> {
        let of = Configuration::new(network, regions)?;
        let made = |rows: Vec<Row>| {
            let mut matrix = Matrix::zeros(rows.len(), network.running());
            rows.iter().enumerate().for_each(|(k, row)| matrix.row_mut(k).copy_from_slice(&of.row(network, row)));
            matrix
        };
        let nets = (1..network.nets.len()).map(|net| Row::of(Of::Net(net)));
        let currents =
            network.parts.iter().map(|part| part.ports.first().map_or(Row::default(), |port| port.1.clone()));
        let values = made(nets.chain(currents).collect());
        let third = values.times(&of.rates).times(&of.rates).times(&of.rates);
        let fourth = third.times(&of.rates);
        let powers = network.parts.iter().filter(|part| part.pins > 2);
        let powers = powers
            .map(|part| part.ports.iter().map(|(v, i)| (of.row(network, v), of.row(network, i))).collect())
            .collect();
        let lost = network.parts.iter().enumerate().flat_map(|(k, part)| part.losses.iter().map(move |loss| (k, loss)));
        let (loss_of, pairs): (Vec<usize>, Vec<&(Row, Row)>) = lost.unzip();
        let losses = made(pairs.iter().flat_map(|(v, i)| [v.clone(), i.clone()]).collect());
        let first = losses.times(&of.rates);
        let second = first.times(&of.rates);
        let ladder = Ladder::new(&of.rates);
        Ok(Compiled { of, ladder, recorded: [values, third, fourth], powers, losses: [losses, first, second], loss_of })
    }

    /// Power lost in each part with its first and second derivative.
    pub(crate) fn lost(&self, z: &[f64], into: &mut [[f64; 3]]) {
        into.fill([0.0; 3]);
        for (k, part) in self.loss_of.iter().enumerate() {
            let of = |m: &Matrix, row: usize| dot(m.row(row), z);
            let [v, dv, ddv] = [0, 1, 2].map(|d| of(&self.losses[d], 2 * k));
            let [i, di, ddi] = [0, 1, 2].map(|d| of(&self.losses[d], 2 * k + 1));
            let power = &mut into[*part];
            power[0] += v * i;
            power[1] += dv * i + v * di;
            power[2] += ddv * i + 2.0 * dv * di + v * ddi;
        }
    }
}
