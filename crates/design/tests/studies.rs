//! The first studies of a supply fit its circuit.

mod common;

use circuit::kinds::KINDS;
use circuit::{Engine, KindId, Part, Place, Placement, Severity, StudyKind, StudySettings, Supply, Turn, number_in};
use common::{Random, mains, output, stated};
use mellow_design::{Edit, apply, check, studies_proposed, with_strips};
use quantity::Unit;

fn line(supply: &Supply, text: &str) -> Supply {
    apply(supply, &Edit::AddLine { text: text.into(), near: None }).unwrap_or_else(|error| panic!("{text}: {error}"))
}

fn buck(period: f64, choke: f64, reservoir: f64) -> Supply {
    // What is required of the mains plays no part in a circuit that is fed otherwise.
    let lines = [
        "dc source 24 from in to gnd".to_owned(),
        format!("pulse source high=10 period={period:e} width={:e} from g to gnd", 0.5 * period),
        "controlled switch a in b x cp g cn gnd".to_owned(),
        "diode from gnd to x".to_owned(),
        format!("inductor {choke:e} from x to out"),
        format!("capacitor {reservoir:e} from out to gnd"),
        "capacitor 1n from x to gnd".to_owned(),
        "resistor 4 from out to gnd".to_owned(),
    ];
    lines.iter().fold(stated(mains(), vec![]), |supply, text| line(&supply, text))
}

#[test]
fn a_converter_is_offered_its_settled_state_and_its_start() {
    let mut random = Random(9);
    for _ in 0..20 {
        let period = random.within(1e-6, 50e-6);
        let (choke, reservoir) = (random.within(5.0, 20.0) * period, random.within(1.0, 10.0) * period);
        let supply = apply(&buck(period, choke, reservoir), &Edit::AddStudy { kind: None }).unwrap();
        let kinds: Vec<StudyKind> = supply.studies.iter().map(|s| s.kind()).collect();
        assert_eq!(kinds, [StudyKind::Settled, StudyKind::SwitchOn]);
        let lasts = |k: usize| {
            number_in(&supply, &supply.studies[k].course().unwrap().duration, Unit::Second).unwrap() / period
        };
        assert!((1.0..10.0).contains(&lasts(0)) && (300.0..3000.0).contains(&lasts(1)), "{} {}", lasts(0), lasts(1));
        let strips: Vec<String> =
            supply.studies[0].strips.iter().flat_map(|s| &s.traces).map(|t| t.signal.clone()).collect();
        assert_eq!(strips, ["out.v", "L1.i"]);
        // The settled state is offered once.
        assert_eq!(apply(&supply, &Edit::AddStudy { kind: None }).unwrap().studies.len(), 3);
    }
    let rectifier = stated(mains(), vec![output("rail", "12", "100m")]);
    let rectifier = line(&rectifier, "sine source 12 from a to gnd");
    let rectifier = apply(&line(&rectifier, "resistor 1k from a to gnd"), &Edit::AddStudy { kind: None }).unwrap();
    assert_eq!(rectifier.studies.iter().map(|s| s.kind()).collect::<Vec<_>>(), [StudyKind::SwitchOn]);
}

#[test]
fn a_load_step_without_a_step_says_so() {
    let mut supply = apply(&buck(10e-6, 47e-6, 22e-6), &Edit::AddStudy { kind: None }).unwrap();
    let course = supply.studies[1].course().unwrap().clone();
    supply.studies[1].settings = StudySettings::over_time(StudyKind::LoadStep, course);
    let told = |supply: &Supply| check(supply).iter().any(|f| f.rule == "nothing-steps");
    assert!(told(&supply));
    let stepped = apply(&supply, &Edit::AddPart { kind: KindId::SteppedLoad, entry: None, near: None }).unwrap();
    let last = stepped.parts.last().unwrap().id.clone();
    let joined = |supply: &Supply, pin: &str, to: &str| {
        let to = supply.parts.iter().find(|p| p.pins.values().any(|net| net == to)).unwrap();
        let there = to.pins.iter().find(|(_, net)| net.as_str() == if pin == "plus" { "out" } else { "gnd" }).unwrap();
        let edit =
            Edit::Connect { from: (last.clone(), pin.into()), to: (to.id.clone(), there.0.clone()), join: false };
        apply(supply, &edit).unwrap()
    };
    let stepped = joined(&joined(&stepped, "plus", "out"), "minus", "gnd");
    assert!(!told(&stepped), "{:?}", check(&stepped));
}

