//! Circuits with their equations written out by hand: rows for the engine, and the same as a
//! system for the reference solver.
#![allow(dead_code, unreachable_pub)]

use super::physics::*;
use super::solver::{System, solve};
use circuit::{Circuit, KindId, Supply, resolve};
use std::f64::consts::{SQRT_2, TAU};

type Row = (&'static str, KindId, &'static str, &'static [(&'static str, &'static str)]);

/// A system with the circuit it stands for.
pub trait Case: System {
    const NAME: &'static str;
    const END: f64;
    const ROWS: &'static [Row];
    /// Signals compared, from a time on, and whether the run begins at its operating point.
    const SIGNALS: &'static [&'static str];
    const FROM: f64 = 0.0;
    const RESTING: bool = false;
    fn circuit() -> Circuit {
        super::circuit(Self::ROWS)
    }
    /// Values of the signals.
    fn signals(&self, x: &[f64], t: f64) -> Vec<f64>;
}

const SILICON: Knee = Knee { saturation: 5e-9, slope: 1.8 * VT, resistance: 50e-3 };

/// The demo supply's transformer, bridge, reservoir and load. The insulation resistor carries no
/// current and is left out.
#[derive(Clone, Copy)]
pub struct Bridge {
    peak: f64,
    omega: f64,
    l: [f64; 2],
    m: f64,
    r: [f64; 2],
    capacitance: f64,
    esr: f64,
    load: f64,
    diode: Knee,
}

impl Bridge {
    pub fn new() -> Self {
        let circuit = Self::circuit();
        let value = |part: &str, name: &str| circuit.parts[circuit.part(part).unwrap()].value(name);
        let l = [value("T1", "primary_inductance"), value("T1", "secondary_inductance")];
        Bridge {
            peak: value("V1", "amplitude") * SQRT_2,
            omega: TAU * value("V1", "frequency"),
            l,
            m: value("T1", "coupling") * (l[0] * l[1]).sqrt(),
            r: [value("T1", "primary_resistance"), value("T1", "secondary_resistance")],
            capacitance: value("C1", "capacitance"),
            esr: value("C1", "esr"),
            load: value("R1", "resistance"),
            diode: Knee {
                saturation: value("D1", "saturation_current"),
                slope: value("D1", "emission") * VT,
                resistance: value("D1", "series_resistance"),
            },
        }
    }
}

impl System for Bridge {
    // Both winding currents, voltage inside the reservoir, both ends of the secondary, bus.
    const N: usize = 6;
    fn rhs<T: Number>(&self, x: &[T], t: f64, out: &mut [T]) {
        let [i1, i2, u, a, b, bus] = std::array::from_fn(|k| x[k]);
        let d = |v: T| self.diode.bridged(v);
        let (d1, d2, d3, d4) = (d(a - bus), d(b - bus), d(-a), d(-b));
        let charging = (bus - u).times(1.0 / self.esr);
        out[0] = (-i1).times(self.r[0]).plus(self.peak * (self.omega * t).sin());
        out[1] = a - b - i2.times(self.r[1]);
        out[2] = charging;
        out[3] = i2 + d1 - d3;
        out[4] = d2 - i2 - d4;
        out[5] = charging + bus.times(1.0 / self.load) - d1 - d2;
    }
    fn mass(&self, v: &[f64], out: &mut [f64]) {
        out.fill(0.0);
        let [l1, l2] = self.l;
        (out[0], out[1], out[2]) = (l1 * v[0] + self.m * v[1], self.m * v[0] + l2 * v[1], self.capacitance * v[2]);
    }
    fn sizes(&self) -> Vec<f64> {
        vec![0.1, 1.0, 10.0, 10.0, 10.0, 10.0]
    }
}

impl Case for Bridge {
    const NAME: &'static str = "bridge rectifier";
    const END: f64 = 1.0;
    const FROM: f64 = 0.9;
    const SIGNALS: &'static [&'static str] = &["bus.v", "D1.i"];
    const ROWS: &'static [Row] = &[];
    fn circuit() -> Circuit {
        let text = include_str!("../../../../demo/tide-gauge-mains-supply.json");
        resolve(&Supply::from_json(text).unwrap()).unwrap()
    }
    fn signals(&self, x: &[f64], _t: f64) -> Vec<f64> {
        vec![x[5], self.diode.bridged(x[3] - x[5])]
    }
}

