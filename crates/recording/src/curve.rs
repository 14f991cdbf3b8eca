//! Curves over frequency: where to look, the peaks in what was found, and how stable a loop is that has a gain.

use num_complex::Complex64;
use std::f64::consts::TAU;

/// Largest change of phase and of magnitude from point to point before points are added.
const FINE_PHASE: f64 = 0.15;
const FINE_GAIN: f64 = 0.25;
/// Most points added to a grid, relative to its size.
const MOST_ADDED: usize = 8;
/// Frequencies are not told apart closer than this, relatively.
const CLOSEST: f64 = 1e-6;

/// A grid of frequencies with so many points per decade.
pub fn log_grid(from: f64, to: f64, per_decade: f64) -> Vec<f64> {
    let steps = ((to / from).log10() * per_decade).ceil().max(1.0);
    (0..=steps as usize).map(|k| from * (to / from).powf(k as f64 / steps)).collect()
}

/// Measures something over a log grid from one frequency to another (Hz), with points added where
/// it bends.
///
/// # Errors
/// The first that `measure` returns.
pub fn sweep<E>(
    from: f64,
    to: f64,
    per_decade: f64,
    mut measure: impl FnMut(f64) -> Result<Complex64, E>,
) -> Result<Vec<(f64, Complex64)>, E> {
    let points = sweep_together(from, to, per_decade, |frequency| measure(frequency).map(|value| vec![value]))?;
    Ok(points.into_iter().map(|(frequency, values)| (frequency, values[0])).collect())
}

/// The same of several things at once, all at every frequency; points are added where any of them bends.
///
/// # Errors
/// The first that `measure` returns.
pub fn sweep_together<E>(
    from: f64,
    to: f64,
    per_decade: f64,
    mut measure: impl FnMut(f64) -> Result<Vec<Complex64>, E>,
) -> Result<Vec<(f64, Vec<Complex64>)>, E> {
    let grid = log_grid(from, to, per_decade);
    let most = grid.len() * MOST_ADDED;
    // What is still to be passed lies on a stack, the next on its top.
    let mut ahead: Vec<(f64, Vec<Complex64>)> = Vec::with_capacity(grid.len());
    for f in grid {
        ahead.push((f, measure(f)?));
    }
    ahead.reverse();
    let mut points: Vec<(f64, Vec<Complex64>)> = ahead.pop().into_iter().collect();
    while let (Some((f0, here)), Some((f1, next))) = (points.last(), ahead.last()) {
        let bends = here.iter().zip(next).any(|(t0, t1)| {
            let ratio = t1 / t0;
            ratio.arg().abs() > FINE_PHASE || ratio.norm().ln().abs() > FINE_GAIN
        });
        if bends && f1 / f0 > 1.0 + CLOSEST && points.len() + ahead.len() < most {
            let f = (f0 * f1).sqrt();
            ahead.push((f, measure(f)?));
        } else {
            points.extend(ahead.pop());
        }
    }
    Ok(points)
}

/// Phase of each value without jumps, rad, beginning within ±π.
pub fn phase(values: impl IntoIterator<Item = Complex64>) -> Vec<f64> {
    let mut last = None;
    let unwrapped = values.into_iter().map(|value| {
        let raw = value.arg();
        let near = last.map_or(raw, |last: f64| raw + ((last - raw) / TAU).round() * TAU);
        last = Some(near);
        near
    });
    unwrapped.collect()
}

/// A peak of a response.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct Resonance {
    /// Where it is highest, Hz.
    pub frequency: f64,
    /// How high.
    pub magnitude: f64,
    /// Centre frequency over the width at 1/√2 of the height; None if it does not fall so far on both
    /// sides before rising again.
    pub quality: Option<f64>,
    /// Damping ratio, 1/(2·Q).
    pub damping: Option<f64>,
}

