//! Diodes and transistors.

use super::describe::*;
use quantity::Unit;

const FET_RATINGS: &[Rating] = &[
    between(rating("drain_voltage", "Drain-source voltage", Unit::Volt, Stress::Voltage), (0, 2)),
    between(rating("gate_voltage", "Gate-source voltage", Unit::Volt, Stress::Voltage), (1, 2)),
    CURRENT,
    POWER,
];
const BIPOLAR_RATINGS: &[Rating] = &[
    between(rating("collector_voltage", "Collector-emitter voltage", Unit::Volt, Stress::Voltage), (0, 2)),
    CURRENT,
    POWER,
];

const MEASURED: Parameter = Parameter {
    id: "measured",
    name: "Measured points",
    help: "Two or three pairs of forward voltage and current from the data sheet, such as 0.7 100m, 0.95 1, 1.2 3; they \
           replace the saturation current and the emission coefficient, and with three pairs the series resistance.",
    form: Form::Points { x: Unit::Volt, y: Unit::Ampere, default: "" },
    headline: false,
    sought: None,
};

const fn saturation_current(default: &'static str) -> Parameter {
    let help = "Current scale of the forward exponential.";
    quantity("saturation_current", "Saturation current", Unit::Ampere, default, (1e-40, 1.0), help)
}

const fn emission(default: &'static str) -> Parameter {
    let help = "Slope of the forward exponential in thermal voltages; 1 to 2 for silicon.";
    quantity("emission", "Emission coefficient", Unit::One, default, (0.001, 10.0), help)
}

const fn series_resistance(default: &'static str) -> Parameter {
    let help = "Forward resistance of bulk and leads.";
    quantity("series_resistance", "Series resistance", Unit::Ohm, default, (1e-6, 1e6), help)
}

const fn built_in_voltage(default: &'static str) -> Parameter {
    let help = "Voltage that sets how the capacitance falls with reverse bias.";
    quantity("built_in_voltage", "Built-in voltage", Unit::Volt, default, (0.1, 5.0), help)
}

const fn junction_capacitance(default: &'static str) -> Parameter {
    quantity("capacitance", "Junction capacitance", Unit::Farad, default, (0.0, 1.0), "Capacitance without bias.")
}

/// Parameters of a diode used forwards, with the defaults of its sort.
const fn junction(
    saturation: &'static str,
    slope: &'static str,
    resistance: &'static str,
    built_in: &'static str,
    capacitance: &'static str,
    typical: &'static str,
) -> [Parameter; 9] {
    [
        saturation_current(saturation),
        emission(slope),
        series_resistance(resistance),
        MEASURED,
        quantity(
            "breakdown_voltage",
            "Breakdown voltage",
            Unit::Volt,
            "0",
            (0.0, 1e6),
            "Reverse voltage at which it breaks down; 0 for never.",
        ),
        junction_capacitance(capacitance),
        built_in_voltage(built_in),
        sought_most(quantity(
            "storage_time",
            "Storage time constant",
            Unit::Second,
            "0",
            (0.0, 1.0),
            "Stored charge per ampere of forward current; sets the reverse recovery. About 1.4 times the recovery time from equal forward and reverse currents.",
        )),
        quantity(
            "typical_current",
            "Typical current",
            Unit::Ampere,
            typical,
            (1e-12, 1e6),
            "Current it mostly carries while it conducts. Simulated by switching it is a drop and a resistance, tangent to its curve there; at device level it has no effect.",
        ),
    ]
}

pub(super) const DIODE: Kind = Kind {
    id: KindId::Diode,
    name: "Diode",
    letter: "D",
    help: "A junction diode: exponential with series resistance, breakdown, junction and stored charge.",
    pins: &ANODE_CATHODE,
    parameters: &junction("5n", "1.8", "50m", "0.75", "25p", "1"),
    ratings: DIODE_RATINGS,
    dc_paths: ONE_PATH,
    fixes_voltage: false,
};

pub(super) const SCHOTTKY: Kind = Kind {
    id: KindId::Schottky,
    name: "Schottky diode",
    letter: "D",
    help: "A metal-semiconductor diode: low forward voltage, no stored charge, more leakage.",
    pins: &ANODE_CATHODE,
    parameters: &junction("2u", "1.05", "40m", "0.6", "100p", "1"),
    ratings: DIODE_RATINGS,
    dc_paths: ONE_PATH,
    fixes_voltage: false,
};

