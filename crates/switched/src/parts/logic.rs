//! Logic: an element whose regions are the bits of its inputs, and of what it keeps. Decided at once.

use crate::network::{Changes, Guard, Network, Region};
use crate::row::{ONE, Of, Row};
use circuit::{KindId, ResolvedPart};

/// What the regions of a part have in common: the output behind its resistance, and the guards that hold inputs to their bits.
struct Stage {
    out: Row,
    i: Of,
    relation: usize,
    level: f64,
    resistance: f64,
    threshold: f64,
    hysteresis: f64,
}

impl Stage {
    fn new(part: &ResolvedPart, n: &mut Network, com: usize) -> Self {
        let [level, resistance, threshold, hysteresis] =
            ["level", "output_resistance", "threshold", "hysteresis"].map(|name| part.value(name));
        let i = n.current(part.pins[0], com);
        let out = Row::across(part.pins[0], com);
        n.lossy_port(out.clone(), i);
        Stage { out, i, relation: n.relation(Row::default()), level, resistance, threshold, hysteresis }
    }

    fn region(&self, high: bool, rates: Vec<(usize, Row)>, guards: Vec<Guard>) -> Region {
        let open = if high { self.level } else { 0.0 };
        Region {
            name: if high { "high" } else { "low" },
            relations: vec![(self.relation, self.out.clone().plus(-self.resistance, self.i).plus(-open, ONE))],
            rates,
            guards,
            ..Region::default()
        }
    }

    /// Holds as long as an input is high, or low.
    fn holds(&self, input: &Row, high: bool, to: usize) -> Guard {
        let half = 0.5 * self.hysteresis;
        let holds = if high {
            input.clone().plus(half - self.threshold, ONE)
        } else {
            input.clone().times(-1.0).plus(half + self.threshold, ONE)
        };
        Guard { holds, to }
    }
}

/// Gates of two inputs: regions are the bits of both, the first as the lower.
pub(super) fn gate(part: &ResolvedPart, n: &mut Network) {
    let [a, b, com] = [1, 2, 3].map(|pin| part.pins[pin]);
    let stage = Stage::new(part, n, com);
    let (a, b) = (Row::across(a, com), Row::across(b, com));
    let region = |bits: usize| {
        let (high_a, high_b) = (bits & 1 == 1, bits & 2 == 2);
        let high = match part.kind {
            KindId::AndGate => high_a && high_b,
            KindId::OrGate => high_a || high_b,
            _ => high_a != high_b,
        };
        let guards = vec![stage.holds(&a, high_a, bits ^ 1), stage.holds(&b, high_b, bits ^ 2)];
        stage.region(high, Vec::new(), guards)
    };
    n.element(Changes::ByControl, 0, (0..4).map(region).collect(), Vec::new());
}

pub(super) fn inverter(part: &ResolvedPart, n: &mut Network) {
    let (a, com) = (part.pins[1], part.pins[2]);
    let stage = Stage::new(part, n, com);
    let a = Row::across(a, com);
    let region = |bit: usize| stage.region(bit == 0, Vec::new(), vec![stage.holds(&a, bit == 1, bit ^ 1)]);
    n.element(Changes::ByControl, 0, (0..2).map(region).collect(), Vec::new());
}

/// Regions are the bits of set, reset and what is kept.
pub(super) fn latch(part: &ResolvedPart, n: &mut Network) {
    let [set, reset, com] = [1, 2, 3].map(|pin| part.pins[pin]);
    let stage = Stage::new(part, n, com);
    let (set, reset) = (Row::across(set, com), Row::across(reset, com));
    // Where it is once a bit has changed.
    let settled = |bits: usize| {
        let kept = bits & 2 == 0 && bits & 5 != 0;
        (bits & 3) | if kept { 4 } else { 0 }
    };
    let region = |bits: usize| {
        let guards = vec![
            stage.holds(&set, bits & 1 == 1, settled(bits ^ 1)),
            stage.holds(&reset, bits & 2 == 2, settled(bits ^ 2)),
        ];
        stage.region(bits & 4 == 4, Vec::new(), guards)
    };
    n.element(Changes::ByControl, 0, (0..8).map(region).collect(), Vec::new());
}

/// A clock between 0 and 1 that runs up while the input is high and down while it is low. Regions: whether it stands at its end,
/// and the bits of the input and of what is passed on.
pub(super) fn delay(part: &ResolvedPart, n: &mut Network) {
    const STANDS: usize = 4;
    let (a, com) = (part.pins[1], part.pins[2]);
    let stage = Stage::new(part, n, com);
    let a = Row::across(a, com);
    let clock = n.state(0.0, Row::default());
    let Of::State(index) = clock else { return };
    let [up, down] = ["rise_delay", "fall_delay"].map(|name| 1.0 / part.value(name));
    let region = |state: usize| {
        let (input, passed, stands) = (state & 1 == 1, state & 2 == 2, state & STANDS != 0);
        let rate = match (stands, input) {
            (true, _) => 0.0,
            (false, true) => up,
            (false, false) => -down,
        };
        let mut guards = vec![stage.holds(&a, input, (state ^ 1) & !STANDS)];
        if !stands {
            let (left, end) =
                if input { (Row::constant(1.0).plus(-1.0, clock), 1 | 2 | STANDS) } else { (Row::of(clock), STANDS) };
            guards.push(Guard { holds: left, to: end });
        }
        stage.region(passed, vec![(index, Row::constant(rate))], guards)
    };
    n.element(Changes::ByControl, STANDS, (0..8).map(region).collect(), Vec::new());
}