/// Half a wave through a coil into a diode that stores charge: reverse recovery.
#[derive(Clone, Copy)]
pub struct Recovery;

impl Recovery {
    fn source(t: f64) -> f64 {
        -20.0 + 40.0 * (edge(t, 1e-6, 100e-9) - edge(t, 3.1e-6, 100e-9))
    }
}

impl System for Recovery {
    // Coil current, charge, diode voltage.
    const N: usize = 3;
    fn rhs<T: Number>(&self, x: &[T], t: f64, out: &mut [T]) {
        let [i, q, v] = [x[0], x[1], x[2]];
        let forward = SILICON.current(v);
        out[0] = (-v).plus(Self::source(t)) - i.times(10.1);
        out[1] = i - SILICON.bridged(v);
        out[2] = q - depletion(v, 100e-12, 0.75) - forward.times(50e-9);
    }
    fn mass(&self, v: &[f64], out: &mut [f64]) {
        (out[0], out[1], out[2]) = (1e-6 * v[0], v[1], 0.0);
    }
    fn start(&self) -> Vec<f64> {
        // At rest, whatever the source: charge and flux are zero.
        vec![0.0; 3]
    }
    fn sizes(&self) -> Vec<f64> {
        vec![1.0, 1e-7, 20.0]
    }
    fn corners(&self) -> Vec<f64> {
        vec![1e-6, 1.1e-6, 3.1e-6, 3.2e-6]
    }
}

impl Case for Recovery {
    const NAME: &'static str = "reverse recovery";
    const END: f64 = 6e-6;
    const SIGNALS: &'static [&'static str] = &["a.v", "L1.i"];
    const ROWS: &'static [Row] = &[
        (
            "V1",
            KindId::PulseSource,
            "in gnd",
            &[
                ("low", "-20"),
                ("high", "20"),
                ("delay", "1u"),
                ("rise", "100n"),
                ("width", "2u"),
                ("fall", "100n"),
                ("period", "0"),
            ],
        ),
        ("R1", KindId::Resistor, "in x", &[("resistance", "10")]),
        ("L1", KindId::Inductor, "x a", &[("inductance", "1u"), ("resistance", "0.1")]),
        ("D1", KindId::Diode, "a gnd", &[("storage_time", "50n"), ("capacitance", "100p")]),
    ];
    fn signals(&self, x: &[f64], _t: f64) -> Vec<f64> {
        vec![x[2], x[0]]
    }
}

/// Voltage doubler of two half-waves behind a source resistance.
#[derive(Clone, Copy)]
pub struct Doubler;

impl System for Doubler {
    // Voltages inside both capacitors, source net, upper and lower output.
    const N: usize = 5;
    fn rhs<T: Number>(&self, x: &[T], t: f64, out: &mut [T]) {
        let [u, l, s, p, n] = [x[0], x[1], x[2], x[3], x[4]];
        let source = 24.0 * SQRT_2 * (TAU * 50.0 * t).sin();
        let (up, down) = (SILICON.bridged(s - p), SILICON.bridged(n - s));
        let load = (p - n).times(1.0 / 2200.0);
        let (into_upper, into_lower) = ((p - u).times(1.0 / 0.1), (n - l).times(1.0 / 0.1));
        out[0] = into_upper;
        out[1] = into_lower;
        out[2] = (-s).plus(source).times(1.0 / 2.0) - up + down;
        out[3] = up - load - into_upper;
        out[4] = load - down - into_lower;
    }
    fn mass(&self, v: &[f64], out: &mut [f64]) {
        out.fill(0.0);
        (out[0], out[1]) = (220e-6 * v[0], 220e-6 * v[1]);
    }
    fn sizes(&self) -> Vec<f64> {
        vec![30.0; 5]
    }
}

