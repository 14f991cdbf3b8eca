//! Device equations written once more, for the reference solver: from the sources that
//! `docs/numerics.md` names, in a small arithmetic of their own.
#![allow(dead_code, unreachable_pub)]

use std::ops::{Add, Div, Mul, Neg, Sub};

pub const VT: f64 = 1.380_649e-23 * 300.15 / 1.602_176_634e-19;
pub const GMIN: f64 = 1e-12;
pub const MU_0: f64 = 1.256_637_062_12e-6;

/// A value with its derivative in one direction.
#[derive(Clone, Copy, Debug)]
pub struct Slope(pub f64, pub f64);

/// Numbers that equations are written in.
pub trait Number:
    Copy + Add<Output = Self> + Sub<Output = Self> + Mul<Output = Self> + Div<Output = Self> + Neg<Output = Self>
{
    fn new(value: f64) -> Self;
    fn value(self) -> f64;
    fn with(self, value: f64, slope: f64) -> Self;
    fn times(self, factor: f64) -> Self {
        self * Self::new(factor)
    }
    fn plus(self, value: f64) -> Self {
        self + Self::new(value)
    }
    fn exp(self) -> Self {
        let e = self.value().exp();
        self.with(e, e)
    }
    fn tanh(self) -> Self {
        let t = self.value().tanh();
        self.with(t, 1.0 - t * t)
    }
    fn sqrt(self) -> Self {
        let root = self.value().sqrt();
        self.with(root, 0.5 / root)
    }
    /// w·ln(1 + e^(x/w)).
    fn soft(self, w: f64) -> Self {
        let u = self.value() / w;
        self.with(if u > 40.0 { self.value() } else { w * u.exp().ln_1p() }, 1.0 / (1.0 + (-u).exp()))
    }
}

impl Number for f64 {
    fn new(value: f64) -> Self {
        value
    }
    fn value(self) -> f64 {
        self
    }
    fn with(self, value: f64, _: f64) -> Self {
        value
    }
}

impl Add for Slope {
    type Output = Self;
    fn add(self, o: Self) -> Self {
        Slope(self.0 + o.0, self.1 + o.1)
    }
}
impl Sub for Slope {
    type Output = Self;
    fn sub(self, o: Self) -> Self {
        Slope(self.0 - o.0, self.1 - o.1)
    }
}
impl Mul for Slope {
    type Output = Self;
    fn mul(self, o: Self) -> Self {
        Slope(self.0 * o.0, self.1 * o.0 + self.0 * o.1)
    }
}
impl Div for Slope {
    type Output = Self;
    fn div(self, o: Self) -> Self {
        Slope(self.0 / o.0, (self.1 - self.0 / o.0 * o.1) / o.0)
    }
}
impl Neg for Slope {
    type Output = Self;
    fn neg(self) -> Self {
        Slope(-self.0, -self.1)
    }
}
impl Number for Slope {
    fn new(value: f64) -> Self {
        Slope(value, 0.0)
    }
    fn value(self) -> f64 {
        self.0
    }
    fn with(self, value: f64, slope: f64) -> Self {
        Slope(value, slope * self.1)
    }
}

/// An exponential with a resistance in series: Newton on the logarithm y of ω in e^y + y = z,
/// which is monotone and convex, so it cannot stray.
#[derive(Clone, Copy)]
pub struct Knee {
    pub saturation: f64,
    pub slope: f64,
    pub resistance: f64,
}

impl Knee {
    pub fn current<T: Number>(self, v: T) -> T {
        let Knee { saturation, slope, resistance } = self;
        let ratio = saturation * resistance / slope;
        let z = ratio.ln() + ratio + v.value() / slope;
        let mut y = if z > 1.0 { z.ln() } else { z };
        for _ in 0..30 {
            let e = y.exp();
            let step = (e + y - z) / (e + 1.0);
            y -= step;
            if step.abs() < 1e-15 * (1.0 + y.abs()) {
                break;
            }
        }
        let w = y.exp();
        v.with(slope / resistance * w - saturation, w / (resistance * (1.0 + w)))
    }