pub(super) const LED: Kind = Kind {
    id: KindId::Led,
    name: "LED",
    letter: "D",
    help: "A light-emitting diode.",
    pins: &ANODE_CATHODE,
    parameters: &junction("1e-20", "2", "2", "1.6", "25p", "20m"),
    ratings: DIODE_RATINGS,
    dc_paths: ONE_PATH,
    fixes_voltage: false,
};

pub(super) const ZENER: Kind = Kind {
    id: KindId::Zener,
    name: "Zener diode",
    letter: "D",
    help: "A diode that holds its Zener voltage in reverse, given as its data sheet gives it.",
    pins: &ANODE_CATHODE,
    parameters: &[
        headline(sought_between(quantity(
            "zener_voltage",
            "Zener voltage",
            Unit::Volt,
            "12",
            (0.5, 1e5),
            "Reverse voltage at the Zener current.",
        ))),
        quantity(
            "zener_current",
            "Zener current",
            Unit::Ampere,
            "5m",
            (1e-9, 1e3),
            "Reverse current at which voltage and impedance are given.",
        ),
        sought_most(quantity(
            "zener_impedance",
            "Zener impedance",
            Unit::Ohm,
            "10",
            (1e-6, 1e6),
            "Differential resistance at the Zener current.",
        )),
        quantity(
            "leakage",
            "Leakage current",
            Unit::Ampere,
            "100n",
            (1e-15, 1.0),
            "Reverse current at the foot of the knee.",
        ),
        saturation_current("1f"),
        emission("1.1"),
        series_resistance("0.5"),
        junction_capacitance("100p"),
        built_in_voltage("0.75"),
    ],
    ratings: &[POWER],
    dc_paths: ONE_PATH,
    fixes_voltage: false,
};

/// Parameters of both polarities; voltages and currents are magnitudes.
const MOSFET: &[Parameter] = &[
    headline(quantity(
        "threshold",
        "Threshold voltage",
        Unit::Volt,
        "3",
        (0.05, 100.0),
        "Magnitude of the gate-source voltage at which the channel forms.",
    )),
    headline(sought_most(quantity(
        "on_resistance",
        "On-resistance",
        Unit::Ohm,
        "50m",
        (1e-6, 1e6),
        "Drain-source resistance when fully on.",
    ))),
    quantity(
        "on_gate_voltage",
        "at gate voltage",
        Unit::Volt,
        "10",
        (0.1, 100.0),
        "Magnitude of the gate-source voltage the on-resistance is given for.",
    ),
    quantity(
        "transconductance",
        "Transconductance",
        Unit::Siemens,
        "12",
        (1e-6, 1e5),
        "Forward transconductance in saturation.",
    ),
    quantity(
        "transconductance_current",
        "at drain current",
        Unit::Ampere,
        "5",
        (1e-9, 1e5),
        "Drain current the transconductance is given for.",
    ),
    quantity(
        "modulation",
        "Channel-length modulation",
        Unit::One,
        "0.01",
        (0.0, 1.0),
        "Relative rise of the saturated current per volt.",
    ),
    sought_most(quantity(
        "input_capacitance",
        "Ciss",
        Unit::Farad,
        "800p",
        (0.0, 1e-3),
        "Input capacitance at the stated drain voltage.",
    )),
    quantity(
        "output_capacitance",
        "Coss",
        Unit::Farad,
        "150p",
        (0.0, 1e-3),
        "Output capacitance at the stated drain voltage.",
    ),
    quantity(
        "reverse_capacitance",
        "Crss",
        Unit::Farad,
        "40p",
        (0.0, 1e-3),
        "Reverse transfer capacitance at the stated drain voltage.",
    ),
    quantity(
        "capacitance_voltage",
        "at drain voltage",
        Unit::Volt,
        "25",
        (0.0, 1e4),
        "Magnitude of the drain-source voltage the capacitances are given for.",
    ),
    quantity(
        "gate_charge",
        "Gate charge",
        Unit::Coulomb,
        "0",
        (0.0, 1e-3),
        "Total gate charge up to the gate voltage the on-resistance is given for; replaces Ciss. 0 if not known.",
    ),
    quantity(
        "gate_charge_voltage",
        "from drain voltage",
        Unit::Volt,
        "25",
        (0.0, 1e4),
        "Magnitude of the drain-source voltage before turn-on the gate charge is given for.",
    ),
    quantity(
        "diode_saturation_current",
        "Body diode saturation current",
        Unit::Ampere,
        "10p",
        (1e-30, 1.0),
        "Current scale of the body diode.",
    ),
    quantity(
        "diode_storage_time",
        "Body diode storage time",
        Unit::Second,
        "0",
        (0.0, 1.0),
        "Stored charge of the body diode per ampere.",
    ),
];