impl Case for Doubler {
    const NAME: &'static str = "doubler";
    const END: f64 = 0.2;
    const FROM: f64 = 0.1;
    const SIGNALS: &'static [&'static str] = &["p.v - n.v", "D1.i"];
    const ROWS: &'static [Row] = &[
        ("V1", KindId::SineSource, "in gnd", &[("amplitude", "24"), ("frequency", "50")]),
        ("R1", KindId::Resistor, "in s", &[("resistance", "2")]),
        ("D1", KindId::Diode, "s p", &[]),
        ("D2", KindId::Diode, "n s", &[]),
        ("C1", KindId::Capacitor, "p gnd", &[("capacitance", "220u"), ("esr", "0.1")]),
        ("C2", KindId::Capacitor, "n gnd", &[("capacitance", "220u"), ("esr", "0.1")]),
        ("R2", KindId::Resistor, "p n", &[("resistance", "2200")]),
    ];
    fn signals(&self, x: &[f64], _t: f64) -> Vec<f64> {
        vec![x[3] - x[4], SILICON.bridged(x[2] - x[3])]
    }
}

/// A gate driven beyond its rating through a resistor, held by a Zener diode: bursts of pulses.
#[derive(Clone, Copy)]
pub struct GateClamp;

impl GateClamp {
    fn source(t: f64) -> f64 {
        let since = t % 10e-6;
        24.0 * (edge(since, 0.0, 50e-9) - edge(since, 4.05e-6, 50e-9))
    }
    fn zener() -> Zener {
        Zener::new(15.0, 5e-3, 10.0, 100e-9, Knee { saturation: 1e-15, slope: 1.1 * VT, resistance: 0.5 })
    }
}

impl System for GateClamp {
    // Charge of gate and Zener diode, voltage inside the gate's capacitance, gate.
    const N: usize = 3;
    fn rhs<T: Number>(&self, x: &[T], t: f64, out: &mut [T]) {
        let [q, u, g] = [x[0], x[1], x[2]];
        let gate = g - u;
        out[0] = (-g).plus(Self::source(t)).times(1.0 / 100.0) - gate - g.times(1e-4) + Self::zener().current(-g);
        out[1] = gate;
        out[2] = q - (-depletion(-g, 200e-12, 0.75));
    }
    fn mass(&self, v: &[f64], out: &mut [f64]) {
        (out[0], out[1], out[2]) = (v[0], 2e-9 * v[1], 0.0);
    }
    fn sizes(&self) -> Vec<f64> {
        vec![2e-9, 15.0, 15.0]
    }
    fn corners(&self) -> Vec<f64> {
        (0..20).flat_map(|k| [0.0, 50e-9, 4.05e-6, 4.1e-6].map(|since| 10e-6 * f64::from(k) + since)).collect()
    }
}

impl Case for GateClamp {
    const NAME: &'static str = "gate clamp burst";
    const END: f64 = 200e-6;
    const SIGNALS: &'static [&'static str] = &["g.v", "R1.i"];
    const ROWS: &'static [Row] = &[
        (
            "V1",
            KindId::PulseSource,
            "in gnd",
            &[
                ("low", "0"),
                ("high", "24"),
                ("delay", "0"),
                ("rise", "50n"),
                ("width", "4u"),
                ("fall", "50n"),
                ("period", "10u"),
            ],
        ),
        ("R1", KindId::Resistor, "in g", &[("resistance", "100")]),
        ("C1", KindId::Capacitor, "g gnd", &[("capacitance", "2n"), ("esr", "1")]),
        ("R2", KindId::Resistor, "g gnd", &[("resistance", "10k")]),
        ("D1", KindId::Zener, "gnd g", &[("zener_voltage", "15"), ("capacitance", "200p")]),
    ];
    fn signals(&self, x: &[f64], t: f64) -> Vec<f64> {
        vec![x[2], (Self::source(t) - x[2]) / 100.0]
    }
}

/// A transistor that switches a coil with a freewheeling diode, its gate behind a resistor.
#[derive(Clone, Copy)]
pub struct SwitchedCoil;

