//! Loop gain at a pin, measured without opening the loop: a voltage in series with the pin and a
//! current into it, one after the other, give the four admittances seen from the two sides of the
//! cut; the return ratio for both directions together is `T = (Y_ab + Y_ba)/(Y_aa + Y_bb)`, which
//! does not depend on where the loop is entered (Middlebrook, Int. J. Electronics 38, 1975; Tian,
//! Visvanathan, Hantgan & Kundert, IEEE Circuits & Devices 17, 2001). T is positive for negative
//! feedback; the closed loop's denominator is 1 + T.

use super::SmallSignal;
use crate::EngineError;
use circuit::Circuit;
use recording::{Complex64, Excitation, LoopGain, Probed, sweep};

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
    let probed = Probed::new(circuit, part, pin).ok_or_else(unknown)?;
    // What goes wrong at the probe goes wrong at the pin.
    let named =
        |error: EngineError| error.renamed(&probed.probe, &format!("{part} at pin {pin}")).renamed(&probed.inner, pin);
    let mut linear = SmallSignal::new(&probed.circuit).map_err(named)?;
    let points = sweep(from, to, per_decade, |frequency| linear.return_ratio(&probed, frequency)).map_err(named)?;
    Ok(LoopGain { frequencies: points.iter().map(|p| p.0).collect(), gain: points.iter().map(|p| p.1).collect() })
}

impl SmallSignal {
    /// Loop gain at a probe of this circuit at a frequency in Hz, both directions together.
    ///
    /// # Errors
    /// As [`SmallSignal::respond`].
    pub fn return_ratio(&mut self, probed: &Probed, frequency: f64) -> Result<Complex64, EngineError> {
        let mut see = |excitation: &Excitation| {
            let response = self.respond(excitation, frequency)?;
            let nothing = || EngineError::Unknown { what: probed.outer.clone() };
            let v = response.net(&probed.inner).ok_or_else(nothing)?;
            let j = response.current(&probed.probe).ok_or_else(nothing)?;
            Ok::<_, EngineError>((v, j))
        };
        // v is the pin's voltage, j the current from the net through the probe into the pin.
        let (v1, j1) = see(&Excitation::Source(probed.probe.clone()))?;
        let (v2, j2) = see(&Excitation::Current(probed.inner.clone(), circuit::GND.to_owned()))?;
        let n = j2 + v1 + 2.0 * (j2 * v1 - j1 * v2);
        Ok(-n / (1.0 + n))
    }
}
