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

impl Table {
    /// The table at evenly spaced times, so many a second, straight lines between its nodes.
    ///
    /// # Errors
    /// [`FormatError`] if that would be more than [`MOST_VALUES`] values, or none.
    pub fn resampled(&self, rate: f64) -> Result<Table, FormatError> {
        let (Some(from), Some(to)) = (self.times.first(), self.times.last()) else { return Ok(self.clone()) };
        let count = ((to - from) * rate * (1.0 + 1e-12)).floor() + 1.0;
        if !(rate > 0.0 && count >= 2.0 && count * (self.columns.len() + 1) as f64 <= MOST_VALUES as f64) {
            let message =
                format!("{rate} samples a second over {} s cannot be written; choose another rate", to - from);
            return Err(FormatError(message));
        }
        let times: Vec<f64> = (0..count as usize).map(|k| from + k as f64 / rate).collect();
        let column =
            |column: &Column| Column { values: interpolated(&self.times, &column.values, &times), ..column.clone() };
        Ok(Table { columns: self.columns.iter().map(column).collect(), times })
    }
}

/// Straight lines through nodes, at other times in order; beyond the nodes the nearest.
fn interpolated(nodes: &[f64], values: &[f64], times: &[f64]) -> Vec<f64> {
    let mut k = 0;
    let at = |t: &f64| {
        while k + 2 < nodes.len() && nodes[k + 1] <= *t {
            k += 1;
        }
        match (nodes.get(k + 1), values.get(k), values.get(k + 1)) {
            (Some(next), Some(a), Some(b)) if *next > nodes[k] => {
                a + (b - a) * ((t - nodes[k]) / (next - nodes[k])).clamp(0.0, 1.0)
            }
            (_, Some(a), _) => *a,
            _ => f64::NAN,
        }
    };
    times.iter().map(at).collect()
}
