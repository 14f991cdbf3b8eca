//! Walking through configurations: what runs between two events, where a guard gives way, and what is seen on the way.

pub(crate) mod event;
pub(crate) mod guard;
pub(crate) mod machine;
pub(crate) mod propagator;
pub(crate) mod slope;
pub(crate) mod step;
pub(crate) mod walker;
