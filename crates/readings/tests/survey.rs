//! Figures taken piece by piece are those taken at once, to the bit, however a recording is cut.

use circuit::{MEASURES, ReadingMeasure, Signal, Subject, Supply, resolve};
use mellow_readings::{MeasureError, Question, Recipe, Span, Survey, Waveform};
use proptest::prelude::*;
use recording::{
    Chunk, Chunks, Column, Joiner, Observer, PLACES, Piece, Recording, STAGE, Unreadable, covered, steps as steps_of,
};

/// Pieces as they are kept.
struct Pieces(Vec<Chunk>);

impl Chunks for Pieces {
    fn whole(&self) -> (f64, f64) {
        let last = self.0.last().unwrap();
        (self.0[0].times[0], covered(&last.times, last.again).1)
    }
    fn folded(&self, from: f64, to: f64, columns: &[usize], take: &mut dyn FnMut(Piece<'_>)) -> Result<(), Unreadable> {
        for chunk in self.0.iter().filter(|c| c.times[0] <= to && covered(&c.times, c.again).1 >= from) {
            take(Piece {
                times: &chunk.times,
                columns: columns.iter().map(|c| chunk.columns[*c].as_slice()).collect(),
                again: chunk.again,
            });
        }
        Ok(())
    }
}

/// Two nets with a resistor between; columns are both voltages and its current.
const SUPPLY: &str = r#"{ "mellow_coil": 1, "title": "two nets", "parts": [
    { "id": "R1", "kind": "resistor", "pins": { "a": "x", "b": "y" }, "parameters": { "resistance": "1" } },
    { "id": "V1", "kind": "dc_source", "pins": { "plus": "x", "minus": "gnd" }, "parameters": { "voltage": "1" } },
    { "id": "R2", "kind": "resistor", "pins": { "a": "y", "b": "gnd" }, "parameters": { "resistance": "1" } }
] }"#;

/// What is known of the supply's columns.
fn known() -> Vec<Column> {
    let column =
        |(of, letter): (&str, char)| Column::new(of, Signal::parse(&format!("{of}.{letter}")).unwrap().quantity());
    [("x", 'v'), ("y", 'v'), ("R1", 'i')].map(column).to_vec()
}

/// Whether two answers are the same but for a small part.
fn agree(a: Result<f64, MeasureError>, b: Result<f64, MeasureError>, part: f64, of: &str) -> Result<(), TestCaseError> {
    match (a, b) {
        (Ok(a), Ok(b)) => prop_assert!((a - b).abs() <= part * (a.abs() + b.abs() + 0.1), "{of}: {a} for {b}"),
        (a, b) => prop_assert_eq!(a.is_err(), b.is_err(), "{}: {:?} for {:?}", of, a, b),
    }
    Ok(())
}

