//! What parts have to bear, and how much of their ratings that uses.

use crate::recorded::{Recorded, covering, last_period};
use circuit::kinds::{Rating, Stress};
use circuit::{Circuit, GND, Quantity, ResolvedPart, Signal, Term};
use readings::{Question, Span, Survey, Ticket, Way};
use schemars::JsonSchema;
use serde::{Deserialize, Serialize};

/// What a part had to bear over a span: voltage and current at their worst; what heats it over the span's last period, for a
/// surge that is over at once is told by its peak.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize, JsonSchema)]
pub struct PartStress {
    /// Designator.
    pub part: String,
    /// Largest voltage of its first pin against its second, either way, V.
    pub voltage: Peak,
    /// Largest current into its first pin, either way, A.
    pub current: Peak,
    /// RMS of that current over the last period, A.
    pub rms_current: f64,
    /// Mean power it absorbs over the last period, W.
    pub power: f64,
    /// What each rating of its kind is held against, whether it states that rating or not.
    pub borne: Vec<Borne>,
}

/// A largest value and when it was reached first.
#[derive(Clone, Copy, Debug, PartialEq, Serialize, Deserialize, JsonSchema)]
pub struct Peak {
    /// V or A.
    pub value: f64,
    /// s.
    pub at: f64,
}

/// What is held against a rating.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize, JsonSchema)]
pub struct Borne {
    /// The rating, by its identifier.
    pub rating: String,
    /// In its unit.
    pub value: f64,
    /// When it was that much, s; none of what is meant over a period.
    pub at: Option<f64>,
}

/// How much of a rating is used.
#[derive(Clone, Copy, Debug)]
pub struct RatingUsed {
    /// The rating.
    pub rating: &'static Rating,
    /// What is held against it, in its unit.
    pub value: f64,
    /// What the part is rated for, in its unit.
    pub rated: f64,
    /// How much of that may be used.
    pub allowed: f64,
    /// When it was that much, s.
    pub at: Option<f64>,
}

impl RatingUsed {
    /// The share used of what may be used.
    pub fn share(&self) -> f64 {
        self.value / (self.rated * self.allowed)
    }
}

impl PartStress {
    /// How much of each rating that the part states is used.
    pub fn used<'a>(&'a self, circuit: &'a Circuit, part: &'a ResolvedPart) -> impl Iterator<Item = RatingUsed> + 'a {
        let ratings = part.kind.kind().ratings.iter().zip(&part.ratings);
        ratings.filter_map(|(rating, rated)| {
            let borne = self.borne.iter().find(|borne| borne.rating == rating.id)?;
            let allowed = circuit.allowed.of(rating.stress);
            Some(RatingUsed { rating, value: borne.value, rated: (*rated)?, allowed, at: borne.at })
        })
    }
}

/// The signal that is held against a rating of a part.
pub fn borne_by(circuit: &Circuit, part: &ResolvedPart, rating: &Rating) -> Signal {
    let term = |of: &str, quantity, negative| Term { negative, of: of.to_owned(), quantity };
    let terms = match rating.stress {
        Stress::Voltage | Stress::ReverseVoltage => {
            let pins = [(rating.pins.0, false), (rating.pins.1, true)];
            let nets = pins.map(|(pin, negative)| (circuit.nets[part.pins[pin]].as_str(), negative));
            let beside = nets.into_iter().filter(|(net, _)| *net != GND);
            let terms: Vec<Term> = beside.map(|(net, negative)| term(net, Quantity::Voltage, negative)).collect();
            // Both of its pins at gnd, its own voltage is as good.
            if terms.is_empty() { vec![term(&part.id, Quantity::Voltage, false)] } else { terms }
        }
        Stress::Power => vec![term(&part.id, Quantity::Power, false)],
        Stress::MeanCurrent | Stress::RmsCurrent | Stress::PeakCurrent => {
            vec![term(&part.id, Quantity::Current, false)]
        }
    };
    Signal { terms }
}

/// What parts have to bear, on its way.
pub(crate) struct Stressing {
    parts: Vec<OfPart>,
}

struct OfPart {
    place: usize,
    voltage: Ticket,
    current: Ticket,
    lately: Ticket,
    power: Ticket,
    /// Between the pins of each rated voltage.
    across: Vec<Option<(Ticket, Way)>>,
}

