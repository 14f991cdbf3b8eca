//! Small sinusoids about the periodic steady state.
//!
//! With the orbit known, differences obey a linear system whose rates, inputs and jumps repeat with the period: `dx/dt = A·x +
//! b·u` within a configuration, `x⁺ = S·x⁻ + s·u` at events, their shifts in time included. For `u = e^(jωt)` the answer is
//! `x = e^(jωt)·p(t)` with p as periodic as the orbit: within a configuration `dp/dt = (A − jω)·p + b`, and as
//! `e^((A − jω)·h) = e^(−jωh)·e^(A·h)`, a period leaves `p(T) = e^(−jωT)·Φ·p(0) + f` with the monodromy Φ. So p(0) follows
//! from one solution per frequency, exactly, whatever the order of events (L. A. Zadeh, *Frequency analysis of variable networks*,
//! Proc. IRE 38, 1950; N. M. Wereley, thesis, MIT 1991; both from memory).
//!
//! What is returned is the component at ω of each quantity, `(1/T)·∫ y·e^(−jωt) dt`, as an analyser reads it that correlates over
//! whole periods. Where a quantity jumps at an event that moves, the strip between old and new instant is part of it.

use crate::course::Course;
use crate::error::SwitchedError;
use crate::linearised::{Orbit, Piece, Reals, Shift, Walk};
use crate::network::Network;
use crate::parts;
use crate::row::{Of, Row};
use crate::settled::Settled;
use circuit::{Circuit, KindId};
use nalgebra::{DMatrix, DVector, Dyn, LU};
use recording::{Complex64, Excitation, Observer, Probed};
use std::f64::consts::TAU;

type Phasors = DVector<Complex64>;

/// A circuit in its periodic steady state with something that shakes it.
pub struct SmallSignal {
    nets: Vec<String>,
    parts: Vec<String>,
    period: f64,
    clock: f64,
    /// What a period leaves of small disturbances (Floquet multipliers); beyond one they grow, and what is returned is the answer
    /// of a state that no circuit stays in.
    pub multipliers: Vec<Complex64>,
    /// What a period leaves of differences, each in the measure of the largest its state has been.
    leaves: Reals,
    orbit: Orbit,
}

impl SmallSignal {
    /// Finds the periodic steady state of a circuit with an excitation in it.
    ///
    /// # Errors
    /// [`SwitchedError::Unknown`] if there is no such source or net; as [`Settled::find`].
    pub fn new(circuit: &Circuit, excitation: &Excitation, observer: &mut dyn Observer) -> Result<Self, SwitchedError> {
        let mut network = parts::network(circuit)?;
        let still = Of::Input(network.input(Course::Still));
        shake(circuit, &mut network, excitation, &Row::of(still))?;
        SmallSignal::about(circuit, network.clone(), network, observer)
    }

    /// The same with the loop cut at a probe: the pin is shaken by 1 V about what it is in the periodic state, whatever the net it
    /// was on does, which still carries the pin's current.
    ///
    /// # Errors
    /// As [`SmallSignal::new`].
    pub fn opened(probed: &Probed, observer: &mut dyn Observer) -> Result<Self, SwitchedError> {
        let mut network = parts::network(&probed.circuit)?;
        let still = Of::Input(network.input(Course::Still));
        let mut cut = network.clone();
        let inner = probed.circuit.nets.len() - 1;
        *voltage_of(&probed.circuit, &mut cut, &probed.probe)? = Row::of(Of::Net(inner)).plus(-1.0, still);
        SmallSignal::about(&probed.circuit, network, cut, observer)
    }

    /// Differences obey one network about the periodic state of another that differs in its inputs' ways alone.
    fn about(
        circuit: &Circuit,
        network: Network,
        differences: Network,
        observer: &mut dyn Observer,
    ) -> Result<Self, SwitchedError> {
        let mut settled = Settled::of(network, circuit, observer)?;
        let mut walk = Walk::default();
        settled.again(&mut walk)?;
        let orbit = Orbit::new(settled.machine(), &differences, walk)?;
        let n = orbit.scale.len();
        let leaves = orbit.pieces.iter().fold(Reals::identity(n, n), |leaves, piece| {
            let leaves = &piece.through * leaves;
            match &piece.shift {
                Some(shift) => &shift.states * leaves,
                None => leaves,
            }
        });
        Ok(SmallSignal {
            nets: circuit.nets.clone(),
            parts: circuit.parts.iter().map(|part| part.id.clone()).collect(),
            period: settled.period,
            clock: settled.clock,
            multipliers: settled.multipliers,
            leaves,
            orbit,
        })
    }

    /// The shortest period there is, s: at half its frequency a sinusoid cannot be told from its own reflection, and beyond it
    /// what is read stands for the reflection too.
    pub fn clock(&self) -> f64 {
        self.clock
    }

