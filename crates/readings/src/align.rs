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

/// How a course is brought into line with another by its shape.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct Likeness {
    /// What has to be added to its times, s.
    pub delay: f64,
    /// What is left over between the two then: RMS of their difference, means taken out, relative to the RMS of what they vary by.
    pub left_over: f64,
    /// The next best delay that stands by itself, s, and what is left over there; the nearer to the best, the less sure that is.
    pub next: Option<(f64, f64)>,
}

/// What has to be added to the times of a course so that least is left over between it and another where both are. Nothing is scaled:
/// a ring that dies away looks the same a period later but for its size. None if one of them does not vary. Times in s.
pub fn by_likeness(measured: Course<'_>, simulated: Course<'_>) -> Option<Likeness> {
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
    let lags: Vec<i64> = (least - a.len() as i64..=b.len() as i64 - least).collect();
    // Where nothing of the shorter course varies the two are alike as well.
    let varies = OVERLAP * if a.len() <= b.len() { variation(&a) } else { variation(&b) };
    let left: Vec<f64> = lags.iter().map(|lag| left_over(&a, &b, *lag, varies).unwrap_or(f64::INFINITY)).collect();
    let best = (0..left.len()).min_by(|x, y| left[*x].total_cmp(&left[*y])).filter(|best| left[*best].is_finite())?;
    let before = |k: usize| k.checked_sub(1).map_or(f64::INFINITY, |k| left[k]);
    let behind = |k: usize| left.get(k + 1).copied().unwrap_or(f64::INFINITY);
    let stands = |k: &usize| *k != best && left[*k].is_finite() && left[*k] <= before(*k) && left[*k] <= behind(*k);
    let next = (0..left.len()).filter(stands).min_by(|x, y| left[*x].total_cmp(&left[*y]));
    let shift = |lag: f64| from_b - from_a + lag * step;
    // Between the points: the same again, nearer.
    let fine = |k: i64| {
        let shift = shift(lags[best] as f64 + k as f64 / FINER as f64);
        let moved: Vec<f64> = measured.0.iter().map(|t| t + shift).collect();
        let (from, to) = ((from_a + shift).max(from_b), (from_a + shift + long_a).min(from_b + long_b));
        let count = ((to - from) / step).floor() as usize + 1;
        let grid = || (0..count).map(|k| from + k as f64 * step);
        let (x, y) = (at_times(&moved, measured.1, grid()), at_times(simulated.0, simulated.1, grid()));
        Some((shift, left_over(&x, &y, 0, 0.0)?))
    };
    let around = -(FINER as i64)..=FINER as i64;
    let (delay, finest) = around.filter_map(fine).min_by(|x, y| x.1.total_cmp(&y.1))?;
    let next = next.map(|next| (shift(lags[next] as f64), left[next]));
    Some(Likeness { delay, left_over: finest, next })
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

/// Sum of squares about the mean.
fn variation(of: &[f64]) -> f64 {
    let mean = of.iter().sum::<f64>() / of.len() as f64;
    of.iter().map(|x| (x - mean) * (x - mean)).sum()
}

/// What is left over between `a` and `b` where `a` begins `lag` points behind `b`, relative to what they vary by; none where either
/// varies by nothing, or both together by less than so much.
fn left_over(a: &[f64], b: &[f64], lag: i64, least: f64) -> Option<f64> {
    let (from, to) = (lag.max(0), (lag + a.len() as i64).min(b.len() as i64));
    let (from, to) = (usize::try_from(from).ok()?, usize::try_from(to).ok()?);
    let b = b.get(from..to)?;
    let a = a.get(usize::try_from(from as i64 - lag).ok()?..usize::try_from(to as i64 - lag).ok()?)?;
    let difference: Vec<f64> = a.iter().zip(b).map(|(x, y)| x - y).collect();
    let (aa, bb, off) = (variation(a), variation(b), variation(&difference));
    let varies = 0.5 * (aa + bb);
    (aa > 0.0 && bb > 0.0 && varies >= least).then(|| (off / varies).sqrt())
}
