//! Supplies composed for tests.
#![allow(dead_code, unreachable_pub)]

use circuit::{OutputDemand, SourceDemand, SourceKind, Supply};
use mellow_design::{Edit, Place, apply, form};
use std::collections::BTreeMap;

pub fn text(t: &str) -> Option<String> {
    Some(t.to_owned())
}

pub fn mains() -> SourceDemand {
    SourceDemand {
        kind: SourceKind::Mains,
        voltage: "230".into(),
        lowest: text("207"),
        highest: text("253"),
        frequency: text("50"),
    }
}

pub fn direct(voltage: &str) -> SourceDemand {
    SourceDemand { kind: SourceKind::Dc, voltage: voltage.into(), lowest: None, highest: None, frequency: None }
}

pub fn output(id: &str, voltage: &str, current: &str) -> OutputDemand {
    OutputDemand {
        id: id.into(),
        title: format!("{voltage} V"),
        voltage: voltage.into(),
        current: current.into(),
        accuracy: None,
        ripple: None,
    }
}

/// A supply that states a source and outputs.
pub fn stated(source: SourceDemand, outputs: Vec<OutputDemand>) -> Supply {
    apply(&Supply::new("test"), &Edit::State { source: Some(source), outputs }).unwrap()
}

pub fn add(supply: &Supply, form: &str, after: Option<&str>, between: bool) -> Supply {
    with(supply, form, after, between, &[])
}

pub fn with(supply: &Supply, form: &str, after: Option<&str>, between: bool, choices: &[(&str, &str)]) -> Supply {
    let choices: BTreeMap<String, String> = choices.iter().map(|(k, v)| ((*k).into(), (*v).into())).collect();
    let place = Place { after: after.map(str::to_owned), joint: 0 };
    let edit = Edit::Add { form: form.into(), place, between, choices };
    apply(supply, &edit).unwrap_or_else(|error| panic!("{form}: {error}"))
}

/// Adds forms one behind the other, each at the joint the one before made.
pub fn chain(supply: &Supply, forms: &[&str]) -> Supply {
    let mut supply = supply.clone();
    let mut after: Option<String> = None;
    for id in forms {
        assert!(form(id).is_some(), "{id}");
        let before: Vec<String> = supply.stages.iter().map(|s| s.id.clone()).collect();
        supply = add(&supply, id, after.as_deref(), false);
        after = supply.stages.iter().map(|s| s.id.clone()).find(|s| !before.contains(s));
    }
    supply
}
