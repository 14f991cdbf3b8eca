//! Every stage, simulated as sized, keeps what its sizing promised.

mod common;

use circuit::{Course, KindId, Study, StudySettings, Supply, resolve};
use common::{
    Random, chain, chosen, direct_supplies, mains, mains_supplies, output, ran, set_line, several_wires, stated,
};
use mellow_design::{Edit, Line, apply, promised};
use quantity::show;
use readings::{Span, Waveform};

/// No source rises at once; what capacitances of transistors pass on before is left out, s.
const FIRST_INSTANTS: f64 = 1e-6;
/// Promises are kept within this, relative to what is promised.
const KEPT: f64 = 0.1;

/// A supply that serves no output has no study of its own yet.
fn with_study(mut supply: Supply) -> Supply {
    if supply.studies.is_empty() {
        let course = Course::lasting(mellow_design::studies_for(&supply).duration.text);
        supply.studies.push(Study::new("run", "Run", StudySettings::SwitchOn(course)));
    }
    supply
}

/// Runs a supply, sized, at every line and holds every promise of every stage against what it shows.
fn keeps(supply: &Supply) -> Vec<String> {
    let supply = with_study(apply(supply, &Edit::SizeAll).unwrap());
    let source = circuit::demands(&supply).0.unwrap();
    let lines = [(Line::Nominal, source.nominal), (Line::Lowest, source.lowest), (Line::Highest, source.highest)];
    let lines = lines.iter().filter(|(line, v)| *line == Line::Nominal || *v != source.nominal);
    lines.flat_map(|(line, voltage)| keeps_at(&supply, *line, *voltage)).collect()
}

fn keeps_at(sized: &Supply, line: Line, voltage: f64) -> Vec<String> {
    let mut supply = sized.clone();
    set_line(&mut supply, voltage);
    let circuit = resolve(&supply).unwrap_or_else(|f| panic!("{f:#?}\n{supply:#?}"));
    let study = &supply.studies[0].id;
    let (recording, outcome) = ran(&circuit, study);
    assert!(matches!(outcome.end, studies::End::Done), "{:?}", outcome.end);
    let equations = device::Equations::new(&circuit);
    let recorded = common::Recorded::new(&circuit, equations.columns(), &recording);
    let end = *recording.times.last().unwrap();
    let span = Span { from: end - 0.02f64.min(0.2 * end), to: end };
    let mut broken = Vec::new();
    for (stage, promises) in promised(sized, line) {
        for promise in promises {
            let span = if promise.at_most { Span { from: FIRST_INSTANTS, to: end } } else { span };
            let values = recorded.values(&promise.signal);
            let found = Waveform::new(&recording.times, &values).measure(promise.measure, span).unwrap();
            println!(
                "{line:?} {:<28} {:<28} promised {:>10} found {:>10} {:+.1} %",
                stage.title,
                promise.title,
                show(promise.value, promise.unit, 4),
                show(found, promise.unit, 4),
                100.0 * (found / promise.value - 1.0)
            );
            let off = found / promise.value - 1.0;
            if if promise.at_most { off > 0.0 } else { off.abs() > KEPT } {
                broken.push(format!("{line:?}: {} {}: {} for {}", stage.title, promise.title, found, promise.value));
            }
        }
    }
    broken
}

#[test]
fn mains_supplies_keep_their_promises() {
    let mut broken = Vec::new();
    for supply in mains_supplies() {
        broken.extend(keeps(&supply));
    }
    assert!(broken.is_empty(), "{broken:#?}");
}

#[test]
fn direct_supplies_keep_their_promises() {
    let mut broken = Vec::new();
    for supply in direct_supplies() {
        broken.extend(keeps(&supply));
    }
    assert!(broken.is_empty(), "{broken:#?}");
}

#[test]
fn three_phases_two_rails_and_other_devices_keep_their_promises() {
    let mut broken = Vec::new();
    for supply in several_wires().into_iter().chain(chosen()) {
        broken.extend(keeps(&supply));
    }
    assert!(broken.is_empty(), "{broken:#?}");
}

/// Rectifiers with what makes a reservoir of them, and regulators, of which any may stand behind any.
const FRONTS: [&[&str]; 5] = [
    &["transformer", "half_wave", "reservoir"],
    &["transformer", "bridge", "reservoir"],
    &["centre_tapped_transformer", "centre_tap_rectifier", "reservoir"],
    &["transformer", "doubler"],
    &["transformer", "bridge", "clc_filter"],
];
const REGULATORS: [&str; 6] =
    ["zener_follower", "zener_shunt", "fixed_regulator", "adjustable_regulator", "follower_regulator", "low_dropout"];

/// Nobody drew these; what sizing warned of, with and without its load, is left out.
#[test]
fn no_regulator_behind_any_rectifier_rises_above_what_it_promised() {
    let count = std::env::var("MELLOW_COIL_VARIED").ok().and_then(|t| t.parse().ok()).unwrap_or(12);
    let mut random = Random(5);
    let (mut broken, mut kept) = (Vec::new(), 0);
    for turn in 0..count {
        let pick = |r: f64, of: usize| ((r * of as f64) as usize).min(of - 1);
        let (front, regulator) = (FRONTS[pick(random.next(), FRONTS.len())], REGULATORS[turn % REGULATORS.len()]);
        let volts = [5.0, 6.0, 9.0, 12.0, 15.0, 24.0][pick(random.next(), 6)];
        let most = if regulator == "zener_shunt" { 30e-3 } else { 1.0 };
        let current = random.within(5e-3, most);
        let wanted = output("rail", &format!("{volts}"), &format!("{current:.4e}"));
        let forms = [&["mains"], front, &[regulator, "current_load"]].concat();
        let supply = apply(&chain(&stated(mains(), vec![wanted]), &forms), &Edit::SizeAll).unwrap();
        if !mellow_design::check(&supply).is_empty() {
            continue;
        }
        kept += 1;
        for share in [1.0, 0.01] {
            let mut loaded = supply.clone();
            let drain = loaded.parts.iter_mut().find(|p| p.kind == KindId::CurrentLoad).unwrap();
            drain.parameters.insert("current".into(), format!("{:e}", share * current));
            let found = keeps_at(&loaded, Line::Highest, 253.0);
            broken.extend(found.into_iter().filter(|t| t.contains("Highest,")).map(|t| format!("{forms:?}: {t}")));
        }
    }
    assert!(kept * 4 >= count, "too few to tell anything: {kept}");
    assert!(broken.is_empty(), "{broken:#?}");
}
