//! Small sinusoids about the periodic state: against real ones in the time domain, against closed forms, and against averaged
//! models where those hold.

mod common;

use circuit::KindId::{
    Amplifier, Capacitor, Comparator, ControlledSwitch, CurrentControlledCurrent, DcSource, Diode, Inductor, Inverter,
    PulseModulator, PulseSource, Resistor, SineSource, VoltageControlledCurrent, VoltageControlledVoltage,
};
use circuit::ResolvedPart;
use common::{Row, circuit};
use mellow_switched::{Settled, SmallSignal, Tone};
use proptest::prelude::*;
use readings::{Spectrum, Waveform};
use recording::{Complex64, Excitation, Health, Probed, Recording, log_grid};
use std::f64::consts::TAU;

const CLOCK: f64 = 1e5;
const IDEAL: &[(&str, &str)] =
    &[("saturation_current", "1"), ("emission", "0.001"), ("series_resistance", "1m"), ("typical_current", "1p")];
const SWITCH: &[(&str, &str)] = &[("on_resistance", "10m"), ("on_voltage", "3"), ("off_voltage", "2")];
const RAMP: &[(&str, &str)] =
    &[("low", "0"), ("high", "1"), ("rise", "9.9u"), ("fall", "100n"), ("width", "0"), ("period", "10u")];
const MODULATOR: &[(&str, &str)] = &[("hysteresis", "1m"), ("response_time", "5n"), ("supply_current", "0")];

fn number(value: f64) -> String {
    format!("{value:e}")
}

/// Component of a signal at a frequency over what was recorded, which is whole periods.
fn component(times: &[f64], values: &[f64], frequency: f64) -> Complex64 {
    let wave = Waveform::new(times, values);
    let mut spectrum = Spectrum::new(wave.whole(), frequency, 1).unwrap();
    spectrum.take(wave);
    // A spectrum counts time from the beginning of its span.
    0.5 * spectrum.amplitude(1) * Complex64::cis(-TAU * frequency * spectrum.span().from)
}

fn mean(times: &[f64], values: &[f64]) -> f64 {
    let wave = Waveform::new(times, values);
    wave.mean(wave.whole()).unwrap()
}

/// A circuit made with a given source in one place, shaken there for real and by the linearised orbit: the components of
/// voltages of nets agree, each divided by that of the excitation.
fn agrees(
    make: impl Fn(Row<'_>) -> circuit::Circuit,
    source: &str,
    at: (&str, f64),
    share: (usize, usize),
    nets: &[&str],
) {
    let (pins, offset) = at;
    let frequency = CLOCK * share.0 as f64 / share.1 as f64;
    let (steady, shaken) = (number(offset), number(frequency));
    let still = make((source, DcSource, pins, &[("voltage", &steady)]));
    let linear = SmallSignal::new(&still, &Excitation::Source(source.to_owned()), &mut Recording::default()).unwrap();
    let response = linear.respond(frequency);
    let amplitude = 1e-5 * offset.abs().max(1.0);
    let tone =
        [("offset", &*steady), ("amplitude", &*number(amplitude)), ("amplitude_as", "peak"), ("frequency", &*shaken)];
    let real = make((source, SineSource, pins, &tone));
    let settled = Settled::find(&real, &mut Recording::default()).unwrap();
    let (mut kept, mut health) = (Recording::default(), Health::default());
    settled.record(1, 1e-9, &mut kept, &mut health).unwrap();
    let columns = recording::columns(&real);
    let of = |net: &str| {
        let column = columns.iter().position(|c| c.of == net && c.quantity == circuit::Quantity::Voltage).unwrap();
        component(&kept.times, &kept.columns[column], frequency)
    };
    let [plus, minus] = [0, 1].map(|k| pins.split_whitespace().nth(k).unwrap());
    let input = if minus == "gnd" { of(plus) } else { of(plus) - of(minus) };
    for net in nets {
        let (found, wanted) = (response.net(net).unwrap(), of(net) / input);
        let ratio = found / wanted;
        assert!(
            ratio.norm().log10().abs() * 20.0 < 0.01 && ratio.arg().to_degrees().abs() < 0.1,
            "{net} at {}/{} of the clock: {found} for {wanted}, {:.4} dB, {:.3}°",
            share.0,
            share.1,
            20.0 * ratio.norm().log10(),
            ratio.arg().to_degrees()
        );
    }
}

fn buck<'a>(
    line: Row<'a>,
    control: Row<'a>,
    inductance: &'a [(&'a str, &'a str)],
    load: &'a [(&'a str, &'a str)],
) -> circuit::Circuit {
    circuit(&[
        line,
        control,
        ("VR", PulseSource, "ramp gnd", RAMP),
        ("VP", DcSource, "vcc gnd", &[("voltage", "5")]),
        ("U1", Comparator, "g c ramp vcc gnd", MODULATOR),
        ("RG", Resistor, "g gnd", &[("resistance", "100k")]),
        ("S1", ControlledSwitch, "in x g gnd", SWITCH),
        ("D1", Diode, "gnd x", IDEAL),
        ("L1", Inductor, "x out", inductance),
        ("C1", Capacitor, "out gnd", &[("capacitance", "22u"), ("esr", "20m")]),
        ("R1", Resistor, "out gnd", load),
    ])
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(12))]

    /// Control to output and line to output of a buck in both kinds of conduction, up to nine tenths of half the clock.
    #[test]
    fn a_buck_answers_as_real_tones_do(
        inductance in -5.2..-4.0f64, load in 0.0..1.7f64, control in 0.2..0.8f64, p in 1usize..9, by_line in any::<bool>(),
    ) {
        let (inductance, load) = (number(10f64.powf(inductance)), number(10f64.powf(load)));
        let (l, r, c) = ([("inductance", &*inductance)], [("resistance", &*load)], number(control));
        let held = [("voltage", &*c)];
        let share = (p, 20);
        if by_line {
            let make = |line: Row<'_>| buck(line, ("VC", DcSource, "c gnd", &held), &l, &r);
            agrees(make, "V1", ("in gnd", 24.0), share, &["out", "x"]);
        } else {
            let make = |control: Row<'_>| buck(("V1", DcSource, "in gnd", &[("voltage", "24")]), control, &l, &r);
            agrees(make, "VC", ("c gnd", control), share, &["out", "x"]);
        }
    }
}

