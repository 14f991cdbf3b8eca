//! Ratings held against what sizing promises at full load, from the lowest line to the highest.

use crate::draft::Promise;
use crate::path::Line;
use crate::proposal::promised;
use circuit::kinds::{KindId, Rating, Stress};
use circuit::{Finding, GND, Part, Place, ReadingMeasure, Stage, Supply, demands, number_in, parameter_in};
use quantity::{Unit, show};

/// Part of a Zener diode's voltage from which on a net is held above it.
const ABOVE: f64 = 1.05;

/// A warning for every part whose rating is exceeded at some line by what the stages promise, and for every Zener
/// diode that nothing spares. A promise made of one part of a stage holds for the others of its kind there, for they
/// share its work. Of other parts that much is known as follows from the voltage across them.
pub(crate) fn exceeded(supply: &Supply) -> Vec<Finding> {
    let nominal = Promised::new(supply, Line::Nominal);
    let varies = demands(supply).0.is_some_and(|s| s.lowest < s.highest);
    let others = [Line::Lowest, Line::Highest].into_iter().filter(|_| varies).map(|line| Promised::new(supply, line));
    let lines: Vec<Promised<'_>> = std::iter::once(nominal).chain(others).collect();
    let looked_at = |part: &&Part| !supply.stages.iter().any(|s| s.bypassed && part.stage.as_ref() == Some(&s.id));
    let mut findings = Vec::new();
    for part in supply.parts.iter().filter(looked_at) {
        for (name, text) in &part.ratings {
            let Some(rating) = part.kind.kind().rating(name) else { continue };
            let Some(allowed) = number_in(supply, text, rating.unit) else { continue };
            let stresses = lines.iter().filter_map(|promised| Some((promised.stress(part, rating)?, promised.line)));
            if let Some((stress, line)) = stresses.max_by(|a, b| a.0.total_cmp(&b.0))
                && stress > allowed * (1.0 + 1e-9)
            {
                findings.push(beyond(part, rating, stress, allowed, line));
            }
        }
        findings.extend(lines[0].unlimited(part));
    }
    findings
}

fn beyond(part: &Part, rating: &Rating, stress: f64, allowed: f64, line: Line) -> Finding {
    let line = match line {
        Line::Lowest => "the lowest line",
        Line::Nominal => "nominal line",
        Line::Highest => "the highest line",
    };
    let message = format!(
        "{} of {} is {} at {line} and full load, rated {}",
        rating.name,
        part.id,
        show(stress, rating.unit, 3),
        show(allowed, rating.unit, 3)
    );
    let remedy = "Take a part of a higher rating from the catalogue, or let it bear less";
    Finding::warning("rating-exceeded", Place::Part { part: part.id.clone() }, message, remedy)
}

/// What the stages of a supply promise at a line.
struct Promised<'a> {
    supply: &'a Supply,
    line: Line,
    of_stages: Vec<(&'a Stage, Vec<Promise>)>,
}

impl<'a> Promised<'a> {
    fn new(supply: &'a Supply, line: Line) -> Self {
        Promised { supply, line, of_stages: promised(supply, line) }
    }

    /// A Zener diode on a net that another stage holds at more than its voltage.
    fn unlimited(&self, part: &Part) -> Option<Finding> {
        let net = |pin: &str| part.pins.get(pin).map(String::as_str);
        let (cathode, true) = (net("k")?, part.kind == KindId::Zener && net("a") == Some(GND)) else { return None };
        let breakdown = parameter_in(self.supply, part, "zener_voltage")?;
        let signal = format!("{cathode}.v");
        let others = self.of_stages.iter().filter(|(stage, _)| part.stage.as_ref() != Some(&stage.id));
        let held = others.flat_map(|(_, promises)| promises).filter(|p| p.signal == signal);
        let held = held.filter(|p| p.measure == ReadingMeasure::Mean).map(|p| p.value).max_by(f64::total_cmp)?;
        let message = format!(
            "{} breaks down at {}, but net {cathode} is held at {} and nothing in series limits its current",
            part.id,
            show(breakdown, Unit::Volt, 3),
            show(held, Unit::Volt, 3)
        );
        let remedy = format!("Put a resistor between {cathode} and {}", part.id);
        let place = Place::Part { part: part.id.clone() };
        (held > ABOVE * breakdown).then(|| Finding::warning("zener-unlimited", place, message, remedy))
    }

