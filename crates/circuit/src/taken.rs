//! Readings and requirements turned into numbers.

use crate::dimensions::Dimensioned;
use crate::expression::work_out;
use crate::finding::{Findings, Place};
use crate::measures::{Measure, Subject};
use crate::points::points;
use crate::resolved::{
    Circuit, ReadingOf, ResolvedEvent, ResolvedPart, ResolvedReading, ResolvedRequirement, ResolvedWindow,
};
use crate::scope::Scope;
use crate::{Event, KindId, Quantity, Reading, ReadingMeasure, Requirement, Signal, StudyKind, Supply, Window};
use quantity::Unit;

/// The readings of a supply; a formula can use those that stand before it.
pub(crate) fn readings(
    supply: &Supply,
    circuit: &Circuit,
    scope: &Scope<'_>,
    findings: &mut Findings,
) -> Vec<ResolvedReading> {
    let place = |r: &Reading| Place::Reading { reading: r.id.clone() };
    findings.unique("readings", supply.readings.iter().map(|r| (r.id.as_str(), place(r))));
    let mut resolved: Vec<ResolvedReading> = Vec::new();
    for reading in &supply.readings {
        let mut own = Findings::default();
        let mut found = Taking { supply, circuit, reading, scope, findings: &mut own, before: &resolved }.resolved();
        // A reading that cannot be taken is no reason not to run: it has no value, and says why.
        found.problem = findings.take_lesser(own);
        // A typed value that cannot be read leaves the reading as it is.
        let mut own = Findings::default();
        let metered = |text: &String| {
            let what = format!("The metered value of reading {}", reading.id);
            scope.number(text, found.unit, (f64::MIN, f64::MAX), &what, place(reading), &mut own)
        };
        found.metered = reading.metered.as_ref().map(metered).filter(|v| v.is_finite());
        if findings.take_lesser(own).is_some() {
            found.metered = None;
        }
        resolved.push(found);
    }
    resolved
}

/// A reading being resolved.
struct Taking<'a, 'f> {
    supply: &'a Supply,
    circuit: &'a Circuit,
    reading: &'a Reading,
    scope: &'a Scope<'a>,
    findings: &'f mut Findings,
    before: &'a [ResolvedReading],
}

impl Taking<'_, '_> {
    fn place(&self) -> Place {
        Place::Reading { reading: self.reading.id.clone() }
    }

    fn error(&mut self, rule: &'static str, message: String, remedy: &str) {
        let place = self.place();
        self.findings.error(rule, place, message, remedy);
    }

    fn resolved(mut self) -> ResolvedReading {
        let reading = self.reading;
        let measure = reading.measure.measure();
        let study = self.supply.studies.iter().position(|s| s.id == reading.study).unwrap_or_else(|| {
            let message = format!("Reading {} is taken from study {}, which does not exist", reading.id, reading.study);
            self.error("unknown-study", message, "Name a study of this supply");
            usize::MAX
        });
        self.superfluous(measure);
        let timeless = self.circuit.studies.get(study).is_some_and(|study| study.kind == StudyKind::Frequency);
        if timeless && !matches!(measure.of, Subject::Curve | Subject::Readings) {
            let message = format!("Reading {} is taken over time, and study {} has none", reading.id, reading.study);
            self.error("no-time", message, "Take it from another study, or choose a measure over frequency");
        }
        let (of, unit) = self.subject(measure);
        let mask = self.mask(measure);
        let quantity = of.quantity();
        let numbers = self.numbers(measure, quantity);
        let window = self.window(&of);
        let fundamental = self.circuit.fundamental();
        ResolvedReading {
            id: reading.id.clone(),
            study,
            measure: reading.measure,
            of,
            numbers,
            unit,
            fundamental,
            window,
            mask,
            metered: None,
            problem: None,
        }
    }

