use crate::packed::{Damaged, Packed};
use readings::Waveform;
use recording::{end_of_step, step_at};

/// What a plot of a window draws: a polyline, ascending in time.
#[derive(Clone, Debug, Default, PartialEq)]
pub struct Points {
    /// Times, s.
    pub t: Vec<f64>,
    /// Values.
    pub y: Vec<f64>,
    /// Whether the engine computed the instant; the others lie on what it computed, or are extremes of many.
    pub node: Vec<bool>,
}

impl Points {
    fn nodes(t: &[f64], y: &[f64]) -> Self {
        Points { t: t.to_vec(), y: y.to_vec(), node: vec![true; t.len()] }
    }
}

/// Upright strokes from lowest to highest, one a pixel, from buckets of extremes: for each the times at which they begin,
/// and the lowest and highest values.
///
/// # Errors
/// [`Damaged`] if a chunk is, or if times and values are not as many.
pub fn envelope(buckets: &[Packed], from: f64, to: f64, width: usize) -> Result<Points, Damaged> {
    let pixel = (to - from) / width as f64;
    let (times, values): (Vec<&Packed>, Vec<&Packed>) = buckets.iter().partition(|chunk| chunk.signal.is_empty());
    if times.len() != values.len() {
        return Err(Damaged);
    }
    let (mut starts, mut mins, mut maxs) = (Vec::new(), Vec::new(), Vec::new());
    for (times, values) in times.into_iter().zip(values) {
        let (begin, (lowest, highest)) = (times.values()?, values.bounds()?);
        if begin.len() != lowest.len() || begin.is_empty() {
            return Err(Damaged);
        }
        if times.again == 0 {
            starts.extend(begin);
            mins.extend(lowest);
            maxs.extend(highest);
            continue;
        }
        if times.period() > pixel {
            for (_, begins) in times.begins((from, to), 0.0) {
                starts.extend(begin.iter().map(|t| begins + (t - begin[0])));
                mins.extend_from_slice(&lowest);
                maxs.extend_from_slice(&highest);
            }
            continue;
        }
        // Every pixel holds all of what comes again.
        let least = lowest.iter().copied().fold(f64::INFINITY, f64::min);
        let most = highest.iter().copied().fold(f64::NEG_INFINITY, f64::max);
        let (begins, ends) = (times.from.max(from), times.to.min(to));
        let place = |t: f64| ((t - from) / pixel).floor() as usize;
        for column in place(begins)..=place(ends).min(width - 1) {
            starts.push((from + (column as f64 + 0.5) * pixel).clamp(begins, ends));
            mins.push(least);
            maxs.push(most);
        }
    }
    let mut points = Points::default();
    let mut i = starts.partition_point(|t| *t < from).saturating_sub(1);
    while i < starts.len() && starts[i] <= to {
        // One upright stroke per pixel.
        let column_ends = from + (((starts[i] - from) / pixel).floor() + 1.0) * pixel;
        let (first, mut min, mut max) = (i, f64::INFINITY, f64::NEG_INFINITY);
        while i < starts.len() && (i == first || starts[i] < column_ends) {
            min = min.min(mins[i]);
            max = max.max(maxs[i]);
            i += 1;
        }
        // Strokes alternate in direction where that keeps the line between them short.
        let rising = points.y.last().is_none_or(|last| (last - min).abs() <= (last - max).abs());
        points.t.extend([starts[first], starts[first]]);
        points.y.extend(if rising { [min, max] } else { [max, min] });
        points.node.extend([false; 2]);
    }
    Ok(points)
}

/// Reduces nodes to what a plot can show: first, lowest, highest and last of every pixel; or
/// points along the polynomials if there are fewer nodes than pixels. Where the course turns between nodes is as good as a node.
pub fn thin(times: &[f64], values: &[f64], from: f64, to: f64, width: usize) -> Points {
    if times.first().is_none_or(|first| *first > to) || times.last().is_none_or(|last| *last < from) {
        return Points::default();
    }
    let (first, last) = (step_at(times, from), end_of_step(times, step_at(times, to)));
    let within = first..(last + 1).min(times.len());
    let (times, values) = (&times[within.clone()], &values[within]);
    if times.len() < 3 {
        return Points::nodes(times, values);
    }
    if times.len() < width {
        return along(times, values, from, to, width);
    }
    let all = with_turns(times, values);
    if times.len() <= 4 * width {
        return all;
    }
    let Points { t: times, y: values, node } = all;
    let pixel = (to - from) / width as f64;
    let mut points = Points::default();
    let mut i = 0;
    while i < times.len() {
        let column_ends = from + (((times[i] - from) / pixel).floor() + 1.0) * pixel;
        let start = i;
        while i < times.len() && (i == start || times[i] < column_ends) {
            i += 1;
        }
        let column = start..i;
        let lowest = column.clone().min_by(|a, b| values[*a].total_cmp(&values[*b])).unwrap_or(start);
        let highest = column.max_by(|a, b| values[*a].total_cmp(&values[*b])).unwrap_or(start);
        let mut kept = [start, lowest, highest, i - 1];
        kept.sort_unstable();
        for (k, index) in kept.into_iter().enumerate() {
            if k == 0 || index != kept[k - 1] {
                points.t.push(times[index]);
                points.y.push(values[index]);
                points.node.push(node[index]);
            }
        }
    }
    points
}

/// The nodes, and where the course turns between them.
fn with_turns(times: &[f64], values: &[f64]) -> Points {
    let mut points = Points::default();
    let mut turns = Waveform::new(times, values).turns().peekable();
    for (node, (t, y)) in times.iter().zip(values).enumerate() {
        while let Some((_, t, y)) = turns.next_if(|(behind, ..)| *behind <= node) {
            points.t.push(t);
            points.y.push(y);
            points.node.push(false);
        }
        points.t.push(*t);
        points.y.push(*y);
        points.node.push(true);
    }
    points
}

/// The nodes, and points along the polynomials between them: a pixel apart, and where the course turns.
fn along(times: &[f64], values: &[f64], from: f64, to: f64, width: usize) -> Points {
    let wave = Waveform::new(times, values);
    let whole = wave.whole();
    let (from, to) = (from.max(whole.from), to.min(whole.to));
    let pixels = (0..=width).map(|k| from + (to - from) * k as f64 / width as f64);
    let nodes = times.iter().copied().filter(|t| *t <= whole.to);
    let others = pixels.chain(wave.turns().map(|(_, t, _)| t));
    let mut t: Vec<(f64, bool)> = nodes.map(|t| (t, true)).chain(others.map(|t| (t, false))).collect();
    t.sort_by(|a, b| a.0.total_cmp(&b.0).then(b.1.cmp(&a.1)));
    t.dedup_by_key(|(t, _)| *t);
    let y = t.iter().map(|(t, _)| wave.at(*t).unwrap_or(f64::NAN)).collect();
    let (t, node) = t.into_iter().unzip();
    Points { t, y, node }
}