impl SwitchedCoil {
    fn source(t: f64) -> f64 {
        10.0 * (edge(t, 1e-6, 50e-9) - edge(t, 21.05e-6, 50e-9))
    }
    fn fet() -> Fet {
        Fet::new(3.0, [50e-3, 10.0], [12.0, 5.0], [800e-12, 150e-12, 40e-12, 25.0])
    }
}

impl System for SwitchedCoil {
    // Coil current, charges of gate and drain, gate, drain and inner drain.
    const N: usize = 6;
    fn rhs<T: Number>(&self, x: &[T], t: f64, out: &mut [T]) {
        let [i, gate, drain, g, d, inner] = [x[0], x[1], x[2], x[3], x[4], x[5]];
        let fet = Self::fet();
        let (gd, body) = (fet.gate_drain_charge(g - d), fet.body_charge(-d));
        let through = (d - inner).times(1.0 / fet.drain_resistance);
        out[0] = (-d).plus(12.0) - i.times(1.5);
        out[1] = (-g).plus(Self::source(t)).times(1.0 / 47.0);
        out[2] = i - SILICON.bridged(d.plus(-12.0)) - through + fet.body.bridged(-d);
        out[3] = gate - g.times(fet.gate_source) - gd;
        out[4] = drain + gd + body;
        out[5] = through - fet.channel(g, g - inner);
    }
    fn mass(&self, v: &[f64], out: &mut [f64]) {
        out.fill(0.0);
        (out[0], out[1], out[2]) = (100e-6 * v[0], v[1], v[2]);
    }
    fn sizes(&self) -> Vec<f64> {
        vec![2.0, 1e-8, 1e-8, 10.0, 12.0, 12.0]
    }
    fn corners(&self) -> Vec<f64> {
        vec![1e-6, 1.05e-6, 21.05e-6, 21.1e-6]
    }
}

impl Case for SwitchedCoil {
    const NAME: &'static str = "switched coil";
    const END: f64 = 40e-6;
    const SIGNALS: &'static [&'static str] = &["L1.i", "d.v", "g.v"];
    const ROWS: &'static [Row] = &[
        ("V1", KindId::DcSource, "in gnd", &[("voltage", "12")]),
        ("L1", KindId::Inductor, "in d", &[("inductance", "100u"), ("resistance", "1.5")]),
        ("D1", KindId::Diode, "d in", &[]),
        (
            "V2",
            KindId::PulseSource,
            "p gnd",
            &[
                ("low", "0"),
                ("high", "10"),
                ("delay", "1u"),
                ("rise", "50n"),
                ("width", "20u"),
                ("fall", "50n"),
                ("period", "0"),
            ],
        ),
        ("R1", KindId::Resistor, "p g", &[("resistance", "47")]),
        ("Q1", KindId::MosfetN, "d g gnd", &[("diode_storage_time", "0")]),
    ];
    fn signals(&self, x: &[f64], _t: f64) -> Vec<f64> {
        vec![x[0], x[4], x[3]]
    }
}

/// Mains switched onto a transformer at its zero crossing: the core saturates.
#[derive(Clone, Copy)]
pub struct Inrush;

impl System for Inrush {
    // Fluxes and currents of both windings.
    const N: usize = 4;
    fn rhs<T: Number>(&self, x: &[T], t: f64, out: &mut [T]) {
        let [f1, f2, i1, i2] = [x[0], x[1], x[2], x[3]];
        let field = (i1.times(1000.0) + i2.times(60.0)).times(1.0 / 0.15);
        let steep = MU_0 * 4999.0;
        let core = (field.times(MU_0) + field.times(steep / 1.7).tanh().times(1.7)).times(4e-4);
        out[0] = (-i1).times(12.0).plus(230.0 * SQRT_2 * (TAU * 50.0 * t).sin());
        // The secondary drives its current through its own resistance and the load.
        out[1] = (-i2).times(20.05);
        out[2] = f1 - core.times(1000.0) - i1.times(10e-3);
        out[3] = f2 - core.times(60.0) - i2.times(36e-6);
    }
    fn mass(&self, v: &[f64], out: &mut [f64]) {
        (out[0], out[1], out[2], out[3]) = (v[0], v[1], 0.0, 0.0);
    }
    fn sizes(&self) -> Vec<f64> {
        vec![1.0, 0.06, 5.0, 5.0]
    }
}

