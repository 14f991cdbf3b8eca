//! Where nothing new happens: a period that comes again and again is computed once, recorded once, and said to come so many
//! times more.
//!
//! Now and then what runs is compared with what ran a period before. Where next to nothing is left between them, the derivative
//! of the period's map says whether what is left dies out and how far the periodic state still is. From close by the circuit is
//! put there, a period is recorded that must end where it began, and what was taken away is given back as small as it has become
//! by then. So a wrong guess costs nothing, an unstable state is never taken for one that lasts, and what follows is exact to the
//! second order of what was left.
//!
//! A period is one of all clocks and sources, or a few of them. Where there is none it is the circuit's own, from one occurrence of
//! an event to the next ([`crate::periodic::period`]).

use crate::error::SwitchedError;
use crate::periodic::monodromy::{Along, Differences, Event};
use crate::periodic::period::{self, Marker, Noted};
use crate::stepping::machine::Machine;
use crate::stepping::walker::Walker;
use crate::transient::recorder::Recorder;
use circuit::quiet_time;
use linear::{Matrix, eigenvalues, to_periodic};
use recording::Observer;

/// What a period may change, relative to the largest of each state, for a closer look; how near the periodic state must be to be
/// taken; and what counts as no change.
const NEAR: f64 = 1e-6;
const CLOSE: f64 = 1e-7;
const SAME: f64 = 1e-10;
/// Part of the largest a state has ever been that is of no interest, such as of an error that has been corrected.
const FLOOR: f64 = 1e-3;
/// Growth over a period that is none, and what a period changes of a difference that stays.
const GROWS: f64 = 1e-8;
const STAYS: f64 = 1e-9;
/// Periods that must be left for it to be worth while.
const LEAST: f64 = 16.0;
/// Periods of all clocks and sources that what comes again takes at most, such as where a quantised controller goes round, and how
/// many are waited for before more than one is tried.
const MOST_TURNS: f64 = 8.0;
const PATIENT: f64 = 64.0;
/// Part of the periods waited for that is waited for more, where there was still a change.
const MORE: f64 = 0.125;

/// Looks out for what comes again.
pub(crate) struct Repeats {
    beat: Beat,
    /// What clocks and sources have in common, s, or how long it took last from event to event; and how many of these what comes
    /// again takes.
    clock: f64,
    turns: f64,
    /// How many beats behind the first it looks next.
    next: f64,
    /// How many of them it has waited for.
    waited: f64,
    /// What next happens only once, s.
    once: f64,
    /// Largest each component has been since it looked last.
    scale: Vec<f64>,
    state: State,
}

/// What says where a period begins.
enum Beat {
    /// Times, from one on, s.
    Clock(f64),
    /// An event, once it is chosen among those noted, and how many times it has come.
    Event(Option<Marker>, Noted, f64),
}

enum State {
    Waiting,
    /// So many periods shall be compared with where they began, and more, if it does not come round after so few.
    Comparing(Section, f64),
    /// The same, and what it makes of small differences is carried along.
    Deriving(Section, Differences),
    /// A period is recorded by itself.
    Recording(Section, Aside),
}

/// Where the circuit stood.
struct Section {
    at: usize,
    t: f64,
    z: Vec<f64>,
}

/// What has been taken away and is given back, with what a period makes of it; the books when the period began, J.
struct Aside {
    rest: Vec<f64>,
    leaves: Matrix,
    delivered: f64,
    dissipated: f64,
}

impl Section {
    fn of(machine: &Machine) -> Self {
        Section { at: machine.at, t: machine.t, z: machine.z.clone() }
    }
}

impl Repeats {
    /// From where a machine stands; none if what clocks and sources have in common does not come often enough until the end, s, or
    /// they have nothing in common.
    pub(crate) fn new(machine: &Machine, end: f64) -> Option<Self> {
        let clock = period::period_of(machine).ok()?;
        let beat = clock.map_or_else(|| Beat::Event(None, Noted::default(), 0.0), |_| Beat::Clock(0.0));
        let mut repeats = Repeats {
            beat,
            clock: clock.unwrap_or(0.0),
            turns: 1.0,
            next: 0.0,
            waited: 0.0,
            once: f64::NAN,
            scale: vec![0.0; machine.z.len()],
            state: State::Waiting,
        };
        repeats.begin(machine);
        let first = match repeats.beat {
            Beat::Clock(from) => from,
            Beat::Event(..) => machine.t,
        };
        (first + LEAST * repeats.clock < end).then_some(repeats)
    }

    /// Begins to look, where something has happened that happens once.
    fn begin(&mut self, machine: &Machine) {
        let (t, clock) = (machine.t, self.clock);
        self.beat = match self.beat {
            Beat::Clock(_) => Beat::Clock(quiet_time(|t| machine.corner_behind(t), t, clock)),
            Beat::Event(..) => Beat::Event(None, Noted::default(), 0.0),
        };
        (self.next, self.waited, self.once) = (0.0, 0.0, machine.next_once());
        self.state = State::Waiting;
    }

