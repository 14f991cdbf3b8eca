use super::spectrum::GAUSS;
use crate::piece::Piece;
use crate::span::{MeasureError, Span};
use crate::waveform::Waveform;
use circuit::Taper;
use num_complex::Complex64;
use rustfft::FftPlanner;
use std::f64::consts::{SQRT_2, TAU};

/// The line spectrum of what was recorded within a span: lines at whole multiples of one over its length.
///
/// The integral of signal times e^(−jωt) runs over the polynomials themselves, so that nothing folds back from beyond the
/// highest line. It is taken at points too many for a sum per line, which is why they are spread onto a fine even grid by
/// a kernel whose own transform is known and divided out (fast transform of uneven points; the kernel is that of Barnett,
/// Magland and af Klinteberg, SIAM J. Sci. Comput. 41 (2019) C479, and errs by 1e-11 here).
#[derive(Clone, Debug)]
pub struct Lines {
    span: Span,
    count: usize,
    grid: Vec<f64>,
}

/// Factors of 1, −cos(2πt/T), cos(4πt/T), −cos(6πt/T), … that a taper is made of. Side lobes of Blackman and Harris lie at
/// −92 dB (F. J. Harris, Proc. IEEE 66 (1978) 51, table 1); the flat top is flat within 0.01 dB between two lines (G. D'Antona,
/// A. Ferrero, Digital Signal Processing for Measurement Systems, 2006, p. 70).
fn terms(taper: Taper) -> &'static [f64] {
    match taper {
        Taper::None => &[1.0],
        Taper::Hann => &[0.5, 0.5],
        Taper::BlackmanHarris => &[0.35875, 0.48829, 0.14128, 0.01168],
        Taper::FlatTop => &[0.215_578_95, 0.416_631_58, 0.277_263_158, 0.083_578_947, 0.006_947_368],
    }
}

/// Lines beside the highest that a taper reaches to.
const BESIDE: usize = 4;
/// Width of the kernel in squares of the grid, and what shapes it.
const WIDTH: usize = 13;
const SHAPE: f64 = 2.3 * WIDTH as f64;
/// The angle at the highest line a stretch may turn through, for eight and for three points of a quadrature.
const SHORT: f64 = 1.5;
const TINY: f64 = 1e-2;
/// Nodes and weights of the quadrature by Gauss and Legendre with three points on 0 to 1.
const THREE: [(f64, f64); 3] =
    [(0.112_701_665_379_258_3, 5.0 / 18.0), (0.5, 8.0 / 18.0), (0.887_298_334_620_741_7, 5.0 / 18.0)];

impl Lines {
    /// Nothing yet: lines from 0 to `count` over a span.
    ///
    /// # Errors
    /// [`MeasureError::Empty`] for a span without length.
    pub fn new(span: Span, count: usize) -> Result<Self, MeasureError> {
        if span.to <= span.from {
            return Err(MeasureError::Empty);
        }
        let grid = vec![0.0; (4 * (count + BESIDE)).max(2 * WIDTH).next_power_of_two()];
        Ok(Lines { span, count, grid })
    }

    /// Adds a waveform.
    pub fn take(&mut self, wave: Waveform<'_>) {
        let reach = (self.count + BESIDE) as f64 * TAU / (self.span.to - self.span.from);
        for piece in wave.pieces(self.span) {
            let (a, b) = piece.within(self.span);
            let length = piece.lasts(a, b);
            let parts = (reach * length / SHORT).ceil().max(1.0);
            for k in 0..parts as usize {
                let at = |k: usize| a + (b - a) * k as f64 / parts;
                self.add(&piece, (at(k), at(k + 1)), reach * length < TINY);
            }
        }
    }

    fn add(&mut self, piece: &Piece, (a, b): (f64, f64), tiny: bool) {
        let length = piece.lasts(a, b);
        let mut point = |s: f64, weight: f64| {
            let s = a + (b - a) * s;
            self.spread(piece.time(s), weight * length * piece.at(s));
        };
        if tiny {
            THREE.iter().for_each(|(s, weight)| point(*s, *weight));
        } else {
            for (x, weight) in GAUSS {
                point(0.5 * (1.0 - x), 0.5 * weight);
                point(0.5 * (1.0 + x), 0.5 * weight);
            }
        }
    }

    /// Spreads a value at a time onto the grid, which closes into a ring.
    fn spread(&mut self, time: f64, value: f64) {
        let size = self.grid.len();
        let place = (time - self.span.from) / (self.span.to - self.span.from) * size as f64;
        let first = (place - 0.5 * WIDTH as f64).ceil();
        for k in 0..WIDTH {
            let square = first + k as f64;
            self.grid[(square as isize).rem_euclid(size as isize) as usize] += value * kernel(square - place);
        }
    }

    /// RMS of each line, the mean (with its sign) at 0, under a taper. The mean is taken out before: beside what alternates it
    /// is large, and a taper would spread it over the first lines.
    pub fn rms(&self, taper: Taper) -> Vec<f64> {
        let (terms, length) = (terms(taper), self.span.to - self.span.from);
        let mut lines = self.integrals();
        let mean = lines[0].re / length;
        // As the taper weighs it, so that what does not fit into the span a whole number of times has no part in it.
        let weighed = tapered(&lines, terms, 0) / terms[0];
        lines[0] -= weighed;
        let rms = |k: usize| SQRT_2 * tapered(&lines, terms, k).norm() / (terms[0] * length);
        std::iter::once(mean).chain((1..=self.count).map(rms)).collect()
    }

    /// The integral of signal times e^(−2πjkt/T) for each line, as far as a taper reaches.
    fn integrals(&self) -> Vec<Complex64> {
        let size = self.grid.len();
        let mut values: Vec<Complex64> = self.grid.iter().map(|v| Complex64::new(*v, 0.0)).collect();
        FftPlanner::new().plan_fft_forward(size).process(&mut values);
        (0..=self.count + BESIDE).map(|k| values[k] / kernel_transformed(TAU * k as f64 / size as f64)).collect()
    }
}

/// A line under a taper: its terms, which are cosines, shift the lines beside it onto it.
fn tapered(lines: &[Complex64], terms: &[f64], k: usize) -> Complex64 {
    let line = |k: isize| if k < 0 { lines[-k as usize].conj() } else { lines[k as usize] };
    let shifted = terms.iter().enumerate().skip(1).map(|(m, term)| {
        let sign = if m % 2 == 1 { -0.5 } else { 0.5 };
        sign * term * (line(k as isize - m as isize) + line((k + m) as isize))
    });
    terms[0] * lines[k] + shifted.sum::<Complex64>()
}

fn kernel(offset: f64) -> f64 {
    let z = offset / (0.5 * WIDTH as f64);
    if z.abs() >= 1.0 { 0.0 } else { (SHAPE * ((1.0 - z * z).sqrt() - 1.0)).exp() }
}

/// Integral of the kernel times cos(ωx), ω in radians a square; the trapezoid errs by nothing the kernel does not.
fn kernel_transformed(omega: f64) -> f64 {
    const FINE: usize = 8;
    let samples = (1..WIDTH * FINE / 2).map(|k| k as f64 / FINE as f64);
    (1.0 + 2.0 * samples.map(|x| kernel(x) * (omega * x).cos()).sum::<f64>()) / FINE as f64
}
