//! Numbers that take more than integrals and extremes: crossings, steps, harmonics, powers, filtered ripple.

mod crossings;
mod farthest;
mod filter;
mod gauge;
pub(crate) mod histogram;
mod limits;
mod lines;
mod port;
mod settled;
mod shape;
mod spectrum;
mod step;

pub use crossings::Passing;
pub(crate) use crossings::{Crossed, Crossings, TimeAbove};
pub(crate) use farthest::Farthest;
pub use farthest::Way;
pub(crate) use filter::Filtered;
pub use gauge::Gauge;
pub use limits::{Class, LAST_ORDER, Mains, limit};
pub use lines::Lines;
pub(crate) use port::{Flow, Port};
pub(crate) use settled::Settled;
pub(crate) use shape::{RingingOf, Shape, Shaped};
pub use spectrum::Spectrum;
pub(crate) use spectrum::{Harmonics, HarmonicsOf};
pub(crate) use step::{Change, Sloped, Slopes, Step};
