//! What makes pulses, against edges that are known: in both engines, right behind each edge and right before the next.

use super::{Row, Run, circuit, device_run, tried};
use circuit::KindId::{PulseSource, Resistor, SineSource};
use proptest::prelude::*;

/// What the output reaches: 5 V behind 50 Ω into 10 kΩ.
pub const FULL: f64 = 5.0 * 10e3 / 10.05e3;
/// What an edge may take at device level: some time constants of an output.
const SLACK: f64 = 80e-9;
const NAMES: [&str; 2] = ["by switching", "at device level"];

/// A sine about a level: its level and amplitude, V, its frequency, Hz.
#[derive(Clone, Copy, Debug)]
pub struct Wave(pub [f64; 3]);

impl Wave {
    pub fn at(self, t: f64) -> f64 {
        let [level, amplitude, frequency] = self.0;
        level + amplitude * (std::f64::consts::TAU * frequency * t).sin()
    }
}

/// A train of straight edges: low, high, V; delay, rise, width, fall, period, s.
#[derive(Clone, Copy, Debug)]
pub struct Ramps(pub [f64; 7]);

impl Ramps {
    pub fn at(self, t: f64) -> f64 {
        let [low, high, delay, rise, width, fall, period] = self.0;
        let since = if t < delay { 0.0 } else { (t - delay) % period };
        let part = if since < rise { since / rise } else { 1.0 - ((since - rise - width) / fall).clamp(0.0, 1.0) };
        low + (high - low) * part
    }
}

/// Values of a part as text.
pub type Values = Vec<(&'static str, String)>;

pub fn values<const N: usize>(all: [(&'static str, f64); N]) -> Values {
    all.map(|(name, value)| (name, format!("{value:e}"))).to_vec()
}

/// What a row of a circuit borrows.
pub fn borrowed(values: &Values) -> Vec<(&'static str, &str)> {
    values.iter().map(|(name, value)| (*name, value.as_str())).collect()
}

pub fn wave(Wave([offset, amplitude, frequency]): Wave) -> Values {
    let mut all = values([("offset", offset), ("amplitude", amplitude), ("frequency", frequency)]);
    all.push(("amplitude_as", "peak".to_owned()));
    all
}

pub fn ramps(Ramps([low, high, delay, rise, width, fall, period]): Ramps) -> Values {
    values([
        ("low", low),
        ("high", high),
        ("delay", delay),
        ("rise", rise),
        ("width", width),
        ("fall", fall),
        ("period", period),
    ])
}

/// Runs a part between a sine on net c, ramps on net s and loads on nets y and z in both engines.
pub fn both(part: Row<'_>, control: Wave, sense: Ramps, end: f64) -> [Run; 2] {
    let (control, sense) = (wave(control), ramps(sense));
    let (control, sense) = (borrowed(&control), borrowed(&sense));
    let load: [(&str, &str); 1] = [("resistance", "10k")];
    let second = part.2.split(' ').any(|net| net == "z").then_some(("RZ", Resistor, "z gnd", &load[..]));
    let rows = [
        ("VC", SineSource, "c gnd", &control[..]),
        ("VS", PulseSource, "s gnd", &sense[..]),
        part,
        ("RC", Resistor, "c gnd", &load),
        ("RS", Resistor, "s gnd", &load),
        ("RY", Resistor, "y gnd", &load),
    ];
    let rows: Vec<Row<'_>> = rows.into_iter().chain(second).collect();
    let circuit = circuit(&rows);
    let switched = tried(circuit.clone(), end, 0.0, 1e-6).unwrap_or_else(|error| panic!("{error}"));
    [switched, device_run(circuit, end, end / 2000.0, 1e-4)]
}

/// A signal at a time, V.
pub fn level(run: &Run, signal: &str, t: f64) -> f64 {
    run.measure(signal, t, t + 1e-12, |waveform, span| waveform.mean(span).unwrap())
}

/// A signal goes up to its full height and down as the edges say, the first of which finds it low.
pub fn follows(runs: &[Run; 2], signal: &str, edges: &[(f64, bool)], end: f64) -> Result<(), TestCaseError> {
    prop_assume!(edges.iter().all(|(at, _)| !at.is_nan()));
    let mut all = vec![(0.0, false)];
    for edge in edges.iter().filter(|(at, _)| *at < end) {
        match all.last() {
            // A pulse or pause of no length is none.
            Some((at, _)) if edge.0 - at < 1e-12 => {
                all.pop();
                all.push(*edge);
            }
            Some((_, up)) if *up == edge.1 => {}
            _ => all.push(*edge),
        }
    }
    let ends = all.iter().skip(1).map(|(at, _)| *at).chain([end]);
    for ((from, up), to) in all.iter().zip(ends) {
        for ((run, by), clear) in runs.iter().zip(NAMES).zip([2e-10, SLACK]) {
            if to - from < 2.0 * clear {
                continue;
            }
            for t in [from + clear, 0.5 * (from + to), to - clear - 1e-12] {
                let (found, wanted) = (level(run, signal, t), if *up { FULL } else { 0.0 });
                let message = format!("{by}: {found} V for {wanted} at {t:e} s, between {from:e} and {to:e}");
                prop_assert!((found - wanted).abs() < 0.02, "{}", message);
            }
        }
    }
    Ok(())
}

/// What a function comes near zero by without being sure to pass it, V.
const TOUCHES: f64 = 2e-3;

/// When a function first falls below zero between two times, s; no number where it touches zero before, for who is to say.
pub fn falls(from: f64, to: f64, f: impl Fn(f64) -> f64) -> Option<f64> {
    const PLACES: u32 = 2000;
    let place = |k: u32| from + (to - from) * f64::from(k) / f64::from(PLACES);
    if from.is_nan() || f(from) < 0.0 {
        return Some(from);
    }
    let found = (1..=PLACES).find(|k| f(place(*k)) < 0.0);
    let dips =
        (1..found.unwrap_or(PLACES)).filter(|k| [k - 1, k + 1].iter().all(|beside| f(place(*beside)) >= f(place(*k))));
    if dips.into_iter().any(|k| least(place(k - 1), place(k + 1), &f) < TOUCHES) {
        return Some(f64::NAN);
    }
    let found = found?;
    let (mut a, mut b) = (place(found - 1), place(found));
    for _ in 0..60 {
        let middle = 0.5 * (a + b);
        if f(middle) < 0.0 { b = middle } else { a = middle }
    }
    Some(b)
}

/// The least value of a function that falls and rises between two times.
fn least(mut a: f64, mut b: f64, f: impl Fn(f64) -> f64) -> f64 {
    for _ in 0..60 {
        let (c, d) = (a + (b - a) / 3.0, b - (b - a) / 3.0);
        if f(c) < f(d) { b = d } else { a = c }
    }
    f(0.5 * (a + b))
}
