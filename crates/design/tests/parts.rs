//! Single parts: joined, copied, typed, taken from the catalogue.

mod common;

use circuit::{Circuit, KindId, Part, Severity, Strip, Supply, check, resolve};
use common::{add, chain, direct, mains, output, ran, stated};
use mellow_design::{ComposeError, Edit, Entry, Search, TEMPLATES, apply, bom, bom_csv, catalogue, joining, read_line};
use std::collections::{BTreeMap, BTreeSet};

fn done(supply: &Supply, edit: Edit) -> Supply {
    apply(supply, &edit).unwrap_or_else(|error| panic!("{error}"))
}

fn regulated() -> Supply {
    let supply = stated(mains(), vec![output("rail", "9", "250m")]);
    chain(&supply, &["mains", "transformer", "bridge", "reservoir", "fixed_regulator", "resistive_load"])
}

fn line(supply: &Supply, text: &str) -> Supply {
    done(supply, Edit::AddLine { text: text.into(), near: None })
}

fn net(supply: &Supply, part: &str, pin: &str) -> String {
    supply.part(part).unwrap().pins.get(pin).cloned().unwrap_or_default()
}

fn connect(from: (&str, &str), to: (&str, &str), join: bool) -> Edit {
    let end = |(part, pin): (&str, &str)| (part.to_owned(), pin.to_owned());
    Edit::Connect { from: end(from), to: end(to), join }
}

#[test]
fn a_phrase_becomes_a_part() {
    let supply = line(&regulated(), "capacitor 100u esr=20m from out to gnd");
    let added = supply.parts.last().unwrap();
    assert_eq!((added.kind, added.parameters["capacitance"].as_str()), (KindId::Capacitor, "100u"));
    assert_eq!((added.parameters["esr"].as_str(), added.pins["plus"].as_str()), ("20m", "out"));
    let supply = line(&supply, "npn collector out base drive emitter gnd");
    assert_eq!(net(&supply, &supply.parts.last().unwrap().id, "b"), "drive");
    let supply = line(&supply, "mosfet p-channel on a b c");
    assert_eq!(net(&supply, &supply.parts.last().unwrap().id, "s"), "c");
    // What cannot be understood says why, and what is half said offers the rest.
    let problem = |text: &str| read_line(&supply, text).problem.unwrap();
    assert_eq!(problem("mosfet from a to b"), "“mosfet” can be MOSFET, n-channel or MOSFET, p-channel; say which");
    assert!(problem("wombat 4k7").contains("no kind of part is called “wombat”"));
    assert!(problem("resistor 4k7 colour=red").contains("has no parameter colour"));
    assert!(problem("resistor 5 V").contains("“V” is neither a value nor a net"));
    assert_eq!(problem("resistor 4k7 from"), "a net must follow “from”");
    let offered = |text: &str| read_line(&supply, text).completions.into_iter().map(|c| c.text).collect::<Vec<_>>();
    assert_eq!(offered("resistor 4k7 from bu"), ["resistor 4k7 from bus "]);
    assert_eq!(offered("schot"), ["schottky diode "]);
    assert_eq!(offered("resistor 4k7 from out "), ["resistor 4k7 from out to "]);
    let refused = apply(&supply, &Edit::AddLine { text: "resistor 4k7 from".into(), near: None }).unwrap_err();
    assert_eq!(refused.to_string(), "a net must follow “from”");
}

