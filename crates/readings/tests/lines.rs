//! Spectra of a span and crossings of a level, against closed forms on unevenly spaced steps.

use circuit::{Direction, ReadingMeasure, Taper};
use mellow_readings::{Lines, Passing, Question, Span, Spectrum, Waveform};
use proptest::prelude::*;
use recording::PLACES;
use std::f64::consts::{PI, SQRT_2, TAU};

/// Nodes of a function over steps whose lengths go by the numbers given, up to a time.
fn nodes(lengths: &[f64], to: f64, f: impl Fn(f64) -> f64) -> (Vec<f64>, Vec<f64>) {
    let total: f64 = lengths.iter().sum();
    let mut times = vec![0.0];
    for length in lengths {
        let start = times[times.len() - 1];
        let end = start + length * to / total;
        times.extend([start + 0.4 * (end - start), end]);
    }
    let values = times.iter().map(|t| f(*t)).collect();
    (times, values)
}

fn lines(wave: Waveform<'_>, span: Span, count: usize, taper: Taper) -> Vec<f64> {
    let mut lines = Lines::new(span, count).unwrap();
    lines.take(wave);
    lines.rms(taper)
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(48))]

    /// What is linear between nodes has lines with a closed form: a sawtooth falls as 1/(πk√2), whatever the steps, and
    /// nothing folds back from above. Only the mean has a sign.
    #[test]
    fn a_sawtooth_has_the_lines_of_its_series(
        lengths in prop::collection::vec(1e-4f64..1.0, 4..60), height in 0.01f64..400.0, periods in 1usize..4, count in 8usize..300,
    ) {
        // One period per repetition of the steps; each falls back within a step of no length to speak of.
        let (mut times, mut values) = (vec![0.0], vec![0.0]);
        for period in 0..periods {
            let (t, y) = nodes(&lengths, 1.0 - 1e-9, |t| height * t);
            times.extend(t[1..].iter().map(|t| t + period as f64));
            values.extend(&y[1..]);
            times.extend([period as f64 + 1.0 - 0.5e-9, period as f64 + 1.0]);
            values.extend([0.5 * height, 0.0]);
        }
        let span = Span { from: 0.0, to: periods as f64 };
        let found = lines(Waveform::new(&times, &values), span, count, Taper::None);
        prop_assert!((found[0] - 0.5 * height).abs() < 1e-8 * height);
        for (k, line) in found.iter().enumerate().skip(1) {
            let expected = if k % periods == 0 { height * periods as f64 / (PI * k as f64 * SQRT_2) } else { 0.0 };
            prop_assert!((line - expected).abs() < 1e-8 * height, "line {k}: {line} for {expected}");
        }
    }

    /// Against sums taken line by line, for parabolas and quartics of any shape.
    #[test]
    fn lines_are_those_of_the_sum_taken_one_by_one(
        steps in prop::collection::vec((1e-6f64..1.0, -5.0f64..5.0, -5.0f64..5.0), 3..80), count in 4usize..200,
    ) {
        let total: f64 = steps.iter().map(|s| s.0).sum();
        let (mut times, mut values) = (vec![0.0], vec![1.0]);
        for (length, inner, end) in &steps {
            let start = times[times.len() - 1];
            let places: &[f64] = if *inner > 0.0 { &PLACES } else { &[0.4] };
            times.extend(places.iter().chain(&[1.0]).map(|place| start + place * length * 3e-3 / total));
            values.extend([*inner, -end, 0.5 * inner].into_iter().take(places.len()).chain([*end]));
        }
        let wave = Waveform::new(&times, &values);
        let span = wave.whole();
        let found = lines(wave, span, count, Taper::None);
        let mut spectrum = Spectrum::new(span, 1.0 / (span.to - span.from), count).unwrap();
        spectrum.take(wave);
        for (k, line) in found.iter().enumerate().skip(1) {
            prop_assert!((line - spectrum.rms(k)).abs() < 1e-9, "line {k}: {line} for {}", spectrum.rms(k));
        }
    }

    /// A tone between two lines stands in the flat-topped spectrum with its amplitude within 0.01 dB, and under the taper of
    /// Blackman and Harris a tone 85 dB below another is found beside it (side lobes 92 dB down, Harris 1978, table 1).
    #[test]
    fn tapers_keep_what_they_promise(off in -0.5f64..0.5, phase in 0.0..TAU, small in -85.0f64..-40.0, place in 60usize..90) {
        let tone = |frequency: f64, t: f64| (TAU * frequency * t + phase).sin();
        let even = vec![1.0; 4000];
        let low = 20.0 + off;
        let (times, values) = nodes(&even, 1.0, |t| SQRT_2 * tone(low, t));
        let wave = Waveform::new(&times, &values);
        let flat = lines(wave, wave.whole(), 100, Taper::FlatTop);
        let largest = flat.iter().skip(1).fold(0.0f64, |a, b| a.max(*b));
        prop_assert!((20.0 * largest.log10()).abs() < 0.0105, "{largest}");

        let beside = 10f64.powf(small / 20.0);
        let (times, values) = nodes(&even, 1.0, |t| SQRT_2 * (tone(low, t) + beside * tone(place as f64, t)));
        let wave = Waveform::new(&times, &values);
        let found = lines(wave, wave.whole(), 100, Taper::BlackmanHarris);
        let floor = (30..50).chain(95..101).map(|k| found[k]).fold(0.0f64, f64::max);
        prop_assert!(20.0 * floor.log10() < -91.0, "{floor}");
        prop_assert!((found[place] / beside - 1.0).abs() < 0.5, "{} for {beside}", found[place]);
        // A mean far larger than what alternates is told, and stays out of the lines beside it.
        let (times, values) = nodes(&even, 1.0, |t| 300.0 + SQRT_2 * tone(low, t));
        let wave = Waveform::new(&times, &values);
        let raised = lines(wave, wave.whole(), 100, Taper::BlackmanHarris);
        prop_assert!((raised[0] - 300.0).abs() < 0.1 && raised[1..8].iter().all(|line| *line < 1e-3), "{:?}", &raised[..8]);
        // Without a taper the large tone leaks over the small one, which is why there are tapers.
        let plain = lines(wave, wave.whole(), 100, Taper::None);
        prop_assert!(off.abs() < 0.1 || plain[40] > 1e-3 * off.abs());
    }

    /// A sine passes through a level where its arc sine says, in either direction, on uneven steps.
    #[test]
    fn a_sine_crosses_where_it_must(
        lengths in prop::collection::vec(0.5f64..1.0, 2000..2400), level in -0.95f64..0.95, from in 0.0f64..2.5,
    ) {
        let (times, values) = nodes(&lengths, 5.0, |t| (TAU * t).sin());
        let wave = Waveform::new(&times, &values);
        let span = Span { from, to: 5.0 };
        // Cut in two at the end of some step, as recordings are.
        let cut = 2 * (lengths.len() / 3);
        let crossed = |direction| {
            let mut passing = Passing::new(span, level, direction);
            let mut found = passing.take(Waveform::new(&times[..=cut], &values[..=cut]));
            found.extend(passing.take(Waveform::new(&times[cut..], &values[cut..])));
            found
        };
        let (rising, falling) = (crossed(Direction::Rising), crossed(Direction::Falling));
        let up = level.asin() / TAU;
        let expected = |first: f64| -> Vec<f64> {
            (-1..6).map(|n| f64::from(n) + first).filter(|t| *t > from && *t < 5.0).collect()
        };
        for (found, expected) in [(&rising, expected(up)), (&falling, expected(0.5 - up))] {
            prop_assert_eq!(found.len(), expected.len(), "{:?} for {:?}", found, expected);
            prop_assert!(found.iter().zip(&expected).all(|(a, b)| (a - b).abs() < 1e-6), "{:?} for {:?}", found, expected);
        }
        let both = Passing::new(span, level, Direction::Either).take(wave);
        prop_assert_eq!(both.len(), rising.len() + falling.len());
        prop_assert!(both.is_sorted());
    }
}

