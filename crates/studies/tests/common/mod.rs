//! Circuits that several tests look at.

use circuit::{Circuit, Supply, resolve};

/// A buck of 12 V to some 5 V at 100 kHz whose loop is closed by a type 2 compensator and a modulator, or held open at a control
/// voltage; with its coil, capacitor and its resistance, load, and frequency of its compensator.
pub(crate) fn with(closed: bool, [inductance, capacitance, esr, load, unity]: [&str; 5]) -> (Circuit, Supply) {
    let part = |id: &str, kind: &str, pins: &str, own: &str| {
        format!(r#"{{ "id": "{id}", "kind": "{kind}", "pins": {{ {pins} }}, "parameters": {{ {own} }} }}"#)
    };
    let control = if closed {
        part(
            "U1",
            "type_2_compensator",
            r#""out": "c", "ref": "r", "fb": "f", "com": "gnd""#,
            &format!(r#""unity_frequency": "{unity}", "zero": "1.5k", "pole": "30k", "high": "2""#),
        )
    } else {
        part("VC", "dc_source", r#""plus": "c", "minus": "gnd""#, r#""voltage": "0.85""#)
    };
    let parts = [
        part("V1", "dc_source", r#""plus": "in", "minus": "gnd""#, r#""voltage": "12""#),
        part("VR", "dc_source", r#""plus": "r", "minus": "gnd""#, r#""voltage": "2.5""#),
        part("RR", "resistor", r#""a": "r", "b": "gnd""#, r#""resistance": "10k""#),
        part("U9", "voltage_sensor", r#""out": "f", "inp": "out", "inn": "gnd", "com": "gnd""#, r#""gain": "0.5""#),
        part("RF", "resistor", r#""a": "f", "b": "gnd""#, r#""resistance": "10k""#),
        control,
        part("U2", "pulse_modulator", r#""out": "g", "c": "c", "com": "gnd""#, ""),
        part(
            "S1",
            "controlled_switch",
            r#""a": "in", "b": "x", "cp": "g", "cn": "gnd""#,
            r#""on_resistance": "10m", "on_voltage": "2.6", "off_voltage": "2.4""#,
        ),
        part("D1", "schottky", r#""a": "gnd", "k": "x""#, r#""typical_current": "2""#),
        part(
            "L1",
            "inductor",
            r#""a": "x", "b": "out""#,
            &format!(r#""inductance": "{inductance}", "resistance": "20m""#),
        ),
        part(
            "C1",
            "capacitor",
            r#""plus": "out", "minus": "gnd""#,
            &format!(r#""capacitance": "{capacitance}", "esr": "{esr}""#),
        ),
        part("R1", "resistor", r#""a": "out", "b": "gnd""#, &format!(r#""resistance": "{load}""#)),
    ];
    let text = format!(r#"{{ "mellow_coil": 1, "title": "buck", "parts": [ {} ] }}"#, parts.join(","));
    let supply = Supply::from_json(&text).unwrap_or_else(|error| panic!("{error}"));
    (resolve(&supply).unwrap_or_else(|findings| panic!("{findings:#?}")), supply)
}

/// The values it usually has.
pub(crate) const USUAL: [&str; 5] = ["47u", "100u", "30m", "4", "500"];
