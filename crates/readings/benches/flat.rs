//! Time and peak memory of judging a recording, against its length; and what it saves that what comes again is passed over once.

use circuit::{Circuit, ReadingMeasure, Signal, Supply, resolve};
use mellow_readings::{Question, Recipe, Span, Survey};
use recording::{Chunks, Column, Piece, STAGE, Unreadable, unrolled};
use std::ops::ControlFlow;
use std::time::Instant;

/// A ripple that is computed when it is asked for, a piece at a time.
struct Computed {
    steps: usize,
}

const STEP: f64 = 1e-6;
const STEPS_PER_PIECE: usize = 2048;

impl Chunks for Computed {
    fn whole(&self) -> (f64, f64) {
        (0.0, self.steps as f64 * STEP)
    }

    fn folded(
        &self,
        _from: f64,
        _to: f64,
        columns: &[usize],
        take: &mut dyn FnMut(Piece<'_>),
    ) -> Result<(), Unreadable> {
        for first in (0..self.steps).step_by(STEPS_PER_PIECE) {
            let steps = STEPS_PER_PIECE.min(self.steps - first);
            let time = |node: usize| (first + node / 2) as f64 * STEP + if node % 2 == 1 { STAGE * STEP } else { 0.0 };
            let times: Vec<f64> = (0..=2 * steps).map(time).collect();
            // A triangle of 1 kHz and its slope, the same for every column but for its size.
            let value = |t: f64, column: usize| (1.0 + column as f64) * ((t * 1e3).fract() - 0.5).abs();
            let values: Vec<Vec<f64>> = columns.iter().map(|c| times.iter().map(|t| value(*t, *c)).collect()).collect();
            take(Piece::once(&times, values.iter().map(Vec::as_slice).collect()));
        }
        Ok(())
    }
}

/// Most memory this process has had so far, MB; nothing where the system does not say.
fn peak() -> Option<f64> {
    let status = std::fs::read_to_string("/proc/self/status").ok()?;
    let line = status.lines().find_map(|line| line.strip_prefix("VmHWM:"))?;
    line.trim().trim_end_matches(" kB").parse::<f64>().ok().map(|kilobytes| kilobytes / 1024.0)
}

/// A period of a ripple that comes again and again, handed over once or as often as it comes.
struct Again {
    turns: usize,
    folded: bool,
}

const STEPS_OF_A_TURN: usize = 32;

impl Chunks for Again {
    fn whole(&self) -> (f64, f64) {
        (0.0, (self.turns * STEPS_OF_A_TURN) as f64 * STEP)
    }

    fn folded(&self, from: f64, to: f64, columns: &[usize], take: &mut dyn FnMut(Piece<'_>)) -> Result<(), Unreadable> {
        let times: Vec<f64> = (0..=2 * STEPS_OF_A_TURN).map(|node| 0.5 * node as f64 * STEP).collect();
        let values: Vec<f64> = times.iter().map(|t| (t / (STEPS_OF_A_TURN as f64 * STEP) - 0.5).abs()).collect();
        let columns = columns.iter().map(|_| &values[..]).collect();
        let piece = Piece { times: &times, columns, again: self.turns as u64 - 1 };
        if self.folded {
            take(piece);
        } else {
            let _ = unrolled(&piece, (from, to), &mut |piece| {
                take(piece);
                ControlFlow::Continue(())
            });
        }
        Ok(())
    }
}

/// What is asked of three signals, over the whole.
fn asked(circuit: &Circuit, (from, to): (f64, f64), measures: &[ReadingMeasure]) -> Survey {
    let mut survey = Survey::default();
    for text in SIGNALS {
        let recipe = Recipe::new(circuit, &Signal::parse(text).unwrap()).unwrap();
        for measure in measures {
            let span = Span { from, to };
            survey.ask(vec![recipe.clone()], span, Question::new(*measure, &[], span, Some(1e5)).unwrap());
        }
    }
    survey
}

const SIGNALS: [&str; 3] = ["x.v", "R1.i", "R1.p"];

fn main() {
    let supply = r#"{ "mellow_coil": 1, "title": "loaded", "parts": [
        { "id": "V1", "kind": "dc_source", "pins": { "plus": "x", "minus": "gnd" }, "parameters": { "voltage": "1" } },
        { "id": "R1", "kind": "resistor", "pins": { "a": "x", "b": "gnd" }, "parameters": { "resistance": "1" } }
    ] }"#;
    let circuit = resolve(&Supply::from_json(supply).unwrap()).unwrap();
    let known = ["x.v", "V1.i", "R1.i"].map(|text| {
        let signal = Signal::parse(text).unwrap();
        Column::new(&signal.terms[0].of, signal.quantity())
    });
    use ReadingMeasure as M;
    println!("{:>12} {:>9} {:>22} {:>12}", "nodes", "time", "per node and signal", "peak memory");
    for nodes in [50_000, 500_000, 5_000_000, 50_000_000] {
        let recording = Computed { steps: nodes / 2 };
        let mut survey = asked(&circuit, recording.whole(), &[M::Mean, M::PeakToPeak, M::Frequency]);
        let started = Instant::now();
        survey.pass(&recording, &known).unwrap();
        let seconds = started.elapsed().as_secs_f64();
        let each = 1e9 * seconds / (nodes * SIGNALS.len()) as f64;
        let peak = peak().map_or("unknown".to_owned(), |megabytes| format!("{megabytes:.1} MB"));
        println!("{nodes:>12} {seconds:>7.3} s {each:>19.1} ns {peak:>12}");
    }
    println!("\n{:>12} {:>14} {:>14}", "turns", "each passed", "one passed");
    let measures = [M::Mean, M::PeakToPeak, M::Ripple, M::Frequency, M::Duty, M::SettlingTime, M::HarmonicDistortion];
    for turns in [200, 20_000, 200_000] {
        let [each, one] = [false, true].map(|folded| {
            let recording = Again { turns, folded };
            let mut survey = asked(&circuit, recording.whole(), &measures);
            let started = Instant::now();
            survey.pass(&recording, &known).unwrap();
            1e3 * started.elapsed().as_secs_f64()
        });
        println!("{turns:>12} {each:>11.1} ms {one:>11.1} ms");
    }
}