    /// When it looks next, s, if that is known.
    pub(crate) fn looks(&self) -> f64 {
        match self.beat {
            Beat::Clock(from) => from + self.next * self.clock,
            Beat::Event(..) => f64::INFINITY,
        }
    }

    /// Whether it looks now that an event has happened, by the configuration before it.
    pub(crate) fn looks_behind(&mut self, machine: &Machine, was: usize) -> bool {
        let Beat::Event(chosen, noted, count) = &mut self.beat else { return false };
        match chosen {
            Some(marker) => {
                let comes = marker.is_of(machine, was);
                *count += f64::from(u8::from(comes));
                comes && *count >= self.next
            }
            None => {
                *chosen = if noted.is_full() { None } else { noted.note(machine, was) };
                false
            }
        }
    }

    /// Whether small differences are carried along.
    pub(crate) fn derives(&self) -> bool {
        matches!(self.state, State::Deriving(..))
    }

    /// A step through the configuration at hand, s.
    pub(crate) fn goes(&mut self, machine: &mut Machine, length: f64) {
        if let State::Deriving(_, differences) = &mut self.state {
            differences.goes(machine, length);
        }
    }

    /// An event. With the one that ends a period each difference comes to its own.
    pub(crate) fn passes(&mut self, machine: &Machine, event: Event) {
        let ends = match &self.beat {
            Beat::Event(Some(marker), _, count) => marker.is_of(machine, event.was) && *count + 1.0 >= self.next,
            _ => false,
        };
        match &mut self.state {
            State::Deriving(_, differences) if ends => differences.meet(machine, &event),
            State::Deriving(_, differences) => {
                differences.passes(machine, event);
            }
            _ => {}
        }
    }

    /// Notes how large everything is.
    pub(crate) fn sees(&mut self, machine: &Machine) {
        if !matches!(self.state, State::Waiting) {
            self.scale.iter_mut().zip(&machine.z).for_each(|(scale, z)| *scale = scale.max(z.abs()));
        }
    }

    fn wait(&mut self, periods: f64) {
        let periods = periods.max(1.0).ceil();
        self.state = State::Waiting;
        self.next += periods;
        self.waited += periods;
    }

    /// Follows a period from where it begins.
    fn follow(&mut self, machine: &Machine, state: State) {
        self.state = state;
        self.next += self.turns;
        self.scale.iter_mut().zip(&machine.z).for_each(|(scale, z)| *scale = z.abs());
    }

    /// Sizes of the states, none of them zero.
    fn sizes(&self, machine: &Machine) -> Vec<f64> {
        let size = |(now, ever): (&f64, &f64)| now.max(FLOOR * ever);
        let states = machine.network.states.len();
        let sizes = self.scale.iter().zip(&machine.scale).map(size).take(states);
        sizes.map(|size| if size > 0.0 { size } else { 1.0 }).collect()
    }

    /// What a period has changed of each state; none if something else runs or conducts than at its beginning.
    fn change(&self, machine: &Machine, since: &Section) -> Option<Vec<f64>> {
        let change: Vec<f64> = machine.z.iter().zip(&since.z).map(|(z, before)| z - before).collect();
        let states = machine.network.states.len();
        let (of_states, of_inputs) = change.split_at(states);
        let inputs = of_inputs.iter().zip(&machine.scale[states..]);
        let moves = inputs.fold(0.0, |most: f64, (d, scale)| most.max(d.abs() - SAME * scale));
        (machine.at == since.at && moves <= 0.0).then(|| of_states.to_vec())
    }

    /// Looks at where the circuit has come to; how many periods have been left out.
    ///
    /// # Errors
    /// What can go wrong where a circuit begins anew.
    pub(crate) fn look(
        &mut self,
        walker: &mut Walker,
        recorder: &mut Recorder,
        end: f64,
        observer: &mut dyn Observer,
    ) -> Result<u64, SwitchedError> {
        let machine = &walker.machine;
        if machine.next_once() != self.once {
            self.begin(machine);
            return Ok(0);
        }
        // What is not recorded ends where recording begins.
        let recorded_from = if machine.t < recorder.from() { recorder.from() } else { f64::INFINITY };
        let until = end.min(self.once).min(recorded_from);
        if let (Beat::Event(..), State::Comparing(since, _)) = (&self.beat, &self.state) {
            self.clock = machine.t - since.t;
        }
        let left = if self.clock > 0.0 { (until - machine.t) / self.clock } else { f64::INFINITY };
        if left < LEAST && !matches!(self.state, State::Recording(..)) {
            self.wait(left + 1.0);
            return Ok(0);
        }
        match std::mem::replace(&mut self.state, State::Waiting) {
            State::Waiting => {
                self.turns = 1.0;
                self.follow(machine, State::Comparing(Section::of(machine), 1.0));
            }
            State::Comparing(since, turns) => {
                let sizes = self.sizes(machine);
                if self.change(machine, &since).is_some_and(|change| size(&change, &sizes) <= NEAR) {
                    self.turns = turns;
                    let differences = Differences::of_states(machine);
                    self.follow(machine, State::Deriving(Section::of(machine), differences));
                } else if turns < MOST_TURNS && self.waited > PATIENT && matches!(self.beat, Beat::Clock(_)) {
                    self.state = State::Comparing(since, turns + 1.0);
                    self.next += 1.0;
                } else {
                    self.wait(MORE * self.waited);
                }
            }
            State::Deriving(since, differences) => {
                self.derived(walker, recorder, (&since, &differences), left, observer)?
            }
            State::Recording(since, kept) => return self.recorded(walker, recorder, (&since, kept), until, observer),
        }
        Ok(0)
    }

