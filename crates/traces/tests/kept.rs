//! What was packed comes back to the bit, and a picture of any window leaves out no peak.

use circuit::{Quantity, Supply, resolve};
use mellow_traces::{Against, Packed, Points, TraceBuilder, envelope, join_nodes, thin};
use proptest::prelude::*;
use readings::{Waveform, signals};
use recording::{Chunk, Column, PLACES, STAGE, steps as steps_of};

const SUPPLY: &str = r#"{ "mellow_coil": 1, "title": "one net", "parts": [
    { "id": "V1", "kind": "dc_source", "pins": { "plus": "x", "minus": "gnd" }, "parameters": { "voltage": "1" } },
    { "id": "R1", "kind": "resistor", "pins": { "a": "x", "b": "gnd" }, "parameters": { "resistance": "1" } }
] }"#;

const EVER: (f64, f64) = (f64::MIN, f64::MAX);

/// Nodes of steps from lengths and values: with one inner node each, or three.
fn nodes(steps: &[(f64, f64, f64)]) -> (Vec<f64>, Vec<f64>) {
    let (mut times, mut values) = (vec![0.0], vec![0.0]);
    for (length, inner, end) in steps {
        let from = times[times.len() - 1];
        let places: &[f64] = if *inner > 2.0 { &PLACES } else { &[STAGE] };
        times.extend(places.iter().chain(&[1.0]).map(|place| from + place * length));
        values.extend([*inner, -0.4 * inner, 0.3 * end].into_iter().take(places.len()).chain([*end]));
    }
    (times, values)
}

/// How many nodes steps add.
fn count(steps: &[(f64, f64, f64)]) -> usize {
    nodes(steps).0.len() - 1
}

/// The lowest and the highest value between two times, of nodes and of turns between them.
fn reach(times: &[f64], values: &[f64], from: f64, to: f64) -> (f64, f64) {
    let turns = Waveform::new(times, values).turns().map(|(_, t, y)| (t, y));
    let all = times.iter().copied().zip(values.iter().copied()).chain(turns).filter(|(t, _)| (from..=to).contains(t));
    all.fold((f64::MAX, f64::MIN), |(low, high), (_, y)| (low.min(y), high.max(y)))
}

fn builder() -> TraceBuilder {
    let supply: Supply = serde_json::from_str(SUPPLY).unwrap();
    let circuit = resolve(&supply).unwrap();
    assert!(signals(&circuit).len() >= 4);
    let columns = [("x", Quantity::Voltage), ("V1", Quantity::Current), ("R1", Quantity::Current)];
    TraceBuilder::new(&circuit, &columns.map(|(of, quantity)| Column::new(of, quantity)))
}

/// The same voltage and currents in all columns.
fn chunk(times: &[f64], values: &[f64]) -> Chunk {
    Chunk::new(times.to_vec(), vec![values.to_vec(); 3])
}

/// What is packed of one signal on one level.
fn of(chunks: &[Packed], signal: &str, level: i16) -> Vec<Packed> {
    let own = |c: &&Packed| c.level == level && (c.signal.is_empty() || c.signal == signal);
    let mut own: Vec<Packed> = chunks.iter().filter(own).cloned().collect();
    own.sort_by_key(|c| (c.signal.clone(), c.seq));
    own
}

/// Packs the voltage of net `x` in chunks of an even count of nodes each, or two more where that would part a step.
fn packed(times: &[f64], values: &[f64], cuts: &[usize]) -> Vec<Packed> {
    let mut builder = builder();
    let mut chunks = Vec::new();
    let (mut at, mut cuts) = (0, cuts.iter().cycle());
    while at < times.len() {
        let to = at + 2 * cuts.next().unwrap();
        let parts = steps_of(times).any(|(first, last)| last == first + 4 && to == last);
        let to = (to + if parts { 2 } else { 0 }).min(times.len());
        chunks.extend(builder.push(&chunk(&times[at..to], &values[at..to])));
        at = to;
    }
    assert_eq!(builder.nodes(), times.len() as i64);
    chunks.extend(builder.finish());
    chunks
}

