//! Sized regulators, tried at the corners of line and load: what they promise holds there, or the sizing
//! has said that it does not.

mod common;

use circuit::{KindId, OutputDemand, Quantity, ReadingMeasure, SourceDemand, SourceKind, Supply, resolve};
use common::{Random, chain, output, ran, set_line};
use device::{Equations, loop_gain, operating_point};
use mellow_design::{Edit, apply, size};
use readings::{Span, Waveform};
use std::collections::BTreeMap;
use std::fmt::Write;

/// Loads tried, as parts of the full one.
const LOADS: [f64; 5] = [0.0, 0.01, 0.1, 0.5, 1.0];
/// Least phase margin, °.
const MARGIN: f64 = 45.0;

/// What is asked of a regulator fed by a direct voltage.
#[derive(Clone, Copy, Debug)]
struct Wish {
    form: &'static str,
    out: f64,
    current: f64,
    line: [f64; 3],
}

impl Wish {
    fn supply(&self) -> Supply {
        let text = |v: f64| format!("{v:.4e}");
        let source = SourceDemand {
            kind: SourceKind::Dc,
            voltage: text(self.line[1]),
            lowest: Some(text(self.line[0])),
            highest: Some(text(self.line[2])),
            frequency: None,
        };
        let rail: OutputDemand = output("rail", &text(self.out), &text(self.current));
        let stated =
            apply(&Supply::new("corners"), &Edit::State { source: Some(source), outputs: vec![rail] }).unwrap();
        let supply = chain(&stated, &["dc_source", self.form, "current_load"]);
        apply(&supply, &Edit::SizeAll).unwrap()
    }
}

/// What was found at the corners.
#[derive(Debug)]
struct Found {
    /// Largest deviation of the output from what is wanted, relative, and where.
    deviation: (f64, String),
    /// Least phase margin, and where.
    margin: (f64, String),
    /// How far the output rises above what is wanted when switched on at the highest line, relative.
    rise: f64,
    warnings: Vec<String>,
}

fn part<'s>(supply: &'s mut Supply, role: &str, stage: &str) -> Option<&'s mut circuit::Part> {
    supply.parts.iter_mut().find(|p| p.role.as_deref() == Some(role) && p.stage.as_deref() == Some(stage))
}

fn tried(wish: &Wish) -> Found {
    let supply = wish.supply();
    let proposal = size(&supply, wish.form, &BTreeMap::new()).unwrap();
    let own: Vec<_> = [circuit::check(&supply), mellow_design::check(&supply)].concat();
    if proposal.warnings.is_empty() {
        assert!(own.is_empty(), "{wish:?}: {own:#?}");
    }
    let (deviation, margin) = ((0.0, String::new()), (180.0, String::new()));
    let mut found = Found { deviation, margin, rise: 0.0, warnings: proposal.warnings };
    let out = supply.stage(wish.form).unwrap().output.clone().unwrap();
    for (line, name) in wish.line.into_iter().zip(["lowest", "nominal", "highest"]) {
        for load in LOADS {
            let corner = format!("{name} line, {:.0} % load", 100.0 * load);
            let mut varied = supply.clone();
            let source = varied.parts.iter_mut().find(|p| p.kind == KindId::DcSource).unwrap();
            source.parameters.insert("voltage".into(), format!("{line:e}"));
            let drain = varied.parts.iter_mut().find(|p| p.kind == KindId::CurrentLoad).unwrap();
            drain.parameters.insert("current".into(), format!("{:e}", load * wish.current));
            let circuit = resolve(&varied).unwrap_or_else(|f| panic!("{wish:?}: {f:#?}"));
            let point = operating_point(&Equations::new(&circuit)).unwrap_or_else(|e| panic!("{wish:?}: {e}"));
            let voltage = point.values.iter().find(|(c, _)| c.of == out && c.quantity == Quantity::Voltage).unwrap().1;
            let deviation = voltage / wish.out - 1.0;
            if deviation.abs() > found.deviation.0.abs() {
                found.deviation = (deviation, corner.clone());
            }
            if let Some(amplifier) = part(&mut varied, "amplifier", wish.form) {
                let id = amplifier.id.clone();
                let entered = if wish.form == "low_dropout" {
                    (id, "inp")
                } else {
                    (part(&mut varied, "top", wish.form).unwrap().id.clone(), "a")
                };
                if let Ok(gain) = loop_gain(&circuit, &entered.0, entered.1, 1.0, 100e6, 20.0)
                    && let Some(margin) = gain.margins().phase_margin
                    && margin < found.margin.0
                {
                    found.margin = (margin, corner.clone());
                }
            }
        }
    }
    found.rise = risen(wish, &supply, &out);
    found
}

