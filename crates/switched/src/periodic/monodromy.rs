//! Walks over a period without a record, with whatever goes along: small differences among others, of which a period makes the
//! monodromy, events with their saltation included.

use crate::configuration::{Configuration, Jump};
use crate::error::SwitchedError;
use crate::stepping::machine::{Change, Machine};
use crate::stepping::walker::{Ends, Step, Walker};
use linear::{Matrix, dot};

/// Steps from which on a walk does not end, and those of all walks of a search together.
const MOST_STEPS: usize = 500_000;
const MOST_IN_ALL: u64 = 2_000_000;

/// What goes along with a walk.
pub(crate) trait Along {
    /// A step more.
    fn steps(&mut self) {}
    /// Through the configuration at hand for a time, s: once for all steps up to an event or the end.
    fn goes(&mut self, machine: &mut Machine, length: f64);
    /// Past an event; whether the walk goes on behind it.
    fn passes(&mut self, machine: &Machine, event: Event) -> bool;
    /// Whether it has waited for long enough.
    fn tires(&self) -> bool {
        false
    }
}

/// What goes along with a walk nobody looks at.
impl Along for () {
    fn goes(&mut self, _: &mut Machine, _: f64) {}
    fn passes(&mut self, _: &Machine, _: Event) -> bool {
        true
    }
}

/// An event, as small differences see it.
pub(crate) struct Event {
    /// The configuration that ended, and what happened to what runs.
    pub(crate) was: usize,
    pub(crate) jumps: Vec<Jump>,
    /// The guard that gave way, by its place, and how fast it fell, 1/s; none at times known in advance.
    guard: Option<(usize, f64)>,
    /// What ran right before.
    pub(crate) z: Vec<f64>,
    /// How fast what runs moved before and moves after.
    before: Vec<f64>,
    after: Vec<f64>,
}

impl Event {
    fn new(machine: &Machine, step: Step) -> Self {
        let before = machine.rates();
        let guard = match step.ends {
            Ends::Guard(guard) => {
                let row = &machine.compiled[machine.at].of.guards[guard].levels[0];
                Some((guard, dot(row, &before)))
            }
            Ends::Open | Ends::Target => None,
        };
        Event { was: machine.at, jumps: Vec::new(), guard, z: machine.z.clone(), before, after: Vec::new() }
    }

    /// How much later it comes by a small difference before it, s; `of` is the configuration that ended.
    pub(crate) fn later(&self, of: &Configuration, difference: &[f64]) -> f64 {
        match self.guard {
            Some((guard, falls)) if falls != 0.0 => -dot(&of.guards[guard].levels[0], difference) / falls,
            _ => 0.0,
        }
    }

    /// What becomes of a small difference where each comes to its own event: what has gone on until then, and what happens. How
    /// much later that is, s.
    pub(crate) fn meets<'a>(&self, of: &impl Fn(usize) -> &'a Configuration, difference: &mut [f64]) -> f64 {
        let later = self.later(of(self.was), difference);
        difference.iter_mut().zip(&self.before).for_each(|(d, rate)| *d += later * rate);
        let mut z = self.z.clone();
        self.jumps.iter().for_each(|jump| jump.happen(of(jump.of()), &mut z, difference));
        later
    }

    /// What becomes of a small difference at one time behind the event: what has not yet gone on is missing.
    pub(crate) fn shift<'a>(&self, of: &impl Fn(usize) -> &'a Configuration, difference: &mut [f64]) {
        let later = self.meets(of, difference);
        difference.iter_mut().zip(&self.after).for_each(|(d, rate)| *d -= later * rate);
    }
}

/// Lets happen what happens at the end of a step, and says what small differences see of it; none if that is nothing. Its jumps
/// are the event's.
///
/// # Errors
/// What can go wrong in a transient.
pub(crate) fn happen(walker: &mut Walker, step: Step) -> Result<Option<(Event, Change)>, SwitchedError> {
    let mut event = Event::new(&walker.machine, step);
    let Some(mut change) = walker.happen(step)? else { return Ok(None) };
    event.jumps = std::mem::take(&mut change.jumps);
    event.after = walker.machine.rates();
    Ok(Some((event, change)))
}

/// Walks to a time. What happens at that very time happens in the next walk.
///
/// # Errors
/// What can go wrong in a transient.
pub(crate) fn walk(walker: &mut Walker, end: f64, along: &mut impl Along) -> Result<(), SwitchedError> {
    let (mut steps, mut since) = (0, 0.0);
    while walker.machine.t < end && !along.tires() {
        steps += 1;
        if steps > MOST_STEPS {
            return Err(walker.restless());
        }
        walker.walked += 1;
        if walker.walked > MOST_IN_ALL {
            let why = format!("none was found in {MOST_IN_ALL} steps");
            return Err(SwitchedError::NotPeriodic { why });
        }
        let target = walker.machine.next_corner().min(end);
        let step = walker.find(target);
        along.steps();
        since += step.length;
        walker.take(step, target)?;
        if step.ends == Ends::Target && target == end && walker.machine.next_corner() > end {
            break;
        }
        if step.ends == Ends::Open {
            continue;
        }
        along.goes(&mut walker.machine, std::mem::take(&mut since));
        if let Some((event, _)) = happen(walker, step)?
            && !along.passes(&walker.machine, event)
        {
            break;
        }
    }
    if since > 0.0 {
        along.goes(&mut walker.machine, since);
    }
    Ok(())
}

/// Columns of small differences.
pub(crate) struct Differences(pub(crate) Vec<Vec<f64>>);

impl Differences {
    /// One in each state.
    pub(crate) fn of_states(machine: &Machine) -> Self {
        let (n, size) = (machine.network.states.len(), machine.z.len());
        let unit = |k: usize| (0..size).map(|row| if row == k { 1.0 } else { 0.0 }).collect();
        Differences((0..n).map(unit).collect())
    }

    /// Past the event with which a period ends: each comes to its own.
    pub(crate) fn meet(&mut self, machine: &Machine, event: &Event) {
        let of = |at: usize| &machine.compiled[at].of;
        self.0.iter_mut().for_each(|column| {
            event.meets(&of, column);
        });
    }

    /// What has become of those in each of so many states.
    pub(crate) fn leaves(&self, n: usize) -> Matrix {
        let mut leaves = Matrix::zeros(n, n);
        for (c, column) in self.0.iter().enumerate() {
            (0..n).for_each(|r| leaves[(r, c)] = column[r]);
        }
        leaves
    }
}

impl Along for Differences {
    fn goes(&mut self, machine: &mut Machine, length: f64) {
        let states = machine.network.states.len();
        let ladder = machine.compiled[machine.at].ladder_of_differences(states);
        let mut of_states = Vec::with_capacity(states);
        for column in &mut self.0 {
            of_states.clear();
            of_states.extend_from_slice(&column[..states]);
            ladder.advance(&mut of_states, length);
            column[..states].copy_from_slice(&of_states);
        }
    }
    fn passes(&mut self, machine: &Machine, event: Event) -> bool {
        let of = |at: usize| &machine.compiled[at].of;
        self.0.iter_mut().for_each(|column| event.shift(&of, column));
        true
    }
}