impl Case for Inrush {
    const NAME: &'static str = "saturating transformer";
    const END: f64 = 0.4;
    const SIGNALS: &'static [&'static str] = &["T1.i", "out.v"];
    const ROWS: &'static [Row] = &[
        ("V1", KindId::SineSource, "in gnd", &[("amplitude", "230"), ("frequency", "50")]),
        ("R1", KindId::Resistor, "in p", &[("resistance", "2")]),
        ("T1", KindId::CoreTransformer, "p gnd out gnd", &[]),
        ("R2", KindId::Resistor, "out gnd", &[("resistance", "20")]),
    ];
    fn signals(&self, x: &[f64], _t: f64) -> Vec<f64> {
        vec![x[2], -20.0 * x[3]]
    }
}

/// A rectifier whose inrush an NTC thermistor holds back, warming as it does.
#[derive(Clone, Copy)]
pub struct WarmStart;

impl WarmStart {
    fn resistance<T: Number>(rise: T) -> T {
        let temperature = rise.plus(298.15);
        (T::new(3200.0) / temperature).plus(-3200.0 / 298.15).exp().times(10.0)
    }
}

impl System for WarmStart {
    // Voltage inside the reservoir, temperature rise, net behind the thermistor, bus.
    const N: usize = 4;
    fn rhs<T: Number>(&self, x: &[T], t: f64, out: &mut [T]) {
        let [u, rise, a, bus] = [x[0], x[1], x[2], x[3]];
        let drop = (-a).plus(40.0 * SQRT_2 * (TAU * 50.0 * t).sin());
        let current = drop / Self::resistance(rise);
        let charging = (bus - u).times(1.0 / 0.05);
        out[0] = charging;
        out[1] = drop * current - rise.times(1.0 / 12.0);
        out[2] = current - SILICON.bridged(a - bus);
        out[3] = SILICON.bridged(a - bus) - charging - bus.times(1.0 / 80.0);
    }
    fn mass(&self, v: &[f64], out: &mut [f64]) {
        out.fill(0.0);
        (out[0], out[1]) = (2.2e-3 * v[0], 0.05 * v[1]);
    }
    fn sizes(&self) -> Vec<f64> {
        vec![50.0; 4]
    }
}

impl Case for WarmStart {
    const NAME: &'static str = "thermistor inrush";
    const END: f64 = 0.5;
    const SIGNALS: &'static [&'static str] = &["bus.v", "R1.i"];
    const ROWS: &'static [Row] = &[
        ("V1", KindId::SineSource, "in gnd", &[("amplitude", "40"), ("frequency", "50")]),
        (
            "R1",
            KindId::Thermistor,
            "in a",
            &[
                ("resistance", "10"),
                ("beta", "3200"),
                ("ambient", "25"),
                ("thermal_resistance", "12"),
                ("heat_capacity", "50m"),
            ],
        ),
        ("D1", KindId::Diode, "a bus", &[]),
        ("C1", KindId::Capacitor, "bus gnd", &[("capacitance", "2.2m"), ("esr", "50m")]),
        ("R2", KindId::Resistor, "bus gnd", &[("resistance", "80")]),
    ];
    fn signals(&self, x: &[f64], t: f64) -> Vec<f64> {
        let drop = 40.0 * SQRT_2 * (TAU * 50.0 * t).sin() - x[2];
        vec![x[3], drop / Self::resistance(x[1])]
    }
}

/// A load of constant power behind a filter, from rest: it collapses, rises and rings.
#[derive(Clone, Copy)]
pub struct PowerFilter;

