//! What a circuit says over frequency and what it does in time are one circuit's: margin and ringing, impedance and valley.

use circuit::{Reading, ReadingMeasure, Step, StudySettings, Supply, Window, resolve};
use mellow_studies::{Curves, End, Outcome, run};
use recording::Recording;
use std::f64::consts::PI;
use std::fmt::Write;

/// The sensor rail's regulator with a resistance in its output capacitor's way, and a step of its load.
fn regulator(esr: f64, [from, to]: [f64; 2], slew: Option<f64>) -> Supply {
    let mut supply = Supply::from_json(include_str!("../../../demo/sensor-rail-regulator.json")).unwrap();
    let capacitor = supply.parts.iter_mut().find(|part| part.id == "C1").unwrap();
    capacitor.parameters.insert("esr".into(), format!("{esr:e}"));
    for study in &mut supply.studies {
        if let StudySettings::LoadStep(stepped) = &mut study.settings {
            stepped.course.tolerance = Some("1e-5".into());
            stepped.step = Some(Step {
                part: "I1".into(),
                from: Some(format!("{from:e}")),
                to: format!("{to:e}"),
                at: "100u".into(),
                slew: slew.map(|slew| format!("{slew:e}")),
                ..Step::default()
            });
        }
        if let StudySettings::Frequency(asked) = &mut study.settings {
            (asked.from, asked.to, asked.per_decade) = ("1".into(), "100M".into(), Some("60".into()));
        }
    }
    supply.requirements.clear();
    supply.readings.retain(|reading| reading.id == "margin");
    let around = || Window::AroundStep { of: None, before: Some("20u".into()), after: Some("800u".into()) };
    let read = |id: &str, measure| Reading::new([id, id, "load_step", "sensor.v"], measure, around());
    supply.readings.extend([
        read("valley", ReadingMeasure::Undershoot),
        read("above", ReadingMeasure::RiseAbove),
        read("rings", ReadingMeasure::RingingFrequency),
        read("decay", ReadingMeasure::RingingDecay),
    ]);
    supply
}

fn ran(supply: &Supply, study: &str) -> Outcome {
    let circuit = resolve(&circuit::as_run(supply, Some(study))).unwrap_or_else(|findings| panic!("{findings:#?}"));
    let outcome = run(&circuit, study, &mut Recording::default()).unwrap();
    assert_eq!(outcome.end, End::Done, "{:?}", outcome.health.warnings);
    outcome
}

fn read(outcome: &Outcome, id: &str) -> Option<f64> {
    outcome.readings.iter().find(|reading| reading.id == id).unwrap().value
}

/// The less margin, the more it rings: over ten resistances the margin tells how far the rail swings above after the valley, and for how
/// long. By a system of second order the decay over a cycle is 2πζ/√(1−ζ²), and ζ about a hundredth of the margin in degrees (both from
/// memory, any text on control); that holds as long as the ringing is that of the crossover.
#[test]
fn margin_tells_how_it_rings() {
    let mut table = String::from("   ESR   margin   above/valley   rings at   falls by, each cycle\n");
    let mut before: Option<(f64, f64)> = None;
    for esr in [10e-3, 16e-3, 25e-3, 35e-3, 50e-3, 70e-3, 100e-3, 140e-3, 200e-3, 280e-3] {
        let supply = regulator(esr, [60e-3, 66e-3], None);
        let margin = read(&ran(&supply, "frequency"), "margin").unwrap();
        let stepped = ran(&supply, "load_step");
        let above = read(&stepped, "above").unwrap() / read(&stepped, "valley").unwrap();
        let cycle = read(&stepped, "rings").zip(read(&stepped, "decay"));
        let falls = cycle.map(|(frequency, decay)| decay / frequency);
        let rings = cycle.map_or("–".to_owned(), |(frequency, _)| format!("{:.0} kHz", frequency / 1e3));
        let words = falls.map_or("–".to_owned(), |falls| format!("{:.0} %", 100.0 * (1.0 - (-falls).exp())));
        let esr = format!("{:.0}", 1e3 * esr);
        let _ = writeln!(table, "{esr:>4} mΩ {margin:>7.1}° {:>12.0} % {rings:>10} {words:>12}", 100.0 * above);
        if let Some((less, more)) = before {
            assert!(margin > less && above < more + 1e-3, "{table}");
        }
        before = Some((margin, above));
        if let Some(falls) = falls.filter(|_| margin < 30.0) {
            let damping = margin / 100.0;
            let wanted = 2.0 * PI * damping / (1.0 - damping * damping).sqrt();
            assert!((falls / wanted - 1.0).abs() < 0.35, "{falls} instead of {wanted}\n{table}");
        }
    }
    insta::assert_snapshot!(table);
}

/// The valley that an impedance gives for a load that changes by so much within a time, s, at each of some times: the answer to a step
/// is 2/π ∫ Re Z sin ωt / ω dω (the inverse transform of what is causal; A. Papoulis, *The Fourier Integral*, from memory), that to a
/// ramp its mean over the ramp.
fn valley(curves: &Curves, change: f64, ramp: f64) -> f64 {
    let real: Vec<f64> = curves.formula("zout").unwrap().iter().map(|z| z.re).collect();
    let omega: Vec<f64> = curves.frequencies.iter().map(|f| 2.0 * PI * f).collect();
    // Over a ramp: the mean of sin ωτ from t − T to t.
    let mean = |w: f64, t: f64| {
        let from = (t - ramp).max(0.0);
        ((w * from).cos() - (w * t).cos()) / (w * ramp)
    };
    let at = |t: f64| {
        // Re Z is straight between points, and the rest is integrated finely enough to follow every swing.
        let pieces = omega.windows(2).zip(real.windows(2)).map(|(w, z)| {
            let steps = ((w[1] - w[0]) * t / 0.2).ceil().clamp(1.0, 4000.0) as usize;
            let h = (w[1] - w[0]) / steps as f64;
            let value = |k: f64| {
                let w = w[0] + k * h;
                (z[0] + (z[1] - z[0]) * k / steps as f64) * mean(w, t) / w
            };
            (0..steps)
                .map(|k| h / 6.0 * (value(k as f64) + 4.0 * value(k as f64 + 0.5) + value(k as f64 + 1.0)))
                .sum::<f64>()
        });
        // Below the first point it is what it is there.
        let below = real[0] * omega[0] * (t - 0.5 * ramp).max(0.0);
        change * 2.0 / PI * (pieces.sum::<f64>() + below)
    };
    (1..400).map(|k| at(k as f64 * 1e-7)).fold(0.0, f64::max)
}

/// A slow step of the load is as deep as the output impedance says.
#[test]
fn impedance_tells_the_valley() {
    for (esr, ramp) in [(25e-3, 2e-6), (100e-3, 3e-6), (200e-3, 1e-6), (60e-3, 6e-6)] {
        let (low, high) = (88e-3, 92e-3);
        let mut supply = regulator(esr, [low, high], Some((high - low) / ramp));
        let deep = read(&ran(&supply, "load_step"), "valley").unwrap();
        let load = supply.parts.iter_mut().find(|part| part.id == "I1").unwrap();
        load.parameters.insert("current".into(), format!("{:e}", 0.5 * (low + high)));
        let said = valley(&ran(&supply, "frequency").curves.unwrap(), high - low, ramp);
        println!("{esr} Ω, {ramp} s: {deep} and {said}");
        assert!((deep / said - 1.0).abs() < 0.02, "{esr} Ω, {ramp} s: {deep} V in time, {said} V by impedance");
    }
}
