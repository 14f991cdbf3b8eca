//! A periodic orbit as small differences see it: a linear system whose rates, inputs and jumps repeat.

use crate::configuration::{Configuration, Jump};
use crate::error::SwitchedError;
use crate::machine::Machine;
use crate::network::Network;
use crate::orbit::{Along, Event};
use crate::propagate::Ladder;
use linear::dot;
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
    /// `e^(A·h)`.
    pub(crate) through: Reals,
    pub(crate) shift: Option<Shift>,
}

/// An event: what becomes of differences and of the input, by how much later it comes for each, and what jumps.
pub(crate) struct Shift {
    pub(crate) states: Reals,
    pub(crate) input: DVector<f64>,
    pub(crate) later: DVector<f64>,
    pub(crate) later_input: f64,
    pub(crate) jump: DVector<f64>,
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
}

impl Orbit {
    pub(crate) fn new(machine: &Machine, network: &Network, walk: Walk) -> Result<Self, SwitchedError> {
        let scale = machine.scale[..network.states.len()].iter();
        let scale = scale.map(|scale| if *scale > 0.0 { *scale } else { 1.0 }).collect();
        let mut orbit = Orbit { scale, ways: Vec::new(), pieces: Vec::new() };
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

    /// Columns of what runs, of a difference of one in each state and last in the input.
    fn columns(&self, columns: &[Vec<f64>]) -> (Reals, DVector<f64>) {
        let n = self.scale.len();
        let states = Reals::from_fn(n, n, |r, c| columns[c][r] * self.scale[c] / self.scale[r]);
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
        units.iter_mut().for_each(|unit| ladder.advance(unit, length));
        let through = self.columns(&units).0;
        let shift = ends.map(|(event, jump)| self.shift(network, &event, jump));
        self.pieces.push(Piece { way, length, through, shift });
    }

    fn shift(&self, network: &Network, event: &Event, jump: Vec<f64>) -> Shift {
        let n = self.scale.len();
        let of = |at: usize| &self.ways[self.known(at).unwrap_or_default()].of;
        let mut units = self.units(network);
        let later: Vec<f64> = units.iter().map(|unit| event.later(of(event.was), unit)).collect();
        units.iter_mut().for_each(|unit| event.shift(&of, unit));
        let (states, input) = self.columns(&units);
        Shift {
            states,
            input,
            later: DVector::from_fn(n, |k, _| later[k] * self.scale[k]),
            later_input: later[n],
            jump: DVector::from_vec(jump),
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
