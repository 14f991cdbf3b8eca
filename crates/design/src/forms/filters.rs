//! Reservoirs and smoothing filters.

use super::form::{Form, Needs};
use crate::delivered::{Dc, Delivered};
use crate::draft::{Draft, Net, Net::Inlet, Net::Own, Round};
use crate::rectified::{Load, Pulses, Settled, settle};
use circuit::{JointKind, KindId, ReadingMeasure, StageKind, Turn};
use quantity::Series;
use quantity::Unit::{Ampere, Farad, Henry, Hertz, Ohm, One, Second, Volt, Watt};
use std::f64::consts::TAU;

const fn filter(
    id: &'static str,
    title: &'static str,
    takes: JointKind,
    help: &'static str,
    design: fn(&mut Draft<'_>),
) -> Form {
    Form::passing(StageKind::Filter, id, title, takes, help, design)
}

pub(super) const RESERVOIR: Form = Form {
    id: "reservoir",
    title: "Reservoir capacitor",
    kind: StageKind::Reservoir,
    help: "An electrolytic capacitor that carries the load from pulse to pulse.",
    takes: Some(JointKind::Dc),
    design: reservoir,
    needs: Needs::Passes,
    rectifies: None,
};
pub(super) const SPLIT_RESERVOIR: Form = Form {
    id: "split_reservoir",
    title: "Reservoirs of two rails",
    kind: StageKind::Reservoir,
    help: "An electrolytic capacitor on the positive and one on the negative rail.",
    takes: Some(JointKind::Split),
    design: split_reservoir,
    needs: Needs::Passes,
    rectifies: None,
};
pub(super) const RC: Form =
    filter("rc_filter", "RC filter", JointKind::Dc, "A resistor and a capacitor: simple, loses voltage.", rc);
pub(super) const LC: Form =
    filter("lc_filter", "LC filter", JointKind::Dc, "A choke and a capacitor: little loss, steeper.", lc);
pub(super) const CLC: Form = filter(
    "clc_filter",
    "CLC filter",
    JointKind::Dc,
    "A reservoir, a choke and a second capacitor behind a rectifier.",
    clc,
);

/// Ripple of a reservoir that is told none, relative to the peak.
const RIPPLE: f64 = 0.1;
/// ESR of an electrolytic capacitor times its capacitance, s (common practice for mains reservoirs).
const ESR_TIME: f64 = 60e-6;
/// Capacitance below which capacitors of filters are film ones, F (common practice).
const FILM: f64 = 4.7e-6;
/// Usual voltage ratings of electrolytic capacitors, V.
const VOLTAGES: &[f64] =
    &[6.3, 10.0, 16.0, 25.0, 35.0, 50.0, 63.0, 80.0, 100.0, 160.0, 200.0, 250.0, 350.0, 400.0, 450.0];

/// Capacitance that keeps to the ripple a reservoir has unless told otherwise.
pub(super) fn planned_capacitance(pulses: &Pulses, load: f64) -> f64 {
    load / (pulses.pulse_frequency() * RIPPLE * pulses.peak(pulses.emf[1]))
}

fn incoming(d: &Draft<'_>) -> Dc {
    d.ask.before.and_then(|b| b.dc()).unwrap_or(Dc::steady(0.0, 0.0, 0.0))
}

/// ESR of a capacitor of a capacitance, F: an electrolytic one, or a film one where that is usual.
fn esr(capacitance: f64) -> f64 {
    if capacitance < FILM { 0.01 } else { (ESR_TIME / capacitance).max(0.01) }
}

/// Sizes one reservoir of a rectified voltage and writes it into the parts; what it makes of the pulses
/// at the lowest and at the nominal line.
fn smooth(d: &mut Draft<'_>, pulses: &Pulses, load: Load, roles: &[&'static str], rail: &str) -> [Settled; 2] {
    let peak = pulses.peak(pulses.emf[1]);
    let ripple = d.choose(
        "ripple",
        "Ripple allowed",
        Volt,
        RIPPLE * peak,
        "Peak to peak at full load; a tenth of the peak unless chosen.",
    );
    let f = pulses.pulse_frequency();
    d.step(
        "Capacitance",
        Farad,
        "I / (f * V_ripple)",
        &[("I", load.current, Ampere), ("f", f, Hertz), ("V_ripple", ripple, Volt)],
        "handbook; f counts pulses. An upper bound, for the capacitor also charges meanwhile",
    );
    let capacitance = d.prefer(Series::E6, Round::Nearest);
    let settled = |capacitance: f64, esr: f64, emf: f64| settle(pulses, emf, (capacitance, esr), load);
    // The nearest value may be the smaller neighbour; what decides is the ripple it really leaves.
    let enough = settled(capacitance, esr(capacitance), pulses.emf[1]).ripple() <= ripple;
    let capacitance = if enough { capacitance } else { Series::E6.next(capacitance).unwrap_or(capacitance) };
    d.take(capacitance, "E6, the first whose computed ripple suffices");
    // What is expected is expected of the first of them.
    let in_force: Vec<(f64, f64)> = roles
        .iter()
        .map(|role| {
            let capacitance = d.sets(role, "capacitance");
            (capacitance, d.set(role, "esr", esr(capacitance)))
        })
        .collect();
    let (capacitance, esr) = in_force[0];
    d.step(
        "Voltage it must bear",
        Volt,
        "1.2 * sqrt(2) * V_high",
        &[("V_high", pulses.emf[2], Volt)],
        "highest line, no load; a fifth in reserve (common practice)",
    );
    let bears = d.ladder(VOLTAGES, "usual ratings");
    for role in roles {
        d.rates(role, "voltage", bears);
    }
    let [low, nominal] = [pulses.emf[0], pulses.emf[1]].map(|emf| settled(capacitance, esr, emf));
    let signal = format!("{{{rail}}}.v");
    d.promise("Mean voltage", ReadingMeasure::Mean, &signal, nominal.mean, Volt);
    d.promise("Ripple", ReadingMeasure::PeakToPeak, &signal, nominal.ripple(), Volt);
    d.promise("Valley", ReadingMeasure::Min, &signal, nominal.lowest, Volt);
    d.promise("Ripple current", ReadingMeasure::Rms, &format!("{{{}}}.i", roles[0]), nominal.ripple_current, Ampere);
    let needed = d.ask.wanted.plus.lowest;
    if low.lowest < needed {
        d.warnings.push(format!(
            "At the lowest line the valley is {}, below the {} the stages behind need; take a higher secondary voltage \
             or a larger capacitor",
            quantity::show(low.lowest, Volt, 3),
            quantity::show(needed, Volt, 3)
        ));
    }
    [low, nominal]
}