#[test]
fn lines_join_pins_and_ask_before_two_nets_become_one() {
    let supply = line(&line(&regulated(), "resistor 1k"), "led");
    let (r, d) = ("R5", "D5");
    // Two open pins share a new net; an open one takes what it is pulled to.
    let supply = done(&supply, connect((r, "b"), (d, "a"), false));
    assert_eq!(net(&supply, r, "b"), net(&supply, d, "a"));
    let supply = done(&supply, connect((r, "a"), ("U1", "out"), false));
    let supply = done(&supply, connect(("C1", "minus"), (d, "k"), false));
    assert_eq!((net(&supply, r, "a"), net(&supply, d, "k")), ("out".into(), "gnd".into()));
    assert!(check(&supply).iter().all(|f| f.severity != Severity::Error), "{:#?}", check(&supply));
    // Out and bus both mean something: the regulator between them would be bypassed.
    let refused = apply(&supply, &connect(("U1", "in"), ("U1", "out"), false)).unwrap_err();
    assert!(matches!(&refused, ComposeError::Joins(text) if text.contains("It shorts U1")), "{refused}");
    let joined = joining(&supply, "line", "gnd");
    assert_eq!((joined.kept.as_str(), joined.asks), ("gnd", true));
    let shorting = joining(&supply, "mains", "neutral");
    assert!(shorting.message.contains("V1 would drive a short circuit"), "{}", shorting.message);
    let forced = done(&supply, connect(("U1", "in"), ("U1", "out"), true));
    assert!(check(&forced).iter().any(|f| f.rule == "part-bypassed"));
}

#[test]
fn a_renamed_net_takes_its_readings_along() {
    let renamed = done(&regulated(), Edit::RenameNet { net: "out".into(), to: "nine".into(), join: false });
    assert!(renamed.readings.iter().all(|r| r.signal == "nine.v"), "{:?}", renamed.readings);
    assert_eq!(renamed.stage("fixed_regulator").unwrap().joints[0].nets()[0], "nine");
    let refused = |net: &str, to: &str| {
        apply(&renamed, &Edit::RenameNet { net: net.into(), to: to.into(), join: false }).unwrap_err().to_string()
    };
    assert!(refused("nine", "bus").starts_with("Joining nine and bus makes them one net of"));
    assert_eq!(refused("nine", "C1"), "a part is named C1, so a net cannot be");
    assert_eq!(refused("nine", "a b"), "“a b” cannot name a net: use letters, digits and _ only");
    assert_eq!(refused("gnd", "zero"), "gnd is the reference of the supply and keeps its name");
    assert_eq!(refused("nowhere", "x"), "the supply has no net nowhere");
}

#[test]
fn copies_keep_what_leads_outside_and_part_what_does_not() {
    let supply = line(&line(&regulated(), "resistor 10 from out to mid"), "capacitor 1u from mid to gnd");
    let ids = ["R5", "C4"];
    let parts: Vec<Part> = supply.parts.iter().filter(|p| ids.contains(&p.id.as_str())).cloned().collect();
    assert_eq!(parts.len(), 2, "{:?}", supply.parts.iter().map(|p| &p.id).collect::<Vec<_>>());
    let copied = done(&supply, Edit::Paste { parts: parts.clone(), by: (6, 0) });
    let [.., r, c] = &copied.parts[..] else { unreachable!() };
    // The snubber's middle is a net of its own; its ends lie where the original's do.
    assert_eq!((r.pins["a"].as_str(), c.pins["minus"].as_str()), ("out", "gnd"));
    assert_eq!(r.pins["b"], c.pins["plus"]);
    assert_ne!(r.pins["b"], "mid");
    // In another supply a net of the same name is another net.
    let other = done(&regulated(), Edit::Paste { parts, by: (0, 0) });
    let r = other.parts.iter().rev().find(|p| p.kind == KindId::Resistor).unwrap();
    assert_ne!(r.pins["a"], "out");
    assert_eq!(other.parts.last().unwrap().pins["minus"], "gnd");
    let gone = done(&copied, Edit::RemoveParts { parts: vec!["R5".into(), "C4".into()] });
    assert_eq!(gone.parts.len(), copied.parts.len() - 2);
}

