//! Every control part is sound whatever its parameters are: it speaks only of what it has, it can leave its first mode, and where
//! pins stand still it comes to rest.

use circuit::kinds::{Form, KINDS, Kind};
use circuit::{Circuit, Supply, resolve};
use mellow_control::{Automaton, Of, Set, Sum, automaton};
use proptest::prelude::*;
use serde_json::{Value, json};
use std::collections::BTreeSet;

type Pick = prop::sample::Index;

/// How each parameter is typed: left alone, or somewhere between its limits, or one of its choices.
fn parameters(kind: &Kind, typed: &[(bool, f64, Pick)]) -> Value {
    let mut all = serde_json::Map::new();
    for (parameter, (_, share, pick)) in kind.parameters.iter().zip(typed).filter(|(_, (own, ..))| *own) {
        let text = match &parameter.form {
            Form::Quantity { min, max, default, unit, .. } => {
                let usual = quantity::parse(default, *unit).unwrap();
                // Within a decade of the usual, as far as it may go.
                let near = if usual == 0.0 { *share } else { usual * 10f64.powf(2.0 * share - 1.0) };
                near.clamp(*min, *max).to_string()
            }
            Form::Choice { options, .. } => pick.get(options).0.to_owned(),
            _ => continue,
        };
        all.insert(parameter.id.to_owned(), text.into());
    }
    Value::Object(all)
}

/// The part with a resistance from each pin to the reference, if its parameters go together.
fn circuit(kind: &Kind, typed: &[(bool, f64, Pick)]) -> Option<Circuit> {
    let pins: serde_json::Map<String, Value> =
        kind.pins.iter().enumerate().map(|(k, pin)| (pin.id.to_owned(), format!("p{k}").into())).collect();
    let mut parts = vec![json!({ "id": "U1", "kind": kind.id, "pins": pins, "parameters": parameters(kind, typed) })];
    for k in 0..kind.pins.len() {
        let pins = json!({ "a": format!("p{k}"), "b": "gnd" });
        parts.push(json!({ "id": format!("R{k}"), "kind": "resistor", "pins": pins }));
    }
    let supply: Supply = serde_json::from_value(json!({ "mellow_coil": 1, "title": "One", "parts": parts })).unwrap();
    resolve(&supply).ok()
}

/// What is wrong with what a part says of itself.
fn faults(of: &Automaton, pins: usize) -> Vec<String> {
    let mut faults = Vec::new();
    let sum = |sum: &Sum, with_pins: bool| {
        sum.0.iter().all(|(it, factor)| {
            factor.is_finite()
                && match it {
                    Of::Pin(pin) => with_pins && *pin < pins,
                    Of::Through => with_pins && of.through.is_some(),
                    Of::State(state) => *state < of.states.len(),
                    Of::Phase => of.clock.is_some(),
                    Of::One => true,
                }
        })
    };
    let mut say = |fine: bool, what: String| {
        if !fine {
            faults.push(what);
        }
    };
    say(!of.modes.is_empty() && of.states.iter().all(|s| s.is_finite()), "no modes or states".into());
    if let Some(clock) = &of.clock {
        let marks = clock.marks.first() == Some(&0.0)
            && clock.marks.is_sorted_by(|a, b| a < b)
            && clock.marks.iter().all(|mark| *mark < 1.0);
        say(marks && clock.frequency > 0.0 && (0.0..1.0).contains(&clock.phase), format!("clock {clock:?}"));
        // Marks follow each other in time, and a turn begins where its first mark says.
        for n in 0..3 * clock.marks.len() {
            let (now, next) = (clock.mark(n), clock.mark(n + 1));
            say(now < next, format!("mark {n} at {now}, the next at {next}"));
            let turned = clock.turned(now, n + 1);
            let wanted = clock.marks[n % clock.marks.len()];
            say((turned - wanted).abs() < 1e-9, format!("turned by {turned} at mark {n} of {wanted}"));
        }
    }
    let driven: BTreeSet<usize> = of.outputs.iter().map(|output| output.pin).collect();
    say(driven.len() == of.outputs.len(), "a pin is driven twice".into());
    for output in &of.outputs {
        let apart = output.pin < pins && output.against < pins && output.pin != output.against;
        say(apart && output.resistance >= 0.0 && output.response >= 0.0, format!("{output:?}"));
    }
    for mode in &of.modes {
        say(
            mode.outputs.len() == of.outputs.len() && mode.outputs.iter().all(|s| sum(s, true)),
            format!("outputs of {}", mode.name),
        );
        say(
            mode.rates.len() <= of.states.len() && mode.rates.iter().all(|s| sum(s, true)),
            format!("rates of {}", mode.name),
        );
        let marks = of.clock.as_ref().map_or(0, |clock| clock.marks.len());
        say(mode.marks.iter().all(|(mark, _)| *mark < marks), format!("marks of {}", mode.name));
        let transitions = mode.guards.iter().map(|guard| &guard.then).chain(mode.marks.iter().map(|(_, then)| then));
        for then in transitions {
            let sets = then.sets.iter().all(|set| {
                set.state < of.states.len()
                    && sum(&set.value, true)
                    && set.factor.as_ref().is_none_or(|(_, factor)| sum(factor, true))
                    && set.step >= 0.0
                    && set.between.0 <= set.between.1
            });
            say(then.to < of.modes.len() && sets, format!("a way out of {}", mode.name));
        }
        say(mode.guards.iter().all(|guard| sum(&guard.holds, true)), format!("guards of {}", mode.name));
    }
    let mut reached = BTreeSet::from([0]);
    while let Some(next) = reached
        .iter()
        .flat_map(|mode| {
            of.modes[*mode].guards.iter().map(|g| g.then.to).chain(of.modes[*mode].marks.iter().map(|m| m.1.to))
        })
        .find(|to| !reached.contains(to))
    {
        reached.insert(next);
    }
    // Modes are told by the bits of inputs, not all of which go together; but where there is more than one it can be left.
    say(of.modes.len() == 1 || reached.len() > 1, "it stays in its first mode for ever".into());
    faults
}

