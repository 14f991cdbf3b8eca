//! Converters and rectifiers of many kinds with values at random over decades, their parts in any order.
#![allow(dead_code, unreachable_pub)]

use super::edges::{Values, borrowed, values};
use super::{Row, circuit};
use circuit::{
    Circuit,
    KindId::{
        self, Capacitor, ControlledSwitch, CoupledWindings, DcSource, Diode, IdealTransformer, Inductor, MosfetN,
        PulseSource, Resistor, SineSource, ThreePhaseSource, ThreeWindings, VoltageControlledVoltage,
    },
};
use fastrand::Rng;
use std::collections::BTreeMap;

/// A circuit with its designators, nets in pin order and values, and the time in which everything comes round, s.
#[derive(Clone, Debug)]
pub struct Drawn {
    pub kind: &'static str,
    pub rows: Vec<(String, KindId, String, Values)>,
    pub period: f64,
}

impl Drawn {
    pub fn circuit(&self) -> Circuit {
        let own: Vec<Vec<(&str, &str)>> = self.rows.iter().map(|(_, _, _, own)| borrowed(own)).collect();
        let rows = self.rows.iter().zip(&own);
        let rows: Vec<Row<'_>> =
            rows.map(|((id, kind, pins, _), own)| (id.as_str(), *kind, pins.as_str(), &own[..])).collect();
        circuit(&rows)
    }

    /// The same with its parts in another order.
    pub fn shuffled(&self, rng: &mut Rng) -> Drawn {
        let mut other = self.clone();
        rng.shuffle(&mut other.rows);
        other
    }

    /// The same with other names for its nets but ground, so that they sort in another order.
    pub fn renamed(&self, rng: &mut Rng) -> Drawn {
        let mut other = self.clone();
        let mut names = BTreeMap::from([("gnd", "gnd".to_owned())]);
        for (_, _, pins, _) in &self.rows {
            for net in pins.split_whitespace() {
                names.entry(net).or_insert_with(|| format!("n{:016x}", rng.u64(..)));
            }
        }
        for (_, _, pins, _) in &mut other.rows {
            *pins = pins.split_whitespace().map(|net| names[net].as_str()).collect::<Vec<_>>().join(" ");
        }
        other
    }
}

/// What draws at random.
pub struct Draft<'a> {
    pub rng: &'a mut Rng,
    rows: Vec<(String, KindId, String, Values)>,
    period: f64,
    /// What an edge of a gate takes, s.
    edge: f64,
    dead: f64,
    fets: bool,
    coupling: f64,
}

type Kind = (&'static str, fn(&mut Draft<'_>));

pub const KINDS: &[Kind] = &[
    ("buck", buck),
    ("boost", boost),
    ("synchronous buck", synchronous_buck),
    ("synchronous boost", synchronous_boost),
    ("four-switch", four_switch),
    ("two-phase interleaved", interleaved),
    ("SEPIC", sepic),
    ("flyback with clamp", flyback),
    ("flyback with two outputs", two_outputs),
    ("forward with reset winding", forward),
    ("two-switch forward", two_switch_forward),
    ("push-pull", push_pull),
    ("half bridge", half_bridge),
    ("full bridge", full_bridge),
    ("phase-shifted bridge", phase_shifted),
    ("series resonant", resonant),
    ("three-phase inverter", inverter),
    ("bridge rectifier", rectifier),
    ("six-pulse", six_pulse),
    ("doubler", doubler),
];

/// One of the kinds, drawn by a number.
pub fn drawn(number: u64) -> Drawn {
    let mut rng = Rng::with_seed(number ^ 0x5eed_c011);
    let (kind, draw) = KINDS[(number % KINDS.len() as u64) as usize];
    let period = 1.0 / decades(&mut rng, 4.0, 6.0);
    let edge = period * [1e-6, 1e-4, 2e-3][rng.usize(..3)];
    let dead = period * (0.005 + 0.05 * rng.f64());
    let coupling = [0.9, 0.98, 0.995, 0.998, 0.999][rng.usize(..5)] + 9e-4 * rng.f64();
    let fets = rng.bool();
    let mut draft = Draft { rng: &mut rng, rows: Vec::new(), period, edge, dead, fets, coupling };
    draw(&mut draft);
    let (rows, period) = (draft.rows, draft.period);
    Drawn { kind, rows, period }.shuffled(&mut rng)
}

