//! Logic: each input is low or high by its own thresholds, with hysteresis; what follows from that drives the output through one
//! pole, `dy/dt = (decided − y)/τ`, `v_out − v_com = level·y + R·i`.

use super::device::{At, Device, Inside};
use super::real::Real;
use super::trip;
use circuit::{KindId, ResolvedPart};

/// Where the bits of two inputs stand among the unknowns.
const BITS: usize = 5;

/// Thresholds of inputs and the stage behind them.
pub(super) struct Levels {
    threshold: f64,
    hysteresis: f64,
    level: f64,
    conductance: f64,
    speed: f64,
}

impl Levels {
    pub(super) fn new(part: &ResolvedPart) -> Self {
        Levels {
            threshold: part.value("threshold"),
            hysteresis: part.value("hysteresis"),
            level: part.value("level"),
            conductance: 1.0 / part.value("output_resistance"),
            speed: 1.0 / part.value("response_time"),
        }
    }

    /// Where an input stands between its thresholds.
    pub(super) fn place<T: Real>(&self, input: T, common: T) -> T {
        (input - common).plus(-self.threshold).scale(1.0 / self.hysteresis).plus(0.5)
    }

    /// How far the nearer of two inputs, unknowns 1 and 2 with the common at 3, is from flipping its bit.
    fn nearest(&self, x: &[f64]) -> f64 {
        let margin = |k: usize| trip::margin(x[BITS + k], self.place(x[1 + k], x[3]));
        margin(0).min(margin(1))
    }

    /// Flips the bits of those inputs that have passed.
    fn flip(&self, x: &mut [f64]) {
        for k in 0..2 {
            if trip::margin(x[BITS + k], self.place(x[1 + k], x[3])) < 0.0 {
                trip::trip(&mut x[BITS + k]);
            }
        }
    }

    /// Current into the output.
    pub(super) fn current<T: Real>(&self, output: T, common: T, driven: T) -> T {
        (output - common - driven.scale(self.level)).scale(self.conductance)
    }

    /// The row of what drives the output.
    pub(super) fn driven<T: Real>(&self, driven: T, high: bool) -> T {
        driven.plus(if high { -1.0 } else { 0.0 }).scale(self.speed)
    }
}

pub(super) fn region(high: bool) -> Option<&'static str> {
    Some(if high { "high" } else { "low" })
}

/// What two inputs decide.
#[derive(Clone, Copy)]
enum Function {
    And,
    Or,
    Xor,
}

/// Unknowns: output, inputs, common, drive of the output, each input's bit.
pub(super) struct Gate {
    levels: Levels,
    function: Function,
}

impl Gate {
    pub(super) fn new(part: &ResolvedPart) -> Self {
        let function = match part.kind {
            KindId::AndGate => Function::And,
            KindId::OrGate => Function::Or,
            _ => Function::Xor,
        };
        Gate { levels: Levels::new(part), function }
    }

    fn decided(&self, a: f64, b: f64) -> bool {
        let (a, b) = (trip::is_on(a), trip::is_on(b));
        match self.function {
            Function::And => a && b,
            Function::Or => a || b,
            Function::Xor => a != b,
        }
    }
}

impl Device for Gate {
    const INSIDE: &'static [Inside] = &[Inside::Other, Inside::Other, Inside::Other];
    const TRIPS: bool = true;

    fn flows<T: Real>(&self, at: &At<'_, T>, f: &mut [T]) {
        let [out, a, b, com, driven, bit_a, bit_b] = std::array::from_fn(|k| at.x[k]);
        let current = self.levels.current(out, com, driven);
        (f[0], f[3]) = (current, -current);
        (f[1], f[2]) = (T::of(0.0), T::of(0.0));
        f[4] = self.levels.driven(driven, self.decided(bit_a.value(), bit_b.value()));
        f[5] = trip::row(bit_a, self.levels.place(a, com));
        f[6] = trip::row(bit_b, self.levels.place(b, com));
    }

