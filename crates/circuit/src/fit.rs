//! Parameters of a device from points of its data sheet.

/// kT/q at 300.15 K, the temperature of semiconductors in both engines, V.
pub const THERMAL_VOLTAGE: f64 = 1.380_649e-23 * 300.15 / 1.602_176_634e-19;

/// Magnetic constant, H/m (CODATA 2018).
pub const MU_0: f64 = 1.256_637_062_12e-6;

/// A diode's exponential with its series resistance: `v = R·i + s·ln(i/I_s)`.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct DiodeFit {
    /// Current scale I_s, A.
    pub saturation_current: f64,
    /// Voltage s over which the current grows by e, V.
    pub slope: f64,
    /// Series resistance R, Ω.
    pub resistance: f64,
}

/// Fits two or three pairs of forward voltage (V) and current (A), ascending; with two, the
/// resistance (Ω) is taken as given. The law is linear in s, s·ln I_s and R, so three points are met
/// exactly. None if no diode has such points.
pub fn diode(points: &[(f64, f64)], resistance: f64) -> Option<DiodeFit> {
    if points.iter().any(|(v, i)| *v <= 0.0 || *i <= 0.0) {
        return None;
    }
    let differences: Vec<_> =
        points.windows(2).map(|p| (p[1].0 - p[0].0, (p[1].1 / p[0].1).ln(), p[1].1 - p[0].1)).collect();
    let (slope, resistance) = match differences.as_slice() {
        [(v, l, i)] => ((v - resistance * i) / l, resistance),
        [(v1, l1, i1), (v2, l2, i2)] => {
            let determinant = l1 * i2 - l2 * i1;
            ((v1 * i2 - v2 * i1) / determinant, (l1 * v2 - l2 * v1) / determinant)
        }
        _ => return None,
    };
    let (v, i) = points[0];
    let saturation_current = i * ((resistance * i - v) / slope).exp();
    let sound = slope > 0.0 && resistance > 0.0 && saturation_current > 0.0 && saturation_current < 0.1 * i;
    sound.then_some(DiodeFit { saturation_current, slope, resistance })
}

/// Built-in voltage of the depletion layer between gate and drain, V (common practice).
pub const GATE_DRAIN_BUILT_IN: f64 = 0.8;

/// A MOSFET's gate-source capacitance, F, from the total charge its gate takes.
///
/// While the gate rises from 0 to `gate` (V) and the drain falls from `drain` (V) to the source, the
/// gate-drain capacitance takes the charge of its depletion layer, `2·C·φ·(√(1 + drain/φ) − 1)`, and
/// `C·gate` more; C, without bias, is `reverse·√(1 + at/φ)` for `reverse` (F) stated at `at` (V). What
/// is left of `charge` (C) is the gate-source capacitance's. None if nothing is left.
pub fn gate_source_capacitance(charge: f64, (gate, drain): (f64, f64), (reverse, at): (f64, f64)) -> Option<f64> {
    let bent = |v: f64| (1.0 + v / GATE_DRAIN_BUILT_IN).sqrt();
    let unbiased = reverse * bent(at);
    let gate_drain = 2.0 * unbiased * GATE_DRAIN_BUILT_IN * (bent(drain) - 1.0) + unbiased * gate;
    Some((charge - gate_drain) / gate).filter(|c| *c > 0.0)
}

/// The exponential of a diode: by its measured points if it has any, otherwise by its parameters at 300.15 K.
pub fn of_diode(part: &crate::ResolvedPart) -> DiodeFit {
    let given = DiodeFit {
        saturation_current: part.value("saturation_current"),
        slope: part.value("emission") * THERMAL_VOLTAGE,
        resistance: part.value("series_resistance"),
    };
    diode(&part.points, given.resistance).unwrap_or(given)
}

/// A bipolar transistor by what its data sheet says of one current.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct BipolarFit {
    /// Current scale of the transport model, A.
    pub saturation_current: f64,
    /// Saturation voltage of the junctions alone at [`FORCED_GAIN`], V.
    pub intrinsic_saturation: f64,
    /// Resistance of the collector, Ω.
    pub collector_resistance: f64,
}

/// Collector current over base current at which saturation voltages are stated (common practice).
pub const FORCED_GAIN: f64 = 10.0;
/// Collector resistance left at least, Ω.
const LEAST_RESISTANCE: f64 = 1e-6;

/// The current scale follows from the base-emitter voltage at one collector current, the collector resistance from the saturation
/// voltage there if that is given. That of the junctions alone is `V_T·ln(I_F/I_R)` at the forced gain, from
/// `I_c = I_F − I_R·(1 + 1/β_R)` and `I_b = I_F/β_F + I_R/β_R`.
pub fn of_bipolar(part: &crate::ResolvedPart) -> BipolarFit {
    let current = part.value("collector_current");
    let knee = part.value("knee_current");
    // At the stated current the base charge has already grown; v_bc is taken as zero.
    let grown = if knee > 0.0 { (1.0 + 4.0 * current / knee).sqrt() } else { 1.0 };
    let forward = current * 0.5 * (1.0 + grown);
    let (gain, reverse_gain) = (part.value("gain"), part.value("reverse_gain"));
    let base = 1.0 / FORCED_GAIN;
    let in_reverse = (gain * base - 1.0) / (1.0 + (1.0 + gain) / reverse_gain);
    let in_forward = gain * (base - in_reverse / reverse_gain);
    let intrinsic_saturation = if in_reverse > 0.0 { THERMAL_VOLTAGE * (in_forward / in_reverse).ln() } else { 0.0 };
    let saturated = part.value("saturation_voltage");
    BipolarFit {
        saturation_current: forward / (part.value("base_emitter_voltage") / THERMAL_VOLTAGE).exp_m1(),
        intrinsic_saturation,
        collector_resistance: if saturated > 0.0 {
            ((saturated - intrinsic_saturation) / current).max(LEAST_RESISTANCE)
        } else {
            part.value("collector_resistance")
        },
    }
}