/// A part by itself between two nets.
/// Wherever a part is wanted, and however often copies are put beside it, none lies on another, and the document can be read again.
#[test]
fn no_part_is_put_on_another_or_out_of_reach() {
    let mut random = common::Random(3);
    let places = [i32::MIN, -12_000, -9_999, 0, 7, 9_999, i32::MAX];
    for _ in 0..20 {
        let mut supply = Supply::new("places");
        let mut pick = |of: usize| ((random.next() * of as f64) as usize).min(of - 1);
        for _ in 0..6 {
            let near = Some((places[pick(7)], places[pick(7)]));
            supply = match pick(3) {
                0 => done(&supply, Edit::AddPart { kind: KindId::Resistor, entry: None, near }),
                1 => done(&supply, Edit::AddLine { text: "capacitor 1u".into(), near }),
                _ => {
                    let by = (pick(13) as i32 - 6, 6);
                    let parts = supply.parts.iter().take(2).cloned().collect();
                    let paste = Edit::Paste { parts, by };
                    apply(&supply, &paste).unwrap_or(supply)
                }
            };
        }
        let spots: Vec<_> = supply.parts.iter().map(|p| p.at.map(|at| (at.x, at.y)).unwrap()).collect();
        for (k, (x, y)) in spots.iter().enumerate() {
            let stacked = spots[..k].iter().find(|(a, b)| a.abs_diff(*x) < 4 && b.abs_diff(*y) < 4);
            assert!(stacked.is_none(), "{spots:?}");
        }
        assert_eq!(Supply::from_json(&supply.to_json()).unwrap(), supply);
        assert_eq!(drawing::draw(&supply).parts.len(), supply.parts.len());
    }
    let supply = done(&Supply::new("far"), Edit::AddPart { kind: KindId::Resistor, entry: None, near: Some((0, 0)) });
    let far = Edit::Paste { parts: supply.parts.clone(), by: (i32::MAX, 0) };
    assert!(apply(&supply, &far).unwrap_err().to_string().contains("places go from"));
}

/// The trade's everyday words lead to the kind they mean, and what may mean several is asked, never picked.
#[test]
fn everyday_words_are_understood_or_asked_about() {
    let supply = Supply::new("words");
    for (phrase, kind) in [
        ("R 1k", "Resistor: resistance 1\u{2009}kΩ"),
        ("c 4u7 from a to gnd", "Capacitor: capacitance 4.7\u{2009}µF"),
        ("op amp", "Operational amplifier"),
        ("opamp", "Operational amplifier"),
        ("nmos", "MOSFET, n-channel"),
        ("P-channel", "MOSFET, p-channel"),
        ("fuse", "Resistor"),
        ("type 2 comp", "Type 2 compensator"),
        ("peak current mode", "Current-mode modulator"),
        ("cot", "Constant on-time modulator"),
        ("voltage-mode modulator", "Pulse-width modulator"),
        ("transformer", "Transformer"),
        ("switch", "Switch"),
        ("diode", "Diode"),
        ("choke 10u", "Inductor: inductance 10\u{2009}µH"),
    ] {
        let read = read_line(&supply, phrase);
        assert!(read.summary.as_ref().is_some_and(|text| text.starts_with(kind)), "{phrase}: {read:?}");
    }
    for phrase in ["FET", "modulator", "pwm", "transistor", "load", "source", "sensor", "controlled", "v 12"] {
        let read = read_line(&supply, phrase);
        assert!(read.problem.as_ref().is_some_and(|text| text.ends_with("say which")), "{phrase}: {read:?}");
        assert!(read.completions.len() > 1 || phrase.contains(' '), "{phrase}: {read:?}");
    }
}

fn alone(entry: &Entry) -> Supply {
    let mut supply = Supply::new("catalogue");
    let pins = entry.kind.kind().pins.iter().enumerate();
    let pins: BTreeMap<String, String> =
        pins.map(|(k, p)| (p.id.into(), if k == 1 { "gnd".into() } else { format!("n{k}") })).collect();
    for k in (0..entry.kind.kind().pins.len()).filter(|k| *k != 1) {
        supply = line(&supply, &format!("resistor 1M from n{k} to gnd"));
    }
    let mut part = Part::new("X1", entry.kind, pins);
    (part.parameters, part.ratings) = (entry.parameters.clone(), entry.ratings.clone());
    supply.parts.push(part);
    supply
}

