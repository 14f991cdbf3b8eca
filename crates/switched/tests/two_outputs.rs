//! A flyback of two outputs without leakage, settled: how its outputs share what the core gives, and what balances over a period.

mod common;

use circuit::KindId::{
    Capacitor, ControlledSwitch, DcSource, Diode, IdealTransformer, Inductor, PulseSource, Resistor,
};
use circuit::{Circuit, Signal};
use common::circuit;
use common::edges::{borrowed, values};
use mellow_switched::Settled;
use proptest::prelude::*;
use readings::{Recipe, Span, Waveform};
use recording::{Health, Recording};

const IDEAL: &[(&str, &str)] =
    &[("saturation_current", "1"), ("emission", "0.001"), ("series_resistance", "1u"), ("typical_current", "1p")];
/// What such a diode has, Ω.
const DIODE: f64 = 1e-6 + 1e-3 * 0.025_865;
const SWITCH: &[(&str, &str)] = &[("on_resistance", "1u"), ("on_voltage", "3"), ("off_voltage", "2")];
const PERIOD: f64 = 10e-6;

/// The settled period, and where in it.
struct Period {
    circuit: Circuit,
    kept: Recording,
    from: f64,
}

impl Period {
    fn of(circuit: Circuit) -> Self {
        let settled = Settled::find(&circuit, &mut Recording::default()).unwrap_or_else(|error| panic!("{error}"));
        let (mut kept, mut health, from) = (Recording::default(), Health::default(), settled.begins());
        // Parabolas between nodes shall balance too.
        settled.record(1, 1e-13, &mut kept, &mut health).unwrap();
        Period { circuit, kept, from }
    }

    fn values(&self, signal: &str) -> Vec<f64> {
        let recipe = Recipe::new(&self.circuit, &Signal::parse(signal).unwrap()).unwrap();
        let columns = recording::columns(&self.circuit);
        recipe.evaluate(self.kept.times.len(), |key| {
            let index = columns.iter().position(|c| c.of == key.of && c.quantity == key.quantity)?;
            Some(self.kept.columns[index].as_slice())
        })
    }

    /// Mean over the period, relative to the RMS.
    fn mean(&self, signal: &str) -> f64 {
        let (values, span) = (self.values(signal), Span { from: self.from, to: self.from + PERIOD });
        let waveform = Waveform::new(&self.kept.times, &values);
        waveform.mean(span).unwrap() / waveform.rms(span).unwrap()
    }
}

proptest! {
    #![proptest_config(ProptestConfig { cases: 24, failure_persistence: None, ..ProptestConfig::default() })]

    /// While both diodes conduct, `n₁·(v₁ + R₁·i₁) = n₂·(v₂ + R₂·i₂)` and `i₁/n₁ + i₂/n₂` is the core's current, by hand; the diode of
    /// the lighter output stops first, if either does, and the other then carries all. Over the period no capacitor gains charge, no winding flux.
    #[test]
    fn outputs_share_by_their_resistances(
        (duty, inductance) in (0.2..0.45f64, 30e-6..120e-6f64),
        (n1, n2) in (1.5..5.0f64, 0.5..1.5f64),
        (r1, r2) in (5e-3..60e-3f64, 5e-3..60e-3f64),
        (heavy, lighter) in (2.0..8.0f64, 15.0..60.0f64),
        (farads, esr) in (50e-6..500e-6f64, 1e-3..20e-3f64),
    ) {
        // As seen from the core the second output takes so many times less.
        let light = heavy * (n1 / n2).powi(2) * lighter;
        let drive = values([("high", 5.0), ("rise", 1e-12), ("fall", 1e-12), ("width", duty * PERIOD), ("period", PERIOD)]);
        let number = |name: &'static str, value: f64| values([(name, value)]);
        let (lm, t1, t2) = (number("inductance", inductance), number("ratio", n1), number("ratio", n2));
        let (rd1, rd2) = (number("resistance", r1), number("resistance", r2));
        let (load1, load2) = (number("resistance", heavy), number("resistance", light));
        let store = values([("capacitance", farads), ("esr", esr)]);
        let period = Period::of(circuit(&[
            ("V1", DcSource, "in gnd", &[("voltage", "24")]),
            ("VG", PulseSource, "g gnd", &borrowed(&drive)),
            ("LM", Inductor, "in x", &borrowed(&lm)),
            ("T1", IdealTransformer, "in x gnd a", &borrowed(&t1)),
            ("T2", IdealTransformer, "in x gnd b", &borrowed(&t2)),
            ("S1", ControlledSwitch, "x gnd g gnd", SWITCH),
            ("D1", Diode, "a k", IDEAL), ("RD1", Resistor, "k out", &borrowed(&rd1)),
            ("D2", Diode, "b m", IDEAL), ("RD2", Resistor, "m high", &borrowed(&rd2)),
            ("C1", Capacitor, "out gnd", &borrowed(&store)), ("R1", Resistor, "out gnd", &borrowed(&load1)),
            ("C2", Capacitor, "high gnd", &borrowed(&store)), ("R2", Resistor, "high gnd", &borrowed(&load2)),
        ]));
        let [i1, i2, core, v1, v2, switch] =
            ["D1.i", "D2.i", "LM.i", "out.v", "high.v", "S1.i"].map(|signal| period.values(signal));
        let most = core.iter().fold(0.0f64, |most, i| most.max(i.abs()));
        let none = 1e-9 * most;
        let (mut both, mut one) = (0, 0);
        let mut last = [0.0f64; 2];
        for (node, t) in period.kept.times.iter().enumerate() {
            let (i1, i2, core) = (i1[node], i2[node], core[node]);
            prop_assert!(i1 > -none && i2 > -none);
            // While the switch conducts they do not, but for the line that stands for a jump.
            if switch[node].abs() > none {
                continue;
            }
            if i1 > none { last[0] = *t }
            if i2 > none { last[1] = *t }
            if i1 > none && i2 > none {
                let seen = [n1 * (v1[node] + (r1 + DIODE) * i1), n2 * (v2[node] + (r2 + DIODE) * i2)];
                prop_assert!((seen[0] - seen[1]).abs() < 1e-5 * seen[0], "{:?} at {}", seen, t);
                prop_assert!((i1 / n1 + i2 / n2 - core).abs() < 1e-9 * most, "{} and {} of {}", i1, i2, core);
                both += 1;
            } else if i1 > none {
                prop_assert!((i1 / n1 - core).abs() < 1e-9 * most, "{} of {}", i1, core);
                one += 1;
            }
        }
        // Where the switch closes on both, neither has stopped.
        prop_assert!(both > 3 && last[1] <= last[0] && (one > 3 || last[1] == last[0]), "{} nodes shared, {} alone, {:?}", both, one, last);
        for balanced in ["C1.i", "C2.i", "in.v - x.v", "a.v", "b.v"] {
            let mean = period.mean(balanced);
            prop_assert!(mean.abs() < 1e-9, "the mean of {} is {:e} of its RMS", balanced, mean);
        }
    }
}
