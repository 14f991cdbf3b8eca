//! Small sinusoids about an operating point: `(G + jω·C)·x = b`, with G = ∂f/∂x and C = ∂q/∂x.
//!
//! Loop gain at a pin is measured without opening the loop: a voltage in series with the pin and a
//! current into it, one after the other, give the four admittances seen from the two sides of the
//! cut; the return ratio for both directions together is `T = (Y_ab + Y_ba)/(Y_aa + Y_bb)`, which
//! does not depend on where the loop is entered (Middlebrook, Int. J. Electronics 38, 1975; Tian,
//! Visvanathan, Hantgan & Kundert, IEEE Circuits & Devices 17, 2001). T is positive for negative
//! feedback; the closed loop's denominator is 1 + T.

use crate::equations::{Conditions, Equations};
use crate::models::Point;
use crate::operating_point::{GMIN, OperatingPoint, operating_point};
use crate::sparse::Lu;
use crate::{Column, EngineError};
use circuit::{Circuit, KindId, Quantity, ResolvedPart};
pub use num_complex::Complex64;
use std::f64::consts::TAU;

/// What is shaken, with amplitude one.
#[derive(Clone, Debug, PartialEq, Eq)]
pub enum Excitation {
    /// 1 V in series with a voltage source, by designator.
    Source(String),
    /// 1 A drawn out of the second net and driven into the first, by name.
    Current(String, String),
}

/// A circuit linearised at its operating point.
pub struct SmallSignal {
    equations: Equations,
    point: OperatingPoint,
    g: Vec<f64>,
    c: Vec<f64>,
    lu: Lu<Complex64>,
    matrix: Vec<Complex64>,
    part_branches: Vec<Option<usize>>,
    nets: Vec<String>,
}

/// Evaluations a junction may take to be followed to its voltage.
const SETTLING: usize = 100;
/// Relative step of the difference quotients that give the currents of parts.
const QUOTIENT: f64 = 1e-4;

impl SmallSignal {
    /// Finds the operating point of a circuit and linearises there.
    ///
    /// # Errors
    /// As [`operating_point()`].
    pub fn new(circuit: &Circuit) -> Result<Self, EngineError> {
        let equations = Equations::new(circuit);
        let point = operating_point(&equations)?;
        let mut matrix = equations.matrix();
        let size = equations.n + 1;
        let (mut f, mut q, mut currents) = (vec![0.0; size], vec![0.0; size], vec![0.0; equations.models.len()]);
        let conditions = Conditions { source_scale: 1.0, gmin: GMIN, shunt: 0.0 };
        let at = Point { x: &point.unknowns, t: 0.0 };
        // Junctions are approached in steps until they are evaluated where they are.
        for _ in 0..SETTLING {
            equations.evaluate(at, conditions, &mut f, &mut q, &mut currents, Some(&mut matrix));
            if !matrix.limited {
                break;
            }
        }
        let c = equations.capacitances(&matrix);
        Ok(SmallSignal {
            part_branches: equations.models.iter().map(|m| m.voltage_row()).collect(),
            lu: equations.factors(),
            matrix: vec![Complex64::ZERO; matrix.values.len()],
            g: matrix.values,
            c,
            nets: circuit.nets.clone(),
            equations,
            point,
        })
    }

    /// The operating point.
    pub fn operating_point(&self) -> &OperatingPoint {
        &self.point
    }

    /// Response of every recorded quantity to an excitation at a frequency in Hz.
    ///
    /// # Errors
    /// [`EngineError::Unknown`] if there is no such source or net, [`EngineError::Singular`].
    pub fn respond(&mut self, excitation: &Excitation, frequency: f64) -> Result<Response<'_>, EngineError> {
        let mut x = vec![Complex64::ZERO; self.equations.n + 1];
        match excitation {
            Excitation::Source(part) => {
                let row = self.equations.part_index(part).and_then(|p| self.part_branches[p]);
                let row = row.ok_or_else(|| EngineError::Unknown { what: format!("voltage source {part}") })?;
                x[row] = Complex64::ONE;
            }
            Excitation::Current(into, out_of) => {
                let net = |name: &str| {
                    let found = self.nets.iter().position(|n| n == name);
                    found.ok_or_else(|| EngineError::Unknown { what: format!("net {name}") })
                };
                let (into, out_of) = (net(into)?, net(out_of)?);
                x[into] += Complex64::ONE;
                x[out_of] -= Complex64::ONE;
            }
        }
        let omega = TAU * frequency;
        for ((out, g), c) in self.matrix.iter_mut().zip(&self.g).zip(&self.c) {
            *out = Complex64::new(*g, omega * c);
        }
        let name = |column: usize| EngineError::Singular { unknown: self.equations.name(column + 1) };
        self.lu.factor(&self.matrix).map_err(|singular| name(singular.column))?;
        self.lu.solve(&mut x[1..]);
        x[0] = Complex64::ZERO;
        Ok(Response { of: self, x })
    }
}