const OUTPUT: &[(&str, &str)] = &[("capacitance", "100u"), ("esr", "30m")];

/// A buck whose amplifier closes the loop, with a source of whatever kind between its output and what feeds it back.
fn regulated(probe: Row<'_>, load: &str, output: &[(&str, &str)]) -> circuit::Circuit {
    circuit(&[
        probe,
        ("V1", DcSource, "in gnd", &[("voltage", "12")]),
        ("VR", DcSource, "ref gnd", &[("voltage", "2.5")]),
        ("VP", DcSource, "vcc gnd", &[("voltage", "5")]),
        (
            "VS",
            PulseSource,
            "saw gnd",
            &[("low", "0.5"), ("high", "3"), ("rise", "9.8u"), ("fall", "100n"), ("width", "0"), ("period", "10u")],
        ),
        ("RA", Resistor, "top fb", &[("resistance", "10k")]),
        ("RB", Resistor, "fb gnd", &[("resistance", "10k")]),
        (
            "U2",
            Amplifier,
            "ea ref fb vcc gnd",
            &[("gain_bandwidth", "3M"), ("second_pole", "30M"), ("supply_current", "0"), ("headroom_high", "0.2")],
        ),
        ("RZ", Resistor, "fb m", &[("resistance", "22k")]),
        ("CZ", Capacitor, "m ea", &[("capacitance", "4.7n")]),
        ("U1", Comparator, "g ea saw vcc gnd", MODULATOR),
        ("RG", Resistor, "g gnd", &[("resistance", "100k")]),
        ("S1", ControlledSwitch, "in x g gnd", SWITCH),
        ("D1", Diode, "gnd x", IDEAL),
        ("L1", Inductor, "x out", &[("inductance", "47u"), ("resistance", "20m")]),
        ("C1", Capacitor, "out gnd", output),
        ("R1", Resistor, "out gnd", &[("resistance", load)]),
    ])
}

/// What an analyser reads on both sides of a source in the feedback, and so the loop gain −out/top, is what real tones show, in
/// both kinds of conduction.
#[test]
fn a_loop_answers_as_real_tones_do() {
    for load in ["5", "100"] {
        for share in [(1, 100), (3, 50), (1, 5), (9, 20)] {
            agrees(|probe| regulated(probe, load, OUTPUT), "VT", ("out top", 0.0), share, &["out", "top", "ea"]);
        }
    }
}

