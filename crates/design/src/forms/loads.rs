//! Loads.

use super::form::{Form, Needs};
use crate::delivered::Delivered;
use crate::draft::{Draft, Drawn, Net::Inlet};
use crate::draft::{NEGATIVE, OUTPUT};
use circuit::{JointKind, KindId, Output, StageKind, Turn};
use quantity::Unit::{Ampere, AmperePerSecond, Ohm, Second, Volt, Watt};

const fn load(id: &'static str, title: &'static str, help: &'static str, design: fn(&mut Draft<'_>)) -> Form {
    Form {
        id,
        title,
        kind: StageKind::Load,
        help,
        takes: Some(JointKind::Dc),
        design,
        needs: Needs::Loads,
        rectifies: None,
    }
}

pub(super) const RESISTIVE: Form = load(
    "resistive_load",
    "Resistive load",
    "A resistor that draws the full current at the nominal voltage.",
    resistive,
);
pub(super) const SPLIT: Form = Form {
    takes: Some(JointKind::Split),
    ..load("split_load", "Load on both rails", "A resistor on the positive and one on the negative rail.", split)
};
pub(super) const CURRENT: Form =
    load("current_load", "Constant-current load", "The same current at every voltage, as behind a regulator.", current);
pub(super) const POWER: Form =
    load("power_load", "Constant-power load", "More current the lower the voltage, as a converter draws it.", power);
pub(super) const STEPPED: Form =
    load("stepped_load", "Stepped load", "From a tenth of the current to all of it, once.", stepped);
pub(super) const PULSED: Form =
    load("pulsed_load", "Pulsed load", "From a tenth of the current to all of it, again and again.", pulsed);

/// The output a stage serves: chosen, or the first; none stated means what the stage before delivers.
pub(super) fn output(d: &mut Draft<'_>) -> Output {
    let outputs = d.ask.outputs.clone();
    let names: Vec<(&str, &str)> =
        outputs.iter().filter(|o| o.voltage >= 0.0).map(|o| (o.id.as_str(), o.title.as_str())).collect();
    if names.is_empty() {
        let voltage = d.ask.before.and_then(|b| b.dc()).map_or(5.0, |dc| dc.nominal);
        let current = d.choose("current", "Current", Ampere, 0.1, "No output is stated; this is what is drawn.");
        return Output {
            id: String::new(),
            title: String::new(),
            voltage,
            current,
            accuracy: 0.05,
            ripple: 0.01 * voltage,
        };
    }
    serve(d, OUTPUT, "Output", &names)
}

/// The negative output a stage on two rails serves; that of the positive one if none is stated.
pub(super) fn negative(d: &mut Draft<'_>, positive: &Output) -> Output {
    let outputs = d.ask.outputs.clone();
    let names: Vec<(&str, &str)> =
        outputs.iter().filter(|o| o.voltage < 0.0).map(|o| (o.id.as_str(), o.title.as_str())).collect();
    if names.is_empty() {
        return Output { voltage: -positive.voltage, ..positive.clone() };
    }
    serve(d, NEGATIVE, "Negative output", &names)
}

fn serve(d: &mut Draft<'_>, rail: &'static str, title: &'static str, names: &[(&str, &str)]) -> Output {
    let index = d.pick(rail, title, names, "The output this stage serves.");
    let outputs = &d.ask.outputs;
    outputs.iter().find(|o| o.id == names[index].0).unwrap_or(&outputs[0]).clone()
}

fn at(d: &mut Draft<'_>, kind: KindId) {
    d.part("load", kind, (4, 0, Turn::None), &[Inlet(0), Inlet(1)]);
    d.width = 8;
}

/// The voltage a load gets at nominal line, V.
fn nominal(d: &Draft<'_>) -> Option<f64> {
    d.ask.before.and_then(|b| b.dc()).map(|dc| dc.nominal)
}

fn resistive(d: &mut Draft<'_>) {
    let output = output(d);
    at(d, KindId::Resistor);
    d.step(
        "Load resistance",
        Ohm,
        "V / I",
        &[("V", output.voltage.abs(), Volt), ("I", output.current, Ampere)],
        "Ohm's law",
    );
    let conductance = 1.0 / d.sets("load", "resistance");
    d.drawn[0] = Drawn { current: nominal(d).map(|v| v * conductance), conductance: Some(conductance) };
}

fn split(d: &mut Draft<'_>) {
    let positive = output(d);
    let negative = negative(d, &positive);
    let rails = match d.ask.before {
        Some(Delivered::Split(plus, minus)) => [Some(plus.nominal), Some(minus.nominal)],
        _ => [None; 2],
    };
    let sides = [("upper", -5, [Inlet(0), Inlet(1)], &positive), ("lower", 5, [Inlet(1), Inlet(2)], &negative)];
    for (side, (role, y, nets, output)) in sides.into_iter().enumerate() {
        d.part(role, KindId::Resistor, (4, y, Turn::None), &nets);
        d.step(
            "Load resistance",
            Ohm,
            "V / I",
            &[("V", output.voltage.abs(), Volt), ("I", output.current, Ampere)],
            "Ohm's law",
        );
        let resistance = d.sets(role, "resistance");
        d.drawn[side] = Drawn { current: rails[side].map(|v| v / resistance), conductance: Some(1.0 / resistance) };
    }
    d.width = 8;
}

fn current(d: &mut Draft<'_>) {
    let output = output(d);
    at(d, KindId::CurrentLoad);
    d.set("load", "current", output.current);
    d.set("load", "least_voltage", 0.1 * output.voltage.abs());
}

fn power(d: &mut Draft<'_>) {
    let output = output(d);
    at(d, KindId::PowerLoad);
    d.step("Power", Watt, "V * I", &[("V", output.voltage.abs(), Volt), ("I", output.current, Ampere)], "definition");
    let power = d.sets("load", "power");
    if let Some(voltage) = nominal(d).filter(|v| *v > 0.0) {
        // Its tangent: less current the higher the voltage.
        let current = power / voltage;
        d.drawn[0] = Drawn { current: Some(current), conductance: Some(-current / voltage) };
    }
    d.set("load", "least_voltage", 0.6 * output.voltage.abs());
}

/// Writes a step between a tenth and the whole of the current.
fn step(d: &mut Draft<'_>, delay: f64) -> Output {
    let output = output(d);
    at(d, KindId::SteppedLoad);
    let low = d.choose("low", "First current", Ampere, 0.1 * output.current, "A tenth of the full one unless chosen.");
    let slew = d.choose("slew", "Slew", AmperePerSecond, 1e6, "Speed of the change.");
    let delay = d.choose("delay", "Steps at", Second, delay, "Time of the first step.");
    d.set("load", "low", low);
    d.set("load", "high", output.current);
    d.set("load", "delay", delay);
    d.set("load", "slew", slew);
    d.set("load", "least_voltage", 0.1 * output.voltage.abs());
    output
}

fn stepped(d: &mut Draft<'_>) {
    step(d, 1e-3);
    let width = d.choose("width", "for", Second, 1.0, "Time at the full current.");
    d.set("load", "width", width);
}

fn pulsed(d: &mut Draft<'_>) {
    step(d, 1e-3);
    let period = d.choose("period", "Period", Second, 2e-3, "Time from pulse to pulse.");
    let width = d.choose("width", "Width", Second, 0.5 * period, "Time at the full current.");
    d.set("load", "period", period);
    d.set("load", "width", width);
}