/// What one excitation at one frequency brings about.
pub struct Response<'a> {
    of: &'a SmallSignal,
    x: Vec<Complex64>,
}

impl Response<'_> {
    /// Phasor of a net's voltage, V; None if there is no such net.
    pub fn net(&self, name: &str) -> Option<Complex64> {
        self.of.nets.iter().position(|n| n == name).map(|net| self.x[net])
    }

    /// Phasor of the current into a part's first pin, A; None if there is no such part.
    pub fn current(&self, part: &str) -> Option<Complex64> {
        let equations = &self.of.equations;
        let index = equations.part_index(part)?;
        // A branch's current is an unknown; others follow from the device by difference quotients
        // along the response's real and imaginary part.
        if let Some(unknown) = equations.models[index].current_unknown() {
            return Some(self.x[unknown]);
        }
        let along = |pick: fn(&Complex64) -> f64| {
            let direction: Vec<f64> = self.x.iter().map(pick).collect();
            let largest = direction.iter().fold(0.0f64, |m, d| m.max(d.abs()));
            if largest == 0.0 {
                return 0.0;
            }
            let h = QUOTIENT / largest;
            let value = |sign: f64| {
                let x: Vec<f64> =
                    self.of.point.unknowns.iter().zip(&direction).map(|(x, d)| x + sign * h * d).collect();
                equations.models[index].current(Point { x: &x, t: 0.0 })
            };
            (value(1.0) - value(-1.0)) / (2.0 * h)
        };
        Some(Complex64::new(along(|z| z.re), along(|z| z.im)))
    }

    /// Phasor of a recorded column's quantity; None for powers, which are not linear.
    pub fn column(&self, column: &Column) -> Option<Complex64> {
        match column.quantity {
            Quantity::Voltage => self.net(&column.of),
            Quantity::Current => self.current(&column.of),
            _ => None,
        }
    }
}

/// A loop gain over frequency.
#[derive(Clone, Debug, Default, PartialEq)]
pub struct LoopGain {
    /// Frequencies, Hz, ascending.
    pub frequencies: Vec<f64>,
    /// Return ratio T at each.
    pub gain: Vec<Complex64>,
}

/// How stable a loop is.
#[derive(Clone, Copy, Debug, Default, PartialEq)]
pub struct Margins {
    /// Frequency at which |T| = 1, the highest if there are several, Hz.
    pub crossover: Option<f64>,
    /// 180° plus the phase of T there, °.
    pub phase_margin: Option<f64>,
    /// Frequency at which the phase of T passes −180°, Hz.
    pub phase_crossover: Option<f64>,
    /// 1/|T| there, dB.
    pub gain_margin: Option<f64>,
    /// Largest |T/(1 + T)|.
    pub closed_peak: f64,
    /// Damping ratio of the second-order loop that has this phase margin (handbook:
    /// `PM = atan(2ζ/√(√(1 + 4ζ⁴) − 2ζ²))`).
    pub damping: Option<f64>,
}

/// Largest change of phase and of magnitude from point to point before points are added.
const FINE_PHASE: f64 = 0.15;
const FINE_GAIN: f64 = 0.25;
/// Most points added to a grid, relative to its size.
const MOST_ADDED: usize = 8;

/// A grid of frequencies with so many points per decade.
pub fn log_grid(from: f64, to: f64, per_decade: f64) -> Vec<f64> {
    let steps = ((to / from).log10() * per_decade).ceil().max(1.0);
    (0..=steps as usize).map(|k| from * (to / from).powf(k as f64 / steps)).collect()
}

/// Measures the loop gain at a pin of a part, over a log grid with points added where it bends.
///
/// # Errors
/// [`EngineError::Unknown`] if there is no such pin; as [`operating_point()`].
pub fn loop_gain(
    circuit: &Circuit,
    part: &str,
    pin: &str,
    from: f64,
    to: f64,
    per_decade: f64,
) -> Result<LoopGain, EngineError> {
    let unknown = || EngineError::Unknown { what: format!("pin {pin} of {part}") };
    let index = circuit.part(part).ok_or_else(unknown)?;
    let place = circuit.parts[index].kind.kind().pin(pin).ok_or_else(unknown)?;
    let probed = Probed::new(circuit, index, place);
    let mut linear = SmallSignal::new(&probed.circuit)?;
    let mut measure = |frequency: f64| probed.measure(&mut linear, frequency);
    let grid = log_grid(from, to, per_decade);
    let most = grid.len() * MOST_ADDED;
    let mut points: Vec<(f64, Complex64)> = Vec::with_capacity(grid.len());
    for f in grid {
        points.push((f, measure(f)?));
    }
    let mut k = 0;
    while k + 1 < points.len() && points.len() < most {
        let ((f0, t0), (f1, t1)) = (points[k], points[k + 1]);
        let ratio = t1 / t0;
        let bends = ratio.arg().abs() > FINE_PHASE || ratio.norm().ln().abs() > FINE_GAIN;
        if bends && f1 / f0 > 1.0 + 1e-3 {
            let f = (f0 * f1).sqrt();
            points.insert(k + 1, (f, measure(f)?));
        } else {
            k += 1;
        }
    }
    Ok(LoopGain { frequencies: points.iter().map(|p| p.0).collect(), gain: points.iter().map(|p| p.1).collect() })
}