fn decades(rng: &mut Rng, from: f64, to: f64) -> f64 {
    10f64.powf(from + (to - from) * rng.f64())
}

impl Draft<'_> {
    fn decades(&mut self, from: f64, to: f64) -> f64 {
        decades(self.rng, from, to)
    }

    fn part(&mut self, id: &str, kind: KindId, pins: &str, own: Values) {
        self.rows.push((id.to_owned(), kind, pins.to_owned(), own));
    }

    fn resistor(&mut self, id: &str, pins: &str, value: f64) {
        self.part(id, Resistor, pins, values([("resistance", value)]));
    }

    fn coil(&mut self, id: &str, pins: &str, value: f64) {
        let resistance = self.decades(-3.0, -1.0);
        self.part(id, Inductor, pins, values([("inductance", value), ("resistance", resistance)]));
    }

    fn capacitor(&mut self, id: &str, pins: &str, value: f64) {
        let esr = self.decades(-3.0, -1.0);
        self.part(id, Capacitor, pins, values([("capacitance", value), ("esr", esr)]));
    }

    fn source(&mut self, from: f64, to: f64) -> f64 {
        let line = self.decades(from, to);
        self.part("V1", DcSource, "in gnd", values([("voltage", line)]));
        line
    }

    fn diode(&mut self, id: &str, pins: &str) {
        let resistance = self.decades(-3.0, -1.5);
        self.part(id, Diode, pins, values([("series_resistance", resistance)]));
    }

    /// A switch between two nets, driven in a period from one part of it to another: a MOSFET whose gate sits on its source, or an
    /// ideal one, with or without a diode beside it.
    fn switch(&mut self, id: &str, (high, low): (&str, &str), (from, to): (f64, f64)) {
        let gate = format!("g{id}");
        let mosfet = self.fets && self.rng.u8(..4) > 0;
        let reference = if mosfet { low } else { "gnd" };
        let delay = (from + self.period - 0.5 * self.edge) % self.period;
        let width = (to - from - self.edge).max(0.0);
        let drive = values([
            ("low", 0.0),
            ("high", 10.0),
            ("rise", self.edge),
            ("fall", self.edge),
            ("width", width),
            ("delay", delay),
            ("period", self.period),
        ]);
        self.part(&format!("V{gate}"), PulseSource, &format!("{gate} {reference}"), drive);
        let on = self.decades(-3.0, -1.0);
        if mosfet {
            let own = values([("threshold", 4.0), ("on_resistance", on)]);
            self.part(&format!("Q{id}"), MosfetN, &format!("{high} {gate} {low}"), own);
        } else {
            let own = values([("on_resistance", on), ("on_voltage", 5.2), ("off_voltage", 4.8)]);
            self.part(&format!("S{id}"), ControlledSwitch, &format!("{high} {low} {gate} gnd"), own);
            self.diode(&format!("D{id}"), &format!("{low} {high}"));
        }
    }

    /// Two switches in a leg between two nets, one on for a share of the period that begins at a part of it, the other for the rest,
    /// with dead times.
    fn leg(&mut self, id: &str, (high, middle, low): (&str, &str, &str), (begins, share): (f64, f64)) {
        let (t, dead) = (self.period, 0.5 * self.dead);
        let (on, off) = (begins * t, (begins + share) * t);
        self.switch(&format!("{id}1"), (high, middle), (on + dead, off - dead));
        self.switch(&format!("{id}2"), (middle, low), (off + dead, on + t - dead));
    }

    /// A transformer of magnetising inductance and ratio.
    fn windings(&mut self, pins: &str, inductance: f64, ratio: f64) {
        let own = values([
            ("primary_inductance", inductance),
            ("secondary_inductance", inductance / (ratio * ratio)),
            ("coupling", self.coupling),
            ("primary_resistance", 20e-3),
            ("secondary_resistance", 5e-3),
        ]);
        self.part("T1", CoupledWindings, pins, own);
    }

    fn three_windings(&mut self, pins: &str, inductance: f64, turns: [f64; 3]) {
        let k = self.coupling;
        let own = values([
            ("primary_turns", turns[0]),
            ("second_turns", turns[1]),
            ("third_turns", turns[2]),
            ("inductance_factor", inductance / (turns[0] * turns[0])),
            ("coupling_12", k),
            ("coupling_13", k),
            ("coupling_23", 1.0 - 0.8 * (1.0 - k)),
            ("primary_resistance", 20e-3),
            ("second_resistance", 5e-3),
            ("third_resistance", 5e-3),
        ]);
        self.part("T1", ThreeWindings, pins, own);
    }

    /// Output capacitor and load, behind a coil if there is one.
    fn output(&mut self, level: f64) {
        let load = level.max(1.0) * self.decades(-0.5, 2.5);
        self.resistor("R1", "out gnd", load);
        let charge = self.period * self.decades(1.0, 3.0);
        self.capacitor("C1", "out gnd", charge / load.min(100.0));
    }

    /// A filter coil with a ripple that is a part of the load's current or a multiple of it.
    fn filter(&mut self, pins: &str, level: f64) {
        let value = self.period * level.max(1.0) * self.decades(-1.0, 1.0);
        self.coil("L1", pins, value);
    }

    fn snubber(&mut self, id: &str, pins: &str) {
        if self.rng.bool() {
            let (a, b) = pins.split_once(' ').unwrap();
            let middle = format!("n{id}");
            let r = self.decades(0.5, 2.0);
            self.resistor(&format!("RS{id}"), &format!("{a} {middle}"), r);
            let c = self.period * self.decades(-3.5, -2.0) / r;
            self.capacitor(&format!("CS{id}"), &format!("{middle} {b}"), c);
        }
    }

    fn share(&mut self) -> f64 {
        0.15 + 0.6 * self.rng.f64()
    }
}

