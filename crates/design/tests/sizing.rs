//! Sizing against calculations by hand, and what every form proposes.

mod common;

use common::{chain, direct, every_supply, mains, output, stated, with};
use mellow_design::{FORMS, Proposal, size};
use quantity::show;
use std::collections::{BTreeMap, BTreeSet};
use std::fmt::Write;

/// The result of a step by its title.
fn result(proposal: &Proposal, title: &str) -> f64 {
    let step = proposal.steps.iter().find(|s| s.title == title);
    step.unwrap_or_else(|| panic!("no step {title}: {proposal:#?}")).ideal
}

fn close(found: f64, by_hand: f64) {
    assert!((found / by_hand - 1.0).abs() < 2e-3, "{found} for {by_hand}");
}

/// 9 V, 250 mA from mains of 207 V to 253 V; the numbers are worked out on paper beside each.
#[test]
fn a_mains_supply_is_sized_as_by_hand() {
    let supply = stated(mains(), vec![output("rail", "9", "250m")]);
    let supply = chain(&supply, &["mains", "transformer", "bridge", "reservoir", "fixed_regulator", "resistive_load"]);
    let sized = |stage: &str| size(&supply, stage, &BTreeMap::new()).unwrap();

    // The bus must not fall below 9 V + 2 V dropout + 0.5 V; it carries 250 mA and the regulator's 5 mA.
    let transformer = sized("transformer");
    // 1.25 · I_rms · 12 V · 1.15634, the winding's current being 1.6 to 2.2 times the direct one (handbook: 1.8).
    let current = result(&transformer, "Rating") / (1.25 * 12.0 * 1.15634);
    assert!((1.6..2.2).contains(&(current / 0.255)), "{current}");
    // 0.35 · 10^−0.35 = 0.15634 of the voltage is lost in a transformer of 10 VA.
    close(result(&transformer, "Voltage lost at rated load"), 0.15634);
    // (11.5 + 1.38 + 2 · 0.95) / (√2 · 0.9 · 0.84366) = 13.764 V.
    close(result(&transformer, "Secondary voltage"), 13.764);
    // 230² / (2π · 50 · 0.15 · 10) = 112.26 H.
    close(result(&transformer, "Primary inductance"), 112.26);
    // By turns: 20 to 1 leaves 230 V / 20 = 11.5 V open, 11.5 / 1.15634 = 9.9452 V rated.
    let by_turns = size(&supply, "transformer", &[("ratio".to_owned(), "20".to_owned())].into()).unwrap();
    let taken = by_turns.steps.iter().find(|s| s.title == "Secondary voltage").unwrap().taken.unwrap();
    assert!((taken - 9.9452).abs() < 1e-3, "{taken}");
    let ratio = result(&by_turns, "Primary inductance") / result(&by_turns, "Secondary inductance");
    assert!((ratio.sqrt() / 20.0 - 1.0).abs() < 1e-3, "{ratio}");
    let upside_down = size(&supply, "transformer", &[("ratio".to_owned(), "-20".to_owned())].into()).unwrap();
    assert!(upside_down.warnings.iter().any(|w| w.contains("turns ratio must be")), "{:?}", upside_down.warnings);
    // Core and stray loss 0.2 W · 10^0.7 = 1.0024 W: (13.876 V)²/1.0024 W = 192.1 Ω across the secondary.
    close(result(&transformer, "Core and stray loss"), 192.1);
    // 12 V · 1.15634 · 253/230 = 15.264 V at the highest line without load, of which 192.1 Ω behind the windings' 2.25 Ω
    // leave 15.087 V; √2 of it is the peak.
    close(result(&sized("reservoir"), "Voltage it must bear"), 1.2 * 21.336);
    close(result(&sized("bridge"), "Reverse voltage of a diode"), 1.2 * 21.336);
    // I/(f·ΔV) = 0.255 A/(100 Hz · 1.8285 V), a tenth of the peak behind two diodes.
    close(result(&sized("reservoir"), "Capacitance"), 1.3946e-3);
    close(result(&sized("bridge"), "Mean current of a diode"), 0.1275);
    // (14.9 V − 9 V) · 0.25 A + 14.9 V · 5 mA = 1.55 W; the mean of the bus is from the periodic state.
    let regulator = sized("fixed_regulator");
    let bus = sized("reservoir").promises.iter().find(|p| p.title == "Mean voltage").unwrap().value;
    assert!((14.8..15.0).contains(&bus), "{bus}");
    close(result(&regulator, "Loss in the regulator"), (bus - 9.0) * 0.25 + bus * 5e-3);
    close(result(&sized("resistive_load"), "Load resistance"), 36.0);
}

