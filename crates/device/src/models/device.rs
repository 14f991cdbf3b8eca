//! Devices whose equations are written once, for any kind of number: [`Wrapped`] makes a
//! [`Model`] of them and takes the derivatives from the arithmetic.

use super::real::{Dependent, Dual, Real};
use crate::contract::{Flow, Model, Point};
use crate::stamps::{Entry, Exponential, Junction, Layout, Stamps};
use circuit::ResolvedPart;

/// What an unknown inside a device is.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(crate) enum Inside {
    /// A voltage; its row sums the currents that leave it.
    Voltage,
    /// The current of a charge or flux; its row says what drives it.
    Current,
    /// The current of a winding, which carries the circuit's memory.
    Winding,
    /// A quantity of another kind.
    Other,
}

/// What the equations of a device are evaluated at.
pub(crate) struct At<'a, T> {
    /// Pin voltages, then what is inside.
    pub(crate) x: &'a [T],
    /// What to add to each junction's voltage, so that it is evaluated where it should be.
    pub(crate) shift: &'a [T],
    pub(crate) t: f64,
    /// Factor on independent sources.
    pub(crate) sources: f64,
}

/// Most junctions of a device.
pub(crate) const JUNCTIONS: usize = 2;
/// Most unknowns and junctions of a device.
const WIDEST: usize = 12;

/// Equations of a device: for every unknown a row `dq/dt + f = 0`.
///
/// Rows of pins and inside voltages are the current that leaves them into the device; they carry
/// no charge. A charge has an inside current as its unknown, `q − …` in its row and `f = −i`, so
/// that its current is known.
pub(crate) trait Device: Send + Sync {
    /// Unknowns beside the pins.
    const INSIDE: &'static [Inside];
    /// Whether the rows depend on the unknowns other than linearly, or on time.
    const NONLINEAR: bool = true;
    /// f of every row.
    fn flows<T: Real>(&self, at: &At<'_, T>, f: &mut [T]);
    /// q of every row.
    fn charges<T: Real>(&self, _at: &At<'_, T>, _q: &mut [T]) {}
    /// The device's junctions.
    fn junctions(&self, _x: &[f64]) -> [Option<Exponential>; JUNCTIONS] {
        [const { None }; JUNCTIONS]
    }
    /// Energy stored, J.
    fn stored(&self, _x: &[f64]) -> f64 {
        0.0
    }
    /// Power that goes into storage, W.
    fn storing(&self, _x: &[f64]) -> f64 {
        0.0
    }
    /// Charges held at switch-on, by row.
    fn initial(&self, _q: &mut [f64]) {}
    fn next_corner(&self, _t: f64) -> Option<f64> {
        None
    }
    /// Whether it trips between two states.
    const TRIPS: bool = false;
    /// How far it is from tripping, relative to its thresholds; negative beyond.
    fn margin(&self, _x: &[f64]) -> f64 {
        f64::INFINITY
    }
    /// Goes over to the other state.
    fn trip(&self, _x: &mut [f64]) {}
    /// What the device is doing, in the trade's words.
    fn region(&self, _x: &[f64]) -> Option<&'static str> {
        None
    }
    /// The largest voltage the device imposes, V.
    fn largest(&self) -> f64 {
        0.0
    }
}

struct Slope {
    row: usize,
    column: usize,
    entry: Entry,
}

/// A model of a device, with room for as many derivatives as it has unknowns and junctions.
pub(crate) fn wrap<D: Device + 'static>(device: D, part: &ResolvedPart, layout: &mut Layout) -> Box<dyn Model> {
    let n = part.pins.len() + D::INSIDE.len();
    match n + device.junctions(&vec![0.3; n]).iter().flatten().count() {
        ..=4 => Box::new(Wrapped::<D, 4>::new(device, part, layout)),
        5..=6 => Box::new(Wrapped::<D, 6>::new(device, part, layout)),
        7..=8 => Box::new(Wrapped::<D, 8>::new(device, part, layout)),
        _ => Box::new(Wrapped::<D, WIDEST>::new(device, part, layout)),
    }
}

