//! How long to simulate, how finely, and from when to record, as the circuit suggests.

use circuit::{
    Finding, KindId, Output, Place, ResolvedPart, Source, SourceKind, StudyKind, Supply, demands, number_in,
};
use quantity::{Unit, entry, show};
use schemars::JsonSchema;
use serde::Serialize;

/// A setting with the reason for it.
#[derive(Clone, Debug, PartialEq, Serialize, JsonSchema)]
pub struct Suggestion {
    /// The setting as typed.
    pub text: String,
    /// The setting as shown, with its unit.
    pub shown: String,
    /// Why.
    pub reason: String,
}

impl Suggestion {
    /// A time, s.
    fn new(time: f64, reason: String) -> Self {
        Suggestion { text: entry(time), shown: show(time, Unit::Second, 3), reason }
    }
}

/// What a study should be set to.
#[derive(Clone, Debug, PartialEq, Serialize, JsonSchema)]
pub struct StudyDefault {
    /// Simulated time.
    pub duration: Suggestion,
    /// Longest step.
    pub max_step: Suggestion,
    /// Time from which traces are kept.
    pub record_from: Suggestion,
}

/// Periods of the mains at least, and slowest time constants.
const PERIODS: f64 = 12.0;
const TIME_CONSTANTS: f64 = 5.0;
/// Periods shorter than this are those of converters, s, and how many of them a start is shown at least.
const SWITCHING: f64 = 1e-3;
const STARTING: f64 = 300.0;
/// Periods of a converter beyond which a capacitor's time constant says nothing of its start.
const MOST_STARTING: f64 = 3000.0;
/// Swings of a choke and a capacitor.
const SWINGS: f64 = 10.0;
/// Steps in the shortest period at least.
const STEPS: f64 = 20.0;
/// Periods of the mains from which on a run is too long to keep all of, and how many of them are kept.
const LONG: f64 = 200.0;
const KEPT: f64 = 50.0;
/// Longest time constant that is waited for, s.
const PATIENCE: f64 = 2.0;

/// Whether a kind of source repeats itself.
pub(crate) fn is_periodic(kind: KindId) -> bool {
    matches!(kind, KindId::SineSource | KindId::ThreePhaseSource | KindId::PulseSource)
}

/// The period at which a converter switches, s: of a fast source, or of what gives pulses by a clock of its own.
pub(crate) fn switching_period(parts: &[ResolvedPart]) -> Option<f64> {
    let clocked = |part: &ResolvedPart| {
        let own =
            matches!(part.kind, KindId::PulseModulator | KindId::CurrentModulator | KindId::AverageCurrentModulator);
        if own { Some(1.0 / part.value("frequency")) } else { part.period() }
    };
    parts.iter().filter_map(clocked).filter(|period| *period < SWITCHING).reduce(f64::min)
}

