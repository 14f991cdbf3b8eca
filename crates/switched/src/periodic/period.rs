//! What comes round: a period that clocks and sources give, or one of a circuit's own, from an event to where the same happens
//! again.
//! A circuit that nothing drives in time has no period known in advance, and any state of its orbit can be the first. The map from
//! one occurrence of an event to the next has a fixed point all the same, and its derivative is what differences are where each
//! comes to its own event (a Poincaré map; T. S. Parker & L. O. Chua, *Practical Numerical Algorithms for Chaotic Systems*, 1989,
//! from memory).

use crate::error::SwitchedError;
use crate::network::course::Course;
use crate::periodic::monodromy::{Along, Differences, Event, walk};
use crate::stepping::machine::Machine;
use crate::stepping::walker::Walker;
use circuit::common_period;
use std::collections::BTreeMap;

/// Events that are looked at before one is chosen, and at most.
const LOOKED_AT: usize = 400;
const MOST: usize = 20_000;
/// Stretches of the later half of them, in each of which what happens again and again has happened.
const STRETCHES: usize = 4;
/// Rounds after which what was chosen is trusted, and choices at most.
const TRUSTED: usize = 4;
const CHOICES: usize = 20;
/// Steps in which something must happen.
const PATIENT: usize = 20_000;

/// What an element does at an event.
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord)]
pub(crate) struct Marker {
    element: usize,
    from: u8,
    to: u8,
}

/// What comes round.
#[derive(Clone, Copy, Debug)]
pub(crate) enum Round {
    /// A time, s, and where in it the period begins.
    Clocked { period: f64, section: f64 },
    /// An event.
    Free { marker: Marker },
}

impl Round {
    /// Walks once round from where a walker stands; how long that took, s.
    pub(crate) fn walk(&self, walker: &mut Walker, differences: &mut Differences) -> Result<f64, SwitchedError> {
        let from = walker.machine.t;
        match self {
            Round::Clocked { period, .. } => walk(walker, from + period, differences)?,
            Round::Free { marker } => {
                let mut until = Until { marker: *marker, differences, met: false, events: 0, steps: 0 };
                walk(walker, f64::INFINITY, &mut until)?;
                if !until.met {
                    let why = "what repeated at first does not any more".to_owned();
                    return Err(SwitchedError::NotPeriodic { why });
                }
            }
        }
        Ok(walker.machine.t - from)
    }

    /// Sets the time back to where a round begins.
    pub(crate) fn back(&self, machine: &mut Machine) {
        match self {
            Round::Clocked { period, section } => machine.back(*period, *section),
            Round::Free { .. } => machine.back(f64::INFINITY, 0.0),
        }
    }
}

/// Differences up to a marker, where each comes to its own event.
struct Until<'a> {
    marker: Marker,
    differences: &'a mut Differences,
    met: bool,
    events: usize,
    /// Steps since the last event.
    steps: usize,
}

impl Along for Until<'_> {
    fn goes(&mut self, machine: &mut Machine, length: f64) {
        self.differences.goes(machine, length);
    }
    fn steps(&mut self) {
        self.steps += 1;
    }
    fn tires(&self) -> bool {
        self.steps > PATIENT
    }
    fn passes(&mut self, machine: &Machine, event: Event) -> bool {
        self.met = self.marker.is_of(machine, event.was);
        if !self.met {
            (self.events, self.steps) = (self.events + 1, 0);
            return self.events < MOST && self.differences.passes(machine, event);
        }
        self.differences.meet(machine, &event);
        false
    }
}

/// What elements did that decide by themselves, since a configuration.
fn markers(machine: &Machine, was: usize) -> impl Iterator<Item = Marker> + '_ {
    let (was, is) = (&machine.compiled[was].of.regions, machine.regions());
    let elements = machine.network.elements.iter().enumerate();
    let decide = elements.filter(|(_, element)| element.changes.is_controlled()).map(|(element, _)| element);
    decide
        .map(|element| Marker { element, from: was[element], to: is[element] })
        .filter(|marker| marker.from != marker.to)
}