/// The same converter again, every part and net of it but the ground named anew.
fn twin(circuit: &circuit::Circuit) -> circuit::Circuit {
    let mut both = circuit.clone();
    let nets: Vec<usize> = (0..circuit.nets.len())
        .map(|net| if net == 0 { 0 } else { both.add_net(&format!("{} again", circuit.nets[net])) })
        .collect();
    for part in &circuit.parts {
        let mut part = part.clone();
        part.id = format!("{} again", part.id);
        part.pins.iter_mut().for_each(|pin| *pin = nets[*pin]);
        both.add_part(part);
    }
    both
}

/// A loop cut open at a pin, for real: what the pin would be is taken from a converter beside it whose loop is closed, a tone is
/// added, and the net the pin was on still carries its current.
#[test]
fn a_loop_cut_open_answers_as_real_tones_do() {
    for load in ["5", "100"] {
        let converter = regulated(("VT", DcSource, "out top", &[("voltage", "0")]), load, OUTPUT);
        let probed = Probed::new(&converter, "RA", "a").unwrap();
        let linear = SmallSignal::opened(&probed, &mut Recording::default()).unwrap();
        // In the one the pin is driven; in the other the probe stays where it is.
        let mut cut = twin(&probed.circuit);
        let net = |circuit: &circuit::Circuit, name: &str| circuit.nets.iter().position(|n| n == name).unwrap();
        let (outer, inner) = (net(&cut, &probed.outer), net(&cut, &probed.inner));
        let through = cut.add_net("through");
        let (driven, beside) = (cut.add_net("driven"), net(&cut, &format!("{} again", probed.outer)));
        let place = cut.parts.iter().position(|part| part.id == probed.probe).unwrap();
        cut.parts[place].pins = vec![driven, through];
        // What the pin would be, and that what the pin takes is taken from its net.
        let added = [
            ("E9", VoltageControlledVoltage, vec![driven, 0, beside, 0]),
            ("F9", CurrentControlledCurrent, vec![outer, 0, through, inner]),
        ];
        for (id, kind, pins) in added {
            let gain = vec![1.0];
            cut.add_part(ResolvedPart {
                id: id.into(),
                kind,
                stage: None,
                pins,
                values: gain,
                points: Vec::new(),
                ratings: Vec::new(),
            });
        }
        for share in [1.0 / 100.0, 3.0 / 50.0, 1.0 / 5.0, 9.0 / 20.0] {
            let tone = Tone { frequency: share * CLOCK, phase: 0.3, amplitude: 1e-5 };
            let excitation = Excitation::Source(probed.probe.clone());
            let settled = Settled::with_tones(&cut, &excitation, &[tone], &mut Recording::default()).unwrap();
            let (mut kept, mut health) = (Recording::default(), Health::default());
            settled.record(1, 1e-9, &mut kept, &mut health).unwrap();
            let columns = recording::columns(&cut);
            let of = |net: &str| {
                let voltage = |c: &recording::Column| c.of == *net && c.quantity == circuit::Quantity::Voltage;
                component(&kept.times, &kept.columns[columns.iter().position(voltage).unwrap()], tone.frequency)
            };
            let beside = of(&format!("{} again", probed.outer));
            let wanted = -(of(&probed.outer) - beside) / (of(&probed.inner) - beside);
            let found = -linear.respond(tone.frequency).net(&probed.outer).unwrap();
            let ratio = found / wanted;
            let off = [20.0 * ratio.norm().log10(), ratio.arg().to_degrees()];
            assert!(
                off[0].abs() < 0.01 && off[1].abs() < 0.1,
                "{load} at {share}: {found} for {wanted}, off by {off:?}"
            );
        }
    }
}