    /// What a part has to bear, in the rating's unit, as far as it is known.
    fn stress(&self, part: &Part, rating: &Rating) -> Option<f64> {
        self.by_sizing(part, rating).or_else(|| self.by_voltage(part, rating))
    }

    /// The largest stress its stage promises of a part, in the rating's unit.
    fn by_sizing(&self, part: &Part, rating: &Rating) -> Option<f64> {
        let (stage, promises) = self.of_stages.iter().find(|(stage, _)| part.stage.as_ref() == Some(&stage.id))?;
        let largest = |letter: char, wanted: ReadingMeasure| {
            let of_like = promises.iter().filter(|p| {
                let id = p.signal.strip_suffix(letter).and_then(|s| s.strip_suffix('.'));
                let like = id.and_then(|id| self.supply.part(id));
                like.is_some_and(|l| l.id == part.id || (l.kind == part.kind && l.stage.as_ref() == Some(&stage.id)))
            });
            of_like.filter(|p| p.measure == wanted).map(|p| p.value.abs()).max_by(f64::total_cmp)
        };
        match rating.stress {
            Stress::Power => largest('p', ReadingMeasure::Mean),
            Stress::MeanCurrent => largest('i', ReadingMeasure::Mean),
            Stress::RmsCurrent => largest('i', ReadingMeasure::Rms),
            Stress::PeakCurrent => largest('i', ReadingMeasure::Max),
            Stress::ReverseVoltage => largest('v', ReadingMeasure::Min),
            Stress::Voltage => None,
        }
    }

    /// The stress that follows from the voltage promised of the net a part stands at, its other end at gnd.
    fn by_voltage(&self, part: &Part, rating: &Rating) -> Option<f64> {
        let pins = part.kind.kind().pins;
        let net = |k: usize| part.pins.get(pins.get(k)?.id).map(String::as_str);
        let (plus, minus) = (net(rating.pins.0)?, net(rating.pins.1)?);
        let across = |wanted: fn(&Self, &str) -> Option<f64>| match (plus, minus) {
            (GND, rail) | (rail, GND) => wanted(self, rail),
            _ => None,
        };
        match (rating.stress, part.kind) {
            (Stress::Voltage, _) => across(Self::highest),
            (Stress::ReverseVoltage, _) if plus == GND => self.highest(minus),
            (Stress::Power, KindId::Resistor) => Some(across(Self::mean)?.powi(2) / self.resistance(part)?),
            (Stress::RmsCurrent, KindId::Resistor) => Some(across(Self::mean)?.abs() / self.resistance(part)?),
            _ => None,
        }
    }

    fn resistance(&self, part: &Part) -> Option<f64> {
        parameter_in(self.supply, part, "resistance")
    }

    /// What is promised of a net's voltage, V.
    fn promised(&self, net: &str, wanted: ReadingMeasure) -> Option<f64> {
        let signal = format!("{net}.v");
        let all = self.of_stages.iter().flat_map(|(_, promises)| promises);
        all.filter(|p| p.signal == signal && p.measure == wanted).map(|p| p.value.abs()).max_by(f64::total_cmp)
    }

    fn mean(&self, net: &str) -> Option<f64> {
        self.promised(net, ReadingMeasure::Mean)
    }

    /// The highest voltage promised of a net, V: its peak, or its mean and half its ripple.
    fn highest(&self, net: &str) -> Option<f64> {
        let ripple = self.promised(net, ReadingMeasure::PeakToPeak).unwrap_or(0.0);
        self.promised(net, ReadingMeasure::Max).or_else(|| Some(self.mean(net)? + 0.5 * ripple))
    }
}