pub(super) const MOSFET_N: Kind = Kind {
    id: KindId::MosfetN,
    name: "MOSFET, n-channel",
    letter: "Q",
    help: "An enhancement MOSFET with body diode and capacitances, given as its data sheet gives it.",
    pins: &[pin("d", "drain"), listens("g", "gate"), pin("s", "source")],
    parameters: MOSFET,
    ratings: FET_RATINGS,
    dc_paths: &[(0, 2)],
    fixes_voltage: false,
};

pub(super) const MOSFET_P: Kind = Kind {
    id: KindId::MosfetP,
    name: "MOSFET, p-channel",
    letter: "Q",
    help: "A p-channel enhancement MOSFET; magnitudes are entered, signs are understood.",
    pins: &[pin("d", "drain"), listens("g", "gate"), pin("s", "source")],
    parameters: MOSFET,
    ratings: FET_RATINGS,
    dc_paths: &[(0, 2)],
    fixes_voltage: false,
};

/// Parameters of both polarities; voltages and currents are magnitudes.
const BIPOLAR: &[Parameter] = &[
    headline(sought_least(quantity(
        "gain",
        "Current gain",
        Unit::One,
        "200",
        (0.1, 1e6),
        "Collector current over base current, far from saturation.",
    ))),
    quantity(
        "reverse_gain",
        "Reverse current gain",
        Unit::One,
        "3",
        (0.01, 1e5),
        "The same with collector and emitter exchanged.",
    ),
    quantity(
        "base_emitter_voltage",
        "Base-emitter voltage",
        Unit::Volt,
        "0.66",
        (0.1, 2.0),
        "Magnitude of the voltage at the stated collector current.",
    ),
    quantity(
        "collector_current",
        "at collector current",
        Unit::Ampere,
        "2m",
        (1e-12, 1e4),
        "Collector current the base-emitter voltage is given for.",
    ),
    quantity(
        "early_voltage",
        "Early voltage",
        Unit::Volt,
        "80",
        (0.0, 1e6),
        "Sets the output resistance; 0 for infinite.",
    ),
    quantity(
        "knee_current",
        "Knee current",
        Unit::Ampere,
        "0.5",
        (0.0, 1e6),
        "Collector current at which the gain has fallen markedly; 0 for never.",
    ),
    quantity("base_resistance", "Base resistance", Unit::Ohm, "10", (1e-3, 1e6), "Resistance of the base."),
    quantity(
        "saturation_voltage",
        "Saturation voltage",
        Unit::Volt,
        "0",
        (0.0, 10.0),
        "Collector-emitter voltage at the collector current above with a tenth of it into the base; 0 to take the \
             collector resistance as given.",
    ),
    quantity(
        "collector_resistance",
        "Collector resistance",
        Unit::Ohm,
        "0.5",
        (1e-6, 1e6),
        "Resistance of the collector, where no saturation voltage is given.",
    ),
    sought_least(quantity(
        "transition_frequency",
        "Transition frequency",
        Unit::Hertz,
        "200M",
        (0.0, 1e12),
        "Frequency at which the current gain has fallen to one; 0 for no stored charge.",
    )),
    quantity(
        "emitter_capacitance",
        "Emitter capacitance",
        Unit::Farad,
        "8p",
        (0.0, 1e-3),
        "Base-emitter capacitance without bias.",
    ),
    quantity(
        "collector_capacitance",
        "Collector capacitance",
        Unit::Farad,
        "4p",
        (0.0, 1e-3),
        "Base-collector capacitance without bias.",
    ),
];

pub(super) const NPN: Kind = Kind {
    id: KindId::Npn,
    name: "Transistor, NPN",
    letter: "Q",
    help: "A bipolar transistor: transport model with Early effect, high-level injection and charges.",
    pins: &[pin("c", "collector"), pin("b", "base"), pin("e", "emitter")],
    parameters: BIPOLAR,
    ratings: BIPOLAR_RATINGS,
    dc_paths: &[(0, 2), (1, 2)],
    fixes_voltage: false,
};

pub(super) const PNP: Kind = Kind {
    id: KindId::Pnp,
    name: "Transistor, PNP",
    letter: "Q",
    help: "A PNP transistor; magnitudes are entered, signs are understood.",
    pins: &[pin("c", "collector"), pin("b", "base"), pin("e", "emitter")],
    parameters: BIPOLAR,
    ratings: BIPOLAR_RATINGS,
    dc_paths: &[(0, 2), (1, 2)],
    fixes_voltage: false,
};
