//! Measures against closed forms of the same piecewise quadratics.

use circuit::{Direction, ReadingMeasure};
use mellow_readings::{MeasureError, Passing, Span, Waveform};
use proptest::prelude::*;
use recording::STAGE;

/// Nodes of `y(t)` at the given ends of steps, inner nodes at 0.6 of each.
fn nodes(ends: &[f64], y: impl Fn(f64) -> f64) -> (Vec<f64>, Vec<f64>) {
    let mut times = vec![ends[0]];
    for pair in ends.windows(2) {
        times.extend([pair[0] + 0.6 * (pair[1] - pair[0]), pair[1]]);
    }
    let values = times.iter().map(|t| y(*t)).collect();
    (times, values)
}

fn grid(from: f64, to: f64, n: usize) -> Vec<f64> {
    (0..=n).map(|i| from + (to - from) * i as f64 / n as f64).collect()
}

#[test]
fn a_triangle_on_an_offset_has_its_textbook_values() {
    // Mean V₀, RMS √(V₀² + A²/3), peak-to-peak 2A (handbook, checks.md): exact on a grid that has
    // the corners among its nodes.
    let (offset, amplitude) = (3.0, 2.0);
    let triangle = |t: f64| {
        let phase = t.rem_euclid(1.0);
        offset + amplitude * (if phase < 0.5 { 4.0 * phase - 1.0 } else { 3.0 - 4.0 * phase })
    };
    let (times, values) = nodes(&grid(0.0, 10.0, 40), triangle);
    let wave = Waveform::new(&times, &values);
    let span = Span { from: 1.0, to: 9.0 };
    let close = |found: f64, wanted: f64| assert!((found - wanted).abs() < 1e-12, "{found} {wanted}");
    close(wave.mean(span).unwrap(), offset);
    close(wave.rms(span).unwrap(), (offset * offset + amplitude * amplitude / 3.0f64).sqrt());
    close(wave.measure(ReadingMeasure::PeakToPeak, span).unwrap(), 2.0 * amplitude);
    close(wave.measure(ReadingMeasure::Frequency, span).unwrap(), 1.0);
    // A window that starts and ends inside steps: a quarter period around a peak.
    let around_peak = Span { from: 1.375, to: 1.625 };
    close(wave.mean(around_peak).unwrap(), offset + 0.75 * amplitude);
    close(wave.measure(ReadingMeasure::Max, around_peak).unwrap(), offset + amplitude);
    close(wave.measure(ReadingMeasure::Min, around_peak).unwrap(), offset + 0.5 * amplitude);
}

#[test]
fn extremes_between_nodes_are_found() {
    let (times, values) = nodes(&[0.0, 1.0, 3.0], |t| 1.0 - (t - 1.7) * (t - 1.7));
    let wave = Waveform::new(&times, &values);
    let (_, max) = wave.extremes(wave.whole()).unwrap();
    assert!((max - 1.0).abs() < 1e-14);
    assert!((wave.at(2.0).unwrap() - 0.91).abs() < 1e-14);
    let features = wave.features(wave.whole()).unwrap();
    assert!(features.iter().any(|t| (t - 1.7).abs() < 1e-12), "{features:?}");
}

#[test]
fn frequency_ignores_small_wiggles() {
    let y = |t: f64| (std::f64::consts::TAU * 50.0 * t).sin() + 0.05 * (std::f64::consts::TAU * 3000.0 * t).sin();
    let (times, values) = nodes(&grid(0.0, 0.2, 20_000), y);
    let wave = Waveform::new(&times, &values);
    assert!((wave.frequency(wave.whole()).unwrap() - 50.0).abs() < 0.05);
    let (times, values) = nodes(&grid(0.0, 1.0, 10), |_| 4.0);
    let flat = Waveform::new(&times, &values);
    assert_eq!(flat.frequency(flat.whole()), Err(MeasureError::NotPeriodic));
}

#[test]
fn a_window_outside_the_run_is_refused() {
    let (times, values) = nodes(&[0.0, 1.0], |t| t);
    let wave = Waveform::new(&times, &values);
    assert!(matches!(wave.mean(Span { from: -0.5, to: 0.5 }), Err(MeasureError::NotCovered { .. })));
    assert!(matches!(wave.mean(Span { from: 0.5, to: 0.5 }), Err(MeasureError::Backwards { .. })));
    assert!(matches!(wave.mean(Span { from: 0.6, to: 0.5 }), Err(MeasureError::Backwards { .. })));
    assert!(matches!(wave.mean(Span { from: f64::NAN, to: 0.5 }), Err(MeasureError::NotCovered { .. })));
    assert_eq!(Waveform::new(&[], &[]).mean(Span { from: 0.0, to: 1.0 }), Err(MeasureError::Empty));
    // A hair beyond the end is rounding, not a mistake.
    assert!(wave.mean(Span { from: 0.0, to: 1.0 + 1e-12 }).is_ok());
}

