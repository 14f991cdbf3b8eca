//! Switches controlled by a voltage or by the current through their control pins.
//!
//! The smooth one moves between its conductances along
//! `ln G = ln G_off + (ln G_on − ln G_off)·s²(3 − 2s)`, s from 0 to 1 between the thresholds. The
//! one with hysteresis has a state of its own, 0 or 1, that only trips change: closed at the one
//! threshold, open again at the other.

use super::device::{At, Device, Inside};
use super::real::Real;
use super::trip;
use circuit::ResolvedPart;

/// Least difference between the thresholds, V or A.
const LEAST_WIDTH: f64 = 1e-3;

/// The contact, and where its control stands between the thresholds.
struct Contact {
    /// Control at which it is open, and from there to where it is closed, V or A.
    open_at: f64,
    width: f64,
    /// Logarithms of the conductances.
    on: f64,
    off: f64,
}

impl Contact {
    fn new(part: &ResolvedPart, by_current: bool) -> Self {
        let (on, off) = if by_current { ("on_current", "off_current") } else { ("on_voltage", "off_voltage") };
        let width = part.value(on) - part.value(off);
        let least = if by_current { 1e-3 * LEAST_WIDTH } else { LEAST_WIDTH };
        Contact {
            open_at: part.value(off),
            width: if width.abs() < least { least } else { width },
            on: -part.value("on_resistance").ln(),
            off: -part.value("off_resistance").ln(),
        }
    }

    /// 0 at the opening threshold, 1 at the closing one.
    fn place<T: Real>(&self, control: T) -> T {
        control.plus(-self.open_at).scale(1.0 / self.width)
    }

    /// Current at a voltage, s from open to closed.
    fn current<T: Real>(&self, voltage: T, s: T) -> T {
        let s = T::choose(s.value() < 0.0, T::of(0.0), T::choose(s.value() > 1.0, T::of(1.0), s));
        let smooth = s.square() * s.scale(-2.0).plus(3.0);
        voltage * smooth.scale(self.on - self.off).plus(self.off).exp()
    }
}

/// Writes the rows of the control pins and, for a current, of its unknown; returns the control.
fn control<T: Real, const BY_CURRENT: bool>(x: &[T], f: &mut [T]) -> T {
    if BY_CURRENT {
        // The control path drops no voltage.
        (f[2], f[3], f[4]) = (x[4], -x[4], x[2] - x[3]);
        x[4]
    } else {
        (f[2], f[3]) = (T::of(0.0), T::of(0.0));
        x[2] - x[3]
    }
}

/// Unknowns: a, b, control + and −, and the control current if that controls it.
pub(super) struct SmoothSwitch<const BY_CURRENT: bool>(Contact);

impl<const BY_CURRENT: bool> SmoothSwitch<BY_CURRENT> {
    pub(super) fn new(part: &ResolvedPart) -> Self {
        SmoothSwitch(Contact::new(part, BY_CURRENT))
    }
}

impl<const BY_CURRENT: bool> Device for SmoothSwitch<BY_CURRENT> {
    const INSIDE: &'static [Inside] = if BY_CURRENT { &[Inside::Current] } else { &[] };

    fn flows<T: Real>(&self, at: &At<'_, T>, f: &mut [T]) {
        let control = control::<T, BY_CURRENT>(at.x, f);
        let current = self.0.current(at.x[0] - at.x[1], self.0.place(control));
        (f[0], f[1]) = (current, -current);
    }

    fn region(&self, x: &[f64]) -> Option<&'static str> {
        let control = if BY_CURRENT { x[4] } else { x[2] - x[3] };
        let place = self.0.place(control);
        Some(if place >= 1.0 {
            "closed"
        } else if place <= 0.0 {
            "open"
        } else {
            "between open and closed"
        })
    }
}

/// Unknowns: as the smooth switch, then the state.
pub(super) struct TrippingSwitch<const BY_CURRENT: bool>(Contact);

impl<const BY_CURRENT: bool> TrippingSwitch<BY_CURRENT> {
    pub(super) fn new(part: &ResolvedPart) -> Self {
        TrippingSwitch(Contact::new(part, BY_CURRENT))
    }

    /// Where the control stands between the thresholds.
    fn place(&self, x: &[f64]) -> f64 {
        self.0.place(if BY_CURRENT { x[4] } else { x[2] - x[3] })
    }
}

impl<const BY_CURRENT: bool> Device for TrippingSwitch<BY_CURRENT> {
    const INSIDE: &'static [Inside] = if BY_CURRENT { &[Inside::Current, Inside::Other] } else { &[Inside::Other] };
    const TRIPS: bool = true;

    fn flows<T: Real>(&self, at: &At<'_, T>, f: &mut [T]) {
        let x = at.x;
        let state = x[x.len() - 1];
        let control = control::<T, BY_CURRENT>(x, f);
        let current = self.0.current(x[0] - x[1], state);
        (f[0], f[1]) = (current, -current);
        f[x.len() - 1] = trip::row(state, self.0.place(control));
    }

    fn charges<T: Real>(&self, at: &At<'_, T>, q: &mut [T]) {
        q[at.x.len() - 1] = at.x[at.x.len() - 1];
    }

    fn margin(&self, x: &[f64]) -> f64 {
        trip::margin(x[x.len() - 1], self.place(x))
    }

    fn trip(&self, x: &mut [f64]) {
        let last = x.len() - 1;
        trip::trip(&mut x[last]);
    }

    fn region(&self, x: &[f64]) -> Option<&'static str> {
        Some(if trip::is_on(x[x.len() - 1]) { "closed" } else { "open" })
    }
}