/// A device in its place in a circuit.
struct Wrapped<D, const W: usize> {
    device: D,
    pins: usize,
    unknowns: Vec<usize>,
    junctions: Vec<Junction>,
    slopes: Vec<Slope>,
    capacitances: Vec<Slope>,
    charged: bool,
}

impl<D: Device, const W: usize> Wrapped<D, W> {
    fn new(device: D, part: &ResolvedPart, layout: &mut Layout) -> Self {
        let pins = part.pins.len();
        let mut unknowns = part.pins.clone();
        unknowns.extend(D::INSIDE.iter().map(|inside| match inside {
            Inside::Voltage => layout.inner(&part.id),
            Inside::Current => layout.branch(&part.id),
            Inside::Winding => layout.winding(&part.id),
            Inside::Other => layout.other(&part.id),
        }));
        let n = unknowns.len();
        let junction_count = device.junctions(&vec![0.3; n]).iter().flatten().count();
        assert!(n + junction_count <= W, "a device has more unknowns than there is room for");
        let x: Vec<Dependent> = (0..n).map(Dependent::variable).collect();
        let shift = [Dependent::of(0.0); JUNCTIONS];
        let at = At { x: &x, shift: &shift, t: 0.0, sources: 1.0 };
        let (mut f, mut q) = (vec![Dependent::of(0.0); n], vec![Dependent::of(0.0); n]);
        device.flows(&at, &mut f);
        device.charges(&at, &mut q);
        let mut list = |rows: &[Dependent], charge: bool| {
            let mut found = Vec::new();
            for (row, sum) in rows.iter().enumerate() {
                for column in (0..n).filter(|column| sum.on >> column & 1 == 1) {
                    let (r, c) = (unknowns[row], unknowns[column]);
                    let entry = if charge { layout.charge(r, c) } else { layout.entry(r, c) };
                    found.push(Slope { row, column, entry });
                }
            }
            found
        };
        let slopes = list(&f, false);
        let capacitances = list(&q, true);
        Wrapped {
            device,
            pins,
            junctions: (0..junction_count).map(|_| layout.junction()).collect(),
            charged: !capacitances.is_empty(),
            slopes,
            capacitances,
            unknowns,
        }
    }

    fn values(&self, at: Point<'_>) -> [f64; W] {
        let mut x = [0.0; W];
        for (x, unknown) in x.iter_mut().zip(&self.unknowns) {
            *x = at.x[*unknown];
        }
        x
    }

    /// What flows into the pins, given the currents there.
    fn flow_of(&self, at: Point<'_>, currents: impl Iterator<Item = f64> + Clone) -> Flow {
        let pins = self.unknowns[..self.pins].iter().zip(currents.clone());
        let power = pins.map(|(net, current)| at.x[*net] * current).sum();
        Flow { current: currents.take(1).sum(), power }
    }

