use crate::packed::Packed;
use crate::{BUCKET, BUCKETS, MOST_LEVELS};
use circuit::Circuit;
use readings::{Recipe, Waveform, signals};
use recording::{Chunk, Column, Joiner, covered};
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

/// How much of its buckets a level passes up.
#[derive(Clone, Copy, PartialEq, Eq)]
enum Upto {
    /// Chunks that are full.
    Full,
    /// All, on every level there may be: what follows is apart.
    Top,
    /// All, on those levels that are needed: nothing follows.
    End,
}

impl Level {
    /// Takes the first buckets, so many at most.
    fn take(&mut self, most: usize) -> (Vec<f64>, Vec<Bounds>) {
        let take = most.min(self.starts.len());
        let bounds = self.bounds.iter_mut();
        let bounds =
            bounds.map(|b| Bounds { min: b.min.drain(..take).collect(), max: b.max.drain(..take).collect() }).collect();
        (self.starts.drain(..take).collect(), bounds)
    }
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
        let piece = self.joiner.join(chunk);
        self.raw(&piece, &mut rows);
        self.seq += 1;
        if chunk.again > 0 {
            self.come_again(&piece, &mut rows);
        } else {
            self.first_level(&piece, piece.times.len() - chunk.times.len());
            self.pass_up(Upto::Full, &mut rows);
        }
        rows
    }

    /// Encodes what higher levels still hold.
    ///
    /// A recording that ends within the first chunk of level 1 is short enough to be read whole.
    pub fn finish(&mut self) -> Vec<Packed> {
        let mut rows = Vec::new();
        if self.levels.first().is_some_and(|level| level.seq > 0) {
            self.pass_up(Upto::End, &mut rows);
        }
        rows
    }

    fn raw(&self, piece: &Chunk, rows: &mut Vec<Packed>) {
        let span = covered(&piece.times, piece.again);
        let packed = |name: &str, values: &[f64]| Packed::new(name, 0, self.seq, span, values).coming(piece.again);
        rows.push(packed("", &piece.times));
        rows.extend(self.columns.iter().zip(&piece.columns).map(|(name, values)| packed(name, values)));
    }

    /// What comes again has buckets of its own on every level, which come as often; those before it end where it begins.
    fn come_again(&mut self, piece: &Chunk, rows: &mut Vec<Packed>) {
        self.pass_up(Upto::Top, rows);
        self.first_level(piece, 0);
        for index in 0..MOST_LEVELS {
            let level = self.level(index);
            let (starts, bounds) = level.take(usize::MAX);
            let span = covered(&piece.times, piece.again);
            let level = &mut self.levels[index];
            (level.last, level.seq) = (span.1, level.seq + 1);
            let times = Packed::new("", index as i16 + 1, level.seq - 1, span, &starts).coming(piece.again);
            let signals = self.signals.iter().zip(&bounds);
            rows.extend(signals.map(|((signal, _), b)| Packed::extremes(&times, signal, &b.min, &b.max)));
            rows.push(times);
            if index + 1 < MOST_LEVELS {
                self.condense(index + 1, &starts, span.1, &bounds);
            }
        }
    }

    fn level(&mut self, index: usize) -> &mut Level {
        if self.levels.len() <= index {
            let bounds = vec![Bounds::default(); self.signals.len()];
            self.levels.push(Level { bounds, ..Level::default() });
        }
        &mut self.levels[index]
    }

    /// Makes buckets of a piece's nodes from one on, and of where the course turns between them.
    fn first_level(&mut self, piece: &Chunk, from: usize) {
        self.level(0);
        let level = &mut self.levels[0];
        let before = level.starts.len();
        level.starts.extend(piece.times[from..].iter().step_by(BUCKET));
        level.last = piece.times[piece.times.len() - 1];
        for ((_, recipe), bounds) in self.signals.iter().zip(&mut level.bounds) {
            let column = |key: &Column| self.keys.get(key).map(|i| piece.columns[*i].as_slice());
            let values = recipe.evaluate(piece.times.len(), column);
            for bucket in values[from..].chunks(BUCKET) {
                bounds.min.push(bucket.iter().copied().fold(f64::INFINITY, f64::min));
                bounds.max.push(bucket.iter().copied().fold(f64::NEG_INFINITY, f64::max));
            }
            for (node, _, value) in Waveform::new(&piece.times, &values).turns() {
                // A turn at the very end, but for rounding, belongs to the last node.
                let node = node.min(piece.times.len() - 1);
                let bucket = before + node.saturating_sub(from) / BUCKET;
                bounds.min[bucket] = bounds.min[bucket].min(value);
                bounds.max[bucket] = bounds.max[bucket].max(value);
            }
        }
    }

    /// Stores chunks of buckets and condenses them into the next level: full ones, or what there is.
    fn pass_up(&mut self, upto: Upto, rows: &mut Vec<Packed>) {
        let all = upto != Upto::Full;
        let mut index = 0;
        while index < self.levels.len() {
            while self.levels[index].starts.len() >= BUCKETS || (all && !self.levels[index].starts.is_empty()) {
                let level = &mut self.levels[index];
                let (starts, bounds) = level.take(BUCKETS);
                let to_time = level.starts.first().copied().unwrap_or(level.last);
                let seq = level.seq;
                level.seq += 1;
                let more = level.starts.len() >= BUCKETS;
                let times = Packed::new("", index as i16 + 1, seq, (starts[0], to_time), &starts);
                let signals = self.signals.iter().zip(&bounds);
                rows.extend(signals.map(|((signal, _), b)| Packed::extremes(&times, signal, &b.min, &b.max)));
                rows.push(times);
                // A level that ends within its first chunk needs none above it.
                if (seq > 0 || more || upto != Upto::End) && index + 1 < MOST_LEVELS {
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
