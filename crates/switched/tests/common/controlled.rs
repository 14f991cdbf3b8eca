//! Converters whose loops are closed by control parts, each with a load that steps in the middle of its time; parts close to ideal in
//! both engines.

use super::Row;
use super::converters::{DIODE, SWITCH};
use circuit::KindId::{
    AverageCurrentModulator, Capacitor, ControlledSwitch, CriticalModulator, CurrentModulator, CurrentSensor, DcSource,
    Diode, HalfBridgeDriver, HystereticModulator, IdealTransformer, Inductor, Multiplier, OnTimeModulator,
    PiController, PulseModulator, Resistor, SampledController, SineSource, SteppedLoad, Type2Compensator,
    Type3Compensator, VoltageSensor,
};

const LINE: Row<'static> = ("V1", DcSource, "in gnd", &[("voltage", "12")]);
const REFERENCE: Row<'static> = ("VR", DcSource, "r gnd", &[("voltage", "2.5")]);
const HALF: Row<'static> = ("U9", VoltageSensor, "f out gnd gnd", &[("gain", "0.5")]);
/// Senses what flows from in to d, half a volt per ampere.
const SENSE: Row<'static> = ("U8", CurrentSensor, "in d s gnd", &[("transresistance", "0.5"), ("bandwidth", "10M")]);
const COIL: &[(&str, &str)] = &[("inductance", "47u"), ("resistance", "20m")];
const OUTPUT: &[(&str, &str)] = &[("capacitance", "100u"), ("esr", "20m")];
const STEP: &[(&str, &str)] =
    &[("low", "0.5"), ("high", "1.5"), ("delay", "1.5m"), ("width", "1"), ("least_voltage", "10m")];

/// The same without haste: a converter without a clock may be anywhere in its pulse when it comes, and engines differ in that.
const SLOW_STEP: &[(&str, &str)] =
    &[("low", "0.5"), ("high", "1.5"), ("delay", "1.5m"), ("width", "1"), ("slew", "3k"), ("least_voltage", "10m")];
/// Diodes that share by their resistance.
const SHARING: &[(&str, &str)] = &[
    ("saturation_current", "1n"),
    ("emission", "0.05"),
    ("series_resistance", "60m"),
    ("typical_current", "1"),
    ("capacitance", "0"),
];

/// A buck of 12 V to 5 V behind its switch, which g turns.
fn buck<'a>(step: &'a [(&'a str, &'a str)], control: &[Row<'a>]) -> Vec<Row<'a>> {
    let mut rows: Vec<Row<'a>> = vec![
        LINE,
        REFERENCE,
        HALF,
        SENSE,
        ("S1", ControlledSwitch, "d x g gnd", SWITCH),
        ("D1", Diode, "gnd x", DIODE),
        ("L1", Inductor, "x out", COIL),
        ("C1", Capacitor, "out gnd", OUTPUT),
        ("I1", SteppedLoad, "out gnd", step),
        ("R1", Resistor, "out gnd", &[("resistance", "100")]),
        ("RS", Resistor, "s gnd", &[("resistance", "100k")]),
    ];
    rows.extend_from_slice(control);
    rows
}

/// A flyback without leakage to 5 V and 12 V, of which the lighter output is not regulated, its peak current controlled; with the
/// resistances through which its diodes share.
pub fn two_output_flyback<'a>(load: &'a [(&'a str, &'a str)]) -> Vec<Row<'a>> {
    vec![
        ("V1", DcSource, "in gnd", &[("voltage", "24")]),
        REFERENCE,
        HALF,
        ("U8", CurrentSensor, "in d s gnd", &[("transresistance", "0.4"), ("bandwidth", "10M")]),
        ("LM", Inductor, "d x", &[("inductance", "60u"), ("resistance", "0")]),
        ("T1", IdealTransformer, "d x gnd s1", &[("ratio", "3")]),
        ("T2", IdealTransformer, "d x gnd s2", &[("ratio", "1.25")]),
        ("S1", ControlledSwitch, "x gnd g gnd", SWITCH),
        ("D1", Diode, "s1 out", SHARING),
        ("D2", Diode, "s2 high", SHARING),
        ("C1", Capacitor, "out gnd", OUTPUT),
        ("C2", Capacitor, "high gnd", OUTPUT),
        ("R1", Resistor, "out gnd", load),
        ("R2", Resistor, "high gnd", &[("resistance", "120")]),
        (
            "U1",
            Type2Compensator,
            "c r f gnd",
            &[("unity_frequency", "2k"), ("zero", "1k"), ("pole", "30k"), ("high", "1.5")],
        ),
        ("U2", CurrentModulator, "g c s gnd", &[("slope", "40k"), ("limit", "1.4"), ("max_duty", "80 %")]),
    ]
}

