//! What one edit costs as supplies grow: the drawing with all its wires found anew, and all checks.
#![allow(missing_docs)]

use circuit::{OutputDemand, SourceDemand, SourceKind, Supply};
use criterion::{Criterion, criterion_group, criterion_main};
use mellow_design::{Edit, Place, apply};
use std::collections::BTreeMap;
use std::time::{Duration, Instant};

fn done(supply: &Supply, edit: &Edit) -> Supply {
    apply(supply, edit).unwrap_or_else(|error| panic!("{error}"))
}

/// A regulated mains supply.
fn one() -> Supply {
    let text = |t: &str| Some(t.to_owned());
    let source = SourceDemand {
        kind: SourceKind::Mains,
        voltage: "230".into(),
        lowest: text("207"),
        highest: text("253"),
        frequency: text("50"),
    };
    let output = OutputDemand {
        id: "rail".into(),
        title: "Rail".into(),
        voltage: "9".into(),
        current: "250m".into(),
        accuracy: None,
        ripple: None,
    };
    let mut supply = done(&Supply::new("bench"), &Edit::State { source: Some(source), outputs: vec![output] });
    let mut after = None;
    for form in ["mains", "transformer", "bridge", "reservoir", "low_dropout", "resistive_load"] {
        let place = Place { after, joint: 0 };
        let edit = Edit::Add { form: form.into(), place, between: false, choices: BTreeMap::new() };
        supply = done(&supply, &edit);
        after = supply.stages.last().map(|s| s.id.clone());
    }
    supply
}

/// The same beneath each other, until there are so many parts.
fn several(parts: usize) -> Supply {
    let mut supply = one();
    let first = supply.parts.clone();
    let mut row = 0;
    while supply.parts.len() < parts {
        row += 30;
        supply = done(&supply, &Edit::Paste { parts: first.clone(), by: (0, row) });
    }
    supply.parts.truncate(parts);
    supply
}

fn best(mut work: impl FnMut()) -> Duration {
    let once = |work: &mut dyn FnMut()| {
        let start = Instant::now();
        work();
        start.elapsed()
    };
    (0..5).map(|_| once(&mut work)).min().unwrap_or_default()
}

fn growth(criterion: &mut Criterion) {
    println!("time of one edit against the count of parts");
    for parts in [20, 60, 120, 250, 500, 1000] {
        let supply = several(parts);
        let drawn = best(|| drop(drawing::draw(&supply)));
        let checked = best(|| drop(circuit::check(&supply)));
        let sized = best(|| drop(mellow_design::check(&supply)));
        println!("  {parts:5} parts: drawing {drawn:9.2?}, checks {checked:9.2?}, sizing checks {sized:9.2?}");
    }
    let supply = several(500);
    criterion.bench_function("drawing of 500 parts", |b| b.iter(|| drawing::draw(&supply)));
}

criterion_group! {
    name = benches;
    config = Criterion::default().sample_size(10);
    targets = growth
}
criterion_main!(benches);