impl System for PowerFilter {
    // Coil current, voltage inside the capacitor, output.
    const N: usize = 3;
    fn rhs<T: Number>(&self, x: &[T], t: f64, out: &mut [T]) {
        let [i, u, v] = [x[0], x[1], x[2]];
        let share = v.times(1.0 / 8.0);
        let draw = if share.value() >= 1.0 {
            T::new(1.0) / share
        } else if share.value() < 0.0 {
            share.times(2.0)
        } else {
            share * (-(share * share)).plus(2.0)
        };
        let charging = (v - u).times(1.0 / 0.05);
        out[0] = (-v).plus(24.0 * edge(t, 0.0, 1e-3)) - i.times(0.15);
        out[1] = charging;
        out[2] = i - charging - draw.times(30.0 / 8.0);
    }
    fn mass(&self, v: &[f64], out: &mut [f64]) {
        (out[0], out[1], out[2]) = (100e-6 * v[0], 470e-6 * v[1], 0.0);
    }
    fn sizes(&self) -> Vec<f64> {
        vec![5.0, 24.0, 24.0]
    }
    fn corners(&self) -> Vec<f64> {
        vec![1e-3]
    }
}

impl Case for PowerFilter {
    const NAME: &'static str = "constant power behind a filter";
    const END: f64 = 8e-3;
    const SIGNALS: &'static [&'static str] = &["out.v", "L1.i"];
    const ROWS: &'static [Row] = &[
        (
            "V1",
            KindId::PulseSource,
            "in gnd",
            &[("low", "0"), ("high", "24"), ("delay", "0"), ("rise", "1m"), ("width", "1"), ("period", "0")],
        ),
        ("L1", KindId::Inductor, "in out", &[("inductance", "100u"), ("resistance", "0.15")]),
        ("C1", KindId::Capacitor, "out gnd", &[("capacitance", "470u"), ("esr", "50m")]),
        ("P1", KindId::PowerLoad, "out gnd", &[("power", "30"), ("least_voltage", "8")]),
    ];
    fn signals(&self, x: &[f64], _t: f64) -> Vec<f64> {
        vec![x[2], x[0]]
    }
}

/// A low-dropout regulator, from its operating point through a step of its load.
#[derive(Clone, Copy)]
pub struct LoadStep {
    start: [f64; 9],
    /// Time of the step, s.
    step: f64,
}

impl LoadStep {
    /// The regulator as it is after a millisecond without steps.
    pub fn settled() -> Self {
        let mut at = LoadStep { start: [1.0, 4.0, 0.0, 0.0, 5.0, 4.0, 5.0, 5.0, 1.25], step: 1.0 };
        let mut last = at.start;
        solve(at, 1e-3, 1e-8, |_, x| last.copy_from_slice(x));
        (at.start, at.step) = (last, 50e-6);
        at
    }

    fn fet() -> Fet {
        Fet::new(1.0, [0.2, 4.5], [1.5, 0.5], [300e-12, 100e-12, 30e-12, 5.0])
    }
    fn load(&self, t: f64) -> f64 {
        let length = 0.18 / 10e6;
        0.02 + 0.18 * (edge(t, self.step, length) - edge(t, self.step + 500e-6, length))
    }
}

