//! Transients against a general-purpose solver, `diffsol`, on the same equations written by hand.

mod common;

use circuit::ReadingMeasure::Mean;
use common::solver::{Figures, solve};
use common::systems::{Case, Doubler, GateClamp, Inrush, LoadStep, PowerFilter, Recovery, SwitchedCoil, WarmStart};
use common::{circuit, run_from};
use mellow_engine::Start;

/// Holds mean and extremes of every signal to the reference within a thousandth of its range.
fn compare<C: Case>(case: C, rtol: f64) {
    let start = if C::RESTING { Start::OperatingPoint } else { Start::Rest };
    let run = run_from(circuit(C::ROWS), start, C::END, C::END / 20.0, 1e-4);
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