    /// Says what is stated but not taken notice of.
    fn superfluous(&mut self, measure: &Measure) {
        let r = self.reading;
        let stated = [
            (!r.signal.is_empty() && matches!(measure.of, Subject::Stage | Subject::Readings), "a signal"),
            (r.current.is_some() && measure.of != Subject::Port, "a current"),
            (r.stage.is_some() && measure.of != Subject::Stage, "a stage"),
            (r.formula.is_some() && measure.of != Subject::Readings, "a formula"),
        ];
        for (_, what) in stated.into_iter().filter(|(stated, _)| *stated) {
            let message = format!("Reading {} states {what}, which “{}” does not take", r.id, measure.name);
            self.error("superfluous", message, "Leave it out, or choose another measure");
        }
    }

    fn subject(&mut self, measure: &Measure) -> (ReadingOf, Unit) {
        let reading = self.reading;
        match measure.of {
            Subject::Signal => {
                let signal = self.signal(&reading.signal, None);
                let unit = measure.unit.unit(signal.quantity());
                (ReadingOf::Signal(signal), unit)
            }
            Subject::Port => {
                let voltage = self.signal(&reading.signal, Some(Quantity::Voltage));
                let current = self.signal(reading.current.as_deref().unwrap_or_default(), Some(Quantity::Current));
                let current = self.circuit.delivered(current);
                (ReadingOf::Port { voltage, current }, measure.unit.unit(Quantity::Voltage))
            }
            Subject::Stage => {
                let stage = reading.stage.as_ref().and_then(|id| {
                    let found = self.circuit.stages.iter().position(|s| s.id == *id);
                    if found.is_none() {
                        let message = format!("Reading {} is taken of stage {id}, which does not exist", reading.id);
                        self.error("unknown-stage", message, "Name a stage of this supply, or none for the whole");
                    }
                    found
                });
                (ReadingOf::Stage(stage), measure.unit.unit(Quantity::Power))
            }
            Subject::Curve => {
                let (text, own) = (reading.signal.clone(), self.curve(&reading.signal));
                let unit = measure.unit.for_unit(own).unwrap_or(own);
                (ReadingOf::Curve(text), unit)
            }
            Subject::Readings => {
                let formula = reading.formula.clone().unwrap_or_default();
                let unit = self.formula(&formula);
                (ReadingOf::Formula(formula), unit)
            }
        }
    }

    fn signal(&mut self, text: &str, quantity: Option<Quantity>) -> Signal {
        let id = &self.reading.id;
        let signal = match Signal::parse(text) {
            Ok(signal) => signal,
            Err(error) => {
                let message = format!("Signal “{text}” of reading {id} cannot be read: {error}");
                let remedy = "Write a net or part with .v, .i or .p, such as bus.v or D1.i; join several with + and -";
                self.error("unreadable-signal", message, remedy);
                return Signal { terms: Vec::new() };
            }
        };
        if let Some(wanted) = quantity.filter(|q| *q != signal.quantity()) {
            let (what, remedy) = match wanted {
                Quantity::Voltage => ("a voltage as its signal", "Write a voltage such as V1.v"),
                _ => (
                    "a current beside its voltage",
                    "Write a current such as V1.i; a source's own counts as it delivers",
                ),
            };
            self.error("unreadable-signal", format!("Reading {id} takes {what}, not {text}"), remedy);
        }
        let mut unknown = Vec::new();
        unknown_terms(self.circuit, &signal, |message| unknown.push(message));
        for message in unknown {
            self.error("unknown-signal", message, "Name a net (with .v) or a part (with .v, .i or .p)");
        }
        signal
    }

    /// The points of its mask, if its measure takes one.
    fn mask(&mut self, measure: &Measure) -> Vec<(f64, f64)> {
        let reading = self.reading;
        let takes = matches!(measure.id, ReadingMeasure::MaskUse | ReadingMeasure::MaskRest);
        let (id, remedy) = (&reading.id, "Give frequencies and magnitudes in pairs, such as 10 100m, 1M 1");
        match (&reading.mask, takes) {
            (None, false) => Vec::new(),
            (Some(_), false) => {
                let message = format!("Reading {id} states a mask, which “{}” does not take", measure.name);
                self.error("superfluous", message, "Leave it out, or choose another measure");
                Vec::new()
            }
            (None, true) => {
                self.error("no-mask", format!("Reading {id} states no mask"), remedy);
                Vec::new()
            }
            (Some(text), true) => {
                let unit = self.curve(&reading.signal);
                let what = format!("The points of the mask of reading {id}");
                let place = self.place();
                let points = points(text, (Unit::Hertz, unit), &what, self.scope, &place, self.findings);
                let points = points.unwrap_or_default();
                if points.len() < 2 || points.iter().any(|(f, size)| *f <= 0.0 || *size <= 0.0) {
                    let message = format!("The mask of reading {id} covers nothing");
                    self.error("no-mask", message, "Give two points or more, frequencies and magnitudes above zero");
                    return Vec::new();
                }
                points
            }
        }
    }

