//! Sources of every shape, beginning and changing anywhere within a run, against their definitions; small swings beside large ones.

mod common;

use circuit::KindId::{
    self, Capacitor, ControlledSwitch, CurrentLoad, DcSource, ExponentialSource, PiecewiseSource, PulseSource,
    Resistor, SineSource, SteppedLoad,
};
use common::edges::{Ramps, Values, borrowed, ramps, values};
use common::{circuit, tried};
use proptest::prelude::*;
use std::f64::consts::TAU;

const END: f64 = 10e-3;
/// As closely as studies follow to begin with.
const TOLERANCE: f64 = 1e-5;
/// How far a recording may be from its course, relative to full scale: steps that seem off by four times the tolerance are kept.
const FAR: f64 = 10.0 * TOLERANCE;

/// A source, and what its voltage is at a time, s.
struct Shape {
    kind: KindId,
    own: Values,
    at: Box<dyn Fn(f64) -> f64>,
}

/// Of `e^(−(t − from)/constant)` what it has covered.
fn covered(t: f64, from: f64, constant: f64) -> f64 {
    if t < from { 0.0 } else { 1.0 - (-(t - from) / constant).exp() }
}

fn shape(which: usize, [low, high]: [f64; 2], [first, second]: [f64; 2], [a, b]: [f64; 2]) -> Shape {
    match which {
        0 => {
            let (rise, fall) = (a * END, b * END);
            Shape {
                kind: ExponentialSource,
                own: values([
                    ("low", low),
                    ("high", high),
                    ("rise_at", first),
                    ("rise_constant", rise),
                    ("fall_at", second),
                    ("fall_constant", fall),
                ]),
                at: Box::new(move |t| low + (high - low) * (covered(t, first, rise) - covered(t, second, fall))),
            }
        }
        1 => {
            let ramp = Ramps([low, high, first, a * 1e-3, 0.5e-3, b * 1e-3, 1e-3 + (a + b) * 1e-3]);
            Shape { kind: PulseSource, own: ramps(ramp), at: Box::new(move |t| ramp.at(t)) }
        }
        2 => {
            let (frequency, high) = (100.0 / a.max(1e-2), high.abs());
            let mut own = values([
                ("offset", low),
                ("amplitude", high),
                ("frequency", frequency),
                ("changes_at", first),
                ("changes_to", b),
            ]);
            own.push(("amplitude_as", "peak".to_owned()));
            let at = move |t: f64| low + (TAU * frequency * t).sin() * if t < first + 2.5e-6 { high } else { b * high };
            Shape { kind: SineSource, own, at: Box::new(at) }
        }
        _ => {
            let own = vec![("points", format!("0 {low:e}, {first:e} {low:e}, {second:e} {high:e}"))];
            let at = move |t: f64| low + (high - low) * ((t - first) / (second - first)).clamp(0.0, 1.0);
            Shape { kind: PiecewiseSource, own, at: Box::new(at) }
        }
    }
}

