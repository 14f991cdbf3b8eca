//! The symbols against the table of kinds.

use circuit::kinds::{KINDS, Role};
use mellow_drawing::symbol;
use std::collections::BTreeMap;

/// Kinds that mean to look alike: what they do differs in a value, or in how closely it is modelled.
const ALIKE: [&[&str]; 3] = [
    &["voltage_controlled_voltage", "current_controlled_voltage"],
    &["voltage_controlled_current", "current_controlled_current"],
    &["controlled_switch", "current_switch"],
];

#[test]
fn every_kind_has_a_picture_of_its_own_with_a_place_for_each_pin() {
    let mut known: BTreeMap<String, &str> = BTreeMap::new();
    for kind in KINDS {
        let (symbol, name) = (symbol(kind.id), kind.id.name());
        assert_eq!(symbol.pins.len(), kind.pins.len(), "{name}");
        for (k, pin) in symbol.pins.iter().enumerate() {
            assert!(!symbol.pins[..k].contains(pin), "{name}: two pins at {pin:?}");
            let (w, h) = symbol.body;
            assert!(pin.0.abs() > w || pin.1.abs() > h || kind.pins.len() < 4, "{name}: {pin:?} lies inside");
        }
        let picture = symbol.shapes.iter().map(|shape| shape.path).collect::<Vec<_>>().join("|");
        if let Some(other) = known.insert(format!("{:?} {picture}", symbol.pins), name) {
            assert!(
                ALIKE.iter().any(|alike| alike.contains(&name) && alike.contains(&other)),
                "{name} looks like {other}"
            );
        }
    }
}

/// Signals go from left to right through control parts, and their common hangs below.
#[test]
fn control_parts_stand_as_signals_flow() {
    for kind in KINDS.iter().filter(|kind| kind.id.is_control()) {
        let (symbol, name) = (symbol(kind.id), kind.id.name());
        for pin in kind.pins_that(Role::Drives) {
            assert!(symbol.pins[pin].0 > 0, "{name}: {} is not on the right", kind.pins[pin].name);
        }
        for pin in kind.pins_that(Role::Listens) {
            assert!(symbol.pins[pin].0 < 0, "{name}: {} is not on the left", kind.pins[pin].name);
        }
        let common = kind.pin("com").unwrap();
        assert!(symbol.pins.iter().all(|pin| pin.1 <= symbol.pins[common].1), "{name}: the common is not lowest");
    }
}
