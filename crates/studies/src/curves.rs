//! Curves over frequency, as a frequency study leaves them: by name, in formulas, read.

use circuit::expression::{Operand, work_out};
use circuit::{AskKind, Dimensioned, ReadingMeasure};
use quantity::{Unit, show};
use recording::{Complex64, LoopGain, Resonance, phase, resonances};
use schemars::JsonSchema;
use serde::{Deserialize, Serialize};
use std::f64::consts::{FRAC_1_SQRT_2, TAU};

/// What a frequency study found.
#[derive(Clone, Debug, Default, PartialEq, Serialize, Deserialize, JsonSchema)]
pub struct Curves {
    /// Frequencies, Hz, ascending; every curve has a value at each.
    pub frequencies: Vec<f64>,
    /// Half the switching frequency, Hz, at which curves end; none about an operating point.
    #[serde(default)]
    pub half: Option<f64>,
    /// The answers, in the order asked.
    pub curves: Vec<Curve>,
}

/// The answer to one question.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize, JsonSchema)]
pub struct Curve {
    /// The question's name.
    pub id: String,
    /// What was asked.
    pub asks: AskKind,
    /// Its unit.
    pub unit: Unit,
    /// Real parts, empty where there is no answer.
    pub re: Vec<f64>,
    /// Imaginary parts.
    pub im: Vec<f64>,
    /// Why there is no answer, in words.
    #[serde(default)]
    pub problem: Option<String>,
    /// What tones gave of it, where it was measured with them as well.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub tones: Option<CurveTones>,
}

/// A curve as measured with tones of finite size.
#[derive(Clone, Debug, Default, PartialEq, Serialize, Deserialize, JsonSchema)]
pub struct CurveTones {
    /// Its points, ascending in frequency.
    pub points: Vec<ToneRead>,
    /// What is to be said of them, in words: an amplitude that is too large or too small and the one to take, why there are none.
    #[serde(default)]
    pub said: Option<String>,
}

/// A point measured with a tone.
#[derive(Clone, Copy, Debug, PartialEq, Serialize, Deserialize, JsonSchema)]
pub struct ToneRead {
    /// Hz.
    pub frequency: f64,
    /// Real part.
    pub re: f64,
    /// Imaginary part.
    pub im: f64,
    /// Amplitude of the tone, peak, V or A.
    pub amplitude: f64,
    /// How far the point may be off for what was distorted or lost in rounding, relative to its magnitude.
    pub error: f64,
    /// Whether a tenth of the amplitude gives another answer.
    pub doubtful: bool,
}

impl Curve {
    /// Its values; empty where there is no answer.
    pub fn values(&self) -> impl Iterator<Item = Complex64> + '_ {
        self.re.iter().zip(&self.im).map(|(re, im)| Complex64::new(*re, *im))
    }
}

/// A complex number among the terms of a formula.
#[derive(Clone, Copy, Debug, PartialEq)]
struct Phasor(Complex64);

impl Operand for Phasor {
    fn number(value: f64) -> Self {
        Phasor(Complex64::from(value))
    }

    fn operate(self, operator: char, other: Self) -> Result<Self, String> {
        Ok(Phasor(match operator {
            '+' => self.0 + other.0,
            '-' => self.0 - other.0,
            '*' => self.0 * other.0,
            '/' => self.0 / other.0,
            _ if other.0.im == 0.0 => self.0.powf(other.0.re),
            _ => return Err("an exponent must be a number".to_owned()),
        }))
    }

    fn function(name: &str, first: Self, second: Option<Self>) -> Result<Self, String> {
        Ok(Phasor(match (name, second) {
            ("sqrt", _) => first.0.sqrt(),
            ("abs", _) => Complex64::from(first.0.norm()),
            ("exp", _) => first.0.exp(),
            ("ln", _) => first.0.ln(),
            ("min", Some(second)) => Complex64::from(first.0.norm().min(second.0.norm())),
            (_, Some(second)) => Complex64::from(first.0.norm().max(second.0.norm())),
            _ => return Err(format!("there is no function {name}")),
        }))
    }
}