impl System for LoadStep {
    // Integrator, second pole, charges of gate and drain, voltage inside the output capacitor,
    // gate, output, inner drain, feedback.
    const N: usize = 9;
    fn rhs<T: Number>(&self, x: &[T], t: f64, out: &mut [T]) {
        let [integrator, pole, gate, drain, u, g, v, inner, fb] = std::array::from_fn(|k| x[k]);
        let fet = Self::fet();
        let (unity, slew, second) = (TAU * 50e6, 50e6, TAU * 200e6);
        let wanted = integrator.plus(0.5 * 6.5);
        let (top, bottom) = (6.5 - 0.05, 0.05);
        let held = (wanted.plus(-bottom).soft(0.02) - wanted.plus(-top).soft(0.02)).plus(bottom);
        let back = wanted.plus(-top - 0.1).soft(0.02) - (-wanted).plus(bottom - 0.1).soft(0.02);
        let error = fb.plus(-1.25);
        let drive = error.times(unity / slew).tanh().times(slew);
        out[0] = drive - integrator.times(unity / 100.0) - back.times(unity);
        out[1] = (held - pole).times(second);
        // The p-channel device seen as an n-channel one: voltages against its source, reversed.
        let (gs, gd, body, ds) = ((-g).plus(6.5), inner - g, v.plus(-6.5), v - inner);
        let (q_gs, q_gd, q_body) = (gs.times(fet.gate_source), fet.gate_drain_charge(v - g), fet.body_charge(body));
        out[2] = (pole - g).times(1.0 / (2000.0 * 5e-3)).tanh().times(5e-3);
        out[5] = gate + q_gs + q_gd;
        // Current from the inner drain out to the output.
        let through = (-ds).times(1.0 / fet.drain_resistance);
        let charging = (v - u).times(1.0 / 0.3);
        let load = v.times(3.0 / LEAST).tanh().times(self.load(t));
        let divider = (v - fb).times(1.0 / 300e3);
        out[3] = through - fet.body.bridged(body) - charging - load - divider;
        out[6] = drain - q_gd - q_body;
        out[4] = charging;
        out[7] = fet.channel(gs, gd) - through;
        // The amplifier's inputs take their bias and bridge their resistance.
        out[8] = divider - fb.times(1.0 / 100e3) - error.times(1.0 / INPUT);
    }
    fn mass(&self, v: &[f64], out: &mut [f64]) {
        out.fill(0.0);
        out[..4].copy_from_slice(&v[..4]);
        out[4] = 4.7e-6 * v[4];
    }
    fn start(&self) -> Vec<f64> {
        self.start.to_vec()
    }
    fn sizes(&self) -> Vec<f64> {
        vec![5.0, 5.0, 1e-9, 1e-9, 5.0, 5.0, 5.0, 5.0, 1.25]
    }
    fn corners(&self) -> Vec<f64> {
        let length = 0.18 / 10e6;
        [0.0, length, 500e-6, 500e-6 + length].map(|since| self.step + since).to_vec()
    }
}

/// Voltage below which the load draws less, V, and the amplifier's input resistance, Ω.
const LEAST: f64 = 0.5;
const INPUT: f64 = 10e9;

impl Case for LoadStep {
    const NAME: &'static str = "low-dropout load step";
    const END: f64 = 1e-3;
    const RESTING: bool = true;
    const SIGNALS: &'static [&'static str] = &["out.v", "g.v"];
    const ROWS: &'static [Row] = &[
        ("V1", KindId::DcSource, "in gnd", &[("voltage", "6.5")]),
        ("V2", KindId::DcSource, "ref gnd", &[("voltage", "1.25")]),
        (
            "U1",
            KindId::Amplifier,
            "g fb ref in gnd",
            &[
                ("gain", "100"),
                ("gain_bandwidth", "50M"),
                ("second_pole", "200M"),
                ("output_resistance", "2k"),
                ("current_limit", "5m"),
                ("headroom_high", "50m"),
                ("headroom_low", "50m"),
                ("supply_current", "50u"),
                ("slew_rate", "50M"),
                ("input_resistance", "10G"),
                ("bias_current", "0"),
                ("offset", "0"),
            ],
        ),
        (
            "Q1",
            KindId::MosfetP,
            "out g in",
            &[
                ("threshold", "1"),
                ("on_resistance", "0.2"),
                ("on_gate_voltage", "4.5"),
                ("transconductance", "1.5"),
                ("transconductance_current", "0.5"),
                ("input_capacitance", "300p"),
                ("output_capacitance", "100p"),
                ("reverse_capacitance", "30p"),
                ("capacitance_voltage", "5"),
                ("modulation", "0.01"),
                ("diode_saturation_current", "10p"),
                ("diode_storage_time", "0"),
            ],
        ),
        ("R1", KindId::Resistor, "out fb", &[("resistance", "300k")]),
        ("R2", KindId::Resistor, "fb gnd", &[("resistance", "100k")]),
        ("C1", KindId::Capacitor, "out gnd", &[("capacitance", "4.7u"), ("esr", "0.3")]),
        (
            "P1",
            KindId::SteppedLoad,
            "out gnd",
            &[
                ("low", "20m"),
                ("high", "200m"),
                ("delay", "50u"),
                ("width", "500u"),
                ("slew", "10M"),
                ("period", "0"),
                ("least_voltage", "0.5"),
            ],
        ),
    ];
    fn signals(&self, x: &[f64], _t: f64) -> Vec<f64> {
        vec![x[6], x[5]]
    }
}
