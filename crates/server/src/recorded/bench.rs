//! What was measured on the bench, made into a recording like those of runs.

use super::Spool;
use crate::store::{NewMeasured, Result, RunRow, Store};
use circuit::{Circuit, Signal, Supply};
use formats::Sheet;
use readings::{Recipe, align};
use recording::{Chunk, Column, STAGE};
use schemars::JsonSchema;
use serde::{Deserialize, Serialize};
use traces::{Packed, TraceBuilder};
use uuid::Uuid;

/// Why what was measured cannot be taken, in words.
#[derive(Debug, thiserror::Error)]
#[error("{0}")]
pub(crate) struct Untaken(String);

impl Untaken {
    fn new(message: impl ToString) -> Self {
        Untaken(message.to_string())
    }
}

/// A column of the file and the signal it was measured at.
#[derive(Clone, Debug, Serialize, Deserialize, JsonSchema)]
pub(crate) struct Channel {
    /// The column, counted from 0.
    pub(crate) column: usize,
    /// A net's voltage or a part's current: `bus.v`, `D1.i`.
    pub(crate) signal: String,
    /// What its values are multiplied by, such as 10 for a probe.
    pub(crate) scale: f64,
}

/// What is kept of where a recording came from.
#[derive(Clone, Debug, Serialize, Deserialize, JsonSchema)]
pub(crate) struct Measured {
    /// What it is called.
    pub(crate) title: String,
    /// The file.
    pub(crate) file: String,
    /// What was measured.
    pub(crate) channels: Vec<Channel>,
    /// What was added to its times, s.
    pub(crate) delay: f64,
    /// How that was found, in words.
    pub(crate) aligned: String,
}

impl Measured {
    /// What is kept of a run that was measured; none of one that was computed.
    pub(crate) fn of(row: &RunRow) -> Option<Self> {
        serde_json::from_value(row.measured.clone()?).ok()
    }

    /// The columns that were recorded.
    pub(crate) fn columns(&self, circuit: &Circuit) -> Vec<Column> {
        self.channels.iter().filter_map(|channel| column_of(circuit, &channel.signal).ok()).collect()
    }
}

/// The column that is a signal by itself: a net's voltage, or a part's current.
fn column_of(circuit: &Circuit, text: &str) -> std::result::Result<Column, Untaken> {
    let signal = Signal::parse(text).map_err(|error| Untaken::new(error.to_string()))?;
    let recipe = Recipe::new(circuit, &signal).map_err(|error| Untaken::new(error.to_string()))?;
    let alone = match recipe.columns()[..] {
        [column] => Some(column.clone()),
        _ => None,
    };
    let one = [1.0];
    let alone = alone.filter(|_| recipe.evaluate(1, |_| Some(&one[..])) == [1.0]);
    alone.ok_or_else(|| {
        Untaken::new(format!(
            "{text} cannot be measured by one channel; choose a net's voltage against gnd, such as bus.v, or a part's \
             current, such as D1.i"
        ))
    })
}

/// What was measured, in SI units.
pub(crate) struct Bench {
    times: Vec<f64>,
    /// The signals as they were asked for.
    signals: Vec<String>,
    columns: Vec<Column>,
    values: Vec<Vec<f64>>,
}

/// A recording ready to be stored.
pub(crate) struct Packing {
    chunks: Vec<Packed>,
    nodes: i64,
    outcome: studies::Outcome,
    /// Last time of it, s.
    end: f64,
}

/// Most nodes of a piece that is packed at once.
const PIECE: usize = 4096;

