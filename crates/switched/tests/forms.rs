//! What the one table says of each kind by switching is what this engine does, and straight pieces stand for curves as closely as it
//! says.

mod common;

use circuit::KindId::{
    Capacitor, CoreTransformer, DcSource, Npn, Pnp, PulseSource, Regulator, Resistor, SeriesReference, ShuntReference,
    SineSource,
};
use circuit::ReadingMeasure as Measure;
use circuit::kinds::KINDS;
use circuit::{Circuit, Part, Supply, resolve};
use common::edges::{borrowed, level, values};
use common::{circuit, device_run, tried};
use proptest::prelude::*;

#[test]
fn the_table_says_which_kinds_have_a_form() {
    for kind in KINDS {
        let mut supply = Supply::new("one part");
        let nets = |k: usize| if k == 0 { "gnd".to_owned() } else { format!("n{k}") };
        let pins = kind.pins.iter().enumerate().map(|(k, pin)| (pin.id.to_owned(), nets(k)));
        supply.parts.push(Part::new("X1", kind.id, pins.collect()));
        for k in 1..kind.pins.len() {
            let pins = [("a".to_owned(), nets(k)), ("b".to_owned(), "gnd".to_owned())];
            supply.parts.push(Part::new(format!("R{k}"), circuit::KindId::Resistor, pins.into()));
        }
        let circuit = resolve(&supply).unwrap_or_else(|findings| panic!("{}: {findings:#?}", kind.name));
        let without = mellow_switched::without_form(&circuit);
        assert_eq!(without.is_empty(), kind.id.by_switching().is_some(), "{}", kind.name);
    }
}

/// A signal at the end of a run by both engines.
fn ends(circuit: Circuit, end: f64, signals: &[&str]) -> Vec<[f64; 2]> {
    let runs = [tried(circuit.clone(), end, 0.0, 1e-6).unwrap(), device_run(circuit, end, end / 100.0, 1e-5)];
    signals.iter().map(|signal| runs.each_ref().map(|run| level(run, signal, end * (1.0 - 1e-6)))).collect()
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(24))]

    /// Regulating, in dropout and at the current limit: the same state but for the corners.
    #[test]
    fn regulators_stand_where_they_do_at_device_level(
        input in 4.0..20.0f64, load in 3.0..500.0f64, reference in any::<bool>(), negative in any::<bool>()
    ) {
        let (kind, own) = if reference { (SeriesReference, vec![]) } else { (Regulator, vec![("voltage", "5")]) };
        let negative = negative && !reference;
        let mut own = own;
        own.extend(negative.then_some(("polarity", "negative")));
        let sign = if negative { -1.0 } else { 1.0 };
        let (source, resistor) = (values([("voltage", sign * input)]), values([("resistance", if reference { 100.0 * load } else { load })]));
        let circuit = circuit(&[
            ("V1", DcSource, "in gnd", &borrowed(&source)),
            ("U1", kind, "in out gnd", &own),
            ("C1", Capacitor, "out gnd", &[("capacitance", "1u"), ("esr", "50m")]),
            ("R1", Resistor, "out gnd", &borrowed(&resistor)),
        ]);
        for [switched, device] in ends(circuit, 20e-3, &["out.v", "U1.i"]) {
            // Corners are 30 mV wide, and a limit gives way by a fiftieth per volt.
            let full = device.abs().max(1e-3);
            prop_assert!((switched - device).abs() < 0.01 * full + 0.04 * full * input / 5.0, "{} for {}", switched, device);
        }
    }

    #[test]
    fn a_shunt_reference_holds_its_voltage(input in 6.0..30.0f64, series in 0.2e3..5e3f64, (upper, lower) in (0.0..10e3f64, 5e3..20e3f64)) {
        let texts = [values([("voltage", input)]), values([("resistance", series)]), values([("resistance", upper + 1.0)]), values([("resistance", lower)])];
        let circuit = circuit(&[
            ("V1", DcSource, "in gnd", &borrowed(&texts[0])),
            ("R1", Resistor, "in out", &borrowed(&texts[1])),
            ("U1", ShuntReference, "out gnd ref", &[]),
            ("R2", Resistor, "out ref", &borrowed(&texts[2])),
            ("R3", Resistor, "ref gnd", &borrowed(&texts[3])),
        ]);
        for [switched, device] in ends(circuit, 1e-3, &["out.v", "U1.i"]) {
            prop_assert!((switched - device).abs() < 2e-3 * device.abs().max(1e-2), "{} for {}", switched, device);
        }
    }

    /// Driven well into saturation, and off.
    #[test]
    fn a_transistor_switches(pnp in any::<bool>(), supply in 3.0..30.0f64, share in 0.4..3.0f64, forced in 5.0..20.0f64) {
        // About the collector current its base-emitter voltage is stated at.
        let load = supply / (share * 2e-3);
        let (kind, sign) = if pnp { (Pnp, -1.0) } else { (Npn, 1.0) };
        let drive = values([
            ("low", 0.0), ("high", sign * 5.0), ("delay", 10e-6), ("rise", 1e-6), ("fall", 1e-6), ("width", 40e-6), ("period", 1.0),
        ]);
        let base = (5.0 - 0.7) / (supply / load) * forced;
        let texts = [values([("voltage", sign * supply)]), values([("resistance", load)]), values([("resistance", base)])];
        let circuit = circuit(&[
            ("V1", DcSource, "vcc gnd", &borrowed(&texts[0])),
            ("VB", PulseSource, "d gnd", &borrowed(&drive)),
            ("RB", Resistor, "d b", &borrowed(&texts[2])),
            ("Q1", kind, "c b gnd", &[]),
            ("RC", Resistor, "vcc c", &borrowed(&texts[1])),
        ]);
        let runs = [tried(circuit.clone(), 100e-6, 0.0, 1e-6).unwrap(), device_run(circuit, 100e-6, 1e-6, 1e-4)];
        for at in [5e-6, 45e-6, 95e-6] {
            let [switched, device] = runs.each_ref().map(|run| level(run, "c.v", at));
            prop_assert!((switched - device).abs() < 0.1, "{} for {} at {:e} s with {} V", switched, device, at, supply);
            // The tangent of the base's curve leaves it by what a threefold current makes.
            let [switched, device] = runs.each_ref().map(|run| level(run, "b.v", at));
            prop_assert!((switched - device).abs() < 0.15, "{} for {} at {:e} s", switched, device, at);
        }
    }

    /// From far below saturation to beyond.
    #[test]
    fn a_core_saturates_along_its_curve(amplitude in 50.0..320.0f64, load in 5.0..200.0f64) {
        let (source, resistor) = (values([("amplitude", amplitude)]), values([("resistance", load)]));
        let circuit = circuit(&[
            ("V1", SineSource, "in gnd", &borrowed(&source)),
            ("T1", CoreTransformer, "in gnd out gnd", &[]),
            ("R1", Resistor, "out gnd", &borrowed(&resistor)),
        ]);
        let runs = [tried(circuit.clone(), 0.1, 0.0, 1e-6).unwrap(), device_run(circuit, 0.1, 1e-3, 1e-5)];
        for signal in ["V1.i", "R1.i", "out.v"] {
            let [switched, device] = runs.each_ref().map(|run| {
                run.measure(signal, 0.02, 0.1, |waveform, span| waveform.measure(Measure::Rms, span).unwrap())
            });
            // A hundredth of the flux is several of the magnetising current.
            prop_assert!((switched - device).abs() < 0.05 * device, "{}: {} for {}", signal, switched, device);
        }
    }
}