/// A boost power-factor corrector behind its bridge at 400 Hz, average current programmed by the product of the rectified voltage and
/// of what the voltage loop asks for.
pub fn corrector<'a>() -> Vec<Row<'a>> {
    vec![
        ("V1", SineSource, "a b", &[("amplitude", "24"), ("frequency", "400")]),
        ("D1", Diode, "a p", DIODE),
        ("D2", Diode, "b p", DIODE),
        ("D3", Diode, "gnd a", DIODE),
        ("D4", Diode, "gnd b", DIODE),
        ("C1", Capacitor, "p gnd", &[("capacitance", "470n"), ("esr", "50m")]),
        ("U8", CurrentSensor, "p d s gnd", &[("transresistance", "0.5"), ("bandwidth", "5M")]),
        ("L1", Inductor, "d x", &[("inductance", "150u"), ("resistance", "50m")]),
        ("S1", ControlledSwitch, "x gnd g gnd", SWITCH),
        ("D5", Diode, "x out", DIODE),
        ("C2", Capacitor, "out gnd", &[("capacitance", "470u"), ("esr", "30m"), ("initial_voltage", "45")]),
        ("R1", Resistor, "out gnd", &[("resistance", "100")]),
        ("I1", SteppedLoad, "out gnd", &[("low", "0"), ("high", "0.4"), ("delay", "2.5m"), ("width", "1")]),
        ("VR", DcSource, "r gnd", &[("voltage", "4.8")]),
        ("U9", VoltageSensor, "f out gnd gnd", &[("gain", "0.1")]),
        ("U5", VoltageSensor, "l p gnd gnd", &[("gain", "0.05")]),
        (
            "U1",
            Type2Compensator,
            "v r f gnd",
            &[("unity_frequency", "60"), ("zero", "40"), ("pole", "400"), ("low", "0"), ("high", "4")],
        ),
        ("U2", Multiplier, "m l v gnd", &[("frequency", "100k"), ("phase", "120"), ("scale", "2")]),
        (
            "U3",
            AverageCurrentModulator,
            "g m s gnd",
            &[("unity_frequency", "8k"), ("zero", "4k"), ("pole", "80k"), ("max_duty", "97 %")],
        ),
    ]
}