proptest! {
    // Any split of a cubic-free curve into steps measures the same.
    #[test]
    fn measures_do_not_depend_on_the_steps(
        mut cuts in proptest::collection::vec(0.01f64..9.99, 0..20),
        c in proptest::array::uniform3(-3.0f64..3.0),
        (from, length) in (0.0f64..5.0, 0.5f64..5.0),
    ) {
        cuts.extend([0.0, 10.0]);
        cuts.sort_by(f64::total_cmp);
        cuts.dedup_by(|a, b| (*a - *b).abs() < 1e-3);
        let y = |t: f64| c[0] + c[1] * t + c[2] * t * t;
        let (times, values) = nodes(&cuts, y);
        let wave = Waveform::new(&times, &values);
        let span = Span { from, to: from + length };
        let (a, b) = (span.from, span.to);
        let mean = (c[0] * (b - a) + c[1] * (b * b - a * a) / 2.0 + c[2] * (b.powi(3) - a.powi(3)) / 3.0) / length;
        prop_assert!((wave.mean(span).unwrap() - mean).abs() < 1e-9 * (1.0 + mean.abs()));
        let rms = wave.rms(span).unwrap();
        prop_assert!(rms * rms >= mean * mean - 1e-9 * mean * mean - 1e-12);
        let (min, max) = wave.extremes(span).unwrap();
        prop_assert!(min <= mean + 1e-9 && mean <= max + 1e-9);
        prop_assert!(y(a) >= min - 1e-9 && y(a) <= max + 1e-9);
    }
}

proptest! {
    /// A jump that takes a few roundings of the time at hand stays between its ends, wherever its inner node is rounded to.
    #[test]
    fn a_jump_has_no_more_than_its_ends(
        at in 1e-6f64..1e3, ulps in 2..400u64, place in 0.0..1.0f64, (a, b) in (-9.0f64..9.0, -9.0f64..9.0),
    ) {
        let after = |ulps: u64| f64::from_bits(at.to_bits() + ulps);
        let (middle, later) = (after(1 + (place * (ulps - 1) as f64) as u64), after(ulps));
        let times = [0.0, 0.5 * at, at, middle, later, later + 0.5 * at, 2.0 * later];
        let values = [a, a, a, a + STAGE * (b - a), b, b, b];
        let wave = Waveform::new(&times, &values);
        let span = wave.whole();
        let (least, most) = wave.extremes(span).unwrap();
        prop_assert!((least - a.min(b)).abs() < 1e-12 && (most - a.max(b)).abs() < 1e-12, "{} to {}: {} to {}", a, b, least, most);
        let level = 0.5 * (a + b);
        let crossed = Passing::new(span, level, Direction::Either).take(wave);
        prop_assert!(crossed.len() == 1 && (at..=later).contains(&crossed[0]), "{:?}", crossed);
    }
}

/// A damped sine over a drifting level, by its quadratic pieces; and one that does not ring.
#[test]
fn a_ringing_has_its_frequency_and_damping() {
    let (decay, omega) = (300.0f64, 8000.0f64);
    let wave = |t: f64| 5.0 + 0.2 * t + (-decay * t).exp() * (omega * t).cos();
    let times: Vec<f64> = (0..=4000).map(|k| 2e-6 * f64::from(k)).collect();
    let values: Vec<f64> = times.iter().map(|t| wave(*t)).collect();
    let ringing = Waveform::new(&times, &values).ringing(Span { from: 0.0, to: 8e-3 }).unwrap();
    assert!((ringing.frequency / (omega / std::f64::consts::TAU) - 1.0).abs() < 2e-3, "{ringing:?}");
    assert!((ringing.decay / decay - 1.0).abs() < 5e-3, "{ringing:?}");
    assert!((ringing.damping / (decay / decay.hypot(omega)) - 1.0).abs() < 5e-3, "{ringing:?}");
    let growing: Vec<f64> = times.iter().map(|t| (decay * t).exp() * (omega * t).cos()).collect();
    assert!(Waveform::new(&times, &growing).ringing(Span { from: 0.0, to: 8e-3 }).unwrap().damping < 0.0);
    let flat: Vec<f64> = times.iter().map(|t| (-decay * t).exp()).collect();
    let outcome = Waveform::new(&times, &flat).ringing(Span { from: 0.0, to: 8e-3 });
    assert_eq!(outcome, Err(MeasureError::NotRinging));
}