fn buck(d: &mut Draft<'_>) {
    let (line, duty) = (d.source(0.7, 2.0), d.share());
    d.switch("1", ("in", "x"), (0.0, duty * d.period));
    d.diode("D2", "gnd x");
    d.filter("x out", line);
    d.snubber("x", "x gnd");
    d.output(line * duty);
}

fn boost(d: &mut Draft<'_>) {
    let (line, duty) = (d.source(0.7, 2.0), d.share());
    d.filter("in x", line);
    d.switch("1", ("x", "gnd"), (0.0, duty * d.period));
    d.diode("D2", "x out");
    d.snubber("x", "x gnd");
    d.output(line);
}

fn synchronous_buck(d: &mut Draft<'_>) {
    let (line, duty) = (d.source(0.7, 2.0), d.share());
    d.leg("a", ("in", "x", "gnd"), (0.0, duty));
    d.filter("x out", line);
    d.snubber("x", "x gnd");
    d.output(line * duty);
}

fn synchronous_boost(d: &mut Draft<'_>) {
    let (line, duty) = (d.source(0.7, 2.0), d.share());
    d.filter("in x", line);
    d.leg("a", ("out", "x", "gnd"), (0.0, 1.0 - duty));
    d.snubber("x", "x gnd");
    d.output(line);
}

fn four_switch(d: &mut Draft<'_>) {
    let (line, a, b) = (d.source(0.7, 2.0), d.share(), d.share());
    d.leg("a", ("in", "x", "gnd"), (0.0, a));
    d.leg("b", ("out", "y", "gnd"), (0.3, b));
    d.filter("x y", line);
    d.output(line);
}

fn interleaved(d: &mut Draft<'_>) {
    let (line, duty) = (d.source(0.7, 2.0), d.share());
    d.leg("a", ("in", "x", "gnd"), (0.0, duty));
    d.leg("b", ("in", "y", "gnd"), (0.5, duty));
    d.filter("x out", line);
    let other = d.period * line * d.decades(-1.0, 1.0);
    d.coil("L2", "y out", other);
    d.output(line * duty);
}

fn sepic(d: &mut Draft<'_>) {
    let (line, duty) = (d.source(0.7, 1.7), d.share());
    d.filter("in x", line);
    d.switch("1", ("x", "gnd"), (0.0, duty * d.period));
    let c = d.period * d.decades(0.0, 1.5) / line;
    d.capacitor("C2", "x y", c);
    let other = d.period * line * d.decades(-1.0, 1.0);
    d.coil("L2", "gnd y", other);
    d.diode("D2", "y out");
    d.output(line);
}

