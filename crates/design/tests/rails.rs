//! Split rails and clamps, sized for random requirements and solved at the corners of line and load: what they are
//! for holds there, or the sizing has said that it does not.

mod common;

use circuit::{KindId, OutputDemand, Quantity, SourceDemand, Supply, resolve};
use common::{Random, chain, direct, output, set_line, stated, text};
use device::{Equations, operating_point};
use mellow_design::{Edit, apply, size};
use std::collections::BTreeMap;

fn source(lines: [f64; 3]) -> SourceDemand {
    let [lowest, nominal, highest] = lines.map(|v| format!("{v:.4e}"));
    SourceDemand { lowest: Some(lowest), highest: Some(highest), ..direct(&nominal) }
}

fn sized(lines: [f64; 3], outputs: Vec<OutputDemand>, forms: &[&str]) -> Supply {
    apply(&chain(&stated(source(lines), outputs), forms), &Edit::SizeAll).unwrap()
}

/// The operating point with the source at a voltage and with a part of the load.
fn solved(supply: &Supply, line: f64, load: f64) -> impl Fn(&str, Quantity) -> f64 {
    let mut supply = supply.clone();
    set_line(&mut supply, line);
    let loads = supply.parts.iter().filter(|p| p.stage.as_deref().is_some_and(|s| s.ends_with("load")));
    for (id, kind) in loads.map(|p| (p.id.clone(), p.kind)).collect::<Vec<_>>() {
        let name = if kind == KindId::Resistor { "resistance" } else { "current" };
        let scope = supply.clone();
        let part = supply.parts.iter_mut().find(|p| p.id == id).unwrap();
        let value = circuit::parameter_in(&scope, part, name).unwrap();
        let scaled = if kind == KindId::Resistor { value / load } else { value * load };
        part.parameters.insert(name.into(), format!("{scaled:e}"));
    }
    let circuit = resolve(&supply).unwrap_or_else(|f| panic!("{f:#?}"));
    let point = operating_point(&Equations::new(&circuit)).unwrap();
    move |of: &str, quantity: Quantity| match quantity {
        _ if of == circuit::GND => 0.0,
        Quantity::Power => point.powers.iter().find(|(id, _)| id == of).unwrap().1,
        _ => point.values.iter().find(|(c, _)| c.of == of && c.quantity == quantity).unwrap().1,
    }
}

fn part<'s>(supply: &'s Supply, stage: &str, role: &str) -> &'s str {
    let own = |p: &&circuit::Part| p.stage.as_deref() == Some(stage) && p.role.as_deref() == Some(role);
    &supply.parts.iter().find(own).unwrap().id
}

/// What a sizing reckoned in a step, in SI units.
fn reckoned(supply: &Supply, stage: &str, step: &str) -> f64 {
    let proposal = size(supply, stage, &BTreeMap::new()).unwrap();
    let step = proposal.steps.iter().find(|s| s.title == step).unwrap_or_else(|| panic!("{:#?}", proposal.steps));
    step.taken.unwrap_or(step.ideal)
}

#[test]
fn split_rails_of_zener_diodes_hold_or_say_that_they_do_not() {
    let mut random = Random(5);
    let mut said = 0;
    for _ in 0..60 {
        let (out, current) = (random.within(3.3, 15.0), random.within(1e-3, 20e-3));
        let lowest = 2.0 * out + random.within(1.0, out);
        let nominal = lowest * random.within(1.02, 1.3);
        let lines = [lowest, nominal, nominal * random.within(1.02, 1.3)];
        let accuracy = random.within(0.03, 0.3);
        let rail = |id: &str, v: f64| {
            let demand = output(id, &format!("{v:.4}"), &format!("{current:.4e}"));
            OutputDemand { accuracy: text(&format!("{accuracy:.4}")), ..demand }
        };
        let outputs = vec![rail("pos", out), rail("neg", -out)];
        let supply = sized(lines, outputs, &["dc_source", "zener_split", "split_load"]);
        let wish = format!("±{out:.2} V ±{:.0} %, {current:.4} A from {lines:.1?} V", 100.0 * accuracy);
        let warned = !size(&supply, "zener_split", &BTreeMap::new()).unwrap().warnings.is_empty();
        said += usize::from(warned);
        let joint = supply.inlet(supply.stage("split_load").unwrap()).unwrap();
        let [pos, mid, neg] = [0, 1, 2].map(|k| joint.nets()[k].to_owned());
        for line in lines {
            for load in [1e-3, 0.1, 0.5, 1.0] {
                let value = solved(&supply, line, load);
                let volt = |net: &str| value(net, Quantity::Voltage);
                for rail in [volt(&pos) - volt(&mid), volt(&mid) - volt(&neg)] {
                    let off = (rail / out - 1.0).abs();
                    assert!(off <= accuracy || warned, "{wish}: {:+.1} % at {line:.1} V, load {load}", 100.0 * off);
                }
                for role in ["feed", "upper", "lower"] {
                    let id = part(&supply, "zener_split", role);
                    let own = supply.part(id).unwrap();
                    let Some(allowed) = own.ratings.get("power") else { continue };
                    let allowed = circuit::number_in(&supply, allowed, quantity::Unit::Watt).unwrap();
                    let lost = value(id, Quantity::Power);
                    assert!(lost <= allowed, "{wish}: {id} loses {lost:.3} of {allowed:.3} W at {line:.1} V");
                }
            }
        }
    }
    assert!((5..55).contains(&said), "{said} of 60 said no: the wishes try too little");
}

#[test]
fn clamps_stand_back_in_service_and_hold_a_surge() {
    let mut random = Random(7);
    for _ in 0..60 {
        let nominal = random.within(5.0, 60.0);
        let lines = [0.9 * nominal, nominal, nominal * random.within(1.02, 1.3)];
        let rail = output("rail", &format!("{nominal:.4}"), &format!("{:.4e}", random.within(0.05, 2.0)));
        let supply = sized(lines, vec![rail], &["dc_source", "overvoltage_clamp", "current_load"]);
        let wish = format!("{lines:.2?} V");
        let zener = part(&supply, "overvoltage_clamp", "zener");
        let out = supply.stage("overvoltage_clamp").unwrap().output.clone().unwrap();
        for load in [0.0, 1.0] {
            let value = solved(&supply, lines[2], load);
            let lost = 1.0 - value(&out, Quantity::Voltage) / lines[2];
            assert!((-1e-3..0.03).contains(&lost), "{wish}: {:.1} % lost at load {load}", 100.0 * lost);
            let idle = value(zener, Quantity::Power) / value(&out, Quantity::Voltage);
            assert!(idle < 1.1e-3, "{wish}: {idle} A through the diode in service");
        }
        let surge = 2.0 * lines[2];
        let current = reckoned(&supply, "overvoltage_clamp", "Clamp current in a surge");
        let loss = reckoned(&supply, "overvoltage_clamp", "Loss in the Zener diode meanwhile");
        let value = solved(&supply, surge, 0.0);
        let (held, found) = (value(&out, Quantity::Voltage), value(zener, Quantity::Power));
        assert!(held < 0.8 * surge, "{wish}: {held} V let through of {surge}");
        // The source's leads take a part of the surge that the sizing leaves out.
        let share = |found: f64, reckoned: f64| assert!((0.75..1.03).contains(&(found / reckoned)), "{wish}: {found}");
        share(found / held, current);
        share(found, loss);
    }
}
