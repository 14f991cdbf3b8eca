//! What a form says when it is asked to design its stage: parts, joints, and how it came to the values.

use crate::delivered::{Delivered, Rectifies};
use crate::rectified::Load;
use circuit::expression::evaluate;
use circuit::{JointKind, KindId, Output, Placement, ReadingMeasure, Source, Turn};
use quantity::{Series, Unit, entry, show};
use schemars::JsonSchema;
use serde::Serialize;
use std::collections::BTreeMap;

/// What a form is asked.
#[derive(Clone, Debug)]
pub(crate) struct Ask {
    /// What feeds the supply, where the line is.
    pub(crate) source: Source,
    /// Its nominal voltage, V.
    pub(crate) rated: f64,
    /// What the stage before delivers; none for a source.
    pub(crate) before: Option<Delivered>,
    /// What the stages behind need, positive rail and negative rail.
    pub(crate) wanted: Wanted,
    /// The rectifier behind, if it is known.
    pub(crate) rectifier: Option<Rectifies>,
    /// What was chosen by hand, as typed.
    pub(crate) choices: BTreeMap<String, String>,
    /// The outputs of the supply.
    pub(crate) outputs: Vec<Output>,
    /// Values of the stage's parts that were set by hand, by role and parameter (`reservoir.capacitance`), SI.
    pub(crate) by_hand: BTreeMap<String, f64>,
    /// Preferred values that are taken again, whatever comes out now, by the number of the step.
    pub(crate) kept: BTreeMap<usize, f64>,
    /// Whether that goes for what no longer suffices too: the parts are there, and another line is looked at.
    pub(crate) built: bool,
}

/// What is needed behind a joint.
#[derive(Clone, Copy, Debug, Default, PartialEq)]
pub(crate) struct Wanted {
    pub(crate) plus: RailWanted,
    pub(crate) minus: RailWanted,
}

impl Wanted {
    /// The rail with the larger current.
    pub(crate) fn larger(&self) -> RailWanted {
        if self.minus.current > self.plus.current { self.minus } else { self.plus }
    }
}

/// What is needed of one rail, in magnitudes.
#[derive(Clone, Copy, Debug, Default, PartialEq)]
pub(crate) struct RailWanted {
    /// Largest current, A.
    pub(crate) current: f64,
    /// Voltage below which it must never fall, V.
    pub(crate) lowest: f64,
    /// How the current changes with the voltage, S.
    pub(crate) conductance: f64,
}

impl RailWanted {
    /// What a reservoir sees of it.
    pub(crate) fn load(self) -> Load {
        Load { current: self.current, conductance: self.conductance }
    }

    pub(crate) fn and(self, other: RailWanted) -> RailWanted {
        RailWanted {
            current: self.current + other.current,
            lowest: self.lowest.max(other.lowest),
            conductance: self.conductance + other.conductance,
        }
    }
}

/// A value one may choose before the rest is computed.
#[derive(Clone, Debug, PartialEq, Serialize, JsonSchema)]
#[schemars(rename = "SizingChoice")]
pub struct Choice {
    /// Identifier in the stage's choices.
    pub id: &'static str,
    /// Name shown.
    pub title: &'static str,
    /// What it does.
    pub help: &'static str,
    /// Unit, for a quantity.
    pub unit: Option<Unit>,
    /// Identifiers and names, for a choice among a few.
    pub options: Vec<(String, String)>,
    /// The value in force, as typed.
    pub value: String,
    /// Whether it was chosen by hand.
    pub by_hand: bool,
}

/// One step of the sizing: a formula, its numbers, its result and what is taken for it.
#[derive(Clone, Debug, PartialEq, Serialize, JsonSchema)]
#[schemars(rename = "SizingStep")]
pub struct Step {
    /// What is computed.
    pub title: String,
    /// The formula, as an expression.
    pub formula: String,
    /// The formula with its numbers in it.
    pub numbers: String,
    /// Where the formula comes from.
    pub origin: &'static str,
    /// Its result.
    pub ideal: f64,
    /// Its unit.
    pub unit: Unit,
    /// The value taken, if another.
    pub taken: Option<f64>,
    /// What it was taken from, such as E12.
    pub from: Option<&'static str>,
    /// The parameter it sets, by role and parameter.
    pub sets: Option<String>,
}

/// A number the sizing promises of a run at nominal line and full load.
#[derive(Clone, Debug, PartialEq, Serialize, JsonSchema)]
pub struct Promise {
    /// What it is.
    pub title: String,
    /// What to measure.
    pub measure: ReadingMeasure,
    /// Of which signal, with roles of parts and nets in braces: `{plus}.v`.
    pub signal: String,
    /// Its value.
    pub value: f64,
    /// Its unit.
    pub unit: Unit,
    /// Whether it is a bound, which holds from switching on; else a value that is found once the supply is settled.
    pub at_most: bool,
}

