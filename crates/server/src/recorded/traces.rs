use crate::store::{Store, StoreError};
use circuit::expression::ExpressionError;
use circuit::{Circuit, Signal, SignalError};
use quantity::Unit;
use readings::{Derived, Recipe, Span, Survey};
use recording::{Chunk, Column, Piece};
use std::collections::BTreeMap;
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
    #[error("{0} was not recorded")]
    NotRecorded(String),
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
    /// What a plot `width` pixels wide shows of a signal or of a formula of signals between two times, and its unit: at
    /// most four points a pixel, and every peak.
    pub(crate) async fn window(
        &self,
        text: &str,
        from: f64,
        to: f64,
        width: usize,
    ) -> Result<(Points, Unit), TraceError> {
        match Signal::parse(text) {
            Ok(signal) => Ok((self.window_of(&signal, from, to, width).await?, signal.quantity().unit())),
            Err(_) => {
                let derived = Derived::parse(self.circuit, text)?;
                let (times, values) = self.derived(&derived, from, to).await?;
                Ok((block_in_place(|| thin(&times, &values, from, to, width)), derived.unit()))
            }
        }
    }

    /// Nodes of a formula, from what it reaches back to before a span to the span's end.
    pub(crate) async fn derived(
        &self,
        derived: &Derived,
        from: f64,
        to: f64,
    ) -> Result<(Vec<f64>, Vec<f64>), TraceError> {
        let start = derived.reaches_back(from).max(f64::MIN);
        let mut names = vec![String::new()];
        for key in derived.recipes().iter().flat_map(Recipe::columns) {
            if !names.contains(&name(key)) {
                names.push(name(key));
            }
        }
        let rows = self.store.chunks(self.run, 0, &names, start, to).await?;
        block_in_place(|| {
            let mut columns = join_nodes(&rows)?;
            let times = columns.remove("").unwrap_or_default();
            let needed: Vec<&Column> = derived.recipes().iter().flat_map(Recipe::columns).collect();
            recorded(&needed, &times, &columns)?;
            let column = |key: &Column| columns.get(name(key).as_str()).map(Vec::as_slice);
            let signals: Vec<_> = derived.recipes().iter().map(|r| r.evaluate(times.len(), column)).collect();
            let values = derived.evaluate(&times, &signals);
            Ok((times, values))
        })
    }

    async fn window_of(&self, signal: &Signal, from: f64, to: f64, width: usize) -> Result<Points, TraceError> {
        let recipe = Recipe::new(self.circuit, signal)?;
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
            recorded(&recipe.columns(), &times, &columns)?;
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
        if !rows.is_empty() && !rows.iter().any(|row| row.signal == signal) {
            return Err(TraceError::NotRecorded(signal.to_owned()));
        }
        Ok(block_in_place(|| envelope(&rows, from, to, width))?)
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
        Ok((rows[0].seq, Chunk { times, columns }))
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

/// Whether there is each column of what was recorded at all: of what was measured there is not.
fn recorded(needed: &[&Column], times: &[f64], columns: &BTreeMap<&str, Vec<f64>>) -> Result<(), TraceError> {
    let missing = needed.iter().find(|key| !times.is_empty() && !columns.contains_key(name(key).as_str()));
    missing.map_or(Ok(()), |key| Err(TraceError::NotRecorded(name(key))))
}

/// The name a column is stored under.
fn name(key: &Column) -> String {
    format!("{}.{}", key.of, key.quantity.letter())
}

/// Hands the rows of one chunk to a survey.
fn take(survey: &mut Survey, rows: &[Packed], columns: &[Column]) -> Result<(), TraceError> {
    let (times, read) = unpacked(rows, columns)?;
    survey.take(&Piece { times: &times, columns: read.iter().map(Vec::as_slice).collect() }, columns);
    Ok(())
}
