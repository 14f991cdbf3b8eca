//! Keeps the books of accepted steps: recorded rows on their way to the observer, and losses.

use super::step::Node;
use crate::contract::Point;
use crate::equations::Equations;
use recording::{Chunk, Observer, STAGE, chunk_nodes};

/// Weights of the method's own quadrature over the unit step. The change of a charge is this sum
/// of currents, so energies add up even where a current alternates between nodes, as it does
/// behind an ideal switch or diode.
const W_START: f64 = std::f64::consts::SQRT_2 / 4.0;
const W_END: f64 = STAGE / 2.0;
/// Error of that quadrature for the square of time: what is left of 1/3.
const W_SQUARE: f64 = 1.0 / 3.0 - W_START * STAGE * STAGE - W_END;

/// Most curvature of the powers, relative to their size, of a step counted as smooth; a current that
/// alternates between nodes gives 1 and more, a smooth one some hundredths.
const SMOOTH: f64 = 0.25;

/// Second divided difference over the unit step of a power given at its three nodes.
fn curvature([start, middle, end]: [f64; 3]) -> f64 {
    start / STAGE - middle / (STAGE * (1.0 - STAGE)) + end / (1.0 - STAGE)
}

/// Nodes of the first chunk; every further one is twice as long up to the longest.
const FIRST_CHUNK: usize = 256;

pub(super) struct Recorder<'a> {
    equations: &'a Equations,
    from: f64,
    times: Vec<f64>,
    rows: Vec<f64>,
    /// Nodes of the chunk at hand; the first are short, so that there is soon something to look at.
    chunk_nodes: usize,
    longest_chunk: usize,
    pub(super) begun: bool,
    /// Energy that parts delivered so far and that they took without storing it, J; what a part
    /// gives and takes back later counts in both.
    pub(super) delivered: f64,
    pub(super) dissipated: f64,
    /// Power lost in each part at the nodes of the step, W.
    pub(super) powers: Vec<[f64; 3]>,
    /// Energy stored in all parts at the start of the step, J.
    pub(super) stored: f64,
    /// The books as they are if the step is accepted.
    next_powers: Vec<[f64; 3]>,
    next_stored: f64,
    next_delivered: f64,
    next_dissipated: f64,
}

impl<'a> Recorder<'a> {
    pub(super) fn new(equations: &'a Equations, from: f64) -> Self {
        let parts = equations.models.len();
        let longest_chunk = chunk_nodes(equations.columns().len());
        Recorder {
            equations,
            from,
            times: Vec::new(),
            rows: Vec::new(),
            chunk_nodes: FIRST_CHUNK.min(longest_chunk),
            longest_chunk,
            begun: false,
            delivered: 0.0,
            dissipated: 0.0,
            powers: vec![[0.0; 3]; parts],
            next_powers: vec![[0.0; 3]; parts],
            stored: 0.0,
            next_stored: 0.0,
            next_delivered: 0.0,
            next_dissipated: 0.0,
        }
    }

    /// Takes note of losses and stored energy where the run begins.
    pub(super) fn begin(&mut self, node: &Node) {
        let at = Point { x: &node.x, t: node.t };
        for ((powers, model), flow) in self.powers.iter_mut().zip(&self.equations.models).zip(&node.flows) {
            powers[2] = model.loss(at, *flow);
        }
        self.stored = self.stored_at(node);
    }

    fn stored_at(&self, node: &Node) -> f64 {
        let at = Point { x: &node.x, t: node.t };
        self.equations.models.iter().map(|m| m.stored(at)).sum()
    }

    /// Makes the books of a step that may yet be rejected; returns what energy is missing in it,
    /// relative to all that was turned over so far. Where powers are not smooth the books are too
    /// coarse to judge a step by, and nothing counts as missing.
    pub(super) fn weigh(&mut self, [start, middle, end]: [&Node; 3]) -> f64 {
        let h = end.t - start.t;
        let (at_middle, at_end) = (Point { x: &middle.x, t: middle.t }, Point { x: &end.x, t: end.t });
        // Where all powers are smooth, the mean of the quadratic through the nodes is better. It
        // must be all or none, or what one part delivers and another takes no longer agree.
        let (mut bend, mut size) = (0.0, 0.0);
        for (m, model) in self.equations.models.iter().enumerate() {
            let [_, _, start] = self.powers[m];
            let powers = [start, model.loss(at_middle, middle.flows[m]), model.loss(at_end, end.flows[m])];
            bend += curvature(powers).abs();
            size += powers[0].abs().max(powers[1].abs()).max(powers[2].abs());
            self.next_powers[m] = powers;
        }
        let rough = bend >= SMOOTH * size;
        let extra = if rough { 0.0 } else { W_SQUARE };
        let (mut delivered, mut dissipated) = (0.0, 0.0);
        for powers in &self.next_powers {
            let [start, middle, end] = *powers;
            let energy = h * (W_START * (start + middle) + W_END * end + extra * curvature(*powers));
            delivered += (-energy).max(0.0);
            dissipated += energy.max(0.0);
        }
        self.next_stored = self.stored_at(end);
        let missing = delivered - dissipated - (self.next_stored - self.stored);
        (self.next_delivered, self.next_dissipated) = (self.delivered + delivered, self.dissipated + dissipated);
        let turned_over = self.next_delivered.max(self.next_dissipated).max(self.next_stored).max(self.stored);
        if !rough && turned_over > 0.0 { missing.abs() / turned_over } else { 0.0 }
    }

    /// Books the step just weighed.
    pub(super) fn step(&mut self, [start, middle, end]: [&Node; 3], observer: &mut dyn Observer) {
        std::mem::swap(&mut self.powers, &mut self.next_powers);
        (self.delivered, self.dissipated, self.stored) = (self.next_delivered, self.next_dissipated, self.next_stored);
        if end.t <= self.from {
            return;
        }
        if !self.begun {
            self.begun = true;
            self.record(start, observer);
        }
        self.record(middle, observer);
        self.record(end, observer);
    }

    fn record(&mut self, node: &Node, observer: &mut dyn Observer) {
        self.times.push(node.t);
        self.equations.record(Point { x: &node.x, t: node.t }, &node.flows, &mut self.rows);
        if self.times.len() == self.chunk_nodes {
            self.flush(observer);
        }
    }

    /// Hands over what has been recorded since the last chunk.
    pub(super) fn flush(&mut self, observer: &mut dyn Observer) {
        if self.times.is_empty() {
            return;
        }
        let width = self.equations.columns().len();
        let column = |c: usize| self.rows.iter().skip(c).step_by(width).copied().collect();
        observer.record(Chunk::new(std::mem::take(&mut self.times), (0..width).map(column).collect()));
        self.rows.clear();
        self.chunk_nodes = (2 * self.chunk_nodes).min(self.longest_chunk);
    }
}