/// A net as a form names it.
#[derive(Clone, Debug, PartialEq, Eq)]
pub(crate) enum Net {
    /// A net of the joint before, in the order of its nets.
    Inlet(usize),
    /// A net of the stage's own.
    Own(&'static str),
    /// The reference.
    Gnd,
}

/// A part as a form draws it.
#[derive(Clone, Debug)]
pub(crate) struct Sketch {
    pub(crate) role: &'static str,
    pub(crate) kind: KindId,
    pub(crate) at: Placement,
    pub(crate) nets: Vec<Net>,
    pub(crate) parameters: BTreeMap<&'static str, String>,
    /// What a part there must be rated for.
    pub(crate) ratings: BTreeMap<&'static str, String>,
}

/// A form's answer in the making.
pub(crate) struct Draft<'a> {
    pub(crate) ask: &'a Ask,
    pub(crate) choices: Vec<Choice>,
    pub(crate) steps: Vec<Step>,
    pub(crate) promises: Vec<Promise>,
    pub(crate) warnings: Vec<String>,
    pub(crate) parts: Vec<Sketch>,
    pub(crate) joints: Vec<(JointKind, Vec<Net>, Delivered)>,
    /// Inlet nets that become the reference.
    pub(crate) grounded: Vec<usize>,
    /// Grid squares the stage takes from left to right.
    pub(crate) width: i32,
    /// What is drawn of the positive and of the negative rail, where it follows from what the stage gets.
    pub(crate) drawn: [Drawn; 2],
}

/// What a stage draws of a rail at nominal line, as far as it is known.
#[derive(Clone, Copy, Debug, Default, PartialEq)]
pub(crate) struct Drawn {
    /// Current, A.
    pub(crate) current: Option<f64>,
    /// How it changes with the voltage, S.
    pub(crate) conductance: Option<f64>,
}

impl Drawn {
    fn over(self, wanted: RailWanted) -> RailWanted {
        RailWanted {
            current: self.current.unwrap_or(wanted.current),
            conductance: self.conductance.unwrap_or(wanted.conductance),
            ..wanted
        }
    }
}

impl Wanted {
    /// What is needed, with what is drawn where that is known.
    pub(crate) fn drawn(self, [plus, minus]: [Drawn; 2]) -> Self {
        Wanted { plus: plus.over(self.plus), minus: minus.over(self.minus) }
    }
}

/// Which preferred value is taken.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(crate) enum Round {
    Up,
    Down,
    Nearest,
}

impl<'a> Draft<'a> {
    /// Nothing yet.
    pub(crate) fn new(ask: &'a Ask) -> Self {
        Draft {
            ask,
            choices: Vec::new(),
            steps: Vec::new(),
            promises: Vec::new(),
            warnings: Vec::new(),
            parts: Vec::new(),
            joints: Vec::new(),
            grounded: Vec::new(),
            width: 0,
            drawn: [Drawn::default(); 2],
        }
    }

    /// A quantity that may be chosen by hand; `default` (SI) otherwise.
    pub(crate) fn choose(
        &mut self,
        id: &'static str,
        title: &'static str,
        unit: Unit,
        default: f64,
        help: &'static str,
    ) -> f64 {
        let typed = self.ask.choices.get(id).filter(|t| !t.trim().is_empty());
        let read = typed.map(|text| evaluate(text, unit, &|_| None));
        let value = match &read {
            Some(Ok(value)) => *value,
            Some(Err(error)) => {
                self.warnings.push(format!("{title} “{}” cannot be read: {error}", typed.map_or("", String::as_str)));
                default
            }
            None => default,
        };
        let by_hand = matches!(read, Some(Ok(_)));
        let value_text = typed.filter(|_| by_hand).cloned().unwrap_or_else(|| entry(rounded(value)));
        let choice = Choice { id, title, help, unit: Some(unit), options: Vec::new(), value: value_text, by_hand };
        self.choices.push(choice);
        value
    }

