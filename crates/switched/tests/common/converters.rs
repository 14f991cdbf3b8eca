//! Converters and rectifiers drawn from single parts, with parts close to ideal in both engines.

use super::Row;
use circuit::KindId::{
    Amplifier, Capacitor, Comparator, ControlledSwitch, CoupledWindings, CurrentLoad, CurrentSwitch, DcSource, Diode,
    IdealTransformer, Inductor, MosfetN, PulseSource, Resistor, SineSource, SteppedLoad, ThreePhaseSource, TimedSwitch,
    VoltageControlledVoltage, Zener,
};

/// A sharp knee near zero and little resistance, in both engines alike.
pub const DIODE: &[(&str, &str)] = &[
    ("saturation_current", "1n"),
    ("emission", "0.05"),
    ("series_resistance", "5m"),
    ("typical_current", "1"),
    ("capacitance", "0"),
];
pub const SWITCH: &[(&str, &str)] = &[("on_resistance", "10m"), ("on_voltage", "2.6"), ("off_voltage", "2.4")];
const DRIVE: &[(&str, &str)] =
    &[("low", "0"), ("high", "5"), ("rise", "20n"), ("fall", "20n"), ("width", "4u"), ("period", "10u")];
const GATE: &[(&str, &str)] =
    &[("low", "0"), ("high", "10"), ("rise", "20n"), ("fall", "20n"), ("width", "4u"), ("period", "10u")];
const FET: &[(&str, &str)] = &[
    ("threshold", "4"),
    ("on_resistance", "20m"),
    ("transconductance", "50"),
    ("input_capacitance", "10p"),
    ("output_capacitance", "2p"),
    ("reverse_capacitance", "1p"),
    ("diode_storage_time", "0"),
];
const OUTPUT: &[(&str, &str)] = &[("capacitance", "22u"), ("esr", "10m")];

fn fed<'a>(rest: &[Row<'a>]) -> Vec<Row<'a>> {
    let mut rows: Vec<Row<'a>> =
        vec![("V1", DcSource, "in gnd", &[("voltage", "24")]), ("VG", PulseSource, "g gnd", DRIVE)];
    rows.extend_from_slice(rest);
    rows
}

