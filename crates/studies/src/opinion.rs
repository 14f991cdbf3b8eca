//! A second opinion on a run: the same study by the other engine or more accurately, and how far both are apart.

use crate::cost::Costs;
use crate::curves::Curves;
use crate::engine::engine_over_frequency;
use circuit::{Begins, Circuit, Engine, ResolvedStudy, Signal, StudyKind};
use readings::{Question, Recipe, Span, Survey, Ticket};
use schemars::JsonSchema;
use serde::{Deserialize, Serialize};

/// What a second opinion is asked of.
#[derive(Clone, Copy, Debug, PartialEq)]
pub enum SecondOpinion {
    /// The engine that did not run it.
    Other(Engine),
    /// The same engine with this tolerance, relative to full scale.
    Tighter(f64),
}

/// How much more accurate a run is made where there is no other engine for it, and where that ends.
const TIGHTER: f64 = 0.1;
const TIGHTEST: f64 = 1e-9;
/// What the other engine may take, s; beyond, more accuracy tells something sooner.
const PATIENCE: f64 = 60.0;

/// What a second opinion on a run by an engine is asked of: the other engine if every part has a form for it and it would not take
/// minutes, otherwise the same one ten times as accurate.
///
/// # Errors
/// Where there is nothing to ask, in words.
pub fn second_opinion(circuit: &Circuit, study: &ResolvedStudy, by: Engine) -> Result<SecondOpinion, String> {
    let fits = switched::without_form(circuit).is_empty();
    match study.kind {
        StudyKind::OperatingPoint => {
            return Err(
                "an operating point is found to rounding; run a switch-on to see whether the circuit gets there"
                    .to_owned(),
            );
        }
        StudyKind::Frequency => {
            let about_rest = engine_over_frequency(circuit, None).0 == Engine::DeviceLevel;
            return match by {
                Engine::DeviceLevel if about_rest && fits => Ok(SecondOpinion::Other(Engine::Switched)),
                Engine::Switched if about_rest => Ok(SecondOpinion::Other(Engine::DeviceLevel)),
                _ => Err("no other engine answers it about the same state; measure it with tones".to_owned()),
            };
        }
        _ => {}
    }
    let repeats = circuit.parts.iter().any(|part| part.period().or(part.clock()).is_some());
    let other = match by {
        Engine::DeviceLevel => fits.then_some(Engine::Switched),
        // What begins in a converter's settled state begins elsewhere where that is not found.
        Engine::Switched if study.kind != StudyKind::Settled && study.begins != Begins::Rest => None,
        Engine::Switched if study.kind == StudyKind::Settled && !repeats => None,
        Engine::Switched => {
            let takes = Costs::new(circuit, study).map_or(0.0, |costs| costs.at_device_level());
            (takes <= PATIENCE).then_some(Engine::DeviceLevel)
        }
    };
    match other {
        Some(other) => Ok(SecondOpinion::Other(other)),
        None if study.tolerance > TIGHTEST => Ok(SecondOpinion::Tighter((TIGHTER * study.tolerance).max(TIGHTEST))),
        None => Err("it is as accurate as can be asked for already".to_owned()),
    }
}

/// How far a signal of one run is from that of another.
#[derive(Clone, Copy, Debug, PartialEq, Serialize, Deserialize, JsonSchema)]
pub struct Parted {
    /// The largest distance, in the signal's unit.
    pub distance: f64,
    /// When, s.
    pub at: f64,
    /// What the signal swings by over the whole, in its unit, or its largest magnitude where that is more.
    pub scale: f64,
}

/// Stretches in which signals are compared.
const STRETCHES: usize = 500;

/// The bands that a signal fills, stretch by stretch, on their way.
#[derive(Debug)]
pub struct Bands {
    span: Span,
    tickets: Vec<Ticket>,
}

impl Bands {
    /// Asks for the bands of a signal over a span that is covered.
    ///
    /// # Errors
    /// In words, if the circuit has no such signal.
    pub fn new(circuit: &Circuit, signal: &Signal, span: Span, survey: &mut Survey) -> Result<Self, String> {
        let recipe = Recipe::new(circuit, signal).map_err(|error| error.to_string())?;
        let tickets =
            (0..STRETCHES).map(|k| survey.ask_within(vec![recipe.clone()], Self::stretch(span, k), Question::Figures));
        Ok(Bands { span, tickets: tickets.collect() })
    }

    fn stretch(span: Span, k: usize) -> Span {
        let at = |k: usize| span.from + (span.to - span.from) * k as f64 / STRETCHES as f64;
        Span { from: at(k), to: at(k + 1) }
    }

    /// Lowest and highest value of each stretch.
    pub fn found(&self, survey: &Survey) -> Vec<(f64, f64)> {
        self.tickets.iter().map(|ticket| survey.figures(*ticket).extremes()).collect()
    }

    /// How far one run's bands stick out of another's over the same span, most of all. An edge that comes a little sooner or later
    /// than in the other run, within a stretch, is no distance.
    pub fn parted(&self, one: &[(f64, f64)], other: &[(f64, f64)]) -> Option<Parted> {
        let around = |of: &[(f64, f64)], k: usize| {
            let near = &of[k.saturating_sub(1)..(k + 2).min(of.len())];
            near.iter().copied().reduce(|a, b| (a.0.min(b.0), a.1.max(b.1)))
        };
        let beyond = |of: &[(f64, f64)], than: &[(f64, f64)], k: usize| {
            let (low, high) = of[k];
            let (lowest, highest) = around(than, k)?;
            Some((lowest - low).max(high - highest).max(0.0))
        };
        let distances = (0..one.len().min(other.len())).filter_map(|k| {
            let distance = beyond(one, other, k)?.max(beyond(other, one, k)?);
            distance.is_finite().then_some((k, distance))
        });
        let (k, distance) = distances.max_by(|a, b| a.1.total_cmp(&b.1))?;
        let (low, high) = one.iter().copied().reduce(|a, b| (a.0.min(b.0), a.1.max(b.1)))?;
        let Span { from, to } = Self::stretch(self.span, k);
        let scale = (high - low).max(high.abs()).max(low.abs());
        Some(Parted { distance, at: 0.5 * (from + to), scale })
    }
}

/// How far a curve over frequency is from another's.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize, JsonSchema)]
pub struct CurveParted {
    /// The curve.
    pub id: String,
    /// Where both are farthest apart, relative to the first, Hz.
    pub at: f64,
    /// How much larger the second is there, dB.
    pub decibels: f64,
    /// How much its phase is ahead there, degrees.
    pub degrees: f64,
}

impl Curves {
    /// How far each curve is from that of the same name in others, over the frequencies both have.
    pub fn parted(&self, other: &Curves) -> Vec<CurveParted> {
        let of = |id: &str| {
            let (own, others) = (self.formula(id).ok()?, other.formula(id).ok()?);
            let ratios = self.frequencies.iter().zip(&own).filter_map(|(frequency, value)| {
                let ratio = other.at(&others, *frequency).ok()? / value;
                ratio.is_finite().then_some((*frequency, ratio))
            });
            let far = |ratio: &recording::Complex64| (ratio - 1.0).norm();
            let (at, ratio) = ratios.max_by(|a, b| far(&a.1).total_cmp(&far(&b.1)))?;
            let degrees = ratio.arg().to_degrees();
            Some(CurveParted { id: id.to_owned(), at, decibels: crate::curves::decibels(ratio.norm()), degrees })
        };
        self.curves.iter().filter_map(|curve| of(&curve.id)).collect()
    }
}
