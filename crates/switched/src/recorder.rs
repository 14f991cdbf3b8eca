//! Nodes on their way to the observer, and the books of energy.

use crate::compiled::Compiled;
use recording::{Chunk, Observer, STAGE, chunk_nodes, most_nodes};

/// Nodes of the first chunk; every further one is twice as long up to the longest.
const FIRST_CHUNK: usize = 256;

/// Places within a step, beside its ends, and weights of Lobatto's quadrature with five points, exact for polynomials of
/// degree 7 (handbook: 0, ±√(3/7), ±1 with 32/45, 49/90, 1/10 over a length of two).
pub(crate) const BETWEEN: [f64; 3] = [0.172_673_164_646_011_43, 0.5, 0.827_326_835_353_988_6];
const WEIGHTS: [f64; 3] = [0.05, 49.0 / 180.0, 16.0 / 45.0];

/// Hermite's cubic through values and rates at the ends of a step, at its inner node: weights of both.
const CUBIC: [f64; 4] = {
    let (g, r) = (STAGE, 1.0 - STAGE);
    [(1.0 + 2.0 * g) * r * r, g * g * (3.0 - 2.0 * g), g * r * r, -g * g * r]
};
/// What the inner node adds to the mean of that cubic, which makes it exact for polynomials of degree 4: a multiple of
/// `s²(1 − s)²`, whose mean is a thirtieth.
const INNER: f64 = 1.0 / (30.0 * STAGE * STAGE * (1.0 - STAGE) * (1.0 - STAGE));
/// Size of that, relative to what is turned over, up to which what is left out is below 1e-9.
const CLOSE: f64 = 3e-8;