/// Finds duration and step from the slowest and the fastest thing in the circuit.
pub fn studies_for(supply: &Supply) -> StudyDefault {
    let (source, outputs) = demands(supply);
    let circuit = circuit::resolve(supply).ok();
    let parts = circuit.as_ref().map_or(&[][..], |c| &c.parts[..]);
    let periods = parts.iter().filter_map(ResolvedPart::period);
    let (shortest, longest) = periods.fold((f64::INFINITY, 0.0f64), |(s, l), p| (s.min(p), l.max(p)));
    let fed = parts.iter().any(|part| part.kind.kind().fixes_voltage);
    // What is stated counts as long as nothing in the circuit feeds it otherwise.
    let mains = source.filter(|s: &Source| s.kind != SourceKind::Dc && !fed).map(|s| 1.0 / s.frequency);
    let switching = switching_period(parts);
    let longest = if longest > 0.0 { longest } else { mains.unwrap_or(0.0) };
    let shortest = if shortest.is_finite() { shortest } else { longest };
    // What a converter holds up by itself is not waited for to run down.
    let held = |tau: f64| switching.is_some_and(|period| tau > MOST_STARTING * period);
    let slowest = slowest_discharge(parts, &outputs).filter(|(_, tau)| !held(*tau));
    let integrator = slowest_integrator(parts);
    let slowest = slowest.into_iter().chain(integrator).max_by(|a, b| a.1.total_cmp(&b.1));
    let settling = slowest.map_or(0.0, |(_, tau)| TIME_CONSTANTS * tau);
    let swing = slowest_swing(parts);
    let least = switching.map_or(0.0, |period| STARTING * period).max(PERIODS * longest);
    let (duration, reason) = if swing > settling.max(least) {
        (swing, format!("{SWINGS} swings of the slowest choke and capacitor"))
    } else if settling > least {
        let (part, tau) = slowest.unwrap_or(("", 0.0));
        let tau = show(tau, Unit::Second, 2);
        (settling, format!("{TIME_CONSTANTS} times the slowest time constant, that of {part}: {tau}"))
    } else if let Some(period) = switching.filter(|period| STARTING * period > PERIODS * longest) {
        (STARTING * period, format!("{STARTING} periods of {}", show(period, Unit::Second, 3)))
    } else if longest > 0.0 {
        (PERIODS * longest, format!("{PERIODS} periods of {}", show(longest, Unit::Second, 3)))
    } else {
        (5e-3, "nothing in the circuit is slow or periodic".to_owned())
    };
    let (duration, reason) = match last_step(parts) {
        // As long again after the step as before it was thought to take.
        Some((part, at)) if at > 0.5 * duration => (
            at + duration,
            format!("{part} steps at {}, and what follows takes as long again", show(at, Unit::Second, 3)),
        ),
        _ => (duration, reason),
    };
    let duration = up(duration);
    // What comes again takes no room by switching.
    let record_from = if switching.is_none() && longest > 0.0 && duration > LONG * longest {
        let reason = format!("the last {KEPT} periods; the run is long, and its start would fill the store");
        Suggestion::new(duration - KEPT * longest, reason)
    } else {
        Suggestion::new(0.0, "the start itself is worth seeing, and the run is short enough to keep all of it".into())
    };
    let duration = Suggestion::new(duration, reason);
    let step = if shortest > 0.0 { shortest / STEPS } else { 1e-4 };
    let reason = if shortest > 0.0 {
        format!("a twentieth of the shortest period, {}", show(shortest, Unit::Second, 3))
    } else {
        "the solver finds its own steps; nothing is periodic".to_owned()
    };
    StudyDefault { duration, max_step: Suggestion::new(step, reason), record_from }
}

/// The capacitor that takes longest to be discharged by what the outputs draw, and its time constant, s.
fn slowest_discharge<'a>(parts: &'a [ResolvedPart], outputs: &[Output]) -> Option<(&'a str, f64)> {
    let load = outputs.iter().map(|o| o.current / o.voltage.abs().max(1e-3)).fold(0.0, f64::max);
    let capacitors = parts.iter().filter(|p| p.kind == KindId::Capacitor);
    let constants = capacitors.filter_map(|p| {
        let conductance = if load > 0.0 { load } else { beside(parts, p)? };
        Some((p.id.as_str(), p.value("capacitance") / conductance))
    });
    constants.filter(|(_, tau)| *tau < PATIENCE).max_by(|a, b| a.1.total_cmp(&b.1))
}

/// The load that makes the last first step, and when, s.
fn last_step(parts: &[ResolvedPart]) -> Option<(&str, f64)> {
    let steps = parts.iter().filter(|p| p.kind == KindId::SteppedLoad).map(|p| (p.id.as_str(), p.value("delay")));
    steps.max_by(|a, b| a.1.total_cmp(&b.1))
}

