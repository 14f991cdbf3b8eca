//! Ratings held against what sizing promises at nominal line and full load.

use crate::draft::Promise;
use circuit::kinds::{Rating, Stress};
use circuit::{Finding, GND, Part, Place, ReadingMeasure, Severity, Stage, Supply, number_in};
use quantity::show;

/// A warning for every part of a stage whose rating is exceeded by what the stage promises. A promise made
/// of one part holds for the others of its kind in the stage, for they share its work.
pub(crate) fn exceeded(supply: &Supply, stage: &Stage, promises: &[Promise]) -> Vec<Finding> {
    let parts = supply.parts.iter().filter(|p| p.stage.as_ref() == Some(&stage.id));
    parts.flat_map(|part| of_part(supply, stage, part, promises)).collect()
}

fn of_part(supply: &Supply, stage: &Stage, part: &Part, promises: &[Promise]) -> Vec<Finding> {
    let found = part.ratings.iter().filter_map(|(name, text)| {
        let rating = part.kind.kind().rating(name)?;
        let allowed = number_in(supply, text, rating.unit)?;
        let stress = promised(supply, stage, part, rating, promises)?;
        (stress > allowed * (1.0 + 1e-9)).then(|| Finding {
            severity: Severity::Warning,
            rule: "rating-exceeded".to_owned(),
            place: Place::Part { part: part.id.clone() },
            message: format!(
                "{} of {} is {} at nominal line and full load, rated {}",
                rating.name,
                part.id,
                show(stress, rating.unit, 3),
                show(allowed, rating.unit, 3)
            ),
            remedy: "Take a part of a higher rating from the catalogue, or let it bear less".to_owned(),
        })
    });
    found.collect()
}

/// The largest stress promised of a part, in the rating's unit; none if nothing is promised of it.
fn promised(supply: &Supply, stage: &Stage, part: &Part, rating: &Rating, promises: &[Promise]) -> Option<f64> {
    let of_like = |letter: char| {
        promises.iter().filter(move |p| {
            let id = p.signal.strip_suffix(letter).and_then(|s| s.strip_suffix('.'));
            let like = id.and_then(|id| supply.part(id));
            like.is_some_and(|l| l.id == part.id || (l.kind == part.kind && l.stage.as_ref() == Some(&stage.id)))
        })
    };
    let largest = |letter: char, wanted: ReadingMeasure| {
        of_like(letter).filter(|p| p.measure == wanted).map(|p| p.value.abs()).max_by(f64::total_cmp)
    };
    match rating.stress {
        Stress::Power => largest('p', ReadingMeasure::Mean),
        Stress::MeanCurrent => largest('i', ReadingMeasure::Mean),
        Stress::RmsCurrent => largest('i', ReadingMeasure::Rms),
        Stress::PeakCurrent => largest('i', ReadingMeasure::Max),
        Stress::ReverseVoltage => largest('v', ReadingMeasure::Min),
        Stress::Voltage => {
            let pins = part.kind.kind().pins;
            let net = |k: usize| part.pins.get(pins.get(k)?.id).map(String::as_str);
            let (plus, minus) = (net(rating.pins.0)?, net(rating.pins.1)?);
            let rail = if minus == GND { plus } else { minus };
            (plus == GND || minus == GND).then(|| highest(promises, rail)).flatten()
        }
    }
}

/// The highest voltage promised of a net, V: its mean and half its ripple, or its peak.
fn highest(promises: &[Promise], net: &str) -> Option<f64> {
    let signal = format!("{net}.v");
    let of = |wanted: ReadingMeasure| {
        promises.iter().find(|p| p.signal == signal && p.measure == wanted).map(|p| p.value.abs())
    };
    let ripple = of(ReadingMeasure::PeakToPeak).unwrap_or(0.0);
    of(ReadingMeasure::Max).or_else(|| Some(of(ReadingMeasure::Mean)? + 0.5 * ripple))
}
