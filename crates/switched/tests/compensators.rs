//! What shapes an error and what senses, in both engines against transfer function and difference equation, values at random.

mod common;

use circuit::Circuit;
use circuit::KindId::{
    self, Capacitor, CurrentSensor, DcSource, Multiplier, PiController, PulseSource, Resistor, SampledController,
    SineSource, Type2Compensator, Type3Compensator, VoltageSensor,
};
use common::edges::{Values, Wave, borrowed, level, values, wave};
use common::{Row, circuit, device_run, tried};
use mellow_switched::SmallSignal;
use proptest::prelude::*;
use recording::{Complex64, Excitation, Recording};
use std::f64::consts::TAU;

/// Something that repeats, beside everything else: only what does has a settled period.
const CLOCK: [Row<'static>; 2] = [
    ("VK", PulseSource, "k gnd", &[("period", "1u"), ("width", "0.4u")]),
    ("RK", Resistor, "k gnd", &[("resistance", "1k")]),
];

/// Phasors of a net's voltage and of a part's current at a frequency, by both engines.
fn answers(circuit: &Circuit, source: &str, net: &str, part: &str, frequency: f64) -> [[Complex64; 2]; 2] {
    let excitation = Excitation::Source(source.to_owned());
    let switched = SmallSignal::new(circuit, &excitation, &mut Recording::default()).unwrap();
    let by_switching = switched.respond(frequency);
    let mut device = device::SmallSignal::new(circuit).unwrap();
    let at_device_level = device.respond(&excitation, frequency).unwrap();
    [
        [by_switching.net(net).unwrap(), by_switching.current(part).unwrap()],
        [at_device_level.net(net).unwrap(), at_device_level.current(part).unwrap()],
    ]
}

fn close(found: Complex64, wanted: Complex64) -> bool {
    (found - wanted).norm() < 1e-6 * wanted.norm()
}

/// A compensator's values and its transfer function, by its corners in Hz.
fn compensator(kind: KindId, [gain, a, b, c, d]: [f64; 5]) -> (Values, impl Fn(f64) -> Complex64) {
    let own = match kind {
        PiController => values([("gain", gain), ("zero", a)]),
        Type2Compensator => values([("unity_frequency", 1e3 * gain), ("zero", a), ("pole", c)]),
        _ => values([("unity_frequency", 1e3 * gain), ("zero_1", a), ("zero_2", b), ("pole_1", c), ("pole_2", d)]),
    };
    let function = move |frequency: f64| {
        let s = Complex64::new(0.0, TAU * frequency);
        let (one, corner) = (Complex64::ONE, |at: f64| Complex64::ONE + s / (TAU * at));
        match kind {
            PiController => gain * (one + TAU * a / s),
            Type2Compensator => TAU * 1e3 * gain / s * corner(a) / corner(c),
            _ => TAU * 1e3 * gain / s * corner(a) * corner(b) / (corner(c) * corner(d)),
        }
    };
    (own, function)
}

const KINDS: [KindId; 3] = [PiController, Type2Compensator, Type3Compensator];

