use schemars::JsonSchema;
use serde::Serialize;

/// Most values read of a file.
pub const MOST_VALUES: usize = 20_000_000;

/// A file that cannot be read or written, in words.
#[derive(Clone, Debug, PartialEq, Eq, thiserror::Error)]
#[error("{0}")]
pub struct FormatError(pub String);

/// Values of a quantity, with what it is called and measured in.
#[derive(Clone, Debug, Default, PartialEq, Serialize, JsonSchema)]
pub struct Column {
    /// What it is called.
    pub name: String,
    /// Symbol of its unit as written in the file; empty if there is none.
    pub unit: String,
    /// Its values; not a number where the file has none.
    #[serde(skip)]
    pub values: Vec<f64>,
}

/// What a file holds: columns side by side, the time among them or apart.
#[derive(Clone, Debug, Default, PartialEq, Serialize, JsonSchema)]
pub struct Sheet {
    /// Every column in the order of the file; of a COMTRADE record the time is the first.
    pub columns: Vec<Column>,
    /// Which of them looks like the time.
    pub time: Option<usize>,
    /// Line of the first values, counted from 1.
    pub first_line: usize,
}

/// Traces over time.
#[derive(Clone, Debug, Default, PartialEq)]
pub struct Table {
    /// Times, s.
    pub times: Vec<f64>,
    /// Columns over them, as long as they.
    pub columns: Vec<Column>,
}

/// A file as bytes.
pub type Data = Vec<u8>;
