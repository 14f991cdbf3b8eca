//! The demo supply, run and judged.

use circuit::{Direction, Event, Quantity, Reading, ReadingMeasure as M, Supply, Window, check, resolve};
use mellow_studies::{End, Standing, run};
use readings::Waveform;
use recording::{Chunks, Recording};

fn demo() -> Supply {
    Supply::from_json(include_str!("../../../demo/tide-gauge-mains-supply.json")).unwrap()
}

#[test]
fn the_demo_has_nothing_to_complain_of() {
    assert_eq!(check(&demo()), []);
}

#[test]
fn a_larger_reservoir_turns_the_ripple_verdict() {
    let mut supply = demo();
    let outcome_of = |supply: &Supply| run(&resolve(supply).unwrap(), "switch_on", &mut Recording::default()).unwrap();
    let before = outcome_of(&supply);
    println!("{}", serde_json::to_string_pretty(&before).unwrap());
    assert_eq!(before.end, End::Done);
    assert_eq!(before.verdicts[0].standing, Standing::Missed);
    let reservoir = supply.parts.iter_mut().find(|p| p.id == "C1").unwrap();
    reservoir.parameters.insert("capacitance".into(), "2200u".into());
    let after = outcome_of(&supply);
    assert_eq!(after.verdicts[0].standing, Standing::Met);
    assert!(after.readings[1].value < before.readings[1].value);
    // The path shows the ripple that is judged, not one of another window.
    let judged = before.verdicts[0].value;
    assert!(before.stages.iter().any(|stage| stage.ripple == judged), "{judged:?} {:?}", before.stages);
    // What the bus rises by when it is switched on is no ripple.
    supply.readings.iter_mut().for_each(|reading| reading.window = Window::WholeRun);
    let whole = outcome_of(&supply);
    let swing = whole.verdicts[0].value.unwrap();
    assert!(swing > 10.0 && whole.stages.iter().all(|stage| stage.ripple != Some(swing)), "{:?}", whole.stages);
}

/// Windows that are found in the run: what follows settling, and what lies between two crossings, are where they must be;
/// those that are not found say what was waited for.
#[test]
fn windows_are_found_in_the_run() {
    let mut supply = demo();
    supply.requirements.clear();
    supply.readings.clear();
    let crossing = |level: &str, direction, number| Event::Crossing {
        signal: "V1.v".to_owned(),
        level: level.to_owned(),
        direction,
        number,
    };
    let windows = [
        ("settled", Window::AfterSettled { of: None, band: Some("1 %".to_owned()) }),
        (
            "half",
            Window::BetweenEvents {
                from: crossing("0", Direction::Rising, 11),
                to: crossing("0", Direction::Falling, 12),
            },
        ),
        (
            "from_surge",
            Window::BetweenEvents { from: Event::Time("0.1".to_owned()), to: crossing("300", Direction::Rising, 9) },
        ),
        (
            "never",
            Window::BetweenEvents { from: crossing("400", Direction::Either, 1), to: Event::Time("0.4".to_owned()) },
        ),
        (
            "backwards",
            Window::BetweenEvents { from: Event::Time("0.4".to_owned()), to: crossing("0", Direction::Either, 1) },
        ),
    ];
    for (id, window) in windows {
        let signal = if id == "settled" { "bus.v" } else { "V1.v" };
        supply.readings.push(Reading::new([id, id, "switch_on", signal], M::Mean, window));
    }
    // The bus where the mains passes through a level: a value at a crossing.
    let at_peak =
        Window::BetweenEvents { from: crossing("300", Direction::Rising, 9), to: Event::Time("0.5".to_owned()) };
    supply.readings.push(Reading::new(["at_level", "at level", "switch_on", "V1.v"], M::ValueAt, at_peak));
    let outcome = run(&resolve(&supply).unwrap(), "switch_on", &mut Recording::default()).unwrap();
    let found = |id: &str| outcome.readings.iter().find(|r| r.id == id).unwrap();
    // The reservoir is full after some periods, and from then on the mean is that of the end.
    let (from, to) = found("settled").window.unwrap();
    assert!((0.02..0.3).contains(&from) && (to - 0.5).abs() < 1e-9, "{from} {to}");
    assert!(((0.5 - from) / 0.02 - ((0.5 - from) / 0.02).round()).abs() < 1e-6, "it begins with a period: {from}");
    assert!((found("settled").value.unwrap() - 14.57).abs() < 0.05, "{:?}", found("settled"));
    // The 11th rising zero lies at 0.2 s (the one at 0 is where it begins), the 12th falling one at 0.23 s.
    let (from, to) = found("half").window.unwrap();
    assert!((from - 0.22).abs() < 1e-5 && (to - 0.23).abs() < 1e-5, "{from} {to}");
    // The mean of a half wave is 2/π of its peak.
    let half = 2.0 / std::f64::consts::PI * 230.0 * 2f64.sqrt();
    assert!((found("half").value.unwrap() / half - 1.0).abs() < 1e-3, "{:?}", found("half"));
    assert!((found("at_level").value.unwrap() - 300.0).abs() < 1e-6, "{:?}", found("at_level"));
    assert_eq!(found("from_surge").window.unwrap().0, 0.1);
    for (id, said) in [("never", "waits for crossing 1 of 400 by V1.v"), ("backwards", "before it begins at")] {
        let reading = found(id);
        assert!(reading.value.is_none() && reading.problem.as_ref().unwrap().contains(said), "{reading:?}");
    }
}

