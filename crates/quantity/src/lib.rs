//! Engineering values as the trade types them, and the preferred values it buys.
//!
//! - [`parse()`] reads `4k7`, `4.7k`, `100n`, `2m2`, `1e-3`, `230 V` (IEC 60062 letter code
//!   and SI prefixes) and points at the character it could not read.
//! - [`show()`] prints for people, `4.7 kΩ`; [`entry()`] prints for a value field, exactly.
//! - [`series`] holds the preferred values of IEC 60063, E3 to E192.
//!
//! Everything here is plain `f64` in SI base units; a [`Unit`] only says how a value is
//! written.
//!
//! ```
//! use mellow_quantity::{Unit, parse, show, Series};
//! let r = parse("4k7", Unit::Ohm).unwrap();
//! assert_eq!(r, 4700.0);
//! assert_eq!(show(r, Unit::Ohm, 4), "4.7\u{2009}kΩ");
//! assert_eq!(Series::E12.next(r), Some(5600.0));
//! ```

mod parse;
mod print;
pub mod series;
mod unit;

pub use parse::{ParseError, ParseErrorKind, parse, scan_number};
pub use print::{entry, show};
pub use series::Series;
pub use unit::Unit;
