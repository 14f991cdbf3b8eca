//! Recordings from the bench: read from a file, put beside the runs of a study.

use super::address::SupplyPath;
use super::app::App;
use super::errors::{ApiError, Body};
use super::runs::{RunShown, shown};
use crate::recorded::{Spool, Traces};
use crate::store::{NewMeasured, RunRow};
use axum::Json;
use axum::extract::{Path, State};
use base64::Engine;
use base64::prelude::BASE64_STANDARD;
use circuit::{Circuit, Signal, as_run, resolve};
use formats::Sheet;
use quantity::{Unit, parse, show};
use readings::{Recipe, align};
use recording::{Chunk, Column, STAGE};
use schemars::JsonSchema;
use serde::{Deserialize, Serialize};
use traces::{Packed, TraceBuilder};
use uuid::Uuid;

/// A file as it was exported.
#[derive(Deserialize, JsonSchema)]
pub(crate) struct MeasuredFile {
    name: String,
    /// Its bytes in base64.
    data: String,
}

/// What is in a file, before it is said what stands for what.
#[derive(Serialize, JsonSchema)]
pub(crate) struct FileShown {
    #[serde(flatten)]
    sheet: Sheet,
    /// Rows of values.
    rows: usize,
    /// Lowest and highest value of each column; none of one without values.
    ranges: Vec<Option<Range>>,
}

/// The values of a column.
#[derive(Clone, Copy, Serialize, JsonSchema)]
pub(crate) struct Range {
    low: f64,
    high: f64,
}

/// A column of the file and the signal it was measured at.
#[derive(Clone, Debug, Serialize, Deserialize, JsonSchema)]
pub(crate) struct Channel {
    /// The column, counted from 0.
    column: usize,
    /// A net's voltage or a part's current: `bus.v`, `D1.i`.
    signal: String,
    /// What its values are multiplied by, such as 10 for a probe.
    scale: f64,
}

/// How a recording is brought into line with the time of the simulation.
#[derive(Clone, Debug, Serialize, Deserialize, JsonSchema)]
#[serde(tag = "by", rename_all = "snake_case")]
pub(crate) enum Alignment {
    /// Its times are added to, s.
    Delay {
        /// How much, such as `-2m`.
        delay: String,
    },
    /// A channel crosses a level when the simulation of it does, both for the first time.
    Crossing {
        /// The run.
        run: Uuid,
        /// The signal of one of the channels.
        signal: String,
        /// The level.
        level: String,
        /// Falling instead of rising.
        #[serde(default)]
        falling: bool,
    },
    /// A channel is most like the simulation of it.
    Likeness {
        /// The run.
        run: Uuid,
        /// The signal of one of the channels.
        signal: String,
    },
}

/// A recording to be put beside the runs of a study.
#[derive(Deserialize, JsonSchema)]
pub(crate) struct AddMeasured {
    file: MeasuredFile,
    /// What it is called.
    title: String,
    study: String,
    /// The column of times.
    time: usize,
    /// Seconds in a unit of the times.
    time_scale: f64,
    channels: Vec<Channel>,
    alignment: Alignment,
}

/// What is kept of where a recording came from.
#[derive(Clone, Debug, Serialize, Deserialize, JsonSchema)]
pub(crate) struct Measured {
    /// What it is called.
    pub(crate) title: String,
    /// The file.
    file: String,
    /// What was measured.
    pub(crate) channels: Vec<Channel>,
    /// What was added to its times, s.
    delay: f64,
    /// How that was found, in words.
    aligned: String,
}

impl Measured {
    /// What is kept of a run that was measured; none of one that was computed.
    pub(crate) fn of(row: &RunRow) -> Option<Self> {
        serde_json::from_value(row.measured.clone()?).ok()
    }

    /// The columns that were recorded.
    pub(super) fn columns(&self, circuit: &Circuit) -> Vec<Column> {
        self.channels.iter().filter_map(|channel| column_of(circuit, &channel.signal).ok()).collect()
    }
}

fn sheet_of(MeasuredFile { name, data }: &MeasuredFile) -> Result<Sheet, ApiError> {
    let bytes = BASE64_STANDARD.decode(data).map_err(|error| ApiError::unusable(format!("{name}: {error}")))?;
    formats::read(name, &bytes).map_err(|error| ApiError::unusable(format!("{name}: {error}")))
}

/// Reads a file and says what is in it; nothing is stored.
pub(crate) async fn look(State(app): State<App>, Body(file): Body<MeasuredFile>) -> Result<Json<FileShown>, ApiError> {
    app.think(move || {
        let sheet = sheet_of(&file)?;
        let range = |column: &formats::Column| {
            let finite = column.values.iter().copied().filter(|v| v.is_finite());
            finite
                .map(|v| Range { low: v, high: v })
                .reduce(|a, b| Range { low: a.low.min(b.low), high: a.high.max(b.high) })
        };
        let ranges = sheet.columns.iter().map(range).collect();
        let rows = sheet.columns.first().map_or(0, |column| column.values.len());
        Ok(Json(FileShown { sheet, rows, ranges }))
    })
    .await?
}