fn flyback(d: &mut Draft<'_>) {
    let (line, duty, ratio) = (d.source(1.0, 2.5), d.share(), d.decades(-0.3, 1.2));
    let inductance = d.period * line * d.decades(-1.0, 1.0);
    d.windings("in x gnd s", inductance, ratio);
    d.switch("1", ("x", "gnd"), (0.0, duty * d.period));
    d.diode("D3", "x k");
    let r = line * d.decades(1.0, 2.5);
    d.resistor("RK", "k in", r);
    d.capacitor("CK", "k in", 30.0 * d.period / r);
    d.diode("D2", "s out");
    d.snubber("x", "x gnd");
    d.output(line / ratio);
}

fn two_outputs(d: &mut Draft<'_>) {
    let (line, duty) = (d.source(1.0, 2.5), d.share());
    let inductance = d.period * line * d.decades(-1.0, 1.0);
    let (second, third) = (3.0 + 20.0 * d.rng.f64(), 3.0 + 20.0 * d.rng.f64());
    d.three_windings("in x gnd s gnd u", inductance, [30.0, second, third]);
    d.switch("1", ("x", "gnd"), (0.0, duty * d.period));
    d.diode("D3", "x k");
    let r = line * d.decades(1.0, 2.5);
    d.resistor("RK", "k in", r);
    d.capacitor("CK", "k in", 30.0 * d.period / r);
    d.diode("D2", "s out");
    d.diode("D4", "u aux");
    let load = d.decades(0.5, 3.0);
    d.resistor("R2", "aux gnd", load);
    d.capacitor("C2", "aux gnd", 50.0 * d.period / load);
    d.output(line / 5.0);
}

fn forward(d: &mut Draft<'_>) {
    let (line, ratio) = (d.source(1.0, 2.5), d.decades(-0.3, 1.0));
    let duty = 0.15 + 0.3 * d.rng.f64();
    let inductance = d.period * line * d.decades(0.5, 2.0);
    d.three_windings("in x gnd r s gnd", inductance, [30.0, 30.0, 30.0 / ratio]);
    d.switch("1", ("x", "gnd"), (0.0, duty * d.period));
    d.diode("D3", "r in");
    d.diode("D2", "s y");
    d.diode("D4", "gnd y");
    d.filter("y out", line / ratio);
    d.snubber("x", "x gnd");
    d.output(line * duty / ratio);
}

fn two_switch_forward(d: &mut Draft<'_>) {
    let (line, ratio) = (d.source(1.0, 2.6), d.decades(-0.3, 1.2));
    let duty = 0.15 + 0.3 * d.rng.f64();
    let inductance = d.period * line * d.decades(0.0, 2.0);
    d.windings("p q s gnd", inductance, ratio);
    d.switch("1", ("in", "p"), (0.0, duty * d.period));
    d.switch("2", ("q", "gnd"), (0.0, duty * d.period));
    d.diode("D5", "gnd p");
    d.diode("D6", "q in");
    d.diode("D7", "s y");
    d.diode("D8", "gnd y");
    d.filter("y out", line / ratio);
    d.snubber("y", "y gnd");
    d.output(line * duty / ratio);
}

/// Two half secondaries on an ideal transformer each, behind one magnetising inductance and a leakage.
fn secondaries(d: &mut Draft<'_>, primary: (&str, &str), line: f64, ratio: f64) {
    let (a, b) = primary;
    let magnetising = d.period * line * d.decades(0.5, 2.0);
    let leakage = magnetising * (1.0 - d.coupling);
    if d.rng.bool() {
        d.coil("LK", &format!("{a} pp"), leakage);
    } else {
        d.resistor("RP", &format!("{a} pp"), 0.02);
    }
    d.coil("LM", &format!("pp {b}"), magnetising);
    d.part("T1", IdealTransformer, &format!("pp {b} s gnd"), values([("ratio", ratio)]));
    d.part("T2", IdealTransformer, &format!("pp {b} gnd u"), values([("ratio", ratio)]));
    d.diode("D7", "s y");
    d.diode("D8", "u y");
    d.filter("y out", line / ratio);
    d.snubber("y", "y gnd");
    d.output(line / ratio);
}