fn smoothed(pulses: &Pulses, [low, nominal]: &[Settled; 2]) -> Dc {
    Dc {
        ripple: nominal.ripple(),
        frequency: pulses.pulse_frequency(),
        ..Dc::steady(low.lowest, nominal.mean, pulses.peak(pulses.emf[2]))
    }
}

fn reservoir(d: &mut Draft<'_>) {
    let before = incoming(d);
    let load = d.ask.wanted.plus.current;
    d.part("reservoir", KindId::Capacitor, (4, 0, Turn::None), &[Inlet(0), Inlet(1)]);
    let after = match before.pulses {
        Some(pulses) => {
            let load = d.ask.wanted.plus.load();
            smoothed(&pulses, &smooth(d, &pulses, load, &["reservoir"], "plus"))
        }
        None => {
            // Behind a filter or a source there is nothing to bridge; it holds a load's step.
            let dip = d.choose("dip", "Dip allowed", Volt, 0.05 * before.nominal, "When the full load is switched on.");
            let time = d.choose("time", "for", Second, 50e-6, "Time the source takes to follow.");
            d.step(
                "Capacitance",
                Farad,
                "I * t / dV",
                &[("I", load, Ampere), ("t", time, Second), ("dV", dip, Volt)],
                "charge of a capacitor",
            );
            d.prefer(Series::E6, Round::Up);
            let capacitance = d.sets("reservoir", "capacitance");
            d.set("reservoir", "esr", esr(capacitance));
            before
        }
    };
    d.give(JointKind::Dc, &[Inlet(0), Inlet(1)], Delivered::Dc(after));
    d.width = 8;
}

