//! Modulators in both engines against their definitions, followed step by step in the test, with values at random.

mod common;

use circuit::KindId::{
    self, AverageCurrentModulator, CriticalModulator, CurrentModulator, HystereticModulator, OnTimeModulator,
    PulseModulator, PulseSource, Resistor, SineSource, Type2Compensator,
};
use common::edges::{FULL, Ramps, Values, Wave, borrowed, both, falls, follows, ramps, values, wave};
use common::{circuit, device_run, tried};
use proptest::prelude::*;
use readings::Waveform;

const END: f64 = 200e-6;
type Edges = Vec<(f64, bool)>;

/// Beginnings of the turns of a clock, s, from that which is on at time zero.
fn turns(frequency: f64, degrees: f64) -> impl Iterator<Item = f64> {
    let phase = (degrees / 360.0).rem_euclid(1.0);
    (0..).map(move |k| (f64::from(k) - phase) / frequency).take_while(|at| *at < END)
}

fn check(kind: KindId, own: &Values, given: (Wave, Ramps), edges: &[(f64, bool)]) -> Result<(), TestCaseError> {
    let pins = if kind == PulseModulator { "y c gnd" } else { "y c s gnd" };
    let runs = both(("U1", kind, pins, &borrowed(own)), given.0, given.1, END);
    follows(&runs, "y.v", edges, END)
}

/// What a carrier makes of a control voltage.
#[derive(Clone, Debug)]
struct Carrier {
    form: usize,
    natural: bool,
    low: f64,
    high: f64,
    least: f64,
    most: f64,
    period: f64,
    control: Wave,
}

impl Carrier {
    /// How far the control is above the carrier at a time of the turn that began at another, s.
    fn above(&self, t0: f64, t: f64) -> f64 {
        let (phase, height) = ((t - t0) / self.period, self.high - self.low);
        let carrier = match self.form {
            0 => self.low + height * phase,
            1 => self.high - height * phase,
            _ => self.low + height * (2.0 * phase - 1.0).abs(),
        };
        self.control.at(t) - carrier
    }

    /// Compares from one part of a turn to another; the state it ends in.
    fn compares(&self, t0: f64, [from, to]: [f64; 2], mut on: bool, edges: &mut Edges) -> bool {
        let [mut from, to] = [t0 + from * self.period, t0 + to * self.period];
        let sign = |on: bool| if on { 1.0 } else { -1.0 };
        while let Some(next) = falls(from, to, |t| sign(on) * self.above(t0, t)) {
            on = !on;
            edges.push((next, on));
            // A pulse that has ended is over, and one that has begun goes on, unless compared as often as they cross.
            if !self.natural || next.is_nan() {
                break;
            }
            from = next + 1e-13;
        }
        on
    }

    fn turn(&self, t0: f64, edges: &mut Edges) {
        let (least, most) = (self.least.min(self.most), self.most);
        let at = |phase: f64| t0 + phase * self.period;
        edges.push((t0, false));
        match self.form {
            0 => {
                let begins = self.control.at(t0) >= self.low;
                edges.push((t0, begins));
                if begins || self.natural {
                    self.compares(t0, [if begins { least } else { 0.0 }, most], begins, edges);
                }
                edges.push((at(most), false));
            }
            1 => {
                let last = if least > 0.0 { 1.0 - least } else { 1.0 };
                let on = self.compares(t0, [1.0 - most, last], false, edges);
                if on && self.natural {
                    self.compares(t0, [last, 1.0], on, edges);
                }
            }
            _ => {
                let on = self.compares(t0, [0.5 - 0.5 * most, 0.5 - 0.5 * least], false, edges);
                if on || self.natural {
                    self.compares(t0, [0.5 + 0.5 * least, 0.5 + 0.5 * most], on, edges);
                }
                edges.push((at(0.5 + 0.5 * most), false));
            }
        }
    }
}