impl Stressing {
    /// Asks for it over a span, of the parts that can be rated and are wanted; of those of which something was not recorded nothing
    /// is known.
    pub(crate) fn new(
        of: &Recorded<'_, '_>,
        span: Span,
        wanted: impl Fn(&ResolvedPart) -> bool,
        survey: &mut Survey,
    ) -> Self {
        let circuit = of.circuit;
        let last = last_period(circuit, span.from, span.to);
        let lately = covering(of.whole, last).ok();
        let mut parts = Vec::new();
        for (place, part) in circuit.parts.iter().enumerate().filter(|(_, part)| wanted(part)) {
            let kind = part.kind.kind();
            let own = |quantity| Signal { terms: vec![Term { negative: false, of: part.id.clone(), quantity }] };
            let mut peak = |signal: Signal, way: Way| {
                let recipe = of.recipe(&signal).ok()?;
                Some(survey.ask_within(vec![recipe], span, Question::farthest(span, way)))
            };
            let across = kind.ratings.iter().map(|rating| {
                let way = match rating.stress {
                    Stress::Voltage => Way::Either,
                    Stress::ReverseVoltage => Way::Below,
                    _ => return None,
                };
                Some((peak(borne_by(circuit, part, rating), way)?, way))
            });
            let across: Vec<_> = across.collect();
            let voltage = peak(own(Quantity::Voltage), Way::Either);
            let current = peak(own(Quantity::Current), Way::Either);
            let mut meant = |quantity| {
                let recipe = of.recipe(&own(quantity)).ok()?;
                Some(survey.ask_within(vec![recipe], lately?, Question::Figures))
            };
            let (lately, power) = (meant(Quantity::Current), meant(Quantity::Power));
            if let (Some(voltage), Some(current), Some(lately), Some(power)) = (voltage, current, lately, power) {
                parts.push(OfPart { place, voltage, current, lately, power, across });
            }
        }
        Stressing { parts }
    }

    pub(crate) fn found(&self, circuit: &Circuit, survey: &Survey) -> Vec<PartStress> {
        let peak = |ticket: Ticket, way: Way| {
            let value = way.of(&survey.figures(ticket)).max(0.0);
            survey.answer(ticket).ok().map(|at| Peak { value, at }).filter(|peak| peak.value.is_finite())
        };
        let found = self.parts.iter().filter_map(|of| {
            let part = &circuit.parts[of.place];
            let (voltage, current) = (peak(of.voltage, Way::Either)?, peak(of.current, Way::Either)?);
            let lately = survey.figures(of.lately);
            let power = survey.figures(of.power).mean();
            let borne = part.kind.kind().ratings.iter().zip(&of.across).filter_map(|(rating, across)| {
                let (value, at) = match rating.stress {
                    Stress::Voltage | Stress::ReverseVoltage => {
                        let (ticket, way) = (*across)?;
                        let Peak { value, at } = peak(ticket, way)?;
                        (value, Some(at))
                    }
                    Stress::PeakCurrent => (current.value, Some(current.at)),
                    Stress::RmsCurrent => (lately.rms(), None),
                    Stress::MeanCurrent => (lately.mean(), None),
                    Stress::Power => (power, None),
                };
                Some(Borne { rating: rating.id.to_owned(), value, at })
            });
            let borne = borne.collect();
            let rms_current = lately.rms();
            Some(PartStress { part: part.id.clone(), voltage, current, rms_current, power, borne })
        });
        found.filter(|stress| stress.rms_current.is_finite() && stress.power.is_finite()).collect()
    }

    /// The largest share that any part uses of a rating it states.
    ///
    /// # Errors
    /// Where no part states one, in words.
    pub(crate) fn most_used(&self, circuit: &Circuit, survey: &Survey) -> Result<f64, String> {
        let stresses = self.found(circuit, survey);
        let used = stresses.iter().flat_map(|stress| {
            let part = circuit.part(&stress.part).map(|place| &circuit.parts[place]);
            part.into_iter().flat_map(|part| stress.used(circuit, part).map(|used| used.share()))
        });
        used.max_by(f64::total_cmp).ok_or_else(|| {
            "no part there states what it is rated for; take parts from the catalogue or type their ratings".to_owned()
        })
    }
}