impl Curves {
    /// What a formula of curves comes to at every frequency: `loop`, `zout / (1 + loop)`. What `min` and `max` compare is magnitudes.
    ///
    /// # Errors
    /// In words: a name that is not there, a curve without an answer, a formula that cannot be read.
    pub fn formula(&self, text: &str) -> Result<Vec<Complex64>, String> {
        let at = |k: usize| {
            let known = |name: &str| {
                let found = self.curves.iter().find(|curve| curve.id == name);
                let curve = found.ok_or_else(|| format!("the study asks nothing named {name}"))?;
                match (&curve.problem, curve.re.get(k).zip(curve.im.get(k))) {
                    (None, Some((re, im))) => Ok(Phasor(Complex64::new(*re, *im))),
                    (problem, _) => Err(problem.clone().unwrap_or_else(|| format!("{name} has no values"))),
                }
            };
            work_out(text, &known).map(|phasor| phasor.0).map_err(|error| error.message)
        };
        (0..self.frequencies.len()).map(at).collect()
    }

    /// How far a formula of curves fills a mask: the largest magnitude over the mask's, or the smallest, and the frequency that
    /// decides it, Hz. The mask's points are joined by straight lines on logarithmic scales.
    ///
    /// # Errors
    /// In words: as [`Curves::formula`]; a mask that covers nothing of what was asked.
    pub fn against(&self, text: &str, mask: &[(f64, f64)], upper: bool) -> Result<(f64, f64), String> {
        let values = self.formula(text)?;
        let masked = |frequency: f64| {
            let next = mask.partition_point(|(f, _)| *f < frequency);
            match (next.checked_sub(1).map(|before| mask[before]), mask.get(next)) {
                (_, Some((f, size))) if *f == frequency => Some(*size),
                (Some((f0, s0)), Some((f1, s1))) => Some(s0 * (s1 / s0).powf((frequency / f0).ln() / (f1 / f0).ln())),
                _ => None,
            }
        };
        // A mask's corners lie between the points that were computed.
        let corners = mask.iter().filter_map(|(f, _)| Some((*f, self.at(&values, *f).ok()?)));
        let points = self.frequencies.iter().copied().zip(values.iter().copied()).chain(corners);
        let ratios = points.filter_map(|(f, z)| Some((z.norm() / masked(f)?, f)));
        let decides = |a: &(f64, f64), b: &(f64, f64)| if upper { a.0.total_cmp(&b.0) } else { b.0.total_cmp(&a.0) };
        ratios.max_by(decides).ok_or_else(|| format!("its mask covers nothing: {}", self.outside()))
    }

    /// The unit of a formula of curves.
    ///
    /// # Errors
    /// In words, as [`Curves::formula`]; and where the unit has no name.
    pub fn unit(&self, text: &str) -> Result<Unit, String> {
        let known = |name: &str| {
            let found = self.curves.iter().find(|curve| curve.id == name);
            let curve = found.ok_or_else(|| format!("the study asks nothing named {name}"))?;
            Ok(Dimensioned::new(1.0, curve.unit))
        };
        let value = work_out(text, &known).map_err(|error| error.message)?;
        value.unit().ok_or_else(|| format!("it comes out in {}, a unit without a name", value.symbol()))
    }

