//! Courses are brought into line by what was put between them, whatever their sampling, noise and scale.

use mellow_readings::align::{by_crossing, by_likeness};
use proptest::prelude::*;

/// Mains through a bridge into a reservoir, about: starts at zero and ripples.
fn bus(t: f64) -> f64 {
    if t < 0.0 { 0.0 } else { 12.0 * (1.0 - (-t / 8e-3).exp()) + 0.6 * (2.0 * std::f64::consts::PI * 100.0 * t).sin() }
}

/// Numbers in [−1, 1) that look random (SplitMix64).
fn noise(seed: u64) -> f64 {
    let mut z = seed.wrapping_mul(0x9e37_79b9_7f4a_7c15).wrapping_add(0x1234_5678);
    z = (z ^ (z >> 30)).wrapping_mul(0xbf58_476d_1ce4_e5b9);
    z = (z ^ (z >> 27)).wrapping_mul(0x94d0_49bb_1331_11eb);
    ((z ^ (z >> 31)) >> 11) as f64 / (1u64 << 52) as f64 - 1.0
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(48))]
    #[test]
    fn the_delay_put_in_is_found(delay in -0.02..0.02f64, rate in 5e3..5e4f64, gain in 0.98..1.02f64, hiss in 0.0..0.05f64, from in 0.0..0.02f64) {
        // Simulated at uneven times, measured at even ones by a clock that is off.
        let mut t = 0.0;
        let simulated: Vec<f64> = (0..4000).map(|k| { t += 2e-5 * (1.2 + noise(k)); t }).collect();
        let course: Vec<f64> = simulated.iter().map(|t| bus(*t)).collect();
        let count = (0.05 * rate) as u64;
        let true_times: Vec<f64> = (0..count).map(|k| from + k as f64 / rate).collect();
        let measured: Vec<f64> = true_times.iter().zip(0..).map(|(t, k)| gain * bus(*t) + gain * hiss * noise(7 * k + 1)).collect();
        let clock: Vec<f64> = true_times.iter().map(|t| t - delay).collect();
        let found = by_likeness((&clock, &measured), (&simulated, &course)).unwrap();
        prop_assert!((found.delay - delay).abs() < 2e-4, "{:?} for {}", found, delay);
        prop_assert!(found.left_over < 0.3, "{:?}", found);
        if from < 1e-4 && hiss < 1e-3 {
            let (level, scaled) = (3.0, measured.iter().map(|v| v / gain).collect::<Vec<_>>());
            let found = by_crossing((&clock, &scaled), (&simulated, &course), level, false).unwrap();
            prop_assert!((found - delay).abs() < 1e-4, "{} for {}", found, delay);
        }
    }
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(48))]

    /// A ring that dies away looks the same a period later but for its size: that it is the right period is told by its size, and
    /// how sure that is by how slowly it dies away.
    #[test]
    fn a_ring_is_found_in_its_own_period(delay in -3e-3..3e-3f64, period in 1e-3..4e-3f64, decay in 2e-3..30e-3f64, hiss in 0.0..0.01f64) {
        let ring = |t: f64| (-t / decay).exp() * (2.0 * std::f64::consts::PI * t / period).cos();
        let times = |from: f64, count: u32| (0..count).map(|k| from + 1e-5 * f64::from(k)).collect::<Vec<_>>();
        let (simulated, clock) = (times(0.0, 2000), times(4e-3 - delay, 1200));
        let course: Vec<f64> = simulated.iter().map(|t| ring(*t)).collect();
        let measured: Vec<f64> = clock.iter().zip(0..).map(|(t, k)| ring(t + delay) * (1.0 + hiss * noise(k))).collect();
        let found = by_likeness((&clock, &measured), (&simulated, &course)).unwrap();
        prop_assert!((found.delay - delay).abs() < 0.02 * period, "{:?} for {}", found, delay);
        // Half a period on it leaves as much as it loses in a period: 1 − e^(−T/τ), about.
        let (_, next) = found.next.unwrap();
        prop_assert!(next > 0.3 * (1.0 - (-period / decay).exp()), "{:?}", found);
    }
}

#[test]
fn crossings_are_told_apart_by_their_way() {
    let times: Vec<f64> = (0..400).map(|k| 1e-4 * f64::from(k)).collect();
    let wave = |shift: f64| times.iter().map(|t| (314.16 * (t - shift)).sin()).collect::<Vec<_>>();
    let (a, b) = (wave(1e-3), wave(4e-3));
    for falling in [false, true] {
        let found = by_crossing((&times, &a), (&times, &b), 0.5, falling).unwrap();
        assert!((found - 3e-3).abs() < 2e-5, "{falling}: {found}");
    }
    assert_eq!(by_crossing((&times, &a), (&times, &b), 2.0, false), None);
}

#[test]
fn what_does_not_vary_is_like_nothing() {
    let times = [0.0, 1.0, 2.0];
    assert_eq!(by_likeness((&times, &[1.0; 3]), (&times, &[0.0, 1.0, 0.0])), None);
    assert_eq!(by_likeness((&[], &[]), (&times, &[0.0, 1.0, 0.0])), None);
    assert_eq!(by_likeness((&[1.0], &[1.0]), (&times, &[0.0, 1.0, 0.0])), None);
}
