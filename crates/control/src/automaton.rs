//! A part as modes between events: within a mode all is linear, and an event leads to another.

/// What a number is to a control part.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Of {
    /// Voltage of a pin against `gnd`, V, by its place in the table of kinds.
    Pin(usize),
    /// The current of the way through the part, A.
    Through,
    /// A state of the part's own.
    State(usize),
    /// How much of the clock's turn has passed, 0 to 1.
    Phase,
    /// One.
    One,
}

/// A sum of multiples.
#[derive(Clone, Debug, Default, PartialEq)]
pub struct Sum(pub Vec<(Of, f64)>);

impl Sum {
    /// The number itself.
    pub fn of(of: Of) -> Self {
        Sum(vec![(of, 1.0)])
    }

    /// The same number at all times.
    pub fn constant(value: f64) -> Self {
        Sum(vec![(Of::One, value)])
    }

    /// Voltage of a pin against another, V.
    pub fn across(a: usize, b: usize) -> Self {
        Sum(vec![(Of::Pin(a), 1.0), (Of::Pin(b), -1.0)])
    }

    /// With a multiple of another added.
    #[must_use]
    pub fn plus(mut self, factor: f64, other: impl Into<Sum>) -> Self {
        self.0.extend(other.into().0.into_iter().map(|(of, f)| (of, factor * f)));
        self
    }

    /// With a number added.
    #[must_use]
    pub fn and(self, value: f64) -> Self {
        self.plus(value, Of::One)
    }

    /// Its multiple.
    #[must_use]
    pub fn times(mut self, factor: f64) -> Self {
        self.0.iter_mut().for_each(|(_, f)| *f *= factor);
        self
    }

    /// Its value, given that of everything it is made of.
    pub fn value(&self, of: impl Fn(Of) -> f64) -> f64 {
        self.0.iter().map(|(it, factor)| factor * if *it == Of::One { 1.0 } else { of(*it) }).sum()
    }
}

impl From<Of> for Sum {
    fn from(of: Of) -> Sum {
        Sum::of(of)
    }
}

/// A control part.
#[derive(Clone, Debug, Default)]
pub struct Automaton {
    /// What each state is at first, and where nothing runs.
    pub states: Vec<f64>,
    /// Its clock, if it has one.
    pub clock: Option<Clock>,
    /// The way through it, if it has one.
    pub through: Option<Through>,
    /// Pins that are driven.
    pub outputs: Vec<Output>,
    /// Its modes; it begins in the first, in which it also rests where no time passes.
    pub modes: Vec<Mode>,
}

/// Turns of equal length, with marks in each that are known in advance.
#[derive(Clone, Debug, PartialEq)]
pub struct Clock {
    /// Turns per second, Hz.
    pub frequency: f64,
    /// How much of a turn has passed at time zero, 0 to 1.
    pub phase: f64,
    /// Marks, as parts of a turn: ascending, all below one, the first at zero.
    pub marks: Vec<f64>,
}

impl Clock {
    /// Time of the n-th mark, s; the first is that of the turn that is on at time zero, at zero or before.
    pub fn mark(&self, n: usize) -> f64 {
        let each = self.marks.len();
        ((n / each) as f64 + self.marks[n % each] - self.phase) / self.frequency
    }

    /// How much of its turn has passed at a time, s, after so many marks.
    pub fn turned(&self, t: f64, marks: usize) -> f64 {
        let turns = marks.saturating_sub(1) / self.marks.len();
        t * self.frequency + self.phase - turns as f64
    }
}

/// A resistance between two pins whose current is looked at.
#[derive(Clone, Copy, Debug)]
pub struct Through {
    /// The pin the current goes into.
    pub from: usize,
    /// The pin it comes out of.
    pub to: usize,
    /// Resistance, Ω; none if zero.
    pub resistance: f64,
}

/// A pin that is driven against another.
#[derive(Clone, Copy, Debug)]
pub struct Output {
    /// The pin.
    pub pin: usize,
    /// What it is driven against.
    pub against: usize,
    /// Resistance it is driven through, Ω.
    pub resistance: f64,
    /// Time constant with which it follows at device level, s; none if zero.
    pub response: f64,
}

/// What holds between two events.
#[derive(Clone, Debug, Default)]
pub struct Mode {
    /// What the part is doing, in the trade's words.
    pub name: &'static str,
    /// What each output is driven to, V.
    pub outputs: Vec<Sum>,
    /// Rate of each state, 1/s. States at rest may be left out.
    pub rates: Vec<Sum>,
    /// What must hold.
    pub guards: Vec<Guard>,
    /// What happens at marks of the clock.
    pub marks: Vec<(usize, Transition)>,
}

/// What must hold for a mode to last: a sum that is not negative.
#[derive(Clone, Debug)]
pub struct Guard {
    /// The sum.
    pub holds: Sum,
    /// What follows where it does not.
    pub then: Transition,
}

/// An event.
#[derive(Clone, Debug, Default)]
pub struct Transition {
    /// The mode that follows.
    pub to: usize,
    /// States that are set, one after the other: each sees what was set before, and pins as they were.
    pub sets: Vec<Set>,
}

impl Transition {
    /// To a mode, with nothing set.
    pub fn to(to: usize) -> Self {
        Transition { to, sets: Vec::new() }
    }

    /// With a state set.
    #[must_use]
    pub fn set(mut self, state: usize, value: Sum) -> Self {
        self.sets.push(Set::new(state, value));
        self
    }
}

/// A state that is set.
#[derive(Clone, Debug)]
pub struct Set {
    /// The state.
    pub state: usize,
    /// What to.
    pub value: Sum,
    /// What that is multiplied with or divided by, if it is.
    pub factor: Option<(Operation, Sum)>,
    /// Rounded to whole multiples of this; not at all if zero.
    pub step: f64,
    /// Held between these.
    pub between: (f64, f64),
}

/// What becomes of two numbers.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Operation {
    /// Their product.
    Times,
    /// The first by the second.
    Over,
}

impl Operation {
    /// Of these two. Nothing by nothing is nothing.
    pub fn of(self, a: f64, b: f64) -> f64 {
        match self {
            Operation::Times => a * b,
            Operation::Over if a == 0.0 => 0.0,
            Operation::Over => a / b,
        }
    }

    /// How it changes with either.
    pub fn slopes(self, a: f64, b: f64) -> [f64; 2] {
        match self {
            Operation::Times => [b, a],
            Operation::Over => [1.0 / b, -a / (b * b)],
        }
    }
}

impl Set {
    /// To a sum, as it is.
    pub fn new(state: usize, value: Sum) -> Self {
        Set { state, value, factor: None, step: 0.0, between: (f64::NEG_INFINITY, f64::INFINITY) }
    }

    /// What the state becomes where the sum has a value.
    pub fn becomes(&self, value: f64) -> f64 {
        let value = if self.step > 0.0 { (value / self.step).round() * self.step } else { value };
        value.clamp(self.between.0, self.between.1)
    }

    /// Whether it follows the sum where that has a value: rounding apart, or held at a limit.
    pub fn follows(&self, value: f64) -> bool {
        value >= self.between.0 && value <= self.between.1
    }
}