    /// A number of a formula of curves, in the measure's SI unit; the measure's numbers in the order of its table.
    ///
    /// # Errors
    /// In words, why there is none.
    pub fn read(&self, text: &str, measure: ReadingMeasure, numbers: &[Option<f64>]) -> Result<f64, String> {
        let values = self.formula(text)?;
        if values.is_empty() {
            return Err("nothing was computed".to_owned());
        }
        let points = || self.frequencies.iter().copied().zip(values.iter().copied());
        let margins = || LoopGain { frequencies: self.frequencies.clone(), gain: values.clone() }.margins();
        let never = || "its magnitude does not pass one".to_owned();
        let number = |k: usize| numbers.get(k).copied().flatten();
        let band = || {
            let (from, to) = (number(0).unwrap_or(0.0), number(1).unwrap_or(f64::INFINITY));
            let inside = points().filter(|(f, _)| (from..=to).contains(f));
            let ends = [from, to].into_iter().filter_map(|f| Some((f, self.at(&values, f).ok()?)));
            let all: Vec<(f64, Complex64)> = inside.chain(ends).collect();
            if all.is_empty() { Err(self.outside()) } else { Ok(all) }
        };
        match measure {
            ReadingMeasure::Crossover => margins().crossover.ok_or_else(never),
            ReadingMeasure::PhaseMargin => margins().phase_margin.ok_or_else(never),
            ReadingMeasure::GainMargin => {
                margins().gain_margin.ok_or_else(|| "its phase does not pass −180°".to_owned())
            }
            ReadingMeasure::ModulusMargin => Ok(values.iter().map(|t| (t + 1.0).norm()).fold(f64::INFINITY, f64::min)),
            ReadingMeasure::ClosedLoopPeak => Ok(decibels(margins().closed_peak)),
            ReadingMeasure::CurveMagnitude => Ok(self.at(&values, number(0).unwrap_or(0.0))?.norm()),
            ReadingMeasure::CurveDecibels => Ok(decibels(self.at(&values, number(0).unwrap_or(0.0))?.norm())),
            ReadingMeasure::CurvePhase => self.phase_at(&values, number(0).unwrap_or(0.0)),
            ReadingMeasure::CurveLargest => Ok(band()?.iter().map(|(_, z)| z.norm()).fold(0.0, f64::max)),
            ReadingMeasure::CurveSmallest => Ok(band()?.iter().map(|(_, z)| z.norm()).fold(f64::INFINITY, f64::min)),
            ReadingMeasure::PeakFrequency => Ok(self.peak(&values, number(0), number(1))?.frequency),
            ReadingMeasure::PeakQuality => self
                .peak(&values, number(0), number(1))?
                .quality
                .ok_or_else(|| "it does not fall to 1/√2 of its peak on both sides".to_owned()),
            ReadingMeasure::Bandwidth => {
                let level = FRAC_1_SQRT_2 * values[0].norm();
                let sizes: Vec<(f64, f64)> = points().map(|(f, z)| (f.ln(), (z.norm() / level).ln())).collect();
                let falls = sizes.windows(2).find(|pair| pair[0].1 >= 0.0 && pair[1].1 < 0.0);
                let [(x0, y0), (x1, y1)] =
                    falls.map(|pair| [pair[0], pair[1]]).ok_or_else(|| "it does not fall by 3 dB".to_owned())?;
                Ok((x0 + (x1 - x0) * y0 / (y0 - y1)).exp())
            }
            _ => Err("it is taken over time".to_owned()),
        }
    }

    /// A curve's value between its points: magnitude and phase lie on straight lines over the logarithm of frequency.
    pub(crate) fn at(&self, values: &[Complex64], frequency: f64) -> Result<Complex64, String> {
        let next = self.frequencies.partition_point(|f| *f < frequency);
        match (next.checked_sub(1), self.frequencies.get(next)) {
            (_, Some(f)) if *f == frequency => Ok(values[next]),
            (Some(before), Some(after)) => {
                let from = self.frequencies[before];
                let share = (frequency / from).ln() / (after / from).ln();
                Ok(values[before] * (values[next] / values[before]).powf(share))
            }
            _ => Err(self.outside()),
        }
    }

    fn outside(&self) -> String {
        let end = |f: Option<&f64>| show(f.copied().unwrap_or(0.0), Unit::Hertz, 3);
        format!("the study covers {} to {}", end(self.frequencies.first()), end(self.frequencies.last()))
    }