fn split_reservoir(d: &mut Draft<'_>) {
    let before = incoming(d);
    d.part("upper", KindId::Capacitor, (4, -5, Turn::None), &[Inlet(0), Inlet(1)]);
    d.part("lower", KindId::Capacitor, (4, 5, Turn::None), &[Inlet(1), Inlet(2)]);
    let load = d.ask.wanted.larger().load();
    let after = match before.pulses {
        Some(pulses) => smoothed(&pulses, &smooth(d, &pulses, load, &["upper", "lower"], "plus")),
        None => before,
    };
    d.give(JointKind::Split, &[Inlet(0), Inlet(1), Inlet(2)], Delivered::Split(after, after));
    d.width = 8;
}

/// Sizes the two capacitors of a doubler, each charged by every other half-wave.
pub(super) fn doubled(d: &mut Draft<'_>, half: &Pulses) -> Dc {
    let load = d.ask.wanted.plus.current;
    let peak = half.peak(half.emf[1]);
    let ripple = d.choose("ripple", "Ripple allowed", Volt, 2.0 * RIPPLE * peak, "Of the output, peak to peak.");
    d.step(
        "Capacitance of each",
        Farad,
        "I / (f * V_ripple)",
        &[("I", load, Ampere), ("f", half.frequency, Hertz), ("V_ripple", ripple, Volt)],
        "handbook: each is charged once a period; an upper bound",
    );
    d.prefer(Series::E6, Round::Up);
    let [(capacitance, esr), _] = ["upper", "lower"].map(|role| {
        let capacitance = d.sets(role, "capacitance");
        (capacitance, d.set(role, "esr", esr(capacitance)))
    });
    // Both carry the same ripple half a period apart.
    let sum = |emf: f64| {
        let one = settle(half, emf, (capacitance, esr), d.ask.wanted.plus.load());
        let n = one.trace.len();
        let both = (0..n).map(|k| one.trace[k] + one.trace[(k + n / 2) % n]);
        both.fold((f64::INFINITY, f64::NEG_INFINITY, 0.0), |(low, high, mean), v| {
            (low.min(v), high.max(v), mean + v / n as f64)
        })
    };
    let (low, (valley, crest, mean)) = (sum(half.emf[0]).0, sum(half.emf[1]));
    d.promise("Mean voltage", ReadingMeasure::Mean, "{plus}.v", mean, Volt);
    d.promise("Ripple", ReadingMeasure::PeakToPeak, "{plus}.v", crest - valley, Volt);
    Dc {
        ripple: crest - valley,
        frequency: 2.0 * half.frequency,
        ..Dc::steady(low, mean, 2.0 * half.peak(half.emf[2]))
    }
}

/// Rates a filter's capacitor for the highest voltage that comes.
fn bears(d: &mut Draft<'_>, role: &'static str, surge: f64, origin: &'static str) {
    d.step("Voltage it must bear", Volt, "1.1 * V_surge", &[("V_surge", surge, Volt)], origin);
    let rated = d.ladder(VOLTAGES, "usual ratings");
    d.rates(role, "voltage", rated);
}

/// Attenuation of a ripple asked for, from what comes in and what is allowed.
fn attenuation(d: &mut Draft<'_>, before: &Dc) -> f64 {
    let allowed = d.choose(
        "ripple",
        "Ripple allowed",
        Volt,
        0.1 * before.ripple,
        "Behind the filter, peak to peak; a tenth of what comes unless chosen.",
    );
    d.step(
        "Attenuation",
        One,
        "V_in / V_out",
        &[("V_in", before.ripple, Volt), ("V_out", allowed, Volt)],
        "of the ripple's fundamental",
    )
}

/// First harmonic of a ripple over its peak-to-peak, for the sawtooth a reservoir leaves.
const SAWTOOTH: f64 = 0.64;
/// Corner of a filter behind a voltage that does not ripple, Hz.
const CORNER: f64 = 1e3;

