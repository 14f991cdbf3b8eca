//! Rectifiers and filters from the mains, sized for random requirements and run at the corners of line and load:
//! ratings, ripple and accuracy hold there, or a finding says that they do not.

mod common;

use circuit::kinds::{Rating, Stress};
use circuit::{Finding, KindId, Part, ReadingMeasure, SourceDemand, SourceKind, Supply, number_in, resolve};
use common::{Random, chain, output, ran, set_line, stated, text};
use mellow_design::{Edit, apply};
use readings::{Span, Waveform};
use std::fmt::Write;

/// Loads tried, as parts of the full one.
const LOADS: [f64; 2] = [0.02, 1.0];

/// The stages between mains and load, the voltages and currents they are for, and the load.
type Row = (&'static str, &'static [&'static str], [f64; 2], [f64; 2], &'static str);
const ROWS: [Row; 14] = [
    ("half_wave", &["mains", "transformer", "half_wave", "reservoir"], [5.0, 60.0], [5e-3, 0.1], "current_load"),
    (
        "centre_tap_rectifier",
        &["mains", "centre_tapped_transformer", "centre_tap_rectifier", "reservoir"],
        [5.0, 60.0],
        [0.05, 3.0],
        "current_load",
    ),
    ("bridge", &["mains", "transformer", "bridge", "reservoir"], [5.0, 100.0], [0.02, 5.0], "current_load"),
    ("bridge, power", &["mains", "transformer", "bridge", "reservoir"], [10.0, 60.0], [0.1, 3.0], "power_load"),
    ("bridge, resistor", &["mains", "transformer", "bridge", "reservoir"], [10.0, 60.0], [0.1, 3.0], "resistive_load"),
    (
        "synchronous_bridge",
        &["mains", "transformer", "synchronous_bridge", "reservoir"],
        [10.0, 48.0],
        [0.5, 5.0],
        "resistive_load",
    ),
    ("doubler", &["mains", "transformer", "doubler"], [10.0, 100.0], [0.01, 0.3], "current_load"),
    (
        "dual_rail_bridge",
        &["mains", "centre_tapped_transformer", "dual_rail_bridge", "split_reservoir"],
        [5.0, 40.0],
        [0.02, 1.0],
        "split_load",
    ),
    (
        "rc_filter",
        &["mains", "transformer", "bridge", "reservoir", "rc_filter"],
        [5.0, 60.0],
        [5e-3, 0.1],
        "resistive_load",
    ),
    (
        "lc_filter",
        &["mains", "transformer", "bridge", "reservoir", "lc_filter"],
        [10.0, 60.0],
        [0.1, 2.0],
        "resistive_load",
    ),
    ("clc_filter", &["mains", "transformer", "bridge", "clc_filter"], [10.0, 60.0], [0.1, 2.0], "resistive_load"),
    (
        "three_phase_bridge",
        &["three_phase_mains", "three_phase_bridge", "reservoir"],
        [490.0, 530.0],
        [0.2, 5.0],
        "current_load",
    ),
    (
        "fixed_regulator",
        &["mains", "inrush_ntc", "transformer", "bridge", "reservoir", "adjustable_regulator"],
        [4.0, 24.0],
        [0.02, 1.0],
        "current_load",
    ),
    (
        "split_regulators",
        &["mains", "centre_tapped_transformer", "dual_rail_bridge", "split_reservoir", "split_regulators"],
        [3.3, 24.0],
        [0.02, 1.0],
        "split_load",
    ),
];

struct Wish {
    supply: Supply,
    lines: [f64; 3],
    out: f64,
    accuracy: f64,
    ripple: f64,
}

fn wished(row: &Row, random: &mut Random) -> Wish {
    let (_, forms, volts, amperes, load) = row;
    let (out, current) = (random.within(volts[0], volts[1]), random.within(amperes[0], amperes[1]));
    let (nominal, frequency) =
        if random.next() < 0.5 || forms[0] == "three_phase_mains" { (230.0, "50") } else { (120.0, "60") };
    let spread = random.within(0.04, 0.16);
    let lines = [nominal * (1.0 - spread), nominal, nominal * (1.0 + spread)];
    let kind = if forms[0] == "mains" { SourceKind::Mains } else { SourceKind::ThreePhaseMains };
    let source = SourceDemand {
        kind,
        voltage: format!("{nominal}"),
        lowest: text(&format!("{:.3}", lines[0])),
        highest: text(&format!("{:.3}", lines[2])),
        frequency: text(frequency),
    };
    let accuracy = random.within(0.05, 0.6);
    let ripple = out * random.within(0.005, 0.3);
    let mut rail = output("rail", &format!("{out:.4}"), &format!("{current:.4e}"));
    rail.accuracy = text(&format!("{accuracy:.4}"));
    rail.ripple = text(&format!("{ripple:.4e}"));
    let mut outputs = vec![rail.clone()];
    if *load == "split_load" {
        outputs.push(circuit::OutputDemand { id: "other".into(), voltage: format!("{:.4}", -out), ..rail });
    }
    let supply = chain(&stated(source, outputs), &[forms, &[*load][..]].concat());
    Wish { supply: apply(&supply, &Edit::SizeAll).unwrap(), lines, out, accuracy, ripple }
}

fn set(part: &mut Part, name: &str, value: f64) {
    part.parameters.insert(name.into(), format!("{value:e}"));
}

/// The supply at a line, RMS, and with a part of its load.
fn cornered(wish: &Wish, line: f64, load: f64) -> Supply {
    let mut supply = wish.supply.clone();
    set_line(&mut supply, line);
    let scope = supply.clone();
    let stage = |part: &Part| scope.stage(part.stage.as_deref().unwrap_or_default()).map(|s| s.kind);
    for part in &mut supply.parts {
        let value = |name: &str| circuit::parameter_in(&scope, part, name).unwrap();
        match (part.kind, stage(part)) {
            (KindId::Resistor, Some(circuit::StageKind::Load)) => set(part, "resistance", value("resistance") / load),
            (KindId::CurrentLoad, _) => set(part, "current", value("current") * load),
            (KindId::PowerLoad, _) => set(part, "power", value("power") * load),
            _ => {}
        }
    }
    supply
}

/// How much of what is allowed is used.
struct Stressed {
    what: String,
    used: f64,
}

/// The corner at which most is used.
#[derive(Default)]
struct Corner {
    what: String,
    used: f64,
}

impl Corner {
    fn note(&mut self, used: f64, what: String) {
        if used > self.used {
            *self = Corner { what, used };
        }
    }
}

/// How much of their ratings the parts use at a corner, how far the output is off there, relative, and its ripple, V.
fn tried(wish: &Wish, line: f64, load: f64) -> (Vec<Stressed>, f64, f64) {
    let mut supply = cornered(wish, line, load);
    supply.readings.clear();
    supply.requirements.clear();
    let study = supply.studies[0].id.clone();
    let circuit = resolve(&supply).unwrap_or_else(|f| panic!("{f:#?}"));
    let (recording, outcome) = ran(&circuit, &study);
    assert!(matches!(outcome.end, studies::End::Done), "{:?} at {line} V", outcome.end);
    let equations = device::Equations::new(&circuit);
    let recorded = common::Recorded::new(&circuit, equations.columns(), &recording);
    let end = *recording.times.last().unwrap();
    let span = Span { from: end - 0.1, to: end };
    let measure = |signal: &str, measure: ReadingMeasure| {
        let values = recorded.values(signal);
        Waveform::new(&recording.times, &values).measure(measure, span).unwrap()
    };
    let whole = Span { from: 0.0, to: end };
    let column = |net: &str| match net {
        circuit::GND => vec![0.0; recording.times.len()],
        _ => recorded.values(&format!("{net}.v")),
    };
    // Between the pins a rating is for, from switching on: what is too much once is too much.
    let across = |part: &Part, rating: &Rating| {
        let pins = part.kind.kind().pins;
        let [plus, minus] = [rating.pins.0, rating.pins.1].map(|k| column(&part.pins[pins[k].id]));
        let values: Vec<f64> = plus.iter().zip(&minus).map(|(p, m)| p - m).collect();
        let waveform = Waveform::new(&recording.times, &values);
        [ReadingMeasure::Min, ReadingMeasure::Max].map(|m| waveform.measure(m, whole).unwrap())
    };
    let mut stresses = Vec::new();
    for part in &supply.parts {
        for (name, allowed) in &part.ratings {
            let rating = part.kind.kind().rating(name).unwrap();
            let allowed = number_in(&supply, allowed, rating.unit).unwrap();
            let of = |letter: char| format!("{}.{letter}", part.id);
            let found = match rating.stress {
                Stress::Voltage => across(part, rating).into_iter().map(f64::abs).fold(0.0, f64::max),
                Stress::ReverseVoltage => -across(part, rating)[0],
                Stress::MeanCurrent => measure(&of('i'), ReadingMeasure::Mean),
                Stress::RmsCurrent => measure(&of('i'), ReadingMeasure::Rms),
                Stress::PeakCurrent => {
                    measure(&of('i'), ReadingMeasure::Max).max(-measure(&of('i'), ReadingMeasure::Min))
                }
                Stress::Power => measure(&of('p'), ReadingMeasure::Mean),
            };
            stresses.push(Stressed { what: format!("{} {name}", part.id), used: found / allowed });
        }
    }
    let load = supply.stages.iter().find(|s| s.kind == circuit::StageKind::Load).unwrap();
    let net = supply.inlet(load).unwrap().nets()[0].to_owned() + ".v";
    let mean = measure(&net, ReadingMeasure::Mean);
    (stresses, mean / wish.out - 1.0, measure(&net, ReadingMeasure::PeakToPeak))
}

/// What a row of chains came to.
struct Tried {
    wrong: Vec<String>,
    table: String,
}

fn try_row(row: &Row, seed: u64, count: usize) -> Tried {
    let mut random = Random(23 + seed);
    let mut wrong = Vec::new();
    let mut table = String::new();
    let mut said = 0;
    let (mut farthest, mut hardest) = (Corner::default(), Corner::default());
    for _ in 0..count {
        let wish = wished(row, &mut random);
        let findings: Vec<Finding> = [circuit::check(&wish.supply), mellow_design::check(&wish.supply)].concat();
        let says = |rule: &str| findings.iter().any(|f| f.rule == rule || f.rule == "sizing");
        said += usize::from(!findings.is_empty());
        let allowed = 100.0 * wish.accuracy;
        let about = format!("{} {:.3} V ±{allowed:.0} % from {:.0} V", row.0, wish.out, wish.lines[1]);
        for (line, name) in wish.lines.into_iter().zip(["lowest", "nominal", "highest"]) {
            for load in LOADS {
                let corner = format!("{name} line, {:.0} % load", 100.0 * load);
                let (stresses, off, ripple) = tried(&wish, line, load);
                for stress in stresses {
                    if stress.used > 1.0 && !says("rating-exceeded") {
                        wrong.push(format!("{about} at {corner}: {} at {:.2} of it", stress.what, stress.used));
                    }
                    hardest.note(stress.used, format!("{} at {corner}", stress.what));
                }
                let used = off.abs() / wish.accuracy;
                if used > 1.0 && !says("not-held") {
                    wrong.push(format!("{about} at {corner}: {:+.1} % off", 100.0 * off));
                }
                // Without load a choke still rings from switching on; what ripples is stated at full load.
                if load == 1.0 && ripple > 1.02 * wish.ripple && !says("ripples") {
                    wrong.push(format!("{about} at {corner}: ripples {ripple:.3} of {:.3}", wish.ripple));
                }
                if !says("not-held") {
                    farthest.note(used, format!("{:+.0} % at {corner}, ±{allowed:.0} % allowed", 100.0 * off));
                }
            }
        }
    }
    let _ =
        writeln!(table, "{}: {said} said something\n  farthest off where nothing is said: {}", row.0, farthest.what);
    let _ = writeln!(table, "  hardest used: {}, {:.0} % of it", hardest.what, 100.0 * hardest.used);
    Tried { wrong, table }
}

#[test]
fn rectifiers_and_filters_hold_at_every_corner_or_say_that_they_do_not() {
    let chosen = std::env::var("MELLOW_COIL_CORNERS").ok().and_then(|t| t.parse().ok());
    let tried: Vec<Tried> = std::thread::scope(|scope| {
        let rows: Vec<_> = ROWS
            .iter()
            .enumerate()
            .map(|(k, row)| scope.spawn(move || try_row(row, k as u64, chosen.unwrap_or(3))))
            .collect();
        rows.into_iter().map(|row| row.join().unwrap()).collect()
    });
    let wrong: Vec<String> = tried.iter().flat_map(|t| t.wrong.clone()).collect();
    let table: String = tried.iter().map(|t| t.table.as_str()).collect();
    assert!(wrong.is_empty(), "{}", wrong.join("\n"));
    match chosen {
        None => insta::assert_snapshot!(table),
        Some(_) => println!("{table}"),
    }
}
