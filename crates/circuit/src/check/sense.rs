//! Mistakes that do not stop a run but spoil what it shows: warnings, each with place and remedy.

use super::joined::Joined;
use crate::finding::{Findings, Place};
use crate::kinds::Role;
use crate::resolved::{ResolvedPart, ResolvedReading, ResolvedStudy, ResolvedWindow};
use crate::{KindId, ReadingMeasure, Source, SourceKind, StudyKind};
use quantity::{Unit, show};
use std::f64::consts::SQRT_2;

/// What the checks look at.
pub(crate) struct Sense<'a> {
    pub(crate) nets: &'a [String],
    pub(crate) parts: &'a [ResolvedPart],
    pub(crate) source: Option<Source>,
    pub(crate) studies: &'a [ResolvedStudy],
    pub(crate) readings: &'a [ResolvedReading],
}

/// Currents implied by an ideal source that are worth a warning, A.
const ABSURD: f64 = 100.0;
/// Steps that a period needs at least.
const LEAST_STEPS: f64 = 10.0;
/// Part of a run before which nothing counts as settled.
const SETTLING: f64 = 0.3;

pub(crate) fn sense(s: &Sense<'_>, findings: &mut Findings) {
    bypassed(s, findings);
    undriven(s, findings);
    outputs(s, findings);
    across_sources(s, findings);
    legs(s, findings);
    amplitudes(s, findings);
    feedback(s, findings);
    studies(s, findings);
    unused(s, findings);
}

/// Parts that nothing feeds: no source, and no charge to begin with, anywhere they are joined to but `gnd`.
fn unused(s: &Sense<'_>, findings: &mut Findings) {
    let mut joined = Joined::new(s.nets.len());
    for part in s.parts {
        let open: Vec<usize> = part.pins.iter().copied().filter(|net| *net != 0).collect();
        for pair in open.windows(2) {
            joined.join(pair[0], pair[1]);
        }
    }
    let anchor = |part: &ResolvedPart| part.pins.iter().copied().find(|net| *net != 0);
    let feeds = |part: &ResolvedPart| {
        part.kind.kind().fixes_voltage
            || matches!(part.kind, KindId::CurrentSource | KindId::CurrentLoad | KindId::SteppedLoad)
            || ["initial_voltage", "initial_current"].iter().any(|name| part.value(name).abs() > 0.0)
    };
    let fed: Vec<usize> =
        s.parts.iter().filter(|p| feeds(p)).flat_map(|p| p.pins.clone()).map(|net| joined.root(net)).collect();
    let idle: Vec<&ResolvedPart> =
        s.parts.iter().filter(|p| anchor(p).is_some_and(|net| !fed.contains(&joined.root(net)))).collect();
    if let Some(first) = idle.first() {
        let names: Vec<&str> = idle.iter().map(|p| p.id.as_str()).collect();
        let (verb, remedy) = if names.len() == 1 { ("is", "Join it") } else { ("are", "Join them") };
        findings.warning(
            "part-unused",
            Place::part(&first.id),
            format!("{} {verb} joined to no source, so nothing happens there", names.join(", ")),
            format!("{remedy} to the rest of the supply, or remove what is not used"),
        );
    }
}

/// Pairs of pins that make a part useless when they are on one net; none where only all of them do.
pub fn useless_between(kind: KindId) -> &'static [(usize, usize)] {
    match kind {
        KindId::IdealTransformer
        | KindId::CoupledWindings
        | KindId::CoreTransformer
        | KindId::HystereticTransformer => &[(0, 1), (2, 3)],
        KindId::ThreeWindings => &[(0, 1), (2, 3), (4, 5)],
        KindId::MosfetN | KindId::MosfetP | KindId::Npn | KindId::Pnp => &[(0, 2)],
        KindId::Regulator | KindId::SeriesReference | KindId::ControlledSwitch | KindId::CurrentSwitch => &[(0, 1)],
        KindId::Amplifier | KindId::Comparator => &[(1, 2), (3, 4)],
        KindId::PiController
        | KindId::Type2Compensator
        | KindId::Type3Compensator
        | KindId::SampledController
        | KindId::VoltageSensor => &[(1, 2)],
        KindId::CurrentSensor | KindId::HalfBridgeDriver => &[(0, 1)],
        _ => &[],
    }
}

fn bypassed(s: &Sense<'_>, findings: &mut Findings) {
    for part in s.parts.iter().filter(|p| !p.pins.windows(2).all(|w| w[0] == w[1])) {
        for (a, b) in useless_between(part.kind).iter().filter(|(a, b)| part.pins[*a] == part.pins[*b]) {
            let pins = part.kind.kind().pins;
            findings.warning(
                "part-bypassed",
                Place::part(&part.id),
                format!(
                    "{} and {} of {} are both on net {}, which bypasses it",
                    pins[*a].name, pins[*b].name, part.id, s.nets[part.pins[*a]]
                ),
                "Give one of them a net of its own; perhaps two nets were given the same name",
            );
        }
    }
}