proptest! {
    #![proptest_config(ProptestConfig { failure_persistence: None, ..ProptestConfig::with_cases(48) })]

    #[test]
    fn a_carrier_makes_the_pulses_of_its_definition(
        (form, natural) in (0..3usize, any::<bool>()),
        (low, height, most) in (-1.0..1.0f64, 0.5..5.0f64, 0.3..1.0f64),
        least in prop_oneof![Just(0.0), 0.0..0.2f64],
        (frequency, phase) in (40e3..200e3f64, -360.0..360.0f64),
        (level, swing, speed) in (-0.2..1.2f64, 0.0..0.6f64, 0.05..1.7f64),
    ) {
        let control = Wave([low + level * height, swing * height, speed * frequency]);
        let high = low + height;
        let mut own = values([
            ("frequency", frequency),
            ("ramp_low", low),
            ("ramp_high", high),
            ("max_duty", most),
            ("least_on_time", least / frequency),
            ("phase", phase),
        ]);
        own.push(("carrier", ["rising", "falling", "triangle"][form].to_owned()));
        own.push(("sampling", if natural { "natural" } else { "latched" }.to_owned()));
        let carrier = Carrier { form, natural, low, high, least, most, period: 1.0 / frequency, control };
        let mut edges = Edges::new();
        // The first turn may have begun before time zero; nothing is known of it.
        turns(frequency, phase).filter(|t0| *t0 >= -1e-12).for_each(|t0| carrier.turn(t0, &mut edges));
        check(PulseModulator, &own, (control, Ramps([0.0, 1.0, 0.0, 1e-6, 1e-6, 1e-6, 10e-6])), &edges)?;
    }

    /// Average-current control is a type 2 compensator, held between the carrier's ends, with a pulse-width modulator behind it, both of
    /// which are held to their own definitions: pulses come and go together, in both engines.
    #[test]
    fn average_current_control_is_its_amplifier_and_its_carrier(
        (form, natural) in (0..3usize, any::<bool>()),
        (low, height, most) in (-1.0..1.0f64, 0.5..5.0f64, 0.3..1.0f64),
        (frequency, phase) in (40e3..200e3f64, -360.0..360.0f64),
        (unity, zero, pole) in (2e3..60e3f64, 1e3..30e3f64, 60e3..400e3f64),
        (program, swing, rise, fall) in (0.3..0.7f64, 0.0..0.3f64, 0.2..0.6f64, 0.2..0.3f64),
    ) {
        let period = 1.0 / frequency;
        let control = wave(Wave([program, swing, 0.07 * frequency]));
        let sense = ramps(Ramps([0.1, 0.9, 0.0, rise * period, 1e-9, fall * period, period]));
        let amplifier = [("unity_frequency", unity), ("zero", zero), ("pole", pole)];
        let mut pulses = values([
            ("frequency", frequency), ("ramp_low", low), ("ramp_high", low + height), ("max_duty", most), ("phase", phase),
        ]);
        pulses.push(("carrier", ["rising", "falling", "triangle"][form].to_owned()));
        pulses.push(("sampling", if natural { "natural" } else { "latched" }.to_owned()));
        let together: Values = values(amplifier).into_iter().chain(pulses.clone()).collect();
        let mut apart = values(amplifier);
        apart.extend(values([("low", low), ("high", low + height)]));
        let load: [(&str, &str); 1] = [("resistance", "10k")];
        let circuit = circuit(&[
            ("VC", SineSource, "c gnd", &borrowed(&control)),
            ("VS", PulseSource, "s gnd", &borrowed(&sense)),
            ("U1", AverageCurrentModulator, "y c s gnd", &borrowed(&together)),
            ("U2", Type2Compensator, "w c s gnd", &borrowed(&apart)),
            ("U3", PulseModulator, "z w gnd", &borrowed(&pulses)),
            ("RC", Resistor, "c gnd", &load), ("RS", Resistor, "s gnd", &load), ("RW", Resistor, "w gnd", &[("resistance", "1e9")]),
            ("RY", Resistor, "y gnd", &load), ("RZ", Resistor, "z gnd", &load),
        ]);
        let runs = [tried(circuit.clone(), END, 0.0, 1e-6).unwrap(), device_run(circuit, END, END / 2000.0, 1e-4)];
        for (run, most_apart) in runs.iter().zip([1e-3, 0.02]) {
            let apart = run.measure("y.v - z.v", 0.0, END, |w: Waveform<'_>, s| w.rms(s).unwrap());
            let full = run.measure("y.v", 0.0, END, |w: Waveform<'_>, s| w.extremes(s).unwrap().1);
            prop_assert!(apart < most_apart * FULL, "{} V apart, of {}", apart, full);
        }
    }

    #[test]
    fn a_current_begins_or_ends_a_pulse(
        valley in any::<bool>(),
        (frequency, phase) in (40e3..200e3f64, 0.0..360.0f64),
        (level, swing) in (0.2..0.9f64, 0.0..0.2f64),
        (slope, limit) in (0.0..0.4f64, 0.3..1.5f64),
        (blanking, most) in (0.01..0.2f64, 0.4..1.0f64),
        (rise, fall, drift) in (0.1..0.9f64, 0.1..0.9f64, 0.7..1.4f64),
    ) {
        let period = 1.0 / frequency;
        let control = Wave([level, swing, 0.13 * frequency]);
        let sense = Ramps([0.0, 1.0, 0.0, rise * period, 1e-9, fall * period, (rise + fall + 0.1) * drift.max(1.0) * period]);
        let mut own = values([
            ("frequency", frequency),
            ("slope", slope * frequency),
            ("limit", limit),
            ("blanking", blanking * period),
            ("max_duty", most),
            ("phase", phase),
        ]);
        own.push(("mode", if valley { "valley" } else { "peak" }.to_owned()));
        let mut edges = Edges::new();
        for t0 in turns(frequency, phase).filter(|t0| *t0 >= -1e-12) {
            let ramp = |t: f64| slope * (t - t0) / period;
            if valley {
                edges.push((t0, false));
                let from = t0 + blanking.max(1.0 - most) * period;
                let low = falls(from, t0 + period, |t| sense.at(t) - control.at(t) - ramp(t));
                let on = low.and_then(|low| falls(low, t0 + period, |t| sense.at(t) - limit));
                edges.extend(on.map(|on| (on, true)));
            } else {
                edges.push((t0, true));
                let (from, to) = (t0 + blanking.min(most) * period, t0 + most * period);
                let over = |t: f64| (control.at(t) - ramp(t)).min(limit) - sense.at(t);
                edges.push((falls(from, to, over).unwrap_or(to), false));
            }
        }
        let first = turns(frequency, phase).find(|t0| *t0 >= -1e-12).unwrap_or(0.0);
        // A valley modulator is on until its clock has turned first.
        if valley && first > 0.0 {
            edges.insert(0, (0.0, true));
        }
        check(CurrentModulator, &own, (control, sense), &edges)?;
    }

    /// What times its pulses by what it senses: on where that is low, off after a time or where it is high.
    #[test]
    fn what_is_sensed_times_the_pulses(
        which in 0..3usize,
        (level, swing, speed) in (0.3..0.7f64, 0.0..0.2f64, 3e3..30e3f64),
        (rise, fall, width) in (0.5e-6..8e-6f64, 0.5e-6..8e-6f64, 0.1e-6..2e-6f64),
        (a, b, c) in (0.3e-6..5e-6f64, 0.2e-6..3e-6f64, 5e-6..40e-6f64),
        band in 0.02..0.3f64,
    ) {
        let control = Wave([level, swing, speed]);
        let sense = Ramps([0.0, 1.0, 0.0, rise, width, fall, rise + width + fall + 0.3e-6]);
        let (kind, own) = match which {
            0 => (OnTimeModulator, values([("on_time", a), ("least_off_time", b)])),
            1 => (HystereticModulator, values([("hysteresis", band), ("least_on_time", a), ("least_off_time", b)])),
            _ => (
                CriticalModulator,
                values([("zero", band), ("longest_on_time", a + c), ("restart_time", c), ("blanking", b)]),
            ),
        };
        let mut edges = Edges::new();
        // Critical conduction begins with a pause, the others look at once.
        let (mut t, mut on, mut first) = (0.0, false, true);
        while t < END {
            let next = match (which, on) {
                (0, true) => t + a,
                (0, false) => falls(if first { t } else { t + b }, END, |t| sense.at(t) - control.at(t)).unwrap_or(END),
                (1, true) => falls(t + a, END, |t| control.at(t) - sense.at(t) + 0.5 * band).unwrap_or(END),
                (1, false) => {
                    falls(if first { t } else { t + b }, END, |t| sense.at(t) - control.at(t) + 0.5 * band).unwrap_or(END)
                }
                (_, true) => falls(t + b, t + a + c, |t| control.at(t) - sense.at(t)).unwrap_or(t + a + c),
                (_, false) => falls(t + b, t + c, |t| sense.at(t) - band).unwrap_or(t + c),
            };
            on = !on;
            first = false;
            edges.push((next, on));
            t = next;
        }
        check(kind, &own, (control, sense), &edges)?;
    }
}