    /// The unit of a formula of its study's curves.
    fn curve(&mut self, text: &str) -> Unit {
        let id = &self.reading.id;
        let study = self.circuit.studies.iter().find(|study| study.id == self.reading.study);
        let Some(study) = study.filter(|study| study.kind == StudyKind::Frequency) else {
            let message = format!("Reading {id} is taken over frequency, and study {} is not", self.reading.study);
            self.error("no-curves", message, "Take it from a frequency study");
            return Unit::One;
        };
        let unit_of = |name: &str| match study.questions.iter().find(|question| question.id == name) {
            Some(question) => Ok(Dimensioned::new(1.0, question.unit)),
            None => Err(format!("study {} asks nothing named {name}", study.id)),
        };
        match work_out(text, &unit_of).map(|value| (value, value.unit())) {
            Ok((_, Some(unit))) => unit,
            Ok((value, None)) => {
                let message =
                    format!("“{text}” of reading {id} comes out in {}, a unit without a name", value.symbol());
                self.error("unit", message, "Divide or multiply so that Ω, S or a plain number is left");
                Unit::One
            }
            Err(error) => {
                let message = format!("Curve “{text}” of reading {id} cannot be read: {error}");
                self.error(
                    "unreadable-formula",
                    message,
                    "Name a question of the study, or a formula such as zout / (1 + loop)",
                );
                Unit::One
            }
        }
    }

    fn formula(&mut self, text: &str) -> Unit {
        let before = self.before;
        let unit_of = |name: &str| match before.iter().find(|r| r.id == name) {
            Some(r) => Ok(Dimensioned::new(1.0, r.unit)),
            None => Err(format!("there is no reading named {name} before this one")),
        };
        let found = work_out(text, &unit_of);
        let id = &self.reading.id;
        match found.map(|value| (value, value.unit())) {
            Ok((_, Some(unit))) => return unit,
            Ok((value, None)) => {
                let message = format!("Formula of reading {id} comes out in {}, a unit without a name", value.symbol());
                self.error("unit", message, "Divide or multiply so that a unit such as V, A, W, s or none is left");
            }
            Err(error) => {
                let message = format!("Formula “{text}” of reading {id} cannot be read: {error}");
                self.error("unreadable-formula", message, "Write arithmetic among readings, such as ripple / mean");
            }
        }
        Unit::One
    }

    fn numbers(&mut self, measure: &Measure, quantity: Quantity) -> Vec<Option<f64>> {
        let reading = self.reading;
        for name in reading.numbers.keys().filter(|name| !measure.numbers.iter().any(|n| n.id == **name)) {
            let known: Vec<&str> = measure.numbers.iter().map(|n| n.id).collect();
            let message =
                format!("Reading {} gives a number {name}, which “{}” does not take", reading.id, measure.name);
            let remedy =
                if known.is_empty() { "It takes none".to_owned() } else { format!("It takes {}", known.join(", ")) };
            self.error("unknown-number", message, &remedy);
        }
        let one = |taking: &mut Self, number: &crate::MeasureNumber| {
            let text = reading.numbers.get(number.id).map(String::as_str).or(number.default)?;
            if !number.options.is_empty() {
                let found = number.options.iter().position(|o| *o == text);
                if found.is_none() {
                    let message = format!("{} of reading {} is “{text}”", number.name, reading.id);
                    taking.error("unknown-choice", message, &format!("Choose from {}", number.options.join(", ")));
                }
                return found.map(|place| place as f64);
            }
            let what = format!("{} of reading {}", number.name, reading.id);
            let place = taking.place();
            Some(taking.scope.number(text, number.unit.unit(quantity), number.range(), &what, place, taking.findings))
        };
        measure.numbers.iter().map(|number| one(self, number)).collect()
    }