/// What the line sees of a regulated converter, and what its load sees, is what real tones show, in both kinds of conduction: currents
/// out of the source per volt in it, voltages per ampere driven into the output.
#[test]
fn impedances_answer_as_real_tones_do() {
    let line = (Excitation::Source("V1".into()), ("V1", circuit::Quantity::Current));
    let output = (Excitation::Current("out".into(), "gnd".into()), ("out", circuit::Quantity::Voltage));
    for load in ["5", "100"] {
        let circuit = regulated(("VT", DcSource, "out top", &[("voltage", "0")]), load, OUTPUT);
        for (excitation, (of, quantity)) in [&line, &output] {
            let linear = SmallSignal::new(&circuit, excitation, &mut Recording::default()).unwrap();
            for share in [1.0 / 100.0, 3.0 / 50.0, 1.0 / 5.0, 9.0 / 20.0] {
                let tone = Tone { frequency: share * CLOCK, phase: 0.3, amplitude: 1e-5 };
                let settled = Settled::with_tones(&circuit, excitation, &[tone], &mut Recording::default()).unwrap();
                let (mut kept, mut health) = (Recording::default(), Health::default());
                settled.record(1, 1e-9, &mut kept, &mut health).unwrap();
                let columns = recording::columns(&circuit);
                let column = columns.iter().position(|c| c.of == *of && c.quantity == *quantity).unwrap();
                // Of `sin(ωt + φ)` the component at ω is `e^(jφ)/2j`.
                let put_in = Complex64::from_polar(0.5 * tone.amplitude, tone.phase - 0.25 * TAU);
                let wanted = component(&kept.times, &kept.columns[column], tone.frequency) / put_in;
                let response = linear.respond(tone.frequency);
                let found = if of == &"out" { response.net(of) } else { response.current(of) }.unwrap();
                let ratio = found / wanted;
                let off = [20.0 * ratio.norm().log10(), ratio.arg().to_degrees()];
                assert!(off[0].abs() < 0.01 && off[1].abs() < 0.1, "{of} at {share} of the clock: off by {off:?}");
            }
        }
    }
}

fn shaken(circuit: &circuit::Circuit, source: &str) -> SmallSignal {
    SmallSignal::new(circuit, &Excitation::Source(source.to_owned()), &mut Recording::default()).unwrap()
}

/// Within 0.1 dB and 1°, as averaged models are good for well below half the clock.
fn averaged(found: Complex64, wanted: Complex64, at: f64) {
    let ratio = found / wanted;
    let (decibels, degrees) = (20.0 * ratio.norm().log10(), ratio.arg().to_degrees());
    assert!(decibels.abs() < 0.1 && degrees.abs() < 1.0, "{decibels:.3} dB and {degrees:.2}° off at {at} Hz");
}

/// Two poles of a frequency, Hz, and a quality.
fn two_poles(f: f64, corner: f64, quality: f64) -> Complex64 {
    let s = Complex64::new(0.0, f / corner);
    1.0 / (1.0 + s / quality + s * s)
}

/// Drive of a share of a period of 5 µs, by a ramp of 4 V and a control of four times as much.
const FAST: &[(&str, &str)] =
    &[("low", "0"), ("high", "4"), ("rise", "4.999u"), ("fall", "1n"), ("width", "0"), ("period", "5u")];
const LOSSLESS: &[(&str, &str)] = &[("on_resistance", "1u"), ("on_voltage", "3"), ("off_voltage", "2")];
const NO_DROP: &[(&str, &str)] =
    &[("saturation_current", "1"), ("emission", "0.001"), ("series_resistance", "1u"), ("typical_current", "1p")];

fn modulated<'a>(control: &'a [(&'a str, &'a str)], rest: &[Row<'a>]) -> circuit::Circuit {
    let mut rows: Vec<Row<'a>> = vec![
        ("VC", DcSource, "c gnd", control),
        ("VR", PulseSource, "ramp gnd", FAST),
        ("VP", DcSource, "vcc gnd", &[("voltage", "5")]),
        ("U1", Comparator, "g c ramp vcc gnd", MODULATOR),
        ("RG", Resistor, "g gnd", &[("resistance", "100k")]),
    ];
    rows.extend_from_slice(rest);
    circuit(&rows)
}

