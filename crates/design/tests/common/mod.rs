//! Supplies composed for tests.
#![allow(dead_code, unreachable_pub)]

use circuit::{Circuit, KindId, OutputDemand, Signal, SourceDemand, SourceKind, Supply};
use mellow_design::{Edit, Place, apply, form};
use readings::Recipe;
use recording::{Column, Recording};
use std::collections::{BTreeMap, HashMap};

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

/// A direct voltage that may be a tenth off.
pub fn direct_within(voltage: &str) -> SourceDemand {
    let times = |factor: f64| Some(format!("{voltage} * {factor}"));
    SourceDemand { lowest: times(0.9), highest: times(1.1), ..direct(voltage) }
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

/// Chains that between them use every form that promises something.
const MAINS_CHAINS: &[(&str, &[&str])] = &[
    ("9 250m", &["mains", "transformer", "bridge", "reservoir", "fixed_regulator", "resistive_load"]),
    (
        "12 400m",
        &[
            "mains",
            "centre_tapped_transformer",
            "centre_tap_rectifier",
            "reservoir",
            "adjustable_regulator",
            "current_load",
        ],
    ),
    ("5 30m", &["mains", "transformer", "half_wave", "reservoir", "zener_follower", "resistive_load"]),
    ("24 100m", &["mains", "transformer", "doubler", "fixed_regulator", "resistive_load"]),
    ("15 500m", &["mains", "transformer", "bridge", "clc_filter", "follower_regulator", "resistive_load"]),
    ("12 20m", &["mains", "transformer", "bridge", "reservoir", "rc_filter", "zener_shunt", "resistive_load"]),
    ("12 20m", &["mains", "transformer", "bridge", "reservoir", "fixed_regulator", "resistive_load"]),
    ("12 20m", &["mains", "transformer", "bridge", "reservoir", "zener_shunt", "resistive_load"]),
    ("12 40m", &["mains", "transformer", "bridge", "reservoir", "rc_filter", "fixed_regulator", "resistive_load"]),
    ("5 200m", &["mains", "inrush_resistor", "transformer", "bridge", "reservoir", "low_dropout", "power_load"]),
    (
        "12 1",
        &[
            "mains",
            "isolating_transformer",
            "inrush_ntc",
            "transformer",
            "bridge",
            "reservoir",
            "fixed_regulator",
            "resistive_load",
        ],
    ),
    ("24 3", &["mains", "fuse", "transformer", "synchronous_bridge", "reservoir", "resistive_load"]),
    (
        "48 2",
        &[
            "mains",
            "transformer",
            "bypassed_inrush_resistor",
            "bridge",
            "reservoir",
            "overvoltage_clamp",
            "resistive_load",
        ],
    ),
];

pub fn mains_supplies() -> Vec<Supply> {
    let supply = |(rail, forms): &(&str, &[&str])| {
        let (voltage, current) = rail.split_once(' ').unwrap();
        chain(&stated(mains(), vec![output("rail", voltage, current)]), forms)
    };
    MAINS_CHAINS.iter().map(supply).collect()
}

pub fn direct_supplies() -> Vec<Supply> {
    let rail = |v: &str, i: &str| vec![output("rail", v, i)];
    let rows = [
        (direct_within("6.6"), rail("5", "200m"), &["battery", "low_dropout", "resistive_load"][..]),
        (direct_within("12"), rail("5", "100m"), &["dc_source", "lc_filter", "fixed_regulator", "stepped_load"]),
        (direct_within("5"), rail("5", "100m"), &["dc_source", "pulsed_load"]),
        (direct_within("24"), vec![], &["dc_source", "indicator"]),
        (direct_within("30"), rail("12", "10m"), &["dc_source", "zener_split"]),
        (direct_within("25"), vec![], &["pulse_source", "gate_clamp"]),
        (direct_within("12"), rail("5", "100m"), &["dc_source", "reservoir", "adjustable_regulator", "current_load"]),
    ];
    rows.into_iter().map(|(source, outputs, forms)| chain(&stated(source, outputs), forms)).collect()
}

/// Forms whose choices take other parts.
pub fn chosen() -> Vec<Supply> {
    let core = chain(&stated(mains(), vec![output("rail", "12", "500m")]), &["mains"]);
    let core = with(&core, "transformer", Some("mains"), false, &[("core", "saturating")]);
    let core = ["bridge", "reservoir", "resistive_load"].iter().fold(core, |supply, form| {
        let after = supply.stages.last().unwrap().id.clone();
        add(&supply, form, Some(&after), false)
    });
    let device = chain(&stated(direct_within("12"), vec![output("rail", "5", "400m")]), &["dc_source"]);
    let device = with(&device, "follower_regulator", Some("dc_source"), false, &[("device", "mosfet")]);
    vec![core, add(&device, "resistive_load", Some("follower_regulator"), false)]
}

/// Three phases, and two rails.
pub fn several_wires() -> Vec<Supply> {
    let three = SourceDemand { kind: SourceKind::ThreePhaseMains, ..mains() };
    let bus = OutputDemand { accuracy: text("0.2"), ripple: text("30"), ..output("bus", "520", "1") };
    let bridge = ["three_phase_mains", "three_phase_bridge", "reservoir", "resistive_load"];
    let rails = vec![output("pos", "15", "100m"), output("neg", "-15", "100m")];
    let split =
        ["mains", "centre_tapped_transformer", "dual_rail_bridge", "split_reservoir", "split_regulators", "split_load"];
    vec![chain(&stated(three, vec![bus]), &bridge), chain(&stated(mains(), rails), &split)]
}

/// Every chain there is, and a path with branches.
pub fn every_supply() -> Vec<Supply> {
    let branched = add(&mains_supplies()[0], "low_dropout", Some("reservoir"), false);
    let branched = add(&branched, "current_load", Some("low_dropout"), false);
    let branched = add(&branched, "indicator", Some("fixed_regulator"), false);
    let two = chain(&stated(mains(), vec![output("rail", "12", "200m")]), &["mains", "two_secondaries", "bridge"]);
    [mains_supplies(), direct_supplies(), several_wires(), vec![branched, two], chosen()].concat()
}

/// Runs a study and keeps the whole recording.
pub fn ran(circuit: &circuit::Circuit, study: &str) -> (recording::Recording, studies::Outcome) {
    let mut kept = recording::Recording::default();
    let outcome = studies::run(circuit, study, &mut kept).unwrap();
    (kept, outcome)
}

/// A recording in memory that answers for signals.
pub struct Recorded<'a> {
    circuit: &'a Circuit,
    recording: &'a Recording,
    columns: HashMap<Column, usize>,
}

