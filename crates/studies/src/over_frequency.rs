//! A frequency study: its questions answered together.

use crate::curves::{Curve, CurveTones, Curves, ToneRead};
use crate::frequency::{Answers, FrequencyError, answers, with_tones};
use crate::tones::TonePoint;
use circuit::{Circuit, FrequencyGrid, ResolvedAsk, ResolvedStudy, ResolvedTones};
use quantity::{Unit, show};
use recording::{Complex64, Observer};

/// Loop gain below which there is no loop, but rounding.
const NO_LOOP: f64 = 1e-9;

/// What became of a frequency study.
pub(crate) struct Asked {
    pub(crate) ended: Result<bool, String>,
    pub(crate) curves: Curves,
    pub(crate) simulated: String,
    pub(crate) version: String,
    pub(crate) remarks: Vec<String>,
}

/// Answers a study's questions; one that has no answer says why and does not keep the others from theirs.
pub(crate) fn over_frequency(circuit: &Circuit, study: &ResolvedStudy, observer: &mut dyn Observer) -> Asked {
    let mut asked = Asked {
        ended: Ok(true),
        curves: Curves::default(),
        simulated: String::new(),
        version: String::new(),
        remarks: Vec::new(),
    };
    if study.questions.is_empty() {
        asked.ended = Err("the study asks nothing; add a question to it".to_owned());
        return asked;
    }
    let mut problems: Vec<Option<String>> = study.questions.iter().map(|q| q.asks.as_ref().err().cloned()).collect();
    let found = loop {
        let able = study.questions.iter().zip(&problems).filter(|(_, problem)| problem.is_none());
        let asks: Vec<ResolvedAsk> = able.filter_map(|(question, _)| question.asks.clone().ok()).collect();
        if asks.is_empty() {
            break None;
        }
        match answers(circuit, &asks, study.grid, study.engine, observer) {
            Ok(found) => break Some(found),
            Err(error) if error.is_stop() => {
                asked.ended = Ok(false);
                return asked;
            }
            // Which of them it is shows when each is asked alone; without it the others are asked again.
            Err(error) if error.is_of_the_question() && !matches!(error, FrequencyError::BeyondHalf(_)) => {
                let mut blamed = false;
                for (question, problem) in study.questions.iter().zip(&mut problems) {
                    let Some(ask) = question.asks.as_ref().ok().filter(|_| problem.is_none()) else { continue };
                    if let Err(own) = answers(circuit, std::slice::from_ref(ask), study.grid, study.engine, observer) {
                        *problem = Some(own.to_string());
                        blamed = true;
                    }
                }
                if !blamed {
                    asked.ended = Err(error.to_string());
                    return asked;
                }
            }
            Err(error) => {
                asked.ended = Err(error.to_string());
                return asked;
            }
        }
    };
    let Answers { frequencies, values, simulated, version, half, remarks } = found.unwrap_or_else(nothing);
    // What has no bounded answer anywhere has none to show, and takes none from the others.
    let mut values = values.into_iter();
    let mut answered: Vec<Vec<Complex64>> = Vec::new();
    for (question, problem) in study.questions.iter().zip(&mut problems).filter(|(_, problem)| problem.is_none()) {
        let own = values.next().unwrap_or_default();
        *problem = question.asks.as_ref().ok().and_then(|ask| no_answer(ask, &own));
        answered.extend(problem.is_none().then_some(own));
    }
    let values = answered;
    // What is unbounded at a frequency has no place in a picture.
    let kept: Vec<bool> = (0..frequencies.len()).map(|k| values.iter().all(|v| v[k].is_finite())).collect();
    if kept.iter().any(|kept| !kept) {
        asked
            .remarks
            .push("At some frequencies something is unbounded, a resonance without loss; they are left out".to_owned());
    }
    let keep = |values: Vec<Complex64>| values.into_iter().zip(&kept).filter(|(_, kept)| **kept).map(|(v, _)| v);
    let mut values = values.into_iter();
    let curves = study.questions.iter().zip(problems).map(|(question, problem)| {
        let values: Vec<Complex64> = match problem {
            None => keep(values.next().unwrap_or_default()).collect(),
            Some(_) => Vec::new(),
        };
        let (re, im) = values.iter().map(|z| (z.re, z.im)).unzip();
        Curve { id: question.id.clone(), asks: question.kind, unit: question.unit, re, im, problem, tones: None }
    });
    let mut curves: Vec<Curve> = curves.collect();
    for (curve, question) in curves.iter_mut().zip(&study.questions).filter(|(curve, _)| curve.problem.is_none()) {
        let (Some(tones), Ok(ask)) = (question.tones, &question.asks) else { continue };
        match measured(circuit, study, ask, tones, observer) {
            Ok(found) => curve.tones = Some(found),
            Err(error) if error.is_stop() => {
                asked.ended = Ok(false);
                break;
            }
            Err(error) => curve.tones = Some(CurveTones { points: Vec::new(), said: Some(error.to_string()) }),
        }
    }
    let unanswered = curves.iter().filter_map(|curve| Some(format!("{}: {}", curve.id, curve.problem.as_ref()?)));
    asked.remarks.extend(remarks.into_iter().chain(unanswered));
    if curves.iter().all(|curve| curve.problem.is_some()) {
        asked.ended = Err(asked.remarks.join(". "));
    }
    let frequencies = frequencies.into_iter().zip(&kept).filter(|(_, kept)| **kept).map(|(f, _)| f).collect();
    asked.curves = Curves { frequencies, half, curves };
    (asked.simulated, asked.version) = (simulated, version);
    asked
}