    fn charges<T: Real>(&self, at: &At<'_, T>, q: &mut [T]) {
        (4..7).for_each(|k| q[k] = at.x[k]);
    }

    fn margin(&self, x: &[f64]) -> f64 {
        self.levels.nearest(x)
    }

    fn trip(&self, x: &mut [f64]) {
        self.levels.flip(x);
    }

    fn region(&self, x: &[f64]) -> Option<&'static str> {
        region(self.decided(x[5], x[6]))
    }
}

/// Unknowns: output, input, common, drive of the output, the input's bit.
pub(super) struct Inverter {
    levels: Levels,
}

impl Inverter {
    pub(super) fn new(part: &ResolvedPart) -> Self {
        Inverter { levels: Levels::new(part) }
    }
}

impl Device for Inverter {
    const INSIDE: &'static [Inside] = &[Inside::Other, Inside::Other];
    const TRIPS: bool = true;

    fn flows<T: Real>(&self, at: &At<'_, T>, f: &mut [T]) {
        let [out, a, com, driven, bit] = std::array::from_fn(|k| at.x[k]);
        let current = self.levels.current(out, com, driven);
        (f[0], f[1], f[2]) = (current, T::of(0.0), -current);
        f[3] = self.levels.driven(driven, !trip::is_on(bit.value()));
        f[4] = trip::row(bit, self.levels.place(a, com));
    }

    fn charges<T: Real>(&self, at: &At<'_, T>, q: &mut [T]) {
        (3..5).for_each(|k| q[k] = at.x[k]);
    }

    fn margin(&self, x: &[f64]) -> f64 {
        trip::margin(x[4], self.levels.place(x[1], x[2]))
    }

    fn trip(&self, x: &mut [f64]) {
        trip::trip(&mut x[4]);
    }

    fn region(&self, x: &[f64]) -> Option<&'static str> {
        region(!trip::is_on(x[4]))
    }
}

/// Unknowns: output, set, reset, common, drive of the output, bits of set and reset, what is kept.
pub(super) struct Latch {
    levels: Levels,
}

impl Latch {
    pub(super) fn new(part: &ResolvedPart) -> Self {
        Latch { levels: Levels::new(part) }
    }

    /// What is kept, given the bits and what was.
    fn kept(set: f64, reset: f64, was: f64) -> f64 {
        if trip::is_on(reset) || !(trip::is_on(set) || trip::is_on(was)) { 0.0 } else { 1.0 }
    }
}

impl Device for Latch {
    const INSIDE: &'static [Inside] = &[Inside::Other, Inside::Other, Inside::Other, Inside::Other];
    const TRIPS: bool = true;

    fn flows<T: Real>(&self, at: &At<'_, T>, f: &mut [T]) {
        let [out, set, reset, com, driven, bit_s, bit_r, kept] = std::array::from_fn(|k| at.x[k]);
        let current = self.levels.current(out, com, driven);
        (f[0], f[3]) = (current, -current);
        (f[1], f[2]) = (T::of(0.0), T::of(0.0));
        f[4] = self.levels.driven(driven, trip::is_on(kept.value()));
        f[5] = trip::row(bit_s, self.levels.place(set, com));
        f[6] = trip::row(bit_r, self.levels.place(reset, com));
        // At rest it is what its inputs say.
        let at_rest = Latch::kept(bit_s.value(), bit_r.value(), kept.value());
        f[7] = trip::row(kept, T::of(if trip::is_on(at_rest) { 2.0 } else { -1.0 }));
    }

    fn charges<T: Real>(&self, at: &At<'_, T>, q: &mut [T]) {
        (4..8).for_each(|k| q[k] = at.x[k]);
    }

    fn margin(&self, x: &[f64]) -> f64 {
        self.levels.nearest(x)
    }

    fn trip(&self, x: &mut [f64]) {
        self.levels.flip(x);
        x[7] = Latch::kept(x[5], x[6], x[7]);
    }

    fn region(&self, x: &[f64]) -> Option<&'static str> {
        region(trip::is_on(x[7]))
    }
}