    /// With the 1 pS that the engine puts across each junction.
    pub fn bridged<T: Number>(self, v: T) -> T {
        self.current(v) + v.times(GMIN)
    }
}

/// Charge of an abrupt depletion layer, its capacitance a straight line above half the built-in
/// voltage.
pub fn depletion<T: Number>(v: T, capacitance: f64, built_in: f64) -> T {
    let at = |v: f64| {
        let root = (1.0 - v / built_in).sqrt();
        (2.0 * capacitance * built_in * (1.0 - root), capacitance / root)
    };
    let half = 0.5 * built_in;
    if v.value() <= half {
        let (q, c) = at(v.value());
        return v.with(q, c);
    }
    let (q, c) = at(half);
    let (d, rise) = (v.value() - half, c / built_in);
    v.with(q + c * d + 0.5 * rise * d * d, c + rise * d)
}

/// Zener diode: breakdown current at a reverse voltage.
#[derive(Clone, Copy)]
pub struct Zener {
    forward: Knee,
    reverse: Knee,
    from: f64,
}

impl Zener {
    pub fn new(voltage: f64, current: f64, impedance: f64, leakage: f64, forward: Knee) -> Self {
        let resistance = 0.5 * impedance;
        let slope = resistance * current;
        let from = voltage - slope * (current / leakage).ln() - resistance * (current - leakage);
        Zener { forward, reverse: Knee { saturation: leakage, slope, resistance }, from }
    }

    /// Current from anode to cathode.
    pub fn current<T: Number>(self, v: T) -> T {
        self.forward.bridged(v) - self.reverse.current((-v).plus(-self.from)).plus(self.reverse.saturation)
    }
}

/// Square-law transistor of either polarity, voltages counted as an n-channel's.
#[derive(Clone, Copy)]
pub struct Fet {
    pub threshold: f64,
    pub beta: f64,
    pub modulation: f64,
    pub drain_resistance: f64,
    pub gate_source: f64,
    pub gate_drain: f64,
    pub drain_source: f64,
    pub body: Knee,
}

impl Fet {
    /// From threshold, on-resistance at a gate voltage, transconductance at a current, Ciss, Coss and
    /// Crss at a drain voltage.
    pub fn new(threshold: f64, [on, at]: [f64; 2], [gfs, id]: [f64; 2], [iss, oss, rss, v]: [f64; 4]) -> Self {
        let over = at - threshold;
        let least = 0.05 * on;
        let beta = (gfs * gfs / (2.0 * id)).max(1.0 / (over * (on - least)));
        let unbiased = |c: f64| c * (1.0 + v / 0.8).sqrt();
        Fet {
            threshold,
            beta,
            modulation: 0.01,
            drain_resistance: (on - 1.0 / (beta * over)).max(least),
            gate_source: iss - rss,
            gate_drain: unbiased(rss),
            drain_source: unbiased(oss - rss),
            body: Knee { saturation: 10e-12, slope: 1.2 * VT, resistance: 0.2 * on },
        }
    }

    pub fn channel<T: Number>(self, gs: T, gd: T) -> T {
        let open = |v: T| {
            let s = v.plus(-self.threshold).soft(0.06);
            s * s
        };
        let ds = gs - gd;
        let size = (ds * ds).plus(0.01).sqrt().plus(-0.1);
        (open(gs) - open(gd)).times(0.5 * self.beta) * size.times(self.modulation).plus(1.0)
    }

    pub fn gate_drain_charge<T: Number>(self, v: T) -> T {
        if v.value() < 0.0 { depletion(v, self.gate_drain, 0.8) } else { v.times(self.gate_drain) }
    }

    /// Charge from source to drain.
    pub fn body_charge<T: Number>(self, v: T) -> T {
        depletion(v, self.drain_source, 0.8)
    }
}

/// A straight edge from 0 to 1.
pub fn edge(t: f64, from: f64, length: f64) -> f64 {
    ((t - from) / length).clamp(0.0, 1.0)
}