proptest! {
    #![proptest_config(ProptestConfig { failure_persistence: None, ..ProptestConfig::with_cases(200) })]

    /// Straight lines between whole numbers, which touch a level, rest at it and pass it: search and readings find the same, which is
    /// where the sign changes, nothing counting as no sign.
    #[test]
    fn search_and_readings_have_one_rule(heights in prop::collection::vec(-2i32..3, 2..40)) {
        let (mut times, mut values, mut wanted) = (vec![0.0], vec![f64::from(heights[0])], Vec::new());
        let (mut side, mut came) = (heights[0].signum(), 0.0);
        for (k, pair) in heights.windows(2).enumerate() {
            let [a, b] = [pair[0], pair[1]].map(f64::from);
            times.extend([k as f64 + 0.5, k as f64 + 1.0]);
            values.extend([0.5 * (a + b), b]);
            let crosses = a * b < 0.0;
            if crosses || (b == 0.0 && a != 0.0) {
                came = k as f64 + a / (a - b);
            }
            if b != 0.0 {
                if side != 0 && side != pair[1].signum() {
                    wanted.push(came);
                }
                side = pair[1].signum();
            }
        }
        let wave = Waveform::new(&times, &values);
        let (span, found) = (wave.whole(), Passing::new(wave.whole(), 0.0, Direction::Either).take(wave));
        prop_assert_eq!(found.len(), wanted.len(), "{:?} for {:?}", found, wanted);
        prop_assert!(found.iter().zip(&wanted).all(|(a, b)| (a - b).abs() < 1e-9), "{:?} for {:?}", found, wanted);
        for number in 1..wanted.len() + 2 {
            let question = Question::crossing(span, 0.0, number as u32, Direction::Either);
            prop_assert_eq!(wave.ask(question, span).ok(), found.get(number - 1).copied(), "{:?}", heights);
        }
        let rises = Passing::new(span, 0.0, Direction::Rising).take(wave).len() as f64;
        let counted = Question::new(ReadingMeasure::Count, &[Some(0.0)], span, None).unwrap();
        let counted = wave.ask(counted, span).unwrap_or(0.0);
        prop_assert_eq!(counted, rises, "{:?}", heights);
    }
}