/// Power factor and harmonics of the demo's mains current agree with an FFT of the same current, resampled evenly;
/// efficiency with the energy balance of all its parts.
#[test]
fn efficiency_and_power_factor_are_what_other_ways_give() {
    let mut supply = demo();
    supply.requirements.clear();
    supply.readings.clear();
    let last = || Window::LastPeriods { count: 5, period_of: None };
    let id = |title: &str| title.replace(' ', "_");
    let mut add = |title: &str, measure, signal: &str, current: Option<&str>| {
        let mut reading = Reading::new([&id(title), title, "switch_on", signal], measure, last());
        reading.current = current.map(str::to_owned);
        supply.readings.push(reading);
    };
    add("efficiency", M::Efficiency, "", None);
    add("loss", M::Loss, "", None);
    for (title, measure) in [
        ("real", M::RealPower),
        ("apparent", M::ApparentPower),
        ("nonactive", M::NonactivePower),
        ("factor", M::PowerFactor),
        ("displacement", M::DisplacementFactor),
        ("distortion", M::DistortionFactor),
    ] {
        add(title, measure, "V1.v", Some("-V1.i"));
    }
    add("thd", M::HarmonicDistortion, "V1.i", None);
    add("third", M::Harmonic, "V1.i", None);
    let third = supply.readings.last_mut().unwrap();
    third.numbers.insert("order".into(), "3".into());
    let mut formula = Reading::new(["lost_part", "lost part", "switch_on", ""], M::Formula, Window::WholeRun);
    formula.formula = Some("loss / (loss + real * efficiency)".into());
    supply.readings.push(formula);
    let circuit = resolve(&supply).unwrap_or_else(|f| panic!("{f:#?}"));
    let mut kept = Recording::default();
    let outcome = run(&circuit, "switch_on", &mut kept).unwrap();
    let value = |id: &str| {
        let found = outcome.readings.iter().find(|r| r.id == id).unwrap();
        found.value.unwrap_or_else(|| panic!("{id}: {:?}", found.problem))
    };
    // Evenly spaced samples of whole periods, and the discrete Fourier transform by its definition.
    let columns = device::Equations::new(&circuit);
    let column = |name: &str, quantity| {
        let place = columns.columns().iter().position(|c| c.of == name && c.quantity == quantity).unwrap();
        kept.columns[place].clone()
    };
    let (voltage, current) = (column("line", Quantity::Voltage), column("V1", Quantity::Current));
    let (count, to) = (20_000, kept.whole().1);
    let at = |values: &[f64], k: usize| {
        Waveform::new(&kept.times, values).at(to - 0.1 * (1.0 - k as f64 / count as f64)).unwrap()
    };
    let samples: Vec<(f64, f64)> = (0..count).map(|k| (at(&voltage, k), -at(&current, k))).collect();
    let mean = |of: &dyn Fn(&(f64, f64)) -> f64| samples.iter().map(of).sum::<f64>() / count as f64;
    let harmonic = |of: &dyn Fn(&(f64, f64)) -> f64, order: usize| {
        let turn = |k: usize| std::f64::consts::TAU * (5 * order * k) as f64 / count as f64;
        let part = |wave: fn(f64) -> f64| {
            2.0 / count as f64 * samples.iter().enumerate().map(|(k, s)| of(s) * wave(turn(k))).sum::<f64>()
        };
        (part(f64::cos), part(f64::sin))
    };
    let (i1, v1) = (harmonic(&|s| s.1, 1), harmonic(&|s| s.0, 1));
    let size = |h: (f64, f64)| h.0.hypot(h.1);
    let apparent = (mean(&|s| s.0 * s.0) * mean(&|s| s.1 * s.1)).sqrt();
    let real = mean(&|s| s.0 * s.1);
    let others = (2..=40).map(|k| size(harmonic(&|s| s.1, k)).powi(2)).sum::<f64>().sqrt();
    for (id, expected) in [
        ("real", real),
        ("apparent", apparent),
        ("nonactive", (apparent * apparent - real * real).sqrt()),
        ("factor", real / apparent),
        ("displacement", (i1.0 * v1.0 + i1.1 * v1.1) / size(i1) / size(v1)),
        ("distortion", size(i1) / mean(&|s| s.1 * s.1).sqrt() / 2f64.sqrt()),
        ("thd", others / size(i1)),
        ("third", size(harmonic(&|s| s.1, 3)) / 2f64.sqrt()),
    ] {
        assert!((value(id) / expected - 1.0).abs() < 1e-5, "{id}: {} for {expected}", value(id));
    }
    // IEEE 1459, for a sinusoidal voltage; recorded, it is one of parabolas.
    assert!((value("factor") / (value("displacement") * value("distortion")) - 1.0).abs() < 1e-4);
    let load: f64 = outcome.stages.iter().filter(|s| s.power_out == 0.0).map(|s| s.absorbed).sum();
    assert!((value("efficiency") - load / value("real")).abs() < 0.02, "{} {load}", value("efficiency"));
    assert!((value("loss") / (value("real") - load) - 1.0).abs() < 0.02);
    assert!((value("lost_part") - (1.0 - value("efficiency"))).abs() < 0.01);
}