#[test]
fn the_catalogue_is_sound() {
    let entries = catalogue();
    let ids: BTreeSet<&str> = entries.iter().map(|e| e.id.as_str()).collect();
    assert_eq!(ids.len(), entries.len(), "two entries of one title");
    assert!(entries.len() >= 120, "{}", entries.len());
    let rows: usize = std::fs::read_dir(concat!(env!("CARGO_MANIFEST_DIR"), "/catalogue"))
        .unwrap()
        .map(|file| std::fs::read_to_string(file.unwrap().path()).unwrap().lines().count() - 1)
        .sum();
    assert_eq!(rows, entries.len(), "a row whose kind does not exist");
    for entry in entries {
        let findings = check(&alone(entry));
        assert!(findings.iter().all(|f| f.severity != Severity::Error), "{}: {findings:#?}", entry.title);
    }
}

#[test]
fn the_catalogue_is_searched_by_what_matters() {
    let found = |search: Search| {
        catalogue().iter().filter(|e| search.finds(e).unwrap()).map(|e| e.title.as_str()).collect::<Vec<_>>()
    };
    let limits =
        |rows: &[(&str, &str)]| rows.iter().map(|(k, v)| ((*k).into(), (*v).into())).collect::<BTreeMap<_, _>>();
    let fast = Search {
        kinds: vec![KindId::Diode],
        at_least: limits(&[("reverse_voltage", "400"), ("current", "3")]),
        at_most: limits(&[("storage_time", "120n")]),
        ..Search::default()
    };
    assert_eq!(found(fast), ["Fast diode, 600 V 3 A", "Fast diode, 600 V 8 A", "Fast diode, 600 V 15 A"]);
    let text = Search { text: "polymer 220".into(), ..Search::default() };
    assert_eq!(found(text), ["Polymer capacitor, 220 µF 16 V"]);
    let unread =
        Search { at_least: limits(&[("voltage", "much")]), kinds: vec![KindId::Capacitor], ..Search::default() };
    assert!(catalogue().iter().any(|e| unread.finds(e).is_err_and(|text| text.contains("“much” cannot be read"))));
}

/// Current through the only diode of a circuit that a source drives forward.
fn forward(entry: &Entry, volts: f64, pins: [&str; 2]) -> f64 {
    let mut supply = Supply::new("forward");
    let mut source =
        Part::new("V1", KindId::DcSource, [("plus", "a"), ("minus", "gnd")].map(|(p, n)| (p.into(), n.into())).into());
    source.parameters.insert("voltage".into(), volts.to_string());
    let mut part =
        Part::new("X1", entry.kind, pins.into_iter().zip(["a", "gnd"]).map(|(p, n)| (p.into(), n.into())).collect());
    part.parameters = entry.parameters.clone();
    supply.parts = vec![source, part];
    let circuit: Circuit = resolve(&supply).unwrap();
    let equations = device::Equations::new(&circuit);
    let point = device::operating_point(&equations).unwrap();
    let current = point.values.iter().find(|(c, _)| c.of == "V1" && c.quantity == circuit::Quantity::Current);
    -current.unwrap().1
}

/// Every diode conducts what its row says at the voltage its row says, computed by the engine.
#[test]
fn catalogue_diodes_behave_as_their_rows_say() {
    for entry in catalogue() {
        for pair in entry.parameters.get("measured").iter().flat_map(|points| points.split(',')) {
            let (v, i) = pair.trim().split_once(' ').unwrap();
            let wanted = quantity::parse(i, quantity::Unit::Ampere).unwrap();
            let found = forward(entry, v.parse().unwrap(), ["a", "k"]);
            assert!((found / wanted - 1.0).abs() < 1e-3, "{}: {found} A at {v} V, not {wanted}", entry.title);
        }
        if entry.kind == KindId::Zener {
            let [voltage, current] = ["zener_voltage", "zener_current"].map(|k| &entry.parameters[k]);
            let wanted = quantity::parse(current, quantity::Unit::Ampere).unwrap();
            let found = forward(entry, voltage.parse().unwrap(), ["k", "a"]);
            assert!((found / wanted - 1.0).abs() < 0.02, "{}: {found} A, not {wanted}", entry.title);
        }
    }
}

