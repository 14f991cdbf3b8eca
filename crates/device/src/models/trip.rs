//! A state, 0 or 1, that only trips change: on at the one threshold, off again at the other. `place`
//! is where the control stands between them, 0 at the one that switches off, 1 at the other.

use super::real::Real;

/// Rate at which a state settles where no time passes, 1/s; nothing beside any run's length.
const SETTLING: f64 = 1e-9;

pub(super) fn is_on(state: f64) -> bool {
    state > 0.5
}

/// The state's row: it goes where the control puts it, but too slowly for any run to see.
pub(super) fn row<T: Real>(state: T, place: T) -> T {
    let on = if is_on(state.value()) { place.value() > 0.0 } else { place.value() >= 1.0 };
    state.plus(if on { -1.0 } else { 0.0 }).scale(SETTLING)
}

/// How far it is from tripping, relative to the distance of the thresholds.
pub(super) fn margin(state: f64, place: f64) -> f64 {
    if is_on(state) { place } else { 1.0 - place }
}

pub(super) fn trip(state: &mut f64) {
    *state = if is_on(*state) { 0.0 } else { 1.0 };
}