/// Puts a recording beside the runs of a study; readings and requirements are taken from it as far as it goes.
pub(crate) async fn add(
    State(app): State<App>,
    Path(SupplyPath { supply }): Path<SupplyPath>,
    Body(new): Body<AddMeasured>,
) -> Result<Json<RunShown>, ApiError> {
    let row = app.store.supply(app.account(), supply).await?;
    let row = row.ok_or_else(|| ApiError::not_found("there is no such supply in the library"))?;
    let look = app.look(&row).await?;
    let AddMeasured { file, title, study, time, time_scale, channels, alignment } = new;
    let document = as_run(&look.document, Some(&study));
    let prepare = {
        let (document, study, channels) = (document.clone(), study.clone(), channels.clone());
        move || {
            let circuit = resolve(&document).map_err(ApiError::blocked)?;
            if !circuit.studies.iter().any(|s| s.id == study) {
                return Err(ApiError::unusable(format!("the supply has no study named {study}")));
            }
            let sheet = sheet_of(&file)?;
            let bench = Bench::new(&circuit, &sheet, time, time_scale, &channels)?;
            Ok((file.name, circuit, bench))
        }
    };
    let (file, circuit, mut bench) = app.think(prepare).await??;
    let (delay, aligned) = delay(&app, &bench, &alignment).await?;
    bench.times.iter_mut().for_each(|t| *t += delay);
    let measured = Measured { title, file, channels, delay, aligned };
    let ended = {
        let study = study.clone();
        move || bench.stored(&circuit, &study)
    };
    let (chunks, nodes, outcome, end) = app.think(ended).await??;
    let (document, measured, outcome) = (value(&document)?, value(&measured)?, value(&outcome)?);
    let supply = (row.id, row.revision);
    let new = NewMeasured {
        supply,
        document: &document,
        study: &study,
        end,
        measured: &measured,
        outcome: &outcome,
        chunks: &chunks,
        nodes,
    };
    let stored = app.store.add_measured(app.account(), new).await?;
    shown(&app, stored).await.map(Json)
}

fn value(of: &impl Serialize) -> Result<serde_json::Value, ApiError> {
    serde_json::to_value(of).map_err(|error| ApiError::unusable(error.to_string()))
}

/// The column that is a signal by itself: a net's voltage, or a part's current.
fn column_of(circuit: &Circuit, text: &str) -> Result<Column, ApiError> {
    let signal = Signal::parse(text).map_err(|error| ApiError::unusable(error.to_string()))?;
    let recipe = Recipe::new(circuit, &signal).map_err(|error| ApiError::unusable(error.to_string()))?;
    let alone = match recipe.columns()[..] {
        [column] => Some(column.clone()),
        _ => None,
    };
    let one = [1.0];
    let alone = alone.filter(|_| recipe.evaluate(1, |_| Some(&one[..])) == [1.0]);
    alone.ok_or_else(|| {
        ApiError::unusable(format!(
            "{text} cannot be measured by one channel; choose a net's voltage against gnd, such as bus.v, or a part's \
             current, such as D1.i"
        ))
    })
}

/// What was measured, in SI units.
struct Bench {
    times: Vec<f64>,
    /// The signals as they were asked for.
    signals: Vec<String>,
    columns: Vec<Column>,
    values: Vec<Vec<f64>>,
}

/// Most nodes of a piece that is packed at once.
const PIECE: usize = 4096;

