//! Nodes on their way to the observer, and the books of energy.

use crate::configuration::compiled::Compiled;
use crate::stepping::slope::Slope;
use recording::{Chunk, Observer, PLACES, STAGE, WEIGHTS, chunk_nodes, most_nodes};

/// Nodes of the first chunk; every further one is twice as long up to the longest.
const FIRST_CHUNK: usize = 256;

/// The quadrature of powers errs by the eighth power of a step's length, the slopes of their quartics at its ends are off by the fifth: by
/// so much, over its length and relative to what is turned over, where the quadrature errs by some 1e-10 (found by weighing steps of the
/// test converters in 64 parts).
const CLOSE: f64 = 4e-6;
/// Where halves of a part of a step turn over so little more or less than the whole, relative to all that has been turned over, they
/// are taken; and parts a step is weighed in at most.
const ALIKE: f64 = 1e-9;
const MOST_PARTS: u32 = 4000;
/// Times a step is halved at most.
const MOST_HALVED: i32 = 48;

/// Length of a step, relative to the time at hand, from which on times tell the places of its nodes, and how much later than its beginning
/// the node before may stand behind a jump, relative to it.
const TELLS: f64 = 131_072.0 * f64::EPSILON;
const LATER: f64 = 2.5e-4;

/// What runs, or what is seen, at a step's start, inner nodes and end.
pub(crate) type Nodes<'a> = [&'a [f64]; 5];

/// A step as it went.
#[derive(Clone, Copy, Debug)]
pub(crate) struct Walked<'a> {
    pub(crate) z: Nodes<'a>,
    pub(crate) seen: Nodes<'a>,
}

pub(crate) struct Recorder {
    from: f64,
    /// The last time there is, s.
    end: f64,
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
    lost: [Vec<f64>; 3],
    sums: Vec<f64>,
    probe: Vec<f64>,
    /// Configuration and time of the last of them.
    weighed: Option<(usize, f64)>,
    /// Energy given and lost so far, J.
    pub(crate) delivered: f64,
    pub(crate) dissipated: f64,
}

