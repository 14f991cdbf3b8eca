//! Linear combinations of what a network knows and what it asks for.

/// What a number of the network is.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(crate) enum Of {
    /// Voltage of a net against `gnd`, V; net 0 is always at zero.
    Net(usize),
    /// A current that is solved for, A, or another number inside a part.
    Current(usize),
    /// A state: what a capacitance or inductance remembers, or an integrator of a control part.
    State(usize),
    /// A component of an input, which runs on its own.
    Input(usize),
}

/// The input that is one at all times.
pub(crate) const ONE: Of = Of::Input(0);

/// A sum of multiples.
#[derive(Clone, Debug, Default, PartialEq)]
pub(crate) struct Row(pub(crate) Vec<(Of, f64)>);

impl Row {
    pub(crate) fn of(of: Of) -> Self {
        Row(vec![(of, 1.0)])
    }

    /// Voltage from one net to another.
    pub(crate) fn across(a: usize, b: usize) -> Self {
        Row(vec![(Of::Net(a), 1.0), (Of::Net(b), -1.0)])
    }

    /// The same number at all times.
    pub(crate) fn constant(value: f64) -> Self {
        Row(vec![(ONE, value)])
    }

    pub(crate) fn plus(mut self, factor: f64, other: impl Into<Row>) -> Self {
        self.0.extend(other.into().0.into_iter().map(|(of, f)| (of, factor * f)));
        self
    }

    pub(crate) fn times(mut self, factor: f64) -> Self {
        self.0.iter_mut().for_each(|(_, f)| *f *= factor);
        self
    }
}

impl From<Of> for Row {
    fn from(of: Of) -> Row {
        Row::of(of)
    }
}
