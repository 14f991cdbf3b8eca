//! NTC thermistor with its heat: `R = R₂₅·e^(B/T − B/298.15 K)`,
//! `C·dT/dt = v²/R − (T − T_a)/R_th` (the B equation of IEC 60539-1).

use super::device::{At, Device, Inside};
use super::real::Real;
use circuit::ResolvedPart;

/// 0 °C, K.
const ZERO_CELSIUS: f64 = 273.15;
/// Temperature the resistance is given for, K.
const GIVEN_AT: f64 = 298.15;
/// Temperatures the exponent is evaluated between, K.
const COLDEST: f64 = 150.0;

/// Unknowns: both ends, temperature above the surroundings in K.
pub(super) struct Thermistor {
    resistance: f64,
    beta: f64,
    /// K.
    ambient: f64,
    thermal_conductance: f64,
    heat_capacity: f64,
}

impl Thermistor {
    pub(super) fn new(part: &ResolvedPart) -> Self {
        Thermistor {
            resistance: part.value("resistance"),
            beta: part.value("beta"),
            ambient: part.value("ambient") + ZERO_CELSIUS,
            thermal_conductance: 1.0 / part.value("thermal_resistance"),
            heat_capacity: part.value("heat_capacity"),
        }
    }
}

impl Device for Thermistor {
    const INSIDE: &'static [Inside] = &[Inside::Other];

    fn flows<T: Real>(&self, at: &At<'_, T>, f: &mut [T]) {
        let [a, b, rise] = std::array::from_fn(|k| at.x[k]);
        let temperature = rise.plus(self.ambient - COLDEST).soft_positive(1.0).plus(COLDEST);
        let exponent = T::of(-self.beta) / temperature;
        let conductance = exponent.plus(self.beta / GIVEN_AT).bounded_exp().scale(1.0 / self.resistance);
        let current = (a - b) * conductance;
        (f[0], f[1]) = (current, -current);
        f[2] = rise.scale(self.thermal_conductance) - (a - b) * current;
    }

    fn charges<T: Real>(&self, at: &At<'_, T>, q: &mut [T]) {
        q[2] = at.x[2].scale(self.heat_capacity);
    }
}
