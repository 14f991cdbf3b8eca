//! A circuit as equations: what parts contribute, and the pieces some of them consist of.

pub(crate) mod course;
pub(crate) mod row;

use crate::error::SwitchedError;
use crate::network::course::Course;
use crate::network::row::{Of, Row};

/// What must hold for an element to stay in a region, as a row that is not negative, and where it goes otherwise.
#[derive(Clone, Debug)]
pub(crate) struct Guard {
    pub(crate) holds: Row,
    pub(crate) then: Transition,
}

impl Guard {
    pub(crate) fn new(holds: Row, to: usize) -> Self {
        Guard { holds, then: Transition { to, sets: Vec::new() } }
    }
}

/// The region that follows, and states that are set on the way: one after the other, with what is solved for as it was.
#[derive(Clone, Debug)]
pub(crate) struct Transition {
    pub(crate) to: usize,
    pub(crate) sets: Vec<Set>,
}

/// A state that is set.
#[derive(Clone, Debug)]
pub(crate) struct Set {
    pub(crate) state: usize,
    pub(crate) value: Row,
    /// What that is multiplied with or divided by, if the rule says so.
    pub(crate) factor: Row,
    /// Its steps and limits.
    pub(crate) rule: control::Set,
}

/// One of the pieces of an element: what holds there in place of what is stated for the element's own relations and rates.
#[derive(Clone, Debug, Default)]
pub(crate) struct Region {
    pub(crate) name: &'static str,
    /// Relations by index, each a row that is zero.
    pub(crate) relations: Vec<(usize, Row)>,
    /// Rates of states by index, 1/s.
    pub(crate) rates: Vec<(usize, Row)>,
    pub(crate) guards: Vec<Guard>,
    /// What happens at marks of the element's clock.
    pub(crate) marks: Vec<(usize, Transition)>,
    /// Voltage across it where it is open: what floats behind open elements stands where equal leakages would put it.
    pub(crate) open: Option<Row>,
}

/// What makes an element change its region.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(crate) enum Changes {
    /// The circuit itself: currents and voltages meet where the pieces join. Such elements are decided together.
    Continuously,
    /// A control passes a threshold; the element then is another way for currents.
    ByControl,
    /// The same of an element that decides on a signal, on which others may depend.
    Signals,
    /// Time: the region after each corner of a course.
    AtTimes,
}

impl Changes {
    /// Whether it is a control that decides.
    pub(crate) fn is_controlled(self) -> bool {
        matches!(self, Changes::ByControl | Changes::Signals)
    }
}

/// A part of a part that consists of pieces.
#[derive(Clone, Debug)]
pub(crate) struct Element {
    pub(crate) part: usize,
    pub(crate) changes: Changes,
    pub(crate) regions: Vec<Region>,
    /// Region it begins in.
    pub(crate) first: usize,
    /// Times at which it changes and the regions it goes to then, s.
    pub(crate) times: Vec<(f64, usize)>,
    /// The course that is its clock, if it has one.
    pub(crate) clock: Option<usize>,
}

impl Element {
    pub(crate) fn new(changes: Changes, first: usize, regions: Vec<Region>, times: Vec<(f64, usize)>) -> Self {
        Element { part: 0, changes, regions, first, times, clock: None }
    }
}

/// Energy kept by states, J.
#[derive(Clone, Debug)]
pub(crate) enum Store {
    /// `½·factor·x²`.
    Square { of: Row, factor: f64 },
    /// The area beside a curve of flux and current made of straight lines, beyond its ends with an inductance that is left.
    Curve { flux: Row, points: Vec<(f64, f64)>, beyond: f64 },
}

impl Store {
    pub(crate) fn of(&self) -> &Row {
        match self {
            Store::Square { of, .. } | Store::Curve { flux: of, .. } => of,
        }
    }

