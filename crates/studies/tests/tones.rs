//! Responses measured with tones of finite size, as on the bench, against those to small sinusoids.

use circuit::{Circuit, Engine, FrequencyGrid, Signal};
use mellow_studies::{FrequencyError, Loop, Read, TonePoint, impedance, loop_gain, response, with_tones};
use recording::{Complex64, Excitation, Probed, Recording};

mod common;

fn buck(closed: bool) -> Circuit {
    common::with(closed, common::USUAL).0
}

fn with(closed: bool, values: [&str; 5]) -> Circuit {
    common::with(closed, values).0
}

const GRID: FrequencyGrid = FrequencyGrid { from: 1.3e3, to: 45e3, per_decade: 5.0 };

/// Every point is within 0.1 dB and 0.6° of the small sinusoid, which is what a distortion of 40 dB allows, half the amplitude agreeing, its distortion some 40 dB below it.
fn agree(points: &[TonePoint], wanted: impl Fn(f64) -> Complex64) {
    assert!(points.len() > 6 && points.iter().all(|point| !point.doubtful), "{points:#?}");
    for point in points {
        let ratio = point.value / wanted(point.frequency);
        let off = [20.0 * ratio.norm().log10(), ratio.arg().to_degrees()];
        println!("{:8.0} Hz: {off:+.4?}, {:.1} dB, {:.2e}", point.frequency, point.quality, point.amplitude);
        assert!(off[0].abs() < 0.1 && off[1].abs() < 0.6, "{point:?} is off by {off:?}");
        assert!(point.quality > 30.0, "{point:?}");
    }
}

fn at(points: &[(f64, Complex64)], frequency: f64) -> Complex64 {
    points.iter().min_by(|a, b| (a.0 - frequency).abs().total_cmp(&(b.0 - frequency).abs())).unwrap().1
}

/// One point of a curve by the small-signal study.
fn single(frequency: f64) -> FrequencyGrid {
    FrequencyGrid { from: frequency, to: 1.0001 * frequency, per_decade: 1.0 }
}

#[test]
fn line_control_and_impedances_are_those_of_small_sinusoids() {
    let circuit = buck(false);
    let out = Signal::parse("out.v").unwrap();
    for source in ["V1", "VC"] {
        let excitation = Excitation::Source(source.to_owned());
        let read = Read::Response(out.clone());
        let points = with_tones(&circuit, &excitation, &read, GRID, &mut Recording::default()).unwrap();
        agree(&points, |f| at(&response(&circuit, source, &out, single(f), Some(Engine::Switched)).unwrap().curve, f));
    }
    // What the line sees, as a current.
    let (excitation, current) = (Excitation::Source("V1".to_owned()), Signal::parse("V1.i").unwrap());
    let read = Read::Response(current.clone());
    let points = with_tones(&circuit, &excitation, &read, GRID, &mut Recording::default()).unwrap();
    agree(&points, |f| at(&response(&circuit, "V1", &current, single(f), Some(Engine::Switched)).unwrap().curve, f));
    let closed = buck(true);
    let excitation = Excitation::Current("out".to_owned(), "gnd".to_owned());
    let points = with_tones(&closed, &excitation, &Read::Response(out), GRID, &mut Recording::default()).unwrap();
    agree(&points, |f| at(&impedance(&closed, "out", "gnd", single(f), Some(Engine::Switched)).unwrap().curve, f));
}

#[test]
fn a_loop_gain_is_that_of_small_sinusoids() {
    let circuit = buck(true);
    let probed = Probed::new(&circuit, "U1", "fb").unwrap();
    let [outer, inner] = [&probed.outer, &probed.inner].map(|net| {
        let term = circuit::Term { negative: false, of: net.clone(), quantity: circuit::Quantity::Voltage };
        Signal { terms: vec![term] }
    });
    let excitation = Excitation::Source(probed.probe.clone());
    let read = Read::Ratio(outer, inner);
    let points = with_tones(&probed.circuit, &excitation, &read, GRID, &mut Recording::default()).unwrap();
    agree(&points, |f| {
        let found = loop_gain(&circuit, ("U1", "fb"), single(f), Some(Engine::Switched), Loop::Closed).unwrap().curve;
        at(&found.frequencies.into_iter().zip(found.gain).collect::<Vec<_>>(), f)
    });
}

/// A lightly loaded coil is driven through nothing by tones far larger than its own current, at half their size as well: that is
/// noticed, and what is returned is the small sinusoid's answer. Where tones stand elsewhere than asked, both are told.
#[test]
fn tones_that_change_what_they_measure_are_made_smaller() {
    let circuit = with(true, ["87u", "73u", "61m", "44", "44"]);
    let (excitation, out) = (Excitation::Current("out".to_owned(), "gnd".to_owned()), Signal::parse("out.v").unwrap());
    let points = with_tones(&circuit, &excitation, &Read::Response(out), GRID, &mut Recording::default()).unwrap();
    agree(&points, |f| at(&impedance(&circuit, "out", "gnd", single(f), Some(Engine::Switched)).unwrap().curve, f));
    let base = points[0].frequency;
    assert!(
        points.iter().all(|p| (p.frequency / base).fract().abs() < 1e-6 || (p.frequency / base).fract() > 1.0 - 1e-6)
    );
    assert!(points.iter().all(|p| (p.frequency - p.asked).abs() <= 0.5 * base * (1.0 + 1e-9)), "{points:?}");
    assert!(points.iter().any(|p| (p.frequency / p.asked - 1.0).abs() > 0.05), "{points:?}");
}

#[test]
fn what_cannot_be_measured_is_said() {
    let circuit = buck(false);
    let read = Read::Response(Signal::parse("out.v").unwrap());
    let asked = |source: &str, grid: FrequencyGrid| {
        let excitation = Excitation::Source(source.to_owned());
        with_tones(&circuit, &excitation, &read, grid, &mut Recording::default()).unwrap_err()
    };
    let beyond = asked("V1", FrequencyGrid { from: 60e3, to: 90e3, per_decade: 5.0 });
    assert!(matches!(beyond, FrequencyError::BeyondHalf(half) if (half - 50e3).abs() < 1e-6), "{beyond}");
    let unknown = asked("V7", GRID);
    assert!(unknown.is_of_the_question() && unknown.to_string().contains("V7"), "{unknown}");
}
