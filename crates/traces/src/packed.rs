use crate::codec::{decode, encode};
use std::collections::{BTreeMap, BTreeSet};

/// A stretch of one signal, packed.
#[derive(Clone, Debug, PartialEq)]
pub struct Packed {
    /// The column (`out.v`), or empty for the times.
    pub signal: String,
    /// 0 for nodes, higher for buckets of extremes.
    pub level: i16,
    /// Number of the stretch within its level, from 0.
    pub seq: i32,
    /// First time covered, s.
    pub from: f64,
    /// Last time covered, s.
    pub to: f64,
    /// Nodes or buckets.
    pub count: i32,
    /// The values.
    pub data: Vec<u8>,
}

/// Stored data that are not what was stored.
#[derive(Clone, Copy, Debug, PartialEq, Eq, thiserror::Error)]
#[error("stored trace data is damaged; run the study again")]
pub struct Damaged;

impl Packed {
    /// Packs the values at nodes.
    pub fn new(signal: &str, level: i16, seq: i32, (from, to): (f64, f64), values: &[f64]) -> Self {
        let count = i32::try_from(values.len()).unwrap_or(i32::MAX);
        Packed { signal: signal.to_owned(), level, seq, from, to, count, data: encode(values) }
    }

    /// Packs lowest and highest values of buckets.
    pub(crate) fn extremes(like: &Packed, signal: &str, lowest: &[f64], highest: &[f64]) -> Self {
        Packed { signal: signal.to_owned(), data: encode(&[lowest, highest].concat()), ..like.clone() }
    }

    fn unpacked(&self, of_each: usize) -> Result<Vec<f64>, Damaged> {
        decode(&self.data, of_each * usize::try_from(self.count).unwrap_or(0)).ok_or(Damaged)
    }

    /// The values at the nodes, or the times at which buckets begin.
    ///
    /// # Errors
    /// [`Damaged`] if these are not as many as were packed.
    pub fn values(&self) -> Result<Vec<f64>, Damaged> {
        self.unpacked(1)
    }

    /// Lowest and highest value of each bucket.
    ///
    /// # Errors
    /// [`Damaged`] if these are not as many as were packed.
    pub fn bounds(&self) -> Result<(Vec<f64>, Vec<f64>), Damaged> {
        let mut lowest = self.unpacked(2)?;
        let highest = lowest.split_off(lowest.len() / 2);
        Ok((lowest, highest))
    }
}

/// Joins the chunks of each signal, in the order of their times, dropping what consecutive ones repeat.
///
/// # Errors
/// [`Damaged`] if a chunk is, or if the signals do not have the same nodes.
pub fn join_nodes(chunks: &[Packed]) -> Result<BTreeMap<&str, Vec<f64>>, Damaged> {
    let mut columns: BTreeMap<&str, Vec<f64>> = BTreeMap::new();
    for chunk in chunks {
        let values = chunk.values()?;
        let column = columns.entry(&chunk.signal).or_default();
        let skip = if column.is_empty() {
            0
        } else {
            // The next chunk begins with the last end of a step, and has the inner node behind it too.
            if column.len().is_multiple_of(2) {
                column.pop();
            }
            1
        };
        column.extend_from_slice(values.get(skip..).unwrap_or_default());
    }
    let lengths: BTreeSet<usize> = columns.values().map(Vec::len).collect();
    if lengths.len() > 1 { Err(Damaged) } else { Ok(columns) }
}
