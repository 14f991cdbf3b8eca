use super::gauge::Gauge;
use crate::figures::Figures;
use crate::polynomial::{Polynomial, slopes, value};
use crate::span::{MeasureError, Span};
use crate::turns::Turns;
use crate::waveform::Waveform;
use num_complex::Complex64;
use std::f64::consts::{PI, TAU};

/// Fourier coefficients of what was recorded, integrated exactly over each polynomial.
#[derive(Clone, Debug)]
pub struct Spectrum {
    span: Span,
    frequency: f64,
    /// Of the orders from 1 on: the integral of signal times e^(−jkωt).
    sums: Vec<Complex64>,
}

/// Nodes and weights of the quadrature by Gauss and Legendre with eight points on 0 to 1 (Abramowitz and Stegun, 25.4.30).
pub(crate) const GAUSS: [(f64, f64); 4] = [
    (0.183_434_642_495_649_8, 0.362_683_783_378_362),
    (0.525_532_409_916_329, 0.313_706_645_877_887_3),
    (0.796_666_477_413_626_7, 0.222_381_034_453_374_48),
    (0.960_289_856_497_536_3, 0.101_228_536_290_376_26),
];

/// The angle a step may turn through for the quadrature.
const SHORT: f64 = 1.5;

impl Spectrum {
    /// Nothing yet: orders 1 to `orders` of a fundamental, Hz, over the whole periods at the end of a span.
    ///
    /// # Errors
    /// [`MeasureError::TooShort`] if not one period fits.
    pub fn new(span: Span, frequency: f64, orders: usize) -> Result<Self, MeasureError> {
        let periods = ((span.to - span.from) * frequency * (1.0 + 1e-9)).floor();
        if periods.is_nan() || periods < 1.0 {
            return Err(MeasureError::TooShort { needed: 1.0 / frequency });
        }
        let from = (span.to - periods / frequency).max(span.from);
        Ok(Spectrum { span: Span { from, to: span.to }, frequency, sums: vec![Complex64::ZERO; orders.max(1)] })
    }

    /// The whole periods looked at.
    pub fn span(&self) -> Span {
        self.span
    }

    /// Adds a waveform.
    pub fn take(&mut self, wave: Waveform<'_>) {
        for piece in wave.pieces(self.span) {
            let bounds = piece.within(self.span);
            let (start, length) = (piece.time(bounds.0) - self.span.from, piece.lasts(bounds.0, bounds.1));
            if length > 0.0 {
                self.add(&piece.over(bounds), start, length);
            }
        }
    }

    /// Adds one that comes again and again: each turn as the first, but for its angle.
    pub(crate) fn take_again(&mut self, turns: &Turns<'_>, which: usize) {
        let none = vec![Complex64::ZERO; self.sums.len()];
        let before = std::mem::replace(&mut self.sums, none);
        turns.hand(0, &mut |waves| self.take(waves[which]));
        for (k, (sum, before)) in self.sums.iter_mut().zip(before).enumerate() {
            *sum = before + *sum * turned((k + 1) as f64 * self.frequency * turns.period(), turns.count() as f64);
        }
    }

    /// Adds a polynomial that begins at a time, s, and lasts for one.
    fn add(&mut self, course: &Polynomial, start: f64, length: f64) {
        let omega = TAU * self.frequency;
        // Orders for which the closed form would cancel; a quadrature errs by less than rounding there.
        let low = self.sums.len().min((SHORT / (omega * length)) as usize);
        if low > 0 {
            let mut places = [(0.0, Complex64::ZERO); 2 * GAUSS.len()];
            let nodes = GAUSS.iter().flat_map(|(x, w)| [(0.5 * (1.0 - x), w), (0.5 * (1.0 + x), w)]);
            for (place, (s, weight)) in places.iter_mut().zip(nodes) {
                *place = (0.5 * weight * length * value(course, s), Complex64::cis(-omega * (start + length * s)));
            }
            // Powers of what turns once a period turn as often as the order says.
            let mut turned = places.map(|(_, once)| once);
            for sum in &mut self.sums[..low] {
                for (turn, (weight, once)) in turned.iter_mut().zip(places) {
                    *sum += weight * *turn;
                    *turn *= once;
                }
            }
        }
        for (k, sum) in self.sums.iter_mut().enumerate().skip(low) {
            let omega = omega * (k + 1) as f64;
            *sum += Complex64::cis(-omega * start) * length * transformed(course, omega * length);
        }
    }

