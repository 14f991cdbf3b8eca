//! Figures taken piece by piece are those taken at once, to the bit, however a recording is cut.

use circuit::{MEASURES, Signal, Subject, Supply, resolve};
use mellow_readings::{Question, Recipe, Span, Survey, Waveform};
use proptest::prelude::*;
use recording::{
    Chunk, Chunks, Column, Joiner, Observer, PLACES, Piece, Recording, STAGE, Unreadable, steps as steps_of,
};

/// Pieces as they are kept.
struct Pieces(Vec<Chunk>);

impl Chunks for Pieces {
    fn whole(&self) -> (f64, f64) {
        let last = self.0.last().unwrap();
        (self.0[0].times[0], last.times[(last.times.len() - 1) / 2 * 2])
    }
    fn pieces(&self, from: f64, to: f64, columns: &[usize], take: &mut dyn FnMut(Piece<'_>)) -> Result<(), Unreadable> {
        for chunk in self.0.iter().filter(|c| c.times[0] <= to && *c.times.last().unwrap() >= from) {
            take(Piece {
                times: &chunk.times,
                columns: columns.iter().map(|c| chunk.columns[*c].as_slice()).collect(),
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

proptest! {
    #![proptest_config(ProptestConfig::with_cases(200))]
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
        let known: Vec<Column> = [("x", 'v'), ("y", 'v'), ("R1", 'i')]
            .map(|(of, letter)| {
                let signal = Signal::parse(&format!("{of}.{letter}")).unwrap();
                Column::new(of, signal.quantity())
            })
            .to_vec();
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
