//! Changes of the power path keep the circuit joined and lose nothing that was done by hand.

mod common;

use circuit::{Severity, Supply, check};
use common::{add, chain, mains, output, stated};
use mellow_design::{Edit, FORMS, Place, apply, size};
use proptest::prelude::*;
use std::collections::{BTreeMap, BTreeSet};

fn regulated() -> Supply {
    let supply = stated(mains(), vec![output("rail", "9", "250m")]);
    chain(&supply, &["mains", "transformer", "bridge", "reservoir", "fixed_regulator", "resistive_load"])
}

fn done(supply: &Supply, edit: Edit) -> Supply {
    apply(supply, &edit).unwrap_or_else(|error| panic!("{error}"))
}

fn errors(supply: &Supply) -> Vec<String> {
    check(supply).into_iter().filter(|f| f.severity == Severity::Error).map(|f| f.to_string()).collect()
}

fn net(supply: &Supply, part: &str, pin: &str) -> String {
    supply.part(part).unwrap().pins[pin].clone()
}

fn set(supply: &mut Supply, part: &str, parameter: &str, text: &str) {
    let part = supply.parts.iter_mut().find(|p| p.id == part).unwrap();
    part.parameters.insert(parameter.into(), text.into());
}

#[test]
fn a_stage_put_between_joins_what_follows() {
    let supply = add(&regulated(), "rc_filter", Some("reservoir"), true);
    assert_eq!(errors(&supply), [""; 0]);
    assert_eq!(supply.stage("fixed_regulator").unwrap().after.as_deref(), Some("rc_filter"));
    // The regulator hangs on the filter now, the reservoir still on the bus.
    assert_eq!((net(&supply, "U1", "in"), net(&supply, "C1", "plus")), ("filtered".into(), "bus".into()));
    // Taken out again, everything is as it was.
    let back = done(&supply, Edit::Remove { stage: "rc_filter".into() });
    assert_eq!((errors(&back).len(), net(&back, "U1", "in")), (0, "bus".into()));
    assert_eq!(back.stages.len(), regulated().stages.len());
}

/// A chain that grows wide goes on beneath, whether it is put together stage by stage or tidied: nothing stands far out to
/// the right, no row is empty, and the order of rows is that of the path.
#[test]
fn long_chains_go_on_in_rows_beneath() {
    let mut supply = regulated();
    for (form, after) in [("rc_filter", "reservoir"), ("lc_filter", "rc_filter")] {
        supply = add(&supply, form, Some(after), true);
    }
    let tidied = done(&supply, Edit::Tidy { parts: Vec::new(), keep: false });
    for supply in [&supply, &tidied] {
        assert!(supply.stages.len() >= 8, "{}", supply.stages.len());
        assert!(supply.parts.iter().filter_map(|p| p.at).all(|at| at.x <= 86), "a stage put between folds the path");
        assert_eq!(errors(supply), [""; 0]);
    }
    let (mut rows, mut last) = (vec![Vec::new()], i32::MIN);
    for stage in &tidied.stages {
        let own = tidied.parts.iter().filter(|p| p.stage.as_ref() == Some(&stage.id)).filter_map(|p| p.at);
        let left = own.clone().map(|at| at.x).min().unwrap();
        assert!(own.clone().all(|at| (0..=86).contains(&at.x)), "{}", stage.id);
        if left < last {
            rows.push(Vec::new());
        }
        last = left;
        rows.last_mut().unwrap().extend(own.map(|at| at.y));
    }
    assert!(rows.len() > 1, "{rows:?}");
    for pair in rows.windows(2) {
        let (above, below) = (pair[0].iter().max().unwrap(), pair[1].iter().min().unwrap());
        assert!((4..34).contains(&(below - above)), "rows {above} and {below} stand apart or run into one another");
    }
}

#[test]
fn a_branch_hangs_on_the_same_bus() {
    let mut supply = regulated();
    supply.outputs.push(output("second", "5", "100m"));
    let supply = add(&supply, "adjustable_regulator", Some("reservoir"), false);
    let supply = add(&supply, "current_load", Some("adjustable_regulator"), false);
    assert_eq!(errors(&supply), [""; 0]);
    assert_eq!(net(&supply, "U1", "in"), net(&supply, "U2", "in"));
    // It serves the output that was still open, is judged by it, and stands in a row of its own.
    assert_eq!(supply.stage("adjustable_regulator").unwrap().choices["output"], "second");
    assert!(supply.requirements.iter().any(|r| r.id == "second_mean"));
    let heights = |stage: &str| -> Vec<i32> {
        supply.parts.iter().filter(|p| p.stage.as_deref() == Some(stage)).map(|p| p.at.unwrap().y).collect()
    };
    let lowest = heights("fixed_regulator").into_iter().chain(heights("resistive_load")).max();
    assert!(heights("adjustable_regulator").into_iter().min() > lowest.map(|y| y + 8));
    // The bus carries both now: sizing the reservoir again takes a larger one.
    let larger = done(&supply, Edit::SizeAll);
    let microfarads =
        |s: &Supply| quantity::parse(&s.part("C1").unwrap().parameters["capacitance"], quantity::Unit::Farad).unwrap();
    assert!(microfarads(&larger) > microfarads(&supply), "{} {}", microfarads(&larger), microfarads(&supply));
}

