//! Loop gain at a pin, measured without opening the loop: a voltage in series with the pin and a
//! current into it, one after the other, give the four admittances seen from the two sides of the
//! cut; the return ratio for both directions together is `T = (Y_ab + Y_ba)/(Y_aa + Y_bb)`, which
//! does not depend on where the loop is entered (Middlebrook, Int. J. Electronics 38, 1975; Tian,
//! Visvanathan, Hantgan & Kundert, IEEE Circuits & Devices 17, 2001). T is positive for negative
//! feedback; the closed loop's denominator is 1 + T.

use super::{Excitation, SmallSignal};
use crate::EngineError;
use circuit::{Circuit, KindId, ResolvedPart};
use recording::{Complex64, LoopGain, sweep};

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