    /// Energy at a value of the row, J.
    pub(crate) fn energy(&self, x: f64) -> f64 {
        match self {
            Store::Square { factor, .. } => 0.5 * factor * x * x,
            Store::Curve { points, beyond, .. } => {
                // The curve is odd: half of it is enough.
                let (x, mut energy) = (x.abs(), 0.0);
                let upward = &points[points.len() / 2..];
                for ends in upward.windows(2) {
                    let [(f0, i0), (f1, i1)] = [ends[0], ends[1]];
                    let to = x.min(f1);
                    if to > f0 {
                        energy += (to - f0) * (i0 + 0.5 * (to - f0) * (i1 - i0) / (f1 - f0));
                    }
                }
                let (far, current) = upward[upward.len() - 1];
                energy + if x > far { (x - far) * (current + 0.5 * (x - far) / beyond) } else { 0.0 }
            }
        }
    }
}

/// What a part is here, beside its equations.
#[derive(Clone, Debug, Default)]
pub(crate) struct PartForm {
    pub(crate) id: String,
    /// Voltages and currents of the ways through it; the first current is the part's.
    pub(crate) ports: Vec<(Row, Row)>,
    /// Products that make up what it takes without keeping it.
    pub(crate) losses: Vec<(Row, Row)>,
    pub(crate) stores: Vec<Store>,
    pub(crate) pins: usize,
}

/// What contradicts itself: relations by index.
#[derive(Debug)]
pub(crate) struct Contradiction {
    pub(crate) relations: Vec<usize>,
}

/// A whole circuit.
#[derive(Clone, Debug, Default)]
pub(crate) struct Network {
    /// Names of nets; index 0 is `gnd`.
    pub(crate) nets: Vec<String>,
    pub(crate) currents: usize,
    /// Which part each relation is of.
    pub(crate) relations: Vec<(usize, Row)>,
    /// Currents leaving each net.
    pub(crate) leaving: Vec<Row>,
    /// Initial value and rate of each state.
    pub(crate) states: Vec<(f64, Row)>,
    pub(crate) courses: Vec<Course>,
    pub(crate) elements: Vec<Element>,
    pub(crate) parts: Vec<PartForm>,
}

impl Network {
    pub(crate) fn new(nets: &[String]) -> Self {
        Network {
            nets: nets.to_vec(),
            leaving: vec![Row::default(); nets.len()],
            courses: vec![Course::One],
            ..Network::default()
        }
    }

    /// Number of unknowns: voltages of nets but `gnd`, then currents.
    pub(crate) fn unknowns(&self) -> usize {
        self.nets.len() - 1 + self.currents
    }

    /// Number of components that run in time: states, then inputs.
    pub(crate) fn running(&self) -> usize {
        self.states.len() + self.courses.iter().map(Course::size).sum::<usize>()
    }

    /// Splits a row into what is solved for and what runs.
    pub(crate) fn spread(&self, row: &Row, unknown: &mut [f64], running: &mut [f64]) {
        for (of, factor) in &row.0 {
            match *of {
                Of::Net(0) => {}
                Of::Net(net) => unknown[net - 1] += factor,
                Of::Current(current) => unknown[self.nets.len() - 1 + current] += factor,
                Of::State(state) => running[state] += factor,
                Of::Input(component) => running[self.states.len() + component] += factor,
            }
        }
    }

    /// What a set of regions says that contradicts itself at a time, s, in words.
    pub(crate) fn impossible(&self, contradiction: &Contradiction, regions: &[u8], time: f64) -> SwitchedError {
        let mut parts: Vec<usize> = contradiction.relations.iter().map(|r| self.relations[*r].0).collect();
        parts.dedup();
        let names: Vec<&str> = parts.iter().map(|p| self.parts[*p].id.as_str()).collect();
        let state = self.elements.iter().zip(regions).map(|(element, region)| {
            format!("{} {}", self.parts[element.part].id, element.regions[usize::from(*region)].name)
        });
        SwitchedError::Impossible { time, parts: names.join(", "), state: state.collect::<Vec<_>>().join(", ") }
    }

