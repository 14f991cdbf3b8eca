//! A bridge with a capacitor behind it, its diodes a drop and a resistance: the settled state against an independent
//! integration of the same equations.

mod common;

use circuit::KindId::{Capacitor, Diode, Resistor, SineSource};
use circuit::{Circuit, ResolvedPart};
use common::{Run, circuit};
use mellow_switched::Settled;
use recording::{Health, Recording};
use std::f64::consts::{SQRT_2, TAU};

/// What is asked for: mean and ripple of the bus, diode peak, RMS of the current, power factor, odd harmonics' RMS.
#[derive(Debug)]
struct Figures {
    mean: f64,
    ripple: f64,
    peak: f64,
    rms: f64,
    power_factor: f64,
    harmonics: [f64; 7],
}

/// Samples per period for integrals; a periodic course with corners converges with their square.
const SAMPLES: usize = 200_000;

/// From samples of bus voltage, mains voltage and mains current over one period.
fn figures(samples: &[[f64; 3]]) -> Figures {
    let n = samples.len() as f64;
    let mean = |f: &dyn Fn(usize, &[f64; 3]) -> f64| samples.iter().enumerate().map(|(k, s)| f(k, s)).sum::<f64>() / n;
    let most = |f: &dyn Fn(&[f64; 3]) -> f64| samples.iter().map(f).fold(f64::MIN, f64::max);
    let rms = mean(&|_, s| s[2] * s[2]).sqrt();
    let harmonic = |order: f64| {
        let angle = |k: usize| TAU * order * k as f64 / n;
        mean(&|k, s| s[2] * angle(k).cos()).hypot(mean(&|k, s| s[2] * angle(k).sin())) * SQRT_2
    };
    Figures {
        mean: mean(&|_, s| s[0]),
        ripple: most(&|s| s[0]) + most(&|s| -s[0]),
        peak: most(&|s| s[2]),
        rms,
        power_factor: mean(&|_, s| s[1] * s[2]) / (rms * mean(&|_, s| s[1] * s[1]).sqrt()),
        harmonics: [1.0, 3.0, 5.0, 7.0, 9.0, 11.0, 13.0].map(harmonic),
    }
}

/// The rule of Runge and Kutta on one equation, `C·dv/dt = max(0, (|u| − 2·drop − v)/R) − v/R_L`, period after period until it
/// repeats; where the diodes turn, the step is cut in two at the instant found by bisection.
fn independently(amplitude: f64, frequency: f64, source: f64, [drop, own]: [f64; 2], c: f64, load: f64) -> Figures {
    let resistance = source + 2.0 * own;
    let step = 1.0 / frequency / SAMPLES as f64;
    let mains = |t: f64| amplitude * (TAU * frequency * t).sin();
    let flows = |t: f64, v: f64| ((mains(t).abs() - 2.0 * drop - v) / resistance).max(0.0);
    let rate = |t: f64, v: f64| (flows(t, v) - v / load) / c;
    let advance = |t: f64, v: f64, h: f64| {
        let k1 = rate(t, v);
        let k2 = rate(t + 0.5 * h, v + 0.5 * h * k1);
        let k3 = rate(t + 0.5 * h, v + 0.5 * h * k2);
        let k4 = rate(t + h, v + h * k3);
        v + h / 6.0 * (k1 + 2.0 * (k2 + k3) + k4)
    };
    let conducts = |t: f64, v: f64| mains(t).abs() - 2.0 * drop > v;
    let (mut v, mut samples) = (amplitude - 2.0 * drop, Vec::new());
    for _ in 0..400 {
        let first = v;
        samples.clear();
        for k in 0..SAMPLES {
            let t = k as f64 * step;
            samples.push([v, mains(t), mains(t).signum() * flows(t, v)]);
            let next = advance(t, v, step);
            v = if conducts(t, v) == conducts(t + step, next) {
                next
            } else {
                let (mut a, mut b) = (0.0, step);
                for _ in 0..40 {
                    let middle = 0.5 * (a + b);
                    let same = conducts(t + middle, advance(t, v, middle)) == conducts(t, v);
                    if same { a = middle } else { b = middle }
                }
                advance(t + b, advance(t, v, b), step - b)
            };
        }
        if (v - first).abs() < 1e-13 * v {
            break;
        }
    }
    figures(&samples)
}

