//! A periodic orbit as small differences see it: a linear system whose rates, inputs and jumps repeat.

use crate::configuration::{Configuration, Jump};
use crate::error::SwitchedError;
use crate::network::Network;
use crate::periodic::monodromy::{Along, Event};
use crate::stepping::machine::Machine;
use crate::stepping::propagator::Ladder;
use linear::{Kernel, Matrix, dot, one_after_the_other};
use nalgebra::{DMatrix, DVector};

pub(crate) type Reals = DMatrix<f64>;

/// Rates within a configuration, in the measure of the states, and what is looked at: nets, then currents of parts.
pub(crate) struct Way {
    at: usize,
    of: Configuration,
    ladder: Ladder,
    pub(crate) rates: Reals,
    pub(crate) input: DVector<f64>,
    pub(crate) seen: Reals,
    pub(crate) seen_input: DVector<f64>,
}

/// From one event to the next.
pub(crate) struct Piece {
    pub(crate) way: usize,
    pub(crate) length: f64,
    /// What `e^(A·h)` changes, the one left out.
    pub(crate) change: Kernel,
    pub(crate) shift: Option<Shift>,
}

/// An event: what it changes of differences and of the input, by how much later it comes for each, and what jumps.
pub(crate) struct Shift {
    /// What it changes of differences: the rows of states that jump, or move where they stand.
    pub(crate) change: Vec<(usize, Vec<f64>)>,
    pub(crate) input: DVector<f64>,
    pub(crate) later: Vec<f64>,
    pub(crate) later_input: f64,
    /// Of what is seen, by its place.
    pub(crate) jump: Vec<(usize, f64)>,
}

/// What a walk passes: configurations with the time in each, s, and the events that end them.
#[derive(Default)]
pub(crate) struct Walk {
    since: f64,
    events: Vec<(f64, Event, Vec<f64>)>,
}

impl Along for Walk {
    fn goes(&mut self, _: &mut Machine, length: f64) {
        self.since += length;
    }
    fn passes(&mut self, machine: &Machine, event: Event) -> bool {
        let was = values(&machine.network, &machine.compiled[event.was].of, &event.z);
        let is = values(&machine.network, &machine.compiled[machine.at].of, &machine.z);
        let jump = was.iter().zip(is).map(|(was, is)| was - is).collect();
        self.events.push((std::mem::take(&mut self.since), event, jump));
        true
    }
}

/// An orbit as differences see it.
pub(crate) struct Orbit {
    /// Largest each state has been.
    pub(crate) scale: Vec<f64>,
    /// Configurations the orbit passes through.
    pub(crate) ways: Vec<Way>,
    pub(crate) pieces: Vec<Piece>,
    /// What a period changes of differences, each in the measure of the largest its state has been: the monodromy less one, of which
    /// what hardly changes would be rounding.
    pub(crate) change: Matrix,
}

impl Orbit {
    pub(crate) fn new(machine: &Machine, network: &Network, walk: Walk) -> Result<Self, SwitchedError> {
        let scale = machine.scale[..network.states.len()].iter();
        let scale = scale.map(|scale| if *scale > 0.0 { *scale } else { 1.0 }).collect();
        let n = network.states.len();
        let mut orbit = Orbit { scale, ways: Vec::new(), pieces: Vec::new(), change: Matrix::zeros(n, n) };
        for (length, event, jump) in walk.events {
            for at in event.jumps.iter().map(Jump::of).chain([event.was]) {
                orbit.way(machine, network, at)?;
            }
            orbit.piece(network, event.was, length, Some((event, jump)));
        }
        if walk.since > 0.0 {
            orbit.way(machine, network, machine.at)?;
            orbit.piece(network, machine.at, walk.since, None);
        }
        Ok(orbit)
    }

    /// Rows over what runs in the measure of the states, and what they say of the input, the last that runs.
    fn rows(&self, rows: &[Vec<f64>]) -> (Reals, DVector<f64>) {
        let n = self.scale.len();
        let states = Reals::from_fn(rows.len(), n, |r, c| rows[r][c] * self.scale[c]);
        (states, DVector::from_fn(rows.len(), |r, _| rows[r][rows[r].len() - 1]))
    }

