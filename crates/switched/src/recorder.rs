//! Nodes on their way to the observer, and the books of energy.

use crate::compiled::Compiled;
use linear::dot;
use recording::{Chunk, Observer, STAGE, chunk_nodes};

/// Nodes of the first chunk; every further one is twice as long up to the longest.
const FIRST_CHUNK: usize = 256;

pub(crate) struct Recorder {
    from: f64,
    times: Vec<f64>,
    rows: Vec<f64>,
    width: usize,
    chunk: usize,
    longest: usize,
    last: Option<f64>,
    /// Where in a row each column comes from: linear ones by row, powers by their place behind those.
    order: Vec<usize>,
    scratch: Vec<f64>,
    losses: [Vec<[f64; 3]>; 2],
    /// Energy given and lost so far, J.
    pub(crate) delivered: f64,
    pub(crate) dissipated: f64,
}

impl Recorder {
    /// `order` says of each column which of the linear rows, or behind them which of the powers, it shows.
    pub(crate) fn new(from: f64, order: Vec<usize>, parts: usize) -> Self {
        let longest = chunk_nodes(order.len());
        Recorder {
            from,
            times: Vec::new(),
            rows: Vec::new(),
            width: order.len(),
            chunk: FIRST_CHUNK.min(longest),
            longest,
            last: None,
            order,
            scratch: Vec::new(),
            losses: [vec![[0.0; 3]; parts], vec![[0.0; 3]; parts]],
            delivered: 0.0,
            dissipated: 0.0,
        }
    }

    /// Books a step and records it; z at its start, inner node and end.
    pub(crate) fn step(&mut self, c: &Compiled, t: f64, h: f64, z: [&[f64]; 3], observer: &mut dyn Observer) {
        let [first, last] = &mut self.losses;
        c.lost(z[0], first);
        c.lost(z[2], last);
        // Hermite's quadrature with two derivatives at either end: exact for polynomials of degree 5.
        for (a, b) in first.iter().zip(last.iter()) {
            let energy = 0.5 * h * (a[0] + b[0]) + h * h / 10.0 * (a[1] - b[1]) + h * h * h / 120.0 * (a[2] + b[2]);
            self.delivered += (-energy).max(0.0);
            self.dissipated += energy.max(0.0);
        }
        if t + h >= self.from {
            if self.last.is_none() {
                self.record(c, t, z[0], observer);
            }
            self.pair(c, [t + STAGE * h, t + h], [z[1], z[2]], observer);
        }
    }

    /// What has just jumped, recorded as a step that takes next to no time.
    pub(crate) fn jump(&mut self, c: &Compiled, t: f64, instant: f64, z: &[f64], observer: &mut dyn Observer) {
        if self.last.is_some() {
            self.pair(c, [t + STAGE * instant, t + instant], [z, z], observer);
        }
    }

    /// Energy that a pulse took from what is stored, J.
    pub(crate) fn pulse(&mut self, taken: f64) {
        self.dissipated += taken.max(0.0);
        self.delivered += (-taken).max(0.0);
    }

    fn pair(&mut self, c: &Compiled, times: [f64; 2], z: [&[f64]; 2], observer: &mut dyn Observer) {
        // What time cannot tell apart is left out.
        if self.last.is_some_and(|last| times[0] <= last || times[1] <= times[0]) {
            return;
        }
        self.record(c, times[0], z[0], observer);
        self.record(c, times[1], z[1], observer);
    }

    fn record(&mut self, c: &Compiled, t: f64, z: &[f64], observer: &mut dyn Observer) {
        let linear = &c.recorded[0];
        self.scratch.resize(linear.rows(), 0.0);
        linear.apply(z, &mut self.scratch);
        for source in &self.order {
            let value = match self.scratch.get(*source) {
                Some(value) => *value,
                None => {
                    let ports = &c.powers[source - self.scratch.len()];
                    ports.iter().map(|(v, i)| dot(v, z) * dot(i, z)).sum()
                }
            };
            self.rows.push(value);
        }
        self.times.push(t);
        self.last = Some(t);
        if self.times.len() == self.chunk {
            self.flush(observer);
        }
    }

    /// Hands over what has been recorded since the last chunk.
    pub(crate) fn flush(&mut self, observer: &mut dyn Observer) {
        if self.times.is_empty() {
            return;
        }
        let column = |c: usize| self.rows.iter().skip(c).step_by(self.width).copied().collect();
        let columns = (0..self.width).map(column).collect();
        observer.record(Chunk { times: std::mem::take(&mut self.times), columns });
        self.rows.clear();
        self.chunk = (2 * self.chunk).min(self.longest);
    }
}