proptest! {
    #![proptest_config(ProptestConfig { cases: 96, failure_persistence: None, ..ProptestConfig::default() })]

    /// What is recorded between nodes is the source at that time, whether it has been at rest until then, begins at zero, or changes in
    /// the midst of something else.
    #[test]
    fn sources_are_what_they_say(
        which in 0..4usize,
        levels in [prop_oneof![Just(0.0), -5.0..5.0f64], prop_oneof![Just(5.0), -5.0..5.0f64]],
        (first, gap) in (1e-5..5e-3f64, 1e-4..4e-3f64),
        constants in [1e-3..0.3f64, 1e-3..0.3f64],
        places in prop::collection::vec(1e-4..1.0f64, 20),
    ) {
        let Shape { kind, own, at } = shape(which, levels, [first, first + gap], constants);
        let rows = [("V1", kind, "in gnd", &borrowed(&own)[..]), ("R1", Resistor, "in gnd", &[("resistance", "1k")])];
        let run = tried(circuit(&rows), END, 0.0, TOLERANCE).unwrap();
        let largest = (0..=1000).map(|k| at(END * f64::from(k) / 1000.0).abs()).fold(1e-6, f64::max);
        for place in places {
            let t = place * END * 0.999;
            let found = run.measure("in.v", t, t + 1e-9 * END, |w, s| w.mean(s).unwrap());
            let wanted = at(t + 0.5e-9 * END);
            prop_assert!((found - wanted).abs() < FAR * largest, "{} at {:e}: {} for {}", kind.kind().name, t, found, wanted);
        }
    }

    /// The same of what an exponential that begins later leaves on a capacitor behind a resistor, by its closed form.
    #[test]
    fn an_exponential_charges_a_capacitor(from in 1e-5..5e-3f64, constant in 1e-5..3e-3f64, tau in 1e-5..3e-3f64, place in 0.0..1.0f64) {
        prop_assume!((constant / tau - 1.0).abs() > 1e-3);
        let own = values([("rise_at", from), ("rise_constant", constant), ("fall_at", 1.0)]);
        let capacitance = values([("capacitance", tau / 1e3)]);
        let run = tried(circuit(&[
            ("V1", ExponentialSource, "in gnd", &borrowed(&own)),
            ("R1", Resistor, "in out", &[("resistance", "1k")]),
            ("C1", Capacitor, "out gnd", &borrowed(&capacitance)),
        ]), END, 0.0, TOLERANCE).unwrap();
        let since = place * (END - from) * 0.999;
        let left = |constant: f64| (-since / constant).exp();
        let wanted = 5.0 * (1.0 - (tau * left(tau) - constant * left(constant)) / (tau - constant));
        let found = run.measure("out.v", from + since, from + since + 1e-12, |w, s| w.mean(s).unwrap());
        prop_assert!((found - wanted).abs() < 5.0 * FAR, "{} for {} after {:e}", found, wanted, since);
    }
}

/// A load that steps while nothing else moves draws what it says, between nodes too.
#[test]
fn a_load_that_waits_steps_as_it_says() {
    let rows = [
        ("V1", DcSource, "in gnd", &[("voltage", "10")][..]),
        ("I1", SteppedLoad, "in gnd", &[("low", "0"), ("high", "2"), ("delay", "3m"), ("width", "2m"), ("slew", "2k")]),
        ("I2", CurrentLoad, "in gnd", &[("current", "0")]),
    ];
    let run = tried(circuit(&rows), END, 0.0, TOLERANCE).unwrap();
    for (t, wanted) in [(2.9e-3, 0.0), (3.25e-3, 0.5), (3.9e-3, 1.8), (4.5e-3, 2.0), (6.75e-3, 0.5), (8e-3, 0.0)] {
        let found = run.measure("I1.i", t, t + 1e-12, |w, s| w.mean(s).unwrap());
        assert!((found - wanted).abs() < 2.0 * FAR, "{found} for {wanted} at {t:e}");
    }
}

/// A control too small to matter beside a large voltage turns its switch all the same, once up and once down in every period: what
/// happens does not hang on how closely the recording follows.
#[test]
fn small_swings_beside_large_ones_turn_a_switch() {
    let rows = [
        ("V1", DcSource, "in gnd", &[("voltage", "1k")][..]),
        ("V2", SineSource, "s gnd", &[("amplitude", "100u"), ("amplitude_as", "peak"), ("frequency", "1M")]),
        (
            "S1",
            ControlledSwitch,
            "in x s gnd",
            &[("on_resistance", "1"), ("on_voltage", "50u"), ("off_voltage", "-50u"), ("behaviour", "hysteresis")],
        ),
        ("R1", Resistor, "x gnd", &[("resistance", "1k")]),
    ];
    for tolerance in [1e-2, TOLERANCE, 1e-6] {
        let run = tried(circuit(&rows), 1e-3, 0.0, tolerance).unwrap();
        // On from 30° to 210°.
        let mean = run.mean("x.v", 0.0, 1e-3);
        assert!((mean - 0.5 * 1e6 / 1001.0).abs() < 1e-3, "{mean} at {tolerance:e}");
    }
}
