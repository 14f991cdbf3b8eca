//! Resistors, capacitors, inductors.

use super::describe::*;
use quantity::Unit;

pub(super) const RESISTOR: Kind = Kind {
    id: KindId::Resistor,
    name: "Resistor",
    letter: "R",
    help: "An ohmic resistor.",
    pins: &TWO_ENDS,
    parameters: &[
        headline(sought_between(quantity(
            "resistance",
            "Resistance",
            Unit::Ohm,
            "1k",
            (1e-9, ANY),
            "Resistance at 25 °C.",
        ))),
        quantity(
            "temperature_coefficient",
            "Temperature coefficient",
            Unit::PerKelvin,
            "0",
            (-0.02, 0.02),
            "Relative change of resistance per kelvin.",
        ),
        quantity("temperature", "Temperature", Unit::Celsius, "25", (-200.0, 500.0), "Temperature of the resistor."),
    ],
    ratings: &[POWER, RMS_CURRENT],
    dc_paths: ONE_PATH,
    fixes_voltage: false,
};

pub(super) const CAPACITOR: Kind = Kind {
    id: KindId::Capacitor,
    name: "Capacitor",
    letter: "C",
    help: "A linear capacitor with its equivalent series resistance, inductance and leakage.",
    pins: &PLUS_MINUS,
    parameters: &[
        headline(sought_least(quantity(
            "capacitance",
            "Capacitance",
            Unit::Farad,
            "100u",
            (1e-18, 1e3),
            "Capacitance; must be above zero.",
        ))),
        sought_most(quantity("esr", "ESR", Unit::Ohm, "0", (0.0, 1e9), "Equivalent series resistance.")),
        quantity("esl", "ESL", Unit::Henry, "0", (0.0, 1e3), "Equivalent series inductance."),
        quantity(
            "leakage",
            "Leakage resistance",
            Unit::Ohm,
            "0",
            (0.0, ANY),
            "Resistance in parallel with the capacitance; 0 for none.",
        ),
        quantity(
            "initial_voltage",
            "Initial voltage",
            Unit::Volt,
            "0",
            (-1e6, 1e6),
            "Voltage across the capacitance when a switch-on study starts.",
        ),
    ],
    ratings: &[VOLTAGE, RIPPLE_CURRENT],
    dc_paths: &[],
    fixes_voltage: false,
};

pub(super) const INDUCTOR: Kind = Kind {
    id: KindId::Inductor,
    name: "Inductor",
    letter: "L",
    help: "An inductor with its winding resistance; linear, or falling off above its saturation current.",
    pins: &TWO_ENDS,
    parameters: &[
        headline(sought_least(quantity(
            "inductance",
            "Inductance",
            Unit::Henry,
            "1m",
            (1e-15, 1e6),
            "Inductance; must be above zero.",
        ))),
        sought_most(quantity(
            "resistance",
            "Winding resistance",
            Unit::Ohm,
            "0",
            (0.0, 1e9),
            "Resistance of the winding.",
        )),
        quantity(
            "saturation_current",
            "Saturation current",
            Unit::Ampere,
            "0",
            (0.0, ANY),
            "Current at which the inductance has fallen by 30 %; 0 for none.",
        ),
        quantity(
            "initial_current",
            "Initial current",
            Unit::Ampere,
            "0",
            (-1e6, 1e6),
            "Current from a to b when a switch-on study starts.",
        ),
    ],
    ratings: &[RMS_CURRENT, PEAK_CURRENT],
    dc_paths: ONE_PATH,
    fixes_voltage: false,
};

pub(super) const THERMISTOR: Kind = Kind {
    id: KindId::Thermistor,
    name: "NTC thermistor",
    letter: "RT",
    help: "A resistance that falls as its own heat warms it.",
    pins: &TWO_ENDS,
    parameters: &[
        headline(sought_between(quantity(
            "resistance",
            "Resistance at 25 °C",
            Unit::Ohm,
            "10",
            (1e-6, ANY),
            "Resistance when cold.",
        ))),
        quantity(
            "beta",
            "B value",
            Unit::Kelvin,
            "3000",
            (0.0, 20000.0),
            "Exponent of the falling resistance, in kelvins.",
        ),
        quantity(
            "ambient",
            "Ambient temperature",
            Unit::Celsius,
            "25",
            (-100.0, 300.0),
            "Temperature around it, and its own at switch-on.",
        ),
        quantity(
            "thermal_resistance",
            "Thermal resistance",
            Unit::KelvinPerWatt,
            "60",
            (1e-6, ANY),
            "Rise of temperature per watt, to the surroundings.",
        ),
        quantity("heat_capacity", "Heat capacity", Unit::JoulePerKelvin, "0.8", (1e-12, ANY), "Energy per kelvin."),
    ],
    ratings: &[RMS_CURRENT],
    dc_paths: ONE_PATH,
    fixes_voltage: false,
};