/// Regulators from direct voltages, by the handbook's formulas.
#[test]
fn regulators_are_sized_as_by_hand() {
    let from = |volts: &str, rail: (&str, &str), form: &str| {
        let supply = chain(&stated(direct(volts), vec![output("rail", rail.0, rail.1)]), &["dc_source", form]);
        size(&supply, form, &BTreeMap::new()).unwrap()
    };
    // Leads of 1 Ω lose 24 mV: R = (23.976 V − 12 V)/(20 mA + 3 mA) = 520.7 Ω; loss (24 − 12)²/470.
    let shunt = from("24", ("12", "20m"), "zener_shunt");
    close(result(&shunt, "Series resistance"), 520.7);
    close(result(&shunt, "Loss in the resistor"), 144.0 / 470.0);
    // 12 V · 12 V/470 Ω, half as much again, is what the Zener diode must bear; up to 500 mW it is specified at 5 mA.
    close(result(&shunt, "Rating of the Zener diode"), 1.5 * 144.0 / 470.0);
    close(result(&shunt, "Current it is specified at"), 5e-3);
    close(result(&shunt, "Impedance there"), 60.0);
    // Base current 1.2 · 300 mA/100; the Zener voltage is the output's and a base-emitter voltage.
    let follower = from("15", ("9", "300m"), "zener_follower");
    close(result(&follower, "Base current"), 3.6e-3);
    // 9 V/3 mA.
    close(result(&follower, "Bleeder"), 3e3);
    close(result(&follower, "Zener voltage"), 9.7);
    // V_out = 1.25·(1 + R2/240) + 50 µA·R2 = 12 V: R2 = 10.75/(1.25/240 + 50 µA) = 2044 Ω.
    close(result(&from("18", ("12", "400m"), "adjustable_regulator"), "Resistor to the common"), 2044.4);
    // R2 = 1.25 V/2 mA = 625 Ω, 620 Ω taken; R1 = 620 Ω·(5/1.25 − 1); ESR = 1/(2π·220 µF·6 kHz) = 121 mΩ; R_on =
    // 0.15 V/0.2 A.
    let low = from("6", ("5", "200m"), "low_dropout");
    close(result(&low, "Lower divider resistor"), 625.0);
    close(result(&low, "Upper divider resistor"), 1860.0);
    close(result(&low, "ESR of the output capacitor"), 0.12057);
    // 1.5 S at 0.5 A are 0.9487 S at 0.2 A: 150 kHz · 5.02 V/(1.25 V · 0.9487 S · 120.6 mΩ), R1 being 1.87 kΩ.
    close(result(&low, "Gain-bandwidth product of the amplifier"), 5.267e6);
    close(result(&low, "On-resistance"), 0.75);
    // A choke's characteristic resistance is the load's: 12 V/0.1 A/(2π·1 kHz) = 19.1 mH.
    close(result(&from("12", ("5", "95m"), "lc_filter"), "Choke"), 120.0 / (2.0 * std::f64::consts::PI * 1e3));
    // (5 V − 2 V)/5 mA.
    close(result(&from("5", ("5", "1m"), "indicator"), "Series resistance"), 600.0);
}