    fn time(&mut self, text: &str) -> f64 {
        let what = format!("Window of reading {}", self.reading.id);
        let place = self.place();
        self.scope.number(text, Unit::Second, (0.0, 1e9), &what, place, self.findings)
    }

    fn event(&mut self, event: &Event) -> ResolvedEvent {
        match event {
            Event::Time(text) => ResolvedEvent::At(self.time(text)),
            Event::Change(of) => ResolvedEvent::At(self.step(Some(of))),
            Event::Crossing { signal, level, direction, number } => {
                let signal = self.signal(signal, None);
                let what = format!("Level in the window of reading {}", self.reading.id);
                let (unit, place) = (signal.quantity().unit(), self.place());
                let level = self.scope.number(level, unit, (-1e15, 1e15), &what, place, self.findings);
                if *number == 0 {
                    let message = format!("The window of reading {} asks for crossing 0", self.reading.id);
                    self.error("empty-window", message, "The first one is 1");
                }
                ResolvedEvent::Crossing { signal, level, direction: *direction, number: *number }
            }
        }
    }

    /// The signal that has to settle, with the only period it can have.
    fn settling(&mut self, named: Option<&str>, band: Option<&str>, of: &ReadingOf) -> ResolvedWindow {
        let signal = match (named, of) {
            (Some(text), _) => self.signal(text, None),
            (None, ReadingOf::Signal(signal) | ReadingOf::Port { current: signal, .. }) => signal.clone(),
            (None, _) => {
                let message = format!("The window of reading {} names no signal that has to settle", self.reading.id);
                self.error("unknown-signal", message, "Name one in its “of”, such as the output's voltage");
                Signal { terms: Vec::new() }
            }
        };
        let what = format!("Band in the window of reading {}", self.reading.id);
        let place = self.place();
        let band = self.scope.number(band.unwrap_or("2 %"), Unit::Share, (1e-9, 1.0), &what, place, self.findings);
        ResolvedWindow::Settled { signal, band, period: self.circuit.fundamental().map(|f| 1.0 / f) }
    }

    fn window(&mut self, taken_of: &ReadingOf) -> ResolvedWindow {
        match &self.reading.window {
            Window::WholeRun => ResolvedWindow::WholeRun,
            Window::Between { from, to } => {
                let (from, to) = (self.time(from), self.time(to));
                if from >= to {
                    let message = format!("The window of reading {} ends before it starts", self.reading.id);
                    self.error("empty-window", message, "Let it end later than it starts");
                }
                ResolvedWindow::Between(from, to)
            }
            Window::AfterSettled { of, band } => self.settling(of.as_deref(), band.as_deref(), taken_of),
            Window::BetweenEvents { from, to } => {
                let (from, to) = (self.event(from), self.event(to));
                if let (ResolvedEvent::At(a), ResolvedEvent::At(b)) = (&from, &to)
                    && a >= b
                {
                    let message = format!("The window of reading {} ends before it starts", self.reading.id);
                    self.error("empty-window", message, "Let it end later than it starts");
                }
                ResolvedWindow::Events(from, to)
            }
            Window::AroundStep { of, before, after } => {
                let step = self.step(of.as_deref());
                let before = before.as_ref().map_or(0.0, |text| self.time(text));
                let from = (step - before).max(0.0);
                match after {
                    Some(after) => ResolvedWindow::Between(from, step + self.time(after)),
                    None => ResolvedWindow::From(from),
                }
            }
            Window::LastPeriods { count, period_of } => {
                let place = self.place();
                let period = period(self.circuit, *count, period_of.as_deref(), || place.clone(), self.findings);
                ResolvedWindow::Last(f64::from(*count) * period)
            }
        }
    }

