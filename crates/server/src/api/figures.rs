//! Figures beside nets and parts of a drawing, in words; and those of a run.

use super::address::RunPath;
use super::app::App;
use super::errors::{ApiError, Body};
use crate::recorded::Traces;
use axum::Json;
use axum::extract::{Path, State};
use circuit::{Circuit, Quantity, ReadingMeasure, Signal, Term};
use drawing::{Drawing, Figures, figured};
use quantity::{Unit, show};
use readings::{MeasureError, Question, Recipe, Span, Survey, Ticket};
use schemars::JsonSchema;
use serde::{Deserialize, Serialize};

/// What stands beside nets and parts, before it is put into words.
#[derive(Default)]
pub(super) struct Beside {
    /// Nets with their voltage, V.
    pub(super) nets: Vec<(String, f64)>,
    pub(super) parts: Vec<BesidePart>,
    /// What follows voltages and currents, such as RMS.
    pub(super) meant: &'static str,
}

/// What stands beside a part.
pub(super) struct BesidePart {
    pub(super) part: String,
    /// A; of a source what it delivers, as is its power.
    pub(super) current: Option<f64>,
    /// W.
    pub(super) power: Option<f64>,
    pub(super) delivers: bool,
    /// What it does, in a word.
    pub(super) does: Option<String>,
}

/// Parts of the largest figure of its kind below which one is nothing but rounding.
const NOTHING: f64 = 1e-12;
const DIGITS: usize = 4;

impl Beside {
    /// In words, with what is nothing but rounding as nothing.
    pub(super) fn in_words(&self) -> Figures {
        let largest =
            |values: &mut dyn Iterator<Item = f64>| values.fold(0.0, |most: f64, value| most.max(value.abs()));
        let [volts, amperes, watts] = [
            largest(&mut self.nets.iter().map(|(_, voltage)| *voltage)),
            largest(&mut self.parts.iter().filter_map(|part| part.current)),
            largest(&mut self.parts.iter().filter_map(|part| part.power)),
        ];
        let read = |value: f64, most: f64, unit: Unit| {
            show(if value.abs() <= NOTHING * most { 0.0 } else { value }, unit, DIGITS)
        };
        let lines = |part: &BesidePart| {
            let current = part.current.map(|current| read(current, amperes, Unit::Ampere) + self.meant);
            let power = part.power.map(|power| read(power, watts, Unit::Watt));
            let power = power.map(|power| if part.delivers { format!("{power} delivered") } else { power });
            let flows: Vec<String> = current.into_iter().chain(power).collect();
            [Some(flows.join(", ")).filter(|flows| !flows.is_empty()), part.does.clone()]
                .into_iter()
                .flatten()
                .collect()
        };
        Figures {
            parts: self.parts.iter().map(|part| (part.part.clone(), lines(part))).collect(),
            nets: self
                .nets
                .iter()
                .map(|(net, volt)| (net.clone(), read(*volt, volts, Unit::Volt) + self.meant))
                .collect(),
        }
    }
}

/// Which figures of a run are wanted.
#[derive(Deserialize, JsonSchema)]
pub(crate) struct FiguresOf {
    how: How,
    /// Where they are taken from, s; the run's last period, or its last tenth, if left out.
    #[serde(default)]
    from: Option<f64>,
    /// Where they end, s.
    #[serde(default)]
    to: Option<f64>,
}

/// How a run is summed up beside nets and parts.
#[derive(Clone, Copy, Deserialize, JsonSchema, PartialEq, Eq)]
#[serde(rename_all = "snake_case")]
pub(crate) enum How {
    /// Means over the span.
    Mean,
    /// RMS over the span; powers as means.
    Rms,
    /// Values where the span begins.
    AtA,
}

/// The circuit as it stands, with figures of a run in it.
#[derive(Serialize, JsonSchema)]
pub(crate) struct FiguredShown {
    /// The revision that is drawn.
    revision: i32,
    drawing: Drawing,
    /// What the figures are taken over, s.
    from: f64,
    to: f64,
}

