//! Whatever is drawn or typed: it is read as it was written, every fault is named with a place that exists and a remedy, and a supply
//! without an error is a circuit.

use mellow_circuit::kinds::{Form, KINDS};
use mellow_circuit::{Finding, Part, Place, Severity, Supply, changes, check, resolve};
use proptest::prelude::*;
use std::collections::BTreeSet;

type Pick = prop::sample::Index;

/// What may stand in a value field.
const TYPED: [&str; 14] =
    ["1", "4k7", "100n", "2 * a", "a / b", "-3", "0", "1e-30", "1e30", "five", "3 V", "b^2^2", "1e400", ""];

const EMPTY: &str = r#"{ "mellow_coil": 1, "title": "Anything", "parts": [],
    "values": [{ "name": "a", "value": "12", "unit": "one" }, { "name": "b", "value": "a / 5", "unit": "one" }],
    "studies": [{ "id": "s", "kind": "switch_on", "title": "On", "duration": "10m" }] }"#;

#[derive(Clone, Debug)]
struct Drawn {
    kind: Pick,
    nets: Vec<Pick>,
    /// Parameters that are typed, and what.
    typed: Vec<(Pick, Pick)>,
    /// Whether it has the name of the one before, or a pin too few.
    odd: u8,
}

fn drawn() -> impl Strategy<Value = Drawn> {
    let typed = prop_oneof![5 => Just(Vec::new()), 1 => prop::collection::vec((any::<Pick>(), any::<Pick>()), 1..3)];
    (any::<Pick>(), prop::collection::vec(any::<Pick>(), 12), typed, 0..60u8)
        .prop_map(|(kind, nets, typed, odd)| Drawn { kind, nets, typed, odd })
}

fn supply(parts: &[Drawn], nets: usize) -> Supply {
    let mut supply = Supply::from_json(EMPTY).unwrap();
    for (n, drawn) in parts.iter().enumerate() {
        let kind = drawn.kind.get(KINDS);
        let name = |pick: &Pick| match pick.index(nets) {
            0 => "gnd".to_owned(),
            net => format!("n{net}"),
        };
        let pins = kind.pins.iter().zip(&drawn.nets).map(|(pin, pick)| (pin.id.to_owned(), name(pick)));
        let number = if drawn.odd == 0 { n.saturating_sub(1) } else { n };
        let mut part = Part::new(format!("P{number}"), kind.id, pins.collect());
        if drawn.odd == 1 {
            part.pins.pop_last();
        }
        for (parameter, text) in &drawn.typed {
            if !kind.parameters.is_empty() {
                part.parameters.insert(parameter.get(kind.parameters).id.to_owned(), (*text.get(&TYPED)).to_owned());
            }
        }
        supply.parts.push(part);
    }
    supply
}

/// Whether what a finding points at is there.
fn is_there(supply: &Supply, finding: &Finding) -> bool {
    let part = |id: &String| supply.parts.iter().find(|part| part.id == *id);
    match &finding.place {
        Place::Part { part: id } => part(id).is_some(),
        // A pin or parameter may be missing from the part; its kind has it.
        Place::Pin { part: id, pin } => {
            let all = supply.parts.iter().filter(|part| part.id == *id);
            all.into_iter().any(|part| part.kind.kind().pin(pin).is_some() || part.pins.contains_key(pin))
        }
        Place::Parameter { part: id, parameter } => {
            let all = supply.parts.iter().filter(|part| part.id == *id);
            all.into_iter().any(|part| part.kind.kind().parameters.iter().any(|p| p.id == parameter))
        }
        Place::Net { net } => supply.parts.iter().any(|part| part.pins.values().any(|n| n == net)),
        Place::Value { value } => supply.values.iter().any(|known| known.name == *value),
        Place::Study { study } => supply.studies.iter().any(|s| s.id == *study),
        _ => true,
    }
}