fn push_pull(d: &mut Draft<'_>) {
    let (line, ratio, duty) = (d.source(0.8, 2.0), d.decades(-0.5, 1.0), 0.1 + 0.35 * d.rng.f64());
    let inductance = d.period * line * d.decades(0.5, 2.0);
    // Centre-tapped primary with one secondary and a bridge behind it.
    d.three_windings("x in in z s u", inductance, [20.0, 20.0, 20.0 / ratio]);
    d.switch("1", ("x", "gnd"), (0.0, duty * d.period));
    d.switch("2", ("z", "gnd"), (0.5 * d.period, (0.5 + duty) * d.period));
    for (id, pins) in [("D5", "s y"), ("D6", "u y"), ("D7", "gnd s"), ("D8", "gnd u")] {
        d.diode(id, pins);
    }
    d.filter("y out", line / ratio);
    d.output(line / ratio);
}

fn half_bridge(d: &mut Draft<'_>) {
    let (line, ratio, duty) = (d.source(1.3, 2.6), d.decades(-0.5, 1.2), 0.1 + 0.35 * d.rng.f64());
    let c = d.period * d.decades(0.0, 1.5) / line;
    d.capacitor("CA", "in m", c);
    d.capacitor("CB", "m gnd", c);
    let r = line * d.decades(2.0, 3.0);
    d.resistor("RA", "in m", r);
    d.resistor("RB", "m gnd", r);
    d.switch("1", ("in", "x"), (0.0, duty * d.period));
    d.switch("2", ("x", "gnd"), (0.5 * d.period, (0.5 + duty) * d.period));
    secondaries(d, ("x", "m"), line, ratio);
}

fn full_bridge(d: &mut Draft<'_>) {
    let (line, ratio, duty) = (d.source(1.3, 2.6), d.decades(-0.5, 1.2), 0.1 + 0.35 * d.rng.f64());
    for (id, nets, begins) in
        [("1", ("in", "x"), 0.0), ("2", ("z", "gnd"), 0.0), ("3", ("in", "z"), 0.5), ("4", ("x", "gnd"), 0.5)]
    {
        d.switch(id, nets, (begins * d.period, (begins + duty) * d.period));
    }
    secondaries(d, ("x", "z"), line, ratio);
}

fn phase_shifted(d: &mut Draft<'_>) {
    let (line, ratio, shift) = (d.source(1.3, 2.6), d.decades(-0.5, 1.2), 0.05 + 0.4 * d.rng.f64());
    d.leg("a", ("in", "x", "gnd"), (0.0, 0.5));
    d.leg("b", ("in", "z", "gnd"), (shift, 0.5));
    secondaries(d, ("x", "z"), line, ratio);
}

fn resonant(d: &mut Draft<'_>) {
    let (line, ratio) = (d.source(1.3, 2.6), d.decades(-0.5, 1.2));
    d.leg("a", ("in", "x", "gnd"), (0.0, 0.5));
    let (impedance, tune) = (line * d.decades(-1.0, 0.5), 0.5 + d.rng.f64());
    let angular = std::f64::consts::TAU * tune / d.period;
    d.coil("LR", "x a", impedance / angular);
    d.capacitor("CR", "a b", 1.0 / (impedance * angular));
    let magnetising = impedance / angular * d.decades(0.3, 1.3);
    d.coil("LM", "b gnd", magnetising);
    d.part("T1", IdealTransformer, "b gnd s u", values([("ratio", ratio)]));
    for (id, pins) in [("D5", "s out"), ("D6", "u out"), ("D7", "gnd s"), ("D8", "gnd u")] {
        d.diode(id, pins);
    }
    d.output(0.5 * line / ratio);
}

fn inverter(d: &mut Draft<'_>) {
    let line = d.source(1.3, 2.6);
    for (leg, net, begins) in [("a", "u", 0.0), ("b", "v", 1.0 / 3.0), ("c", "w", 2.0 / 3.0)] {
        d.leg(leg, ("in", net, "gnd"), (begins, 0.5));
        let (l, r) = (d.period * line * d.decades(-1.0, 0.5), line * d.decades(-0.5, 1.0));
        d.coil(&format!("L{leg}"), &format!("{net} {net}n"), l);
        d.resistor(&format!("R{leg}"), &format!("{net}n star"), r);
    }
}