    /// When a part first changes, s.
    fn step(&mut self, of: Option<&str>) -> f64 {
        // What the study itself makes step.
        let study = self.supply.studies.iter().position(|s| s.id == self.reading.study);
        let made = study.and_then(|study| self.circuit.studies[study].step.as_ref());
        if let Some((_, at)) = made.filter(|(part, _)| of.is_none_or(|of| of == part)) {
            return *at;
        }
        let changes = |part: &&ResolvedPart| first_change(part).is_some();
        let mut changing = self.circuit.parts.iter().filter(changes);
        let found = match of {
            Some(id) => changing.find(|p| p.id == id),
            None => changing.next().filter(|_| changing.next().is_none()),
        };
        found.and_then(first_change).unwrap_or_else(|| {
            let message = match of {
                Some(id) => format!("{id} does not change while a run goes on"),
                None => "There is not exactly one part that changes while a run goes on".to_owned(),
            };
            let remedy = "Name a stepped load, a timed switch or a source that changes in the window's “of”";
            self.error("unknown-step", message, remedy);
            f64::NAN
        })
    }
}

/// When a part changes for the first time, s.
fn first_change(part: &ResolvedPart) -> Option<f64> {
    match part.kind {
        KindId::SteppedLoad | KindId::PulseSource => Some(part.value("delay")),
        KindId::TimedSwitch => Some(part.value("changes_at")),
        KindId::SineSource if part.value("changes_to") != 1.0 => Some(part.value("changes_at")),
        KindId::ExponentialSource => Some(part.value("rise_at")),
        KindId::PiecewiseSource => part.points.windows(2).find(|pair| pair[0].1 != pair[1].1).map(|pair| pair[0].0),
        _ => None,
    }
}

fn period(circuit: &Circuit, count: u32, of: Option<&str>, place: impl Fn() -> Place, findings: &mut Findings) -> f64 {
    let mut periodic = circuit.parts.iter().filter(|p| p.period().is_some());
    let found = match of {
        Some(id) => periodic.find(|p| p.id == id),
        None => periodic.next().filter(|_| periodic.next().is_none()),
    };
    if count == 0 {
        findings.error("empty-window", place(), "The window covers no period".into(), "Let it cover one or more");
    }
    found.and_then(ResolvedPart::period).unwrap_or_else(|| {
        let message = match of {
            Some(id) => format!("{id} is not a periodic source"),
            None => "There is not exactly one periodic source to count periods of".to_owned(),
        };
        findings.error("unknown-period", place(), message, "Name a sine or pulse source in period_of");
        f64::NAN
    })
}

/// Calls `report` for every term of a signal that names nothing in the circuit.
fn unknown_terms(circuit: &Circuit, signal: &Signal, mut report: impl FnMut(String)) {
    for term in &signal.terms {
        let is_net = circuit.net(&term.of).is_some();
        match (circuit.part(&term.of).is_some(), is_net, term.quantity) {
            (true, _, _) | (_, true, Quantity::Voltage) => {}
            (false, true, _) => report(format!("{} is a net; only parts have currents and powers", term.of)),
            (false, false, _) => report(format!("There is no net or part named {}", term.of)),
        }
    }
}

pub(crate) fn requirement(
    circuit: &Circuit,
    requirement: &Requirement,
    scope: &Scope<'_>,
    findings: &mut Findings,
) -> ResolvedRequirement {
    let place = || Place::Requirement { requirement: requirement.id.clone() };
    let found = circuit.readings.iter().position(|r| r.id == requirement.reading);
    if found.is_none() {
        findings.error(
            "unknown-reading",
            place(),
            format!(
                "Requirement {} is decided by reading {}, which does not exist",
                requirement.id, requirement.reading
            ),
            "Name a reading of this supply",
        );
    }
    let unit = found.map_or(Unit::One, |i| circuit.readings[i].unit);
    let mut limit = |text: &Option<String>| {
        let what = format!("Limit of requirement {}", requirement.id);
        text.as_ref().map(|t| scope.number(t, unit, (-1e15, 1e15), &what, place(), findings))
    };
    let (at_least, at_most) = (limit(&requirement.at_least), limit(&requirement.at_most));
    if at_least.is_none() && at_most.is_none() {
        findings.error(
            "no-limit",
            place(),
            format!("Requirement {} states no limit", requirement.id),
            "Give at_least, at_most or both",
        );
    }
    ResolvedRequirement { id: requirement.id.clone(), reading: found.unwrap_or(usize::MAX), at_least, at_most }
}