    fn stamp_slopes(&self, at: Point<'_>, stamps: &mut Stamps<'_>) -> Flow {
        let n = self.unknowns.len();
        let x = self.values(at);
        let mut shift = [Dual::<W>::of(0.0); JUNCTIONS];
        let junctions = self.device.junctions(&x[..n]);
        for (j, (exponential, place)) in junctions.iter().flatten().zip(&self.junctions).enumerate() {
            let voltage = exponential.voltage;
            shift[j] = Dual::variable(stamps.junction(*place, voltage, exponential) - voltage, n + j);
        }
        let x: [Dual<W>; W] = std::array::from_fn(|k| if k < n { Dual::variable(x[k], k) } else { Dual::of(0.0) });
        let place = At { x: &x[..n], shift: &shift, t: at.t, sources: stamps.source_scale };
        // Evaluated beside its place, a junction is continued from there along its tangent.
        let here = |sum: &Dual<W>| {
            let beside = shift.iter().enumerate().take(self.junctions.len());
            sum.value - beside.map(|(j, s)| sum.slopes[n + j] * s.value).sum::<f64>()
        };
        let mut f = [Dual::<W>::of(0.0); W];
        self.device.flows(&place, &mut f[..n]);
        for (row, sum) in self.unknowns.iter().zip(&f) {
            stamps.current(*row, here(sum));
        }
        for Slope { row, column, entry } in &self.slopes {
            stamps.slope(*entry, f[*row].slopes[*column]);
        }
        if self.charged {
            let mut q = [Dual::<W>::of(0.0); W];
            self.device.charges(&place, &mut q[..n]);
            for (row, sum) in self.unknowns.iter().zip(&q) {
                stamps.charge(*row, here(sum));
            }
            for Slope { row, column, entry } in &self.capacitances {
                stamps.capacitance(*entry, q[*row].slopes[*column]);
            }
        }
        self.flow_of(at, f.iter().map(|sum| sum.value))
    }
}

impl<D: Device, const W: usize> Model for Wrapped<D, W> {
    fn varies(&self) -> bool {
        true
    }
    fn nonlinear(&self) -> bool {
        D::NONLINEAR
    }
    fn stamp(&self, at: Point<'_>, stamps: &mut Stamps<'_>) -> Flow {
        if stamps.wants_slopes() {
            return self.stamp_slopes(at, stamps);
        }
        let n = self.unknowns.len();
        let x = self.values(at);
        let place = At { x: &x[..n], shift: &[0.0; JUNCTIONS], t: at.t, sources: stamps.source_scale };
        let mut sums = [0.0; W];
        self.device.flows(&place, &mut sums[..n]);
        for (row, sum) in self.unknowns.iter().zip(&sums) {
            stamps.current(*row, *sum);
        }
        let flow = self.flow_of(at, sums.iter().copied());
        if self.charged {
            sums = [0.0; W];
            self.device.charges(&place, &mut sums[..n]);
            for (row, sum) in self.unknowns.iter().zip(&sums) {
                stamps.charge(*row, *sum);
            }
        }
        flow
    }
    fn initial(&self, charges: &mut [f64]) {
        let mut q = [0.0; W];
        self.device.initial(&mut q);
        for (row, q) in self.unknowns.iter().zip(&q) {
            charges[*row] += q;
        }
    }
    fn flow(&self, at: Point<'_>) -> Flow {
        let (n, x) = (self.unknowns.len(), self.values(at));
        let mut f = [0.0; W];
        self.device.flows(&At { x: &x[..n], shift: &[0.0; JUNCTIONS], t: at.t, sources: 1.0 }, &mut f[..n]);
        self.flow_of(at, f.into_iter())
    }
    fn loss(&self, at: Point<'_>, flow: Flow) -> f64 {
        flow.power - self.device.storing(&self.values(at)[..self.unknowns.len()])
    }
    fn stored(&self, at: Point<'_>) -> f64 {
        self.device.stored(&self.values(at)[..self.unknowns.len()])
    }
    fn next_corner(&self, t: f64) -> Option<f64> {
        self.device.next_corner(t)
    }
    fn trips(&self) -> bool {
        D::TRIPS
    }
    fn margin(&self, at: Point<'_>) -> f64 {
        self.device.margin(&self.values(at)[..self.unknowns.len()])
    }
    fn trip(&self, x: &mut [f64], t: f64) {
        let mut own = self.values(Point { x, t });
        self.device.trip(&mut own[..self.unknowns.len()]);
        for (unknown, value) in self.unknowns.iter().zip(own) {
            x[*unknown] = value;
        }
    }
    fn region(&self, at: Point<'_>) -> Option<&'static str> {
        self.device.region(&self.values(at)[..self.unknowns.len()])
    }
    fn imposed_voltage(&self) -> f64 {
        self.device.largest()
    }
}