#[test]
fn an_output_taken_back_is_judged_no_longer() {
    let supply = regulated();
    assert_eq!(supply.requirements.len(), 2);
    let without = done(&supply, Edit::State { source: supply.source.clone(), outputs: Vec::new() });
    assert_eq!((without.requirements.len(), without.readings.len(), errors(&without).len()), (0, 0, 0));
}

#[test]
fn another_form_keeps_what_still_applies() {
    let mut supply = regulated();
    set(&mut supply, "D1", "series_resistance", "77m");
    let half = done(&supply, Edit::Replace { stage: "bridge".into(), form: "half_wave".into() });
    assert_eq!(errors(&half), [""; 0]);
    // One diode is left, with the value set by hand; the winding's return is the reference now.
    assert_eq!(half.part("D1").unwrap().parameters["series_resistance"], "77m");
    assert!(half.part("D2").is_none() && net(&half, "T1", "s2") == "gnd" && net(&half, "C1", "plus") == "bus");
    assert_eq!(half.stage("bridge").unwrap().title, "Half-wave rectifier");
    // And back: a bridge on a grounded winding would be a short circuit, so the winding floats again.
    let bridge = done(&half, Edit::Replace { stage: "bridge".into(), form: "bridge".into() });
    assert_eq!(errors(&bridge), [""; 0]);
    assert!(net(&bridge, "T1", "s2") != "gnd" && net(&bridge, "T1", "s2") == net(&bridge, "D4", "k"));
    assert_eq!(bridge.parts.iter().filter(|p| p.kind == circuit::KindId::Diode).count(), 4);
}

#[test]
fn values_set_by_hand_survive_sizing_again() {
    let mut supply = regulated();
    set(&mut supply, "C1", "capacitance", "4700u");
    let again = Edit::Size {
        stage: "reservoir".into(),
        choices: BTreeMap::from([("ripple".into(), "0.5".into())]),
        everything: false,
    };
    let kept = done(&supply, again.clone());
    assert_eq!(kept.part("C1").unwrap().parameters["capacitance"], "4700u");
    let proposal = size(&kept, "reservoir", &kept.stage("reservoir").unwrap().choices).unwrap();
    assert_eq!(proposal.parts[0].by_hand, ["capacitance"]);
    let Edit::Size { stage, choices, .. } = again else { unreachable!() };
    let all = done(&kept, Edit::Size { stage, choices, everything: true });
    assert_ne!(all.part("C1").unwrap().parameters["capacitance"], "4700u");
}

#[test]
fn stages_change_places_and_are_copied() {
    let supply = add(&regulated(), "lc_filter", Some("reservoir"), true);
    let supply = add(&supply, "rc_filter", Some("lc_filter"), true);
    let moved = done(&supply, Edit::MoveEarlier { stage: "rc_filter".into() });
    assert_eq!(errors(&moved), [""; 0]);
    assert_eq!(moved.stage("lc_filter").unwrap().after.as_deref(), Some("rc_filter"));
    assert_eq!(moved.stage("rc_filter").unwrap().after.as_deref(), Some("reservoir"));
    let copied = done(&regulated(), Edit::Duplicate { stage: "fixed_regulator".into() });
    assert_eq!(copied.stages.iter().filter(|s| s.form.as_deref() == Some("fixed_regulator")).count(), 2);
}

#[test]
fn what_does_not_fit_is_refused_by_name() {
    let refused = |edit: Edit| apply(&regulated(), &edit).unwrap_err().to_string();
    let at = |after: &str| Place { after: Some(after.into()), joint: 0 };
    let add =
        |form: &str, place: Place| Edit::Add { form: form.into(), place, between: false, choices: BTreeMap::new() };
    assert_eq!(
        refused(add("bridge", at("reservoir"))),
        "Bridge rectifier takes a single-phase alternating voltage, but a direct voltage is there; choose another form, \
         or put what makes the difference between"
    );
    assert!(refused(add("mains", at("reservoir"))).contains("is a source; add it at the beginning"));
    assert!(refused(add("reservoir", at("resistive_load"))).contains("nothing can be joined behind"));
    assert!(refused(add("flux_capacitor", at("reservoir"))).contains("no form named flux_capacitor"));
    assert!(refused(Edit::Remove { stage: "loft".into() }).contains("no stage loft"));
    assert!(refused(Edit::MoveEarlier { stage: "transformer".into() }).contains("no stage before it"));
}