/// R. W. Erickson & D. Maksimović, *Fundamentals of Power Electronics*, 2nd ed. (numbers from memory): the buck of chapter 9, 28 V
/// to 15 V at 3 Ω with 50 µH, 500 µF and a ramp of 4 V, f0 = 1.007 kHz and Q = 9.5; the buck-boost of chapter 8, 30 V at D = 0.6
/// into 10 Ω with 160 µH and 160 µF, 187.5 V per unit of duty, f0 = 400 Hz, Q = 4, a right-half-plane zero at 2.65 kHz and 1.5 from
/// line to output; and the buck in discontinuous conduction of chapter 11.
#[test]
fn averaged_models_hold_where_they_should() {
    let (corner, quality) = (1.0 / (TAU * (50e-6f64 * 500e-6).sqrt()), 3.0 * (500e-6f64 / 50e-6).sqrt());
    let duty = number(4.0 * 15.0 / 28.0);
    let circuit = modulated(
        &[("voltage", &duty)],
        &[
            ("V1", DcSource, "in gnd", &[("voltage", "28")]),
            ("S1", ControlledSwitch, "in x g gnd", LOSSLESS),
            ("D1", Diode, "gnd x", NO_DROP),
            ("L1", Inductor, "x out", &[("inductance", "50u")]),
            ("C1", Capacitor, "out gnd", &[("capacitance", "500u")]),
            ("R1", Resistor, "out gnd", &[("resistance", "3")]),
        ],
    );
    let linear = shaken(&circuit, "VC");
    for f in log_grid(1.0, 5e3, 7.0) {
        averaged(linear.respond(f).net("out").unwrap(), 7.0 * two_poles(f, corner, quality), f);
    }

    let circuit = modulated(
        &[("voltage", "2.4")],
        &[
            ("V1", DcSource, "in gnd", &[("voltage", "30")]),
            ("S1", ControlledSwitch, "in x g gnd", LOSSLESS),
            ("L1", Inductor, "x gnd", &[("inductance", "160u")]),
            ("D1", Diode, "out x", NO_DROP),
            ("C1", Capacitor, "out gnd", &[("capacitance", "160u")]),
            ("R1", Resistor, "out gnd", &[("resistance", "10")]),
        ],
    );
    let (corner, quality, zero) = (0.4 / (TAU * 160e-6), 4.0, 0.16 * 10.0 / (0.6 * TAU * 160e-6));
    let (by_control, by_line) = (shaken(&circuit, "VC"), shaken(&circuit, "V1"));
    for f in log_grid(1.0, 4e3, 7.0) {
        let poles = two_poles(f, corner, quality);
        let wanted = -187.5 / 4.0 * (1.0 - Complex64::new(0.0, f / zero)) * poles;
        averaged(by_control.respond(f).net("out").unwrap(), wanted, f);
        averaged(by_line.respond(f).net("out").unwrap(), -1.5 * poles, f);
    }

    // K = 2L/(RT) = 0.2 at D = 0.4: M = 2/(1 + √(1 + 4K/D²)).
    let circuit = modulated(
        &[("voltage", "1.6")],
        &[
            ("V1", DcSource, "in gnd", &[("voltage", "24")]),
            ("S1", ControlledSwitch, "in x g gnd", LOSSLESS),
            ("D1", Diode, "gnd x", NO_DROP),
            ("L1", Inductor, "x out", &[("inductance", "5u")]),
            ("C1", Capacitor, "out gnd", &[("capacitance", "100u")]),
            ("R1", Resistor, "out gnd", &[("resistance", "10")]),
        ],
    );
    let ratio = 2.0 / (1.0 + (1.0 + 4.0 * 0.2 / 0.16f64).sqrt());
    let (gain, pole) =
        (2.0 * 24.0 * ratio * (1.0 - ratio) / (0.4 * (2.0 - ratio)), (2.0 - ratio) / ((1.0 - ratio) * 1e-3));
    let linear = shaken(&circuit, "VC");
    for f in log_grid(1.0, 2e3, 7.0) {
        let wanted = gain / 4.0 / (1.0 + Complex64::new(0.0, TAU * f / pole));
        averaged(linear.respond(f).net("out").unwrap(), wanted, f);
    }
}

/// From rest, where the amplifier is at its limit for tens to thousands of periods, to the one state in which the output is held,
/// with light loads, in discontinuous conduction, and with an output that takes a tenth of a second to charge.
#[test]
fn a_regulator_is_found_behind_its_limits() {
    for load in ["2", "5", "10", "20", "50", "100"] {
        for output in [OUTPUT, &[("capacitance", "10m"), ("esr", "1u")], &[("capacitance", "22u"), ("esr", "0.1")]] {
            let circuit = regulated(("VT", DcSource, "out top", &[("voltage", "0")]), load, output);
            let mut kept = Recording::default();
            let settled = Settled::find(&circuit, &mut kept).unwrap_or_else(|error| panic!("{load} Ω: {error}"));
            settled.record(1, 1e-6, &mut kept, &mut Health::default()).unwrap();
            let out = recording::columns(&circuit).iter().position(|c| c.of == "out").unwrap();
            let mean = mean(&kept.times, &kept.columns[out]);
            assert!((mean - 5.0).abs() < 0.02, "{mean} V at {load} Ω with {output:?}");
        }
    }
}