fn mains(d: &mut Draft<'_>) -> (f64, f64) {
    d.period = 1.0 / [50.0, 60.0, 400.0][d.rng.usize(..3)];
    let amplitude = d.decades(1.0, 2.6);
    (amplitude, 1.0 / d.period)
}

fn rectifier(d: &mut Draft<'_>) {
    let (amplitude, frequency) = mains(d);
    let own = values([("amplitude", amplitude), ("frequency", frequency)]);
    d.part("V1", SineSource, "l n", own);
    let (r, load) = (d.decades(-2.0, 0.5), amplitude * d.decades(-0.5, 2.0));
    d.resistor("RL", "l a", r);
    if d.rng.bool() {
        d.coil("LL", "a b", d.period * load * 1e-3);
    } else {
        d.resistor("RB", "a b", r);
    }
    for (id, pins) in [("D1", "b out"), ("D2", "n out"), ("D3", "gnd b"), ("D4", "gnd n")] {
        d.diode(id, pins);
    }
    let c = d.period * d.decades(0.0, 1.5) / load;
    d.capacitor("C1", "out gnd", c);
    d.resistor("R1", "out gnd", load);
}

fn six_pulse(d: &mut Draft<'_>) {
    let (amplitude, frequency) = mains(d);
    let own = values([("amplitude", amplitude), ("frequency", frequency)]);
    d.part("V1", ThreePhaseSource, "l1 l2 l3 n", own);
    d.resistor("RN", "n gnd", 1e5);
    let load = amplitude * d.decades(-0.5, 2.0);
    let source = d.period * load * d.decades(-4.0, -1.5);
    for (k, phase) in ["l1", "l2", "l3"].into_iter().enumerate() {
        d.coil(&format!("LS{k}"), &format!("{phase} a{k}"), source);
        d.diode(&format!("DU{k}"), &format!("a{k} y"));
        d.diode(&format!("DL{k}"), &format!("gnd a{k}"));
    }
    if d.rng.bool() {
        d.coil("L1", "y out", d.period * load * 0.1);
    } else {
        d.resistor("RY", "y out", 0.05);
    }
    let c = d.period * d.decades(-1.0, 1.0) / load;
    d.capacitor("C1", "out gnd", c);
    d.resistor("R1", "out gnd", load);
}

fn doubler(d: &mut Draft<'_>) {
    let (amplitude, frequency) = mains(d);
    let own = values([("amplitude", amplitude), ("frequency", frequency)]);
    d.part("V1", SineSource, "l m", own);
    let (r, load) = (d.decades(-2.0, 0.5), amplitude * d.decades(0.0, 2.0));
    d.resistor("RL", "l a", r);
    d.diode("D1", "a out");
    d.diode("D2", "gnd a");
    let c = d.period * d.decades(0.5, 1.5) / load;
    d.capacitor("CA", "out m", c);
    d.capacitor("CB", "m gnd", c);
    d.resistor("R1", "out gnd", load);
}

/// Converters whose legs are complementary ideal switches, driven by one gate and its inverse: no diode anywhere.
pub mod ideal {
    use super::*;

    /// The gate of each leg: on for a share of the period that begins at a part of it.
    pub fn gates(rows: &mut Vec<(String, KindId, String, Values)>, legs: &[(&str, f64, f64)], period: f64, edge: f64) {
        for (leg, begins, share) in legs {
            let drive = values([
                ("low", 0.0),
                ("high", 1.0),
                ("rise", edge),
                ("fall", edge),
                ("width", share * period - edge),
                ("delay", begins * period),
                ("period", period),
            ]);
            rows.push((format!("VG{leg}"), PulseSource, format!("g{leg} gnd"), drive));
            // 1 − gate, by a source in series with its inverse.
            rows.push((format!("VI{leg}"), DcSource, format!("i{leg} k{leg}"), values([("voltage", 1.0)])));
            let own = values([("gain", -1.0)]);
            rows.push((format!("EI{leg}"), VoltageControlledVoltage, format!("k{leg} gnd g{leg} gnd"), own));
        }
    }
}