fn undriven(s: &Sense<'_>, findings: &mut Findings) {
    for (net, name) in s.nets.iter().enumerate().skip(1).filter(|(_, name)| !name.is_empty()) {
        let mut listener = None;
        let mut driven = false;
        for part in s.parts {
            for (pin, _) in part.pins.iter().enumerate().filter(|(_, n)| **n == net) {
                if part.kind.kind().pins[pin].role == Role::Listens {
                    listener.get_or_insert((part, pin));
                } else if part.kind != KindId::Capacitor {
                    driven = true;
                }
            }
        }
        if let (Some((part, pin)), false) = (listener, driven) {
            let pin = &part.kind.kind().pins[pin];
            findings.warning(
                "pin-undriven",
                Place::pin(&part.id, pin.id),
                format!("Nothing drives net {name}, on which {} of {} depends", pin.name, part.id),
                "Connect it to a source, an output, or through a resistor to one",
            );
        }
    }
}

fn outputs(s: &Sense<'_>, findings: &mut Findings) {
    let mut driver: Vec<Option<&ResolvedPart>> = vec![None; s.nets.len()];
    for part in s.parts {
        for pin in part.kind.kind().pins_that(Role::Drives) {
            let net = part.pins[pin];
            match driver[net] {
                None => driver[net] = Some(part),
                Some(other) => findings.warning(
                    "outputs-fight",
                    Place::part(&part.id),
                    format!("{} and {} both drive net {}", other.id, part.id, s.nets[net]),
                    "Let one of them drive it, or join them through diodes or resistors",
                ),
            }
        }
    }
}

/// The peak voltage an ideal source holds between its pins.
fn held(part: &ResolvedPart) -> Option<f64> {
    match part.kind {
        KindId::DcSource => Some(part.value("voltage")),
        KindId::PulseSource => Some(part.value("high").max(part.value("low"))),
        KindId::SineSource => {
            let size = part.value("amplitude");
            let peak = [SQRT_2 * size, size, 0.5 * size][part.value("amplitude_as") as usize % 3];
            Some(peak * part.value("changes_to").max(1.0) + part.value("offset"))
        }
        _ => None,
    }
}

fn across_sources(s: &Sense<'_>, findings: &mut Findings) {
    for (source, voltage) in s.parts.iter().filter_map(|p| Some((p, held(p)?))) {
        let between = |p: &&ResolvedPart| {
            p.pins.len() == 2 && p.id != source.id && {
                let (a, b) = (source.pins[0], source.pins[1]);
                p.pins[..] == [a, b] || p.pins[..] == [b, a]
            }
        };
        for part in s.parts.iter().filter(between) {
            // Voltage forward through the part, first pin above.
            let forward = if part.pins[0] == source.pins[0] { voltage } else { -voltage };
            let implied = match part.kind {
                KindId::Zener if -forward > part.value("zener_voltage") => {
                    (-forward - part.value("zener_voltage")) / part.value("zener_impedance")
                }
                KindId::Zener | KindId::Diode | KindId::Schottky | KindId::Led => {
                    (forward - 1.0).max(0.0) / part.value("series_resistance").max(1e-6)
                }
                KindId::Capacitor if source.kind != KindId::SineSource => voltage.abs() / part.value("esr").max(1e-6),
                _ => 0.0,
            };
            if implied > ABSURD {
                findings.warning(
                    "source-across",
                    Place::part(&part.id),
                    format!(
                        "{} lies directly across the ideal source {}, which implies some {}",
                        part.id,
                        source.id,
                        show(implied, Unit::Ampere, 2)
                    ),
                    "Put the resistance that source and wiring really have in series",
                );
            }
        }
    }
}

/// Drain or first terminal, source or second, and the control of a switch.
fn switch_pins(part: &ResolvedPart) -> Option<(usize, usize, &[usize])> {
    match part.kind {
        KindId::MosfetN => Some((part.pins[0], part.pins[2], &part.pins[1..2])),
        KindId::ControlledSwitch => Some((part.pins[0], part.pins[1], &part.pins[2..4])),
        _ => None,
    }
}

fn legs(s: &Sense<'_>, findings: &mut Findings) {
    let switches: Vec<_> = s.parts.iter().filter_map(|p| Some((p, switch_pins(p)?))).collect();
    for source in s.parts.iter().filter(|p| p.kind == KindId::DcSource) {
        let (plus, minus) = (source.pins[0], source.pins[1]);
        for (upper, (top, middle, control)) in &switches {
            for (lower, (from, bottom, other)) in &switches {
                let leg = *top == plus && middle == from && *bottom == minus;
                if leg && upper.id != lower.id && upper.kind == lower.kind && control == other {
                    findings.warning(
                        "leg-shorted",
                        Place::part(&lower.id),
                        format!(
                            "{} and {} have the same control, so both short {} at once",
                            upper.id, lower.id, source.id
                        ),
                        "Drive them in turn, with a gap between",
                    );
                }
            }
        }
    }
}