/// A converter that holds its output takes the same power whatever its line: slowly shaken it looks like −V²/P (R. D. Middlebrook,
/// IEEE IAS 1976).
#[test]
fn a_regulated_converter_has_a_negative_input_resistance() {
    let circuit = regulated(("VT", DcSource, "out top", &[("voltage", "0")]), "10", OUTPUT);
    let (mut kept, mut health) = (Recording::default(), Health::default());
    Settled::find(&circuit, &mut kept).unwrap().record(1, 1e-9, &mut kept, &mut health).unwrap();
    let current = recording::columns(&circuit).iter().position(|c| c.of == "V1").unwrap();
    let mean = mean(&kept.times, &kept.columns[current]);
    let linear = shaken(&circuit, "V1");
    let found = -1.0 / linear.respond(1.0).current("V1").unwrap();
    assert!((found / (12.0 / mean) - 1.0).norm() < 0.01, "{found} for {}", 12.0 / mean);
    // And what a current shows at the input behind an inductor is the same as what a voltage does.
    let output =
        SmallSignal::new(&circuit, &Excitation::Current("out".into(), "gnd".into()), &mut Recording::default());
    let held = output.unwrap().respond(10.0).net("out").unwrap().norm();
    assert!(held < 0.01, "an output impedance of {held} Ω");
}

/// Where nothing of the loop switches, both kinds of loop gain are the device-level engine's, which measures it in a third way.
/// Where the loop switches they are alike without ripple.
#[test]
fn a_loop_cut_open_and_a_loop_injected_agree_where_they_must() {
    let follower = circuit(&[
        ("VG", PulseSource, "ramp gnd", RAMP),
        ("S1", ControlledSwitch, "vcc y ramp gnd", &[("on_voltage", "0.6"), ("off_voltage", "0.4")]),
        ("R9", Resistor, "y gnd", &[("resistance", "1k")]),
        ("VP", DcSource, "vcc gnd", &[("voltage", "9")]),
        ("VR", DcSource, "ref gnd", &[("voltage", "2.5")]),
        ("U1", Amplifier, "o ref fb vcc gnd", &[("gain_bandwidth", "1M"), ("second_pole", "3M")]),
        ("R1", Resistor, "o fb", &[("resistance", "10k")]),
        ("R2", Resistor, "fb gnd", &[("resistance", "10k")]),
        ("C1", Capacitor, "fb gnd", &[("capacitance", "20p")]),
    ]);
    let gains = |circuit: &circuit::Circuit, part: &str, pin: &str| {
        let probed = Probed::new(circuit, part, pin).unwrap();
        let injected = shaken(&probed.circuit, &probed.probe);
        let opened = SmallSignal::opened(&probed, &mut Recording::default()).unwrap();
        move |f: f64| {
            let (around, cut) = (injected.respond(f), opened.respond(f));
            [-around.net(&probed.outer).unwrap() / around.net(&probed.inner).unwrap(), -cut.net(&probed.outer).unwrap()]
        }
    };
    let device = device::loop_gain(&follower, "U1", "inn", 10.0, 1e6, 4.0).unwrap();
    let both = gains(&follower, "U1", "inn");
    for (f, wanted) in device.frequencies.iter().zip(&device.gain) {
        let [injected, opened] = both(*f);
        assert!((injected / opened - 1.0).norm() < 1e-6, "{injected} and {opened} at {f} Hz");
        assert!((injected / wanted - 1.0).norm() < 2e-3, "{injected} for {wanted} at {f} Hz");
    }
    // What of the ripple comes back is in the one and not in the other.
    let apart = |output: &[(&str, &str)], f: f64| {
        let converter = regulated(("VT", DcSource, "out top", &[("voltage", "0")]), "10", output);
        let [injected, opened] = gains(&converter, "RA", "a")(f);
        (injected / opened - 1.0).norm()
    };
    let smooth = &[("capacitance", "10m"), ("esr", "1u")];
    assert!(apart(smooth, 100.0) < 1e-3 && apart(smooth, 1e4) < 1e-3, "{}", apart(smooth, 1e4));
    assert!((0.01..0.2).contains(&apart(OUTPUT, 0.45 * CLOCK)), "{}", apart(OUTPUT, 0.45 * CLOCK));
}

