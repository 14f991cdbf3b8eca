use crate::codec::{decode, encode};
use recording::{STAGE, turns};
use serde::{Deserialize, Serialize};
use std::collections::{BTreeMap, BTreeSet};

/// A stretch of one signal, packed.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
pub struct Packed {
    /// The column (`out.v`), or empty for the times.
    pub signal: String,
    /// 0 for nodes, higher for buckets of extremes.
    pub level: i16,
    /// Number of the stretch within its level, from 0.
    pub seq: i32,
    /// First time covered, s.
    pub from: f64,
    /// Last time covered, s: how often it comes included.
    pub to: f64,
    /// How many times more it comes, each a period later.
    pub again: i64,
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
        Packed { signal: signal.to_owned(), level, seq, from, to, again: 0, count, data: encode(values) }
    }

    /// The same, coming so many times more.
    pub(crate) fn coming(self, again: u64) -> Self {
        Packed { again: i64::try_from(again).unwrap_or(i64::MAX), ..self }
    }

    /// By which time it comes again, s; all that it covers, if it comes once.
    pub(crate) fn period(&self) -> f64 {
        (self.to - self.from) / (self.again + 1) as f64
    }

    /// How many times further on it is looked at again, where that is no closer than so many seconds.
    fn stride(&self, apart: f64) -> usize {
        let period = self.period();
        if period > 0.0 { (apart / period).floor().max(1.0) as usize } else { 1 }
    }

    /// Which times it comes within a window, by their number, and when each begins, s: the first, the last, and between them each
    /// no closer to the one before than so many seconds.
    pub(crate) fn begins(&self, window: (f64, f64), apart: f64) -> impl Iterator<Item = (u64, f64)> + use<> {
        let (from, period) = (self.from, self.period());
        let (first, last) = turns((self.from, self.to), self.again.unsigned_abs(), window);
        let ends = (first < last).then_some(last);
        let all = (first..last.max(first + 1)).step_by(self.stride(apart)).chain(ends);
        all.map(move |turn| (turn, from + turn as f64 * period))
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

/// Joins the chunks of each signal, in the order of their times, dropping what consecutive ones repeat. What comes again is there
/// as often as it comes within a window, s, each time no closer to the one before than so many seconds: what lies between is a
/// straight line then.
///
/// # Errors
/// [`Damaged`] if a chunk is, or if the signals do not have the same nodes.
pub fn join_nodes(chunks: &[Packed], window: (f64, f64), apart: f64) -> Result<BTreeMap<&str, Vec<f64>>, Damaged> {
    let mut columns: BTreeMap<&str, Vec<f64>> = BTreeMap::new();
    for chunk in chunks {
        let values = chunk.values()?;
        let column = columns.entry(&chunk.signal).or_default();
        if chunk.again == 0 {
            join(column, &values);
            continue;
        }
        let is_time = chunk.signal.is_empty();
        let Some(first) = values.first() else { return Err(Damaged) };
        let mut before = None;
        for (number, begins) in chunk.begins(window, apart) {
            let shift = if is_time { begins - first } else { 0.0 };
            let turn: Vec<f64> = values.iter().map(|value| value + shift).collect();
            let skips = before.replace(number).is_some_and(|before| before + 1 < number);
            if let (true, Some(last)) = (skips, column.last().copied()) {
                column.extend([last + STAGE * (turn[0] - last), turn[0]]);
            }
            join(column, &turn);
        }
    }
    let lengths: BTreeSet<usize> = columns.values().map(Vec::len).collect();
    if lengths.len() > 1 { Err(Damaged) } else { Ok(columns) }
}

/// Joins the nodes of a chunk to those before it.
fn join(column: &mut Vec<f64>, values: &[f64]) {
    let mut skip = 0;
    if !column.is_empty() {
        // The next chunk begins with the last end of a step, and has the inner node behind it too, if the step goes on.
        if column.len().is_multiple_of(2) {
            column.pop();
        }
        skip = 1;
    }
    column.extend_from_slice(values.get(skip..).unwrap_or_default());
}
