use super::OVERLAP;
use super::codec::decode;
use crate::store::{ChunkRow, Store, StoreError};
use circuit::{Circuit, Signal, SignalError};
use readings::{Recipe, Span, Survey, Waveform};
use recording::{Column, Piece};
use std::collections::BTreeMap;
use tokio::task::block_in_place;
use uuid::Uuid;

/// What a plot of a window draws: a polyline, ascending in time.
#[derive(Clone, Debug, Default, PartialEq)]
pub(crate) struct Points {
    pub(crate) t: Vec<f64>,
    pub(crate) y: Vec<f64>,
}

/// Why a trace cannot be read.
#[derive(Debug, thiserror::Error)]
pub(crate) enum TraceError {
    #[error(transparent)]
    Store(#[from] StoreError),
    #[error(transparent)]
    Signal(#[from] SignalError),
    #[error("stored trace data is damaged; run the study again")]
    Damaged,
}

/// The recorded traces of one run.
pub(crate) struct Traces<'a> {
    pub(crate) store: &'a Store,
    pub(crate) run: Uuid,
    pub(crate) circuit: &'a Circuit,
}

/// Levels above 0 are used where level 0 has more nodes per pixel than this.
const NODES_PER_PIXEL: i64 = 64;

/// Chunks read at once while passing over a run.
const CHUNKS_AT_ONCE: i32 = 16;

impl Traces<'_> {
    /// What a plot `width` pixels wide shows of a signal between two times: at most four points a
    /// pixel, and every peak.
    pub(crate) async fn window(&self, signal: &str, from: f64, to: f64, width: usize) -> Result<Points, TraceError> {
        let signal = Signal::parse(signal)?;
        let recipe = Recipe::new(self.circuit, &signal)?;
        let single = signal.terms.len() == 1 && !signal.terms[0].negative;
        if single {
            let levels = self.store.levels(self.run, from, to).await?;
            let nodes = levels.iter().find(|l| l.level == 0).map_or(0, |l| l.count);
            let reach = levels.iter().find(|l| l.level == 1).map(|l| l.to_time);
            // A short run has no levels above 0, a young one none yet.
            if let Some(reach) = reach.filter(|_| nodes > NODES_PER_PIXEL * width as i64) {
                // The coarsest level that still has a bucket per pixel and is as complete as
                // level 1; upper levels lag behind while a run goes on.
                let complete = levels.iter().filter(|l| l.level > 0 && l.to_time >= reach.min(to));
                let fit = complete.filter(|l| l.count >= width as i64).max_by_key(|l| l.level);
                let level = fit.map_or(1, |l| l.level);
                return self.envelope(&signal.to_string(), level, from, to, width).await;
            }
        }
        let (times, values) = self.nodes(&recipe, from, to).await?;
        Ok(block_in_place(|| thin(&times, &values, from, to, width)))
    }

    /// All nodes of the steps that touch a span.
    pub(crate) async fn nodes(&self, recipe: &Recipe, from: f64, to: f64) -> Result<(Vec<f64>, Vec<f64>), TraceError> {
        let keys = recipe.columns();
        let mut names: Vec<String> = keys.iter().map(|key| name(key)).collect();
        names.push(String::new());
        let rows = self.store.chunks(self.run, 0, &names, from, to).await?;
        block_in_place(|| {
            let mut columns = join_nodes(&rows)?;
            let times = columns.remove("").unwrap_or_default();
            let values = recipe.evaluate(times.len(), |key| columns.get(name(key).as_str()).map(Vec::as_slice));
            Ok((times, values))
        })
    }

    /// Passes over what is stored as often as a survey needs, a few chunks at a time; a chunk is a piece by itself.
    pub(crate) async fn survey(&self, survey: &mut Survey) -> Result<(), TraceError> {
        let columns = survey.columns();
        let mut names: Vec<String> = columns.iter().map(name).collect();
        names.push(String::new());
        loop {
            let mut after = -1;
            while let Some(Span { from, to }) = survey.needs() {
                let rows = self.store.chunks_after(self.run, &names, (from, to), after, CHUNKS_AT_ONCE).await?;
                let Some(last) = rows.last() else { break };
                after = last.seq;
                block_in_place(|| {
                    for piece in rows.chunk_by(|a, b| a.seq == b.seq) {
                        take(survey, piece, &columns)?;
                    }
                    Ok::<_, TraceError>(())
                })?;
            }
            if !survey.again() {
                return Ok(());
            }
        }
    }

    /// First and last time stored, s.
    pub(crate) async fn whole(&self) -> Result<Span, TraceError> {
        let spans = self.store.recorded_spans(&[self.run]).await?;
        let (from, to) = spans.get(&self.run).copied().unwrap_or_default();
        Ok(Span { from, to })
    }

