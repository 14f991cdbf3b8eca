use super::gauge::Gauge;
use super::limits::{Class, Mains};
use super::spectrum::Spectrum;
use crate::figures::Figures;
use crate::polynomial::{Polynomial, product};
use crate::span::{MeasureError, Span};
use crate::turns::Turns;
use crate::waveform::Waveform;

/// What is asked about a voltage and the current that flows with it (IEEE 1459).
#[derive(Clone, Copy, Debug, PartialEq)]
pub(crate) enum Flow {
    /// Mean of voltage times current, W.
    Real,
    /// Product of the RMS values, VA.
    Apparent,
    /// Root of apparent squared less real squared, VA.
    Nonactive,
    /// Real over apparent power.
    Factor,
    /// Cosine of the angle between the fundamentals.
    Displacement,
    /// The current's fundamental over its RMS.
    Distortion,
    /// Largest harmonic of the current over its limit (IEC 61000-3-2).
    Limits(Class),
}

/// A voltage, and the current that flows with it: the first and the second wave.
#[derive(Clone, Debug)]
pub(crate) struct Port {
    span: Span,
    asked: Flow,
    energy: f64,
    squares: [f64; 2],
    /// Of voltage and current.
    spectra: Option<[Spectrum; 2]>,
}

impl Port {
    /// Nothing yet; `spectrum` is needed where fundamentals or harmonics are asked for.
    pub(crate) fn new(span: Span, spectrum: Option<Spectrum>, asked: Flow) -> Self {
        let span = spectrum.as_ref().map_or(span, Spectrum::span);
        let spectra = spectrum.map(|s| [s.clone(), s]);
        Port { span, asked, energy: 0.0, squares: [0.0; 2], spectra }
    }

    fn add(&mut self, waves: &[Waveform<'_>], times: f64) {
        let [voltage, current] = waves else { return };
        for (v, i) in voltage.pieces(self.span).zip(current.pieces(self.span)) {
            let bounds = v.within(self.span);
            let (p, q) = (v.over(bounds), i.over(bounds));
            let length = times * v.lasts(bounds.0, bounds.1);
            self.energy += length * mean_of(&p, &q);
            self.squares[0] += length * mean_of(&p, &p);
            self.squares[1] += length * mean_of(&q, &q);
        }
    }

    fn length(&self) -> f64 {
        self.span.to - self.span.from
    }

    fn real(&self) -> f64 {
        self.energy / self.length()
    }

    fn rms(&self, which: usize) -> f64 {
        (self.squares[which] / self.length()).sqrt()
    }

    fn apparent(&self) -> f64 {
        self.rms(0) * self.rms(1)
    }
}

impl Gauge for Port {
    fn take(&mut self, waves: &[Waveform<'_>]) {
        self.add(waves, 1.0);
        for (spectrum, wave) in self.spectra.iter_mut().flatten().zip(waves) {
            spectrum.take(*wave);
        }
    }

    fn marks(&self) -> Vec<f64> {
        vec![self.span.from]
    }

    fn take_again(&mut self, turns: &Turns<'_>) {
        if turns.span().from < self.span.from {
            return;
        }
        turns.hand(0, &mut |waves| self.add(waves, turns.count() as f64));
        for (which, spectrum) in self.spectra.iter_mut().flatten().enumerate() {
            spectrum.take_again(turns, which);
        }
    }

    fn again(&mut self, _: &Figures) -> Result<bool, MeasureError> {
        Ok(false)
    }

    fn value(&self, _: &Figures) -> Result<f64, MeasureError> {
        let (real, apparent) = (self.real(), self.apparent());
        let some = |of: f64, over: f64| if over > 0.0 { Ok(of / over) } else { Err(MeasureError::NothingThere) };
        match (self.asked, &self.spectra) {
            (Flow::Real, _) => Ok(real),
            (Flow::Apparent, _) => Ok(apparent),
            (Flow::Nonactive, _) => Ok((apparent * apparent - real * real).max(0.0).sqrt()),
            (Flow::Factor, _) => some(real, apparent),
            (Flow::Displacement, Some([v, i])) => {
                let (v, i) = (v.amplitude(1), i.amplitude(1));
                some((v * i.conj()).re, v.norm() * i.norm())
            }
            (Flow::Distortion, Some([_, i])) => some(i.rms(1), self.rms(1)),
            (Flow::Limits(class), Some([_, i])) => {
                let (factor, current, fundamental) = (some(real, apparent)?, self.rms(1), i.rms(1));
                let mains = Mains { class, power: real, factor, current, fundamental };
                let used = mains.largest_use(&|order| i.rms(order)).ok_or(MeasureError::NothingThere)?;
                Ok(if mains.is_exempt() { 0.0 } else { used })
            }
            (_, None) => Err(MeasureError::NothingThere),
        }
    }
}

/// Integral of the product of two polynomials over 0 to 1.
fn mean_of(p: &Polynomial, q: &Polynomial) -> f64 {
    product(p, q).iter().enumerate().map(|(k, c)| c / (k + 1) as f64).sum()
}
