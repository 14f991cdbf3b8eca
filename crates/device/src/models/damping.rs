//! What damps leakage inductances. A winding loses more the faster its current changes, in the copper by eddy
//! currents and in the core, so that what its leakage rings with dies out after a few cycles; without that, the
//! junction of every diode would ring with it for thousands. A resistance across each leakage stands for it: that which
//! gives the ringing with [`STRAY`] a quality of [`QUALITY`] (common practice: windings measured open ring a few times).
//! With a hundred times the capacitance the quality is ten times that, and at the frequencies power is
//! transformed at nothing of it is left.
//!
//! As `v = dλ/dt` and `λ = L·i − τ·v`, the resistance L/τ beside L needs no unknown of its own.

/// Capacitance windings ring with when they are left open, F.
const STRAY: f64 = 25e-12;
/// Quality of that ringing.
const QUALITY: f64 = 3.0;

/// τ of a leakage inductance, s.
pub(super) fn lag(leakage: f64) -> f64 {
    (leakage * STRAY).sqrt() / QUALITY
}
