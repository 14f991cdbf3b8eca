use crate::packed::Packed;
use crate::{BUCKET, BUCKETS};
use circuit::Circuit;
use readings::{Recipe, signals};
use recording::{Chunk, Column, Joiner};
use std::collections::HashMap;

/// Cuts a recording into encoded chunks while it grows.
pub struct TraceBuilder {
    columns: Vec<String>,
    keys: HashMap<Column, usize>,
    signals: Vec<(String, Recipe)>,
    joiner: Joiner,
    seq: i32,
    nodes: i64,
    levels: Vec<Level>,
}

/// Buckets of one level that are not stored yet.
#[derive(Default)]
struct Level {
    seq: i32,
    starts: Vec<f64>,
    last: f64,
    bounds: Vec<Bounds>,
}

#[derive(Clone, Default)]
struct Bounds {
    min: Vec<f64>,
    max: Vec<f64>,
}

impl TraceBuilder {
    /// A builder for recordings of a circuit with these columns.
    pub fn new(circuit: &Circuit, columns: &[Column]) -> Self {
        let signals = signals(circuit)
            .into_iter()
            .filter_map(|signal| Some((signal.to_string(), Recipe::new(circuit, &signal).ok()?)));
        let signals = signals.filter(|(_, recipe)| recipe.columns().into_iter().all(|c| columns.contains(c)));
        let name = |c: &Column| format!("{}.{}", c.of, c.quantity.letter());
        TraceBuilder {
            columns: columns.iter().map(name).collect(),
            keys: columns.iter().cloned().zip(0..).collect(),
            signals: signals.collect(),
            joiner: Joiner::default(),
            seq: 0,
            nodes: 0,
            levels: Vec::new(),
        }
    }

    /// Nodes seen so far.
    pub fn nodes(&self) -> i64 {
        self.nodes
    }

    /// Encodes one recorded chunk; full chunks of higher levels come along.
    pub fn push(&mut self, chunk: &Chunk) -> Vec<Packed> {
        let mut rows = Vec::new();
        if chunk.times.is_empty() {
            return rows;
        }
        self.nodes += chunk.times.len() as i64;
        self.raw(chunk, &mut rows);
        self.seq += 1;
        self.first_level(chunk);
        self.pass_up(false, &mut rows);
        rows
    }

    /// Encodes what higher levels still hold.
    ///
    /// A recording that ends within the first chunk of level 1 is short enough to be read whole.
    pub fn finish(&mut self) -> Vec<Packed> {
        let mut rows = Vec::new();
        if self.levels.first().is_some_and(|level| level.seq > 0) {
            self.pass_up(true, &mut rows);
        }
        rows
    }

    fn raw(&mut self, chunk: &Chunk, rows: &mut Vec<Packed>) {
        let piece = self.joiner.join(chunk);
        let last_end = (piece.times.len() - 1) / 2 * 2;
        let span = (piece.times[0], piece.times[last_end]);
        rows.push(Packed::new("", 0, self.seq, span, &piece.times));
        let columns = self.columns.iter().zip(&piece.columns);
        rows.extend(columns.map(|(name, values)| Packed::new(name, 0, self.seq, span, values)));
    }

    fn level(&mut self, index: usize) -> &mut Level {
        if self.levels.len() <= index {
            let bounds = vec![Bounds::default(); self.signals.len()];
            self.levels.push(Level { bounds, ..Level::default() });
        }
        &mut self.levels[index]
    }

    fn first_level(&mut self, chunk: &Chunk) {
        self.level(0);
        let level = &mut self.levels[0];
        level.starts.extend(chunk.times.iter().step_by(BUCKET));
        level.last = chunk.times[chunk.times.len() - 1];
        for ((_, recipe), bounds) in self.signals.iter().zip(&mut level.bounds) {
            let column = |key: &Column| self.keys.get(key).map(|i| chunk.columns[*i].as_slice());
            let values = recipe.evaluate(chunk.times.len(), column);
            for bucket in values.chunks(BUCKET) {
                bounds.min.push(bucket.iter().copied().fold(f64::INFINITY, f64::min));
                bounds.max.push(bucket.iter().copied().fold(f64::NEG_INFINITY, f64::max));
            }
        }
    }

    /// Stores full chunks of buckets and condenses them into the next level; everything if
    /// `all`, up to the level whose buckets fit into one chunk.
    fn pass_up(&mut self, all: bool, rows: &mut Vec<Packed>) {
        let mut index = 0;
        while index < self.levels.len() {
            while self.levels[index].starts.len() >= BUCKETS || (all && !self.levels[index].starts.is_empty()) {
                let take = BUCKETS.min(self.levels[index].starts.len());
                let level = &mut self.levels[index];
                let starts: Vec<f64> = level.starts.drain(..take).collect();
                let to_time = level.starts.first().copied().unwrap_or(level.last);
                let bounds: Vec<Bounds> = level
                    .bounds
                    .iter_mut()
                    .map(|b| Bounds { min: b.min.drain(..take).collect(), max: b.max.drain(..take).collect() })
                    .collect();
                let seq = level.seq;
                level.seq += 1;
                let times = Packed::new("", index as i16 + 1, seq, (starts[0], to_time), &starts);
                let signals = self.signals.iter().zip(&bounds);
                rows.extend(signals.map(|((signal, _), b)| Packed::extremes(&times, signal, &b.min, &b.max)));
                rows.push(times);
                // A level that ends within its first chunk needs none above it.
                if seq > 0 || self.levels[index].starts.len() >= BUCKETS || !all {
                    self.condense(index + 1, &starts, to_time, &bounds);
                }
            }
            index += 1;
        }
    }

    fn condense(&mut self, index: usize, starts: &[f64], last: f64, below: &[Bounds]) {
        let level = self.level(index);
        level.starts.extend(starts.iter().step_by(BUCKET));
        level.last = last;
        for (bounds, below) in level.bounds.iter_mut().zip(below) {
            bounds.min.extend(below.min.chunks(BUCKET).map(|b| b.iter().copied().fold(f64::INFINITY, f64::min)));
            bounds.max.extend(below.max.chunks(BUCKET).map(|b| b.iter().copied().fold(f64::NEG_INFINITY, f64::max)));
        }
    }
}
