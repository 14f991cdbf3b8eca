//! Legs of two ideal switches without a diode, driven by a gate and its inverse: at every edge one opens as the other closes, and
//! the current goes on. Against the periodic solution of the same equations, from matrix exponentials.

mod common;

use circuit::KindId::{self, Capacitor, ControlledSwitch, DcSource, Inductor, Resistor};
use common::edges::{Values, borrowed, values};
use common::topologies::ideal::gates;
use common::{Row, circuit};
use mellow_switched::Settled;
use nalgebra::{DMatrix, DVector};
use proptest::prelude::*;
use readings::{Recipe, Span, Waveform};
use recording::{Health, Recording};

type Rows = Vec<(String, KindId, String, Values)>;

/// A leg driven for a share of the period that begins at a part of it, and what is on and off.
type Leg = (&'static str, f64, f64);

type Rates = Box<dyn Fn(&[bool]) -> DMatrix<f64>>;

/// A circuit by its states: which legs it has, and rates of the states by the states and by one, given which legs are up.
struct Model {
    name: &'static str,
    legs: Vec<Leg>,
    parts: Vec<(&'static str, KindId, &'static str, Values)>,
    /// Upper and lower switch of each leg: nets, and whether the lower one's gate drives it.
    switches: Vec<(&'static str, &'static str, &'static str, &'static str)>,
    states: &'static [&'static str],
    rates: Rates,
}

const PERIOD: f64 = 1e-5;
const ON: f64 = 10e-3;