    async fn envelope(&self, signal: &str, level: i16, from: f64, to: f64, width: usize) -> Result<Points, TraceError> {
        let names = [String::new(), signal.to_owned()];
        let rows = self.store.chunks(self.run, level, &names, from, to).await?;
        block_in_place(|| envelope(&rows, from, to, width))
    }
}

/// The name a column is stored under.
fn name(key: &Column) -> String {
    format!("{}.{}", key.of, key.quantity.letter())
}

/// Hands the rows of one chunk to a survey.
fn take(survey: &mut Survey, rows: &[ChunkRow], columns: &[Column]) -> Result<(), TraceError> {
    let values = |signal: &str| {
        let row = rows.iter().find(|row| row.signal == signal).ok_or(TraceError::Damaged)?;
        decode(&row.data, usize::try_from(row.count).unwrap_or(0)).ok_or(TraceError::Damaged)
    };
    let times = values("")?;
    let read = columns.iter().map(|column| values(&name(column))).collect::<Result<Vec<_>, _>>()?;
    survey.take(&Piece { times: &times, columns: read.iter().map(Vec::as_slice).collect() }, columns);
    Ok(())
}

/// Upright strokes from lowest to highest, one a pixel.
fn envelope(rows: &[ChunkRow], from: f64, to: f64, width: usize) -> Result<Points, TraceError> {
    let (mut starts, mut mins, mut maxs) = (Vec::new(), Vec::new(), Vec::new());
    for row in rows {
        let count = usize::try_from(row.count).unwrap_or(0);
        if row.signal.is_empty() {
            starts.extend(decode(&row.data, count).ok_or(TraceError::Damaged)?);
        } else {
            let both = decode(&row.data, 2 * count).ok_or(TraceError::Damaged)?;
            mins.extend_from_slice(&both[..count]);
            maxs.extend_from_slice(&both[count..]);
        }
    }
    if starts.len() != mins.len() {
        return Err(TraceError::Damaged);
    }
    let mut points = Points::default();
    let pixel = (to - from) / width as f64;
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
    }
    Ok(points)
}

/// Joins the chunks of each signal, dropping what consecutive ones repeat.
fn join_nodes(rows: &[ChunkRow]) -> Result<BTreeMap<&str, Vec<f64>>, TraceError> {
    let mut columns: BTreeMap<&str, Vec<f64>> = BTreeMap::new();
    for row in rows {
        let values = decode(&row.data, usize::try_from(row.count).unwrap_or(0)).ok_or(TraceError::Damaged)?;
        let column = columns.entry(&row.signal).or_default();
        let skip = if column.is_empty() {
            0
        } else {
            // The inner node a chunk ends with comes again with the next one.
            if column.len().is_multiple_of(2) {
                column.pop();
            }
            OVERLAP - 1
        };
        column.extend_from_slice(values.get(skip..).unwrap_or_default());
    }
    let lengths: std::collections::BTreeSet<usize> = columns.values().map(Vec::len).collect();
    if lengths.len() > 1 { Err(TraceError::Damaged) } else { Ok(columns) }
}

/// Reduces nodes to what a plot can show: first, lowest, highest and last of every pixel; or
/// points along the quadratics if there are fewer nodes than pixels.
fn thin(times: &[f64], values: &[f64], from: f64, to: f64, width: usize) -> Points {
    let first = times.partition_point(|t| *t < from).saturating_sub(2);
    let last = (times.partition_point(|t| *t <= to) + 2).min(times.len());
    let first = first / 2 * 2;
    let (times, values) = (&times[first..last], &values[first..last]);
    if times.len() < 3 {
        return Points { t: times.to_vec(), y: values.to_vec() };
    }
    if times.len() < width {
        return along(times, values, from, to, width);
    }
    if times.len() <= 4 * width {
        return Points { t: times.to_vec(), y: values.to_vec() };
    }
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
            }
        }
    }
    points
}

/// The nodes, and points along the quadratics between them, a pixel apart.
fn along(times: &[f64], values: &[f64], from: f64, to: f64, width: usize) -> Points {
    let wave = Waveform::new(times, values);
    let whole = wave.whole();
    let (from, to) = (from.max(whole.from), to.min(whole.to));
    let pixels = (0..=width).map(|k| from + (to - from) * k as f64 / width as f64);
    let mut t: Vec<f64> = times.iter().copied().filter(|t| *t <= whole.to).chain(pixels).collect();
    t.sort_by(f64::total_cmp);
    t.dedup();
    let y = t.iter().map(|t| wave.at(*t).unwrap_or(f64::NAN)).collect();
    Points { t, y }
}
