use crate::store::{Store, StoreError};
use circuit::expression::ExpressionError;
use circuit::{Circuit, Quantity, Signal, SignalError};
use quantity::Unit;
use readings::{Derived, MeasureError, Recipe, Span, Survey, Waveform};
use recording::{Chunk, Column, Piece, unrolled};
use std::ops::ControlFlow;
use tokio::task::block_in_place;
use traces::{Damaged, Packed, Points, envelope, join_nodes, thin};
use uuid::Uuid;

/// Why a trace cannot be read.
#[derive(Debug, thiserror::Error)]
pub(crate) enum TraceError {
    #[error(transparent)]
    Store(#[from] StoreError),
    #[error(transparent)]
    Signal(#[from] SignalError),
    #[error(transparent)]
    Formula(#[from] ExpressionError),
    #[error(transparent)]
    Damaged(#[from] Damaged),
    #[error(transparent)]
    Measure(#[from] MeasureError),
    #[error("{0} was not recorded")]
    NotRecorded(String),
}

/// What can be drawn of a run: a signal, or a formula of signals.
#[derive(Clone, Debug)]
pub(crate) enum Drawable {
    Signal(Recipe, Quantity),
    Formula(Derived),
}

impl Drawable {
    /// Reads it by the names of a circuit.
    pub(crate) fn read(circuit: &Circuit, text: &str) -> Result<Self, TraceError> {
        match Signal::parse(text) {
            Ok(signal) => Ok(Drawable::Signal(Recipe::new(circuit, &signal)?, signal.quantity())),
            Err(_) => Ok(Drawable::Formula(Derived::parse(circuit, text)?)),
        }
    }

    pub(crate) fn unit(&self) -> Unit {
        match self {
            Drawable::Signal(_, quantity) => quantity.unit(),
            Drawable::Formula(formula) => formula.unit(),
        }
    }

    fn recipes(&self) -> &[Recipe] {
        match self {
            Drawable::Signal(recipe, _) => std::slice::from_ref(recipe),
            Drawable::Formula(formula) => formula.recipes(),
        }
    }

    fn reaches_back(&self, from: f64) -> f64 {
        match self {
            Drawable::Signal(..) => from,
            Drawable::Formula(formula) => formula.reaches_back(from).max(f64::MIN),
        }
    }

    fn evaluate(&self, times: &[f64], columns: &[Column], values: &[Vec<f64>]) -> Vec<f64> {
        let column = |key: &Column| columns.iter().position(|c| c == key).map(|k| values[k].as_slice());
        let mut signals: Vec<_> = self.recipes().iter().map(|r| r.evaluate(times.len(), column)).collect();
        match self {
            Drawable::Signal(..) => signals.swap_remove(0),
            Drawable::Formula(formula) => formula.evaluate(times, &signals),
        }
    }
}

/// The recorded traces of one run.
pub(crate) struct Traces<'a> {
    pub(crate) store: &'a Store,
    pub(crate) run: Uuid,
    pub(crate) circuit: &'a Circuit,
}

/// Levels above 0 are used where level 0 has more nodes per pixel than this.
const NODES_PER_PIXEL: f64 = 64.0;

/// Chunks read at once while passing over a run.
const CHUNKS_AT_ONCE: i32 = 16;

impl Traces<'_> {
    /// What a plot `width` pixels wide shows of signals, or of formulas of them, between two times, each with its unit: at
    /// most four points a pixel, and every peak. One that cannot be read says why, and keeps no other from being drawn.
    pub(crate) async fn windows(
        &self,
        texts: &[String],
        (from, to): (f64, f64),
        width: usize,
    ) -> Result<Vec<Result<(Points, Unit), TraceError>>, TraceError> {
        let level = self.level_for(from, to, width).await?;
        // Levels above 0 hold single signals, all of them read at once; so are the columns of what needs nodes.
        let stored = |text: &String| level.and(stored_name(self.circuit, text));
        let names: Vec<String> = texts.iter().filter_map(stored).chain([String::new()]).collect();
        let rows = match level {
            Some(level) if names.len() > 1 => self.store.chunks(self.run, level, &names, from, to).await?,
            _ => Vec::new(),
        };
        let read = |text: &String| Drawable::read(self.circuit, text);
        let nodes: Vec<Drawable> = texts.iter().filter(|t| stored(t).is_none()).filter_map(|t| read(t).ok()).collect();
        let plain: Vec<Drawable> = nodes.into_iter().filter(|d| d.reaches_back(from) >= from).collect();
        let columns = columns_of(&plain);
        // Of what was measured there is not every column; then each is read by itself, and says what is missing.
        let pixel = (to - from) / width as f64;
        let joined = if columns.is_empty() { None } else { self.joined(&columns, from, to, pixel).await.ok() };
        let mut drawn = Vec::new();
        for text in texts {
            let one = async {
                if let Some(name) = stored(text) {
                    let own = |row: &&Packed| row.signal.is_empty() || row.signal == name;
                    let own: Vec<Packed> = rows.iter().filter(own).cloned().collect();
                    if !own.is_empty() && !own.iter().any(|row| row.signal == name) {
                        return Err(TraceError::NotRecorded(name));
                    }
                    let unit = read(text)?.unit();
                    return Ok((block_in_place(|| envelope(&own, from, to, width))?, unit));
                }
                let drawable = read(text)?;
                let points = match &joined {
                    Some((times, values)) if drawable.reaches_back(from) >= from => {
                        block_in_place(|| thin(times, &drawable.evaluate(times, &columns, values), from, to, width))
                    }
                    _ => {
                        let (times, values) = self.values(&drawable, from, to).await?;
                        block_in_place(|| thin(&times, &values, from, to, width))
                    }
                };
                Ok((points, drawable.unit()))
            };
            drawn.push(one.await);
        }
        Ok(drawn)
    }

    /// The level above 0 that has enough for a plot, if nodes would be too many.
    async fn level_for(&self, from: f64, to: f64, width: usize) -> Result<Option<i16>, TraceError> {
        let levels = self.store.levels(self.run, from, to).await?;
        let nodes = levels.iter().find(|l| l.level == 0).map_or(0.0, |l| l.within());
        let reach = levels.iter().find(|l| l.level == 1).map(|l| l.to_time);
        // A short run has no levels above 0, a young one none yet.
        Ok(reach.filter(|_| nodes > NODES_PER_PIXEL * width as f64).map(|reach| {
            // The coarsest level that still has a bucket per pixel and is as complete as level 1; upper levels lag behind
            // while a run goes on.
            let pixel = (to - from) / width as f64;
            let complete = levels.iter().filter(|l| l.level > 0 && l.to_time >= reach.min(to));
            complete.filter(|l| l.has_one_per(pixel, to - from)).map(|l| l.level).max().unwrap_or(1)
        }))
    }

    /// All nodes of the steps that touch a span, from what a formula reaches back to before it.
    pub(crate) async fn values(
        &self,
        drawable: &Drawable,
        from: f64,
        to: f64,
    ) -> Result<(Vec<f64>, Vec<f64>), TraceError> {
        let columns = columns_of(std::slice::from_ref(drawable));
        let (times, values) = self.joined(&columns, drawable.reaches_back(from), to, 0.0).await?;
        let drawn = block_in_place(|| drawable.evaluate(&times, &columns, &values));
        Ok((times, drawn))
    }

    /// Whole columns between two times, and the times; of what comes again no more than one in so many seconds.
    async fn joined(
        &self,
        columns: &[Column],
        from: f64,
        to: f64,
        apart: f64,
    ) -> Result<(Vec<f64>, Vec<Vec<f64>>), TraceError> {
        let names: Vec<String> = columns.iter().map(name).chain([String::new()]).collect();
        let rows = self.store.chunks(self.run, 0, &names, from, to).await?;
        block_in_place(|| {
            let mut joined = join_nodes(&rows, (from, to), apart)?;
            let times = joined.remove("").unwrap_or_default();
            let values = columns.iter().map(|column| {
                let found = joined.remove(name(column).as_str());
                // Of what was measured there is not every column.
                found.or(times.is_empty().then(Vec::new)).ok_or_else(|| TraceError::NotRecorded(name(column)))
            });
            let values = values.collect::<Result<_, _>>()?;
            Ok((times, values))
        })
    }

    /// Passes over the steps that touch a span, some thousand nodes at a time, until `take` wants no more of them. It is
    /// handed times and the values of each; what reaches back comes in one piece, which may begin before the span.
    pub(crate) async fn pass(
        &self,
        drawables: &[Drawable],
        span: Span,
        mut take: impl FnMut(&[f64], &[Vec<f64>]) -> ControlFlow<()>,
    ) -> Result<(), TraceError> {
        let columns = columns_of(drawables);
        let evaluated = |times: &[f64], values: &[Vec<f64>]| -> Vec<Vec<f64>> {
            drawables.iter().map(|d| d.evaluate(times, &columns, values)).collect()
        };
        let start = drawables.iter().map(|d| d.reaches_back(span.from)).fold(span.from, f64::min);
        if start < span.from {
            let (times, values) = self.joined(&columns, start, span.to, 0.0).await?;
            let _ = block_in_place(|| take(&times, &evaluated(&times, &values)));
            return Ok(());
        }
        let names: Vec<String> = columns.iter().map(name).chain([String::new()]).collect();
        let mut after = -1;
        loop {
            let rows = self.store.chunks_after(self.run, &names, (span.from, span.to), after, CHUNKS_AT_ONCE).await?;
            let Some(last) = rows.last() else { return Ok(()) };
            after = last.seq;
            let going = block_in_place(|| {
                for rows in rows.chunk_by(|a, b| a.seq == b.seq) {
                    let (times, read) = unpacked(rows, &columns)?;
                    let wanted = unrolled(&folded(rows, &times, &read), (span.from, span.to), &mut |piece| {
                        let values: Vec<Vec<f64>> = piece.columns.iter().map(|c| c.to_vec()).collect();
                        take(piece.times, &evaluated(piece.times, &values))
                    });
                    if wanted.is_break() {
                        return Ok(false);
                    }
                }
                Ok::<_, TraceError>(true)
            })?;
            if !going {
                return Ok(());
            }
        }
    }

    /// Values of each signal at instants, ascending, by the polynomials that were recorded; no number where the run does
    /// not reach.
    pub(crate) async fn at_instants(
        &self,
        drawables: &[Drawable],
        span: Span,
        times: &[f64],
    ) -> Result<Vec<Vec<f64>>, TraceError> {
        let mut values = vec![vec![f64::NAN; times.len()]; drawables.len()];
        let sampled = |at: &[f64], of: &[Vec<f64>]| {
            let whole = Waveform::new(at, at).whole();
            let within = times.partition_point(|t| *t < whole.from)..times.partition_point(|t| *t <= whole.to);
            for (values, of) in values.iter_mut().zip(of) {
                let wave = Waveform::new(at, of);
                within.clone().for_each(|k| values[k] = wave.at(times[k]).unwrap_or(f64::NAN));
            }
            ControlFlow::Continue(())
        };
        self.pass(drawables, span, sampled).await?;
        Ok(values)
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
                    for rows in rows.chunk_by(|a, b| a.seq == b.seq) {
                        let (times, read) = unpacked(rows, &columns)?;
                        survey.take(&folded(rows, &times, &read), &columns);
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

    /// A span cut to what was recorded.
    pub(crate) async fn within(&self, from: f64, to: f64) -> Result<Span, TraceError> {
        let whole = self.whole().await?;
        Ok(whole.part_of(Span { from, to }, whole.to <= whole.from || from.is_nan() || to.is_nan())?)
    }
}

/// The next pieces of a run behind a number, a few at a time, each with its number and all columns.
pub(crate) async fn whole_pieces(
    store: &Store,
    run: Uuid,
    columns: &[Column],
    after: i32,
) -> Result<Vec<(i32, Chunk)>, TraceError> {
    let names: Vec<String> = columns.iter().map(name).chain([String::new()]).collect();
    let rows = store.chunks_after(run, &names, (f64::MIN, f64::MAX), after, CHUNKS_AT_ONCE).await?;
    let piece = |rows: &[Packed]| {
        let (times, columns) = unpacked(rows, columns)?;
        Ok((rows[0].seq, Chunk { again: rows[0].again.unsigned_abs(), ..Chunk::new(times, columns) }))
    };
    rows.chunk_by(|a, b| a.seq == b.seq).map(piece).collect()
}

/// Times and columns out of the rows of one chunk.
fn unpacked(rows: &[Packed], columns: &[Column]) -> Result<(Vec<f64>, Vec<Vec<f64>>), TraceError> {
    let found = |signal: &str| rows.iter().find(|row| row.signal == signal);
    let times = found("").ok_or(Damaged)?.values()?;
    let read = |column: &Column| {
        let name = name(column);
        let row = found(&name).ok_or(TraceError::NotRecorded(name.clone()))?;
        Ok::<_, TraceError>(row.values()?)
    };
    Ok((times, columns.iter().map(read).collect::<Result<_, _>>()?))
}

/// The name under which levels above 0 hold a single signal of a circuit; none for anything else.
fn stored_name(circuit: &Circuit, text: &str) -> Option<String> {
    let signal = Signal::parse(text).ok()?;
    let single = signal.terms.len() == 1 && !signal.terms[0].negative && Recipe::new(circuit, &signal).is_ok();
    single.then(|| signal.to_string())
}

/// The columns several are made of, each once.
fn columns_of(drawables: &[Drawable]) -> Vec<Column> {
    let mut columns: Vec<Column> = Vec::new();
    for column in drawables.iter().flat_map(Drawable::recipes).flat_map(Recipe::columns) {
        if !columns.contains(column) {
            columns.push(column.clone());
        }
    }
    columns
}

/// The name a column is stored under.
fn name(key: &Column) -> String {
    format!("{}.{}", key.of, key.quantity.letter())
}

/// The piece that the rows of one chunk hold, with how often it comes.
fn folded<'a>(rows: &[Packed], times: &'a [f64], columns: &'a [Vec<f64>]) -> Piece<'a> {
    Piece { times, columns: columns.iter().map(Vec::as_slice).collect(), again: rows[0].again.unsigned_abs() }
}