fn rc(d: &mut Draft<'_>) {
    let before = incoming(d);
    let load = d.ask.wanted.plus.current;
    let (plus, minus) = (Own("filtered"), Inlet(1));
    d.part("series", KindId::Resistor, (4, -6, Turn::ThreeQuarters), &[Inlet(0), plus.clone()]);
    d.part("shunt", KindId::Capacitor, (9, 0, Turn::None), &[plus.clone(), minus.clone()]);
    let lost = d.choose("lost", "Voltage lost", Volt, 0.1 * before.nominal, "In the resistor at full load.");
    d.step("Resistance", Ohm, "V_R / I", &[("V_R", lost, Volt), ("I", load, Ampere)], "Ohm's law");
    d.prefer(Series::E12, Round::Nearest);
    let resistance = d.sets("series", "resistance");
    if before.ripple > 0.0 {
        let wanted = attenuation(d, &before);
        d.step(
            "Capacitance",
            Farad,
            "a / (2 * pi * f * R)",
            &[("a", wanted, One), ("f", before.frequency, Hertz), ("R", resistance, Ohm)],
            "attenuation well above the corner is 2·pi·f·R·C",
        );
    } else {
        let corner = d.choose("corner", "Corner", Hertz, CORNER, "Nothing ripples here; what lies above is kept out.");
        let numbers = [("f_c", corner, Hertz), ("R", resistance, Ohm)];
        d.step("Capacitance", Farad, "1 / (2 * pi * f_c * R)", &numbers, "corner of an RC filter");
    }
    d.prefer(Series::E6, Round::Up);
    let capacitance = d.sets("shunt", "capacitance");
    let esr = d.set("shunt", "esr", esr(capacitance));
    let reactance = 1.0 / (TAU * before.frequency * capacitance);
    // What a capacitor with its ESR leaves of the fundamental.
    let gain = esr.hypot(reactance) / (resistance + esr).hypot(reactance);
    let ripple = if before.ripple > 0.0 { before.ripple * gain } else { 0.0 };
    let loss = d.step(
        "Loss",
        Watt,
        "I ^ 2 * R + V_ripple ^ 2 / (12 * R)",
        &[("I", load, Ampere), ("R", resistance, Ohm), ("V_ripple", before.ripple, Volt)],
        "direct current, and the ripple as a triangle across the resistor",
    );
    d.promise("Loss of the resistor", ReadingMeasure::Mean, "{series}.p", loss, Watt);
    d.drawn[0].conductance = Some(1.0 / resistance);
    d.promise("Mean voltage", ReadingMeasure::Mean, "{plus}.v", before.nominal - load * resistance, Volt);
    bears(d, "shunt", before.surge, "highest line, no load; a tenth in reserve");
    give_filtered(d, &before, load * resistance, ripple, [plus, minus]);
    d.width = 13;
}

fn give_filtered(d: &mut Draft<'_>, before: &Dc, lost: f64, ripple: f64, nets: [Net; 2]) {
    let after = Dc {
        // The valley of the ripple is smoothed away as far as the filter does.
        lowest: before.lowest + 0.5 * (before.ripple - ripple).max(0.0) - lost,
        nominal: before.nominal - lost,
        ripple: ripple.min(before.ripple),
        pulses: None,
        ..*before
    };
    d.give(JointKind::Dc, &nets, Delivered::Dc(after));
}

