//! What parts bear, against closed forms.

use circuit::{
    Course, Engine, KindId, Part, Reading, ReadingMeasure, Requirement, Study, StudySettings, Supply, Window, resolve,
};
use mellow_studies::{Outcome, PartStress, Standing, run};
use proptest::prelude::*;
use recording::Recording;
use std::f64::consts::PI;

fn part(id: &str, kind: KindId, pins: &[(&str, &str)], parameters: &[(&str, String)]) -> Part {
    let pins = pins.iter().map(|(a, b)| ((*a).to_owned(), (*b).to_owned())).collect();
    let parameters = parameters.iter().map(|(a, b)| ((*a).to_owned(), b.clone())).collect();
    Part { parameters, ..Part::new(id, kind, pins) }
}

fn text(value: f64) -> String {
    format!("{value:e}")
}

fn ran(supply: &Supply) -> Outcome {
    let circuit = resolve(supply).unwrap_or_else(|findings| panic!("{findings:#?}"));
    run(&circuit, "on", &mut Recording::default()).unwrap()
}

fn of<'a>(outcome: &'a Outcome, part: &str) -> &'a PartStress {
    outcome.stresses.iter().find(|stress| stress.part == part).unwrap()
}

fn borne(stress: &PartStress, rating: &str) -> f64 {
    stress.borne.iter().find(|borne| borne.rating == rating).unwrap().value
}

fn near(found: f64, wanted: f64, within: f64) -> Result<(), TestCaseError> {
    prop_assert!((found / wanted - 1.0).abs() < within, "{found} instead of {wanted}");
    Ok(())
}

fn switched_on(parts: Vec<Part>, duration: f64, engine: Engine) -> Supply {
    let mut supply = Supply::new("Stressed");
    supply.parts = parts;
    let course = Course { tolerance: Some("1e-5".into()), ..Course::lasting(text(duration)) };
    let study = Study::new("on", "On", StudySettings::SwitchOn(course));
    supply.studies = vec![Study { engine: Some(engine), ..study }];
    supply
}

fn either() -> impl Strategy<Value = Engine> {
    prop_oneof![Just(Engine::DeviceLevel), Just(Engine::Switched)]
}

proptest! {
    #![proptest_config(ProptestConfig { cases: 16, failure_persistence: None, ..ProptestConfig::default() })]

    /// A capacitor charged through a coil and a resistance: its voltage goes to V (1 + e^(−πζ/√(1−ζ²))) half a turn after
    /// switching on (the step response of a second order system; any text on control, from memory), whatever comes after; the
    /// use of its rating is that over what it may bear.
    #[test]
    fn what_rings_bears_its_first_swing(
        volts in 3.0..60.0f64, inductance in 1e-5..1e-2f64, capacitance in 1e-7..1e-4f64, damping in 0.02..0.5f64,
        rated in 10.0..200.0f64, may in 0.3..1.0f64, engine in either(),
    ) {
        let (resistance, turns) = (2.0 * damping * (inductance / capacitance).sqrt(), (1.0 - damping * damping).sqrt());
        let rate = turns / (inductance * capacitance).sqrt();
        let coil = [("inductance", text(inductance)), ("resistance", "0".into())];
        let holds = [("capacitance", text(capacitance)), ("esr", "0".into())];
        let mut supply = switched_on(vec![
            part("V1", KindId::DcSource, &[("plus", "in"), ("minus", "gnd")], &[("voltage", text(volts))]),
            part("R1", KindId::Resistor, &[("a", "in"), ("b", "x")], &[("resistance", text(resistance))]),
            part("L1", KindId::Inductor, &[("a", "x"), ("b", "out")], &coil),
            part("C1", KindId::Capacitor, &[("plus", "out"), ("minus", "gnd")], &holds),
        ], 30.0 / rate, engine);
        supply.parts[3].ratings.insert("voltage".into(), text(rated));
        supply.derating.voltage = Some(text(may));
        supply.readings.push(Reading::new(["use", "Use", "on", ""], ReadingMeasure::RatingUse, Window::WholeRun));
        let limited = |at_most: &str| Requirement {
            id: "stress".into(), title: "Stress".into(), reading: "use".into(), at_least: None, at_most: Some(at_most.into()),
        };
        supply.requirements.push(limited("80 %"));
        let outcome = ran(&supply);
        let swing = volts * (1.0 + (-PI * damping / turns).exp());
        let held = of(&outcome, "C1");
        near(held.voltage.value, swing, 1e-4)?;
        near(held.voltage.at, PI / rate, 3e-3)?;
        // The current is most where its slope ends: after the angle of which the cosine is the damping.
        let angle = damping.acos();
        near(of(&outcome, "L1").current.value, volts / (rate * inductance) * (-damping * angle / turns).exp() * turns, 1e-4)?;
        let used = outcome.readings[0].value.unwrap();
        near(used, swing / (rated * may), 1e-4)?;
        prop_assert_eq!(outcome.verdicts[0].standing == Standing::Missed, used > 0.8);
        supply.parts[3].ratings.clear();
        let unrated = ran(&supply);
        let why = unrated.readings[0].problem.clone().unwrap_or_default();
        prop_assert!(unrated.readings[0].value.is_none() && why.contains("no part there states"), "{}", why);
    }

    /// A half wave into a resistor: what the diode blocks, its mean current and the resistor's RMS and power are the handbook's
    /// (V̂, V̂/(πR), V̂/(2R), V̂²/(4R); N. Mohan et al., *Power Electronics*, from memory), less its drop.
    #[test]
    fn a_half_wave_bears_what_the_handbook_says(peak in 100.0..400.0f64, resistance in 50.0..5e3f64, engine in either()) {
        let wave = [("amplitude", text(peak)), ("amplitude_as", "peak".into()), ("frequency", "50".into())];
        let supply = switched_on(vec![
            part("V1", KindId::SineSource, &[("plus", "in"), ("minus", "gnd")], &wave),
            part("D1", KindId::Diode, &[("a", "in"), ("k", "out")], &[("typical_current", text(peak / resistance / 2.0))]),
            part("R1", KindId::Resistor, &[("a", "out"), ("b", "gnd")], &[("resistance", text(resistance))]),
        ], 0.1, engine);
        let outcome = ran(&supply);
        let diode = of(&outcome, "D1");
        near(borne(diode, "reverse_voltage"), peak, 1e-3)?;
        near(borne(diode, "current"), peak / (PI * resistance), 1.5e-2)?;
        let load = of(&outcome, "R1");
        near(load.rms_current, peak / (2.0 * resistance), 1.5e-2)?;
        near(load.power, peak * peak / (4.0 * resistance), 3e-2)?;
        near(load.current.value * resistance, peak, 2e-2)?;
    }
}