impl<'a> Recorded<'a> {
    /// A recording of a circuit with these columns.
    pub fn new(circuit: &'a Circuit, columns: &[Column], recording: &'a Recording) -> Self {
        let columns = columns.iter().cloned().zip(0..).collect();
        Recorded { circuit, recording, columns }
    }

    /// Values of a signal at every node.
    pub fn values(&self, signal: &str) -> Vec<f64> {
        let recipe = Recipe::new(self.circuit, &Signal::parse(signal).unwrap()).unwrap();
        let column = |key: &Column| self.recording.columns.get(self.columns[key]).map(Vec::as_slice);
        recipe.evaluate(self.recording.times.len(), column)
    }
}

/// Sets the voltage of a composed supply's source, RMS for an alternating one, V.
pub fn set_line(supply: &mut Supply, voltage: f64) {
    for part in &mut supply.parts {
        let mut set = |name: &str, value: String| part.parameters.insert(name.into(), value);
        match part.kind {
            KindId::SineSource => {
                set("amplitude", format!("{voltage:e}"));
                set("amplitude_as", "rms".into());
            }
            KindId::ThreePhaseSource => drop(set("amplitude", format!("{voltage:e}"))),
            KindId::DcSource if part.stage.is_some() => drop(set("voltage", format!("{voltage:e}"))),
            KindId::PulseSource => drop(set("high", format!("{voltage:e}"))),
            _ => {}
        }
    }
}

/// Numbers that look random and are the same every time (Steele et al., OOPSLA 2014: splitmix64).
pub struct Random(pub u64);

impl Random {
    pub fn next(&mut self) -> f64 {
        self.0 = self.0.wrapping_add(0x9e37_79b9_7f4a_7c15);
        let mut z = self.0;
        z = (z ^ (z >> 30)).wrapping_mul(0xbf58_476d_1ce4_e5b9);
        z = (z ^ (z >> 27)).wrapping_mul(0x94d0_49bb_1331_11eb);
        ((z ^ (z >> 31)) >> 11) as f64 / (1u64 << 53) as f64
    }
    pub fn within(&mut self, low: f64, high: f64) -> f64 {
        low * (high / low).powf(self.next())
    }
}