/// A step as it went: what runs, and what is seen, at its start, inner node and end.
#[derive(Clone, Copy, Debug)]
pub(crate) struct Walked<'a> {
    pub(crate) z: [&'a [f64]; 3],
    pub(crate) seen: [&'a [f64]; 3],
}

pub(crate) struct Recorder {
    from: f64,
    times: Vec<f64>,
    rows: Vec<f64>,
    /// The row recorded last.
    row: Vec<f64>,
    width: usize,
    chunk: usize,
    longest: usize,
    /// Whether a period is recorded by itself, all of it so far.
    by_itself: bool,
    last: Option<f64>,
    /// Where in a row each column comes from: linear ones by row, powers by their place behind those.
    order: Vec<usize>,
    scratch: Vec<f64>,
    powers: Vec<f64>,
    /// Powers lost at the start and at the end of a step, W, and how fast they change, W/s.
    losses: [[Vec<f64>; 2]; 2],
    lost: Vec<f64>,
    sums: Vec<f64>,
    /// Configuration and time of the last of them.
    weighed: Option<(usize, f64)>,
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
            row: Vec::new(),
            width: order.len(),
            chunk: FIRST_CHUNK.min(longest),
            longest,
            by_itself: false,
            last: None,
            order,
            scratch: Vec::new(),
            powers: Vec::new(),
            losses: std::array::from_fn(|_| std::array::from_fn(|_| vec![0.0; parts])),
            lost: vec![0.0; parts],
            sums: vec![0.0; parts],
            weighed: None,
            delivered: 0.0,
            dissipated: 0.0,
        }
    }

    /// Time, s, and row of what was recorded last, if anything was.
    pub(crate) fn recorded_last(&self) -> Option<(f64, Vec<f64>)> {
        self.last.map(|last| (last, self.row.clone()))
    }

    /// Goes on behind that.
    pub(crate) fn resume(&mut self, (last, row): (f64, Vec<f64>)) {
        (self.last, self.row) = (Some(last), row);
    }

    /// Weighs what each part lost over a step of a configuration by powers at its nodes and their rates; false if that is not close.
    pub(crate) fn weigh(&mut self, (configuration, c): (usize, &Compiled), t: f64, h: f64, z: [&[f64]; 3]) -> bool {
        let [first, last] = &mut self.losses;
        // Where one step goes on from another its start has been looked at.
        if self.weighed == Some((configuration, t)) {
            std::mem::swap(first, last);
        } else {
            c.lost_and_rates(z[0], &mut self.scratch, first);
        }
        c.lost_and_rates(z[2], &mut self.scratch, last);
        c.lost(z[1], &mut self.scratch, &mut self.lost);
        self.weighed = Some((configuration, t + h));
        let [w0, w2, r0, r2] = CUBIC;
        let (mut beyond, mut whole) = (0.0, 0.0);
        let ends = first[0].iter().zip(&last[0]).zip(first[1].iter().zip(&last[1]));
        for ((sum, inner), ((a, b), (a_rate, b_rate))) in self.sums.iter_mut().zip(&self.lost).zip(ends) {
            let off = INNER * (inner - (w0 * a + w2 * b + h * (r0 * a_rate + r2 * b_rate)));
            *sum = 0.5 * (a + b) + h / 12.0 * (a_rate - b_rate) + off;
            beyond += off.abs();
            whole += a.abs() + b.abs();
        }
        let mean = if t > 0.0 { (self.delivered + self.dissipated) / t } else { 0.0 };
        beyond <= CLOSE * (whole + mean)
    }

    /// The same by what runs at [`BETWEEN`], where the step is too coarse for that or rates are no more than rounding.
    pub(crate) fn weigh_between(&mut self, c: &Compiled, between: &[Vec<f64>; 3]) {
        let [first, last] = &self.losses;
        for (sum, (a, b)) in self.sums.iter_mut().zip(first[0].iter().zip(&last[0])) {
            *sum = WEIGHTS[0] * (a + b);
        }
        for (z, weight) in between.iter().zip([WEIGHTS[1], WEIGHTS[2], WEIGHTS[1]]) {
            c.lost(z, &mut self.scratch, &mut self.lost);
            self.sums.iter_mut().zip(&self.lost).for_each(|(sum, lost)| *sum += weight * lost);
        }
    }

    /// Books a step that has been weighed and records it.
    pub(crate) fn step(&mut self, c: &Compiled, t: f64, h: f64, walked: Walked<'_>, observer: &mut dyn Observer) {
        let Walked { z, seen } = walked;
        for energy in self.sums.iter().map(|sum| h * sum) {
            self.delivered += (-energy).max(0.0);
            self.dissipated += energy.max(0.0);
        }
        if t + h >= self.from {
            if self.last.is_none() {
                self.record(c, t, (z[0], seen[0]), observer);
            }
            self.pair(c, [t + STAGE * h, t + h], [(z[1], seen[1]), (z[2], seen[2])], observer);
        }
    }

    /// What has just jumped, recorded as a straight line that takes next to no time.
    pub(crate) fn jump(
        &mut self,
        c: &Compiled,
        t: f64,
        instant: f64,
        at: (&[f64], &[f64]),
        observer: &mut dyn Observer,
    ) {
        let times = [t + STAGE * instant, t + instant];
        if self.last.is_none() || self.is_no_later(times) {
            return;
        }
        let before = std::mem::take(&mut self.row);
        self.show(c, at);
        let after = std::mem::replace(&mut self.row, before.clone());
        self.row.iter_mut().zip(&after).for_each(|(value, after)| *value += STAGE * (after - *value));
        self.keep(times[0], observer);
        self.row = after;
        self.keep(times[1], observer);
    }

    /// Something has happened, and a pulse may have taken energy from what is stored, J.
    pub(crate) fn event(&mut self, taken: f64) {
        self.weighed = None;
        self.dissipated += taken.max(0.0);
        self.delivered += (-taken).max(0.0);
    }

    fn pair(&mut self, c: &Compiled, times: [f64; 2], at: [(&[f64], &[f64]); 2], observer: &mut dyn Observer) {
        if !self.is_no_later(times) {
            self.record(c, times[0], at[0], observer);
            self.record(c, times[1], at[1], observer);
        }
    }

    /// Whether time cannot tell two nodes from what is recorded; they are left out then.
    fn is_no_later(&self, times: [f64; 2]) -> bool {
        self.last.is_some_and(|last| times[0] <= last || times[1] <= times[0])
    }

    fn record(&mut self, c: &Compiled, t: f64, at: (&[f64], &[f64]), observer: &mut dyn Observer) {
        self.show(c, at);
        self.keep(t, observer);
    }

    /// Makes the row of columns from what runs and what was seen there.
    fn show(&mut self, c: &Compiled, (z, seen): (&[f64], &[f64])) {
        let values = c.seen().values(seen);
        c.powers(z, &mut self.scratch, &mut self.powers);
        self.row.clear();
        self.row.extend(self.order.iter().map(|source| match values.get(*source) {
            Some(value) => *value,
            None => self.powers[source - values.len()],
        }));
    }

    fn keep(&mut self, t: f64, observer: &mut dyn Observer) {
        self.rows.extend_from_slice(&self.row);
        self.times.push(t);
        self.last = Some(t);
        let most = if self.by_itself { most_nodes(self.width) } else { self.chunk };
        if self.times.len() >= most {
            self.flush(observer);
        }
    }

    /// Time from which nodes are recorded, s.
    pub(crate) fn from(&self) -> f64 {
        self.from
    }

    /// Begins to record a period by itself.
    pub(crate) fn begin_period(&mut self, observer: &mut dyn Observer) {
        self.flush(observer);
        self.event(0.0);
        self.by_itself = true;
    }

    /// Whether what has been recorded by itself is whole, or nothing is recorded yet.
    pub(crate) fn has_whole_period(&self) -> bool {
        self.by_itself
    }

    /// Records no more by itself.
    pub(crate) fn end_period(&mut self) {
        self.by_itself = false;
    }

    /// Hands over a period that was recorded by itself and comes so many times more, over such a time, s.
    pub(crate) fn repeat(&mut self, again: u64, over: f64, observer: &mut dyn Observer) {
        self.hand_over(again, observer);
        self.event(0.0);
        self.by_itself = false;
        self.last = self.last.map(|last| last + over);
    }

    /// Hands over what has been recorded since the last chunk.
    pub(crate) fn flush(&mut self, observer: &mut dyn Observer) {
        self.by_itself = false;
        if !self.times.is_empty() {
            self.hand_over(0, observer);
            self.chunk = (2 * self.chunk).min(self.longest);
        }
    }

    fn hand_over(&mut self, again: u64, observer: &mut dyn Observer) {
        if self.times.is_empty() {
            return;
        }
        let column = |c: usize| self.rows.iter().skip(c).step_by(self.width).copied().collect();
        let columns = (0..self.width).map(column).collect();
        observer.record(Chunk { again, ..Chunk::new(std::mem::take(&mut self.times), columns) });
        self.rows.clear();
    }
}