    /// Amplitude (peak) and phase of an order, of the cosine, as a complex number.
    pub fn amplitude(&self, order: usize) -> Complex64 {
        let scale = 2.0 / (self.span.to - self.span.from);
        order.checked_sub(1).and_then(|k| self.sums.get(k)).map_or(Complex64::ZERO, |sum| scale * sum)
    }

    /// RMS of an order.
    pub fn rms(&self, order: usize) -> f64 {
        self.amplitude(order).norm() / std::f64::consts::SQRT_2
    }

    /// Orders there are.
    pub fn orders(&self) -> usize {
        self.sums.len()
    }
}

/// Sum of e^(−2πjkx) over k = 0…n − 1 (Dirichlet's kernel).
fn turned(x: f64, n: f64) -> Complex64 {
    let half = PI * (x - x.round());
    let whole = half.sin();
    if whole == 0.0 { n.into() } else { (n * half).sin() / whole * Complex64::cis(-(n - 1.0) * half) }
}

/// Integral of a polynomial of s times e^(−jθs) over s = 0…1, for an angle that is not small: by parts, as often as there is
/// something left.
fn transformed(course: &Polynomial, theta: f64) -> Complex64 {
    let (end, each) = (Complex64::cis(-theta), 1.0 / (Complex64::I * theta));
    let (mut derivative, mut factor, mut sum) = (*course, each, Complex64::ZERO);
    while derivative.iter().any(|c| *c != 0.0) {
        sum += factor * (value(&derivative, 0.0) - value(&derivative, 1.0) * end);
        derivative = slopes(&derivative);
        factor *= each;
    }
    sum
}

/// What is asked of the harmonics of one signal.
#[derive(Clone, Copy, Debug, PartialEq)]
pub(crate) enum Harmonics {
    /// RMS of one order.
    Order(usize),
    /// RMS of the orders from 2 on over that of the fundamental (IEC 61000-4-7).
    Distortion,
}

/// Harmonics of a signal.
#[derive(Clone, Debug)]
pub(crate) struct HarmonicsOf {
    spectrum: Spectrum,
    asked: Harmonics,
}

impl HarmonicsOf {
    /// Nothing yet.
    pub(crate) fn new(spectrum: Spectrum, asked: Harmonics) -> Self {
        HarmonicsOf { spectrum, asked }
    }
}

impl Gauge for HarmonicsOf {
    fn take(&mut self, waves: &[Waveform<'_>]) {
        self.spectrum.take(waves[0]);
    }

    fn marks(&self) -> Vec<f64> {
        vec![self.spectrum.span().from]
    }

    fn take_again(&mut self, turns: &Turns<'_>) {
        if turns.span().from >= self.spectrum.span().from {
            self.spectrum.take_again(turns, 0);
        }
    }

    fn again(&mut self, _: &Figures) -> Result<bool, MeasureError> {
        Ok(false)
    }

    fn value(&self, figures: &Figures) -> Result<f64, MeasureError> {
        match self.asked {
            Harmonics::Order(order) => Ok(self.spectrum.rms(order)),
            Harmonics::Distortion => {
                let fundamental = self.spectrum.rms(1);
                if fundamental <= figures.rounding() {
                    return Err(MeasureError::NothingThere);
                }
                let others = (2..=self.spectrum.orders()).map(|k| self.spectrum.rms(k).powi(2)).sum::<f64>();
                Ok(others.sqrt() / fundamental)
            }
        }
    }
}
