//! Peaks and margins read off curves, against the formulas of the systems that have them.

use mellow_recording::{Complex64, LoopGain, log_grid, phase, resonances, sweep};
use proptest::prelude::*;
use std::f64::consts::TAU;

/// `jf` in units of a corner frequency.
fn s(f: f64, corner: f64) -> Complex64 {
    Complex64::new(0.0, f / corner)
}

fn second_order(f: f64, corner: f64, damping: f64) -> Complex64 {
    let s = s(f, corner);
    1.0 / (1.0 + 2.0 * damping * s + s * s)
}

fn looped(from: f64, to: f64, gain: impl Fn(f64) -> Complex64) -> LoopGain {
    let points = sweep(from, to, 40.0, |f| Ok::<_, ()>(gain(f))).unwrap();
    let (frequencies, gain) = points.into_iter().unzip();
    LoopGain { frequencies, gain }
}

proptest! {
    #![proptest_config(ProptestConfig { failure_persistence: None, ..ProptestConfig::default() })]

    /// A second-order low-pass peaks at `f₀√(1 − 2ζ²)` by `1/(2ζ√(1 − ζ²))` (handbook); nearly undamped its width tells its quality.
    #[test]
    fn a_peak_is_found_where_it_is(corner in 1.0..1e6f64, damping in 0.01..0.4f64, off in 0.1..10.0f64) {
        let points = sweep(0.01 * corner * off, 100.0 * corner * off, 20.0, |f| Ok::<_, ()>(second_order(f, corner, damping))).unwrap();
        let found = resonances(&points);
        prop_assert_eq!(found.len(), 1, "{:?}", found);
        let (at, height) = ((1.0 - 2.0 * damping * damping).sqrt() * corner, 0.5 / (damping * (1.0 - damping * damping).sqrt()));
        prop_assert!((found[0].frequency / at - 1.0).abs() < 5e-3, "{:?} for {}", found, at);
        prop_assert!((found[0].magnitude / height - 1.0).abs() < 2e-3, "{:?} for {}", found, height);
        if damping < 0.05 {
            let quality = found[0].quality.unwrap();
            prop_assert!((quality * 2.0 * damping - 1.0).abs() < 0.02, "{} for {}", quality, 0.5 / damping);
            prop_assert!((found[0].damping.unwrap() * 2.0 * quality - 1.0).abs() < 1e-12);
        }
    }

    /// Several far apart are all found, in their order, and a curve that only falls has none.
    #[test]
    fn every_peak_is_found(corners in prop::collection::vec(1.0..3.0f64, 1..5), damping in 0.02..0.1f64) {
        let at: Vec<f64> = corners.iter().enumerate().map(|(k, more)| 10f64.powi(2 * k as i32) * more).collect();
        let sum = |f: f64| at.iter().map(|corner| second_order(f, *corner, damping) * s(f, *corner)).sum::<Complex64>();
        let points = sweep(0.1, 1e10, 30.0, |f| Ok::<_, ()>(sum(f))).unwrap();
        let found = resonances(&points);
        prop_assert_eq!(found.len(), at.len(), "{:?}", found);
        for (peak, corner) in found.iter().zip(&at) {
            prop_assert!((peak.frequency / corner - 1.0).abs() < 0.02, "{:?} for {}", peak, corner);
        }
        let falls = sweep(1.0, 1e6, 20.0, |f| Ok::<_, ()>(1.0 / (1.0 + s(f, 100.0)))).unwrap();
        prop_assert!(resonances(&falls).is_empty());
    }

    /// An integrator with a pole, `T = ω_u/(s·(1 + s/p))`: crossover from `x²(1 + x²r²) = 1`, a phase margin of `90° − atan(x·r)`,
    /// and a closed loop of second order whose peak follows from its damping `½√(p/ω_u)`.
    #[test]
    fn margins_of_an_integrator_with_a_pole(unity in 10.0..1e5f64, ratio in 0.2..20.0f64) {
        let pole = unity * ratio;
        let margins = looped(1e-3 * unity, 1e3 * unity, |f| 1.0 / (s(f, unity) * (1.0 + s(f, pole)))).margins();
        let r = 1.0 / ratio;
        let x = (((1.0 + 4.0 * r * r).sqrt() - 1.0) / (2.0 * r * r)).sqrt();
        prop_assert!((margins.crossover.unwrap() / (unity * x) - 1.0).abs() < 1e-3, "{:?}", margins);
        let wanted = 90.0 - (x * r).atan().to_degrees();
        prop_assert!((margins.phase_margin.unwrap() - wanted).abs() < 0.1, "{:?} for {}", margins, wanted);
        // The phase never comes to −180°.
        prop_assert!(margins.phase_crossover.is_none() && margins.gain_margin.is_none());
        let damping = 0.5 * ratio.sqrt();
        let peak = if damping < 0.5f64.sqrt() { 0.5 / (damping * (1.0 - damping * damping).sqrt()) } else { 1.0 };
        // The largest of the points, which stand forty to a decade, is no more than the top.
        let off = margins.closed_peak / peak - 1.0;
        prop_assert!((-0.015..1e-3).contains(&off), "{:?} for {}", margins, peak);
        if let Some(found) = margins.damping {
            prop_assert!((found / damping - 1.0).abs() < 0.01, "{} for {}", found, damping);
        }
    }

    /// With three equal poles the phase passes −180° at √3 of the corner, where the gain is an eighth: a gain margin of `20·lg(8/K)`,
    /// negative where the loop is unstable (handbook).
    #[test]
    fn margins_of_three_poles(corner in 1.0..1e5f64, gain in 1.5..40.0f64) {
        let pole = |f: f64| 1.0 / (1.0 + s(f, corner));
        let margins = looped(1e-2 * corner, 1e2 * corner, |f| gain * pole(f) * pole(f) * pole(f)).margins();
        prop_assert!((margins.phase_crossover.unwrap() / (3f64.sqrt() * corner) - 1.0).abs() < 2e-3, "{:?}", margins);
        prop_assert!((margins.gain_margin.unwrap() - 20.0 * (8.0 / gain).log10()).abs() < 0.05, "{:?}", margins);
        let x = (gain.powf(2.0 / 3.0) - 1.0).sqrt();
        prop_assert!((margins.crossover.unwrap() / (x * corner) - 1.0).abs() < 2e-3, "{:?}", margins);
        prop_assert!((margins.phase_margin.unwrap() - (180.0 - 3.0 * x.atan().to_degrees())).abs() < 0.2, "{:?}", margins);
    }

    /// A delay turns the phase without end, and it is followed without a jump.
    #[test]
    fn phase_goes_on_without_jumps(delay in 1e-6..1e-3f64, each in 8.0..60.0f64) {
        let f: Vec<f64> = log_grid(0.01 / delay, 3.0 / delay, each).into_iter().collect();
        prop_assume!(f.windows(2).all(|f| TAU * (f[1] - f[0]) * delay < 3.0));
        let found = phase(f.iter().map(|f| Complex64::from_polar(1.0 / f, -TAU * f * delay)));
        for (f, phase) in f.iter().zip(&found) {
            prop_assert!((phase + TAU * f * delay).abs() < 1e-9, "{} at {}", phase, f);
        }
    }

    /// A sweep covers what it is asked for, in order, and no step between its points turns or changes much where they may be added.
    #[test]
    fn a_sweep_is_fine_where_it_bends(corner in 1.0..1e4f64, damping in 0.02..0.5f64, each in 3.0..30.0f64) {
        let (from, to) = (0.1 * corner, 10.0 * corner);
        let points = sweep(from, to, each, |f| Ok::<_, ()>(second_order(f, corner, damping))).unwrap();
        prop_assert!((points[0].0 / from - 1.0).abs() < 1e-12 && (points[points.len() - 1].0 / to - 1.0).abs() < 1e-12);
        prop_assert!(points.windows(2).all(|pair| pair[0].0 < pair[1].0));
        let turns = points.windows(2).map(|pair| (pair[1].1 / pair[0].1).arg().abs()).fold(0.0, f64::max);
        prop_assert!(turns < 0.16, "turns by {} at once", turns);
        let refused = sweep(from, to, each, |f| if f > corner { Err(f) } else { Ok(Complex64::ONE) }).unwrap_err();
        prop_assert!(refused > corner && refused <= to * (1.0 + 1e-12));
    }
}