/// Name, parts, simulated time, signals of interest.
pub fn all<'a>() -> Vec<(&'a str, Vec<Row<'a>>, f64, &'a [&'a str])> {
    vec![
        (
            "buck",
            fed(&[
                ("S1", ControlledSwitch, "in x g gnd", SWITCH),
                ("D1", Diode, "gnd x", DIODE),
                ("L1", Inductor, "x out", &[("inductance", "47u"), ("resistance", "20m")]),
                ("C1", Capacitor, "out gnd", OUTPUT),
                ("R1", Resistor, "out gnd", &[("resistance", "4")]),
            ]),
            1e-3,
            &["out.v", "L1.i", "V1.i", "D1.i"],
        ),
        (
            "buck in discontinuous conduction, its load stepping",
            fed(&[
                ("S1", ControlledSwitch, "in x g gnd", SWITCH),
                ("D1", Diode, "gnd x", DIODE),
                ("CX", Capacitor, "x gnd", &[("capacitance", "1n"), ("esr", "47")]),
                ("L1", Inductor, "x out", &[("inductance", "22u"), ("resistance", "20m")]),
                ("C1", Capacitor, "out gnd", OUTPUT),
                ("I1", SteppedLoad, "out gnd", &[("low", "0.2"), ("high", "2"), ("delay", "1m"), ("width", "10m")]),
            ]),
            2e-3,
            &["out.v", "L1.i", "V1.i"],
        ),
        (
            "boost with a MOSFET",
            vec![
                ("V1", DcSource, "in gnd", &[("voltage", "12")]),
                ("VG", PulseSource, "g gnd", GATE),
                ("L1", Inductor, "in x", &[("inductance", "47u"), ("resistance", "20m")]),
                ("Q1", MosfetN, "x g gnd", FET),
                ("D1", Diode, "x out", DIODE),
                ("C1", Capacitor, "out gnd", OUTPUT),
                ("R1", Resistor, "out gnd", &[("resistance", "20")]),
            ],
            2e-3,
            &["out.v", "L1.i", "D1.i"],
        ),
        (
            "SEPIC",
            fed(&[
                ("L1", Inductor, "in x", &[("inductance", "100u"), ("resistance", "30m")]),
                ("S1", ControlledSwitch, "x gnd g gnd", SWITCH),
                ("C2", Capacitor, "x y", &[("capacitance", "4.7u"), ("esr", "20m")]),
                ("L2", Inductor, "gnd y", &[("inductance", "100u"), ("resistance", "30m")]),
                ("D1", Diode, "y out", DIODE),
                ("C1", Capacitor, "out gnd", OUTPUT),
                ("R1", Resistor, "out gnd", &[("resistance", "8")]),
            ]),
            3e-3,
            &["out.v", "L1.i", "L2.i"],
        ),
        (
            "flyback with leakage and a clamp",
            fed(&[
                (
                    "T1",
                    CoupledWindings,
                    "in x gnd s",
                    &[
                        ("primary_inductance", "200u"),
                        ("secondary_inductance", "50u"),
                        ("coupling", "0.99"),
                        ("primary_resistance", "50m"),
                        ("secondary_resistance", "10m"),
                    ],
                ),
                ("S1", ControlledSwitch, "x gnd g gnd", SWITCH),
                ("D2", Diode, "x k", DIODE),
                ("RC", Resistor, "k in", &[("resistance", "2k")]),
                ("CC", Capacitor, "k in", &[("capacitance", "100n"), ("esr", "0.1")]),
                ("D1", Diode, "s out", DIODE),
                ("C1", Capacitor, "out gnd", OUTPUT),
                ("R1", Resistor, "out gnd", &[("resistance", "10")]),
            ]),
            2e-3,
            &["out.v", "T1.i", "k.v"],
        ),
        (
            "forward converter",
            fed(&[
                ("S1", ControlledSwitch, "in p g gnd", SWITCH),
                ("T1", IdealTransformer, "p gnd s gnd", &[("ratio", "2")]),
                ("D1", Diode, "s x", DIODE),
                ("D2", Diode, "gnd x", DIODE),
                ("L1", Inductor, "x out", &[("inductance", "47u"), ("resistance", "20m")]),
                ("C1", Capacitor, "out gnd", OUTPUT),
                ("I1", CurrentLoad, "out gnd", &[("current", "1.5")]),
            ]),
            1.5e-3,
            &["out.v", "L1.i", "V1.i"],
        ),
        (
            "three-phase bridge",
            vec![
                ("G1", ThreePhaseSource, "l1 l2 l3 n", &[("amplitude", "24"), ("frequency", "400")]),
                ("RN", Resistor, "n gnd", &[("resistance", "1M")]),
                ("R1", Resistor, "l1 a", &[("resistance", "0.1")]),
                ("R2", Resistor, "l2 b", &[("resistance", "0.1")]),
                ("R3", Resistor, "l3 c", &[("resistance", "0.1")]),
                ("D1", Diode, "a bus", DIODE),
                ("D2", Diode, "b bus", DIODE),
                ("D3", Diode, "c bus", DIODE),
                ("D4", Diode, "gnd a", DIODE),
                ("D5", Diode, "gnd b", DIODE),
                ("D6", Diode, "gnd c", DIODE),
                ("C1", Capacitor, "bus gnd", &[("capacitance", "100u"), ("esr", "50m")]),
                ("RL", Resistor, "bus gnd", &[("resistance", "20")]),
            ],
            20e-3,
            &["bus.v", "D1.i", "R1.i"],
        ),
        (
            "bridge with a reservoir and a Zener",
            vec![
                ("V1", SineSource, "a b", &[("amplitude", "12"), ("frequency", "50")]),
                ("RS", Resistor, "a c", &[("resistance", "0.5")]),
                ("D1", Diode, "c bus", DIODE),
                ("D2", Diode, "b bus", DIODE),
                ("D3", Diode, "gnd c", DIODE),
                ("D4", Diode, "gnd b", DIODE),
                ("C1", Capacitor, "bus gnd", &[("capacitance", "1m"), ("esr", "20m")]),
                ("R1", Resistor, "bus z", &[("resistance", "220")]),
                ("DZ", Zener, "gnd z", &[("zener_voltage", "5.1"), ("zener_current", "40m"), ("zener_impedance", "2")]),
                ("R2", Resistor, "z gnd", &[("resistance", "1k")]),
            ],
            0.2,
            &["bus.v", "D1.i", "z.v"],
        ),
        (
            "hysteretic buck",
            vec![
                ("V1", DcSource, "in gnd", &[("voltage", "12")]),
                ("VR", DcSource, "ref gnd", &[("voltage", "5")]),
                ("VC", DcSource, "vcc gnd", &[("voltage", "5")]),
                (
                    "U1",
                    Comparator,
                    "g ref fb vcc gnd",
                    &[("hysteresis", "0.1"), ("response_time", "5n"), ("supply_current", "0")],
                ),
                ("RG", Resistor, "g gnd", &[("resistance", "100k")]),
                ("S1", ControlledSwitch, "in x g gnd", SWITCH),
                ("D1", Diode, "gnd x", DIODE),
                ("L1", Inductor, "x out", &[("inductance", "33u"), ("resistance", "20m")]),
                ("C1", Capacitor, "out gnd", &[("capacitance", "47u"), ("esr", "100m")]),
                ("RF", Resistor, "out fb", &[("resistance", "1k")]),
                ("R1", Resistor, "out gnd", &[("resistance", "3")]),
            ],
            1e-3,
            &["out.v", "L1.i"],
        ),
        (
            "voltage-mode buck, its loop closed",
            vec![
                ("V1", DcSource, "in gnd", &[("voltage", "12")]),
                ("VR", DcSource, "ref gnd", &[("voltage", "2.5")]),
                ("VC", DcSource, "vcc gnd", &[("voltage", "5")]),
                (
                    "VS",
                    PulseSource,
                    "saw gnd",
                    &[
                        ("low", "1"),
                        ("high", "3"),
                        ("rise", "9.9u"),
                        ("fall", "0.1u"),
                        ("width", "0"),
                        ("period", "10u"),
                    ],
                ),
                ("RA", Resistor, "out fb", &[("resistance", "10k")]),
                ("RB", Resistor, "fb gnd", &[("resistance", "10k")]),
                (
                    "A1",
                    Amplifier,
                    "ea ref fb vcc gnd",
                    &[
                        ("gain_bandwidth", "3M"),
                        ("second_pole", "30M"),
                        ("supply_current", "0"),
                        ("headroom_high", "0.2"),
                    ],
                ),
                ("RZ", Resistor, "fb m", &[("resistance", "22k")]),
                ("CZ", Capacitor, "m ea", &[("capacitance", "4.7n")]),
                (
                    "U1",
                    Comparator,
                    "g ea saw vcc gnd",
                    &[("hysteresis", "1m"), ("response_time", "5n"), ("supply_current", "0")],
                ),
                ("RG", Resistor, "g gnd", &[("resistance", "100k")]),
                ("S1", ControlledSwitch, "in x g gnd", SWITCH),
                ("D1", Diode, "gnd x", DIODE),
                ("L1", Inductor, "x out", &[("inductance", "47u"), ("resistance", "20m")]),
                ("C1", Capacitor, "out gnd", &[("capacitance", "100u"), ("esr", "30m")]),
                ("R1", Resistor, "out gnd", &[("resistance", "5")]),
            ],
            4e-3,
            &["out.v", "L1.i"],
        ),
        (
            "a coil switched by time and by its own current, saturating",
            vec![
                ("V1", DcSource, "in gnd", &[("voltage", "10")]),
                (
                    "S1",
                    TimedSwitch,
                    "in a",
                    &[("changes_at", "20u"), ("changes_back_after", "300u"), ("transition", "10n")],
                ),
                (
                    "S2",
                    CurrentSwitch,
                    "b gnd a c",
                    &[("on_current", "1.01"), ("off_current", "0.99"), ("on_resistance", "10m")],
                ),
                ("L1", Inductor, "c b", &[("inductance", "100u"), ("saturation_current", "1"), ("resistance", "1")]),
                ("R1", Resistor, "b gnd", &[("resistance", "5")]),
                ("D1", Diode, "gnd a", DIODE),
                ("E1", VoltageControlledVoltage, "twice gnd b gnd", &[("gain", "2")]),
                ("R2", Resistor, "twice gnd", &[("resistance", "1k")]),
            ],
            0.5e-3,
            &["L1.i", "twice.v"],
        ),
    ]
}