fn set(set: &Set, of: &dyn Fn(&[f64], Of) -> f64, states: &mut [f64]) {
    let value = set.value.value(|it| of(states, it));
    let factor = set.factor.as_ref().map(|(operation, factor)| (operation, factor.value(|it| of(states, it))));
    states[set.state] = set.becomes(factor.map_or(value, |(operation, factor)| operation.of(value, factor)));
}

proptest! {
    #![proptest_config(ProptestConfig { cases: 400, failure_persistence: None, ..ProptestConfig::default() })]

    #[test]
    fn every_control_part_is_sound(
        which in any::<Pick>(),
        typed in prop::collection::vec((prop::bool::weighted(0.4), 0.0..1.0f64, any::<Pick>()), 24),
        volts in prop::collection::vec(-2.0..8.0f64, 12), amperes in -2.0..2.0f64, phase in 0.0..1.0f64,
    ) {
        let control: Vec<&Kind> = KINDS.iter().filter(|kind| kind.id.is_control()).collect();
        let kind = *which.get(&control);
        let circuit = circuit(kind, &typed);
        prop_assume!(circuit.is_some());
        let part = &circuit.unwrap().parts[0];
        let of = automaton(part);
        let faults = faults(&of, kind.pins.len());
        prop_assert!(faults.is_empty(), "{}: {:#?}", kind.name, faults);
        // Pins stand still and no time passes: from any mode it comes to rest.
        for first in 0..of.modes.len() {
            let (mut at, mut states, mut events) = (first, of.states.clone(), 0);
            let value = |states: &[f64], it: Of| match it {
                Of::Pin(pin) => volts[pin],
                Of::Through => amperes,
                Of::State(state) => states[state],
                Of::Phase => phase,
                Of::One => 1.0,
            };
            while let Some(guard) = of.modes[at].guards.iter().find(|guard| guard.holds.value(|it| value(&states, it)) < 0.0) {
                guard.then.sets.iter().for_each(|s| set(s, &value, &mut states));
                (at, events) = (guard.then.to, events + 1);
                prop_assert!(events < 100, "{} never rests: it goes on from {} to {}", kind.name, of.modes[first].name, of.modes[at].name);
            }
            prop_assert!(states.iter().all(|state| state.is_finite()));
        }
    }
}