/// A loop that never reaches a gain of one has no crossover and no margins.
/// A resonance that lifts a loop gain above one again gives it three crossovers; each is told, and the margin is that of the worst.
#[test]
fn a_loop_that_passes_one_again_says_how_often_and_where() {
    let (corner, peak) = (1e3, 2e4);
    let gain = |f: f64| {
        let x = s(f, peak);
        1.0 / s(f, corner) / (1.0 + 0.02 * x + x * x)
    };
    let found = looped(1e2, 1e6, gain).margins();
    let at: Vec<f64> = found.crossovers.iter().map(|c| c.frequency).collect();
    assert_eq!(at.len(), 3, "{found:?}");
    for crossover in &found.crossovers {
        let t = gain(crossover.frequency);
        assert!((t.norm() - 1.0).abs() < 0.05, "{crossover:?}: {}", t.norm());
        // The integrator gives −90°, the resonance none below it and −180° above.
        let wanted = if crossover.frequency < peak { 90.0 } else { -90.0 };
        assert!((crossover.phase_margin - wanted).abs() < 30.0, "{crossover:?}");
    }
    assert_eq!(found.crossover, Some(at[2]));
}

#[test]
fn a_weak_loop_has_no_margins() {
    let margins = looped(1.0, 1e6, |f| 0.5 / (1.0 + s(f, 1e3))).margins();
    assert_eq!(
        (margins.crossover, margins.phase_margin, margins.gain_margin, margins.damping),
        (None, None, None, None)
    );
    assert!((margins.closed_peak - 1.0 / 3.0).abs() < 1e-3, "{margins:?}");
}