/// Name, parts, simulated time, signals of interest; the load steps at the middle of it.
pub fn all<'a>() -> Vec<(&'a str, Vec<Row<'a>>, f64, &'a [&'a str])> {
    let (third, out): (f64, &[&str]) = (3e-3, &["out.v", "L1.i"]);
    let type_2: &[(&str, &str)] =
        &[("unity_frequency", "2k"), ("zero", "2k"), ("pole", "40k"), ("low", "0"), ("high", "2")];
    let mut flyback = two_output_flyback(&[("resistance", "10")]);
    flyback.push(("I1", SteppedLoad, "out gnd", STEP));
    vec![
        (
            "buck with a type 3 compensator",
            buck(
                STEP,
                &[
                    (
                        "U1",
                        Type3Compensator,
                        "c r f gnd",
                        &[
                            ("unity_frequency", "1k"),
                            ("zero_1", "2k"),
                            ("zero_2", "2k"),
                            ("pole_1", "40k"),
                            ("pole_2", "50k"),
                            ("high", "2"),
                        ],
                    ),
                    ("U2", PulseModulator, "g c gnd", &[]),
                ],
            ),
            third,
            out,
        ),
        (
            "buck by peak current",
            buck(
                STEP,
                &[
                    ("U1", Type2Compensator, "c r f gnd", type_2),
                    ("U2", CurrentModulator, "g c s gnd", &[("slope", "30k"), ("limit", "1.5")]),
                ],
            ),
            third,
            out,
        ),
        (
            "buck by valley current, its coil sensed",
            vec![
                LINE,
                REFERENCE,
                HALF,
                ("S1", ControlledSwitch, "in x g gnd", SWITCH),
                ("D1", Diode, "gnd x", DIODE),
                ("U8", CurrentSensor, "x d s gnd", &[("transresistance", "0.5"), ("bandwidth", "10M")]),
                ("L1", Inductor, "d out", COIL),
                ("C1", Capacitor, "out gnd", OUTPUT),
                ("I1", SteppedLoad, "out gnd", STEP),
                ("U1", Type2Compensator, "c r f gnd", type_2),
                ("U2", CurrentModulator, "g c s gnd", &[("mode", "valley"), ("slope", "30k"), ("limit", "1.5")]),
            ],
            third,
            out,
        ),
        (
            "buck by average current",
            buck(
                STEP,
                &[
                    ("U1", PiController, "c r f gnd", &[("gain", "1"), ("zero", "1k"), ("high", "1")]),
                    ("U2", AverageCurrentModulator, "g c s gnd", &[("carrier", "triangle")]),
                ],
            ),
            third,
            out,
        ),
        (
            "buck by a sampled controller",
            buck(
                STEP,
                &[
                    ("U1", SampledController, "c r f gnd", &[("b0", "2m"), ("b1", "0"), ("high", "2")]),
                    (
                        "U2",
                        PulseModulator,
                        "g c gnd",
                        &[("carrier", "falling"), ("phase", "90"), ("response_time", "1n")],
                    ),
                ],
            ),
            third,
            out,
        ),
        // From an on-time of twice the capacitor's time constant on its pulses come in pairs (common practice).
        (
            "buck of constant on-time",
            buck(SLOW_STEP, &[("U2", OnTimeModulator, "g r f gnd", &[("on_time", "3u"), ("least_off_time", "1u")])]),
            third,
            out,
        ),
        (
            "buck by hysteresis, synchronous",
            vec![
                LINE,
                REFERENCE,
                HALF,
                ("U2", HystereticModulator, "p r f gnd", &[("hysteresis", "30m")]),
                ("U3", HalfBridgeDriver, "ho gnd lo gnd p", &[("dead_time", "100n")]),
                ("S1", ControlledSwitch, "in x ho gnd", SWITCH),
                ("S2", ControlledSwitch, "x gnd lo gnd", SWITCH),
                ("D1", Diode, "gnd x", DIODE),
                ("D2", Diode, "x in", DIODE),
                ("L1", Inductor, "x out", COIL),
                ("C1", Capacitor, "out gnd", &[("capacitance", "100u"), ("esr", "50m")]),
                ("I1", SteppedLoad, "out gnd", SLOW_STEP),
            ],
            third,
            out,
        ),
        (
            "boost in critical conduction",
            vec![
                ("V1", DcSource, "in gnd", &[("voltage", "10")]),
                ("VR", DcSource, "r gnd", &[("voltage", "2")]),
                ("U9", VoltageSensor, "f out gnd gnd", &[("gain", "0.1")]),
                ("U8", CurrentSensor, "in d s gnd", &[("transresistance", "0.2"), ("bandwidth", "10M")]),
                ("L1", Inductor, "d x", COIL),
                ("S1", ControlledSwitch, "x gnd g gnd", SWITCH),
                ("D1", Diode, "x out", DIODE),
                ("C1", Capacitor, "out gnd", OUTPUT),
                ("R1", Resistor, "out gnd", &[("resistance", "100")]),
                ("I1", SteppedLoad, "out gnd", &[("low", "0.2"), ("high", "0.6"), ("delay", "3m"), ("width", "1")]),
                ("U1", PiController, "c r f gnd", &[("gain", "2"), ("zero", "100"), ("low", "0.05"), ("high", "1.2")]),
                ("U2", CriticalModulator, "g c s gnd", &[]),
            ],
            6e-3,
            out,
        ),
        ("two-output flyback by peak current", flyback, third, &["out.v", "high.v", "LM.i", "D1.i"]),
        ("power-factor corrector with its bridge", corrector(), 5e-3, &["out.v", "L1.i", "V1.i", "m.v"]),
    ]
}
