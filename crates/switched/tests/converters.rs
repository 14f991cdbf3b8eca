//! Converters and rectifiers by switching and at device level: at start-up, settled, and where a load steps.

mod common;

use common::{Row, circuit, controlled, converters, device_run, run};

type Case<'a> = (&'a str, Vec<Row<'a>>, f64, &'a [&'a str]);

/// Mean, RMS, extremes and ripple at start-up, on the way or settled, and at the end, which is after a load has stepped where one does.
fn agree(all: Vec<Case<'_>>) {
    for (name, rows, end, signals) in all {
        let ours = run(circuit(&rows), end);
        let theirs = device_run(circuit(&rows), end, end / 500.0, 2e-5);
        for (from, to) in [(0.0, 0.2 * end), (0.45 * end, 0.65 * end), (0.8 * end, end)] {
            for signal in signals {
                let [a, b] = [&ours, &theirs].map(|run| {
                    run.measure(signal, from, to, |w, s| {
                        let (low, high) = w.extremes(s).unwrap();
                        [w.mean(s).unwrap(), w.rms(s).unwrap(), low, high]
                    })
                });
                let swings = [a[3] - a[2], b[3] - b[2]];
                // A Zener's characteristic is a straight line by switching: what is left of the ripple across it hangs on its slope.
                let close = if *signal == "z.v" { 0.1 } else { 0.01 };
                assert!(
                    (swings[0] - swings[1]).abs() < close * swings[1],
                    "{name}, ripple of {signal} from {from}: {swings:?}"
                );
                let scale = b.iter().fold(0.0, |most: f64, v| most.max(v.abs()));
                for (k, what) in ["mean", "RMS", "least", "most"].into_iter().enumerate() {
                    assert!(
                        (a[k] - b[k]).abs() < 0.01 * scale,
                        "{name}, {what} of {signal} from {from}: {} for {}",
                        a[k],
                        b[k]
                    );
                }
            }
        }
    }
}

#[test]
fn both_engines_agree() {
    agree(converters::all());
}

#[test]
fn both_engines_agree_where_control_parts_close_the_loop() {
    agree(controlled::all());
}