/// What the dialog offers to look for is a figure that every entry of the kind has.
#[test]
fn what_is_sought_is_there() {
    for entry in catalogue() {
        for parameter in entry.kind.kind().parameters.iter().filter(|p| p.sought.is_some()) {
            let at_least = [(parameter.id.to_owned(), "0".to_owned())].into();
            let search = Search { kinds: vec![entry.kind], at_least, ..Search::default() };
            assert_eq!(search.finds(entry), Ok(true), "{} of {}", parameter.name, entry.title);
        }
    }
}

#[test]
fn a_swapped_part_keeps_its_nets_and_is_held_to_its_ratings() {
    let entry = |title: &str| catalogue().iter().find(|e| e.title == title).unwrap().clone();
    let supply = regulated();
    assert_eq!(mellow_design::check(&supply), []);
    let swap = |part: &str, title: &str| Edit::Swap { part: part.into(), entry: entry(title) };
    let weak = done(&supply, swap("C1", "Electrolytic capacitor, 470 µF 25 V"));
    assert_eq!(weak.part("C1").unwrap().pins, supply.part("C1").unwrap().pins);
    // Sizing keeps it, and what it means for the ripple is seen behind it.
    let kept = done(&weak, Edit::SizeAll);
    assert_eq!(kept.part("C1").unwrap().parameters["capacitance"], "470u");
    let mut tight = weak.clone();
    tight.parts.iter_mut().find(|p| p.id == "C1").unwrap().ratings.insert("voltage".into(), "10".into());
    let findings = mellow_design::check(&tight);
    let found = findings.iter().find(|f| f.rule == "rating-exceeded").unwrap();
    assert!(
        found.message.starts_with("Voltage of C1 is 1") && found.message.ends_with("rated 10\u{2009}V"),
        "{}",
        found.message
    );
    // Parts of no stage are held to the voltage of the net they stand at.
    let output = net(&supply, "U1", "out");
    let free = line(
        &line(&supply, &format!("capacitor 10u from {output} to gnd")),
        &format!("resistor 220 from {output} to gnd"),
    );
    let rated = |volts: &str, watts: &str| {
        let mut rated = free.clone();
        for (kind, rating, text) in [(KindId::Capacitor, "voltage", volts), (KindId::Resistor, "power", watts)] {
            let part = rated.parts.iter_mut().rfind(|p| p.kind == kind).unwrap();
            assert_eq!(part.stage, None);
            part.ratings.insert(rating.into(), text.into());
        }
        mellow_design::check(&rated).into_iter().map(|f| f.message).collect::<Vec<_>>()
    };
    // 9 V across 220 Ω: 368 mW.
    assert_eq!(rated("10", "400m"), [""; 0]);
    let found = rated("6.3", "250m");
    assert!(
        found.len() == 2 && found[0].contains(" is 9.45\u{2009}V ") && found[1].contains(" is 368\u{2009}mW "),
        "{found:?}"
    );
    let other = apply(&supply, &swap("C1", "Rectifier diode, 100 V 1 A")).unwrap_err();
    assert!(matches!(other, ComposeError::OtherPins { .. }), "{other}");
    // The bill of materials names it.
    let rows = bom(&weak);
    assert!(
        rows.iter().any(|r| r.parts == ["C1"] && r.entry.contains("470 µF 25 V") && r.ratings.contains("voltage 25"))
    );
    assert!(
        rows.iter().any(|r| r.parts == ["D1", "D2", "D3", "D4"])
            && !rows.iter().any(|r| r.parts.contains(&"V1".into()))
    );
    let csv = bom_csv(&weak);
    assert!(csv.starts_with("Count,Designators,Part,Value,Rated for,Catalogue entry\r\n"), "{csv}");
    assert!(csv.contains("4,D1 D2 D3 D4,Diode,"), "{csv}");
}

