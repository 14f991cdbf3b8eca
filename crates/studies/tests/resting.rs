//! Where circuits rest, against closed forms and Kirchhoff's laws.

use circuit::{Supply, resolve};
use mellow_studies::{Resting, resting};
use proptest::prelude::*;
use serde_json::{Value, json};

fn rests(parts: &[Value]) -> Result<Resting, String> {
    let supply = json!({ "mellow_coil": 1, "title": "T", "parts": parts });
    let circuit = resolve(&Supply::from_json(&supply.to_string()).unwrap()).unwrap();
    resting(&circuit).map_err(|error| error.to_string())
}

fn part(id: &str, kind: &str, pins: [(&str, &str); 2], parameters: Value) -> Value {
    let [(a, from), (b, to)] = pins;
    json!({ "id": id, "kind": kind, "pins": { a: from, b: to }, "parameters": parameters })
}

proptest! {
    #![proptest_config(ProptestConfig { cases: 60, failure_persistence: None, ..ProptestConfig::default() })]

    /// A ladder of any resistors rests where the recursion from its end says; powers add up to nothing, and each is voltage times
    /// current.
    #[test]
    fn ladders_rest_where_ohm_and_kirchhoff_say(volts in -400.0..400.0f64, rungs in proptest::collection::vec((1.0..1e5f64, 1.0..1e5f64), 1..12)) {
        let value = |r: f64| json!({ "resistance": format!("{r:e}") });
        let mut parts = vec![part("V1", "dc_source", [("plus", "n0"), ("minus", "gnd")], json!({ "voltage": format!("{volts:e}") }))];
        for (k, (along, down)) in rungs.iter().enumerate() {
            let (from, to) = (format!("n{k}"), format!("n{}", k + 1));
            parts.push(part(&format!("R{}", 2 * k + 1), "resistor", [("a", &from), ("b", &to)], value(*along)));
            parts.push(part(&format!("R{}", 2 * k + 2), "resistor", [("a", &to), ("b", "gnd")], value(*down)));
        }
        // What follows a rung, seen from before it.
        let mut seen = vec![f64::INFINITY];
        for (along, down) in rungs.iter().rev() {
            let load = 1.0 / (1.0 / down + 1.0 / seen[0]);
            seen.insert(0, along + load);
        }
        let found = rests(&parts).unwrap();
        let (mut at, mut absorbed) = (volts, 0.0);
        for (k, (along, _)) in rungs.iter().enumerate() {
            let current = at / seen[k];
            let along_it = found.parts.iter().find(|p| p.part == format!("R{}", 2 * k + 1)).unwrap();
            prop_assert!((along_it.current.unwrap() - current).abs() < 1e-9 * current.abs().max(1e-12));
            at -= along * current;
            let net = found.nets.iter().find(|net| net.net == format!("n{}", k + 1)).unwrap();
            prop_assert!((net.voltage - at).abs() < 1e-9 * volts.abs());
        }
        for part in &found.parts {
            absorbed += if part.delivers { -part.power } else { part.power };
            let product = part.voltage.unwrap() * part.current.unwrap();
            prop_assert!((part.power - product).abs() <= 1e-9 * product.abs());
        }
        let delivered = volts * volts / seen[0];
        prop_assert!(absorbed.abs() < 1e-9 * delivered, "{absorbed} of {delivered}");
    }
}

/// A device says what it does; what moves is said to; a part that ends nowhere is named.
#[test]
fn devices_sources_and_faults_are_told() {
    let diode = |from: &str, to: &str| part("D1", "diode", [("a", from), ("k", to)], json!({}));
    let fed = |source: Value, d: Value| {
        rests(&[source, part("R1", "resistor", [("a", "in"), ("b", "out")], json!({ "resistance": "1k" })), d]).unwrap()
    };
    let dc = part("V1", "dc_source", [("plus", "in"), ("minus", "gnd")], json!({ "voltage": "10" }));
    let region = |found: &Resting| found.parts[2].region.clone().unwrap_or_default();
    let (on, off) = (fed(dc.clone(), diode("out", "gnd")), fed(dc, diode("gnd", "out")));
    assert!(region(&on) != region(&off) && on.remarks.is_empty(), "{on:?} {off:?}");
    assert!((0.4..1.2).contains(&on.nets[1].voltage) && (off.nets[1].voltage - 10.0).abs() < 1e-3);
    let mains =
        part("V1", "sine_source", [("plus", "in"), ("minus", "gnd")], json!({ "amplitude": "325", "frequency": "50" }));
    let found = fed(mains, diode("out", "gnd"));
    assert!(found.remarks.len() == 1 && found.remarks[0].contains("V1"), "{found:?}");
}