    /// One of a few; the first unless chosen otherwise. Returns its index.
    pub(crate) fn pick(
        &mut self,
        id: &'static str,
        title: &'static str,
        options: &[(&str, &str)],
        help: &'static str,
    ) -> usize {
        let chosen = self.ask.choices.get(id).and_then(|c| options.iter().position(|(o, _)| o == c));
        let index = chosen.unwrap_or(0);
        self.choices.push(Choice {
            id,
            title,
            help,
            unit: None,
            value: options.get(index).map_or(String::new(), |(o, _)| (*o).to_owned()),
            options: options.iter().map(|(id, name)| ((*id).to_owned(), (*name).to_owned())).collect(),
            by_hand: chosen.is_some(),
        });
        index
    }

    /// Computes a formula over named numbers and shows it; the last step until another is made.
    pub(crate) fn step(
        &mut self,
        title: &str,
        unit: Unit,
        formula: &str,
        numbers: &[(&str, f64, Unit)],
        origin: &'static str,
    ) -> f64 {
        let lookup = |name: &str| numbers.iter().find(|(n, _, _)| *n == name).map(|(_, value, _)| *value);
        // A formula without a finite result shows as such; the form goes on with what it gets.
        let ideal = evaluate(formula, unit, &lookup).unwrap_or(f64::NAN);
        self.steps.push(Step {
            title: title.to_owned(),
            formula: formula.to_owned(),
            numbers: with_numbers(formula, numbers),
            origin,
            ideal,
            unit,
            taken: None,
            from: None,
            sets: None,
        });
        ideal
    }

    /// Takes a preferred value for the last step's result, of the usual series unless another was chosen.
    pub(crate) fn prefer(&mut self, usual: Series, round: Round) -> f64 {
        let series = self.series(usual);
        let kept = self.kept();
        let Some(step) = self.steps.last_mut() else { return f64::NAN };
        let ideal = step.ideal;
        let nearest = series.nearest(ideal).unwrap_or(ideal);
        let taken = match round {
            Round::Nearest => Some(nearest),
            _ if (nearest / ideal - 1.0).abs() < 1e-6 => Some(nearest),
            Round::Up => series.next(ideal),
            Round::Down => series.previous(ideal),
        };
        let taken = kept.or(taken);
        step.taken = taken.or(step.taken);
        step.from = Some(series_name(series));
        taken.unwrap_or(ideal)
    }

    /// What the last step took before, if that stays.
    pub(crate) fn kept(&self) -> Option<f64> {
        self.ask.kept.get(&self.steps.len().checked_sub(1)?).copied()
    }

    /// The series preferred values are taken from; it can be chosen once a form takes any.
    fn series(&mut self, usual: Series) -> Series {
        let chosen = self.ask.choices.get(SERIES).and_then(|c| OFFERED.into_iter().find(|s| series_name(*s) == c));
        if !self.choices.iter().any(|c| c.id == SERIES) {
            let named = OFFERED.map(|s| (series_name(s), series_name(s)));
            let options: Vec<_> = std::iter::once(("usual", "usual for each")).chain(named).collect();
            self.pick(SERIES, "Preferred values", &options, "The series of IEC 60063 that values are taken from.");
        }
        chosen.unwrap_or(usual)
    }

    /// Takes the smallest of a ladder of usual values that is no smaller than the last step's result.
    pub(crate) fn ladder(&mut self, values: &[f64], from: &'static str) -> f64 {
        let built = self.ask.built;
        let kept = self.kept();
        let Some(step) = self.steps.last_mut() else { return f64::NAN };
        let kept = kept.filter(|kept| built || *kept >= step.ideal * (1.0 - 1e-9));
        let taken = values.iter().copied().find(|v| *v >= step.ideal * (1.0 - 1e-9)).unwrap_or(step.ideal);
        let taken = kept.unwrap_or(taken);
        (step.taken, step.from) = (Some(taken), Some(from));
        taken
    }

    /// Takes a value found otherwise for the last step's result.
    pub(crate) fn take(&mut self, value: f64, from: &'static str) -> f64 {
        if let Some(step) = self.steps.last_mut() {
            (step.taken, step.from) = (Some(value), Some(from));
        }
        value
    }

    /// Writes what the last step took into a part's parameter; returns the value in force.
    pub(crate) fn sets(&mut self, role: &'static str, parameter: &'static str) -> f64 {
        let Some(step) = self.steps.last_mut() else { return f64::NAN };
        step.sets = Some(format!("{role}.{parameter}"));
        let value = step.taken.unwrap_or(step.ideal);
        self.set(role, parameter, value)
    }

    /// Writes a number into a part's parameter; returns the value in force, which is another if it was set
    /// by hand.
    pub(crate) fn set(&mut self, role: &'static str, parameter: &'static str, value: f64) -> f64 {
        self.word(role, parameter, &entry(rounded(value)));
        self.ask.by_hand.get(&format!("{role}.{parameter}")).copied().unwrap_or(value)
    }

