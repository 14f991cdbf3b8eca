//! What is read of a recording: nodes are exact, and what lies between them is as close as it is said to be.

mod common;

use common::{Run, circuit, controlled, converters, tried};

/// Mean, RMS, least and most of a signal over the last quarter.
fn read(run: &Run, signal: &str, end: f64) -> [f64; 4] {
    run.measure(signal, 0.75 * end, end, |wave, span| {
        let (least, most) = wave.extremes(span).unwrap();
        [wave.mean(span).unwrap(), wave.rms(span).unwrap(), least, most]
    })
}

/// At the tolerance studies begin with, quartics follow to 1e-5 of full scale: of every voltage, current and power of every converter
/// extremes are within twice that of those followed a thousand times closer, RMS values within a tenth, means within a hundredth.
#[test]
fn readings_hardly_hang_on_how_closely_a_recording_follows() {
    // Pulses of constant on-time that never come round part from each other by what rounding makes of their instants.
    let all = converters::all().into_iter().chain(controlled::all());
    for (name, rows, end, _) in all.filter(|(name, ..)| !name.contains("constant on-time")) {
        let circuit = circuit(&rows);
        let [coarse, fine] = [1e-5, 1e-8].map(|tolerance| tried(circuit.clone(), end, 0.0, tolerance).unwrap());
        assert!(coarse.recording.times.len() < fine.recording.times.len(), "{name}");
        for column in &coarse.columns {
            let signal = format!("{}.{}", column.of, column.quantity.letter());
            let full = fine.values(&signal).iter().fold(0.0f64, |most, v| most.max(v.abs()));
            let [a, b] = [&coarse, &fine].map(|run| read(run, &signal, end));
            for (k, allowed) in [1e-7, 1e-6, 2e-5, 2e-5].into_iter().enumerate() {
                // What is next to nothing has no scale.
                let off = (a[k] - b[k]).abs() / full.max(1e-6);
                assert!(off < allowed, "{name}, {} of {signal}: {off:.1e}", ["mean", "RMS", "least", "most"][k]);
            }
        }
    }
}
