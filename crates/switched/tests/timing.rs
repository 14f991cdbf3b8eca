//! What keeps time and what supervises, in both engines against its definition, with values at random.

mod common;

use circuit::KindId::{
    BurstController, Counter, HalfBridgeDriver, HiccupLimiter, Monostable, SoftStart, UndervoltageLockout,
};
use common::edges::{Ramps, Wave, borrowed, both, falls, follows, level, values};
use proptest::prelude::*;

const END: f64 = 200e-6;
const QUIET: Wave = Wave([0.0, 0.0, 1e3]);

fn ramps() -> impl Strategy<Value = Ramps> {
    ((0.0..10e-6f64, 0.1e-6..3e-6f64), (0.2e-6..15e-6f64, 0.1e-6..3e-6f64, 0.2e-6..10e-6f64)).prop_map(
        |((delay, rise), (width, fall, pause))| {
            Ramps([0.0, 5.0, delay, rise, width, fall, rise + width + fall + pause])
        },
    )
}

/// When an input passes its upper threshold and then its lower one, and so on.
fn passes(input: impl Fn(f64) -> f64, upper: f64, lower: f64) -> Vec<(f64, bool)> {
    let (mut edges, mut t, mut on) = (Vec::new(), 0.0, false);
    // Short stretches, so that none of the ramps is stepped over.
    const STRETCH: f64 = 2e-6;
    while t < END {
        let found = falls(t, t + STRETCH, |t| if on { input(t) - lower } else { upper - input(t) });
        if let Some(at) = found {
            on = !on;
            edges.push((at, on));
        }
        t = found.map_or(t + STRETCH, |at| at + 1e-13);
    }
    edges
}

