//! Small sinusoids about an operating point: `(G + jω·C)·x = b`, with G = ∂f/∂x and C = ∂q/∂x.

mod loop_gain;

use crate::EngineError;
use crate::contract::GMIN;
use crate::contract::{Flow, Point};
use crate::equations::{Conditions, Equations};
use crate::operating_point::{OperatingPoint, operating_point};
use circuit::Circuit;
use linear::Lu;
pub use loop_gain::loop_gain;
use recording::{Complex64, Excitation};
use std::f64::consts::TAU;

/// A circuit linearised at its operating point.
pub struct SmallSignal {
    equations: Equations,
    point: OperatingPoint,
    g: Vec<f64>,
    c: Vec<f64>,
    lu: Lu<Complex64>,
    /// Frequency its factors are of, Hz.
    factored: Option<f64>,
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
        let (mut f, mut q, mut flows) =
            (vec![0.0; size], vec![0.0; size], vec![Flow::default(); equations.models.len()]);
        let conditions = Conditions { source_scale: 1.0, gmin: GMIN, shunt: 0.0, resting: true };
        let at = Point { x: &point.unknowns, t: 0.0 };
        // Junctions are approached in steps until they are evaluated where they are.
        for _ in 0..SETTLING {
            equations.evaluate(at, conditions, &mut f, &mut q, &mut flows, Some(&mut matrix));
            if !matrix.limited {
                break;
            }
        }
        let c = equations.capacitances(&matrix);
        Ok(SmallSignal {
            part_branches: equations.models.iter().map(|m| m.voltage_row()).collect(),
            lu: equations.factors(),
            factored: None,
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
        if self.factored != Some(frequency) {
            self.factored = None;
            let omega = TAU * frequency;
            for ((out, g), c) in self.matrix.iter_mut().zip(&self.g).zip(&self.c) {
                *out = Complex64::new(*g, omega * c);
            }
            let name = |column: usize| EngineError::Singular { unknown: self.equations.name(column + 1) };
            self.lu.factor(&self.matrix).map_err(|singular| name(singular.column))?;
            self.factored = Some(frequency);
        }
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
                equations.models[index].flow(Point { x: &x, t: 0.0 }).current
            };
            (value(1.0) - value(-1.0)) / (2.0 * h)
        };
        Some(Complex64::new(along(|z| z.re), along(|z| z.im)))
    }
}