    /// What is changed by a difference of one in each state and last in the input, by columns of what runs.
    fn changed(&self, columns: &[Vec<f64>]) -> (Matrix, DVector<f64>) {
        let n = self.scale.len();
        let mut states = Matrix::zeros(n, n);
        for (r, c) in (0..n).flat_map(|r| (0..n).map(move |c| (r, c))) {
            states[(r, c)] = columns[c][r] * self.scale[c] / self.scale[r];
        }
        (states, DVector::from_fn(n, |r, _| columns[n][r] / self.scale[r]))
    }

    /// Differences of one in each state and in the input.
    fn units(&self, network: &Network) -> Vec<Vec<f64>> {
        let (n, size) = (self.scale.len(), network.running());
        let unit = |one: usize| (0..size).map(|k| if k == one { 1.0 } else { 0.0 }).collect();
        (0..n).chain([size - 1]).map(unit).collect()
    }

    fn known(&self, at: usize) -> Option<usize> {
        self.ways.iter().position(|way| way.at == at)
    }

    /// Makes a configuration of the machine ready, with another network.
    fn way(&mut self, machine: &Machine, network: &Network, at: usize) -> Result<(), SwitchedError> {
        if self.known(at).is_some() {
            return Ok(());
        }
        let regions = &machine.compiled[at].of.regions;
        let of = Configuration::new(network, regions)
            .map_err(|contradiction| network.impossible(&contradiction, regions, machine.t))?;
        let n = self.scale.len();
        let rates: Vec<Vec<f64>> = (0..n).map(|r| of.rates.row(r).to_vec()).collect();
        let (rates, input) = self.rows(&rates);
        let (seen, seen_input) = self.rows(&seen(network, &of));
        self.ways.push(Way {
            at,
            ladder: Ladder::new(&of.rates),
            of,
            rates: Reals::from_fn(n, n, |r, c| rates[(r, c)] / self.scale[r]),
            input: DVector::from_fn(n, |r, _| input[r] / self.scale[r]),
            seen,
            seen_input,
        });
        Ok(())
    }

    /// Puts down what is passed through up to an event, whose configurations are known.
    fn piece(&mut self, network: &Network, at: usize, length: f64, ends: Option<(Event, Vec<f64>)>) {
        let Some(way) = self.known(at) else { return };
        let mut units = self.units(network);
        let ladder = &mut self.ways[way].ladder;
        units.iter_mut().for_each(|unit| *unit = ladder.change(unit, length));
        let change = self.changed(&units).0;
        self.change = one_after_the_other(&change, &self.change);
        let shift = ends.map(|(event, jump)| self.shift(network, &event, jump));
        self.pieces.push(Piece { way, length, change: Kernel::new(&change), shift });
    }

    fn shift(&mut self, network: &Network, event: &Event, jump: Vec<f64>) -> Shift {
        let n = self.scale.len();
        let mut units = self.units(network);
        let of = |at: usize| &self.ways[self.known(at).unwrap_or_default()].of;
        let later: Vec<f64> = units.iter().map(|unit| event.later(of(event.was), unit)).collect();
        for (one, unit) in (0..n).chain([network.running() - 1]).zip(&mut units) {
            event.shift(&of, unit);
            unit[one] -= 1.0;
        }
        let (change, input) = self.changed(&units);
        self.change = one_after_the_other(&change, &self.change);
        let rows = (0..n).map(|row| (row, change.row(row).to_vec()));
        Shift {
            change: rows.filter(|(_, row)| row.iter().any(|entry| *entry != 0.0)).collect(),
            input,
            later: later[..n].iter().zip(&self.scale).map(|(later, scale)| later * scale).collect(),
            later_input: later[n],
            jump: jump.into_iter().enumerate().filter(|(_, jump)| *jump != 0.0).collect(),
        }
    }
}

/// Rows of what is recorded in a configuration.
fn seen(network: &Network, of: &Configuration) -> Vec<Vec<f64>> {
    network.recorded().map(|row| of.row(network, &row)).collect()
}

fn values(network: &Network, of: &Configuration, z: &[f64]) -> Vec<f64> {
    seen(network, of).iter().map(|row| dot(row, z)).collect()
}
