//! Bringing a measured course into line with a simulated one.

/// Points the shorter of two courses is compared at.
const POINTS: usize = 1500;
/// Part of the shorter course that has to lie over the other.
const OVERLAP: f64 = 0.3;
/// Points the neighbourhood of the best delay is searched at again.
const FINER: usize = 40;

/// Times, s, and values over them.
pub type Course<'a> = (&'a [f64], &'a [f64]);

/// What has to be added to the times of a course so that it crosses a level when another does: where either crosses it
/// first, rising or falling, along straight lines. None if one of them never does. Times in s.
pub fn by_crossing(measured: Course<'_>, simulated: Course<'_>, level: f64, falling: bool) -> Option<f64> {
    let sign = if falling { -1.0 } else { 1.0 };
    let first = |(times, values): Course<'_>| {
        let over = |k: usize| sign * (values[k] - level);
        let k = (1..times.len().min(values.len())).find(|k| over(k - 1) < 0.0 && over(*k) >= 0.0)?;
        Some(times[k - 1] + (times[k] - times[k - 1]) * over(k - 1) / (over(k - 1) - over(k)))
    };
    Some(first(simulated)? - first(measured)?)
}

/// What has to be added to the times of a course so that it is most like another, and how like it is then: the
/// correlation coefficient (Pearson) over what they have in common, 1 for the same shape. None if one of them does not
/// vary. Times in s.
pub fn by_correlation(measured: Course<'_>, simulated: Course<'_>) -> Option<(f64, f64)> {
    let length = |(times, _): Course<'_>| Some((*times.first()?, times.last()? - times.first()?));
    let ((from_a, long_a), (from_b, long_b)) = (length(measured)?, length(simulated)?);
    let shorter = long_a.min(long_b);
    if shorter.is_nan() || shorter <= 0.0 {
        return None;
    }
    let step = shorter / POINTS as f64;
    let even = |(times, values): Course<'_>, from: f64, step: f64, long: f64| {
        let count = (long / step).floor() as usize + 1;
        at_times(times, values, (0..count).map(|k| from + k as f64 * step))
    };
    let (a, b) = (even(measured, from_a, step, long_a), even(simulated, from_b, step, long_b));
    let least = (OVERLAP * POINTS as f64) as i64;
    let lags = least - a.len() as i64..=b.len() as i64 - least;
    let (lag, best) = lags.filter_map(|lag| Some((lag, likeness(&a, &b, lag)?))).max_by(|x, y| x.1.total_cmp(&y.1))?;
    // Between the points: the same again, nearer.
    let fine = |k: i64| {
        let shift = from_b - from_a + (lag as f64 + k as f64 / FINER as f64) * step;
        let moved: Vec<f64> = measured.0.iter().map(|t| t + shift).collect();
        let (from, to) = ((from_a + shift).max(from_b), (from_a + shift + long_a).min(from_b + long_b));
        let count = ((to - from) / step).floor() as usize + 1;
        let grid = || (0..count).map(|k| from + k as f64 * step);
        let (x, y) = (at_times(&moved, measured.1, grid()), at_times(simulated.0, simulated.1, grid()));
        Some((shift, likeness(&x, &y, 0)?))
    };
    let around = -(FINER as i64)..=FINER as i64;
    let (shift, finest) = around.filter_map(fine).max_by(|x, y| x.1.total_cmp(&y.1))?;
    Some((shift, finest.max(best)))
}

/// Values along straight lines at times in order; beyond the ends the nearest.
fn at_times(times: &[f64], values: &[f64], at: impl Iterator<Item = f64>) -> Vec<f64> {
    let mut k = 0;
    let value = |t: f64| {
        while k + 2 < times.len() && times[k + 1] <= t {
            k += 1;
        }
        let (Some(next), true) = (times.get(k + 1), values.len() > k + 1) else { return values[k] };
        let part = if *next > times[k] { ((t - times[k]) / (next - times[k])).clamp(0.0, 1.0) } else { 0.0 };
        values[k] + part * (values[k + 1] - values[k])
    };
    at.map(value).collect()
}

/// Correlation coefficient of `a` and `b` where `a` begins `lag` points behind `b`.
fn likeness(a: &[f64], b: &[f64], lag: i64) -> Option<f64> {
    let (from, to) = (lag.max(0), (lag + a.len() as i64).min(b.len() as i64));
    let (from, to) = (usize::try_from(from).ok()?, usize::try_from(to).ok()?);
    let b = b.get(from..to)?;
    let a = a.get(usize::try_from(from as i64 - lag).ok()?..usize::try_from(to as i64 - lag).ok()?)?;
    let n = a.len() as f64;
    let (mean_a, mean_b) = (a.iter().sum::<f64>() / n, b.iter().sum::<f64>() / n);
    let (mut aa, mut bb, mut ab) = (0.0, 0.0, 0.0);
    for (x, y) in a.iter().zip(b) {
        let (x, y) = (x - mean_a, y - mean_b);
        aa += x * x;
        bb += y * y;
        ab += x * y;
    }
    (aa > 0.0 && bb > 0.0).then(|| ab / (aa * bb).sqrt())
}