/// The peaks of a response, ascending in frequency. The top is a parabola's through three points of
/// ln |response| over ln f.
pub fn resonances(points: &[(f64, Complex64)]) -> Vec<Resonance> {
    let logs: Vec<(f64, f64)> = points.iter().map(|(f, z)| (f.ln(), z.norm().ln())).collect();
    let peaks = (1..logs.len().saturating_sub(1)).filter(|k| logs[*k].1 > logs[k - 1].1 && logs[*k].1 >= logs[k + 1].1);
    let peaks = peaks.map(|k| {
        let ((x0, y0), (x1, y1), (x2, y2)) = (logs[k - 1], logs[k], logs[k + 1]);
        let (rise, fall) = ((y1 - y0) / (x1 - x0), (y2 - y1) / (x2 - x1));
        let bend = (fall - rise) / (x2 - x0);
        let slope = rise + bend * (x1 - x0);
        let (x, y) = if bend < 0.0 { (x1 - 0.5 * slope / bend, y1 - 0.25 * slope * slope / bend) } else { (x1, y1) };
        let level = y - 0.5 * std::f64::consts::LN_2;
        // Walk down from the top as long as it falls.
        let edge = |step: isize| {
            let mut at = k;
            loop {
                let next = at.checked_add_signed(step).filter(|next| *next < logs.len())?;
                if logs[next].1 > logs[at].1 {
                    return None;
                }
                if logs[next].1 <= level {
                    let share = (logs[at].1 - level) / (logs[at].1 - logs[next].1);
                    return Some((logs[at].0 + share * (logs[next].0 - logs[at].0)).exp());
                }
                at = next;
            }
        };
        let quality = edge(-1).zip(edge(1)).map(|(low, high)| x.exp() / (high - low));
        Resonance { frequency: x.exp(), magnitude: y.exp(), quality, damping: quality.map(|q| 0.5 / q) }
    });
    peaks.collect()
}

/// A loop gain over frequency.
#[derive(Clone, Debug, Default, PartialEq)]
pub struct LoopGain {
    /// Frequencies, Hz, ascending.
    pub frequencies: Vec<f64>,
    /// Return ratio T at each.
    pub gain: Vec<Complex64>,
}

/// Where a loop gain passes one.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct Crossover {
    /// Hz.
    pub frequency: f64,
    /// 180° plus the phase of T there, °.
    pub phase_margin: f64,
}

/// How stable a loop is.
#[derive(Clone, Debug, Default, PartialEq)]
pub struct Margins {
    /// Every frequency at which |T| = 1, upwards or downwards, ascending.
    pub crossovers: Vec<Crossover>,
    /// The one of them with the least phase margin, Hz.
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

impl LoopGain {
    /// Crossover, margins and peak.
    pub fn margins(&self) -> Margins {
        let mut margins = Margins::default();
        let phase = phase(self.gain.iter().copied());
        for k in 0..self.gain.len().saturating_sub(1) {
            let size = |k: usize| self.gain[k].norm().ln();
            let at =
                |share: f64| (self.frequencies[k].ln() * (1.0 - share) + self.frequencies[k + 1].ln() * share).exp();
            if (size(k) > 0.0) != (size(k + 1) > 0.0) {
                let share = size(k) / (size(k) - size(k + 1));
                let phase_margin = 180.0 + (phase[k] * (1.0 - share) + phase[k + 1] * share).to_degrees();
                margins.crossovers.push(Crossover { frequency: at(share), phase_margin });
            }
            let past = |k: usize| phase[k].to_degrees() + 180.0;
            if past(k) > 0.0 && past(k + 1) <= 0.0 && margins.phase_crossover.is_none() {
                let share = past(k) / (past(k) - past(k + 1));
                margins.phase_crossover = Some(at(share));
                let decibels = 20.0 / std::f64::consts::LN_10;
                margins.gain_margin = Some(-decibels * (size(k) * (1.0 - share) + size(k + 1) * share));
            }
        }
        let worst = margins.crossovers.iter().min_by(|a, b| a.phase_margin.total_cmp(&b.phase_margin));
        (margins.crossover, margins.phase_margin) = worst.map(|worst| (worst.frequency, worst.phase_margin)).unzip();
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