    /// Takes the periodic state, if it is near and lasts.
    fn derived(
        &mut self,
        walker: &mut Walker,
        recorder: &mut Recorder,
        (since, differences): (&Section, &Differences),
        left: f64,
        observer: &mut dyn Observer,
    ) -> Result<(), SwitchedError> {
        let machine = &walker.machine;
        let (n, sizes) = (machine.network.states.len(), self.sizes(machine));
        let leaves = differences.leaves(n);
        let Some(change) = self.change(machine, since) else {
            self.wait(MORE * self.waited);
            return Ok(());
        };
        let multipliers = eigenvalues(n, |r, c| leaves[(r, c)]);
        let lasts = |all: &Vec<f64>| all.iter().all(|m| *m <= 1.0 + GROWS);
        let Some(multipliers) = multipliers.map(|all| all.iter().map(|m| m.norm()).collect()).filter(lasts) else {
            self.wait(left + 1.0);
            return Ok(());
        };
        let mut step = vec![0.0; n];
        to_periodic(&sizes, |r, c| leaves[(r, c)], STAYS).apply(&change, &mut step);
        let mut ahead = vec![0.0; n];
        leaves.apply(&step, &mut ahead);
        // Nothing may be left of the change but what dies out.
        let stays = step.iter().zip(&ahead).zip(&change).map(|((step, ahead), change)| change - (step - ahead));
        let (far, stays) = (size(&step, &sizes), size(&stays.collect::<Vec<f64>>(), &sizes));
        if far > CLOSE || stays > SAME {
            let slowest = multipliers.iter().copied().filter(|m| *m < 1.0 - STAYS).fold(0.0, f64::max);
            let periods =
                if stays > SAME { MORE * self.waited } else { self.turns * (CLOSE / far).ln() / slowest.ln() };
            self.wait(periods.min(left + 1.0));
            return Ok(());
        }
        let at = machine.at;
        let there: Vec<f64> = machine.z.iter().zip(&ahead).map(|(z, ahead)| z + ahead).collect();
        walker.move_to(&there)?;
        if walker.machine.at != at {
            self.wait(MORE * self.waited);
            return Ok(());
        }
        recorder.begin_period(observer);
        let rest = ahead.iter().map(|ahead| -ahead).collect();
        let (delivered, dissipated) = (recorder.delivered, recorder.dissipated);
        let kept = Aside { rest, leaves, delivered, dissipated };
        self.follow(&walker.machine, State::Recording(Section::of(&walker.machine), kept));
        Ok(())
    }

    /// Leaves out what is left of a period that ended where it began.
    fn recorded(
        &mut self,
        walker: &mut Walker,
        recorder: &mut Recorder,
        (since, mut kept): (&Section, Aside),
        until: f64,
        observer: &mut dyn Observer,
    ) -> Result<u64, SwitchedError> {
        let machine = &mut walker.machine;
        let sizes = self.sizes(machine);
        let same = self.change(machine, since).is_some_and(|change| size(&change, &sizes) <= SAME);
        let period = match self.beat {
            Beat::Clock(_) => self.turns * self.clock,
            Beat::Event(..) => machine.t - since.t,
        };
        let again = ((until - machine.t) / period * (1.0 - f64::EPSILON)).floor().max(0.0);
        if !same || again < 1.0 || !recorder.has_whole_period() {
            recorder.end_period();
            self.wait(MORE * self.waited);
            return Ok(0);
        }
        recorder.repeat(again as u64, again * period, observer);
        recorder.delivered += again * (recorder.delivered - kept.delivered);
        recorder.dissipated += again * (recorder.dissipated - kept.dissipated);
        machine.turn(again as i64, period, machine.t + again * period);
        let mut next = vec![0.0; sizes.len()];
        for _ in 0..=again as u64 {
            kept.leaves.apply(&kept.rest, &mut next);
            std::mem::swap(&mut kept.rest, &mut next);
            if size(&kept.rest, &sizes) < f64::EPSILON {
                break;
            }
        }
        let there: Vec<f64> = machine.z.iter().zip(&kept.rest).map(|(z, rest)| z + rest).collect();
        if matches!(self.beat, Beat::Clock(_)) {
            self.next += again * self.turns;
        }
        self.wait(1.0);
        walker.move_to(&there)?;
        Ok(again as u64)
    }
}

/// Size of a difference of states.
fn size(difference: &[f64], sizes: &[f64]) -> f64 {
    difference.iter().zip(sizes).map(|(d, size)| d.abs() / size).fold(0.0, f64::max)
}