/// The capacitor that makes the slowest integrator of an amplifier, and the time its output takes to come to
/// where it belongs, s: from rest it first has to get there at the pace of its largest error, which takes about
/// as long again as the time constant lets it settle.
fn slowest_integrator(parts: &[ResolvedPart]) -> Option<(&str, f64)> {
    let amplifiers = parts.iter().filter(|p| p.kind == KindId::Amplifier);
    let integrators = amplifiers.flat_map(|amplifier| {
        let (output, inverting) = (amplifier.pins[0], amplifier.pins[2]);
        let fed_back = move |c: &&ResolvedPart| {
            c.kind == KindId::Capacitor && c.pins.contains(&output) && c.pins.contains(&inverting)
        };
        let at_input = parts.iter().filter(|r| r.kind == KindId::Resistor && r.pins.contains(&inverting));
        let resistance = at_input.map(|r| r.value("resistance")).fold(0.0, f64::max);
        parts.iter().filter(fed_back).map(move |c| (c.id.as_str(), 2.0 * c.value("capacitance") * resistance))
    });
    integrators.filter(|(_, tau)| *tau < PATIENCE).max_by(|a, b| a.1.total_cmp(&b.1))
}

/// What charges and discharges a capacitor where no output is stated: the resistors at its nets, S. None if there
/// are none.
fn beside(parts: &[ResolvedPart], capacitor: &ResolvedPart) -> Option<f64> {
    let touches = |p: &&ResolvedPart| p.pins.iter().any(|net| *net != 0 && capacitor.pins.contains(net));
    let resistors = parts.iter().filter(|p| p.kind == KindId::Resistor).filter(touches);
    let conductance: f64 = resistors.map(|p| 1.0 / p.value("resistance")).sum();
    (conductance > 0.0).then_some(conductance)
}

/// A warning for every switch-on that ends before the slowest capacitor can have come to its periodic state. A
/// direct source charges it at once, however slowly the load would discharge it.
pub(crate) fn too_short(supply: &Supply) -> Vec<Finding> {
    let Ok(circuit) = circuit::resolve(supply) else { return Vec::new() };
    if !circuit.parts.iter().any(|p| p.period().is_some()) {
        return Vec::new();
    }
    let Some((part, tau)) = slowest_discharge(&circuit.parts, &demands(supply).1) else { return Vec::new() };
    let studies = supply.studies.iter().filter(|s| s.kind() == StudyKind::SwitchOn && s.cut.is_none());
    let short = studies.filter_map(|s| Some((s, number_in(supply, &s.course()?.duration, Unit::Second)?)));
    let found = short.filter(|(_, duration)| *duration < tau).map(|(study, duration)| {
        let message = format!(
            "Study {} lasts {}, less than the time constant of {part} with the load, {}",
            study.id,
            show(duration, Unit::Second, 3),
            show(tau, Unit::Second, 3)
        );
        let remedy = format!("Lengthen it to {}", show(up(TIME_CONSTANTS * tau), Unit::Second, 3));
        Finding::warning("study-too-short", Place::Study { study: study.id.clone() }, message, remedy)
    });
    found.collect()
}

/// Time of some swings of the slowest choke with a capacitor at one of its ends, s.
fn slowest_swing(parts: &[ResolvedPart]) -> f64 {
    let chokes = parts.iter().filter(|p| p.kind == KindId::Inductor);
    let capacitors = || parts.iter().filter(|p| p.kind == KindId::Capacitor);
    let swings = chokes.flat_map(|l| {
        capacitors()
            .filter(|c| c.pins.iter().any(|net| *net != 0 && l.pins.contains(net)))
            .map(|c| std::f64::consts::TAU * (l.value("inductance") * c.value("capacitance")).sqrt())
    });
    SWINGS * swings.fold(0.0, f64::max)
}

/// The next larger of 1, 1.5, 2, 3, 5, 7 times a power of ten.
fn up(value: f64) -> f64 {
    let decade = 10f64.powf(value.log10().floor());
    let steps = [1.0, 1.5, 2.0, 3.0, 5.0, 7.0, 10.0];
    let step = steps.into_iter().find(|s| s * decade >= value * (1.0 - 1e-9)).unwrap_or(10.0);
    format!("{:.1e}", step * decade).parse().unwrap_or(value)
}
