//! Transients against a general-purpose solver, `diffsol`, on the same equations written by hand.

mod common;

use circuit::ReadingMeasure::Mean;
use common::run_from;
use common::solver::{Figures, solve};
use common::systems::{
    Bridge, Case, Doubler, GateClamp, Inrush, LoadStep, PowerFilter, Recovery, SwitchedCoil, WarmStart,
};
use mellow_device::Start;

/// Holds mean and extremes of every signal to the reference within a thousandth of its range.
fn compare<C: Case>(case: C, rtol: f64) {
    let start = if C::RESTING { Start::OperatingPoint } else { Start::Rest };
    let run = run_from(C::circuit(), start, C::END, C::END / 20.0, 1e-4);
    let mut figures = vec![Figures::from(C::FROM); C::SIGNALS.len()];
    let steps = solve(case, C::END, rtol, |t, x| {
        for (figures, value) in figures.iter_mut().zip(case.signals(x, t)) {
            figures.see(t, value);
        }
    });
    assert!(steps.is_some(), "{}: the reference gives up", C::NAME);
    for (signal, wanted) in C::SIGNALS.iter().zip(&figures) {
        let scale = (wanted.max - wanted.min).max(wanted.max.abs()).max(wanted.min.abs());
        let mean = run.measure(signal, C::FROM, C::END, |w, s| w.measure(Mean, s).unwrap());
        let (min, max) = run.measure(signal, C::FROM, C::END, |w, s| w.extremes(s).unwrap());
        for (what, found, wanted) in
            [("mean", mean, wanted.mean()), ("least", min, wanted.min), ("most", max, wanted.max)]
        {
            let off = (found - wanted).abs() / scale;
            println!("{}: {what} of {signal} {found} for {wanted}, off by {off:.1e}", C::NAME);
            assert!(off < 1e-3, "{}: {what} of {signal} is {found} for {wanted}", C::NAME);
        }
    }
}

/// The demo supply with its default accuracy: mean within 0.05 %, ripple within 0.5 %, diode peak
/// within 1 %.
#[test]
fn the_demo_rectifier_agrees_with_an_independent_integration() {
    let end = 0.3;
    let run = run_from(Bridge::circuit(), Start::Rest, end, 1e-3, 1e-3);
    let (case, mut bus, mut diode) = (Bridge::new(), Figures::from(end - 0.1), Figures::from(end - 0.1));
    let steps = solve(case, end, 1e-6, |t, x| {
        let values = case.signals(x, t);
        bus.see(t, values[0]);
        diode.see(t, values[1]);
    });
    assert!(steps.is_some());
    let (mean, (min, max)) = run.measure("bus.v", end - 0.1, end, |w, s| (w.mean(s).unwrap(), w.extremes(s).unwrap()));
    let peak = run.measure("D1.i", end - 0.1, end, |w, s| w.extremes(s).unwrap().1);
    let off = [mean / bus.mean() - 1.0, (max - min) / (bus.max - bus.min) - 1.0, peak / diode.max - 1.0];
    println!("{off:?}");
    assert!(off[0].abs() < 5e-4 && off[1].abs() < 5e-3 && off[2].abs() < 1e-2, "{off:?}");
}

#[test]
fn a_diode_recovers() {
    compare(Recovery, 1e-7);
}

#[test]
fn a_doubler_doubles() {
    compare(Doubler, 1e-6);
}

#[test]
fn a_gate_is_clamped() {
    compare(GateClamp, 1e-7);
}

#[test]
fn a_transistor_switches_a_coil() {
    compare(SwitchedCoil, 1e-7);
}

#[test]
fn a_core_saturates_at_switch_on() {
    compare(Inrush, 1e-7);
}

#[test]
fn a_thermistor_holds_the_inrush() {
    compare(WarmStart, 1e-6);
}

#[test]
fn constant_power_comes_up_behind_a_filter() {
    compare(PowerFilter, 1e-7);
}

#[test]
fn a_regulator_answers_a_load_step() {
    compare(LoadStep::settled(), 1e-7);
}
