//! Strips as they stand in a document: whatever they say is read again, lists of signals stand for plain ones, and what
//! cannot be drawn so is said without keeping anything from being run.

use mellow_circuit::{Scale, Shows, Side, SpectrumLook, Strip, Supply, Taper, Trace, Weight, check, resolve};
use proptest::prelude::*;
use serde_json::{Value, json};

fn scale() -> impl Strategy<Value = Scale> {
    let end = || prop::option::of((-4000i32..4000).prop_map(|v| f64::from(v) / 16.0));
    (any::<bool>(), end(), end()).prop_map(|(log, from, to)| Scale { log, from, to })
}

fn signal() -> impl Strategy<Value = String> {
    prop_oneof![
        Just("out.v"),
        Just("-R1.i"),
        Just("line.v - out.v"),
        Just("db(out.v / line.v)"),
        Just("mean(R1.p, 20m)")
    ]
    .prop_map(str::to_owned)
}

fn trace() -> impl Strategy<Value = Trace> {
    let weight = prop_oneof![Just(Weight::Fine), Just(Weight::Usual), Just(Weight::Bold)];
    let side = prop::option::of(prop_oneof![Just(Side::Left), Just(Side::Right)]);
    (signal(), prop::option::of(0u8..8), weight, any::<bool>(), side)
        .prop_map(|(signal, colour, weight, points, side)| Trace { signal, colour, weight, points, side })
}

fn shows() -> impl Strategy<Value = Shows> {
    let taper = prop_oneof![Just(Taper::None), Just(Taper::Hann), Just(Taper::BlackmanHarris), Just(Taper::FlatTop)];
    let up_to = prop::option::of((1u32..1_000_000).prop_map(f64::from));
    prop_oneof![
        Just(Shows::Course),
        Just(Shows::Table),
        signal().prop_map(|x| Shows::Against { x }),
        (taper, any::<bool>(), up_to).prop_map(|(taper, decibels, up_to)| Shows::Spectrum(SpectrumLook {
            taper,
            decibels,
            up_to
        })),
    ]
}

fn strip() -> impl Strategy<Value = Strip> {
    let height = prop::option::of((2u8..100).prop_map(|v| f64::from(v) / 10.0));
    (prop::collection::vec(trace(), 0..4), shows(), height, scale(), scale())
        .prop_map(|(traces, shows, height, left, right)| Strip { traces, shows, height, left, right })
}

fn supply(strips: &Value) -> Result<Supply, String> {
    let document = json!({ "mellow_coil": 1, "title": "strips",
        "parts": [
            { "id": "V1", "kind": "sine_source", "pins": { "plus": "line", "minus": "gnd" } },
            { "id": "R1", "kind": "resistor", "pins": { "a": "line", "b": "out" } },
            { "id": "R2", "kind": "resistor", "pins": { "a": "out", "b": "gnd" } }],
        "studies": [{ "id": "on", "kind": "switch_on", "title": "On", "duration": "100m", "strips": strips }] });
    Supply::from_json(&document.to_string()).map_err(|error| error.to_string())
}

proptest! {
    /// Written and read again a document says the same, to the byte; names that change are followed everywhere, and what shows
    /// a part that is gone goes, but never more than that.
    #[test]
    fn strips_come_back_and_follow_their_nets(strips in prop::collection::vec(strip(), 0..4)) {
        let read = supply(&serde_json::to_value(&strips).unwrap()).unwrap();
        prop_assert_eq!(&read.studies[0].strips, &strips);
        let again = Supply::from_json(&read.to_json()).unwrap();
        prop_assert_eq!(again.to_json(), read.to_json());
        prop_assert!(resolve(&read).is_ok(), "how strips look keeps nothing from being run");

        let mut renamed = read.clone();
        renamed.rename_net("out", "rail");
        let texts = |s: &Supply| s.studies[0].strips.iter().flat_map(Strip::texts).cloned().collect::<Vec<_>>();
        prop_assert!(texts(&renamed).iter().all(|t| !t.contains("out.v")));
        renamed.rename_net("rail", "out");
        // Signals that are no formulas are written anew, formulas as they were.
        prop_assert_eq!(texts(&renamed).len(), texts(&read).len());

        let mut without = read.clone();
        without.parts.retain(|p| p.id != "R1");
        without.forget_gone(&read);
        let left = texts(&without);
        prop_assert!(left.iter().all(|t| !t.contains("R1.")), "{left:?}");
        let kept = strips.iter().flat_map(|s| &s.traces).filter(|t| !t.signal.contains("R1.")).count();
        prop_assert_eq!(without.studies[0].strips.iter().map(|s| s.traces.len()).sum::<usize>(), kept);
    }

    /// A scale that cannot be drawn is said, with its side and its strip, and only such a one.
    #[test]
    fn unusable_scales_are_said(strip in strip()) {
        let read = supply(&json!([["V1.v"], strip])).unwrap();
        let said: Vec<String> =
            check(&read).into_iter().filter(|f| f.rule == "unusable-scale").map(|f| f.message).collect();
        let wrong = |s: &Scale| {
            let low = s.log && [s.from, s.to].into_iter().flatten().any(|end| end <= 0.0);
            low || matches!((s.from, s.to), (Some(from), Some(to)) if from >= to)
        };
        prop_assert_eq!(said.len(), usize::from(wrong(&strip.left)) + usize::from(wrong(&strip.right)), "{:?}", said);
        prop_assert!(said.iter().all(|text| text.contains("of strip 2")));
    }
}

#[test]
fn a_list_of_signals_is_a_plain_strip_and_what_is_none_is_refused_with_its_place() {
    let read = supply(&json!([["V1.v", "out.v"], { "traces": [{ "signal": "R1.i" }] }])).unwrap();
    assert_eq!(read.studies[0].strips, [Strip::of(["V1.v", "out.v"]), Strip::of(["R1.i"])]);
    for (strips, place) in [
        (json!(["V1.v"]), "strips[0]"),
        (json!([[1]]), "strips[0]"),
        (json!([{ "traces": [{ "signal": "V1.v", "dashes": 3 }] }]), "dashes"),
        (json!([["V1.v"], { "traces": [], "shows": { "waterfall": {} } }]), "strips[1]"),
        (json!([{ "traces": [{ "colour": 1 }] }]), "signal"),
        (json!([{ "shows": "table" }]), "traces"),
        (json!([{ "traces": [], "left": { "from": "low" } }]), "strips[0]"),
    ] {
        let refused = supply(&strips).unwrap_err();
        assert!(refused.contains(place), "{strips}: {refused}");
    }
}
