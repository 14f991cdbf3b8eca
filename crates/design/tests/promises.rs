//! Every stage, simulated as sized, keeps what its sizing promised.

mod common;

use circuit::{OutputDemand, Signal, SourceDemand, SourceKind, Study, StudyKind, Supply, resolve};
use common::{chain, direct, mains, output, stated, text};
use mellow_design::{Edit, apply, size};
use quantity::show;
use readings::{Span, Waveform};
use std::collections::BTreeMap;

/// Promises are kept within this, relative to what is promised.
const KEPT: f64 = 0.1;

/// A supply that serves no output has no study of its own yet.
fn with_study(mut supply: Supply) -> Supply {
    if supply.studies.is_empty() {
        supply.studies.push(Study {
            id: "run".into(),
            kind: StudyKind::SwitchOn,
            title: "Run".into(),
            duration: mellow_design::studies_for(&supply).duration.text,
            record_from: None,
            max_step: None,
            tolerance: None,
            strips: Vec::new(),
        });
    }
    supply
}

/// Runs a supply and holds every promise of every stage against what it shows.
fn keeps(supply: &Supply) -> Vec<String> {
    let supply = with_study(apply(supply, &Edit::SizeAll).unwrap());
    let circuit = resolve(&supply).unwrap_or_else(|f| panic!("{f:#?}\n{supply:#?}"));
    let study = &supply.studies[0].id;
    let (recording, outcome) = studies::run(&circuit, study, &mut engine::Recording::default()).unwrap();
    assert!(matches!(outcome.end, studies::End::Done), "{:?}", outcome.end);
    let equations = engine::Equations::new(&circuit);
    let recorded = studies::Recorded::new(&circuit, equations.columns(), &recording);
    let end = *recording.times.last().unwrap();
    let span = Span { from: end - 0.02f64.min(0.2 * end), to: end };
    let mut broken = Vec::new();
    for stage in &supply.stages {
        let proposal = size(&supply, &stage.id, &BTreeMap::new()).unwrap();
        for promise in proposal.promises {
            let values = recorded.values(&Signal::parse(&promise.signal).unwrap()).unwrap();
            let found = Waveform::new(&recording.times, &values).measure(promise.measure, span).unwrap();
            println!(
                "{:<28} {:<28} promised {:>10} found {:>10} {:+.1} %",
                stage.title,
                promise.title,
                show(promise.value, promise.unit, 4),
                show(found, promise.unit, 4),
                100.0 * (found / promise.value - 1.0)
            );
            if (found / promise.value - 1.0).abs() > KEPT {
                broken.push(format!("{} {}: {} for {}", stage.title, promise.title, found, promise.value));
            }
        }
    }
    broken
}

/// Chains that between them use every form that promises something.
const MAINS_CHAINS: &[(&str, &[&str])] = &[
    ("9 250m", &["mains", "transformer", "bridge", "reservoir", "fixed_regulator", "resistive_load"]),
    ("12 400m", &["mains", "centre_tapped_transformer", "centre_tap_rectifier", "reservoir", "adjustable_regulator", "current_load"]),
    ("5 30m", &["mains", "transformer", "half_wave", "reservoir", "zener_follower", "resistive_load"]),
    ("24 100m", &["mains", "transformer", "doubler", "fixed_regulator", "resistive_load"]),
    ("15 500m", &["mains", "transformer", "bridge", "clc_filter", "follower_regulator", "resistive_load"]),
    ("12 20m", &["mains", "transformer", "bridge", "reservoir", "rc_filter", "zener_shunt", "resistive_load"]),
    ("5 200m", &["mains", "inrush_resistor", "transformer", "bridge", "reservoir", "low_dropout", "power_load"]),
    ("12 1", &["mains", "isolating_transformer", "inrush_ntc", "transformer", "bridge", "reservoir", "fixed_regulator", "resistive_load"]),
    ("48 2", &["mains", "transformer", "bypassed_inrush_resistor", "bridge", "reservoir", "overvoltage_clamp", "resistive_load"]),
];

#[test]
fn mains_supplies_keep_their_promises() {
    let mut broken = Vec::new();
    for (rail, forms) in MAINS_CHAINS {
        let (voltage, current) = rail.split_once(' ').unwrap();
        println!("{rail}");
        broken.extend(keeps(&chain(&stated(mains(), vec![output("rail", voltage, current)]), forms)));
    }
    assert!(broken.is_empty(), "{broken:#?}");
}

#[test]
fn direct_supplies_keep_their_promises() {
    let rail = |v: &str, i: &str| vec![output("rail", v, i)];
    let mut broken = Vec::new();
    for (source, outputs, forms) in [
        (direct("6.6"), rail("5", "200m"), &["battery", "low_dropout", "resistive_load"][..]),
        (direct("12"), rail("5", "100m"), &["dc_source", "lc_filter", "fixed_regulator", "stepped_load"]),
        (direct("5"), rail("5", "100m"), &["dc_source", "pulsed_load"]),
        (direct("24"), vec![], &["dc_source", "indicator"]),
        (direct("30"), rail("12", "10m"), &["dc_source", "zener_split"]),
        (direct("25"), vec![], &["pulse_source", "gate_clamp"]),
        (direct("12"), rail("5", "100m"), &["dc_source", "reservoir", "adjustable_regulator", "current_load"]),
    ] {
        println!("{forms:?}");
        broken.extend(keeps(&chain(&stated(source, outputs), forms)));
    }
    assert!(broken.is_empty(), "{broken:#?}");
}

#[test]
fn three_phases_and_two_rails_keep_their_promises() {
    let three = SourceDemand { kind: SourceKind::ThreePhaseMains, ..mains() };
    let bus = output("bus", "520", "1");
    let mut broken = keeps(&chain(
        &stated(three, vec![OutputDemand { accuracy: text("0.2"), ripple: text("30"), ..bus }]),
        &["three_phase_mains", "three_phase_bridge", "reservoir", "resistive_load"],
    ));
    let rails = vec![output("pos", "15", "100m"), output("neg", "-15", "100m")];
    let split = chain(
        &stated(mains(), rails),
        &["mains", "centre_tapped_transformer", "dual_rail_bridge", "split_reservoir", "split_regulators", "split_load"],
    );
    broken.extend(keeps(&split));
    assert!(broken.is_empty(), "{broken:#?}");
}
