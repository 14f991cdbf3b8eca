//! Traces in open formats: CSV (RFC 4180), Apache Arrow and Parquet, COMTRADE (IEEE C37.111-2013, IEC 60255-24). Impedances
//! over frequency: Touchstone 2.0.
//!
//! Everything passes through a [`Table`]: times and columns of values, with their names and units as text. What reads
//! says in words, with the line, what it cannot make sense of.
//!
//! ```
//! use mellow_formats::read;
//! let text = "Time [s];Vout [V]\n0;0,1\n1e-3;2,5\n";
//! let found = read("probe.csv", text.as_bytes()).unwrap();
//! assert_eq!(found.columns[1].name, "Vout");
//! assert_eq!(found.columns[1].values, [0.1, 2.5]);
//! ```

mod columnar;
mod comtrade;
mod delimited;
mod table;
mod touchstone;

pub use columnar::{arrow, parquet};
pub use comtrade::comtrade;
pub use delimited::{csv, csv_over_frequency};
pub use table::{Column, Data, FormatError, MOST_VALUES, Sheet, Table};
pub use touchstone::touchstone;

/// Reads a file by what it is: COMTRADE in one file (`.cff`), or a table of numbers in text. A COMTRADE configuration and
/// its data, if in two files, are read as one, the configuration first, with a line `--- file type: DAT … ---` between.
///
/// # Errors
/// [`FormatError`] with the line that cannot be read.
pub fn read(name: &str, bytes: &[u8]) -> Result<Sheet, FormatError> {
    let extension = name.rsplit('.').next().unwrap_or_default().to_ascii_lowercase();
    if extension == "cff" || bytes.trim_ascii_start().starts_with(b"--- file type") {
        return comtrade::read(bytes);
    }
    delimited::read(bytes)
}