impl Marker {
    /// Whether it is this that has happened since a configuration.
    pub(crate) fn is_of(self, machine: &Machine, was: usize) -> bool {
        let (was, is) = (&machine.compiled[was].of.regions, machine.regions());
        was[self.element] == self.from && is[self.element] == self.to && self.from != self.to
    }
}

/// Events as they come, and steps since the last.
#[derive(Default)]
pub(crate) struct Noted(Vec<Marker>, usize);

impl Along for Noted {
    fn goes(&mut self, _: &mut Machine, _: f64) {}
    fn steps(&mut self) {
        self.1 += 1;
    }
    fn tires(&self) -> bool {
        self.1 > PATIENT
    }
    fn passes(&mut self, machine: &Machine, event: Event) -> bool {
        self.1 = 0;
        self.note(machine, event.was).is_none() && !self.is_full()
    }
}

impl Noted {
    /// Takes an event, by the configuration before it; what comes round, once enough of them are known.
    pub(crate) fn note(&mut self, machine: &Machine, was: usize) -> Option<Marker> {
        let before = self.0.len();
        self.0.extend(markers(machine, was));
        let twice_as_many = self.0.len().max(1).ilog2() > before.max(1).ilog2();
        let chosen = if twice_as_many && self.0.len() >= LOOKED_AT { self.chosen() } else { None };
        chosen.filter(|(_, rare)| !rare).map(|(marker, _)| marker)
    }

    /// Whether more would tell no more.
    pub(crate) fn is_full(&self) -> bool {
        self.0.len() >= MOST
    }

    /// Of the events in the later half the one that happens least often, but again and again; and whether others are rarer still.
    fn chosen(&self) -> Option<(Marker, bool)> {
        let later = &self.0[self.0.len() / 2..];
        let mut count: BTreeMap<Marker, usize> = BTreeMap::new();
        later.iter().for_each(|marker| *count.entry(*marker).or_default() += 1);
        let stretches = || later.chunks(later.len().div_ceil(STRETCHES).max(1));
        let again = |marker: &Marker| stretches().all(|stretch| stretch.contains(marker));
        let rare = count.keys().any(|marker| !again(marker));
        let chosen = count.into_iter().filter(|(marker, _)| again(marker)).min_by_key(|(_, times)| *times)?;
        Some((chosen.0, rare))
    }
}

/// The event from which a circuit without clocks comes round; the walker then stands behind one.
///
/// # Errors
/// [`SwitchedError::NotPeriodic`] if nothing happens again and again.
pub(crate) fn free(walker: &mut Walker) -> Result<Round, SwitchedError> {
    for _ in 0..CHOICES {
        let mut noted = Noted::default();
        walk(walker, f64::INFINITY, &mut noted)?;
        let Some((marker, _)) = noted.chosen().filter(|_| !noted.tires()) else { break };
        let round = Round::Free { marker };
        // What belonged to switching on alone does not come again.
        let mut holds = Ok(0.0);
        for _ in 0..TRUSTED {
            holds = holds.and_then(|_| round.walk(walker, &mut Differences(Vec::new())));
        }
        round.back(&mut walker.machine);
        match holds {
            Ok(_) => return Ok(round),
            Err(SwitchedError::NotPeriodic { .. }) => {}
            Err(error) => return Err(error),
        }
    }
    let why = "nothing repeats: no source has a period, and no part switches again and again by itself".to_owned();
    Err(SwitchedError::NotPeriodic { why })
}

/// The shortest time in which everything that repeats comes round, s; none where nothing is known to repeat.
pub(crate) fn period_of(machine: &Machine) -> Result<Option<f64>, SwitchedError> {
    let periods: Vec<f64> = machine.network.courses.iter().filter_map(Course::period).collect();
    common_period(&periods).map_err(|why| SwitchedError::NotPeriodic { why })
}