#[test]
fn clamps_splits_limiters_and_loads_are_sized_as_by_hand() {
    let direct = |volts: &str, outputs: &[(&str, &str)], forms: &[&str]| {
        let outputs = outputs.iter().enumerate().map(|(k, (v, i))| output(&format!("o{k}"), v, i)).collect();
        let supply = chain(&stated(direct(volts), outputs), forms);
        size(&supply, &supply.stages.last().unwrap().id.clone(), &BTreeMap::new()).unwrap()
    };
    // (25 V − 15 V)/(100 Ω + 10 Ω) = 90.9 mA; 15 V of it are 1.364 W.
    let gate = direct("25", &[], &["pulse_source", "gate_clamp"]);
    // Half of a small Zener diode's 10 Ω is its bulk's, which stays at any current.
    let through = 10.0 / 105.0;
    close(result(&gate, "Clamp current in a surge"), through);
    close(result(&gate, "Loss in the Zener diode meanwhile"), (15.0 + 5.0 * through) * through);
    // Leads of 1 Ω lose 20 mV: (29.98 V − 24 V)/(10 mA + 3 mA) = 460 Ω, 390 Ω taken: 36/390 W in it; each Zener diode
    // is rated for half as much again as 12 V · 6 V/390 Ω.
    let split = direct("30", &[("12", "10m")], &["dc_source", "zener_split"]);
    close(result(&split, "Series resistance"), 460.0);
    close(result(&split, "Loss in the resistor"), 36.0 / 390.0);
    close(result(&split, "Rating of the Zener diode"), 1.5 * 72.0 / 390.0);
    close(result(&direct("5", &[("5", "200m")], &["dc_source", "power_load"]), "Power"), 1.0);
    close(result(&direct("9", &[("9", "250m")], &["dc_source", "resistive_load"]), "Load resistance"), 36.0);
    // A filter's corner at 1 kHz: 12 V · 0.1 lost at 40 mA is 30 Ω, 27 or 33 taken; 1/(2π · 1 kHz · R).
    let rc = direct("12", &[("5", "35m")], &["dc_source", "rc_filter"]);
    let taken = rc.steps.iter().find(|s| s.title == "Resistance").unwrap().taken.unwrap();
    close(result(&rc, "Capacitance"), 1.0 / (2.0 * std::f64::consts::PI * 1e3 * taken));

    let lines = |outputs: &[(&str, &str)], forms: &[&str], stage: &str| {
        let outputs = outputs.iter().enumerate().map(|(k, (v, i))| output(&format!("o{k}"), v, i)).collect();
        size(&chain(&stated(mains(), outputs), forms), stage, &BTreeMap::new()).unwrap()
    };
    // 1.3 · 201 mA · 5.8 V/(0.6 · 230 V) = 10.98 mA; twenty times it may flow: √2 · 253 V/219.6 mA − 0.4 Ω.
    let forms = ["mains", "inrush_resistor", "transformer", "bridge", "reservoir", "low_dropout"];
    let inrush = lines(&[("5", "200m")], &forms, "inrush_resistor");
    close(result(&inrush, "Line current, RMS"), 10.98e-3);
    close(result(&inrush, "Resistance"), 1629.0);
    // 2.2 · 1.005 A · 14.5 V = 32.06 VA.
    let forms = ["mains", "isolating_transformer", "transformer", "bridge", "reservoir", "fixed_regulator"];
    close(result(&lines(&[("12", "1")], &forms, "isolating_transformer"), "Rating"), 32.06);
    // A doubler's capacitors are charged once a period each.
    let doubled = lines(&[("24", "100m")], &["mains", "transformer", "doubler", "fixed_regulator"], "doubler");
    let ripple: f64 = quantity::parse(&doubled.choices[0].value, quantity::Unit::Volt).unwrap();
    close(result(&doubled, "Capacitance of each"), 0.105 / (50.0 * ripple));
    // A saturating core: 10 VA want 1.1 cm² · √10 = 3.479 cm²; √2 · 230 V/(2π · 50 Hz · 1.2 T · 3.479 cm²) = 2480 turns.
    let supply = stated(mains(), vec![output("rail", "9", "250m")]);
    let supply = chain(&supply, &["mains", "transformer", "bridge", "reservoir", "fixed_regulator"]);
    let core = size(&supply, "transformer", &BTreeMap::from([("core".to_owned(), "saturating".to_owned())])).unwrap();
    close(result(&core, "Core area"), 3.479e-4);
    close(result(&core, "Primary turns"), 2480.0);
}

