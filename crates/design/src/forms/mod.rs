//! The stage catalogue: what can be composed, and how each form is designed.
//!
//! A form is one row of [`FORMS`] and one function that fills in a [`Draft`]. It sizes from what the
//! stage before delivers and what those behind need, and says how.

mod filters;
mod form;
mod linear;
mod loads;
mod protection;
mod rectifiers;
mod series_pass;
mod sources;
mod transformers;
mod zeners;

pub use form::Form;
pub(crate) use form::Needs;

/// A form by its identifier.
pub fn form(id: &str) -> Option<&'static Form> {
    FORMS.iter().find(|f| f.id == id)
}

/// Every form, in the order of the power path.
pub const FORMS: &[Form] = &[
    sources::MAINS,
    sources::THREE_PHASE_MAINS,
    sources::DC,
    sources::BATTERY,
    sources::PULSE,
    transformers::TRANSFORMER,
    transformers::CENTRE_TAPPED,
    transformers::TWO_SECONDARIES,
    transformers::ISOLATING,
    protection::FUSE,
    protection::INRUSH_RESISTOR,
    protection::BYPASSED_RESISTOR,
    protection::INRUSH_NTC,
    rectifiers::HALF_WAVE,
    rectifiers::CENTRE_TAP,
    rectifiers::BRIDGE,
    rectifiers::SYNCHRONOUS_BRIDGE,
    rectifiers::DUAL_RAIL,
    rectifiers::DOUBLER,
    rectifiers::THREE_PHASE_BRIDGE,
    filters::RESERVOIR,
    filters::SPLIT_RESERVOIR,
    filters::RC,
    filters::LC,
    filters::CLC,
    protection::OVERVOLTAGE_CLAMP,
    protection::GATE_CLAMP,
    zeners::ZENER_SHUNT,
    zeners::ZENER_FOLLOWER,
    zeners::ZENER_SPLIT,
    linear::FIXED_REGULATOR,
    linear::ADJUSTABLE_REGULATOR,
    linear::SPLIT_REGULATORS,
    series_pass::FOLLOWER,
    series_pass::LOW_DROPOUT,
    linear::INDICATOR,
    loads::RESISTIVE,
    loads::CURRENT,
    loads::POWER,
    loads::STEPPED,
    loads::PULSED,
    loads::SPLIT,
];