impl Recorder {
    /// For a time from one to another, s; `order` says of each column which of the linear rows, or behind them which of the powers, it
    /// shows.
    pub(crate) fn new((from, end): (f64, f64), order: Vec<usize>, parts: usize) -> Self {
        let longest = chunk_nodes(order.len());
        Recorder {
            from,
            end,
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
            lost: std::array::from_fn(|_| vec![0.0; parts]),
            sums: vec![0.0; parts],
            probe: Vec::new(),
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

    /// Weighs what each part lost over a step of a configuration by powers at its nodes; whether that is close, as their rates tell.
    pub(crate) fn weigh(&mut self, (configuration, c): (usize, &Compiled), t: f64, h: f64, z: Nodes<'_>) -> bool {
        let [first, last] = &mut self.losses;
        // Where one step goes on from another its start has been looked at.
        if self.weighed == Some((configuration, t)) {
            std::mem::swap(first, last);
        } else {
            c.lost_and_rates(z[0], &mut self.scratch, first);
        }
        for (z, lost) in z[1..4].iter().zip(&mut self.lost) {
            c.lost(z, &mut self.scratch, lost);
        }
        c.lost_and_rates(z[4], &mut self.scratch, last);
        self.weighed = Some((configuration, t + h));
        let (mut beyond, mut whole) = (0.0, 0.0);
        for (part, sum) in self.sums.iter_mut().enumerate() {
            let [a, b, d] = [0, 1, 2].map(|k| self.lost[k][part]);
            let (begins, ends) = (first[0][part], last[0][part]);
            *sum = lobatto([begins, a, b, d, ends]);
            let off = Slope::of([begins, a, b, d, ends]).off(h * first[1][part], h * last[1][part]);
            beyond += off[0].abs() + off[1].abs();
            whole += begins.abs() + ends.abs();
        }
        let mean = if t > 0.0 { (self.delivered + self.dissipated) / t } else { 0.0 };
        beyond <= CLOSE * (whole + mean)
    }

    /// Weighs the same step of a length, s, in parts, by what `place` says runs at a place of it: each part is halved until its halves
    /// say the same.
    pub(crate) fn weigh_in_parts(
        &mut self,
        h: f64,
        c: &mut Compiled,
        place: impl Fn(&mut Compiled, f64, &mut Vec<f64>),
    ) {
        let (mut z, parts) = (std::mem::take(&mut self.probe), self.sums.len());
        let mut at = |s: f64, scratch: &mut Vec<f64>| {
            let mut lost = vec![0.0; parts];
            place(c, s, &mut z);
            c.lost(&z, scratch, &mut lost);
            lost
        };
        let inner = std::mem::replace(&mut self.lost, std::array::from_fn(|_| vec![0.0; parts]));
        let [a, b, d] = inner;
        let nodes = [self.losses[0][0].clone(), a, b, d, self.losses[1][0].clone()];
        let turned = self.delivered + self.dissipated + h * self.sums.iter().map(|sum| sum.abs()).sum::<f64>();
        let alike = ALIKE * turned / h;
        self.sums.fill(0.0);
        // The earliest part is the last on the pile.
        let (mut pile, mut cut) = (vec![(0.0, 0, nodes)], 0);
        while let Some((from, halved, nodes)) = pile.pop() {
            let length = 0.5f64.powi(halved);
            let half = 0.5 * length;
            let middle = at(from + half, &mut self.scratch);
            let [first, second] =
                [from, from + half].map(|from| PLACES.map(|p| at(from + p * half, &mut self.scratch)));
            let [begins, .., ends] = nodes.clone();
            let [[a, b, d], [e, f, g]] = [first, second];
            let halves = [[begins, a, b, d, middle.clone()], [middle, e, f, g, ends]];
            let over = |nodes: &[Vec<f64>; 5], part: usize| lobatto(nodes.each_ref().map(|lost| lost[part]));
            let sums: Vec<f64> = (0..parts).map(|k| half * (over(&halves[0], k) + over(&halves[1], k))).collect();
            let off: f64 = sums.iter().enumerate().map(|(k, sum)| (sum - length * over(&nodes, k)).abs()).sum();
            cut += 1;
            if off <= alike || cut >= MOST_PARTS || halved >= MOST_HALVED {
                self.sums.iter_mut().zip(sums).for_each(|(sum, more)| *sum += more);
            } else {
                let [earlier, later] = halves;
                pile.extend([(from + half, halved + 1, later), (from, halved + 1, earlier)]);
            }
        }
        self.probe = z;
    }

    /// Books a step that has been weighed and records it.
    pub(crate) fn step(&mut self, c: &Compiled, t: f64, h: f64, walked: Walked<'_>, observer: &mut dyn Observer) {
        let Walked { z, seen } = walked;
        for energy in self.sums.iter().map(|sum| h * sum) {
            self.delivered += (-energy).max(0.0);
            self.dissipated += energy.max(0.0);
        }
        if t + h <= self.from {
            return;
        }
        if self.last.is_none() {
            self.show(c, (z[0], seen[0]));
            self.keep(t);
        }
        // What comes again does so until the end.
        let latest = if self.by_itself { self.end } else { t + h };
        if h < TELLS * latest || self.last.is_some_and(|last| last - t > LATER * h) {
            return self.short(c, (t, h), walked, observer);
        }
        for (k, place) in PLACES.into_iter().chain([1.0]).enumerate() {
            self.show(c, (z[k + 1], seen[k + 1]));
            self.keep(t + place * h);
        }
        self.hand_over_full(observer);
    }

    /// Records a step whose nodes the times do not tell apart well, as the parabola that goes half way as the quartic does.
    fn short(&mut self, c: &Compiled, (t, h): (f64, f64), Walked { z, seen }: Walked<'_>, observer: &mut dyn Observer) {
        let times = [t + STAGE * h, t + h];
        if self.is_no_later(times) {
            return;
        }
        let begins = std::mem::take(&mut self.row);
        self.show(c, (z[2], seen[2]));
        let middle = std::mem::take(&mut self.row);
        self.show(c, (z[4], seen[4]));
        // Lagrange's weights of beginning, middle and end at the inner node.
        let g = STAGE;
        let weights = [(2.0 * g - 1.0) * (g - 1.0), 4.0 * g * (1.0 - g), g * (2.0 * g - 1.0)];
        let ends = self.row.clone();
        for (value, (begins, middle)) in self.row.iter_mut().zip(begins.iter().zip(&middle)) {
            *value = weights[0] * begins + weights[1] * middle + weights[2] * *value;
        }
        self.keep(times[0]);
        self.row = ends;
        self.keep(times[1]);
        self.hand_over_full(observer);
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
        if self.last.is_none() {
            return;
        }
        if self.is_no_later(times) {
            return self.amend(c, at);
        }
        let before = std::mem::take(&mut self.row);
        self.show(c, at);
        let after = std::mem::replace(&mut self.row, before.clone());
        self.row.iter_mut().zip(&after).for_each(|(value, after)| *value += STAGE * (after - *value));
        self.keep(times[0]);
        self.row = after;
        self.keep(times[1]);
        self.hand_over_full(observer);
    }

    /// What is recorded last is what was between two events that times do not tell apart: what is behind them takes its place, for the
    /// next step begins there, at the end of a straight line from what was before both.
    fn amend(&mut self, c: &Compiled, at: (&[f64], &[f64])) {
        let Some(begins) = self.rows.len().checked_sub(3 * self.width) else { return };
        self.show(c, at);
        let (before, jump) = self.rows[begins..].split_at_mut(self.width);
        let (inner, end) = jump.split_at_mut(self.width);
        for ((inner, before), after) in inner.iter_mut().zip(before).zip(&self.row) {
            *inner = *before + STAGE * (after - *before);
        }
        end.copy_from_slice(&self.row);
    }

    /// Something has happened, and a pulse may have taken energy from what is stored, J.
    pub(crate) fn event(&mut self, taken: f64) {
        self.weighed = None;
        self.dissipated += taken.max(0.0);
        self.delivered += (-taken).max(0.0);
    }

    /// Whether time cannot tell two nodes from what is recorded; they are left out then.
    fn is_no_later(&self, times: [f64; 2]) -> bool {
        self.last.is_some_and(|last| times[0] <= last || times[1] <= times[0])
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

    fn keep(&mut self, t: f64) {
        self.rows.extend_from_slice(&self.row);
        self.times.push(t);
        self.last = Some(t);
    }

    /// Hands over what is recorded behind a step if that is enough.
    fn hand_over_full(&mut self, observer: &mut dyn Observer) {
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

/// Mean over a step of what is known at its nodes, exact for polynomials of degree 7.
fn lobatto([a, b, c, d, e]: [f64; 5]) -> f64 {
    WEIGHTS[0] * (a + e) + WEIGHTS[1] * (b + d) + WEIGHTS[2] * c
}