#[test]
fn an_unspared_zener_and_a_hasty_study_are_told() {
    let supply = regulated();
    let bus = net(&supply, "U1", "in");
    let told =
        |supply: &Supply| mellow_design::check(supply).into_iter().map(|f| (f.rule, f.message)).collect::<Vec<_>>();
    let add = |volts: u32, net: &str| line(&supply, &format!("zener {volts} from gnd to {net}"));
    let found = told(&add(5, &bus));
    assert!(found.len() == 1 && found[0].0 == "zener-unlimited", "{found:?}");
    assert!(found[0].1.starts_with("D5 breaks down at 5\u{2009}V, but net bus is held at 1"), "{found:?}");
    // One that clamps above what the bus holds, and one behind a resistor, are as they should be.
    assert_eq!(told(&add(33, &bus)), []);
    let spared = line(&line(&supply, &format!("resistor 1k from {bus} to ref")), "zener 5 from gnd to ref");
    assert_eq!(told(&spared), []);

    // Amperes and volts of the output give the load, and the reservoir its time constant with it.
    let mut hasty = supply.clone();
    let tau = quantity::parse(&supply.part("C1").unwrap().parameters["capacitance"], quantity::Unit::Farad).unwrap()
        * 9.0
        / 0.25;
    lasts(&mut hasty, &(0.9 * tau).to_string());
    let found = told(&hasty);
    assert!(
        found.len() == 1 && found[0].0 == "study-too-short" && found[0].1.contains("C1 with the load"),
        "{found:?}"
    );
    lasts(&mut hasty, &(1.1 * tau).to_string());
    assert_eq!(told(&hasty), []);
    // What a direct source feeds is charged at once.
    let direct = stated(direct("12"), vec![output("rail", "9", "250m")]);
    let mut quick = chain(&direct, &["dc_source", "fixed_regulator", "resistive_load"]);
    lasts(&mut quick, "1u");
    assert_eq!(told(&quick), []);
}

#[test]
fn templates_are_supplies_without_findings() {
    for template in TEMPLATES {
        let supply = template.supply().unwrap();
        let findings = [check(&supply), mellow_design::check(&supply)].concat();
        assert_eq!(findings, [], "{}", template.title);
        assert!(supply.requirements.len() >= 2 && !supply.studies.is_empty(), "{}", template.title);
    }
}

#[test]
fn a_bypassed_stage_is_as_good_as_gone() {
    let plain = regulated();
    let filtered = add(&plain, "rc_filter", Some("reservoir"), true);
    let bypassed = done(&filtered, Edit::Bypass { stage: "rc_filter".into(), bypassed: true });
    let run = |supply: &Supply, study: &str| {
        let circuit = resolve(&circuit::as_run(supply, Some(study))).unwrap_or_else(|f| panic!("{f:#?}"));
        ran(&circuit, study)
    };
    let (with, without) = (run(&bypassed, "switch_on"), run(&plain, "switch_on"));
    assert_eq!(with.0.times, without.0.times);
    let reading = |outcome: &studies::Outcome| outcome.readings.iter().map(|r| r.value).collect::<Vec<_>>();
    assert_eq!(reading(&with.1), reading(&without.1));
    // The path still shows the stage; nothing is lost in it.
    let stage = with.1.stages.iter().find(|s| s.id == "rc_filter").unwrap();
    assert_eq!((stage.absorbed, stage.power_in), (0.0, stage.power_out));
    // What follows is sized as if the filter were not there.
    let margin = |supply: &Supply| {
        let proposal = mellow_design::size(supply, "fixed_regulator", &BTreeMap::new()).unwrap();
        proposal.steps.iter().find(|s| s.title.starts_with("Dropout margin")).unwrap().ideal
    };
    assert!((margin(&bypassed) - margin(&plain)).abs() < 0.02 && margin(&filtered) < margin(&plain) - 0.1);
    assert_eq!(done(&bypassed, Edit::Bypass { stage: "rc_filter".into(), bypassed: false }), filtered);
    // Neither a joint nothing hangs on nor a signal that never was is told differently meanwhile.
    let split = stated(common::direct("30"), vec![output("rail", "12", "10m")]);
    let split = chain(&split, &["dc_source", "indicator"]);
    let mut split = add(&split, "zener_split", Some("dc_source"), false);
    split.studies[0].strips.push(Strip::of(["nowhere.v"]));
    let split = done(&split, Edit::Bypass { stage: "zener_split".into(), bypassed: true });
    let rules: Vec<String> = check(&split).into_iter().map(|f| f.rule).collect();
    assert_eq!(rules, ["unknown-signal"]);
    let refused = apply(&plain, &Edit::Bypass { stage: "bridge".into(), bypassed: true }).unwrap_err();
    assert!(refused.to_string().starts_with("Bridge rectifier cannot be bypassed"), "{refused}");
}