    /// Rates a part for a value.
    pub(crate) fn rates(&mut self, role: &'static str, rating: &'static str, value: f64) {
        if let Some(part) = self.parts.iter_mut().find(|p| p.role == role) {
            part.ratings.insert(rating, entry(rounded(value)));
        }
    }

    /// A part's parameter in force: set by hand, or written before.
    pub(crate) fn value(&self, role: &str, parameter: &str) -> f64 {
        if let Some(value) = self.ask.by_hand.get(&format!("{role}.{parameter}")) {
            return *value;
        }
        let part = self.parts.iter().find(|p| p.role == role);
        let text = part.and_then(|p| p.parameters.get(parameter));
        text.and_then(|t| quantity::parse(t, Unit::One).ok()).unwrap_or(f64::NAN)
    }

    /// Writes a text into a part's parameter.
    pub(crate) fn word(&mut self, role: &'static str, parameter: &'static str, value: &str) {
        if let Some(part) = self.parts.iter_mut().find(|p| p.role == role) {
            part.parameters.insert(parameter, value.to_owned());
        }
    }

    /// Adds a part, its place relative to the middle of the joint before, its nets in pin order.
    pub(crate) fn part(&mut self, role: &'static str, kind: KindId, at: (i32, i32, Turn), nets: &[Net]) {
        self.mirrored(role, kind, at, false, nets);
    }

    /// As [`Draft::part`], mirrored if asked.
    pub(crate) fn mirrored(
        &mut self,
        role: &'static str,
        kind: KindId,
        (x, y, turn): (i32, i32, Turn),
        mirror: bool,
        nets: &[Net],
    ) {
        let at = Placement::new(x, y, turn, mirror);
        self.parts.push(Sketch {
            role,
            kind,
            at,
            nets: nets.to_vec(),
            parameters: BTreeMap::new(),
            ratings: BTreeMap::new(),
        });
    }

    /// A joint behind the stage.
    pub(crate) fn give(&mut self, kind: JointKind, nets: &[Net], delivered: Delivered) {
        self.joints.push((kind, nets.to_vec(), delivered));
    }

    /// Promises a number.
    pub(crate) fn promise(&mut self, title: &str, measure: ReadingMeasure, signal: &str, value: f64, unit: Unit) {
        let (title, signal) = (title.to_owned(), signal.to_owned());
        self.promises.push(Promise { title, measure, signal, value, unit, at_most: false });
    }

    /// Promises that a voltage never rises above a bound, from switching on, V.
    pub(crate) fn never_above(&mut self, signal: &str, value: f64) {
        self.promise("Highest, switching on included", ReadingMeasure::Max, signal, value, Unit::Volt);
        if let Some(promise) = self.promises.last_mut() {
            promise.at_most = true;
        }
    }
}

/// The choices that say which output a stage serves, on its positive and on its negative rail.
pub(crate) const OUTPUT: &str = "output";
pub(crate) const NEGATIVE: &str = "negative";

/// The choice of a series, and which are offered.
const SERIES: &str = "series";
const OFFERED: [Series; 5] = [Series::E3, Series::E6, Series::E12, Series::E24, Series::E96];

fn series_name(series: Series) -> &'static str {
    match series {
        Series::E3 => "E3",
        Series::E6 => "E6",
        Series::E12 => "E12",
        Series::E24 => "E24",
        Series::E48 => "E48",
        Series::E96 => "E96",
        Series::E192 => "E192",
    }
}

/// A value to four significant digits, as it is written into parameters.
pub(crate) fn rounded(value: f64) -> f64 {
    format!("{value:.3e}").parse().unwrap_or(value)
}

/// A formula with its names replaced by their values, multiplication as a dot.
fn with_numbers(formula: &str, numbers: &[(&str, f64, Unit)]) -> String {
    let mut text = String::new();
    let mut rest = formula;
    while let Some(c) = rest.chars().next() {
        let length = rest.find(|c: char| !(c.is_ascii_alphanumeric() || c == '_')).unwrap_or(rest.len());
        let word = &rest[..length];
        if c.is_ascii_alphabetic() {
            match numbers.iter().find(|(name, _, _)| *name == word) {
                Some((_, value, unit)) => text += &show(*value, *unit, 4),
                None => text += if word == "sqrt" { "√" } else { word },
            }
            rest = &rest[length..];
        } else if length > 0 {
            text += word;
            rest = &rest[length..];
        } else {
            text.push(if c == '*' { '·' } else { c });
            rest = &rest[c.len_utf8()..];
        }
    }
    text
}
