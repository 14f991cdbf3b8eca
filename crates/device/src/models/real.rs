//! Numbers that device equations are written in: plain ones, ones that carry their derivatives,
//! and ones that only know what they depend on.

use std::ops::{Add, Div, Mul, Neg, Sub};

/// Arithmetic that device equations need. Every function is smooth where it is used.
pub(crate) trait Real:
    Copy + Add<Output = Self> + Sub<Output = Self> + Mul<Output = Self> + Div<Output = Self> + Neg<Output = Self>
{
    fn of(value: f64) -> Self;
    fn value(self) -> f64;
    /// A function with value and slope known at this point.
    fn map(self, value: f64, slope: f64) -> Self;
    /// One of two, by a condition on values; both count for what the result depends on.
    fn choose(condition: bool, yes: Self, no: Self) -> Self;

    fn exp(self) -> Self {
        let e = self.value().exp();
        self.map(e, e)
    }
    fn sqrt(self) -> Self {
        let root = self.value().sqrt();
        self.map(root, 0.5 / root)
    }
    fn tanh(self) -> Self {
        let t = self.value().tanh();
        self.map(t, 1.0 - t * t)
    }
    fn square(self) -> Self {
        self * self
    }
    fn scale(self, factor: f64) -> Self {
        self * Self::of(factor)
    }
    fn plus(self, value: f64) -> Self {
        self + Self::of(value)
    }
    /// `w·ln(1 + e^(x/w))`: zero far below, x far above, smooth over a width w.
    fn soft_positive(self, width: f64) -> Self {
        let u = self.value() / width;
        let value = if u > 40.0 { self.value() } else { width * u.exp().ln_1p() };
        self.map(value, 1.0 / (1.0 + (-u).exp()))
    }
    /// The positive part, `(x + √(x² + w²))/2`.
    fn positive(self, width: f64) -> Self {
        (self + (self.square().plus(width * width)).sqrt()).scale(0.5)
    }
    /// Held between two bounds, with corners of the given width.
    fn soft_between(self, low: Self, high: Self, width: f64) -> Self {
        low + (self - low).soft_positive(width) - (self - high).soft_positive(width)
    }
    /// The exponential, continued as a straight line above an argument no circuit reaches.
    fn bounded_exp(self) -> Self {
        const LARGEST: f64 = 80.0;
        let x = self.value();
        let e = x.min(LARGEST).exp();
        self.map(e * (1.0 + (x - LARGEST).max(0.0)), e)
    }
}

impl Real for f64 {
    fn of(value: f64) -> Self {
        value
    }
    fn value(self) -> f64 {
        self
    }
    fn map(self, value: f64, _slope: f64) -> Self {
        value
    }
    fn choose(condition: bool, yes: Self, no: Self) -> Self {
        if condition { yes } else { no }
    }
}

/// ln cosh, without overflow and without loss where it is small.
pub(crate) fn ln_cosh(x: f64) -> f64 {
    let u = x.abs();
    if u < 0.02 {
        let square = u * u;
        return square * (0.5 - square * (1.0 / 12.0 - square / 45.0));
    }
    u + (-2.0 * u).exp().ln_1p() - std::f64::consts::LN_2
}

/// A value and its derivatives.
#[derive(Clone, Copy, Debug)]
pub(crate) struct Dual<const W: usize> {
    pub(crate) value: f64,
    pub(crate) slopes: [f64; W],
}

impl<const W: usize> Dual<W> {
    /// The k-th variable.
    pub(crate) fn variable(value: f64, k: usize) -> Self {
        let mut slopes = [0.0; W];
        slopes[k] = 1.0;
        Dual { value, slopes }
    }

    fn combine(self, other: Self, value: f64, a: f64, b: f64) -> Self {
        Dual { value, slopes: std::array::from_fn(|i| a * self.slopes[i] + b * other.slopes[i]) }
    }
}

impl<const W: usize> Add for Dual<W> {
    type Output = Self;
    fn add(self, other: Self) -> Self {
        self.combine(other, self.value + other.value, 1.0, 1.0)
    }
}
impl<const W: usize> Sub for Dual<W> {
    type Output = Self;
    fn sub(self, other: Self) -> Self {
        self.combine(other, self.value - other.value, 1.0, -1.0)
    }
}
impl<const W: usize> Mul for Dual<W> {
    type Output = Self;
    fn mul(self, other: Self) -> Self {
        self.combine(other, self.value * other.value, other.value, self.value)
    }
}
impl<const W: usize> Div for Dual<W> {
    type Output = Self;
    fn div(self, other: Self) -> Self {
        let quotient = self.value / other.value;
        self.combine(other, quotient, 1.0 / other.value, -quotient / other.value)
    }
}
impl<const W: usize> Neg for Dual<W> {
    type Output = Self;
    fn neg(self) -> Self {
        self.map(-self.value, -1.0)
    }
}
impl<const W: usize> Real for Dual<W> {
    fn of(value: f64) -> Self {
        Dual { value, slopes: [0.0; W] }
    }
    fn value(self) -> f64 {
        self.value
    }
    fn map(self, value: f64, slope: f64) -> Self {
        Dual { value, slopes: self.slopes.map(|s| slope * s) }
    }
    fn choose(condition: bool, yes: Self, no: Self) -> Self {
        if condition { yes } else { no }
    }
}

/// A value and the set of variables it depends on.
#[derive(Clone, Copy, Debug)]
pub(crate) struct Dependent {
    value: f64,
    pub(crate) on: u32,
}

impl Dependent {
    pub(crate) fn variable(k: usize) -> Self {
        // A value off zero, so that nothing is divided by it.
        Dependent { value: 0.3 + 0.01 * k as f64, on: 1 << k }
    }
    fn with(self, other: Self, value: f64) -> Self {
        Dependent { value, on: self.on | other.on }
    }
}

impl Add for Dependent {
    type Output = Self;
    fn add(self, other: Self) -> Self {
        self.with(other, self.value + other.value)
    }
}
impl Sub for Dependent {
    type Output = Self;
    fn sub(self, other: Self) -> Self {
        self.with(other, self.value - other.value)
    }
}
impl Mul for Dependent {
    type Output = Self;
    fn mul(self, other: Self) -> Self {
        self.with(other, self.value * other.value)
    }
}
impl Div for Dependent {
    type Output = Self;
    fn div(self, other: Self) -> Self {
        self.with(other, self.value / other.value)
    }
}
impl Neg for Dependent {
    type Output = Self;
    fn neg(self) -> Self {
        Dependent { value: -self.value, on: self.on }
    }
}
impl Real for Dependent {
    fn of(value: f64) -> Self {
        Dependent { value, on: 0 }
    }
    fn value(self) -> f64 {
        self.value
    }
    fn map(self, value: f64, _slope: f64) -> Self {
        Dependent { value, on: self.on }
    }
    fn choose(_condition: bool, yes: Self, no: Self) -> Self {
        yes.with(no, yes.value)
    }
}