    /// What is recorded of it: voltages of nets, then the current of each part.
    pub(crate) fn recorded(&self) -> impl Iterator<Item = Row> + '_ {
        let nets = (1..self.nets.len()).map(|net| Row::of(Of::Net(net)));
        nets.chain(self.parts.iter().map(|part| part.ports.first().map_or(Row::default(), |port| port.1.clone())))
    }

    /// Of each column of a recording (`recording::columns`), which of the voltages of nets and currents of parts, or behind
    /// them which of the powers, it shows.
    pub(crate) fn order(&self) -> Vec<usize> {
        let nets = self.nets.len() - 1;
        let (mut order, mut powers): (Vec<usize>, usize) = ((0..nets).collect(), nets + self.parts.len());
        for (k, part) in self.parts.iter().enumerate() {
            order.push(nets + k);
            if part.pins > 2 {
                order.push(powers);
                powers += 1;
            }
        }
        order
    }

    // What parts say of themselves.

    pub(crate) fn begin(&mut self, id: &str, pins: usize) {
        self.parts.push(PartForm { id: id.to_owned(), pins, ..PartForm::default() });
    }

    fn part(&mut self) -> (usize, &mut PartForm) {
        let index = self.parts.len() - 1;
        (index, &mut self.parts[index])
    }

    /// A current that flows through the part from one net to another.
    pub(crate) fn current(&mut self, from: usize, to: usize) -> Of {
        let current = self.inner();
        self.carry(from, to, &Row::of(current));
        current
    }

    /// A number of the part's own that is solved for, such as what lies between two stages of it.
    pub(crate) fn inner(&mut self) -> Of {
        self.currents += 1;
        Of::Current(self.currents - 1)
    }

    /// Lets what is known of a current flow from one net to another.
    pub(crate) fn carry(&mut self, from: usize, to: usize, current: &Row) {
        self.leaving[from] = std::mem::take(&mut self.leaving[from]).plus(1.0, current.clone());
        self.leaving[to] = std::mem::take(&mut self.leaving[to]).plus(-1.0, current.clone());
    }

    /// States a row to be zero; elements may put others in its place.
    pub(crate) fn relation(&mut self, row: Row) -> usize {
        let part = self.part().0;
        self.relations.push((part, row));
        self.relations.len() - 1
    }

    /// A state with its initial value and rate, 1/s.
    pub(crate) fn state(&mut self, initial: f64, rate: Row) -> Of {
        self.states.push((initial, rate));
        Of::State(self.states.len() - 1)
    }

    /// An input; its first component.
    pub(crate) fn input(&mut self, course: Course) -> usize {
        let first = self.courses.iter().map(Course::size).sum();
        self.courses.push(course);
        first
    }

    pub(crate) fn element(&mut self, changes: Changes, first: usize, regions: Vec<Region>, times: Vec<(f64, usize)>) {
        self.add(Element::new(changes, first, regions, times));
    }

    pub(crate) fn add(&mut self, element: Element) {
        let part = self.part().0;
        self.elements.push(Element { part, ..element });
    }

    /// A way through the part; all that goes in is lost unless it is stored.
    pub(crate) fn port(&mut self, voltage: Row, current: impl Into<Row>) {
        self.part().1.ports.push((voltage, current.into()));
    }

    pub(crate) fn loss(&mut self, voltage: Row, current: impl Into<Row>) {
        self.part().1.losses.push((voltage, current.into()));
    }

    /// A way through the part of which nothing is kept.
    pub(crate) fn lossy_port(&mut self, voltage: Row, current: impl Into<Row>) {
        let current = current.into();
        self.loss(voltage.clone(), current.clone());
        self.port(voltage, current);
    }

    pub(crate) fn stores(&mut self, of: impl Into<Row>, factor: f64) {
        self.part().1.stores.push(Store::Square { of: of.into(), factor });
    }

    pub(crate) fn stores_along(&mut self, flux: Of, points: Vec<(f64, f64)>, beyond: f64) {
        self.part().1.stores.push(Store::Curve { flux: Row::of(flux), points, beyond });
    }
}