/// A circuit with a probe in series with a pin.
struct Probed {
    circuit: Circuit,
    /// Names of the net the pin was on and of the pin's own.
    outer: String,
    inner: String,
    probe: String,
}

impl Probed {
    fn new(circuit: &Circuit, part: usize, pin: usize) -> Self {
        let mut circuit = circuit.clone();
        // Names no document can contain.
        let (inner, probe) = ("(pin)".to_owned(), "(probe)".to_owned());
        let outer = circuit.parts[part].pins[pin];
        circuit.nets.push(inner.clone());
        circuit.parts[part].pins[pin] = circuit.nets.len() - 1;
        circuit.parts.push(ResolvedPart {
            id: probe.clone(),
            kind: KindId::DcSource,
            stage: None,
            pins: vec![outer, circuit.nets.len() - 1],
            values: vec![0.0],
            points: Vec::new(),
        });
        let outer = circuit.nets[outer].clone();
        Probed { circuit, outer, inner, probe }
    }

    fn measure(&self, linear: &mut SmallSignal, frequency: f64) -> Result<Complex64, EngineError> {
        let mut see = |excitation: &Excitation| {
            let response = linear.respond(excitation, frequency)?;
            let nothing = || EngineError::Unknown { what: self.outer.clone() };
            let v = response.net(&self.inner).ok_or_else(nothing)?;
            let j = response.current(&self.probe).ok_or_else(nothing)?;
            Ok::<_, EngineError>((v, j))
        };
        // v is the pin's voltage, j the current from the net through the probe into the pin.
        let (v1, j1) = see(&Excitation::Source(self.probe.clone()))?;
        let (v2, j2) = see(&Excitation::Current(self.inner.clone(), circuit::GND.to_owned()))?;
        let n = j2 + v1 + 2.0 * (j2 * v1 - j1 * v2);
        Ok(-n / (1.0 + n))
    }
}

impl LoopGain {
    /// Crossover, margins and peak.
    pub fn margins(&self) -> Margins {
        let mut margins = Margins::default();
        let phase = self.phase();
        for k in 0..self.gain.len().saturating_sub(1) {
            let size = |k: usize| self.gain[k].norm().ln();
            let at =
                |share: f64| (self.frequencies[k].ln() * (1.0 - share) + self.frequencies[k + 1].ln() * share).exp();
            if size(k) > 0.0 && size(k + 1) <= 0.0 {
                let share = size(k) / (size(k) - size(k + 1));
                margins.crossover = Some(at(share));
                margins.phase_margin = Some(180.0 + (phase[k] * (1.0 - share) + phase[k + 1] * share).to_degrees());
            }
            let past = |k: usize| phase[k].to_degrees() + 180.0;
            if past(k) > 0.0 && past(k + 1) <= 0.0 && margins.phase_crossover.is_none() {
                let share = past(k) / (past(k) - past(k + 1));
                margins.phase_crossover = Some(at(share));
                let decibels = 20.0 / std::f64::consts::LN_10;
                margins.gain_margin = Some(-decibels * (size(k) * (1.0 - share) + size(k + 1) * share));
            }
        }
        let closed = self.gain.iter().map(|t| (t / (1.0 + t)).norm());
        margins.closed_peak = closed.fold(0.0, f64::max);
        margins.damping = margins.phase_margin.filter(|pm| (0.0..90.0).contains(pm)).map(|pm| damping(pm.to_radians()));
        margins
    }

    /// Phase of T without jumps, rad, beginning within ±180°.
    pub fn phase(&self) -> Vec<f64> {
        let mut phase: Vec<f64> = Vec::with_capacity(self.gain.len());
        for t in &self.gain {
            let raw = t.arg();
            let last = phase.last().copied().unwrap_or(raw);
            phase.push(raw + ((last - raw) / TAU).round() * TAU);
        }
        phase
    }
}

/// Damping ratio with a given phase margin, by bisection.
fn damping(phase_margin: f64) -> f64 {
    let margin = |z: f64| (2.0 * z / ((1.0 + 4.0 * z.powi(4)).sqrt() - 2.0 * z * z).sqrt()).atan();
    let (mut low, mut high) = (0.0, 50.0);
    for _ in 0..80 {
        let z = 0.5 * (low + high);
        if margin(z) < phase_margin { low = z } else { high = z }
    }
    0.5 * (low + high)
}
