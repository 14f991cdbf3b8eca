//! Recordings from the bench: read from a file, put beside the runs of a study.

use super::address::SupplyPath;
use super::app::App;
use super::errors::{ApiError, Body};
use super::runs::{RunShown, shown};
use crate::recorded::{Bench, Channel, Drawable, Measured, Traces, keep};
use axum::Json;
use axum::extract::{Path, State};
use base64::Engine;
use base64::prelude::BASE64_STANDARD;
use circuit::{Signal, as_run, resolve};
use formats::Sheet;
use quantity::{Unit, parse, show};
use readings::align;
use schemars::JsonSchema;
use serde::{Deserialize, Serialize};
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
    short("the title", &title)?;
    short("the name of the file", &file.name)?;
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
    bench.delay(delay)?;
    let measured = Measured { title, file, channels, delay, aligned };
    let packing = {
        let study = study.clone();
        app.think(move || bench.packed(&circuit, &study)).await??
    };
    let stored =
        keep(&app.store, app.account(), (row.id, row.revision), (&document, &study), &measured, &packing).await?;
    shown(&app, stored).await.map(Json)
}

/// Longest title and name of a file, in characters.
const LONGEST: usize = 200;

fn short(what: &str, text: &str) -> Result<(), ApiError> {
    let length = text.chars().count();
    if length > LONGEST {
        return Err(ApiError::unusable(format!("{what} has {length} characters; up to {LONGEST} are kept")));
    }
    if text.contains('\0') {
        return Err(ApiError::unusable(format!(
            "{what} contains the character NUL, which cannot be stored; remove it"
        )));
    }
    Ok(())
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
            let found = align::by_likeness(bench.course(signal)?, (&times, &values));
            let message = format!("{signal} does not vary in both, so nothing can be aligned by it");
            let align::Likeness { delay, left_over, next } = found.ok_or_else(|| ApiError::unusable(message))?;
            let per_cent = |part: f64| format!("{:.1} %", 100.0 * part);
            let next = next.map_or_else(String::new, |(next, left)| {
                let sure = if left < SURE * left_over { "; not sure: " } else { "; " };
                format!("{sure}the next best, {}, leaves {}", seconds(next), per_cent(left))
            });
            let left_over = per_cent(left_over);
            Ok((
                delay,
                format!(
                    "delayed by {}, where {left_over} of what {signal} varies by is left over{next}",
                    seconds(delay)
                ),
            ))
        }
    }
}

/// How much more the next best delay must leave over for the best one to be sure.
const SURE: f64 = 1.5;

/// All nodes of a signal of a run.
async fn simulated(app: &App, run: Uuid, signal: &str) -> Result<(Vec<f64>, Vec<f64>), ApiError> {
    app.store.run(app.account(), run).await?.ok_or_else(ApiError::no_run)?;
    let circuit = app.circuit_of(run).await?;
    let traces = Traces { store: &app.store, run, circuit: &circuit };
    Ok(traces.values(&Drawable::read(&circuit, signal)?, f64::MIN, f64::MAX).await?)
}
