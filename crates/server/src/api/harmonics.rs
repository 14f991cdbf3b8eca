//! Harmonics of a trace, and how they stand to the limits for mains currents.

use super::address::RunPath;
use super::app::App;
use super::errors::{ApiError, Body};
use crate::recorded::{Drawable, Traces};
use axum::Json;
use axum::extract::{Path, State};
use circuit::{Quantity, ReadingMeasure, Signal};
use quantity::Unit;
use readings::{Class, LAST_ORDER, Mains, MeasureError, Question, Span, Spectrum, Waveform};
use schemars::JsonSchema;
use serde::{Deserialize, Serialize};

/// A signal whose harmonics are wanted.
#[derive(Deserialize, JsonSchema)]
pub(crate) struct HarmonicsOf {
    signal: String,
    /// The voltage a current flows with; limits need it.
    #[serde(default)]
    voltage: Option<String>,
    /// Periods at the end of the run that are looked at.
    periods: u32,
    /// The fundamental, Hz; that of the only periodic source if left out.
    #[serde(default)]
    fundamental: Option<f64>,
    /// The class of IEC 61000-3-2 a current is held against.
    #[serde(default)]
    class: Option<ClassNamed>,
}

/// Classes of IEC 61000-3-2.
#[derive(Clone, Copy, Deserialize, JsonSchema)]
pub(crate) enum ClassNamed {
    A,
    B,
    C,
    D,
}

/// Harmonics of a signal over whole periods.
#[derive(Serialize, JsonSchema)]
pub(crate) struct Harmonics {
    unit: Unit,
    /// Hz.
    fundamental: f64,
    /// What was looked at, s.
    from: f64,
    to: f64,
    /// RMS of the harmonics over that of the fundamental.
    distortion: Option<f64>,
    /// Real power, W, and power factor, where a voltage is given.
    power: Option<f64>,
    power_factor: Option<f64>,
    /// From the fundamental on.
    orders: Vec<Order>,
    /// Largest harmonic over its limit; what is too small to count uses nothing.
    largest_use: Option<f64>,
    /// Whether nothing is limited after all, as at 75 W or less but for lighting.
    exempt: bool,
}

/// One harmonic.
#[derive(Serialize, JsonSchema)]
pub(crate) struct Order {
    order: u32,
    rms: f64,
    /// Of the cosine, degrees.
    phase: f64,
    /// What is allowed, A RMS.
    limit: Option<f64>,
}

/// Fourier coefficients over whole periods at the end of a run, integrated from every recorded step.
pub(crate) async fn harmonics(
    State(app): State<App>,
    Path(RunPath { run }): Path<RunPath>,
    Body(body): Body<HarmonicsOf>,
) -> Result<Json<Harmonics>, ApiError> {
    let circuit = app.circuit_of(run).await?;
    let signal = read(&body.signal)?;
    if body.class.is_some() && signal.quantity() != Quantity::Current {
        return Err(ApiError::unusable("the limits are for currents; choose one such as V1.i"));
    }
    let signal = circuit.delivered(signal);
    let fundamental = body.fundamental.or_else(|| circuit.fundamental());
    let fundamental = fundamental.ok_or_else(|| ApiError::unusable(MeasureError::NoFundamental.to_string()))?;
    let traces = Traces { store: &app.store, run, circuit: &circuit };
    let whole = traces.whole().await?;
    let length = f64::from(body.periods.max(1)) / fundamental;
    let span = whole.covering(Span { from: whole.to - length, to: whole.to }, whole.to <= whole.from);
    let span = span.map_err(|error| ApiError::unusable(error.to_string()))?;
    let nodes = async |signal: &Signal| {
        let drawable = Drawable::read(&circuit, &signal.to_string())?;
        Ok::<_, ApiError>(traces.values(&drawable, span.from, span.to).await?)
    };
    let of_signal = nodes(&signal).await?;
    let of_voltage = match body.voltage.as_deref().filter(|text| !text.trim().is_empty()) {
        Some(text) => Some(nodes(&read(text)?).await?),
        None => None,
    };
    let (unit, class) = (signal.quantity().unit(), body.class);
    let found = move || analysed(unit, &of_signal, of_voltage.as_ref(), span, fundamental, class);
    app.think(found).await?.map(Json).map_err(|error| ApiError::unusable(error.to_string()))
}

fn read(text: &str) -> Result<Signal, ApiError> {
    Signal::parse(text).map_err(|error| ApiError::unusable(format!("{text} cannot be read: {error}")))
}

type Nodes = (Vec<f64>, Vec<f64>);

fn analysed(
    unit: Unit,
    signal: &Nodes,
    voltage: Option<&Nodes>,
    span: Span,
    fundamental: f64,
    class: Option<ClassNamed>,
) -> Result<Harmonics, MeasureError> {
    let wave = Waveform::new(&signal.0, &signal.1);
    let mut spectrum = Spectrum::new(span, fundamental, LAST_ORDER)?;
    spectrum.take(wave);
    let of_port = |measure| {
        let voltage = voltage.map(|(t, v)| Waveform::new(t, v))?;
        voltage.ask_beside(Some(wave), Question::new(measure, &[], span, None).ok()?, span).ok()
    };
    let (power, power_factor) = (of_port(ReadingMeasure::RealPower), of_port(ReadingMeasure::PowerFactor));
    let class = class.map(|class| match class {
        ClassNamed::A => Class::A,
        ClassNamed::B => Class::B,
        ClassNamed::C => Class::C,
        ClassNamed::D => Class::D,
    });
    let first = spectrum.rms(1);
    let mains = || {
        let current = wave.rms(spectrum.span()).ok()?;
        Some(Mains { class: class?, power: power?, factor: power_factor?, current, fundamental: first })
    };
    let mains = mains();
    let orders: Vec<Order> = (1..=LAST_ORDER)
        .map(|order| Order {
            order: order as u32,
            rms: spectrum.rms(order),
            phase: spectrum.amplitude(order).arg().to_degrees(),
            limit: mains.and_then(|mains| mains.limit(order)),
        })
        .collect();
    let others: f64 = orders[1..].iter().map(|o| o.rms * o.rms).sum();
    let used = mains.and_then(|mains| mains.largest_use(&|order| spectrum.rms(order)));
    Ok(Harmonics {
        unit,
        fundamental,
        from: spectrum.span().from,
        to: spectrum.span().to,
        distortion: (first > 0.0).then(|| others.sqrt() / first),
        power,
        power_factor,
        orders,
        largest_use: used,
        exempt: mains.is_some_and(|mains| mains.is_exempt()),
    })
}