impl Bench {
    pub(crate) fn new(
        circuit: &Circuit,
        sheet: &Sheet,
        time: usize,
        time_scale: f64,
        channels: &[Channel],
    ) -> std::result::Result<Self, Untaken> {
        let column = |at: usize| {
            let count = sheet.columns.len();
            sheet.columns.get(at).ok_or_else(|| Untaken::new(format!("the file has {count} columns, not {}", at + 1)))
        };
        if channels.is_empty() {
            return Err(Untaken::new("say of at least one column at which signal it was measured"));
        }
        if !(time_scale > 0.0 && time_scale.is_finite()) {
            return Err(Untaken::new("the times are to be multiplied by a number above zero"));
        }
        let clock = column(time)?;
        let line = |k: usize| sheet.first_line + k;
        let times: Vec<f64> = clock.values.iter().map(|t| t * time_scale).collect();
        if times.len() < 2 {
            return Err(Untaken::new("the file has fewer than two rows of values"));
        }
        if let Some(k) = (0..times.len()).find(|k| !times[*k].is_finite() || *k > 0 && times[*k] <= times[k - 1]) {
            let message = format!("line {}: the time in column “{}” does not grow", line(k), clock.name);
            return Err(Untaken::new(message));
        }
        let mut bench = Bench { times, signals: Vec::new(), columns: Vec::new(), values: Vec::new() };
        for channel in channels {
            let from = column(channel.column)?;
            if let Some(k) = from.values.iter().position(|v| !v.is_finite()) {
                return Err(Untaken::new(format!("line {}: column “{}” has no value", line(k), from.name)));
            }
            if !channel.scale.is_finite() || channel.scale == 0.0 {
                return Err(Untaken::new(format!(
                    "column “{}” is to be multiplied by a number other than zero",
                    from.name
                )));
            }
            let of = column_of(circuit, &channel.signal)?;
            if bench.columns.contains(&of) {
                return Err(Untaken::new(format!("two columns are said to be {}; choose one of them", channel.signal)));
            }
            bench.columns.push(of);
            bench.signals.push(channel.signal.clone());
            let values: Vec<f64> = from.values.iter().map(|v| v * channel.scale).collect();
            if let Some(k) = values.iter().position(|v| !v.is_finite()) {
                let message = format!(
                    "line {}: column “{}” multiplied by {} is no number any more; choose another scale",
                    line(k),
                    from.name,
                    channel.scale
                );
                return Err(Untaken::new(message));
            }
            bench.values.push(values);
        }
        Ok(bench)
    }

    /// Nodes as a run records them, straight from sample to sample: each step with its inner node.
    fn chunks(&self) -> Vec<Chunk> {
        let between = |values: &[f64], k: usize| values[k] + STAGE * (values[k + 1] - values[k]);
        let nodes = |values: &[f64]| {
            let rest = (0..values.len() - 1).flat_map(|k| [between(values, k), values[k + 1]]);
            std::iter::once(values[0]).chain(rest).collect::<Vec<f64>>()
        };
        let times = nodes(&self.times);
        let columns: Vec<Vec<f64>> = self.values.iter().map(|values| nodes(values)).collect();
        let starts = (0..times.len()).step_by(PIECE);
        let piece = |from: usize| {
            let cut = |values: &[f64]| values[from..(from + PIECE).min(values.len())].to_vec();
            Chunk::new(cut(&times), columns.iter().map(|c| cut(c)).collect())
        };
        starts.map(piece).collect()
    }

    /// Packed as runs are, and judged.
    pub(crate) fn packed(&self, circuit: &Circuit, study: &str) -> std::result::Result<Packing, Untaken> {
        let (mut builder, mut spool) = (TraceBuilder::new(circuit, &self.columns), Spool::default());
        let mut packed = Vec::new();
        for chunk in self.chunks() {
            spool.push(&chunk);
            packed.extend(builder.push(&chunk));
        }
        packed.extend(builder.finish());
        let outcome = studies::measured(circuit, study, &self.columns, &spool);
        let outcome = outcome.map_err(|error| Untaken::new(error.to_string()))?;
        let end = self.times.last().copied().unwrap_or_default();
        Ok(Packing { chunks: packed, nodes: builder.nodes(), outcome, end })
    }

    /// Adds to all times, s.
    pub(crate) fn delay(&mut self, by: f64) -> std::result::Result<(), Untaken> {
        self.times.iter_mut().for_each(|t| *t += by);
        let grows = self.times.iter().all(|t| t.is_finite()) && self.times.is_sorted_by(|a, b| a < b);
        let message = format!("delayed by {by} s, instants of the file become the same; choose a smaller delay");
        if grows { Ok(()) } else { Err(Untaken::new(message)) }
    }

    pub(crate) fn course(&self, signal: &str) -> std::result::Result<align::Course<'_>, Untaken> {
        let at = self.signals.iter().position(|s| s == signal);
        let at = at.ok_or_else(|| Untaken::new(format!("{signal} is not among the channels; align by one of them")))?;
        Ok((&self.times, &self.values[at]))
    }
}

/// Stores a recording beside the runs of a study of a supply in a revision.
pub(crate) async fn keep(
    store: &Store,
    account: Uuid,
    supply: (Uuid, i32),
    (document, study): (&Supply, &str),
    measured: &Measured,
    packing: &Packing,
) -> Result<RunRow> {
    let (document, outcome) = (serde_json::to_value(document)?, serde_json::to_value(&packing.outcome)?);
    let measured = serde_json::to_value(measured)?;
    let new = NewMeasured {
        supply,
        document: &document,
        study,
        end: packing.end,
        measured: &measured,
        outcome: &outcome,
        chunks: &packing.chunks,
        nodes: packing.nodes,
    };
    store.add_measured(account, new).await
}
