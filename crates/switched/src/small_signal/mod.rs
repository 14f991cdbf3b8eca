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

pub(crate) mod orbit;
pub(crate) mod tones;

use crate::error::SwitchedError;
use crate::network::Network;
use crate::network::course::Course;
use crate::network::row::{Of, Row};
use crate::parts;
use crate::periodic::Settled;
use crate::small_signal::orbit::{Orbit, Piece, Reals, Shift, Walk, Way};
use circuit::{Circuit, KindId};
use linear::dot;
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
    orbit: Orbit,
}

/// How a circuit is shaken.
#[derive(Clone, Debug, PartialEq, Eq)]
pub enum Shaken {
    /// By a voltage or a current of one.
    By(Excitation),
    /// With the loop cut at a probe: the pin is shaken by 1 V about what it is in the periodic state, whatever the net it was on
    /// does, which still carries the pin's current.
    Cut {
        /// Designator of the probe.
        probe: String,
        /// The pin's own net.
        inner: String,
    },
}

impl Shaken {
    /// The loop cut at a probe.
    pub fn cut(probed: &Probed) -> Self {
        Shaken::Cut { probe: probed.probe.clone(), inner: probed.inner.clone() }
    }
}

impl SmallSignal {
    /// Finds the periodic steady state of a circuit with an excitation in it.
    ///
    /// # Errors
    /// [`SwitchedError::Unknown`] if there is no such source or net; as [`Settled::find`].
    pub fn new(circuit: &Circuit, excitation: &Excitation, observer: &mut dyn Observer) -> Result<Self, SwitchedError> {
        SmallSignal::one(circuit, Shaken::By(excitation.clone()), observer)
    }

    /// The same with the loop cut at a probe.
    ///
    /// # Errors
    /// As [`SmallSignal::new`].
    pub fn opened(probed: &Probed, observer: &mut dyn Observer) -> Result<Self, SwitchedError> {
        SmallSignal::one(&probed.circuit, Shaken::cut(probed), observer)
    }

    fn one(circuit: &Circuit, shaken: Shaken, observer: &mut dyn Observer) -> Result<Self, SwitchedError> {
        let mut found = SmallSignal::several(circuit, &[shaken], observer)?;
        Ok(found.remove(0))
    }

    /// One for each way of shaking the same circuit, whose periodic state is found once.
    ///
    /// # Errors
    /// As [`SmallSignal::new`].
    pub fn several(
        circuit: &Circuit,
        shaken: &[Shaken],
        observer: &mut dyn Observer,
    ) -> Result<Vec<Self>, SwitchedError> {
        let mut network = parts::network(circuit)?;
        let still = Of::Input(network.input(Course::Still));
        // Differences obey a network about the periodic state of another that differs in its inputs' ways alone.
        let differences = shaken.iter().map(|shaken| {
            let mut network = network.clone();
            match shaken {
                Shaken::By(excitation) => shake(circuit, &mut network, excitation, &Row::of(still))?,
                Shaken::Cut { probe, inner } => {
                    let unknown = || SwitchedError::Unknown { what: format!("net {inner}") };
                    let inner = circuit.nets.iter().position(|net| net == inner).ok_or_else(unknown)?;
                    *voltage_of(circuit, &mut network, probe)? = Row::of(Of::Net(inner)).plus(-1.0, still);
                }
            }
            Ok::<_, SwitchedError>(network)
        });
        let differences: Vec<Network> = differences.collect::<Result<_, _>>()?;
        let mut settled = Settled::of(network, circuit, None, observer)?;
        let about = |differences: &Network| {
            let mut walk = Walk::default();
            settled.again(&mut walk)?;
            Ok(SmallSignal {
                nets: circuit.nets.clone(),
                parts: circuit.parts.iter().map(|part| part.id.clone()).collect(),
                period: settled.period,
                clock: settled.clock,
                multipliers: settled.multipliers.clone(),
                orbit: Orbit::new(settled.machine(), differences, walk)?,
            })
        };
        differences.iter().map(about).collect()
    }

    /// The shortest period there is, s: at half its frequency a sinusoid cannot be told from its own reflection, and beyond it
    /// what is read stands for the reflection too.
    pub fn clock(&self) -> f64 {
        self.clock
    }