/// Lowest and highest value drawn within a span.
fn drawn(points: &Points, from: f64, to: f64) -> (f64, f64) {
    let inside = points.t.iter().zip(&points.y).filter(|(t, _)| (from..=to).contains(*t)).map(|(_, y)| *y);
    inside.fold((f64::INFINITY, f64::NEG_INFINITY), |(low, high), y| (low.min(y), high.max(y)))
}

fn steps(most: usize) -> impl Strategy<Value = Vec<(f64, f64, f64)>> {
    steps_from(1e-6, most)
}

/// Steps no shorter than said.
fn steps_from(shortest: f64, most: usize) -> impl Strategy<Value = Vec<(f64, f64, f64)>> {
    prop::collection::vec((shortest..1.0, -10.0f64..10.0, -10.0f64..10.0), 1..most)
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(60))]

    #[test]
    fn every_node_comes_back(steps in steps(400), cuts in prop::collection::vec(1usize..200, 1..20)) {
        let (times, values) = nodes(&steps);
        let chunks = packed(&times, &values, &cuts);
        let mut bottom: Vec<Packed> = chunks.into_iter().filter(|c| c.level == 0).collect();
        bottom.sort_by_key(|c| c.seq);
        let joined = join_nodes(&bottom, EVER, 0.0).unwrap();
        prop_assert_eq!(&joined[""], &times);
        prop_assert_eq!(&joined["x.v"], &values);
        let mut hurt = bottom.clone();
        hurt[0].data.truncate(3);
        prop_assert!(join_nodes(&hurt, EVER, 0.0).is_err());
        // The next chunk repeats the last two nodes, so one of two is not missed.
        if bottom.len() > 4 && bottom[1].count > 2 {
            bottom.remove(1);
            prop_assert!(join_nodes(&bottom, EVER, 0.0).is_err(), "a missing chunk goes unnoticed");
        }
    }

    #[test]
    fn no_level_leaves_out_a_peak(seed in steps(40), repeats in 200usize..400) {
        let many: Vec<_> = std::iter::repeat_n(seed, repeats).flatten().collect();
        let (times, values) = nodes(&many);
        let chunks = packed(&times, &values, &[64, 512, 2048]);
        let end = *times.last().unwrap();
        let reach = reach(&times, &values, 0.0, end);
        let top = chunks.iter().map(|c| c.level).max().unwrap();
        for level in 1..=top {
            let points = envelope(&of(&chunks, "x.v", level), 0.0, end, 300).unwrap();
            prop_assert_eq!(drawn(&points, 0.0, end), reach, "level {}", level);
            prop_assert!(points.t.is_sorted() && points.t.len() <= 2 * 301);
        }
    }

    /// A period that is kept once and comes again, amid what comes once: nodes and pictures of any window are those of a
    /// recording in which all of it is written out.
    #[test]
    fn what_comes_again_is_seen_as_often_as_it_comes(
        // Rounding of a time tells no two nodes apart.
        parts in [60, 200, 60].map(|most| steps_from(0.01, most)), again in 1u64..3000, (at, wide) in (0.0f64..1.0, 0.001f64..1.0),
    ) {
        let [mut before, mut period, after] = parts;
        // It begins and ends with the same value.
        let last = |steps: &mut [(f64, f64, f64)]| steps.last_mut().map(|step| step.2 = 7.0);
        last(&mut before);
        last(&mut period);
        let mut written = before.clone();
        (0..=again).for_each(|_| written.extend(&period));
        written.extend(&after);
        let (times, values) = nodes(&written);
        let (first, each) = (1 + count(&before), count(&period));
        let behind = first + each * (again as usize + 1);
        let mut builder = builder();
        let mut chunks = builder.push(&chunk(&times[..first], &values[..first]));
        let comes = Chunk { again, ..chunk(&times[first..first + each], &values[first..first + each]) };
        chunks.extend(builder.push(&comes));
        chunks.extend(builder.push(&chunk(&times[behind..], &values[behind..])));
        chunks.extend(builder.finish());
        prop_assert_eq!(builder.nodes() as usize, first + each + count(&after));
        let end = *times.last().unwrap();
        let (from, to) = (at * end, (at + wide).min(1.0) * end);
        let near = |a: f64, b: f64| (a - b).abs() < 1e-9 * end;
        let touching: Vec<Packed> = of(&chunks, "x.v", 0).into_iter().filter(|c| c.from <= to && c.to >= from).collect();
        let joined = join_nodes(&touching, (from, to), 0.0).unwrap();
        let seen: Vec<(f64, f64)> = joined[""].iter().copied().zip(joined["x.v"].iter().copied()).collect();
        let start = times.iter().position(|t| near(*t, seen[0].0)).unwrap();
        prop_assert!(seen[0].0 <= from && seen.last().unwrap().0 >= to * (1.0 - 1e-9));
        for (k, (t, y)) in seen.iter().enumerate() {
            prop_assert!(near(*t, times[start + k]) && *y == values[start + k], "{} of {}", k, seen.len());
        }
        // Every pixel of a picture from buckets reaches what the nodes in it reach, and no further than those near by.
        let (width, levels) = (200, chunks.iter().map(|c| c.level).max().unwrap());
        let pixel = (to - from) / width as f64;
        for level in 1..=levels {
            let buckets: Vec<Packed> = of(&chunks, "x.v", level).into_iter().filter(|c| c.from <= to && c.to >= from).collect();
            let points = envelope(&buckets, from, to, width).unwrap();
            let (low, high) = reach(&times, &values, from, to);
            let (l, h) = drawn(&points, f64::MIN, f64::MAX);
            prop_assert!(l <= low + 1e-7 && h >= high - 1e-7 && points.t.is_sorted(), "level {level}: {l}..{h} for {low}..{high}");
            prop_assert!(points.t.len() <= 2 * (width + 2));
            // No pixel of what comes again is left out: its strokes stand in the middle of theirs, but for the first and the last.
            let [begins, ends] = [times[first - 1], times[behind - 1]].map(|t| t.clamp(from, to));
            let mut within: Vec<f64> = points.t.iter().copied().filter(|t| (begins..=ends).contains(t)).collect();
            within.extend([begins, ends]);
            within.sort_by(f64::total_cmp);
            let widest = within.windows(2).map(|t| t[1] - t[0]).fold(0.0, f64::max);
            let each_lasts = (ends - begins).min(times[first + each - 1] - times[first - 1]);
            prop_assert!(widest <= 1.001 * (1.5 * pixel).max(each_lasts), "level {level}: {} pixels of {}", widest / pixel, each_lasts);
        }
        // Where there are many a pixel, one of them a pixel is as good.
        let bottom = of(&chunks, "x.v", 0);
        let few = join_nodes(&bottom, EVER, pixel).unwrap();
        let (low, high) = reach(&times, &values, 0.0, end);
        let drawn = drawn(&thin(&few[""], &few["x.v"], 0.0, end, width), 0.0, end);
        prop_assert!(near(drawn.0, low) && near(drawn.1, high) || few[""].len() < width, "{drawn:?} for {low}, {high}");
        prop_assert!(few[""].is_sorted() && few[""].len() % 2 == 1);
        prop_assert!(few[""].len() <= times.len().min(first + count(&after) + (each + 2) * (2 + (2.0 * end / pixel) as usize)));
    }

    #[test]
    fn thinned_nodes_keep_every_extreme(steps in steps(900), window in (0.0f64..0.9, 0.01f64..1.0), width in 20usize..200) {
        let (times, values) = nodes(&steps);
        let end = *times.last().unwrap();
        let (from, to) = (window.0 * end, (window.0 + window.1).min(1.0) * end);
        let points = thin(&times, &values, from, to, width);
        prop_assert!(points.t.is_sorted());
        let inside = times.iter().zip(&values).filter(|(t, _)| (from..=to).contains(*t));
        let ((low, high), (lowest, highest)) = (drawn(&points, from, to), reach(&times, &values, from, to));
        // Points along a polynomial are computed, and rounded.
        prop_assert!(lowest >= low - 1e-9 && highest <= high + 1e-9, "{low}..{high} for {lowest}..{highest}");
        if inside.clone().count() > 4 * width {
            prop_assert!(points.t.len() <= 4 * (width + 3), "{} points", points.t.len());
        }
        // What is drawn between few nodes is the polynomial that was recorded.
        if times.len() < width {
            let wave = Waveform::new(&times, &values);
            for (t, y) in points.t.iter().zip(&points.y) {
                prop_assert!((wave.at(*t).unwrap() - y).abs() < 1e-9);
            }
        }
        // What is marked as computed is, and while there is room for all of it, all of it is marked.
        let marked: Vec<f64> = points.t.iter().zip(&points.node).filter(|(_, node)| **node).map(|(t, _)| *t).collect();
        prop_assert!(marked.iter().all(|t| times.contains(t)));
        if times.len() <= 4 * width {
            prop_assert!(inside.clone().all(|(t, _)| marked.contains(t)));
        }
    }

    /// A loop passed a hundred times is the loop passed once, and lies on the ellipse whichever way it is cut in steps.
    #[test]
    fn a_loop_is_drawn_once_however_often_it_is_passed(
        phase in 0.1f64..3.0, (a, b) in (0.1f64..300.0, 0.01f64..9.0), each in 40usize..90, turns in 2usize..12, cut in 1usize..30,
    ) {
        let steps = turns * each;
        let times: Vec<f64> = (0..=2 * steps).map(|k| k as f64 / (2 * each) as f64).collect();
        let turn = std::f64::consts::TAU;
        let xs: Vec<f64> = times.iter().map(|t| a * (turn * t).cos()).collect();
        let ys: Vec<f64> = times.iter().map(|t| b * (turn * t + phase).sin()).collect();
        let drawn = |turns: f64| {
            let mut line = Against::new((-a, a), (-b, b));
            for from in (0..2 * steps).step_by(2 * cut) {
                let to = (from + 2 * cut).min(2 * steps);
                line.take(&times[from..=to], &xs[from..=to], &ys[from..=to], (0.0, turns));
            }
            line.finish()
        };
        let (once, often) = (drawn(1.05), drawn(turns as f64));
        prop_assert!(once.0.len() > 6 * each);
        prop_assert!(often.0.len() < once.0.len() + once.0.len() / 8, "{} for {}", often.0.len(), once.0.len());
        // (x/a)² + (y/b)² − 2·(x/a)(y/b)·sin φ = cos² φ for an ellipse of Lissajous.
        for (x, y) in often.0.iter().zip(&often.1).filter(|(x, _)| x.is_finite()) {
            let (x, y) = (x / a, y / b);
            let off = x * x + y * y - 2.0 * x * y * phase.sin() - phase.cos().powi(2);
            prop_assert!(off.abs() < 1e-2, "{x} {y} {off}");
        }
        prop_assert!(often.1.iter().zip(&often.0).all(|(y, x)| y.is_nan() == x.is_nan()));
    }
}