/// On its way a path has no errors but that something is to follow, stated outputs or not; and it names where.
#[test]
fn a_path_on_its_way_is_unfinished_and_nothing_worse() {
    let chains: [&[&str]; 6] = [
        &["mains", "inrush_ntc", "transformer", "bridge", "reservoir", "fixed_regulator", "resistive_load"],
        &[
            "mains",
            "centre_tapped_transformer",
            "centre_tap_rectifier",
            "clc_filter",
            "follower_regulator",
            "current_load",
        ],
        &["mains", "isolating_transformer", "half_wave", "reservoir", "stepped_load"],
        &["three_phase_mains", "three_phase_bridge", "reservoir", "power_load"],
        &["mains", "centre_tapped_transformer", "dual_rail_bridge", "split_reservoir", "split_load"],
        &["dc_source", "lc_filter", "low_dropout", "pulsed_load"],
    ];
    for outputs in [vec![], vec![output("rail", "9", "250m")]] {
        for chain in chains {
            let mut supply = stated(mains(), outputs.clone());
            let mut last = None;
            for form in chain {
                supply = add(&supply, form, last.as_deref(), false);
                let loose: Vec<_> = check(&supply).into_iter().filter(|f| f.severity == Severity::Error).collect();
                let at = circuit::Place::Stage { stage: supply.stages.last().unwrap().id.clone() };
                let only = loose.iter().all(|f| f.rule == "path-unfinished" && f.place == at);
                assert!(loose.len() <= 1 && only, "{chain:?} at {form}: {loose:?}");
                last = supply.stages.last().map(|s| s.id.clone());
            }
            assert_eq!(errors(&supply), [""; 0], "{chain:?}");
            let unsaid = mellow_design::check(&supply).iter().any(|f| f.rule == "nothing-stated");
            assert_eq!(unsaid, outputs.is_empty());
        }
    }
    // A pin left loose by hand is a mistake all the same.
    let mut supply = chain(&stated(mains(), vec![]), &["mains", "transformer"]);
    supply.parts.iter_mut().find(|p| p.id == "T1").unwrap().pins.insert("p1".into(), "nowhere".into());
    assert!(errors(&supply).iter().any(|e| e.contains("nowhere")), "{:?}", errors(&supply));
}

/// Sizing finds nothing amiss with any demo supply.
#[test]
fn the_demos_are_sized_well() {
    for entry in std::fs::read_dir("../../demo").unwrap() {
        let text = std::fs::read_to_string(entry.unwrap().path()).unwrap();
        assert_eq!(mellow_design::check(&Supply::from_json(&text).unwrap()), []);
    }
}

fn edit() -> impl Strategy<Value = (usize, usize, usize, bool)> {
    (0..6usize, 0..FORMS.len(), 0..12usize, any::<bool>())
}

proptest! {
    #![proptest_config(ProptestConfig { cases: 60, failure_persistence: None, ..ProptestConfig::default() })]

    /// Whatever is done, names stay unique, every stage comes after one that is there, and the document reads back.
    #[test]
    fn any_sequence_of_edits_leaves_a_sound_document(edits in proptest::collection::vec(edit(), 1..12)) {
        let mut supply = regulated();
        for (what, form, which, flag) in edits {
            let stage = supply.stages.get(which % supply.stages.len().max(1)).map(|s| s.id.clone()).unwrap_or_default();
            let form = FORMS[form].id.to_owned();
            let place = Place { after: Some(stage.clone()).filter(|s| !s.is_empty()), joint: u32::from(flag && which > 8) };
            let edit = match what {
                0 | 1 => Edit::Add { form, place, between: flag, choices: BTreeMap::new() },
                2 => Edit::Replace { stage, form },
                3 => Edit::Remove { stage },
                4 => Edit::MoveEarlier { stage },
                _ => Edit::SizeAll,
            };
            match apply(&supply, &edit) {
                Ok(changed) => supply = changed,
                Err(error) => prop_assert!(!error.to_string().is_empty()),
            }
            let parts: BTreeSet<_> = supply.parts.iter().map(|p| &p.id).collect();
            prop_assert_eq!(parts.len(), supply.parts.len());
            let fed = |s: &circuit::Stage| s.after.as_deref().is_none_or(|a| supply.stage(a).is_some());
            prop_assert!(supply.stages.iter().all(fed));
            let text = serde_json::to_string(&supply).unwrap();
            prop_assert_eq!(Supply::from_json(&text).unwrap(), supply.clone());
        }
    }
}

/// A part that its form did not have when a stage was sized comes with sizing it again; one taken out by hand does not.
#[test]
fn sizing_again_adds_what_is_new_in_a_form() {
    let whole = regulated();
    let without = |supply: &Supply| {
        let mut without = supply.clone();
        without.parts.retain(|p| p.role.as_deref() != Some("core_loss"));
        without
    };
    let mut older = without(&whole);
    older.stages.iter_mut().for_each(|s| s.sized.retain(|key, _| !key.starts_with("core_loss.")));
    let again = done(&older, Edit::SizeAll);
    let loss = |s: &Supply| s.parts.iter().find(|p| p.role.as_deref() == Some("core_loss")).cloned();
    let (made, was) = (loss(&again).unwrap(), loss(&whole).unwrap());
    assert_eq!((&made.pins, &made.parameters, &made.stage, made.at), (&was.pins, &was.parameters, &was.stage, was.at));
    assert_eq!((again.parts.len(), errors(&again)), (whole.parts.len(), vec![]));
    assert!(loss(&done(&without(&whole), Edit::SizeAll)).is_none());
}