proptest! {
    #![proptest_config(ProptestConfig::with_cases(32))]

    #[test]
    fn compensators_have_their_transfer_functions(
        which in 0..3usize,
        gain in 0.1..50.0f64,
        (a, b) in (100.0..10e3f64, 100.0..10e3f64),
        (c, d) in (1e3..300e3f64, 1e3..300e3f64),
        equal in any::<bool>(),
        frequency in 10.0..200e3f64,
    ) {
        let kind = KINDS[which];
        // Poles in one place are usual.
        let (mut own, function) = compensator(kind, [gain, a, b, c, if equal { c } else { d }]);
        own.extend(values([("low", -100.0), ("high", 100.0)]));
        let circuit = circuit(&[
            ("VR", DcSource, "r gnd", &[("voltage", "2")]),
            ("U1", kind, "u r y gnd", &borrowed(&own)),
            ("R1", Resistor, "u y", &[("resistance", "1k")]),
            ("C1", Capacitor, "y gnd", &[("capacitance", "22n")]),
            ("R2", Resistor, "y gnd", &[("resistance", "3k")]),
            ("RR", Resistor, "r gnd", &[("resistance", "1k")]),
            CLOCK[0],
            CLOCK[1],
        ]);
        let outputs = answers(&circuit, "VR", "u", "U1", frequency);
        let feedbacks = answers(&circuit, "VR", "y", "U1", frequency);
        for ([u, i], [y, _]) in outputs.into_iter().zip(feedbacks) {
            // The output behind its 50 Ω, over the error.
            let found = (u - 50.0 * i) / (Complex64::ONE - y);
            prop_assert!(close(found, function(frequency)), "{:?}: {} for {}", kind, found, function(frequency));
        }
    }

    /// Held long at a limit, the output leaves it as soon as the error changes its sign; and it is never beyond.
    #[test]
    fn compensators_do_not_wind_up(
        which in 0..3usize,
        gain in 2.0..50.0f64,
        (a, b) in (300.0..3e3f64, 300.0..3e3f64),
        (c, d) in (20e3..100e3f64, 20e3..100e3f64),
        (error, back) in (0.5..3.0f64, 0.5..3.0f64),
        (low, high) in (-1.0..1.0f64, 2.0..6.0f64),
    ) {
        const HELD: f64 = 20e-3;
        let kind = KINDS[which];
        let (mut own, _) = compensator(kind, [gain, a, b, c, d]);
        own.extend(values([("low", low), ("high", high)]));
        let turns = values([
            ("low", error), ("high", -back), ("delay", HELD), ("rise", 1e-6), ("fall", 1e-6), ("width", HELD), ("period", 1.0),
        ]);
        let circuit = circuit(&[
            ("VE", PulseSource, "e gnd", &borrowed(&turns)),
            ("U1", kind, "u e gnd gnd", &borrowed(&own)),
            ("RU", Resistor, "u gnd", &[("resistance", "1M")]),
            ("RE", Resistor, "e gnd", &[("resistance", "1k")]),
        ]);
        let load = 1e6 / (1e6 + 50.0);
        let runs = [tried(circuit.clone(), 2.0 * HELD, 0.0, 1e-6).unwrap(), device_run(circuit, 2.0 * HELD, 1e-4, 1e-5)];
        // The slowest pole's time, four times over.
        let leaves = if kind == PiController { 1e-6 } else { 4.0 / (TAU * c.min(if kind == Type2Compensator { c } else { d })) };
        // At device level a limit is reached within the resolution of a trip, in which a steep output goes some way on.
        for (run, slack) in runs.iter().zip([1e-6, 2e-2]) {
            let all = run.values("u.v");
            let extremes = all.iter().fold([0.0f64; 2], |[least, most], u| [least.min(*u), most.max(*u)]);
            let within = extremes[0] > low.min(0.0) * load - slack && extremes[1] < high * load + slack;
            prop_assert!(within, "{:?}: from {} to {} V", kind, extremes[0], extremes[1]);
            let held = level(run, "u.v", HELD - 1e-6);
            prop_assert!((held - high * load).abs() < 1e-3, "{:?}: {} V", kind, held);
            let left = level(run, "u.v", HELD + 2e-6 + leaves);
            prop_assert!(left < high * load - 1e-3, "{:?}: still at {} V of {}", kind, left, high * load);
            prop_assert!((level(run, "u.v", 2.0 * HELD - 1e-6) - low * load).abs() < 1e-3);
        }
    }

    #[test]
    fn sensors_have_one_pole(
        gain in -2.0..2.0f64, (bandwidth, frequency) in (1e3..1e6f64, 100.0..2e6f64), resistance in prop_oneof![Just(0.0), 1e-3..10.0f64]
    ) {
        let voltage = values([("gain", gain), ("bandwidth", bandwidth)]);
        let current = values([("transresistance", gain), ("bandwidth", bandwidth), ("resistance", resistance)]);
        let circuit = circuit(&[
            ("V1", DcSource, "p gnd", &[("voltage", "2")]),
            ("V2", DcSource, "n gnd", &[("voltage", "-1")]),
            ("U1", VoltageSensor, "y p n gnd", &borrowed(&voltage)),
            ("U2", CurrentSensor, "p q z gnd", &borrowed(&current)),
            ("R1", Resistor, "q n", &[("resistance", "5")]),
            ("RY", Resistor, "y gnd", &[("resistance", "1M")]),
            ("RZ", Resistor, "z gnd", &[("resistance", "1M")]),
            CLOCK[0],
            CLOCK[1],
        ]);
        let pole = gain / Complex64::new(1.0, frequency / bandwidth) / (1.0 + 50.0 / 1e6);
        for [y, i] in answers(&circuit, "V1", "y", "U2", frequency) {
            prop_assert!(close(y, pole) || gain.abs() < 1e-6);
            prop_assert!(close(i, Complex64::from(1.0 / (5.0 + resistance))));
        }
        for [z, _] in answers(&circuit, "V1", "z", "U2", frequency) {
            prop_assert!(close(z, pole / (5.0 + resistance)) || gain.abs() < 1e-6);
        }
    }

    /// At each turn of its clock a multiplier holds the product or the quotient of what its inputs are, between limits; a small
    /// sinusoid at one of them comes out as the slope of that says.
    #[test]
    fn a_multiplier_holds_the_product_of_its_samples(
        (quotient, scale, phase) in (any::<bool>(), 0.3..3.0f64, 0.0..360.0f64),
        (low, high) in (-3.0..-0.5f64, 0.5..3.0f64),
        (x, y) in ((-2.0..2.0f64, 0.1..1.5f64, 1e3..30e3f64), (0.5..2.0f64, 0.05..0.4f64, 1e3..30e3f64)),
    ) {
        const RATE: f64 = 50e3;
        const END: f64 = 300e-6;
        let (x, y) = (Wave([x.0, x.1, x.2]), Wave([y.0, y.1, y.2]));
        let mut own = values([("frequency", RATE), ("scale", scale), ("phase", phase), ("low", low), ("high", high)]);
        own.push(("operation", if quotient { "quotient" } else { "product" }.to_owned()));
        let of = |x: f64, y: f64| if quotient { scale * x / y } else { x * y / scale };
        let load: [(&str, &str); 1] = [("resistance", "1M")];
        let (vx, vy) = (wave(x), wave(y));
        let running = circuit(&[
            ("VX", SineSource, "x gnd", &borrowed(&vx)),
            ("VY", SineSource, "y gnd", &borrowed(&vy)),
            ("U1", Multiplier, "u x y gnd", &borrowed(&own)),
            ("RU", Resistor, "u gnd", &load), ("RX", Resistor, "x gnd", &load), ("RY", Resistor, "y gnd", &load),
        ]);
        let runs = [tried(running.clone(), END, 0.0, 1e-6).unwrap(), device_run(running, END, 1e-6, 1e-6)];
        let behind = 1.0 / (1.0 + 50.0 / 1e6);
        for k in (0..).take_while(|k| f64::from(*k) + 2.0 < END * RATE) {
            let at = (f64::from(k) + 1.0 - phase / 360.0) / RATE;
            let wanted = behind * of(x.at(at), y.at(at)).clamp(low, high);
            for (run, clear) in runs.iter().zip([1e-9, 50e-9]) {
                for t in [at + clear, at + 0.9 / RATE] {
                    let found = level(run, "u.v", t);
                    prop_assert!((found - wanted).abs() < 1e-3, "{} V for {} after {:e} s", found, wanted, at);
                }
            }
        }
        let (x, y) = (x.0[0], y.0[0]);
        let [dx, dy] = [("voltage", x), ("voltage", y)].map(|value| values([value]));
        let still = circuit(&[
            ("VX", DcSource, "x gnd", &borrowed(&dx)),
            ("VY", DcSource, "y gnd", &borrowed(&dy)),
            ("U1", Multiplier, "u x y gnd", &borrowed(&own)),
            ("RU", Resistor, "u gnd", &load), ("RX", Resistor, "x gnd", &load), ("RY", Resistor, "y gnd", &load),
        ]);
        let within = of(x, y) > low && of(x, y) < high;
        let slopes = if quotient { [scale / y, -scale * x / (y * y)] } else { [y / scale, x / scale] };
        for (source, slope) in ["VX", "VY"].into_iter().zip(slopes) {
            let shaken = Excitation::Source(source.to_owned());
            let linear = SmallSignal::new(&still, &shaken, &mut Recording::default()).unwrap();
            let found = linear.respond(1.0).net("u").unwrap();
            let wanted = if within { behind * slope } else { 0.0 };
            prop_assert!((found - Complex64::from(wanted)).norm() < 1e-3 * slope.abs().max(1e-3), "{} for {}", found, wanted);
        }
    }

    /// Samples, the difference equation, its delay, its steps and limits.
    #[test]
    fn a_sampled_controller_computes_its_difference_equation(
        (b0, b1, b2) in (-2.0..2.0f64, -2.0..2.0f64, -2.0..2.0f64),
        (a1, a2) in (-0.5..1.0f64, -0.4..0.4f64),
        (delay, phase) in (prop_oneof![Just(0.0), 0.05..0.95f64], 0.0..360.0f64),
        steps in prop_oneof![Just([0.0, 0.0]), (1e-3..0.1f64, 1e-3..0.1f64).prop_map(|(i, o)| [i, o])],
        (low, high) in (-3.0..-0.5f64, 0.5..3.0f64),
        (level_, swing, speed) in (-0.5..0.5f64, 0.1..1.5f64, 1e3..60e3f64),
    ) {
        const RATE: f64 = 50e3;
        const END: f64 = 400e-6;
        let input = Wave([level_, swing, speed]);
        let own = values([
            ("frequency", RATE), ("b0", b0), ("b1", b1), ("b2", b2), ("a1", a1), ("a2", a2), ("delay", delay), ("phase", phase),
            ("input_step", steps[0]), ("output_step", steps[1]), ("low", low), ("high", high),
        ]);
        let sine = wave(input);
        let circuit = circuit(&[
            ("VE", SineSource, "e gnd", &borrowed(&sine)),
            ("U1", SampledController, "u e gnd gnd", &borrowed(&own)),
            ("RU", Resistor, "u gnd", &[("resistance", "1M")]),
            ("RE", Resistor, "e gnd", &[("resistance", "1k")]),
        ]);
        let runs = [tried(circuit.clone(), END, 0.0, 1e-6).unwrap(), device_run(circuit, END, 1e-6, 1e-6)];
        let rounded = |value: f64, step: f64| if step > 0.0 { (value / step).round() * step } else { value };
        let (mut e, mut u) = ([0.0; 3], [0.0; 2]);
        // A sample between two steps may be rounded either way; nothing is said about what follows from it.
        let mut told = true;
        for k in (0..).take_while(|k| f64::from(*k) / RATE < END) {
            let at = (f64::from(k) + 1.0 - phase / 360.0) / RATE;
            let sample = input.at(at);
            told &= steps[0] == 0.0 || ((sample / steps[0]).rem_euclid(1.0) - 0.5).abs() > 1e-3;
            e = [rounded(sample, steps[0]), e[0], e[1]];
            let next: f64 = b0 * e[0] + b1 * e[1] + b2 * e[2] + a1 * u[0] + a2 * u[1];
            u = [next.clamp(low, high), u[0]];
            told &= steps[1] == 0.0 || ((u[0] / steps[1]).rem_euclid(1.0) - 0.5).abs() > 1e-3;
            let (out, comes) = (rounded(u[0], steps[1]).clamp(low, high), at + delay / RATE);
            if !told || comes + 0.9 / RATE > END {
                break;
            }
            for (run, clear) in runs.iter().zip([1e-9, 50e-9]) {
                for t in [comes + clear, comes + 0.9 / RATE] {
                    let found = level(run, "u.v", t);
                    let wanted = out / (1.0 + 50.0 / 1e6);
                    prop_assert!((found - wanted).abs() < 1e-3, "{} V for {} after {:e} s", found, wanted, comes);
                }
            }
        }
    }
}