    /// Response of every net and part to the excitation at a frequency in Hz.
    pub fn respond(&self, frequency: f64) -> Response<'_> {
        let s = Complex64::new(0.0, TAU * frequency);
        let n = self.leaves.nrows();
        let solvers: Vec<LU<Complex64, Dyn, Dyn>> =
            self.orbit.ways.iter().map(|way| shifted(&way.rates, s).lu()).collect();
        // A rate of jω itself is a resonance without loss: there nothing is bounded.
        let solve = |way: usize, right: &Phasors| {
            solvers[way].solve(right).unwrap_or_else(|| Phasors::from_element(n, Complex64::new(f64::INFINITY, 0.0)))
        };
        let forced: Vec<Phasors> = self
            .orbit
            .pieces
            .iter()
            .map(|piece| {
                let input = &self.orbit.ways[piece.way].input;
                let moved = complex(&(&piece.through * input)) * (-s * piece.length).exp() - complex(input);
                solve(piece.way, &moved)
            })
            .collect();
        let goes = |piece: &Piece, forced: &Phasors, p: &Phasors| {
            applied(&piece.through, p) * (-s * piece.length).exp() + forced
        };
        let passes = |piece: &Piece, p: Phasors| match &piece.shift {
            Some(shift) => applied(&shift.states, &p) + complex(&shift.input),
            None => p,
        };
        let steps = || self.orbit.pieces.iter().zip(&forced);
        let left = steps().fold(Phasors::zeros(n), |p, (piece, forced)| passes(piece, goes(piece, forced, &p)));
        let round = (-s * self.period).exp();
        let closed = DMatrix::from_fn(n, n, |r, c| {
            Complex64::from(if r == c { 1.0 } else { 0.0 }) - round * self.leaves[(r, c)]
        });
        let first =
            closed.lu().solve(&left).unwrap_or_else(|| Phasors::from_element(n, Complex64::from(f64::INFINITY)));
        let mut p = first;
        let mut read = Phasors::zeros(self.nets.len() - 1 + self.parts.len());
        for (piece, forced) in steps() {
            let way = &self.orbit.ways[piece.way];
            let end = goes(piece, forced, &p);
            let over = &end - &p - complex(&way.input) * Complex64::from(piece.length);
            read += applied(&way.seen, &solve(piece.way, &over));
            read += complex(&way.seen_input) * Complex64::from(piece.length);
            if let Some(Shift { later, later_input, jump, .. }) = &piece.shift {
                let later = later.iter().zip(&end).map(|(l, p)| p * *l).sum::<Complex64>() + later_input;
                read += complex(jump) * later;
            }
            p = passes(piece, end);
        }
        Response { of: self, read: read / Complex64::from(self.period) }
    }
}

/// What an excitation at one frequency brings about.
pub struct Response<'a> {
    of: &'a SmallSignal,
    read: Phasors,
}

impl Response<'_> {
    /// Phasor of a net's voltage, V; None if there is no such net.
    pub fn net(&self, name: &str) -> Option<Complex64> {
        let net = self.of.nets.iter().position(|net| net == name)?;
        Some(if net == 0 { Complex64::ZERO } else { self.read[net - 1] })
    }

    /// Phasor of the current into a part's first pin, A; None if there is no such part.
    pub fn current(&self, part: &str) -> Option<Complex64> {
        let part = self.of.parts.iter().position(|id| id == part)?;
        Some(self.read[self.of.nets.len() - 1 + part])
    }
}

/// Puts what a row says where an excitation is: in series with a source, V, or from net to net, A.
///
/// # Errors
/// [`SwitchedError::Unknown`] if there is no such source or net.
pub(crate) fn shake(
    circuit: &Circuit,
    network: &mut Network,
    excitation: &Excitation,
    by: &Row,
) -> Result<(), SwitchedError> {
    match excitation {
        Excitation::Source(id) => {
            let row = voltage_of(circuit, network, id)?;
            *row = std::mem::take(row).plus(-1.0, by.clone());
        }
        Excitation::Current(into, out_of) => {
            let net = |name: &str| {
                let found = circuit.nets.iter().position(|net| net == name);
                found.ok_or_else(|| SwitchedError::Unknown { what: format!("net {name}") })
            };
            let (into, out_of) = (net(into)?, net(out_of)?);
            network.carry(out_of, into, by);
        }
    }
    Ok(())
}

/// The row of a source that says what its voltage is.
fn voltage_of<'a>(circuit: &Circuit, network: &'a mut Network, id: &str) -> Result<&'a mut Row, SwitchedError> {
    use KindId::{DcSource, ExponentialSource, PiecewiseSource, PulseSource, SineSource};
    let source = |kind| matches!(kind, DcSource | SineSource | PulseSource | PiecewiseSource | ExponentialSource);
    let part = circuit.parts.iter().position(|part| part.id == id && source(part.kind));
    let relation = network.relations.iter_mut().find(|(of, _)| Some(*of) == part);
    relation.map(|(_, row)| row).ok_or_else(|| SwitchedError::Unknown { what: format!("voltage source {id}") })
}

fn complex(v: &DVector<f64>) -> Phasors {
    v.map(Complex64::from)
}

/// A real matrix times phasors.
fn applied(m: &Reals, p: &Phasors) -> Phasors {
    let (re, im) = (m * p.map(|p| p.re), m * p.map(|p| p.im));
    Phasors::from_fn(re.len(), |k, _| Complex64::new(re[k], im[k]))
}

/// `A − s`.
fn shifted(rates: &Reals, s: Complex64) -> DMatrix<Complex64> {
    DMatrix::from_fn(rates.nrows(), rates.ncols(), |r, c| {
        Complex64::from(rates[(r, c)]) - if r == c { s } else { Complex64::ZERO }
    })
}