/// Sizes choke and capacitor behind `before`, writes them into the parts, and gives what they leave.
fn choke(d: &mut Draft<'_>, before: &Dc, x: i32) {
    let load = d.ask.wanted.plus.current;
    let (plus, minus) = (Own("filtered"), Inlet(1));
    d.part("choke", KindId::Inductor, (x, -6, Turn::ThreeQuarters), &[Inlet(0), plus.clone()]);
    d.part("shunt", KindId::Capacitor, (x + 5, 0, Turn::None), &[plus.clone(), minus.clone()]);
    let resistance = 0.01 * before.nominal / load.max(1e-6);
    if before.ripple > 0.0 {
        let wanted = attenuation(d, before);
        d.step(
            "Choke",
            Henry,
            "V / (2 * pi * f * 0.1 * I)",
            &[("V", SAWTOOTH * 0.5 * before.ripple, Volt), ("f", before.frequency, Hertz), ("I", load, Ampere)],
            "ripple current a tenth of the load's (common practice)",
        );
        d.prefer(Series::E6, Round::Up);
        let inductance = d.sets("choke", "inductance");
        d.step(
            "Capacitance",
            Farad,
            "(1 + a) / ((2 * pi * f) ^ 2 * L)",
            &[("a", wanted, One), ("f", before.frequency, Hertz), ("L", inductance, Henry)],
            "attenuation above resonance is (2·pi·f)²·L·C − 1",
        );
    } else {
        let corner = d.choose("corner", "Corner", Hertz, CORNER, "Nothing ripples here; what lies above is kept out.");
        let load_resistance = before.nominal / load.max(1e-6);
        d.step(
            "Choke",
            Henry,
            "R / (2 * pi * f_c)",
            &[("R", load_resistance, Ohm), ("f_c", corner, Hertz)],
            "characteristic resistance equal to the load's, so that it damps the corner (handbook)",
        );
        d.prefer(Series::E6, Round::Nearest);
        d.sets("choke", "inductance");
        d.step(
            "Capacitance",
            Farad,
            "1 / (2 * pi * f_c * R)",
            &[("R", load_resistance, Ohm), ("f_c", corner, Hertz)],
            "the same",
        );
        // A load of constant current damps nothing; a branch of its own does.
        d.part("damper", KindId::Resistor, (x + 10, -3, Turn::None), &[plus.clone(), Own("damp")]);
        d.part("damping", KindId::Capacitor, (x + 10, 3, Turn::None), &[Own("damp"), minus.clone()]);
        d.width += 5;
    }
    let resistance = d.set("choke", "resistance", resistance);
    d.prefer(Series::E6, Round::Up);
    let capacitance = d.sets("shunt", "capacitance");
    let esr = d.set("shunt", "esr", esr(capacitance));
    d.drawn[0].conductance = Some(0.0);
    if before.ripple == 0.0 {
        let inductance = d.value("choke", "inductance");
        let numbers = [("L", inductance, Henry), ("C", capacitance, Farad)];
        d.step(
            "Damping resistor",
            Ohm,
            "sqrt(L / C)",
            &numbers,
            "optimum for four times the capacitance in series (Erickson & Maksimović, ch. 10; from memory)",
        );
        d.prefer(Series::E12, Round::Nearest);
        d.sets("damper", "resistance");
        d.set("damping", "capacitance", 4.0 * capacitance);
    }
    let ripple = if before.ripple > 0.0 {
        let omega = TAU * before.frequency;
        let inductance = d.value("choke", "inductance");
        let reactance = omega * inductance - 1.0 / (omega * capacitance);
        let shunt = esr.hypot(1.0 / (omega * capacitance));
        before.ripple * shunt / (resistance + esr).hypot(reactance)
    } else {
        0.0
    };
    d.promise("Mean voltage", ReadingMeasure::Mean, "{plus}.v", before.nominal - load * resistance, Volt);
    let inductance = d.value("choke", "inductance");
    let damper = (before.ripple == 0.0).then(|| (d.value("damper", "resistance"), d.value("damping", "capacitance")));
    let peak = step_peak([inductance, resistance], [capacitance, esr], damper);
    let surge = d.step(
        "Highest voltage at switch-on",
        Volt,
        "V_high * k",
        &[("V_high", before.surge, Volt), ("k", peak, One)],
        "k is the peak of the filter's step response without load, integrated; behind a rectifier it rises less",
    );
    bears(d, "shunt", surge, "rising above what comes when switched on; a tenth in reserve");
    let before = &Dc { surge, ..*before };
    give_filtered(d, before, load * resistance, ripple, [plus, minus]);
}

/// Most steps through a filter's first swing.
const MOST_STEPS: f64 = 1e5;