/// `1/(1 + jωRC)` beside a switch that has nothing to do with it.
#[test]
fn what_does_not_switch_answers_by_its_formula() {
    let circuit = circuit(&[
        ("VG", PulseSource, "g gnd", RAMP),
        ("V1", DcSource, "in gnd", &[("voltage", "5")]),
        ("S1", ControlledSwitch, "in y g gnd", &[("on_voltage", "0.6"), ("off_voltage", "0.4")]),
        ("R2", Resistor, "y gnd", &[("resistance", "1k")]),
        ("R1", Resistor, "in out", &[("resistance", "1k")]),
        ("C1", Capacitor, "out gnd", &[("capacitance", "100n")]),
    ]);
    let linear = SmallSignal::new(&circuit, &Excitation::Source("V1".to_owned()), &mut Recording::default()).unwrap();
    for f in log_grid(0.1, 1e5, 5.0) {
        let wanted = 1.0 / (1.0 + Complex64::new(0.0, TAU * f * 1e-4));
        let found = linear.respond(f).net("out").unwrap();
        assert!((found / wanted - 1.0).norm() < 1e-9, "{found} for {wanted} at {f} Hz");
    }
}

/// The output of a buck without diodes, its loop closed by an integrator, `1/(1/(R + sL) + 1/Rₗ + sC + k/((s + 1/R₂C₂)·(R + sL)))` with
/// `k = V·g/C₂` (averaged at frequencies far below the clock, exact there as all resistances in the coil's way are alike): some
/// 0.1 mΩ at 10 Hz, whatever poles beside it, up to far beyond any that matters.
#[test]
fn a_small_impedance_is_known_beside_very_fast_poles() {
    let [line, transconductance, integrator] = [12.0, 5.236e-3, 1e-6];
    let (r, l, load, c) = (0.1, 2e-6, 0.3, 10e-6);
    for pole in [1e6, 1e7, 1e8, 1e9, 1e10, 1e11] {
        for damping in [1e-3, 1.0] {
            let snubber = number(1.0 / (TAU * pole * damping));
            let circuit = circuit(&[
                ("V1", DcSource, "in gnd", &[("voltage", &number(line))]),
                ("VR", DcSource, "r gnd", &[("voltage", "4")]),
                ("G1", VoltageControlledCurrent, "gnd c r out", &[("transconductance", &number(transconductance))]),
                ("C2", Capacitor, "c gnd", &[("capacitance", &number(integrator)), ("esr", "0")]),
                ("R2", Resistor, "c gnd", &[("resistance", "1G")]),
                ("U1", PulseModulator, "g c gnd", &[("frequency", "240k"), ("ramp_low", "0"), ("ramp_high", "1")]),
                ("U2", Inverter, "i g gnd", &[]),
                ("S1", ControlledSwitch, "in x g gnd", SWITCH),
                ("S2", ControlledSwitch, "x gnd i gnd", SWITCH),
                ("L1", Inductor, "x out", &[("inductance", &number(l)), ("resistance", "90m")]),
                ("C1", Capacitor, "out gnd", &[("capacitance", &number(c)), ("esr", "0")]),
                ("R1", Resistor, "out gnd", &[("resistance", &number(load))]),
                ("R9", Resistor, "out y", &[("resistance", &number(damping))]),
                ("C9", Capacitor, "y gnd", &[("capacitance", &snubber), ("esr", "0")]),
            ]);
            let shaken = Excitation::Current("out".to_owned(), "gnd".to_owned());
            let linear = SmallSignal::new(&circuit, &shaken, &mut Recording::default()).unwrap();
            for f in [0.1, 10.0, 100.0] {
                let s = Complex64::new(0.0, TAU * f);
                let coil = r + s * l;
                let k = line * transconductance / integrator;
                let wanted = 1.0 / (1.0 / coil + 1.0 / load + s * c + k / ((s + 1e-3) * coil));
                let ratio = linear.respond(f).net("out").unwrap() / wanted;
                let off = 20.0 * ratio.norm().log10();
                println!("{pole:e} {damping} {f} {off:+.6} dB {:+.5}", ratio.arg().to_degrees());
                assert!(
                    off.abs() < 0.01 && ratio.arg().abs() < 1e-3,
                    "{f} Hz beside {pole:e} Hz: {off} dB of {wanted}"
                );
            }
        }
    }
}
