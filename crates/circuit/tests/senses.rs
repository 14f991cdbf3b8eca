//! Every warning fires on its mistake and on nothing else.

use mellow_circuit::{
    Course,
    KindId::{self, *},
    Part, Place, Reading, ReadingMeasure, Severity, SourceDemand, SourceKind, Study, StudySettings, Supply, Window,
    check,
};

type Row<'a> = (&'a str, KindId, &'a str, &'a [(&'a str, &'a str)]);

fn supply(rows: &[Row<'_>]) -> Supply {
    let mut supply = Supply::new("test");
    for (id, kind, nets, parameters) in rows {
        let pins = kind.kind().pins.iter().map(|p| p.id.to_owned()).zip(nets.split(' ').map(str::to_owned)).collect();
        let mut part = Part::new(*id, *kind, pins);
        part.parameters = parameters.iter().map(|(k, v)| ((*k).into(), (*v).into())).collect();
        supply.parts.push(part);
    }
    supply.source = Some(SourceDemand {
        kind: SourceKind::Mains,
        voltage: "230".into(),
        lowest: None,
        highest: None,
        frequency: None,
    });
    supply
}

fn study(duration: &str, max_step: Option<&str>) -> Study {
    let course = Course { max_step: max_step.map(Into::into), ..Course::lasting(duration) };
    Study::new("s", "s", StudySettings::SwitchOn(course))
}

fn part(id: &str) -> Place {
    Place::Part { part: id.into() }
}

/// Mains, a load, and what is put beside them.
const MAINS: Row<'_> = ("V1", SineSource, "line gnd", &[]);
const LOAD: Row<'_> = ("R1", Resistor, "line gnd", &[]);
const DC: Row<'_> = ("V2", DcSource, "in gnd", &[("voltage", "12")]);

#[test]
fn each_warning_fires_on_its_mistake() {
    let cases: Vec<(&str, Place, Vec<Row<'_>>)> = vec![
        ("part-bypassed", part("U1"), vec![DC, ("U1", Regulator, "in in gnd", &[])]),
        (
            "pin-undriven",
            Place::Pin { part: "U1".into(), pin: "vp".into() },
            // The supplies of two amplifiers hang together, and nothing feeds them.
            vec![
                DC,
                ("U1", Amplifier, "o in o vcc gnd", &[]),
                ("U2", Amplifier, "p in p vcc gnd", &[]),
                ("R3", Resistor, "o p", &[]),
            ],
        ),
        (
            "outputs-fight",
            part("U2"),
            vec![DC, ("U1", Regulator, "in out gnd", &[]), ("U2", Regulator, "in out gnd", &[])],
        ),
        (
            "source-across",
            part("D1"),
            vec![DC, ("D1", Zener, "gnd in", &[("zener_voltage", "5.1"), ("zener_impedance", "50m")])],
        ),
        ("source-across", part("C1"), vec![DC, ("C1", Capacitor, "in gnd", &[])]),
        (
            "leg-shorted",
            part("Q2"),
            vec![
                DC,
                ("V3", PulseSource, "g gnd", &[]),
                ("Q1", MosfetN, "in g mid", &[]),
                ("Q2", MosfetN, "mid g gnd", &[]),
            ],
        ),
        (
            "rms-or-peak",
            Place::Parameter { part: "V3".into(), parameter: "amplitude".into() },
            vec![("V3", SineSource, "x gnd", &[("amplitude", "325")]), ("R3", Resistor, "x gnd", &[])],
        ),
        (
            "rms-or-peak",
            Place::Parameter { part: "V3".into(), parameter: "amplitude".into() },
            vec![("V3", SineSource, "x gnd", &[("amplitude_as", "peak")]), ("R3", Resistor, "x gnd", &[])],
        ),
        (
            "feedback-open",
            part("U1"),
            vec![
                DC,
                ("V3", DcSource, "ref gnd", &[]),
                ("U1", Amplifier, "out ref fb in gnd", &[]),
                ("R3", Resistor, "out gnd", &[]),
                ("R4", Resistor, "in fb", &[]),
                ("R5", Resistor, "fb gnd", &[]),
            ],
        ),
        (
            "two-names",
            Place::Net { net: "IN".into() },
            vec![DC, ("R3", Resistor, "in x", &[]), ("R4", Resistor, "IN x", &[]), ("R5", Resistor, "IN gnd", &[])],
        ),
        (
            "two-names",
            Place::Net { net: "ground".into() },
            vec![DC, ("R3", Resistor, "in ground", &[]), ("R4", Resistor, "ground gnd", &[])],
        ),
        ("part-unused", part("R3"), vec![("R3", Resistor, "x gnd", &[]), ("C3", Capacitor, "x gnd", &[])]),
    ];
    for (rule, place, rows) in cases {
        let mut supply = supply(&[vec![MAINS, LOAD], rows].concat());
        supply.studies.push(study("1", None));
        let findings = check(&supply);
        assert!(findings.iter().all(|f| f.severity == Severity::Warning && !f.remedy.is_empty()), "{findings:#?}");
        assert!(findings.len() == 1 && findings[0].rule == rule && findings[0].place == place, "{rule}: {findings:#?}");
    }
}

#[test]
fn a_stage_whose_parts_were_joined_elsewhere_is_told_so() {
    let mut supply = Supply::from_json(include_str!("../../../demo/signal-lamp-supply.json")).unwrap();
    let stage = supply.stages.iter().find(|s| s.id == "reservoir").unwrap().clone();
    let bus = stage.joints[0].nets()[0].to_owned();
    for part in &mut supply.parts {
        part.pins.values_mut().filter(|net| **net == bus).for_each(|net| *net = "elsewhere".into());
    }
    let rules: Vec<String> = check(&supply).into_iter().map(|f| f.rule).collect();
    assert!(rules.contains(&"joint-adrift".to_owned()), "{rules:?}");
}

#[test]
fn studies_and_readings_are_warned_of() {
    let at = |study: Study, window: Window| {
        let mut supply = supply(&[MAINS, LOAD]);
        supply.studies.push(study);
        supply.readings.push(Reading::new(["r", "r", "s", "line.v"], ReadingMeasure::Mean, window));
        check(&supply).into_iter().map(|f| f.rule).collect::<Vec<_>>()
    };
    let last = |count| Window::LastPeriods { count, period_of: None };
    assert_eq!(at(study("0.2", None), last(2)), [""; 0]);
    assert_eq!(at(study("0.2", Some("5m")), last(2)), ["step-too-coarse"]);
    assert_eq!(at(study("0.2", None), Window::WholeRun), ["reading-too-early"]);
    assert_eq!(at(study("15m", None), Window::Between { from: "12m".into(), to: "15m".into() }), ["study-too-short"]);
}

/// No demo supply gives reason for any.
#[test]
fn the_demos_are_silent() {
    for entry in std::fs::read_dir("../../demo").unwrap() {
        let text = std::fs::read_to_string(entry.unwrap().path()).unwrap();
        assert_eq!(check(&Supply::from_json(&text).unwrap()), []);
    }
}

/// Each pair of limits one way round is taken, the other way round it is refused with its place; equal they leave no room.
#[test]
fn limits_the_wrong_way_round_are_refused_with_their_place() {
    let pairs = [
        (PiController, "u r f gnd", "low", "high"),
        (Type2Compensator, "u r f gnd", "low", "high"),
        (Type3Compensator, "u r f gnd", "low", "high"),
        (SampledController, "u r f gnd", "low", "high"),
        (Multiplier, "u r f gnd", "low", "high"),
        (PulseModulator, "u r gnd", "ramp_low", "ramp_high"),
        (AverageCurrentModulator, "u r f gnd", "ramp_low", "ramp_high"),
        (UndervoltageLockout, "u r gnd", "off_voltage", "on_voltage"),
        (BurstController, "u r gnd", "stop_below", "run_above"),
        (CriticalModulator, "u r f gnd", "blanking", "restart_time"),
    ];
    for (kind, nets, lower, upper) in pairs {
        for (low, high, wrong) in [("2u", "3u", false), ("3u", "2u", true), ("3u", "3u", true)] {
            let own = [(lower, low), (upper, high)];
            let mut rows: Vec<Row<'_>> = vec![("U1", kind, nets, &own)];
            let nets = ["u", "r", "f"];
            let ids = ["R1", "R2", "R3"];
            let pins = nets.map(|net| format!("{net} gnd"));
            rows.extend(ids.iter().zip(&pins).map(|(id, pins)| (*id, Resistor, pins.as_str(), &[] as &[_])));
            let found = check(&supply(&rows));
            let refused: Vec<_> = found.iter().filter(|f| f.rule == "out-of-order").collect();
            assert_eq!(refused.len(), usize::from(wrong), "{kind:?} with {low} and {high}: {found:#?}");
            let place = Place::Parameter { part: "U1".into(), parameter: lower.into() };
            assert!(refused.iter().all(|f| f.place == place && f.severity == Severity::Error), "{refused:#?}");
        }
    }
}