/// Hundreds of states are said to take a while where they are simulated by switching, and nowhere else.
#[test]
fn very_many_states_are_told_before_a_run_by_switching() {
    let mut supply = apply(&buck(10e-6, 47e-6, 22e-6), &Edit::AddStudy { kind: None }).unwrap();
    let told = |supply: &Supply| check(supply).iter().any(|f| f.rule == "many-states");
    assert!(!told(&supply));
    for k in 100..400 {
        let pins = [("plus".to_owned(), "out".to_owned()), ("minus".to_owned(), "gnd".to_owned())];
        supply.parts.push(Part::new(format!("C{k}"), KindId::Capacitor, pins.into()));
    }
    assert!(told(&supply), "the source pulses");
    let by = |engine: Option<Engine>, pulses: bool| {
        let mut other = supply.clone();
        other.parts.retain(|part| pulses || part.kind != KindId::PulseSource);
        other.studies.iter_mut().for_each(|study| study.engine = engine);
        told(&other)
    };
    assert!(!by(Some(Engine::DeviceLevel), true) && by(Some(Engine::Switched), false) && !by(None, false));
}

/// Each kind that fits a converter, added, is a study that runs as it stands, with something on its strips; a step is read.
#[test]
fn every_kind_is_offered_as_it_can_be_run() {
    let plain = buck(10e-6, 47e-6, 22e-6);
    let offered = studies_proposed(&plain);
    assert_eq!(offered[0].study.kind(), StudyKind::Settled);
    assert!(offered[0].reason.contains("10\u{2009}µs"), "{}", offered[0].reason);
    for kind in
        [StudyKind::Settled, StudyKind::SwitchOn, StudyKind::LoadStep, StudyKind::LineStep, StudyKind::Frequency]
    {
        let supply = apply(&plain, &Edit::AddStudy { kind: Some(kind) }).unwrap_or_else(|error| panic!("{error}"));
        let study = &supply.studies[0];
        assert!(study.kind() == kind && !study.strips.is_empty(), "{study:?}");
        let errors = circuit::check(&supply).into_iter().filter(|f| f.severity == Severity::Error);
        assert_eq!(errors.collect::<Vec<_>>(), [], "{kind:?}");
        let steps = matches!(kind, StudyKind::LoadStep | StudyKind::LineStep);
        assert_eq!(supply.readings.len() >= 6, steps, "{:?}", supply.readings);
        let problems = circuit::resolve(&supply).unwrap().readings.into_iter().filter_map(|r| r.problem);
        assert_eq!(problems.collect::<Vec<_>>(), [] as [String; 0]);
        // Brought without strips it gets the same.
        let mut bare = supply.clone();
        bare.studies[0].strips.clear();
        assert_eq!(with_strips(bare).studies[0].strips, study.strips);
    }
    let step = apply(&plain, &Edit::AddStudy { kind: Some(StudyKind::LoadStep) }).unwrap();
    let made = step.studies[0].step().unwrap();
    let volts = |text: &str| number_in(&step, text, Unit::Ampere).unwrap();
    // 24 V across 4 Ω at most, from half of it.
    assert!(made.part == "R1" && volts(&made.to) == 6.0 && volts(made.from.as_ref().unwrap()) == 3.0, "{made:?}");
    let rests = offered.iter().find(|o| o.study.kind() == StudyKind::OperatingPoint).unwrap();
    let error = apply(&plain, &Edit::AddStudy { kind: Some(StudyKind::OperatingPoint) }).unwrap_err();
    assert!(!rests.fits && error.to_string().contains(&rests.reason), "{error}");
}

/// Whatever parts there are and however they are joined: what is offered as fitting raises no error of its own.
#[test]
fn what_is_offered_fits_whatever_the_circuit() {
    let mut random = Random(4711);
    let mut below = |most: usize| (random.next() * most as f64) as usize;
    for _ in 0..200 {
        let mut supply = stated(mains(), vec![]);
        for n in 0..below(12) {
            let kind = &KINDS[below(KINDS.len())];
            let mut net = |_: &circuit::kinds::Pin| ["gnd", "a", "b", "c", "d"][below(5)].to_owned();
            let pins = kind.pins.iter().map(|pin| (pin.id.to_owned(), net(pin))).collect();
            // With places, as nothing here is about drawing.
            let at = Some(Placement::new(14 * n as i32, 0, Turn::None, false));
            supply.parts.push(Part { at, ..Part::new(format!("X{n}"), kind.id, pins) });
        }
        for offered in studies_proposed(&supply).into_iter().filter(|offered| offered.fits) {
            let kind = offered.study.kind();
            let with = apply(&supply, &Edit::AddStudy { kind: Some(kind) }).unwrap_or_else(|error| panic!("{error}"));
            let own = |f: &circuit::Finding| matches!(f.place, Place::Study { .. }) && f.severity == Severity::Error;
            let found: Vec<_> = circuit::check(&with).into_iter().filter(own).collect();
            assert_eq!(found, [], "{kind:?} of {:?}", supply.parts);
        }
    }
}