/// Highest output voltage of an LC filter for each volt switched on at once, without load: a choke with its resistance,
/// a capacitor with its ESR, and a damping resistor with its capacitor, if there are. Integrated by the classical
/// fourth-order method of Runge and Kutta.
fn step_peak([l, r]: [f64; 2], [c, esr]: [f64; 2], damper: Option<(f64, f64)>) -> f64 {
    let (damping, held) = damper.unwrap_or((f64::INFINITY, c));
    // Currents of choke, then voltages of both capacitors; the output follows from them.
    let output = |[i, v, w]: [f64; 3]| (i * esr + v + w * esr / damping) / (1.0 + esr / damping);
    let slope = |x: [f64; 3]| {
        let [i, _, w] = x;
        let out = output(x);
        let branch = (out - w) / damping;
        [(1.0 - r * i - out) / l, (i - branch) / c, branch / held]
    };
    let along = |x: [f64; 3], k: [f64; 3], h: f64| std::array::from_fn(|n| x[n] + h * k[n]);
    // The fastest of its time constants is followed, for as long as the slowest swing takes to turn.
    let swing = (l * (c + held)).sqrt();
    let step = 0.02 * (l * c).sqrt().min((damping + esr) * c).min(l / (r + esr));
    let steps = (6.0 * swing / step).clamp(0.0, MOST_STEPS) as usize;
    // In the end it stands at what was switched on.
    let (mut x, mut peak) = ([0.0; 3], 1.0f64);
    for _ in 0..steps {
        let k1 = slope(x);
        let k2 = slope(along(x, k1, 0.5 * step));
        let k3 = slope(along(x, k2, 0.5 * step));
        let k4 = slope(along(x, k3, step));
        x = std::array::from_fn(|n| x[n] + step / 6.0 * (k1[n] + 2.0 * k2[n] + 2.0 * k3[n] + k4[n]));
        peak = peak.max(output(x));
    }
    peak
}

fn lc(d: &mut Draft<'_>) {
    let before = incoming(d);
    d.width = 13;
    choke(d, &before, 4);
}

fn clc(d: &mut Draft<'_>) {
    let before = incoming(d);
    let load = d.ask.wanted.plus.current;
    d.part("reservoir", KindId::Capacitor, (2, 0, Turn::None), &[Inlet(0), Inlet(1)]);
    let reservoir = match before.pulses {
        Some(pulses) => {
            let peak = pulses.peak(pulses.emf[1]);
            let first = d.choose("first_ripple", "Ripple before the choke", Volt, RIPPLE * peak, "Peak to peak.");
            d.step(
                "Reservoir",
                Farad,
                "I / (f * V_ripple)",
                &[("I", load, Ampere), ("f", pulses.pulse_frequency(), Hertz), ("V_ripple", first, Volt)],
                "handbook; an upper bound",
            );
            d.prefer(Series::E6, Round::Nearest);
            let capacitance = d.sets("reservoir", "capacitance");
            let esr = d.set("reservoir", "esr", esr(capacitance));
            // The choke keeps the current from following the ripple.
            let constant = Load { current: load, conductance: 0.0 };
            let settled = [pulses.emf[0], pulses.emf[1]].map(|emf| settle(&pulses, emf, (capacitance, esr), constant));
            smoothed(&pulses, &settled)
        }
        None => before,
    };
    d.width = 16;
    choke(d, &reservoir, 7);
}

#[cfg(test)]
mod tests {
    use super::step_peak;
    use std::f64::consts::PI;

    /// 1 + exp(−π·ζ/√(1 − ζ²)) with ζ = R/2·√(C/L), the closed form of a second-order step (handbook).
    #[test]
    fn a_filter_rises_as_the_closed_form_says() {
        for (l, c) in [(1e-3, 1e-6), (0.1, 1e-3), (15e-3, 1.5e-6)] {
            for damping in [1e-3, 0.05, 0.3, 0.7] {
                let r = 2.0 * damping * f64::sqrt(l / c);
                let exact = 1.0 + (-PI * damping / (1.0 - damping * damping).sqrt()).exp();
                let found = step_peak([l, r], [c, 0.0], None);
                assert!((found / exact - 1.0).abs() < 1e-3, "{found} for {exact}");
            }
        }
        // What swallows the swing, however small or stiff it is, lowers it and stays finite.
        for damper in [1e-3, 1.0, 30.0, 1e4] {
            let found = step_peak([1e-3, 0.1], [1e-6, 5.0], Some((damper, 4e-6)));
            assert!((1.0..2.0).contains(&found), "{found} with {damper} ohms");
        }
    }
}