/// Touching a level and turning back is not crossing it; coming to it, resting there and going on is, once.
#[test]
fn touching_is_not_crossing() {
    let wave = |values: &[f64]| {
        let times: Vec<f64> = (0..values.len()).map(|k| k as f64).collect();
        let mut passing = Passing::new(Span { from: 0.0, to: 20.0 }, 0.0, Direction::Either);
        let whole = passing.clone().take(Waveform::new(&times, values));
        // The same, step by step.
        let steps = (0..times.len() / 2).map(|k| 2 * k..2 * k + 3);
        let pieces: Vec<f64> = steps.flat_map(|s| passing.take(Waveform::new(&times[s.clone()], &values[s]))).collect();
        assert_eq!(whole, pieces);
        whole
    };
    // Parabolas with their vertex on the level.
    assert_eq!(wave(&[1.0, 0.0, 1.0, 0.0, 1.0]), Vec::<f64>::new());
    // Straight down to it, along it, and back, or on.
    assert_eq!(wave(&[2.0, 1.0, 0.0, 0.0, 0.0, 1.0, 2.0]), Vec::<f64>::new());
    assert_eq!(wave(&[2.0, 1.0, 0.0, 0.0, 0.0, -1.0, -2.0]), [2.0]);
    // Exactly at the end of a step.
    assert_eq!(wave(&[2.0, 1.0, 0.0, -1.0, -2.0]), [2.0]);
    assert_eq!(wave(&[0.0, 1.0, 2.0]), Vec::<f64>::new());
}
