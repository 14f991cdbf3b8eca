//! Loop gain at a pin, measured without opening the loop: a voltage in series with the pin and a
//! current into it, one after the other, give the four admittances seen from the two sides of the
//! cut; the return ratio for both directions together is `T = (Y_ab + Y_ba)/(Y_aa + Y_bb)`, which
//! does not depend on where the loop is entered (Middlebrook, Int. J. Electronics 38, 1975; Tian,
//! Visvanathan, Hantgan & Kundert, IEEE Circuits & Devices 17, 2001). T is positive for negative
//! feedback; the closed loop's denominator is 1 + T.

use super::sweep::{phase, sweep};
use super::{Complex64, Excitation, SmallSignal};
use crate::EngineError;
use circuit::{Circuit, KindId, ResolvedPart};

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

/// Measures the loop gain at a pin of a part, over a log grid with points added where it bends.
///
/// # Errors
/// [`EngineError::Unknown`] if there is no such pin; as [`SmallSignal::new`].
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
    // What goes wrong at the probe goes wrong at the pin.
    let named =
        |error: EngineError| error.renamed(&probed.probe, &format!("{part} at pin {pin}")).renamed(&probed.inner, pin);
    let mut linear = SmallSignal::new(&probed.circuit).map_err(named)?;
    let points = sweep(from, to, per_decade, |frequency| probed.measure(&mut linear, frequency)).map_err(named)?;
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
        let phase = phase(self.gain.iter().copied());
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