#[test]
fn a_fuse_and_a_synchronous_bridge_are_sized_as_by_hand() {
    let supply = stated(mains(), vec![output("rail", "9", "250m")]);
    let forms = ["mains", "fuse", "transformer", "synchronous_bridge", "reservoir", "fixed_regulator"];
    let supply = chain(&supply, &forms);
    let sized = |stage: &str| size(&supply, stage, &BTreeMap::new()).unwrap();
    // 1.3 · 0.255 A · 11.5 V / (0.6 · 230 V) = 27.63 mA; 1.6 times that is 44.2 mA, the next fuse 100 mA,
    // and 200 mV at 100 mA are 2 Ω.
    let fuse = sized("fuse");
    close(result(&fuse, "Line current, RMS"), 27.63e-3);
    close(result(&fuse, "Rated current"), 44.2e-3);
    close(result(&fuse, "Cold resistance"), 2.0);
    assert_eq!(supply.part("R2").unwrap().ratings["rms_current"], "100m");
    // 50 mV / 255 mA; the gates of a diagonal open together, those of the other half a period later.
    let bridge = sized("synchronous_bridge");
    close(result(&bridge, "On-resistance"), 0.05 / 0.255);
    let delay = |gate: &str| {
        let part = supply.parts.iter().find(|p| p.role.as_deref() == Some(gate)).unwrap();
        quantity::parse(&part.parameters["delay"], quantity::Unit::Second).unwrap()
    };
    assert!(
        (delay("g2") - delay("g1") - 10e-3).abs() < 1e-5 && delay("g1") == delay("g4") && delay("g2") == delay("g3")
    );
    // The sine is above the bus around its peak, a quarter of a period in.
    assert!(delay("g1") > 2e-3 && delay("g1") < 5e-3, "{}", delay("g1"));
}

#[test]
fn a_form_says_what_it_cannot_do() {
    let low = chain(&stated(direct("10"), vec![output("rail", "9", "100m")]), &["dc_source", "fixed_regulator"]);
    let proposal = size(&low, "fixed_regulator", &BTreeMap::new()).unwrap();
    assert!(proposal.warnings[0].contains("1.02\u{2009}V are missing to regulate"), "{:?}", proposal.warnings);
    let odd = chain(&stated(direct("20"), vec![output("rail", "7.2", "100m")]), &["dc_source", "fixed_regulator"]);
    let proposal = size(&odd, "fixed_regulator", &BTreeMap::new()).unwrap();
    assert!(proposal.warnings[0].contains("take an adjustable one"), "{:?}", proposal.warnings);
    let mains = chain(&stated(mains(), vec![output("rail", "9", "250m")]), &["mains"]);
    let weak = with(&mains, "transformer", Some("mains"), false, &[("secondary", "6")]);
    let proposal = size(&weak, "transformer", &weak.stage("transformer").unwrap().choices).unwrap();
    assert!(proposal.warnings[0].contains("take a higher secondary voltage"), "{:?}", proposal.warnings);
    let unread = size(&weak, "transformer", &BTreeMap::from([("ripple".into(), "two volts".into())])).unwrap();
    assert!(unread.warnings[0].contains("“two volts” cannot be read"), "{:?}", unread.warnings);
}

