//! Random circuits: nothing panics, nothing hangs, and no number comes without its health record.

use circuit::kinds::{Form, KINDS};
use circuit::{KindId, Part, Supply, resolve};
use mellow_device::{EngineError, Equations, Settings, Start, loop_gain, operating_point, transient};
use proptest::prelude::*;
use recording::{Chunk, Command, Health, Observer, Progress};
use std::collections::BTreeMap;

/// Nets that parts are thrown between, `gnd` first.
const NETS: [&str; 6] = ["gnd", "a", "b", "c", "d", "e"];
/// Steps after which a run is stopped.
const MOST_STEPS: u64 = 400;

/// A part: which kind, the nets of its pins, and how each parameter departs from its default.
#[derive(Clone, Debug)]
struct Thrown {
    kind: usize,
    nets: Vec<usize>,
    parameters: Vec<Departure>,
}

#[derive(Clone, Copy, Debug)]
enum Departure {
    Default,
    Least,
    Most,
    /// Times ten to this power, within the range.
    Scaled(f64),
    /// One of a choice, counted round.
    Other(usize),
}

fn thrown() -> impl Strategy<Value = Thrown> {
    let departure = prop_oneof![
        12 => Just(Departure::Default),
        1 => Just(Departure::Least),
        1 => Just(Departure::Most),
        4 => (-3.0f64..3.0).prop_map(Departure::Scaled),
        3 => (0usize..4).prop_map(Departure::Other),
    ];
    (0..KINDS.len(), proptest::collection::vec(0..NETS.len(), 6), proptest::collection::vec(departure, 20))
        .prop_map(|(kind, nets, parameters)| Thrown { kind, nets, parameters })
}

fn part(index: usize, thrown: &Thrown) -> Part {
    let kind = &KINDS[thrown.kind];
    let pins = kind.pins.iter().zip(&thrown.nets).map(|(pin, net)| (pin.id.to_owned(), NETS[*net].to_owned()));
    let text = |form: &Form, departure: Departure| match (form, departure) {
        (Form::Quantity { min, .. }, Departure::Least) => Some(format!("{min:e}")),
        (Form::Quantity { max, .. }, Departure::Most) => Some(format!("{max:e}")),
        (Form::Quantity { unit, default, min, max, .. }, Departure::Scaled(by)) => {
            let value = quantity_of(default, *unit)?;
            Some(format!("{:e}", (value * 10f64.powf(by)).clamp(*min, *max)))
        }
        (Form::Choice { options, .. }, Departure::Other(which)) => Some(options[which % options.len()].0.to_owned()),
        _ => None,
    };
    let parameters = kind.parameters.iter().zip(&thrown.parameters);
    Part {
        parameters: parameters.filter_map(|(p, d)| Some((p.id.to_owned(), text(&p.form, *d)?))).collect(),
        ..Part::new(format!("{}{}", kind.letter, 100 + index), kind.id, pins.collect())
    }
}

fn quantity_of(text: &str, unit: quantity::Unit) -> Option<f64> {
    quantity::parse(text, unit).ok()
}

/// The parts, a source, and a resistor from every net to `gnd`, without which few would be valid.
fn supply(parts: &[Thrown]) -> Supply {
    let mut supply = Supply::new("random");
    let two = |id: &str, kind: KindId, net: &str, parameter: (&str, &str)| {
        let names = kind.kind().pins.iter().map(|p| p.id.to_owned()).zip([net.to_owned(), "gnd".to_owned()]);
        let parameters = BTreeMap::from([(parameter.0.to_owned(), parameter.1.to_owned())]);
        Part { parameters, ..Part::new(id, kind, names.collect()) }
    };
    supply.parts.push(two("V1", KindId::SineSource, "a", ("amplitude", "10")));
    for net in &NETS[1..] {
        supply.parts.push(two(&format!("R{net}"), KindId::Resistor, net, ("resistance", "10k")));
    }
    supply.parts.extend(parts.iter().enumerate().map(|(index, thrown)| part(index, thrown)));
    supply
}

/// Stops after so many steps and holds every number to be one.
#[derive(Default)]
struct Watch {
    nodes: usize,
}

impl Observer for Watch {
    fn progress(&mut self, progress: &Progress<'_>) -> Command {
        if progress.health.steps < MOST_STEPS { Command::Continue } else { Command::Stop }
    }
    fn record(&mut self, chunk: Chunk) {
        self.nodes += chunk.times.len();
        assert!(chunk.columns.iter().flatten().chain(&chunk.times).all(|v| v.is_finite()));
    }
}

/// An error names something of the circuit, or says what is not there.
fn names_its_place(error: &EngineError, supply: &Supply) -> bool {
    let text = error.to_string();
    supply.parts.iter().any(|p| text.contains(&p.id)) || NETS.iter().any(|net| text.contains(&format!("net {net}")))
}

proptest! {
    #![proptest_config(ProptestConfig { cases: 1000, failure_persistence: None, ..ProptestConfig::default() })]

    #[test]
    fn random_circuits_are_solved_or_explained(
        parts in proptest::collection::vec(thrown(), 1..7),
        resting in any::<bool>(),
    ) {
        let supply = supply(&parts);
        let circuit = match resolve(&supply) {
            Ok(circuit) => circuit,
            Err(findings) => {
                prop_assert!(findings.iter().all(|f| !f.message.is_empty() && !f.remedy.is_empty()));
                return Ok(());
            }
        };
        let equations = Equations::new(&circuit);
        match operating_point(&equations) {
            Ok(point) => {
                prop_assert!(point.iterations > 0 && !point.methods.is_empty());
                prop_assert!(point.values.iter().all(|(_, v)| v.is_finite()));
            }
            Err(error) => prop_assert!(names_its_place(&error, &supply), "{error}"),
        }
        let start = if resting { Start::OperatingPoint } else { Start::Rest };
        let settings =
            Settings { end: 20e-3, record_from: 0.0, max_step: 1e-3, min_step: 0.0, start, tolerance: 1e-3 };
        let (mut watch, mut health) = (Watch::default(), Health::default());
        match transient(&equations, &settings, &mut watch, &mut health) {
            Ok(_) => {
                prop_assert!(health.steps > 0 && watch.nodes as u64 == 2 * health.steps + 1);
                prop_assert!(health.iterations >= health.steps && health.energy.relative.is_finite());
            }
            Err(error) => prop_assert!(names_its_place(&error, &supply), "{error}"),
        }
        if let Err(error) = loop_gain(&circuit, "Ra", "a", 10.0, 1e5, 3.0) {
            prop_assert!(names_its_place(&error, &supply), "{error}");
        }
    }
}