proptest! {
    #![proptest_config(ProptestConfig { failure_persistence: None, ..ProptestConfig::with_cases(60) })]

    /// Figures of what comes again follow from one turn and how many there are, windows that cut one apart included: they are what
    /// passing over every turn gives.
    #[test]
    fn what_comes_again_reads_as_if_it_came_as_often(
        waves in prop::collection::vec((0.01f64..1.0, prop::array::uniform4(-10.0f64..10.0)), 3..40),
        shape in (1usize..3, 1usize..3, prop_oneof![1u64..12, 12u64..400], 0usize..3),
        window in (0.0f64..1.0, 0.0f64..1.0, any::<bool>()),
        level in -8.0f64..8.0,
        corners in (0.2f64..3.0, 0.2f64..3.0),
        order in 1u32..9,
    ) {
        let circuit = resolve(&Supply::from_json(SUPPLY).unwrap()).unwrap();
        let (before, after, again, kind) = shape;
        // Steps with one inner node and with three, by what they begin with; a period ends with the value it begins with.
        let nodes = |steps: &[(f64, [f64; 4])], from: f64, ends: f64| {
            let (mut times, mut values) = (Vec::new(), Vec::new());
            let mut t = from;
            for (k, (length, course)) in steps.iter().enumerate() {
                let end = steps.get(k + 1).map_or(ends, |next| next.1[0]);
                let inner: &[f64] = if course[1] > 0.0 { &PLACES } else { &[STAGE] };
                times.extend(inner.iter().chain(&[1.0]).map(|place| t + place * length));
                values.extend(course[1..].iter().take(inner.len()).chain(&[end]));
                t += length;
            }
            (times, values)
        };
        let (first, last) = (before.min(waves.len() - 2), waves.len() - after.min(waves.len() - 2));
        let (first, last) = (first.min(last - 1), last.max(first.min(last - 1) + 1));
        let comes = &waves[first..last];
        let (joint, period) = (comes[0].1[0], comes.iter().map(|step| step.0).sum::<f64>());
        let mut chunks = Vec::new();
        let (mut times, mut values) = nodes(&waves[..first], 0.0, joint);
        times.insert(0, 0.0);
        values.insert(0, if first > 0 { waves[0].1[0] } else { joint });
        let begins = *times.last().unwrap();
        chunks.push(Chunk::new(times, vec![values]));
        let (times, values) = nodes(comes, begins, joint);
        chunks.push(Chunk { again, ..Chunk::new(times, vec![values]) });
        if last < waves.len() {
            let (times, values) = nodes(&waves[last..], begins + (again + 1) as f64 * period, 1.0);
            chunks.push(Chunk::new(times, vec![values]));
        }
        let (mut joiner, mut whole, mut kept) = (Joiner::default(), Recording::default(), Vec::new());
        for mut chunk in chunks {
            // A second net and a current of other size and sign.
            let of = |by: f64, and: f64| chunk.columns[0].iter().map(|y| by * y + and).collect();
            chunk.columns = vec![of(1.0, 0.0), of(-0.3, 1.0), of(0.7, 0.2)];
            kept.push(joiner.join(&chunk));
            whole.record(chunk);
        }
        let (pieces, end) = (Pieces(kept), whole.whole().1);
        let (from, to) = (window.0.min(window.1) * end, window.0.max(window.1) * end);
        // Some windows begin and end with turns.
        let turn = |t: f64| if window.2 { begins + ((t - begins) / period).round() * period } else { t }.clamp(0.0, end);
        let span = Span { from: turn(from), to: turn(to) };
        prop_assume!(span.to - span.from > 0.2 * period);
        let length = span.to - span.from;
        let signals = ["x.v", "R1.p"].map(|text| Recipe::new(&circuit, &Signal::parse(text).unwrap()).unwrap());
        let current = Recipe::new(&circuit, &Signal::parse("R1.i").unwrap()).unwrap();
        for (signal, measure) in signals.iter().flat_map(|signal| MEASURES.iter().map(move |m| (signal, m))) {
            let port = measure.of == Subject::Port;
            if !port && measure.of != Subject::Signal {
                continue;
            }
            let numbers: Vec<Option<f64>> = measure.numbers.iter().map(|n| match (n.id, n.default) {
                ("level", _) => Some(level),
                ("crossing" | "number" | "order", _) => Some(f64::from(order)),
                ("above", _) if kind != 1 => Some(3.0 / length / corners.0 * 9.0),
                ("below", _) if kind != 0 => Some(9.0 / length * corners.1),
                ("time", _) => Some(span.from + level.abs() / 8.0 * length),
                (_, default) => default.and_then(|d| d.parse().ok()),
            }).collect();
            let fundamental = if window.2 { 1.0 / period } else { corners.0 * 3.0 / length };
            let Ok(_) = Question::new(measure.id, &numbers, span, Some(fundamental)) else { continue };
            let question = || Question::new(measure.id, &numbers, span, Some(fundamental)).unwrap();
            let taken = || std::iter::once(signal.clone()).chain(port.then(|| current.clone())).collect::<Vec<_>>();
            let (mut folded, mut each) = (Survey::default(), Survey::default());
            let ticket = folded.ask(taken(), span, question());
            each.ask(taken(), span, question());
            folded.pass(&pieces, &known()).unwrap();
            each.pass(&whole, &known()).unwrap();
            // Of what filters leave of an earlier state not every turn is looked at.
            let part = match measure.id {
                ReadingMeasure::Ripple => 1e-7,
                // A root of a small difference, and what is held against what nearly cancels.
                ReadingMeasure::NonactivePower | ReadingMeasure::AlternatingRms | ReadingMeasure::RippleFactor => 1e-7,
                ReadingMeasure::HarmonicDistortion | ReadingMeasure::DisplacementFactor => 1e-6,
                _ => 1e-9,
            };
            agree(folded.answer(ticket), each.answer(ticket), part, &format!("{:?} {numbers:?} {span:?}", measure.id))?;
        }
        for compared in [None, Some(period), Some(3.0 * period), Some(40.0 * period), Some(0.5 * period), Some(1.37 * period)] {
            let band = 0.5 * (level.abs() / 8.0).powi(3);
            let Ok(_) = Question::settled(span, compared, band) else { continue };
            let (mut folded, mut each) = (Survey::default(), Survey::default());
            let ticket = folded.ask(vec![signals[0].clone()], span, Question::settled(span, compared, band).unwrap());
            each.ask(vec![signals[0].clone()], span, Question::settled(span, compared, band).unwrap());
            folded.pass(&pieces, &known()).unwrap();
            each.pass(&whole, &known()).unwrap();
            agree(folded.answer(ticket), each.answer(ticket), 1e-9, &format!("settled {compared:?} {band} {span:?}"))?;
        }
    }

    /// What filters leave of what comes again grows with it, from microvolts to megawatts.
    #[test]
    fn filters_know_no_size(course in prop::collection::vec(-1.0f64..1.0, 4..12), power in -6i32..8, corner in 2.0f64..20.0) {
        let circuit = resolve(&Supply::from_json(SUPPLY).unwrap()).unwrap();
        let recipe = Recipe::new(&circuit, &Signal::parse("x.v").unwrap()).unwrap();
        let ripple = |size: f64| {
            let times: Vec<f64> = (0..=2 * course.len()).map(|k| k as f64).collect();
            let value = |k: usize| size * (3.0 + course[k / 2 % course.len()]);
            let values: Vec<f64> = (0..times.len()).map(value).collect();
            let pieces = Pieces(vec![Chunk { again: 2000, ..Chunk::new(times, vec![values]) }]);
            let (_, end) = pieces.whole();
            let span = Span { from: 0.0, to: end };
            let numbers = [Some(corner / end), Some(20.0 * corner / end)];
            let mut survey = Survey::default();
            let question = Question::new(ReadingMeasure::Ripple, &numbers, span, None).unwrap();
            let ticket = survey.ask(vec![recipe.clone()], span, question);
            survey.pass(&pieces, &known()[..1]).unwrap();
            survey.answer(ticket).unwrap()
        };
        let (one, many) = (ripple(1.0), ripple(10f64.powi(power)) / 10f64.powi(power));
        prop_assert!((one - many).abs() < 1e-9 * one.max(1e-3), "{one} and {many}");
    }

    #[test]
    fn pieces_and_the_whole_give_the_same(
        steps in prop::collection::vec((1e-6f64..1.0, -10.0f64..10.0, -10.0f64..10.0), 2..120),
        cuts in prop::collection::vec(1usize..20, 1..40),
        window in (0.0f64..1.0, 0.0f64..1.0),
        flat in 0usize..4,
    ) {
        let circuit = resolve(&Supply::from_json(SUPPLY).unwrap()).unwrap();
        let mut times = vec![0.0];
        for (length, _, _) in &steps {
            let t = *times.last().unwrap();
            let inner: &[f64] = if *length > 0.5 { &PLACES } else { &[STAGE] };
            times.extend(inner.iter().chain(&[1.0]).map(|place| t + place * length));
        }
        let value = |node: usize, scale: f64| match flat {
            0 => 3.0 + 1e-12 * scale * node as f64,
            _ => { let (_, a, b) = steps[node / 2 % steps.len()]; scale * (if node.is_multiple_of(2) { a } else { b }) },
        };
        let columns: Vec<Vec<f64>> =
            [1.0, 0.3, 2.0].iter().map(|s| (0..times.len()).map(|n| value(n, *s)).collect()).collect();
        // Engines cut after an inner node or at an end, but not where two halves of a step with three inner nodes meet.
        let (mut kept, mut joiner, mut whole, mut at) = (Vec::new(), Joiner::default(), Recording::default(), 0);
        for cut in cuts.iter().cycle() {
            let to = at + 2 * cut;
            let parts = steps_of(&times).any(|(first, last)| last == first + 4 && to == last);
            let to = (to + if parts { 2 } else { 0 }).min(times.len());
            let chunk = Chunk::new(times[at..to].to_vec(), columns.iter().map(|c| c[at..to].to_vec()).collect());
            kept.push(joiner.join(&chunk));
            whole.record(chunk);
            at = to;
            if at == times.len() {
                break;
            }
        }
        let pieces = Pieces(kept);
        prop_assert_eq!(pieces.whole(), whole.whole());
        let end = pieces.whole().1;
        let span = Span { from: window.0.min(window.1) * end, to: window.0.max(window.1) * end };
        prop_assume!(span.from < span.to);
        let known = known();
        for text in ["x.v", "y.v", "R1.i", "R1.p", "x.v - y.v"] {
            let signal = Signal::parse(text).unwrap();
            let recipe = Recipe::new(&circuit, &signal).unwrap();
            let place = |key: &Column| known.iter().position(|k| k == key).map(|k| columns[k].as_slice());
            let values = recipe.evaluate(times.len(), place);
            let wave = Waveform::new(&times, &values);
            for measure in MEASURES.iter().filter(|m| matches!(m.of, Subject::Signal | Subject::Port)) {
                let question = || {
                    let numbers: Vec<Option<f64>> =
                        measure.numbers.iter().map(|n| n.default.and_then(|d| d.parse().ok())).collect();
                    Question::new(measure.id, &numbers, span, Some(1.7 / (span.to - span.from))).unwrap()
                };
                let second = (measure.of == Subject::Port).then(|| Recipe::new(&circuit, &Signal::parse("R1.i").unwrap()).unwrap());
                let signals = || std::iter::once(recipe.clone()).chain(second.clone()).collect();
                let mut cut = Survey::default();
                let ticket = cut.ask(signals(), span, question());
                cut.pass(&pieces, &known).unwrap();
                let mut once = Survey::default();
                once.ask(signals(), span, question());
                once.pass(&whole, &known).unwrap();
                let current = second.as_ref().map(|r| r.evaluate(times.len(), place));
                let alone = wave.ask_beside(current.as_deref().map(|c| Waveform::new(&times, c)), question(), span);
                let bits = |found: Result<f64, _>| found.map(f64::to_bits);
                prop_assert_eq!(bits(cut.answer(ticket)), bits(alone), "{} {:?}", text, measure.id);
                prop_assert_eq!(bits(once.answer(ticket)), bits(alone), "{} {:?}", text, measure.id);
            }
        }
    }
}