/// The other formulas, where each form first stands in a chain: worked out with a pocket calculator from the
/// numbers shown there. Sources beside them; those without are definitions.
#[test]
fn the_other_formulas_are_as_by_hand() {
    let table: &[(&str, &str, f64)] = &[
        // A reservoir holds the peak while the winding reaches the other one (handbook).
        ("half_wave", "Reverse voltage of a diode", 1.2 * 28.56),
        ("centre_tap_rectifier", "Reverse voltage of a diode", 1.2 * 51.42),
        ("dual_rail_bridge", "Reverse voltage of a diode", 1.2 * 62.31),
        ("dual_rail_bridge", "Mean current of a diode", 0.0525),
        // The peak between two phases, and a third of the time each (handbook): sqrt(6) * 253.
        ("three_phase_bridge", "Reverse voltage of a diode", 1.2 * 619.7),
        ("three_phase_bridge", "Mean current of a diode", 0.351),
        ("split_reservoir", "Capacitance", 0.0003784),
        ("split_reservoir", "Voltage it must bear", 37.39),
        ("rc_filter", "Resistance", 47.36),
        ("rc_filter", "Attenuation", 10.0),
        ("rc_filter", "Capacitance", 338.6e-6),
        // 42.48 mA squared times 47 ohms, and a triangle's square mean, 1.803² / 12, over them.
        ("rc_filter", "Loss", 0.09058),
        ("clc_filter", "Reservoir", 1.897e-3),
        // A sawtooth's fundamental is 2/π of half its height: 2/π * 0.852 V over 2π * 100 Hz * 50.5 mA.
        ("clc_filter", "Choke", 17.09e-3),
        ("clc_filter", "Capacitance", 1.267e-3),
        ("lc_filter", "Capacitance", 1.393e-6),
        ("lc_filter", "Damping resistor", 100.0),
        ("overvoltage_clamp", "Zener voltage", 73.79),
        ("overvoltage_clamp", "Series resistance", 0.2422),
        // 134.16 V from 75 V; a third more, 101.25 V, stands across the diode, and the rest across 0.22 Ω.
        ("overvoltage_clamp", "Clamp current in a surge", 149.57),
        ("overvoltage_clamp", "Loss in the Zener diode meanwhile", 15_144.0),
        ("bypassed_inrush_resistor", "Line current, RMS", 5.170),
        ("bypassed_inrush_resistor", "Resistance", 0.4543),
        ("transformer", "Coupling", 0.9992),
        ("transformer", "Secondary inductance", 0.4093),
        ("transformer", "Primary resistance", 309.2),
        // What its core takes is 0.2 * 25^0.7: 1.2 * (2 * 0.426 A * 16.7 V + 1.904 W).
        ("two_secondaries", "Rating", 19.36),
        ("two_secondaries", "Second turns", 72.67),
        ("centre_tapped_transformer", "Third turns", 72.67),
        ("fixed_regulator", "Loss in the regulator", 1.547),
        ("fixed_regulator", "Dropout margin at the lowest line", 1.473),
        ("split_regulators", "Rated current", 0.12),
        ("adjustable_regulator", "Loss in the regulator", 2.970),
        // (8.637 V - 5.6 V) over 3.36 mA; at the highest line, (13.71 V - 5.6 V) squared over 820 Ω.
        ("zener_follower", "Series resistance", 903.9),
        ("zener_follower", "Loss in the resistor", 0.08024),
        ("zener_follower", "Rating of the Zener diode", 0.0831),
        ("follower_regulator", "Output capacitor", 20e-6),
        // 1/(2π * 22 µF * (25.9 mV / 5 mA + 147 Ω / 120)); the crossover half of it, over 2.55 kΩ.
        ("follower_regulator", "Pole at the output at the least load", 1129.0),
        ("follower_regulator", "Compensation capacitor", 110.5e-9),
        ("follower_regulator", "Loss in the transistor", 4.014),
        ("low_dropout", "Output capacitor", 200e-6),
        ("low_dropout", "Loss in the transistor", 0.4813),
        ("low_dropout", "Dropout margin at the lowest line", 0.7407),
        ("split_load", "Load resistance", 150.0),
    ];
    let supplies = every_supply();
    let mut wrong = Vec::new();
    for (form, title, by_hand) in table {
        let has = |s: &&circuit::Supply| s.stages.iter().any(|stage| stage.form.as_deref() == Some(form));
        let supply = supplies.iter().find(has).unwrap_or_else(|| panic!("no chain with {form}"));
        let stage = supply.stages.iter().find(|s| s.form.as_deref() == Some(form)).unwrap();
        let found = result(&size(supply, &stage.id, &stage.choices).unwrap(), title);
        if (found / by_hand - 1.0).abs() > 2e-3 {
            wrong.push(format!("{form}, {title}: {found} for {by_hand}"));
        }
    }
    assert!(wrong.is_empty(), "{wrong:#?}");
    // A MOSFET follower at 4 mA has 4 mA / 60 mV at most, on 22 µF: 66.7 mS/(2π * 22 µF).
    let mosfet = supplies.iter().flat_map(|s| s.stages.iter().map(move |stage| (s, stage)));
    let (supply, stage) =
        mosfet.into_iter().find(|(_, s)| s.choices.get("device").is_some_and(|d| d == "mosfet")).unwrap();
    close(result(&size(supply, &stage.id, &stage.choices).unwrap(), "Pole at the output at the least load"), 482.3);
}