#[test]
fn a_window_beside_the_recording_is_empty() {
    let (times, values) = nodes(&[(1.0, 2.0, 3.0)]);
    assert_eq!(thin(&times, &values, 5.0, 6.0, 100), Points::default());
    assert_eq!(thin(&times, &values, -2.0, -1.0, 100), Points::default());
    assert_eq!(drawn(&thin(&times, &values, 0.0, 1.0, 1000), 0.0, 1.0).1, 3.0);
}

/// Where a course turns at the very end of what a bucket holds, rounding puts the turn behind its last node: deep in a run two instants
/// next to each other are the same number.
#[test]
fn a_turn_at_the_last_node_belongs_to_the_last_bucket() {
    for deep in [0.0, 1.0, 4096.0, 1e6] {
        // Whole buckets of sixteen nodes, each step a parabola that turns a hair before its end.
        let (mut times, mut values) = (vec![deep], vec![0.0]);
        for k in 0..32 {
            let (from, length) = (deep + f64::from(k) * 1e-6, 1e-6);
            let turn = 1.0 - 1e-9;
            let at = |s: f64| f64::from(k) + s * (2.0 * turn - s);
            times.extend([from + STAGE * length, from + length]);
            values.extend([at(STAGE), at(1.0)]);
        }
        // The second piece goes on behind the last node of the first, with as many as fill whole buckets.
        let mut builder = builder();
        let half = 2 * 16;
        let pieces = [(&times[..=half], &values[..=half]), (&times[half + 1..], &values[half + 1..])];
        let rows: Vec<Packed> = pieces.iter().flat_map(|(t, v)| builder.push(&chunk(t, v))).collect();
        let nodes = rows.iter().filter(|row| row.signal.is_empty() && row.level == 0).count();
        assert!(nodes > 0 || !builder.finish().is_empty(), "{deep}");
    }
}