/// The diode's straight line, from the tangent to its curve.
fn line(diode: &ResolvedPart) -> [f64; 2] {
    let slope = diode.value("emission") * 1.380_649e-23 * 300.15 / 1.602_176_634e-19;
    let [saturation, series, at] =
        ["saturation_current", "series_resistance", "typical_current"].map(|name| diode.value(name));
    let resistance = series + slope / (at + saturation);
    [slope * (1.0 + at / saturation).ln() + series * at - resistance * at, resistance]
}

fn by_switching(circuit: Circuit, frequency: f64) -> Figures {
    let settled = Settled::find(&circuit, &mut Recording::default()).unwrap_or_else(|error| panic!("{error}"));
    assert!(settled.is_stable() && settled.iterations < 20, "{}", settled.iterations);
    let begins = settled.begins();
    let (mut recording, mut health) = (Recording::default(), Health::default());
    settled.record(2, 1e-7, &mut recording, &mut health).unwrap_or_else(|error| panic!("{error}"));
    assert!(health.energy.relative < 1e-9, "{:?}", health.energy);
    let run = Run { columns: recording::columns(&circuit), circuit, recording, health };
    // From the mains' own zero on.
    let from = (begins * frequency).ceil() / frequency;
    let [bus, mains, current] = ["bus.v", "V1.v", "-V1.i"].map(|signal| run.values(signal));
    let times = &run.recording.times;
    let at = |values: &[f64], t: f64| readings::Waveform::new(times, values).at(t).unwrap();
    let samples: Vec<[f64; 3]> = (0..SAMPLES)
        .map(|k| from + k as f64 / SAMPLES as f64 / frequency)
        .map(|t| [at(&bus, t), at(&mains, t), at(&current, t)])
        .collect();
    figures(&samples)
}

#[test]
fn a_capacitor_input_bridge_settles_as_integrated_independently() {
    for (rms, frequency, source, farads, load) in
        [(12.0, 50.0, 0.5, 1e-3, 60.0), (230.0, 60.0, 3.0, 220e-6, 900.0), (8.0, 400.0, 0.05, 100e-6, 25.0)]
    {
        let text = [rms, frequency, source, farads, load].map(|value| format!("{value:e}"));
        let [rms_text, frequency_text, source_text, farads_text, load_text] = &text;
        let circuit = circuit(&[
            ("V1", SineSource, "a b", &[("amplitude", rms_text), ("frequency", frequency_text)]),
            ("R0", Resistor, "a c", &[("resistance", source_text)]),
            ("D1", Diode, "c bus", &[]),
            ("D2", Diode, "b bus", &[]),
            ("D3", Diode, "gnd c", &[]),
            ("D4", Diode, "gnd b", &[]),
            ("C1", Capacitor, "bus gnd", &[("capacitance", farads_text)]),
            ("R1", Resistor, "bus gnd", &[("resistance", load_text)]),
        ]);
        let diode = line(circuit.parts.iter().find(|p| p.id == "D1").unwrap());
        let wanted = independently(SQRT_2 * rms, frequency, source, diode, farads, load);
        let found = by_switching(circuit, frequency);
        let close = |a: f64, b: f64, scale: f64, what: &str| {
            assert!((a - b).abs() < 1e-6 * scale, "{what} at {rms} V: {a} for {b}");
        };
        close(found.mean, wanted.mean, wanted.mean, "mean");
        close(found.ripple, wanted.ripple, wanted.ripple, "ripple");
        close(found.peak, wanted.peak, wanted.peak, "diode peak");
        close(found.rms, wanted.rms, wanted.rms, "RMS");
        close(found.power_factor, wanted.power_factor, 1.0, "power factor");
        for (order, (a, b)) in found.harmonics.into_iter().zip(wanted.harmonics).enumerate() {
            close(a, b, wanted.harmonics[0], &format!("harmonic {}", 2 * order + 1));
        }
    }
}
