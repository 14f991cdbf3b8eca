//! Studies simulated by switching: which engine is taken and why, the settled state, steps that begin from it.

use circuit::{Circuit, Engine, FrequencyGrid, Signal, Supply, resolve};
use mellow_studies::{End, Loop, Outcome, engine_for, go_on, impedance, loop_gain, response, run};
use recording::{Chunk, Chunks, Command, Complex64, Observer, Piece, Progress, Recording, Unreadable};

/// A buck converter of 24 V to 12 V at 100 kHz whose load steps from 1 A to 3 A; `load` stands for what else hangs on it.
fn buck(load: &str, studies: &str, duty: f64) -> Circuit {
    // The gate passes 4 V of 10 V 8 ns into its rising and 12 ns into its falling edge.
    let width = duty * 10e-6 - 24e-9;
    let text = format!(
        r#"{{ "mellow_coil": 1, "title": "buck", "parts": [
        {{ "id": "V1", "kind": "dc_source", "pins": {{ "plus": "in", "minus": "gnd" }}, "parameters": {{ "voltage": "24" }} }},
        {{ "id": "VG", "kind": "pulse_source", "pins": {{ "plus": "g", "minus": "x" }}, "parameters":
            {{ "high": "10", "rise": "20n", "fall": "20n", "width": "{width}", "period": "10u" }} }},
        {{ "id": "Q1", "kind": "mosfet_n", "pins": {{ "d": "in", "g": "g", "s": "x" }}, "parameters":
            {{ "on_resistance": "10m", "threshold": "4" }} }},
        {{ "id": "D1", "kind": "schottky", "pins": {{ "a": "gnd", "k": "x" }}, "parameters": {{ "typical_current": "2" }} }},
        {{ "id": "L1", "kind": "inductor", "pins": {{ "a": "x", "b": "out" }}, "parameters": {{ "inductance": "47u" }} }},
        {{ "id": "C1", "kind": "capacitor", "pins": {{ "plus": "out", "minus": "gnd" }},
            "parameters": {{ "capacitance": "100u", "esr": "20m" }} }},
        {{ "id": "I1", "kind": "stepped_load", "pins": {{ "plus": "out", "minus": "gnd" }},
            "parameters": {{ "low": "1", "high": "3", "delay": "1m", "width": "9" }} }}{load} ],
      "studies": [{studies}],
      "readings": [
        {{ "id": "out", "title": "Output", "study": "s", "signal": "out.v", "measure": "mean", "window": "whole_run" }},
        {{ "id": "coil", "title": "Coil", "study": "s", "signal": "L1.i", "measure": "mean", "window": "whole_run" }},
        {{ "id": "least", "title": "Valley", "study": "s", "signal": "out.v", "measure": "min", "window": "whole_run" }},
        {{ "id": "share", "title": "Efficiency", "study": "s", "signal": "", "measure": "efficiency",
           "window": "whole_run" }} ] }}"#
    );
    let supply = Supply::from_json(&text).unwrap_or_else(|error| panic!("{error}"));
    resolve(&supply).unwrap_or_else(|findings| panic!("{findings:#?}"))
}