/// Signal to distortion below which an amplitude is not to be taken, dB.
const POOR: f64 = 20.0;

/// A question measured with tones; of an amplitude that was stated, whether it can be taken.
fn measured(
    circuit: &Circuit,
    study: &ResolvedStudy,
    ask: &ResolvedAsk,
    tones: ResolvedTones,
    observer: &mut dyn Observer,
) -> Result<CurveTones, FrequencyError> {
    let found = with_tones(circuit, ask, tones, study.grid, study.engine, observer)?;
    let poor = |point: &&TonePoint| point.doubtful || point.quality < POOR;
    let worst = found.iter().filter(poor).min_by(|a, b| a.quality.total_cmp(&b.quality));
    let said = match (tones.amplitude, worst) {
        (Some(stated), Some(worst)) => {
            let frequency = worst.frequency;
            // Which amplitude that tone would have got by itself.
            let only = FrequencyGrid { from: frequency, to: frequency * (1.0 + 1e-6), per_decade: 1.0 };
            let unstated = ResolvedTones { amplitude: None, ..tones };
            let own = with_tones(circuit, ask, unstated, only, study.engine, observer)?;
            own.first().map(|own| {
                let why = match own.amplitude < stated {
                    true => "too large: the circuit answers it otherwise than a smaller one",
                    false => "too small: its answer is lost in rounding",
                };
                let (take, at) = (show(own.amplitude, Unit::One, 2), show(frequency, Unit::Hertz, 3));
                format!("the amplitude of its tones is {why} at {at}; take {take} or leave it to us")
            })
        }
        _ => None,
    };
    let read = |point: &TonePoint| ToneRead {
        frequency: point.frequency,
        re: point.value.re,
        im: point.value.im,
        amplitude: point.amplitude,
        error: 10f64.powf(-point.quality / 20.0),
        doubtful: point.doubtful,
    };
    let finite = found.iter().map(read).filter(|point| point.re.is_finite() && point.im.is_finite());
    Ok(CurveTones { points: finite.collect(), said })
}

fn nothing() -> Answers {
    Answers {
        frequencies: Vec::new(),
        values: Vec::new(),
        simulated: String::new(),
        version: String::new(),
        half: None,
        remarks: Vec::new(),
    }
}

/// What is said where nothing comes round to a pin, where nothing comes of a source, and of what is bounded nowhere.
fn no_answer(ask: &ResolvedAsk, values: &[Complex64]) -> Option<String> {
    if values.iter().any(|value| value.is_finite()) {
        let ResolvedAsk::LoopGain { part, pin, .. } = ask else { return None };
        let none = values.iter().all(|gain| gain.norm() < NO_LOOP);
        return none
            .then(|| format!("no loop passes through {part}.{pin}; name a pin that the feedback passes through"));
    }
    Some(match ask {
        ResolvedAsk::LineRejection { source, signal } => {
            format!("nothing of {source} reaches {signal}, so there is no figure of what is kept from it")
        }
        ResolvedAsk::InputImpedance { source } => format!("no current answers {source}: it feeds nothing"),
        _ => "it is bounded at no frequency".to_owned(),
    })
}