/// What nets and parts have in a run, in the drawing of its supply as it stands now; what the run did not have has no figure.
pub(crate) async fn of_run(
    State(app): State<App>,
    Path(RunPath { run }): Path<RunPath>,
    Body(FiguresOf { how, from, to }): Body<FiguresOf>,
) -> Result<Json<FiguredShown>, ApiError> {
    let row = app.store.run(app.account(), run).await?.ok_or_else(ApiError::no_run)?;
    let supply = app.store.supply(app.account(), row.supply_id).await?;
    let supply = supply.ok_or_else(|| ApiError::not_found("there is no such supply in the library"))?;
    let look = app.look(&supply).await?;
    let circuit = app.circuit_of(run).await?;
    let traces = Traces { store: &app.store, run, circuit: &circuit };
    let whole = traces.whole().await?;
    let end = studies::last_period(&circuit, whole.from, whole.to);
    let wanted = Span { from: from.unwrap_or(end.from), to: to.unwrap_or(end.to) };
    let unusable = |error: MeasureError| ApiError::unusable(error.to_string());
    let span = whole.covering(wanted, whole.to <= whole.from).map_err(unusable)?;
    let mut survey = Survey::default();
    let asked = Asked::new(&circuit, how, span, &mut survey);
    traces.survey(&mut survey).await?;
    let words = asked.found(&survey).in_words();
    let revision = supply.revision;
    let drawn = move || figured(&look.document, &words);
    let drawing = app.think(drawn).await?;
    Ok(Json(FiguredShown { revision, drawing, from: span.from, to: span.to }))
}

/// What is asked of a recording: of every net its voltage, of every part its current and power.
struct Asked<'a> {
    circuit: &'a Circuit,
    how: How,
    nets: Vec<(&'a str, Ticket)>,
    parts: Vec<(usize, Option<Ticket>, Option<Ticket>)>,
}

impl<'a> Asked<'a> {
    fn new(circuit: &'a Circuit, how: How, span: Span, survey: &mut Survey) -> Self {
        let mut ask = |of: &str, quantity: Quantity| {
            let term = Term { negative: false, of: of.to_owned(), quantity };
            let recipe = Recipe::new(circuit, &Signal { terms: vec![term] }).ok()?;
            let question = match how {
                How::AtA => Question::new(ReadingMeasure::ValueAt, &[Some(span.from)], span, None).ok()?,
                How::Mean | How::Rms => Question::Figures,
            };
            Some(survey.ask_within(vec![recipe], span, question))
        };
        let nets = circuit.nets.iter().skip(1);
        let nets = nets.filter_map(|net| Some((net.as_str(), ask(net, Quantity::Voltage)?))).collect();
        let parts = circuit.parts.iter().enumerate();
        let parts = parts.map(|(k, part)| (k, ask(&part.id, Quantity::Current), ask(&part.id, Quantity::Power)));
        Asked { circuit, how, nets, parts: parts.collect() }
    }

    fn found(&self, survey: &Survey) -> Beside {
        let read = |ticket: Ticket, mean: bool| match self.how {
            How::AtA => survey.answer(ticket).ok(),
            How::Rms if !mean => Some(survey.figures(ticket).rms()),
            How::Mean | How::Rms => Some(survey.figures(ticket).mean()),
        };
        let part = |(k, current, power): &(usize, Option<Ticket>, Option<Ticket>)| {
            let part = &self.circuit.parts[*k];
            let delivers = part.kind.kind().feeds();
            // An RMS has no direction.
            let sign = |mean: bool| if delivers && (mean || self.how != How::Rms) { -1.0 } else { 1.0 };
            BesidePart {
                part: part.id.clone(),
                current: current.and_then(|ticket| Some(sign(false) * read(ticket, false)?)),
                power: power.and_then(|ticket| Some(sign(true) * read(ticket, true)?)),
                delivers,
                does: None,
            }
        };
        Beside {
            nets: self.nets.iter().filter_map(|(net, t)| Some(((*net).to_owned(), read(*t, false)?))).collect(),
            parts: self.parts.iter().map(part).collect(),
            meant: if self.how == How::Rms { " RMS" } else { "" },
        }
    }
}