fn models(line: f64, [l, c, r]: [f64; 3], [a, b]: [f64; 2]) -> Vec<Model> {
    let coil = |id, pins| (id, Inductor, pins, values([("inductance", l)]));
    let output = |parts: &mut Vec<_>| {
        parts.push(("C1", Capacitor, "out gnd", values([("capacitance", c)])));
        parts.push(("R1", Resistor, "out gnd", values([("resistance", r)])));
    };
    let supply = || ("V1", DcSource, "in gnd", values([("voltage", line)]));
    let step = |up: bool| if up { 1.0 } else { 0.0 };
    let with_output = |mut parts: Vec<_>| {
        output(&mut parts);
        parts
    };
    vec![
        Model {
            name: "buck",
            legs: vec![("a", 0.0, a)],
            parts: with_output(vec![supply(), coil("L1", "x out")]),
            switches: vec![("in", "x", "x", "gnd")],
            states: &["L1.i", "out.v"],
            rates: Box::new(move |up| {
                let on = step(up[0]);
                DMatrix::from_row_slice(
                    3,
                    3,
                    &[-ON / l, -1.0 / l, on * line / l, 1.0 / c, -1.0 / (r * c), 0.0, 0.0, 0.0, 0.0],
                )
            }),
        },
        Model {
            name: "boost",
            legs: vec![("a", 0.0, a)],
            parts: with_output(vec![supply(), coil("L1", "in x")]),
            switches: vec![("out", "x", "x", "gnd")],
            states: &["L1.i", "out.v"],
            rates: Box::new(move |up| {
                let on = step(up[0]);
                DMatrix::from_row_slice(3, 3, &[-ON / l, -on / l, line / l, on / c, -1.0 / (r * c), 0.0, 0.0, 0.0, 0.0])
            }),
        },
        Model {
            name: "four-switch",
            legs: vec![("a", 0.0, a), ("b", 0.2, b)],
            parts: with_output(vec![supply(), coil("L1", "x y")]),
            switches: vec![("in", "x", "x", "gnd"), ("out", "y", "y", "gnd")],
            states: &["L1.i", "out.v"],
            rates: Box::new(move |up| {
                let (first, second) = (step(up[0]), step(up[1]));
                let rows =
                    [-2.0 * ON / l, -second / l, first * line / l, second / c, -1.0 / (r * c), 0.0, 0.0, 0.0, 0.0];
                DMatrix::from_row_slice(3, 3, &rows)
            }),
        },
        Model {
            name: "two-phase interleaved",
            legs: vec![("a", 0.0, a), ("b", 0.5, b)],
            parts: with_output(vec![supply(), coil("L1", "x out"), coil("L2", "y out")]),
            switches: vec![("in", "x", "x", "gnd"), ("in", "y", "y", "gnd")],
            states: &["L1.i", "L2.i", "out.v"],
            rates: Box::new(move |up| {
                let drive = |k: usize| step(up[k]) * line / l;
                DMatrix::from_row_slice(
                    4,
                    4,
                    &[
                        -ON / l,
                        0.0,
                        -1.0 / l,
                        drive(0),
                        0.0,
                        -ON / l,
                        -1.0 / l,
                        drive(1),
                        1.0 / c,
                        1.0 / c,
                        -1.0 / (r * c),
                        0.0,
                        0.0,
                        0.0,
                        0.0,
                        0.0,
                    ],
                )
            }),
        },
        Model {
            name: "half bridge",
            legs: vec![("a", 0.0, a)],
            parts: vec![
                supply(),
                ("V2", DcSource, "gnd neg", values([("voltage", line)])),
                coil("L1", "x y"),
                ("R1", Resistor, "y gnd", values([("resistance", r)])),
            ],
            switches: vec![("in", "x", "x", "neg")],
            states: &["L1.i"],
            rates: Box::new(move |up| {
                let drive = (2.0 * step(up[0]) - 1.0) * line;
                DMatrix::from_row_slice(2, 2, &[-(ON + r) / l, drive / l, 0.0, 0.0])
            }),
        },
        Model {
            name: "full bridge",
            legs: vec![("a", 0.0, a), ("b", 0.5, b)],
            parts: vec![supply(), coil("L1", "x y"), ("R1", Resistor, "y z", values([("resistance", r)]))],
            switches: vec![("in", "x", "x", "gnd"), ("in", "z", "z", "gnd")],
            states: &["L1.i"],
            rates: Box::new(move |up| {
                let drive = (step(up[0]) - step(up[1])) * line;
                DMatrix::from_row_slice(2, 2, &[-(2.0 * ON + r) / l, drive / l, 0.0, 0.0])
            }),
        },
        Model {
            name: "three-phase bridge",
            legs: vec![("a", 0.0, 0.5), ("b", 1.0 / 3.0, 0.5), ("c", 2.0 / 3.0, 0.5)],
            parts: vec![
                supply(),
                coil("L1", "x xn"),
                coil("L2", "y yn"),
                coil("L3", "z zn"),
                ("R1", Resistor, "xn star", values([("resistance", r)])),
                ("R2", Resistor, "yn star", values([("resistance", r)])),
                ("R3", Resistor, "zn star", values([("resistance", r)])),
            ],
            switches: vec![("in", "x", "x", "gnd"), ("in", "y", "y", "gnd"), ("in", "z", "z", "gnd")],
            states: &["L1.i"],
            rates: Box::new(move |up| {
                let drive = (2.0 * step(up[0]) - step(up[1]) - step(up[2])) * line / 3.0;
                DMatrix::from_row_slice(2, 2, &[-(ON + r) / l, drive / l, 0.0, 0.0])
            }),
        },
    ]
}

impl Model {
    fn rows(&self, edge: f64) -> Rows {
        let parts = self.parts.iter();
        let mut rows: Rows =
            parts.map(|(id, kind, pins, own)| ((*id).into(), *kind, (*pins).into(), own.clone())).collect();
        for ((leg, ..), (high, upper, lower, low)) in self.legs.iter().zip(&self.switches) {
            let own = values([("on_resistance", ON), ("on_voltage", 0.6), ("off_voltage", 0.4)]);
            rows.push((format!("S{leg}1"), ControlledSwitch, format!("{high} {upper} g{leg} gnd"), own.clone()));
            rows.push((format!("S{leg}2"), ControlledSwitch, format!("{lower} {low} i{leg} gnd"), own));
        }
        gates(&mut rows, &self.legs, PERIOD, edge);
        rows
    }