fn amplitudes(s: &Sense<'_>, findings: &mut Findings) {
    let Some(demand) = s.source.filter(|d| d.kind == SourceKind::Mains) else { return };
    for part in s.parts.iter().filter(|p| p.kind == KindId::SineSource) {
        let (size, meant) = (part.value("amplitude"), part.value("amplitude_as"));
        let near = |value: f64| (size / value - 1.0).abs() < 0.02;
        let peak_as_rms = meant < 0.5 && near(SQRT_2 * demand.nominal);
        let rms_as_peak = (0.5..1.5).contains(&meant) && near(demand.nominal);
        if peak_as_rms || rms_as_peak {
            let (is, should) = if peak_as_rms { ("RMS", "peak") } else { ("peak", "RMS") };
            findings.warning(
                "rms-or-peak",
                Place::parameter(&part.id, "amplitude"),
                format!(
                    "The amplitude of {} is {} {is}, √2 off the {} RMS the source is stated with",
                    part.id,
                    show(size, Unit::Volt, 4),
                    show(demand.nominal, Unit::Volt, 4)
                ),
                format!("Say that it is meant as {should}, or correct the value"),
            );
        }
    }
}

fn feedback(s: &Sense<'_>, findings: &mut Findings) {
    // Nets held by a source carry no feedback.
    let mut fixed = vec![false; s.nets.len()];
    fixed[0] = true;
    for part in s.parts.iter().filter(|p| held(p).is_some() && p.pins[1] == 0) {
        fixed[part.pins[0]] = true;
    }
    for amplifier in s.parts.iter().filter(|p| p.kind == KindId::Amplifier) {
        let mut joined = Joined::new(s.nets.len());
        for part in s.parts.iter().filter(|p| p.id != amplifier.id) {
            let open: Vec<usize> = part.pins.iter().copied().filter(|net| !fixed[*net]).collect();
            for pair in open.windows(2) {
                joined.join(pair[0], pair[1]);
            }
        }
        let out = joined.root(amplifier.pins[0]);
        if ![1, 2].iter().any(|input| joined.root(amplifier.pins[*input]) == out) {
            findings.warning(
                "feedback-open",
                Place::part(&amplifier.id),
                format!(
                    "What {} puts out on net {} reaches neither of its inputs",
                    amplifier.id, s.nets[amplifier.pins[0]]
                ),
                "Close the loop, or take a comparator where none is meant",
            );
        }
    }
}

fn studies(s: &Sense<'_>, findings: &mut Findings) {
    let periods = || s.parts.iter().filter_map(|p| Some((p, p.period()?)));
    for study in s.studies {
        let place = || Place::Study { study: study.id.clone() };
        if let Some((part, period)) = periods().max_by(|a, b| a.1.total_cmp(&b.1))
            && study.kind.takes_time()
            && study.duration < period
        {
            findings.warning(
                "study-too-short",
                place(),
                format!(
                    "Study {} lasts {}, less than one period of {}, {}",
                    study.id,
                    show(study.duration, Unit::Second, 3),
                    part.id,
                    show(period, Unit::Second, 3)
                ),
                "Lengthen it to several periods",
            );
        }
        if let (Some(step), Some((part, period))) = (study.max_step, periods().min_by(|a, b| a.1.total_cmp(&b.1)))
            && step > period / LEAST_STEPS
        {
            findings.warning(
                "step-too-coarse",
                place(),
                format!(
                    "The longest step of study {}, {}, is more than a tenth of the period of {}, so peaks may be missed",
                    study.id,
                    show(step, Unit::Second, 3),
                    part.id
                ),
                format!("Allow at most {}", show(period / 20.0, Unit::Second, 3)),
            );
        }
    }
    for reading in s.readings.iter().filter(|r| r.problem.is_none()) {
        let Some(study) = s.studies.get(reading.study).filter(|s| s.kind == StudyKind::SwitchOn) else { continue };
        let from = match reading.window {
            ResolvedWindow::WholeRun => study.record_from,
            ResolvedWindow::Between(from, _) | ResolvedWindow::From(from) => from,
            ResolvedWindow::Last(length) => study.duration - length,
            // Where it begins is found in the run.
            ResolvedWindow::Settled { .. } | ResolvedWindow::Events(..) => continue,
        };
        let settled =
            matches!(reading.measure, ReadingMeasure::Mean | ReadingMeasure::Rms | ReadingMeasure::PeakToPeak);
        if settled && from < SETTLING * study.duration {
            findings.warning(
                "reading-too-early",
                Place::Reading { reading: reading.id.clone() },
                format!(
                    "Reading {} begins at {} of a switch-on that lasts {}, while the supply is still starting",
                    reading.id,
                    show(from, Unit::Second, 3),
                    show(study.duration, Unit::Second, 3)
                ),
                "Take its last periods, or begin it later",
            );
        }
    }
}