/// What each form proposes where it first stands in a chain.
#[test]
fn every_form_proposes() {
    let mut text = String::new();
    let mut seen = BTreeSet::new();
    for supply in every_supply() {
        for stage in &supply.stages {
            let form = stage.form.clone().unwrap();
            if !seen.insert(form.clone()) {
                continue;
            }
            let proposal = size(&supply, &stage.id, &stage.choices).unwrap();
            writeln!(text, "{form}").unwrap();
            for choice in &proposal.choices {
                writeln!(text, "  ? {} {}", choice.title, choice.value).unwrap();
            }
            for step in &proposal.steps {
                assert!(step.ideal.is_finite(), "{form}: {} = {} has no result", step.title, step.formula);
                let taken = step.taken.map(|v| format!(" → {}", show(v, step.unit, 4))).unwrap_or_default();
                writeln!(text, "  {} = {} = {}{taken}", step.title, step.numbers, show(step.ideal, step.unit, 4))
                    .unwrap();
            }
            for part in &proposal.parts {
                let values: Vec<_> = part.parameters.iter().map(|(k, v)| format!("{k} {v}")).collect();
                writeln!(text, "  {} {}: {}", part.id, part.kind.name(), values.join(", ")).unwrap();
            }
        }
    }
    let missing: Vec<_> = FORMS.iter().map(|f| f.id).filter(|id| !seen.contains(*id)).collect();
    assert_eq!(missing, [""; 0]);
    insta::assert_snapshot!(text);
}

/// While a thermistor warms up a supply sized for it warm has less: how long that lasts is what the engine finds with the line's
/// current through it, until its resistance is that of nine tenths of its rise (IEC 60539-1).
#[test]
fn a_thermistor_warms_up_as_it_does_in_the_engine() {
    for (volts, amperes) in [("12", "500m"), ("5", "3"), ("24", "1")] {
        let supply = stated(mains(), vec![output("rail", volts, amperes)]);
        let forms = ["mains", "inrush_ntc", "transformer", "bridge", "reservoir", "current_load"];
        let proposal = size(&chain(&supply, &forms), "inrush_ntc", &BTreeMap::new()).unwrap();
        let cold = proposal.steps.iter().find(|s| s.title == "Resistance").unwrap().taken.unwrap();
        let [line, hot, lasts] = ["Line current, RMS", "Resistance when warm", "Time it takes to warm up"]
            .map(|title| result(&proposal, title));
        close(result(&proposal, "Voltage lost while it is cold"), line * cold);
        let warm = 1.0 / (1.0 / 298.15 + (hot / cold).ln() / 3000.0);
        let warmed = 298.15 + 0.9 * (warm - 298.15);
        let resistance = cold * (3000.0 * (1.0 / warmed - 1.0 / 298.15)).exp();
        let text = format!(
            r#"{{ "mellow_coil": 1, "title": "warms", "parts": [
            {{ "id": "I1", "kind": "current_source", "pins": {{ "a": "gnd", "b": "x" }}, "parameters": {{ "current": "{line}" }} }},
            {{ "id": "RT1", "kind": "thermistor", "pins": {{ "a": "x", "b": "gnd" }}, "parameters": {{ "resistance": "{cold}" }} }} ],
          "studies": [{{ "id": "s", "kind": "switch_on", "title": "S", "duration": "{}", "tolerance": "1e-5" }}],
          "readings": [{{ "id": "warm", "title": "Warm", "study": "s", "signal": "x.v", "measure": "crossing_time",
            "numbers": {{ "level": "{}" }}, "window": "whole_run" }}] }}"#,
            2.0 * lasts,
            line * resistance
        );
        let circuit = circuit::resolve(&circuit::Supply::from_json(&text).unwrap()).unwrap();
        let outcome = studies::run(&circuit, "s", &mut recording::Recording::default()).unwrap();
        let found = outcome.readings[0].value.unwrap_or_else(|| panic!("{:?}", outcome.readings[0]));
        assert!((found / lasts - 1.0).abs() < 0.01, "{volts} V: {found} s for {lasts} s");
        assert!(lasts > 1.0 && lasts < 500.0, "{lasts}");
    }
}