    /// Response of every net and part to the excitation at a frequency in Hz.
    pub fn respond(&self, frequency: f64) -> Response<'_> {
        let s = Complex64::new(0.0, TAU * frequency);
        let steady: Vec<Steady> = self.orbit.ways.iter().map(|way| Steady::new(way, s)).collect();
        let n = self.orbit.scale.len();
        let left = self.once_around(&Phasors::zeros(n), s, &steady, &mut |_, _, _| {}).phasors();
        // 1 − e^(−sT)·Φ, with what is nearly one on both sides taken out of it.
        let (turn, less) = turned(s, self.period);
        let change = &self.orbit.change;
        let closed = DMatrix::from_fn(n, n, |r, c| {
            let own = if r == c { less } else { Complex64::ZERO };
            -own - turn * change[(r, c)]
        });
        let first = solved(&closed.lu(), &left);
        let mut read = Phasors::zeros(self.nets.len() - 1 + self.parts.len());
        let mut sums = vec![(Apart::of(&Phasors::zeros(n)), 0.0); steady.len()];
        self.once_around(&first, s, &steady, &mut |piece, change, end| {
            let (changes, lasts) = &mut sums[piece.way];
            changes.re.iter_mut().zip(&change.re).for_each(|(sum, change)| *sum += change);
            changes.im.iter_mut().zip(&change.im).for_each(|(sum, change)| *sum += change);
            *lasts += piece.length;
            if let Some(Shift { later, later_input, jump, .. }) = &piece.shift {
                let later = Complex64::new(dot(later, &end.re) + later_input, dot(later, &end.im));
                jump.iter().for_each(|(row, jump)| read[*row] += later * *jump);
            }
        });
        for ((way, steady), (changes, lasts)) in self.orbit.ways.iter().zip(&steady).zip(sums) {
            // The integral of p, as dp/dt = (A − s)·p + b with b = (A − s)·q.
            let integral = steady.solve(&changes.phasors()) - &steady.state * Complex64::from(lasts);
            read += applied(&way.seen, &integral) + complex(&way.seen_input) * Complex64::from(lasts);
        }
        Response { of: self, read: read / Complex64::from(self.period) }
    }

    /// What differences come to over a period from what they begin with; of each piece what it changes and where it ends are seen.
    fn once_around(
        &self,
        first: &Phasors,
        s: Complex64,
        steady: &[Steady],
        see: &mut dyn FnMut(&Piece, &Apart, &Apart),
    ) -> Apart {
        let mut p = Apart::of(first);
        let (mut off, mut moved) = (p.clone(), p.clone());
        for piece in &self.orbit.pieces {
            let (turn, less) = turned(s, piece.length);
            let q = &steady[piece.way].apart;
            for k in 0..p.re.len() {
                (off.re[k], off.im[k]) = (p.re[k] + q.re[k], p.im[k] + q.im[k]);
            }
            piece.change.apply_to_both([&off.re, &off.im], [&mut moved.re, &mut moved.im]);
            for k in 0..p.re.len() {
                let (re, im) = (moved.re[k], moved.im[k]);
                moved.re[k] = less.re * off.re[k] - less.im * off.im[k] + turn.re * re - turn.im * im;
                moved.im[k] = less.re * off.im[k] + less.im * off.re[k] + turn.re * im + turn.im * re;
                p.re[k] += moved.re[k];
                p.im[k] += moved.im[k];
            }
            see(piece, &moved, &p);
            if let Some(shift) = &piece.shift {
                off.re.copy_from_slice(&p.re);
                off.im.copy_from_slice(&p.im);
                for (row, entries) in &shift.change {
                    p.re[*row] += dot(entries, &off.re);
                    p.im[*row] += dot(entries, &off.im);
                }
                p.re.iter_mut().zip(shift.input.iter()).for_each(|(p, input)| *p += input);
            }
        }
        p
    }
}

/// Phasors whose real and imaginary parts lie apart, because all that is done to them often is real.
#[derive(Clone)]
struct Apart {
    re: Vec<f64>,
    im: Vec<f64>,
}

impl Apart {
    fn of(phasors: &Phasors) -> Self {
        Apart { re: phasors.iter().map(|p| p.re).collect(), im: phasors.iter().map(|p| p.im).collect() }
    }

    fn phasors(&self) -> Phasors {
        Phasors::from_fn(self.re.len(), |k, _| Complex64::new(self.re[k], self.im[k]))
    }
}

/// Where a configuration would be for good, p = −q with (A − s)·q = b: what is off it goes by e^((A − s)·h) alone.
struct Steady {
    shifted: LU<Complex64, Dyn, Dyn>,
    /// q, as it is and with its parts apart.
    state: Phasors,
    apart: Apart,
}

impl Steady {
    fn new(way: &Way, s: Complex64) -> Self {
        let input = complex(&way.input);
        let mut steady = Steady { shifted: shifted(&way.rates, s).lu(), apart: Apart::of(&input), state: input };
        steady.state = steady.solve(&steady.state);
        steady.apart = Apart::of(&steady.state);
        steady
    }

    fn solve(&self, right: &Phasors) -> Phasors {
        solved(&self.shifted, right)
    }
}

/// What solves a system; unbounded where nothing does: a rate of jω itself is a resonance without loss. Where there are no states
/// there is nothing to solve, which the library takes for an error.
fn solved(factors: &LU<Complex64, Dyn, Dyn>, right: &Phasors) -> Phasors {
    if right.is_empty() {
        return right.clone();
    }
    factors.solve(right).unwrap_or_else(|| Phasors::from_element(right.len(), Complex64::from(f64::INFINITY)))
}

/// `e^(−s·h)` and that less one, for an imaginary s.
fn turned(s: Complex64, h: f64) -> (Complex64, Complex64) {
    let angle = s.im * h;
    let half = (0.5 * angle).sin();
    (Complex64::cis(-angle), Complex64::new(-2.0 * half * half, -angle.sin()))
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