proptest! {
    #![proptest_config(ProptestConfig { cases: 300, failure_persistence: None, ..ProptestConfig::default() })]

    #[test]
    fn faults_are_named_and_what_has_none_is_a_circuit(parts in prop::collection::vec(drawn(), 0..9), nets in 1..7usize) {
        let supply = supply(&parts, nets);
        // Written and read it is the same, and nothing has changed.
        let again = Supply::from_json(&supply.to_json()).unwrap();
        prop_assert_eq!(&again, &supply);
        prop_assert!(changes(&supply, &again).is_empty());
        let findings = check(&supply);
        for finding in &findings {
            prop_assert!(finding.message.len() > 8 && finding.remedy.len() > 4, "{:?}", finding);
            prop_assert!(is_there(&supply, finding), "{:?}", finding);
        }
        let errors: Vec<&Finding> = findings.iter().filter(|f| f.severity == Severity::Error).collect();
        match resolve(&supply) {
            Ok(circuit) => {
                prop_assert!(errors.is_empty(), "{:?}", errors);
                prop_assert_eq!(circuit.parts.len(), supply.parts.len());
                for (part, resolved) in supply.parts.iter().zip(&circuit.parts) {
                    let kind = part.kind.kind();
                    prop_assert_eq!(resolved.pins.len(), kind.pins.len());
                    for (pin, net) in kind.pins.iter().zip(&resolved.pins) {
                        prop_assert_eq!(&circuit.nets[*net], &part.pins[pin.id], "{}.{}", part.id, pin.id);
                    }
                    // Every number lies where its kind allows it.
                    for (parameter, value) in kind.parameters.iter().zip(&resolved.values) {
                        if let Form::Quantity { min, max, meant_as: None, .. } = parameter.form {
                            prop_assert!((min..=max).contains(value), "{} {}: {}", part.id, parameter.id, value);
                        }
                    }
                }
                // What happens once can be taken away once.
                let without = circuit.without_what_happens_once();
                prop_assert_eq!(without.without_what_happens_once().parts, without.parts);
            }
            Err(refused) => prop_assert!(!errors.is_empty() && refused.iter().any(|f| f.severity == Severity::Error)),
        }
    }

    /// A net by another name is the same net: what is found stays what it is, and the way back leads back.
    #[test]
    fn a_name_is_only_a_name(parts in prop::collection::vec(drawn(), 1..9), nets in 2..7usize) {
        let before = supply(&parts, nets);
        let mut after = before.clone();
        after.rename_net("n1", "rail");
        prop_assert!(after.parts.iter().all(|part| part.pins.values().all(|net| net != "n1")));
        let rules = |supply: &Supply| {
            let mut rules: Vec<String> = check(supply).into_iter().map(|f| f.rule).collect();
            rules.sort();
            rules
        };
        prop_assert_eq!(rules(&before), rules(&after));
        let shape = |supply: &Supply| resolve(supply).ok().map(|c| {
            let values: Vec<Vec<u64>> = c.parts.iter().map(|p| p.values.iter().map(|v| v.to_bits()).collect()).collect();
            (c.nets.len(), c.parts.iter().map(|p| p.pins.clone()).collect::<Vec<_>>(), values)
        });
        let (a, b) = (shape(&before), shape(&after));
        prop_assert_eq!(a.is_some(), b.is_some());
        if let (Some(a), Some(b)) = (a, b) {
            // Nets are numbered as they come.
            prop_assert_eq!(a.0, b.0);
            let same = |pins: &[Vec<usize>]| -> BTreeSet<Vec<usize>> {
                let mut groups: std::collections::BTreeMap<usize, Vec<usize>> = std::collections::BTreeMap::new();
                pins.iter().flatten().enumerate().for_each(|(k, net)| groups.entry(*net).or_default().push(k));
                groups.into_values().collect()
            };
            prop_assert_eq!(same(&a.1), same(&b.1));
            prop_assert_eq!(a.2, b.2);
        }
        let said = changes(&before, &after);
        let used = before.parts.iter().any(|part| part.pins.values().any(|net| net == "n1"));
        prop_assert_eq!(!said.is_empty(), used, "{:?}", said);
        after.rename_net("rail", "n1");
        prop_assert_eq!(after, before);
    }
}