fn study(kind: &str, duration: &str, engine: &str) -> String {
    let engine = if engine.is_empty() { String::new() } else { format!(r#""engine": "{engine}", "#) };
    format!(r#"{{ "id": "s", "kind": "{kind}", "title": "Study", {engine}"duration": "{duration}" }}"#)
}

fn done(circuit: &Circuit) -> Outcome {
    let outcome = run(circuit, "s", &mut Recording::default()).unwrap();
    assert_eq!(outcome.end, End::Done, "{outcome:#?}");
    outcome
}

fn value(outcome: &Outcome, id: &str) -> f64 {
    let reading = outcome.readings.iter().find(|r| r.id == id).unwrap();
    reading.value.unwrap_or_else(|| panic!("{reading:?}"))
}

#[test]
fn the_engine_is_taken_for_a_reason_that_is_said() {
    let chosen = |load: &str, engine: &str| {
        let circuit = buck(load, &study("switch_on", "1m", engine), 0.5);
        engine_for(&circuit, &circuit.studies[0])
    };
    let thermistor = r#", { "id": "RT1", "kind": "thermistor", "pins": { "a": "out", "b": "gnd" } }"#;
    let (engine, why) = chosen("", "");
    assert!(engine == Engine::Switched && why.contains("VG drives Q1"), "{why}");
    let (engine, why) = chosen(thermistor, "");
    assert!(engine == Engine::DeviceLevel && why.contains("RT1 cannot be"), "{why}");
    assert_eq!(chosen("", "device_level").0, Engine::DeviceLevel);
    // A source that drives no switch is no reason.
    let mut apart = buck("", &study("switch_on", "1m", ""), 0.5);
    let (gate, steady) =
        (apart.parts.iter().position(|p| p.id == "Q1").unwrap(), apart.nets.iter().position(|n| n == "in"));
    apart.parts[gate].pins[1] = steady.unwrap();
    let (engine, why) = engine_for(&apart, &apart.studies[0]);
    assert!(engine == Engine::DeviceLevel && why.contains("no source drives a switch"), "{why}");
    // What is stated is done, or said to be impossible by name.
    let circuit = buck(thermistor, &study("switch_on", "1m", "switched"), 0.5);
    let End::Failed { message } = run(&circuit, "s", &mut Recording::default()).unwrap().end else { panic!() };
    assert!(
        message.starts_with("RT1 cannot be simulated by switching") && message.contains("device level"),
        "{message}"
    );
}

/// A rectifier left to us is simulated at device level, unless that takes long: a six-pulse bridge behind inductances, whose junctions
/// ring with them, is not. The mean behind an ideal one is 3√2/π of the RMS between lines (handbook).
#[test]
fn what_it_costs_decides_between_the_engines() {
    let rectifier = |inductance: &str, duration: &str, engine: &str| {
        let mut parts = vec![
            r#"{ "id": "V1", "kind": "three_phase_source", "pins": { "l1": "a", "l2": "b", "l3": "c", "n": "gnd" } }"#.to_owned(),
            r#"{ "id": "R1", "kind": "resistor", "pins": { "a": "p", "b": "m" }, "parameters": { "resistance": "50" } }"#.to_owned(),
            r#"{ "id": "R2", "kind": "resistor", "pins": { "a": "m", "b": "gnd" }, "parameters": { "resistance": "1M" } }"#.to_owned(),
        ];
        for line in ["a", "b", "c"] {
            let two = |id: &str, kind: &str, pins: &str, own: &str| {
                format!(r#"{{ "id": "{id}", "kind": "{kind}", "pins": {{ {pins} }}, "parameters": {{ {own} }} }}"#)
            };
            let own = format!(r#""inductance": "{inductance}", "resistance": "10m""#);
            parts.push(two(&format!("L{line}"), "inductor", &format!(r#""a": "{line}", "b": "x{line}""#), &own));
            parts.push(two(&format!("DU{line}"), "diode", &format!(r#""a": "x{line}", "k": "p""#), ""));
            parts.push(two(&format!("DL{line}"), "diode", &format!(r#""a": "m", "k": "x{line}""#), ""));
        }
        let text = format!(
            r#"{{ "mellow_coil": 1, "title": "six pulses", "parts": [ {} ], "studies": [ {} ] }}"#,
            parts.join(","),
            study("switch_on", duration, engine)
        );
        resolve(&Supply::from_json(&text).unwrap()).unwrap_or_else(|findings| panic!("{findings:#?}"))
    };
    for (duration, says) in [("1m", ""), ("100m", "some 2\u{2009}s, and less than 100\u{2009}ms by switching")] {
        let some = rectifier("100u", duration, "");
        let (engine, why) = engine_for(&some, &some.studies[0]);
        assert!(engine == Engine::DeviceLevel && why.contains("no source drives a switch"), "{why}");
        assert!(why.contains(says) && why.contains("expected") != says.is_empty(), "{why}");
    }
    let slow = rectifier("100u", "0.5", "");
    let (engine, why) = engine_for(&slow, &slow.studies[0]);
    assert!(engine == Engine::Switched, "{why}");
    assert!(why.contains("less than 100\u{2009}ms so, and some ") && why.contains("at device level"), "{why}");
    let asked = rectifier("100u", "0.5", "device_level");
    assert_eq!(engine_for(&asked, &asked.studies[0]).0, Engine::DeviceLevel);
    assert_eq!(run(&slow, "s", &mut Recording::default()).unwrap().end, End::Done);
}

/// A modulator is a source that switches, through gates and drivers; what it compares and shapes leads nowhere.
#[test]
fn what_a_modulator_drives_switches() {
    let chosen = |gate: &str, amplitude: &str| {
        let text = format!(
            r#"{{ "mellow_coil": 1, "title": "modulated", "parts": [
            {{ "id": "V1", "kind": "dc_source", "pins": {{ "plus": "in", "minus": "gnd" }} }},
            {{ "id": "VC", "kind": "pulse_source", "pins": {{ "plus": "c", "minus": "gnd" }},
               "parameters": {{ "high": "{amplitude}", "period": "10u", "width": "4u" }} }},
            {{ "id": "U1", "kind": "pulse_modulator", "pins": {{ "out": "p", "c": "w", "com": "gnd" }} }},
            {{ "id": "U2", "kind": "and_gate", "pins": {{ "out": "q", "a": "p", "b": "in", "com": "gnd" }} }},
            {{ "id": "U3", "kind": "half_bridge_driver",
               "pins": {{ "ho": "h", "hs": "gnd", "lo": "l", "com": "gnd", "in": "q" }} }},
            {{ "id": "U4", "kind": "pi_controller", "pins": {{ "out": "w", "ref": "c", "fb": "gnd", "com": "gnd" }} }},
            {{ "id": "S1", "kind": "controlled_switch", "pins": {{ "a": "in", "b": "x", "cp": "{gate}", "cn": "gnd" }} }},
            {{ "id": "RH", "kind": "resistor", "pins": {{ "a": "h", "b": "gnd" }} }},
            {{ "id": "RL", "kind": "resistor", "pins": {{ "a": "l", "b": "gnd" }} }},
            {{ "id": "R1", "kind": "resistor", "pins": {{ "a": "x", "b": "gnd" }} }} ],
            "studies": [{}] }}"#,
            study("switch_on", "1m", "")
        );
        let circuit = resolve(&Supply::from_json(&text).unwrap()).unwrap_or_else(|findings| panic!("{findings:#?}"));
        engine_for(&circuit, &circuit.studies[0])
    };
    for gate in ["p", "q", "h", "l"] {
        let (engine, why) = chosen(gate, "1");
        assert!(engine == Engine::Switched && why.contains("U1 drives S1"), "{gate}: {why}");
    }
    // A pulse through a controller is no switching, though it comes as often.
    let (engine, why) = chosen("w", "1");
    assert!(engine == Engine::DeviceLevel && why.contains("no source drives a switch"), "{why}");
}

/// The settled output of a converter with a synchronous current is its duty times its input less what falls off on the way
/// (by hand, from the volt-seconds of the coil), for several duties; its own efficiency follows from the same losses.
#[test]
fn the_settled_state_has_the_volt_seconds_of_its_coil() {
    for duty in [0.2, 0.35, 0.5, 0.8] {
        let circuit = buck("", &study("settled", "50u", ""), duty);
        let outcome = done(&circuit);
        let d1 = circuit.parts.iter().find(|p| p.id == "D1").unwrap();
        let slope = d1.value("emission") * 1.380_649e-23 * 300.15 / 1.602_176_634e-19;
        let drop = |i: f64| slope * (1.0 + i / d1.value("saturation_current")).ln() + d1.value("series_resistance") * i;
        let current = value(&outcome, "coil");
        assert!((current - 1.0).abs() < 1e-6, "the mean current is the load's: {current}");
        let by_hand = duty * (24.0 - 0.01 * current) - (1.0 - duty) * drop(current);
        let out = value(&outcome, "out");
        // The diode's line is tangent at 2 A, and carries 1 A.
        assert!((out - by_hand).abs() < 0.02, "{out} for {by_hand}");
        let share = value(&outcome, "share");
        assert!((share - out / (duty * 24.0)).abs() < 2e-3, "{share}");
        assert!(outcome.health.simulated.starts_with("by switching") && outcome.health.warnings.is_empty());
        assert!(outcome.health.engine.energy.relative < 1e-9, "{:?}", outcome.health.engine.energy);
    }
    // A light load lets the coil run dry, and that is said.
    let mut light = buck("", &study("settled", "50u", ""), 0.5);
    let load = light.parts.iter().position(|p| p.id == "I1").unwrap();
    let low = light.parts[load].kind.kind().parameter("low").unwrap();
    light.parts[load].values[low] = 0.05;
    let said = done(&light).health.warnings;
    assert!(said.iter().any(|w| w.starts_with("L1 is in discontinuous conduction")), "{said:?}");
}

/// A step that begins at the settled state shows the same valley as one that waited for it from switch-on.
#[test]
fn a_step_of_the_load_begins_at_the_settled_state() {
    let stepped = done(&buck("", &study("load_step", "3m", ""), 0.5));
    let (least, mean) = (value(&stepped, "least"), value(&stepped, "out"));
    let mut waited = buck("", &study("switch_on", "23m", "switched"), 0.5);
    let load = waited.parts.iter().position(|p| p.id == "I1").unwrap();
    let delay = waited.parts[load].kind.kind().parameter("delay").unwrap();
    waited.parts[load].values[delay] = 21e-3;
    waited.studies[0].record_from = 20e-3;
    let waited = done(&waited);
    assert!((value(&waited, "least") - least).abs() < 1e-4 * mean, "{} {least}", value(&waited, "least"));
    assert!((value(&waited, "out") - mean).abs() < 1e-4 * mean, "{} {mean}", value(&waited, "out"));
}

/// Keeps a recording and stops after so many steps.
struct Halting(Recording, u64);

impl Observer for Halting {
    fn progress(&mut self, progress: &Progress<'_>) -> Command {
        if progress.health.steps < self.1 { Command::Continue } else { Command::Stop }
    }
    fn record(&mut self, chunk: Chunk) {
        self.0.record(chunk);
    }
}

impl Chunks for Halting {
    fn whole(&self) -> (f64, f64) {
        self.0.whole()
    }
    fn folded(&self, from: f64, to: f64, of: &[usize], take: &mut dyn FnMut(Piece<'_>)) -> Result<(), Unreadable> {
        self.0.folded(from, to, of, take)
    }
}

/// Stopped on its way and gone on with, a run gives the readings it gives straight; by the other engine it cannot be gone on with.
#[test]
fn a_run_by_switching_goes_on_where_it_stood() {
    let circuit = buck("", &study("load_step", "2m", ""), 0.5);
    let straight = done(&circuit);
    let mut halting = Halting(Recording::default(), 60);
    let stopped = go_on(&circuit, "s", None, &mut halting).unwrap();
    assert!(matches!(stopped.outcome.end, End::Stopped { time } if time < 1.5e-3), "{:?}", stopped.outcome.end);
    let kept = stopped.kept.unwrap();
    kept.fits(&circuit).unwrap();
    halting.1 = u64::MAX;
    let whole = go_on(&circuit, "s", Some(&kept), &mut halting).unwrap().outcome;
    assert_eq!(whole.end, End::Done);
    for id in ["out", "coil", "least", "share"] {
        // What comes again is left out from another period on.
        let [whole, straight] = [&whole, &straight].map(|run| value(run, id));
        assert!((whole - straight).abs() < 1e-9 * straight.abs(), "{id}: {whole} for {straight}");
    }
    let at_device_level = buck("", &study("switch_on", "2m", "device_level"), 0.5);
    let refused = go_on(&at_device_level, "s", Some(&kept), &mut halting).map(|_| ()).unwrap_err();
    assert!(refused.to_string().contains("cannot be gone on with"), "{refused}");
}

/// A drive of fixed duty: what the line does to the output, what a load sees, and no loop. Line to output is D at low frequency, the
/// output of an open-loop buck looks like its coil in parallel with its capacitor.
#[test]
fn responses_are_about_the_settled_period_where_something_switches() {
    let circuit = buck("", &study("settled", "1m", ""), 0.5);
    let grid = FrequencyGrid { from: 10.0, to: 1e6, per_decade: 5.0 };
    let out = Signal::parse("out.v").unwrap();
    let line = response(&circuit, "V1", &out, grid, None).unwrap();
    assert!(line.simulated.contains("VG drives Q1"), "{}", line.simulated);
    assert!(line.remarks[0].contains("half the switching frequency"), "{:?}", line.remarks);
    assert!((line.curve[0].1.norm() - 0.5).abs() < 2e-3 && line.curve.last().unwrap().0 < 50e3, "{:?}", line.curve[0]);
    let output = impedance(&circuit, "out", "gnd", grid, None).unwrap();
    for (f, z) in &output.curve {
        let s = Complex64::new(0.0, std::f64::consts::TAU * f);
        // Switch and diode take turns in the coil's way: 10 mΩ, and 40 mΩ with n·kT/q over 2 A.
        let (coil, capacitor) = (0.5 * (10e-3 + 40e-3 + 1.05 * 25.85e-3 / 2.0) + s * 47e-6, 20e-3 + 1.0 / (s * 100e-6));
        let wanted = coil * capacitor / (coil + capacitor);
        assert!((z / wanted - 1.0).norm() < 0.01, "{z} for {wanted} at {f} Hz");
    }
    let late = FrequencyGrid { from: 6e4, ..grid };
    let error = response(&circuit, "V1", &out, late, None).unwrap_err();
    assert!(error.is_of_the_question() && error.to_string().contains("begin lower"), "{error}");
    let error = loop_gain(&circuit, ("Q1", "x"), grid, None, Loop::Closed).unwrap_err();
    assert!(error.is_of_the_question() && error.to_string().contains("pin x of Q1"), "{error}");
    let device = response(&circuit, "V1", &out, grid, Some(Engine::DeviceLevel)).unwrap();
    assert!(device.simulated.contains("as asked") && device.curve.last().unwrap().0 > 9e5, "{}", device.simulated);
}

/// Two sources feed one load, one of them a current: both count. By hand: 10 V behind 1 Ω gives 1 A beside 2 A into a load of 3 A at
/// 9 V, 27 W of 10 W and 18 W.
#[test]
fn efficiency_counts_every_source_that_delivers() {
    let text = r#"{ "mellow_coil": 1, "title": "two sources", "parts": [
        { "id": "V1", "kind": "dc_source", "pins": { "plus": "in", "minus": "gnd" }, "parameters": { "voltage": "10" } },
        { "id": "R1", "kind": "resistor", "pins": { "a": "in", "b": "out" }, "parameters": { "resistance": "1" } },
        { "id": "I2", "kind": "current_source", "pins": { "a": "gnd", "b": "out" }, "parameters": { "current": "2" } },
        { "id": "I1", "kind": "current_load", "pins": { "plus": "out", "minus": "gnd" },
          "parameters": { "current": "3", "least_voltage": "1" } } ],
      "studies": [{ "id": "s", "kind": "switch_on", "title": "Study", "duration": "1m" }],
      "readings": [
        { "id": "power", "title": "Power", "study": "s", "signal": "V1.v", "current": "V1.i", "measure": "real_power",
          "window": "whole_run" },
        { "id": "share", "title": "Efficiency", "study": "s", "signal": "", "measure": "efficiency",
          "window": "whole_run" } ] }"#;
    let supply = Supply::from_json(text).unwrap_or_else(|error| panic!("{error}"));
    let outcome = done(&resolve(&supply).unwrap_or_else(|findings| panic!("{findings:#?}")));
    assert!((value(&outcome, "share") - 27.0 / 28.0).abs() < 1e-6, "{}", value(&outcome, "share"));
    // What a source delivers is positive, by its own current.
    assert!((value(&outcome, "power") - 10.0).abs() < 1e-6, "{}", value(&outcome, "power"));
}

/// A supply that starts has not lost what it has stored: a capacitor fills through a resistance and feeds a load, or empties into it.
/// Of what came in the load takes its part, and the resistance loses what its voltage says (RC, handbook).
#[test]
fn what_is_stored_is_not_lost() {
    let (r, c, load, end) = (2.0, 1e-3, 0.5, 4e-3);
    for initial in [3.0, 9.0, 9.9] {
        let text = format!(
            r#"{{ "mellow_coil": 1, "title": "fills", "parts": [
            {{ "id": "V1", "kind": "dc_source", "pins": {{ "plus": "in", "minus": "gnd" }}, "parameters": {{ "voltage": "10" }} }},
            {{ "id": "R1", "kind": "resistor", "pins": {{ "a": "in", "b": "out" }}, "parameters": {{ "resistance": "{r}" }} }},
            {{ "id": "C1", "kind": "capacitor", "pins": {{ "plus": "out", "minus": "gnd" }},
               "parameters": {{ "capacitance": "{c}", "initial_voltage": "{initial}" }} }},
            {{ "id": "I1", "kind": "current_load", "pins": {{ "plus": "out", "minus": "gnd" }},
               "parameters": {{ "current": "{load}", "least_voltage": "0.1" }} }} ],
          "studies": [{{ "id": "s", "kind": "switch_on", "title": "Study", "duration": "{end}", "tolerance": "1e-6" }}],
          "readings": [
            {{ "id": "share", "title": "Efficiency", "study": "s", "signal": "", "measure": "efficiency", "window": "whole_run" }},
            {{ "id": "lost", "title": "Loss", "study": "s", "signal": "", "measure": "loss", "window": "whole_run" }} ] }}"#
        );
        let supply = Supply::from_json(&text).unwrap_or_else(|error| panic!("{error}"));
        let outcome = done(&resolve(&supply).unwrap_or_else(|findings| panic!("{findings:#?}")));
        // v = v∞ + (v₀ − v∞)·e^(−t/τ); means of v and v² over the run.
        let (rest, tau) = (10.0 - load * r, r * c);
        let (x, a) = (end / tau, initial - rest);
        let (one, two) = ((1.0 - f64::exp(-x)) / x, (1.0 - f64::exp(-2.0 * x)) / (2.0 * x));
        let (mean, square) = (rest + a * one, rest * rest + 2.0 * rest * a * one + a * a * two);
        let (taken, lost) = (load * mean, (100.0 - 20.0 * mean + square) / r);
        assert!(
            (value(&outcome, "lost") - lost).abs() < 1e-4 * taken,
            "{initial}: {} for {lost}",
            value(&outcome, "lost")
        );
        let share = taken / (taken + lost);
        assert!((value(&outcome, "share") - share).abs() < 1e-4, "{initial}: {} for {share}", value(&outcome, "share"));
    }
}

/// A source stage gives what is left behind its own resistance, and a load stage takes what its own capacitor stores: of 10 V at its
/// terminals less what 1 Ω takes in between, a supply that settles passes on the load's share (by hand), and while it starts no more
/// than there is.
#[test]
fn stages_count_with_all_of_their_parts() {
    let part = |id: &str, kind: &str, pins: [&str; 2], own: &str, stage: &str| {
        let names = if kind == "resistor" { ["a", "b"] } else { ["plus", "minus"] };
        format!(
            r#"{{ "id": "{id}", "kind": "{kind}", "stage": "{stage}", "pins": {{ "{}": "{}", "{}": "{}" }}, "parameters": {{ {own} }} }}"#,
            names[0], pins[0], names[1], pins[1]
        )
    };
    let share = |duration: &str| {
        let parts = [
            part("V1", "dc_source", ["v", "gnd"], r#""voltage": "12""#, "source"),
            part("RS", "resistor", ["v", "in"], r#""resistance": "1""#, "source"),
            part("R1", "resistor", ["in", "out"], r#""resistance": "1""#, "between"),
            part("RL", "resistor", ["out", "gnd"], r#""resistance": "4""#, "load"),
            part("CL", "capacitor", ["out", "gnd"], r#""capacitance": "1m""#, "load"),
        ];
        let text = format!(
            r#"{{ "mellow_coil": 1, "title": "staged", "parts": [ {} ], "stages": [
              {{ "id": "source", "kind": "source", "title": "Source" }},
              {{ "id": "between", "kind": "filter", "title": "Between", "after": "source" }},
              {{ "id": "load", "kind": "load", "title": "Load", "after": "between" }} ],
              "studies": [ {{ "id": "s", "kind": "switch_on", "title": "S", "duration": "{duration}" }} ],
              "readings": [ {{ "id": "share", "title": "Efficiency", "study": "s", "signal": "", "measure": "efficiency",
                "window": {{ "between": {{ "from": "{duration} / 2", "to": "{duration}" }} }} }} ] }}"#,
            parts.join(",")
        );
        let supply = Supply::from_json(&text).unwrap_or_else(|error| panic!("{error}"));
        value(&done(&resolve(&supply).unwrap_or_else(|findings| panic!("{findings:#?}"))), "share")
    };
    // 2 A from 10 V, of which 8 V reach the load.
    assert!((share("0.2") - 0.8).abs() < 1e-6, "{}", share("0.2"));
    assert!((0.3..0.8).contains(&share("1m")), "{}", share("1m"));
}