    /// Means of the states over a period of the periodic solution: `x(T) = x(0)` through one exponential after the other.
    fn means(&self) -> Vec<f64> {
        let n = self.states.len();
        let mut corners = vec![0.0, 1.0];
        for (_, begins, share) in &self.legs {
            corners.extend([begins.rem_euclid(1.0), (begins + share).rem_euclid(1.0)]);
        }
        corners.sort_by(f64::total_cmp);
        let mut through = DMatrix::<f64>::identity(n + 1, n + 1);
        let mut stretches = Vec::new();
        for ends in corners.windows(2).filter(|ends| ends[1] - ends[0] > 1e-12) {
            let middle = 0.5 * (ends[0] + ends[1]);
            let up: Vec<bool> = self.legs.iter().map(|(_, b, share)| (middle - b).rem_euclid(1.0) < *share).collect();
            let (rates, time) = ((self.rates)(&up), (ends[1] - ends[0]) * PERIOD);
            // The integral runs along: d/dt (∫x, x) (C. Van Loan, IEEE Trans. AC 23, 1978).
            let mut both = DMatrix::zeros(2 * (n + 1), 2 * (n + 1));
            both.view_mut((0, 0), (n + 1, n + 1)).copy_from(&(&rates * time));
            both.view_mut((n + 1, 0), (n + 1, n + 1)).copy_from(&(DMatrix::identity(n + 1, n + 1) * time));
            let both = both.exp();
            let on = both.view((0, 0), (n + 1, n + 1)).into_owned();
            stretches.push((both.view((n + 1, 0), (n + 1, n + 1)).into_owned(), through.clone()));
            through = on * through;
        }
        let (whole, forced) = (through.view((0, 0), (n, n)).into_owned(), through.view((0, n), (n, 1)).into_owned());
        let first = (DMatrix::identity(n, n) - whole).lu().solve(&forced).unwrap();
        let first = DVector::from_iterator(n + 1, first.iter().copied().chain([1.0]));
        let sum =
            stretches.iter().fold(DVector::zeros(n + 1), |sum, (integral, until)| sum + integral * (until * &first));
        sum.iter().take(n).map(|sum| sum / PERIOD).collect()
    }
}

fn drawn(rows: &Rows) -> circuit::Circuit {
    let own: Vec<Vec<(&str, &str)>> = rows.iter().map(|(_, _, _, own)| borrowed(own)).collect();
    let rows = rows.iter().zip(&own).map(|((id, kind, pins, _), own)| (id.as_str(), *kind, pins.as_str(), &own[..]));
    circuit(&rows.collect::<Vec<Row<'_>>>())
}

/// Means of signals over a settled period.
fn settled(rows: &Rows, signals: &[&str]) -> Vec<f64> {
    let circuit = drawn(rows);
    let found = Settled::find(&circuit, &mut Recording::default()).unwrap_or_else(|error| panic!("{error}"));
    let (begins, period) = (found.begins(), found.period);
    let (mut kept, mut health) = (Recording::default(), Health::default());
    found.record(1, 1e-9, &mut kept, &mut health).unwrap();
    assert!(health.energy.relative < 1e-8, "{:?}", health.energy);
    let columns = recording::columns(&circuit);
    let mean = |signal: &&str| {
        let recipe = Recipe::new(&circuit, &circuit::Signal::parse(signal).unwrap()).unwrap();
        let values = recipe.evaluate(kept.times.len(), |key| {
            let index = columns.iter().position(|c| c.of == key.of && c.quantity == key.quantity)?;
            Some(kept.columns[index].as_slice())
        });
        Waveform::new(&kept.times, &values).mean(Span { from: begins, to: begins + period }).unwrap()
    };
    signals.iter().map(mean).collect()
}

proptest! {
    #![proptest_config(ProptestConfig { cases: 12, failure_persistence: None, ..ProptestConfig::default() })]

    #[test]
    fn currents_go_on_from_switch_to_switch(
        line in 5.0..400.0f64,
        sizes in [1e-6..1e-4f64, 1e-6..1e-4f64, 0.5..50.0f64],
        shares in [0.1..0.85f64, 0.1..0.85f64],
        edge in prop_oneof![Just(1e-12), Just(1e-11), Just(1e-9), Just(1e-8)],
        order in any::<u64>(),
    ) {
        for model in models(line, sizes, shares) {
            let mut rows = model.rows(edge);
            let wanted = model.means();
            for _ in 0..2 {
                let found = settled(&rows, model.states);
                for ((state, found), wanted) in model.states.iter().zip(found).zip(&wanted) {
                    let scale = if state.ends_with('v') { line } else { line / (sizes[2] + ON) };
                    prop_assert!((found - wanted).abs() < 1e-9 * scale.max(wanted.abs()), "{} {}: {} for {}", model.name, state, found, wanted);
                }
                // In another order the same.
                fastrand::Rng::with_seed(order).shuffle(&mut rows);
            }
        }
    }
}