fn lasts(supply: &mut Supply, duration: &str) {
    supply.studies[0].course_mut().unwrap().duration = duration.to_owned();
}

#[test]
fn a_cut_shows_the_supply_so_far() {
    let mut supply = regulated();
    let mut study = supply.studies[0].clone();
    study.id = "so_far".into();
    study.course_mut().unwrap().suggested = false;
    study.cut = Some(circuit::Cut { after: "reservoir".into(), load: "50".into() });
    supply.studies.push(study);
    let cut = circuit::as_run(&supply, Some("so_far"));
    assert!(cut.part("U1").is_none() && cut.stage(circuit::STAND_IN).is_some());
    let circuit = resolve(&cut).unwrap_or_else(|f| panic!("{f:#?}"));
    let (_, outcome) = ran(&circuit, "so_far");
    let bus = outcome.stages.iter().find(|s| s.id == "reservoir").unwrap();
    let load = outcome.stages.iter().find(|s| s.id == circuit::STAND_IN).unwrap();
    let (v, p) = (bus.voltage_rms.unwrap(), load.absorbed);
    assert!((p / (v * v / 50.0) - 1.0).abs() < 1e-6, "{p} W at {v} V");
    // The whole path is still what the other study runs.
    assert_eq!(circuit::as_run(&supply, Some("switch_on")), supply);
    supply.studies[1].cut.as_mut().unwrap().after = "nowhere".into();
    assert!(check(&supply).iter().any(|f| f.message.contains("cut behind stage nowhere")));
}

#[test]
fn sizing_follows_values_set_by_hand_before_it() {
    let mut supply = regulated();
    let ripple = |supply: &Supply| {
        let proposal = mellow_design::size(supply, "reservoir", &BTreeMap::new()).unwrap();
        proposal.promises.iter().find(|p| p.title == "Ripple").unwrap().value
    };
    let margin = |supply: &Supply| {
        let proposal = mellow_design::size(supply, "fixed_regulator", &BTreeMap::new()).unwrap();
        proposal.steps.iter().find(|s| s.title.starts_with("Dropout margin")).unwrap().ideal
    };
    let (before, left) = (ripple(&supply), margin(&supply));
    let part = supply.parts.iter_mut().find(|p| p.id == "C1").unwrap();
    part.parameters.insert("capacitance".into(), "470u".into());
    assert!(ripple(&supply) > 1.5 * before, "{} {before}", ripple(&supply));
    assert!(margin(&supply) < left, "{} {left}", margin(&supply));
    // Preferred values come from the series that was chosen.
    let choices = BTreeMap::from([("series".to_owned(), "E96".to_owned()), ("output".to_owned(), "rail".to_owned())]);
    let adjustable =
        done(&supply, Edit::Replace { stage: "fixed_regulator".into(), form: "adjustable_regulator".into() });
    let fine = mellow_design::size(&adjustable, "fixed_regulator", &choices).unwrap();
    let step = fine.steps.iter().find(|s| s.title == "Resistor to the common").unwrap();
    assert_eq!((step.from, step.taken), (Some("E96"), quantity::Series::E96.nearest(step.ideal)));
}