/// The same where the input is one of logic.
fn bits(input: Ramps) -> Vec<(f64, bool)> {
    passes(|t| input.at(t), 2.75, 2.25)
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(16))]

    #[test]
    fn a_monostable_is_high_for_its_time(input in ramps(), width in 0.3e-6..20e-6f64, retriggers in any::<bool>()) {
        let mut own = values([("pulse_width", width)]);
        own.push(("retriggers", if retriggers { "yes" } else { "no" }.to_owned()));
        let runs = both(("U1", Monostable, "y s gnd", &borrowed(&own)), QUIET, input, END);
        let (mut edges, mut until): (Vec<(f64, bool)>, f64) = (Vec::new(), 0.0);
        for (at, _) in bits(input).into_iter().filter(|(_, up)| *up) {
            if at >= until {
                edges.extend([(at, true), (at + width, false)]);
            } else if retriggers {
                edges.last_mut().unwrap().0 = at + width;
            } else {
                continue;
            }
            until = at + width;
        }
        follows(&runs, "y.v", &edges, END)?;
    }

    #[test]
    fn a_counter_divides(input in ramps(), modulus in 2..9u32, resets in (20e-6..60e-6f64, 0.5e-6..8e-6f64)) {
        let own = values([("modulus", f64::from(modulus))]);
        let (period, width) = resets;
        // The reset is a sine that peaks once in a while; its crossings are found like any.
        let reset = Wave([0.0, 2.75 / (std::f64::consts::TAU * (0.25 - 0.5 * width / period)).sin(), 1.0 / period]);
        let runs = both(("U1", Counter, "y s c gnd", &borrowed(&own)), reset, input, END);
        let mut events: Vec<(f64, bool, bool)> = bits(input).into_iter().map(|(at, up)| (at, up, false)).collect();
        events.extend(passes(|t| reset.at(t), 2.75, 2.25).into_iter().map(|(at, up)| (at, up, true)));
        events.sort_by(|a, b| a.0.total_cmp(&b.0));
        let (mut count, mut held, mut edges) = (0, false, Vec::new());
        for (at, up, is_reset) in events {
            match (is_reset, up) {
                (true, _) => (held, count) = (up, if up { 0 } else { count }),
                (false, true) if !held => count = (count + 1) % modulus,
                _ => {}
            }
            edges.push((at, count >= modulus.div_ceil(2)));
        }
        follows(&runs, "y.v", &edges, END)?;
    }

    /// Each switch goes off with the input and comes on a dead time later, if the input has stayed.
    #[test]
    fn a_driver_keeps_its_dead_time(input in ramps(), dead in 50e-9..4e-6f64) {
        let own = values([("dead_time", dead)]);
        let runs = both(("U1", HalfBridgeDriver, "y gnd z gnd s", &borrowed(&own)), QUIET, input, END);
        let changes = bits(input);
        let ends = changes.iter().skip(1).map(|(at, _)| *at).chain([END]);
        let (mut upper, mut lower) = (Vec::new(), vec![(dead.min(changes.first().map_or(END, |c| c.0)), false)]);
        if changes.first().is_none_or(|(at, _)| *at > dead) {
            lower.push((dead, true));
        }
        for ((at, up), end) in changes.iter().zip(ends) {
            upper.push((*at, false));
            lower.push((*at, false));
            if at + dead < end {
                if *up { &mut upper } else { &mut lower }.push((at + dead, true));
            }
        }
        follows(&runs, "y.v", &upper, END)?;
        follows(&runs, "z.v", &lower, END)?;
    }

    #[test]
    fn what_is_let_run_stops_at_its_other_level(
        wave in (0.0..1.0f64, 0.2..2.0f64, 5e3..100e3f64),
        (on, band) in (0.3..1.5f64, 0.0..1.0f64),
        burst in any::<bool>(),
    ) {
        let (kind, names) =
            if burst { (BurstController, ["run_above", "stop_below"]) } else { (UndervoltageLockout, ["on_voltage", "off_voltage"]) };
        let wave = Wave([wave.0, wave.1, wave.2]);
        let own = values([(names[0], on), (names[1], on - band - 1e-3)]);
        let ramps = Ramps([0.0, 1.0, 0.0, 1e-6, 1e-6, 1e-6, 10e-6]);
        let runs = both(("U1", kind, "y c gnd", &borrowed(&own)), wave, ramps, END);
        follows(&runs, "y.v", &passes(|t| wave.at(t), on, on - band - 1e-3), END)?;
    }

    /// Time over the limit counts up, time below it down to nothing; at the end of what is borne there is a pause.
    #[test]
    fn a_limiter_hiccups(input in ramps(), limit in 0.5..4.5f64, bears in 1e-6..30e-6f64, pause in 5e-6..40e-6f64) {
        let own = values([("limit", limit), ("overload_time", bears), ("pause", pause)]);
        let runs = both(("U1", HiccupLimiter, "y s gnd", &borrowed(&own)), QUIET, input, END);
        let changes = passes(|t| input.at(t), limit, limit);
        let over_at = |t: f64| changes.iter().rev().find(|(at, _)| *at <= t).is_some_and(|(_, over)| *over);
        let next = |t: f64| changes.iter().find(|(at, _)| *at > t).map_or(END, |(at, _)| *at);
        let (mut t, mut used, mut edges) = (0.0, 0.0, vec![(0.0, true)]);
        while t < END {
            let to = next(t);
            if over_at(t) && used + (to - t) / bears >= 1.0 {
                let off = t + (1.0 - used) * bears;
                edges.extend([(off, false), (off + pause, true)]);
                (t, used) = (off + pause, 0.0);
                continue;
            }
            used = if over_at(t) { used + (to - t) / bears } else { f64::max(0.0, used - (to - t) / bears) };
            t = to;
        }
        follows(&runs, "y.v", &edges, END)?;
    }

    #[test]
    fn a_soft_start_rises_in_a_straight_line(input in ramps(), end in 0.5..5.0f64, rise in 1e-6..20e-6f64) {
        let own = values([("voltage", end), ("rise_time", rise)]);
        let runs = both(("U1", SoftStart, "y s gnd", &borrowed(&own)), QUIET, input, END);
        let changes = bits(input);
        for t in (0..300).map(|k| (f64::from(k) + 0.41) * END / 300.0) {
            let last = changes.iter().rev().find(|(at, _)| *at <= t);
            if changes.iter().any(|(at, _)| (t - at).abs() < 100e-9) {
                continue;
            }
            let reached = last.filter(|(_, up)| *up).map_or(0.0, |(at, _)| end * ((t + 0.5e-12 - at) / rise).min(1.0));
            // Behind 50 Ω, and at device level a little later.
            let wanted = reached * 10e3 / 10.05e3;
            for (run, slack) in runs.iter().zip([1e-6, 15e-9 * end / rise + 2e-3]) {
                let found = level(run, "y.v", t);
                prop_assert!((found - wanted).abs() < slack, "{} V for {} at {:e} s", found, wanted, t);
            }
        }
    }
}
