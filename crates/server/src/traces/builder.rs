use super::codec::encode;
use super::{BUCKET, BUCKETS, OVERLAP};
use crate::store::ChunkRow;
use circuit::Circuit;
use readings::Recipe;
use recording::{Chunk, Column};
use std::collections::HashMap;
use studies::Recorded;
use uuid::Uuid;

/// Cuts a recording into encoded chunks while it grows.
pub(crate) struct TraceBuilder {
    run: Uuid,
    columns: Vec<String>,
    keys: HashMap<Column, usize>,
    signals: Vec<(String, Recipe)>,
    /// Last nodes of the chunk before: times, then columns.
    tail: Vec<Vec<f64>>,
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
    pub(crate) fn new(run: Uuid, circuit: &Circuit, columns: &[Column]) -> Self {
        let signals = Recorded::signals(circuit)
            .into_iter()
            .filter_map(|signal| Some((signal.to_string(), Recipe::new(circuit, &signal).ok()?)));
        let name = |c: &Column| format!("{}.{}", c.of, c.quantity.letter());
        TraceBuilder {
            run,
            columns: columns.iter().map(name).collect(),
            keys: columns.iter().cloned().zip(0..).collect(),
            signals: signals.collect(),
            tail: vec![Vec::new(); columns.len() + 1],
            seq: 0,
            nodes: 0,
            levels: Vec::new(),
        }
    }

    /// Nodes seen so far.
    pub(crate) fn nodes(&self) -> i64 {
        self.nodes
    }

    /// Encodes one recorded chunk; full chunks of higher levels come along.
    pub(crate) fn push(&mut self, chunk: &Chunk) -> Vec<ChunkRow> {
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
    pub(crate) fn finish(&mut self) -> Vec<ChunkRow> {
        let mut rows = Vec::new();
        if self.levels.first().is_some_and(|level| level.seq > 0) {
            self.pass_up(true, &mut rows);
        }
        rows
    }

    fn raw(&mut self, chunk: &Chunk, rows: &mut Vec<ChunkRow>) {
        let joined = |tail: &mut Vec<f64>, values: &[f64]| {
            let mut all = std::mem::take(tail);
            all.extend_from_slice(values);
            // The overlap starts at an end of a step, which stands at an even place.
            let keep = OVERLAP + all.len() % 2;
            *tail = all[all.len().saturating_sub(keep)..].to_vec();
            tail.truncate(OVERLAP);
            all
        };
        let mut sources = vec![(String::new(), chunk.times.as_slice())];
        sources.extend(self.columns.iter().cloned().zip(chunk.columns.iter().map(Vec::as_slice)));
        let mut span = (0.0, 0.0);
        for (index, (signal, values)) in sources.into_iter().enumerate() {
            let all = joined(&mut self.tail[index], values);
            if index == 0 {
                let last_end = (all.len() - 1) / 2 * 2;
                span = (all[0], all[last_end]);
            }
            rows.push(ChunkRow {
                run_id: self.run,
                signal,
                level: 0,
                seq: self.seq,
                from_time: span.0,
                to_time: span.1,
                count: all.len() as i32,
                data: encode(&all),
            });
        }
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
    fn pass_up(&mut self, all: bool, rows: &mut Vec<ChunkRow>) {
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
                let row = |signal: &str, values: &[f64]| ChunkRow {
                    run_id: self.run,
                    signal: signal.to_owned(),
                    level: index as i16 + 1,
                    seq,
                    from_time: starts[0],
                    to_time,
                    count: take as i32,
                    data: encode(values),
                };
                rows.push(row("", &starts));
                for ((signal, _), bounds) in self.signals.iter().zip(&bounds) {
                    rows.push(row(signal, &[bounds.min.as_slice(), bounds.max.as_slice()].concat()));
                }
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