/// How far the output rises above what is wanted when the highest line is switched on, relative.
fn risen(wish: &Wish, supply: &Supply, out: &str) -> f64 {
    let mut supply = supply.clone();
    set_line(&mut supply, wish.line[2]);
    supply.readings.clear();
    supply.requirements.clear();
    let circuit = resolve(&supply).unwrap();
    let (recording, outcome) = ran(&circuit, &supply.studies[0].id);
    assert!(matches!(outcome.end, studies::End::Done), "{wish:?}: {:?}", outcome.end);
    let equations = Equations::new(&circuit);
    let recorded = common::Recorded::new(&circuit, equations.columns(), &recording);
    let values = recorded.values(&format!("{out}.v"));
    // No source rises at once; what capacitances of transistors pass on in the first instants is left out.
    let span = Span { from: 1e-6, to: *recording.times.last().unwrap() };
    Waveform::new(&recording.times, &values).measure(ReadingMeasure::Max, span).unwrap() / wish.out - 1.0
}

/// The rounding of its leads' voltage makes a current that never comes to rest, which once passed for no operating point.
#[test]
fn a_source_with_short_leads_has_an_operating_point() {
    let line = [6.915_987_388_876_308, 8.062_751_795_013_057, 8.587_208_396_926_904];
    let wish = Wish { form: "zener_follower", out: 5.821_122_695_178_734, current: 1.132_677_104_428_635_5, line };
    assert!(!tried(&wish).warnings.is_empty());
}

const FORMS: [&str; 6] =
    ["zener_shunt", "zener_follower", "fixed_regulator", "adjustable_regulator", "follower_regulator", "low_dropout"];

#[test]
fn regulators_hold_at_every_corner_or_say_that_they_do_not() {
    let chosen = std::env::var("MELLOW_COIL_CORNERS").ok().and_then(|t| t.parse().ok());
    let count = chosen.unwrap_or(25);
    let mut table = String::new();
    let mut random = Random(11);
    let mut wrong = Vec::new();
    let mut silent = 0;
    for form in FORMS {
        let usual = [3.3, 5.0, 6.0, 8.0, 9.0, 10.0, 12.0, 15.0, 18.0, 24.0];
        let (mut worst, mut warned, mut least) = ((0.0f64, String::new()), 0, (180.0f64, String::new()));
        let mut highest = 0.0f64;
        for _ in 0..count {
            let out = if form == "fixed_regulator" {
                usual[((random.next() * usual.len() as f64) as usize).min(usual.len() - 1)]
            } else {
                random.within(3.3, 24.0)
            };
            let most = if form.starts_with("zener_shunt") { 50e-3 } else { 2.0 };
            let current = random.within(5e-3, most);
            let lowest = out + random.within(1.0, out);
            let nominal = lowest * random.within(1.02, 1.5);
            let wish = Wish { form, out, current, line: [lowest, nominal, nominal * random.within(1.02, 1.5)] };
            let found = tried(&wish);
            if !found.warnings.is_empty() {
                warned += 1;
                continue;
            }
            if found.deviation.0.abs() > 0.05 || found.margin.0 < MARGIN || found.rise > 0.05 {
                silent += 1;
                wrong.push(format!(
                    "{form} {out:.2} V {current:.3} A from {:.1}, {:.1}, {:.1} V: {:+.1} % at {}; {:.0}° at {}; rises {:+.1} %",
                    wish.line[0],
                    wish.line[1],
                    wish.line[2],
                    100.0 * found.deviation.0,
                    found.deviation.1,
                    found.margin.0,
                    found.margin.1,
                    100.0 * found.rise
                ));
            }
            highest = highest.max(found.rise);
            worst = if found.deviation.0.abs() > worst.0.abs() { found.deviation } else { worst };
            least = if found.margin.0 < least.0 { found.margin } else { least };
        }
        let _ = writeln!(table, "{form}: {warned} said no; worst {:+.1} % at {}", 100.0 * worst.0, worst.1);
        let _ = writeln!(table, "  rises to {:+.1} % when switched on", 100.0 * highest);
        if !least.1.is_empty() {
            let _ = writeln!(table, "  least margin {:.0}° at {}", least.0, least.1);
        }
    }
    assert!(wrong.is_empty(), "{silent} hold neither what they promise nor say so:\n{}", wrong.join("\n"));
    match chosen {
        None => insta::assert_snapshot!(table),
        Some(_) => println!("{table}"),
    }
}