impl Bench {
    fn new(
        circuit: &Circuit,
        sheet: &Sheet,
        time: usize,
        time_scale: f64,
        channels: &[Channel],
    ) -> Result<Self, ApiError> {
        let column = |at: usize| {
            let count = sheet.columns.len();
            sheet
                .columns
                .get(at)
                .ok_or_else(|| ApiError::unusable(format!("the file has {count} columns, not {}", at + 1)))
        };
        if channels.is_empty() {
            return Err(ApiError::unusable("say of at least one column at which signal it was measured"));
        }
        if !(time_scale > 0.0 && time_scale.is_finite()) {
            return Err(ApiError::unusable("the times are to be multiplied by a number above zero"));
        }
        let clock = column(time)?;
        let line = |k: usize| sheet.first_line + k;
        let times: Vec<f64> = clock.values.iter().map(|t| t * time_scale).collect();
        if times.len() < 2 {
            return Err(ApiError::unusable("the file has fewer than two rows of values"));
        }
        if let Some(k) = (0..times.len()).find(|k| !times[*k].is_finite() || *k > 0 && times[*k] <= times[k - 1]) {
            let message = format!("line {}: the time in column “{}” does not grow", line(k), clock.name);
            return Err(ApiError::unusable(message));
        }
        let mut bench = Bench { times, signals: Vec::new(), columns: Vec::new(), values: Vec::new() };
        for channel in channels {
            let from = column(channel.column)?;
            if let Some(k) = from.values.iter().position(|v| !v.is_finite()) {
                return Err(ApiError::unusable(format!("line {}: column “{}” has no value", line(k), from.name)));
            }
            if !channel.scale.is_finite() || channel.scale == 0.0 {
                return Err(ApiError::unusable(format!(
                    "column “{}” is to be multiplied by a number other than zero",
                    from.name
                )));
            }
            let of = column_of(circuit, &channel.signal)?;
            if bench.columns.contains(&of) {
                return Err(ApiError::unusable(format!(
                    "two columns are said to be {}; choose one of them",
                    channel.signal
                )));
            }
            bench.columns.push(of);
            bench.signals.push(channel.signal.clone());
            bench.values.push(from.values.iter().map(|v| v * channel.scale).collect());
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
            Chunk { times: cut(&times), columns: columns.iter().map(|c| cut(c)).collect() }
        };
        starts.map(piece).collect()
    }

    /// Packed as runs are, and judged.
    fn stored(&self, circuit: &Circuit, study: &str) -> Result<(Vec<Packed>, i64, studies::Outcome, f64), ApiError> {
        let (mut builder, mut spool) = (TraceBuilder::new(circuit, &self.columns), Spool::default());
        let mut packed = Vec::new();
        for chunk in self.chunks() {
            spool.push(&chunk);
            packed.extend(builder.push(&chunk));
        }
        packed.extend(builder.finish());
        let outcome = studies::measured(circuit, study, &self.columns, &spool);
        let outcome = outcome.map_err(|error| ApiError::unusable(error.to_string()))?;
        Ok((packed, builder.nodes(), outcome, self.times.last().copied().unwrap_or_default()))
    }

    fn course(&self, signal: &str) -> Result<align::Course<'_>, ApiError> {
        let at = self.signals.iter().position(|s| s == signal);
        let at =
            at.ok_or_else(|| ApiError::unusable(format!("{signal} is not among the channels; align by one of them")))?;
        Ok((&self.times, &self.values[at]))
    }
}

/// What is to be added to the times of a recording, s, and how that was found.
async fn delay(app: &App, bench: &Bench, alignment: &Alignment) -> Result<(f64, String), ApiError> {
    let seconds = |time: f64| show(time, Unit::Second, 4);
    match alignment {
        Alignment::Delay { delay } => {
            let by = parse(delay, Unit::Second).map_err(|error| ApiError::unusable(format!("the delay: {error}")))?;
            Ok((by, if by == 0.0 { "times as in the file".to_owned() } else { format!("delayed by {}", seconds(by)) }))
        }
        Alignment::Crossing { run, signal, level, falling } => {
            let unit = Signal::parse(signal).map_or(Unit::One, |signal| signal.quantity().unit());
            let value = parse(level, unit).map_err(|error| ApiError::unusable(format!("the level: {error}")))?;
            let (times, values) = simulated(app, *run, signal).await?;
            let by = align::by_crossing(bench.course(signal)?, (&times, &values), value, *falling);
            let way = if *falling { "falls" } else { "rises" };
            let message = format!("{signal} never {way} through {level} in both; choose a level both of them cross");
            let by = by.ok_or_else(|| ApiError::unusable(message))?;
            Ok((by, format!("delayed by {}, so that {signal} {way} through {level} when simulated", seconds(by))))
        }
        Alignment::Likeness { run, signal } => {
            let (times, values) = simulated(app, *run, signal).await?;
            let found = align::by_correlation(bench.course(signal)?, (&times, &values));
            let message = format!("{signal} does not vary in both, so nothing can be aligned by it");
            let (by, likeness) = found.ok_or_else(|| ApiError::unusable(message))?;
            Ok((
                by,
                format!(
                    "delayed by {}, where {signal} is most like the simulated one (correlation {likeness:.4})",
                    seconds(by)
                ),
            ))
        }
    }
}

/// All nodes of a signal of a run.
async fn simulated(app: &App, run: Uuid, signal: &str) -> Result<(Vec<f64>, Vec<f64>), ApiError> {
    app.store.run(app.account(), run).await?.ok_or_else(ApiError::no_run)?;
    let circuit = app.circuit_of(run).await?;
    let parsed = Signal::parse(signal).map_err(|error| ApiError::unusable(error.to_string()))?;
    let recipe = Recipe::new(&circuit, &parsed).map_err(|error| ApiError::unusable(error.to_string()))?;
    let traces = Traces { store: &app.store, run, circuit: &circuit };
    Ok(traces.nodes(&recipe, f64::MIN, f64::MAX).await?)
}