    /// The highest peak between two frequencies.
    fn peak(&self, values: &[Complex64], from: Option<f64>, to: Option<f64>) -> Result<Resonance, String> {
        let points: Vec<_> = self.frequencies.iter().copied().zip(values.iter().copied()).collect();
        let band = from.unwrap_or(0.0)..=to.unwrap_or(f64::INFINITY);
        let inside = resonances(&points).into_iter().filter(|peak| band.contains(&peak.frequency));
        inside.max_by(|a, b| a.magnitude.total_cmp(&b.magnitude)).ok_or_else(|| "it has no peak there".to_owned())
    }
}

/// A curve between two frequencies.
#[derive(Clone, Debug, PartialEq, Serialize, JsonSchema)]
pub struct CurveSpan {
    /// Magnitude at the first, in the curve's unit, and phase, degrees.
    pub at_from: (f64, f64),
    /// The same at the second.
    pub at_to: (f64, f64),
    /// Mean slope of the magnitude between them, dB per decade.
    pub per_decade: f64,
    /// Frequency and magnitude where it is largest between them.
    pub largest: (f64, f64),
    /// Frequency and magnitude where it is smallest between them.
    pub smallest: (f64, f64),
}

impl Curves {
    /// What a formula of curves is at two frequencies, Hz, and between them.
    ///
    /// # Errors
    /// In words: as [`Curves::formula`]; frequencies that were not asked at.
    pub fn between(&self, text: &str, from: f64, to: f64) -> Result<CurveSpan, String> {
        let values = self.formula(text)?;
        let end = |frequency: f64| -> Result<(f64, f64), String> {
            Ok((self.at(&values, frequency)?.norm(), self.phase_at(&values, frequency)?))
        };
        let (at_from, at_to) = (end(from)?, end(to)?);
        let inside = self.frequencies.iter().zip(&values).filter(|(f, _)| (from..=to).contains(*f));
        let all: Vec<(f64, f64)> =
            inside.map(|(f, z)| (*f, z.norm())).chain([(from, at_from.0), (to, at_to.0)]).collect();
        let by = |a: &&(f64, f64), b: &&(f64, f64)| a.1.total_cmp(&b.1);
        let nothing = (from, at_from.0);
        Ok(CurveSpan {
            at_from,
            at_to,
            per_decade: decibels(at_to.0 / at_from.0) / (to / from).log10(),
            largest: *all.iter().max_by(by).unwrap_or(&nothing),
            smallest: *all.iter().min_by(by).unwrap_or(&nothing),
        })
    }

    /// The phase at a frequency, without jumps from the first on, degrees.
    fn phase_at(&self, values: &[Complex64], frequency: f64) -> Result<f64, String> {
        let near = self.at(values, frequency)?.arg();
        // The turn it is in is that of the nearest point.
        let phases = phase(values.iter().copied());
        let next = self.frequencies.partition_point(|f| *f < frequency).min(phases.len() - 1);
        Ok((near + ((phases[next] - near) / TAU).round() * TAU).to_degrees())
    }
}

/// 20·lg.
pub fn decibels(ratio: f64) -> f64 {
    20.0 * ratio.log10()
}

/// Group delay at each point, s: minus the slope of the phase over angular frequency, of the parabola through three points.
pub fn group_delay(frequencies: &[f64], phases: &[f64]) -> Vec<f64> {
    let last = frequencies.len().saturating_sub(1);
    let slope = |a: usize, b: usize| -(phases[b] - phases[a]) / (TAU * (frequencies[b] - frequencies[a]));
    let at = |k: usize| match k {
        _ if last == 0 => 0.0,
        0 => slope(0, 1),
        k if k == last => slope(k - 1, k),
        k => {
            let (before, after) = (frequencies[k] - frequencies[k - 1], frequencies[k + 1] - frequencies[k]);
            (slope(k - 1, k) * after + slope(k, k + 1) * before) / (before + after)
        }
    };
    (0..frequencies.len()).map(at).collect()
}
